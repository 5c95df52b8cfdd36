"""What editors and file managers do to settings files: line ends, marks, encodings, quotes, names."""

from __future__ import annotations

import re
from collections.abc import Iterator

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES, MAX_SETTINGS_LINES
from mintseed.core.settings.reader import ANY_READER, Reader
from mintseed.core.units import binary_size

CURLY = dict.fromkeys("“”„‟", '"') | dict.fromkeys("‘’‚‛", "'")
NO_BREAK = "\u00a0"
UNSEEN = "\u200b\u200c\u200d\u2060\ufeff\u00ad"
"""letters without a width: blanks and joiners that come along when text is copied out of a page"""


def not_text(data: bytes, *, name: str) -> Finding | None:
    """Return what a file is that is no text at all: rich text, a saved web page, a program; such a one is neither judged nor filled."""
    where = Where(file=name)
    if data.startswith(b"{\\rtf"):
        return Finding("file.rich-text", Severity.STOP, f"{name} is rich text", "An editor for letters saved it: its first word is {\\rtf.",
                       "Save it as plain text, or use the image's own file.", where)  # fmt: skip
    start = data[:512].lstrip(b"\xef\xbb\xbf \t\r\n").lower()
    if start.startswith((b"<!doctype html", b"<html", b"<head")):
        return Finding("file.web-page", Severity.STOP, f"{name} is a saved web page", "What was saved is the page that shows the file, not the file.",
                       "Take the file itself: pages that show one mostly have a link to it, often called raw.", where, "WHATWG HTML §13.1.1")  # fmt: skip
    wide = data.startswith((b"\xff\xfe", b"\xfe\xff"))
    if not wide and (at := data.find(b"\0")) >= 0:
        return Finding("file.binary", Severity.STOP, f"{name} is no text", f"A zero byte stands at offset {at}: it is a program, or damaged.",
                       "Use the image's own file.", where)  # fmt: skip
    return None


def read_text(data: bytes, *, name: str, reader: Reader = ANY_READER) -> tuple[str, tuple[Finding, ...]]:
    """Return the text of a settings file with Unix line ends, and what was done to it on the way here.

    Raises SettingsFileError when it is no text at all.
    """
    if (other := not_text(data, name=name)) is not None:
        raise SettingsFileError(other.title, expected="plain text", where=name, next_step=other.fix)
    found: list[Finding] = []
    text = _decode(data, name, reader, found)
    if "\0" in text:
        raise SettingsFileError("holds zero letters", expected="plain text", where=name,
                                next_step="It is damaged: use the image's own file.")  # fmt: skip
    found += _line_ends(text, name, reader)
    text = re.sub("\r+\n|\r" if reader.lone_cr is not Severity.STOP else "\r+[ \t]*\n|\r", "\n", text)
    found += _characters(text, name, reader)
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


def _decode(data: bytes, name: str, reader: Reader, found: list[Finding]) -> str:
    where = Where(file=name, line=1)
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        found.append(
            Finding(
                "file.utf-16", reader.utf_16, "Saved as UTF-16",
                "The reader sees a blank between any two letters." if reader.utf_16 is Severity.STOP else "This reader takes it; others do not.",
                "Save it as UTF-8 without a mark.", where, "RFC 2781 §3.2",
            )
        )  # fmt: skip
        return data.decode("utf-16", "replace")
    if data.startswith(b"\xef\xbb\xbf"):
        found.append(
            Finding(
                "file.byte-order-mark", reader.mark, "Begins with a byte-order mark",
                "Three invisible bytes stand before the first line and spoil it." if reader.mark is Severity.STOP
                else "This reader passes over the three invisible bytes; others do not.",
                "Save it as UTF-8 without a mark.", where, "RFC 3629 §6",
            )
        )  # fmt: skip
        data = data[3:]
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        found.append(_old_letters(data, name, reader))
        return data.decode("latin-1")


def _old_letters(data: bytes, name: str, reader: Reader) -> Finding:
    """Return what is said of letters in an old encoding: of the first line that counts, else of the first one that is a comment."""
    spoiled = []
    for number, line in enumerate(data.split(b"\n"), 1):
        try:
            line.decode("utf-8")
        except UnicodeDecodeError:
            spoiled.append((reader.is_comment(line.decode("latin-1")), number))
    in_comment, number = min(spoiled)
    severity = reader.old_letters_in_comments if in_comment else Severity.STOP
    detail = "A letter was saved in an old encoding." + (
        " It stands in a comment, which the reader passes over." if severity is not Severity.STOP else ""
    )
    return Finding("file.not-utf-8", severity, f"Line {number} is not UTF-8", detail, "Save it as UTF-8.",
                   Where(file=name, line=number), "RFC 3629")  # fmt: skip


