"""What is sent is read strictly: texts that no column, page or file can hold are refused before anybody works with them."""

from __future__ import annotations

import json
import re
from typing import Any

from django.http import HttpRequest
from django.utils.datastructures import MultiValueDict
from ninja.parser import Parser

from mintseed.core.errors import InputError

MOST_DEEP = 20
"""levels of lists and objects in what is sent; the deepest the API takes is two."""

_NO_TEXT = re.compile("[\x00\ud800-\udfff]")


class StrictParser(Parser):
    """Reads JSON without NaN, lone surrogates, zero characters and bottomless nesting."""

    def parse_body(self, request: HttpRequest) -> Any:
        try:
            data = json.loads(request.body, parse_constant=_refuse_constant)
        except (ValueError, RecursionError) as error:
            raise InputError("what was sent is no JSON", expected="a JSON object") from error
        _check(data, "body", 0)
        return data

    def parse_querydict(self, data: MultiValueDict[str, Any], list_fields: list[str], request: HttpRequest) -> Any:
        _check({key: data.getlist(key) for key in data}, "query", 0)
        return super().parse_querydict(data, list_fields, request)


def _refuse_constant(name: str) -> None:
    raise ValueError(name)


def _check(value: Any, where: str, depth: int) -> None:
    if depth > MOST_DEEP:
        raise InputError("it is nested too deep", where=where)
    if isinstance(value, str):
        if _NO_TEXT.search(value):
            raise InputError("a character in it is none that can be kept", expected="Unicode text", where=where)
    elif isinstance(value, dict):
        for key, inner in value.items():
            _check(key, where, depth + 1)
            _check(inner, f"{where}.{key}" if not _NO_TEXT.search(key) else where, depth + 1)
    elif isinstance(value, list):
        for inner in value:
            _check(inner, where, depth + 1)
