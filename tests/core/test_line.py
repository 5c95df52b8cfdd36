"""The line, the steps of setting up, the label, described texts, and the error tree."""

from __future__ import annotations

import re
from datetime import date

import pytest

from mintseed import wiring
from mintseed.core import errors
from mintseed.core.boards.model import Board
from mintseed.core.boot.band import Band
from mintseed.core.described import read_described
from mintseed.core.find.candidates import PageAnswer
from mintseed.core.findings import Finding, Severity, verdict, worst_first
from mintseed.core.keep.label import QUIET_ZONE_MODULES, make_label, next_name, qr_code
from mintseed.core.line import Mark, StationState, draw_line
from mintseed.core.next_steps import BootFacts, CardFacts, boot_state, card_state, find_state, setup_state
from mintseed.core.recipes.model import Recipe
from mintseed.core.setup.steps import judge_default_login, judge_page, step_results
from mintseed.core.stations import ORDER, TITLES, Station

RECIPE = wiring.recipes()["platen"]


def states(**changes: StationState) -> dict[Station, StationState]:
    base = {s: StationState(False, next_step=f"do {s}") for s in ORDER}
    return base | {Station(name): state for name, state in changes.items()}


def test_the_first_station_not_done_needs_the_person() -> None:
    line = draw_line(states(plan=StationState(True), image=StationState(True, Severity.CHECK)))
    assert line.now is Station.SETTINGS
    assert [m.mark for m in line.marks] == [Mark.OK, Mark.CHECK, Mark.NOW, *[Mark.TODO] * 5]
    assert line.next_step == "do settings"
    assert not line.needs_you


def test_a_stop_and_a_run_are_drawn_as_such() -> None:
    stopped = draw_line(states(plan=StationState(False, Severity.STOP)))
    assert stopped.marks[0].mark is Mark.STOP
    assert stopped.needs_you
    running = draw_line(states(plan=StationState(False, running=True)))
    assert running.marks[0].mark is Mark.RUNNING
    assert not running.needs_you


def test_a_device_in_service_stays_judged_as_it_was() -> None:
    as_it_was = {
        "plan": StationState(True), "setup": StationState(False, Severity.STOP, note="left"), "find": StationState(False),
        "keep": StationState(True, note="on record", next_step="In service"),
    }  # fmt: skip
    line = draw_line(states(**as_it_was), in_service=True)
    assert (line.finished, line.needs_you, line.next_step) == (True, False, "In service")
    marks = {m.station: (m.mark, m.note) for m in line.marks}
    # A device whose own login still opened when it was kept is not drawn as if it did not.
    assert marks[Station.SETUP] == (Mark.STOP, "left")
    assert (marks[Station.PLAN][0], marks[Station.FIND][0], marks[Station.KEEP][0]) == (Mark.OK, Mark.TODO, Mark.OK)


@pytest.mark.parametrize(
    ("facts", "done", "verdict_"),
    [
        (CardFacts(False, "", False, False), False, Severity.OK),
        (CardFacts(True, "", False, False), False, Severity.OK),
        (CardFacts(False, "it died", False, False), False, Severity.STOP),
        (CardFacts(False, "it died", True, True), False, Severity.STOP),
        (CardFacts(False, "", True, False), False, Severity.CHECK),
        (CardFacts(False, "", True, True), True, Severity.OK),
        (CardFacts(False, "", False, False, void_why="another was written on its card"), False, Severity.CHECK),
    ],
)
def test_only_a_proven_and_current_card_is_done(facts: CardFacts, done: bool, verdict_: Severity) -> None:
    state = card_state(facts)
    assert (state.done, state.verdict) == (done, verdict_)


def test_boot_and_find_states() -> None:
    band = Band(35, 120, 300, 600)
    assert boot_state(BootFacts(True, 60, None, "14:14:00", "14:13:00"), band).next_step == "Give it until 14:14:00"
    assert boot_state(BootFacts(True, 400, None, ""), band).verdict is Severity.CHECK
    assert boot_state(BootFacts(True, 900, None, ""), band).verdict is Severity.STOP
    assert boot_state(BootFacts(True, 900, 41.0, ""), band).done
    assert not boot_state(BootFacts(False, 0, None, ""), None).done
    failed = boot_state(BootFacts(False, 372, None, failed_run=1, likeliest="Passphrase is wrong"), band)
    assert (failed.done, failed.verdict) == (False, Severity.CHECK)
    assert "Run 1" in failed.next_step
    assert "Passphrase is wrong" in failed.next_detail
    assert not find_state((), claimed="", seen_at="127.77.4.9", page_answers=True, powered=True).done
    assert find_state((), claimed="127.77.4.9", seen_at="", page_answers=False, powered=True).done
    assert "Power" in find_state((), claimed="", seen_at="", page_answers=False, powered=False).next_step


