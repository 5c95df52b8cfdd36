"""The first hour on one's own things: what is there already, what this machine says of the place, and join codes."""

from __future__ import annotations

from typing import Annotated

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from mintseed import wiring
from mintseed.core.site.join_code import read_join_code
from mintseed.core.site.proposal import Proposal, proposals
from mintseed.server.api.wire import Wire
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.kept.models import BoardUnit, Site, WifiNetwork
from mintseed.server.owned.library import sync_library

router = Router(tags=["site"])


class FirstStepsOut(Wire):
    """What is there of what a first deployment wants; none of it has to be."""

    place: bool
    """whether somebody said where it is"""
    wifi: bool
    board: bool
    image: bool


class JoinCodeIn(Wire):
    code: Annotated[str, Field(max_length=400)]


class JoinCodeOut(Wire):
    """What a join code says, for the form it was pasted into. It holds the passphrase that was sent."""

    ssid: str
    passphrase: str
    hidden: bool
    wpa3_only: bool
    open: bool


@router.get("/first-steps", response=FirstStepsOut)
def first_steps(request: HttpRequest) -> FirstStepsOut:
    site = own_bench().site
    return FirstStepsOut(
        place=bool(site.country or site.networks), wifi=WifiNetwork.there.filter(site=site).exists(),
        board=BoardUnit.there.filter(site=site).exists(), image=sync_library().exists(),
    )  # fmt: skip


@router.get("/sites/{pk}/proposals", response=list[Proposal])
def read_proposals(request: HttpRequest, pk: int) -> list[Proposal]:
    """What this machine says of the place where nobody said anything; nothing on a stand-in bench, and of places without this bench."""
    site, machine = Site.there.get(pk=pk), wiring.this_machine()
    if machine is None or own_bench().site_id != site.pk:
        return []
    return list(
        proposals(
            machine.facts(), country=site.country, time_zone=site.time_zone, keyboard=site.keyboard, locale=site.locale, networks=site.networks,
            wifi=list(WifiNetwork.there.filter(site=site).values_list("ssid", flat=True)),
        )
    )  # fmt: skip


@router.post("/join-code", response=JoinCodeOut)
def join_code(request: HttpRequest, payload: JoinCodeIn) -> JoinCodeOut:
    said = read_join_code(payload.code)
    return JoinCodeOut(
        ssid=said.ssid, passphrase=said.passphrase, hidden=said.hidden, wpa3_only=said.wpa3_only, open=said.open
    )
