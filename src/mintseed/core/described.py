"""Shared ground of the described things (recipes, boards, parts, sites): text in, checked value out, schema on request.

A text may come from anywhere. It is data: size, depth and count are bounded, and what only makes it larger or cleverer than it
looks (anchors and aliases, tags, keys named twice) is refused with its line.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

import yaml
from pydantic import BaseModel, ConfigDict, ValidationError

from mintseed.core.errors import DescriptionError
from mintseed.core.limits import MAX_DESCRIPTION_BYTES, MAX_DESCRIPTION_DEPTH, MAX_DESCRIPTION_NODES, MAX_PROBLEMS
from mintseed.core.visible import one_line, visible


class Described(BaseModel):
    """Base of everything people describe in YAML: unknown fields are mistakes, values do not change afterwards."""

    model_config = ConfigDict(extra="forbid", frozen=True, str_strip_whitespace=True)


D = TypeVar("D", bound=Described)


@dataclass(frozen=True, slots=True)
class Mistake:
    """One thing wrong with a text. `path` is the field's, dotted; `line` counts from 1."""

    path: str
    line: int
    message: str


class _RefusedError(Exception):
    def __init__(self, line: int, message: str) -> None:
        super().__init__(message)
        self.line, self.message = line, message


def read_described(model: type[D], text: str, *, where: str) -> D:
    """Read YAML `text` as `model`.

    Raises DescriptionError with the field's path, its line, what was found and what was expected; `where` names the text.
    """
    read, problems = read_or_tell(model, text)
    if read is not None:
        return read
    first = problems[0]
    field = f"{first.path}: " if first.path else ""
    raise DescriptionError(
        f"line {first.line}: {field}{first.message}",
        where=where,
        next_step="`mintseed schema recipe|board|part|site` prints what each field takes.",
    )


def read_or_tell(model: type[D], text: str) -> tuple[D | None, tuple[Mistake, ...]]:
    """Return the value `text` describes, or None and everything that is wrong with it, in the order of its lines."""
    try:
        node = _compose(text)
        data = yaml.SafeLoader("").construct_document(node) if node is not None else None
    except _RefusedError as refused:
        return None, (Mistake("", refused.line, refused.message),)
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        return None, (Mistake("", mark.line + 1 if mark else 1, f"not readable as YAML: {error.problem or error}"),)
    except (yaml.YAMLError, RecursionError, ValueError) as error:
        # Dates that are none are errors of YAML's reader, not of its grammar.
        return None, (Mistake("", 1, f"not readable as YAML: {error}"),)
    if node is None or not isinstance(data, dict):
        return None, (Mistake("", 1, "the text holds no fields; expected are field: value lines"),)
    try:
        return model.model_validate(data), ()
    except ValidationError as error:
        found = [_problem(node, e["loc"], e["msg"]) for e in error.errors()[:MAX_PROBLEMS]]
        return None, tuple(sorted(found, key=lambda p: p.line))


def _compose(text: str) -> Any:
    """Return the text's nodes. Raises _RefusedError for what no description needs."""
    if len(text.encode("utf-8", "replace")) > MAX_DESCRIPTION_BYTES:
        raise _RefusedError(1, f"longer than {MAX_DESCRIPTION_BYTES // 1024} KiB, which no description is")
    depth = count = 0
    for event in yaml.parse(text, Loader=yaml.CSafeLoader):
        line = event.start_mark.line + 1 if event.start_mark else 1
        if isinstance(event, yaml.AliasEvent) or getattr(event, "anchor", None):
            raise _RefusedError(line, "anchors and aliases (& and *) are not taken here: write it out")
        if getattr(event, "tag", None) and isinstance(event, yaml.NodeEvent):
            raise _RefusedError(line, "tags (!) are not taken here")
        if isinstance(event, yaml.ScalarEvent) and visible(event.value) != event.value:
            raise _RefusedError(line, f"holds a control or invisible character: {one_line(event.value)[:60]}")
        depth += isinstance(event, (yaml.MappingStartEvent, yaml.SequenceStartEvent))
        depth -= isinstance(event, (yaml.MappingEndEvent, yaml.SequenceEndEvent))
        count += isinstance(event, yaml.NodeEvent)
        if depth > MAX_DESCRIPTION_DEPTH:
            raise _RefusedError(line, f"nested deeper than {MAX_DESCRIPTION_DEPTH} steps")
        if count > MAX_DESCRIPTION_NODES:
            raise _RefusedError(line, f"more than {MAX_DESCRIPTION_NODES} values")
    node = yaml.compose(text, Loader=yaml.CSafeLoader)
    for twice in _named_twice(node):
        raise _RefusedError(twice.start_mark.line + 1, f"{one_line(str(twice.value))} stands here for the second time")
    return node


def _named_twice(node: Any) -> Iterator[Any]:
    if isinstance(node, yaml.MappingNode):
        seen = set()
        for key, value in node.value:
            if key.value.__hash__ and key.value in seen:
                yield key
            seen.add(key.value if isinstance(key.value, str) else id(key))
            yield from _named_twice(value)
    elif isinstance(node, yaml.SequenceNode):
        for item in node.value:
            yield from _named_twice(item)


_LEADING_PATH = re.compile(r"(?:Value error, )?([a-z_]+)(?:\.[^:]*)?: ")


def _problem(node: Any, loc: Sequence[str | int], message: str) -> Mistake:
    said = message.removeprefix("Value error, ")
    if not loc and (led := _LEADING_PATH.match(message)):
        return Mistake("", _line(node, (led.group(1),)), said)
    return Mistake(".".join(one_line(str(part)) for part in loc), _line(node, loc), said)


def _line(node: Any, loc: Sequence[str | int]) -> int:
    """Return the line of the field at `loc`; of one that is missing, that of what it is missing from."""
    line = node.start_mark.line + 1
    for part in loc:
        if isinstance(node, yaml.MappingNode):
            found = next(((k, v) for k, v in node.value if k.value == str(part)), None)
            if found is None:
                break
            line, node = found[0].start_mark.line + 1, found[1]
        elif isinstance(node, yaml.SequenceNode) and isinstance(part, int) and part < len(node.value):
            node = node.value[part]
            line = node.start_mark.line + 1
        else:
            break
    return int(line)
