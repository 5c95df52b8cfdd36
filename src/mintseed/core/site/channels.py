"""Which channels of Wi-Fi a country lets a radio listen on. The table is made from the wireless regulatory database; a test compares it with that."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache
from importlib import resources

from mintseed.core.findings import Finding, Severity, Where

CHANNELS = {
    **{n: 2407 + 5 * n for n in range(1, 14)}, 14: 2484,
    **{n: 5000 + 5 * n for n in (*range(36, 65, 4), *range(100, 145, 4), *range(149, 178, 4))},
}  # fmt: skip
"""channel → the middle of it in MHz, of 20 MHz. Source: IEEE 802.11-2020 §15.4.4.3, §17.3.8.4.3 and Annex E"""

LAST_OF_2_4_GHZ = 14

SOURCE = "wireless-regdb 2026.09.03"


@cache
def _table() -> dict[str, frozenset[int]]:
    every = list(CHANNELS)
    found = {}
    for line in resources.files(__package__).joinpath("channels.txt").read_text("ascii").splitlines():
        country, *runs = line.split()
        ends = [(int(first), int(last or first)) for first, _, last in (run.partition("-") for run in runs)]
        found[country] = frozenset(n for a, b in ends for n in every[every.index(a) : every.index(b) + 1])
    return found


def channels_of(country: str) -> frozenset[int] | None:
    """Return the channels a radio may listen on in a country; None for one the database does not name."""
    return _table().get(country)


def band_of(channel: int) -> float:
    """Return the band a channel lies in, GHz."""
    return 2.4 if channel <= LAST_OF_2_4_GHZ else 5


def check_channel(channel: int, band_ghz: float, country: str) -> Iterator[Finding]:
    """Yield why a board would not meet an access point on `channel`; nothing where nothing speaks against it, or the country is not known."""
    where = Where(field="channel")
    if channel not in CHANNELS or (channel <= LAST_OF_2_4_GHZ) != (band_ghz < 4):
        yield Finding("wifi.channel-band", Severity.CHECK, f"There is no channel {channel} in the band of {band_ghz:g} GHz",
                      "1 to 13 lie there, and 14 in one country." if band_ghz < 4 else "36 to 64, 100 to 144 and 149 to 177 lie there, in steps of 4.",
                      "Look on the router's page, or leave the channel out.", where, "IEEE 802.11-2020 Annex E")  # fmt: skip
        return
    allowed = channels_of(country)
    if allowed is not None and channel not in allowed:
        yield Finding("wifi.channel-country", Severity.CHECK, f"Channel {channel} is not for {country}", f"A radio that is kept to {country} does not listen there, and would never hear this network.",
                      "Have the router use another channel, or mend the country.", where, SOURCE)  # fmt: skip
