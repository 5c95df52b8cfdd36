"""mintseed check-file FILE --as DIALECT: the configuration doctor."""

from __future__ import annotations

import argparse
from pathlib import Path

from mintseed.cli.files import Commands, opened
from mintseed.cli.output import tell
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.services import check_file


def add(commands: Commands) -> None:
    parser = commands.add_parser("check-file", help="judge a settings file as its reader would")
    parser.add_argument("file")
    parser.add_argument(
        "--as", dest="dialect", required=True, choices=sorted(DIALECTS), metavar="DIALECT", help=", ".join(DIALECTS)
    )
    parser.add_argument("--name", default="", help="the name the image looks for")
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=run)


def run(arguments: argparse.Namespace) -> int:
    with opened(arguments.file) as file:
        data = file.read(MAX_SETTINGS_FILE_BYTES + 1)
    name = Path(arguments.file).name
    found = check_file.execute(data, dialect=arguments.dialect, name=name, wanted_name=arguments.name)
    return tell(found, {"file": arguments.file, "dialect": arguments.dialect}, as_json=arguments.json)
