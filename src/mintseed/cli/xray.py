"""mintseed xray IMAGE: what the file is and holds."""

from __future__ import annotations

import argparse
from dataclasses import asdict

from mintseed.cli.files import Commands, library_of
from mintseed.cli.output import tell
from mintseed.services import inspect_image
from mintseed.wiring import bench, recipes


def add(commands: Commands) -> None:
    parser = commands.add_parser("xray", help="what an image file is and holds")
    parser.add_argument("image")
    parser.add_argument("--boot-only", action="store_true", help="read no further than the end of the boot volume")
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=run)


def run(arguments: argparse.Namespace) -> int:
    library, name = library_of(arguments.image)
    depth: inspect_image.Depth = "boot" if arguments.boot_only else "whole"
    xray = inspect_image.execute(name, library=library, tools=bench().tools, recipes=recipes().values(), depth=depth)
    facts = {
        "file": xray.file_name,
        "packing": xray.packing,
        "inside": xray.inside,
        "beside": [{"path": b.path, "size_bytes": b.size_bytes} for b in xray.beside],
        "packed_bytes": xray.packed_bytes,
        "unpacked_bytes": xray.unpacked_bytes,
        "sha256": xray.sha256,
        "scheme": xray.scheme,
        "bits": xray.bits,
        "recipe": xray.recipe_id,
        "release": xray.release,
        "build": xray.build,
        "volumes": [asdict(v) for v in xray.volumes],
        "boards": [asdict(b) for b in xray.boards],
        "files": [{"path": f.path, "size_bytes": f.size_bytes, "known": f.known} for f in xray.files],
        "page": asdict(xray.page),
        "system": asdict(xray.system),
        "url": xray.page.url(),
    }
    return tell(xray.findings, facts, as_json=arguments.json)
