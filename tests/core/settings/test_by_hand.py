"""The schools that put settings in by hand: their order and their answers, as practitioners do it (common practice)."""

from __future__ import annotations

import pytest

from mintseed import wiring
from mintseed.core.boot.band import Band
from mintseed.core.recipes.model import WAYS_IN, OwnNetwork, WayIn
from mintseed.core.settings.by_hand import HandStep, steps_by_hand
from mintseed.core.settings.values import KnownNetwork, SettingValues
from mintseed.core.site.addresses import FixedAddress
from mintseed.core.units import duration
from tests.core.settings.test_values import values


def steps(
    recipe: str, way_in: WayIn, wanted: SettingValues | None = None, layout: str = "", files: tuple[str, ...] = ()
) -> tuple[HandStep, ...]:
    return steps_by_hand(
        wiring.recipes()[recipe], way_in, wanted or values(), page_url="http://press.local:1/", band=None, console_layout=layout, files=files
    )  # fmt: skip


def order(found: tuple[HandStep, ...], *words: str) -> list[int]:
    return [next(n for n, step in enumerate(found) if word in step.do.lower()) for word in words]


def test_over_a_cable_the_second_address_is_seen_before_the_cable_goes() -> None:
    found = steps("lintel", "cable-first")
    places = order(
        found,
        "plug the network cable",
        "log in",
        "look for networks",
        "security",
        "passphrase",
        "ipv4",
        "second address",
        "unplug",
        "label",
    )
    assert places == sorted(places)
    assert [s.answer for s in found if s.answer] == [
        "http://press.local:1/",
        "doorway / doorway",
        "Quay House 2G",
        "WPA2, personal",
        "GB",
    ]
    assert "WPA3, personal" in [s.answer for s in steps("lintel", "cable-first", values(wpa3_only=True))]


def test_its_own_network_is_named_where_the_recipe_names_it() -> None:
    found = steps("farsight", "own-access-point")
    assert [s.answer for s in found[:3]] == ["Farsight", "far and wide", "http://192.168.72.1/"]
    unnamed = wiring.recipes()["farsight"].model_copy(update={"own_network": None})
    plain = steps_by_hand(unnamed, "own-access-point", values(), page_url="http://p/", band=None, console_layout="")
    assert [s.answer for s in plain[:3]] == ["", "", "http://p/"]


def test_with_a_screen_the_keyboard_comes_before_anything_that_is_typed() -> None:
    found = steps(
        "tinplay", "screen", values(locale="en_GB.UTF-8", admin_name="keeper", admin_hash="$6$x$y"), layout="us"
    )
    places = order(
        found,
        "plug in screen",
        "language",
        "keyboard first",
        "sit elsewhere",
        "country",
        "time zone",
        "network",
        "passphrase",
        "its name",
        "account",
    )
    assert places == sorted(places)
    assert next(s.answer for s in found if "elsewhere" in s.do) == '" # @ \\ | ~'  # us beside gb (common practice)
    assert not [s for s in steps("tinplay", "screen", layout="gb") if "elsewhere" in s.do]
    assert not [s for s in steps("tinplay", "screen") if "elsewhere" in s.do], (
        "the image does not say which layout it has"
    )
    by_cable = steps("tinplay", "screen", values(way="cable"))
    assert not [s for s in by_cable if "passphrase" in s.do or s.secret]


def test_installed_over_the_network_nothing_is_written_first() -> None:
    found = steps("tinplay", "network-install")
    places = order(found, "blank card", "cable with internet", "choose the system", "keyboard first")
    assert places == sorted(places)


def test_files_for_a_written_card_keep_their_names() -> None:
    found = steps("platen", "fill-after", files=("wifi.conf", "/etc/hostname"))
    assert [s.answer for s in found if s.answer] == ["wifi.conf", "/etc/hostname"]
    assert "Linux" in next(s.see for s in found if s.answer == "/etc/hostname")


@pytest.mark.parametrize("way_in", WAYS_IN)
def test_no_step_tells_a_secret(way_in: WayIn) -> None:
    wanted = values(answers={"pin": "24682468"}, admin_name="keeper", admin_hash="$6$x$y")
    for name, recipe in wiring.recipes().items():
        found = steps(name, way_in, wanted, "us")
        said = repr(found)
        assert wanted.passphrase not in said
        assert wanted.key not in said
        assert "$6$" not in said
        assert not [a.id for a in recipe.asks if a.secret and wanted.answers.get(a.id, "\0") in said]
        assert (way_in == "fill-before") == (not found)


