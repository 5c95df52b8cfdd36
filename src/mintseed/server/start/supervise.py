"""Start the application's processes, start again what dies by itself, and leave nothing behind, however this one ends.

python -m mintseed.server.start.supervise application|bench    run them until SIGINT, SIGTERM or SIGHUP
python -m mintseed.server.start.supervise leftovers            end what an earlier run of this home left behind

One rule of parent death: every process is started with PR_SET_PDEATHSIG (prctl(2), by setpriv), so that it ends when the
supervisor is killed too. All are built to be killed at any moment; a database that is starting does not hear SIGTERM.
"""

from __future__ import annotations

import os
import select
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path

from mintseed.core.card.progress import CARDS_AT_ONCE

RUN_MARK = "MINTSEED_RUN"
"""In the environment of every process of one run: the home and what runs there. Only the start scripts set it."""

STOPS_WITHIN_S = 4.0
"""seconds a process gets to end by itself; work on a card that takes longer is said to be unfinished."""

DATABASE_STOPS_WITHIN_S = 30.0
PAGE_FIRST_S = 2.5
STEADY_AFTER_S = 5.0
LONGEST_WAIT_S = 10.0
"""A process that dies again within STEADY_AFTER_S is waited for twice as long each time, up to this."""


@dataclass(frozen=True, slots=True)
class Program:
    """What is run. `outlives`: it ends after all others. `once`: it is not started again, and prints as it likes.
    `begins_after_s`: it lets the others come up first. `descriptors`: open files it inherits."""

    name: str
    command: tuple[str, ...]
    outlives: bool = False
    once: bool = False
    begins_after_s: float = 0.0
    descriptors: tuple[int, ...] = ()


def _manage(*arguments: str) -> tuple[str, ...]:
    return (sys.executable, "manage.py", *arguments)


def _worker(queue: str, at_once: int = 1) -> tuple[str, ...]:
    return _manage("worker", "--queue-name", queue, "--at-once", str(at_once))


def bench_programs(bench_name: str, *, begins_after_s: float = 0.0) -> tuple[Program, ...]:
    """Return what one bench needs: a worker that writes cards, some side by side, one that reads images, its agent, and the stand-in boards."""
    return (
        Program("agent", _manage("bench_agent"), begins_after_s=begins_after_s),
        Program("cards", _worker(f"cards-{bench_name}", CARDS_AT_ONCE), begins_after_s=begins_after_s),
        Program("images", _worker(f"images-{bench_name}"), begins_after_s=begins_after_s),
        Program("boards", _manage("standin_bench"), begins_after_s=begins_after_s),
    )


MOST_WEB = 4


def web_processes(cores: int) -> int:
    """Return how many processes answer: one a core. Measured on two cores with eight people at once, the second one halves what they
    wait for most screens, though it shares its core with the database; it takes 80 MB."""
    return max(1, min(MOST_WEB, cores))


def application_programs(environment: dict[str, str], cores: int) -> tuple[Program, ...]:
    """Return the whole application. Its address is taken here; raises OSError when it cannot be."""
    listening = socket.create_server((environment["MINTSEED_HOST"], int(environment["MINTSEED_PORT"])), backlog=2048)
    door = listening.detach()
    of = web_processes(cores)
    web = (sys.executable, "-m", "mintseed.server.doors.web", str(door))
    first, *more = [Program("web", (*web, str(n), str(of)), descriptors=(door,)) for n in range(1, of + 1)]
    return (
        Program("database", (sys.executable, "-m", "mintseed.server.start.database", "run"), outlives=True),
        first,
        # The page first: every process takes a second or two of a core to come up.
        *bench_programs(environment["MINTSEED_BENCH_NAME"], begins_after_s=PAGE_FIRST_S),
        *(replace(program, begins_after_s=PAGE_FIRST_S) for program in more),
        Program("welcome", (sys.executable, "-m", "mintseed.server.start.welcome"), once=True),
    )


_UNLESS_ORPHANED = '[ "$PPID" = "$0" ] || exit 137; exec "$@"'
"""The signal is promised from the moment it is asked for; a parent that died just before that sends none (prctl(2))."""


def dying_with_parent(command: Sequence[str]) -> list[str]:
    """Return `command` so that it is killed when this process, which is to start it, dies."""
    return ["setpriv", "--pdeathsig", "KILL", "--", "sh", "-c", _UNLESS_ORPHANED, str(os.getpid()), *command]


