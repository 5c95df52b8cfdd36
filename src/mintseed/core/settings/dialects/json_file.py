"""JSON files. Source: RFC 8259."""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings import json_text
from mintseed.core.settings.meaning import Meaning, of_pairs
from mintseed.core.settings.pairs import pairs_of
from mintseed.core.settings.typed import typed
from mintseed.core.settings.values import SettingValues

SOURCE = "RFC 8259"


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the recipe's keys set, each named outside/inside. Raises SettingsFileError for what is no JSON."""
    for key, template in file.values.items():
        value = values.for_template(template)
        if not value:
            continue
        path = tuple(key.split("/"))
        now = json_text.at(json_text.read(text), path) if text.strip() else None
        text = json_text.set_value(text, path, typed(template, value, now.value if now else None), place=file.place)
    return text


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield where a text stops being JSON, and keys that stand twice."""
    if not text.strip():
        yield Finding("json.not-json", Severity.STOP, "Nothing stands in this file", "Its reader refuses it.", "Write {} at least.", Where(file=path), SOURCE)  # fmt: skip
        return
    try:
        root = json_text.read(text)
    except SettingsFileError as error:
        line = int(error.where.split(",")[0].removeprefix("line "))
        hint = (
            "JSON knows no comments."
            if text.split("\n")[line - 1].lstrip().startswith(("//", "#", "/*"))
            else f"Expected {error.expected}."
        )
        yield Finding("json.not-json", Severity.STOP, f"From {error.where} on it is no JSON", f"Its reader refuses the whole file. {hint}", "Mend the line.",
                      Where(file=path, line=line), SOURCE)  # fmt: skip
        return
    waiting = [root]
    while waiting:
        node = waiting.pop()
        for key, at in node.doubled:
            yield Finding("json.key-doubled", Severity.CHECK, f"{key} stands twice in one object", "Most readers take the last; nothing says so.", "Keep one.",
                          Where(file=path, line=text.count("\n", 0, at) + 1), "RFC 8259 §4")  # fmt: skip
        waiting += (node.members or {}).values()
        waiting += node.items or []


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return what its keys set; nothing of what is no JSON."""
    return of_pairs(pairs_of("json", text), file)
