"""Transactions that lock rows: in one order, and tried again where two met all the same.

The order, for whoever locks more than one: deployment, judgement, station record, drive (its lease, then its report), card,
write, job. Two that lock in this order wait for each other and never meet; a deadlock (MariaDB's error 1213) can still come of
an index that two statements enter from two sides. It undoes one of the two whole, so that one is done again.
"""

from __future__ import annotations

import functools
import random
import time
from collections.abc import Callable
from typing import ParamSpec, TypeVar

from django.db import OperationalError, connection, transaction

DEADLOCK, LOCK_WAIT = 1213, 1205
"""Source: MariaDB, error codes ER_LOCK_DEADLOCK and ER_LOCK_WAIT_TIMEOUT."""

TRIES = 6
LONGEST_PAUSE_S = 0.2

P = ParamSpec("P")
R = TypeVar("R")


def is_contention(error: BaseException) -> bool:
    """Return whether two of ours met at a row, rather than the database being gone."""
    return isinstance(error, OperationalError) and bool(error.args) and error.args[0] in (DEADLOCK, LOCK_WAIT)


def all_or_nothing(work: Callable[P, R]) -> Callable[P, R]:
    """Return `work` in one transaction, done again when a deadlock undid it. Inside another transaction it is a part of that
    one, and the outermost is done again. What `work` does outside the database must bear being done twice."""

    @functools.wraps(work)
    def done(*args: P.args, **kwargs: P.kwargs) -> R:
        for left in reversed(range(TRIES)):
            outermost = not connection.in_atomic_block
            try:
                with transaction.atomic():
                    return work(*args, **kwargs)
            except OperationalError as error:
                if not (outermost and left and is_contention(error)):
                    raise
                time.sleep(random.uniform(0.005, LONGEST_PAUSE_S))
        raise AssertionError("the last try raises or returns")

    return done
