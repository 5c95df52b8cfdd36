"""mintseed backup CARD -o FILE.img.zst: read a card back into a packed image, without what its file systems do not use."""

from __future__ import annotations

import argparse
from pathlib import Path

from mintseed.adapters.filled_folder import FilledFolder
from mintseed.cli.files import Commands
from mintseed.cli.output import tell, tell_progress
from mintseed.core.errors import InputError
from mintseed.core.units import decimal_size
from mintseed.services import back_up_card, write_card
from mintseed.wiring import bench

ENDING = ".img.zst"


def add(commands: Commands) -> None:
    parser = commands.add_parser("backup", help="read a card back into a packed image file")
    parser.add_argument("card", help="the drive, such as /dev/sdx")
    parser.add_argument(
        "-o", "--out", required=True, metavar="FILE", help=f"a name that ends in {ENDING}; never one that is there"
    )
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=run)


def run(arguments: argparse.Namespace) -> int:
    target, outside = Path(arguments.out), bench()
    if not target.name.endswith(ENDING):
        raise InputError(f"{target.name} says another format", expected=f"a name that ends in {ENDING}", where="--out")
    if target.exists():
        raise InputError("a file is there already", where=str(target), next_step="Take another name.")
    drives = outside.readers.drives()
    drive = write_card.pick_listed(
        drives, arguments.card, next((d.serial for d in drives if d.path == arguments.card), "")
    )
    done = back_up_card.execute(
        drive, target.name, readers=outside.readers, tools=outside.tools, copies=FilledFolder(target.absolute().parent),
        tell=tell_progress,
    )  # fmt: skip
    facts = {
        "written": arguments.out,
        "bytes": done.image_bytes,
        "packed_bytes": done.packed_bytes,
        "left_out_bytes": done.left_out_bytes,
        "blake3": done.digest,
        "took_s": round(done.took_s, 1),
        "in_words": f"{decimal_size(done.image_bytes)} read and compared, {decimal_size(done.left_out_bytes)} of it unused and left out",
    }
    return tell((), facts, as_json=arguments.json)
