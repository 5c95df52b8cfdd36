"""What people and editors do to a settings file, at random: one edit or two of a text that is right."""

from __future__ import annotations

import random
import re
from collections.abc import Callable, Sequence

WORDS = (
    "true", "false", "yes", "no", "maybe", "0", "1", "2", "9", "x", "auto", "manual", "dhcp", "static", "wpa-psk", "WPA-PSK", "sae", "none", "NONE", "short", '"', "'", "“Quay”",
    "Quay House", '"Quay House"', "spring tide at noon", '"spring tide at noon"', "GB", "gb", "UK", "-1", "", " ", "#", "a#b", "a: b", "[x]", "{x}", "{", "}", "é", "\u00a0", "\\", "192.168.1.5/24", "192.168.1.5",
)  # fmt: skip


def spoiled(text: str, chance: random.Random, words: Sequence[str] = ()) -> str:
    """Return `text` after one or two edits. `words`: others that belong to its syntax."""
    for _ in range(chance.choice((1, 1, 2))):
        text = chance.choice(EDITS)(text, chance, (*WORDS, *words))
    return text


def _lines(text: str) -> list[str]:
    return text.split("\n")


def _line(text: str, chance: random.Random) -> tuple[list[str], int]:
    lines = _lines(text)
    return lines, chance.randrange(len(lines))


def drop_letter(text: str, chance: random.Random, _: Sequence[str]) -> str:
    at = chance.randrange(len(text) or 1)
    return text[:at] + text[at + 1 :]


def drop_line(text: str, chance: random.Random, _: Sequence[str]) -> str:
    lines, at = _line(text, chance)
    return "\n".join(lines[:at] + lines[at + 1 :])


def double_line(text: str, chance: random.Random, _: Sequence[str]) -> str:
    lines, at = _line(text, chance)
    return "\n".join([*lines[: at + 1], lines[at], *lines[at + 1 :]])


def swap_lines(text: str, chance: random.Random, _: Sequence[str]) -> str:
    lines, at = _line(text, chance)
    if at + 1 < len(lines):
        lines[at], lines[at + 1] = lines[at + 1], lines[at]
    return "\n".join(lines)


def comment_out(text: str, chance: random.Random, _: Sequence[str]) -> str:
    lines, at = _line(text, chance)
    lines[at] = "#" + lines[at]
    return "\n".join(lines)


def indent(text: str, chance: random.Random, _: Sequence[str]) -> str:
    lines, at = _line(text, chance)
    lines[at] = chance.choice((" ", "  ", "\t")) + lines[at] if chance.random() < 0.6 else lines[at].lstrip(" \t")
    return "\n".join(lines)


def other_value(text: str, chance: random.Random, words: Sequence[str]) -> str:
    lines, at = _line(text, chance)
    found = re.match(r"^(\s*[\w.\-]+\s*[=: ]\s*)(.*)$", lines[at])
    if found:
        lines[at] = found[1] + chance.choice(words)
    return "\n".join(lines)


def other_key(text: str, chance: random.Random, words: Sequence[str]) -> str:
    lines, at = _line(text, chance)
    lines[at] = re.sub(
        r"[A-Za-z][\w.\-]*",
        lambda m: chance.choice((m[0].upper(), m[0] + "s", m[0][:-1] or "x", m[0].replace("-", "_"))),
        lines[at],
        count=1,
    )
    return "\n".join(lines)


def blank_at_end(text: str, chance: random.Random, _: Sequence[str]) -> str:
    lines, at = _line(text, chance)
    lines[at] += chance.choice((" ", "  ", "\t", " # said"))
    return "\n".join(lines)


def blank_at_sign(text: str, chance: random.Random, _: Sequence[str]) -> str:
    lines, at = _line(text, chance)
    lines[at] = re.sub(
        r"\s*([=:])\s*", lambda m: chance.choice((f" {m[1]} ", m[1], f"{m[1]} ", f" {m[1]}")), lines[at], count=1
    )
    return "\n".join(lines)


def no_quotes(text: str, chance: random.Random, _: Sequence[str]) -> str:
    lines, at = _line(text, chance)
    lines[at] = lines[at].replace(chance.choice("\"'"), "", chance.choice((1, 2)))
    return "\n".join(lines)


def line_ends(text: str, chance: random.Random, _: Sequence[str]) -> str:
    return text.replace("\n", "\r\n")


def cut_off(text: str, chance: random.Random, _: Sequence[str]) -> str:
    return text[: chance.randrange(len(text) + 1)]


EDITS: tuple[Callable[[str, random.Random, Sequence[str]], str], ...] = (
    drop_letter, drop_line, double_line, swap_lines, comment_out, indent, other_value, other_value, other_value, other_key, blank_at_end, blank_at_sign, no_quotes, line_ends, cut_off,
)  # fmt: skip
