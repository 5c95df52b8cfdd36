"""The tables of a database that begins with this version: ours made as the models say, all steps that lead there noted as taken.

Walking through every step from the first version's tables ends at the same tables (tests/server/test_first_tables.py compares both)
and takes five seconds longer. A database that holds anything goes through the steps it has not taken.
"""

from __future__ import annotations

from django.apps import apps
from django.core.management import call_command
from django.core.management.sql import emit_post_migrate_signal
from django.db import connection
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.recorder import MigrationRecorder

from mintseed.server.start.tables import APP


def make_tables() -> None:
    """Make every table in a database that has none. Raises django.db.OperationalError where one is there already."""
    steps = MigrationLoader(None).disk_migrations
    for app in sorted({app for app, _ in steps} - {APP}):
        call_command("migrate", app, interactive=False, verbosity=0)
    with connection.schema_editor() as editor:
        for model in apps.get_app_config(APP).get_models():
            editor.create_model(model)
    recorder = MigrationRecorder(connection)
    for app, name in sorted(steps):
        if app == APP:
            recorder.record_applied(app, name)
    emit_post_migrate_signal(verbosity=0, interactive=False, db=connection.alias)
