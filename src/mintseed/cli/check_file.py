"""mintseed check-file FILE and fix-file FILE: the doctor for settings files."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

from mintseed.cli.files import Commands, opened
from mintseed.cli.output import tell
from mintseed.core.errors import InputError, OutsideError
from mintseed.core.findings import worst_first
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.visible import one_line
from mintseed.services import examine_file
from mintseed.services.examine_file import Examined


def add(commands: Commands) -> None:
    check = commands.add_parser("check-file", help="judge a settings file as its reader would, and say what it means")
    _arguments(check)
    check.set_defaults(run=run)
    fix = commands.add_parser("fix-file", help="mend a settings file where nobody has to be asked")
    _arguments(fix)
    fix.add_argument("-o", dest="output", metavar="FILE", help="write it there; without it, it is printed")
    fix.add_argument("--in-place", action="store_true", help="write it where it was")
    fix.set_defaults(run=run_fix)


def _arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file")
    parser.add_argument(
        "--as",
        dest="dialect",
        default="",
        choices=["", *sorted(DIALECTS)],
        metavar="DIALECT",
        help=f"{', '.join(DIALECTS)}; told from what stands in it where left out",
    )
    parser.add_argument("--name", default="", help="the name the image looks for")
    parser.add_argument("--json", action="store_true")


def run(arguments: argparse.Namespace) -> int:
    found = _examined(arguments)
    return tell(worst_first(found.findings), _said(arguments, found), as_json=arguments.json)


def run_fix(arguments: argparse.Namespace) -> int:
    if arguments.output and arguments.in_place:
        raise InputError("both -o and --in-place are given", expected="one of them")
    found = _examined(arguments)
    if not found.dialect:
        return tell(worst_first(found.left), _said(arguments, found), as_json=arguments.json)
    place = arguments.file if arguments.in_place else arguments.output
    if place:
        _write(Path(place), found.mended)
    elif not arguments.json:
        sys.stdout.buffer.write(found.mended)
        sys.stdout.flush()
    if not arguments.json:
        for repair in found.repairs:
            print(one_line(repair.does), file=sys.stderr)
        for finding in worst_first(found.left):
            print(one_line(f"still {finding.severity}: {finding.title}. {finding.fix}"), file=sys.stderr)
        return 1 if any(f.severity == "stop" for f in found.left) else 0
    return tell(worst_first(found.left), _said(arguments, found), as_json=True)


def _said(arguments: argparse.Namespace, found: Examined) -> dict[str, object]:
    return {
        "file": arguments.file, "dialect": found.dialect, "told_by": "" if arguments.dialect else found.guessed.why, "means": found.means, "would_mean": found.would_mean,
        "repairs": [repair.does for repair in found.repairs],
    }  # fmt: skip


def _examined(arguments: argparse.Namespace) -> Examined:
    with opened(arguments.file) as file:
        data = file.read(MAX_SETTINGS_FILE_BYTES + 1)
    return examine_file.execute(
        data, name=Path(arguments.file).name, read_as=arguments.dialect, wanted_name=arguments.name
    )


def _write(path: Path, content: bytes) -> None:
    """Write `content` beside its place and move it there: what was there stays whole until the other one is. Raises OutsideError."""
    beside = path.with_name(path.name + ".mended")
    try:
        mode = path.stat().st_mode & 0o7777 if path.exists() else 0o600
        with os.fdopen(os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        beside.chmod(mode)
        beside.replace(path)
    except OSError as error:
        raise OutsideError(
            f"cannot be written ({error.strerror})",
            where=str(path),
            next_step=f"Look whether {beside.name} lies there, and who may write.",
        ) from error
