"""A place's plan of addresses, and what is said of a fixed one. Judge of what lies where: Python's ipaddress (RFC 4632)."""

from __future__ import annotations

import ipaddress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.findings import Severity
from mintseed.core.site.addresses import AddressPlan, FixedAddress, Reserved, check_address, check_plan, proposed

PLAN = AddressPlan(
    net="192.168.7.0/24", gateway="192.168.7.1", pool_from="192.168.7.100", pool_to="192.168.7.199",
    reserved=(Reserved(address="192.168.7.9", what="the old printer"),),
)  # fmt: skip


def told(address: str, plan: AddressPlan = PLAN, **more: dict[str, str]) -> dict[str, Severity]:
    found = check_address(address, plan, taken=more.get("taken", {}), seen=more.get("seen", {}))
    assert all(f.where and f.where.field == "address" for f in found)
    return {f.code: f.severity for f in found}


@pytest.mark.parametrize(
    ("address", "code", "severity"),
    [
        ("192.168.7.40", "settings.address-own", Severity.OK), ("192.168.7.150", "settings.address-pool", Severity.CHECK), ("192.168.7.100", "settings.address-pool", Severity.CHECK),
        ("192.168.7.199", "settings.address-pool", Severity.CHECK), ("192.168.7.200", "settings.address-own", Severity.OK), ("192.168.7.1", "settings.address-gateway", Severity.STOP),
        ("192.168.7.9", "settings.address-reserved", Severity.STOP), ("192.168.7.0", "settings.address-outside", Severity.STOP), ("192.168.7.255", "settings.address-outside", Severity.STOP),
        ("192.168.8.4", "settings.address-outside", Severity.STOP), ("192.168.7", "settings.address", Severity.STOP), ("192.168.7.040", "settings.address", Severity.STOP),
        ("press", "settings.address", Severity.STOP), ("fd00::1", "settings.address", Severity.STOP),
    ],
)  # fmt: skip
def test_each_address_is_told_what_it_is(address: str, code: str, severity: Severity) -> None:
    assert told(address) == {code: severity}


def test_nothing_is_said_of_none_and_all_that_is_known_of_one_that_others_have() -> None:
    assert told("") == {}
    assert told("192.168.7.40", taken={"192.168.7.40": "Print corner"}) == {"settings.address-taken": Severity.STOP}
    assert told("192.168.7.40", seen={"192.168.7.40": "28 November, 14:02"}) == {
        "settings.address-seen": Severity.CHECK
    }
    assert told("192.168.7.41", taken={"192.168.7.40": "x"}, seen={"192.168.7.42": "y"}) == {
        "settings.address-own": Severity.OK
    }


def test_what_the_plan_does_not_say_is_said_and_stops_only_what_cannot_be_without_it() -> None:
    assert told("192.168.7.40", AddressPlan()) == {"settings.address-net": Severity.STOP}
    bare = AddressPlan(net="192.168.7.0/24")
    assert told("192.168.7.40", bare) == {
        "settings.address-own": Severity.OK,
        "settings.address-no-gateway": Severity.CHECK,
    }
    [own] = [f for f in check_address("192.168.7.40", bare, taken={}, seen={}) if f.code == "settings.address-own"]
    assert "nobody said" in own.detail


@pytest.mark.parametrize(
    ("changed", "codes"),
    [
        ({}, set()), ({"net": "192.168.7.0"}, {"site.address-outside"}), ({"net": "192.168.7.5/24"}, {"site.net"}), ({"net": "8.8.8.0/24"}, {"site.net", "site.address-outside"}), ({"gateway": "192.168.8.1"}, {"site.address-outside"}),
        ({"gateway": "x"}, {"site.address"}), ({"dns": ("one",)}, {"site.address"}), ({"pool_to": ""}, {"site.pool"}), ({"pool_from": "192.168.7.220"}, {"site.pool"}),
        ({"gateway": "192.168.7.150"}, {"site.pool-gateway"}), ({"reserved": ({"address": "10.0.0.1"},)}, {"site.address-outside"}),
    ],
)  # fmt: skip
def test_a_plan_that_does_not_hold_together_is_told(changed: dict[str, object], codes: set[str]) -> None:
    plan = AddressPlan.model_validate({**PLAN.model_dump(), **changed})
    assert {f.code for f in check_plan(plan)} == codes


def test_a_plan_that_says_nothing_is_no_fault() -> None:
    assert check_plan(AddressPlan()) == ()


@given(st.integers(0, 255), st.integers(8, 30), st.integers(0, 2**24 - 1))
def test_what_is_proposed_is_never_refused(third: int, bits: int, offset: int) -> None:
    net = ipaddress.IPv4Network(f"10.{third}.7.0/{bits}", strict=False)
    first = net[1 + offset % (net.num_addresses - 2)]
    last = min(net[-2], first + 20)
    plan = AddressPlan(net=str(net), gateway=str(net[1]), pool_from=str(first), pool_to=str(last))
    taken = {str(first + 21): "x"} if first + 21 in net else {}
    for address in proposed(plan, taken, 5):
        assert ipaddress.IPv4Address(address) in net
        assert {f.code for f in check_address(address, plan, taken=taken, seen={})} == {"settings.address-own"}, address


def test_nothing_is_proposed_where_the_pool_is_not_known() -> None:
    assert proposed(AddressPlan(net="192.168.7.0/24"), (), 3) == ()
    assert proposed(PLAN, ("192.168.7.200",), 2) == ("192.168.7.201", "192.168.7.202")


def test_what_a_file_says_of_it() -> None:
    assert PLAN.fixed("192.168.7.40") == FixedAddress("192.168.7.40", 24, "192.168.7.1", ("192.168.7.1",))
    assert PLAN.model_copy(update={"dns": ("9.9.9.9",)}).fixed("192.168.7.40") == FixedAddress(
        "192.168.7.40", 24, "192.168.7.1", ("9.9.9.9",)
    )
    assert (PLAN.fixed(""), PLAN.fixed("10.0.0.1"), AddressPlan().fixed("10.0.0.1")) == (None, None, None)
    assert (FixedAddress("10.9.8.7", 12).netmask, FixedAddress("10.9.8.7", 12).cidr) == ("255.240.0.0", "10.9.8.7/12")
