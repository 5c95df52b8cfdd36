"""Lists a person pasted or named, instead of the network."""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.find.sightings import Sighting


@dataclass(frozen=True)
class PastedView:
    """Sightings from lists a person pasted; stands for ports.NetworkView and, empty, for ports.Announcements."""

    seen: tuple[Sighting, ...]

    def sightings(self) -> tuple[Sighting, ...]:
        return self.seen

    def current(self) -> tuple[Sighting, ...]:
        return ()

    def close(self) -> None:
        pass
