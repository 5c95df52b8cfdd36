"""Who comes in where: everybody on a stand-in bench, who holds the link or the token on a real one."""

from __future__ import annotations

import os
import stat
import threading
from typing import Any

import pytest
from django.db import connections
from django.test import Client

from mintseed import wiring
from mintseed.server.doors.door import LINK_LASTS_S, new_link, take_link, token, use_up
from mintseed.server.kept.models import Deployment, Image, Site
from tests.server.conftest import Api


def code_of(link: str) -> str:
    return link.partition("#come-in=")[2]


def test_a_link_opens_for_one_browser_once(api: Api, asks_for_link: None) -> None:
    assert api.call("get", "/bench")[0] == 401
    assert api.call("post", "/networks/1/passphrase")[0] == 401
    assert api.get("/session") | {"door": "link", "signed_in": False} == api.get("/session")
    code = code_of(new_link())
    assert api.call("post", "/session/link", {"code": "guessed"})[0] == 409
    assert api.post("/session/link", {"code": code})["signed_in"]
    assert api.call("get", "/bench")[0] == 200
    other = Api()
    assert other.call("post", "/session/link", {"code": code})[0] == 409
    assert other.call("get", "/bench")[0] == 401


def test_a_page_that_was_left_too_soon_has_not_used_the_link_up(api: Api, asks_for_link: None) -> None:
    code = code_of(new_link())
    left = Api()
    assert left.post("/session/link", {"code": code})["signed_in"], "its answer never arrived"
    assert api.post("/session/link", {"code": code})["signed_in"]
    assert [api.call("get", path)[0] for path in ("/bench", "/sites", "/bench")] == [200, 200, 200]
    assert left.call("get", "/bench")[0] == 401, "of two that took it the first to come back has it"
    assert left.get("/session")["signed_in"] is False
    assert Api().call("post", "/session/link", {"code": code})[0] == 409


def test_requests_that_come_back_together_all_come_in(api: Api, asks_for_link: None) -> None:
    name = take_link(code_of(new_link()))
    assert all(use_up(name, "one") for _ in range(3))
    assert not use_up(name, "another")
    assert not (wiring.config().home / "secrets" / "links" / name).exists()


def test_an_old_link_opens_nothing(api: Api, asks_for_link: None) -> None:
    code = code_of(new_link())
    for file in (wiring.config().home / "secrets" / "links").iterdir():
        os.utime(file, (0, file.stat().st_mtime - LINK_LASTS_S - 1))
        assert code not in file.name
    assert not take_link(code)


def test_a_link_is_of_no_use_where_an_account_is_asked_for(api: Api, asks_for_account: None) -> None:
    assert api.call("post", "/session/link", {"code": code_of(new_link())})[0] == 409


def test_the_owners_scripts_show_a_token_from_a_file_of_the_owner(api: Api, asks_for_link: None) -> None:
    for shown in ("", "Bearer", "Bearer ", f"Basic {token()}", f"Bearer {token()}x", "Bearer \u00e4"):
        assert api.call("get", "/bench", Authorization=shown)[0] == 401
    assert api.call("get", "/bench", Authorization=f"Bearer {token()}")[0] == 200
    assert stat.S_IMODE((wiring.config().home / "secrets" / "token").stat().st_mode) == 0o600


@pytest.mark.django_db(transaction=True)
def test_static_files_carry_the_same_headers_as_the_rest() -> None:
    built = sorted((wiring.PROJECT / "web" / "dist" / "assets").glob("*.js"))
    for path in ("/", f"/assets/{built[0].name}", "/api/nothing", "/nowhere/at/all"):
        answer = Client().get(path)
        assert "frame-ancestors 'none'" in answer.headers["Content-Security-Policy"], path
        assert answer.headers["X-Content-Type-Options"] == "nosniff"
        assert answer.headers["X-Frame-Options"] == "DENY"
        if answer.streaming:
            b"".join(answer.streaming_content)  # type: ignore[attr-defined]
        answer.close()


@pytest.mark.django_db(transaction=True)
def test_six_creations_and_six_lists_of_a_new_file_at_once(bench: Any) -> None:
    Site.objects.create(name="Quay House")
    together, names, statuses = threading.Barrier(6), list[str](), list[int]()
    Api().get("/place")

    def ask() -> None:
        try:
            client = Api()
            together.wait()
            status, made = client.call("post", "/deployments", {"recipe": "platen"})
            names.append(made["host_name"])
            statuses.append(status)
            statuses.append(client.call("get", "/images")[0])
        finally:
            connections.close_all()

    threads = [threading.Thread(target=ask) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(120)
    assert statuses == [200] * 12
    assert len(set(names)) == 6, names
    assert Deployment.objects.values("host_name").distinct().count() == 6
    assert Image.objects.count() == Image.objects.values("file_name").distinct().count() == 5
