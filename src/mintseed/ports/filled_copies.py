"""Filled images kept as files for a while."""

from __future__ import annotations

from contextlib import AbstractContextManager
from typing import BinaryIO, Protocol


class FilledCopies(Protocol):
    def new(self, name: str, size_bytes: int) -> AbstractContextManager[BinaryIO]:
        """Return a fresh file for `size_bytes`, to be written and read again, which takes `name` only when the context ends without an error.

        Raises OutsideError when there is no room.
        """

    def open(self, name: str) -> BinaryIO:
        """Open the copy called `name`. Raises MissingError when it is gone."""

    def names(self) -> frozenset[str]:
        """Return the copies there are."""

    def remove(self, name: str) -> None:
        """Remove the copy called `name`, if it is there."""
