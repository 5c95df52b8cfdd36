"""The started application: kills, starts and stops at random moments, races, an attack list over HTTP."""

from __future__ import annotations

import os
import random
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import httpx
from blake3 import blake3

from mintseed.server.start.supervise import RUN_MARK, leftovers
from mintseed.standins.bench_folder import BenchFolder
from torture.outcome import Outcome
from torture.ports import free_port

PROJECT = Path(__file__).resolve().parents[1]

PROCESSES = {
    "database": "mariadbd", "web": "mintseed.server.doors.web", "cards worker": "--queue-name cards", "images worker": "--queue-name images",
    "agent": "bench_agent", "boards": "standin_bench",
}  # fmt: skip

UP_WITHIN_S = 90.0


class Application:
    """The application in a home of its own, started by the README's command."""

    def __init__(self, home: Path) -> None:
        self.home, self.port = home, free_port()
        self.mark = f"{home.resolve()} application"
        self.environment = {
            **os.environ, "MINTSEED_HOME": str(home), "MINTSEED_PORT": str(self.port), "MINTSEED_DB_PORT": str(free_port()),
            "MINTSEED_STANDIN_LAN": "127.77.11.0/24", "MINTSEED_STANDIN_PACE": "40", "MINTSEED_BENCH": "standin",
            "MINTSEED_DEMO": "empty",
        }  # fmt: skip
        self.environment.pop(RUN_MARK, None)
        self.process: subprocess.Popen[bytes] | None = None
        self.http = httpx.Client(base_url=f"http://127.0.0.1:{self.port}/api", timeout=20)

    def launch(self) -> None:
        with (self.home / "said.txt").open("ab") as said:
            self.process = subprocess.Popen(["make", "-s", "start"], cwd=PROJECT, env=self.environment, stdout=said,
                                            stderr=subprocess.STDOUT, start_new_session=True)  # fmt: skip

    def up(self, seconds: float = UP_WITHIN_S) -> bool:
        """Wait until it answers; return whether it did."""
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            with suppress(httpx.HTTPError):
                if self.http.get("/bench").status_code == 200:
                    return True
            if self.process is not None and self.process.poll() is not None:
                return False
            time.sleep(0.1)
        return False

    def stop(self, number: int = signal.SIGINT, seconds: float = 60) -> bool:
        """Signal the whole group as a terminal does; return whether nothing is left."""
        if self.process is not None:
            with suppress(ProcessLookupError):
                os.killpg(self.process.pid, number)
            with suppress(subprocess.TimeoutExpired):
                self.process.wait(seconds)
        until = time.monotonic() + seconds
        while list(leftovers(self.mark)) and time.monotonic() < until:
            time.sleep(0.1)
        return not list(leftovers(self.mark))

    def pids(self, words: str) -> list[int]:
        found = []
        for pid in leftovers(self.mark):
            with suppress(OSError):
                if words in Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ").decode("utf-8", "replace"):
                    found.append(pid)
        return found

    def ask(self, method: str, path: str, body: object = None) -> Any:
        answer = self.http.request(method, path, json=body)
        return answer.json() if answer.status_code == 200 else None

    def prepared(self) -> list[int]:
        """Bring two deployments to where their cards can be written; return their ids."""
        made = []
        for name, unit in (("First", "clear case"), ("Second", "bare")):
            pk = self.ask("POST", "/deployments", {"recipe": "platen", "name": name})["id"]
            plan = self.ask("GET", f"/deployments/{pk}/plan")
            self.ask("PUT", f"/deployments/{pk}/plan", {
                "board_unit_id": next(u["id"] for u in plan["units"] if unit in u["name"]),
                "supply_id": next(s["id"] for s in plan["supplies"] if "2.5 A" in s["text"]), "card_gb": 32})  # fmt: skip
            choices = self.ask("GET", f"/deployments/{pk}/image")["choices"]
            best = next(c["image"]["id"] for c in choices if c["suggested"])
            self.ask("PUT", f"/deployments/{pk}/image", {"image_id": best})
            self.ask("POST", f"/deployments/{pk}/settings/agree")
            made.append(pk)
        return made


