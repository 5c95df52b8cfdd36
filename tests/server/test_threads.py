"""Requests take threads that last, and their connections with them."""

from __future__ import annotations

import asyncio
import threading
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from asgiref.sync import sync_to_async

from mintseed.server.doors import threads
from mintseed.server.doors.threads import Threads, on_lasting_threads


async def _nothing(*_: Any) -> None:
    return None


def _ran_on() -> tuple[threads.Application, list[int]]:
    """Return an application that does a little work as Django does, and the threads it was done on."""
    seen: list[int] = []

    async def application(scope: threads.Scope, receive: Any, send: Any) -> None:
        seen.append(await sync_to_async(threading.get_ident)())
        if meeting := scope.get("meeting"):
            await meeting.wait()
        seen.append(await sync_to_async(threading.get_ident)())
        if scope.get("fails"):
            raise RuntimeError("a view stumbled")

    return on_lasting_threads(application), seen


def test_one_request_after_another_takes_the_same_thread() -> None:
    application, seen = _ran_on()

    async def visit() -> None:
        for _ in range(3):
            await application({}, _nothing, _nothing)

    asyncio.run(visit())
    assert len(seen) == 6
    assert len(set(seen)) == 1


def test_a_request_that_stumbles_gives_its_thread_back() -> None:
    application, seen = _ran_on()

    async def visit() -> None:
        with pytest.raises(RuntimeError):
            await application({"fails": True}, _nothing, _nothing)
        await application({}, _nothing, _nothing)

    asyncio.run(visit())
    assert len(set(seen)) == 1


def test_requests_side_by_side_wait_for_no_thread() -> None:
    application, seen = _ran_on()
    many = threads.MOST_KEPT + 3

    async def visit() -> None:
        # Nobody gets through before all are in.
        meeting = asyncio.Barrier(many)
        await asyncio.gather(*(application({"meeting": meeting}, _nothing, _nothing) for _ in range(many)))

    asyncio.run(visit())
    assert len(set(seen)) == many


def test_only_so_many_free_threads_are_kept() -> None:
    kept = Threads(most_kept=2)
    made: list[ThreadPoolExecutor] = []

    async def visit() -> None:
        async with kept.lent() as one, kept.lent() as two, kept.lent() as three:
            made.extend((one, two, three))
        async with kept.lent() as again:
            assert again in made

    asyncio.run(visit())
    gone = 0
    for thread in made:
        try:
            thread.submit(int).result()
        except RuntimeError:  # it takes no more work
            gone += 1
    assert gone == 1
