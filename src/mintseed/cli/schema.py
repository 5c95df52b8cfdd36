"""mintseed schema recipe|board|part|site: the JSON Schema of a described thing."""

from __future__ import annotations

import argparse
import json

from mintseed.cli.files import Commands
from mintseed.core.boards.model import Board
from mintseed.core.described import Described
from mintseed.core.parts.model import Part
from mintseed.core.recipes.model import Recipe
from mintseed.core.site.model import Site

MODELS: dict[str, type[Described]] = {"recipe": Recipe, "board": Board, "part": Part, "site": Site}


def add(commands: Commands) -> None:
    parser = commands.add_parser("schema", help="the JSON Schema of a recipe, board, part or site")
    parser.add_argument("what", choices=sorted(MODELS))
    parser.set_defaults(run=run)


def run(arguments: argparse.Namespace) -> int:
    print(json.dumps(MODELS[arguments.what].model_json_schema(), indent=1))
    return 0
