"""What a device taught that its recipe does not say: offered as one line each, and taken into the recipe's text."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Literal

import yaml

from mintseed.core.boards.model import Board
from mintseed.core.find.candidates import PREFIX_CHARACTERS
from mintseed.core.recipes.model import Recipe
from mintseed.core.units import duration
from mintseed.core.visible import one_line

About = Literal["boot", "signature", "port", "vendor"]

USUAL_FROM, USUAL_TO, LATE, HOPELESS = 0.7, 1.6, 3.0, 10.0
"""of one measured time: from and to what is usual on boards as fast, when it is late, and when waiting is pointless (common practice:
a first boot varies by half, with the card and with what the volume grows to)"""

LEAST_LATE_S = 120
TITLE = re.compile(r"<title[^>]*>([^<\n]{3,120})</title>", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class SeenPage:
    """A page of the device that answered whole. `body`: as much of it as was read."""

    scheme: Literal["http", "https"]
    port: int
    body: str


@dataclass(frozen=True, slots=True)
class Lesson:
    """`about`: what of the recipe it is, or, the `vendor`, of its board's description; `text`: what was seen, in a sentence; `value`: what
    stands there then."""

    about: About
    text: str
    value: Any


def lessons(
    recipe: Recipe, *, joined_after_s: float | None, page: SeenPage | None, host_name: str
) -> tuple[Lesson, ...]:
    """Return what may be taken into `recipe`, only where it says nothing or assumes. `page`: what answered on the device, None where
    nothing did."""
    found = []
    if recipe.boot.assumed and joined_after_s:
        s = joined_after_s
        times = {
            "usual_from_s": max(1, round(s * USUAL_FROM)), "usual_to_s": max(2, round(s * USUAL_TO)),
            "late_after_s": max(LEAST_LATE_S, round(s * LATE)), "hopeless_after_s": max(600, round(s * HOPELESS)),
        }  # fmt: skip
        text = f"It was on the network {duration(s)} after power-on: {duration(times['usual_from_s'])} to {duration(times['usual_to_s'])} is then usual."
        found.append(Lesson("boot", text, times))
    if page is not None and recipe.page.assumed and page.port != recipe.page.port:
        text = f"Its page answers on port {page.port}; that it was on {recipe.page.port} was assumed."
        found.append(Lesson("port", text, {"scheme": page.scheme, "port": page.port}))
    title = _title(page.body, host_name) if page else ""
    if not recipe.page.signature and title:
        text = f"Its page says {one_line(title)}: by that the next one is told from other pages."
        found.append(Lesson("signature", text, title))
    return tuple(found)


PORTS = (80, 443, 8080, 8000, 3000, 5000, 8443, 8888)
"""where pages are, the usual first (common practice): asked of a device that is known to be one's own, where nobody said its port"""

MOST_PORTS = 10


def ports_to_ask(recipe: Recipe, read: Iterable[int]) -> tuple[int, ...]:
    """Return where the page of a claimed device may be, the likeliest first. `read`: ports that its image's settings tell of."""
    return (
        tuple(dict.fromkeys((recipe.page.port, *read, *PORTS)))[:MOST_PORTS]
        if recipe.page.assumed
        else (recipe.page.port,)
    )


def vendor_lesson(board: Board, macs: Iterable[str]) -> Lesson | None:
    """Return how hardware addresses of this kind of board begin; None where that is known, or where the address was given locally.

    Source: IEEE 802: the second bit of the first octet says that an address was given locally.
    """
    for mac in macs:
        prefix = mac[:PREFIX_CHARACTERS]
        if (
            len(mac) == 17
            and not int(mac[:2], 16) & 2
            and prefix not in board.mac_prefixes
            and len(board.mac_prefixes) < MOST_PREFIXES
        ):
            text = f"Its hardware address begins with {prefix}: a hint where the next {board.name} is looked for, and no proof."
            return Lesson("vendor", text, [*board.mac_prefixes, prefix])
    return None


MOST_PREFIXES = 20


def _title(page: str, host_name: str) -> str:
    """Return the title as it stands in the page; nothing where it names this very device, since the next one is called otherwise."""
    found = TITLE.search(page)
    said = found[1].strip() if found else ""
    tells = len(said) >= 3 and host_name.lower() not in said.lower() and one_line(said) == said
    return said if tells else ""


def taught(text: str, lesson: Lesson) -> str:
    """Return the description's `text` with `lesson` in it; comments of the text are lost."""
    said = yaml.safe_load(text)
    if lesson.about == "vendor":
        said["mac_prefixes"] = lesson.value
    elif lesson.about == "boot":
        kept = {k: v for k, v in said["boot"].items() if k not in ("assumed", *lesson.value)}
        said["boot"] = {**lesson.value, **kept}
    else:
        now = lesson.value if lesson.about == "port" else {"signature": lesson.value}
        said["page"] = {**{k: v for k, v in said["page"].items() if k != "assumed"}, **now}
    return yaml.safe_dump(said, sort_keys=False, allow_unicode=True, width=120)