@contextmanager
def application() -> Iterator[Application]:
    home = Path(tempfile.mkdtemp(prefix="torture-"))
    library = PROJECT / "var" / "test" / "library"
    if library.is_dir():
        shutil.copytree(library, home / "library")
    running = Application(home)
    try:
        yield running
    finally:
        running.http.close()
        running.stop(signal.SIGKILL)
        shutil.rmtree(home, ignore_errors=True)


def lies(running: Application, deployments: list[int]) -> list[str]:
    """Return a sentence for each card that is called proven and does not hold what was proven."""
    found = []
    folder = BenchFolder(running.home / "bench")
    for pk in deployments:
        shown = running.ask("GET", f"/deployments/{pk}/card")
        if shown is None or not shown["proven"] or shown["in_board"]:
            continue
        last = next(w for w in shown["writes"] if w["outcome"] == "proven")
        card = folder.cards / f"{Path(last['drive_path']).name}.img"
        with card.open("rb") as file:
            held = blake3(file.read(last["written_bytes"])).hexdigest()
        if held != last["digest"]:
            found.append(f"deployment {pk} is called proven, and its card holds other bytes")
    return found


def kills(times: int, seed: int) -> Iterator[Outcome]:
    """Kill each process `times` times at random moments while cards are written, copies made and screens read."""
    dice = random.Random(seed)
    with application() as running:
        running.launch()
        if not running.up(180):
            yield Outcome("kills", harm=["it did not start"])
            return
        deployments = running.prepared()
        for name, words in PROCESSES.items():
            outcome, began = Outcome(f"kill -9 of the {name}"), time.monotonic()
            lines = running.ask("GET", "/log")["lines"][0]["id"]
            for number in range(times):
                _some_work(running, deployments, dice)
                time.sleep(dice.random() * 2)
                for pid in running.pids(words):
                    with suppress(ProcessLookupError):
                        os.kill(pid, signal.SIGKILL)
                outcome.tried += 1
                if not running.up():
                    outcome.harm.append(f"no answer within {UP_WITHIN_S:.0f} s after kill {number}")
                    continue
                bench = running.ask("GET", "/bench")
                there = 0 if bench is None else bench["open"]["total"] + bench["service"]["total"]
                if there != 2:
                    outcome.harm.append(f"kill {number}: {there} of 2 deployments there")
                now = running.ask("GET", "/log")["lines"][0]["id"]
                if now < lines:
                    outcome.harm.append(f"kill {number}: log lines lost")
                lines = now
                outcome.harm += lies(running, deployments)
            outcome.took_s = time.monotonic() - began
            yield outcome
        last = Outcome("after all kills: written, proven, handed over", 1)
        _settle(running, deployments, last)
        yield last


def _some_work(running: Application, deployments: list[int], dice: random.Random) -> None:
    pk = dice.choice(deployments)
    with suppress(httpx.HTTPError, StopIteration, TypeError):
        kind = dice.randrange(4)
        if kind < 2:
            drives = running.ask("GET", f"/deployments/{pk}/card")["drives"]
            drive = dice.choice([d for d in drives if not d["locked"]] or [next(iter(drives))])
            running.ask("POST", f"/deployments/{pk}/card/write",
                        {"drive_id": drive["id"], "path": drive["path"], "serial": drive["serial"], "again": drive["path"]})  # fmt: skip
        elif kind == 2:
            running.ask("POST", f"/deployments/{pk}/card/copies")
        else:
            running.ask("PUT", f"/deployments/{pk}/settings", {"host_name": f"press-{dice.randrange(1000)}"})
            running.ask("POST", f"/deployments/{pk}/settings/agree")


