"""A run of faults that was cut off goes on where it was; what passed is tried again when the tests have changed."""

from __future__ import annotations

import fnmatch
import json
from contextlib import nullcontext
from pathlib import Path

import pytest
from torture.mutants import PASSED, UNREACHED

from torture import mutants, one_collection

NOTICED = 1
RULE = ("tests/test_rule.py",)


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
    mutants._copy(folder, RULE)
    assert not (folder / "tests" / "browser").exists()
    was = {"noticed": NOTICED, "passed": PASSED, "unreached": UNREACHED, "untried": None}
    (folder / "mutants" / "rule.py.meta").write_text(json.dumps({"exit_code_by_key": was}))
    (project / "tests" / "test_other.py").write_text("def test_other(): pass\n")
    mutants._copy(folder, RULE)
    assert ended(folder) == was
    (project / "tests" / "test_rule.py").write_text("from rule import MOST\n\n\ndef test_most(): assert MOST == 3\n")
    mutants._copy(folder, RULE)
    assert ended(folder) == {"noticed": NOTICED, "passed": None, "unreached": None, "untried": None}


def test_what_tests_share_bears_on_all_of_them(project: Path, tmp_path: Path) -> None:
    folder = tmp_path / "kept"
    (folder / "mutants").mkdir(parents=True)
    mutants._copy(folder, RULE)
    for name in ("conftest.py", "data/rule.txt"):
        (folder / "mutants" / "rule.py.meta").write_text(json.dumps({"exit_code_by_key": {"passed": PASSED}}))
        (project / "tests" / name).parent.mkdir(exist_ok=True)
        (project / "tests" / name).write_text("another")
        mutants._copy(folder, RULE)
        assert ended(folder) == {"passed": None}


def test_what_is_gone_from_the_project_is_gone_from_its_copy(project: Path, tmp_path: Path) -> None:
    folder = tmp_path / "kept"
    folder.mkdir()
    (project / "src" / "old.py").write_text("")
    mutants._copy(folder, RULE)
    (project / "src" / "old.py").unlink()
    mutants._copy(folder, RULE)
    assert sorted(p.name for p in (folder / "src").iterdir()) == ["rule.py"]


@pytest.mark.parametrize(("module", "path"), [
    ("core", "core/line.py"), ("core", "core/card/proof.py"), ("core", "core/settings/dialects/plain.py"), ("server/judged", "server/judged/judging.py"),
    ("core/card/proof.py", "core/card/proof.py"),
])  # fmt: skip
def test_files_in_a_folder_and_below_it_are_changed(module: str, path: str) -> None:
    assert fnmatch.fnmatch(f"src/mintseed/{path}", mutants.pattern(module))
    assert not fnmatch.fnmatch("src/mintseed/cli/fit.py", mutants.pattern(module))


@pytest.mark.parametrize("place", [mutants.SLICE, *mutants.WHOLE.values()], ids=lambda p: p.modules[0])
def test_what_is_changed_and_what_has_to_notice_is_there(place: mutants.Place) -> None:
    changed = [mutants.PROJECT / "src" / "mintseed" / module for module in place.modules]
    assert all(path.is_file() or list(path.glob("*.py")) for path in changed)
    assert all((mutants.PROJECT / test).exists() for test in place.tests)


def test_homes_share_all_files_of_a_place_and_none_twice() -> None:
    whole = mutants.WHOLE["server/judged"]
    shares = whole.shares()
    dealt = [module for share in shares for module in share.modules]
    there = (mutants.PROJECT / "src" / "mintseed" / "server" / "judged").glob("*.py")
    assert len(shares) == whole.homes == 2
    assert all(share.modules and share.homes == 1 for share in shares)
    assert sorted(dealt) == sorted(f"server/judged/{path.name}" for path in there)


def test_which_test_runs_which_line_is_recorded_again_when_one_of_both_has_changed(
    project: Path, tmp_path: Path
) -> None:
    folder = tmp_path / "kept"
    rule = project / "src" / "mintseed" / "core" / "rule.py"
    rule.parent.mkdir(parents=True)
    rule.write_text("MOST = 3\n")
    folder.mkdir()

    def recorded() -> bool:
        mutants._copy(folder, RULE)
        mutants._forget_lines(folder, ("core",))
        there = (folder / "lines").exists()
        (folder / "lines").touch()
        return there

    assert not recorded()
    assert recorded()
    (project / "tests" / "test_other.py").write_text("def test_other(): pass\n")
    assert recorded()
    rule.write_text("MOST = 4\n")
    assert not recorded()
    (project / "tests" / "test_rule.py").write_text("from rule import MOST\n\n\ndef test_most(): assert MOST == 4\n")
    assert not recorded()


def test_a_test_that_fails_without_a_fault_too_has_noticed_none(
    project: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    class Tests:
        session, tests = object(), dict.fromkeys(("good", "bad"))

        def fails(self, test: str) -> int:
            return int(test == "bad")

    (tmp_path / "noticed").mkdir()
    (tmp_path / "noticed" / "rule").write_text("good\nbad\nof another time\n")
    monkeypatch.setattr(one_collection, "NOTICED", tmp_path / "noticed")
    one_collection.Forking(1, Tests()).shutdown()  # type: ignore[arg-type]
    said = capsys.readouterr().out
    assert said == "Without a fault fail too: bad\n"
    (project / "pyproject.toml").write_text("")
    monkeypatch.setattr(mutants, "_mutmut", lambda *_, **__: said)
    (tmp_path / "kept" / "mutants").mkdir(parents=True)
    with pytest.raises(RuntimeError, match=": bad"):
        mutants.put_in_faults(mutants.Place(("core",), RULE), kept=tmp_path / "kept")
    assert not (tmp_path / "kept" / "mutants").exists()


@pytest.mark.parametrize(("ended", "kept"), [(0, True), (1, False), (2, False)])
def test_a_recording_of_tests_that_did_not_come_to_a_good_end_is_made_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, ended: int, kept: bool
) -> None:
    (tmp_path / "mutants").mkdir()
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(one_collection, "LINES", tmp_path / "lines")
    monkeypatch.setattr(one_collection, "recorded", lambda data_file, _: nullcontext(data_file.touch()))
    tests = object.__new__(one_collection.Collected)
    monkeypatch.setattr(tests, "_pytest_args_regular_run", list, raising=False)
    monkeypatch.setattr(tests, "execute_pytest", lambda *_, **__: ended, raising=False)
    assert tests.run_tests(mutant_name=None, tests=[]) == ended
    assert (tmp_path / "lines").exists() is kept
