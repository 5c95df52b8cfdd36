"""Cards for no deployment: read back, tested, cleared, by the rules of every other writer; what was proven on them ends before their first byte."""

from __future__ import annotations

import asyncio
import hashlib
import shutil
import subprocess
import threading
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.test import Client
from django.utils import timezone

from mintseed import wiring
from mintseed.core.card.progress import Phase, Progress
from mintseed.server.done.card_orders import remove_stray_backups
from mintseed.server.done.card_work import stored_as
from mintseed.server.done.jobs.heartbeat import Heartbeat
from mintseed.server.doors.roles import may
from mintseed.server.kept.models import CardWork, DriveLease, Job, LogEntry, ReportedDrive, Write
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


# proven again


def backing(serial: str = CARD_SERIAL) -> Path:
    name = next(r.drive["name"] for r in ReportedDrive.objects.all() if r.drive["serial"] == serial)
    return wiring.config().bench_folder.cards / f"{name}.img"


def proven_again(api: Api) -> dict[str, Any]:
    asked(api, "prove")
    work()
    done: dict[str, Any] = api.get("/cards")["works"][0]
    return done


def test_a_card_that_holds_what_was_written_is_said_to(api: Api) -> None:
    pk = written(api)
    assert proven_again(api)["finding"]["code"] == "card.holds-as-written"
    assert api.get(f"/deployments/{pk}/card")["proven"]


def test_one_byte_anywhere_ends_the_proof_of_a_card_that_was_in_no_board(api: Api) -> None:
    """No sample finds it for sure; reading all of it does."""
    pk = written(api)
    length = Write.objects.get().written_bytes
    at = length - 70_001
    with backing().open("r+b") as file:
        file.seek(at)
        byte = file.read(1)
        file.seek(at)
        file.write(bytes([byte[0] ^ 1]))
    done = proven_again(api)
    assert (done["finding"]["code"], done["finding"]["severity"]) == ("card.changed-unbooted", "stop")
    shown = api.get(f"/deployments/{pk}/card")
    assert not shown["proven"]
    assert "read again" in shown["void_why"]


def test_a_booted_card_is_otherwise_and_that_is_said_as_ordinary(api: Api) -> None:
    pk = written(api)
    api.post(f"/deployments/{pk}/boot/power-on")
    api.post(f"/deployments/{pk}/boot/power-off")
    report()
    with backing().open("r+b") as file:
        file.seek(Write.objects.get().written_bytes - 5)
        file.write(b"lived")
    done = proven_again(api)
    assert (done["finding"]["code"], done["finding"]["severity"]) == ("card.lived-with", "note")
    assert Write.objects.get().void_at is None


def test_a_card_nobody_wrote_here_is_said_to_be_unknown(api: Api) -> None:
    assert "nothing on record" in proven_again(api)["job"]["trouble"]


# waiting


BEAT = Heartbeat._write
"""as it is; for tests it is taken out, since their transaction is open"""


def test_work_waits_while_a_person_wants_it_and_goes_on(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing more goes to the card meanwhile."""
    small_card()
    asked(api, "test")
    row = CardWork.objects.get()
    held: list[int] = []
    went_on: list[int] = []
    real = Heartbeat.tell

    def tell(heartbeat: Heartbeat, progress: Progress) -> None:
        if progress.phase is not Phase.FILLING_ROOM or went_on:
            return real(heartbeat, progress)
        api.post(f"/cards/work/{row.pk}/pause", {"paused": True})
        BEAT(heartbeat)
        assert reader(api)["work"]["job"]["paused"]
        path = backing()
        before = path.stat().st_blocks

        def go_on() -> None:
            held.append(path.stat().st_blocks - before)
            heartbeat._paused.clear()

        threading.Timer(0.8, go_on).start()
        real(heartbeat, progress)
        went_on.append(len(held))
        return None

    monkeypatch.setattr(Heartbeat, "tell", tell)
    work()
    assert held == [0]
    assert went_on == [1], "it went on when it was let, not before"
    assert api.get("/cards")["works"][0]["finding"]["code"] == "card.room-holds"


def test_the_rate_leaves_out_the_waiting(api: Api) -> None:
    asked(api, "clear")
    heartbeat = Heartbeat(Job.objects.get())
    heartbeat.tell(Progress(Phase.WRITING, 10, 100, 1.0))
    heartbeat._paused.set()
    threading.Timer(0.8, heartbeat._paused.clear).start()
    heartbeat.tell(Progress(Phase.WRITING, 20, 100, 2.0))
    heartbeat.tell(Progress(Phase.WRITING, 30, 100, 3.8))
    assert heartbeat._latest is not None
    assert heartbeat._latest.elapsed_s <= 3.8 - 0.8
    heartbeat.tell(Progress(Phase.READING_BACK, 10, 100, 1.0))
    assert heartbeat._latest.elapsed_s == 1.0


def test_work_that_waits_can_be_stopped(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    small_card()
    asked(api, "test")
    row = CardWork.objects.get()
    real = Heartbeat.tell

    def tell(heartbeat: Heartbeat, progress: Progress) -> None:
        api.post(f"/cards/work/{row.pk}/pause", {"paused": True})
        api.post(f"/cards/work/{row.pk}/stop")
        BEAT(heartbeat)
        real(heartbeat, progress)

    monkeypatch.setattr(Heartbeat, "tell", tell)
    work()
    assert "stopped by you" in api.get("/cards")["works"][0]["job"]["trouble"]


def test_a_drive_that_just_came_is_pointed_out(api: Api) -> None:
    rows = list(ReportedDrive.objects.order_by("pk"))
    now = timezone.now()
    ReportedDrive.objects.update(appeared_at=now - timedelta(seconds=60))
    assert not any(r["drive"]["just_came"] for r in api.get("/cards")["readers"]), "they all came at once"
    ReportedDrive.objects.filter(drive__serial=OTHER_CARD_SERIAL).update(appeared_at=now)
    assert [r["drive"]["serial"] for r in api.get("/cards")["readers"] if r["drive"]["just_came"]] == [
        OTHER_CARD_SERIAL
    ]
    ReportedDrive.objects.filter(drive__serial=OTHER_CARD_SERIAL).update(appeared_at=now - timedelta(minutes=5))
    ReportedDrive.objects.exclude(drive__serial=OTHER_CARD_SERIAL).update(appeared_at=now - timedelta(hours=1))
    assert not any(r["drive"]["just_came"] for r in api.get("/cards")["readers"]), "that is a while ago"
    assert len(rows) > 1


def test_a_file_that_a_dead_worker_left_goes_and_a_whole_one_stays(api: Api) -> None:
    asked(api, "back-up")
    folder = wiring.config().home / "backups"
    folder.mkdir(exist_ok=True)
    row, now = CardWork.objects.get(), timezone.now()
    half = folder / stored_as(row)
    half.write_bytes(b"a network's key")
    assert remove_stray_backups(now) == 0, "it is being made"
    Job.objects.filter(card_work=row).update(state=Job.State.FAILED)
    assert remove_stray_backups(now) == 1
    assert not half.exists()
    written(api)
    asked(api, "back-up")
    work()
    assert remove_stray_backups(now + timedelta(days=400)) == 0
    assert len(list(folder.iterdir())) == 1