def test_a_card_that_is_filled_after_it_is_written() -> None:
    """A file of the root volume wants a system that shows it; the system lets the card go before it is taken out."""
    assert steps("platen", "fill-after", files=("device.conf", "/etc/hosts")) == (
        HandStep("Write the card with the image as it came", "Card says that it is proven"),
        HandStep("Take it out and put it in again, and open its boot volume",
                 "Its files are listed; a question whether to format it is answered with no"),
        HandStep("Save this file, and put it in the place of the one on the card", "It is called exactly so, with no second ending", "device.conf"),
        HandStep("Save this file, and put it onto the second volume in the place of the one there",
                 "That volume is one of Linux: other systems do not show it", "/etc/hosts"),
        HandStep("Have the system let the card go, and only then take it out", "It says that it may be taken out"),
    )  # fmt: skip


NOT_HEARD = "It is listed; where it is not, the board does not hear its band"


@pytest.mark.parametrize("band", [None, Band(30, 90, 240, 480)])
def test_over_the_network_it_opens_itself_step_by_step(band: Band | None) -> None:
    found = steps_by_hand(
        wiring.recipes()["farsight"], "own-access-point", values(), page_url="http://press.local:1/", band=band, console_layout=""
    )  # fmt: skip
    usual = f"{duration(30)} to {duration(90)} are usual" if band else "it takes some minutes"
    assert found == (
        HandStep("Power it, and wait for the network it opens itself", f"It is in the phone's list; {usual}", "Farsight"),
        HandStep("Join it with its first passphrase", "The phone says that it has no internet: stay in it", "far and wide"),
        HandStep("Open the page that answers there", "It asks for your network", "http://192.168.72.1/"),
        HandStep("Choose your network", NOT_HEARD, "Quay House 2G"),
        HandStep("Choose its security", "", "WPA2, personal"),
        HandStep("Type the passphrase of your network", "", "", "passphrase"),
        HandStep("Set the country, where it asks for one", "Without it the radio may stay off, or miss channels", "GB"),
        HandStep("Give it its name, where it asks for one", "", "press"),
        HandStep("Save, and let the phone go back to your network",
                 "Its own network is gone after a minute; where it comes back, the passphrase was not taken"),
        HandStep("Look for it under Find", "It is on your network"),
    )  # fmt: skip


@pytest.mark.parametrize(("passphrase", "page", "joins", "opens"), [
    ("", "", HandStep("Join it with the phone", "The phone says that it has no internet: stay in it"), "http://p/"),
    ("far and wide", "", HandStep("Join it with its first passphrase", "The phone says that it has no internet: stay in it", "far and wide"), "http://p/"),
    ("", "http://192.0.2.1/", HandStep("Join it with the phone", "The phone says that it has no internet: stay in it"), "http://192.0.2.1/"),
])  # fmt: skip
def test_what_a_recipe_leaves_out_of_its_own_network_is_not_made_up(
    passphrase: str, page: str, joins: HandStep, opens: str
) -> None:
    own = OwnNetwork(name="Faraway", passphrase=passphrase, page=page)
    recipe = wiring.recipes()["farsight"].model_copy(update={"own_network": own})
    found = steps_by_hand(recipe, "own-access-point", values(), page_url="http://p/", band=None, console_layout="")
    assert (found[0].answer, found[1], found[2].answer) == ("Faraway", joins, opens)


@pytest.mark.parametrize("first_login", [True, False])
def test_over_a_cable_step_by_step(first_login: bool) -> None:
    recipe = wiring.recipes()["lintel"]
    if not first_login:
        recipe = recipe.model_copy(update={"default_login": None})
    login = (
        (
            HandStep(
                "Log in with its first login, and change that at once", "The old one is refused", "doorway / doorway"
            ),
        )
        if first_login
        else ()
    )
    found = steps_by_hand(
        recipe, "cable-first", values(), page_url="http://press.local:1/", band=None, console_layout=""
    )
    assert found == (
        HandStep("Plug the network cable into the board and the router, then the supply", "The lights of its socket blink"),
        HandStep("Wait until it is on the network, and open its page at the cable's address", "Find lists it; it takes some minutes",
                 "http://press.local:1/"),
        *login,
        HandStep("Open its network page, and there the wireless interface", "It is listed beside the one the cable is in"),
        HandStep("Have it look for networks, and choose yours", NOT_HEARD, "Quay House 2G"),
        HandStep("Choose its security", "", "WPA2, personal"),
        HandStep("Type the passphrase of your network", "", "", "passphrase"),
        HandStep("Set the country, where it asks for one", "Without it the radio may stay off, or miss channels", "GB"),
        HandStep("Leave IPv4 to automatic, and save", "The page says it is connected"),
        HandStep("See the second address before anything else", "Find lists the board twice: at the cable's address and at the one of its radio"),
        HandStep("Only then unplug the cable", "The page answers at the second address, and not at the first any more"),
        HandStep("Print the label anew under Keep", "It bears the address of the radio"),
    )  # fmt: skip


