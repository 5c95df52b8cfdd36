"""Cards for no deployment: read back, tested, cleared, by the rules of every other writer; what was proven on them ends before their first byte."""

from __future__ import annotations

import asyncio
import hashlib
import shutil
import subprocess
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.test import Client
from django.utils import timezone

from mintseed import wiring
from mintseed.server.doors.roles import may
from mintseed.server.kept.models import CardWork, DriveLease, Job, LogEntry, Write
from tests.server.conftest import CARD_SERIAL, OTHER_CARD_SERIAL, Api, card, report, started, work
from tests.server.test_copies import pieces
from tests.server.test_proofs import small_card


@pytest.fixture(autouse=True)
def no_backups_left() -> Iterator[None]:
    yield
    shutil.rmtree(wiring.config().home / "backups", ignore_errors=True)


def asked(api: Api, does: str, serial: str = CARD_SERIAL, **more: object) -> dict[str, Any]:
    return api.post("/cards/work", {**card(serial), "does": does, **more}) or {}


def reader(api: Api, serial: str = CARD_SERIAL) -> dict[str, Any]:
    return next(r for r in api.get("/cards")["readers"] if r["drive"]["serial"] == serial)


def written(api: Api, serial: str = CARD_SERIAL) -> int:
    pk = started(api)
    api.post(f"/deployments/{pk}/card/write", card(serial))
    work()
    assert api.get(f"/deployments/{pk}/card")["proven"]
    return pk


def sent(api: Api, pk: int) -> bytes:
    response = Client().get(f"/api/cards/work/{pk}/file")
    assert response.status_code == 200, response.content
    return b"".join(asyncio.run(pieces(response)))  # type: ignore[arg-type]


def test_a_card_is_read_back_into_a_file_that_its_checksum_fits_and_stays_proven(api: Api, tmp_path: Path) -> None:
    pk = written(api)
    going = next(r for r in asked(api, "back-up")["readers"] if r["drive"]["serial"] == CARD_SERIAL)
    assert going["work"]["job"]["active"]
    assert "Card of" in going["work"]["whose"]
    work()
    done = api.get("/cards")["works"][0]
    assert done["done_at"]
    assert done["backup"]["there"]
    name = done["backup"]["file_name"]
    (tmp_path / name).write_bytes(sent(api, done["id"]))
    listed = Client().get(f"/api/cards/work/{done['id']}/checksum")
    (tmp_path / "list").write_bytes(listed.content)
    # Source: sha256sum(1) -c, zstd(1), and the BLAKE3 of the write itself.
    subprocess.run(["sha256sum", "-c", "list"], cwd=tmp_path, check=True, capture_output=True)
    assert hashlib.sha256((tmp_path / name).read_bytes()).hexdigest() == done["backup"]["sha256"]
    assert api.get(f"/deployments/{pk}/card")["proven"], "reading changes nothing"
    assert LogEntry.objects.filter(event="card.back-up").count() == 1

    api.post(f"/cards/work/{done['id']}/remove")
    assert not api.get("/cards")["works"][0]["backup"]["there"]
    assert Client().get(f"/api/cards/work/{done['id']}/file").status_code == 404
    assert not list((wiring.config().home / "backups").iterdir())


@pytest.mark.parametrize("does", ["clear", "test"])
def test_what_was_proven_on_a_card_ends_when_it_is_taken(api: Api, does: str) -> None:
    small_card()
    pk = written(api)
    asked(api, does)
    assert api.get(f"/deployments/{pk}/card")["proven"], "nothing happened to it yet"
    work()
    shown = api.get(f"/deployments/{pk}/card")
    assert not shown["proven"]
    assert ("cleared" if does == "clear" else "tested") in shown["void_why"]
    assert reader(api)["drive"]["whose"] == ""
    done = api.get("/cards")["works"][0]
    assert done["finding"]["severity"] == "ok"
    # The same card is written again as any other.
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    assert api.get(f"/deployments/{pk}/card")["proven"]


def test_a_card_that_says_more_than_it_has_is_found_out_without_an_image(api: Api) -> None:
    small_card(wraps_at_bytes=160 * 10**6)
    asked(api, "test")
    work()
    done = api.get("/cards")["works"][0]
    assert (done["finding"]["code"], done["finding"]["severity"]) == ("card.holds-less", "stop")


