"""KEY=value files. Whether quotes are wanted is the recipe's to say."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.meaning import Meaning, of_pairs
from mintseed.core.settings.text import append_lines
from mintseed.core.settings.values import SettingValues


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the recipe's keys set. A key whose template comes out empty is left as it was.

    Raises SettingsFileError for a value that the file's quoting cannot carry.
    """
    lines: list[str | None] = list(text.split("\n"))
    places = _places(text.split("\n"))
    fresh = []
    for key, template in file.values.items():
        value = values.for_template(template)
        if not value:
            continue
        wanted = f"{key}={_quoted(value, file)}"
        active, commented = places.get(key, ([], []))
        if not active and not commented:
            fresh.append(wanted)
            continue
        lines[(active or commented)[0]] = wanted
        for extra in active[1:]:
            lines[extra] = None
    kept = [line for line in lines if line is not None]
    there = {line.strip() for line in kept}
    fresh += [line for line in values.overlays if line not in there] if file.overlays else []
    if fresh:
        append_lines(kept, fresh)
    return "\n".join(kept)


def by_shell(file: FileToFill) -> bool:
    """Return whether a shell reads the file."""
    return file.quoting == "shell" or file.dialect == "shell-vars"


def _places(lines: list[str]) -> dict[str, tuple[list[int], list[int]]]:
    """Return where each key stands, as a setting and behind a #: one look at every line, however many keys are set."""
    found: dict[str, tuple[list[int], list[int]]] = {}
    for number, line in enumerate(lines):
        head, equals, _ = line.partition("=")
        key = head.strip()
        commented = key.startswith("#")
        if equals:
            found.setdefault(key[1:].lstrip() if commented else key, ([], []))[commented].append(number)
    return found


def _quoted(value: str, file: FileToFill) -> str:
    if "\n" in value or "\r" in value:
        raise SettingsFileError("a value holds a line end", expected="one line", where=file.path)
    if by_shell(file):
        return "'" + value.replace("'", "'\\''") + "'"
    if value != value.strip() or "#" in value:
        raise SettingsFileError(
            "a value holds a # or a blank at its end, and this file knows no quotes", where=file.path,
            next_step="Choose another value.",
        )  # fmt: skip
    return value


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield lines that are neither empty, comment nor KEY=value, and values its reader would take otherwise than meant.

    Whether quotes are wanted is the recipe's to say: without `file`, only what is wrong either way is named.
    """
    yield from _check(text, path, file, in_shell=file is not None and by_shell(file))


def check_shell(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield the same of a file that a shell reads, whether a recipe says so or not."""
    yield from _check(text, path, file, in_shell=True)


def _check(text: str, path: str, file: FileToFill | None, *, in_shell: bool) -> Iterator[Finding]:
    for number, line in enumerate(text.split("\n"), 1):
        bare = line.strip()
        where = Where(file=path, line=number)
        if not bare or bare.startswith("#"):
            continue
        key, equals, _ = line.partition("=")
        if in_shell:
            key = re.sub(r"^\s*(export|readonly)\s+", "", key)  # POSIX.1-2017 XCU §2.14
        if not equals or not re.fullmatch(_SHELL_NAME if in_shell else r"[A-Za-z_][A-Za-z0-9_.-]*", key.strip()):
            yield Finding("key-value.line", Severity.STOP, f"Line {number} is no setting", "Expected KEY=value.",
                          "Write it as KEY=value, or put # before it.", where)  # fmt: skip
        elif in_shell:
            yield from _check_word(key, line.partition("=")[2], where)
        elif (
            file is not None
            and len(value := line.partition("=")[2]) > 1
            and value[0] in "\"'"
            and value[-1] == value[0]
        ):
            yield Finding("key-value.quotes", Severity.CHECK, f"Quotes around {key.strip()}", "This file knows no quotes: they become part of the value.",
                          "Remove the quotes.", where)  # fmt: skip
        elif line != line.rstrip():
            yield Finding("key-value.trailing-blank", Severity.CHECK, f"Line {number} ends in a blank",
                          "Some readers take it as part of the value.", "Remove it.", where)  # fmt: skip


