"""The watch: looks for powered boards whether or not a browser is open, and keeps what it saw."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.core.management import call_command
from django.utils import timezone

from mintseed import wiring
from mintseed.core.find.candidates import PageAnswer
from mintseed.server.library import identity_of, sync_library
from mintseed.server.management.commands.watch import look_once
from mintseed.server.models import BoardUnit, Deployment, LogEntry, Site
from mintseed.standins.bench import mac_of
from mintseed.standins.router.leases import LeaseBook
from tests.server.conftest import CARD, Api, started, work


def powered(api: Api, host_name: str = "press") -> Deployment:
    pk = started(api, host_name=host_name)
    api.post(f"/deployments/{pk}/card/write", CARD)
    work()
    api.post(f"/deployments/{pk}/boot/power-on")
    return Deployment.objects.get(pk=pk)


def joins(row: Deployment, host_name: str) -> str:
    return LeaseBook(wiring.config().bench_folder, "127.77.5.0/24").give(mac_of(f"unit-{row.board_unit_id}"), host_name)


@pytest.fixture(autouse=True)
def silent_pages(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(type(wiring.bench().probe), "get", lambda self, url: PageAnswer(url, 0, trouble="not yet"))


def test_a_board_that_joins_is_noted_once(api: Api) -> None:
    row = powered(api)
    look_once()
    row.refresh_from_db()
    assert row.joined_after_s is None
    address = joins(row, "press")
    look_once()
    look_once()
    row.refresh_from_db()
    assert row.joined_after_s is not None
    assert LogEntry.objects.filter(deployment=row, event="boot.joined").count() == 1
    bench = api.get("/bench")
    assert bench["newcomers"][0]["address"] == address
    assert bench["newcomers"][0]["likely"] == "Reading-room press"


def test_a_look_that_began_before_a_power_off_says_nothing_of_the_next_boot(api: Api) -> None:
    from mintseed.server.looking import look_for
    from mintseed.server.walk import load_walk

    row = powered(api)
    walk = load_walk(row.pk)
    joins(row, "press")
    api.post(f"/deployments/{row.pk}/boot/power-off")
    look_for(walk)
    row.refresh_from_db()
    assert (row.joined_after_s, row.candidates) == (None, "")


def test_a_late_board_is_noted_once_and_still_looked_for(api: Api) -> None:
    row = powered(api)
    late = timezone.now() - timedelta(seconds=400 / wiring.bench().clock.boot_pace)
    Deployment.objects.filter(pk=row.pk).update(powered_at=late)
    look_once()
    look_once()
    assert LogEntry.objects.filter(deployment=row, event="boot.late").count() == 1
    joins(row, "press")
    look_once()
    row.refresh_from_db()
    assert row.joined_after_s is not None
    assert row.joined_after_s >= 400


def test_claimed_and_dark_boards_are_left_alone(api: Api) -> None:
    row = powered(api)
    Deployment.objects.filter(pk=row.pk).update(address="127.77.5.99")
    look_once()
    row.refresh_from_db()
    assert row.looked_at is None


def test_a_board_can_run_one_deployment_at_a_time(api: Api) -> None:
    powered(api)
    second = started(api, host_name="second")
    other_card = {"path": "/dev/pdc", "serial": "QH-C16-02", "again": "QH-C16-02"}
    api.post(f"/deployments/{second}/card/write", other_card)
    work()
    status, problem = api.call("post", f"/deployments/{second}/boot/power-on")
    assert status == 409
    assert "runs Reading-room press now" in problem["title"]


def test_seeding_twice_is_seeding_once(api: Api) -> None:
    call_command("seed")
    call_command("seed")
    assert Site.objects.count() == 1
    assert BoardUnit.objects.count() == 5
    assert LogEntry.objects.filter(event="demo.loaded").count() == 1
    assert len(sync_library()) == 5


def test_a_download_is_known_by_its_name() -> None:
    assert identity_of("platen-3.2-64.img.xz") == {"recipe": "platen", "release": "3.2", "build": "64-bit"}
    assert identity_of("platen-3.2-64 (1).img.xz") == {}
