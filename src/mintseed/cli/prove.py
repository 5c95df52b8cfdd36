"""mintseed prove TARGET --against IMAGE: compare byte for byte."""

from __future__ import annotations

import argparse
from contextlib import suppress

from mintseed.cli.files import Commands, library_of, opened
from mintseed.cli.output import tell
from mintseed.core.errors import MintSeedError
from mintseed.core.findings import Severity
from mintseed.core.image.naming import file_of, inside_of
from mintseed.services import inspect_image, prove_card
from mintseed.wiring import bench, recipes


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
    if proof.finding.severity is Severity.STOP:
        # A card that was given only what is in use holds something else elsewhere: what nothing uses is told apart before it is called another one.
        with suppress(MintSeedError), opened(arguments.target) as target:
            outside = bench()
            xray = inspect_image.execute(name, library=library, tools=outside.tools, recipes=recipes().values())
            used = prove_card.of_what_is_used(
                xray, target, target_name=arguments.target, library=library, tools=outside.tools
            )
            proof = used or proof
    return tell([proof.finding], {"compared_bytes": proof.compared_bytes}, as_json=arguments.json)
