"""What a screen asks of the database is the same for ten devices and for a hundred: statements, and rows looked at.

Rows are counted by MariaDB itself (server status variables Handler_read_*).
"""

from __future__ import annotations

import inspect
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from bench.many import SCREENS, Asked, counting, fill
from django.utils import timezone

from mintseed.core.next_steps import boot_state
from mintseed.server.api.images import PAGE_IMAGES
from mintseed.server.judged.judging import JUDGED_BY, RULES, judge, rules_mark
from mintseed.server.judged.lists import COUNTED_TO, PAGE
from mintseed.server.judged.load import load_many
from mintseed.server.judged.loaded import Loaded
from mintseed.server.judged.networks import addresses_taken
from mintseed.server.kept.models import Bench, Judgement, Site
from tests.server.conftest import Api

# Names alike are looked through for the next free one: they are looked at, not the devices.
COUNTING = (
    "/deployments/{pk}/keep",
    "/place",
    "/bench",
    "/deployments?place=service",
    "/deployments/{pk}/image",
    "/sites/{site}/matrix",
)


@pytest.fixture(autouse=True)
def _library_as_it_was(library: Path) -> Iterator[None]:
    yield
    for file in library.glob("platen-0.*-64.img.xz"):
        file.unlink()


def asked_by_all(api: Api, pk: int) -> dict[str, Asked]:
    asked = {}
    for screen in SCREENS:
        path = screen.format(pk=pk, site=Site.objects.get().pk)
        api.get(path)  # whatever is judged anew, is now
        with counting() as asked[screen]:
            api.get(path)
    return asked


def test_no_screen_reads_more_because_there_are_more_devices(api: Api) -> None:
    pk = fill(30, log_lines=300, images=50)[-1]
    few = asked_by_all(api, pk)
    fill(90, log_lines=900, images=0)
    many = asked_by_all(api, pk)
    # Counts go up to a limit, so they may look at as many rows more as there are more of what they count.
    counted = Judgement.objects.count() + 1
    assert counted < COUNTED_TO
    for screen in SCREENS:
        assert many[screen].queries <= few[screen].queries + 1, screen
        counts = 90 * 3 if screen in COUNTING else 0
        if "search" not in screen:
            assert many[screen].rows_read <= few[screen].rows_read + counts + 60, (screen, few[screen], many[screen])


def test_the_lists_come_in_pages_and_miss_none(api: Api) -> None:
    keys = set(fill(70, log_lines=0, images=0))
    seen: list[int] = []
    for place in ("open", "service"):
        before = ""
        while True:
            page = api.get(f"/deployments?place={place}{before}")
            assert len(page["deployments"]) <= PAGE
            seen += [d["id"] for d in page["deployments"]]
            if page["older_before"] is None:
                break
            before = f"&before={page['older_before']}"
    assert sorted(seen) == sorted(keys)
    found = api.get("/deployments?place=service&search=press-6")["deployments"]
    assert found
    assert all("press-6" in d["host_name"] for d in found)


def test_no_screen_asks_more_because_there_are_more_places_and_none_by_the_image(api: Api) -> None:
    pk = fill(3, log_lines=0, images=50)[-1]
    wanted = ("/bench", "/images", "/sites", f"/deployments/{pk}/image", "/log")

    def queries() -> dict[str, int]:
        asked = {}
        for path in wanted:
            api.get(path)
            with counting() as asked[path]:
                api.get(path)
        return {path: said.queries for path, said in asked.items()}

    few = queries()
    shown = api.get("/images")
    assert len(shown["images"]) == PAGE_IMAGES  # what is counted is a full page
    assert shown["next_page"] == 1
    for number in range(20):
        place = Site.objects.create(name=f"Place {number}")
        Bench.objects.create(name=f"bench-{number}", site=place, kind="standin", seen_at=timezone.now())
    many = queries()
    assert {path: many[path] for path in wanted if many[path] > few[path]} == {}
    assert few["/bench"] < 15
    assert few["/images"] < 15


def test_the_mark_of_the_rules_is_made_of_them(tmp_path: Path) -> None:
    (tmp_path / "rule.py").write_text("LEAST = 4\n")
    first = rules_mark(tmp_path)
    assert rules_mark(tmp_path) == first
    (tmp_path / "rule.py").write_text("LEAST = 8\n")
    assert rules_mark(tmp_path) != first
    assert len(JUDGED_BY) == 32


@pytest.mark.parametrize("by", [judge, load_many, Loaded, addresses_taken, boot_state], ids=lambda by: by.__name__)
def test_whatever_judges_is_in_the_mark(by: Callable[..., object]) -> None:
    assert any(Path(inspect.getfile(by)).is_relative_to(place) for place in RULES)
