"""X-rays by hand, where only what lies on an image matters."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from mintseed.core.image.facts import PageFacts
from mintseed.core.image.report import FileOnImage, XRay

BARE = XRay("x.img", "raw", 1, 1, "", "dos", (), (), 0, None, (), PageFacts(), root_unfillable="")


def holding(files: Mapping[str, bytes], release: str = "") -> XRay:
    """Return the X-ray of an image that holds `files`: with a / before its path one of the root volume."""
    return replace(BARE, files=tuple(FileOnImage(p, len(c), c, True) for p, c in files.items()), release=release)
