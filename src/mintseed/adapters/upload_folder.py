"""Uploads as hidden files in the library's own folder: with the last piece such a file gets its name, whole or not at all."""

from __future__ import annotations

import fcntl
import json
import os
import re
import secrets
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from mintseed.adapters.library_folder import no_room, refuse_to_fill
from mintseed.core.errors import InputError, MissingError, RefusedError
from mintseed.core.image.naming import ARCHIVES, BARE, ENDINGS
from mintseed.core.limits import MAX_IMAGE_BYTES
from mintseed.core.units import decimal_size
from mintseed.core.visible import one_line
from mintseed.ports.uploads import Upload

FORGOTTEN_AFTER_S = 7 * 24 * 3600
"""seconds after which an upload that stopped is let go"""

MOST_AT_ONCE = 20

RESTS_S = 3600
"""seconds after which an upload that stopped makes room for another, where there are too many"""

_IDENT = re.compile(r"[0-9a-f]{32}")
_NAME = re.compile(r"[^\x00-\x1f\x7f/\\]{1,200}")


class UploadFolder:
    """Implements ports.Uploads."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def begin(self, name: str, size_bytes: int) -> Upload:
        name = name.strip()
        if not _NAME.fullmatch(name) or name.startswith(".") or not name.lower().endswith(ENDINGS):
            raise InputError(
                f"{one_line(name)[:120]} is no name of an image",
                expected=f"a file that ends in {', '.join((*BARE, *ARCHIVES))}, packed or not",
                where="filename",
            )
        if not 0 < size_bytes <= MAX_IMAGE_BYTES:
            raise InputError(
                f"{decimal_size(max(size_bytes, 0))} is no size of an image",
                expected=f"at most {decimal_size(MAX_IMAGE_BYTES)}",
                where="size",
            )
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            self._forget(FORGOTTEN_AFTER_S)
            if self._count() >= MOST_AT_ONCE:
                self._forget(RESTS_S)
            if self._count() >= MOST_AT_ONCE:
                raise RefusedError(
                    "too many files are on their way already", next_step="Wait until one of them is there."
                )
            ident = secrets.token_hex(16)
            with self._part(ident).open("xb") as file:
                refuse_to_fill(file.fileno(), self._folder, size_bytes)
            self._said(ident).write_text(json.dumps({"name": name, "size_bytes": size_bytes}))
        except OSError as error:
            raise no_room(error, self._folder) from error
        return Upload(ident, name, size_bytes, 0)

    def find(self, ident: str) -> Upload | None:
        if not _IDENT.fullmatch(ident):
            return None
        try:
            said = json.loads(self._said(ident).read_text())
            return Upload(ident, str(said["name"]), int(said["size_bytes"]), self._part(ident).stat().st_size)
        except (OSError, ValueError, KeyError, TypeError):
            return None

    def append(self, ident: str, offset_bytes: int, data: bytes) -> Upload:
        with self._held(ident) as upload:
            if offset_bytes != upload.received_bytes:
                raise RefusedError(
                    f"{upload.received_bytes} bytes are here, and these begin at {offset_bytes}",
                    next_step="Go on where it stopped.",
                )
            if offset_bytes + len(data) > upload.size_bytes:
                raise RefusedError("it is longer than was said", expected=f"{upload.size_bytes} bytes")
            try:
                with self._part(ident).open("ab") as file:
                    refuse_to_fill(file.fileno(), self._folder, len(data))
                    file.write(data)
                received = offset_bytes + len(data)
                if received == upload.size_bytes:
                    self._into_library(ident, upload.name)
            except OSError as error:
                raise no_room(error, self._folder) from error
            return Upload(ident, upload.name, upload.size_bytes, received)

    def abandon(self, ident: str) -> None:
        with self._held(ident):
            self._let_go(ident)

    @contextmanager
    def _held(self, ident: str) -> Iterator[Upload]:
        """Keep others from the same upload; a second request for it waits."""
        if self.find(ident) is None:
            raise MissingError("no such upload is on its way", next_step="Begin it anew.")
        with self._said(ident).open("rb") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            upload = self.find(ident)  # it may have been over meanwhile
            if upload is None:
                raise MissingError("no such upload is on its way", next_step="Begin it anew.")
            yield upload

    def _into_library(self, ident: str, name: str) -> None:
        with self._part(ident).open("rb") as file:
            os.fsync(file.fileno())
        stem = name[: -max(len(e) for e in ENDINGS if name.lower().endswith(e))]
        for number in range(1, 1000):
            target = self._folder / (name if number == 1 else f"{stem}-{number}{name[len(stem) :]}")
            try:
                os.link(self._part(ident), target)  # never over a file that is there
            except FileExistsError:
                continue
            os.utime(target)
            self._let_go(ident)
            return
        raise RefusedError(f"there are too many files called {one_line(name)}", next_step="Give it another name.")

    def _let_go(self, ident: str) -> None:
        self._part(ident).unlink(missing_ok=True)
        self._said(ident).unlink(missing_ok=True)

    def _count(self) -> int:
        return sum(1 for _ in self._folder.glob(".upload-*.json"))

    def _forget(self, after_s: float) -> None:
        """Let go of what has not grown for so long."""
        for said in self._folder.glob(".upload-*.json"):
            ident = said.name.removeprefix(".upload-").removesuffix(".json")
            part = self._part(ident)
            changed = max((path.stat().st_mtime for path in (said, part) if path.exists()), default=0.0)
            if time.time() - changed > after_s:
                self._let_go(ident)

    def _part(self, ident: str) -> Path:
        return self._folder / f".upload-{ident}"

    def _said(self, ident: str) -> Path:
        return self._folder / f".upload-{ident}.json"
