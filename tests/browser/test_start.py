"""`make start` itself: what it says when it cannot, and that everything is there again after a stop."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import ssl
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from tests.browser.conftest import Application, copy_of, environment_for, start, stop
from tests.browser.test_trouble import processes
from tests.database_plugin import PROJECT


@pytest.fixture
def home(made_home: Path) -> Iterator[Path]:
    folder = copy_of(made_home)
    yield folder
    shutil.rmtree(folder)


def wait_for_drives(started: Application, seconds: float = 30) -> dict[str, Any]:
    """Return the bench once its worker has reported its drives."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        bench: dict[str, Any] = httpx.get(f"{started.url}/api/bench", headers=started.token, timeout=30).json()
        if bench["drives"]:
            return bench
        time.sleep(0.2)
    pytest.fail("no drive was reported")


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


def own_certificate(folder: Path) -> tuple[str, str]:
    """Make a certificate and its key with openssl(1), for this machine's loopback address."""
    certificate, key = folder / "page.crt", folder / "page.key"
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes", "-days", "2", "-subj", "/CN=bench",
         "-addext", "subjectAltName=IP:127.0.0.1", "-keyout", str(key), "-out", str(certificate)], check=True, capture_output=True,
    )  # fmt: skip
    return str(certificate), str(key)


def test_an_address_others_could_reach_needs_an_account(home: Path) -> None:
    certificate, key = own_certificate(home)
    environment = environment_for(home, MINTSEED_HOST="0.0.0.0", MINTSEED_TLS_CERT=certificate, MINTSEED_TLS_KEY=key)
    assert "must both name files" in refused({**environment, "MINTSEED_TLS_KEY": "/no/such/key"})
    assert "make account NAME=you" in refused(environment)
    port = environment["MINTSEED_PORT"]
    made = subprocess.run(["scripts/account", "keeper"], cwd=PROJECT, env=environment, input="three wet boots\n", text=True, check=True,
                          capture_output=True)  # fmt: skip
    assert "keeper made" in made.stdout
    assert "three wet boots" not in made.stdout
    started = start(environment)
    try:
        with httpx.Client(
            timeout=30, base_url=f"https://127.0.0.1:{port}", verify=ssl.create_default_context(cafile=certificate)
        ) as client:
            assert client.get("/api/bench").status_code == 401
            assert client.post("/api/deployments", json={"recipe": "platen"}).status_code == 401
            assert client.get("/").status_code == 200
            assert client.post("/api/session", json={"name": "keeper", "password": "wrong"}).status_code == 409
            inside = client.post("/api/session", json={"name": "keeper", "password": "three wet boots"})
            assert inside.json()["signed_in"]
            cookie = inside.headers["set-cookie"]
            # A browser sends the cookies of one host to each of its ports: another instance there has one of another name.
            assert cookie.startswith(f"mintseed_session_{port}=")
            assert "HttpOnly" in cookie
            assert "Secure" in cookie
            assert "SameSite=Strict" in cookie
            assert client.get("/api/bench").status_code == 200
            foreign = client.post(
                "/api/deployments", json={"recipe": "platen"}, headers={"Origin": "http://elsewhere.example"}
            )
            assert foreign.status_code == 403
            assert client.delete("/api/session").json()["signed_in"] is False
            assert client.get("/api/bench").status_code == 401
    finally:
        assert stop(started) == []


def test_a_home_that_cannot_be_made_is_said(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    assert "cannot be made" in refused(environment_for(tmp_path / "file" / "home"))


def test_all_data_survives_a_stop_and_a_start(home: Path) -> None:
    environment = environment_for(home)
    first = start(environment)
    made = httpx.post(f"{first.url}/api/deployments", json={"recipe": "platen", "name": "Küste 🌊"}, timeout=30).json()
    secret = httpx.post(f"{first.url}/api/networks/1/passphrase", timeout=30).json()
    assert "runs already" in refused(environment)
    assert stop(first) == []
    second = start(environment)
    try:
        assert httpx.get(f"{second.url}/api/deployments/{made['id']}", timeout=30).json()["name"] == "Küste 🌊"
        assert httpx.post(f"{second.url}/api/networks/1/passphrase", timeout=30).json() == secret
        assert len(httpx.get(f"{second.url}/api/images", timeout=30).json()["images"]) == 5
        page = httpx.get(f"{second.url}/deployments/{made['id']}/plan", timeout=30)
        assert page.status_code == 200
        assert "<div id=" in page.text
    finally:
        assert stop(second) == []


def test_what_is_damaged_is_said_and_it_starts(home: Path) -> None:
    library = home / "library"
    whole = (library / "platen-3.0-32.img.gz").read_bytes()
    # Newer than what was read of it, so that it is read again at this start.
    (library / "platen-3.0-32.img.gz").write_bytes(whole[: len(whole) // 2])
    (library / "pipe.img").symlink_to("/dev/null")
    started = start(environment_for(home))
    try:
        assert "platen-3.0-32.img.gz cannot be used" in started.output
        assert "pipe.img is not read" in started.output
        listed = httpx.get(f"{started.url}/api/images", timeout=30).json()
        assert {i["file_name"]: bool(i["trouble"]) for i in listed["images"]}["platen-3.0-32.img.gz"]
        assert [f["where"]["file"] for f in listed["findings"]] == ["pipe.img"]
        # Killed like that, by somebody in a hurry, it starts again and ends what was left behind.
        supervisor = processes(started, "mintseed.server.start.supervise application")
        assert supervisor
        for pid in supervisor:
            os.kill(pid, signal.SIGKILL)
        started.process.wait(30)
    finally:
        again = start(environment_for(home))
        assert stop(again) == []
        assert "Traceback" not in again.output


@pytest.fixture
def empty_home() -> Iterator[Path]:
    folder = Path(tempfile.mkdtemp(prefix="mintseed-"))
    yield folder
    shutil.rmtree(folder)


def test_the_real_bench_starts_empty_and_lists_this_machines_drives(empty_home: Path) -> None:
    home = empty_home
    started = start(environment_for(home, MINTSEED_BENCH="real"))
    try:
        assert httpx.get(f"{started.url}/api/place", timeout=30).status_code == 401
        assert not httpx.get(f"{started.url}/api/place", headers=started.token, timeout=30).json()["standin"]
        bench = wait_for_drives(started)
        assert bench["open"]["deployments"] == bench["service"]["deployments"] == []
        # lsblk(8) names the same whole drives; whatever holds this system is locked.
        listed = subprocess.run(
            ["lsblk", "-dnb", "-o", "PATH,TYPE,SIZE"], capture_output=True, text=True, check=True
        ).stdout
        rows = [line.split() for line in listed.splitlines()]
        wanted = {path for path, kind, size in rows if kind in ("disk", "loop") and size != "0"}
        assert {d["path"] for d in bench["drives"]} == wanted
    finally:
        assert stop(started) == []
