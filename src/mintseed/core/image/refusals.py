"""What is said of a file that is no image, or none that can be unpacked: each cause by its name, each with what to do."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Self

from mintseed.core.errors import ImageError
from mintseed.core.findings import COMMON_PRACTICE, Finding, Severity
from mintseed.core.units import binary_size, decimal_size
from mintseed.core.words import sentence

IMAGE = "a card image, bare or packed with xz, gzip, bzip2 or zstd, also inside a zip, 7z or tar archive"

AGAIN = "Download it again, and compare its checksum."

_SHOWN_NAMES = 6
_MOST_OFFERED = 100
"""images of one archive that can be chosen from; of more it is only said how many there are"""


class UnreadableImageError(ImageError):
    """An ImageError whose cause is a finding."""

    finding = Finding("image.damaged", Severity.STOP, "It cannot be read", fix=AGAIN)

    @classmethod
    def of(cls, finding: Finding, *, expected: str = "") -> Self:
        """Return the error for `finding`."""
        found = finding.title[:1].lower() + finding.title[1:]
        detail = f". {finding.detail.rstrip('.')}" if finding.detail else ""
        made = cls(found + detail, expected=expected, next_step=finding.fix)
        made.finding = finding
        return made


class SeveralImagesError(UnreadableImageError):
    """An archive holds several images and nobody said which; `inside` are the first of their paths in it, with their sizes in bytes as packed there."""

    inside: tuple[tuple[str, int], ...] = ()


def _stop(code: str, title: str, detail: str = "", fix: str = "", source: str = COMMON_PRACTICE) -> Finding:
    return Finding(code, Severity.STOP, title, detail, fix, source=source)


def empty() -> UnreadableImageError:
    return UnreadableImageError.of(_stop("image.empty", "The file is empty", fix="Download it again."), expected=IMAGE)


def web_page() -> UnreadableImageError:
    return UnreadableImageError.of(
        _stop("image.web-page", "This is a saved web page, not an image", fix="Open the download page again and follow its link to the file itself."),
        expected=IMAGE,
    )  # fmt: skip


def checksum_file() -> UnreadableImageError:
    return UnreadableImageError.of(
        _stop("image.checksum-file", "This is a checksum list, not an image", "It says what a whole download comes to.",
              "Keep it beside the image it speaks of, under a name that does not end like an image's."),
        expected=IMAGE,
    )  # fmt: skip


def other_kind(what: str) -> UnreadableImageError:
    """Return the error for a file that is plainly `what`, such as "a PDF document"."""
    return UnreadableImageError.of(
        _stop("image.other-kind", f"This is {what}, not an image", fix="Mind which file of the release is the image for a card."),
        expected=IMAGE,
    )  # fmt: skip


def cut_short(packing: str, at_bytes: int, trailer: str, source: str = COMMON_PRACTICE) -> UnreadableImageError:
    """Return the error for packed data that ends early, `at_bytes` of it; `trailer`: what should stand at its end."""
    return UnreadableImageError.of(
        _stop("image.cut-short", f"The {packing} data stops before its end", f"At byte {at_bytes} ({decimal_size(at_bytes)}), without {trailer}.",
              "The download was cut short: fetch it again.", source),
    )  # fmt: skip


def damaged(packing: str, near_bytes: int, why: str) -> UnreadableImageError:
    """Return the error for packed data that makes no sense; `near_bytes`: how much of it was read."""
    return UnreadableImageError.of(
        _stop("image.damaged", f"The {packing} data is damaged", sentence(f"within its first {near_bytes} bytes: {why}"), AGAIN), expected=f"whole {packing} data"
    )  # fmt: skip


def trailing(packing: str, behind: bytes) -> UnreadableImageError:
    return UnreadableImageError.of(
        _stop("image.trailing-bytes", f"Other bytes follow the end of the {packing} data: {behind.hex(' ')} and on",
              fix="Something was added to the file, or two files were joined: download it again and compare its checksum."),
        expected=f"the end of the file, or more {packing} data",
    )  # fmt: skip


def window_too_large() -> UnreadableImageError:
    return UnreadableImageError.of(
        _stop("image.window", "Its zstd window is larger than 128 MiB", fix="Unpack it with zstd --long=31 -d, and put the unpacked image into the library.",
              source="RFC 8878 §3.1.1.1.2"),
        expected="a window that zstd unpacks without --long",
    )  # fmt: skip


def locked(path: str) -> UnreadableImageError:
    return UnreadableImageError.of(
        _stop("image.locked", "The archive wants a password", f"Encrypted in it: {path}.", "Unpack it with its password, and put the image into the library.",
              "APPNOTE.TXT §4.4.4"),
    )  # fmt: skip


def packed_otherwise(kind: str, why: str) -> UnreadableImageError:
    return UnreadableImageError.of(
        _stop("image.packed-otherwise", f"This {kind} is packed in a way that is not read here", sentence(f"met in it: {why}"), "Unpack it, and put the image itself into the library."),
        expected=IMAGE,
    )  # fmt: skip


def nested(layers: Sequence[str]) -> UnreadableImageError:
    return UnreadableImageError.of(
        _stop("image.nested", "It is packed in too many layers", f"Outermost first: {', '.join(layers)}.",
              "Take the inner archive out, and put that into the library."),
        expected=IMAGE,
    )  # fmt: skip


def bomb(found: str, cap: str) -> UnreadableImageError:
    """Return the error for what unpacks to more than any image comes to."""
    return UnreadableImageError.of(
        _stop("image.bomb", "It unpacks to more than any image does", f"{found}; {cap} are read.", "Do not use it; download the image from its own page.")
    )  # fmt: skip


def none_inside(kind: str, names: Sequence[str], count: int) -> UnreadableImageError:
    more = f" and {count - _SHOWN_NAMES} more" if count > _SHOWN_NAMES else ""
    held = f"It holds {', '.join(names[:_SHOWN_NAMES])}{more}." if names else "It holds no files."
    return UnreadableImageError.of(
        _stop("image.none-inside", f"No image is in this {kind} archive", held, "Mind which file of the release is the image for a card."),
        expected="one file that begins with a partition table, or is called like an image",
    )  # fmt: skip


def gone_from_inside(path: str) -> UnreadableImageError:
    return UnreadableImageError.of(
        _stop("image.gone-from-inside", f"{path} is not in the archive any more", fix="Read the archive again, and choose what is in it now.")
    )  # fmt: skip


def several(kind: str, inside: Sequence[tuple[str, int]]) -> SeveralImagesError:
    shown = ", ".join(f"{path} ({binary_size(size)})" for path, size in inside[:_SHOWN_NAMES])
    error = SeveralImagesError.of(
        Finding(
            "image.several",
            Severity.YET,
            f"{len(inside)} images are in this {kind} archive",
            shown,
            "Say which one is meant.",
        )
    )
    error.inside = tuple(inside[:_MOST_OFFERED])
    return error
