"""Shared ground of the described things (recipes, boards, parts, sites): text in, checked value out, schema on request.

A text may come from anywhere. It is data: size, depth and count are bounded, and what only makes it larger or cleverer than it
looks (anchors and aliases, tags, keys named twice) is refused with its line.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Any, TypeVar, get_args

import yaml
from pydantic import BaseModel, ConfigDict, ValidationError

from mintseed.core.errors import DescriptionError
from mintseed.core.limits import MAX_DESCRIPTION_BYTES, MAX_DESCRIPTION_DEPTH, MAX_DESCRIPTION_NODES, MAX_PROBLEMS
from mintseed.core.visible import one_line, visible

Path = tuple[str | int, ...]


@dataclass(frozen=True, slots=True)
class Fault:
    """What cannot be meant, though each field by itself can be read. `path` leads from the described thing to the field.

    `odd`: it may be meant; it is to be looked at and bars nothing.
    """

    path: Path
    message: str
    odd: bool = False


@dataclass(frozen=True, slots=True)
class Around:
    """What else is described, which a text may name, and the day it is read; None where nobody knows."""

    boards: Mapping[str, Any] | None = None
    parts: Mapping[str, Any] | None = None
    today: date | None = None


class MeantError(ValueError):
    """Raised by a described thing's own rule: `path` leads from it to the field that is wrong."""

    def __init__(self, path: Path, message: str) -> None:
        super().__init__(message)
        self.path = path


class Described(BaseModel):
    """Base of everything people describe in YAML: unknown fields are mistakes, values do not change afterwards."""

    model_config = ConfigDict(extra="forbid", frozen=True, str_strip_whitespace=True, defer_build=True)

    def faults(self, around: Around) -> Iterator[Fault]:
        """Yield what cannot be meant about this thing's own fields; those of things in it are asked of them."""
        yield from ()


D = TypeVar("D", bound=Described)


def all_faults(thing: Described, around: Around, path: Path = ()) -> Iterator[Fault]:
    """Yield the faults of `thing` and of every described thing in it, each with the path from the outermost."""
    for fault in thing.faults(around):
        yield replace(fault, path=(*path, *fault.path))
    for name in type(thing).model_fields:
        value = getattr(thing, name)
        for place, inner in enumerate(value) if isinstance(value, tuple) else ((None, value),):
            if isinstance(inner, Described):
                yield from all_faults(inner, around, (*path, name, *(() if place is None else (place,))))


@dataclass(frozen=True, slots=True)
class Mistake:
    """One thing wrong with a text. `path` is the field's, dotted; `line` counts from 1. `bars`: it cannot be used so; else it is
    only odd."""

    path: str
    line: int
    message: str
    bars: bool = True


class _RefusedError(Exception):
    def __init__(self, line: int, message: str) -> None:
        super().__init__(message)
        self.line, self.message = line, message


def read_described(model: type[D], text: str, *, where: str, around: Around | None = None) -> D:
    """Read YAML `text` as `model`. Given what is `around`, what cannot be meant is refused too; a text that was kept is read without,
    so that a stricter version of this program takes nothing away.

    Raises DescriptionError with the field's path, its line, what was found and what was expected; `where` names the text.
    """
    read, problems = read_or_tell(model, text, around)
    first = next((p for p in problems if p.bars), None)
    if read is not None and first is None:
        return read
    assert first is not None
    field = f"{first.path}: " if first.path else ""
    raise DescriptionError(
        f"line {first.line}: {field}{first.message}",
        where=where,
        next_step="`mintseed schema recipe|board|part|site` prints what each field takes.",
    )


def read_or_tell(model: type[D], text: str, around: Around | None = None) -> tuple[D | None, tuple[Mistake, ...]]:
    """Return the value `text` describes, or None, and everything that is wrong or odd about it, in the order of its lines. Without
    `around` only what cannot be read is looked for."""
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
        read = model.model_validate(data)
    except ValidationError as error:
        found = [_problem(node, e, model) for e in error.errors(include_url=False)[:MAX_PROBLEMS]]
        return None, tuple(sorted(found, key=lambda p: p.line))
    if around is None:
        return read, ()
    faults = itertools.islice(all_faults(read, around), MAX_PROBLEMS)
    mistakes = tuple(sorted((_mistake(node, f) for f in faults), key=lambda p: p.line))
    return (None if any(m.bars for m in mistakes) else read), mistakes


