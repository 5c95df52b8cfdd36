"""Texts from outside, made fit to be shown: what a terminal or a browser would obey instead of showing is written out."""

from __future__ import annotations

import re

_OBEYED = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f"  # C0 and C1 controls (ECMA-48), but for tab and line feed
    "\u00ad\u061c\u180e\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ufff9-\ufffb"  # bidirectional and invisible (UAX #9 §2)
    "\ud800-\udfff\U000e0000-\U000e007f]"  # lone surrogates; tag characters
)

_BYTE = re.compile(r"\\x([0-9a-f]{2})")


def visible(text: str) -> str:
    """Return `text` with control, bidirectional and invisible characters written out, as in \\x1b and \\u202e."""
    if text.isprintable():  # nothing obeyed is printable, and nearly every text is: this is five times as quick
        return text
    return _OBEYED.sub(_written_out, text)


def _written_out(match: re.Match[str]) -> str:
    code = ord(match[0])
    return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}" if code < 0x10000 else f"\\U{code:08x}"


def one_line(text: str) -> str:
    """Return `text` visible and in one line: line feeds and tabs are written out too."""
    if text.isprintable():
        return text
    return visible(text).replace("\n", "\\x0a").replace("\t", "\\x09")


def spell_name(name: bytes) -> str:
    """Return the bytes of a file name as text that can be shown, stored and turned back: see `name_bytes`.

    What is no UTF-8, a control or invisible character, and the backslash itself are written as \\xNN, byte for byte.
    """
    text = name.decode("utf-8", "surrogateescape").replace("\\", "\\x5c")
    if text.isprintable():
        return text
    return "".join(_spelled(c) if _OBEYED.match(c) or c in "\n\t" else c for c in text)


def _spelled(character: str) -> str:
    return "".join(f"\\x{byte:02x}" for byte in character.encode("utf-8", "surrogateescape"))


def name_bytes(spelling: str) -> bytes:
    """Return the file name that `spell_name` spelled so."""
    pieces = _BYTE.split(spelling)
    found = b""
    for index, piece in enumerate(pieces):
        found += bytes([int(piece, 16)]) if index % 2 else piece.encode("utf-8", "surrogatepass")
    return found
