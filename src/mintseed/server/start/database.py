"""The application's own MariaDB: made, started and stopped under its own folder, on loopback only.

python -m mintseed.server.start.database run        become the database process
python -m mintseed.server.start.database wait       return when it answers

MariaDB cannot roll back changes of tables, so a data folder is built under another name, and takes its own when it is
whole: see make_ready.py, which also keeps a copy of it while an update of its tables is at work.
"""

from __future__ import annotations

import getpass
import os
import shutil
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

from mintseed.core.errors import MintSeedError, OutsideError, ToolError
from mintseed.server.kept.secret_files import kept_secret
from mintseed.server.start.supervise import dying_with_parent
from mintseed.wiring import config

WAIT_S = 30.0
ACCOUNT = "mintseed"
SQL_MODE = "STRICT_ALL_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION"


@dataclass(frozen=True)
class DatabaseFolder:
    """Where one MariaDB lives. The socket's path must stay under 100 characters, or the system refuses it."""

    home: Path
    port: int
    name: str = "database"

    @property
    def data(self) -> Path:
        return self.home / self.name

    @property
    def exists(self) -> bool:
        """Whether there is one: a data folder gets its name only when it is whole."""
        return (self.data / "mysql").is_dir()

    @property
    def socket(self) -> Path:
        return self.home / "database.sock"

    @property
    def password_file(self) -> Path:
        return self.home / "secrets" / "database"

    def scratch(self) -> Path:
        """Return a folder for temporary tables, made if need be. A MariaDB that starts removes the temporary tables it finds in
        its folder, so two that share one, such as /tmp, take each other's away."""
        folder = self.home / "database-scratch"
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        return folder

    def password(self) -> str:
        """Return the account's password; empty before `prepare`."""
        return self.password_file.read_text().strip() if self.password_file.exists() else ""


def folder() -> DatabaseFolder:
    """Return this process's database folder."""
    return DatabaseFolder(config().home, int(os.environ.get("MINTSEED_DB_PORT", "24870")))


def server_arguments(place: DatabaseFolder, *, listens: bool) -> list[str]:
    """Return the command that becomes the database process. `listens`: at its port too, not at its socket's file alone."""
    binary = shutil.which("mariadbd", path=os.environ.get("PATH", "") + ":/usr/sbin")
    if binary is None:
        raise ToolError("mariadbd is not installed", next_step="Install the Debian package mariadb-server.")
    if len(str(place.socket)) > 100:
        raise OutsideError(
            "the folder's path is too long for a socket", where=str(place.home), next_step="Move it higher up."
        )
    return [
        binary,
        "--no-defaults",
        f"--datadir={place.data}",
        f"--socket={place.socket}",
        *((f"--port={place.port}", "--bind-address=127.0.0.1") if listens else ("--skip-networking",)),
        f"--pid-file={place.home / 'database.pid'}",
        f"--tmpdir={place.scratch()}",
        f"--log-error={place.home / 'database.log'}",
        f"--sql-mode={SQL_MODE}",
        "--character-set-server=utf8mb4",
        "--collation-server=utf8mb4_unicode_ci",
        "--innodb-buffer-pool-size=96M",
        "--skip-name-resolve",
        f"--user={getpass.getuser()}",
    ]


def prepare(place: DatabaseFolder) -> None:
    """Make the data folder with the application's account, and no tables yet, if nothing is there."""
    if not place.data.exists():
        make(place).data.rename(place.data)
    elif not place.password():
        with started(place):
            _give_account(place)  # somebody removed the password's file; what is in the database stays


def make(place: DatabaseFolder) -> DatabaseFolder:
    """Return a new data folder with the application's account, under another name than that of `place`."""
    fresh = replace(place, name=f"{place.name}.fresh")
    place.home.mkdir(parents=True, exist_ok=True, mode=0o700)
    if fresh.data.exists():
        shutil.rmtree(fresh.data)  # cut off; it never had the name under which anything is kept
    _install(fresh)
    with started(fresh):
        _give_account(fresh)
    return fresh


