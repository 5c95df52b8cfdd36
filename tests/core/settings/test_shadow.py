"""Passwords of a system's own accounts, against pwck(8), openssl-passwd(1) and shadow(5)."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

from mintseed import wiring
from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Severity
from mintseed.core.image.report import XRay
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.accounts import password_hash
from mintseed.core.settings.dialects import shadow
from mintseed.core.settings.fill import check_file, fill_files
from tests.builders.xrays import holding
from tests.core.settings.test_values import values

FILE = FileToFill(path="etc/shadow", volume="root", dialect="shadow", title="password", values={"post": "{admin_hash}"})
WORD = "lantern over quay"
HASH = password_hash(WORD, "abcdefgh")
LINES = "root:*:20000:0:99999:7:::\npost:$6$old$made.up:0:0:99999:7:::\nmo:!:20000:0:99999:7:::\n"
PASSWD = "root:x:0:0::/root:/bin/sh\npost:x:1000:1000::/home/post:/bin/sh\nmo:x:1001:1001::/home/mo:/bin/sh\n"


def taken(text: str, tmp_path: Path) -> bool:
    """Whether pwck(8) takes every line of it."""
    (tmp_path / "passwd").write_text(PASSWD)
    (tmp_path / "shadow").write_text(text)
    (tmp_path / "shadow").chmod(0o640)
    said = subprocess.run(
        ["pwck", "-r", tmp_path / "passwd", tmp_path / "shadow"], capture_output=True, text=True, check=False
    )
    return "invalid" not in said.stdout + said.stderr and "no matching" not in said.stdout + said.stderr


def test_one_password_is_set_and_every_other_line_is_as_it_came(tmp_path: Path) -> None:
    after = shadow.apply(LINES, FILE, values(admin_hash=HASH))
    # That it was to be changed at the next login (0, shadow(5)) was for the password everybody knew.
    assert after == LINES.replace("$6$old$made.up:0:", f"{HASH}::")
    assert taken(after, tmp_path)
    assert not list(shadow.check(after, "/etc/shadow"))
    assert shadow.apply(after, FILE, values(admin_hash=HASH)) == after
    # The independent hash: openssl passwd.
    asked = subprocess.run(
        ["openssl", "passwd", "-6", "-salt", "abcdefgh", WORD], capture_output=True, text=True, check=True
    )
    assert asked.stdout.strip() == HASH
    assert shadow.means(after, "/etc/shadow", FILE).sentence() == "Lets post in with the password whose hash it holds."
    assert shadow.means("post:!:1::::::\n", "", FILE).sentence() == "Lets nobody in as post with a password."
    assert shadow.means("post::1::::::\n", "", FILE).sentence() == "Lets post in without a password."


def test_nothing_is_filled_without_a_password_or_for_nobody() -> None:
    assert shadow.apply(LINES, FILE, values()) == LINES
    nobody = FILE.model_copy(update={"values": {"ann": "{admin_hash}"}})
    with pytest.raises(SettingsFileError, match="no account is called ann"):
        shadow.apply(LINES, nobody, values(admin_hash=HASH))
    odd = FILE.model_copy(update={"values": {"post": "{word}"}})
    with pytest.raises(SettingsFileError, match="colon"):
        shadow.apply(LINES, odd, values(answers={"word": "a:0:"}))


@pytest.mark.parametrize("line", ["post", "post:x", "post:x:1:2:3:4:5:6", "post:x:1:2:3:4:5:6:7:8", ":x:1::::::"])
def test_what_is_no_entry_is_told_as_pwck_tells_it(line: str, tmp_path: Path) -> None:
    text = f"root:*:20000:0:99999:7:::\n{line}\n"
    assert not taken(text, tmp_path)
    assert [(f.code, f.severity, f.where.line) for f in shadow.check(text, "/etc/shadow")] == [
        ("shadow.fields", Severity.CHECK, 2)
    ]


def test_of_two_lines_for_one_account_the_first_counts() -> None:
    assert [f.code for f in check_file((LINES + "post:!:1::::::\n").encode(), "/etc/shadow", "shadow")] == [
        "shadow.twice"
    ]


def test_no_hash_is_shown_and_the_file_stays_whose_it_is() -> None:
    recipe = wiring.recipes()["platen"].model_copy(update={"files": (FILE,)})
    xray: XRay = holding({"/etc/shadow": LINES.encode()})
    assert fill_files(recipe, values(), xray) == (), "without a password the file is left as it lies"
    [filled] = fill_files(recipe, values(admin_hash=HASH), xray)
    assert filled.changed_lines == 1
    shown = "\n".join(line.text for line in filled.lines)
    assert "made.up" not in shown
    assert HASH[3:] not in shown
    assert HASH.encode() in filled.content
    assert (filled.owned.uid, filled.owned.gid, filled.owned.mode) == (None, None, None)
    assert "made.up" not in repr(xray) + repr(filled)


def test_each_account_gets_its_own_and_an_empty_one_stops_none() -> None:
    file = FileToFill(
        path="etc/shadow", volume="root", dialect="shadow", title="password", values={"root": "{pin}", "post": "{admin_hash}", "mo": "{admin_hash}"}
    )  # fmt: skip
    after = shadow.apply(LINES, file, values(admin_hash=HASH, answers={"pin": ""})).split("\n")
    assert [line.split(":")[1] for line in after if line] == ["*", HASH, HASH]
    assert shadow.means("\n".join(after), "/etc/shadow", file).does == (
        "lets nobody in as root with a password",
        "lets post in with the password whose hash it holds",
        "lets mo in with the password whose hash it holds",
    )
    assert shadow.means("\n".join(after), "/etc/shadow").does == ()


@pytest.mark.parametrize(("account", "hashed", "found", "expected"), [
    ("post", "a:b", "a hash holds a colon or a line's end", "one field"), ("post", "a\nb", "a hash holds a colon or a line's end", "one field"),
    ("guest", HASH, "no account is called guest", "one of the image's own"),
])  # fmt: skip
def test_what_would_be_no_line_of_it_is_refused(account: str, hashed: str, found: str, expected: str) -> None:
    file = FILE.model_copy(update={"values": {account: "{admin_hash}"}})
    with pytest.raises(SettingsFileError) as refused:
        shadow.apply(LINES, file, values(admin_hash=hashed))
    said = refused.value
    assert (said.found, said.expected, said.where) == (found, expected, "/etc/shadow")
    assert said.next_step == ("Name another account in the recipe." if account == "guest" else "")
