"""What is said, kept word for word in files under tests/data.

After a change of words: MINTSEED_SENTENCES=write, and read what has become of the files.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping
from functools import cache
from pathlib import Path

import pytest

from mintseed.core.findings import Finding

DATA = Path(__file__).resolve().parents[1] / "data"
Cases = Mapping[str, Callable[[], Iterable[str]]]


def finding(one: Finding) -> str:
    """Return all a finding says, in a line."""
    where = " ".join(
        f"{name}={value}" for name in ("file", "line", "part", "field") if (value := getattr(one.where, name))
    )
    action = f"[{one.action.label} -> {one.action.station} {one.action.field} {one.action.value}]" if one.action else ""
    return " | ".join((f"{one.severity} {one.code}", where, one.title, one.detail, one.fix, one.source, action))


@cache
def kept(name: str) -> dict[str, list[str]]:
    """Return what the file `name` holds, by the case."""
    found: dict[str, list[str]] = {}
    for text in (DATA / name).read_text().splitlines():
        if text.startswith("== "):
            found[text[3:]] = []
        else:
            found[next(reversed(found))].append(text)
    return found


def tests_of(name: str, cases: Cases) -> tuple[Callable[[str], None], Callable[[], None]]:
    """Return two tests: that what is said of each case stands in the file `name`, and that nothing else does. Where somebody asks for it,
    the file is written first."""
    if os.environ.get("MINTSEED_SENTENCES") == "write":
        lines = (text for case, told in cases.items() for text in (f"== {case}", *told()))
        (DATA / name).write_text("\n".join(lines) + "\n")

    @pytest.mark.parametrize("case", cases)
    def it_is_said_so(case: str) -> None:
        assert list(cases[case]()) == kept(name)[case]

    def each_is_a_case() -> None:
        assert list(kept(name)) == list(cases)

    return it_is_said_so, each_is_a_case
