"""Two requests for one drive at the same moment: the database lets one through."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Any

import pytest
from django.db import connection, connections

from mintseed import wiring
from mintseed.server.demo.quay_house import seed_database
from mintseed.server.kept.models import DriveLease, Image, Job, Write
from tests.server.conftest import Api, card, report, started


@pytest.mark.django_db(transaction=True)
def test_one_of_two_requests_at_once_is_accepted(bench: Path, xrays: dict[str, dict[str, Any]]) -> None:
    for row in xrays.values():
        Image.objects.create(**{k: v for k, v in row.items() if k != "id"})
    seed_database(wiring.config())
    report()
    api = Api()
    pks = [started(api, host_name="first"), started(api, host_name="second")]
    wanted = card()
    together, answers = threading.Barrier(3), dict[int, int]()

    def ask(pk: int) -> None:
        try:
            together.wait()
            answers[pk] = Api().call("post", f"/deployments/{pk}/card/write", wanted)[0]
        finally:
            connections.close_all()

    threads = [threading.Thread(target=ask, args=(pk,)) for pk in pks]
    # A dump holds a read lock on the table: both requests wait at the same place, and go on at the same moment.
    with connection.cursor() as cursor:
        cursor.execute(f"LOCK TABLES {DriveLease._meta.db_table} READ")
        for thread in threads:
            thread.start()
        together.wait()
        cursor.execute("UNLOCK TABLES")
    for thread in threads:
        thread.join(60)
    assert sorted(answers.values()) == [200, 409]
    assert Write.objects.count() == Job.objects.filter(kind=Job.Kind.WRITE_CARD).count() == 1
    assert DriveLease.objects.get().number == 1
