"""The door closes by what is behind it, and what comes through it is counted and bounded."""

from __future__ import annotations

import asyncio
import json
import threading
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.contrib.sessions.models import Session
from django.db import connections
from django.test import Client
from django.utils import timezone

from mintseed import wiring
from mintseed.core.errors import RefusedError
from mintseed.core.plan.shelf_csv import ShelfRow, plain, read_shelf, write_shelf
from mintseed.server.done.agent import bench_row
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.doors import half_open, stream
from mintseed.server.doors.door import door, new_link, note_what_is_kept, opening_page
from mintseed.server.doors.gate import MOST_BODY_BYTES, behind_gate
from mintseed.server.doors.half_open import peer_block
from mintseed.server.kept.closed import closed_mark
from mintseed.server.kept.made_up_words import HOUSE_WORD, MISTYPED_WORD, NETWORK_WORD
from mintseed.server.kept.models import Bench, Site, WifiNetwork, WrongPasswords
from tests.server.conftest import Api, started


def test_the_demos_own_words_leave_it_open(api: Api) -> None:
    pk = started(api)
    for word in (NETWORK_WORD, MISTYPED_WORD, ""):
        api.put(f"/deployments/{pk}/settings", {"passphrase": word})
    api.put(f"/deployments/{pk}/settings", {"admin_name": "keeper", "admin_password": HOUSE_WORD})
    assert (door(), Api().call("get", "/bench")[0]) == ("open", 200)


@pytest.mark.parametrize("field", ["passphrase", "admin_password"])
def test_a_word_of_ones_own_closes_it_for_everybody_else(api: Api, field: str) -> None:
    pk = started(api)
    api.put(f"/deployments/{pk}/settings", {field: "nine wet herons"})
    # Who typed it goes on; another user of the machine does not get in, nor at the word.
    assert api.call("get", "/bench")[0] == 200
    other = Api()
    assert other.call("get", "/bench")[0] == 401
    assert other.call("post", f"/deployments/{pk}/settings/passphrase")[0] == 401
    assert other.get("/session")["door"] == "link"
    # Who comes in by the link is surely the owner: the session that came by closing ends, whoever's it was.
    other.post("/session/link", {"code": new_link().partition("=")[2]})
    assert other.call("get", "/bench")[0] == 200
    assert api.call("get", "/bench")[0] == 401


def test_a_network_of_ones_own_closes_it(api: Api) -> None:
    site = Site.objects.get().pk
    made = {"ssid": "Heron", "band_ghz": 2.4, "passphrase": "nine wet herons"}
    api.post(f"/sites/{site}/networks", made)
    assert Api().call("get", "/bench")[0] == 401


def test_a_real_bench_on_record_closes_it_also_where_it_is_one_no_more(api: Api) -> None:
    Bench.objects.create(name="workshop", site=Site.objects.get(), kind=Bench.Kind.STANDIN, was_real=True)
    assert api.call("get", "/bench")[0] == 401
    Bench.objects.filter(name="workshop").delete()
    assert api.call("get", "/bench")[0] == 401  # it never opens again by itself
    closed_mark().unlink()
    Bench.objects.create(name="cellar", site=Site.objects.get(), kind=Bench.Kind.REAL)
    assert api.call("get", "/bench")[0] == 401


def test_nobody_is_let_in_because_something_became_real_while_they_asked(api: Api) -> None:
    """The first question after it finds the door closed; it is a stranger's as likely as not."""
    Bench.objects.create(name="cellar", site=Site.objects.get(), kind=Bench.Kind.REAL)
    assert not api.get("/session")["signed_in"]
    assert api.call("get", "/bench")[0] == 401
    assert not Session.objects.exists()


