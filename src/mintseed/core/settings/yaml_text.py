"""YAML edited in place: where a value stands is read by libyaml, and only its letters are changed. Comments, order and blank lines stay.

Source: YAML 1.1, which is what the readers of settings files here speak; places by the marks of PyYAML's nodes.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import cast

import yaml

from mintseed.core.errors import SettingsFileError
from mintseed.core.settings.typed import index_of

Path = tuple[str, ...]
"""keys from the outside in; a place in a list by its number from 0"""

STRING = "tag:yaml.org,2002:str"


@dataclass(frozen=True, slots=True)
class YamlFault:
    """Why a text is no YAML. `line` and `column` count from 1. `ours`: its reader may take it, and we do not look at so much."""

    line: int
    column: int
    says: str
    found: str
    ours: bool = False


def read(text: str) -> yaml.Node | YamlFault | None:
    """Return the outermost node of `text`, None for one that says nothing, or why it is no YAML."""
    try:
        node: yaml.Node | None = yaml.compose(text, Loader=yaml.CSafeLoader)
        return YamlFault(1, 1, "", "", ours=True) if node is not None and _is_too_much(node) else node
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        line, column = (mark.line + 1, mark.column + 1) if mark else (1, 1)
        lines = text.split("\n")
        return YamlFault(line, column, str(error.problem or error.context or error), lines[min(line, len(lines)) - 1])
    except (yaml.YAMLError, ValueError) as error:
        return YamlFault(1, 1, str(error).split("\n")[0], "")


MOST_NODES = 4000
"""keys and values, what an alias repeats counted each time: a first-boot file of hundreds of lines has one or two thousand"""


def _is_too_much(node: yaml.Node) -> bool:
    """Return whether a walk along every alias would meet more than any settings file holds; a node that holds itself would never end."""
    met, waiting = 0, [node]
    while waiting and met <= MOST_NODES:
        one = waiting.pop()
        met += 1
        if isinstance(one, yaml.MappingNode):
            waiting += [inner for pair in one.value for inner in pair]
        elif isinstance(one, yaml.SequenceNode):
            waiting += one.value
    return met > MOST_NODES


def read_strictly(text: str) -> yaml.Node | YamlFault | None:
    """Return what `read` does, and a fault for what PyYAML's own scanner and its safe constructor refuse and libyaml's takes: a tab behind a value, a
    tag nobody knows, a key that is none. Source: PyYAML, scanner.py and constructor.py."""
    node = read(text)
    if node is None or isinstance(node, YamlFault):
        return node
    if "\t" in text:
        try:
            yaml.compose(text, Loader=yaml.SafeLoader)
        except yaml.MarkedYAMLError as error:
            mark = error.problem_mark
            line = mark.line if mark else 0
            return YamlFault(line + 1, (mark.column if mark else 0) + 1, str(error.problem), text.split("\n")[line])
        except RecursionError:
            return YamlFault(1, 1, "it is nested too deep", "")
    return _unbuilt(node) or node


def _unbuilt(node: yaml.Node) -> YamlFault | None:
    seen: set[int] = set()
    waiting = [node]
    while waiting:
        one = waiting.pop()
        if id(one) in seen:
            continue
        seen.add(id(one))
        place = (one.start_mark.line + 1, one.start_mark.column + 1)
        if not one.tag.startswith("tag:yaml.org,2002:"):
            return YamlFault(*place, f"nobody knows the tag {one.tag}", "")
        if isinstance(one, yaml.MappingNode):
            for key, value in one.value:
                if not isinstance(key, yaml.ScalarNode):
                    return YamlFault(*place, "a list or a mapping stands where a key belongs", "")
                waiting += [key, value]
        elif isinstance(one, yaml.SequenceNode):
            waiting += one.value
    return None


def child(node: yaml.Node | None, key: str) -> yaml.Node | None:
    """Return what stands under `key`; of a key that stands twice the last, as readers take it."""
    if isinstance(node, yaml.MappingNode):
        return next((v for k, v in reversed(node.value) if isinstance(k, yaml.ScalarNode) and k.value == key), None)
    if isinstance(node, yaml.SequenceNode) and (place := index_of(key)) is not None and place < len(node.value):
        found: yaml.Node = node.value[place]
        return found
    return None


def at(node: yaml.Node | None, path: Path) -> yaml.Node | None:
    """Return what stands at `path`."""
    for key in path:
        node = child(node, key)
    return node


def keys(node: yaml.Node | None) -> tuple[str, ...]:
    """Return the keys of a mapping that are single words."""
    if not isinstance(node, yaml.MappingNode):
        return ()
    return tuple(k.value for k, _ in node.value if isinstance(k, yaml.ScalarNode))


def doubled(node: yaml.Node) -> Iterator[tuple[str, int]]:
    """Yield (key, line from 1) of every key that stands a second time in its mapping. Aliases are not followed twice."""
    seen_nodes: set[int] = set()
    waiting = [node]
    while waiting:
        one = waiting.pop()
        if id(one) in seen_nodes:
            continue
        seen_nodes.add(id(one))
        if isinstance(one, yaml.SequenceNode):
            waiting += one.value
        if isinstance(one, yaml.MappingNode):
            seen: set[str] = set()
            for key, value in one.value:
                if isinstance(key, yaml.ScalarNode):
                    if key.value in seen and key.value != "<<":
                        yield key.value, key.start_mark.line + 1
                    seen.add(key.value)
                waiting.append(value)


def quoted(value: str) -> str:
    """Return `value` in double quotes, which carry any letter (YAML 1.1 §5.7)."""
    said: str = yaml.dump(value, default_style='"', width=10**9, allow_unicode=True)
    return said.rstrip("\n").removesuffix("\n...")


_PLAIN = re.compile(r"[A-Za-z_./][A-Za-z0-9_./ +-]*")


def scalar(value: str) -> str:
    """Return `value` plain where every reader takes the same text from it, else in double quotes."""
    if _PLAIN.fullmatch(value) and value == value.strip():
        node = yaml.compose(value, Loader=yaml.CSafeLoader)
        if (
            isinstance(node, yaml.ScalarNode)
            and node.tag == STRING
            and node.value == value
            and value.lower() not in _WORDS
        ):
            return value
    return quoted(value)


_WORDS = frozenset(["y", "n", "yes", "no", "on", "off", "true", "false", "null", "~"])
"""words that one reader or another takes for something else than text (YAML 1.1, type repository: bool, null)"""


def set_value(text: str, path: Path, value: str, *, place: str) -> str:
    """Return `text` with `value`, ready as YAML, at `path`: in place where something stands there, from a commented example where one is, else as
    a new line at the end of its mapping.

    Raises SettingsFileError where the text is no YAML, or something else than one value stands there.
    """
    node = read(text)
    if isinstance(node, YamlFault):
        raise SettingsFileError(f"is no YAML: {node.says}", expected="YAML", where=f"{place}, line {node.line}")
    deepest, left = _as_far_as(node, path)
    if not left:
        return _replaced(text, deepest, value, place)
    if (woken := _woken(text, deepest, left[0])) is not None:
        try:
            return set_value(woken, path, value, place=place)
        except SettingsFileError:
            pass  # words in a comment that only look like an example
    return _inserted(text, deepest, left, value, place)


def _as_far_as(node: yaml.Node | None, path: Path) -> tuple[yaml.Node | None, Path]:
    """Return the deepest node on the way that is there, and the keys that are missing from there on."""
    for number, key in enumerate(path):
        inner = child(node, key)
        if inner is None or (_says_nothing(inner) and number + 1 < len(path)):
            if inner is not None:
                return inner, path[number + 1 :]
            return node, path[number:]
        node = inner
    return node, ()


def _says_nothing(node: yaml.Node) -> bool:
    return isinstance(node, yaml.ScalarNode) and node.start_mark.index == node.end_mark.index


def _replaced(text: str, node: yaml.Node | None, value: str, place: str) -> str:
    if not isinstance(node, yaml.ScalarNode):
        raise SettingsFileError("holds more than one value where one belongs", expected="one value", where=place)
    start, end = node.start_mark.index, node.end_mark.index
    now = text[start:end]
    if node.style is None and now == value:
        return text
    if start == end:
        return (
            f"{text[:start]} {value}{text[start:]}"
            if text[start - 1 : start] == ":"
            else text[:start] + value + text[start:]
        )
    if node.style in ("|", ">"):
        body = text[start:end]
        return text[:start] + value + "\n" * (len(body) - len(body.rstrip("\n"))) + text[end:]
    return text[:start] + value + text[end:]


def _woken(text: str, parent: yaml.Node | None, key: str) -> str | None:
    """Return `text` with the commented example of `key` brought to life, with what is indented below it; None where there is none, or where it
    would be no YAML."""
    indent, first, last = _extent(text, parent)
    lines = text.split("\n")
    for number in range(first, min(last, len(lines))):
        found = re.match(r"^([ \t]*)#( ?)(\s*)" + re.escape(key) + r"\s*:(?=\s|$)", lines[number])
        if found is None:
            continue
        column = len(found[1]) + len(found[3])
        if column != indent and len(found[1]) != indent:
            continue
        changed = list(lines)
        changed[number] = " " * indent + lines[number][found.end(3) :]
        for below in range(number + 1, len(lines)):
            deeper = re.match(r"^[ \t]*#( ?)(\s+)(\S.*)$", lines[below])
            if deeper is None or not re.match(r"(-|[\w.\"'-]+\s*:)", deeper[3]):
                break
            changed[below] = " " * (indent + len(deeper[2]) + len(deeper[1]) - len(found[2])) + deeper[3]
        woken = "\n".join(changed)
        if not isinstance(read(woken), YamlFault):
            return woken
    return None


def _extent(text: str, parent: yaml.Node | None) -> tuple[int, int, int]:
    """Return (indentation of its keys, first line, line behind its last) of a mapping in block style; of nothing: the whole text."""
    if not isinstance(parent, yaml.MappingNode) or parent.flow_style or not parent.value:
        return 0, 0, text.count("\n") + 1
    return (
        parent.value[0][0].start_mark.column,
        parent.start_mark.line if parent.start_mark.column else 0,
        parent.end_mark.line + 1,
    )


def _inserted(text: str, parent: yaml.Node | None, path: Path, value: str, place: str) -> str:
    if parent is None:
        return _appended(text, [*_nested(path, value, 0)])
    if _says_nothing(parent):
        # "key:" alone: what belongs to it is put below it, a step further in.
        before = text[: parent.start_mark.index]
        line = before.rsplit("\n", 1)[-1]
        indent = len(line) - len(line.lstrip(" ")) + 2
        return _behind_line(text, parent.start_mark.line, [*_nested(path, value, indent)])
    if not isinstance(parent, yaml.MappingNode):
        raise SettingsFileError(f"holds one value where {path[0]} belongs", expected="keys", where=place)
    if parent.flow_style:
        end = parent.end_mark.index - 1
        gap = ", " if parent.value else ""
        inner = "".join(f"{{{quoted(key)}: " for key in path[1:])
        return f"{text[:end].rstrip()}{gap}{scalar(path[0])}: {inner}{value}{'}' * (len(path) - 1)}{text[end:]}"
    indent = parent.value[0][0].start_mark.column
    return _behind_line(text, last_line(text, parent), [*_nested(path, value, indent)])


def _nested(path: Path, value: str, indent: int) -> Iterator[str]:
    for depth, key in enumerate(path):
        last = depth == len(path) - 1
        if key.isdigit():
            raise SettingsFileError(f"has no place {key} in a list", expected="a list that is as long")
        yield " " * (indent + 2 * depth) + f"{scalar(key)}:" + (f" {value}" if last else "")


def last_line(text: str, node: yaml.Node) -> int:
    """Return the line, from 0, of the last thing a node says: its end mark stands behind blank lines and comments."""
    while isinstance(node, yaml.CollectionNode) and node.value and not node.flow_style:
        last = node.value[-1]
        node = last[1] if isinstance(last, tuple) else last
    lines = text.split("\n")
    end = node.end_mark.line
    if isinstance(node, yaml.ScalarNode) and node.style in ("|", ">"):
        end = min(end, len(lines)) - 1
        while end > node.start_mark.line and not lines[end].strip():
            end -= 1
        while (
            end > node.start_mark.line
            and lines[end].lstrip().startswith("#")
            and _indent(lines[end]) <= _indent(lines[node.start_mark.line])
        ):
            end -= 1
            while end > node.start_mark.line and not lines[end].strip():
                end -= 1
    return end


def _indent(line: str) -> int:
    return len(line) - len(line.lstrip(" "))


def _behind_line(text: str, number: int, fresh: Sequence[str]) -> str:
    lines = text.split("\n")
    lines[number + 1 : number + 1] = fresh
    if number + 1 + len(fresh) == len(lines):
        lines.append("")
    return "\n".join(lines)


def _appended(text: str, fresh: Sequence[str]) -> str:
    lines = text.split("\n")
    end = next((i for i, line in enumerate(lines) if line.strip() == "..."), len(lines))
    while end > 0 and not lines[end - 1].strip():
        end -= 1
    return "\n".join([*lines[:end], *fresh, *(lines[end:] or [""])])


def with_items(text: str, key: str, items: Sequence[Sequence[str]], first: Sequence[str] = (), *, place: str) -> str:
    """Return `text` with `items` at the end of the list under the outermost `key`, each as its lines without indentation. A list that is not there
    is made, with `first` before them.

    Raises SettingsFileError where the list stands in one line, or no list stands there.
    """
    node = read(text)
    there = None if isinstance(node, YamlFault) else child(node, key)
    if isinstance(there, yaml.SequenceNode) and there.value and not there.flow_style:
        indent = there.value[0].start_mark.column - 2
        return _behind_line(text, last_line(text, there), [*_items(items, indent)])
    if (
        isinstance(node, YamlFault)
        or (isinstance(node, yaml.MappingNode) and node.flow_style and node.value)
        or (there is not None and not _says_nothing(there))
    ):
        raise SettingsFileError(f"{key}: holds no list of one line an item", expected="one item a line", where=place)
    if there is None:
        text = _appended(text, [f"{key}:"])
        there = child(cast(yaml.Node, read(text)), key)
    assert there is not None
    return _behind_line(text, there.start_mark.line, [*_items([[word] for word in first], 2), *_items(items, 2)])


def _items(items: Iterable[Sequence[str]], indent: int) -> Iterator[str]:
    for item in items:
        for number, line in enumerate(item):
            yield f"{' ' * indent}{'  ' if number else '- '}{line}"


def rename(text: str, mapping: yaml.Node | None, old: str, new: str) -> str:
    """Return `text` with the key `old` of a mapping called `new`, which is ready as YAML."""
    assert isinstance(mapping, yaml.MappingNode)
    key = next(k for k, _ in mapping.value if isinstance(k, yaml.ScalarNode) and k.value == old)
    return text[: key.start_mark.index] + new + text[key.end_mark.index :]


def without(text: str, path: Path, *, place: str) -> str:
    """Return `text` without the key at `path` and what stands below it; as it is where it is not there.

    Raises SettingsFileError where it stands between braces, among others in one line.
    """
    node = read(text)
    parent = None if isinstance(node, YamlFault) else at(node, path[:-1])
    if not isinstance(parent, yaml.MappingNode) or child(parent, path[-1]) is None:
        return text
    number = next(n for n, (k, _) in enumerate(parent.value) if isinstance(k, yaml.ScalarNode) and k.value == path[-1])
    key, value = parent.value[number]
    if parent.flow_style:
        start = parent.value[number - 1][1].end_mark.index if number else key.start_mark.index
        end = value.end_mark.index if number or len(parent.value) == 1 else parent.value[1][0].start_mark.index
        return text[:start] + text[end:]
    lines = text.split("\n")
    first, last = key.start_mark.line, last_line(text, value)
    if len(parent.value) == 1 or lines[first][: key.start_mark.column].strip():
        raise SettingsFileError(
            f"{path[-1]} cannot be taken out",
            expected="a line of its own beside others",
            where=f"{place}, line {first + 1}",
        )
    return "\n".join(lines[:first] + lines[last + 1 :])


def pairs(node: yaml.Node | None, before: str = "") -> Iterator[tuple[str, str]]:
    """Yield (outside/inside, value) of everything that is one value. What `read` returned holds no more than can be walked."""
    if not isinstance(node, yaml.MappingNode):
        return
    for key, value in node.value:
        if not isinstance(key, yaml.ScalarNode):
            continue
        if isinstance(value, yaml.ScalarNode):
            yield f"{before}{key.value}", value.value
        else:
            yield from pairs(value, f"{before}{key.value}/")
