"""Shared ground of the described things (recipes, boards, supplies, sites): text in, checked value out, schema on request."""

from __future__ import annotations

from typing import TypeVar

import yaml
from pydantic import BaseModel, ConfigDict, ValidationError

from mintseed.core.errors import DescriptionError


class Described(BaseModel):
    """Base of everything people describe in YAML: unknown fields are mistakes, values do not change afterwards."""

    model_config = ConfigDict(extra="forbid", frozen=True, str_strip_whitespace=True)


D = TypeVar("D", bound=Described)


def read_described(model: type[D], text: str, *, where: str) -> D:
    """Read YAML `text` as `model`.

    Raises DescriptionError with the field's path, what was found and what was expected; `where` names the text.
    """
    try:
        data = yaml.safe_load(text)
    except (yaml.YAMLError, RecursionError, ValueError) as error:
        # Folders within folders without end, and dates that are none, are errors of YAML's reader, not of its grammar.
        why = "nested too deep" if isinstance(error, RecursionError) else error
        raise DescriptionError(
            f"not readable as YAML: {why}", where=where, next_step="Mind indents and colons, then read it again."
        ) from error
    if not isinstance(data, dict):
        raise DescriptionError("the text holds no fields", expected="field: value lines", where=where)
    try:
        return model.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"]) or "the whole text"
        raise DescriptionError(
            f"{field}: {first['msg']}",
            where=where,
            next_step="`mintseed schema recipe|board|site` prints what each field takes.",
        ) from error
