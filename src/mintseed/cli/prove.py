"""mintseed prove TARGET --against IMAGE: compare byte for byte."""

from __future__ import annotations

import argparse

from mintseed.cli.files import Commands, library_of, opened
from mintseed.cli.output import tell
from mintseed.core.image.naming import file_of, inside_of
from mintseed.services import prove_card


def add(commands: Commands) -> None:
    parser = commands.add_parser("prove", help="compare a card with an image, byte for byte")
    parser.add_argument("target")
    parser.add_argument("--against", required=True, metavar="IMAGE")
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=run)


def run(arguments: argparse.Namespace) -> int:
    library, name = library_of(arguments.against)
    with library.open(file_of(name)) as image, opened(arguments.target) as target:
        proof = prove_card.execute(image, target, target_name=arguments.target, wanted=inside_of(name))
    return tell([proof.finding], {"compared_bytes": proof.compared_bytes}, as_json=arguments.json)
