"""What holds of every finding is held: one that breaks it cannot be made while tests run."""

from __future__ import annotations

from typing import Any

import pytest

from mintseed.core.findings import Finding, Severity, Where
from tests.well_said import IllSaid

WHOLE: dict[str, Any] = {
    "code": "file.cr-only", "severity": Severity.NOTE, "title": "A lone CR stands in line 4", "detail": "The reader sees one line.",
    "fix": "Use LF.", "where": Where(file="a", line=4), "source": "POSIX.1-2017 §3.206",
}  # fmt: skip


@pytest.mark.parametrize("change", [
    {},
    {"severity": Severity.STOP, "title": "Lines end in a lone CR"},
    {"detail": "", "fix": ""},
    {"detail": "wlan0 is none of them (“eth0”)"},
    {"fix": "USE LF."},
    {"code": "plan.card-fits", "severity": Severity.OK, "title": "An 8 GB card has room"},
    {"code": "plan.card-fits", "severity": Severity.OK, "title": "A 16 GB card has room"},
    {"code": "x.made-up", "title": "made up", "detail": "anything at all"},
    {"code": "plan.board-fits", "severity": Severity.OK, "title": f"Starts on {'M' * 400}"},
])  # fmt: skip
def test_a_finding_may_be_so(change: dict[str, Any]) -> None:
    Finding(**WHOLE | change)


@pytest.mark.parametrize(("change", "told"), [
    ({"code": "file.cr"}, "no code is 'file.cr'"),
    ({"code": None}, "no code is None"),
    ({"severity": Severity.CHECK}, "never is"),
    ({"severity": None}, "no severity"),
    ({"title": "a lone CR stands in line 4"}, "no title of it"),
    ({"title": ""}, "no title"),
    ({"code": "plan.card-fits", "severity": Severity.OK, "title": "Any 8 GB card has room"}, "no title of it"),
    ({"detail": "The reader sees one line"}, "detail does not end"),
    ({"detail": "the reader sees one line."}, "detail begins small"),
    ({"fix": "USE LF, OR CRLF."}, "fix shouts"),
    ({"where": None}, "no place"),
    ({"source": ""}, "no source"),
])  # fmt: skip
def test_a_finding_is_never_so(change: dict[str, Any], told: str) -> None:
    with pytest.raises(IllSaid, match=told):
        Finding(**WHOLE | change)
