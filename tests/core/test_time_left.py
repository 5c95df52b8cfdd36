"""How long a write is still at it, by hand: a card that wrote 20 MB a second and gave 40 back."""

from __future__ import annotations

import pytest

from mintseed.core.card.progress import Phase
from mintseed.core.card.time_left import left_in_all_s, seconds_a_byte

MB = 10**6
TAKEN = [
    {"phase": "writing", "bytes_done": 1000 * MB, "took_s": 50.0},
    {"phase": "flushing", "bytes_done": 1000 * MB, "took_s": 2},
    {"phase": "reading-back", "bytes_done": 1000 * MB, "took_s": 25.0},
]
BEFORE = seconds_a_byte(TAKEN)
SIZES = {Phase.WRITING: 600 * MB, Phase.FLUSHING: 600 * MB, Phase.READING_BACK: 600 * MB}


@pytest.mark.parametrize(
    ("phase", "done", "left_s", "wanted"),
    [
        ("", 0, None, 30 + 1.2 + 15),
        ("filling", 10 * MB, 3.0, 30 + 1.2 + 15),
        ("writing", 0, None, 30 + 1.2 + 15),
        ("writing", 300 * MB, 20.0, 20 + 1.2 + 15),  # slower than before: what is measured now counts
        ("writing", 300 * MB, None, 15 + 1.2 + 15),
        ("flushing", 0, None, 1.2 + 15),
        ("reading-back", 200 * MB, 11.0, 11),
        ("comparing", 0, 1.0, None),
    ],
)
def test_what_comes_is_taken_from_before(phase: str, done: int, left_s: float | None, wanted: float | None) -> None:
    found = left_in_all_s(phase, done, left_s, SIZES, BEFORE)
    assert found == (wanted if wanted is None else pytest.approx(wanted))


def test_what_was_never_measured_is_not_said() -> None:
    assert left_in_all_s("writing", 0, None, SIZES, {}) is None
    assert left_in_all_s("writing", 1, 9.0, SIZES, {Phase.FLUSHING: 0.0}) is None
    room = SIZES | {Phase.FILLING_ROOM: MB, Phase.READING_ROOM: MB}
    assert left_in_all_s("", 0, None, room, BEFORE) is None
    assert left_in_all_s("reading-room", 0, 2.0, room, BEFORE) == 2.0


@pytest.mark.parametrize("odd", [{}, {"phase": "writing"}, {"phase": "writing", "bytes_done": 0, "took_s": 1}, {"phase": "x", "bytes_done": 1, "took_s": 1},
                                 {"phase": "writing", "bytes_done": "1", "took_s": 1}, {"phase": "writing", "bytes_done": 1, "took_s": -1}])  # fmt: skip
def test_an_odd_row_spoils_itself_alone(odd: dict[str, object]) -> None:
    assert seconds_a_byte([odd, *TAKEN]) == BEFORE
