"""Copper wire: what a length of it takes away from the voltage."""

from __future__ import annotations

MILLIOHM_PER_M: dict[int, float] = {
    14: 8.286, 16: 13.17, 18: 20.95, 20: 33.31, 22: 52.96, 24: 84.22, 26: 133.9, 28: 212.9, 30: 338.6,
}  # fmt: skip
"""mΩ/m at 20 °C by American wire gauge. Source: ASTM B258, standard wire tables."""


def drop_v(awg: int, length_m: float, current_a: float) -> float:
    """Return the volts lost over a cable of two wires of gauge `awg`: there and back. Raises KeyError for another gauge."""
    return 2 * length_m * MILLIOHM_PER_M[awg] / 1000 * current_a
