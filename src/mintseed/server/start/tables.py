"""Do the tables hold what the program's models say? Asked at every start, and answered in words.

A database whose tables differ answers every question with an error that blames the database; this says what differs.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

from django.apps import apps
from django.db import connection, models

APP = "mintseed"

_WIDTH = re.compile(r"\b((?:big|small|medium|tiny)?int)\(\d+\)")
"""The width MariaDB shows an integer with says nothing of what it holds."""

_SHOWN_AS = {"bool": "tinyint", "json": "longtext", "integer": "int", "double precision": "double"}
"""What Django calls a type, and how MariaDB shows it. Source: django.db.backends.mysql, DatabaseWrapper.data_types."""


@dataclass
class Table:
    """A table as it is: its columns with type and whether they may be empty, and the columns of each of its keys."""

    columns: dict[str, tuple[str, bool, bool]] = field(default_factory=dict)
    """column: its type, whether NULL is taken, whether something is put there when nothing is given"""
    unique: set[tuple[str, ...]] = field(default_factory=set)
    indexed: set[tuple[str, ...]] = field(default_factory=set)


def tables_now() -> dict[str, Table]:
    """Return the tables of this database, by name."""
    found: dict[str, Table] = defaultdict(Table)
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT table_name, column_name, column_type, is_nullable = 'YES', column_default IS NOT NULL OR extra <> '' "
            "FROM information_schema.columns WHERE table_schema = DATABASE()"
        )
        for table, column, kind, empty, given in cursor.fetchall():
            found[table].columns[column] = (kind, bool(empty), bool(given))
        keys: dict[tuple[str, str, bool], list[str]] = defaultdict(list)
        cursor.execute(
            "SELECT table_name, index_name, non_unique = 0, column_name FROM information_schema.statistics "
            "WHERE table_schema = DATABASE() ORDER BY table_name, index_name, seq_in_index"
        )
        for table, key, unique, column in cursor.fetchall():
            keys[table, key, bool(unique)].append(column)
    for (table, _, unique), columns in keys.items():
        found[table].indexed.add(tuple(columns))
        if unique:
            found[table].unique.add(tuple(columns))
    return found


def differences() -> list[str]:
    """Return a sentence for each thing in which the tables differ from the models; none when they are alike."""
    held = tables_now()
    return [
        text
        for model in apps.get_app_config(APP).get_models()
        for text in _differs(model, held.get(model._meta.db_table))
    ]


def _differs(model: type[models.Model], held: Table | None) -> Iterator[str]:
    name = model._meta.db_table
    if held is None:
        yield f"the table {name} is missing"
        return
    known = set()
    for column in model._meta.concrete_fields:
        known.add(str(column.column))
        yield from _column_differs(name, column, held.columns.get(str(column.column)))
    for extra in sorted(held.columns.keys() - known):
        _, empty, given = held.columns[extra]
        if not empty and not given:
            yield f"{name} has a column {extra} that this version does not know and that may not be empty"
    for columns in _wanted_keys(model):
        if columns not in held.unique:
            yield f"{name} lacks the key that holds {' and '.join(columns)} together only once"
    for columns in _wanted_indexes(model):
        if not any(index[: len(columns)] == columns for index in held.indexed):
            yield f"{name} lacks its index on {' and '.join(columns)}"


def _column_differs(table: str, column: models.Field, held: tuple[str, bool, bool] | None) -> Iterator[str]:  # type: ignore[type-arg]
    if held is None:
        yield f"{table} lacks the column {column.column}"
        return
    kind, empty, _ = held
    wanted = plain_type(column.db_type(connection) or "")
    if plain_type(kind) != wanted:
        yield f"{table}.{column.column} is {plain_type(kind)}, not {wanted}"
    says = column.output_field if isinstance(column, models.GeneratedField) else None
    may_be_empty = (says or column).null
    if empty != may_be_empty:
        yield f"{table}.{column.column} {'may' if empty else 'may not'} be empty"


def plain_type(kind: str) -> str:
    """Return a type as both sides spell it."""
    text = _WIDTH.sub(r"\1", kind.lower().removesuffix(" auto_increment").split(" collate ")[0])
    for called, shown in _SHOWN_AS.items():
        text = re.sub(rf"^{called}\b", shown, text)
    return text


def _wanted_keys(model: type[models.Model]) -> Iterable[tuple[str, ...]]:
    meta = model._meta
    yield from ((str(f.column),) for f in meta.concrete_fields if f.unique)
    for constraint in meta.constraints:
        if isinstance(constraint, models.UniqueConstraint) and constraint.fields:
            yield tuple(str(getattr(meta.get_field(name), "column", name)) for name in constraint.fields)


def _wanted_indexes(model: type[models.Model]) -> Iterable[tuple[str, ...]]:
    meta = model._meta
    yield from (
        (str(f.column),) for f in meta.concrete_fields if getattr(f, "db_index", False) or f.remote_field is not None
    )
    for index in meta.indexes:
        yield tuple(str(getattr(meta.get_field(name), "column", name)) for name in index.fields)
