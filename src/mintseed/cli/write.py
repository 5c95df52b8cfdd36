"""mintseed write IMAGE TARGET: write an image as it is to a drive, with every safety rule, and prove it."""

from __future__ import annotations

import argparse
import sys

from mintseed.cli.files import Commands, library_of
from mintseed.cli.output import tell, tell_progress
from mintseed.core.card.in_use import in_use
from mintseed.core.errors import RefusedError
from mintseed.core.findings import Severity, verdict
from mintseed.core.units import drive_size
from mintseed.services import fill_image, inspect_image, write_card
from mintseed.wiring import bench, recipes


def add(commands: Commands) -> None:
    parser = commands.add_parser("write", help="write an image to a card and prove it")
    parser.add_argument("image")
    parser.add_argument("target", help="the drive, such as /dev/sdx")
    parser.add_argument("--expect-serial", default=None, help="refuse any other drive")
    parser.add_argument(
        "--clear-end", action="store_true", help="clear what an earlier system left in the last MiB too"
    )
    parser.add_argument(
        "--everything",
        action="store_true",
        help="write what nothing uses too (without it: what is in use, where every volume tells)",
    )
    parser.add_argument("--yes", action="store_true", help="do not ask for the drive's name again")
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=run)


def run(arguments: argparse.Namespace) -> int:
    library, name = library_of(arguments.image)
    outside = bench()
    drives = [d for d in outside.readers.drives() if d.path == arguments.target]
    serial = arguments.expect_serial if arguments.expect_serial is not None else (drives[0].serial if drives else "")
    drive = write_card.pick_drive(outside.readers, arguments.target, serial)
    xray = inspect_image.execute(name, library=library, tools=outside.tools, recipes=recipes().values())
    found = write_card.check(drive, xray)
    # A sum that differs from the published one is a stop for writing too, whoever asks.
    found += tuple(f for f in xray.findings if f.severity is Severity.STOP)
    if verdict(found) is Severity.STOP:
        return tell(found, {"written": ""}, as_json=arguments.json)
    if not arguments.yes:
        _ask_again(drive.path, drive_size(drive.size_bytes))
    only_used = not arguments.everything and in_use(xray).whole
    with fill_image.execute(xray, (), library=library, tools=outside.tools, only_used=only_used) as image:
        written = write_card.execute(
            xray,
            image,
            drive,
            readers=outside.readers,
            tools=outside.tools,
            tell=tell_progress,
            clear_end=arguments.clear_end,
        )
    facts = {
        "written": drive.path,
        "bytes": written.written_bytes,
        "blake3": written.digest,
        "left_bytes": written.left_bytes,
        "cleared_bytes": written.cleared_bytes,
        "took_s": round(written.took_s, 1),
        "pull_out": written.released.text,
    }
    return tell(found, facts, as_json=arguments.json)


def _ask_again(path: str, size: str) -> None:
    """Have the drive's name typed again. Raises RefusedError when it is another one."""
    print(f"Everything on {path} ({size}) goes. Type its name again: ", end="", file=sys.stderr, flush=True)
    if sys.stdin.readline().strip() != path:
        raise RefusedError("not confirmed", expected=path, next_step="Nothing was written.")
