"""What open screens are told: that something changed, exactly of what, and never a secret; and the bells that wake processes."""

from __future__ import annotations

import asyncio
import os
from datetime import timedelta
from pathlib import Path

import pytest
from django.utils import timezone

from mintseed import wiring
from mintseed.server.done.agent.drives import report_drives
from mintseed.server.doors import stream
from mintseed.server.judged.changes import EVERYTHING, KEPT_FOR, LATE_COMMITS, Tail, changed, forget_changes
from mintseed.server.kept import bells
from mintseed.server.kept.bells import Bell, ring_now
from mintseed.server.kept.models import Change, Site
from mintseed.server.start import welcome
from tests.server.conftest import Api, started, work


def said() -> list[str]:
    """Return the topics said so far, and forget them."""
    topics = list(Change.objects.order_by("pk").values_list("topic", flat=True))
    Change.objects.all().delete()
    return topics


def test_a_change_names_its_deployment_and_a_look_says_nothing(api: Api) -> None:
    pk = started(api)
    said()
    api.get(f"/deployments/{pk}/plan")
    api.get("/bench")
    assert said() == []
    api.put(f"/deployments/{pk}/plan", {"name": "Another name"})
    assert set(said()) == {f"deployment/{pk}"}


def test_a_passphrase_that_is_shown_is_nobody_elses_business(api: Api) -> None:
    pk = started(api)
    said()
    api.post(f"/deployments/{pk}/settings/passphrase")
    network = Site.objects.get().wifi.first()
    assert network is not None
    api.post(f"/networks/{network.pk}/passphrase")
    assert said() == []


def test_what_one_plan_takes_the_others_hear_of_at_once(api: Api) -> None:
    pk = started(api)
    units = api.get(f"/deployments/{pk}/plan")["units"]
    said()
    api.put(f"/deployments/{pk}/plan", {"board_unit_id": units[-1]["id"]})
    assert "taken" in said()
    api.put(f"/deployments/{pk}/plan", {"load_share": 0.2})
    assert "taken" not in said()


def test_a_text_that_is_only_judged_changes_nothing_and_tells_nobody(api: Api) -> None:
    said()
    for kind in ("recipe", "board", "part"):
        api.post(f"/texts/{kind}/check", {"text": "nothing much"})
    assert said() == []


def test_what_bears_on_all_is_said_to_all(api: Api) -> None:
    said()
    api.post("/sites", {"name": "Another place"})
    assert EVERYTHING in said()


def test_what_is_refused_changes_nothing(api: Api) -> None:
    pk = started(api)
    said()
    assert api.call("put", f"/deployments/{pk}/plan", {"card_gb": 7})[0] == 422
    assert said() == []


def test_a_job_says_that_it_moves(api: Api) -> None:
    pk = started(api)
    from tests.server.test_line import card

    api.post(f"/deployments/{pk}/card/write", card())
    said()
    work()
    assert f"deployment/{pk}" in said()


def test_drives_that_stay_as_they_are_are_not_said_again(api: Api) -> None:
    from mintseed.server.done.agent.bench_row import own_bench

    report_drives(own_bench(), timezone.now())
    said()
    report_drives(own_bench(), timezone.now())
    assert said() == []


def test_that_every_address_was_asked_is_said(api: Api) -> None:
    from mintseed.server.done.agent.bench_row import own_bench
    from mintseed.server.done.agent.network_memory import NetworkMemory

    NetworkMemory(own_bench()).remember((), timezone.now())
    said()
    NetworkMemory(own_bench()).remember((), timezone.now(), scanned=True)
    assert said() == ["network"]


@pytest.mark.django_db
def test_what_is_committed_late_is_told_all_the_same() -> None:
    """A transaction that began first may be through last: its row has the lower key."""
    changed("images", "drives")
    first = Change.objects.order_by("pk")[0]
    late = first.topic
    first.delete()
    before = Tail.read(None)
    Change(pk=first.pk, topic=late).save(force_insert=True)
    after = Tail.read(before)
    assert after.topics_since(before) == [late]
    assert Tail.read(after) is after


@pytest.mark.django_db
def test_too_much_at_once_is_everything() -> None:
    before = Tail.read(None)
    Change.objects.bulk_create(Change(topic=f"deployment/{n}") for n in range(LATE_COMMITS + 5))
    # Of a fresh table all is known; of one that ran on, the beginning may be missing.
    changed("drives")
    after = Tail.read(before)
    assert after.topics_since(before) == [EVERYTHING]


@pytest.mark.django_db
@pytest.mark.parametrize(("rows", "told"), [(LATE_COMMITS, "topic/0"), (LATE_COMMITS + 1, EVERYTHING)])
def test_as_much_as_is_looked_at_again_is_told_and_one_more_is_everything(rows: int, told: str) -> None:
    changed("first")
    before = Tail.read(None)
    changed(*(f"topic/{n}" for n in range(rows)))
    after = Tail.read(before)
    assert after.topics_since(before)[0] == told
    assert len(after.rows) == LATE_COMMITS


