"""What the rows of one deployment come to before it is judged: the names of its things, its last write and boot, what is kept of one in service."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from django.utils import timezone

from mintseed.core.card.proof import NOT_WRITTEN
from mintseed.core.errors import MissingError
from mintseed.core.line import Mark
from mintseed.core.settings.values import KnownNetwork, SettingValues, Unreadable
from mintseed.core.stations import Station
from mintseed.core.walk import WalkInputs
from mintseed.server.judged.changes import deployment_topic
from mintseed.server.judged.frozen import Names, pack, unpack
from mintseed.server.judged.judging import Judged, judge
from mintseed.server.judged.load import joined_keys, load, load_many, rows_to_list, rows_to_load
from mintseed.server.judged.loaded import Loaded, answers_of, board_of, key_mark, names_of, site_ranges
from mintseed.server.kept.models import (
    Bench,
    BoardUnit,
    BootRun,
    Cable,
    Change,
    Claim,
    Deployment,
    Image,
    Job,
    OwnedCard,
    PlannedPart,
    Reading,
    Site,
    StationRecord,
    Supply,
    WifiNetwork,
    Write,
)
from mintseed.server.owned import descriptions
from tests.server.conftest import Api, started
from tests.server.test_job_state import NOW, ago


def row(**things: Any) -> Deployment:
    site = Site(name="Quay House", time_zone="Europe/Dublin", country="IE")
    return Deployment(pk=1, name="Press", recipe="platen", host_name="press", way="wifi", **{"site": site, **things})


# names


@pytest.mark.django_db
def test_each_thing_in_it_has_its_own_name_and_what_is_not_there_has_none() -> None:
    platen, sprig = descriptions.recipes()["platen"], descriptions.boards()["sprig"]
    things = {
        "board_unit": BoardUnit(name="No. 3", board="sprig"), "supply": Supply(name="Cube"), "cable": Cable(name="Tail"),
        "owned_card": OwnedCard(name="Blue one"), "network": WifiNetwork(ssid="Harbour"), "image": Image(release="3.2"),
    }  # fmt: skip
    place = {"place": "Quay House", "time_zone": "Europe/Dublin"}
    described = {"appliance": platen.name, "kind": platen.kind}
    assert names_of(row()) == Names(**described, **place)
    assert names_of(row(**things)) == Names(
        **described, **place, release="3.2", unit="No. 3", board=sprig.name, card="Blue one", supply="Cube", cable="Tail",
        network="Harbour",
    )  # fmt: skip
    # What describes it is gone.
    gone = names_of(row(board_unit=BoardUnit(name="No. 3", board="gone")))
    assert (gone.unit, gone.board) == ("No. 3", "")
    unknown = row(site=Site(name="Boat shed", time_zone="Nowhere/At all"))
    unknown.recipe = "gone"
    assert names_of(unknown) == Names(appliance="gone", place="Boat shed", time_zone="UTC")


@pytest.mark.django_db
def test_a_board_without_its_description_is_missed_and_none_is_none() -> None:
    assert board_of(None) is None
    found = board_of(BoardUnit(board="sprig"))
    assert found is not None
    assert found.id == "sprig"
    with pytest.raises(MissingError, match="the description of board gone is gone"):
        board_of(BoardUnit(board="gone"))


# the last write


def job(state: str, **more: Any) -> Job:
    return Job(kind="write-card", state=state, **{"created_at": ago(900), "heartbeat_at": ago(1), **more})


def written(job: Job | None = None, **columns: Any) -> Write:
    given = {"pk": 1, "fingerprint": "f1", "chosen_mark": "c1", "put_mark": "p1", "started_at": ago(800), **columns}
    made = Write(**given)
    if job is not None:
        job.write = made
    return made


PULLED = {"sentence": "The card was pulled out"}


def test_nothing_was_written() -> None:
    assert Loaded(row(), NOW).write_facts == NOT_WRITTEN


def test_a_write_that_runs_says_nothing_of_how_it_ends() -> None:
    at_it = job("running")
    facts = Loaded(row(), NOW, write=written(at_it), job=at_it).write_facts
    assert (facts.writing, facts.trouble, facts.fingerprint, facts.chosen, facts.put) == (True, "", "f1", "c1", "p1")
    silent = job("running", heartbeat_at=ago(60))
    facts = Loaded(row(), NOW, write=written(silent), job=silent).write_facts
    assert (facts.writing, facts.trouble) == (False, "The worker died while it was at it; the card is not usable")


def test_how_a_write_ended_stays_said_when_its_job_was_let_go() -> None:
    failed = job("failed", trouble=PULLED)
    assert Loaded(row(), NOW, write=written(failed), job=failed).write_facts.trouble == PULLED["sentence"]
    assert Loaded(row(), NOW, write=written(trouble=PULLED)).write_facts.trouble == PULLED["sentence"]
    assert Loaded(row(), NOW, write=written()).write_facts.trouble == ""


def test_a_proof_that_stands_that_ended_and_that_is_doubted() -> None:
    proven: dict[str, Any] = {"outcome": "proven", "proven_at": ago(600)}
    stands = Loaded(row(), NOW, write=written(**proven)).write_facts
    assert (stands.proven_at, stands.trouble, stands.void_why, stands.unsure_why) == (ago(600), "", "", "")
    assert (stands.marked, stands.looked_again) == (False, False)
    ended = Loaded(row(), NOW, write=written(**proven, void_at=ago(60), void_why="it was booted")).write_facts
    assert (ended.proven_at, ended.void_why) == (None, "it was booted")
    doubt: dict[str, Any] = {"unsure_at": ago(60), "unsure_why": "two cards look alike"}
    assert Loaded(row(), NOW, write=written(**proven, **doubt)).write_facts.unsure_why == "two cards look alike"
    assert Loaded(row(), NOW, write=written(**proven, **doubt, void_at=ago(5))).write_facts.unsure_why == ""
    marked = written(**proven, capacity={"offsets": [4096]}, looked_again_at=ago(30))
    facts = Loaded(row(), NOW, write=marked).write_facts
    assert (facts.marked, facts.looked_again) == (True, True)


@pytest.mark.django_db
def test_a_later_write_that_waits_that_was_stopped_and_that_never_began() -> None:
    waits = job("queued", created_at=ago(60))
    later = written(waits, pk=2, started_at=None)
    proven = written(outcome="proven", proven_at=ago(600))
    facts = Loaded(row(), NOW, write=proven, job=waits, attempt=later).write_facts
    assert (facts.writing, facts.trouble, facts.never_began, facts.proven_at) == (True, "", "", ago(600))
    assert Loaded(row(), NOW, job=waits, attempt=later).write_facts == replace(NOT_WRITTEN, writing=True)

    refused = job("failed", trouble=PULLED)
    later = written(refused, pk=2, started_at=None, outcome="failed")
    facts = Loaded(row(), NOW, write=proven, job=refused, attempt=later).write_facts
    assert (facts.writing, facts.trouble, facts.never_began, facts.stopped) == (False, "", PULLED["sentence"], False)
    # Nothing is left that it could stand on.
    facts = Loaded(row(), NOW, write=written(outcome="failed"), job=refused, attempt=later).write_facts
    assert (facts.trouble, facts.never_began) == (PULLED["sentence"], PULLED["sentence"])
    facts = Loaded(row(), NOW, job=refused, attempt=later).write_facts
    assert (facts.trouble, facts.never_began) == (PULLED["sentence"], PULLED["sentence"])

    stopped = job("stopped", trouble={"sentence": "Somebody stopped it"})
    later = written(stopped, pk=2, started_at=None, outcome="stopped")
    facts = Loaded(row(), NOW, write=written(outcome="failed", trouble=PULLED), job=stopped, attempt=later).write_facts
    assert (facts.trouble, facts.never_began, facts.stopped) == (PULLED["sentence"], "Somebody stopped it", True)
    facts = Loaded(row(), NOW, job=stopped, attempt=later).write_facts
    assert (facts.trouble, facts.never_began, facts.stopped) == ("", "Somebody stopped it", True)


# the last boot


def boots(loaded_of: Deployment, run: BootRun | None, *joined: tuple[int, str]) -> Loaded:
    return Loaded(loaded_of, NOW, run=run, run_number=2, joined=joined)


@pytest.mark.django_db
def test_the_key_on_the_card_is_held_against_the_places_and_those_of_others_that_joined() -> None:
    harbour = WifiNetwork(ssid="Harbour", passphrase="spring tide at noon")
    sites, other = key_mark("Harbour", "spring tide at noon"), key_mark("Harbour", "low water at six")
    assert len({sites, other, key_mark("Attic", "spring tide at noon"), ""}) == 4
    assert key_mark("Harbour", "") == ""
    joined = ((1, other), (2, sites), (3, sites), (4, other))

    def said(mark: str, **things: Any) -> tuple[bool | None, int, int]:
        run = BootRun(write=written(key_mark=mark), bench=Bench(boot_pace=3.0), powered_at=ago(60))
        facts = boots(row(**things), run, *joined).run_facts
        assert facts is not None
        assert (facts.number, facts.pace, facts.powered_at) == (2, 3.0, ago(60))
        return facts.key_is_sites, facts.joined_same, facts.joined_other

    assert said(sites, network=harbour) == (True, 2, 1)
    assert said(other, network=harbour) == (False, 1, 2)
    assert said(sites) == (None, 2, 1)  # no network is chosen now
    assert said("", network=harbour) == (None, 0, 0)
    by_hand = BootRun(write=None, bench=Bench(), powered_at=ago(60))
    facts = boots(row(network=harbour), by_hand, *joined).run_facts
    assert facts is not None
    assert (facts.key_is_sites, facts.joined_same, facts.joined_other) == (None, 0, 0)
    assert boots(row(), None).run_facts is None


@pytest.mark.django_db
@pytest.mark.parametrize(("own", "sites", "open_too", "passphrase"), [
    ("", "spring tide", False, "spring tide"), ("mine alone", "spring tide", False, "mine alone"), ("mine alone", "spring tide", True, ""),
    ("", "", False, ""),
])  # fmt: skip
def test_a_passphrase_of_its_own_goes_before_the_places(own: str, sites: str, open_too: bool, passphrase: str) -> None:
    network = WifiNetwork(pk=3, ssid="Harbour", passphrase=sites, open=open_too, channel=11)
    values = Loaded(row(network=network, passphrase=own), NOW).values
    assert (values.ssid, values.passphrase, values.open_network, values.channel) == (
        "Harbour",
        passphrase,
        open_too,
        11,
    )


@pytest.mark.django_db
def test_a_passphrase_that_cannot_be_read_is_nobodys_else() -> None:
    network = WifiNetwork(ssid="Harbour", passphrase="spring tide at noon")
    held = Loaded(row(network=network, passphrase=Unreadable("gAAAA")), NOW).values.passphrase
    assert isinstance(held, Unreadable)


# what is kept of one in service


@pytest.mark.django_db
def test_a_secret_that_cannot_be_read_is_kept_as_none_and_every_other_as_it_is() -> None:
    base = Loaded(row(network=WifiNetwork(ssid="Harbour", passphrase="spring tide at noon")), NOW).inputs
    others = (KnownNetwork("Attic", Unreadable("x")), KnownNetwork("Shed", "low water at six"))

    def kept(values: SettingValues) -> WalkInputs:
        found = unpack(pack(replace(base, values=values, addresses_taken={"192.168.7.9": "Hall"})))
        assert found is not None
        return found

    plain = kept(base.values)
    assert plain.kept
    assert plain.addresses_taken == {}
    assert plain.values == base.values
    odd = kept(replace(base.values, passphrase=Unreadable("x"), others=others))
    assert odd.values.passphrase == ""
    assert not isinstance(odd.values.passphrase, Unreadable)
    assert [(n.ssid, n.passphrase, isinstance(n.passphrase, Unreadable)) for n in odd.values.others] == [
        ("Attic", "", False), ("Shed", "low water at six", False),
    ]  # fmt: skip


# judged and kept


def judged_now(pk: int) -> Judged:
    return judge(load_many(rows_to_load().filter(pk=pk)))[0]


def test_what_cannot_be_judged_stops_at_its_plan_and_says_why(api: Api) -> None:
    pk = started(api)
    Deployment.objects.filter(pk=pk).update(recipe="gone")
    line = judged_now(pk).line
    assert {m.station: m.mark for m in line.marks} == {
        s: Mark.STOP if s is Station.PLAN else Mark.TODO for s in Station
    }
    assert (line.now, line.button, line.needs_you, line.finished) == (Station.PLAN, "See", True, False)
    assert "gone" in str(judged_now(pk).findings[Station.PLAN])


def test_a_line_is_told_of_when_it_is_another_one_and_each_station_has_one_record(api: Api) -> None:
    pk = started(api)
    before = judged_now(pk)
    told = Change.objects.filter(topic=deployment_topic(pk))
    said = told.count()
    Deployment.objects.filter(pk=pk).update(load_share=0.31)  # judged anew, and the same
    judged_now(pk)
    assert told.count() == said
    Deployment.objects.filter(pk=pk).update(settings_agreed=False)
    began = timezone.now()
    after = judged_now(pk)
    assert after.line != before.line
    assert told.count() == said + 1
    kept = {r.station: r for r in StationRecord.objects.filter(deployment=pk, current=True)}
    assert len(kept) == len(after.line.marks) == StationRecord.objects.filter(deployment=pk, current=True).count()
    assert {s: r.mark for s, r in kept.items()} == {str(m.station): str(m.mark) for m in after.line.marks}
    assert kept["settings"].at >= began > kept["plan"].at
    older = StationRecord.objects.filter(deployment=pk, station="settings", current=False)
    assert [r.mark for r in older][-1:] == [
        str(next(m.mark for m in before.line.marks if m.station is Station.SETTINGS))
    ]
    # Another one's records are none of its.
    other = started(api, host_name="other")
    assert judged_now(other).loaded.row.pk == other
    assert {r.deployment_id for r in StationRecord.objects.filter(deployment=other)} == {other}


# rows


def test_a_list_asks_once_for_what_it_shows(api: Api, django_assert_num_queries: Any) -> None:
    pk = started(api)
    for n in range(3):
        Deployment.objects.create(name=f"Hall {n}", recipe="lintel", host_name=f"hall-{n}", site=Site.objects.get())
    Deployment.objects.create(
        name="Gone", recipe="lintel", host_name="gone", site=Site.objects.get(), removed_at=timezone.now()
    )
    descriptions.known()
    with django_assert_num_queries(1):
        shown = {row.pk: names_of(row) for row in rows_to_list()}
    assert len(shown) == 4
    assert shown[pk] == names_of(Deployment.objects.get(pk=pk))


def test_who_came_first_keeps_the_name_in_whatever_letters(api: Api) -> None:
    first = started(api, host_name="press")
    # An older version let two have one name.
    later = Deployment.objects.create(
        name="Second", recipe="platen", host_name="Press", site=Site.objects.get(), name_shared=True
    )
    assert load(first).names_taken == frozenset()
    assert load(later.pk).names_taken == {"press"}
    Deployment.objects.filter(pk=first).update(removed_at=timezone.now())
    assert load(later.pk).names_taken == frozenset()


def test_which_keys_joined_a_network_is_asked_for_that_network_alone(api: Api) -> None:
    pk = started(api)
    deployment, bench = Deployment.objects.get(pk=pk), Bench.objects.get()
    network = deployment.network_id
    assert network is not None

    def run(mark: str, joined_after_s: float | None, *, off: bool = True) -> None:
        write = Write.objects.create(
            deployment=deployment, bench=bench, drive_path="/dev/x", fingerprint="f", key_mark=mark
        )
        BootRun.objects.create(
            deployment=deployment, write=write, bench=bench, powered_at=NOW, joined_after_s=joined_after_s, off_at=NOW if off else None
        )  # fmt: skip

    run("one", 40.0)
    run("one", 41.0)
    run("never", None)
    run("", 40.0)
    run("two", 40.0)
    found = joined_keys({network})
    assert found[network] == ((pk, "two"), (pk, "one"))
    assert found[network + 1] == ()
    assert joined_keys(set())[network] == ()
    Deployment.objects.filter(pk=pk).update(way="cable")
    assert joined_keys({network})[network] == ()


def test_a_list_fetches_what_it_says_and_nothing_heavier(api: Api) -> None:
    started(api)
    held = {f.attname for f in Deployment._meta.concrete_fields}
    shown = rows_to_list().get()
    assert held - shown.get_deferred_fields() >= {"name", "recipe", "host_name", "way", "card_gb", "created_at"}
    assert shown.get_deferred_fields() >= {"answers", "passphrase", "address"}
    assert rows_to_load().get().image is not None
    assert rows_to_load().get().image.get_deferred_fields() == {"xray", "outline"}  # type: ignore[union-attr]
    assert load(shown.pk).row.image.get_deferred_fields() == {"outline"}  # type: ignore[union-attr]


def test_ranges_of_its_own_are_looked_at_and_shared_ones_where_somebody_said_so() -> None:
    texts = ["192.168.7.0/24", "100.64.3.0/24", "8.8.8.0/24"]
    assert site_ranges(Site(networks=texts)) == ("192.168.7.0/24",)
    assert site_ranges(Site(networks=texts, shared_range=True)) == ("192.168.7.0/24", "100.64.3.0/24")


def test_answers_are_texts_by_their_question_and_nothing_else() -> None:
    assert answers_of(row(answers={"queue": "front"})) == {"queue": "front"}
    assert answers_of(row(answers={})) == answers_of(row(answers=["front"])) == {}


@pytest.fixture
def two(db: None) -> tuple[Deployment, Deployment]:
    """Two devices with one of each row and older ones behind it; what is the first's alone is an attempt, a part and a claim that stands."""
    site = Site.objects.create(name="Quay", networks=["192.168.7.0/24"])
    bench = Bench.objects.create(
        name="Quay bench", site=site, watching_since=NOW, names_seen={"one": NOW.isoformat(), "two": NOW.isoformat()}
    )
    harbour, attic = (
        WifiNetwork.objects.create(site=site, ssid=name, passphrase="spring tide at noon")
        for name in ("Harbour", "Attic")
    )
    made = []
    for name in ("one", "two"):
        image = Image.objects.create(file_name=f"{name}.img", size_bytes=1, modified_at=NOW, xray="{}", outline="{}")
        unit = BoardUnit.objects.create(site=site, name=f"No. {name}", board="sprig")
        deployment = Deployment.objects.create(
            name=name, recipe="platen", host_name=name, site=site, image=image, board_unit=unit, network=harbour, way="wifi",
            also_networks=[attic.pk, 999_999], created_at=ago(9000),
        )  # fmt: skip
        Job.objects.create(kind="read-image", image=image, state="done")
        Job.objects.create(kind="read-image", image=image, state="queued", created_at=NOW)
        about = {"deployment": deployment, "bench": bench, "drive_path": "/dev/x"}
        first = Write.objects.create(**about, fingerprint=f"{name} first", started_at=ago(8000))
        last = Write.objects.create(**about, fingerprint=f"{name} last", started_at=ago(6000), key_mark=f"{name} key")
        Job.objects.create(kind="write-card", write=last, state="done")
        boots = {"deployment": deployment, "bench": bench, "board_unit": unit}
        BootRun.objects.create(**boots, write=first, powered_at=ago(7000), off_at=ago(6900), joined_after_s=40)
        run = BootRun.objects.create(
            **boots, write=last, powered_at=ago(5000), joined_after_s=50 if name == "one" else None
        )
        Claim.objects.create(deployment=deployment, boot_run=run, address="192.168.7.39", taken_back_at=ago(90))
        for step, seconds in (("queue", 7000), ("queue", 4000), ("page", 6000), ("page", 3000), ("login", 2000)):
            Reading.objects.create(deployment=deployment, boot_run=run, step=step, done=True, at=ago(seconds))
        made.append(deployment)
    one, two = made
    Claim.objects.create(
        deployment=one, boot_run=BootRun.objects.filter(deployment=one).latest("pk"), address="192.168.7.40", by="wifi"
    )
    refused = Write.objects.create(
        deployment=one, bench=bench, drive_path="/dev/x", fingerprint="one refused", outcome="failed"
    )
    Job.objects.create(kind="write-card", write=refused, state="failed")
    PlannedPart.objects.create(deployment=one, kind="skimmer")
    return one, two


