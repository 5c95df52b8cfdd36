"""A place's plan of addresses, and what is said of a fixed one. Judge of what lies where: Python's ipaddress (RFC 4632)."""

from __future__ import annotations

import ipaddress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.findings import Finding, Severity, Where
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


HERE = Where(field="address_plan")
MASK = "Look on the router's page for its network and mask."
FOUR, AS_IN = "An address is four numbers from 0 to 255.", "Write it as in 192.168.1.1."


def of_the_plan(code: str, title: str, detail: str, fix: str, severity: Severity = Severity.STOP) -> Finding:
    return Finding(code, severity, title, detail, fix, HERE)


def outside(what: str, net: str = "192.168.7.0/24", who: str = "From 192.168.7.1 to 192.168.7.254 are.") -> Finding:
    return of_the_plan("site.address-outside", f"The {what} is none of {net}", who, "Mend it, or the net.")


@pytest.mark.parametrize(("plan", "said"), [
    (AddressPlan(), ()),
    (AddressPlan(net="192.168.7.0/24", gateway="192.168.7.1", dns=("9.9.9.9",), pool_from="192.168.7.100", pool_to="192.168.7.100"), ()),
    (AddressPlan(net="192.168.7.1/24"), (of_the_plan("site.net", "192.168.7.1/24 is no net", "A net is its first address and a length, as in 192.168.1.0/24.", MASK),)),
    (AddressPlan(gateway="no"), (of_the_plan("site.address", "The gateway, no, is no address", FOUR, AS_IN),)),
    (AddressPlan(dns=("9.9.9.9", "dns")), (of_the_plan("site.address", "The name server dns is no address", FOUR, AS_IN),)),
    (AddressPlan(reserved=(Reserved(address="x", what="the door"), Reserved(address="y"))),
     (of_the_plan("site.address", "The address of the door, x, is no address", FOUR, AS_IN),
      of_the_plan("site.address", "The address of something reserved, y, is no address", FOUR, AS_IN))),
    (AddressPlan(net="192.168.7.0/24", gateway="192.168.7.255"), (outside("gateway, 192.168.7.255,"),)),
    (AddressPlan(net="192.168.7.0/24", gateway="192.168.7.0"), (outside("gateway, 192.168.7.0,"),)),
    (AddressPlan(net="192.168.7.0/24", pool_from="192.168.8.1", pool_to="192.168.8.9"),
     (outside("first address of the pool, 192.168.8.1,"), outside("last address of the pool, 192.168.8.9,"))),
    (AddressPlan(net="10.0.0.4/31", gateway="10.0.0.4", reserved=(Reserved(address="10.0.0.5"),)), ()),
    (AddressPlan(net="10.0.0.4/31", gateway="10.0.0.6"), (outside("gateway, 10.0.0.6,", "10.0.0.4/31", "It does not lie in it."),)),
    (AddressPlan(net="10.0.0.4/30", gateway="10.0.0.4"), (outside("gateway, 10.0.0.4,", "10.0.0.4/30", "From 10.0.0.5 to 10.0.0.6 are."),)),
    (AddressPlan(pool_from="192.168.7.9"),
     (of_the_plan("site.pool", "The pool does not run from a first to a later address", "It says 192.168.7.9 to nothing.",
           "Copy both from the router's page, where it hands addresses out."),)),
    (AddressPlan(pool_from="192.168.7.9", pool_to="192.168.7.8"),
     (of_the_plan("site.pool", "The pool does not run from a first to a later address", "It says 192.168.7.9 to 192.168.7.8.",
           "Copy both from the router's page, where it hands addresses out."),)),
    *[(AddressPlan(gateway=at, pool_from="192.168.7.9", pool_to="192.168.7.11"),
       (of_the_plan("site.pool-gateway", "The gateway lies in the pool", f"{at} would be handed to somebody, unless the router leaves itself out.",
             "Look at both on the router's page.", Severity.CHECK),)) for at in ("192.168.7.9", "192.168.7.10", "192.168.7.11")],
    *[(AddressPlan(gateway=at, pool_from="192.168.7.9", pool_to="192.168.7.11"), ()) for at in ("192.168.7.8", "192.168.7.12")],
])  # fmt: skip
def test_what_is_said_of_a_plan(plan: AddressPlan, said: tuple[Finding, ...]) -> None:
    """Sources of what a device may have: RFC 1122 §3.2.1.3, RFC 3021 §2.1."""
    assert check_plan(plan) == said
