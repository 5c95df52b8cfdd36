"""How one logs in to a card of an image that nobody described: its own account, its password and keys, each where its reader looks."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed.core.image.facts import Account, Fact, SystemFacts
from mintseed.core.image.report import FileOnImage, XRay
from mintseed.core.recipes.draft_files import SHADOW_PATH, DraftFile, root_files
from tests.builders.xrays import holding

WARDEN = Account("warden", "password", uid=1000, gid=1000, home="/home/warden")
ROOT = Account("root", "password", uid=0, gid=0, home="/root")
SSH = Fact("ssh", "lib/systemd/system/ssh.service")


def image(*accounts: Account, ssh: Fact | None = SSH, **files: bytes) -> XRay:
    lying = tuple(FileOnImage(p, len(c), c, False) for p, c in files.items())
    return replace(holding({}), system=SystemFacts(accounts=accounts, ssh=ssh), files=lying)


def by_path(one: XRay) -> dict[str, DraftFile]:
    return {f.path: f for f in root_files(one, ())}


@pytest.mark.parametrize(("accounts", "path", "owner"), [
    ((ROOT, WARDEN), "/home/warden/.ssh/authorized_keys", "warden"), ((ROOT,), "/root/.ssh/authorized_keys", "root"),
    ((ROOT, replace(WARDEN, uid=999)), "/root/.ssh/authorized_keys", "root"), ((replace(WARDEN, home=""), ROOT), "/root/.ssh/authorized_keys", "root"),
    ((replace(WARDEN, home="/srv/kiosk/"),), "/srv/kiosk/.ssh/authorized_keys", "warden"),
])  # fmt: skip
def test_keys_lie_with_the_first_account_that_a_person_has_else_with_root(
    accounts: tuple[Account, ...], path: str, owner: str
) -> None:
    found = by_path(image(*accounts))
    file = found[path]
    assert (file.kind, file.dialect, file.when, dict(file.values), file.quoting) == (
        f"keys that open {owner}",
        "authorized-keys",
        "always",
        {},
        "none",
    )
    assert (file.take, file.make, file.owner) == (True, True, owner)
    assert f"{SSH.file} starts ssh, which looks there for {owner}" in file.why


def test_keys_that_lie_there_are_added_to() -> None:
    path = "/home/warden/.ssh/authorized_keys"
    assert not by_path(image(WARDEN, **{path: b""}))[path].make


@pytest.mark.parametrize("one", [
    image(WARDEN, ssh=None), image(), image(Account("kiosk", "locked", uid=5, home="/srv")), image(replace(WARDEN, home="/home/a b\\c")),
])  # fmt: skip
def test_without_a_server_an_account_or_a_home_no_keys_are_put_anywhere(one: XRay) -> None:
    assert not [f for f in by_path(one).values() if f.dialect == "authorized-keys"]


def test_a_password_is_kept_where_the_system_keeps_it() -> None:
    found = by_path(image(ROOT, WARDEN, **{SHADOW_PATH: b"root:*:1:0:9:7:::\n"}))[SHADOW_PATH]
    assert (found.kind, found.dialect, dict(found.values)) == (
        "password of warden",
        "shadow",
        {"warden": "{admin_hash}"},
    )
    assert (found.take, found.make, found.owner) == (True, False, "")
    for nothing in (
        image(WARDEN),
        image(replace(WARDEN, login="unknown"), **{SHADOW_PATH: b"x"}),
        image(**{SHADOW_PATH: b"x"}),
    ):
        assert SHADOW_PATH not in by_path(nothing)


@pytest.mark.parametrize(("files", "paths"), [
    ({"/etc/hostname": b"kiosk\n"}, {"/etc/hostname"}), ({"/etc/hostname": b"kiosk\n", "/etc/hosts": b"127.0.0.1 localhost\n"}, {"/etc/hostname"}),
    ({"/etc/hostname": b"kiosk\n", "/etc/hosts": b"127.0.1.1 kiosk\n"}, {"/etc/hostname", "/etc/hosts"}), ({"/etc/hosts": b"127.0.1.1 kiosk\n"}, set()),
    ({"/etc/hostname": b"127.0.1.1\n"}, {"/etc/hostname"}),
])  # fmt: skip
def test_its_own_name_is_set_where_it_stands(files: dict[str, bytes], paths: set[str]) -> None:
    assert set(by_path(image(ssh=None, **files))) == paths
