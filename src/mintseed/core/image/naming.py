"""Names of images: that of a file in the library, and behind a slash, which no file's name has, the path of one of several images in it."""

from __future__ import annotations

import itertools

from mintseed.core.errors import InputError
from mintseed.core.visible import one_line

BARE = (".img", ".raw", ".iso", ".bin", ".wic")
CODECS = ("", ".xz", ".gz", ".bz2", ".zst")
ARCHIVES = (".zip", ".7z", ".tar", ".tar.xz", ".tar.gz", ".tar.bz2", ".tar.zst", ".txz", ".tgz")

ENDINGS = (*(bare + codec for bare, codec in itertools.product(BARE, CODECS)), *ARCHIVES)
"""How a file ends that is looked at as an image; what it is, its content says."""


MOST_FILE_NAME_BYTES = 255
"""of one name in a folder. Source: POSIX NAME_MAX, and what ext4, FAT and exFAT take"""


def new_name(text: str) -> str:
    """Return `text` as the new name of a file in the library. Raises InputError saying what cannot be."""
    name = text.strip()
    if not name or name.startswith(".") or any(c in name for c in "/\\") or not name.isprintable():
        raise InputError(f"{one_line(name)!r} cannot be a file's name here", expected="no slash, no backslash, no dot in front, nothing invisible", where="name")  # fmt: skip
    if len(name.encode()) > MOST_FILE_NAME_BYTES:
        raise InputError(f"it is {len(name.encode())} bytes long", expected=f"at most {MOST_FILE_NAME_BYTES}", where="name")  # fmt: skip
    if not name.lower().endswith(ENDINGS):
        raise InputError(f"{one_line(name)} does not end as an image does", expected="an ending such as .img.xz or .zip, as it had before", where="name",
                         next_step="Keep its ending: by it the file is taken for an image.")  # fmt: skip
    return name


def file_of(name: str) -> str:
    """Return the name of the library's file that the image called `name` lies in."""
    return name.partition("/")[0]


def inside_of(name: str) -> str:
    """Return the path in its archive of the image called `name`; empty where the file holds one image only."""
    return name.partition("/")[2]


def name_inside(file: str, path: str) -> str:
    """Return the name of the image at `path` in the archive called `file`."""
    return f"{file}/{path}"


def own_name(name: str) -> str:
    """Return what the image itself is called, without folders and archive."""
    return name.rpartition("/")[2]


def names_of(name: str, inside: str = "") -> tuple[str, ...]:
    """Return what a recipe may call the image `name`, whose path in its archive is `inside` where that was read: its own name, or its file's."""
    return tuple(dict.fromkeys((file_of(name), own_name(inside or name))))
