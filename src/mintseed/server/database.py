"""The application's own MariaDB: made, started and stopped under its own folder, on loopback only.

python -m mintseed.server.database prepare    make the data folder and the account, where they are missing
python -m mintseed.server.database run        become the database process
python -m mintseed.server.database wait       return when it answers
"""

from __future__ import annotations

import getpass
import os
import secrets
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from mintseed.core.errors import MintSeedError, OutsideError, ToolError
from mintseed.wiring import config

WAIT_S = 30.0
ACCOUNT = "mintseed"
SQL_MODE = "STRICT_ALL_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION"


@dataclass(frozen=True)
class DatabaseFolder:
    """Where one MariaDB lives. The socket's path must stay under 100 characters, or the system refuses it."""

    home: Path
    port: int

    @property
    def data(self) -> Path:
        return self.home / "database"

    @property
    def socket(self) -> Path:
        return self.home / "database.sock"

    @property
    def password_file(self) -> Path:
        return self.home / "secrets" / "database"

    def password(self) -> str:
        """Return the account's password; empty before `prepare`."""
        return self.password_file.read_text().strip() if self.password_file.exists() else ""


def folder() -> DatabaseFolder:
    """Return this process's database folder."""
    return DatabaseFolder(config().home, int(os.environ.get("MINTSEED_DB_PORT", "34870")))


def server_arguments(place: DatabaseFolder) -> list[str]:
    """Return the command that becomes the database process."""
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
        f"--port={place.port}",
        "--bind-address=127.0.0.1",
        f"--pid-file={place.home / 'database.pid'}",
        f"--log-error={place.home / 'database.log'}",
        f"--sql-mode={SQL_MODE}",
        "--character-set-server=utf8mb4",
        "--collation-server=utf8mb4_unicode_ci",
        "--innodb-buffer-pool-size=96M",
        "--skip-name-resolve",
        f"--user={getpass.getuser()}",
    ]


def prepare(place: DatabaseFolder) -> None:
    """Make the data folder and the application's account, if they are not there yet."""
    for part in (place.home, place.password_file.parent):
        part.mkdir(parents=True, exist_ok=True, mode=0o700)
    if (place.data / "mysql").is_dir() and place.password():
        return
    if place.data.exists():
        shutil.rmtree(place.data)  # a first start that was cut off before the account existed: nothing is in it
    user = getpass.getuser()
    done = subprocess.run(
        [
            "mariadb-install-db",
            "--no-defaults",
            f"--datadir={place.data}",
            f"--user={user}",
            "--auth-root-authentication-method=socket",
            f"--auth-root-socket-user={user}",
            "--skip-test-db",
        ],
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        raise ToolError(f"the database could not be made: {done.stderr.strip() or done.stdout.strip()[-400:]}")
    password = secrets.token_urlsafe(24)
    with started(place):
        _sql(
            place,
            f"CREATE DATABASE {ACCOUNT} CHARACTER SET utf8mb4; "
            f"CREATE USER '{ACCOUNT}'@'localhost' IDENTIFIED BY '{password}'; "
            f"GRANT ALL ON `%{ACCOUNT}`.* TO '{ACCOUNT}'@'localhost'; "
            # The same account over TCP, for a bench that comes through a tunnel; the server listens on loopback only.
            f"CREATE USER '{ACCOUNT}'@'127.0.0.1' IDENTIFIED BY '{password}'; "
            f"GRANT ALL ON `%{ACCOUNT}`.* TO '{ACCOUNT}'@'127.0.0.1';",
        )
    descriptor = os.open(place.password_file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "w") as file:
        file.write(password)


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
    """Run the database for as long as the context lasts."""
    process = subprocess.Popen(
        server_arguments(place), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
    )
    try:
        wait(place)
        yield
    finally:
        process.terminate()
        process.wait(60)


def main(arguments: list[str]) -> int:
    place, verb = folder(), arguments[0] if arguments else ""
    try:
        return _act(place, verb)
    except MintSeedError as error:
        print(error.sentence(), file=sys.stderr)
        return 1


def _act(place: DatabaseFolder, verb: str) -> int:
    if verb == "prepare":
        prepare(place)
    elif verb == "wait":
        wait(place)
    elif verb == "run":
        command = server_arguments(place)
        os.execv(command[0], command)
    else:
        print(__doc__, file=sys.stderr)
        return 64
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
