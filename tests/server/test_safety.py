"""Secrets, other people's pages, hostile input, the log, and the database's own strictness."""

from __future__ import annotations

import json
import logging
import stat
from typing import Any

import pytest
from cryptography.fernet import Fernet
from django.contrib.auth import get_user_model
from django.db import DatabaseError, DataError, connection, transaction
from django.test import Client

from mintseed import wiring
from mintseed.core.described import read_described
from mintseed.core.recipes.model import Recipe
from mintseed.core.settings.values import derived_key
from mintseed.server.judged.journal import record
from mintseed.server.kept.models import BoardUnit, Deployment, LogEntry, Site, WifiNetwork, WrongPasswords
from tests.database_plugin import LAN
from tests.server.conftest import Api, card, started, work

PASSPHRASE = "spring tide at noon"
KEY = derived_key(PASSPHRASE, "Quay House 2G")


def every_cell() -> str:
    """Return all text of all our tables, as it lies in the database."""
    found = []
    with connection.cursor() as cursor:
        for table in connection.introspection.table_names(cursor):
            cursor.execute(f"SELECT * FROM `{table}`")
            found += [str(cell) for row in cursor.fetchall() for cell in row]
    return "\n".join(found)


def test_no_secret_lies_in_the_database_in_clear(api: Api) -> None:
    pk = started(api, passphrase="spring tide at nine")
    lintel = api.post("/deployments", {"recipe": "lintel"})["id"]
    api.put(f"/deployments/{lintel}/settings", {"admin_name": "keeper", "admin_password": "three wet boots"})
    hashed = Deployment.objects.get(pk=lintel).admin_hash
    stored = every_cell()
    assert "Quay House 2G" in stored
    for secret in (PASSPHRASE, "spring tide at nine", "three wet boots", hashed, KEY):
        assert secret not in stored
    assert Deployment.objects.get(pk=pk).passphrase == "spring tide at nine"
    key_file = wiring.config().home / "secrets" / "key"
    assert stat.S_IMODE(key_file.stat().st_mode) == 0o600


def test_no_answer_and_no_log_holds_a_secret_unasked(api: Api, caplog: pytest.LogCaptureFixture) -> None:
    with caplog.at_level(logging.DEBUG):
        pk = started(api, passphrase="spring tide at nine")
        api.post(f"/deployments/{pk}/card/write", card())
        work()
        said = json.dumps([
            api.get(f"/deployments/{pk}/{station}") for station in ("plan", "image", "settings", "card", "boot", "find", "setup", "keep")
        ] + [api.get("/bench"), api.get(f"/sites/{Site.objects.get().pk}"), api.get(f"/sites/{Site.objects.get().pk}/shelf"), api.get("/log"), api.get("/images")])  # fmt: skip
    spoilt = derived_key("spring tide at nine", "Quay House 2G")
    for secret in (PASSPHRASE, "spring tide at nine", KEY, spoilt):
        assert secret not in said
        assert secret not in caplog.text
    assert api.post(f"/deployments/{pk}/settings/passphrase") == {"value": "spring tide at nine"}
    network = WifiNetwork.objects.get(ssid="Quay House 2G").pk
    assert api.post(f"/networks/{network}/passphrase") == {"value": PASSPHRASE}


def test_the_site_is_judged_and_a_passphrase_survives_an_empty_field(api: Api) -> None:
    network = WifiNetwork.objects.get(ssid="Quay House 2G").pk
    api.put(f"/networks/{network}", {"ssid": "Quay House 2G", "band_ghz": 2.4, "passphrase": ""})
    assert WifiNetwork.objects.get(pk=network).passphrase == PASSPHRASE
    site = api.put(
        f"/sites/{Site.objects.get().pk}",
        {"name": "Q", "country": "UK", "time_zone": "Nowhere", "keyboard": "gb", "networks": [LAN]},
    )
    assert {f["code"] for f in site["findings"]} == {"wifi.country-unknown", "settings.time-zone-unknown"}
    site = api.post(f"/sites/{site['id']}/networks", {"ssid": "x" * 40, "passphrase": "short"})
    assert {f["code"] for f in site["wifi"][-1]["findings"]} == {"wifi.ssid-length", "wifi.passphrase-length"}
    assert api.call("delete", f"/things/network/{site['wifi'][-1]['id']}")[0] == 204
    assert len(api.get(f"/sites/{site['id']}")["wifi"]) == 2


