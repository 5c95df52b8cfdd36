"""The last write as a value, and what is to be said of it and of the card it is on."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from mintseed.core.card.identity import Recognition
from mintseed.core.findings import Finding, Severity
from mintseed.core.settings.fill import FINGERPRINT_VERSION
from mintseed.core.words import sentence


@dataclass(frozen=True, slots=True)
class WriteFacts:
    """The last write. `proven_at` is None unless its proof stands; `trouble` says how it ended when not well, `void_why`
    what ended its proof, `unsure_why` why nobody can rely on it now. `chosen`: a mark of what was chosen then; equal marks,
    nothing was changed. `marked`: whether marks beyond the image were read back too; `looked_again`: whether they were seen
    again after it had left its reader. `never_began`: why a later write came to nothing before its first byte, `stopped` where
    somebody stopped it."""

    writing: bool = False
    trouble: str = ""
    fingerprint: str = ""
    fingerprint_version: int = FINGERPRINT_VERSION
    chosen: str = ""
    proven_at: datetime | None = None
    void_why: str = ""
    unsure_why: str = ""
    marked: bool = False
    looked_again: bool = False
    never_began: str = ""
    stopped: bool = False
    put: str = ""
    """a mark of the files that were put on the written card since, in place; empty where none were"""


NOT_WRITTEN = WriteFacts()


def card_findings(write: WriteFacts, *, filled_otherwise: bool, powered_since: bool) -> tuple[Finding, ...]:
    """Return what is to be said of the last write and of its card. `filled_otherwise`: this version would fill the files otherwise
    although nothing was changed; `powered_since`: whether a board was powered with it."""
    if write.writing:
        return ()
    never = (
        Finding("card.never-began", Severity.NOTE if write.stopped else Severity.CHECK, "The last write did not begin",
                f"{write.never_began.rstrip('.')}. It changed nothing on any card.",
                "Write the card again if you still want to."),
    ) if write.never_began and not write.trouble else ()  # fmt: skip
    return (*never, *_proof_findings(write, filled_otherwise=filled_otherwise, powered_since=powered_since))


def _proof_findings(write: WriteFacts, *, filled_otherwise: bool, powered_since: bool) -> tuple[Finding, ...]:
    if write.unsure_why:
        return (Finding("card.unsure", Severity.CHECK, "Not sure any more that its card holds it", sentence(write.unsure_why),
                        "Say whose card that is, put its own card into a reader, or write the card again."),)  # fmt: skip
    if write.proven_at is None:
        void = Finding(
            "card.proof-void",
            Severity.CHECK,
            "This card's proof no longer stands",
            sentence(write.void_why),
            "Write the card again.",
        )
        return (void,) if write.void_why else ()
    found = []
    if filled_otherwise:
        found.append(Finding("card.filled-otherwise", Severity.NOTE, "This version would fill the files otherwise",
                             "Nothing you chose was changed since, and the card holds what was proven then.",
                             "Write it again only if you want what this version would write."))  # fmt: skip
    if write.marked and not write.looked_again and not powered_since:
        found.append(Finding("card.second-look", Severity.NOTE, "Its size was measured without unplugging it",
                             "Marks all over its room were read back. A reader that answers from a memory of its own could hide that "
                             "a card is smaller than it says.", "To be sure, pull it out and put it back once: it is looked at again."))  # fmt: skip
    elif write.marked and write.looked_again:
        found.append(Finding("card.seen-again", Severity.OK, "Seen again after it was pulled out",
                             "Samples of what was written, and the marks all over its room, were still there."))  # fmt: skip
    return tuple(found)


@dataclass(frozen=True, slots=True)
class AfterLook:
    """What a look at a card does to proofs, by the keys of their writes: `ends` them, makes one `sure`, or is a question which of
    `could_be` it is."""

    ends: frozenset[int] = frozenset()
    sure: int | None = None
    could_be: tuple[int, ...] = ()


NOTHING = AfterLook()


def after_look(
    found: Recognition, *, stayed: Collection[int], booted: Collection[int], readable: bool, half_written: bool
) -> AfterLook:
    """Return the consequences of what was seen in a drive. `stayed`: writes proven in that drive on what never left it since; `booted`:
    those whose card was booted since, so that what is on it may have changed. `half_written`: a write that was never proven left it."""
    if found.write_id is not None:
        # A card on record is itself, wherever it lies.
        if found.kind == "same":
            return AfterLook(sure=found.write_id)
        return NOTHING if found.write_id in booted else AfterLook(ends=frozenset({found.write_id}))
    # One that never left this reader since it was proven is the same card, whatever its bytes say.
    if ends := frozenset(stayed) - frozenset(booted):
        return AfterLook(ends=ends)
    if found.kind == "kin" and readable and not half_written:
        return AfterLook(could_be=found.could_be)
    return NOTHING
