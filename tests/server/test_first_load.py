"""What a browser fetches before anything shows: the page, its scripts and styles, as they are sent compressed."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

DIST = Path(__file__).resolve().parents[2] / "web" / "dist"

MOST_BYTES = 150_000
"""as asked; every station and place beside the bench is fetched when it is opened"""


def test_the_first_load_is_small_and_the_rest_comes_when_it_is_opened() -> None:
    page = DIST / "index.html"
    if not page.with_suffix(".html.br").exists():
        pytest.skip("the web part is not built: scripts/prepare builds and compresses it")
    names = re.findall(r'(?:src|href)="/(assets/[^"]+\.(?:js|css))"', page.read_text())
    assert names
    sent = [page, *(DIST / name for name in names)]
    assert sum(path.with_name(f"{path.name}.br").stat().st_size for path in sent) < MOST_BYTES
    others = {path.stem.split("-")[0] for path in (DIST / "assets").glob("*Station-*.js")}
    assert others == {
        "PlanStation", "ImageStation", "SettingsStation", "CardStation", "BootStation", "FindStation", "SetupStation", "KeepStation",
    }  # fmt: skip
    assert not [name for name in names if "Station" in name]