@pytest.mark.parametrize("network", ["8.8.8.0/24", "nonsense", "2001:db8::/32"])
def test_only_private_ranges_may_be_looked_at(api: Api, network: str) -> None:
    body = {"name": "Q", "country": "GB", "time_zone": "UTC", "keyboard": "gb", "networks": [network]}
    assert api.call("put", f"/sites/{Site.objects.get().pk}", body)[0] == 422
    assert Site.objects.get().networks == [LAN]


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 200),
        ({"Origin": "http://testserver"}, 200),
        ({"Origin": "http://elsewhere.example"}, 403),
        ({"Origin": "null"}, 403),
        ({"Origin": "http://[testserver"}, 403),
        ({"Origin": "http://testserver@elsewhere.example"}, 403),
        ({"Sec-Fetch-Site": "cross-site"}, 403),
        ({"Sec-Fetch-Site": "same-site"}, 403),
    ],
)
def test_another_sites_page_changes_nothing(api: Api, headers: dict[str, str], status: int) -> None:
    assert api.call("post", "/deployments", {"recipe": "platen"}, **headers)[0] == status
    assert Deployment.objects.exists() is (status == 200)


@pytest.mark.django_db
def test_a_rebound_name_is_refused_and_headers_are_strict() -> None:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("django.conf.settings.ALLOWED_HOSTS", ["127.0.0.1"])
        logging.getLogger("django.security.DisallowedHost").setLevel(logging.CRITICAL)
        assert Client(headers={"Host": "evil.example"}).get("/api/place").status_code == 400
        answer = Client(headers={"Host": "127.0.0.1"}).get("/api/place")
    assert answer.status_code == 200
    policy = answer.headers["Content-Security-Policy"]
    assert "script-src 'self';" in policy
    assert "unsafe-eval" not in policy
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    assert answer.headers["X-Frame-Options"] == "DENY"
    assert answer.headers["Cache-Control"] == "no-store"


@pytest.mark.parametrize(
    ("method", "path", "body", "status"),
    [
        ("post", "/deployments", {"recipe": "none"}, 422),
        ("post", "/deployments", {}, 422),
        ("post", "/deployments", [], 422),
        ("get", "/deployments/999/plan", None, 404),
        ("get", "/images/999", None, 404),
        ("put", "/deployments/{pk}/plan", {"board_unit_id": 999}, 404),
        ("put", "/deployments/{pk}/plan", {"card_gb": "large"}, 422),
        ("put", "/deployments/{pk}/settings", {"host_name": "x" * 500}, 422),
        ("put", "/deployments/{pk}/settings", {"country": "GB\u0000" * 9}, 422),
        ("put", "/deployments/{pk}/settings", {"host_name": "a\ud800"}, 422),
        ("put", "/deployments/{pk}/settings", {"answers": {"a\x00": "b"}}, 422),
        ("put", "/deployments/{pk}/settings", {"admin_password": "x" * 5000}, 422),
        ("put", "/deployments/{pk}/plan", {"card_gb": 10**30}, 422),
        ("put", "/deployments/{pk}/plan", {"card_gb": -5}, 422),
        ("get", "/log?before=%00", None, 422),
        ("get", "/deployments/99999999999999999999999/plan", None, 404),
        ("put", "/keeping", {"log_days": 0, "jobs_days": 5, "copy_hours": 5}, 422),
        ("put", "/keeping", {"log_days": 10**12, "jobs_days": 5, "copy_hours": 5}, 422),
        ("post", "/deployments/{pk}/setup/check", {"step": "none"}, 404),
        ("post", "/deployments/{pk}/find/claim", {"address": "8.8.8.8"}, 409),
        ("post", "/deployments/{pk}/card/write", {"path": "/dev/pdb"}, 422),
        (
            "post",
            "/deployments/{pk}/card/write",
            {"drive_id": 999999, "path": "/dev/pdb", "serial": "", "again": ""},
            404,
        ),
        ("post", "/deployments/{pk}/boot/power-on", {"ago_s": -5}, 422),
        ("post", "/deployments/{pk}/boot/power-on", {"ago_s": 1e9}, 422),
        ("put", "/shelf/boards/999999", {"name": "x", "board": "tansy"}, 404),
    ],
)
def test_bad_input_gets_a_problem_and_changes_nothing(api: Api, method: str, path: str, body: Any, status: int) -> None:
    pk = started(api)
    before = Deployment.objects.values().get(pk=pk)
    got, problem = api.call(method, path.format(pk=pk), body)
    assert got == status
    assert problem["title"]
    assert problem["status"] == status
    assert Deployment.objects.values().get(pk=pk) == before
    assert Deployment.objects.count() == 1


