"""The demo begins with a place at work: real bytes written, boards booted, pages found, all over the application's own API.

Three devices in service, one late, one in settings, one stopped in its plan, and one that is powered when the first
visitor comes, so that it boots before their eyes.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from contextlib import suppress
from typing import Any

import httpx

from mintseed.core.errors import OutsideError
from mintseed.server.demo.quay_house import DRAWER_CARDS, drawer_card, own_drive
from mintseed.server.doors.address import host, serves_tls
from mintseed.server.doors.door import token
from mintseed.server.judged.journal import record
from mintseed.server.kept.bells import Bell
from mintseed.server.kept.made_up_words import HOUSE_WORD, KEEPER, MISTYPED_WORD
from mintseed.server.kept.models import Deployment, LogEntry, Supply
from mintseed.wiring import config

MADE = "demo.at-work"
VISITOR = "visitor"
"""bell that rings when a browser begins to listen"""

PATIENCE_S = 90.0


def wanted() -> bool:
    """Return whether this start is to make the demo: on a stand-in bench, once, unless an empty one was asked for."""
    if not config().is_standin or config().bench_name != "bench" or os.environ.get("MINTSEED_DEMO") == "empty":
        return False
    return not LogEntry.objects.filter(event=MADE).exists() and not Deployment.objects.filter(demo=False).exists()


class Desk:
    """Somebody at the desk: asks the application as a browser does."""

    def __init__(self) -> None:
        scheme, port = ("https" if serves_tls() else "http"), os.environ.get("MINTSEED_PORT") or "4870"
        there = "127.0.0.1" if host() in ("0.0.0.0", "::") else host()
        # Its own certificate may be one that only the owner trusts; it speaks to itself.
        self._http = httpx.Client(
            base_url=f"{scheme}://{there}:{port}/api", timeout=30, verify=False, headers={"Authorization": f"Bearer {token()}"}
        )  # fmt: skip

    def answers(self) -> bool:
        try:
            return self._http.get("/place").status_code == 200
        except httpx.HTTPError:
            return False

    def get(self, path: str) -> Any:
        return self._ask("GET", path)

    def post(self, path: str, body: object = None) -> Any:
        return self._ask("POST", path, {} if body is None else body)

    def put(self, path: str, body: object) -> Any:
        return self._ask("PUT", path, body)

    def _ask(self, method: str, path: str, body: object = None) -> Any:
        answer = self._http.request(method, path, json=body)
        if answer.status_code != 200:
            raise OutsideError(f"{method} {path}: {answer.json().get('title', answer.status_code)}")
        return answer.json()

    def until(self, path: str, good: Callable[[Any], Any], what: str) -> Any:
        """Ask until the answer is `good`. Raises OutsideError when that takes longer than PATIENCE_S."""
        end = time.monotonic() + PATIENCE_S
        while time.monotonic() < end:
            if good(answer := self.get(path)):
                return answer
            time.sleep(0.2)
        raise OutsideError(f"{what} took longer than {PATIENCE_S:.0f} s")


def make_at_work(desk: Desk) -> int:
    """Bring the place to work; return the deployment that is to be powered when somebody looks."""
    for pk in Deployment.objects.filter(demo=True, removed_at=None).values_list("pk", flat=True):
        desk._http.delete(f"/deployments/{pk}")  # of a start that was cut off
    _put_cards_in()
    late = _written(
        desk, 0, "platen", "Ticket window printer", "Tansy, workshop", "Grey USB-C", passphrase=MISTYPED_WORD
    )
    press = _written(desk, 1, "platen", "Reading-room press", "Larkspur R, clear case", "Black one")
    boathouse = _written(desk, 2, "platen", "Boathouse labels", "Sprig, tin box", "Small white")
    hall = _written(
        desk, 3, "lintel", "Harbour hall lamps", "Larkspur C, green case", "Black one", way="cable", admin=True
    )
    for pk in (hall, press, boathouse):
        desk.post(f"/deployments/{pk}/boot/power-on")
    desk.post(f"/deployments/{late}/boot/power-on")
    last = _written(desk, 4, "lintel", "Keeper's cottage hub", "Larkspur R, bare", "Black one", admin=True)
    _planned(desk, "platen", "Chart-room printer", "Sprig, spare", "Small white")
    stopped = _started(desk, "platen", "Ferry office printer")
    _plan(desk, stopped, "Larkspur C, blue case", "Black one", "wifi")
    for pk in (press, boathouse, hall):
        _serve(desk, pk)
    desk.until(f"/deployments/{late}/boot", lambda a: a["causes"], "a board's being late")
    record(None, "", MADE, "Quay House is at work: seven made-up deployments, to look at and to try things on")
    return last


def power_last(desk: Desk, pk: int) -> None:
    """Wait for the first visitor, then power the board that boots before their eyes."""
    bell = Bell(VISITOR)
    while not bell.wait(3600):
        pass
    with suppress(OutsideError):  # somebody was quicker, or took it off the bench
        desk.post(f"/deployments/{pk}/boot/power-on")


def _put_cards_in() -> None:
    folder, bench = config().bench_folder, config().bench_name
    drives = folder.read(folder.drives_file) or []
    there = {d["name"] for d in drives}
    cards = [own_drive(drawer_card(n), bench) for n in range(DRAWER_CARDS)]
    folder.write(folder.drives_file, [*drives, *(c for c in cards if c["name"] not in there)])


def _started(desk: Desk, recipe: str, name: str) -> int:
    # Marked as it is made: a start that is cut off in between leaves none that would pass for somebody's own.
    return int(desk.post("/deployments", {"recipe": recipe, "name": name, "demo": True})["id"])


def _plan(desk: Desk, pk: int, unit: str, supply: str, way: str) -> None:
    plan = desk.get(f"/deployments/{pk}/plan")
    desk.put(f"/deployments/{pk}/plan", {
        "board_unit_id": next(u["id"] for u in plan["units"] if u["name"] == unit),
        "supply_id": Supply.objects.filter(name__startswith=supply).values_list("pk", flat=True)[0],
        "card_gb": 32, "way": way,
    })  # fmt: skip


def _planned(desk: Desk, recipe: str, name: str, unit: str, supply: str, way: str = "wifi") -> int:
    """Bring a deployment to its settings."""
    pk = _started(desk, recipe, name)
    _plan(desk, pk, unit, supply, way)
    choices = desk.get(f"/deployments/{pk}/image")["choices"]
    desk.put(f"/deployments/{pk}/image", {"image_id": next(c["image"]["id"] for c in choices if c["suggested"])})
    desk.until(f"/deployments/{pk}/image", lambda a: a["chosen"]["xray"], "reading an image")
    return pk


def _written(
    desk: Desk, card: int, recipe: str, name: str, unit: str, supply: str, *, way: str = "wifi", passphrase: str = "", admin: bool = False
) -> int:  # fmt: skip
    """Bring a deployment to a proven card, on the drawer's card of that number."""
    pk = _planned(desk, recipe, name, unit, supply, way)
    settings = {"passphrase": passphrase} if passphrase else {}
    if admin:
        settings |= {"admin_name": KEEPER, "admin_password": HOUSE_WORD}
    if settings:
        desk.put(f"/deployments/{pk}/settings", settings)
    desk.post(f"/deployments/{pk}/settings/agree")
    path = drawer_card(card)["path"]
    drives = desk.until(
        f"/deployments/{pk}/card", lambda a: any(d["path"] == path for d in a["drives"]), "a card's being seen"
    )
    drive = next(d for d in drives["drives"] if d["path"] == path)
    desk.post(f"/deployments/{pk}/card/write",
              {"drive_id": drive["id"], "path": path, "serial": drive["serial"], "again": path})  # fmt: skip
    written = desk.until(f"/deployments/{pk}/card", lambda a: not (a["job"] and a["job"]["active"]), "writing a card")
    if not written["proven"]:
        raise OutsideError(f"the card of {name} was not proven: {written['job']['trouble']}")
    return pk


def _serve(desk: Desk, pk: int) -> None:
    """Find a device's page, go through its first steps and put it into service."""
    found = desk.until(
        f"/deployments/{pk}/find", lambda a: a["winner"] and a["winner"]["page_answers"], "finding a board"
    )
    address = found["winner"]["address"]
    desk.post(f"/deployments/{pk}/find/claim", {"address": address})
    setup = desk.get(f"/deployments/{pk}/setup")
    recipe = desk.get(f"/deployments/{pk}")["recipe_id"]
    if recipe == "platen":
        # As its step says: log in with the word it came with, and choose another.
        form = {"name": "inkwell", "word": "inkwell", "fresh": HOUSE_WORD}
        httpx.post(f"{setup['url'].rstrip('/')}/word", data=form, timeout=10).raise_for_status()
    for result in setup["steps"]:
        step = result["step"]
        if step["check"] == "by-eye":
            desk.post(f"/deployments/{pk}/setup/tick", {"step": step["id"], "done": True})
        else:
            desk.post(f"/deployments/{pk}/setup/check", {"step": step["id"]})
    desk.post(f"/deployments/{pk}/keep/done")