def test_it_is_picked_twice_and_one_at_a_time(api: Api) -> None:
    status, said = api.call("post", "/cards/work", {**card(), "does": "clear", "again": "/dev/other"})
    assert (status, "second pick" in said["title"]) == (409, True)
    status, said = api.call("post", "/cards/work", {**card(), "does": "clear", "serial": "X"})
    assert (status, "another drive" in said["title"]) == (409, True)
    assert api.call("post", "/cards/work", {**card(), "does": "clear", "drive_id": 999_999})[0] == 404
    assert api.call("post", "/cards/work", {**card(), "does": "burn"})[0] == 422
    asked(api, "back-up")
    for does in ("back-up", "clear", "test"):
        status, said = api.call("post", "/cards/work", {**card(), "does": does})
        assert (status, "in use for its backup" in said["title"]) == (409, True)
    pk = started(api)
    status, said = api.call("post", f"/deployments/{pk}/card/write", card())
    assert (status, "in use already, for its backup" in said["title"]) == (409, True)
    # Another reader is free.
    api.post(f"/deployments/{pk}/card/write", card(OTHER_CARD_SERIAL))
    status, said = api.call("post", "/cards/work", {**card(OTHER_CARD_SERIAL), "does": "clear"})
    assert status == 409
    work()
    assert api.get(f"/deployments/{pk}/card")["proven"]


def test_stopped_or_dead_it_says_what_it_leaves(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    asked(api, "clear")
    row = CardWork.objects.get()
    api.post(f"/cards/work/{row.pk}/stop")
    done = api.get("/cards")["works"][0]
    assert (done["done_at"], "before it began" in done["job"]["trouble"]) == (None, True)
    asked(api, "clear")
    row = CardWork.objects.latest("pk")
    now = timezone.now()
    CardWork.objects.filter(pk=row.pk).update(began_at=now)
    Job.objects.filter(card_work=row).update(
        state=Job.State.RUNNING, started_at=now, heartbeat_at=now - timedelta(minutes=1)
    )
    done = api.get("/cards")["works"][0]
    assert "what was on the card is gone" in done["job"]["trouble"]
    # The drive is free for others.
    asked(api, "clear")
    work()
    assert api.get("/cards")["works"][0]["finding"]["code"] == "card.cleared"


def test_it_counts_for_nothing_once_the_drive_was_handed_on(api: Api) -> None:
    asked(api, "clear")
    DriveLease.objects.update(number=77)
    work()
    done = api.get("/cards")["works"][0]
    assert (done["finding"], done["done_at"]) == (None, None)
    assert "handed to other work" in done["job"]["trouble"]


def test_another_card_in_the_reader_is_left_alone(api: Api) -> None:
    asked(api, "clear")
    CardWork.objects.update(drive_size_bytes=5)
    work()
    assert "another card is in the reader now" in api.get("/cards")["works"][0]["job"]["trouble"]
    assert not CardWork.objects.exclude(began_at=None).exists()


def test_one_broken_row_spoils_itself_alone(api: Api) -> None:
    asked(api, "clear")
    work()
    CardWork.objects.update(findings={"torn": 1})
    asked(api, "clear")
    work()
    first, second = api.get("/cards")["works"]
    assert (first["finding"]["code"], second["finding"]) == ("card.cleared", None)


def test_a_pretend_card_is_not_tested_beyond_this_disk(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("mintseed.server.done.card_orders.free_bytes", lambda: 10**9)
    status, said = api.call("post", "/cards/work", {**card(), "does": "test"})
    assert (status, "pretend card" in said["title"]) == (409, True)


def test_who_only_looks_is_not_handed_a_card() -> None:
    for role, allowed in (("look", False), ("bench", True), ("owner", True)):
        assert may(role, "GET", "/api/cards/work/7/file") is allowed  # type: ignore[arg-type]
        assert may(role, "POST", "/api/cards/work") is allowed  # type: ignore[arg-type]
    assert may("look", "GET", "/api/cards")


def test_writes_are_of_deployments_and_backups_of_nobody(api: Api) -> None:
    """A job has exactly one subject."""
    asked(api, "back-up")
    assert Write.objects.count() == 0
    assert Job.objects.get().card_work is not None
    report()