def _install(place: DatabaseFolder) -> None:
    user = getpass.getuser()
    done = subprocess.run(
        [
            *dying_with_parent(()),
            "mariadb-install-db",
            "--no-defaults",
            f"--datadir={place.data}",
            f"--user={user}",
            "--auth-root-authentication-method=socket",
            f"--auth-root-socket-user={user}",
            "--skip-test-db",
        ],
        env={**os.environ, "TMPDIR": str(place.scratch())},
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        raise ToolError(f"the database could not be made: {done.stderr.strip() or done.stdout.strip()[-400:]}")


def _give_account(place: DatabaseFolder) -> None:
    """Make the application's account with a new password, and its database if there is none."""
    place.password_file.unlink(missing_ok=True)
    password = kept_secret(place.password_file)
    # The same account over TCP, for a bench that comes through a tunnel; the server listens on loopback only.
    accounts = (f"'{ACCOUNT}'@'localhost'", f"'{ACCOUNT}'@'127.0.0.1'")
    statements = [f"CREATE DATABASE IF NOT EXISTS {ACCOUNT} CHARACTER SET utf8mb4;"]
    for account in accounts:
        statements.append(f"CREATE OR REPLACE USER {account} IDENTIFIED BY '{password}';")
        statements.append(f"GRANT ALL ON `%{ACCOUNT}`.* TO {account};")
    _sql(place, "\n".join(statements))


def _sql(place: DatabaseFolder, statements: str) -> None:
    done = subprocess.run(
        ["mariadb", "--no-defaults", f"--socket={place.socket}", f"--user={getpass.getuser()}"],
        input=statements,
        text=True,
        capture_output=True,
        check=False,
    )
    if done.returncode:
        raise ToolError(f"the database refused its first account: {done.stderr.strip()}")


def wait(place: DatabaseFolder, seconds: float = WAIT_S) -> None:
    """Return when the database answers. Raises OutsideError with the end of its log when it does not."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        done = subprocess.run(
            ["mariadb-admin", "--no-defaults", f"--socket={place.socket}", "--user=nobody", "ping"],
            capture_output=True,
            text=True,
            check=False,
        )
        # ping answers 0 even when the account is refused: refused by a running server is an answer.
        if done.returncode == 0:
            return
        time.sleep(0.1)
    log = place.home / "database.log"
    last = [line for line in log.read_text(errors="replace").splitlines() if "ERROR" in line] if log.exists() else []
    raise OutsideError(
        f"the database did not come up within {seconds:.0f} s",
        where=last[-1] if last else str(log),
        next_step=f"Is port {place.port} taken, or the disk full? Set MINTSEED_DB_PORT to another port, or make room.",
    )


@contextmanager
def started(place: DatabaseFolder) -> Iterator[None]:
    """Run the database for as long as the context lasts, for this machine's own processes."""
    process = subprocess.Popen(
        dying_with_parent(server_arguments(place, listens=False)), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        start_new_session=True,
    )  # fmt: skip
    try:
        wait(place)
        yield
    finally:
        process.terminate()
        process.wait(60)


def wait_for_port(port: int, seconds: float = 5.0) -> None:
    """Return when `port` can be had. Raises OutsideError while another program uses it, be it for a connection of its own."""
    until = time.monotonic() + seconds
    while True:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
                return
            except OSError as error:
                if time.monotonic() > until:
                    raise OutsideError(
                        f"another program uses port {port}", where="127.0.0.1",
                        next_step="End it, or set MINTSEED_DB_PORT to another port and start again.",
                    ) from error  # fmt: skip
        time.sleep(0.2)


def main(arguments: list[str]) -> int:
    place, verb = folder(), arguments[0] if arguments else ""
    try:
        return _act(place, verb)
    except MintSeedError as error:
        print(error.sentence(), file=sys.stderr)
        return 1


def _act(place: DatabaseFolder, verb: str) -> int:
    if verb == "wait":
        wait(place)
    elif verb == "run":
        wait_for_port(place.port)
        command = server_arguments(place, listens=True)
        os.execv(command[0], command)
    else:
        print(__doc__, file=sys.stderr)
        return 64
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
