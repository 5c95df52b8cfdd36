"""Secrets, other people's pages, hostile input, the log, and the database's own strictness."""

from __future__ import annotations

import asyncio
import json
import logging
import stat
from typing import Any

import pytest
from django.db import DatabaseError, DataError, connection, transaction
from django.http import StreamingHttpResponse
from django.test import Client
from django.test.utils import CaptureQueriesContext

from mintseed import wiring
from mintseed.core.settings.values import derived_key
from mintseed.server.journal import record
from mintseed.server.models import Deployment, LogEntry, Site, WifiNetwork
from mintseed.server.walk import load_walks
from tests.server.conftest import CARD, Api, started, work

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
        api.post(f"/deployments/{pk}/card/write", CARD)
        work()
        said = json.dumps([
            api.get(f"/deployments/{pk}/{station}") for station in ("plan", "image", "settings", "card", "boot", "find", "setup", "keep")
        ] + [api.get("/bench"), api.get("/site"), api.get("/log"), api.get("/images")])  # fmt: skip
    spoilt = derived_key("spring tide at nine", "Quay House 2G")
    for secret in (PASSPHRASE, "spring tide at nine", KEY, spoilt):
        assert secret not in said
        assert secret not in caplog.text
    assert api.post(f"/deployments/{pk}/settings/passphrase") == {"value": "spring tide at nine"}
    network = WifiNetwork.objects.get(ssid="Quay House 2G").pk
    assert api.post(f"/site/networks/{network}/passphrase") == {"value": PASSPHRASE}


def test_the_site_is_judged_and_a_passphrase_survives_an_empty_field(api: Api) -> None:
    network = WifiNetwork.objects.get(ssid="Quay House 2G").pk
    api.put(f"/site/networks/{network}", {"ssid": "Quay House 2G", "band_ghz": 2.4, "passphrase": ""})
    assert WifiNetwork.objects.get(pk=network).passphrase == PASSPHRASE
    site = api.put(
        "/site", {"name": "Q", "country": "UK", "time_zone": "Nowhere", "keyboard": "gb", "networks": ["127.77.5.0/24"]}
    )
    assert {f["code"] for f in site["findings"]} == {"wifi.country-unknown", "settings.time-zone-unknown"}
    site = api.post("/site/networks", {"ssid": "x" * 40, "passphrase": "short"})
    assert {f["code"] for f in site["wifi"][-1]["findings"]} == {"wifi.ssid-length", "wifi.passphrase-length"}
    assert len(api.call("delete", f"/site/networks/{site['wifi'][-1]['id']}")[1]["wifi"]) == 2


@pytest.mark.parametrize("network", ["8.8.8.0/24", "nonsense", "2001:db8::/32"])
def test_only_private_ranges_may_be_looked_at(api: Api, network: str) -> None:
    body = {"name": "Q", "country": "GB", "time_zone": "UTC", "keyboard": "gb", "networks": [network]}
    assert api.call("put", "/site", body)[0] == 422
    assert Site.objects.get().networks == ["127.77.5.0/24"]


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 200),
        ({"Origin": "http://testserver"}, 200),
        ({"Origin": "http://elsewhere.example"}, 403),
        ({"Origin": "null"}, 403),
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
        ("post", "/deployments/{pk}/setup/check", {"step": "none"}, 404),
        ("post", "/deployments/{pk}/find/claim", {"address": "8.8.8.8"}, 409),
        ("post", "/deployments/{pk}/card/write", {"path": "/dev/pdb"}, 422),
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

    monkeypatch.setattr("mintseed.server.api.bench.load_walks", lost)
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
        Site.objects.filter(pk=1).update(country="TOOLONG")
    Site.objects.filter(pk=1).update(name="Küste 🌊")
    assert Site.objects.get().name == "Küste 🌊"


def test_queries_do_not_grow_with_deployments(api: Api) -> None:
    def asked() -> int:
        with CaptureQueriesContext(connection) as queries:
            load_walks()
        return len(queries)

    for number in range(3):
        started(api, host_name=f"press-{number}")
    few = asked()
    for number in range(3, 9):
        started(api, host_name=f"press-{number}")
    assert asked() == few


def test_the_filled_image_comes_as_a_file(api: Api) -> None:
    pk = started(api, host_name="press")
    response = Client().get(f"/api/deployments/{pk}/card/filled-image")
    assert response.status_code == 200
    assert response.headers["Content-Disposition"] == 'attachment; filename="press-platen-3.2-64.img"'
    assert int(response.headers["Content-Length"]) == 138412032
    assert isinstance(response, StreamingHttpResponse)

    async def arrived() -> bytes:
        return b"".join([piece async for piece in response.streaming_content])  # type: ignore[union-attr]

    sent = asyncio.run(arrived())
    assert len(sent) == 138412032
    assert b"HOST_NAME=press\n" in sent[: 52 * 1024 * 1024]
    other = api.post("/deployments", {"recipe": "platen"})["id"]
    assert Client().get(f"/api/deployments/{other}/card/filled-image").status_code == 409
