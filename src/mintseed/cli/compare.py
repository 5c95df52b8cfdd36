"""mintseed compare OLD NEW: what is otherwise on the second image, for someone who fills it."""

from __future__ import annotations

import argparse
from dataclasses import asdict

from mintseed.cli.files import Commands, library_of
from mintseed.cli.output import tell
from mintseed.core.image.compare import compare
from mintseed.core.image.report import XRay
from mintseed.services import inspect_image
from mintseed.wiring import bench, recipes


def add(commands: Commands) -> None:
    parser = commands.add_parser("compare", help="what is otherwise on another image, for someone who fills it")
    parser.add_argument("old")
    parser.add_argument("new")
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=run)


def run(arguments: argparse.Namespace) -> int:
    was, now = (_read(path) for path in (arguments.old, arguments.new))
    found = compare(was, now)
    if arguments.json:
        return tell((), {"differences": [asdict(one) for one in found]}, as_json=True)
    return tell(
        (),
        {"differences": [" ".join((f"{one.title}.", one.detail)) for one in found] or ["none that is read"]},
        as_json=False,
    )


def _read(path: str) -> XRay:
    library, name = library_of(path)
    return inspect_image.execute(name, library=library, tools=bench().tools, recipes=recipes().values())
