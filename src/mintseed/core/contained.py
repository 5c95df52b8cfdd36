"""Findings about what could not be used at all. Each spoils only itself: the deployment, the file, the board it speaks of."""

from __future__ import annotations

from mintseed.core.errors import MintSeedError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.words import capital, sentence


def broken_description(name: str, error: MintSeedError) -> Finding:
    """Return the finding about a recipe or board file that cannot be read."""
    return Finding("description.broken", Severity.CHECK, f"{name} cannot be used", error.sentence(),
                   "Mend the file, then start the application again.", Where(file=name))  # fmt: skip


def unknown_board(unit: str, board: str) -> Finding:
    """Return the finding about a board one owns whose description is gone."""
    return Finding("shelf.board-unknown", Severity.STOP, f"The description of {board} is gone",
                   "Nothing is known of this board.", "Put its file back, or choose another kind.", Where(part=unit))  # fmt: skip


def unknown_part(name: str, kind: str) -> Finding:
    """Return the finding about a part one owns whose description is gone."""
    return Finding("shelf.part-unknown", Severity.CHECK, f"The description of {kind} is gone",
                   "Nothing is known of this part, so no plan can take it.", "Bring its text back, or choose another kind.", Where(part=name))  # fmt: skip


def unreadable_deployment(error: Exception) -> Finding:
    """Return the finding about a deployment that cannot be judged, by an error of ours or by a mistake in the program."""
    if isinstance(error, MintSeedError):
        return Finding(
            "deployment.unreadable",
            Severity.STOP,
            capital(error.found),
            sentence(f"expected {error.expected}") if error.expected else "",
            error.next_step,
            Where(file=error.where),
        )
    return Finding(
        "deployment.unreadable", Severity.STOP, "This deployment could not be judged",
        f"An unforeseen {type(error).__name__}; the rest of the bench is not touched by it.",
        "The application's output has the details. Take it off the bench, or mend what it is made of.",
    )  # fmt: skip


def same_file_twice(other: str) -> Finding:
    """Return the finding about a file of the library that is the same, byte for byte, as `other`."""
    return Finding("image.twice", Severity.NOTE, f"The same file lies there as {other} too", "Their SHA-256 is the same, so it takes its room twice.",
                   "Take one of them off; what uses that one is named before it goes.", Where(file=other), "FIPS 180-4")  # fmt: skip


def stranger_in_library(name: str, why: str) -> Finding:
    """Return the finding about something in the library that has an image's name and is none that is read."""
    return Finding("image.stranger", Severity.CHECK, f"{name} is not read", f"It {why}.",
                   "Put the image file itself into the library's folder.", Where(file=name))  # fmt: skip
