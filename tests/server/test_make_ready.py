"""It always starts again: a first start, an update and a run that are cut off at any moment are followed by a good one."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from ipaddress import IPv4Network
from pathlib import Path

import pytest
from torture.ports import free_port

from mintseed import wiring
from mintseed.core.errors import OutsideError
from mintseed.server.start.database import wait_for_port
from mintseed.server.start.supervise import RUN_MARK, dying_with_parent, end_leftovers, leftovers
from tests.database_plugin import PROJECT

Run = Callable[..., subprocess.Popen[str]]


@pytest.fixture
def home() -> Iterator[Path]:
    folder = Path(tempfile.mkdtemp(prefix="mintseed-"))  # a short path: the database's socket lies in it
    yield folder
    end_leftovers(f"{folder} test")
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture
def run(home: Path) -> Run:
    """Run a command in `home` on a real bench, where nothing but the database is to be made."""
    environment = {**os.environ, "MINTSEED_HOME": str(home), "MINTSEED_LIBRARY": str(home / "library"), "MINTSEED_BENCH": "real",
                   "MINTSEED_DB_PORT": str(free_port()), RUN_MARK: f"{home} test"}  # fmt: skip

    def begin(*command: str) -> subprocess.Popen[str]:
        return subprocess.Popen([sys.executable, *command], cwd=PROJECT, env=environment, text=True,
                                stdout=subprocess.PIPE, stderr=subprocess.STDOUT, start_new_session=True)  # fmt: skip

    return begin


READY = ("-m", "mintseed.server.start.make_ready")


def done(process: subprocess.Popen[str]) -> str:
    said, _ = process.communicate(timeout=600)
    assert process.returncode == 0, said
    return said


def kill_when(process: subprocess.Popen[str], holds: Callable[[], bool]) -> None:
    while not holds():
        assert process.poll() is None, process.communicate()[0]
        time.sleep(0.01)
    process.kill()
    process.communicate()


def nothing_left(home: Path) -> None:
    """By the rule of parent death whatever was started ends at once."""
    until = time.monotonic() + 120
    while list(leftovers(f"{home} test")) and time.monotonic() < until:
        time.sleep(0.1)
    assert not list(leftovers(f"{home} test"))


def asked(run: Run, home: Path, statement: str) -> str:
    """Ask the database of `home` through Django's own shell, and return what it printed."""
    code = (
        "from mintseed.server.start import database\n"
        "import django\n"
        "with database.started(database.folder()):\n"
        "    django.setup()\n"
        "    from mintseed.server.kept.models import Site\n"
        "    from django.core.management import call_command\n"
        f"    {statement}\n"
    )
    return done(run("-c", f"import os; os.environ['DJANGO_SETTINGS_MODULE'] = 'mintseed.server.settings'\n{code}"))


def test_a_first_start_and_an_update_that_are_killed(home: Path, run: Run) -> None:
    # Killed while the tables are made: MariaDB would keep half of them.
    tables = home / "database.fresh" / "mintseed"
    kill_when(run(*READY), lambda: tables.is_dir() and len(list(tables.glob("*.ibd"))) > 6)
    nothing_left(home)
    assert not (home / "database").exists()
    assert "making the database" in done(run(*READY))
    assert (home / "database").is_dir()
    assert not (home / "database.fresh").exists()
    # Somebody works with it; then a version with more steps is killed in the middle of them.
    earlier = "call_command('migrate', 'mintseed', '0017_machine_bench', verbosity=0)"
    asked(run, home, f"Site.objects.create(name='Harbour shed'); {earlier}")
    kill_when(run(*READY), (home / "database.before").is_dir)
    nothing_left(home)
    said = done(run(*READY))
    assert "going back to how it was before" in said
    assert "bringing the database up to date" in said
    assert not (home / "database.before").exists()
    assert "Harbour shed" in asked(run, home, "print(list(Site.objects.values_list('name', flat=True)))")
    # A password that was removed is given anew; what is in the database stays.
    (home / "secrets" / "database").unlink()
    done(run(*READY))
    assert "Harbour shed" in asked(run, home, "print(list(Site.objects.values_list('name', flat=True)))")