def _line_ends(text: str, name: str, reader: Reader) -> Iterator[Finding]:
    where = Where(file=name)
    lone = re.search(r"\r(?=[ \t]*[^ \t\r\n])" if "\n" in text else r"\r", text)
    blank = re.search(r"\r[ \t]+\n|\r[ \t]*\Z", text)
    if found := lone or (blank if reader.cr_blank is Severity.STOP else None):
        line = text.count("\n", 0, found.start()) + 1
        every, severity = "\n" not in text, reader.lone_cr if lone else reader.cr_blank
        says = (
            "The reader sees one long line and joins nothing."
            if every
            else "The reader takes it, and what stands behind it, as part of the same line."
        )
        yield Finding(
            "file.cr-only", severity, "Lines end in a lone CR" if every else f"A lone CR stands in line {line}",
            says if severity is Severity.STOP else "This reader takes it for a line end; others do not.",
            "Save it with Unix line ends.", where if every else Where(file=name, line=line),
        )  # fmt: skip
    elif "\r\r\n" in text:
        line = text.count("\n", 0, text.index("\r\r\n")) + 1
        yield Finding(
            "file.cr-twice", reader.cr_twice, f"Line {line} ends in two CRs and a line feed",
            "Line ends were put in twice; the second becomes part of the value." if reader.cr_twice is Severity.STOP else "This reader forgives it; others do not.",
            "Save it with Unix line ends.", Where(file=name, line=line),
        )  # fmt: skip
    elif "\r" in text:
        yield Finding(
            "file.crlf", reader.crlf, "Lines end in CR LF", "Most readers here forgive it; shell scripts do not.",
            "Save it with Unix line ends.", where,
        )  # fmt: skip
    if text and not text.endswith(("\n", "\r")):
        yield Finding(
            "file.no-last-newline", Severity.NOTE, "The last line has no line end", "Some readers drop such a line.",
            "Add an empty line at the end.", where, "POSIX.1-2017 §3.206",
        )  # fmt: skip


_BEGINS = re.compile(r"[=:]\s*[“”„‟‘’‚‛]|^\s*(?:-\s+)?[“”„‟‘’‚‛]")
_ALL_OF_IT = re.compile(r"^\s*\S+\s+[“”„‟‘’‚‛].*[“”„‟‘’‚‛]\s*$")
"""the value of a line that has a blank between its key and it"""
_ENDS = re.compile(r"[“”„‟]\s*$")


def _stands_for_a_quote(line: str) -> bool:
    """Return whether a curly quote stands where a straight one belongs: at the beginning of a value or of the line, or at its end without its
    fellow. A pair of them further in is part of a name."""
    if _BEGINS.search(line) or _ALL_OF_IT.search(line):
        return True
    pairs = sum(line.count(c) for c in "“”„‟") % 2 == 0 and line.count('"') % 2 == 0
    return _ENDS.search(line) is not None and not pairs


def _characters(text: str, name: str, reader: Reader) -> Iterator[Finding]:
    if text.isascii():
        return
    for number, line in enumerate(text.split("\n"), 1):
        if line.isascii() or reader.is_comment(line):
            continue
        where = Where(file=name, line=number)
        if _stands_for_a_quote(line):
            yield Finding(
                "file.curly-quotes", Severity.STOP, f"Curly quotes in line {number}",
                "An editor replaced the straight ones; the reader takes them as letters.", "Use straight quotes.", where,
            )  # fmt: skip
        elif any(c in line for c in CURLY):
            yield Finding(
                "file.curly-inside", Severity.NOTE, f"A curly quote inside the value of line {number}",
                "It is a letter like any other: right where the router shows the same one.", "Look whether it is meant.", where,
            )  # fmt: skip
        if NO_BREAK in line:
            yield Finding(
                "file.no-break-space", Severity.STOP, f"A no-break space in line {number}",
                "It looks like a blank and is none; it comes from copying out of a web page.", "Type the blank by hand.", where,
            )  # fmt: skip
        if any(c in line for c in UNSEEN):
            yield Finding(
                "file.unseen-letter", Severity.STOP, f"A letter nobody sees stands in line {number}",
                "It has no width and counts all the same; it comes from copying out of a web page.", "Type the line by hand.", where,
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
