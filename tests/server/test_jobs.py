"""Jobs that end well, badly, by hand, or by dying. A card is never shown as written when it is not."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from django.db import DatabaseError, IntegrityError, transaction
from django.db.models import QuerySet
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from mintseed import wiring
from mintseed.core.card.progress import Phase, Progress
from mintseed.core.errors import OutsideError, StoppedError
from mintseed.server.done.jobs.heartbeat import Heartbeat
from mintseed.server.done.jobs.tasks import write_card_task
from mintseed.server.judged.job_state import DEAD_AFTER_S, is_active, is_dead
from mintseed.server.kept.models import Bench, Deployment, DriveLease, Image, Job, LogEntry, Write
from mintseed.server.owned.library import sync_library
from mintseed.server.start.carried import find_waiting_tasks
from mintseed.services import write_card
from tests.server.conftest import CARD_SERIAL, OTHER_CARD_SERIAL, Api, card, report, started, work


def begun(api: Api) -> tuple[int, Job]:
    pk = started(api)
    api.post(f"/deployments/{pk}/card/write", card())
    return pk, Job.objects.filter(write__deployment_id=pk).latest("pk")


def not_written(api: Api, pk: int) -> str:
    """Assert that the card of `pk` does not count as written, and return what is said about it."""
    shown = api.get(f"/deployments/{pk}/card")
    assert not shown["proven"]
    assert not shown["job"]["active"]
    line = shown["deployment"]["line"]
    assert (line["now"], line["marks"][3]["mark"]) == ("card", "stop")
    return str(shown["job"]["trouble"])


def test_a_worker_that_dies_is_seen_within_seconds(api: Api) -> None:
    pk, job = begun(api)
    now = timezone.now()
    Job.objects.filter(pk=job.pk).update(state=Job.State.RUNNING, started_at=now, heartbeat_at=now)
    assert api.get(f"/deployments/{pk}/card")["job"]["active"]
    Job.objects.filter(pk=job.pk).update(heartbeat_at=now - timedelta(seconds=DEAD_AFTER_S + 1))
    assert "worker died" in not_written(api, pk)
    # The walk goes on: a second write is taken and proves the card.
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    assert api.get(f"/deployments/{pk}/card")["current"]


def test_what_an_older_version_queued_is_taken_up(api: Api) -> None:
    begun(api)
    queued = DBTaskResult.objects.filter(task_path=write_card_task.module_path)
    waiting = queued.count()
    queued.update(task_path="mintseed.server.jobs.tasks.write_card_task")  # where it lay then
    assert find_waiting_tasks() == waiting > 0
    assert queued.latest("enqueued_at").task.func is write_card_task.func
    assert find_waiting_tasks() == 0


def test_an_old_proof_is_gone_as_soon_as_a_write_begins_and_not_while_it_waits(
    api: Api, monkeypatch: pytest.MonkeyPatch
) -> None:
    pk, _ = begun(api)
    work()
    seen: list[bool] = []
    during(monkeypatch, lambda heartbeat: seen.append(api.get(f"/deployments/{pk}/card")["proven"]))
    api.post(f"/deployments/{pk}/card/write", card())
    waiting = api.get(f"/deployments/{pk}/card")
    assert (waiting["proven"], waiting["job"]["active"]) == (True, True)
    work()
    assert seen
    assert not any(seen)
    assert api.get(f"/deployments/{pk}/card")["proven"]


def test_a_write_that_was_stopped_while_it_waited_changed_nothing(api: Api) -> None:
    pk, _ = begun(api)
    work()
    first = Write.objects.get(deployment_id=pk)
    api.post(f"/deployments/{pk}/card/write", card())
    api.post(f"/deployments/{pk}/card/stop")
    work()
    shown = api.get(f"/deployments/{pk}/card")
    assert (shown["proven"], shown["current"], shown["digest"]) == (True, True, first.digest)
    assert shown["findings"][0]["code"] == "card.never-began"
    assert "Stopped by you before it began" in shown["findings"][0]["detail"]
    assert shown["deployment"]["line"]["now"] == "boot"
    assert [w["outcome"] for w in shown["writes"]] == ["stopped", "proven"]


def test_a_bench_that_is_at_as_many_cards_as_it_can_says_so_at_once(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("mintseed.server.done.writing.CARDS_AT_ONCE", 1)
    begun(api)
    other = started(api, host_name="second")
    status, problem = api.call("post", f"/deployments/{other}/card/write", card(OTHER_CARD_SERIAL))
    assert (status, "side by side, for Reading-room press" in problem["title"]) == (409, True)
    work()
    api.post(f"/deployments/{other}/card/write", card(OTHER_CARD_SERIAL))


def test_a_bench_that_gives_no_sign_of_life_writes_nothing_until_it_does(api: Api) -> None:
    pk = started(api)
    Bench.objects.update(seen_at=timezone.now() - timedelta(days=1))
    picked = card()
    for path, body in ((f"/deployments/{pk}/card/write", picked), ("/cards/work", {**picked, "does": "clear"})):
        status, problem = api.call("post", path, body)
        assert (status, "worker of bench does not answer" in str(problem)) == (409, True)
    assert not Job.objects.exists()
    report()
    api.post(f"/deployments/{pk}/card/write", card())


def test_a_card_taken_for_another_deployment_is_no_longer_the_firsts(api: Api) -> None:
    first, _ = begun(api)
    work()
    second = started(api, host_name="second")
    api.post(f"/deployments/{second}/card/write", card())
    work()
    assert not api.get(f"/deployments/{first}/card")["proven"]
    assert api.get(f"/deployments/{second}/card")["proven"]


def fault(**faults: int) -> None:
    folder = wiring.config().bench_folder
    listed = folder.read(folder.drives_file)
    folder.write(folder.drives_file, [{**d, "faults": faults if d["serial"] == CARD_SERIAL else {}} for d in listed])


@pytest.mark.parametrize(
    ("faults", "said"),
    [
        ({"gone_after_bytes": 9_000_000}, "gone"),
        ({"full_after_bytes": 9_000_000}, "full"),
        ({"flips_byte_at": 60_000_000}, "other bytes"),
    ],
)
def test_a_failing_card_says_what_happened(api: Api, faults: dict[str, int], said: str) -> None:
    fault(**faults)
    pk, _ = begun(api)
    work()
    assert said in not_written(api, pk)
    assert LogEntry.objects.filter(deployment_id=pk, event="card.failed").exists()


def test_stopping_before_it_began(api: Api) -> None:
    pk, _ = begun(api)
    api.post(f"/deployments/{pk}/card/stop")
    work()
    shown = api.get(f"/deployments/{pk}/card")
    assert (shown["proven"], shown["job"]["active"]) == (False, False)
    # Nothing says that it was written, or that a card is spoilt.
    assert shown["deployment"]["line"]["marks"][3]["mark"] == "now"
    assert "not usable" not in str(shown)


def during(monkeypatch: pytest.MonkeyPatch, happens: Callable[[Heartbeat], None]) -> None:
    """Let something happen in the middle of the next write."""
    real = Heartbeat.tell

    def tell(self: Heartbeat, progress: Progress) -> None:
        if progress.phase is Phase.WRITING and progress.done_bytes > 20_000_000:
            happens(self)
        real(self, progress)

    monkeypatch.setattr(Heartbeat, "tell", tell)


def test_stopping_in_the_middle(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    during(monkeypatch, lambda heartbeat: heartbeat._stop_asked.set())
    pk, job = begun(api)
    work()
    assert "stopped by you" in not_written(api, pk)
    assert Job.objects.get(pk=job.pk).state == Job.State.STOPPED


def test_a_database_that_goes_away_ends_the_write(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    during(monkeypatch, lambda heartbeat: heartbeat._database_gone.set())
    pk, _ = begun(api)
    work()
    assert "database stopped answering" in not_written(api, pk)


def test_settings_that_change_before_writing_begins_are_refused(api: Api) -> None:
    pk, _ = begun(api)
    Deployment.objects.filter(pk=pk).update(host_name="changed-meanwhile")
    work()
    assert "changed before writing began" in not_written(api, pk)


def test_one_card_is_written_once_at_a_time(api: Api) -> None:
    pk, _ = begun(api)
    status, problem = api.call("post", f"/deployments/{pk}/card/write", card())
    assert (status, "already" in problem["title"]) == (409, True)
    # While it is written, nothing it depends on may change.
    for path, body in (
        ("plan", {"card_gb": 16}),
        ("settings", {"host_name": "x"}),
        ("image", {"image_id": Image.objects.first().pk}),
    ):  # type: ignore[union-attr]
        assert api.call("put", f"/deployments/{pk}/{path}", body)[0] == 409
    assert api.call("delete", f"/deployments/{pk}")[0] == 409


def test_an_image_that_cannot_be_read_says_why(api: Api) -> None:
    path = wiring.config().library / "torn.img.gz"
    path.write_bytes(b"\x1f\x8b\x08torn")
    try:
        row = next(i for i in api.get("/images")["images"] if i["file_name"] == "torn.img.gz")
        assert row["verdict"] == ""
        api.post(f"/images/{row['id']}/read")
        work()
        image = api.get(f"/images/{row['id']}")
        assert "gzip" in image["image"]["trouble"]
        assert image["image"]["verdict"] == "stop"
        assert image["xray"] is None
    finally:
        path.unlink()


def test_a_file_that_changes_in_the_library_is_to_be_read_again(api: Api) -> None:
    path = wiring.config().library / "growing.img"
    path.write_bytes(b"\0" * 100)
    try:
        pk = next(i["id"] for i in api.get("/images")["images"] if i["file_name"] == "growing.img")
        Image.objects.filter(pk=pk).update(xray="{}", sha256="0" * 64)
        path.write_bytes(b"\0" * 200)
        api.get("/images")
        row = Image.objects.get(pk=pk)
        assert (row.xray, row.sha256, row.size_bytes) == ("", "", 200)
    finally:
        path.unlink()


@pytest.mark.django_db(transaction=True)
def test_the_heartbeat_writes_learns_of_a_stop_and_of_a_lost_database(
    bench: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    job = Job.objects.create(kind=Job.Kind.BUILD_IMAGES, state=Job.State.RUNNING)
    heartbeat = Heartbeat(job)
    heartbeat.tell(Progress(Phase.WRITING, 10, 100, 1.0))
    heartbeat._write()
    job.refresh_from_db()
    assert (job.done_bytes, job.phase, job.rate_bytes_per_s) == (10, "writing", 10.0)
    assert is_active(job, timezone.now())
    assert not is_dead(job, timezone.now())
    Job.objects.filter(pk=job.pk).update(stop_requested=True)
    heartbeat._write()
    with pytest.raises(StoppedError):
        heartbeat.tell(Progress(Phase.WRITING, 11, 100, 1.1))

    def lost(self: Heartbeat) -> None:
        raise DatabaseError("gone away")

    monkeypatch.setattr(Heartbeat, "_write", lost)
    with Heartbeat(job) as second:
        second._thread.join(5)
        with pytest.raises(OutsideError, match="database"):
            second.tell(Progress(Phase.WRITING, 12, 100, 1.2))


def test_a_programming_mistake_ends_the_job_with_a_sentence(
    api: Api, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    def broken(*arguments: object, **named: object) -> None:
        raise RuntimeError("a programming mistake")

    monkeypatch.setattr(write_card, "execute", broken)
    pk, job = begun(api)
    work()
    assert "unforeseen RuntimeError" in not_written(api, pk)
    assert Job.objects.get(pk=job.pk).state == Job.State.FAILED
    assert "a programming mistake" in caplog.text


# One writer a drive, and a proof that cannot outlive its card. Each of these once left two deployments proven on one card.


def proven(*deployments: int) -> list[int]:
    return [pk for pk in deployments if any(w.holds for w in Write.objects.filter(deployment_id=pk))]


def test_written_powered_removed_another_written_restored(api: Api) -> None:
    a, _ = begun(api)
    work()
    api.post(f"/deployments/{a}/boot/power-on")
    report()
    assert api.call("delete", f"/deployments/{a}")[0] == 204
    report()
    b = started(api, host_name="second")
    api.post(f"/deployments/{b}/card/write", card())
    work()
    api.post(f"/deployments/{a}/restore")
    assert proven(a, b) == [b]
    shown = api.get(f"/deployments/{a}/card")
    assert (shown["proven"], "was written on its card" in shown["void_why"]) == (False, True)
    assert api.call("post", f"/deployments/{a}/boot/power-on", {})[0] == 409


def test_a_worker_that_sleeps_through_its_own_death_proves_nothing(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    a, job = begun(api)
    b = started(api, host_name="second")
    real = write_card.execute

    def sleeps(*arguments: Any, **named: Any) -> Any:
        written = real(*arguments, **named)
        # The machine slept here for longer than a worker may be silent, and somebody else was given the drive.
        Job.objects.filter(pk=job.pk).update(heartbeat_at=timezone.now() - timedelta(seconds=DEAD_AFTER_S + 2))
        monkeypatch.setattr(write_card, "execute", real)
        api.post(f"/deployments/{b}/card/write", card())
        return written

    monkeypatch.setattr(write_card, "execute", sleeps)
    write_card_task.func(job.pk)
    assert proven(a, b) == []
    assert "handed to other work" in not_written(api, a)
    work()
    assert proven(a, b) == [b]


def test_a_job_that_waited_too_long_is_asked_about_again(api: Api) -> None:
    a, job = begun(api)
    Job.objects.filter(pk=job.pk).update(created_at=timezone.now() - timedelta(minutes=3))
    work()
    assert "it waited 3 min" in not_written(api, a)
    # And one that nobody took up at all makes room for the next.
    api.post(f"/deployments/{a}/card/write", card())
    second = Job.objects.latest("pk")
    Job.objects.filter(pk=second.pk).update(created_at=timezone.now() - timedelta(minutes=11))
    b = started(api, host_name="second")
    api.post(f"/deployments/{b}/card/write", card())
    write_card_task.func(second.pk)
    work()
    assert proven(a, b) == [b]
    assert Job.objects.get(pk=second.pk).state == Job.State.FAILED


def test_a_drive_has_one_lease_whose_number_only_rises(api: Api) -> None:
    a, _ = begun(api)
    lease = DriveLease.objects.get(path="/dev/pdb")
    assert (lease.number, lease.write.deployment_id) == (1, a)
    b = started(api, host_name="second")
    status, problem = api.call("post", f"/deployments/{b}/card/write", card())
    assert (status, "already" in problem["title"]) == (409, True)
    with pytest.raises(IntegrityError), transaction.atomic():
        DriveLease.objects.create(bench=lease.bench, path=lease.path)
    work()
    api.post(f"/deployments/{b}/card/write", card())
    lease.refresh_from_db()
    assert lease.number == 2


def test_the_device_itself_takes_one_writer(api: Api) -> None:
    """Whatever the database says: a second writer is kept out by a lock on the device (flock(2))."""
    pk, _ = begun(api)
    bench = wiring.bench()
    drive = next(d for d in bench.readers.drives() if d.serial == CARD_SERIAL)
    with bench.readers.open(drive):
        work()
    assert "another writer still holds" in not_written(api, pk)


def test_a_card_changed_behind_our_back_is_not_powered(api: Api) -> None:
    pk, _ = begun(api)
    work()
    backing = wiring.config().bench_folder.cards / "pdb.img"
    with backing.open("r+b") as file:
        file.seek(500)
        file.write(b"somebody else wrote here")
    status, problem = api.call("post", f"/deployments/{pk}/boot/power-on", {})
    assert (status, "no longer stands" in problem["title"]) == (409, True)
    assert "seen changed" in api.get(f"/deployments/{pk}/card")["void_why"]


def test_a_card_put_back_is_told_by_its_bytes(api: Api) -> None:
    a, b = started(api, host_name="first"), started(api, host_name="second")
    api.post(f"/deployments/{a}/card/write", card())
    work()
    api.post(f"/deployments/{b}/card/write", card(OTHER_CARD_SERIAL))
    work()
    # The two cards change places: the readers' serials stay where they are.
    folder = wiring.config().bench_folder
    left, right, aside = folder.cards / "pdb.img", folder.cards / "pdc.img", folder.cards / "aside"
    left.rename(aside)
    right.rename(left)
    aside.rename(right)
    report()
    whose = {d["serial"]: d["whose_deployment_id"] for d in api.get("/bench")["drives"]}
    assert (whose[CARD_SERIAL], whose[OTHER_CARD_SERIAL]) == (b, a)


def test_a_reading_that_is_stopped_leaves_writing_alone(api: Api) -> None:
    image = Image.objects.get(file_name="platen-3.0-64.img.gz")
    api.post(f"/images/{image.pk}/read")
    job = Job.objects.get(image=image)
    pk, _ = begun(api)
    api.post(f"/images/{image.pk}/stop")
    job.refresh_from_db()
    assert job.state == Job.State.STOPPED
    work()
    assert proven(pk) == [pk]
    image.refresh_from_db()
    assert image.xray
    queues = {r.queue_name for r in DBTaskResult.objects.all()}
    assert queues == {"cards-bench", "images-bench"}


def test_a_reading_that_ends_while_somebody_looks_is_not_missed(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    image = Image.objects.get(file_name="platen-3.2-64.img.xz")
    Image.objects.filter(pk=image.pk).update(xray="", read_at=None)
    pk = api.post("/deployments", {"recipe": "platen"})["id"]
    api.put(f"/deployments/{pk}/image", {"image_id": image.pk})

    def read_meanwhile() -> QuerySet[Image]:
        work()
        return sync_library()

    monkeypatch.setattr("mintseed.server.api.image.sync_library", read_meanwhile)
    chosen = api.get(f"/deployments/{pk}/image")["chosen"]
    assert chosen["job"]["state"] == "done"
    assert chosen["xray"] is not None


def test_cards_in_readers_of_their_own_are_written_side_by_side(api: Api) -> None:
    first, _ = begun(api)
    second = started(api)
    api.post(f"/deployments/{second}/card/write", card(OTHER_CARD_SERIAL))
    third = started(api)
    status, refused = api.call("post", f"/deployments/{third}/card/write", card())
    assert (status, f"in use already, for {Deployment.objects.get(pk=first).name}" in refused["title"]) == (409, True)
    work()
    assert proven(first, second) == [first, second]