def _settle(running: Application, deployments: list[int], outcome: Outcome) -> None:
    """Whatever happened, a card can be written and proven, and the filled image handed over."""
    began, pk = time.monotonic(), deployments[0]
    running.ask("POST", f"/deployments/{pk}/settings/agree")
    until = time.monotonic() + 120
    while time.monotonic() < until:
        shown = running.ask("GET", f"/deployments/{pk}/card")
        if (
            shown
            and shown["current"]
            and shown["copy_of_image"]
            and shown["copy_of_image"]["made_at"]
            and shown["copy_of_image"]["current"]
        ):
            break
        free = [d for d in shown["drives"] if not d["locked"]] if shown else []
        if shown and free and not shown["current"] and not (shown["job"] and shown["job"]["active"]):
            drive = free[0]
            running.ask("POST", f"/deployments/{pk}/card/write",
                        {"drive_id": drive["id"], "path": drive["path"], "serial": drive["serial"], "again": drive["path"]})  # fmt: skip
        copy = shown["copy_of_image"] if shown else None
        if shown and (
            copy is None or (not (copy["job"] and copy["job"]["active"]) and not (copy["made_at"] and copy["current"]))
        ):
            running.ask("POST", f"/deployments/{pk}/card/copies")
        time.sleep(1)
    else:
        outcome.harm.append("no card could be proven and handed over within two minutes")
    outcome.harm += lies(running, deployments)
    outcome.took_s = time.monotonic() - began


def starts(times: int, seed: int) -> Outcome:
    """Start it and end it at a random moment of the start, the first start included, then start it for good."""
    outcome, dice, began = Outcome("started, and ended at a random moment"), random.Random(seed), time.monotonic()
    with application() as running:
        known: set[int] = set()
        for number in range(times):
            running.launch()
            # Within the first start at first; later anywhere in a start, and a little beyond.
            time.sleep(dice.random() * (25 if not known else 14))
            how = dice.choice((signal.SIGKILL, signal.SIGKILL, signal.SIGINT, signal.SIGHUP, signal.SIGTERM))
            outcome.tried += 1
            outcome.note(how.name)
            if not running.stop(how):
                outcome.harm.append(f"{how.name} {number} left processes")
            if number % 10 == 9 or number == times - 1:
                running.launch()
                if not running.up(180):
                    outcome.harm.append(
                        f"after {number + 1}: it does not start: {(running.home / 'said.txt').read_text(errors='replace')[-200:]}"
                    )
                    break
                there = {d["id"] for d in running.ask("GET", "/bench")["open"]["deployments"]}
                if not known <= there:
                    outcome.harm.append(f"after {number + 1}: deployments lost")
                made = running.ask("POST", "/deployments", {"recipe": "platen", "name": f"After {number + 1}"})
                known = there | {made["id"]}
                if not running.stop():
                    outcome.harm.append("Ctrl-C left processes")
    outcome.took_s = time.monotonic() - began
    return outcome


