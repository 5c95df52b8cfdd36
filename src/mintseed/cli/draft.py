"""mintseed draft IMAGE: a recipe drafted from what stands in an image that nobody described."""

from __future__ import annotations

import argparse
import json
import os
import sys
from dataclasses import asdict
from pathlib import Path

from mintseed.cli.files import Commands, library_of
from mintseed.core.errors import OutsideError
from mintseed.core.recipes.draft import draft_of, recipe_text
from mintseed.core.visible import one_line
from mintseed.services import inspect_image
from mintseed.wiring import bench, recipes


def add(commands: Commands) -> None:
    parser = commands.add_parser("draft", help="draft a recipe from an image that nobody described")
    parser.add_argument("image")
    parser.add_argument("-o", dest="output", metavar="RECIPE", help="write the recipe there; without it, it is printed")
    parser.add_argument("--json", action="store_true", help="print the draft's lines, files and questions too")
    parser.set_defaults(run=run)


def run(arguments: argparse.Namespace) -> int:
    library, name = library_of(arguments.image)
    xray = inspect_image.execute(name, library=library, tools=bench().tools, recipes=())
    draft = draft_of(xray, frozenset(recipes()))
    text = recipe_text(draft)
    if arguments.output:
        _write_new(Path(arguments.output), text)
    if arguments.json:
        print(json.dumps({**asdict(draft), "recipe": text}, indent=1))
        return 0
    out = sys.stdout if arguments.output else sys.stderr
    for line in draft.lines:
        print(one_line(f"{line.what}: {line.value} ({line.sure}; {line.source})"), file=out)
    for file in draft.files:
        print(one_line(f"File: {file.path} takes {file.says} ({file.kind}: {file.why})"), file=out)
    for question in draft.questions:
        print(f"To answer if you can: {question.text}", file=out)
    if arguments.output:
        print(f"{arguments.output} written. Look it over; `mintseed fill --recipe {arguments.output}` takes it.")
    else:
        print(text, end="")
    return 0


def _write_new(path: Path, text: str) -> None:
    """Write `text` as a file that was not there. Raises OutsideError where it is, or cannot be written."""
    try:
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o644), "w", encoding="utf-8") as file:
            file.write(text)
    except OSError as error:
        raise OutsideError(f"cannot be written ({error.strerror})", where=str(path),
                           next_step="Name a file that is not there yet.") from error  # fmt: skip
