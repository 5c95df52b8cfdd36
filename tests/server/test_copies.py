"""The filled image as a file: a job, checked as a card is, offered for a while, sent as it is taken."""

from __future__ import annotations

import asyncio
import hashlib
import io
import shutil
import stat
import subprocess
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.http import StreamingHttpResponse
from django.test import Client
from django.utils import timezone

from mintseed import wiring
from mintseed.server.api.handed_over import checksum_of, handed_over
from mintseed.server.done.copies import remove_old_copies
from mintseed.server.kept.models import FilledCopy, Image, Job, LogEntry
from tests.server.conftest import Api, started, work

PLATEN = "platen-3.2-64.img.xz"
PLATEN_BYTES = 138412032
"""bytes of the unpacked image: its partitions, as sfdisk(8) lists them, end there."""


@pytest.fixture(autouse=True)
def no_copies_left() -> Iterator[None]:
    yield
    shutil.rmtree(wiring.config().home / "filled", ignore_errors=True)


def made(api: Api, pk: int) -> dict[str, Any]:
    api.post(f"/deployments/{pk}/card/copies")
    work()
    copy: dict[str, Any] = api.get(f"/deployments/{pk}/card")["copy_of_image"]
    return copy


def sent(pk: int, copy_pk: int) -> StreamingHttpResponse:
    response = Client().get(f"/api/deployments/{pk}/card/copies/{copy_pk}/file")
    assert isinstance(response, StreamingHttpResponse), response.content
    return response


async def pieces(response: StreamingHttpResponse) -> list[bytes]:
    return [piece async for piece in response.streaming_content]  # type: ignore[union-attr]


def test_it_is_made_by_a_job_and_sent_with_its_checksum(api: Api) -> None:
    pk = started(api, host_name="press")
    shown = api.post(f"/deployments/{pk}/card/copies")["copy_of_image"]
    assert (shown["job"]["active"], shown["made_at"], shown["sha256"]) == (True, None, "")
    assert Client().get(f"/api/deployments/{pk}/card/copies/{shown['id']}/file").status_code == 404
    assert api.call("post", f"/deployments/{pk}/card/copies", {})[0] == 409
    work()
    copy = api.get(f"/deployments/{pk}/card")["copy_of_image"]
    assert (copy["job"]["state"], copy["current"], copy["file_name"]) == ("done", True, "press-platen-3.2-64.img")
    response = sent(pk, copy["id"])
    assert response.headers["Content-Disposition"] == 'attachment; filename="press-platen-3.2-64.img"'
    assert int(response.headers["Content-Length"]) == PLATEN_BYTES
    # Each piece is read when it is asked for; a client that takes nothing holds one piece, not the file.
    assert response.is_async
    arrived = asyncio.run(pieces(response))
    assert max(len(p) for p in arrived) <= 1024 * 1024
    whole = b"".join(arrived)
    assert len(whole) == PLATEN_BYTES
    assert hashlib.sha256(whole).hexdigest() == copy["sha256"]
    assert b"HOST_NAME=press\n" in whole[: 52 * 1024 * 1024]
    file = wiring.config().home / "filled" / f"{copy['id']}.img"
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    assert stat.S_IMODE(file.parent.stat().st_mode) == 0o700


def test_nothing_is_made_before_the_settings_were_looked_over(api: Api) -> None:
    pk = api.post("/deployments", {"recipe": "platen"})["id"]
    assert api.call("post", f"/deployments/{pk}/card/copies", {})[0] == 409
    assert not FilledCopy.objects.exists()