@pytest.mark.django_db
def test_what_was_forgotten_meanwhile_is_nothing_new() -> None:
    changed("deployment/1", "deployment/2")
    before = Tail.read(None)
    forget_changes(timezone.now() + KEPT_FOR + timedelta(seconds=1))
    after = Tail.read(before)
    assert (after.newest, after.count, after.topics_since(before)) == (before.newest, 0, [])
    changed("deployment/3")
    assert Tail.read(after).topics_since(after) == ["deployment/3"]


@pytest.mark.django_db
def test_what_was_said_long_ago_is_forgotten() -> None:
    Change.objects.all().delete()
    changed("images")
    assert forget_changes(timezone.now() + timedelta(minutes=5)) == 0
    assert forget_changes(timezone.now() + timedelta(minutes=15)) == 1


def test_every_bench_of_a_home_hears_its_agents_bell(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bells, "_path", lambda name: tmp_path / "bells" / name)
    both = [Bell(bells.own_bell(bells.AGENT, name)) for name in ("bench", "workshop")]
    try:
        ring_now(bells.AGENT)
        assert [bell.wait(0) for bell in both] == [True, True]
    finally:
        for bell in both:
            bell.close()


def test_a_demo_that_cannot_be_made_is_said_and_the_address_too(
    api: Api, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def stumbles(desk: object) -> int:
        raise StopIteration  # such as no image that fits, in a damaged library

    monkeypatch.setenv("MINTSEED_PORT", "1")
    monkeypatch.setenv("MINTSEED_HOME", str(wiring.config().home))
    monkeypatch.setattr(welcome, "_wait", lambda: None)
    monkeypatch.setattr(welcome, "_may_want_demo", lambda: True)
    monkeypatch.setattr("mintseed.server.demo.at_work.wanted", lambda: True)
    monkeypatch.setattr("mintseed.server.demo.at_work.make_at_work", stumbles)
    assert welcome.main() == 0
    said = capsys.readouterr().out
    assert "could not be made whole: StopIteration" in said
    assert "Mint Seed is at  http://127.0.0.1:1/" in said


def test_a_bell_wakes_who_waits_and_a_missed_one_harms_nobody(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bells, "_path", lambda name: tmp_path / "bells" / name)
    ring_now("nobody")  # no such bell
    bell = Bell("queue")
    try:
        assert not bell.wait(0.01)
        for _ in range(5000):
            ring_now("queue")  # more than a pipe holds
        assert bell.wait(30)
        assert bell.wait(0.01)  # what was rung while it slept is still to be heard, then it is quiet
        while bell.wait(0):
            pass
        assert not bell.wait(0.01)
    finally:
        bell.close()
    ring_now("queue")  # whoever waited is gone


def test_what_else_wakes_who_waits_is_no_bell(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bells, "_path", lambda name: tmp_path / "bells" / name)
    bell, (there, here) = Bell("queue"), os.pipe()
    try:
        os.write(here, b"!")
        assert not bell.wait(600, (there,))
        ring_now("queue")
        assert bell.wait(600, (there,))
    finally:
        bell.close()
        os.close(there)
        os.close(here)


def test_a_stop_ends_every_open_stream(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(stream.Feed, "_read", lambda self: None)

    async def listen() -> int:
        streams = [stream._events(lambda: True) for _ in range(3)]
        for each in streams:
            assert b"everything" in await anext(each)
        stream.feed.end()
        return sum([1 for each in streams async for _ in each])

    assert asyncio.run(asyncio.wait_for(listen(), 10)) == 0


@pytest.mark.parametrize(
    ("host", "page", "phone"),
    [
        ("127.0.0.1", "http://127.0.0.1:4870/", "Only this machine reaches it"),
        ("0.0.0.0", "http://127.0.0.1:4870/", "http://192.0.2.7:4870/"),
        ("192.0.2.7", "http://192.0.2.7:4870/", "http://192.0.2.7:4870/"),
    ],
)
def test_every_start_says_an_address_that_opens_and_what_a_phone_opens(
    monkeypatch: pytest.MonkeyPatch, host: str, page: str, phone: str
) -> None:
    monkeypatch.setenv("MINTSEED_HOST", host)
    monkeypatch.delenv("MINTSEED_PORT", raising=False)
    monkeypatch.delenv("MINTSEED_TLS_CERT", raising=False)
    monkeypatch.setattr("mintseed.server.doors.address.own_addresses", lambda: ("192.0.2.7",))
    assert welcome._address() == page
    assert phone in welcome._phone_line()
