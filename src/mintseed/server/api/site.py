"""Site: the place, its country, time zone, keyboard and networks."""

from __future__ import annotations

from functools import cache

import pycountry
from django.db import transaction
from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from mintseed import wiring
from mintseed.core.errors import InputError
from mintseed.core.findings import Finding, Severity, Where, worst_first
from mintseed.core.keep.label import qr_code
from mintseed.core.settings.values import SettingValues, Unreadable, check_values
from mintseed.core.site.addresses import NO_PLAN, AddressPlan, check_plan
from mintseed.core.site.channels import check_channel
from mintseed.core.site.join_code import JoinCode, join_code
from mintseed.core.site.keyboards import KEYBOARDS
from mintseed.core.site.languages import LOCALE_MOST, languages
from mintseed.core.site.names import check_scheme, name_by_scheme, scheme_finding
from mintseed.core.site.ranges import check_range
from mintseed.core.site.ssh_keys import MOST_KEYS, check_keys, keys_in
from mintseed.core.site.time_zones import time_zones
from mintseed.server.api.meanwhile import ChangeIn, changed_by
from mintseed.server.api.settings import SecretOut, hashed
from mintseed.server.api.shapes import BenchRowOut, bench_rows, benches_of
from mintseed.server.api.wire import Wire
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.judged.journal import record
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import Site, WifiNetwork
from mintseed.server.kept.stored_types import ADDRESS_PLAN, stored
from mintseed.server.owned.users import users_of

router = Router(tags=["site"])

MOST_RANGES = 16
"""ranges of one place; a home has one or two."""

MOST_KEY_LETTERS = 20_000
"""letters of all public keys of a place; one of RSA has some hundreds"""


class NetworkOut(Wire):
    id: int
    ssid: str
    band_ghz: float
    hidden: bool
    wpa3_only: bool
    open: bool
    channel: int | None
    passphrase_set: bool
    used_by: list[str]
    findings: list[Finding]


class SiteOut(Wire):
    id: int
    name: str
    country: str
    time_zone: str
    keyboard: str
    locale: str
    networks: list[str]
    shared_range: bool
    ssh_keys: str
    address_plan: AddressPlan
    name_scheme: str
    name_example: str
    """what the scheme would call a first device; empty without one"""
    admin_name: str
    admin_password_set: bool
    of_password: list[Finding]
    """what there is to say of a password that was set just now"""
    wifi: list[NetworkOut]
    benches: list[BenchRowOut]
    findings: list[Finding]


class SiteRowOut(Wire):
    id: int
    name: str


class SiteIn(Wire):
    name: str
    country: str
    time_zone: str
    keyboard: str
    locale: str = ""
    networks: list[str]
    shared_range: bool = False
    ssh_keys: str = Field(default="", max_length=MOST_KEY_LETTERS)
    address_plan: AddressPlan = NO_PLAN
    name_scheme: str = Field(default="", max_length=200)
    admin_name: str = Field(default="", max_length=200)
    admin_password: str = Field(default="", max_length=4096, description="empty leaves the stored one as it is")
    admin_password_gone: bool = Field(default=False, description="whether the stored one is to go")


class PickOut(Wire):
    """One of a list: what is stored, and what it is called."""

    value: str
    text: str


class ChoicesOut(Wire):
    """The full lists that a place and its devices choose from."""

    countries: list[PickOut]
    time_zones: list[PickOut]
    keyboards: list[PickOut]
    languages: list[PickOut]


class NewSiteIn(Wire):
    name: str


class NetworkIn(Wire):
    """An empty passphrase leaves the stored one as it is."""

    ssid: str
    band_ghz: float = 2.4
    hidden: bool = False
    wpa3_only: bool = False
    open: bool = False
    channel: int | None = Field(default=None, ge=1, le=233)
    passphrase: str = ""


class GuestCodeOut(Wire):
    """A square that phones read; see core.keep.label.qr_code."""

    qr_path: str
    qr_size: int


@router.get("/sites", response=list[SiteRowOut])
def sites(request: HttpRequest) -> list[SiteRowOut]:
    own_bench()  # the first site is made with the first bench
    return [SiteRowOut(id=s.pk, name=s.name) for s in Site.there.order_by("pk")]


@router.get("/choices", response=ChoicesOut)
def choices(request: HttpRequest) -> ChoicesOut:
    return _choices()


