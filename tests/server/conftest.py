"""A bench with Quay House on it, and an API client. Tasks are run by hand where a test wants them."""

from __future__ import annotations

import fcntl
import hashlib
import json
import pickle
import shutil
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.core.management import call_command
from django.test import Client
from django.utils import timezone

from mintseed import wiring
from mintseed.server.demo.quay_house import DRIVES, NETWORKS, seed_database
from mintseed.server.done.agent import bench_row
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.agent.drives import report_drives
from mintseed.server.done.agent.looking import sweep
from mintseed.server.done.agent.network_memory import NetworkMemory, site_networks
from mintseed.server.done.jobs.heartbeat import Heartbeat
from mintseed.server.done.jobs.tasks import (
    card_files_task,
    card_work_task,
    fill_image_task,
    read_image,
    read_image_task,
    write_card_task,
)
from mintseed.server.doors.door import token
from mintseed.server.judged.judging import judge_due
from mintseed.server.kept.closed import close, closed_mark
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import Image, Job, LogEntry, ReportedDrive, Site
from mintseed.server.kept.stored_types import opened_xray, xray_text
from mintseed.server.owned.library import sync_library
from tests.database_plugin import PROJECT


class Api:
    """Calls the API with JSON and returns (status, body)."""

    def __init__(self, authorization: str = "") -> None:
        self._client = Client(headers={"Authorization": authorization} if authorization else None)

    def call(self, method: str, path: str, body: object = None, **headers: str) -> tuple[int, Any]:
        sent = {} if body is None else {"data": json.dumps(body), "content_type": "application/json"}
        response = getattr(self._client, method)(f"/api{path}", headers=headers, **sent)
        text = (
            b"".join(response.streaming_content) if response.streaming and not response.is_async else response.content
        )
        return response.status_code, json.loads(text) if text else None

    def get(self, path: str) -> Any:
        return self._ok("get", path)

    def post(self, path: str, body: object = None) -> Any:
        return self._ok("post", path, {} if body is None else body)

    def put(self, path: str, body: object) -> Any:
        return self._ok("put", path, body)

    def _ok(self, method: str, path: str, body: object = None) -> Any:
        status, answer = self.call(method, path, body)
        assert status == 200, (path, answer)
        return answer


class Silent:
    """Announcements nobody makes."""

    def __init__(self, networks: object = ()) -> None:
        pass

    def current(self) -> tuple[()]:
        return ()

    def close(self) -> None:
        pass


class Nameless:
    """Names nobody answers to."""

    asks_anybody = True

    def __init__(self, networks: object = ()) -> None:
        pass

    def addresses_of(self, host_name: str) -> frozenset[str]:
        return frozenset()

    def name_of(self, address: str) -> str:
        return ""


@pytest.fixture(autouse=True)
def _open_door() -> None:
    """A test that keeps a passphrase, or has a real bench, closes the door for itself alone."""
    closed_mark().unlink(missing_ok=True)


@pytest.fixture(autouse=True)
def _quick_passwords(settings: Any) -> None:
    """Half a second of a core for each password is meant for who guesses them."""
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


def lay_out(patch: pytest.MonkeyPatch) -> Path:
    """Make a fresh stand-in bench folder with fast cards and an empty router."""
    folder = wiring.config().bench_folder
    shutil.rmtree(folder.root, ignore_errors=True)
    folder.prepare()
    folder.write(folder.drives_file, [{**d, "faults": {}} for d in DRIVES])
    folder.write(folder.air_file, list(NETWORKS))
    patch.setattr(wiring, "announcements", Silent)
    patch.setattr(wiring, "names", Nameless)
    # No worker runs beside a test to give signs of life; on a slow machine the bench would fall silent in the middle of one.
    patch.setattr(bench_row, "ALIVE_S", 3600.0)
    return folder.root


