"""KEY=value files. Whether quotes are wanted is the recipe's to say."""

from __future__ import annotations

import re
import shlex
from collections.abc import Iterator

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
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
    if file.quoting == "shell":
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
    for number, line in enumerate(text.split("\n"), 1):
        bare = line.strip()
        where = Where(file=path, line=number)
        if not bare or bare.startswith("#"):
            continue
        key, equals, _ = line.partition("=")
        if not equals or not re.fullmatch(r"[A-Za-z_][A-Za-z0-9_.-]*", key.strip()):
            yield Finding("key-value.line", Severity.STOP, f"Line {number} is no setting", "Expected KEY=value.",
                          "Write it as KEY=value, or put # before it.", where)  # fmt: skip
        elif file is not None and file.quoting == "shell":
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
    try:
        words = shlex.split(value, comments=True)
    except ValueError:
        yield Finding("key-value.quote-open", Severity.STOP, f"A quote is not closed in line {where.line}",
                      "The shell reads on into the next lines.", "Close it.", where)  # fmt: skip
        return
    if len(words) > 1:
        yield Finding("key-value.words", Severity.STOP, f"{key} holds more than one word in line {where.line}",
                      "The shell takes the second one as the name of a program.", "Put it in single quotes.", where)  # fmt: skip
    elif re.search(r"[`$]", re.sub(r"'[^']*'", "", value)) or re.search(
        r"[;&|<>()]", re.sub(r"'[^']*'|\"[^\"]*\"", "", value)
    ):
        yield Finding("key-value.shell-sign", Severity.STOP, f"{key} holds a sign the shell acts on in line {where.line}",
                      "It would be carried out or replaced.", "Put it in single quotes.", where)  # fmt: skip
