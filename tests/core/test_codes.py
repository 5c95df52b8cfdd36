"""The registry of finding codes and the code that makes findings agree, both ways."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import pytest

import mintseed.core
from mintseed.core.codes import CODES

SOURCE = Path(mintseed.core.__file__ or "").parents[1]
SHAPE = re.compile(r"[a-z][a-z-]*[.][a-z0-9][a-z0-9-]*")
"""What a code looks like. Whatever is the first argument of a Finding is one; that of a helper which makes findings is one where its
first word is that of a registered code, since file names look alike."""

WORDS = {code.split(".")[0] for code in CODES}


def made() -> set[str]:
    """Return every literal that is the first argument of a call that makes a finding, and every registered one that stands elsewhere,
    such as in a table of texts."""
    found: set[str] = set()
    for path in SOURCE.rglob("*.py"):
        if path.name == "codes.py":
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and node.value in CODES:
                found.add(node.value)
            if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.args):
                continue
            if node.func.id in ("_Weigher", "Action"):
                continue
            first = node.args[0]
            both = (first.body, first.orelse) if isinstance(first, ast.IfExp) else (first,)
            found |= {
                n.value
                for n in both
                if isinstance(n, ast.Constant)
                and isinstance(n.value, str)
                and SHAPE.fullmatch(n.value)
                and (node.func.id == "Finding" or n.value.split(".")[0] in WORDS)
            }
    return found


@pytest.mark.reads_source
def test_every_code_is_registered_and_every_registered_code_is_made() -> None:
    assert made() == set(CODES)


@pytest.mark.reads_source
def test_no_code_is_put_together_where_a_finding_is_made() -> None:
    """A code is found by searching for it."""
    makers = {"Finding", "not_chosen", "_stop", "_check", "_note"}
    for path in SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in makers and node.args:
                assert not isinstance(node.args[0], ast.JoinedStr), (path.name, node.lineno)
