"""The stand-in bench's own state, as small files in one folder; survives a restart of any process."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any


class BenchFolder:
    """Cards are sparse files; drives, boards and the air are JSON. Every write is whole or not at all."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.cards = root / "cards"
        self.boards = root / "boards"
        self.drives_file = root / "drives.json"
        self.air_file = root / "air.json"
        self.leases_file = root / "leases"
        self.neighbours_file = root / "neighbours"

    def console_file(self, unit: str) -> Path:
        """Return what the board `unit` says on its serial line, since it was powered last."""
        return self.boards / f"{unit}.console"

    def prepare(self) -> None:
        """Make the folders, for the owner alone."""
        for folder in (self.root, self.cards, self.boards):
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)

    def read(self, path: Path) -> Any:
        """Return the JSON in `path`, or None when there is none."""
        try:
            return json.loads(path.read_text())
        except (OSError, ValueError):
            return None

    def write(self, path: Path, value: Any) -> None:
        """Replace `path` by `value` as JSON, in one step."""
        self.write_text(path, json.dumps(value, indent=1))

    def write_text(self, path: Path, text: str) -> None:
        """Replace `path` by `text`, in one step, readable for the owner alone."""
        fresh = path.with_name(f".{path.name}.{os.getpid()}")
        with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
            file.write(text)
        fresh.replace(path)

    def powered(self) -> dict[str, dict[str, Any]]:
        """Return the boards that are powered, by unit: what `power.py` wrote."""
        states = ((f.stem, self.read(f)) for f in sorted(self.boards.glob("*.json")))
        return {unit: state for unit, state in states if isinstance(state, dict)}
