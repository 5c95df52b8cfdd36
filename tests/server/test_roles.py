"""Who may do what where an account is asked for, and that the log says who did it."""

from __future__ import annotations

import re
from typing import Any

import pytest
from django.contrib.auth.models import User

from mintseed.server.api.document import openapi_document
from mintseed.server.doors.roles import may, set_role
from mintseed.server.kept.models import LogEntry, WifiNetwork
from tests.server.conftest import Api, started

PASSWORD = "three wet boots"


def account(name: str, role: Any) -> User:
    user = User.objects.create_user(name, password=PASSWORD)
    set_role(user, role)
    user.save()
    return user


def come_in(name: str) -> Api:
    fresh = Api()
    status, session = fresh.call("post", "/session", {"name": name, "password": PASSWORD})
    assert status == 200, session
    return fresh


def mutations() -> list[tuple[str, str]]:
    """Return method and path of everything in the document that changes something."""
    paths = openapi_document()["paths"]
    return [
        (method.upper(), re.sub(r"\{[a-z_]*kind\}", "board", re.sub(r"\{[a-z_]*(pk|id)\}", "7", path)))
        for path, by in paths.items()
        for method in by
        if method != "get"
    ]


def test_whoever_looks_changes_nothing_and_the_bench_goes_down_the_line() -> None:
    all_of_them = mutations()
    assert len(all_of_them) > 50
    assert {path for method, path in all_of_them if may("look", method, path)} == {
        "/api/session", "/api/session/link", "/api/texts/board/check", "/api/doctor",
    }  # fmt: skip
    assert all(may("owner", method, path) for method, path in all_of_them)
    kept = sorted(
        f"{method} {path.removeprefix('/api')}" for method, path in all_of_them if not may("bench", method, path)
    )
    assert kept == [
        "DELETE /accounts/7",
        "DELETE /taken-off/board/7",
        "POST /accounts",
        "POST /demo/clear",
        "POST /demo/restore",
        "POST /deployments/7/settings/passphrase",
        "POST /networks/7/join-code",
        "POST /networks/7/passphrase",
        "POST /sites",
        "POST /sites/7/networks",
        "PUT /accounts/7",
        "PUT /keeping",
        "PUT /networks/7",
        "PUT /sites/7",
    ]
    for kind in ("network", "place", "bench"):
        assert not may("bench", "DELETE", f"/api/things/{kind}/7")
        assert not may("bench", "POST", f"/api/taken-off/{kind}/7/put-back")
    assert may("bench", "GET", "/api/sites")
    assert not may("bench", "GET", "/api/accounts")
    # A filled image holds the network's key.
    assert may("bench", "GET", "/api/deployments/7/card/copies/7/file")
    assert not may("look", "GET", "/api/deployments/7/card/copies/7/file")


def test_the_bench_writes_and_is_shown_no_passphrase_and_the_log_says_who(api: Api, asks_for_account: None) -> None:
    account("kim", "bench")
    kim = come_in("kim")
    pk = started(kim)
    assert kim.get("/session")["role"] == "bench"
    network = WifiNetwork.objects.values_list("pk", flat=True)[0]
    for path in (f"/deployments/{pk}/settings/passphrase", f"/networks/{network}/passphrase"):
        status, problem = kim.call("post", path, {})
        assert (status, problem["code"]) == (403, "role")
    assert kim.call("get", "/accounts")[0] == 403
    line = LogEntry.objects.get(deployment=pk, event="settings.agreed")
    assert line.who == "kim"
    assert {e["who"] for e in kim.get(f"/log?deployment={pk}")["lines"]} == {"kim"}


def test_who_looks_sees_all_of_the_line(api: Api, asks_for_account: None) -> None:
    account("ada", "owner")
    account("lou", "look")
    pk = started(come_in("ada"))
    lou = come_in("lou")
    for station in ("plan", "image", "settings", "card", "boot", "find", "setup", "keep"):
        assert lou.get(f"/deployments/{pk}/{station}")
    status, problem = lou.call("put", f"/deployments/{pk}/settings", {"host_name": "mine"})
    assert (status, problem["title"]) == (403, "Your account may not do that. An owner of this bench may.")
    assert lou.call("delete", "/session")[0] == 200


def test_accounts_are_listed_changed_and_removed_and_an_owner_stays(api: Api, asks_for_account: None) -> None:
    account("ada", "owner")
    ada = come_in("ada")
    listed = ada.post("/accounts", {"name": "  kim ", "password": "seven dry socks", "role": "bench"})
    assert [(a["name"], a["role"], a["you"]) for a in listed] == [("ada", "owner", True), ("kim", "bench", False)]
    kim = next(a["id"] for a in listed if a["name"] == "kim")
    assert ada.call("post", "/accounts", {"name": "kim", "password": "seven dry socks"})[1]["where"] == "name"
    assert ada.call("post", "/accounts", {"name": "max", "password": "1234"})[1]["where"] == "password"
    me = next(a["id"] for a in listed if a["you"])
    for method, path, body in (("delete", f"/accounts/{me}", None), ("put", f"/accounts/{me}", {"role": "look"})):
        assert ada.call(method, path, body)[1]["found"] == "ada is the only owner"
    # A new password ends whoever came in by the old one, and the account goes with its sessions.
    theirs = Api()
    assert theirs.call("post", "/session", {"name": "kim", "password": "seven dry socks"})[0] == 200
    ada.put(f"/accounts/{kim}", {"password": "nine odd gloves"})
    assert theirs.call("get", "/bench")[0] == 401
    assert theirs.call("post", "/session", {"name": "kim", "password": "nine odd gloves"})[0] == 200
    assert [a["name"] for a in ada.call("delete", f"/accounts/{kim}")[1]] == ["ada"]
    assert theirs.call("get", "/bench")[0] == 401
    events = list(LogEntry.objects.filter(event__startswith="account.").order_by("pk").values_list("event", "who"))
    assert events == [("account.made", "ada"), ("account.password", "ada"), ("account.removed", "ada")]


@pytest.mark.parametrize("role", ["bench", "look"])
def test_nobody_makes_themselves_an_owner(api: Api, asks_for_account: None, role: str) -> None:
    account("ada", "owner")
    mine = account("kim", role)
    assert come_in("kim").call("put", f"/accounts/{mine.pk}", {"role": "owner"})[0] == 403
