"""No false alarm: of a file its reader takes nothing worse than a note is said, and where nothing is said, nothing is mended."""

from __future__ import annotations

from pathlib import Path

import pytest

from mintseed.core.findings import Severity, verdict
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.repair import look_at
from tests.builders.judges import JUDGES
from tests.core.settings.right_files import RIGHT

HANGS_ON_ANOTHER_FILE = {"iwd.address-if"}
"""What one file alone cannot tell is something to look at, however right the file is."""

ALL = [(dialect, text) for dialect, texts in RIGHT.items() for text in texts]


def test_there_are_some_of_each_dialect() -> None:
    assert len(ALL) >= 60
    assert set(RIGHT) == set(DIALECTS) - {"link"}, "a link holds nothing but where it leads"


@pytest.mark.parametrize(("dialect", "text"), ALL)
def test_nothing_worse_than_a_note_is_said_of_it(dialect: str, text: str, tmp_path: Path) -> None:
    judge = JUDGES.get(dialect)
    if judge is not None:
        assert judge.takes(text.encode(), tmp_path), "its reader does not take it: it is no right file"
    file = (
        judge.file
        if judge
        else FileToFill(path="settings.conf", dialect=dialect, title="", values={"value": "{host_name}"})
    )  # type: ignore[arg-type]
    looked = look_at(text.encode(), "settings.conf", dialect, file)
    of_it = tuple(f for f in looked.findings if f.code not in HANGS_ON_ANOTHER_FILE)
    assert verdict(of_it) in (Severity.OK, Severity.NOTE), [f.title for f in of_it]
    if not looked.findings:
        assert looked.mended == text.encode()
