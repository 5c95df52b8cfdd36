"""Settings: what goes into which file, shown as the file will be."""

from __future__ import annotations

import json
import secrets
from collections.abc import Mapping
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from ninja import Router
from pydantic import Field

from mintseed.core.errors import InputError, MissingError, RefusedError
from mintseed.core.findings import Finding, Severity, verdict
from mintseed.core.keep.label import next_name
from mintseed.core.recipes.model import WAYS_IN, Ask, Choice
from mintseed.core.settings.accounts import check_admin_password, check_typed_blind, password_hash
from mintseed.core.settings.by_hand import HandStep
from mintseed.core.settings.diff import MarkedLine, hide
from mintseed.core.site.languages import LOCALE_MOST
from mintseed.core.site.names import called_by_scheme
from mintseed.core.stations import Station
from mintseed.core.units import duration
from mintseed.server.api.meanwhile import refuse_changed
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.api.wire import Wire
from mintseed.server.done.open_record import held_for_choice, held_open
from mintseed.server.judged.changes import changed, deployment_topic
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import Judged, judged
from mintseed.server.judged.load import host_names
from mintseed.server.judged.loaded import Loaded, answers_of
from mintseed.server.judged.networks import addresses_left, keys_in_order, scheme_name
from mintseed.server.kept.closed import kept_word
from mintseed.server.kept.models import Deployment, Site, WifiNetwork
from mintseed.server.kept.transactions import all_or_nothing

router = Router(tags=["settings"])


MOST_KNOWN = 8
"""further networks of one device"""


class ValueOut(Wire):
    """A value and where it comes from: the site, or this deployment alone."""

    value: str
    from_site: bool
    site_value: str


class FileOut(Wire):
    path: str
    title: str
    dialect: str
    lines: list[MarkedLine]
    changed_lines: int
    meaning: str
    findings: list[Finding]


class AskOut(Wire):
    """A question of the recipe's own that is asked now. A secret's answer is never sent; `given` says whether there is one. `choices`: the answers
    there are, empty where any line is taken."""

    id: str
    title: str
    hint: str
    secret: bool
    value: str
    given: bool
    choices: list[Choice]


class KnownOut(Wire):
    """A network of the place that the device may know beside its first one. `knows`: whether it does."""

    id: int
    ssid: str
    band_ghz: float
    open: bool
    knows: bool


class SettingsOut(Wire):
    deployment: DeploymentOut
    way: str
    ssid: str
    band_ghz: float | None
    wpa3_only: bool
    open_network: bool
    passphrase_set: bool
    passphrase_from_site: bool
    also: list[KnownOut]
    """further networks, those it knows in their order in front"""
    host_name: str
    name_by_scheme: str
    """the host name the place's scheme makes for it, where that is another one; empty where there is none"""
    address: str
    addresses_left: list[str]
    """some that the place's plan keeps for nobody and no device here has; none where the plan does not tell"""
    takes_address: bool
    country: ValueOut
    time_zone: ValueOut
    keyboard: ValueOut
    locale: ValueOut
    takes_locale: bool
    """whether any file takes the system's language"""
    takes_admin: bool
    own_account: str
    """the image's account whose password is set; empty where one with a name of one's own is made"""
    admin_name: ValueOut
    admin_password_set: bool
    admin_from_site: bool
    """whether its password is the place's"""
    image_read: bool
    page_url: str
    joins_text: str
    files: list[FileOut]
    asks: list[AskOut]
    findings: list[Finding]
    fills: bool
    """whether files are filled before writing; else the settings get in by hand"""
    writes_card: bool
    """whether an image is written first; else it is installed over the network"""
    way_in_text: str
    by_hand: list[HandStep]
    of_password: list[Finding]
    """what there is to say of a password that was set just now; it is kept as a hash, so that nobody can say it later"""


