"""Lists of deployments: searched by what one remembers of a device, in pages, newest first, none twice and none left out."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.utils import timezone

from mintseed.server.judged.lists import COUNTED_TO, PAGE, bench_lists, count_up_to, page_of
from mintseed.server.kept.models import Closing, Deployment, Judgement, Site
from tests.server.conftest import Api, started


@pytest.fixture
def line(api: Api) -> dict[str, object]:
    """What is stored of one that was judged."""
    api.get(f"/deployments/{started(api)}")
    Judgement.objects.update(place="gone")
    held: dict[str, object] = Judgement.objects.get().line
    return held


def put(
    line: dict[str, object], name: str, place: str = "open", recipe: str = "lintel", host_name: str = "", **more: bool
) -> int:
    row = Deployment.objects.create(
        name=name, recipe=recipe, host_name=host_name or name.lower().replace(" ", "-"), site=Site.objects.get()
    )
    Judgement.objects.create(deployment=row, line=line, inputs="", place=place, closed=place == "service", **more)
    if place == "service":
        Closing.objects.create(deployment=row, label=name, at=timezone.now() - timedelta(days=row.pk))
    return row.pk


def names(search: str = "", only: str = "", place: str = "open") -> list[str]:
    return [one.row.name for one in page_of(place, search=search, only=only).rows]


@pytest.mark.parametrize(("search", "found"), [
    ("hall", ["Hall lamp"]), ("HALL", ["Hall lamp"]), ("lamp", ["Hall lamp", "Attic Lamp"]), ("quiet", ["Attic Lamp"]), ("platen", ["Press"]),
    ("Print", ["Press"]), ("nothing", []), ("", ["Press", "Hall lamp", "Attic Lamp"]),
])  # fmt: skip
def test_found_by_its_name_its_host_name_and_what_it_is(line: dict[str, object], search: str, found: list[str]) -> None:
    """The name of its appliance counts, and of what kind that is; in small and large letters."""
    put(line, "Attic Lamp", host_name="quiet-one")
    put(line, "Hall lamp")
    put(line, "Press", recipe="platen")
    put(line, "Hall in service", place="service")
    assert names(search) == found
    assert page_of("open", search=search).total == len(found)


def test_only_what_needs_somebody_or_runs(line: dict[str, object]) -> None:
    put(line, "Waits", needs_you=True)
    put(line, "Boots", running=True)
    put(line, "Both", needs_you=True, running=True)
    put(line, "Elsewhere", place="service", needs_you=True)
    assert names(only="needs-you") == ["Both", "Waits"]
    assert names(only="running") == ["Both", "Boots"]
    assert names(only="whatever") == ["Both", "Boots", "Waits"]
    assert names(only="needs-you", search="wait") == ["Waits"]


@pytest.mark.parametrize("more", [-1, 0, 1, PAGE, PAGE + 1])
def test_page_by_page_each_comes_once(line: dict[str, object], more: int) -> None:
    put_in = [put(line, f"Number {n}") for n in range(PAGE + more)]
    seen: list[int] = []
    before: int | None = None
    while True:
        page = page_of("open", before=before)
        assert page.total == len(put_in)
        assert 0 < len(page.rows) <= PAGE
        seen += [one.row.pk for one in page.rows]
        before = page.older_before
        if before is None:
            break
        assert before == seen[-1]
    assert seen == put_in[::-1]


def test_both_lists_of_the_bench_at_once(line: dict[str, object]) -> None:
    on_bench = [put(line, f"Open {n}", needs_you=n % 2 == 0) for n in range(PAGE + 1)]
    in_service = [put(line, f"Served {n}", place="service", needs_you=True) for n in range(4)]
    put(line, "Gone", place="gone")
    both = bench_lists(3)
    assert [one.row.pk for one in both.open.rows] == on_bench[:0:-1]
    assert [one.row.pk for one in both.service.rows] == in_service[:0:-1]
    assert (both.open.total, both.service.total, both.needs_you) == (PAGE + 1, 4, PAGE // 2 + 1)
    assert (both.open.older_before, both.service.older_before) == (on_bench[1], in_service[1])
    assert bench_lists(4).service.older_before is None
    # In service it says since when.
    closed = {one.row.pk: one for one in both.service.rows}
    assert all(one.closed and one.closed_at is not None for one in closed.values())
    assert closed[in_service[1]].closed_at > closed[in_service[2]].closed_at  # type: ignore[operator]
    assert not any(one.closed or one.closed_at for one in both.open.rows)


def test_it_is_counted_up_to_a_number(line: dict[str, object]) -> None:
    for n in range(3):
        put(line, f"Open {n}")
    assert [count_up_to(Judgement.objects.filter(place="open"), most) for most in (2, 3, 4)] == [2, 3, 3]
    assert COUNTED_TO == 1000


def test_what_cannot_be_read_any_more_is_judged_anew_and_what_is_due_too(line: dict[str, object]) -> None:
    broken, due, later = put(line, "Broken"), put(line, "Due"), put(line, "Later")
    Judgement.objects.filter(deployment=broken).update(line={"made": "by another version"})
    Judgement.objects.filter(deployment=due).update(again_at=timezone.now() - timedelta(seconds=1))
    Judgement.objects.filter(deployment=later).update(again_at=timezone.now() + timedelta(hours=1))
    assert names() == ["Later", "Due", "Broken"]
    made = dict(Judgement.objects.values_list("deployment_id", "inputs"))
    assert made[broken]
    assert made[due]
    assert not made[later]
