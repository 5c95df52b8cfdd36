"""The plan of a place's addresses: its net, who leads out of it, what the router hands out, and what is spoken for.

A fixed address stands in a file of the device's own; the router knows nothing of it. So it has to lie where the router hands nothing out.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

from pydantic import Field

from mintseed.core.described import Described
from mintseed.core.errors import InputError
from mintseed.core.findings import COMMON_PRACTICE, Finding, Severity, Where
from mintseed.core.site.ranges import check_range

MOST_RESERVED = 200
"""addresses of one place that are spoken for"""

MOST_NAME_SERVERS = 3
"""that a resolver asks. Source: resolv.conf(5), MAXNS"""

_WHERE = Where(field="address_plan")


class Reserved(Described):
    """An address that something has which is no device of this program's."""

    address: str = Field(max_length=15)
    what: str = Field(default="", max_length=60)


class AddressPlan(Described):
    """Every field may be empty: what nobody said is not known. `net` is a private range in CIDR; the rest are single IPv4 addresses."""

    net: str = Field(default="", max_length=18)
    gateway: str = Field(default="", max_length=15)
    dns: tuple[str, ...] = Field(default=(), max_length=MOST_NAME_SERVERS)
    pool_from: str = Field(default="", max_length=15)
    pool_to: str = Field(default="", max_length=15)
    reserved: tuple[Reserved, ...] = Field(default=(), max_length=MOST_RESERVED)

    @cached_property
    def network(self) -> ipaddress.IPv4Network | None:
        """The net; None where nobody said one, or it is none."""
        try:
            return ipaddress.IPv4Network(self.net)
        except ValueError:
            return None

    @cached_property
    def pool(self) -> tuple[ipaddress.IPv4Address, ipaddress.IPv4Address] | None:
        """The first and the last address the router hands out; None where that is not known."""
        first, last = address_of(self.pool_from), address_of(self.pool_to)
        return (first, last) if first is not None and last is not None and first <= last else None

    def fixed(self, address: str) -> FixedAddress | None:
        """Return what a file has to say of a fixed address here; None for none, and where it does not lie in the net."""
        at = address_of(address)
        if at is None or self.network is None or at not in self.network:
            return None
        return FixedAddress(
            str(at), self.network.prefixlen, self.gateway, self.dns or ((self.gateway,) if self.gateway else ())
        )


# Nothing in it is to be checked, so that what checks it is not made at every start.
NO_PLAN = AddressPlan.model_construct()


@dataclass(frozen=True, slots=True)
class FixedAddress:
    """What a device's file says of its address. `dns` without anything of its own: the gateway, which most routers answer for (common practice)."""

    address: str
    prefix: int
    gateway: str = ""
    dns: tuple[str, ...] = ()

    @property
    def cidr(self) -> str:
        return f"{self.address}/{self.prefix}"

    @property
    def netmask(self) -> str:
        return str(ipaddress.IPv4Network(self.cidr, strict=False).netmask)


def address_of(text: str) -> ipaddress.IPv4Address | None:
    """Return one IPv4 address in dotted decimals; None for anything else."""
    try:
        return ipaddress.IPv4Address(text)
    except ValueError:
        return None


def check_plan(plan: AddressPlan) -> tuple[Finding, ...]:
    """Return what does not hold together in a plan; nothing of one that says nothing."""
    return tuple(_plan(plan))


def _plan(plan: AddressPlan) -> Iterator[Finding]:
    net = plan.network
    if plan.net and net is None:
        yield _stop("site.net", f"{plan.net} is no net", "A net is its first address and a length, as in 192.168.1.0/24.", "Look on the router's page for its network and mask.")  # fmt: skip
        return
    if net is not None and (wrong := _not_own(plan.net)):
        yield _stop("site.net", wrong, "A place's devices have addresses of RFC 1918.", "Look on the router's page for its network and mask.")  # fmt: skip
    single = [
        ("gateway", plan.gateway),
        ("first address of the pool", plan.pool_from),
        ("last address of the pool", plan.pool_to),
    ]
    single += [(f"address of {r.what or 'something reserved'}", r.address) for r in plan.reserved]
    for what, text in single:
        at = address_of(text)
        if text and at is None:
            yield _stop("site.address", f"The {what}, {text}, is no address", "An address is four numbers from 0 to 255.", "Write it as in 192.168.1.1.")  # fmt: skip
        elif at is not None and net is not None and not _usable(at, net):
            yield _stop("site.address-outside", f"The {what}, {text}, is none of {net}", f"From {net[1]} to {net[-2]} are." if net.num_addresses > 3 else "It does not lie in it.", "Mend it, or the net.")  # fmt: skip
    for text in plan.dns:
        if address_of(text) is None:
            yield _stop("site.address", f"The name server {text} is no address", "An address is four numbers from 0 to 255.", "Write it as in 192.168.1.1.")  # fmt: skip
    if bool(plan.pool_from) != bool(plan.pool_to) or (_both(plan) and plan.pool is None):
        yield _stop("site.pool", "The pool does not run from a first to a later address", f"It says {plan.pool_from or 'nothing'} to {plan.pool_to or 'nothing'}.",
                    "Copy both from the router's page, where it hands addresses out.")  # fmt: skip
    elif plan.pool is not None and (gateway := address_of(plan.gateway)) is not None and _within(gateway, plan.pool):
        yield Finding("site.pool-gateway", Severity.CHECK, "The gateway lies in the pool", f"{plan.gateway} would be handed to somebody, unless the router leaves itself out.",
                      "Look at both on the router's page.", _WHERE)  # fmt: skip


def _stop(code: str, title: str, detail: str, fix: str) -> Finding:
    return Finding(code, Severity.STOP, title, detail, fix, _WHERE)


