"""Nothing grows without bound: the owner says how long, and what is older goes. Names of files are exact."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.contrib.sessions.models import Session
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from mintseed import wiring
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.errors import InputError
from mintseed.server.judged import keeping
from mintseed.server.judged.journal import record
from mintseed.server.judged.keeping import let_go
from mintseed.server.kept.models import Deployment, Image, Job, LogEntry, StationRecord
from mintseed.server.owned.library import strangers, sync_library
from tests.server.conftest import Api, started


def test_what_is_older_than_the_owner_keeps_it_goes(api: Api) -> None:
    pk = started(api)
    rules = api.put("/keeping", {"log_days": 30, "jobs_days": 5, "copy_hours": 1})
    assert rules == api.get("/keeping")
    now = timezone.now()
    old = LogEntry.objects.create(event="x", text="long ago", at=now - timedelta(days=31))
    Job.objects.create(kind="build-images", state="done", created_at=now - timedelta(days=6))
    waiting = Job.objects.create(kind="build-images", state="running", created_at=now - timedelta(days=6))
    replaced = StationRecord.objects.filter(deployment_id=pk).first()
    assert replaced is not None
    StationRecord.objects.filter(pk=replaced.pk).update(current=False, at=now - timedelta(days=6))
    gone = let_go(now)
    assert (gone["log lines"], gone["jobs"], gone["judgements"]) == (1, 1, 1)
    assert not LogEntry.objects.filter(pk=old.pk).exists()
    assert Job.objects.filter(pk=waiting.pk).exists()
    assert not any(let_go(now).values())


def test_what_is_younger_or_holds_stays(api: Api) -> None:
    pk, now = started(api), timezone.now()
    api.put("/keeping", {"log_days": 30, "jobs_days": 5, "copy_hours": 1})
    LogEntry.objects.create(event="x", text="lately", at=now - timedelta(days=29))
    Job.objects.create(kind="build-images", state="done", created_at=now - timedelta(days=4))
    # However old: what a screen shows of a device now is no replaced judgement.
    StationRecord.objects.filter(deployment_id=pk, current=True).update(at=now - timedelta(days=400))
    holds = StationRecord.objects.filter(deployment_id=pk, current=True).count()
    ended = {"task_path": "a.b", "args_kwargs": {}, "backend_name": "default", "run_after": now, "status": "SUCCESSFUL"}
    for days in (1, 3):
        DBTaskResult.objects.create(**ended, finished_at=now - timedelta(days=days))
    for key, hours in (("over", -1), ("goes-on", 1)):
        Session.objects.create(session_key=key, session_data="", expire_date=now + timedelta(hours=hours))
    gone = {name: count for name, count in let_go(now).items() if count}
    assert gone == {"tasks": 1, "sessions": 1}
    assert StationRecord.objects.filter(deployment_id=pk, current=True).count() == holds > 0
    assert Session.objects.get().session_key == "goes-on"
    assert DBTaskResult.objects.get().finished_at == now - timedelta(days=1)


def test_no_turn_removes_more_than_a_number(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(keeping, "MOST_AT_ONCE", 3)
    now = timezone.now()
    LogEntry.objects.bulk_create(
        LogEntry(event="x", text=f"line {n}", at=now - timedelta(days=36_600)) for n in range(5)
    )
    assert [let_go(now)["log lines"] for _ in range(3)] == [3, 2, 0]


@pytest.mark.parametrize(("name", "least", "most"), [(n, *limits) for n, limits in keeping.LIMITS.items()])
def test_a_rule_has_its_limits(db: None, name: str, least: int, most: int) -> None:
    for value in (least, most):
        assert getattr(keeping.change_keeping({name: value}), name) == value
    for value in (least - 1, most + 1):
        with pytest.raises(InputError) as refused:
            keeping.change_keeping({name: value})
        assert (refused.value.where, refused.value.expected) == (name, f"{least} to {most}")
        assert str(value) in refused.value.found
    assert getattr(keeping.keeping(), name) == most


def test_the_record_of_a_device_comes_page_by_page(api: Api) -> None:
    pk = started(api)
    row = Deployment.objects.get(pk=pk)
    for number in range(250):
        record(row, "plan", "x", f"line {number}")
    first = api.get(f"/deployments/{pk}/keep")
    assert [e["text"] for e in first["log"]] == [f"line {n}" for n in range(150, 250)]
    page = api.get(f"/log?deployment={pk}&before={first['older_before']}")
    assert [e["text"] for e in page["lines"]] == [f"line {n}" for n in reversed(range(50, 150))]


def test_names_that_differ_in_case_accents_or_bytes_are_files_of_their_own(
    api: Api, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    import os

    Image.objects.all().delete()
    names = [b"a.img", b"A.img", "ä.img".encode(), "a\u0308.img".encode(), b"\xff.img", b"\xfe.img", b"x\ny'\".img", b"y" * 251 + b".img"]  # fmt: skip
    for name in names:
        (tmp_path / os.fsdecode(name)).write_bytes(b"x")
    (tmp_path / "out.img").symlink_to("/etc/hostname")
    outside = wiring.bench()
    fields: dict[str, Any] = {f: getattr(outside, f) for f in outside.__dataclass_fields__}
    other = type(outside)(**{**fields, "library": LibraryFolder(tmp_path, tmp_path / "scratch")})
    monkeypatch.setattr(wiring, "bench", lambda name="": other)
    listed = api.get("/images")
    assert len(listed["images"]) == len(names) == Image.objects.count()
    assert [f["title"] for f in listed["findings"]] == ["out.img is not read"]
    assert {i["file_name"] for i in api.get("/images")["images"]} == {i["file_name"] for i in listed["images"]}
    assert r"\xff.img" in {i["file_name"] for i in listed["images"]}
    for image in sync_library():
        api.post(f"/images/{image.pk}/read")
    from tests.server.conftest import work

    work()
    assert all("x.img" not in i["trouble"] and i["trouble"] for i in api.get("/images")["images"])
    assert len(strangers()) == 1


def test_a_write_that_failed_stays_said_when_its_job_was_let_go(api: Api) -> None:
    from mintseed.server.judged.load import load
    from mintseed.server.kept.models import Write
    from tests.server.conftest import card

    pk = started(api)
    api.post(f"/deployments/{pk}/card/write", card())
    api.post(f"/deployments/{pk}/card/stop")
    said = load(pk).walk.inputs.write
    assert (said.trouble, said.never_began) == ("", "Stopped by you before it began.")
    Job.objects.all().delete()
    assert load(pk).walk.inputs.write.never_began == "Stopped by you before it began."
    Write.objects.filter(deployment_id=pk).update(
        trouble={"code": "outside", "sentence": "The card went away."}, outcome="failed", started_at=timezone.now()
    )
    assert load(pk).walk.inputs.write.trouble == "The card went away."
