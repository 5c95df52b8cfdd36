"""mintseed check-card CARD, fix-card CARD and fill-card CARD: the settings files on a card that is written already."""

from __future__ import annotations

import argparse
import os
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager, nullcontext
from pathlib import Path

from mintseed.adapters.block_device import flushed
from mintseed.adapters.lsblk_readers import LsblkReaders
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.cli.files import Commands, opened, recipe_named
from mintseed.cli.fill import add_values, values_from
from mintseed.cli.output import tell
from mintseed.core.findings import Finding, Severity, Where, verdict
from mintseed.core.settings.fill import fill_files
from mintseed.core.source import BytesSource
from mintseed.ports.volume import Volume
from mintseed.services import examine_card
from mintseed.services.examine_card import CardFile
from mintseed.services.inspect_image import TABLE_BYTES
from mintseed.wiring import config


def add(commands: Commands) -> None:
    check = commands.add_parser("check-card", help="judge the settings files on a card's boot volume")
    _arguments(check)
    check.set_defaults(run=run, mends=False)
    fix = commands.add_parser("fix-card", help="mend the settings files on a card, where nobody has to be asked")
    _arguments(fix)
    fix.set_defaults(run=run, mends=True)
    fill = commands.add_parser("fill-card", help="fill the settings files on a card that is written already")
    fill.add_argument("card", help=CARD_WORDS)
    fill.add_argument("--recipe", required=True, help="a shipped recipe's id, or a file")
    fill.add_argument(
        "--release", default="", help="which release it is, where files differ; the newest where left out"
    )
    add_values(fill)
    fill.add_argument("--json", action="store_true")
    fill.set_defaults(run=run_fill)


CARD_WORDS = "the drive it is in, such as /dev/sdb, or a file that holds all of it"


def _arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("card", help=CARD_WORDS)
    parser.add_argument("--recipe", help="a shipped recipe's id, or a file: names its settings files")
    parser.add_argument("--json", action="store_true")


@contextmanager
def _boot_volume(card: str) -> Iterator[Volume]:
    disk = Path(card)
    with opened(card) as file:
        source = BytesSource(file.read(TABLE_BYTES), file.seek(0, os.SEEK_END))
        yield examine_card.boot_volume(disk, source, OffsetVolumeTools())[1]


def _held(card: str) -> AbstractContextManager[Callable[[], None]]:
    """Hold a card while it is changed, by the rules of every other write; a file that stands for one by itself."""
    path = os.path.realpath(card)
    return LsblkReaders(config().loop_cards).held(path) if Path(path).is_block_device() else flushed(path)


def run(arguments: argparse.Namespace) -> int:
    recipe = recipe_named(arguments.recipe) if arguments.recipe else None
    with (
        _held(arguments.card) if arguments.mends else nullcontext(_nothing) as flush,
        _boot_volume(arguments.card) as volume,
    ):
        files = examine_card.execute(volume, recipe)
        mended = examine_card.mend(volume, files, flush) if arguments.mends else ()
    found = [f for one in files for f in (one.examined.left if arguments.mends else one.examined.findings)]
    if not files:
        found.append(_none(arguments.card))
    return tell(found, {"card": arguments.card, "files": [_said(one, mended) for one in files]}, as_json=arguments.json)


def run_fill(arguments: argparse.Namespace) -> int:
    recipe = recipe_named(arguments.recipe)
    values, found = values_from(arguments, recipe)
    facts: dict[str, object] = {"card": arguments.card, "files": []}
    if verdict(found) is Severity.STOP:
        return tell(found, facts, as_json=arguments.json)
    with _held(arguments.card) as flush, _boot_volume(arguments.card) as volume:
        filled = fill_files(recipe, values, examine_card.as_image(volume, recipe, arguments.release))
        found += [f for one in filled for f in one.findings]
        if verdict(found) is not Severity.STOP:
            examine_card.put(volume, {one.path: one.content for one in filled}, flush)
            facts["files"] = [{"path": f.path, "changed_lines": f.changed_lines, "means": f.meaning} for f in filled]
    return tell(found, facts, as_json=arguments.json)


def _nothing() -> None:
    """Nothing is to be flushed where nothing is changed."""


def _none(card: str) -> Finding:
    return Finding("file.none-on-card", Severity.NOTE, "No settings file is on its boot volume", "None of its texts is like one that is known here.",
                   "Name its recipe with --recipe, or one file with check-file.", Where(file=card))  # fmt: skip


def _said(one: CardFile, mended: tuple[str, ...]) -> dict[str, object]:
    return {
        "path": one.path, "dialect": one.examined.dialect, "means": one.examined.would_mean if one.path in mended else one.examined.means,
        "repairs": [repair.does for repair in one.examined.repairs], "mended": one.path in mended,
    }  # fmt: skip
