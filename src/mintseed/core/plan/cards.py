"""Will the card hold it, keep pace with it and last?"""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.plan.choosing import not_chosen
from mintseed.core.plan.plan import Card, Plan
from mintseed.core.units import GB, MB, NOMINAL_CARD_GB, binary_size, decimal_size
from mintseed.core.words import an, capital

SD_CLASSES = "SD Association, speed classes"

STEADY_MB_S: dict[str, float] = {
    "C2": 2, "C4": 4, "C6": 6, "C10": 10, "U1": 10, "U3": 30, "V6": 6, "V10": 10, "V30": 30, "V60": 60, "V90": 90, "A1": 10, "A2": 10,
}  # fmt: skip
"""Least sustained writing in 10⁶ bytes a second that each mark on a card promises. Source: SD Association, speed, UHS speed, video
speed and application performance classes."""

SDHC_MOST_GB = 32
"""GB up to which a card comes with FAT32; above it is SDXC and comes with exFAT. Source: SD Association."""

CLASSES = tuple(STEADY_MB_S)

LITTLE_TO_SPARE = 0.02
"""share of a card that must be left beside the image: cards of one printed size differ by about as much (common practice)."""


def promised_mb_s(card: Card) -> float | None:
    """Return what the marks on `card` promise it writes without a pause; None where no mark is known."""
    return max((STEADY_MB_S[c] for c in card.classes if c in STEADY_MB_S), default=None)


def card(plan: Plan) -> Iterator[Finding]:
    """Yield whether the plan's card is large enough, for image, recipe, content and reader."""
    need, chosen = plan.recipe.card, plan.card
    if plan.board is not None and plan.board.medium == "serial":
        return
    if chosen is None:
        yield not_chosen(
            "plan.card-missing", "card", "No card chosen yet", f"Take a card of {need.advised_gb} GB or more."
        )
        return
    yield from _size(plan, chosen)
    if chosen.size_gb > SDHC_MOST_GB:
        yield Finding("plan.card-file-system", Severity.NOTE, "Nothing has to be formatted first",
                      f"Cards over {SDHC_MOST_GB} GB come with exFAT (SDXC), and some tools refuse FAT32 on them. The image brings its own partitions.",
                      where=Where(part="card"), source="SD Association, SDHC and SDXC file systems")  # fmt: skip
    most = plan.board.card_most_gb if plan.board else None
    if most is not None and plan.board is not None and chosen.size_gb > most:
        yield Finding(
            "plan.card-too-large-for-board",
            Severity.CHECK,
            f"{_a_card(chosen.size_gb)} may be too large for {plan.board.name}",
            f"Its reader is known to take cards up to {most} GB.",
            f"Take a card of {most} GB or less.",
            Where(part="card"),
        )


def _size(plan: Plan, chosen: Card) -> Iterator[Finding]:
    need, where, gb = plan.recipe.card, Where(part="card"), chosen.size_gb
    image_bytes = plan.image.unpacked_bytes if plan.image else published_bytes(plan)
    advice = f"Take a card of {_advised_gb(need.advised_gb, image_bytes)} GB or more."
    if image_bytes > chosen.size_bytes:
        yield Finding(
            "plan.card-too-small-for-image",
            Severity.STOP,
            f"{_a_card(gb)} cannot hold this image",
            f"Unpacked it is {decimal_size(image_bytes)}.",
            advice,
            where,
            "IEC 80000-13",
        )
    elif gb < need.least_gb:
        yield Finding(
            "plan.card-below-least",
            Severity.STOP,
            f"{_a_card(gb)} is too small for {plan.recipe.name}",
            f"It asks for {need.least_gb} GB at least, to grow into at first boot.",
            advice,
            where,
        )
    elif image_bytes + need.content_gb * GB > chosen.size_bytes:
        yield Finding(
            "plan.card-no-room-for-content",
            Severity.CHECK,
            f"{_a_card(gb)} leaves little room for what people put on it",
            f"Image {decimal_size(image_bytes)}, usual content {need.content_gb:g} GB.",
            advice,
            where,
        )
    elif gb < need.advised_gb:
        yield Finding(
            "plan.card-below-advised",
            Severity.NOTE,
            f"{_a_card(gb)} will do, {need.advised_gb} GB is advised",
            "It starts, and has less room for content and updates.",
            where=where,
        )
    elif chosen.size_bytes - image_bytes < chosen.size_bytes * LITTLE_TO_SPARE:
        spare = (chosen.size_bytes - image_bytes) / chosen.size_bytes
        yield Finding(
            "plan.card-barely",
            Severity.NOTE,
            f"{_a_card(gb)} holds this image with {spare:.1%} to spare",
            "Cards of one printed size differ by some percent; the card itself is measured before it is written.",
            advice,
            where,
        )
    else:
        yield Finding(
            "plan.card-fits",
            Severity.OK,
            f"{_a_card(gb)} has room",
            f"It shows as {binary_size(chosen.size_bytes)} on most systems.",
            where=where,
            source="IEC 80000-13",
        )


def _advised_gb(advised_gb: int, image_bytes: int) -> int:
    """Return the size of card to take: as the recipe advises, and of those that are sold one that the image leaves room on."""
    holds = (gb for gb in NOMINAL_CARD_GB if gb * GB * (1 - LITTLE_TO_SPARE) >= image_bytes)
    return max(advised_gb, next(holds, -(-image_bytes // GB)))


def _a_card(size_gb: int) -> str:
    return capital(an(f"{size_gb} GB card"))


def published_bytes(plan: Plan) -> int:
    """Return how large the image will be, in bytes, as the recipe says of the release that is wanted; 0 where it says nothing."""
    if plan.board is None:
        return 0
    builds = plan.recipe.builds_for(plan.board)
    wanted = [b for release, b in builds if release.version == plan.release] if plan.release else []
    return max((b.unpacked_mb or 0 for b in wanted or [b for _, b in builds[:1]]), default=0) * MB


def pace(plan: Plan) -> Iterator[Finding]:
    """Yield whether the card writes as steadily, and lasts as long, as the appliance asks."""
    need, chosen = plan.recipe.card, plan.card
    if chosen is None or not (need.steady_mb_s or need.endurance):
        return
    where, promised = Where(part="card"), promised_mb_s(chosen)
    if need.steady_mb_s and promised is not None and promised < need.steady_mb_s:
        yield Finding(
            "plan.card-slow",
            Severity.CHECK,
            f"This card is too slow for {plan.recipe.name}",
            f"It writes {need.steady_mb_s:g} MB/s without a pause; {', '.join(chosen.classes)} promises {promised:g} MB/s.",
            "Take a card marked " + " or ".join(c for c, mb_s in STEADY_MB_S.items() if mb_s >= need.steady_mb_s and c[0] in "UV") + ".",
            where,
            SD_CLASSES,
        )  # fmt: skip
    if need.endurance and chosen.endurance is False:
        yield Finding(
            "plan.card-endurance",
            Severity.CHECK,
            "An ordinary card wears out early here",
            f"{plan.recipe.name} writes day and night.",
            "Take a card sold for recorders and cameras, and keep a copy of what matters.",
            where,
        )
    unknown = [
        *(["how fast it writes"] if need.steady_mb_s and promised is None else []),
        *(["whether it is made for recorders"] if need.endurance and chosen.endurance is None else []),
    ]
    if unknown:
        yield Finding(
            "plan.card-marks-unknown",
            Severity.NOTE,
            "Nobody read the marks on this card",
            f"So it is not known {' and '.join(unknown)}.",
            "Put the card on the shelf with its marks: C, U, V, A and a number.",
            where,
            SD_CLASSES,
        )
