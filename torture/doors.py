"""The doors of a started application: half requests by the thousand, bodies without end, passwords guessed side by side."""

from __future__ import annotations

import os
import re
import signal
import socket
import subprocess
import threading
import time
from contextlib import ExitStack, suppress

import httpx

from torture.outcome import Outcome
from torture.running import PROJECT, Application, application, sent

ANSWERS_WITHIN_S = 5.0


def half_requests(times: int) -> Outcome:
    """Hold `times` half requests open, heads and bodies, from several addresses of this machine; ask for the page all along."""
    outcome, began = Outcome("half requests held open at once"), time.monotonic()
    with application() as running, ExitStack() as held:
        if not _up(running, outcome):
            return outcome
        halves = (b"GET /api/place HTTP/1.1\r\nHost: 127", _head(running.port) + b"Content-Length: 40\r\n\r\n{", b"")
        for number in range(times):
            source = (f"127.0.0.{2 + number % 40}", 0)
            with suppress(OSError):
                half = held.enter_context(
                    socket.create_connection(("127.0.0.1", running.port), 5, source_address=source)
                )
                half.sendall(halves[number % 3])
            outcome.tried += 1
            if number % 100 == 99:
                _answers(running, f"with {number + 1} half requests", outcome)
        for _ in range(10):
            _answers(running, "with all of them", outcome)
            time.sleep(0.5)
        _lines(running, outcome)
        outcome.note("answers all along")
    outcome.took_s = time.monotonic() - began
    return outcome


def bodies(times: int) -> Outcome:
    """Send bodies that are too large or never end; none may lie on the disk, and others are answered."""
    outcome, began = Outcome("bodies without end"), time.monotonic()
    with application() as running:
        if not _up(running, outcome):
            return outcome
        free = os.statvfs(running.home).f_bavail * os.statvfs(running.home).f_frsize
        for number in range(times):
            outcome.tried += 1
            if number % 2:
                status, _ = sent(
                    running.port, _head(running.port) + b"Content-Length: 1500000000\r\n\r\n" + b"x" * 1000
                )
            else:
                status = _endless(running.port)
            outcome.note(f"answered {status}" if status else "cut off")
            if status not in ("413", ""):
                outcome.harm.append(f"{number}: answered {status}")
            if number % 10 == 9:
                _answers(running, f"after {number + 1} bodies", outcome)
        left = os.statvfs(running.home).f_bavail * os.statvfs(running.home).f_frsize
        if free - left > 50_000_000:
            outcome.harm.append(f"{(free - left) // 1_000_000} MB lie on the disk")
        _lines(running, outcome)
    outcome.took_s = time.monotonic() - began
    return outcome


def _endless(port: int) -> str:
    chunk = b"40000\r\n" + b"x" * 0x40000 + b"\r\n"
    with suppress(OSError), socket.create_connection(("127.0.0.1", port), timeout=10) as stranger:
        stranger.sendall(_head(port) + b"Transfer-Encoding: chunked\r\n\r\n")
        with suppress(OSError):
            for _ in range(400):
                stranger.sendall(chunk)
            return "taken"
        return stranger.recv(200).split(b" ")[1].decode("ascii", "replace")
    return ""


def passwords(times: int) -> Outcome:
    """Guess `times` passwords at once, each from another address of this machine and with another forwarded header; five are
    looked at, and others are answered meanwhile."""
    outcome, began = Outcome("passwords guessed at once"), time.monotonic()
    with application() as running:
        running.environment |= {"MINTSEED_HOST": "0.0.0.0"}
        made = subprocess.run(
            [".venv/bin/python", "-m", "mintseed.server.start.make_ready"], cwd=PROJECT, env={**running.environment, "MINTSEED_HOST": "127.0.0.1"},
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        account = _account(running)
        if made.returncode or account.returncode:
            outcome.harm.append(f"no account could be made: {(made.stderr or account.stderr or account.stdout)[-200:]}")
            return outcome
        if not _up(running, outcome, status=401):
            return outcome
        said: list[str] = []
        barrier = threading.Barrier(times)

        def guess(number: int) -> None:
            barrier.wait()
            transport = httpx.HTTPTransport(local_address=f"127.0.0.{2 + number % 50}")
            with suppress(httpx.HTTPError), httpx.Client(transport=transport, timeout=30) as client:
                answer = client.post(
                    f"http://127.0.0.1:{running.port}/api/session", json={"name": "keeper", "password": f"guess {number}"},
                    headers={"X-Forwarded-For": f"198.51.100.{number}"},
                )  # fmt: skip
                said.append(answer.json()["title"] if answer.status_code != 200 else "it opened")

        threads = [threading.Thread(target=guess, args=(n,)) for n in range(times)]
        for thread in threads:
            thread.start()
        while any(t.is_alive() for t in threads):
            _answers(running, "while passwords are guessed", outcome)
            time.sleep(0.1)
        outcome.tried = times
        looked = sum("do not open it" in s for s in said)
        outcome.note(f"{looked} looked at")
        if looked > 5 or "it opened" in said or len(said) != times:
            outcome.harm.append(f"{looked} of {len(said)} were looked at, five are allowed")
        right = httpx.post(
            f"http://127.0.0.1:{running.port}/api/session", json={"name": "keeper", "password": "three wet boots"}
        )
        if "too many" not in right.text and looked == 5:
            outcome.harm.append("the sixth try was looked at")
        _lines(running, outcome)
    outcome.took_s = time.monotonic() - began
    return outcome


def _account(running: Application) -> subprocess.CompletedProcess[str]:
    code = (
        "from mintseed.server.start import database\nimport django\n"
        "with database.started(database.folder()):\n"
        "    django.setup()\n    from django.core.management import call_command\n    call_command('account', 'keeper')\n"
    )
    environment = {**running.environment, "DJANGO_SETTINGS_MODULE": "mintseed.server.settings"}
    return subprocess.run([".venv/bin/python", "-c", code], cwd=PROJECT, env=environment, input="three wet boots\n", text=True,
                          capture_output=True, check=False)  # fmt: skip


def _head(port: int) -> bytes:
    return f"POST /api/deployments HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nContent-Type: application/json\r\n".encode()


def _up(running: Application, outcome: Outcome, status: int = 200) -> bool:
    running.launch()
    until = time.monotonic() + 180
    while time.monotonic() < until:
        with suppress(httpx.HTTPError):
            if running.http.get("/bench").status_code == status:
                return True
        time.sleep(0.2)
    outcome.harm.append("it did not start")
    return False


def _answers(running: Application, when: str, outcome: Outcome) -> None:
    try:
        answer = httpx.get(f"http://127.0.0.1:{running.port}/api/place", timeout=ANSWERS_WITHIN_S)
        if answer.status_code not in (200, 401):
            outcome.harm.append(f"{when}: answered {answer.status_code}")
    except httpx.HTTPError as error:
        outcome.harm.append(f"{when}: {type(error).__name__}")


def _lines(running: Application, outcome: Outcome) -> None:
    """What it said meanwhile is a line a minute, and no trace."""
    running.stop(signal.SIGINT)
    said = (running.home / "said.txt").read_text(errors="replace")
    if "Traceback" in said:
        outcome.harm.append("a trace in its output")
    if (count := len(re.findall("did not finish their request", said))) > 10:
        outcome.harm.append(f"{count} lines about it")
