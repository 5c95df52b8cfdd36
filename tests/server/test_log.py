"""The log, narrowed and told as a story."""

from __future__ import annotations

from datetime import timedelta

from django.utils import timezone

from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import judge_due
from mintseed.server.kept.models import Change, Deployment, Image, Job, LogEntry
from tests.server.conftest import Api, judged_again, started


def texts(api: Api, query: str = "") -> list[str]:
    return [line["text"] for line in api.get(f"/log?{query}")["lines"]]


def test_each_devices_part_is_by_itself(api: Api) -> None:
    first, second = started(api), api.post("/deployments", {"recipe": "lintel", "name": "Hall hub"})["id"]
    mine = texts(api, f"deployment={first}")
    assert mine
    assert set(mine).isdisjoint(texts(api, f"deployment={second}"))
    assert {"id": second, "name": "Hall hub"} in api.get("/log")["devices"]


def test_by_station_word_and_day(api: Api) -> None:
    pk = started(api)
    row = Deployment.objects.get(pk=pk)
    record(row, "boot", "boot.late", "Late after 5:00")
    LogEntry.objects.filter(event="boot.late").update(at=timezone.now() - timedelta(days=3))
    assert texts(api, "station=boot") == ["Late after 5:00"]
    assert texts(api, "words=AFTER+5") == ["Late after 5:00"]
    assert "Late after 5:00" in texts(api, "words=reading-room")  # the device's name counts
    day = (timezone.now() - timedelta(days=3)).date().isoformat()
    assert texts(api, f"day={day}") == ["Late after 5:00"]
    assert texts(api, "day=0001-01-01&words=late") == []
    assert api.call("get", "/log?day=never")[0] == 422


def test_readings_in_a_row_are_one_line_that_can_be_opened(api: Api) -> None:
    for name in ("a.img", "b.img", "c.img", "d.img"):
        record(None, "image", "image.read", f"{name} read: sound")
    told = api.get("/log")["told"][0]
    assert told["line"]["text"] == "d.img read: sound"
    assert [line["text"] for line in told["more"]] == ["c.img read: sound", "b.img read: sound", "a.img read: sound"]
    # What happened to a device is never folded away.
    pk = started(api)
    for _ in range(4):
        record(Deployment.objects.get(pk=pk), "setup", "setup.ticked", "Paper: done")
    assert [t["more"] for t in api.get("/log")["told"][:4]] == [[], [], [], []]


def test_a_reading_that_is_stopped_ends_in_every_list(api: Api) -> None:
    pk = started(api)
    image = Image.objects.exclude(pk=Deployment.objects.get(pk=pk).image_id).filter(recipe="platen").latest("pk")
    Image.objects.filter(pk=image.pk).update(xray="", outline="", sha256="")
    api.put(f"/deployments/{pk}/image", {"image_id": image.pk})
    judged_again()
    assert [d["id"] for d in api.get("/deployments?only=running")["deployments"]] == [pk]
    Change.objects.all().delete()
    api.post(f"/images/{image.pk}/stop")
    assert Job.objects.filter(image=image).latest("pk").state == Job.State.STOPPED
    assert "images" in set(Change.objects.values_list("topic", flat=True))
    judge_due()  # by itself, as the bench's agent would within a second
    assert api.get("/deployments?only=running")["deployments"] == []