def _check_word(key: str, value: str, where: Where) -> Iterator[Finding]:
    """A shell reads it: the value is one word, and nothing of it is carried out. Source: POSIX.1-2017 XCU §2.2 and §2.9.1."""
    if key != key.strip() or value != value.lstrip():
        yield Finding("key-value.blank-at-equals", Severity.STOP, f"A blank beside = in line {where.line}",
                      "The shell takes it as the name of a program.", "Write KEY=value without blanks.", where)  # fmt: skip
        return
    word = shell_word(value)
    if word.is_open:
        yield Finding("key-value.quote-open", Severity.STOP, f"A quote is not closed in line {where.line}",
                      "The shell reads on into the next lines.", "Close it.", where)  # fmt: skip
    elif word.acts:
        yield Finding("key-value.shell-sign", Severity.STOP, f"{key} holds a sign the shell acts on in line {where.line}",
                      "It would be carried out or replaced.", "Put it in single quotes.", where)  # fmt: skip
    elif word.more:
        yield Finding("key-value.words", Severity.STOP, f"{key} holds more than one word in line {where.line}",
                      "The shell takes the second one as the name of a program.", "Put it in single quotes.", where)  # fmt: skip


_SHELL_NAME = r"[A-Za-z_][A-Za-z0-9_]*"
"""a name in POSIX.1-2017 XBD §3.235"""


@dataclass(frozen=True, slots=True)
class ShellWord:
    """What a shell makes of what stands behind an equals sign. `more`: whether another word follows; `acts`: whether something in it is carried
    out or replaced; `is_open`: whether it goes on in the next line."""

    text: str
    more: bool = False
    acts: bool = False
    is_open: bool = False


def shell_word(value: str) -> ShellWord:
    """Return the first word of `value` as a shell reads it. Source: POSIX.1-2017 XCU §2.2 (quoting), §2.3 (comments), §2.6.1 (tilde)."""
    out: list[str] = []
    at, acts = 0, False
    while at < len(value):
        sign = value[at]
        if sign in " \t":
            behind = value[at:].strip(" \t")
            return ShellWord("".join(out), bool(behind) and not behind.startswith("#"), acts)
        if sign == "\\":
            if at + 1 == len(value):
                return ShellWord("".join(out), acts=acts, is_open=True)
            out.append(value[at + 1])
            at += 2
        elif sign == "'":
            end = value.find("'", at + 1)
            if end < 0:
                return ShellWord("".join(out), acts=acts, is_open=True)
            out.append(value[at + 1 : end])
            at = end + 1
        elif sign == '"':
            inner, end, expands = _double_quoted(value, at + 1)
            if end < 0:
                return ShellWord("".join(out), acts=acts, is_open=True)
            out.append(inner)
            acts, at = acts or expands, end + 1
        else:
            at_home = sign == "~" and (at == 0 or value[at - 1] == ":")
            acts = acts or sign in ";&|<>()`" or at_home or _expands(value, at)
            out.append(sign)
            at += 1
    return ShellWord("".join(out), acts=acts)


def _double_quoted(value: str, at: int) -> tuple[str, int, bool]:
    """Return what stands in double quotes that begin before `at`, where they end (-1: nowhere), and whether something in them is replaced."""
    out: list[str] = []
    expands = False
    while at < len(value):
        if value[at] == '"':
            return "".join(out), at, expands
        if value[at] == "\\" and value[at + 1 : at + 2] in ('"', "\\", "$", "`"):
            at += 1
        elif value[at] == "`" or _expands(value, at):
            expands = True
        out.append(value[at])
        at += 1
    return "".join(out), -1, expands


def _expands(value: str, at: int) -> bool:
    """Return whether a dollar sign begins something that is replaced (§2.6); one before anything else is itself."""
    return value[at] == "$" and re.match(r"[A-Za-z0-9_{(@*#?$!'-]", value[at + 1 : at + 2] or " ") is not None


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return what its keys set, the last of a key where it stands twice. Where no recipe says how it is read, quotes round a value are none
    of it."""
    return _means(text, file, in_shell=file is not None and by_shell(file))


def means_shell(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return what a shell that reads it sets."""
    return _means(text, file, in_shell=True)


def _bare(value: str, file: FileToFill | None) -> str:
    word = shell_word(value.strip())
    return value if file is not None else value.strip() if word.more or word.is_open else word.text


def _means(text: str, file: FileToFill | None, *, in_shell: bool) -> Meaning:
    pairs: dict[str, str] = {}
    for line in text.split("\n"):
        key, equals, value = line.partition("=")
        if equals and not line.lstrip().startswith("#"):
            pairs[key.split()[-1] if key.split() else key] = shell_word(value).text if in_shell else _bare(value, file)
    return of_pairs(pairs, file)
