"""Loaded before Django is set up: gives the tests a home of their own under var/, and runs their database there."""

from __future__ import annotations

import os
from pathlib import Path

from torture.ports import free_port

PROJECT = Path(__file__).resolve().parents[1]


os.environ["MINTSEED_HOME"] = str(PROJECT / "var" / "test")
os.environ["MINTSEED_LIBRARY"] = str(PROJECT / "var" / "test" / "library")
os.environ["MINTSEED_DB_PORT"] = str(free_port())
# Another range than the demo's, so that tests and a started application do not see each other's boards.
os.environ["MINTSEED_STANDIN_LAN"] = "127.77.5.0/24"
os.environ["MINTSEED_BENCH"] = "standin"

# The settings read the account's password when they are loaded, so the database must exist before.
from mintseed.server.start import database  # noqa: E402

database.prepare(database.folder())