BY_WIFI: tuple[WayIn, ...] = ("cable-first", "own-access-point", "screen", "network-install")
RECIPE_OF: dict[WayIn, str] = {
    "cable-first": "lintel",
    "own-access-point": "farsight",
    "screen": "tinplay",
    "network-install": "tinplay",
}


@pytest.mark.parametrize("way_in", BY_WIFI)
def test_an_open_network_asks_for_no_passphrase(way_in: WayIn) -> None:
    found = steps(RECIPE_OF[way_in], way_in, values(passphrase="", open_network=True))
    assert not [s for s in found if s.secret or "passphrase of your" in s.do]
    assert not [s for s in found if "personal" in s.answer]
    told = next(s for s in found if "open network" in s.do)
    assert "read along" in told.see
    assert [s for s in steps(RECIPE_OF[way_in], way_in) if s.secret]


@pytest.mark.parametrize("way_in", BY_WIFI)
def test_a_hidden_network_is_in_no_list(way_in: WayIn) -> None:
    found = steps(RECIPE_OF[way_in], way_in, values(hidden=True))
    step = next(s for s in found if s.answer == "Quay House 2G")
    assert "type its name" in step.do
    assert "not listed" in step.see
    listed = next(s for s in steps(RECIPE_OF[way_in], way_in) if s.answer == "Quay House 2G")
    assert "type its name" not in listed.do


@pytest.mark.parametrize(
    ("way_in", "way"), [*((w, "wifi") for w in BY_WIFI), ("screen", "cable"), ("network-install", "cable")]
)
def test_a_fixed_address_is_typed_by_hand_too(way_in: WayIn, way: str) -> None:
    fixed = FixedAddress("192.168.7.40", 24, "192.168.7.1", ("192.168.7.1", "192.168.7.2"))
    found = steps(RECIPE_OF[way_in], way_in, values(way=way, address=fixed))
    assert [s.answer for s in found if "192.168.7.40" in s.answer] == [
        "192.168.7.40/24 (255.255.255.0), gateway 192.168.7.1, name servers 192.168.7.1 192.168.7.2"
    ]
    assert not [s for s in found if "automatic" in s.do]
    bare = steps(RECIPE_OF[way_in], way_in, values(way=way, address=FixedAddress("192.168.7.40", 24)))
    assert "192.168.7.40/24 (255.255.255.0)" in [s.answer for s in bare]
    places = order(found, "its address", "look for it under find" if way_in != "cable-first" else "second address")
    assert places == sorted(places)


@pytest.mark.parametrize("way_in", BY_WIFI)
def test_further_networks_are_not_forgotten(way_in: WayIn) -> None:
    others = (KnownNetwork("Boat", "a sleepy heron"), KnownNetwork("Shed", "", open=True))
    found = steps(RECIPE_OF[way_in], way_in, values(others=others))
    assert [s.answer for s in found if "further networks" in s.do] == ["Boat, Shed"]
    assert "a sleepy heron" not in repr(found)
    assert not [s for s in steps(RECIPE_OF[way_in], way_in) if "further networks" in s.do]
    assert not [s for s in steps("tinplay", "screen", values(way="cable", others=others)) if "further networks" in s.do]


@pytest.mark.parametrize("way_in", BY_WIFI)
def test_where_no_network_is_chosen_nothing_is_made_up_of_it(way_in: WayIn) -> None:
    """Over a cable first a plan may name none: what it is called and how it is secured its owner knows, and no passphrase is kept."""
    found = steps(
        RECIPE_OF[way_in], way_in, values(way="cable" if way_in == "cable-first" else "wifi", ssid="", passphrase="")
    )
    assert not [s for s in found if s.secret or "WPA" in s.answer]
    assert [s for s in found if "passphrase" in s.do.lower()], "it is asked for all the same"