def together(count: int, work: Callable[[int], Any]) -> list[Any]:
    """Do `work` in `count` threads at the same moment; return what each came to."""
    barrier, answers = threading.Barrier(count), [None] * count

    def one(number: int) -> None:
        barrier.wait()
        answers[number] = work(number)

    threads = [threading.Thread(target=one, args=(n,)) for n in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return answers


def raw_attacks(port: int) -> dict[str, bytes]:
    """Return requests as bytes that no library would send."""
    head = f"Host: 127.0.0.1:{port}\r\n".encode()
    return {
        "path out of the folder": b"GET /assets/../../../../etc/passwd HTTP/1.1\r\n" + head + b"\r\n",
        "encoded path out": b"GET /assets/%2e%2e/%2e%2e/%2e%2e/etc/passwd HTTP/1.1\r\n" + head + b"\r\n",
        "zero in the path": b"GET /api/images/%00 HTTP/1.1\r\n" + head + b"\r\n",
        "path of half a letter": b"GET /api/%ff%fe HTTP/1.1\r\n" + head + b"\r\n",
        "endless path": b"GET /" + b"a" * 60_000 + b" HTTP/1.1\r\n" + head + b"\r\n",
        "another host": b"GET /api/bench HTTP/1.1\r\nHost: evil.example\r\n\r\n",
        "no host": b"GET /api/bench HTTP/1.1\r\n\r\n",
        "host of nonsense": b"GET /api/bench HTTP/1.1\r\nHost: [::1\r\n\r\n",
        "two hosts": b"GET /api/bench HTTP/1.1\r\n" + head + b"Host: evil.example\r\n\r\n",
        "origin of nonsense": b"POST /api/deployments HTTP/1.1\r\n" + head + b"Origin: http://[::1\r\nContent-Length: 2\r\n\r\n{}",
        "another origin": b"POST /api/deployments HTTP/1.1\r\n" + head + b"Origin: http://evil.example\r\nContent-Length: 2\r\n\r\n{}",
        "lone surrogate": b"POST /api/deployments HTTP/1.1\r\n" + head + b'Content-Type: application/json\r\nContent-Length: 35\r\n\r\n{"recipe": "platen", "name": "\\ud8"}',
        "zero character": b'PUT /api/deployments/1/settings HTTP/1.1\r\n' + head + b'Content-Type: application/json\r\nContent-Length: 23\r\n\r\n{"host_name":"a\\u0000"}',
        "bottomless": b"POST /api/deployments HTTP/1.1\r\n" + head + b"Content-Type: application/json\r\nContent-Length: 200000\r\n\r\n" + b"[" * 200_000,
        "not a number": b'PUT /api/deployments/1/plan HTTP/1.1\r\n' + head + b'Content-Type: application/json\r\nContent-Length: 16\r\n\r\n{"card_gb": NaN}',
        "a huge number": b'PUT /api/deployments/1/plan HTTP/1.1\r\n' + head + b'Content-Type: application/json\r\nContent-Length: 42\r\n\r\n{"card_gb": 99999999999999999999999999999}',
        "half a body": b"POST /api/deployments HTTP/1.1\r\n" + head + b"Content-Length: 5000\r\n\r\n{",
        "a wrong chunk": b"POST /api/deployments HTTP/1.1\r\n" + head + b"Transfer-Encoding: chunked\r\n\r\nzz\r\n",
        "smuggled": b"POST /api/deployments HTTP/1.1\r\n" + head + b"Content-Length: 4\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n",
        "trace": b"TRACE / HTTP/1.1\r\n" + head + b"\r\n",
        "no protocol": b"\x16\x03\x01\x00\xff\x01\r\n\r\n",
        "ten thousand headers": b"GET / HTTP/1.1\r\n" + head + b"".join(b"X-%d: y\r\n" % n for n in range(10_000)) + b"\r\n",
        "a long cookie": b"GET /api/bench HTTP/1.1\r\n" + head + b"Cookie: mintseed_session=" + b"a" * 30_000 + b"\r\n\r\n",
        "a megabyte of password": b"POST /api/session HTTP/1.1\r\n" + head + b"Content-Type: application/json\r\nContent-Length: 1000030\r\n\r\n"
        + b'{"name": "a", "password": "' + b"p" * 1_000_001 + b'"}',
    }  # fmt: skip


def attacks() -> Outcome:
    """Send every request of the list; none may bring a 5xx, a trace, or the end of the page for others."""
    outcome, began = Outcome("attack list over HTTP"), time.monotonic()
    with application() as running:
        running.launch()
        if not running.up(180):
            outcome.harm.append("it did not start")
            return outcome
        running.prepared()
        for name, request in raw_attacks(running.port).items():
            outcome.tried += 1
            status, body = sent(running.port, request)
            if b"root:" in body:
                outcome.harm.append(f"{name}: a file of this machine was handed out")
            outcome.note(f"answered {status[:1]}xx" if status[:1].isdigit() else "cut off")
            if status.startswith("5"):
                outcome.harm.append(f"{name}: {status}")
            if not running.up(10):
                outcome.harm.append(f"{name}: others get no answer any more")
        unread = [socket.create_connection(("127.0.0.1", running.port)) for _ in range(200)]
        outcome.tried += 1
        if not running.up(20):
            outcome.harm.append("200 open connections that say nothing: others get no answer")
        for connection in unread:
            connection.close()
        if "Traceback" in (running.home / "said.txt").read_text(errors="replace"):
            said = (running.home / "said.txt").read_text(errors="replace")
            outcome.harm.append(f"a trace in its output: {said[said.index('Traceback') :][:1500]!r}")
        if not running.stop():
            outcome.harm.append("processes left")
    outcome.took_s = time.monotonic() - began
    return outcome


def sent(port: int, request: bytes) -> tuple[str, bytes]:
    """Send bytes; return status and beginning of the answer, nothing when the connection was closed."""
    with suppress(OSError), socket.create_connection(("127.0.0.1", port), timeout=5) as connection:
        connection.sendall(request)
        answer = connection.recv(16384)
        parts = answer.split(b" ", 2)
        return (parts[1].decode("ascii", "replace") if len(parts) > 1 else ""), answer
    return "", b""
