"""JSON edited in place: only the letters of a value change. Source: RFC 8259."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from json.decoder import scanstring  # type: ignore[attr-defined]

from mintseed.core.errors import SettingsFileError
from mintseed.core.settings.typed import index_of

DEEPEST = 60
"""levels; settings files have a few"""
LONGEST_WHOLE = 300
"""digits of a whole number that is kept to the last one"""

_SPACE = re.compile(r"[ \t\n\r]*")
_WORD = re.compile(r"-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?|true|false|null")


@dataclass(slots=True)
class JsonNode:
    """`members`: of an object; `items`: of a list; `value`: of anything else."""

    start: int
    end: int
    value: object = None
    members: dict[str, JsonNode] | None = None
    items: list[JsonNode] | None = None
    doubled: list[tuple[str, int]] = field(default_factory=list)


def read(text: str) -> JsonNode:
    """Return the outermost node. Raises SettingsFileError naming line and column."""
    node = _node(text, _skip(text, 0), 0)
    if (rest := _skip(text, node.end)) != len(text):
        raise _fault(text, rest, "more behind its end")
    return node


def _skip(text: str, at: int) -> int:
    found = _SPACE.match(text, at)
    return found.end() if found else at


def _fault(text: str, at: int, expected: str) -> SettingsFileError:
    line = text.count("\n", 0, at) + 1
    column = at - (text.rfind("\n", 0, at) + 1) + 1
    return SettingsFileError("is no JSON", expected=expected, where=f"line {line}, column {column}")


def _node(text: str, at: int, depth: int) -> JsonNode:
    if depth > DEEPEST:
        raise _fault(text, at, f"at most {DEEPEST} levels")
    sign = text[at : at + 1]
    if sign == "{":
        return _object(text, at, depth)
    if sign == "[":
        return _list(text, at, depth)
    if sign == '"':
        value, end = _string(text, at)
        return JsonNode(at, end, value)
    found = _WORD.match(text, at)
    if found is None:
        raise _fault(text, at, "a value: text in straight quotes, a number, true, false or null")
    return JsonNode(at, found.end(), json.loads(found[0], parse_int=_whole))


def _whole(digits: str) -> float:
    """Return a whole number as readers with numbers of 64 bits take it, who are most: a larger one loses digits. Source: RFC 8259 §6."""
    return int(digits) if len(digits) < LONGEST_WHOLE else float(digits)


def _string(text: str, at: int) -> tuple[str, int]:
    try:
        value, end = scanstring(text, at + 1, True)
    except ValueError as error:
        raise _fault(text, at, "text that ends in a straight quote") from error
    return value, end


def _object(text: str, at: int, depth: int) -> JsonNode:
    node = JsonNode(at, at, members={})
    assert node.members is not None
    place = _skip(text, at + 1)
    while text[place : place + 1] != "}":
        if text[place : place + 1] != '"':
            raise _fault(text, place, "a key in straight quotes, and no comma behind the last")
        key, behind = _string(text, place)
        behind = _skip(text, behind)
        if text[behind : behind + 1] != ":":
            raise _fault(text, behind, "a colon behind the key")
        if key in node.members:
            node.doubled.append((key, place))
        node.members[key] = _node(text, _skip(text, behind + 1), depth + 1)
        place = _skip(text, node.members[key].end)
        if text[place : place + 1] == ",":
            place = _skip(text, place + 1)
            if text[place : place + 1] == "}":
                raise _fault(text, place, "no comma behind the last")
        elif text[place : place + 1] != "}":
            raise _fault(text, place, "a comma, or the closing brace")
    node.end = place + 1
    return node


def _list(text: str, at: int, depth: int) -> JsonNode:
    node = JsonNode(at, at, items=[])
    assert node.items is not None
    place = _skip(text, at + 1)
    while text[place : place + 1] != "]":
        node.items.append(_node(text, place, depth + 1))
        place = _skip(text, node.items[-1].end)
        if text[place : place + 1] == ",":
            place = _skip(text, place + 1)
            if text[place : place + 1] == "]":
                raise _fault(text, place, "no comma behind the last")
        elif text[place : place + 1] != "]":
            raise _fault(text, place, "a comma, or the closing bracket")
    node.end = place + 1
    return node


def at(node: JsonNode | None, path: tuple[str, ...]) -> JsonNode | None:
    """Return what stands at `path`."""
    for key in path:
        if node is None:
            return None
        if node.members is not None:
            node = node.members.get(key)
        elif node.items is not None and (place := index_of(key)) is not None and place < len(node.items):
            node = node.items[place]
        else:
            return None
    return node


def set_value(text: str, path: tuple[str, ...], value: object, *, place: str) -> str:
    """Return `text` with `value` at `path`. Raises SettingsFileError where something else than one value stands there."""
    said = json.dumps(value, ensure_ascii=False)
    if not text.strip():
        return json.dumps(_nested(path, value), ensure_ascii=False, indent=2) + "\n"
    root = read(text)
    for depth in range(len(path), -1, -1):
        node = at(root, path[:depth])
        if node is not None:
            break
    assert node is not None
    if depth == len(path):
        if node.members is not None or node.items is not None:
            raise SettingsFileError("holds more than one value where one belongs", expected="one value", where=place)
        return text[: node.start] + said + text[node.end :]
    if node.members is None:
        raise SettingsFileError(f"holds no keys where {path[depth]} belongs", expected="an object", where=place)
    inner = json.dumps(_nested(path[depth + 1 :], value), ensure_ascii=False)
    member = f"{json.dumps(path[depth], ensure_ascii=False)}: {inner}"
    if not node.members:
        return text[: node.start] + "{" + member + "}" + text[node.end :]
    last = list(node.members.values())[-1].end
    # As the other members are set: each in a line of its own, or all in one.
    first_key = text.index('"', node.start)
    gap = text[node.start + 1 : first_key]
    return text[:last] + "," + (gap or " ") + member + text[last:]


def _nested(path: tuple[str, ...], value: object) -> object:
    for key in reversed(path):
        value = {key: value}
    return value


def pairs(node: JsonNode, before: str = "") -> Iterator[tuple[str, str]]:
    """Yield (outside/inside, value) of everything that is one value."""
    for key, inner in (node.members or {}).items():
        if inner.members is not None:
            yield from pairs(inner, f"{before}{key}/")
        elif inner.items is None:
            yield f"{before}{key}", inner.value if isinstance(inner.value, str) else json.dumps(inner.value)