def test_each_is_loaded_with_its_own_rows_and_the_last_of_each(two: tuple[Deployment, Deployment]) -> None:
    pks = [d.pk for d in two]
    found = {one.row.name: one for one in load_many(rows_to_load().filter(pk__in=pks))}
    one, other = found["one"], found["two"]
    for name, it in found.items():
        assert it.write is not None
        assert it.run is not None
        assert it.image_job is not None
        assert (it.write.fingerprint, it.run.write, it.run_number) == (f"{name} last", it.write, 2)
        assert (it.run.board_unit, it.run.bench) == (it.row.board_unit, it.write.bench)
        assert [(r.step, r.at) for r in it.readings] == [
            ("queue", ago(4000)),
            ("page", ago(3000)),
            ("login", ago(2000)),
        ]
        assert (it.image_job.image_id, it.image_job.state) == (it.row.image_id, "queued")
        assert [n.ssid for n in it.also] == ["Attic"]
        assert (it.network_seen, it.names_heard, it.addresses_taken, it.names_taken) == (None, None, {}, frozenset())
    assert one.attempt is not None
    assert one.job is not None
    assert (one.attempt.fingerprint, one.job.write, other.attempt) == ("one refused", one.attempt, None)
    assert other.job is not None
    assert other.job.write_id == other.write.pk if other.write else None
    assert one.claim is not None
    assert (one.claim.address, other.claim) == ("192.168.7.40", None)
    assert [p.kind for p in one.parts] == ["skimmer"]
    assert other.parts == ()
    # Only who waits asks whose keys joined.
    assert (one.joined, other.joined) == ((), ((pks[0], "one key"),))
    assert load(pks[1]).joined == other.joined