@pytest.mark.parametrize("harm", ["changed", "cut short", "gone"])
def test_a_file_that_is_no_longer_the_one_that_was_read_is_never_offered(
    api: Api, harm: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from mintseed.adapters.library_folder import LibraryFolder

    pk, folder = started(api), tmp_path / "library"
    folder.mkdir()
    if harm != "gone":
        data = bytearray((wiring.config().library / PLATEN).read_bytes())
        if harm == "cut short":
            del data[len(data) // 2 :]
        else:  # another file of the same name and kind, whole in itself
            data = bytearray((wiring.config().library / "lintel-11.4-64.img.xz").read_bytes())
        (folder / PLATEN).write_bytes(data)
    outside = wiring.bench()
    other = type(outside)(
        **{**{f: getattr(outside, f) for f in outside.__dataclass_fields__}, "library": LibraryFolder(folder, tmp_path)}
    )  # type: ignore[arg-type]
    api.post(f"/deployments/{pk}/card/copies")
    with monkeypatch.context() as patch:
        patch.setattr(wiring, "bench", lambda name="": other)
        for job in Job.objects.filter(kind=Job.Kind.FILL_IMAGE, state=Job.State.QUEUED):
            from mintseed.server.done.jobs.tasks import fill_image_task

            fill_image_task.func(job.pk)
    copy = api.get(f"/deployments/{pk}/card")["copy_of_image"]
    assert (copy["job"]["state"], copy["made_at"]) == ("failed", None)
    assert copy["job"]["trouble"]
    assert Client().get(f"/api/deployments/{pk}/card/copies/{copy['id']}/file").status_code == 404
    assert not LogEntry.objects.filter(event="card.handed-over").exists()
    assert not list((wiring.config().home / "filled").glob("*"))


def test_it_goes_after_a_while_and_strays_go_at_once(api: Api) -> None:
    pk = started(api)
    copy = made(api, pk)
    folder = wiring.config().home / "filled"
    (folder / "stray.img").write_bytes(b"left by a killed worker")
    assert remove_old_copies(timezone.now()) == 1
    assert sorted(p.name for p in folder.iterdir()) == [f"{copy['id']}.img"]
    assert remove_old_copies(timezone.now() + timedelta(hours=3)) == 1
    assert not list(folder.iterdir())
    assert api.get(f"/deployments/{pk}/card")["copy_of_image"] is None
    assert api.call("get", f"/deployments/{pk}/card/copies/{copy['id']}/file")[0] == 404


def test_changed_settings_make_it_old(api: Api) -> None:
    pk = started(api)
    made(api, pk)
    api.put(f"/deployments/{pk}/settings", {"host_name": "another"})
    assert api.get(f"/deployments/{pk}/card")["copy_of_image"]["current"] is False


def test_a_stop_and_an_image_that_went(api: Api) -> None:
    pk = started(api)
    api.post(f"/deployments/{pk}/card/copies")
    stopped = api.post(f"/deployments/{pk}/card/copies/stop")["copy_of_image"]
    assert (stopped["job"]["state"], stopped["job"]["active"]) == ("stopped", False)
    Image.objects.all().delete()
    assert api.call("post", f"/deployments/{pk}/card/copies", {})[0] == 409


def test_what_a_worker_leaves_that_was_called_dead_is_removed(api: Api) -> None:
    pk = started(api)
    api.post(f"/deployments/{pk}/card/copies")
    job = Job.objects.get(kind=Job.Kind.FILL_IMAGE)
    folder = wiring.config().home / "filled"
    folder.mkdir(mode=0o700, exist_ok=True)
    (folder / f"{job.copy_id}.img").write_bytes(b"put there when it woke")
    assert remove_old_copies(timezone.now()) == 0  # while its job waits or runs it may be whole in a moment
    Job.objects.filter(pk=job.pk).update(state=Job.State.FAILED)
    assert remove_old_copies(timezone.now()) == 1
    assert not list(folder.iterdir())


def test_a_copy_whose_job_was_let_go_spoils_no_screen(api: Api) -> None:
    pk = started(api)
    api.post(f"/deployments/{pk}/card/copies")
    api.post(f"/deployments/{pk}/card/copies/stop")
    Job.objects.all().delete()
    assert api.get(f"/deployments/{pk}/card")["copy_of_image"] is None
    assert remove_old_copies(timezone.now()) == 0
    assert made(api, pk)["made_at"]


def test_packed_as_one_likes_it_is_the_same_image_and_its_checksum_file_fits(api: Api, tmp_path: Path) -> None:
    """Source: sha256sum(1) -c, and the tool of each packing."""
    pk = started(api, host_name="press")
    plain = made(api, pk)
    for packing, ending in (("gzip", ".img.gz"), ("xz", ".img.xz"), ("zstd", ".img.zst")):
        api.post(f"/deployments/{pk}/card/copies", {"packing": packing})
        work()
        copy = api.get(f"/deployments/{pk}/card")["copy_of_image"]
        assert (copy["packing"], copy["file_name"]) == (packing, f"press-platen-3.2-64{ending}")
        packed = b"".join(asyncio.run(pieces(sent(pk, copy["id"]))))
        (tmp_path / copy["file_name"]).write_bytes(packed)
        listed = Client().get(f"/api/deployments/{pk}/card/copies/{copy['id']}/checksum")
        (tmp_path / "list").write_bytes(listed.content)
        subprocess.run(["sha256sum", "-c", "list"], cwd=tmp_path, check=True, capture_output=True)
        unpacked = subprocess.run([packing, "-dc"], input=packed, capture_output=True, check=True).stdout
        assert hashlib.sha256(unpacked).hexdigest() == plain["sha256"], packing
    assert api.call("post", f"/deployments/{pk}/card/copies", {"packing": "bzip2"})[0] == 422


def test_a_file_is_sent_under_its_name_whatever_its_letters() -> None:
    """RFC 6266 §5, RFC 8187 §3.2.3: the letters beyond ASCII in percent signs, as UTF-8; quotes within it are escaped."""
    for name, said in (
        ("кухня-3.2.img", "attachment; filename*=utf-8''%D0%BA%D1%83%D1%85%D0%BD%D1%8F-3.2.img"),
        ('the "old" one.img', 'attachment; filename="the \\"old\\" one.img"'),
    ):
        sent_as = handed_over(io.BytesIO(b""), name, 0, "00" * 32).headers["Content-Disposition"]
        assert sent_as == said
    assert checksum_of("кухня.img", "00" * 32).headers["Content-Disposition"].endswith("%D1%8F.img.sha256")
