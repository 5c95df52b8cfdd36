"""Several networks, fixed addresses, a scheme for names and an account for a place, as the application keeps and fills them."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from django.utils import timezone

from mintseed.core.find.sightings import SeenBy, Sighting
from mintseed.core.settings.values import KnownNetwork
from mintseed.core.site.addresses import NO_PLAN
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.agent.network_memory import NetworkMemory
from mintseed.server.judged.frozen import pack, unpack
from mintseed.server.judged.load import load
from mintseed.server.judged.networks import (
    addresses_left,
    addresses_seen,
    addresses_taken,
    keys_in_order,
    known_network,
    names_heard,
    scheme_name,
)
from mintseed.server.kept.models import Bench, Deployment, Site, WifiNetwork
from mintseed.server.kept.stored_types import ADDRESS_PLAN
from tests.server.conftest import Api, card, started, work

PLAN = {
    "net": "192.168.7.0/24", "gateway": "192.168.7.1", "dns": [], "pool_from": "192.168.7.100", "pool_to": "192.168.7.199",
    "reserved": [{"address": "192.168.7.9", "what": "the old printer"}],
}  # fmt: skip


def home() -> Site:
    return Site.objects.order_by("pk")[0]


def a_network(api: Api, **what: object) -> int:
    api.post(f"/sites/{home().pk}/networks", {"ssid": "Boat shed", "passphrase": "low water at six", **what})
    return WifiNetwork.objects.latest("pk").pk


def settings_of(api: Api, pk: int) -> dict[str, Any]:
    answer: dict[str, Any] = api.get(f"/deployments/{pk}/settings")
    return answer


def codes(answer: dict[str, Any]) -> dict[str, str]:
    return {f["code"]: f["severity"] for f in answer["findings"]}


def text_of(answer: dict[str, Any]) -> str:
    return "\n".join(line["text"] for file in answer["files"] for line in file["lines"])


def test_a_further_network_goes_into_the_file_and_makes_the_card_old(api: Api) -> None:
    shed, guests = a_network(api), a_network(api, ssid="Harbour guests", passphrase="", open=True)
    pk = started(api)
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    before = settings_of(api, pk)
    assert [(n["ssid"], n["knows"]) for n in before["also"]][-2:] == [("Boat shed", False), ("Harbour guests", False)]
    after = api.put(f"/deployments/{pk}/settings", {"also": [guests, shed]})
    assert [n["ssid"] for n in after["also"] if n["knows"]] == ["Harbour guests", "Boat shed"]
    assert "low water" not in text_of(after), "no passphrase on a screen unasked"
    assert codes(after)["wifi.open"] == "check"
    held = Deployment.objects.get(pk=pk)
    assert held.also_networks == [guests, shed]
    assert not api.get(f"/deployments/{pk}/card")["current"]
    assert api.put(f"/deployments/{pk}/settings", {"also": []})["files"] == before["files"]
    assert api.get(f"/deployments/{pk}/card")["current"], "it is on the card again"


def test_a_network_of_another_place_is_none_of_this_one(api: Api) -> None:
    other = api.post("/sites", {"name": "Attic"})["id"]
    api.post(f"/sites/{other}/networks", {"ssid": "Attic", "passphrase": "under the roof"})
    strange = WifiNetwork.objects.latest("pk").pk
    pk = started(api)
    status, problem = api.call("put", f"/deployments/{pk}/settings", {"also": [strange]})
    assert (status, problem["where"]) == (422, "also")
    assert api.call("put", f"/deployments/{pk}/settings", {"also": [1] * 9})[0] == 422


def test_what_changes_in_a_further_network_is_judged_again_and_one_taken_off_is_passed_over(api: Api) -> None:
    shed = a_network(api)
    pk = started(api, also=[shed])  # type: ignore[arg-type]
    assert "wifi.passphrase-length" not in codes(settings_of(api, pk))
    api.put(f"/networks/{shed}", {"passphrase": "short"})
    assert codes(settings_of(api, pk))["wifi.passphrase-length"] == "stop"
    assert api.call("delete", f"/things/network/{shed}")[1]["code"] == "refused.in-use"
    assert api.call("delete", f"/things/network/{shed}?sure=true")[0] == 204
    assert "wifi.passphrase-length" not in codes(settings_of(api, pk))
    assert not [n for n in settings_of(api, pk)["also"] if n["knows"]]


def test_an_open_network_wants_no_passphrase_and_cannot_be_wpa3(api: Api) -> None:
    site = api.post(f"/sites/{home().pk}/networks", {"ssid": "Harbour", "open": True})
    row = next(n for n in site["wifi"] if n["ssid"] == "Harbour")
    assert (row["open"], {f["code"]: f["severity"] for f in row["findings"]}) == (True, {"wifi.open": "check"})
    assert (
        api.call("post", f"/sites/{home().pk}/networks", {"ssid": "x", "open": True, "wpa3_only": True})[1]["where"]
        == "open"
    )


def test_a_channel_the_country_does_not_hear_is_told(api: Api) -> None:
    pk = a_network(api, channel=13)
    site = api.put(f"/sites/{home().pk}", {"country": "US"})
    row = next(n for n in site["wifi"] if n["id"] == pk)
    assert "wifi.channel-country" in {f["code"] for f in row["findings"]}
    assert api.call("put", f"/networks/{pk}", {"channel": 0})[0] == 422


def test_a_fixed_address_is_held_against_the_plan_and_the_other_devices(api: Api) -> None:
    first, second = started(api), started(api, unit="bare")
    assert (
        codes(api.put(f"/deployments/{first}/settings", {"address": "192.168.7.40"}))["settings.address-net"] == "stop"
    )
    site = api.put(f"/sites/{home().pk}", {"address_plan": PLAN})
    assert (site["address_plan"]["net"], site["findings"]) == ("192.168.7.0/24", [])
    told = settings_of(api, first)
    assert codes(told)["settings.address-own"] == "ok"
    assert "settings.address-net" not in codes(told)
    took = api.put(f"/deployments/{second}/settings", {"address": "192.168.7.40"})
    assert codes(took)["settings.address-taken"] == "stop"
    assert "Reading-room press" in next(f["title"] for f in took["findings"] if f["code"] == "settings.address-taken")
    assert "settings.address-taken" not in codes(settings_of(api, first)), "who came first keeps it"
    assert took["addresses_left"][0] == "192.168.7.200"
    assert (
        codes(api.put(f"/deployments/{second}/settings", {"address": took["addresses_left"][0]}))[
            "settings.address-own"
        ]
        == "ok"
    )


def test_an_address_that_something_has_is_told_until_the_device_itself_was_there(api: Api) -> None:
    api.put(f"/sites/{home().pk}", {"address_plan": PLAN})
    bench, at = own_bench(), (timezone.now() - timedelta(hours=2)).isoformat()
    bench.network_seen = {"192.168.7.40": {"first": at, "last": at}}
    bench.save()
    pk = started(api)
    api.put(f"/deployments/{pk}/settings", {"address": "192.168.7.40"})
    assert codes(settings_of(api, pk))["settings.address-seen"] == "check"


def test_a_name_that_something_there_calls_itself_is_told_until_the_device_itself_was_there(api: Api) -> None:
    bench, now = own_bench(), timezone.now()
    bench.watching_since = now
    bench.save()
    pk = started(api)
    name = api.get(f"/deployments/{pk}/settings")["host_name"]
    assert "settings.host-name-heard" not in codes(settings_of(api, pk))
    NetworkMemory(bench).remember([Sighting("192.168.7.77", SeenBy.LEASE, "02:00:00:00:00:77", f"{name.upper()}")], now)
    told = next(f for f in settings_of(api, pk)["findings"] if f["code"] == "settings.host-name-heard")
    assert (told["severity"], name in told["title"]) == ("check", True)
    # Forgotten after a day, as everything that was seen.
    NetworkMemory(own_bench()).remember(
        [Sighting("192.168.7.78", SeenBy.LEASE, "02:00:00:00:00:78", "lamp")], now + timedelta(hours=25)
    )
    assert "settings.host-name-heard" not in codes(settings_of(api, pk))


def test_an_image_without_a_file_for_it_says_so(api: Api) -> None:
    api.put(f"/sites/{home().pk}", {"address_plan": PLAN})
    pk = started(api)
    answer = api.put(f"/deployments/{pk}/settings", {"address": "192.168.7.40"})
    assert ("settings.address-nowhere" in codes(answer)) is not answer["takes_address"]


@pytest.mark.parametrize("wrong", [{"net": 5}, {"reserved": "x"}, {"dns": ["1"] * 4}, {"street": "x"}, []])
def test_a_plan_of_another_shape_is_refused_and_nothing_changes(api: Api, wrong: object) -> None:
    status, problem = api.call("put", f"/sites/{home().pk}", {"address_plan": wrong})
    assert (status, problem["where"]) == (422, "address_plan")
    assert home().address_plan == {}


def test_what_an_older_version_kept_as_a_plan_spoils_only_itself(api: Api) -> None:
    pk = started(api)
    Site.objects.update(address_plan={"net": ["x"]})
    assert settings_of(api, pk)["address"] == ""
    assert api.get(f"/sites/{home().pk}")["address_plan"]["net"] == ""
    Deployment.objects.filter(pk=pk).update(also_networks={"x": 1})
    assert settings_of(api, pk)["also"] is not None


def test_new_devices_are_called_by_the_scheme(api: Api) -> None:
    site = api.put(f"/sites/{home().pk}", {"name_scheme": "{place}-{appliance}-{n}"})
    assert site["name_example"] == "quay-house-printer-1"
    names = [api.post("/deployments", {"recipe": "platen", "name": "x"})["id"] for _ in range(2)]
    assert [Deployment.objects.get(pk=pk).host_name for pk in names] == ["quay-house-platen-1", "quay-house-platen-2"]
    assert api.get(f"/deployments/{names[0]}/keep")["next_host_name"] == "quay-house-platen-3"
    api.put(f"/deployments/{names[0]}/settings", {"host_name": "press"})
    assert settings_of(api, names[0])["name_by_scheme"] == "quay-house-platen-1"
    assert settings_of(api, names[1])["name_by_scheme"] == ""
    status, problem = api.call("put", f"/sites/{home().pk}", {"name_scheme": "{street}"})
    assert (status, problem["where"]) == (422, "name_scheme")


def test_an_account_of_the_place_is_every_devices_that_has_none_of_its_own(api: Api) -> None:
    pk = started(api, recipe="lintel")
    assert not settings_of(api, pk)["admin_password_set"]
    site = api.put(f"/sites/{home().pk}", {"admin_name": "keeper", "admin_password": "three grey seals"})
    assert site["admin_password_set"]
    assert "three grey seals" not in str(Site.objects.values()[0])
    assert "three grey seals" not in str(site)
    told = settings_of(api, pk)
    assert (told["admin_name"], told["admin_from_site"], told["admin_password_set"]) == (
        {"value": "keeper", "from_site": True, "site_value": "keeper"}, True, True,
    )  # fmt: skip
    assert home().admin_hash not in text_of(told)
    own = api.put(f"/deployments/{pk}/settings", {"admin_name": "ann", "admin_password": "a lamp in the hall"})
    assert (own["admin_name"]["value"], own["admin_from_site"]) == ("ann", False)
    assert not api.put(f"/sites/{home().pk}", {"admin_password_gone": True})["admin_password_set"]
    assert settings_of(api, pk)["admin_password_set"], "its own stays"
    weak = api.put(f"/sites/{home().pk}", {"admin_password": "password12"})
    assert "settings.admin-password-guessable" in {f["code"] for f in weak["of_password"]}
    status, problem = api.call("put", f"/sites/{home().pk}", {"admin_password": "short"})
    assert (status, problem["where"]) == (422, "admin_password")


def test_a_device_in_service_is_shown_with_what_it_knew(api: Api) -> None:
    shed = a_network(api)
    api.put(f"/sites/{home().pk}", {"address_plan": PLAN})
    pk = started(api)
    api.put(f"/deployments/{pk}/settings", {"also": [shed], "address": "192.168.7.40"})
    kept = unpack(pack(load(pk).inputs))
    assert kept is not None
    assert [n.ssid for n in kept.values.others] == ["Boat shed"]
    assert kept.values.address is not None
    assert (kept.values.address.cidr, kept.address) == ("192.168.7.40/24", "192.168.7.40")


def test_an_address_that_somebody_has_is_not_proposed_to_one_that_has_none(api: Api) -> None:
    api.put(f"/sites/{home().pk}", {"address_plan": PLAN})
    bench, at = own_bench(), timezone.now().isoformat()
    bench.network_seen = {"192.168.7.201": {"first": at, "last": at}}
    bench.save()
    first, second = started(api), started(api, unit="bare")
    assert settings_of(api, second)["addresses_left"] == ["192.168.7.200", "192.168.7.202", "192.168.7.203"]
    api.put(f"/deployments/{first}/settings", {"address": "192.168.7.200"})
    assert settings_of(api, second)["addresses_left"] == ["192.168.7.202", "192.168.7.203", "192.168.7.204"]


def test_what_nobody_looked_at_is_not_said(api: Api) -> None:
    api.put(f"/sites/{home().pk}", {"address_plan": PLAN})
    pk = started(api)
    api.put(f"/deployments/{pk}/settings", {"address": "192.168.7.40"})

    def said() -> str:
        return next(f["detail"] for f in settings_of(api, pk)["findings"] if f["code"] == "settings.address-own")

    assert "no bench here has seen it" in said()
    Bench.objects.update(watching_since=None)
    assert "was not looked at" in said()


def test_two_who_order_the_networks_at_once_are_both_told(api: Api) -> None:
    shed, loft = a_network(api), a_network(api, ssid="Loft")
    pk = started(api)
    api.put(f"/deployments/{pk}/settings", {"also": [shed], "was": {"also": []}})
    status, problem = api.call("put", f"/deployments/{pk}/settings", {"also": [loft], "was": {"also": []}})
    assert (status, problem["code"]) == (409, "refused.changed")
    assert Deployment.objects.get(pk=pk).also_networks == [shed]


def test_a_name_of_the_scheme_is_known_whatever_its_number(api: Api) -> None:
    api.put(f"/sites/{home().pk}", {"name_scheme": "{n}-{name}"})
    pk = api.post("/deployments", {"recipe": "platen", "name": "No 7 Quay"})["id"]
    assert Deployment.objects.get(pk=pk).host_name == "1-no-7-quay"
    assert settings_of(api, pk)["name_by_scheme"] == ""
    api.put(f"/deployments/{pk}/settings", {"host_name": "12-no-7-quay"})
    assert settings_of(api, pk)["name_by_scheme"] == ""
    api.put(f"/deployments/{pk}/settings", {"host_name": "no-7-quay"})
    assert settings_of(api, pk)["name_by_scheme"] == "1-no-7-quay"


def test_a_fixed_address_is_asked_for_where_it_is_typed_by_hand(api: Api) -> None:
    """No file of this image takes one; over a cable first it is a step of its own."""
    api.put(f"/sites/{home().pk}", {"address_plan": PLAN})
    pk = started(api, recipe="lintel")
    in_files = api.get(f"/deployments/{pk}/settings")["takes_address"]
    api.put(f"/deployments/{pk}/plan", {"way_in": "cable-first"})
    by_hand = api.put(f"/deployments/{pk}/settings", {"address": "192.168.7.40"})
    assert by_hand["takes_address"]
    assert "settings.address-nowhere" not in codes(by_hand)
    assert [s["answer"] for s in by_hand["by_hand"] if "192.168.7.40/24" in s["answer"]]
    api.put(f"/deployments/{pk}/plan", {"way_in": "fill-before"})
    assert api.get(f"/deployments/{pk}/settings")["takes_address"] is in_files


def test_an_open_network_has_no_passphrase_even_where_one_was_kept() -> None:
    row = WifiNetwork(ssid="Harbour", passphrase="spring tide at noon", open=True, hidden=True)
    assert known_network(row) == KnownNetwork("Harbour", "", True, False, True)
    row.open = False
    assert known_network(row) == KnownNetwork("Harbour", "spring tide at noon", True, False, False)


# by their rows alone


def of_place(site: Site, host_name: str, **more: object) -> Deployment:
    return Deployment.objects.create(name=host_name, recipe="platen", host_name=host_name, site=site, **more)


@pytest.fixture
def places(db: None) -> tuple[Site, Site]:
    """Two places, each with a bench; only that of the first watches its network."""
    quay = Site.objects.create(name="Quay", time_zone="Australia/Adelaide", name_scheme="{place}-{name}-{n}")
    shed = Site.objects.create(name="Boat shed")
    Bench.objects.create(
        name="Quay bench", site=quay, watching_since=SEEN, names_seen={"press": SEEN.isoformat(), "lamp": "long ago", "odd": 7},
        network_seen={"192.168.7.40": {"first": SEEN.isoformat(), "last": LATER.isoformat()}},
    )  # fmt: skip
    Bench.objects.create(name="Shed bench", site=shed, names_seen={"press": LATER.isoformat()})
    return quay, shed


SEEN, LATER = datetime(2026, 11, 25, 20, 0, tzinfo=UTC), datetime(2026, 11, 25, 21, 30, tzinfo=UTC)


def test_what_the_bench_of_its_place_remembers_of_a_device_is_said_by_that_places_clock(
    places: tuple[Site, Site],
) -> None:
    quay, shed = places
    press, lamp = of_place(quay, "Press", address="192.168.7.40"), of_place(quay, "lamp", address="192.168.7.41")
    odd, elsewhere = of_place(quay, "odd"), of_place(shed, "press", address="192.168.7.40")
    rows = [press, lamp, odd, elsewhere]
    # Half an hour off the hour, ten ahead of UTC in its summer. Source: the tz database, Australia/Adelaide
    assert names_heard(rows) == {press.pk: {"press": "26 November, 06:30"}, lamp.pk: {}, odd.pk: {}}
    assert addresses_seen([press, lamp, elsewhere]) == {press.pk: {"192.168.7.40": "26 November, 06:30"}, lamp.pk: {}}
    assert names_heard([elsewhere]) == addresses_seen([elsewhere]) == {}
    assert names_heard([]) == addresses_seen([]) == {}


def test_who_had_an_address_first_at_its_place_has_it(places: tuple[Site, Site]) -> None:
    quay, shed = places
    first, later = (of_place(quay, name, address="192.168.7.40") for name in ("first", "later"))
    elsewhere, none = of_place(shed, "first", address="192.168.7.40"), of_place(quay, "none")
    third = of_place(quay, "third", address="192.168.7.40")
    held = {"192.168.7.40": "first"}
    assert addresses_taken([first, later, elsewhere, none, third]) == {later.pk: held, third.pk: held}
    assert addresses_taken([none]) == addresses_taken([]) == {}
    Deployment.objects.filter(pk=first.pk).update(removed_at=LATER)
    assert addresses_taken([later, third]) == {third.pk: {"192.168.7.40": "later"}}


def test_the_next_addresses_are_those_nobody_has_or_was_seen_with(places: tuple[Site, Site]) -> None:
    quay, shed = places
    plan = ADDRESS_PLAN.validate_python({**PLAN, "pool_from": "192.168.7.42"})
    assert addresses_left(quay, plan, 60)[54:57] == ("192.168.7.254", "192.168.7.41", "192.168.7.39")
    assert addresses_left(shed, plan, 60)[54:57] == ("192.168.7.254", "192.168.7.41", "192.168.7.40")
    of_place(quay, "one", address="192.168.7.200")
    of_place(shed, "two", address="192.168.7.201")
    of_place(quay, "three", address="192.168.7.202", removed_at=LATER)
    assert addresses_left(quay, plan, 2) == ("192.168.7.201", "192.168.7.202")
    assert addresses_left(quay, NO_PLAN, 3) == ()


def test_a_name_of_the_scheme_is_one_that_nobody_else_of_its_place_has(places: tuple[Site, Site]) -> None:
    quay, shed = places
    words = {"recipe": "platen", "name": "Press", "board": "No. 3"}
    assert scheme_name(shed, **words) == ""
    assert scheme_name(quay, **words) == "quay-press-1"
    mine = of_place(quay, "Quay-Press-1")
    of_place(shed, "quay-press-2")
    assert scheme_name(quay, **words) == "quay-press-2"
    assert scheme_name(quay, **words, but=mine.pk) == "quay-press-1"
    Deployment.objects.filter(pk=mine.pk).update(removed_at=LATER)
    assert scheme_name(quay, **words) == "quay-press-1"


def test_the_keys_a_row_holds_each_once_and_in_their_order() -> None:
    assert keys_in_order([3, 1, 3, "4", True, None, 2]) == (3, 1, 2)
    assert keys_in_order("31") == keys_in_order(None) == keys_in_order({"3": 1}) == ()
