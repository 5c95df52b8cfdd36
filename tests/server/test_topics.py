"""Whoever changes something says so where it is changed, in its transaction: open screens hear of it, of nothing else, and of no
change that was refused."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from django.db import transaction

from mintseed import wiring
from mintseed.server.judged.changes import EVERYTHING, deployment_topic
from mintseed.server.judged.journal import record
from mintseed.server.kept import bells
from mintseed.server.kept.models import Change, Deployment, Image, Site
from tests.server.conftest import Api, started
from tests.server.test_proofs import proven

MINE = "its own"


def said_by(work: Callable[[], Any]) -> set[str]:
    last = Change.objects.order_by("-pk").values_list("pk", flat=True).first() or 0
    work()
    return set(Change.objects.filter(pk__gt=last).values_list("topic", flat=True))


def calls(api: Api, pk: int) -> dict[str, tuple[str, str, Any, str]]:
    site, image = Site.objects.get().pk, Image.objects.filter(recipe="platen").order_by("pk").first()
    assert image is not None
    press, board = f"/deployments/{pk}", (wiring.PROJECT / "boards" / "sprig.yaml").read_text()
    supply = {"name": "Cube", "voltage_v": 5.1, "current_a": 3, "connector": "micro-USB"}
    return {
        "plan": ("put", f"{press}/plan", {"load_share": 0.3}, MINE),
        "image": ("put", f"{press}/image", {"image_id": image.pk}, MINE),
        "settings": ("put", f"{press}/settings", {"country": "IE"}, MINE),
        "agree": ("post", f"{press}/settings/agree", {}, MINE),
        "same again": ("post", f"{press}/keep/same-again", {"name": "Second", "host_name": "second"}, "another's"),
        "new": ("post", "/deployments", {"recipe": "lintel", "name": "Hall"}, "another's"),
        "place": ("post", "/sites", {"name": "Boat shed"}, EVERYTHING),
        "site": ("put", f"/sites/{site}", {"country": "IE"}, EVERYTHING),
        "network": ("post", f"/sites/{site}/networks", {"ssid": "Attic", "passphrase": "spring tide at noon", "band_ghz": 2.4}, EVERYTHING),
        "shelf": ("post", f"/sites/{site}/shelf/supplies", supply, EVERYTHING),
        "table": ("post", f"/sites/{site}/shelf/table", {"text": "what,name,size_gb\ncard,Blue one,32\n"}, EVERYTHING),
        "text": ("put", "/descriptions/board", {"text": f"# mine\n{board}"}, EVERYTHING),
        "keeping": ("put", "/keeping", {"log_days": 90, "jobs_days": 30, "copy_hours": 12}, EVERYTHING),
        "account": ("post", "/accounts", {"name": "mo", "password": "three wet boots", "role": "look"}, EVERYTHING),
        "reading": ("post", f"/images/{image.pk}/read", {}, "images"),
        "remove": ("delete", press, None, MINE),
    }  # fmt: skip


NAMES = ["plan", "image", "settings", "agree", "same again", "new", "place", "site", "network", "shelf", "table", "text", "keeping",
         "account", "reading", "remove"]  # fmt: skip


@pytest.mark.parametrize("name", NAMES)
def test_every_change_is_said_by_name(api: Api, name: str) -> None:
    pk = started(api)
    if name == "agree":
        Deployment.objects.update(settings_agreed=False)
    method, path, body, topic = calls(api, pk)[name]
    answered: list[int] = []
    said = said_by(lambda: answered.append(api.call(method, path, body)[0]))
    assert answered[0] in (200, 204)
    others = {deployment_topic(d.pk) for d in Deployment.objects.exclude(pk=pk)}
    wanted = {deployment_topic(pk)} if topic == MINE else others if topic == "another's" else {topic}
    assert wanted <= said
    if topic in (MINE, "another's"):
        assert EVERYTHING not in said


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("put", "/deployments/{pk}/plan", {"card_gb": 33}),
        ("put", "/deployments/{pk}/settings", {"host_name": "x" * 90}),
        ("put", "/deployments/{pk}/image", {"image_id": 999999}),
        ("post", "/texts/board/check", {"text": "id: x"}),
        ("post", "/deployments/{pk}/settings/passphrase", {}),
        ("post", "/sites", {"name": "  "}),
    ],
)
def test_what_changes_nothing_says_nothing(api: Api, method: str, path: str, body: Any) -> None:
    pk = started(api)
    assert said_by(lambda: api.call(method, path.format(pk=pk), body)) == set()


def test_what_is_undone_was_never_said(api: Api) -> None:
    pk = started(api)
    row = Deployment.objects.get(pk=pk)

    def undone() -> None:
        with transaction.atomic():
            record(row, "plan", "deployment.started", "Never")
            transaction.set_rollback(True)

    assert said_by(undone) == set()
    assert said_by(lambda: record(row, "plan", "deployment.started", "Now")) == {deployment_topic(pk)}


def test_a_board_that_gets_power_does_not_wait_for_the_agents_next_turn(
    api: Api, monkeypatch: pytest.MonkeyPatch, django_capture_on_commit_callbacks: Any
) -> None:
    pk = proven(api)
    rung: list[str] = []
    monkeypatch.setattr(bells, "ring_now", lambda *names: rung.extend(names))
    with django_capture_on_commit_callbacks(execute=True):
        api.post(f"/deployments/{pk}/boot/power-on")
    assert {bells.AGENT, bells.WEB} <= set(rung)
