"""Two or more at one moment, either of them first by a little: creations, writes, power, removals, changes.

What may come of each race stands beside it. Whatever comes, no answer is a 5xx, and no card is called proven that holds other bytes.
"""

from __future__ import annotations

import random
import time
from collections import Counter
from collections.abc import Callable, Collection
from typing import Any

import httpx

from torture.outcome import Outcome
from torture.running import Application, application, lies, together

FIRST_BY_S = 0.02
"""seconds by which one of the two comes first, at most; half of the races have the one first, half the other."""


class Course:
    """A started application with two deployments that can be written, and what a race does in it."""

    def __init__(self, running: Application, dice: random.Random) -> None:
        self.running, self._dice = running, dice
        self.deployments = running.prepared()

    def asked(self, method: str, path: str, body: object = None) -> tuple[int, Any]:
        url = f"http://127.0.0.1:{self.running.port}/api{path}"
        answer = httpx.request(method, url, json=body, timeout=60)
        return answer.status_code, answer.json() if answer.content else None

    def pick(self) -> dict[str, Any]:
        """Return the card that is in a reader, as the browser sends it."""
        until = time.monotonic() + 30
        while time.monotonic() < until:
            drives = self.asked("GET", f"/deployments/{self.deployments[0]}/card")[1]["drives"]
            if drive := next((d for d in drives if not d["locked"] and d["question_id"] is None), None):
                return {
                    "drive_id": drive["id"],
                    "path": drive["path"],
                    "serial": drive["serial"],
                    "again": drive["path"],
                }
            time.sleep(0.1)
        raise RuntimeError("no card in a reader")

    def write_of(self, pk: int, body: dict[str, Any]) -> Callable[[], tuple[int, Any]]:
        return lambda: self.asked("POST", f"/deployments/{pk}/card/write", body)

    def both(self, *ways: Callable[[], tuple[int, Any]]) -> list[int]:
        """Do all of `ways` at one moment, each a little later by chance; return their statuses."""
        waits = [self._dice.random() * FIRST_BY_S for _ in ways]

        def one(number: int) -> int:
            time.sleep(waits[number])
            return ways[number]()[0]

        return together(len(ways), one)

    def settle(self) -> None:
        """Stop whatever is written, and wait until nothing is; boards go off."""
        for pk in self.deployments:
            self.asked("POST", f"/deployments/{pk}/card/stop")
        until = time.monotonic() + 30
        while time.monotonic() < until and any(self._writes(pk) for pk in self.deployments):
            time.sleep(0.05)
        for pk in self.deployments:
            self.asked("POST", f"/deployments/{pk}/boot/power-off")

    def _writes(self, pk: int) -> bool:
        job = (self.asked("GET", f"/deployments/{pk}/card")[1] or {}).get("job")
        return bool(job and job["active"])

    def proven(self, pk: int) -> None:
        """Write its card and wait until it is proven."""
        until = time.monotonic() + 90
        while time.monotonic() < until:
            shown = self.asked("GET", f"/deployments/{pk}/card")[1]
            if shown["proven"] and shown["current"]:
                return
            if not (shown["job"] and shown["job"]["active"]):
                self.asked("POST", f"/deployments/{pk}/card/write", self.pick())
            time.sleep(0.2)
        raise RuntimeError("its card could not be proven")


def _note(outcome: Outcome, said: list[int], allowed: Collection[tuple[int, ...]], number: int) -> None:
    outcome.tried += 1
    outcome.note(" and ".join(map(str, said)))
    if tuple(said) not in allowed:
        outcome.harm.append(f"race {number}: {said}")


def creations(course: Course, times: int) -> Outcome:
    outcome = Outcome("six creations at once")
    for number in range(times):
        made = together(6, lambda n: course.asked("POST", "/deployments", {"recipe": "lintel"}))
        names = [body["host_name"] for status, body in made if status == 200]
        outcome.tried += 1
        if len(set(names)) != 6:
            outcome.harm.append(f"race {number}: {sorted(names)}")
        for _, body in made:
            course.asked("DELETE", f"/deployments/{body['id']}")
    return outcome


def writes(course: Course, times: int) -> Outcome:
    """Four ask for one drive: one gets it, three are refused in words; nobody is told of a database that does not answer."""
    outcome = Outcome("four writes to one drive at once")
    ways = [*course.deployments, *course.deployments]
    for number in range(times):
        body = course.pick()
        said = sorted(course.both(*(course.write_of(pk, body) for pk in ways)))
        _note(outcome, said, [(200, 409, 409, 409)], number)
        if number % 4 == 3:
            _let_it_run(course, outcome, number)
        course.settle()
    outcome.harm += lies(course.running, course.deployments)
    return outcome


