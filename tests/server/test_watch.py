"""The watch: looks for powered boards whether or not a browser is open, and keeps what it saw."""

from __future__ import annotations

import threading
import time
from datetime import datetime, timedelta

import pytest
from django.core.management import call_command
from django.db import connections
from django.utils import timezone

from mintseed import wiring
from mintseed.core.find.candidates import PageAnswer
from mintseed.core.find.look import seen_key
from mintseed.core.recipes.identity import NOBODYS, Identity, identity_of
from mintseed.server.demo.quay_house import UNITS
from mintseed.server.done.agent.bench_row import ALIVE_S, beat, own_bench
from mintseed.server.done.agent.looking import keep_look, look_at, look_once, looked_at_in_s, sweep, watched
from mintseed.server.done.agent.naming import NameThread, questions
from mintseed.server.done.agent.network_memory import NetworkMemory, site_networks
from mintseed.server.done.power import switch_off_ghosts
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import Bench, BoardUnit, BootRun, Claim, Closing, Deployment, Judgement, LogEntry, Site
from mintseed.server.management.commands import bench_agent
from mintseed.server.management.commands.bench_agent import Agent
from mintseed.server.owned.library import sync_library
from mintseed.standins.bench import mac_of
from mintseed.standins.router.leases import LeaseBook
from tests.database_plugin import LAN
from tests.server.conftest import OTHER_CARD_SERIAL, Api, card, judged_again, report, started, work


def powered(api: Api, host_name: str = "press") -> BootRun:
    pk = started(api, host_name=host_name)
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    api.post(f"/deployments/{pk}/boot/power-on")
    report()
    return BootRun.objects.get(deployment_id=pk)


def joins(row: BootRun, host_name: str) -> str:
    return LeaseBook(wiring.config().bench_folder, LAN).give(mac_of(f"unit-{row.board_unit_id}"), host_name)


