"""How this process takes memory from the system."""

from __future__ import annotations

import ctypes

_M_ARENA_MAX = -8
"""Source: mallopt(3)"""


def use_one_heap() -> None:
    """Have all threads of this process take memory from one heap, from now on. With a heap for each, as the GNU C library does it, what one
    thread lets go no other gets: threads that hand pieces of an image on held half as much again (measured). Nothing is done where the
    C library has no such choice."""
    choose = getattr(ctypes.CDLL(None), "mallopt", None)
    if choose is not None:
        choose(_M_ARENA_MAX, 1)