def test_a_later_write_ends_what_was_found_out_with_the_card_before(two: tuple[Deployment, Deployment]) -> None:
    one = two[0]
    write = Write.objects.create(
        deployment=one, bench=Bench.objects.get(), drive_path="/dev/x", fingerprint="new", started_at=ago(3500)
    )
    it = load(one.pk)
    assert (it.write, it.run, it.claim, it.attempt, it.run_number) == (write, None, None, None, 2)
    assert [r.step for r in it.readings] == ["page", "login"]
    # What is installed over the network stands on no card.
    Deployment.objects.filter(pk=one.pk).update(way_in="network-install")
    it = load(one.pk)
    assert (it.write, it.attempt, it.job, it.run) == (None, None, None, None)


def test_what_was_never_powered_is_asked_for_by_its_name_and_address(two: tuple[Deployment, Deployment]) -> None:
    one, other = two
    Deployment.objects.update(address="192.168.7.40")
    Claim.objects.all().delete()
    Reading.objects.all().delete()
    BootRun.objects.filter(deployment=other).delete()
    assert load(one.pk).names_heard is None
    it = load(other.pk)
    assert it.addresses_taken == {"192.168.7.40": "one"}
    assert it.network_seen == {}
    assert it.names_heard == {"two": "25 November, 20:00"}
    assert (it.run, it.run_number) == (None, 0)
