"""Make a dump of this version's home, for tests/data/homes: done once when a migration is about to follow.

MINTSEED_DUMP=tests/data/homes/10-COMMIT.sql.xz python -m pytest tests/server/dump_home.py

Two cards are proven through the API, one of them changed since, and every table gets at least one row. The keys are those the
other dumps were made with, so that what is encrypted in them can be read.
"""

from __future__ import annotations

import lzma
import os
import shutil
import subprocess
from pathlib import Path
from typing import Any

import pytest
from django.apps import apps
from django.db import connection, models
from django.utils import timezone

from mintseed import wiring
from mintseed.server.kept import secret_field
from mintseed.server.kept.models import Deployment, Image, Job
from tests.server.conftest import CARD_SERIAL, OTHER_CARD_SERIAL, Api, card, started, work

DATA = Path(__file__).resolve().parents[1] / "data" / "homes"


@pytest.mark.django_db(transaction=True)
def test_dump(request: pytest.FixtureRequest) -> None:
    target = os.environ["MINTSEED_DUMP"]
    own = wiring.config().home / "secrets" / "key"
    kept = own.read_text() if own.exists() else ""
    shutil.copyfile(DATA / "key", own)  # the words alone: its mode stays that of a secret
    request.getfixturevalue("settings").SECRET_KEY = (DATA / "django").read_text().strip()  # marks are keyed with it
    secret_field.cipher.cache_clear()
    try:
        api: Api = request.getfixturevalue("api")
        _two_cards(api)
        _a_row_in_every_table()
        used = set(Deployment.objects.exclude(image=None).values_list("image_id", flat=True))
        Job.objects.filter(image__isnull=False).delete()
        Image.objects.exclude(pk__in=used).delete()
        api.get("/bench")
        Path(target).write_bytes(lzma.compress(_dumped(), preset=9))
    finally:
        own.write_text(kept)
        secret_field.cipher.cache_clear()


def _two_cards(api: Api) -> None:
    first = started(api, unit="clear case")
    api.post(f"/deployments/{first}/card/write", card(CARD_SERIAL))
    work()
    second = started(api, unit="bare")
    api.post(f"/deployments/{second}/card/write", card(OTHER_CARD_SERIAL))
    work()
    api.put(f"/deployments/{second}/settings", {"country": "NZ"})
    assert [api.get(f"/deployments/{pk}/card")["current"] for pk in (first, second)] == [True, False]


def _a_row_in_every_table() -> None:
    tables = list(apps.get_app_config("mintseed").get_models())
    for _ in range(3):  # what points at an empty table waits for its row
        for model in tables:
            if not model._default_manager.exists():
                _make(model)
    assert not [m.__name__ for m in tables if not m._default_manager.exists()]


def _make(model: type[models.Model]) -> None:
    values: dict[str, Any] = {}
    for column in model._meta.concrete_fields:
        if column.primary_key or column.has_default() or column.generated:
            continue
        if isinstance(column, models.ForeignKey):
            values[column.name] = column.related_model._default_manager.last()  # type: ignore[union-attr]
            if values[column.name] is None and not column.null:
                return
        elif not column.null:
            values[column.name] = _plain(column)
    model._default_manager.create(**values)


def _plain(column: Any) -> Any:
    if isinstance(column, models.DateTimeField):
        return timezone.now()
    if isinstance(column, models.BooleanField):
        return False
    if isinstance(column, models.JSONField):
        return {}
    if isinstance(column, models.BinaryField):
        return b""
    if isinstance(column, (models.FloatField, models.IntegerField)):
        return 1
    return column.choices[-1][0] if column.choices else "quay-house"[: column.max_length or 10]


def _dumped() -> bytes:
    name, socket = connection.settings_dict["NAME"], connection.settings_dict["HOST"]
    return subprocess.run(
        ["mariadb-dump", "--no-defaults", f"--socket={socket}", "--skip-comments", "--skip-extended-insert", "--hex-blob", "--no-tablespaces", name],
        capture_output=True, check=True,
    ).stdout  # fmt: skip
