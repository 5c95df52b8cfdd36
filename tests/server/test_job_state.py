"""Is a job alive, how did it end, and what did it leave behind: told by its row alone."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from mintseed.core.errors import InputError
from mintseed.core.image import refusals
from mintseed.server.judged.job_state import (
    DEAD_AFTER_S,
    STARTS_WITHIN_S,
    describe_trouble,
    harm_of,
    is_active,
    is_dead,
    topic_of,
    trouble_of,
)
from mintseed.server.kept.models import CardErrand, CardWork, FilledCopy, Job, Write

NOW = datetime(2026, 11, 25, 20, 0, tzinfo=UTC)


def ago(seconds: float) -> datetime:
    return NOW - timedelta(seconds=seconds)


def job(state: str, **more: Any) -> Job:
    return Job(kind="read-image", state=state, **{"created_at": ago(900), **more})


@pytest.mark.parametrize(("one", "dead", "active"), [
    (job("running", started_at=ago(60), heartbeat_at=ago(DEAD_AFTER_S)), False, True), (job("running", started_at=ago(60), heartbeat_at=ago(DEAD_AFTER_S + 1)), True, False),
    (job("running", started_at=ago(5)), False, True), (job("running", started_at=ago(7)), True, False),
    (job("running", created_at=ago(5)), False, True), (job("running", created_at=ago(7)), True, False),
    (job("queued", created_at=ago(STARTS_WITHIN_S - 1)), False, True), (job("queued", created_at=ago(STARTS_WITHIN_S)), False, False),
    (job("done", heartbeat_at=ago(60)), False, False), (job("failed", heartbeat_at=ago(60)), False, False), (job("stopped", heartbeat_at=ago(1)), False, False),
])  # fmt: skip
def test_whether_it_is_alive(one: Job, dead: bool, active: bool) -> None:
    assert is_dead(one, NOW) is dead
    assert is_active(one, NOW) is active


BEGUN, WAITED = Write(started_at=ago(9)), Write()


@pytest.mark.parametrize(("subject", "harm"), [
    ({}, ""), ({"write": WAITED}, ""), ({"write": BEGUN}, "; the card is not usable"),
    ({"errand": CardErrand(does="read")}, ""), ({"errand": CardErrand(does="mend")}, "; what it put there may be there in part"),
    ({"card_work": CardWork(does="test", began_at=ago(9))}, "; what was on the card is gone"), ({"card_work": CardWork(does="clear", began_at=ago(9))}, "; what was on the card is gone"),
    ({"card_work": CardWork(does="clear")}, ""), ({"card_work": CardWork(does="read", began_at=ago(9))}, ""),
])  # fmt: skip
def test_what_it_leaves_behind_and_how_its_end_is_said(subject: dict[str, Any], harm: str) -> None:
    assert harm_of(job("running", **subject)) == harm
    assert describe_trouble(job("running", **subject)) == f"The worker died while it was at it{harm}"
    assert describe_trouble(job("failed", **subject)) == f"It stopped before the end{harm}"
    assert (
        describe_trouble(job("failed", trouble={"sentence": "The card went away."}, **subject)) == "The card went away."
    )
    assert describe_trouble(job("done", **subject)) == ""
    assert describe_trouble(job("queued", **subject)).startswith("No worker took it up")


@pytest.mark.parametrize(("subject", "topic"), [
    ({}, "images"), ({"write": Write(deployment_id=7)}, "deployment/7"), ({"copy": FilledCopy(deployment_id=8)}, "deployment/8"),
    ({"errand_id": 5}, "card-files/5"), ({"card_work_id": 6}, "drives"),
])  # fmt: skip
def test_which_screens_hear_of_it(subject: dict[str, Any], topic: str) -> None:
    assert topic_of(job("running", **subject)) == topic


def test_what_is_kept_of_an_error() -> None:
    kept = trouble_of(InputError("it is no name", expected="letters", where="name", next_step="Write letters."))
    assert (kept["found"], kept["expected"], kept["where"], kept["next_step"]) == (
        "it is no name",
        "letters",
        "name",
        "Write letters.",
    )
    assert not {"finding", "inside"} & kept.keys()
    assert trouble_of(refusals.empty())["finding"]["code"] == "image.empty"
    several = trouble_of(refusals.several("zip", [("a.img", 5), ("b.img", 6)]))
    assert several["inside"] == [["a.img", 5], ["b.img", 6]]
    assert several["finding"]["code"] == "image.several"
