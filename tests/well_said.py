"""Every finding that is made while tests run is one the registry knows, and speaks in sentences.

What is said of one thing is held word for word in tests/data; here stands what holds of every finding, in whichever test it is made.
One that breaks it raises where it is made.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache, lru_cache
from typing import Any

from mintseed.core.codes import CODES
from mintseed.core.findings import LONGEST, Finding, Severity, Where

MADE_UP = "x."
"""how the code begins of a finding that a test makes up"""

ENDS = ".!?…:)”\"'"
"""with what a sentence ends, or what is quoted at its end"""

CAPITAL_FIRST = re.compile(
    r"(an?|add|another|any|anybody|as|ask|at|by|call|change|choose|each|every|everybody|find|for|four|give|if|in|it|its|keep|leave|look|most"
    r"|no|nobody|none|nothing|of|on|one|only|open|or|others?|pick|put|rename|say|see|set|some|something|take|that|the|there|they|this|to|turn"
    r"|two|unpack|use|what|where|which|whoever|with|without|write)(?=[ ,:])"
)
"""words that begin no name and no value: what begins with one is a sentence of ours"""


class IllSaid(AssertionError):
    """A finding that is none."""


@cache
def _titles(code: str) -> re.Pattern[str]:
    """Return what matches a title of `code`. "a 4 GB card" is "an 8 GB card" elsewhere."""
    either = (".*".join(re.escape(part) for part in title.split("…")) for title in CODES[code].titles)
    return re.compile("|".join(re.sub(r"\b([Aa])(?=\\ \.\*)", r"\1n?", one) for one in either), re.DOTALL)


@lru_cache(4096)
def faults_of(finding: Finding) -> tuple[str, ...]:
    """Return what is wrong with `finding`, whatever it is about. Most are made again and again."""
    return tuple(_faults_of(finding))


def _faults_of(finding: Finding) -> Iterator[str]:
    code = finding.code
    if not isinstance(code, str) or (code not in CODES and not code.startswith(MADE_UP)):
        yield f"no code is {code!r}"
        return
    if not isinstance(finding.severity, Severity):
        yield f"{code}: {finding.severity!r} is no severity"
    if not isinstance(finding.title, str) or not finding.title:
        yield f"{code}: {finding.title!r} is no title"
        return
    if code in CODES:
        if finding.severity not in CODES[code].severities:
            yield f"{code}: it is called {finding.severity}, and never is"
        if len(finding.title) < LONGEST["title"] and not _titles(code).fullmatch(finding.title):
            yield f"{code}: no title of it is {finding.title!r}"
        for name in ("detail", "fix"):
            yield from (f"{code}: its {name} {fault}" for fault in _faults_of_text(getattr(finding, name)))
    if not isinstance(finding.where, Where):
        yield f"{code}: {finding.where!r} is no place"
    if not isinstance(finding.source, str) or not finding.source:
        yield f"{code}: {finding.source!r} is no source"


def _faults_of_text(text: Any) -> Iterator[str]:
    if not isinstance(text, str):
        yield f"is {text!r}"
    elif text:
        if text[-1] not in ENDS:
            yield f"does not end: {text!r}"
        if CAPITAL_FIRST.match(text):
            yield f"begins small: {text!r}"
        if len(text.split()) > 3 and text == text.upper():
            yield f"shouts: {text!r}"


_as_it_was = Finding.__post_init__


def _looked_at(self: Finding) -> None:
    _as_it_was(self)
    if faults := faults_of(self):
        raise IllSaid("; ".join(faults))


def watch() -> None:
    """From now on a finding that is none cannot be made."""
    Finding.__post_init__ = _looked_at  # type: ignore[method-assign]
