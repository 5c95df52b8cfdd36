"""What one kind of torture came to."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass
class Outcome:
    """`tried` times it was done; `harm` is a sentence for each time something was lost, hung, or was untrue."""

    name: str
    tried: int = 0
    notes: dict[str, int] = field(default_factory=dict)
    harm: list[str] = field(default_factory=list)
    took_s: float = 0.0

    def note(self, what: str) -> None:
        """Count one more of `what` happened."""
        self.notes[what] = self.notes.get(what, 0) + 1

    def add(self, other: Outcome) -> None:
        """Count what `other`, a part of the same, came to."""
        self.tried += other.tried
        self.harm += other.harm
        for what, count in other.notes.items():
            self.notes[what] = self.notes.get(what, 0) + count

    def row(self) -> str:
        """Return it as a row of the table."""
        seen = ", ".join(f"{count} {what}" for what, count in sorted(self.notes.items()))
        return f"| {self.name} | {self.tried} | {seen or '–'} | {'; '.join(self.harm[:5]) or 'nothing'} | {self.took_s:.0f} s |"