@pytest.fixture(autouse=True)
def silent_pages(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(type(wiring.bench().probe), "get", lambda self, url: PageAnswer(url, 0, trouble="not yet"))


def test_a_board_that_joins_is_noted_once(api: Api) -> None:
    row = powered(api)
    look_once(watched(own_bench()))
    row.refresh_from_db()
    assert row.joined_after_s is None
    address = joins(row, "press")
    look_once(watched(own_bench()))
    look_once(watched(own_bench()))
    row.refresh_from_db()
    assert row.joined_after_s is not None
    assert LogEntry.objects.filter(deployment=row.deployment, event="boot.joined").count() == 1
    bench = api.get("/bench")
    assert bench["newcomers"][0]["address"] == address
    assert bench["newcomers"][0]["likely"] == "Reading-room press"


def test_who_has_the_same_network_is_judged_again_when_a_board_joins_it(api: Api) -> None:
    """A passphrase of one's own is told from the place's once somebody joined with that."""
    row = powered(api)
    other, wired = started(api, host_name="second", unit="bare"), started(api, host_name="third", unit="bare")
    Deployment.objects.filter(pk=wired).update(network=None, way="cable")
    for pk in (other, wired):
        api.get(f"/deployments/{pk}/settings")
    Judgement.objects.update(again_at=None)
    board = watched(own_bench())[0]
    joins(row, "press")
    look_at([board])
    due = set(Judgement.objects.filter(again_at__isnull=False).values_list("deployment_id", flat=True))
    assert other in due
    assert wired not in due


def test_a_look_that_began_before_a_power_off_says_nothing_of_the_next_boot(api: Api) -> None:
    row = powered(api)
    board = watched(own_bench())[0]
    joins(row, "press")
    api.post(f"/deployments/{row.deployment_id}/boot/power-off")
    look_at([board])
    row.refresh_from_db()
    assert (row.joined_after_s, row.candidates) == (None, "")


def test_it_joined_when_it_was_first_seen_and_not_when_its_page_was_through(api: Api) -> None:
    row = powered(api)
    joins(row, "press")
    board = watched(own_bench())[0]
    look = look_at([board])[0]
    row.refresh_from_db()
    wanted = (look.seen_at - row.powered_at).total_seconds() * row.bench.boot_pace
    assert row.joined_after_s == pytest.approx(wanted, abs=0.01)
    assert row.seen[seen_key(look.candidates[0])] == look.seen_at.isoformat()
    keep_look(board, look)


def test_a_late_board_is_noted_once_and_still_looked_for(api: Api) -> None:
    row = powered(api)
    late = timezone.now() - timedelta(seconds=400 / wiring.bench().clock.boot_pace)
    BootRun.objects.filter(pk=row.pk).update(powered_at=late)
    look_once(watched(own_bench()))
    look_once(watched(own_bench()))
    assert LogEntry.objects.filter(deployment=row.deployment, event="boot.late").count() == 1
    joins(row, "press")
    look_once(watched(own_bench()))
    row.refresh_from_db()
    assert row.joined_after_s is not None
    assert row.joined_after_s >= 400


def test_what_a_board_says_on_its_serial_line_is_noted_once_and_speaks_for_a_cause(api: Api) -> None:
    row = powered(api)
    said = wiring.config().bench_folder.console_file(f"unit-{row.board_unit_id}")
    look_once(watched(own_bench()))
    assert not LogEntry.objects.filter(deployment=row.deployment, event="boot.console").exists()
    said.write_text("[    1.500000] Linux version 6.1\n")
    look_once(watched(own_bench()))
    said.write_text(f"{said.read_text()}[   30.100000] wlan0: CTRL-EVENT-SSID-TEMP-DISABLED id=0 reason=WRONG_KEY\n")
    look_once(watched(own_bench()))
    look_once(watched(own_bench()))
    told = [e.text for e in LogEntry.objects.filter(deployment=row.deployment, event="boot.console").order_by("pk")]
    assert [t.split(",")[0] for t in told] == [
        "By its console its kernel runs",
        "By its console the access point refuses its key",
    ]
    # It knows, so nobody has to wait until it is late; and once it was switched off it stays said.
    judged_again()
    causes = api.get(f"/deployments/{row.deployment_id}/boot")["causes"]
    assert causes[0]["title"] == "Passphrase is wrong"
    off = api.post(f"/deployments/{row.deployment_id}/boot/power-off")["causes"]
    assert off[0]["title"] == "Passphrase is wrong"
    assert any("its console says so" in text and "WRONG_KEY" in text for text in causes[0]["speaks_for"])
    said.unlink()


def test_claimed_and_dark_boards_are_left_alone(api: Api) -> None:
    row = powered(api)
    Claim.objects.create(deployment=row.deployment, boot_run=row, address="127.77.5.99")
    look_once(watched(own_bench()))
    row.refresh_from_db()
    assert row.looked_at is None


def test_a_board_can_run_one_deployment_at_a_time(api: Api) -> None:
    powered(api)
    second = started(api, host_name="second")
    api.post(f"/deployments/{second}/card/write", card(OTHER_CARD_SERIAL))
    work()
    status, problem = api.call("post", f"/deployments/{second}/boot/power-on", {})
    assert status == 409
    assert "runs Reading-room press now" in problem["title"]
    shown = api.get(f"/deployments/{second}/boot")
    assert (shown["ready"], shown["not_ready_because"]) == (False, "That board runs Reading-room press now")
    assert shown["not_ready_station"] == "plan", "where another board is chosen, and not the very page one is on"


def test_seeding_twice_is_seeding_once(api: Api) -> None:
    call_command("seed")
    call_command("seed")
    assert Site.objects.count() == 1
    assert BoardUnit.objects.count() == len(UNITS)
    assert LogEntry.objects.filter(event="demo.loaded").count() == 1
    assert len(sync_library()) == 5


@pytest.mark.django_db
def test_a_download_is_known_by_its_name() -> None:
    recipes = wiring.recipes().values()
    assert identity_of("platen-3.2-64.img.xz", recipes) == Identity("platen", "3.2", "64-bit")
    assert identity_of("platen-3.2-64 (1).img.xz", recipes) == NOBODYS


def test_a_board_that_no_record_knows_of_is_switched_off(api: Api) -> None:
    """A process killed between the hardware and the row leaves a board on; it does not stay on as a ghost."""
    run = powered(api)
    bench, now = own_bench(), timezone.now()
    assert switch_off_ghosts(bench, now + timedelta(minutes=1)) == []
    BootRun.objects.filter(pk=run.pk).delete()
    assert switch_off_ghosts(bench, now) == []  # a moment ago: its row may be on the way
    assert switch_off_ghosts(bench, now + timedelta(minutes=1)) == [f"unit-{run.board_unit_id}"]
    assert wiring.config().bench_folder.powered() == {}


def test_the_agent_does_all_of_it_in_one_turn(api: Api) -> None:
    run = powered(api)
    joins(run, "press")
    agent = Agent()
    agent.turn()
    agent.scans.stop()
    run.refresh_from_db()
    assert run.joined_after_s is not None
    assert Judgement.objects.get(deployment_id=run.deployment_id).line["now"] == "find"


def test_a_bench_that_only_began_to_look_says_nothing_of_who_is_not_there(api: Api) -> None:
    row = powered(api)
    BootRun.objects.filter(pk=row.pk).update(powered_at=timezone.now() - timedelta(hours=2), noted_at=timezone.now() - timedelta(hours=2))  # fmt: skip
    look_once(watched(own_bench()), settled=False)
    row.refresh_from_db()
    assert (row.looked_at, row.late_at) == (None, None)
    assert "Not looked at since" in api.get(f"/deployments/{row.deployment_id}/boot")["finding"]["title"]
    look_once(watched(own_bench()))
    look_once(watched(own_bench()))  # it is judged late by the look before
    row.refresh_from_db()
    assert row.looked_at is not None
    assert row.late_at is not None


def test_two_boards_of_one_place_ask_a_page_once(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[str] = []

    def get(self: object, url: str) -> PageAnswer:
        asked.append(url)
        return PageAnswer(url, 0, trouble="not yet")

    monkeypatch.setattr(type(wiring.bench().probe), "get", get)
    row = powered(api)
    joins(row, "press")
    joins(row, "press")
    boards = watched(own_bench())
    look_at([*boards, *boards])
    assert len(asked) == len(set(asked)) > 0


def test_who_had_its_address_before_does_not_count_for_it(api: Api) -> None:
    """A stranger was seen at that address at once; the board took it over half an hour later."""
    row = powered(api)
    book = LeaseBook(wiring.config().bench_folder, LAN)
    address = book.give("02:00:00:00:00:77", "till")
    look_once(watched(own_bench()))
    BootRun.objects.filter(pk=row.pk).update(powered_at=row.powered_at - timedelta(minutes=3))
    folder = wiring.config().bench_folder
    folder.write_text(folder.leases_file, "")
    folder.write_text(folder.neighbours_file, "")
    assert joins(row, "press") == address
    look_once(watched(own_bench()))
    row.refresh_from_db()
    assert row.joined_after_s is not None
    assert row.joined_after_s >= 180 * row.bench.boot_pace


def remembered_now(at: datetime) -> None:
    """Have the bench remember who is there, as its worker does."""
    bench = own_bench()
    NetworkMemory(bench).remember(sweep(site_networks(bench)).sightings, at)


def test_a_board_that_is_powered_a_second_time_is_new_and_not_there_before_it_came(api: Api) -> None:
    first = powered(api)
    address = joins(first, "press")
    look_once(watched(own_bench()))
    api.post(f"/deployments/{first.deployment_id}/find/claim", {"address": address})
    remembered_now(timezone.now())
    api.post(f"/deployments/{first.deployment_id}/boot/power-off")
    LeaseBook(wiring.config().bench_folder, LAN).leave(mac_of(f"unit-{first.board_unit_id}"))
    remembered_now(timezone.now())
    report()
    api.post(f"/deployments/{first.deployment_id}/boot/power-on")
    second = BootRun.objects.get(deployment=first.deployment, off_at=None)
    look_once(watched(own_bench()))
    second.refresh_from_db()
    # Its lease of before is still listed, and is no sign of it.
    assert second.joined_after_s is None
    time.sleep(1.1)  # a lease is written in whole seconds
    joins(second, "press")
    look_once(watched(own_bench()))
    second.refresh_from_db()
    assert second.joined_after_s is not None
    found = api.get(f"/deployments/{first.deployment_id}/find")["winner"]
    assert {"new since power-on", "has a hardware address of this board"} <= {e["text"] for e in found["evidence"]}


def test_ones_own_devices_are_named_and_are_nothing_new(api: Api) -> None:
    first = powered(api)
    address = joins(first, "press")
    look_once(watched(own_bench()))
    api.post(f"/deployments/{first.deployment_id}/find/claim", {"address": address})
    second = started(api, host_name="second", unit="bare")
    api.post(f"/deployments/{second}/card/write", card(OTHER_CARD_SERIAL))
    work()
    report()
    api.post(f"/deployments/{second}/boot/power-on")
    BootRun.objects.filter(deployment_id=second).update(known_before=[])  # as if the first had come after it
    look_once(watched(own_bench()))
    find = api.get(f"/deployments/{second}/find")
    assert find["ours"] == {address: "Reading-room press"}
    assert "is Reading-room press, known here" in [e["text"] for c in find["candidates"] for e in c["evidence"]]
    assert address not in [n["address"] for n in api.get("/bench")["newcomers"]]


class Names:
    """Answers as it is told."""

    def __init__(self, answers: dict[str, frozenset[str]], instead: str = "", *, asks: bool = True) -> None:
        self._answers, self._instead, self.asks_anybody = answers, instead, asks

    def addresses_of(self, host_name: str) -> frozenset[str]:
        return self._answers.get(host_name, frozenset())

    def name_of(self, address: str) -> str:
        return self._instead


def named(monkeypatch: pytest.MonkeyPatch, names: Names) -> None:
    """Have one round of questions asked and kept."""
    monkeypatch.setattr(wiring, "names", lambda networks=(): names)
    thread, now = NameThread(), wiring.bench().clock.now()
    thread._ask(questions(own_bench(), now))
    thread._keep()


def test_a_name_is_shown_and_printed_only_once_it_answered(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    row = powered(api)
    address = joins(row, "press")
    look_once(watched(own_bench()))
    pk = row.deployment_id
    api.post(f"/deployments/{pk}/find/claim", {"address": address})
    find = api.get(f"/deployments/{pk}/find")
    assert (find["name_url"], find["host_name"]) == ("", "press.local")
    assert "find.name-not-yet" in {f["code"] for f in find["findings"]}
    assert api.get(f"/deployments/{pk}/keep")["label"]["host_name"] == ""
    named(monkeypatch, Names({}, "debian"))
    BootRun.objects.filter(pk=row.pk).update(powered_at=row.powered_at - timedelta(minutes=10))
    judge_soon(pk=pk)
    late = api.get(f"/deployments/{pk}/find")
    assert "find.name-own" in {f["code"] for f in late["findings"]}
    assert late["name_url"] == ""
    named(monkeypatch, Names({"press": frozenset({address})}))
    find = api.get(f"/deployments/{pk}/find")
    assert find["name_url"] == "http://press.local:5310/"
    assert "find.name-answers" in {f["code"] for f in find["findings"]}
    assert api.get(f"/deployments/{pk}/keep")["label"]["host_name"] == "press.local"
    # It answered once: it is asked for no more, and stays claimed.
    assert questions(own_bench(), wiring.bench().clock.now()) == []


def test_a_bench_that_cannot_ask_says_so(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    row = powered(api)
    joins(row, "press")
    look_once(watched(own_bench()))
    named(monkeypatch, Names({}, asks=False))
    assert "find.name-not-asked" in {f["code"] for f in api.get(f"/deployments/{row.deployment_id}/find")["findings"]}


def test_joined_by_cable_where_wifi_was_planned_proves_no_wifi(api: Api) -> None:
    row = powered(api)
    pk = row.deployment_id
    address = joins(row, "press")
    look_once(watched(own_bench()))
    assert api.call("post", f"/deployments/{pk}/find/way", {"by": "cable"})[0] == 409
    assert api.post(f"/deployments/{pk}/find/claim", {"address": address})["asks_way"]
    told = api.post(f"/deployments/{pk}/find/way", {"by": "cable"})
    found = next(f for f in told["findings"] if f["code"] == "find.joined-by-cable")
    assert found["severity"] == "check"
    assert "LARKSPUR R" in found["detail"]
    told = api.post(f"/deployments/{pk}/find/way", {"by": "wifi"})
    assert "find.joined-by-cable" not in {f["code"] for f in told["findings"]}


def test_a_board_that_is_late_for_long_is_looked_at_less_often(api: Api) -> None:
    row = powered(api)
    now = timezone.now()
    BootRun.objects.filter(pk=row.pk).update(late_at=now - timedelta(hours=3))
    assert looked_at_in_s(watched(own_bench())[0], now) <= 0, "nobody has looked yet"
    BootRun.objects.filter(pk=row.pk).update(looked_at=now - timedelta(seconds=40))
    assert looked_at_in_s(watched(own_bench())[0], now) == 20
    boot = api.get(f"/deployments/{row.deployment_id}/boot")["finding"]
    assert "Not looked at" not in boot["title"], "somebody does look, only not all the time"


def test_a_board_that_waits_to_be_claimed_is_looked_at_less_often(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    """Joined an hour ago, and nobody came: looking for it twice a second took a sixth of a core."""
    row = powered(api)
    joins(row, "press")
    agent = Agent()
    agent.turn()
    agent.scans.stop()
    now = timezone.now()
    BootRun.objects.filter(pk=row.pk).update(powered_at=now - timedelta(hours=1), looked_at=now - timedelta(seconds=12))
    assert looked_at_in_s(watched(own_bench())[0], now) == pytest.approx(48)
    looked_for: list[int] = []
    monkeypatch.setattr(bench_agent, "look_once", lambda due, *_, **__: looked_for.extend(b.run.pk for b in due))
    assert agent.turn() == bench_agent.IDLE_EVERY_S
    assert looked_for == []
    Bench.objects.update(look_wanted_at=timezone.now())
    assert agent.turn() == bench_agent.LOOK_EVERY_S
    assert looked_for == [row.pk], "somebody asked for a look"


@pytest.mark.django_db(transaction=True)
def test_two_who_press_at_once_leave_one_claim_and_one_closing(api: Api) -> None:
    """Two people, two connections, the same moment; then a new write begins a new story that can be claimed."""
    row = powered(api)
    pk = row.deployment_id
    address = joins(row, "press")
    look_once(watched(own_bench()))

    def at_once(path: str, body: object) -> list[int]:
        together, statuses = threading.Barrier(4, timeout=120), list[int]()

        def press() -> None:
            try:
                together.wait()
                statuses.append(Api().call("post", path, body)[0])
            finally:
                connections.close_all()

        threads = [threading.Thread(target=press) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(60)
        return statuses

    assert at_once(f"/deployments/{pk}/find/claim", {"address": address}) == [200] * 4
    assert Claim.objects.filter(deployment=pk, taken_back_at=None).count() == 1
    assert at_once(f"/deployments/{pk}/keep/done", {}) == [200] * 4
    assert Closing.objects.filter(deployment=pk).count() == 1
    assert LogEntry.objects.filter(deployment=pk, event="keep.in-service").count() == 1


def test_a_bench_that_rests_gives_signs_of_life_and_wakes_for_a_drive(
    api: Api, monkeypatch: pytest.MonkeyPatch
) -> None:
    """By a clock that goes on only while somebody waits."""
    now_s, waits = 0.0, list[float]()

    class Rung:
        def wait(self, seconds: float, also: tuple[int, ...] = ()) -> bool:
            nonlocal now_s
            now_s += seconds
            waits.append(seconds)
            return False

    class Drives:
        came_s = 1e9

        def changed(self) -> bool:
            return now_s >= self.came_s

        def awaited(self) -> tuple[int, ...]:
            return ()

    class Resting:
        drives = Drives()

    beats = list[float]()
    monkeypatch.setattr(bench_agent.time, "monotonic", lambda: now_s)
    monkeypatch.setattr(bench_agent, "beat", lambda name, now: beats.append(now_s))
    bench_agent._rest(Rung(), Resting(), bench_agent.IDLE_EVERY_S)  # type: ignore[arg-type]
    assert now_s == bench_agent.IDLE_EVERY_S
    assert max(waits) <= bench_agent.GLANCE_EVERY_S
    silent = [b - a for a, b in zip([0.0, *beats], [*beats, now_s], strict=True)]
    assert max(silent) <= ALIVE_S / 2
    Drives.came_s = now_s + 2
    bench_agent._rest(Rung(), Resting(), bench_agent.IDLE_EVERY_S)  # type: ignore[arg-type]
    assert Drives.came_s <= now_s < Drives.came_s + bench_agent.GLANCE_EVERY_S, "a drive that came cuts it short"
    was = own_bench().seen_at
    later = timezone.now() + timedelta(seconds=5)
    beat(own_bench().name, later)
    assert own_bench().seen_at == later != was
