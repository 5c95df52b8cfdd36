"""Loaded before Django is set up: gives the tests a home of their own under var/, and runs their database there.

Tests that run side by side (`-n 2`, and the browser's beside them) have a home, a library, a database and a pretend network each.
"""

from __future__ import annotations

import os
import sys
from pathlib import Path

from torture.ports import free_port

PROJECT = Path(__file__).resolve().parents[1]
WORKER = os.environ.get("PYTEST_XDIST_WORKER", "")
NUMBER = int(WORKER.removeprefix("gw") or os.environ.get("MINTSEED_TESTS_PLACE") or 0)
HOME = Path(os.environ.get("MINTSEED_TESTS_ROOM", PROJECT / "var")) / (f"test-{NUMBER}" if NUMBER else "test")

os.environ["MINTSEED_HOME"] = str(HOME)
os.environ["MINTSEED_LIBRARY"] = str(HOME / "library")
os.environ["MINTSEED_DB_PORT"] = str(free_port())
# Another range than the demo's, so that tests and a started application do not see each other's boards.
LAN = f"127.77.{5 + NUMBER}.0/24"
os.environ["MINTSEED_STANDIN_LAN"] = LAN
os.environ["MINTSEED_BENCH"] = "standin"

# The settings read the account's password when they are loaded, so the database must exist before.
from mintseed.server.start import database  # noqa: E402

# Who only hands out tests has no database.
if WORKER or not any(a.startswith(("-n", "--numprocesses")) for a in sys.argv):
    database.prepare(database.folder())
