"""What editors and file managers do to settings files: line ends, marks, encodings, quotes, names."""

from __future__ import annotations

import re
from collections.abc import Iterator

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES, MAX_SETTINGS_LINES
from mintseed.core.units import binary_size

_CURLY = dict.fromkeys("“”„‟", '"') | dict.fromkeys("‘’‚‛", "'")
_NO_BREAK = "\u00a0"


def read_text(data: bytes, *, name: str) -> tuple[str, tuple[Finding, ...]]:
    """Return the text of a settings file with Unix line ends, and what was done to it on the way here.

    Raises SettingsFileError when it is no text at all.
    """
    if data.startswith(b"{\\rtf"):
        raise SettingsFileError(
            "is rich text",
            expected="plain text",
            where=name,
            next_step="Save it as plain text, or use the image's own file.",
        )
    found: list[Finding] = []
    text = _decode(data, name, found)
    if "\0" in text:
        raise SettingsFileError("holds zero bytes", expected="plain text", where=name,
                                next_step="It is a program or damaged: use the image's own file.")  # fmt: skip
    found += _line_ends(text, name)
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    found += _characters(text, name)
    return text, tuple(found)


def too_long(data: bytes, *, name: str) -> Finding | None:
    """Return the finding about a file that is longer than any settings file; such a one is neither judged nor filled."""
    lines = max(data.count(b"\n"), data.count(b"\r"))
    if len(data) <= MAX_SETTINGS_FILE_BYTES and lines <= MAX_SETTINGS_LINES:
        return None
    if len(data) > MAX_SETTINGS_FILE_BYTES:
        detail = f"It has more than {binary_size(MAX_SETTINGS_FILE_BYTES)}; settings files have a few kilobytes."
    else:
        detail = f"It has more than {MAX_SETTINGS_LINES} lines; settings files have some hundreds."
    return Finding("file.too-long", Severity.STOP, f"{name} is too long for a settings file", detail,
                   "Use the file as the image brings it, or an image that is not damaged.", Where(file=name))  # fmt: skip


def _decode(data: bytes, name: str, found: list[Finding]) -> str:
    where = Where(file=name, line=1)
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        found.append(
            Finding(
                "file.utf-16",
                Severity.STOP,
                "Saved as UTF-16",
                "The reader sees a blank between any two letters.",
                "Save it as UTF-8 without a mark.",
                where,
                "RFC 2781 §3.2",
            )
        )
        return data.decode("utf-16", "replace")
    if data.startswith(b"\xef\xbb\xbf"):
        found.append(
            Finding(
                "file.byte-order-mark",
                Severity.STOP,
                "Begins with a byte-order mark",
                "Three invisible bytes stand before the first line and spoil it.",
                "Save it as UTF-8 without a mark.",
                where,
                "RFC 3629 §6",
            )
        )
        data = data[3:]
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        found.append(
            Finding(
                "file.not-utf-8",
                Severity.STOP,
                f"Line {line} is not UTF-8",
                "A letter was saved in an old encoding.",
                "Save it as UTF-8.",
                Where(file=name, line=line),
                "RFC 3629",
            )
        )
        return data.decode("latin-1")


def _line_ends(text: str, name: str) -> Iterator[Finding]:
    where = Where(file=name)
    if "\r\n" in text:
        yield Finding(
            "file.crlf", Severity.NOTE, "Lines end in CR LF", "Most readers here forgive it; shell scripts do not.",
            "Save it with Unix line ends.", where,
        )  # fmt: skip
    elif "\r" in text:
        yield Finding(
            "file.cr-only", Severity.STOP, "Lines end in a lone CR", "The reader sees one long line and joins nothing.",
            "Save it with Unix line ends.", where,
        )  # fmt: skip
    if text and not text.endswith(("\n", "\r")):
        yield Finding(
            "file.no-last-newline", Severity.NOTE, "The last line has no line end", "Some readers drop such a line.",
            "Add an empty line at the end.", where, "POSIX.1-2017 §3.206",
        )  # fmt: skip


def _characters(text: str, name: str) -> Iterator[Finding]:
    for number, line in enumerate(text.split("\n"), 1):
        where = Where(file=name, line=number)
        if any(c in line for c in _CURLY) and not line.lstrip().startswith("#"):
            yield Finding(
                "file.curly-quotes", Severity.STOP, f"Curly quotes in line {number}",
                "An editor replaced the straight ones; the reader takes them as letters.", "Use straight quotes.", where,
            )  # fmt: skip
        if _NO_BREAK in line:
            yield Finding(
                "file.no-break-space", Severity.STOP, f"A no-break space in line {number}",
                "It looks like a blank and is none; it comes from copying out of a web page.", "Type the blank by hand.", where,
            )  # fmt: skip


def check_name(name: str, wanted: str) -> Iterator[Finding]:
    """Yield what is wrong with a settings file called `name` that should be called `wanted`."""
    if name == wanted:
        return
    where = Where(file=name)
    if name.startswith(wanted + "."):
        title = "A second extension hides behind the name"
    elif re.fullmatch(re.escape(wanted.rsplit(".", 1)[0]) + r" ?\(\d+\)\..*", name):
        title = "This is a second copy of the file"
    elif name.lower() == wanted.lower():
        title = "Capital and small letters are mixed up in the name"
    else:
        title = "The file has another name"
    yield Finding(
        "file.name", Severity.STOP, title, f"It is called {name}; the image looks for {wanted} and nothing else.",
        f"Rename it to {wanted}.", where,
    )  # fmt: skip
