"""`make start` itself: what it says when it cannot, and that everything is there again after a stop."""

from __future__ import annotations

import shutil
import socket
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.browser.conftest import environment_for, start, stop
from tests.database_plugin import PROJECT


@pytest.fixture
def home(library: Path) -> Iterator[Path]:
    folder = Path(tempfile.mkdtemp(prefix="mintseed-"))
    shutil.copytree(library, folder / "library")
    yield folder
    shutil.rmtree(folder)


def refused(environment: dict[str, str]) -> str:
    """Start where that cannot work; return what was said."""
    done = subprocess.run(
        ["scripts/start"], cwd=PROJECT, env=environment, capture_output=True, text=True, timeout=120, check=False
    )
    assert done.returncode == 1
    assert "Traceback" not in done.stderr
    return done.stderr


@pytest.mark.parametrize("variable", ["MINTSEED_PORT", "MINTSEED_DB_PORT"])
def test_a_taken_port_is_said_with_the_cure(home: Path, variable: str) -> None:
    with socket.create_server(("127.0.0.1", 0)) as other:
        port = str(other.getsockname()[1])
        said = refused(environment_for(home, **{variable: port}))
    assert f"port {port} is taken" in said
    assert f"{variable}=" in said


def test_an_address_others_could_reach_is_refused(home: Path) -> None:
    assert "loopback" in refused(environment_for(home, MINTSEED_HOST="0.0.0.0"))


def test_a_home_that_cannot_be_made_is_said(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    assert "cannot be made" in refused(environment_for(tmp_path / "file" / "home"))


def test_all_data_survives_a_stop_and_a_start(home: Path) -> None:
    environment = environment_for(home)
    first = start(environment)
    made = httpx.post(f"{first.url}/api/deployments", json={"recipe": "platen", "name": "Küste 🌊"}).json()
    secret = httpx.post(f"{first.url}/api/site/networks/1/passphrase").json()
    assert "runs already" in refused(environment)
    assert stop(first) == []
    second = start(environment)
    try:
        assert httpx.get(f"{second.url}/api/deployments/{made['id']}").json()["name"] == "Küste 🌊"
        assert httpx.post(f"{second.url}/api/site/networks/1/passphrase").json() == secret
        assert len(httpx.get(f"{second.url}/api/images").json()) == 5
        page = httpx.get(f"{second.url}/deployments/{made['id']}/plan")
        assert page.status_code == 200
        assert "<div id=" in page.text
    finally:
        assert stop(second) == []


def test_the_real_bench_starts_empty_and_lists_this_machines_drives(home: Path) -> None:
    shutil.rmtree(home / "library")
    started = start(environment_for(home, MINTSEED_BENCH="real"))
    try:
        assert not httpx.get(f"{started.url}/api/place").json()["standin"]
        bench = httpx.get(f"{started.url}/api/bench").json()
        assert bench["deployments"] == []
        # lsblk(8) names the same whole drives; whatever holds this system is locked.
        listed = subprocess.run(
            ["lsblk", "-dnb", "-o", "PATH,TYPE,SIZE"], capture_output=True, text=True, check=True
        ).stdout
        rows = [line.split() for line in listed.splitlines()]
        wanted = {path for path, kind, size in rows if kind in ("disk", "loop") and size != "0"}
        assert {d["path"] for d in bench["drives"]} == wanted
    finally:
        assert stop(started) == []