def test_a_killed_supervisor_leaves_nothing_and_leftovers_are_found(home: Path, run: Run) -> None:
    code = (
        "import sys\n"
        "from mintseed.server.start.supervise import Program, supervise\n"
        "sleeper = (sys.executable, '-c', 'import time; print(1, flush=True); time.sleep(600)')\n"
        "sys.exit(supervise([Program('one', sleeper), Program('two', sleeper, outlives=True)]))\n"
    )
    process = run("-c", code)
    assert process.stdout is not None
    assert {process.stdout.readline().split(" ")[0] for _ in range(2)} == {"one", "two"}
    mine = set(leftovers(f"{home} test"))
    assert len(mine) == 3
    # One that dies by itself is started again.
    one = next(pid for pid in mine if pid != process.pid)
    os.kill(one, signal.SIGKILL)
    while "starting it again" not in process.stdout.readline():
        pass
    process.stdout.readline()
    assert len(set(leftovers(f"{home} test")) - mine) == 1
    process.kill()
    process.communicate()
    nothing_left(home)
    # What escapes that rule is found by its mark and ended.
    stray = run(
        "-c",
        "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); print(1, flush=True); time.sleep(600)",
    )
    assert stray.stdout is not None
    stray.stdout.readline()
    assert end_leftovers(f"{home} elsewhere", 0.2) == 0
    assert end_leftovers(f"{home} test", 0.2) == 1
    stray.communicate()
    assert stray.returncode == -signal.SIGKILL


@pytest.mark.parametrize("number", [signal.SIGHUP, signal.SIGINT, signal.SIGTERM])
def test_a_closed_terminal_stops_it_as_ctrl_c_does(home: Path, run: Run, number: signal.Signals) -> None:
    code = (
        "import sys\n"
        "from mintseed.server.start.supervise import Program, supervise\n"
        "sleeper = (sys.executable, '-c', 'import time; print(1, flush=True); time.sleep(600)')\n"
        "sys.exit(supervise([Program('one', sleeper)]))\n"
    )
    process = run("-c", code)
    assert process.stdout is not None
    process.stdout.readline()
    process.send_signal(number)
    process.communicate(timeout=120)
    assert process.returncode == 128 + number
    assert not list(leftovers(f"{home} test"))


def test_a_port_in_use_is_said_and_had_once_it_is_free() -> None:
    """A port may be in use by a connection that merely goes out from it; nothing listens there, and no server gets it."""
    listening = socket.create_server(("127.0.0.1", free_port()))
    going_out = socket.socket()
    going_out.bind(("127.0.0.1", free_port()))
    going_out.connect(listening.getsockname())
    port = going_out.getsockname()[1]
    with pytest.raises(OutsideError, match=f"another program uses port {port}"):
        wait_for_port(port, seconds=0.3)
    # Whoever closes last keeps no port.
    listening.accept()[0].close()
    listening.close()
    going_out.close()
    wait_for_port(port, seconds=10)


def test_lines_of_programs_that_speak_at_once_stay_lines(run: Run) -> None:
    talker = "(sys.executable, '-c', 'for n in range(2000): print(chr(120) * 60, flush=True)')"
    code = (
        "import sys, threading, subprocess\n"
        "from mintseed.server.start import supervise\n"
        "sys.setswitchinterval(1e-6)\n"
        f"programs = [supervise.Program(f'talker{{n}}', {talker}, once=n == 0) for n in range(4)]\n"
        "running = [subprocess.Popen(p.command, stdout=subprocess.PIPE) for p in programs]\n"
        "threads = [threading.Thread(target=supervise._pass_on, args=pair) for pair in zip(programs, running)]\n"
        "[t.start() for t in threads]; [t.join() for t in threads]; [p.wait() for p in running]\n"
    )
    said = done(run("-c", code)).splitlines()
    assert len(said) == 4 * 2000
    assert set(said) == {"x" * 60, *(f"talker{n}  | {'x' * 60}" for n in (1, 2, 3))}


def test_a_child_whose_parent_is_gone_before_it_begins_does_not_begin() -> None:
    """Between being made and asking for its parent's death signal a child can lose its parent, and would never be told."""
    assert subprocess.run(dying_with_parent(["true"]), check=False).returncode == 0
    # What was to be started by this process is started by another one, as if this one had died meanwhile.
    for_me = dying_with_parent(["echo", "it began"])
    by_another = subprocess.run(
        ["sh", "-c", '"$@"; exit $?', "sh", *for_me], capture_output=True, text=True, check=False
    )
    assert (by_another.returncode, by_another.stdout) == (137, "")


def test_each_new_home_has_a_pretend_network_of_its_own(tmp_path: Path) -> None:
    """The pretend devices of two homes share loopback, and must not share addresses."""
    homes = [tmp_path / name for name in ("one", "two")]
    for home in homes:
        home.mkdir()
        assert wiring.kept_lan(home) == wiring.FIRST_LAN  # a home from before each had its own
        wiring.keep_own_lan(home)
        wiring.keep_own_lan(home)
    lans = [IPv4Network(wiring.kept_lan(home)) for home in homes]
    assert not lans[0].overlaps(lans[1])
    assert all(lan.is_loopback and not lan.overlaps(IPv4Network(wiring.FIRST_LAN)) for lan in lans)
    (homes[0] / "standin-lan").write_text("nonsense\n")
    assert wiring.kept_lan(homes[0]) == wiring.FIRST_LAN
    # The usual home keeps what its site has had all along.
    assert not (wiring.PROJECT / "var" / "standin-lan").exists()