def test_a_bench_that_becomes_real_shuts_out_who_came_by_closing(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    api.put(f"/deployments/{started(api)}/settings", {"passphrase": "nine wet herons"})
    assert api.call("get", "/bench")[0] == 200
    monkeypatch.setitem(vars(wiring.config()), "bench", "real")
    assert own_bench().was_real
    assert api.call("get", "/bench")[0] == 401
    assert not Session.objects.exists()


def test_a_home_from_before_that_keeps_ones_own_words_is_closed_at_its_start(api: Api) -> None:
    network = WifiNetwork.objects.first()
    assert network is not None
    network.passphrase = "nine wet herons"
    network.save()
    closed_mark().unlink()  # as the version before left it
    note_what_is_kept()
    assert closed_mark().exists()
    closed_mark().unlink()
    WifiNetwork.objects.filter(pk=network.pk).update(passphrase=NETWORK_WORD)
    note_what_is_kept()
    assert not closed_mark().exists()


def test_the_browser_is_led_by_a_file_of_the_owners(api: Api) -> None:
    link = new_link()
    page = opening_page(link)
    assert page.stat().st_mode & 0o777 == 0o600
    assert f"url={link}" in page.read_text()


# passwords


@pytest.mark.django_db(transaction=True)
def test_many_wrong_passwords_at_once_are_counted_like_many_in_turn(
    bench: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("MINTSEED_HOST", "192.0.2.7")
    get_user_model().objects.create_user("keeper", password="three wet boots")
    looked: list[int] = []
    right = get_user_model().check_password
    monkeypatch.setattr(get_user_model(), "check_password", lambda self, word: looked.append(1) or right(self, word))
    together, said = threading.Barrier(14), list[str]()

    def guess(number: int) -> None:
        try:
            together.wait()
            # Each says that it comes from somewhere else, and some do: from another address of this machine.
            client = Client(REMOTE_ADDR=f"127.0.0.{number + 1}", headers={"X-Forwarded-For": f"198.51.100.{number}"})
            body = json.dumps({"name": "keeper", "password": f"guess {number}"})
            said.append(client.post("/api/session", body, content_type="application/json").json()["title"])
        finally:
            connections.close_all()

    threads = [threading.Thread(target=guess, args=(n,)) for n in range(14)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(120)
    assert len(said) == 14
    assert len(looked) <= 5
    assert WrongPasswords.objects.get().count == 5 or len(looked) < 5


def test_a_right_password_gives_its_tries_back(api: Api, asks_for_account: None) -> None:
    get_user_model().objects.create_user("keeper", password="three wet boots")
    for _ in range(3):
        for _ in range(4):
            assert api.call("post", "/session", {"name": "keeper", "password": "guess"})[0] == 409
        assert api.post("/session", {"name": "keeper", "password": "three wet boots"})["signed_in"]


def test_what_counts_as_one_peer() -> None:
    assert {peer_block(a) for a in ("127.0.0.1", "127.9.8.7", "::1", "::ffff:127.0.0.1", "")} == {"this machine"}
    assert peer_block("192.168.7.9") == "192.168.7.9" == peer_block("::ffff:192.168.7.9")
    assert peer_block("2001:db8:1:2:3::4%eth0") == peer_block("2001:db8:1:2::9") == "2001:db8:1:2::/64"


# origins, hosts, bodies


def test_http_and_https_are_two_origins(api: Api) -> None:
    client = Client()
    for origin, secure, status in (
        ("http://localhost", False, 200), ("https://localhost", False, 403), ("https://localhost", True, 200),
        ("http://localhost", True, 403), ("null", False, 403),
    ):  # fmt: skip
        sent = client.post(
            "/api/deployments", json.dumps({"recipe": "platen"}), content_type="application/json", secure=secure,
            headers={"Origin": origin, "Host": "localhost"},
        )  # fmt: skip
        assert sent.status_code == status, (origin, secure)


def asked(headers: list[tuple[bytes, bytes]], *bodies: bytes, path: str = "/assets/x.js") -> tuple[int, bytes]:
    """Ask an application behind the gate that answers with the length of what it got."""

    async def inside(scope: Any, receive: Any, send: Any) -> None:
        got = await receive()
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": str(len(got["body"])).encode()})

    parts, sent = iter(bodies), list[dict[str, Any]]()
    left = len(bodies)

    async def receive() -> dict[str, Any]:
        nonlocal left
        left -= 1
        return {"type": "http.request", "body": next(parts, b""), "more_body": left > 0}

    async def send(message: dict[str, Any]) -> None:
        sent.append(message)

    asyncio.run(behind_gate(inside)({"type": "http", "path": path, "headers": headers}, receive, send))
    return sent[0]["status"], sent[1]["body"]


OURS = [(b"host", b"127.0.0.1:4870")]


def test_files_answer_no_foreign_host() -> None:
    assert asked(OURS) == (200, b"0")
    for hosts in ([b"evil.example"], [b"127.0.0.1", b"evil.example"], [], [b"[::1"], [b"127.0.0.1.evil.example"]):
        assert asked([(b"host", h) for h in hosts])[0] == 400


def test_a_body_is_refused_before_all_of_it_was_taken() -> None:
    half = b"x" * (MOST_BODY_BYTES // 2)
    assert asked(OURS, half, half) == (200, str(MOST_BODY_BYTES).encode())
    assert asked([*OURS, (b"content-length", b"1500000000")])[0] == 413
    status, body = asked(OURS, half, half, b"x", half, half)
    assert (status, json.loads(body)["code"]) == (413, "input")


@pytest.mark.parametrize("begins", ["\t=1+1", "\r=1+1", "=1+1", "+1", "-1", "@x"])
def test_no_cell_runs_in_a_spreadsheet(begins: str) -> None:
    text = write_shelf([ShelfRow("cable", "Grey one", {"note": begins})])
    assert f"'{begins}" in text.replace('"', "")
    assert plain(f"'{begins}") == begins.strip()
    rows, problems = read_shelf(text, {}, {})
    assert not rows or rows[0].values["note"] == begins.strip() or problems


# benches of one name


def test_a_bench_that_runs_elsewhere_is_not_taken(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    Bench.objects.update(seen_at=timezone.now(), holder_name="cellar-machine")
    monkeypatch.setattr(bench_row, "holder", lambda: "another home")
    with pytest.raises(RefusedError, match=r"a bench called bench runs already, from another home, on cellar-machine"):
        own_bench()
    # Once that one is silent, it may move.
    Bench.objects.update(seen_at=None)
    assert own_bench().holder == "another home"


# streams


@pytest.mark.django_db(transaction=True)
def test_a_stream_ends_with_its_session(bench: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(stream.Feed, "_read", lambda self: None)
    allowed = [True]

    async def listen() -> list[bytes]:
        events = stream._events(lambda: allowed[0])
        heard = [await anext(events)]
        queue = next(iter(stream.feed._listeners))
        stream._put(queue, ["doors", "images"])
        heard.append(await anext(events))  # somebody else was shut out
        allowed[0] = False
        stream._put(queue, ["doors"])
        heard += [event async for event in events]
        return heard

    heard = asyncio.run(asyncio.wait_for(listen(), 10))
    assert len(heard) == 2
    assert b"images" in heard[1]


def test_whose_session_it_is_is_asked_for(api: Api, asks_for_link: None, rf: Any) -> None:
    from importlib import import_module

    from django.conf import settings as django_settings

    api.post("/session/link", {"code": new_link().partition("=")[2]})
    request = rf.get("/api/changes")
    store = import_module(django_settings.SESSION_ENGINE).SessionStore
    key = Session.objects.get().session_key
    request.session = store(key)
    may_listen = stream._listener(request)
    monkey = pytest.MonkeyPatch()
    monkey.setattr(stream, "connection", type("Kept", (), {"close": staticmethod(lambda: None)}))
    try:
        assert may_listen()
        api.call("delete", "/session")
        assert not may_listen()
    finally:
        monkey.undo()


# half requests


class Held:
    """A protocol as Unfinished knows it."""

    def __init__(self) -> None:
        self.closed = False
        self.transport = self

    def abort(self) -> None:
        self.closed = True


@pytest.fixture
def few(monkeypatch: pytest.MonkeyPatch) -> half_open.Unfinished:
    monkeypatch.setattr(half_open, "MOST_A_PEER", 3)
    monkeypatch.setattr(half_open, "MOST_IN_ALL", 5)
    monkeypatch.setattr(half_open, "SWEEP_EVERY_S", 0.01)
    return half_open.Unfinished()


def test_the_oldest_half_request_of_a_peer_goes_and_the_newest_stays(few: Any) -> None:
    async def one_after_the_other() -> list[Held]:
        mine = [Held() for _ in range(5)]
        others = [Held() for _ in range(2)]
        for one in mine[:3]:
            few.begin(one, "this machine", 60.0)
        few.end(mine[0])  # it finished its request
        for one in mine[3:]:
            few.begin(one, "this machine", 60.0)
        for one in others:
            few.begin(one, "192.0.2.9", 60.0)
        assert len(few) == 5
        few.begin(Held(), "192.0.2.10", 60.0)  # too many in all
        assert len(few) == 5
        for one in (*mine, *others):
            few.end(one)
        return mine

    mine = asyncio.run(one_after_the_other())
    assert [one.closed for one in mine] == [False, True, True, False, False]


def test_a_half_request_has_its_time_and_one_line_says_it(few: Any, caplog: pytest.LogCaptureFixture) -> None:
    async def wait() -> list[bool]:
        slow = [Held() for _ in range(3)]
        for one in slow:
            few.begin(one, "192.0.2.9", 0.0)
        while len(few):
            await asyncio.sleep(0.01)
        return [one.closed for one in slow]

    with caplog.at_level("WARNING", logger="mintseed.web"):
        assert asyncio.run(wait()) == [True] * 3
    assert [r.getMessage() for r in caplog.records] == ["3 connections that did not finish their request were closed"]
