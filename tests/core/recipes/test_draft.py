"""A draft is an ordinary recipe: whatever stands in an image, its text reads, and says only what stands there or is named as assumed."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.described import Around, read_or_tell
from mintseed.core.image.facts import Account, Fact, PageFacts, SystemFacts
from mintseed.core.image.report import BoardOnImage, FileOnImage, XRay
from mintseed.core.recipes.draft import Choices, draft_of, recipe_text
from mintseed.core.recipes.draft_files import key_values
from mintseed.core.recipes.model import Recipe
from mintseed.core.visible import spell_name

SUPPLICANT = b'ctrl_interface=/run/wpa\n#network={\n#  ssid=""\n#}\n'


def file(path: str, content: bytes) -> FileOnImage:
    return FileOnImage(path, len(content), content, False)


POST = XRay(
    "weather-post-1.4-arm64.img.xz", "xz", 500_000_000, 3_000_000_000, "ab" * 32, "dos", (),
    (BoardOnImage("Some board", ("some,board",), "some.dtb"), BoardOnImage("Other board", ("other,board",), "other.dtb")), 2, 64,
    (
        file("wifi.conf", SUPPLICANT), file("hostname.txt", b"post\n"), file("node.env", b"NAME='post'\nTZ='UTC'\n#KEYMAP='us'\nLOG='3'\n"),
        file("licence.txt", b"Free as in word.\n"), file("odd name.conf", b"A=1\n"),
    ),
    PageFacts("post", "etc/hostname", "Some system", "12", 8765, "etc/nginx/sites-enabled/default"),
    kernels=(64,), system=SystemFacts(accounts=(Account("post", "password", "SHA-512", True),)),
)  # fmt: skip


def recipe_in(text: str) -> Recipe:
    read, mistakes = read_or_tell(Recipe, text, Around(boards={}, parts={}))
    assert read is not None, mistakes
    assert not mistakes
    return read


def test_what_stands_in_the_image_becomes_its_recipe() -> None:
    draft = draft_of(POST)
    recipe = recipe_in(recipe_text(draft))
    assert (recipe.id, recipe.name, recipe.host_name) == ("weather-post", "Weather post", "post")
    build = recipe.releases[0].builds[0]
    assert (recipe.releases[0].version, build.bits, build.boards) == ("1.4", 64, ("some,board", "other,board"))
    assert build.file == POST.file_name, "by it the image is recognised"
    assert [(f.path, f.dialect, f.when) for f in recipe.files] == [
        ("wifi.conf", "wpa-supplicant", "wifi"), ("hostname.txt", "plain", "always"), ("node.env", "key-value", "always"),
    ]  # fmt: skip
    assert recipe.files[1].values == {"value": "{host_name}"}
    assert recipe.files[2].values == {"NAME": "{host_name}", "TZ": "{time_zone}", "KEYMAP": "{keyboard}"}
    assert recipe.files[2].quoting == "shell"
    assert (recipe.page.port, recipe.page.assumed, recipe.boot.assumed) == (8765, False, True)
    assert recipe.card.least_gb == 4
    assert recipe.ways == ("wifi", "cable")


def test_each_line_says_where_it_comes_from_and_how_sure_it_is() -> None:
    lines = {line.what: line for line in draft_of(POST).lines}
    assert (lines["Host name"].source, lines["Host name"].sure) == ("etc/hostname", "read")
    assert (lines["Release"].value, lines["Release"].sure) == ("1.4", "guessed")
    assert (lines["Its page"].source, lines["Its page"].sure) == ("etc/nginx/sites-enabled/default", "read")
    assert lines["First boot"].sure == "assumed"
    assert "own name as password" in lines["Login"].value


def test_of_an_image_that_says_nothing_nothing_is_claimed() -> None:
    empty = XRay("x.img", "raw", 1, 8_000_000, "", "dos", (), (), 0, None, (), PageFacts())
    draft = draft_of(empty)
    assert {line.what: line.sure for line in draft.lines if line.what in ("Release", "Host name", "Its page", "Boards")} == {
        "Release": "unknown", "Host name": "unknown", "Its page": "unknown", "Boards": "unknown",
    }  # fmt: skip
    assert [q.answer for q in draft.questions] == ["page_port", "signature"]
    recipe = recipe_in(recipe_text(draft))
    assert recipe.page.assumed
    assert recipe.page.signature == ""
    assert not recipe.setup, "a page nobody said is there is no step"
    assert recipe.ways_in[0] != "fill-before", "nothing of it can be filled"
    assert recipe.releases[0].builds[0].boards == ()
    assert recipe.ways == ("cable", "wifi"), "nothing of it takes a Wi-Fi network"


def test_the_person_has_the_last_word() -> None:
    chosen = Choices("Rain gauge", "sensor", "rain", 8080, "Rain today", ("hostname.txt",))
    recipe = recipe_in(recipe_text(draft_of(POST), chosen))
    assert (recipe.name, recipe.kind, recipe.host_name) == ("Rain gauge", "sensor", "rain")
    assert (recipe.page.port, recipe.page.signature) == (8080, "Rain today")
    assert [f.path for f in recipe.files] == ["hostname.txt"]
    assert not recipe_in(recipe_text(draft_of(POST), Choices(files=()))).files


def test_no_two_drafts_have_one_id() -> None:
    assert draft_of(POST, {"weather-post"}).ident == "weather-post-2"
    assert draft_of(POST, {"weather-post", "weather-post-2"}).ident == "weather-post-3"


@given(
    st.text(max_size=80).filter(lambda s: "/" not in s and s), st.text(max_size=80), st.text(max_size=60), st.text(max_size=60),
    st.integers(1, 256 * 10**9), st.dictionaries(st.text(min_size=1, max_size=30), st.binary(max_size=200), max_size=4),
    st.one_of(st.none(), st.integers(1, 65535)),
)  # fmt: skip
def test_every_draft_reads_as_a_recipe(
    name: str, host: str, system: str, release: str, unpacked: int, files: dict[str, bytes], port: int | None
) -> None:
    odd = replace(
        POST, file_name=spell_name(name.encode("utf-8", "surrogatepass")), unpacked_bytes=unpacked, files=tuple(file(p, c) for p, c in files.items()),
        page=PageFacts(host, "etc/hostname", system, release, port),
    )  # fmt: skip
    assert draft_of(odd).file_name == odd.file_name
    text = recipe_text(draft_of(odd))
    read, mistakes = read_or_tell(Recipe, text, Around(boards={}, parts={}))
    assert read is not None, (mistakes, text)


@pytest.mark.parametrize(
    ("content", "keys", "quoting"),
    [
        (
            b"SSID=\nPSK=\nCOUNTRY=GB\n",
            {"SSID": "{wifi_name}", "PSK": "{wifi_passphrase}", "COUNTRY": "{country}"},
            "none",
        ),
        (b'HOST_NAME="x"\nTIMEZONE="UTC"\n', {"HOST_NAME": "{host_name}", "TIMEZONE": "{time_zone}"}, "shell"),
        (b"#hostname=x\n", {"hostname": "{host_name}"}, "none"),
        (b"NAMES=a\nMONKEY=1\nOFFSET=2\n", {}, "none"),
        (b"NAME=a\nHOSTNAME=b\n", {"NAME": "{host_name}"}, "none"),
    ],
)
def test_keys_are_told_by_their_names_and_others_left_alone(content: bytes, keys: dict[str, str], quoting: str) -> None:
    assert key_values(content) == (keys, quoting)


def test_what_the_boot_volume_has_no_file_for_is_filled_where_the_system_keeps_it() -> None:
    """Paths: nm-settings-keyfile(5), hostname(5), hosts(5), localtime(5), keyboard(5)."""
    system = SystemFacts(
        networks=(Fact("the network manager", "etc/systemd/system/multi-user.target.wants/NetworkManager.service"),),
        time_zone=Fact("Etc/UTC", "etc/timezone"),
    )
    root = (
        file("/etc/hostname", b"plain\n"), file("/etc/hosts", b"127.0.0.1 localhost\n127.0.1.1 plain\n"), file("/etc/timezone", b"Etc/UTC\n"),
        file("/etc/default/keyboard", b'XKBMODEL="pc105"\nXKBLAYOUT="us"\n'),
    )  # fmt: skip
    plain = replace(POST, files=root, system=system, root_unfillable="")
    recipe = recipe_in(recipe_text(draft_of(plain)))
    assert {f.place: (f.dialect, f.absent) for f in recipe.files} == {
        "/etc/NetworkManager/system-connections/wifi.nmconnection": ("keyfile", "make"), "/etc/hostname": ("plain", "refuse"),
        "/etc/hosts": ("hosts", "refuse"), "/etc/localtime": ("link", "refuse"), "/etc/timezone": ("plain", "refuse"),
        "/etc/default/keyboard": ("key-value", "refuse"),
    }  # fmt: skip
    assert recipe.ways_in[0] == "fill-before"
    with_boot = replace(plain, files=(*POST.files, *root))
    assert [f.path for f in draft_of(with_boot).files if f.path.startswith("/")] == [], (
        "the boot volume has a file for each of them"
    )
    # Whoever logs in keeps the name they have there, and gets a password: the first person (login.defs(5)), else root (shadow(5)).
    people = tuple(
        Account(n, "locked", uid=uid, home=f"/home/{n}") for n, uid in (("root", 0), ("post", 1000), ("mo", 1001))
    )
    kept = (
        *root,
        file("/etc/shadow", b"root:*:1::::::\npost:!:1::::::\nmo:!:1::::::\n"),
        file("/etc/locale.conf", b"LANG=C.UTF-8\n"),
    )
    said = replace(
        plain, files=kept, system=replace(system, accounts=people, locale=Fact("C.UTF-8", "etc/locale.conf"))
    )
    drafted = recipe_in(recipe_text(draft_of(said)))
    assert drafted.own_account == "post"
    assert drafted.takes_admin
    assert drafted.takes_locale
    assert (
        recipe_in(recipe_text(draft_of(replace(said, system=replace(system, accounts=people[:1]))))).own_account
        == "root"
    )
    unread = (Account("root", "unknown", home="/root"),)
    assert recipe_in(recipe_text(draft_of(replace(said, system=replace(system, accounts=unread))))).own_account == ""
    assert recipe.own_account == ""
    unclean = replace(plain, root_unfillable="it was not left clean")
    assert draft_of(unclean).files == ()


@pytest.mark.parametrize(
    ("link", "path"),
    [
        ("wpa_supplicant.service", "/etc/wpa_supplicant/wpa_supplicant.conf"),
        ("wpa_supplicant@wlan0.service", "/etc/wpa_supplicant/wpa_supplicant-wlan0.conf"),
    ],
)
def test_a_supplicant_reads_the_file_of_its_unit(link: str, path: str) -> None:
    """wpa_supplicant@.service of Debian reads wpa_supplicant-%I.conf."""
    system = SystemFacts(networks=(Fact("the Wi-Fi supplicant", f"etc/systemd/system/multi-user.target.wants/{link}"),))
    drafted = draft_of(replace(POST, files=(), system=system, root_unfillable=""))
    assert [(f.path, f.dialect, f.make) for f in drafted.files] == [(path, "wpa-supplicant", True)]
