"""Writing what is in use: proposed where every volume tells, kept with the write, and no more of it claimed than was read back."""

from __future__ import annotations

import json
from typing import Any

import pytest
from django.utils import timezone

from mintseed.server.done.planning import rates_mb_s
from mintseed.server.kept.models import Deployment, Image, Job, LogEntry, Write, WrittenBlocks
from mintseed.server.owned.library import sync_library
from tests.builders.disks import MIB, fat_file
from tests.server.conftest import Api, card, report, started, work
from tests.server.test_card_files import backing, boot, picked
from tests.server.test_proofs import small_card


def used_before() -> None:
    """Leave on the card what an earlier owner may have left there."""
    small_card()
    with backing().open("wb") as file:
        for _ in range(240):
            file.write(b"\x5a" * MIB)
        file.truncate(256 * 10**6)
    report()


def written(api: Api, **settings: object) -> tuple[int, dict[str, Any]]:
    pk = started(api)
    used_before()
    if settings:
        api.put(f"/deployments/{pk}/plan", settings)
        api.post(f"/deployments/{pk}/settings/agree")
    api.post(f"/deployments/{pk}/card/write", {**card(), "only_used": True})
    work()
    return pk, api.get(f"/deployments/{pk}/card")


def test_it_is_proposed_written_proven_and_said(api: Api) -> None:
    pk, shown = written(api)
    assert shown["in_use"]["proposed"]
    assert shown["in_use"]["untold"] == ""
    assert shown["proven"], shown["job"]
    write = Write.objects.get()
    assert 0 < write.left_bytes < write.written_bytes
    # The demo's images are sparse by half and more: what is told is what was kept, in the same words.
    assert "that nothing uses, left as they were" in shown["proven_text"]
    assert shown["writes"][0]["left_bytes"] == write.left_bytes
    assert "that nothing uses left as they were" in LogEntry.objects.filter(event="card.proven").latest("pk").text
    phases = {p["phase"]: p["bytes_done"] for p in write.phases}
    assert phases["writing"] == phases["reading-back"] == write.written_bytes - write.left_bytes
    assert Job.objects.get(write=write).phase == "proven"
    Deployment.objects.update(demo=False)
    took = next(p["took_s"] for p in write.phases if p["phase"] == "writing")
    assert rates_mb_s(Deployment.objects.get(pk=pk)) == [pytest.approx(phases["writing"] / took / 1e6)]


def test_a_board_starts_from_it_and_all_of_it_is_proven_again(api: Api) -> None:
    pk, _ = written(api)
    api.post("/cards/work", {**card(), "does": "prove"})
    work()
    finding = api.get("/cards")["works"][0]["finding"]
    assert finding["code"] == "card.holds-as-written"
    assert "that nothing uses were not written, and are not compared" in finding["detail"]
    assert api.post(f"/deployments/{pk}/boot/power-on")["finding"]["code"] == "boot.waiting"


def test_damage_to_what_is_used_is_seen_and_to_the_rest_is_none(api: Api) -> None:
    pk, _ = written(api)
    digests = bytes(WrittenBlocks.objects.get().digests)
    size = WrittenBlocks.objects.get().block_bytes
    numbers = range(len(digests) // 8)
    left = next(n for n in numbers if digests[n * 8 : n * 8 + 8] == bytes(8))
    kept = next(n for n in numbers if n > left and digests[n * 8 : n * 8 + 8] != bytes(8))
    for number, holds in ((left, True), (kept, False)):
        with backing().open("r+b") as file:
            file.seek(number * size)
            file.write(b"somebody else wrote here")
        api.post("/cards/work", {**card(), "does": "prove"})
        work()
        assert api.get(f"/deployments/{pk}/card")["proven"] is holds


def test_files_put_there_afterwards_lie_in_what_was_left_and_are_proven_with_it(api: Api) -> None:
    pk, shown = written(api, way_in="fill-after")
    assert shown["proven_text"].endswith("that nothing uses, left as they were")
    made = api.post(f"/deployments/{pk}/settings/put", picked())
    work()
    assert api.get(f"/card-files/{made['id']}")["state"] == "done"
    assert b"Quay House 2G" in fat_file(backing(), boot(), "platen-network.conf")
    assert Write.objects.get().holds
    report()
    assert Write.objects.get().holds, "every sample agrees"
    said = api.get(f"/deployments/{pk}/card")["proven_text"]
    assert said.endswith("left as they were when it was written"), "some of it is in use by now"


def test_how_long_it_takes_in_all_is_told_by_how_this_card_went_before(api: Api) -> None:
    pk, _ = written(api)

    def told(**changes: object) -> float | None:
        Job.objects.filter(pk=Job.objects.latest("pk").pk).update(
            **{"state": "running", "heartbeat_at": timezone.now(), "finished_at": None, **changes}
        )
        said: float | None = api.get(f"/deployments/{pk}/card")["left_in_all_s"]
        return said

    first = Write.objects.get()
    assert told(phase="writing", done_bytes=0, total_bytes=1000, left_s=9.0) is None, "it is this very write"
    Write.objects.filter(pk=first.pk).update(
        phases=[{"phase": p, "bytes_done": 1000, "took_s": 4} for p in ("writing", "flushing", "reading-back")]
    )
    Job.objects.all().delete()
    api.post(f"/deployments/{pk}/card/write", card())
    second = Write.objects.latest("pk")
    assert told(phase="writing", done_bytes=500, total_bytes=1000, left_s=9.0) is None, (
        "whose card it is, is not known yet"
    )
    Write.objects.filter(pk=second.pk).update(card=first.card_id)
    assert told(phase="writing", done_bytes=500, total_bytes=1000, left_s=9.0) == 9 + 4 + 4
    assert told(phase="reading-back", done_bytes=500, total_bytes=2000, left_s=None) == 6
    Write.objects.filter(pk=second.pk).update(tests_whole=True)
    assert told(phase="writing", done_bytes=500, total_bytes=1000, left_s=9.0) is None


def test_everything_is_proposed_where_a_volume_does_not_tell(api: Api) -> None:
    pk = started(api)
    sync_library()
    row = Image.objects.get(pk=Deployment.objects.get(pk=pk).image_id or 0)
    assert row.xray is not None
    told = {**json.loads(row.xray), "root_unfillable": "it was not left clean"}
    Image.objects.filter(pk=row.pk).update(xray=json.dumps(told))
    shown = api.get(f"/deployments/{pk}/card")["in_use"]
    assert (shown["proposed"], shown["untold"]) == (False, "ext4 on partition 2")
