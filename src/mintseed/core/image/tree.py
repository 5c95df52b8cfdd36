"""The files of a system, asked for one at a time: what a reader of an image's root volume may ask."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Protocol


class Tree(Protocol):
    """Paths are relative to the system's root. What is too much, or cannot be read, is as if it were not there."""

    def folder(self, path: str) -> tuple[str, ...]:
        """Return the names in a folder; nothing when it is none."""

    def read(self, path: str) -> bytes | None:
        """Return a small file, links followed inside the tree; None when there is none."""

    def link(self, path: str) -> str | None:
        """Return where the symbolic link at `path` leads, as it is written; None when it is none."""


class FixedTree:
    """A tree that was read already: `files` (path → content), names in `folders` beside those that the files give, and `links`."""

    def __init__(
        self,
        files: Mapping[str, bytes],
        folders: Mapping[str, Collection[str]] = {},
        links: Mapping[str, str] = {},
    ) -> None:
        self._files, self._links = files, links
        self._folders: dict[str, dict[str, None]] = {path: dict.fromkeys(names) for path, names in folders.items()}
        for path in (*files, *links):
            steps = path.split("/")
            for count in range(1, len(steps)):
                self._folders.setdefault("/".join(steps[:count]), {})[steps[count]] = None

    def folder(self, path: str) -> tuple[str, ...]:
        return tuple(self._folders.get(path, ()))

    def read(self, path: str) -> bytes | None:
        return self._files.get(path)

    def link(self, path: str) -> str | None:
        return self._links.get(path)


def text_of(tree: Tree, path: str) -> str:
    """Return a file as text, empty where there is none."""
    return (tree.read(path) or b"").decode("utf-8", "replace")
