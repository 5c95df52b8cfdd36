"""An image nobody described and a board nobody heard of go down the line: no text typed, nothing of the demo touched."""

from __future__ import annotations

import base64
import json
import subprocess
from collections.abc import Iterator
from datetime import timedelta
from ipaddress import ip_network
from pathlib import Path
from typing import Any

import pytest
import yaml
from django.utils import timezone

from mintseed import wiring
from mintseed.core.find.candidates import PageAnswer
from mintseed.core.findings import Severity
from mintseed.core.image.report import VolumeFacts
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.reading import RESTED, read_what_came
from mintseed.server.kept.models import BoardUnit, BootRun, Claim, Deployment, Description, Image, Site, Write
from mintseed.server.kept.stored_types import xray_of
from mintseed.server.owned.library import sync_library
from tests.builders.disks import MIB, cut, device_tree, fat_file, image, run
from tests.server.conftest import Api, card, work

BOOT = {
    "mine.dtb": device_tree(["own,board"], "Own board 1"), "kernel8.img": b"", "wifi.conf": b"country=DE\n#network={\n#  ssid=\"x\"\n#}\n",
    "hostname.txt": b"post\n", "node.env": b"NAME=post\nTZ=UTC\nLEVEL=3\n",
}  # fmt: skip
ROOT = {
    "etc/systemd/system/multi-user.target.wants/NetworkManager.service": b"",
    "etc/hostname": b"post\n", "etc/os-release": b'NAME="Weather"\nVERSION_ID="12"\n',
    "etc/nginx/sites-enabled/default": b"server {\n listen 8765;\n}\n", "etc/passwd": b"root:x:0:0::/root:/bin/sh\n", "etc/shadow": b"root:*:1::::::\n",
}  # fmt: skip
FILE = "weather-post-1.4.img"


@pytest.fixture
def brought(api: Api, tmp_path: Path) -> Iterator[int]:
    """An image dropped into the library and read; its key."""
    disk = image(tmp_path / "own.img", BOOT, ROOT)
    place = wiring.config().library / FILE
    disk.rename(place)
    try:
        pk = next(i["id"] for i in api.get("/images?search=weather")["images"])
        api.post(f"/images/{pk}/read")
        work()
        yield pk
    finally:
        place.unlink(missing_ok=True)


def used(api: Api, pk: int, **said: Any) -> dict[str, Any]:
    draft = api.get(f"/images/{pk}/draft")
    body = {
        "name": draft["name"],
        "host_name": draft["host_name"],
        "files": [f["path"] for f in draft["files"] if f["take"]],
    }
    answer: dict[str, Any] = api.post(f"/images/{pk}/use", {**body, **said})
    return answer


def test_from_a_dropped_file_to_a_proven_card(api: Api, brought: int) -> None:
    board = api.post("/boards", {"name": "Own board", "image_id": brought, "compatible": "own,board"})
    made = used(api, brought, board_unit_id=board["unit_id"])
    pk = made["id"]
    plan = api.get(f"/deployments/{pk}/plan")
    told = {f["code"]: f["severity"] for f in plan["findings"]}
    assert told["plan.board-fits"] == "ok"
    assert told["plan.supply-not-told"] == "note"
    assert "stop" not in told.values(), told
    api.put(f"/deployments/{pk}/plan", {"card_gb": 32})
    station = api.get(f"/deployments/{pk}/settings")
    assert [f["path"] for f in station["files"]] == ["hostname.txt", "node.env", "wifi.conf"]
    assert "stop" not in {f["severity"] for f in station["findings"]}, station["findings"]
    api.post(f"/deployments/{pk}/settings/agree")
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    assert api.get(f"/deployments/{pk}/card")["writes"][0]["outcome"] == "proven"
    disk = next(p for p in wiring.config().bench_folder.cards.iterdir() if is_it(p))
    assert fat_file(disk, MIB, "hostname.txt") == b"post\n"
    assert fat_file(disk, MIB, "node.env") == b"NAME=post\nTZ=Europe/London\nLEVEL=3\n"
    assert b'ssid="' in fat_file(disk, MIB, "wifi.conf")


def is_it(disk: Path) -> bool:
    try:
        return b"post" in fat_file(disk, MIB, "hostname.txt")
    except AssertionError:
        return False