def test_a_database_that_does_not_answer_is_said_so(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    def lost(*arguments: object) -> None:
        raise DatabaseError("server has gone away")

    monkeypatch.setattr("mintseed.server.api.bench.bench_lists", lost)
    status, problem = api.call("get", "/bench")
    assert (status, problem["code"]) == (503, "outside.database")


def test_the_log_is_only_ever_added_to(api: Api) -> None:
    record(None, "", "test.event", "x" * 1000)
    entry = LogEntry.objects.latest("pk")
    assert len(entry.text) == 300
    entry.text = "changed"
    with pytest.raises(TypeError):
        entry.save()
    with pytest.raises(TypeError):
        entry.delete()


def test_the_log_is_paged(api: Api) -> None:
    for number in range(130):
        record(None, "", "test.event", f"line {number}")
    first = api.get("/log")
    assert first["lines"][0]["text"] == "line 129"
    second = api.get(f"/log?before={first['older_before']}")
    assert second["lines"][0]["text"] == "line 29"
    assert second["older_before"] is None


def test_mariadb_is_strict_and_keeps_every_letter(api: Api) -> None:
    # MariaDB in strict mode refuses what it cannot hold instead of cutting it; utf8mb4 holds all of Unicode.
    assert connection.vendor == "mysql"
    with connection.cursor() as cursor:
        cursor.execute("SELECT @@sql_mode, @@character_set_connection")
        mode, letters = cursor.fetchone()
    assert "STRICT_ALL_TABLES" in mode
    assert letters == "utf8mb4"
    with pytest.raises(DataError), transaction.atomic():
        Site.objects.all().update(country="TOOLONG")
    Site.objects.all().update(name="Küste 🌊")
    assert Site.objects.get().name == "Küste 🌊"


def test_without_an_account_nothing_is_told_where_others_can_reach_it(api: Api, asks_for_account: None) -> None:
    get_user_model().objects.create_user("keeper", password="three wet boots")
    for method, path in (
        ("get", "/bench"),
        ("get", "/place"),
        ("post", "/deployments"),
        ("get", "/log"),
        ("delete", "/deployments/1"),
    ):
        assert api.call(method, path, {} if method == "post" else None)[0] == 401
    assert api.get("/session")["signed_in"] is False
    assert api.post("/session", {"name": "keeper", "password": "three wet boots"})["signed_in"]
    assert api.call("get", "/bench")[0] == 200


def test_guessing_passwords_has_to_wait(api: Api, asks_for_account: None) -> None:
    WrongPasswords.objects.all().delete()
    get_user_model().objects.create_user("keeper", password="three wet boots")
    for _ in range(5):
        assert "do not open it" in api.call("post", "/session", {"name": "keeper", "password": "guess"})[1]["title"]
    status, problem = api.call("post", "/session", {"name": "keeper", "password": "three wet boots"})
    assert (status, "too many wrong passwords" in problem["title"]) == (409, True)
    WrongPasswords.objects.all().delete()
    assert api.post("/session", {"name": "keeper", "password": "three wet boots"})["signed_in"]


def test_a_board_and_a_supply_are_made_changed_and_removed(api: Api) -> None:
    site = Site.objects.get().pk
    shelf = api.post(f"/sites/{site}/shelf/boards", {"name": "Bare one", "board": "tansy"})
    unit = shelf["units"][-1]
    assert (unit["name"], unit["board_name"], unit["used_by"]) == ("Bare one", "Tansy", [])
    assert (
        api.put(f"/shelf/boards/{unit['id']}", {"name": "Lidded one", "board": "tansy"})["units"][-1]["name"]
        == "Lidded one"
    )
    assert api.call("post", f"/sites/{site}/shelf/boards", {"name": "x", "board": "unheard-of"})[0] == 422
    pk = started(api, board="Tansy", unit="Lidded", supply="3 A")
    status, problem = api.call("delete", f"/things/board/{unit['id']}")
    assert (status, "is used by" in problem["title"]) == (409, True)
    assert api.call("delete", f"/deployments/{pk}")[0] == 204
    assert api.call("delete", f"/things/board/{unit['id']}")[0] == 204
    assert unit["id"] not in {u["id"] for u in api.get(f"/sites/{site}/shelf")["units"]}
    supply = api.post(
        f"/sites/{site}/shelf/supplies", {"name": "Odd", "voltage_v": 5, "current_a": 1, "connector": "USB-C"}
    )["supplies"][-1]
    assert (
        api.call(
            "post",
            f"/sites/{site}/shelf/supplies",
            {"name": "Odd", "voltage_v": -5, "current_a": 1, "connector": "USB-C"},
        )[0]
        == 422
    )
    assert api.call("delete", f"/things/supply/{supply['id']}")[0] == 204
    assert supply["id"] not in {s["id"] for s in api.get(f"/sites/{site}/shelf")["supplies"]}


def test_several_places_keep_their_things_apart(api: Api) -> None:
    second = api.post("/sites", {"name": "Harbour shed"})
    assert [s["name"] for s in api.get("/sites")] == ["Quay House", "Harbour shed"]
    pk = api.post("/deployments", {"recipe": "platen", "site_id": second["id"]})["id"]
    plan = api.get(f"/deployments/{pk}/plan")
    assert (plan["units"], plan["supplies"], plan["networks"]) == ([], [], [])
    other = BoardUnit.objects.first()
    assert api.call("put", f"/deployments/{pk}/plan", {"board_unit_id": other.pk})[0] == 404  # type: ignore[union-attr]
    # One host name at each of two places is no clash.
    api.post("/deployments", {"recipe": "platen"})
    assert {d.host_name for d in Deployment.objects.all()} == {"platen"}
    assert api.call("delete", f"/things/place/{second['id']}")[1]["code"] == "refused.in-use"
    third = api.post("/sites", {"name": "Attic"})["id"]
    assert api.call("delete", f"/things/place/{third}")[0] == 204


def test_what_a_recipe_asks_is_kept_encrypted_and_a_secret_answer_is_not_told(
    api: Api, monkeypatch: pytest.MonkeyPatch
) -> None:
    text = (
        (wiring.PROJECT / "recipes" / "platen.yaml")
        .read_text()
        .replace('KEYBOARD: "{keyboard}"', 'KEYBOARD: "{keyboard}", PAPER: "{paper}{pin}"')
    )
    asks = '\nasks:\n  - {id: paper, title: Paper, pattern: "A[0-9]", default: A4}\n  - {id: pin, title: Pin, secret: true}\n'
    asking = wiring.Descriptions(
        {**wiring.recipes(), "platen": read_described(Recipe, text + asks, where="mine.yaml")}, {}
    )
    monkeypatch.setattr(wiring, "recipe_files", lambda: asking)
    pk = api.post("/deployments", {"recipe": "platen"})["id"]
    image = next(c["image"]["id"] for c in api.get(f"/deployments/{pk}/image")["choices"] if c["image"]["release"])
    api.put(f"/deployments/{pk}/image", {"image_id": image})
    codes = {f["code"] for f in api.get(f"/deployments/{pk}/settings")["findings"]}
    assert "settings.answer-missing" in codes
    settings = api.put(f"/deployments/{pk}/settings", {"answers": {"paper": "A3", "pin": "sea-horse-71"}})
    assert [(a["value"], a["given"]) for a in settings["asks"]] == [("A3", True), ("", True)]
    shown = next(f for f in settings["files"] if f["path"] == "device.conf")
    assert any(line["text"] == "PAPER=A3\u2026" for line in shown["lines"])
    assert "sea-horse-71" not in json.dumps(settings)
    assert "sea-horse-71" not in every_cell()
    bad = api.put(f"/deployments/{pk}/settings", {"answers": {"paper": "foolscap"}})
    assert "settings.answer-shape" in {f["code"] for f in bad["findings"]}


def test_a_value_of_another_key_is_its_own_finding_and_nobody_elses_trouble(api: Api) -> None:
    """As after a home's key was lost: the bench, the site and every other network are as they were, and nothing is lost."""
    pk = started(api)
    other = Fernet(Fernet.generate_key()).encrypt(b"spring tide at noon").decode()
    network = Deployment.objects.get(pk=pk).network
    assert network is not None
    with connection.cursor() as cursor:
        cursor.execute("UPDATE mintseed_wifinetwork SET passphrase = %s WHERE id = %s", [other, network.pk])
        cursor.execute("UPDATE mintseed_deployment SET answers = %s WHERE id = %s", [other, pk])
    assert api.get("/bench")["open"]["total"] >= 1
    site = api.get(f"/sites/{api.get('/place')['site_id']}")
    found = {n["id"]: {f["code"] for f in n["findings"]} for n in site["wifi"]}
    assert "wifi.passphrase-unreadable" in found[network.pk]
    assert not any("wifi.passphrase-unreadable" in codes for key, codes in found.items() if key != network.pk)
    settings = api.get(f"/deployments/{pk}/settings")
    assert "wifi.passphrase-unreadable" in {f["code"] for f in settings["findings"]}
    # Saving the row keeps what lies there: the key may come back.
    again = WifiNetwork.objects.get(pk=network.pk)
    again.hidden = True
    again.save()
    with connection.cursor() as cursor:
        cursor.execute("SELECT passphrase FROM mintseed_wifinetwork WHERE id = %s", [network.pk])
        assert cursor.fetchone()[0] == other
    api.put(
        f"/networks/{network.pk}",
        {"ssid": network.ssid, "band_ghz": network.band_ghz, "passphrase": "spring tide at nine"},
    )
    assert WifiNetwork.objects.get(pk=network.pk).passphrase == "spring tide at nine"
