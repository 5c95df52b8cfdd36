"""Site: the place, its country, time zone, keyboard and networks."""

from __future__ import annotations

import ipaddress

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema

from mintseed.core.errors import InputError
from mintseed.core.findings import Finding, Severity
from mintseed.core.settings.values import SettingValues, check_values
from mintseed.server.api.settings import SecretOut
from mintseed.server.journal import record
from mintseed.server.models import Site, WifiNetwork

router = Router(tags=["site"])


class NetworkOut(Schema):
    id: int
    ssid: str
    band_ghz: float
    hidden: bool
    passphrase_set: bool
    findings: list[Finding]


class SiteOut(Schema):
    name: str
    country: str
    time_zone: str
    keyboard: str
    networks: list[str]
    wifi: list[NetworkOut]
    findings: list[Finding]


class SiteIn(Schema):
    name: str
    country: str
    time_zone: str
    keyboard: str
    networks: list[str]


class NetworkIn(Schema):
    """An empty passphrase leaves the stored one as it is."""

    ssid: str
    band_ghz: float = 2.4
    hidden: bool = False
    passphrase: str = ""


@router.get("/site", response=SiteOut)
def read_site(request: HttpRequest) -> SiteOut:
    return _out(Site.objects.get_or_create(pk=1)[0])


@router.put("/site", response=SiteOut)
def change_site(request: HttpRequest, payload: SiteIn) -> SiteOut:
    for network in payload.networks:
        _check_range(network)
    site, _ = Site.objects.get_or_create(pk=1)
    with transaction.atomic():
        site.name = payload.name.strip()[:80] or "My place"
        site.country, site.time_zone = payload.country.strip()[:2], payload.time_zone.strip()[:64]
        site.keyboard, site.networks = payload.keyboard.strip()[:16], payload.networks
        site.save()
        record(None, "", "site.changed", f"Site changed: {site.country}, {site.time_zone}, keyboard {site.keyboard}")
    return _out(site)


def _check_range(text: str) -> None:
    try:
        network = ipaddress.ip_network(text)
    except ValueError as error:
        raise InputError(
            f"{text} is not a range of addresses", expected="such as 192.168.1.0/24", where="networks"
        ) from error
    if not network.is_private or network.version != 4:
        raise InputError(f"{text} is not private", expected="a range of RFC 1918", where="networks",
                         next_step="Only your own network is looked at.")  # fmt: skip


@router.post("/site/networks", response=SiteOut)
def add_network(request: HttpRequest, payload: NetworkIn) -> SiteOut:
    site, _ = Site.objects.get_or_create(pk=1)
    with transaction.atomic():
        WifiNetwork.objects.create(site=site, **_fields(payload), passphrase=payload.passphrase)
        record(None, "", "site.network-added", f"Network added: {payload.ssid[:80]}")
    return _out(site)


@router.put("/site/networks/{pk}", response=SiteOut)
def change_network(request: HttpRequest, pk: int, payload: NetworkIn) -> SiteOut:
    row = WifiNetwork.objects.get(pk=pk)
    with transaction.atomic():
        for name, value in _fields(payload).items():
            setattr(row, name, value)
        if payload.passphrase:
            row.passphrase = payload.passphrase
        row.save()
        record(None, "", "site.network-changed", f"Network changed: {row.ssid[:80]}")
    return _out(row.site)


@router.delete("/site/networks/{pk}", response=SiteOut)
def remove_network(request: HttpRequest, pk: int) -> SiteOut:
    row = WifiNetwork.objects.get(pk=pk)
    site = row.site
    with transaction.atomic():
        record(None, "", "site.network-removed", f"Network removed: {row.ssid[:80]}")
        row.delete()
    return _out(site)


@router.post("/site/networks/{pk}/passphrase", response=SecretOut)
def show_network_passphrase(request: HttpRequest, pk: int) -> SecretOut:
    """Show one passphrase to the person who asked for it."""
    return SecretOut(value=WifiNetwork.objects.get(pk=pk).passphrase)


def _fields(payload: NetworkIn) -> dict[str, object]:
    if not 1 <= len(payload.ssid) <= 128:
        raise InputError("a network name has 1 to 32 octets", where="ssid")
    band = 5.0 if payload.band_ghz >= 4 else 2.4
    return {"ssid": payload.ssid, "band_ghz": band, "hidden": payload.hidden}


def _findings(site: Site, network: WifiNetwork | None) -> list[Finding]:
    values = SettingValues(
        host_name="any", country=site.country, time_zone=site.time_zone, keyboard=site.keyboard, way="wifi",
        ssid=network.ssid if network else "any", passphrase=network.passphrase if network else "any passphrase",
    )  # fmt: skip
    found = check_values(values, default_host_name="", names_taken=frozenset())
    place = ("wifi.country", "settings.time-zone")
    wanted = ("wifi.ssid", "wifi.passphrase") if network else place
    return [f for f in found if f.code.startswith(wanted) and (network or f.severity is not Severity.OK)]


def _out(site: Site) -> SiteOut:
    return SiteOut(
        name=site.name,
        country=site.country,
        time_zone=site.time_zone,
        keyboard=site.keyboard,
        networks=list(site.networks),
        wifi=[
            NetworkOut(
                id=n.pk,
                ssid=n.ssid,
                band_ghz=n.band_ghz,
                hidden=n.hidden,
                passphrase_set=bool(n.passphrase),
                findings=_findings(site, n),
            )
            for n in site.wifi.order_by("pk")
        ],
        findings=_findings(site, None),
    )
