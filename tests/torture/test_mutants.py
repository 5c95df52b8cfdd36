"""A run of faults that was cut off goes on where it was; what passed is tried again when the tests have changed."""

from __future__ import annotations

import fnmatch
import json
from pathlib import Path

import pytest
from torture.mutants import PASSED, UNREACHED

from torture import mutants

NOTICED = 1


@pytest.fixture
def project(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    made = tmp_path / "project"
    (made / "src").mkdir(parents=True)
    (made / "tests" / "browser").mkdir(parents=True)
    (made / "src" / "rule.py").write_text("MOST = 3\n")
    (made / "tests" / "test_rule.py").write_text("from rule import MOST\n")
    (made / "tests" / "browser" / "test_screen.py").write_text("")
    monkeypatch.setattr(mutants, "PROJECT", made)
    monkeypatch.setattr(mutants, "COPIED", ("src", "tests"))
    return made


def ended(folder: Path) -> dict[str, int | None]:
    held: dict[str, int | None] = json.loads((folder / "mutants" / "rule.py.meta").read_text())["exit_code_by_key"]
    return held


def test_what_passed_is_tried_again_when_the_tests_have_changed(project: Path, tmp_path: Path) -> None:
    folder = tmp_path / "kept"
    (folder / "mutants").mkdir(parents=True)
    mutants._copy(folder)
    assert not (folder / "tests" / "browser").exists()
    was = {"noticed": NOTICED, "passed": PASSED, "unreached": UNREACHED, "untried": None}
    (folder / "mutants" / "rule.py.meta").write_text(json.dumps({"exit_code_by_key": was}))
    mutants._copy(folder)
    assert ended(folder) == was
    (project / "tests" / "test_rule.py").write_text("from rule import MOST\n\n\ndef test_most(): assert MOST == 3\n")
    mutants._copy(folder)
    assert ended(folder) == {"noticed": NOTICED, "passed": None, "unreached": None, "untried": None}


def test_what_is_gone_from_the_project_is_gone_from_its_copy(project: Path, tmp_path: Path) -> None:
    folder = tmp_path / "kept"
    folder.mkdir()
    (project / "src" / "old.py").write_text("")
    mutants._copy(folder)
    (project / "src" / "old.py").unlink()
    mutants._copy(folder)
    assert sorted(p.name for p in (folder / "src").iterdir()) == ["rule.py"]


@pytest.mark.parametrize(("module", "path"), [
    ("core", "core/line.py"), ("core", "core/card/proof.py"), ("core", "core/settings/dialects/plain.py"), ("server/judged", "server/judged/judging.py"),
    ("core/card/proof.py", "core/card/proof.py"),
])  # fmt: skip
def test_files_in_a_folder_and_below_it_are_changed(module: str, path: str) -> None:
    assert fnmatch.fnmatch(f"src/mintseed/{path}", mutants.pattern(module))
    assert not fnmatch.fnmatch("src/mintseed/cli/fit.py", mutants.pattern(module))


def test_what_is_changed_and_what_has_to_notice_is_there() -> None:
    for place, tests, _ in mutants.WHOLE:
        assert list((mutants.PROJECT / "src" / "mintseed" / place).glob("*.py"))
        assert all((mutants.PROJECT / test).exists() for test in tests)
    assert all((mutants.PROJECT / "src" / "mintseed" / module).is_file() for module in mutants.SLICE)
