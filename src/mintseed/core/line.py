"""The line: where a deployment stands, and the one thing to do next."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from mintseed.core.findings import Severity
from mintseed.core.stations import ORDER, TITLES, Station


class Mark(StrEnum):
    """How a station is drawn: shape and colour."""

    OK = "ok"
    CHECK = "check"
    STOP = "stop"
    NOW = "now"
    RUNNING = "run"
    TODO = "todo"


@dataclass(frozen=True, slots=True)
class StationState:
    """How one station stands: is its work done, does it run, what is its verdict, what is next there."""

    done: bool
    verdict: Severity = Severity.OK
    running: bool = False
    note: str = ""
    next_step: str = ""
    next_detail: str = ""
    button: str = "Continue"


@dataclass(frozen=True, slots=True)
class StationMark:
    station: Station
    title: str
    mark: Mark
    note: str


@dataclass(frozen=True, slots=True)
class Line:
    """The eight marks, the station that needs the person, and the next step as one sentence and one button."""

    marks: tuple[StationMark, ...]
    now: Station
    next_step: str
    next_detail: str
    button: str
    needs_you: bool
    finished: bool


def draw_line(states: Mapping[Station, StationState], *, in_service: bool = False) -> Line:
    """Return the line for `states`; the first station that is not done is where the person is needed.

    A device `in_service` is finished, and its stations are drawn as they stood when its record was closed: what was
    never done stays undone, what was wrong stays wrong.
    """
    if in_service:
        marks = tuple(StationMark(s, TITLES[s], _mark(s, s, states[s], closed=True), states[s].note) for s in ORDER)
        keep = states[Station.KEEP]
        return Line(marks, Station.KEEP, keep.next_step, keep.next_detail, keep.button, False, True)
    now = next((s for s in ORDER if not states[s].done), Station.KEEP)
    marks = tuple(StationMark(s, TITLES[s], _mark(s, now, states[s]), states[s].note) for s in ORDER)
    here = states[now]
    finished = all(states[s].done for s in ORDER)
    stopped = here.verdict is Severity.STOP or (here.verdict is Severity.CHECK and not here.running)
    return Line(marks, now, here.next_step, here.next_detail, here.button, stopped and not finished, finished)


def _mark(station: Station, now: Station, state: StationState, *, closed: bool = False) -> Mark:
    if state.verdict is Severity.STOP and (state.done or station is now):
        return Mark.STOP
    if state.running and not closed:
        return Mark.CHECK if state.verdict is Severity.CHECK else Mark.RUNNING
    if state.verdict is Severity.CHECK and (state.done or station is now):
        return Mark.CHECK
    if state.done:
        return Mark.OK
    return Mark.NOW if station is now and not closed else Mark.TODO