@cache
def _choices() -> ChoicesOut:
    countries = sorted((getattr(c, "common_name", c.name), c.alpha_2) for c in pycountry.countries)
    return ChoicesOut(
        countries=[PickOut(value=code, text=name) for name, code in countries],
        time_zones=[PickOut(value=zone, text=zone.replace("_", " ")) for zone in sorted(time_zones())],
        keyboards=[PickOut(value=code, text=name) for code, name in KEYBOARDS.items()],
        languages=[PickOut(value=code, text=name) for code, name in languages().items()],
    )


@router.post("/sites", response=SiteOut)
def add_site(request: HttpRequest, payload: NewSiteIn) -> SiteOut:
    name = " ".join(payload.name.split())[:80]
    if not name:
        raise InputError("a place needs a name", where="name")
    with transaction.atomic():
        site = Site.objects.create(name=name)
        record(None, "", "site.added", f"Place added: {name}")
    return _out(site)


@router.get("/sites/{pk}", response=SiteOut)
def read_site(request: HttpRequest, pk: int) -> SiteOut:
    return _out(Site.there.get(pk=pk))


@router.put("/sites/{pk}", response=SiteOut)
def change_site(request: HttpRequest, pk: int, payload: ChangeIn) -> SiteOut:
    standin = wiring.config().own_lan
    with transaction.atomic():
        site = Site.objects.select_for_update().get(pk=pk, removed_at=None)
        now = {name: getattr(site, name) for name in SiteIn.model_fields if not name.startswith("admin_password")}
        now["address_plan"] = _plan(site).model_dump(mode="json")
        wanted, sent = changed_by(SiteIn, now, payload)
        if len(wanted.networks) > MOST_RANGES:
            raise InputError(
                f"{len(wanted.networks)} ranges are too many", expected=f"at most {MOST_RANGES}", where="networks"
            )
        if sent & {"networks", "shared_range"}:
            ranges = [check_range(n, shared=wanted.shared_range, standin=standin) for n in wanted.networks]
            site.networks, site.shared_range = list(dict.fromkeys(ranges)), wanted.shared_range
        site.name = wanted.name.strip()[:80] or "My place"
        site.country, site.time_zone = wanted.country.strip()[:2], wanted.time_zone.strip()[:64]
        site.keyboard = wanted.keyboard.strip()[:16]
        site.locale = wanted.locale.strip()[:LOCALE_MOST]
        if "ssh_keys" in sent:
            site.ssh_keys = _kept_keys(wanted.ssh_keys)
        if "address_plan" in sent:
            site.address_plan = wanted.address_plan.model_dump(mode="json")
        if "name_scheme" in sent:
            site.name_scheme = check_scheme(wanted.name_scheme)
        site.admin_name = wanted.admin_name.strip()[:40]
        of_password: tuple[Finding, ...] = ()
        if wanted.admin_password:
            site.admin_hash, of_password = hashed(wanted.admin_password)
        elif wanted.admin_password_gone:
            site.admin_hash = ""
        site.save()
        judge_soon(site=site)
        record(None, "", "site.changed", f"Site changed: {site.country}, {site.time_zone}, keyboard {site.keyboard}")
    out = _out(site)
    out.of_password = list(of_password)
    return out


@router.post("/sites/{site_pk}/networks", response=SiteOut)
def add_network(request: HttpRequest, site_pk: int, payload: NetworkIn) -> SiteOut:
    site = Site.there.get(pk=site_pk)
    with transaction.atomic():
        WifiNetwork.objects.create(site=site, **_fields(payload), passphrase=payload.passphrase)
        record(None, "", "site.network-added", f"Network added: {payload.ssid[:80]}")
    return _out(site)


@router.put("/networks/{pk}", response=SiteOut)
def change_network(request: HttpRequest, pk: int, payload: ChangeIn) -> SiteOut:
    with transaction.atomic():
        row = WifiNetwork.objects.select_for_update().get(pk=pk, removed_at=None)
        now = {name: getattr(row, name) for name in ("ssid", "band_ghz", "hidden", "wpa3_only", "open", "channel")}
        wanted, _ = changed_by(NetworkIn, now, payload)
        for name, value in _fields(wanted).items():
            setattr(row, name, value)
        if wanted.passphrase:
            row.passphrase = wanted.passphrase
        row.save()
        judge_soon(site=row.site_id)  # others may know it beside their first one
        record(None, "", "site.network-changed", f"Network changed: {row.ssid[:80]}")
    return _out(row.site)


@router.post("/networks/{pk}/passphrase", response=SecretOut)
def show_network_passphrase(request: HttpRequest, pk: int) -> SecretOut:
    """Show one passphrase to the person who asked for it."""
    return SecretOut(value=WifiNetwork.there.get(pk=pk).passphrase)


