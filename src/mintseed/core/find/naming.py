"""Does the device answer to its name? A name is claimed only once it answered (RFC 6762)."""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.findings import Finding, Severity, Where

NAME_WITHIN_S = 300.0
"""seconds after its address within which a name usually follows (common practice)."""

RFC_6762 = "RFC 6762 §3"


@dataclass(frozen=True, slots=True)
class NameFacts:
    """What came of asking for NAME.local. `answers_at`: the addresses that answered to it; `instead`: to what name the device's
    address answers; `asks`: whether this machine has an address in the site's own ranges, from which it could ask."""

    asked: bool = False
    answers_at: tuple[str, ...] = ()
    instead: str = ""
    asks: bool = True


NOT_ASKED = NameFacts()


def judge_name(
    host_name: str, addresses: frozenset[str], facts: NameFacts, *, joined_ago_s: float, announces: bool | None
) -> Finding:
    """Return what is known of the name of a device that joined `joined_ago_s` seconds ago and has `addresses`. `announces`: whether its
    image holds something that announces names; None where nobody knows."""
    name, where = f"{host_name}.local", Where(part="name", field=host_name)
    by_address = "Use its address, and have the router keep that for it."
    if addresses & set(facts.answers_at):
        return Finding(
            "find.name-answers",
            Severity.OK,
            f"Answers to {name}",
            "It was asked for by itself.",
            where=where,
            source=RFC_6762,
        )
    if facts.answers_at:
        return Finding("find.name-elsewhere", Severity.CHECK, f"{name} is another device",
                       f"{facts.answers_at[0]} answers to that name.", "Give this one another name under Settings, or rename the other one.", where, RFC_6762)  # fmt: skip
    if not facts.asks:
        return Finding("find.name-not-asked", Severity.NOTE, f"Nobody asked for {name}",
                       "This machine has no address in the site's own ranges, so it cannot ask there.", by_address, where, RFC_6762)  # fmt: skip
    if not facts.asked or joined_ago_s < NAME_WITHIN_S:
        return Finding("find.name-not-yet", Severity.NOTE, f"Not answering to {name} yet",
                       "A name may come some minutes after the address.", "Open its page by the address meanwhile.", where, RFC_6762)  # fmt: skip
    if facts.instead and facts.instead.lower() != host_name.lower():
        return Finding("find.name-own", Severity.CHECK, f"It does not answer to {name}",
                       f"It answers to {facts.instead}.local: the name was not taken from the settings.", f"Open it as {facts.instead}.local or by its address, and set the name on its page.",
                       where, RFC_6762)  # fmt: skip
    why = (
        "Nothing was found on its image that announces names."
        if announces is False
        else "It may take none from the settings, or nothing on it announces names; some networks keep such questions from each other."
    )
    return Finding("find.name-silent", Severity.NOTE, f"Not answering to {name}", why, by_address, where, RFC_6762)
