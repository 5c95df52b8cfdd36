"""What wiring chooses on a real bench, where tests of the stand-in do not come."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed import wiring


class Ear:
    def __init__(self, interfaces: tuple[str, ...]) -> None:
        self.interfaces, self.closed = interfaces, False

    def close(self) -> None:
        self.closed = True


def test_places_looked_at_in_turn_keep_their_ears(monkeypatch: pytest.MonkeyPatch) -> None:
    real = replace(wiring.config(), bench="real")
    monkeypatch.setattr(wiring, "config", lambda: real)
    monkeypatch.setattr(wiring, "_ears", {})
    monkeypatch.setattr(wiring, "MulticastDns", Ear)
    monkeypatch.setattr(wiring, "addresses_inside", lambda networks: tuple(n.replace("0/24", "5") for n in networks))
    house, shed = wiring.announcements(["192.168.1.0/24"]), wiring.announcements(["10.0.0.0/24"])
    assert wiring.announcements(["192.168.1.0/24"]) is house
    assert wiring.announcements(["10.0.0.0/24"]) is shed
    assert not house.closed  # type: ignore[attr-defined]
    for number in range(wiring.MOST_EARS):
        wiring.announcements([f"10.0.{number + 1}.0/24"])
    assert house.closed  # type: ignore[attr-defined]