def _let_it_run(course: Course, outcome: Outcome, number: int) -> None:
    """Now and then the write goes to its end: its heartbeats and its proof meet whatever else asks for the same rows."""
    until = time.monotonic() + 60
    while time.monotonic() < until:
        shown = [course.asked("GET", f"/deployments/{pk}/card")[1] for pk in course.deployments]
        active = [s for s in shown if s["job"] and s["job"]["active"]]
        if not active:
            break
        time.sleep(0.05)
    last = [s["job"] for s in shown if s["job"]]
    if not any(j["state"] == "done" for j in last):
        outcome.harm.append(f"race {number}: none was proven: {[j['trouble'] for j in last]}")


def power_and_write(course: Course, times: int) -> Outcome:
    """A card is powered and written at one moment. One of them, or the write fails in words: its card is in a board."""
    outcome, (first, second) = Outcome("power-on and a write to the same card"), course.deployments
    for number in range(times):
        course.proven(first)
        body = course.pick()
        said = course.both(
            lambda: course.asked("POST", f"/deployments/{first}/boot/power-on", {}),
            course.write_of(second, body),
        )
        # 404: the card is gone from its reader, in these words.
        _note(outcome, said, [(200, 409), (409, 200), (200, 200), (200, 404)], number)
        _let_it_end(course)
        shown = [course.asked("GET", f"/deployments/{pk}/card")[1] for pk in course.deployments]
        # There are two cards here, so two proofs may stand; never both of the card of one reader.
        proven_in = [
            next(w["drive_path"] for w in s["writes"] if w["outcome"] == "proven") for s in shown if s["proven"]
        ]
        if len(proven_in) != len(set(proven_in)):
            outcome.harm.append(f"race {number}: one card, two proofs")
        course.settle()
    outcome.harm += lies(course.running, course.deployments)
    return outcome


def _let_it_end(course: Course) -> None:
    until = time.monotonic() + 60
    while time.monotonic() < until and any(course._writes(pk) for pk in course.deployments):
        time.sleep(0.05)


def two_powers(course: Course, times: int) -> Outcome:
    outcome, first = Outcome("two power-ons of one board at once"), course.deployments[0]
    course.proven(first)
    for number in range(times):
        on = lambda: course.asked("POST", f"/deployments/{first}/boot/power-on", {})  # noqa: E731
        said = sorted(course.both(on, on))
        _note(outcome, said, [(200, 409)], number)
        course.asked("POST", f"/deployments/{first}/boot/power-off")
    return outcome


def removal_and_write(course: Course, times: int) -> Outcome:
    """It is taken off the bench and written at one moment: one wins, and the other is told in words."""
    outcome, first = Outcome("a removal and a write at once"), course.deployments[0]
    for number in range(times):
        body = course.pick()
        said = course.both(
            lambda: course.asked("DELETE", f"/deployments/{first}"),
            course.write_of(first, body),
        )
        _note(outcome, said, [(204, 404), (409, 200)], number)
        course.asked("POST", f"/deployments/{first}/restore")
        course.settle()
        trouble = str((course.asked("GET", f"/deployments/{first}/card")[1]["job"] or {}).get("trouble", ""))
        if "unforeseen" in trouble:
            outcome.harm.append(f"race {number}: {trouble}")
    return outcome


def change_and_write(course: Course, times: int) -> Outcome:
    """A setting changes while its card is asked for: either the write is of the new settings, or the change is refused."""
    outcome, first = Outcome("a change of settings and a write at once"), course.deployments[0]
    for number in range(times):
        body = course.pick()
        said = course.both(
            lambda n=number: course.asked("PUT", f"/deployments/{first}/settings", {"host_name": f"raced-{n}"}),  # type: ignore[misc]
            course.write_of(first, body),
        )
        _note(outcome, said, [(200, 200), (409, 200), (200, 409)], number)
        course.settle()
    return outcome


def lists(course: Course, times: int) -> Outcome:
    outcome = Outcome("six lists of a new file at once")
    for number in range(times):
        (course.running.home / "library" / f"new-{number}.img").write_bytes(b"x")
        said = together(6, lambda n: course.asked("GET", "/images")[0])
        outcome.tried += 1
        if set(said) != {200}:
            outcome.harm.append(f"race {number}: {said}")
    rows = Counter(i["file_name"] for i in course.asked("GET", "/images")[1]["images"])
    if rows and max(rows.values()) > 1:
        outcome.harm.append("a file is listed twice")
    return outcome


RACES = (creations, writes, power_and_write, two_powers, removal_and_write, change_and_write, lists)


def races(times: int, seed: int) -> list[Outcome]:
    """Run every race `times` times, on one application."""
    found = []
    with application() as running:
        running.launch()
        if not running.up(180):
            return [Outcome("races", harm=["it did not start"])]
        course = Course(running, random.Random(seed))
        for race in RACES:
            began = time.monotonic()
            outcome = race(course, times)
            outcome.took_s = time.monotonic() - began
            said = (running.home / "said.txt").read_text(errors="replace")
            if "Traceback" in said:
                outcome.harm.append(f"a trace in its output: {said[said.index('Traceback') :][:600]!r}")
            if "does not answer" in said:
                line = next(line for line in said.splitlines() if "does not answer" in line)
                outcome.harm.append(f"the database is said not to answer: {line[:200]}")
            found.append(outcome)
    return found