class SettingsIn(Wire):
    """Only the fields that are sent change; an empty one goes back to the site's."""

    host_name: str | None = None
    address: str | None = None
    also: Annotated[list[int], Field(max_length=MOST_KNOWN)] | None = None
    """further networks of the place, by key, the one to be joined first in front"""
    passphrase: str | None = None
    country: str | None = None
    time_zone: str | None = None
    keyboard: str | None = None
    locale: str | None = None
    admin_name: str | None = None
    admin_password: str | None = None
    answers: dict[str, str] | None = None
    was: dict[str, str | list[int]] | None = None
    """what stood in each of those fields when somebody began to change it"""


class SecretOut(Wire):
    value: str


@router.get("/deployments/{pk}/settings", response=SettingsOut)
def read_settings(request: HttpRequest, pk: int) -> SettingsOut:
    return _out(judged(pk))


@router.put("/deployments/{pk}/settings", response=SettingsOut)
def change_settings(request: HttpRequest, pk: int, payload: SettingsIn) -> SettingsOut:
    row = judged(pk).loaded.row
    sent = payload.model_dump(exclude_unset=True)
    was = sent.pop("was", None) or {}
    password, answers, also = (sent.pop(name, None) for name in ("admin_password", "answers", "also"))
    values: dict[str, Any] = {k: _fit(k, str(v or "")) for k, v in sent.items()}
    of_password: tuple[Finding, ...] = ()
    if also is not None:
        values["also_networks"] = _known(row, also)
        was |= {"also_networks": was.pop("also")} if "also" in was else {}
    if password is not None:
        values["admin_hash"], of_password = hashed(password)
    _store(pk, values, answers, was)
    view = judged(pk)
    out = _out(view)
    if password:
        layouts = view.loaded.walk.console_layout, view.loaded.values.keyboard
        out.of_password = [*of_password, *check_typed_blind(password, *layouts)]
    return out


def _known(row: Deployment, wanted: list[int]) -> list[int]:
    """Return the further networks of a device as they are kept. Raises InputError for one that is none of its place."""
    there = set(WifiNetwork.there.filter(site_id=row.site_id).values_list("pk", flat=True))
    if strange := [pk for pk in wanted if pk not in there]:
        raise InputError(
            f"{len(strange)} of these networks are none of this place", where="also", next_step="Add them under Site."
        )
    return [pk for pk in dict.fromkeys(wanted) if pk != row.network_id]


@all_or_nothing
def _store(pk: int, values: dict[str, Any], answers: dict[str, str] | None, was: Mapping[str, Any]) -> None:
    held_for_choice(pk)
    row = Deployment.objects.select_related("site").get(pk=pk)
    shown = {
        "host_name": row.host_name, "admin_name": row.admin_name or row.site.admin_name, "country": row.country or row.site.country,
        "time_zone": row.time_zone or row.site.time_zone, "keyboard": row.keyboard or row.site.keyboard,
        "locale": row.locale or row.site.locale, "address": row.address, "also_networks": list(keys_in_order(row.also_networks)),
    }  # fmt: skip
    refuse_changed(shown, was, values)
    if "host_name" in values and values["host_name"] != row.host_name:
        _refuse_taken(row, str(values["host_name"]))
        values["name_shared"] = False
    if answers is not None:
        kept = {**answers_of(row), **{k[:40]: _fit("answer", str(v)) for k, v in answers.items()}}
        values["answers"] = json.dumps(kept)
    for name, value in values.items():
        setattr(row, name, value)
    row.save(update_fields=list(values))
    changed(deployment_topic(pk))


def _refuse_taken(row: Deployment, wanted: str) -> None:
    """Raise InputError where another device of the place has that host name; whoever comes at this moment waits."""
    site = Site.objects.select_for_update().get(pk=row.site_id)
    other = Deployment.objects.filter(site=site, removed_at=None, host_name__iexact=wanted).exclude(pk=row.pk).first()
    if wanted and other is not None and other.host_name.lower() == wanted.lower():
        taken = host_names(site, wanted)
        raise InputError(f"{wanted} is taken here, by {other.name}", where="host_name", expected="a name of its own",
                         next_step=f"{next_name(wanted, taken)} is not taken.")  # fmt: skip


