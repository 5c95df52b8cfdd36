"""A whole Debian system, made by mmdebstrap, goes from its file to a card without a recipe; its own programs read what was filled."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.described import Around, read_described
from mintseed.core.findings import Severity
from mintseed.core.recipes.draft import draft_of, recipe_text
from mintseed.core.recipes.draft_wifi import KEYFILE
from mintseed.core.recipes.model import Recipe
from mintseed.core.settings.accounts import password_hash
from mintseed.core.settings.fill import fill_files
from mintseed.services import fill_image, inspect_image
from tests.builders.debian import bootstrapped, image_of
from tests.builders.disks import cut, packed, run
from tests.builders.readers import nmcli
from tests.core.settings.test_values import values
from tests.services.conftest import TOOLS

PACKAGES = ("systemd-sysv", "dbus", "network-manager", "wpasupplicant", "nginx-light", "openssh-server", "tzdata")

WORD = "lantern over quay"


@pytest.fixture
def room(tmp_path: Path) -> Iterator[Path]:
    """A folder that is empty again afterwards: a whole system is large."""
    yield tmp_path
    shutil.rmtree(tmp_path)


@pytest.fixture
def debian(room: Path) -> Path:
    root = room / "debian"
    root.mkdir()
    run("tar", "-xf", bootstrapped("network-manager", PACKAGES), "-C", root, "--exclude=./dev/*")
    (root / "etc/hostname").write_text("harbour\n")
    run("useradd", "-R", root, "-m", "-s", "/bin/bash", "keeper")
    (root / "etc/hosts").write_text("127.0.0.1\tlocalhost\n127.0.1.1\tharbour\n")
    return root


def test_from_file_to_card_without_a_recipe(debian: Path, room: Path) -> None:
    plain = image_of(debian, room / "own.img", size_mib=700)
    folder = room / "library"
    folder.mkdir()
    (folder / "harbour-2.1.img.zst").write_bytes(packed(plain.read_bytes(), "zstd"))
    library = LibraryFolder(folder, room / "home" / "scratch")
    xray = inspect_image.execute("harbour-2.1.img.zst", library=library, tools=TOOLS, recipes=[])
    assert {f.code: f.severity for f in xray.findings if f.severity in (Severity.STOP, Severity.CHECK)} == {}
    assert [fact.value for fact in xray.system.networks] == ["the network manager", "the Wi-Fi supplicant"]
    assert (xray.system.ssh.value if xray.system.ssh else "") == "ssh"
    assert (xray.page.port, xray.page.listen_file) == (80, "etc/nginx/sites-enabled/default")

    draft = draft_of(xray)
    assert {f.path for f in draft.files if f.take} >= {
        KEYFILE,
        "/etc/hostname",
        "/etc/hosts",
        "/etc/localtime",
        "/etc/shadow",
    }
    recipe = read_described(Recipe, recipe_text(draft), where="draft", around=Around(boards={}, parts={}))
    card = room / "card"
    assert recipe.own_account == "keeper"
    filled = fill_files(recipe, values(admin_hash=password_hash(WORD, "saltsalt")), xray)
    assert not [f for one in filled for f in one.findings if f.severity is Severity.STOP]
    with fill_image.execute(xray, filled, library=library, tools=TOOLS) as made, card.open("wb") as out:
        for piece in made.pieces():
            out.write(piece)

    volume = xray.root_volume
    assert volume is not None
    ext = cut(card, volume.offset_bytes, volume.size_bytes, room / "ext")
    assert subprocess.run(["e2fsck", "-fn", ext], capture_output=True, check=False).returncode == 0
    root = room / "written"
    root.mkdir()
    run("debugfs", "-R", f'rdump / "{root}"', ext)
    # Its own network manager's reader takes the keyfile, and it is nobody's but root's.
    keyfile = root / KEYFILE.lstrip("/")
    judged = nmcli(keyfile.read_text())
    assert judged.accepted, judged.output
    assert (keyfile.stat().st_uid, keyfile.stat().st_mode & 0o777) == (0, 0o600)
    # Its own C library finds the filled name, and reads the filled zone.
    assert run("chroot", root, "getent", "hosts", "press").split() == [b"127.0.1.1", b"press"]
    summer = run(
        "env", "-u", "TZ", "chroot", root, "date", "-d", "@1750000000", "+%Z"
    )  # 2025-06-15: British Summer Time, tz database
    assert summer.strip() == b"BST"
    # Its own programs find the account with a password that can be used (P, passwd(1)), and take every line of the file.
    assert run("chroot", root, "passwd", "-S", "keeper").split()[:2] == [b"keeper", b"P"]
    run("pwck", "-R", root, "-r", "-q")
    before = subprocess.run(["stat", "-c", "%u %g %a", debian / "etc/shadow"], capture_output=True, check=True).stdout
    assert (
        subprocess.run(["stat", "-c", "%u %g %a", root / "etc/shadow"], capture_output=True, check=True).stdout
        == before
    )
    if shutil.which("systemd-analyze"):
        run(
            "systemd-analyze",
            f"--root={root}",
            "--recursive-errors=no",
            "--man=no",
            "verify",
            "NetworkManager.service",
            "ssh.service",
        )
