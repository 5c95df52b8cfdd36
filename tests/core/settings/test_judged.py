"""Files spoiled at random, judged by us and by the real reader: what it refuses we stop, what it takes and means we let pass.

A slice here, the same each time so that a landing does not hang on a throw of dice; the whole, with another seed every time, by `make torture`. Differences that are meant: quotes that become part of a value; a text that holds curly quotes, no-break
spaces, unseen letters or lone carriage returns is taken by most readers, and says something else than what is seen on a screen.
"""

from __future__ import annotations

import os
import random
import tempfile
from pathlib import Path

import pytest

from mintseed.core.findings import Severity
from mintseed.core.settings.fill import check_file
from tests.builders.judges import JUDGES
from tests.builders.spoil import spoiled
from tests.core.settings.test_said_of_files import RARE, TEXTS

COUNT = int(os.environ.get("MINTSEED_SPOILED", "0"))
"""files a dialect; nothing said: as many as take some seconds"""
SLOW = {
    "wpa-supplicant": 40, "keyfile": 50, "netplan": 40, "cloud-init-user-data": 60, "interfaces": 90, "connman": 40, "systemd-networkd": 60,
}  # fmt: skip
SEED = int(os.environ.get("MINTSEED_SEED", "20261129"))
SEEN_OTHERWISE = {"keyfile.quotes", "file.curly-quotes", "file.no-break-space", "file.unseen-letter", "file.cr-only"}


@pytest.mark.parametrize("dialect", sorted(JUDGES))
def test_a_spoiled_file_is_judged_as_its_reader_judges_it(dialect: str, tmp_path: Path) -> None:
    judge, chance = JUDGES[dialect], random.Random(f"{SEED} {dialect}")
    refused = 0
    for _ in range(COUNT or SLOW.get(dialect, 200)):
        text = spoiled(chance.choice(judge.right), chance, judge.words)
        data = text.encode()
        if dialect == "interfaces" and b"\\\r" in data:
            continue  # a carriage return behind the backslash: this reader no longer goes on with the next line
        stops = {f.code for f in check_file(data, "settings.conf", dialect, judge.file) if f.severity is Severity.STOP}
        if stops and stops <= SEEN_OTHERWISE:
            continue
        takes = judge.takes(data, tmp_path)
        refused += not takes
        assert takes or stops, f"seed {SEED}: its reader refuses it, and nothing was said:\n{text}"
        assert not (takes and stops and judge.both_ways), (
            f"seed {SEED}: its reader takes it, and we say {stops}:\n{text}"
        )
    assert refused, "not one file was refused: the edits spoil nothing"


OTHERWISE = {
    # cloud-init 22.4.2: its schema only warns of what its modules take.
    "[[git], [a, 1.5]", "gecos: , shell: ",
    # Networks with an account: let pass by their readers here, and judged by nobody.
    "identity: ann", "wpa-identity", "Identity = ann",
    # cloud-init 22.4.2: its schema wants a list, distros/__init__.py takes a text too; cc_locale.py leaves all as it is; a script is run.
    "ssh_authorized_keys: x}", "locale: false", "#!/bin/sh",
    # Releases of netplan since 0.107 take it, and nothing here knows which one an image has.
    "key-management: sae",
    # What the judge does not look into: another file, a service of connman's that is open after all, a backslash that GLib refuses.
    "wpa-conf", "Security = x", "Passphrase = a\\b",
}  # fmt: skip
"""in a text of which its reader, or who speaks for it here, says something else than we do, and why"""


@pytest.mark.parametrize("dialect", sorted(JUDGES))
def test_rare_texts_are_judged_as_their_reader_judges_them(dialect: str, tmp_path: Path) -> None:
    judge = JUDGES[dialect]
    for text in (*TEXTS.get(dialect, ()), *RARE.get(dialect, ())):
        if any(part in text for part in OTHERWISE):
            continue
        data = text.encode()
        stops = {f.code for f in check_file(data, "settings.conf", dialect, judge.file) if f.severity is Severity.STOP}
        if stops and stops <= SEEN_OTHERWISE:
            continue
        takes = judge.takes(data, tmp_path)
        assert takes or stops, f"its reader refuses it, and nothing was said:\n{text}"
        assert not (takes and stops and judge.both_ways), f"its reader takes it, and we say {stops}:\n{text}"


@pytest.mark.parametrize("dialect", sorted(JUDGES))
def test_what_is_right_is_taken_by_its_reader(dialect: str) -> None:
    with tempfile.TemporaryDirectory() as folder:
        assert all(JUDGES[dialect].takes(text.encode(), Path(folder)) for text in JUDGES[dialect].right)