def _both(plan: AddressPlan) -> bool:
    return address_of(plan.pool_from) is not None and address_of(plan.pool_to) is not None


def _not_own(net: str) -> str:
    try:
        check_range(net, shared=True, standin="127.0.0.0/8")
    except InputError as error:
        return error.found
    return ""


def _usable(at: ipaddress.IPv4Address, net: ipaddress.IPv4Network) -> bool:
    """Whether a device may have `at`: RFC 3021 §2.1 lets a net of two use both, RFC 1122 §3.2.1.3 keeps the first and the last of any other."""
    return at in net and (net.prefixlen >= 31 or at not in (net.network_address, net.broadcast_address))


def _within(at: ipaddress.IPv4Address, pool: tuple[ipaddress.IPv4Address, ipaddress.IPv4Address]) -> bool:
    return pool[0] <= at <= pool[1]


def check_address(
    address: str, plan: AddressPlan, *, taken: Mapping[str, str], seen: Mapping[str, str] | None
) -> tuple[Finding, ...]:
    """Return what is to be said of a fixed address. `taken`: those that other devices of the place have, and their names; `seen`: those that
    were seen on the network and since when, as one reads it; None where nobody looked, or the device itself may be what was seen. Nothing for an
    empty one."""
    return tuple(_address(address, plan, taken, seen)) if address else ()


def _address(
    address: str, plan: AddressPlan, taken: Mapping[str, str], seen: Mapping[str, str] | None
) -> Iterator[Finding]:
    where = Where(field="address")
    at, net = address_of(address), plan.network
    another = next(iter(proposed(plan, {*taken, *(seen or ())}, 1)), "")
    fix = f"{another} is none that the plan or another device here has." if another else "Take another one."

    def stop(code: str, title: str, detail: str, fix: str = fix, source: str = COMMON_PRACTICE) -> Finding:
        return Finding(code, Severity.STOP, title, detail, fix, where, source)

    if at is None:
        yield stop("settings.address", f"{address} is no address", "An address is four numbers from 0 to 255.", "Write it as in 192.168.1.40, or leave it empty.")  # fmt: skip
        return
    if net is None:
        yield stop("settings.address-net", "Nobody said which net this place has", "A fixed address goes with a net and a way out; without them the device reaches nobody.",
                   "Write the address plan under Site, or leave the address to the router.")  # fmt: skip
        return
    if not _usable(at, net):
        inside = at in net
        yield stop("settings.address-outside", f"{address} is {'the net itself, or everybody in it' if inside else f'none of {net}'}",
                   "No device may have it." if inside else "From this network nobody would reach it.", source="RFC 1122 §3.2.1.3" if inside else COMMON_PRACTICE)  # fmt: skip
    elif at == address_of(plan.gateway):
        yield stop("settings.address-gateway", f"{address} is the router's own", "Two with one address: the whole place loses its way out.")  # fmt: skip
    elif (holder := taken.get(str(at))) is not None:
        yield stop("settings.address-taken", f"{address} is {holder}'s", "Two devices of one address: neither is reached reliably.", source="RFC 5227 §1")  # fmt: skip
    elif (what := next((r for r in plan.reserved if address_of(r.address) == at), None)) is not None:
        yield stop("settings.address-reserved", f"{address} is reserved for {what.what or 'something else'}", "The place's plan says so.")  # fmt: skip
    elif plan.pool is not None and _within(at, plan.pool):
        yield Finding("settings.address-pool", Severity.CHECK, f"The router hands {address} out", f"It lies between {plan.pool_from} and {plan.pool_to}: sooner or later somebody else is given it.",
                      f"{fix} Or keep it for this device on the router's page." if another else "Keep it for this device on the router's page.", where, "RFC 2131 §2.2")  # fmt: skip
    elif seen and (when := seen.get(str(at))) is not None:
        yield Finding("settings.address-seen", Severity.CHECK, f"Something on the network has {address}", f"There since {when}, as a bench of this place saw it; no device here has it as its fixed one.",
                      fix, where, "RFC 5227 §2.1")  # fmt: skip
    else:
        looked = (
            "whether something on the network has it was not looked at"
            if seen is None
            else "no bench here has seen it on the network"
        )
        unknown = "" if plan.pool else " Which addresses the router hands out nobody said."
        yield Finding("settings.address-own", Severity.OK, f"No other device here has {address}", f"Its plan keeps it for nobody, and {looked}.{unknown}", where=where)  # fmt: skip
    if not plan.gateway:
        yield Finding("settings.address-no-gateway", Severity.CHECK, "Nobody said which address leads out of this net", "The device is reached inside the place; it fetches no update and no time.",
                      "Write the router's address into the plan under Site.", where)  # fmt: skip


def proposed(plan: AddressPlan, not_these: Iterable[str], count: int) -> tuple[str, ...]:
    """Return up to `count` addresses that a plan leaves: outside the pool, not the gateway, for nobody reserved and none of `not_these`. Nothing
    where the net or the pool is not known: any could be handed out."""
    net = plan.network
    if net is None or plan.pool is None:
        return ()
    gone = {address_of(t) for t in (plan.gateway, *plan.dns, *(r.address for r in plan.reserved), *not_these)}
    found = []
    # A net may hold millions; what lies beside the pool is near it.
    for at in (*_beside(int(plan.pool[1]) + 1, 1), *_beside(int(plan.pool[0]) - 1, -1)):
        if _usable(at, net) and not _within(at, plan.pool) and at not in gone:
            found.append(str(at))
            if len(found) == count:
                break
    return tuple(found)


def _beside(start: int, step: int) -> Iterator[ipaddress.IPv4Address]:
    for number in range(start, start + step * 512, step):
        if 0 < number < 2**32:
            yield ipaddress.IPv4Address(number)