@pytest.fixture
def bench(library: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    return lay_out(monkeypatch)


KEPT = PROJECT / "var" / "test-xrays"


def program_mark() -> str:
    """Return a hash of the program, its recipes and its boards."""
    digest = hashlib.sha256()
    for path in sorted(
        p for part in ("src", "recipes", "boards") for p in (PROJECT / part).rglob("*") if p.suffix in (".py", ".yaml")
    ):
        digest.update(str(path.relative_to(PROJECT)).encode() + b"\0" + path.read_bytes() + b"\0")
    return digest.hexdigest()


@pytest.fixture(scope="session")
def xrays(library: Path, django_db_setup: None, django_db_blocker: Any) -> dict[str, dict[str, Any]]:
    """The demo images' X-rays, read once for all tests and all processes; once more when the program or a description was changed."""
    KEPT.mkdir(exist_ok=True)
    kept = KEPT / f"{program_mark()}.pickle"
    with django_db_blocker.unblock(), KEPT.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if Site.objects.exists():  # tables that are used again (--reuse-db), after a test that was killed
            call_command("flush", interactive=False, verbosity=0)
        if not kept.exists():
            for image in sync_library():
                read_image(image)
            # Each process has a home with a key of its own: what is sealed with one's is opened, and sealed with the other's.
            rows = {i["file_name"]: {**i, "xray": opened_xray(i["xray"])} for i in Image.objects.values()}
            Image.objects.all().delete()
            LogEntry.objects.all().delete()
            for older in KEPT.iterdir():
                older.unlink()
            kept.write_bytes(pickle.dumps(rows))
        found = pickle.loads(kept.read_bytes())
    return {name: {**row, "xray": xray_text(row["xray"])} for name, row in found.items()}


def move_in(xrays: dict[str, dict[str, Any]]) -> None:
    """Bring Quay House and its images, read, to the bench that was laid out."""
    for row in xrays.values():
        Image.objects.create(**{k: v for k, v in row.items() if k != "id"})
    seed_database(wiring.config())
    report()


@pytest.fixture
def quay_house(bench: Path, xrays: dict[str, dict[str, Any]], db: None) -> None:
    move_in(xrays)


@pytest.fixture
def api(quay_house: None, monkeypatch: pytest.MonkeyPatch) -> Api:
    # The heartbeat has a connection of its own, which would wait for the row locks of the test's open transaction.
    monkeypatch.setattr(Heartbeat, "_write", lambda self: None)
    return Api()


@pytest.fixture
def owner(api: Api) -> Api:
    """A script of the owner's, for benches that are real: it shows the token."""
    return Api(f"Bearer {token()}")


@pytest.fixture
def asks_for_link(api: Api) -> Iterator[None]:
    """Have the door closed, as when something real lies behind it."""
    close("a test says so")
    yield
    closed_mark().unlink(missing_ok=True)


@pytest.fixture
def asks_for_account(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    """Serve it where others on the network reach it."""
    monkeypatch.setenv("MINTSEED_HOST", "192.0.2.7")


TASKS = {
    Job.Kind.WRITE_CARD: write_card_task,
    Job.Kind.READ_IMAGE: read_image_task,
    Job.Kind.FILL_IMAGE: fill_image_task,
    Job.Kind.CARD_FILES: card_files_task,
    Job.Kind.CARD_WORK: card_work_task,
}


def work() -> None:
    """Do what the workers would: run every queued job, then report the drives."""
    for job in Job.objects.filter(state=Job.State.QUEUED):
        TASKS[Job.Kind(job.kind)].func(job.pk)
    report()


def judged_again() -> None:
    """Do what the bench's agent would after something was changed elsewhere: judge it all again."""
    judge_soon()
    judge_due()


def shown(api: Api) -> list[dict[str, Any]]:
    """Return the deployments on the bench: on the go, then in service."""
    bench = api.get("/bench")
    return [*bench["open"]["deployments"], *bench["service"]["deployments"]]


def report() -> None:
    """Do what the bench's agent would: report the drives, looking at every card anew, and who is on the network."""
    bench, now = own_bench(), timezone.now()
    ReportedDrive.objects.update(reported_at=now - timedelta(minutes=2))
    report_drives(bench, now)
    NetworkMemory(bench).remember(sweep(site_networks(bench)).sightings, now)


def started(
    api: Api, recipe: str = "platen", board: str = "Larkspur R", unit: str = "", supply: str = "2.5 A", **settings: str
) -> int:
    """Bring a deployment to agreed settings; return its id."""
    pk: int = api.post("/deployments", {"recipe": recipe, "name": "Reading-room press"})["id"]
    plan = api.get(f"/deployments/{pk}/plan")
    chosen = min(u["id"] for u in plan["units"] if u["board_name"] == board and unit in u["name"])
    picked = next(s["id"] for s in plan["supplies"] if supply in s["text"])
    api.put(f"/deployments/{pk}/plan", {"board_unit_id": chosen, "supply_id": picked, "card_gb": 32})
    choices = api.get(f"/deployments/{pk}/image")["choices"]
    best = next(c["image"]["id"] for c in choices if c["suggested"])
    api.put(f"/deployments/{pk}/image", {"image_id": best})
    if settings:
        api.put(f"/deployments/{pk}/settings", settings)
    api.post(f"/deployments/{pk}/settings/agree")
    return pk


CARD_SERIAL, OTHER_CARD_SERIAL = "QH-C32-07", "QH-C16-02"


def card(serial: str = CARD_SERIAL) -> dict[str, Any]:
    """Return what the browser sends when the card with this reader's serial is picked twice."""
    row = next(r for r in ReportedDrive.objects.all() if r.drive["serial"] == serial)
    return {"drive_id": row.pk, "path": row.path, "serial": serial, "again": row.path}
