"""A first database is made as the models say; walking through every migration ends at the same tables."""

from __future__ import annotations

from pathlib import Path

import pytest
from torture.homes import Home, homes

WALKED = "from django.core.management import call_command; call_command('migrate', interactive=False, verbosity=0)"
AT_ONCE = "from mintseed.server.start.first_tables import make_tables; make_tables()"

HELD = """
    SELECT table_name, engine, table_collation FROM information_schema.tables WHERE table_schema = 'mintseed' ORDER BY 1;
    SELECT table_name, column_name, column_type, is_nullable, IFNULL(column_default, '-'), extra, IFNULL(collation_name, '-'),
        IFNULL(generation_expression, '-') FROM information_schema.columns WHERE table_schema = 'mintseed' ORDER BY 1, 2;
    SELECT table_name, GROUP_CONCAT(column_name ORDER BY seq_in_index), non_unique FROM information_schema.statistics
        WHERE table_schema = 'mintseed' GROUP BY table_name, index_name, non_unique ORDER BY 1, 2, 3;
    SELECT table_name, column_name, referenced_table_name, referenced_column_name FROM information_schema.key_column_usage
        WHERE table_schema = 'mintseed' AND referenced_table_name IS NOT NULL ORDER BY 1, 2;
    SELECT table_name, constraint_name, check_clause FROM information_schema.check_constraints WHERE constraint_schema = 'mintseed' ORDER BY 1, 2, 3;
    SELECT app, name FROM django_migrations ORDER BY 1, 2;
    SELECT app_label, model FROM django_content_type ORDER BY 1, 2;
    SELECT codename, name FROM auth_permission ORDER BY 1, 2;
"""


def made(base: Path, how: str) -> list[str]:
    with Home.like(base) as home:
        code = (
            "from mintseed.server.start import database\nimport django\n"
            f"with database.started(database.folder()):\n    django.setup()\n    {how}\n"
        )
        said = home.run("-c", code)
        assert said.returncode == 0, said.stdout
        return home.sql(HELD).splitlines()


@pytest.fixture(scope="module")
def walked() -> list[str]:
    with homes() as empty:
        return made(empty, WALKED)


@pytest.fixture(scope="module")
def at_once() -> list[str]:
    with homes() as empty:
        return made(empty, AT_ONCE)


def test_every_table_is_as_all_steps_would_leave_it(walked: list[str], at_once: list[str]) -> None:
    assert len(walked) > 500
    assert sorted(set(at_once) ^ set(walked)) == []
    assert at_once == walked
