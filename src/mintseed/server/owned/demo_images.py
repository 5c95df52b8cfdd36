"""The made-up images that the demo itself does not need: built when there is time, or when somebody asks for them."""

from __future__ import annotations

from pathlib import Path

from mintseed.standins.forge.build import build_demo, is_built
from mintseed.standins.forge.more_sources import MORE_IMAGES
from mintseed.standins.forge.own_sources import OWN_IMAGES

ALL = (*MORE_IMAGES, *OWN_IMAGES)


def missing(library: Path) -> list[str]:
    """Return the files that are not in `library` as they are described now."""
    return [spec.file for spec in ALL if not is_built(spec, library)]


def build(name: str, library: Path) -> None:
    """Build one, and publish the checksums of its release as far as it is there."""
    release = next(spec.checksums for spec in ALL if spec.file == name)
    wanted = [s for s in ALL if s.checksums == release and (s.file == name or is_built(s, library))]
    build_demo(wanted, library)


def appliances() -> frozenset[str]:
    """Return the appliances some of whose images are built so."""
    return frozenset(spec.appliance for spec in MORE_IMAGES)