def _fit(field: str, value: str) -> str:
    """Return `value` as it may be stored; one that cannot be any such value is refused before it reaches the table."""
    text = value if field == "passphrase" else value.strip()
    limit = {
        "country": 8,
        "keyboard": 16,
        "locale": LOCALE_MOST,
        "time_zone": 64,
        "admin_name": 40,
        "host_name": 80,
        "address": 40,
    }.get(field, 128)
    if len(text) > limit:
        raise InputError(f"{len(text)} characters are too many", expected=f"at most {limit}", where=field)
    return text


def hashed(password: str) -> tuple[str, tuple[Finding, ...]]:
    """Return a password as it is kept, and what there is to say of it. Raises InputError for one that no login takes."""
    if not password:
        return "", ()
    kept_word(password)
    found = check_admin_password(password)
    if verdict(found) is Severity.STOP:
        raise InputError(found[0].title, where="admin_password", next_step=found[0].fix)
    return password_hash(password, secrets.token_hex(8)), found


@router.post("/deployments/{pk}/settings/passphrase", response=SecretOut)
def show_passphrase(request: HttpRequest, pk: int) -> SecretOut:
    """Show one passphrase to the person who asked for it."""
    return SecretOut(value=judged(pk).loaded.values.passphrase)


@router.get("/deployments/{pk}/settings/files/{number}")
def save_file(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """Hand one file out that a person puts on the written card; it holds what opens the network."""
    files = judged(pk).loaded.walk.to_put
    if not 0 <= number < len(files):
        raise MissingError("there is no such file to put on the card")
    name = files[number].path.rsplit("/", 1)[-1]
    answer = HttpResponse(files[number].content, content_type="application/octet-stream")
    answer["Content-Disposition"] = content_disposition_header(as_attachment=True, filename=name) or ""
    return answer


@router.post("/deployments/{pk}/settings/agree", response=SettingsOut)
def agree(request: HttpRequest, pk: int) -> SettingsOut:
    _agree(pk)
    return _out(judged(pk))


@all_or_nothing
def _agree(pk: int) -> None:
    """Keep that somebody looked over the settings as they are at this moment."""
    one = held_open(pk)
    walk, row = one.walk, one.row
    stops = [f for f in walk.settings_findings if f.severity is Severity.STOP]
    if stops or (walk.fills and not walk.filled):
        raise RefusedError(
            stops[0].title if stops else "no image was read yet",
            next_step=stops[0].fix if stops else "Choose the image first.",
        )
    if not row.settings_agreed:
        Deployment.objects.filter(pk=pk).update(settings_agreed=True)
        count = len(walk.filled)
        record(row, "settings", "settings.agreed", f"Settings looked over: {count} file{'s' * (count != 1)} to fill")


def _also(one: Loaded) -> list[KnownOut]:
    knows = [n.pk for n in one.also]
    rows = [n for n in WifiNetwork.there.filter(site_id=one.row.site_id).order_by("pk") if n.pk != one.row.network_id]
    rows.sort(key=lambda n: knows.index(n.pk) if n.pk in knows else len(knows))
    return [KnownOut(id=n.pk, ssid=n.ssid, band_ghz=n.band_ghz, open=n.open, knows=n.pk in knows) for n in rows]


def _by_scheme(one: Loaded) -> str:
    """Return what the place's scheme calls this device, empty where it is called so already, with any number."""
    row = one.row
    board = row.board_unit.board if row.board_unit else ""
    words = {"place": row.site.name, "appliance": row.recipe, "name": row.name, "board": board}
    if not row.site.name_scheme or called_by_scheme(row.site.name_scheme, row.host_name, **words):
        return ""
    return scheme_name(row.site, recipe=row.recipe, name=row.name, board=board, but=row.pk)


def _value(own: str, site: str) -> ValueOut:
    return ValueOut(value=own or site, from_site=not own, site_value=site)


def _was(value: str, own: str) -> ValueOut:
    """Return a value of a device in service: the place may have another one by now."""
    return ValueOut(value=value, from_site=not own, site_value="" if own else value)


def _out(view: Judged) -> SettingsOut:
    one, walk = view.loaded, view.loaded.walk
    row, site, values, recipe = one.row, one.site, one.values, one.recipe
    asked = tuple(values.answers.get(a.id, "") for a in recipe.asks if a.secret)
    keys = [k for n in values.networks if n.passphrase and n.ssid for k in (n.key, n.passphrase)]
    hidden = (*keys, values.passphrase, values.admin_hash, *asked)
    page, band, xray = recipe.page, walk.band, walk.inputs.xray
    return SettingsOut(
        deployment=deployment_out(view),
        way=row.way,
        ssid=values.ssid,
        band_ghz=walk.inputs.network.band_ghz if walk.inputs.network else None,
        wpa3_only=values.wpa3_only,
        open_network=values.open_network,
        also=_also(one) if one.frozen is None else [],
        name_by_scheme=_by_scheme(one) if one.frozen is None else "",
        address=walk.inputs.address,
        addresses_left=list(addresses_left(one.site, one.address_plan, 3)) if one.frozen is None else [],
        takes_address=walk.takes_address,
        passphrase_set=bool(values.passphrase),
        passphrase_from_site=not row.passphrase,
        host_name=row.host_name,
        country=_value(row.country, site.country) if one.frozen is None else _was(values.country, row.country),
        time_zone=_value(row.time_zone, site.time_zone)
        if one.frozen is None
        else _was(values.time_zone, row.time_zone),
        keyboard=_value(row.keyboard, site.keyboard) if one.frozen is None else _was(values.keyboard, row.keyboard),
        locale=_value(row.locale, site.locale) if one.frozen is None else _was(values.locale, row.locale),
        takes_locale=recipe.takes_locale,
        takes_admin=recipe.takes_admin,
        own_account=recipe.own_account,
        admin_name=_value(row.admin_name, site.admin_name)
        if one.frozen is None
        else _was(values.admin_name, row.admin_name),
        admin_password_set=bool(values.admin_hash),
        admin_from_site=bool(values.admin_hash) and not row.admin_hash,
        image_read=xray is not None,
        page_url=(xray.page.url(row.host_name) if xray else "")
        or f"http://{row.host_name}.local:{page.port}{page.path}",
        joins_text=f"{duration(band.usual_from_s)} to {duration(band.usual_to_s)}{', assumed' * band.assumed}"
        if band
        else "",
        files=[
            FileOut(
                path=f.path,
                title=f.title,
                dialect=f.dialect,
                lines=list(hide(f.lines, hidden)),
                changed_lines=f.changed_lines,
                meaning=f.meaning,
                findings=list(f.findings),
            )
            for f in (*walk.filled, *walk.to_put)
        ],
        asks=[_ask_out(ask, values.answers.get(ask.id, "")) for ask in recipe.asks if ask.asked(values.answers)],
        findings=view.of(Station.SETTINGS) if view.closed else list(walk.settings_findings),
        of_password=[],
        fills=walk.fills,
        writes_card=walk.writes_card,
        way_in_text=WAYS_IN[walk.plan.own_way_in],
        by_hand=list(walk.by_hand),
    )


def _ask_out(ask: Ask, value: str) -> AskOut:
    return AskOut(
        id=ask.id,
        title=ask.title,
        hint=ask.hint,
        secret=ask.secret,
        value="" if ask.secret else value or ask.default,
        given=bool(value),
        choices=list(ask.choices),
    )
