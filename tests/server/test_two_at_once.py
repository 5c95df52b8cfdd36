"""Two requests at the same moment: for one drive, of one image, for boards of one name."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from django.db import connection, connections

from mintseed import wiring
from mintseed.server.demo.quay_house import seed_database
from mintseed.server.kept.models import Deployment, Description, DriveLease, Image, Job, Write
from mintseed.server.kept.stored_types import XRAY
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


def at_once(*asks: Callable[[], tuple[int, Any]]) -> list[tuple[int, Any]]:
    """Ask all of it at the same moment, each in a thread of its own; return the answers."""
    together, answers = threading.Barrier(len(asks)), list[tuple[int, Any]]()

    def ask(one: Callable[[], tuple[int, Any]]) -> None:
        try:
            together.wait()
            answers.append(one())
        finally:
            connections.close_all()

    threads = [threading.Thread(target=ask, args=(one,)) for one in asks]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    return answers


@pytest.mark.django_db(transaction=True)
def test_an_image_used_in_two_windows_at_once_gets_one_recipe_and_two_boards_of_one_name_are_two(
    bench: Path, xrays: dict[str, dict[str, Any]]
) -> None:
    row = next(row for name, row in xrays.items() if name.startswith("platen-3.2-64"))
    seed_database(wiring.config())
    xray = XRAY.dump_json(
        replace(XRAY.validate_json(row["xray"]), recipe_id="", release="", build="", file_name="own-1.0.img")
    ).decode()
    fields = {**row, "file_name": "own-1.0.img", "recipe": "", "release": "", "build": "", "xray": xray}
    image = Image.objects.create(**{k: v for k, v in fields.items() if k != "id"})
    body = {"name": "Own", "host_name": "own", "files": []}
    answers = at_once(*[lambda: Api().call("post", f"/images/{image.pk}/use", body)] * 3)
    assert sorted(status for status, _ in answers) == [200, 409, 409], answers
    assert Description.objects.filter(kind="recipe").count() == Deployment.objects.filter(image=image).count() == 1

    boards = at_once(*[lambda: Api().call("post", "/boards", {"name": "Twin"})] * 3)
    assert [status for status, _ in boards] == [200, 200, 200], boards
    assert {answer["board"] for _, answer in boards} == {"twin", "twin-2", "twin-3"}
