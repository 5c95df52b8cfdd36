"""What a reader makes of what editors do to files: the same damage is nothing to one and the end of the file to another."""

from __future__ import annotations

from dataclasses import dataclass, replace

from mintseed.core.findings import Severity


@dataclass(frozen=True, slots=True)
class Reader:
    """How bad each kind of damage is to it. Every row is asked of the real reader by a test, see tests/core/settings/test_damage.py.

    `comments`: signs that begin a comment line; none where it knows no comments. `old_letters_in_comments`: what bytes that are no UTF-8 do
    in a comment; a line that counts is always spoiled by them. `cr_twice`: what a second CR before the line feed does; `cr_blank`: one with blanks
    behind it; `lone_cr`: one in the middle of a line.
    """

    comments: tuple[str, ...] = ("#",)
    mark: Severity = Severity.STOP
    utf_16: Severity = Severity.STOP
    crlf: Severity = Severity.NOTE
    cr_twice: Severity = Severity.STOP
    cr_blank: Severity = Severity.STOP
    lone_cr: Severity = Severity.STOP
    old_letters_in_comments: Severity = Severity.NOTE

    def is_comment(self, line: str) -> bool:
        return line.lstrip(" \t").startswith(self.comments) if self.comments else False


ANY_READER = Reader()

SHELL = Reader(crlf=Severity.STOP)
"""carriage returns become part of the last word of a line (POSIX.1-2017 XCU §2.2)"""

YAML = Reader(
    mark=Severity.NOTE,
    cr_twice=Severity.NOTE,
    cr_blank=Severity.NOTE,
    lone_cr=Severity.NOTE,
    old_letters_in_comments=Severity.STOP,
)
"""YAML 1.1 §5.1, §5.2 and §5.4: a mark at the beginning is taken, what is no UTF-8 is not, wherever it stands; a CR alone ends a line"""

NETPLAN = replace(YAML, utf_16=Severity.NOTE)
"""libyaml itself, which tells UTF-16 by its mark"""

USER_DATA = replace(YAML, mark=Severity.STOP)
"""its first line is looked at before anything is read as YAML"""
