"""The settings that a person gives the running device: each school's steps in their order, with what is to be seen after each.

Common practice throughout; what differs from image to image is its maker's to say, and stands in the recipe.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from mintseed.core.boot.band import Band
from mintseed.core.recipes.model import Recipe, WayIn
from mintseed.core.settings.values import SettingValues
from mintseed.core.site.key_places import PRINTABLE, moved
from mintseed.core.units import duration
from mintseed.core.visible import one_line

Secret = Literal["", "passphrase"]


@dataclass(frozen=True, slots=True)
class HandStep:
    """`answer`: what is to be typed or chosen, as it stands; `secret`: what is shown only on purpose and typed then."""

    do: str
    see: str = ""
    answer: str = ""
    secret: Secret = ""


def steps_by_hand(
    recipe: Recipe,
    way_in: WayIn,
    values: SettingValues,
    *,
    page_url: str,
    band: Band | None,
    console_layout: str,
    files: tuple[str, ...] = (),
) -> tuple[HandStep, ...]:
    """Return the steps of a school; nothing where files are filled before writing. `console_layout`: the image's own, empty where not known;
    `files`: places of those that are to be put on the written card, with a / before those of the root volume."""
    if way_in == "fill-after":
        return tuple(_fill_after(files))
    wait = (
        f"{duration(band.usual_from_s)} to {duration(band.usual_to_s)} are usual" if band else "it takes some minutes"
    )
    if way_in == "cable-first":
        return tuple(_cable_first(recipe, values, page_url, wait))
    if way_in == "own-access-point":
        return tuple(_own_access_point(recipe, values, page_url, wait))
    if way_in == "screen":
        return tuple(_screen(recipe, values, console_layout))
    if way_in == "network-install":
        return tuple(_network_install(recipe, values, console_layout))
    return ()


def _fill_after(files: tuple[str, ...]) -> Iterator[HandStep]:
    yield HandStep("Write the card with the image as it came", "Card says that it is proven")
    yield HandStep(
        "Take it out and put it in again, and open its boot volume",
        "Its files are listed; a question whether to format it is answered with no",
    )
    for place in files:
        if place.startswith("/"):
            yield HandStep(
                "Save this file, and put it onto the second volume in the place of the one there",
                "That volume is one of Linux: other systems do not show it",
                place,
            )
        else:
            yield HandStep(
                "Save this file, and put it in the place of the one on the card",
                "It is called exactly so, with no second ending",
                place,
            )
    yield HandStep("Have the system let the card go, and only then take it out", "It says that it may be taken out")


def _cable_first(recipe: Recipe, values: SettingValues, page_url: str, wait: str) -> Iterator[HandStep]:
    yield HandStep(
        "Plug the network cable into the board and the router, then the supply", "The lights of its socket blink"
    )
    yield HandStep(
        "Wait until it is on the network, and open its page at the cable's address", f"Find lists it; {wait}", page_url
    )
    if recipe.default_login is not None:
        login = recipe.default_login
        yield HandStep(
            "Log in with its first login, and change that at once",
            "The old one is refused",
            f"{login.user} / {login.password}",
        )
    yield HandStep(
        "Open its network page, and there the wireless interface", "It is listed beside the one the cable is in"
    )
    yield _choice(values, "Have it look for networks, and choose yours", NOT_HEARD)
    yield from _network(values)
    if values.address is None:
        yield HandStep("Leave IPv4 to automatic, and save", "The page says it is connected")
    yield from _address(values, "Set IPv4 of the radio to its address, and save", "The page says it is connected")
    yield HandStep(
        "See the second address before anything else",
        "Find lists the board twice: at the cable's address and at the one of its radio",
    )
    yield HandStep(
        "Only then unplug the cable", "The page answers at the second address, and not at the first any more"
    )
    yield HandStep("Print the label anew under Keep", "It bears the address of the radio")


def _own_access_point(recipe: Recipe, values: SettingValues, page_url: str, wait: str) -> Iterator[HandStep]:
    own = recipe.own_network
    yield HandStep(
        "Power it, and wait for the network it opens itself",
        f"It is in the phone's list; {wait}",
        own.name if own else "",
    )
    if own and own.passphrase:
        yield HandStep(
            "Join it with its first passphrase", "The phone says that it has no internet: stay in it", own.passphrase
        )
    else:
        yield HandStep("Join it with the phone", "The phone says that it has no internet: stay in it")
    yield HandStep(
        "Open the page that answers there", "It asks for your network", own.page if own and own.page else page_url
    )
    yield _choice(values, "Choose your network", NOT_HEARD)
    yield from _network(values)
    yield from _address(values, "Give it its address, where it asks for one", BY_ROUTER)
    yield HandStep("Give it its name, where it asks for one", "", values.host_name)
    yield HandStep(
        "Save, and let the phone go back to your network",
        "Its own network is gone after a minute; where it comes back, the passphrase was not taken",
    )
    yield HandStep("Look for it under Find", "It is on your network")


NOT_HEARD = "It is listed; where it is not, the board does not hear its band"
BY_ROUTER = "Where it does not, have the router keep that address for it"
OPEN = HandStep(
    "It is an open network: choose no security, and leave the passphrase empty",
    "Whoever is near may read along what is not encrypted otherwise",
)


def _choice(values: SettingValues, do: str, see: str) -> HandStep:
    if values.hidden:
        return HandStep(
            f"{do}: type its name", "A hidden network is not listed; capital and small letters count", values.ssid
        )
    return HandStep(do, see, values.ssid)


def _passphrase(values: SettingValues, do: str, see: str) -> HandStep:
    """Return the step at which it is typed; shown on purpose where one is kept."""
    return HandStep(do, see, "", "passphrase" if values.passphrase else "")


def _address(values: SettingValues, do: str, see: str) -> Iterator[HandStep]:
    """Yield what is typed where the device has a fixed address; nothing where it takes one by itself."""
    fixed = values.address
    if fixed is None:
        return
    gateway = f", gateway {fixed.gateway}" if fixed.gateway else ""
    dns = f", name server{'s' * (len(fixed.dns) > 1)} {' '.join(fixed.dns)}" if fixed.dns else ""
    yield HandStep(do, see, f"{fixed.cidr} ({fixed.netmask}){gateway}{dns}")


def _further(values: SettingValues) -> Iterator[HandStep]:
    if values.others:
        yield HandStep(
            "Add its further networks, where it takes more than one",
            "Each is asked for its own passphrase: they stand under Site",
            ", ".join(one_line(n.ssid) for n in values.others),
        )


def _network(values: SettingValues) -> Iterator[HandStep]:
    if values.open_network:
        yield OPEN
    else:
        security = "WPA3, personal" if values.wpa3_only else "WPA2, personal"
        yield HandStep("Choose its security", "", security if values.ssid else "")
        yield _passphrase(values, "Type the passphrase of your network", "")
    yield HandStep(
        "Set the country, where it asks for one", "Without it the radio may stay off, or miss channels", values.country
    )
    yield from _further(values)


def _screen(recipe: Recipe, values: SettingValues, console_layout: str) -> Iterator[HandStep]:
    yield HandStep("Plug in screen and keyboard, then the supply", "The screen shows something within a minute")
    if values.locale:
        yield HandStep("Choose the language", "", values.locale)
    yield HandStep(
        "Set the keyboard first: all that is typed afterwards depends on it",
        "Type @ and # where they can be seen before you type a password",
        values.keyboard,
    )
    if away := _elsewhere(console_layout, values.keyboard):
        yield HandStep(
            "Until then some signs sit elsewhere", f"Its console begins with the layout {console_layout}", away
        )
    yield HandStep("Choose the country", "", values.country)
    yield HandStep("Choose the time zone", "", values.time_zone)
    if values.way == "wifi":
        yield _choice(values, "Choose your network", "")
        yield (
            OPEN if values.open_network else _passphrase(values, "Type its passphrase", "It says that it is connected")
        )
        yield from _further(values)
    yield from _address(values, "Give it its address, where it asks for one", BY_ROUTER)
    yield HandStep("Give it its name", "", values.host_name)
    if values.admin_name:
        yield HandStep("Make the account, with the password you chose", "", values.admin_name)
    for ask in recipe.asks:
        if ask.asked(values.answers) and not ask.secret and (answer := values.answers.get(ask.id, "")):
            yield HandStep(f"Answer: {ask.title}", "", answer)
    yield HandStep("Restart it, and look for it under Find", "It comes onto the network by itself")


def _network_install(recipe: Recipe, values: SettingValues, console_layout: str) -> Iterator[HandStep]:
    yield HandStep(
        "Nothing is written beforehand: put a blank card in",
        "Its boot loader has to be new enough to install over a network; the plan says where that is known",
    )
    yield HandStep(
        "Plug in a network cable with internet behind it, a screen and a keyboard, then the supply",
        "The screen offers an installation; where it asks for a key to be held, hold it",
    )
    yield HandStep("Choose the system and the card", "All that is on the card is lost", recipe.name)
    yield from tuple(_screen(recipe, values, console_layout))[1:]


def _elsewhere(one: str, other: str) -> str:
    """Return the signs that are not where they are looked for, with blanks between; letters where they are few."""
    places = moved(PRINTABLE, one, other)
    return " ".join(PRINTABLE[n - 1] for n in places[:24]) + (" …" if len(places) > 24 else "")
