"""What a device taught that its recipe does not say: offered as one line each, and taken into the recipe's text."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, Literal

import yaml

from mintseed.core.recipes.model import Recipe
from mintseed.core.units import duration
from mintseed.core.visible import one_line

About = Literal["boot", "signature"]

USUAL_FROM, USUAL_TO, LATE, HOPELESS = 0.7, 1.6, 3.0, 10.0
"""of one measured time: from and to what is usual on boards as fast, when it is late, and when waiting is pointless (common practice:
a first boot varies by half, with the card and with what the volume grows to)"""

LEAST_LATE_S = 120
TITLE = re.compile(r"<title[^>]*>([^<\n]{3,120})</title>", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Lesson:
    """`about`: what of the recipe it is; `text`: what was seen, in a sentence; `value`: what stands in the recipe then."""

    about: About
    text: str
    value: Any


def lessons(recipe: Recipe, *, joined_after_s: float | None, page: str, host_name: str) -> tuple[Lesson, ...]:
    """Return what may be taken into `recipe`, only where it says nothing or assumes. `page`: what stood on the device's page, empty where it
    did not answer."""
    found = []
    if recipe.boot.assumed and joined_after_s:
        s = joined_after_s
        times = {
            "usual_from_s": max(1, round(s * USUAL_FROM)), "usual_to_s": max(2, round(s * USUAL_TO)),
            "late_after_s": max(LEAST_LATE_S, round(s * LATE)), "hopeless_after_s": max(600, round(s * HOPELESS)),
        }  # fmt: skip
        text = f"It was on the network {duration(s)} after power-on: {duration(times['usual_from_s'])} to {duration(times['usual_to_s'])} is then usual."
        found.append(Lesson("boot", text, times))
    title = _title(page, host_name)
    if not recipe.page.signature and title:
        found.append(
            Lesson(
                "signature", f"Its page says {one_line(title)}: by that the next one is told from other pages.", title
            )
        )
    return tuple(found)


def _title(page: str, host_name: str) -> str:
    """Return the title as it stands in the page; nothing where it names this very device, since the next one is called otherwise."""
    found = TITLE.search(page)
    said = found[1].strip() if found else ""
    tells = len(said) >= 3 and host_name.lower() not in said.lower() and one_line(said) == said
    return said if tells else ""


def taught(text: str, lesson: Lesson) -> str:
    """Return the recipe's `text` with `lesson` in it; comments of the text are lost."""
    said = yaml.safe_load(text)
    if lesson.about == "boot":
        kept = {k: v for k, v in said["boot"].items() if k not in ("assumed", *lesson.value)}
        said["boot"] = {**lesson.value, **kept}
    else:
        said["page"] = {**{k: v for k, v in said["page"].items() if k != "assumed"}, "signature": lesson.value}
    return yaml.safe_dump(said, sort_keys=False, allow_unicode=True, width=120)