def test_using_it_reads_nothing_again_and_leaves_an_ordinary_recipe(api: Api, brought: int) -> None:
    before = Image.objects.get(pk=brought)
    made = used(api, brought, name="Rain gauge", signature="Rain today")
    after = Image.objects.get(pk=brought)
    assert (after.recipe, after.read_at, after.sha256) == (made["recipe_id"], before.read_at, before.sha256)
    text = Description.objects.get(kind="recipe", ident=made["recipe_id"]).text
    assert "signature: Rain today" in text
    assert api.post("/texts/recipe/check", {"text": text})["problems"] == []
    assert api.get(f"/deployments/{made['id']}/image")["chosen"]["image"]["id"] == brought
    status, problem = api.call("post", f"/images/{brought}/use", {"name": "x", "host_name": "x", "files": []})
    assert (status, "describes this image already" in str(problem)) == (409, True)


def test_nothing_has_to_be_answered(api: Api, brought: int) -> None:
    """No board, no plug, no page: the line goes on, and what is not known stops nothing."""
    unit = api.post("/boards", {"name": "Some old board"})["unit_id"]
    assert BoardUnit.objects.get(pk=unit).name == "Some old board"
    made = used(api, brought, files=[], board_unit_id=unit)
    findings = api.get(f"/deployments/{made['id']}/plan")["findings"]
    assert not [f for f in findings if f["severity"] == Severity.STOP], findings
    assert {"plan.board-tree-not-told", "plan.supply-not-told"} <= {f["code"] for f in findings}


def test_more_is_said_of_a_board_known_in_part(api: Api) -> None:
    unit = api.post("/boards", {"name": "Some old board"})["unit_id"]
    ident = BoardUnit.objects.get(pk=unit).board
    shelf = api.get(f"/sites/{Site.objects.get().pk}/shelf")
    assert {u["id"] for u in shelf["units"] if u["in_part"]} == {unit}
    known = api.get(f"/boards/{ident}")
    more = {"name": "Some old board", "ethernet": True, "plug": "micro-USB", "current_a": 2.0, "was": known["text"]}
    now = api.put(f"/boards/{ident}", more)
    assert (now["ethernet"], now["plug"], now["voltage_v"], now["current_a"]) == (True, "micro-USB", 5.0, 2.0)
    # The plan judges by it at once.
    made = api.post("/deployments", {"recipe": "lintel", "name": "Hub", "board_unit_id": unit})
    api.put(f"/deployments/{made['id']}/plan", {"way": "cable"})
    told = {f["code"] for f in api.get(f"/deployments/{made['id']}/plan")["findings"]}
    assert "plan.supply-not-told" not in told
    # Whoever opened it before that cannot take it back unseen.
    status, problem = api.call("put", f"/boards/{ident}", {"name": "Mine", "was": known["text"]})
    assert (status, "somebody changed" in str(problem)) == (409, True)
    assert api.get(f"/boards/{ident}")["name"] == "Some old board"
    assert api.call("put", f"/boards/{ident}", more)[0] == 200, "the same said twice is no clash"


@pytest.mark.parametrize("ident", ["larkspur-r", "nobody-s"])
def test_a_board_that_is_described_wholly_is_not_asked_about(api: Api, ident: str) -> None:
    status, problem = api.call("get", f"/boards/{ident}")
    assert (status, "known in part" in str(problem)) == (404, True)


def test_an_image_that_was_not_read_has_no_draft(api: Api, brought: int) -> None:
    Image.objects.filter(pk=brought).update(xray="", outline="", read_at=None)
    status, problem = api.call("get", f"/images/{brought}/draft")
    assert (status, "not read yet" in str(problem)) == (409, True)


def test_the_draft_shows_each_line_with_its_source(api: Api, brought: int) -> None:
    draft = api.get(f"/images/{brought}/draft")
    page = next(line for line in draft["lines"] if line["what"] == "Its page")
    assert page == {
        "what": "Its page",
        "value": "http, port 8765",
        "source": "etc/nginx/sites-enabled/default",
        "sure": "read",
    }
    assert [f["says"] for f in draft["files"]] == [
        "host name",
        "host name, time zone",
        "the Wi-Fi network and its key",
        "the password of root, hashed, where you set one",
    ]
    assert [q["answer"] for q in draft["questions"]] == ["signature"]


def test_a_file_that_came_is_read_by_itself_once_it_is_whole(api: Api, tmp_path: Path) -> None:
    place = wiring.config().library / FILE
    image(tmp_path / "own.img", BOOT, ROOT).rename(place)
    try:
        now = timezone.now()
        assert read_what_came(now) == 0, "it may still be copied"
        assert Image.objects.filter(file_name=FILE).exists(), "it is listed at once, without a visit to Images"
        later = now + RESTED + timedelta(seconds=1)
        assert read_what_came(later) == 1
        assert read_what_came(later) == 0, "not twice"
        work()
        assert Image.objects.get(file_name=FILE).xray
        place.write_bytes(b"another file")
        sync_library()
        assert read_what_came(timezone.now() + RESTED + timedelta(seconds=1)) == 1, "another file under its name"
    finally:
        place.unlink(missing_ok=True)