def test_a_tick_does_nothing_for_a_measured_step() -> None:
    results = step_results(RECIPE, {}, frozenset({"page", "password", "printer"}))
    assert [r.state for r in results] == ["open", "open", "done"]
    assert not setup_state(results).done


def test_measured_steps_follow_what_the_page_said() -> None:
    login = RECIPE.default_login
    assert login is not None
    assert judge_page(PageAnswer("u", 200, "…Platen print desk…"), RECIPE.page).severity is Severity.OK
    assert judge_page(PageAnswer("u", 200, "another"), RECIPE.page).severity is Severity.STOP
    refused, opened = PageAnswer("u", 401), PageAnswer("u", 200)
    assert judge_default_login(refused, login).severity is Severity.OK
    assert judge_default_login(opened, login).severity is Severity.STOP
    assert judge_default_login(PageAnswer("u", 0, trouble="no route"), login).severity is Severity.STOP
    assert judge_default_login(PageAnswer("u", 500), login).severity is Severity.CHECK
    found = {
        "page": judge_page(PageAnswer("u", 200, RECIPE.page.signature), RECIPE.page),
        "password": judge_default_login(opened, login),
    }
    results = step_results(RECIPE, found, frozenset())
    assert [r.state for r in results] == ["done", "failed", "open"]
    assert setup_state(results).verdict is Severity.STOP


def test_the_label_has_everything_and_a_quiet_zone() -> None:
    label = make_label(name="Press", host_name="press.local", address="127.77.4.9", url="http://127.77.4.9:5310/",
                       made_of="Platen 3.2", made_on=date(2026, 11, 25))  # fmt: skip
    # ISO/IEC 18004: version v has 17 + 4v modules, and four of quiet zone on each side.
    assert (label.qr_size - 2 * QUIET_ZONE_MODULES - 17) % 4 == 0
    assert f"M{QUIET_ZONE_MODULES} {QUIET_ZONE_MODULES}h" in label.qr_path
    assert not label.qr_path.startswith("M0 ")
    assert label.made_on == "2026-11-25"


@pytest.mark.parametrize(
    ("name", "taken", "fresh"),
    [("press", {"press"}, "press-2"), ("press-2", {"press-2"}, "press-3"), ("press", {"press", "press-2"}, "press-3"),
     ("reading-press-2", {"reading-press-2"}, "reading-press-3"), ("x" * 63, set(), "x" * 61 + "-2"), ("press-²", set(), "press-²-2"), ("a-" + "9" * 60, set(), "a-" + "9" * 59 + "-2"), ("-2", set(), "-2-2")],
)  # fmt: skip
def test_the_next_name_is_free_and_short_enough(name: str, taken: set[str], fresh: str) -> None:
    assert next_name(name, frozenset(taken)) == fresh
    assert len(fresh) <= 63


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("a: [", "YAML"),
        ("just text", "no fields"),
        ("recipe: 2", "recipe"),
        ("recipe: 1\nunknown: 3", "unknown|Field required|id"),
    ],
)
def test_a_wrong_description_says_where(text: str, said: str) -> None:
    with pytest.raises(errors.DescriptionError, match=said):
        read_described(Recipe, text, where="mine.yaml")


def test_paths_cannot_leave_the_boot_volume() -> None:
    text = (
        (wiring.PROJECT / "recipes" / "platen.yaml").read_text().replace("path: device.conf", "path: ../../etc/passwd")
    )
    with pytest.raises(errors.DescriptionError, match="path"):
        read_described(Recipe, text, where="mine.yaml")


def test_shipped_descriptions_read_back_as_themselves() -> None:
    for board in wiring.boards().values():
        assert Board.model_validate(board.model_dump()) == board


