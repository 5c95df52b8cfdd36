"""Settings: what goes into which file, shown as the file will be."""

from __future__ import annotations

import secrets

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema

from mintseed.core.errors import InputError, RefusedError
from mintseed.core.findings import Finding, Severity, verdict
from mintseed.core.settings.diff import MarkedLine, hide
from mintseed.core.settings.values import check_admin_password, password_hash
from mintseed.core.units import duration
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.journal import record
from mintseed.server.models import Deployment
from mintseed.server.walk import Walk, load_walk

router = Router(tags=["settings"])


class ValueOut(Schema):
    """A value and where it comes from: the site, or this deployment alone."""

    value: str
    from_site: bool
    site_value: str


class FileOut(Schema):
    path: str
    title: str
    dialect: str
    lines: list[MarkedLine]
    changed_lines: int
    findings: list[Finding]


class SettingsOut(Schema):
    deployment: DeploymentOut
    way: str
    ssid: str
    band_ghz: float | None
    passphrase_set: bool
    passphrase_from_site: bool
    host_name: str
    country: ValueOut
    time_zone: ValueOut
    keyboard: ValueOut
    takes_admin: bool
    admin_name: str
    admin_password_set: bool
    image_read: bool
    page_url: str
    joins_text: str
    files: list[FileOut]
    findings: list[Finding]


class SettingsIn(Schema):
    """Only the fields that are sent change; an empty one goes back to the site's."""

    host_name: str | None = None
    passphrase: str | None = None
    country: str | None = None
    time_zone: str | None = None
    keyboard: str | None = None
    admin_name: str | None = None
    admin_password: str | None = None


class SecretOut(Schema):
    value: str


@router.get("/deployments/{pk}/settings", response=SettingsOut)
def read_settings(request: HttpRequest, pk: int) -> SettingsOut:
    return _out(load_walk(pk))


@router.put("/deployments/{pk}/settings", response=SettingsOut)
def change_settings(request: HttpRequest, pk: int, payload: SettingsIn) -> SettingsOut:
    walk = load_walk(pk)
    if walk.card_facts.writing:
        raise RefusedError("its card is being written", next_step="Wait for it, or stop it under Card.")
    sent = payload.model_dump(exclude_unset=True)
    password = sent.pop("admin_password", None)
    values = {k: _fit(k, str(v or "")) for k, v in sent.items()}
    if password is not None:
        values["admin_hash"] = _hashed(password)
    with transaction.atomic():
        row = Deployment.objects.select_for_update().get(pk=pk)
        for name, value in values.items():
            setattr(row, name, value)
        row.save(update_fields=list(values))
    return _out(load_walk(pk))


def _fit(field: str, value: str) -> str:
    """Return `value` as it may be stored; one that cannot be any such value is refused before it reaches the table."""
    text = value if field == "passphrase" else value.strip()
    limit = {"country": 8, "keyboard": 16, "time_zone": 64, "admin_name": 40, "host_name": 80}.get(field, 128)
    if len(text) > limit:
        raise InputError(f"{len(text)} characters are too many", expected=f"at most {limit}", where=field)
    return text


def _hashed(password: str) -> str:
    if not password:
        return ""
    found = check_admin_password(password)
    if verdict(found) is Severity.STOP:
        raise InputError(found[0].title, where="admin_password", next_step=found[0].fix)
    return password_hash(password, secrets.token_hex(8))


@router.post("/deployments/{pk}/settings/passphrase", response=SecretOut)
def show_passphrase(request: HttpRequest, pk: int) -> SecretOut:
    """Show one passphrase to the person who asked for it."""
    return SecretOut(value=load_walk(pk).values.passphrase)


@router.post("/deployments/{pk}/settings/agree", response=SettingsOut)
def agree(request: HttpRequest, pk: int) -> SettingsOut:
    walk = load_walk(pk)
    stops = [f for f in walk.settings_findings if f.severity is Severity.STOP]
    if stops or not walk.filled:
        raise RefusedError(
            stops[0].title if stops else "no image was read yet",
            next_step=stops[0].fix if stops else "Choose the image first.",
        )
    if not walk.row.settings_agreed:
        with transaction.atomic():
            Deployment.objects.filter(pk=pk).update(settings_agreed=True)
            count = len(walk.filled)
            record(
                walk.row,
                "settings",
                "settings.agreed",
                f"Settings looked over: {count} file{'s' * (count != 1)} to fill",
            )
    return _out(load_walk(pk))


def _value(own: str, site: str) -> ValueOut:
    return ValueOut(value=own or site, from_site=not own, site_value=site)


def _out(walk: Walk) -> SettingsOut:
    row, site, values = walk.row, walk.site, walk.values
    hidden = (values.key if values.passphrase and values.ssid else "", values.passphrase, values.admin_hash)
    page, band = walk.recipe.page, walk.band
    return SettingsOut(
        deployment=deployment_out(walk),
        way=row.way,
        ssid=values.ssid,
        band_ghz=row.network.band_ghz if row.network else None,
        passphrase_set=bool(values.passphrase),
        passphrase_from_site=not row.passphrase,
        host_name=row.host_name,
        country=_value(row.country, site.country),
        time_zone=_value(row.time_zone, site.time_zone),
        keyboard=_value(row.keyboard, site.keyboard),
        takes_admin=walk.recipe.takes_admin,
        admin_name=row.admin_name,
        admin_password_set=bool(row.admin_hash),
        image_read=walk.xray is not None,
        page_url=(walk.xray.page.url(row.host_name) if walk.xray else "")
        or f"http://{row.host_name}.local:{page.port}{page.path}",
        joins_text=f"{duration(band.usual_from_s)} to {duration(band.usual_to_s)}" if band else "",
        files=[
            FileOut(
                path=f.path,
                title=f.title,
                dialect=f.dialect,
                lines=list(hide(f.lines, hidden)),
                changed_lines=f.changed_lines,
                findings=list(f.findings),
            )
            for f in walk.filled
        ],
        findings=list(walk.settings_findings),
    )