def test_a_second_image_of_the_system_becomes_a_release(api: Api, brought: int, tmp_path: Path) -> None:
    used(api, brought)
    place = wiring.config().library / "weather-post-1.5.img"
    image(tmp_path / "second.img", {**BOOT, "more.txt": b"x\n"}, ROOT).rename(place)
    try:
        pk = next(i["id"] for i in api.get("/images?search=1.5")["images"])
        api.post(f"/images/{pk}/read")
        work()
        kin = api.get(f"/images/{pk}/draft")["kin"]
        assert [(k["recipe_id"], k["version"]) for k in kin] == [("weather-post", "1.5")]
        made = used(api, pk, release_of="weather-post")
        assert made["recipe_id"] == "weather-post"
        assert Image.objects.get(pk=pk).release == "1.5"
        assert Image.objects.get(pk=brought).release == "1.4"
        assert (
            api.call("post", f"/images/{pk}/use", {"name": "x", "host_name": "x", "files": [], "release_of": "platen"})[
                0
            ]
            == 409
        )
    finally:
        place.unlink(missing_ok=True)


def test_a_device_teaches_its_port_where_that_was_assumed(
    api: Api, brought: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    unit = api.post("/boards", {"name": "Some old board"})["unit_id"]
    BoardUnit.objects.filter(pk=unit).update(macs=["00:11:22:aa:bb:cc"])
    pk = used(api, brought, board_unit_id=unit)["id"]
    row = Deployment.objects.get(pk=pk)
    text = Description.objects.get(ident=row.recipe).text
    assumed = text.replace("page:\n  scheme: http\n  port: 8765", "page:\n  assumed: true\n  port: 80")
    Description.objects.filter(ident=row.recipe).update(text=assumed, changed_at=timezone.now())
    api.put(f"/deployments/{pk}/plan", {"card_gb": 32})
    api.post(f"/deployments/{pk}/settings/agree")
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    address = str(next(ip_network(Site.objects.get().networks[0]).hosts()))
    run = BootRun.objects.create(
        deployment=row,
        board_unit_id=unit,
        bench=own_bench(),
        powered_at=timezone.now(),
        write=Write.objects.latest("pk"),
    )
    Claim.objects.create(deployment=row, boot_run=run, address=address)
    asked: list[str] = []

    def answer(port: int | None) -> None:
        def get(self: object, url: str) -> PageAnswer:
            asked.append(url)
            if port is None:
                return PageAnswer(url, 0, silent=True)
            return (
                PageAnswer(url, 200, "<title>Rain today</title>")
                if f":{port}/" in url
                else PageAnswer(url, 0, trouble="nothing listens there yet")
            )

        monkeypatch.setattr(type(wiring.bench().probe), "get", get)

    answer(None)
    assert [lesson["about"] for lesson in api.get(f"/deployments/{pk}/lessons")] == ["vendor"]
    assert len(asked) == 1, "a device that keeps silent is asked once"
    # Its image tells of 8765; it answers elsewhere.
    answer(8080)
    assert [lesson["about"] for lesson in api.get(f"/deployments/{pk}/lessons")] == ["port", "signature", "vendor"]
    for about in ("port", "vendor"):
        api.post(f"/deployments/{pk}/lessons", {"about": about})
    page = yaml.safe_load(Description.objects.get(kind="recipe", ident=row.recipe).text)["page"]
    assert page == {"port": 8080, "scheme": "http"}
    board = yaml.safe_load(Description.objects.get(kind="board", ident=BoardUnit.objects.get(pk=unit).board).text)
    assert board["mac_prefixes"] == ["00:11:22"]
    assert [lesson["about"] for lesson in api.get(f"/deployments/{pk}/lessons")] == ["signature"]


HASH = "$6$saltsalt$made.up.of.nothing"
KEPT = {
    **ROOT, "etc/passwd": b"root:x:0:0::/root:/bin/sh\npost:x:1000:1000::/home/post:/bin/sh\n",
    "etc/shadow": f"root:*:1::::::\npost:{HASH}:0::::::\n".encode(), "etc/default/locale": b"LANG=C.UTF-8\n", "usr/lib/locale/C.utf8/LC_TIME": b"x",
}  # fmt: skip


def test_its_own_account_gets_a_password_and_its_language_is_the_places(api: Api, tmp_path: Path) -> None:
    disk = image(tmp_path / "kept.img", {"mine.dtb": BOOT["mine.dtb"], "kernel8.img": b""}, KEPT)
    place = wiring.config().library / "kept-1.0.img"
    disk.rename(place)
    try:
        brought = next(i["id"] for i in api.get("/images?search=kept-1")["images"])
        api.post(f"/images/{brought}/read")
        work()
        # What opens something lies sealed in the table, is shown to nobody, and is whole where files are filled from it.
        row = Image.objects.get(pk=brought)
        assert base64.b64encode(b"post:$6$")[:8].decode() not in row.xray
        xray = xray_of(row)
        assert xray is not None
        assert next(f for f in xray.files if f.path == "/etc/shadow").content == KEPT["etc/shadow"]
        shown = {f["path"]: f["text"] for f in api.get(f"/images/{brought}")["xray"]["files"]}
        assert shown["/etc/shadow"] == "root:*:1::::::\npost:$6$…:0::::::\n"
        made = used(
            api,
            brought,
            board_unit_id=api.post("/boards", {"name": "Own board", "image_id": brought, "compatible": "own,board"})[
                "unit_id"
            ],
        )
        pk = made["id"]
        site = Site.objects.get().pk
        api.put(f"/sites/{site}", {"locale": "de_AT.UTF-8"})
        api.put(f"/deployments/{pk}/plan", {"card_gb": 32})
        before = api.get(f"/deployments/{pk}/settings")
        assert (before["own_account"], before["takes_locale"], before["locale"]["value"]) == (
            "post",
            True,
            "de_AT.UTF-8",
        )
        assert "/etc/shadow" not in {f["path"] for f in before["files"]}, "without a password it is left as it lies"
        station = api.put(f"/deployments/{pk}/settings", {"admin_password": "lantern over quay"})
        filled = {f["path"]: f for f in station["files"]}
        assert station["of_password"] == []
        weak = api.put(f"/deployments/{pk}/settings", {"admin_password": "password123"})["of_password"]
        assert [f["code"] for f in weak] == ["settings.admin-password-guessable"]
        assert api.get(f"/deployments/{pk}/settings")["of_password"] == [], "a hash says nothing of it"
        station = api.put(f"/deployments/{pk}/settings", {"admin_password": "lantern over quay"})
        assert filled["/etc/shadow"]["meaning"] == "Lets post in with the password whose hash it holds."
        assert HASH not in str(station)
        assert filled["/etc/default/locale"]["meaning"] == "Speaks de_AT.UTF-8."
        told = {f["code"]: f["severity"] for f in station["findings"]}
        assert told["settings.locale-not-there"] == "check"
        assert "stop" not in told.values(), told
        api.post(f"/deployments/{pk}/settings/agree")
        api.post(f"/deployments/{pk}/card/write", card())
        work()
        assert api.get(f"/deployments/{pk}/card")["writes"][0]["outcome"] == "proven"
        volume = xray.root_volume
        assert volume is not None
        disk = next(p for p in wiring.config().bench_folder.cards.iterdir() if _has_root(p, volume, tmp_path))
        ext = cut(disk, volume.offset_bytes, volume.size_bytes, tmp_path / "ext")
        name, word, changed = run("debugfs", "-R", "cat /etc/shadow", ext).decode().split("\n")[1].split(":")[:3]
        # The independent hash: openssl passwd, with the salt that stands there.
        salt = word.split("$")[2]
        asked = subprocess.run(
            ["openssl", "passwd", "-6", "-salt", salt, "lantern over quay"], capture_output=True, text=True, check=True
        )
        assert (name, word, changed) == ("post", asked.stdout.strip(), "")
        assert run("debugfs", "-R", "cat /etc/default/locale", ext) == b"LANG='de_AT.UTF-8'\n"
        # Sealed with another key it is to be read again, and nothing of it is guessed.
        Image.objects.filter(pk=brought).update(
            xray=row.xray.replace(_sealed_in(row.xray), base64.b64encode(b"\0sealed\0another").decode())
        )
        assert xray_of(Image.objects.get(pk=brought)) is None
    finally:
        place.unlink(missing_ok=True)


def _sealed_in(text: str) -> str:
    return next(f["content"] for f in json.loads(text)["files"] if f["path"] == "/etc/shadow")


def _has_root(disk: Path, volume: VolumeFacts, room: Path) -> bool:
    if disk.stat().st_size < volume.offset_bytes + volume.size_bytes:
        return False
    ext = cut(disk, volume.offset_bytes, volume.size_bytes, room / "ext")
    said = subprocess.run(["debugfs", "-R", "cat /etc/default/locale", ext], capture_output=True, check=False)
    return said.stdout.startswith(b"LANG=")
