"""YAML files of any kind, and what is said of every YAML file that is none. Source: YAML 1.1 as libyaml reads it."""

from __future__ import annotations

import json
from collections.abc import Iterator

import yaml

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.recipes.templates import placeholders_in
from mintseed.core.settings import yaml_text
from mintseed.core.settings.meaning import Meaning, of_pairs
from mintseed.core.settings.pairs import pairs_of
from mintseed.core.settings.typed import typed
from mintseed.core.settings.values import SettingValues

SOURCE = "YAML 1.1"

_TYPES = {"bool": "true or false", "int": "a number", "float": "a number", "null": "nothing", "timestamp": "a date"}


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the recipe's keys set, each named outside/inside. Raises SettingsFileError for what is no YAML."""
    for key, template in file.values.items():
        value = values.for_template(template)
        if value:
            text = set_typed(text, tuple(key.split("/")), template, value, file.place)
    return text


def set_typed(text: str, path: yaml_text.Path, template: str, value: str, place: str) -> str:
    """Return `text` with `value` at `path`, of the type that belongs there; as it is where it says so already."""
    root = yaml_text.read(text)
    node = None if isinstance(root, yaml_text.YamlFault) else yaml_text.at(root, path)
    wanted = typed(template, value, _value(node))
    if isinstance(node, yaml.ScalarNode) and (node.value == wanted and node.tag == yaml_text.STRING):
        return text
    said = yaml_text.scalar(wanted) if isinstance(wanted, str) else json.dumps(wanted)
    return yaml_text.set_value(text, path, said, place=place)


def _value(node: yaml.Node | None) -> object:
    kind = node.tag.rsplit(":", 1)[-1] if isinstance(node, yaml.ScalarNode) else ""
    return True if kind == "bool" else 0 if kind in ("int", "float") else None


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield where a text stops being YAML, keys that stand twice, and values its reader takes for something else than text."""
    root = yaml_text.read_strictly(text)
    if isinstance(root, yaml_text.YamlFault):
        yield fault(root, path)
        return
    if root is None:
        return
    yield from twice(root, path)
    if file is not None and file.reader != "text":
        for key, template in file.values.items():
            node = yaml_text.at(root, tuple(key.split("/")))
            if isinstance(node, yaml.ScalarNode) and placeholders_in(template):
                yield from other_type(node, key.rsplit("/", 1)[-1], path)


def fault(root: yaml_text.YamlFault, path: str) -> Finding:
    """Return what is said of a text that is no YAML."""
    where = Where(file=path, line=root.line)
    if root.ours:
        return Finding("yaml.too-much", Severity.STOP, f"{path} holds more than any settings file", f"More than {yaml_text.MOST_NODES} keys and values, what an alias repeats counted each time.",
                       "Use the file as the image brings it.", Where(file=path))  # fmt: skip
    before = root.found[: max(root.column - 1, 0) + 1]
    if "\t" in before and not before.strip():
        return Finding("yaml.tab", Severity.STOP, f"A tab stands at the beginning of line {root.line}", "YAML is indented by blanks alone: its reader refuses the whole file.",
                       "Type blanks in its place, as many as in the line above.", where, "YAML 1.1 §5.5")  # fmt: skip
    return Finding("yaml.not-yaml", Severity.STOP, f"In line {root.line}, column {root.column}, it stops being YAML", f"Its reader refuses the whole file: {root.says}.",
                   "Look at the line and the one above it: colons, quotes, and blanks at the beginning.", where, SOURCE)  # fmt: skip


def twice(root: yaml.Node, path: str) -> Iterator[Finding]:
    """Yield the keys that stand twice."""
    for key, line in yaml_text.doubled(root):
        yield Finding("yaml.key-doubled", Severity.CHECK, f"{key} stands a second time in line {line}", "Most readers take the last, some refuse the file.", "Keep one.",
                      Where(file=path, line=line), "YAML 1.1 §3.2.1.3")  # fmt: skip


def other_type(node: yaml.ScalarNode, key: str, path: str) -> Iterator[Finding]:
    """Yield that a value meant as text is read as something else."""
    kind = _TYPES.get(node.tag.rsplit(":", 1)[-1])
    if kind:
        yield Finding("yaml.other-type", Severity.CHECK, f"{key}: {node.value} is read as {kind}, not as text", "NO, 0123 and 12:30 are such words (YAML 1.1).",
                      "Put it in straight quotes.", Where(file=path, line=node.start_mark.line + 1), "YAML 1.1, type repository")  # fmt: skip


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return what its keys set; nothing of what is no YAML."""
    return of_pairs(pairs_of("yaml", text), file)