@router.post("/networks/{pk}/join-code", response=GuestCodeOut)
def show_join_code(request: HttpRequest, pk: int) -> GuestCodeOut:
    """Show a guest's phone the network, passphrase and all, to the person who asked for it."""
    row = WifiNetwork.there.get(pk=pk)
    path, size = qr_code(join_code(JoinCode(row.ssid, "" if row.open else row.passphrase, row.hidden, row.wpa3_only)))
    return GuestCodeOut(qr_path=path, qr_size=size)


def _fields(payload: NetworkIn) -> dict[str, object]:
    if not 1 <= len(payload.ssid) <= 128:
        raise InputError("a network name has 1 to 32 octets", where="ssid")
    band = 5.0 if payload.band_ghz >= 4 else 2.4
    if payload.open and payload.wpa3_only:
        raise InputError(
            "an open network takes anybody, and WPA3 nobody without its passphrase",
            where="open",
            expected="one of the two",
        )
    return {
        "ssid": payload.ssid, "band_ghz": band, "hidden": payload.hidden, "wpa3_only": payload.wpa3_only, "open": payload.open,
        "channel": payload.channel,
    }  # fmt: skip


def _plan(site: Site) -> AddressPlan:
    plan: AddressPlan = stored(ADDRESS_PLAN, site.address_plan, NO_PLAN)
    return plan


def _kept_keys(text: str) -> str:
    """Return the keys as they are kept. Raises InputError for a private key, which is not to be kept anywhere, and for too many."""
    keys = keys_in(text)
    if "PRIVATE KEY" in text:
        told = next(check_keys(text, Where(field="ssh_keys")), None)
        raise InputError(
            "this is a private key", where="ssh_keys", expected="public keys", next_step=told.fix if told else ""
        )
    if len(keys) > MOST_KEYS:
        raise InputError(f"{len(keys)} keys are too many", where="ssh_keys", expected=f"at most {MOST_KEYS}")
    return "\n".join(keys)


def _findings(site: Site, network: WifiNetwork | None) -> list[Finding]:
    values = SettingValues(
        host_name="any", country=site.country, time_zone=site.time_zone, keyboard=site.keyboard, locale=site.locale, way="wifi",
        ssid=network.ssid if network else "any", passphrase=network.passphrase if network else "any passphrase",
        open_network=bool(network and network.open), admin_name="" if network else site.admin_name,
    )  # fmt: skip
    found = check_values(values, default_host_name="", names_taken=frozenset())
    place = ("wifi.country", "settings.time-zone", "settings.keyboard", "settings.locale", "settings.admin", "site.")
    wanted = ("wifi.ssid", "wifi.passphrase", "wifi.open", "wifi.channel") if network else place
    if network is None:
        keys = check_keys(site.ssh_keys, Where(field="ssh_keys"))
        found = (*found, *keys, *check_plan(_plan(site)), *scheme_finding(site.name_scheme))
    elif network.channel:
        found = (*found, *check_channel(network.channel, network.band_ghz, site.country))
    # A country that nobody chose yet is no fault of a place: a card that wants one says so.
    return [f for f in worst_first(found) if f.code.startswith(wanted) and (network or f.severity is not Severity.OK)]


def _out(site: Site) -> SiteOut:
    wifi = list(site.wifi.filter(removed_at=None).order_by("pk"))
    used = users_of("network", [n.pk for n in wifi])
    return SiteOut(
        id=site.pk,
        name=site.name,
        country=site.country,
        time_zone=site.time_zone,
        keyboard=site.keyboard,
        locale=site.locale,
        networks=list(site.networks),
        shared_range=site.shared_range,
        ssh_keys=site.ssh_keys,
        address_plan=_plan(site),
        name_scheme=site.name_scheme,
        name_example=name_by_scheme(
            site.name_scheme, place=site.name, appliance="printer", name="Printer", board="", taken=frozenset()
        ),
        admin_name=site.admin_name,
        admin_password_set=bool(site.admin_hash),
        of_password=[],
        wifi=[
            NetworkOut(
                id=n.pk,
                ssid=n.ssid,
                band_ghz=n.band_ghz,
                hidden=n.hidden,
                wpa3_only=n.wpa3_only,
                open=n.open,
                channel=n.channel,
                used_by=used[n.pk].words,
                passphrase_set=bool(n.passphrase) or isinstance(n.passphrase, Unreadable),
                findings=_findings(site, n),
            )
            for n in wifi
        ],
        benches=bench_rows(benches_of(site)),
        findings=_findings(site, None),
    )