def _mistake(node: Any, fault: Fault) -> Mistake:
    return Mistake(
        ".".join(one_line(str(p)) for p in fault.path), _line(node, fault.path), one_line(fault.message), not fault.odd
    )


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


_LIMITS = {
    "greater_than": "more than {gt:g}", "greater_than_equal": "{ge:g} or more", "less_than": "less than {lt:g}",
    "less_than_equal": "{le:g} or less", "string_too_long": "at most {max_length} characters",
    "string_too_short": "at least {min_length} character{s}", "too_long": "at most {max_length} of them", "too_short": "at least {min_length}",
}  # fmt: skip
_KINDS = {
    "int": "a whole number", "float": "a number", "string": "a text", "bool": "true or false", "date": "a day, such as 2026-05-28",
    "tuple": "a list, such as [one, two]", "list": "a list, such as [one, two]", "dict": "fields, such as {name: value}",
    "model": "fields, such as {name: value}", "finite": "a number",
}  # fmt: skip


def in_words(model: type[BaseModel], error: Any) -> str:
    """Return in our words what a value is refused for: what was found and what is expected. `error` is one of pydantic's errors()."""
    kind, limits = str(error["type"]), error.get("ctx") or {}
    found = one_line(str(error.get("input")))[:60]
    if kind == "missing":
        return "is missing"
    if kind == "extra_forbidden":
        from difflib import get_close_matches  # only for who made a mistake: it is slow to load

        known = _fields_at(model, error["loc"][:-1])
        near = get_close_matches(str(error["loc"][-1]), known, 1)
        return "is no field here" + (
            f"; is {near[0]} meant?" if near else f"; there are {', '.join(known)}" if known else ""
        )
    if kind == "string_type" and isinstance(error.get("input"), (bool, int, float)):
        what = "true or false" if isinstance(error["input"], bool) else "a number"
        return f'YAML reads this as {what}, and a text is meant: put it in quotes, such as "NO"'
    if kind in _LIMITS:
        expected = _LIMITS[kind].format(**limits, s="" if limits.get("min_length") == 1 else "s")
        return (
            f"{found} is refused; expected is {expected}" if "than" in kind else f"is refused; expected is {expected}"
        )
    if kind == "literal_error":
        return f"{found} is none of {str(limits.get('expected', '')).replace(chr(39), '').replace(' or ', ', ')}"
    if kind == "string_pattern_mismatch":
        return f"{found} is not written as expected: {limits.get('pattern', '')}"
    if kind.startswith("value_error"):
        return str(error["msg"]).removeprefix("Value error, ")
    return f"{found} is not {_KINDS.get(kind.split('_')[0], 'what is expected here')}"


def _fields_at(model: Any, loc: Sequence[str | int]) -> list[str]:
    """Return the fields of the described thing at `loc` in `model`."""
    for step in loc:
        if isinstance(step, str) and hasattr(model, "model_fields") and step in model.model_fields:
            model = next(_models_in(model.model_fields[step].annotation), None)
    return list(model.model_fields) if hasattr(model, "model_fields") else []


def _models_in(annotation: Any) -> Iterator[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
    for inner in get_args(annotation):
        yield from _models_in(inner)


def _problem(node: Any, error: Any, model: type[BaseModel]) -> Mistake:
    cause = (error.get("ctx") or {}).get("error")
    # A rule of one thing speaks of one of its fields: that is where to look.
    loc = (*error["loc"], *(cause.path if isinstance(cause, MeantError) else ()))
    return Mistake(".".join(one_line(str(part)) for part in loc), _line(node, loc), in_words(model, error))


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


def free_ident(name: str, taken: Collection[str], otherwise: str) -> str:
    """Return an id for a thing called `name` that nothing in `taken` has; `otherwise` for a name without a letter an id can have."""
    base = re.sub(r"[^a-z0-9.-]+", "-", name.lower()).strip("-.")[:34] or otherwise
    ident, number = base, 2
    while ident in taken:
        ident, number = f"{base}-{number}", number + 1
    return ident
