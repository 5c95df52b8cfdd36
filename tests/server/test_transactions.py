"""Two that meet at a row: one of them is done again, and nobody is told that the database is gone."""

from __future__ import annotations

import threading

import pytest
from django.db import DatabaseError, OperationalError, connections

from mintseed.server.kept.models import Site
from mintseed.server.kept.transactions import DEADLOCK, TRIES, all_or_nothing, is_contention
from tests.server.conftest import Api


@pytest.mark.django_db(transaction=True)
def test_a_deadlock_is_done_again() -> None:
    """Two transactions take the same two rows in opposite orders: MariaDB undoes one of them (error 1213)."""
    one, two = (Site.objects.create(name=name).pk for name in ("Quay House", "Harbour shed"))
    both_hold, tries = threading.Barrier(2), list[str]()

    @all_or_nothing
    def take(first: int, second: int, name: str) -> None:
        tries.append(name)
        Site.objects.filter(pk=first).update(name=f"{name} was here")
        if tries.count(name) == 1:
            both_hold.wait(20)
        Site.objects.filter(pk=second).update(name=f"{name} was here")

    def run(first: int, second: int, name: str) -> None:
        try:
            take(first, second, name)
        finally:
            connections.close_all()

    threads = [threading.Thread(target=run, args=a) for a in ((one, two, "A"), (two, one, "B"))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert len(tries) > 2, "no deadlock came of it"
    assert len(set(Site.objects.values_list("name", flat=True))) == 1


@pytest.mark.django_db(transaction=True)
def test_it_is_not_done_for_ever_and_inside_another_the_outermost_is() -> None:
    tries: list[int] = []

    @all_or_nothing
    def inner() -> None:
        tries.append(1)
        raise OperationalError(DEADLOCK, "Deadlock found")

    outer = all_or_nothing(inner)
    with pytest.raises(OperationalError):
        outer()
    assert len(tries) == TRIES
    assert not is_contention(OperationalError(2006, "gone"))
    assert not is_contention(DatabaseError())


def test_what_met_at_a_row_to_the_end_is_a_conflict_and_not_a_lost_database(
    api: Api, monkeypatch: pytest.MonkeyPatch
) -> None:
    def met(*_: object, **__: object) -> None:
        raise OperationalError(DEADLOCK, "Deadlock found")

    def gone(*_: object, **__: object) -> None:
        raise OperationalError(2006, "gone")

    monkeypatch.setattr("mintseed.server.api.card.stop_write", met)
    status, problem = api.call("post", "/deployments/1/card/stop")
    assert (status, problem["title"]) == (409, "Something else changed at the same moment")
    monkeypatch.setattr("mintseed.server.api.card.stop_write", gone)
    assert api.call("post", "/deployments/1/card/stop")[0] == 503