def test_verdicts_and_order() -> None:
    note, stop = Finding("x.a", Severity.NOTE, "n"), Finding("x.b", Severity.STOP, "s")
    assert verdict([]) is Severity.OK
    assert verdict([note, stop]) is Severity.STOP
    assert worst_first([note, stop]) == (stop, note)


def test_every_error_has_a_status_for_web_and_command_line() -> None:
    def family(kind: type[errors.MintSeedError]) -> list[type[errors.MintSeedError]]:
        return [kind, *(k for child in kind.__subclasses__() for k in family(child))]

    for kind in family(errors.MintSeedError):
        error = kind("it is cut short.", expected="a whole file", where="x.img", next_step="Fetch it again.")
        assert errors.http_status(error) >= 400
        assert errors.exit_status(error) in (2, 3)
        assert error.sentence() == "x.img: it is cut short. Expected a whole file. Fetch it again."


def test_every_word_of_a_station_is_carried_to_the_line() -> None:
    said = {
        s: StationState(False, note=f"note {s}", next_step=f"do {s}", next_detail=f"as {s}", button=f"press {s}")
        for s in ORDER
    }
    line = draw_line(said)
    assert [(m.station, m.title, m.note) for m in line.marks] == [(s, TITLES[s], f"note {s}") for s in ORDER]
    assert (line.now, line.next_step, line.next_detail, line.button) == (
        Station.PLAN,
        "do plan",
        "as plan",
        "press plan",
    )
    assert (line.needs_you, line.finished) == (False, False)
    kept = draw_line(said, in_service=True)
    assert [(m.station, m.title, m.note) for m in kept.marks] == [(s, TITLES[s], f"note {s}") for s in ORDER]
    assert (kept.now, kept.next_step, kept.next_detail, kept.button) == (
        Station.KEEP,
        "do keep",
        "as keep",
        "press keep",
    )


def test_where_all_is_done_one_stands_at_the_end_and_nobody_is_needed() -> None:
    done = draw_line({s: StationState(True, Severity.CHECK) for s in ORDER})
    assert (done.now, done.finished, done.needs_you) == (Station.KEEP, True, False)


@pytest.mark.parametrize(("running", "mark", "needs_you"), [(True, Mark.CHECK, False), (False, Mark.CHECK, True)])
def test_what_is_late_is_amber_and_calls_for_somebody_once_it_runs_no_more(
    running: bool, mark: Mark, needs_you: bool
) -> None:
    line = draw_line(states(plan=StationState(False, Severity.CHECK, running=running)))
    assert (line.marks[0].mark, line.needs_you) == (mark, needs_you)


def test_what_is_not_reached_yet_is_not_amber() -> None:
    assert draw_line(states(card=StationState(False, Severity.CHECK))).marks[3].mark is Mark.TODO


def test_the_label_says_each_thing_where_it_belongs() -> None:
    label = make_label(name="Press", host_name="press.local", address="127.77.4.9", url="http://127.77.4.9:5310/",
                       made_of="Platen 3.2", made_on=date(2026, 11, 25))  # fmt: skip
    assert (label.name, label.host_name, label.address) == ("Press", "press.local", "127.77.4.9")
    assert (label.url, label.made_of) == ("http://127.77.4.9:5310/", "Platen 3.2")
    assert (label.qr_path, label.qr_size) == qr_code(label.url)


def test_a_code_is_read_even_with_a_thumb_on_it() -> None:
    """ISO/IEC 18004, table 7: 26 letters in bytes fit version 2 with correction M (26 of them), and version 3 with Q; 27 want version 3.
    Of 14 a version 1, which is no smaller one (Micro QR), has just the room with M."""
    sizes = {letters: qr_code("a" * letters)[1] - 2 * QUIET_ZONE_MODULES for letters in (1, 14, 15, 26, 27)}
    assert sizes == {1: 21, 14: 21, 15: 25, 26: 25, 27: 29}
    path, width = qr_code("a")
    assert re.fullmatch(r"(M[0-9]+ [0-9]+h1v1h-1z)+", path)
    places = [tuple(map(int, pair)) for pair in re.findall(r"M([0-9]+) ([0-9]+)", path)]
    assert min(min(p) for p in places) == QUIET_ZONE_MODULES
    assert max(max(p) for p in places) == width - QUIET_ZONE_MODULES - 1
