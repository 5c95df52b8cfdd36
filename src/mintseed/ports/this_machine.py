"""What the machine this runs on says of the place it stands in."""

from __future__ import annotations

from typing import Protocol

from mintseed.core.site.proposal import MachineFacts


class ThisMachine(Protocol):
    def facts(self) -> MachineFacts:
        """Return what is known; what cannot be read is left empty."""