@dataclass
class Child:
    """A program and the process that runs it now."""

    program: Program
    process: subprocess.Popen[bytes] | None = None
    began_s: float = 0.0
    again_at_s: float = 0.0
    wait_s: float = field(default=0.5)
    over: bool = False

    def start(self) -> None:
        self.began_s = time.monotonic()
        # A session of its own: the terminal's Ctrl-C reaches the supervisor alone, which ends them in their order.
        self.process = subprocess.Popen(
            dying_with_parent(self.program.command),
            stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, start_new_session=True,
            pass_fds=self.program.descriptors,
        )  # fmt: skip
        threading.Thread(target=_pass_on, args=(self.program, self.process), daemon=True).start()

    def note_end(self) -> None:
        """When it ended by itself, say so and when it is started again."""
        if self.process is None or self.process.poll() is None:
            return
        if self.program.once:
            self.over, self.process = True, None
            return
        status, lasted_s = self.process.returncode, time.monotonic() - self.began_s
        self.wait_s = 0.5 if lasted_s > STEADY_AFTER_S else min(self.wait_s * 2, LONGEST_WAIT_S)
        self.again_at_s, self.process = time.monotonic() + self.wait_s, None
        say(self.program.name, f"ended with status {status}; starting it again")

    def signal(self, number: int) -> None:
        if self.process is not None and self.process.poll() is None:
            with suppress(ProcessLookupError):
                os.killpg(self.process.pid, number)


_one_line_at_a_time = threading.Lock()


def say(name: str, text: str) -> None:
    """Print one line of one program; of a program without a name, the text as it is."""
    line = f"{name:<8} | {text}" if name else text
    # Every program has a thread here, and `print` writes a line and its end apart.
    with _one_line_at_a_time, suppress(OSError):  # a closed terminal takes no more; what runs is stopped all the same
        print(line, flush=True)


def _pass_on(program: Program, process: subprocess.Popen[bytes]) -> None:
    if process.stdout is not None:
        for line in process.stdout:
            text = line.decode("utf-8", "replace").rstrip("\n")
            say("" if program.once else program.name, text)


def supervise(programs: Sequence[Program]) -> int:
    """Run `programs` until a signal asks for a stop; return 128 and its number, as a shell does."""
    woken, wake = os.pipe()
    os.set_blocking(wake, False)
    os.set_blocking(woken, False)
    asked: list[int] = []
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda received, _: asked.append(received))
    signal.signal(signal.SIGCHLD, lambda *_: None)
    signal.set_wakeup_fd(wake, warn_on_full_buffer=False)
    children = [Child(p) for p in programs]
    began_s = time.monotonic()
    for child in children:
        child.again_at_s = began_s + child.program.begins_after_s
        if not child.program.begins_after_s:
            child.start()
    while not asked:
        pending = [c.again_at_s for c in children if c.process is None and not c.over]
        select.select([woken], [], [], max(0.0, min(pending) - time.monotonic()) if pending else None)
        with suppress(BlockingIOError):
            os.read(woken, 4096)
        for child in children:
            child.note_end()
            if child.process is None and not child.over and not asked and time.monotonic() >= child.again_at_s:
                child.start()
    _stop([c for c in children if not c.program.outlives], STOPS_WITHIN_S)
    _stop([c for c in children if c.program.outlives], DATABASE_STOPS_WITHIN_S)
    return 128 + asked[0]


def _stop(children: Sequence[Child], seconds: float) -> None:
    for child in children:
        child.signal(signal.SIGTERM)
    until = time.monotonic() + seconds
    for child in children:
        if child.process is not None:
            try:
                child.process.wait(max(0.0, until - time.monotonic()))
            except subprocess.TimeoutExpired:
                child.signal(signal.SIGKILL)
                child.process.wait()


def leftovers(mark: str) -> Iterator[int]:
    """Yield the processes of an earlier run with this mark; never this one, nor those it comes from."""
    mine, wanted = set(_ancestors(os.getpid())), f"{RUN_MARK}={mark}".encode()
    for entry in Path("/proc").iterdir():
        if not entry.name.isdigit() or int(entry.name) in mine:
            continue
        with suppress(OSError):
            if wanted in (entry / "environ").read_bytes().split(b"\0"):
                yield int(entry.name)


def _ancestors(pid: int) -> Iterator[int]:
    while pid > 1:
        yield pid
        try:
            # proc(5): the fields behind the name's closing parenthesis are state and parent.
            pid = int(Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[1])
        except (OSError, ValueError):
            return


def end_leftovers(mark: str, seconds: float = 10.0) -> int:
    """End what an earlier run left behind: asked first, killed when it does not go. Returns how many there were."""
    found = set(leftovers(mark))
    for number, patience_s in ((signal.SIGTERM, seconds), (signal.SIGKILL, seconds)):
        for pid in leftovers(mark):
            with suppress(ProcessLookupError, PermissionError):
                os.kill(pid, number)
        until = time.monotonic() + patience_s
        while time.monotonic() < until and any(True for _ in leftovers(mark)):
            time.sleep(0.1)
    return len(found)


def main(arguments: Sequence[str]) -> int:
    verb = arguments[0] if arguments else ""
    if verb == "application":
        return supervise(application_programs(dict(os.environ), len(os.sched_getaffinity(0))))
    if verb == "bench":
        return supervise(bench_programs(os.environ["MINTSEED_BENCH_NAME"]))
    if verb == "leftovers":
        if count := end_leftovers(os.environ[RUN_MARK]):
            print(f"  ended {count} processes that an earlier run had left behind")
        return 0
    print(__doc__, file=sys.stderr)
    return 64


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
