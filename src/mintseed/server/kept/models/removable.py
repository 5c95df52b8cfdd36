"""What can be taken off and put back, and columns of which the table takes one at a time."""

from __future__ import annotations

from typing import Any, TypeVar

from django.db import connection, models
from django.db.models import Case, When


def once_while(key: Any, **there: Any) -> models.GeneratedField:
    """Return a column that MariaDB fills with `key` while the row is as `there` says, else with NULL, and that no two rows may share: of
    what there may be one of at a time, the table itself takes no second one."""
    return models.GeneratedField(
        expression=Case(When(**there, then=key)),
        output_field=models.BigIntegerField(null=True),
        db_persist=True,
        unique=True,
    )


Row = TypeVar("Row", bound=models.Model)


class There(models.Manager[Row]):
    """What is there: what somebody took off is left out, and can be put back."""

    def get_queryset(self) -> models.QuerySet[Row]:
        return super().get_queryset().filter(removed_at=None)

    def at(self, site_pk: int, most: int) -> list[Row]:
        """Return the first `most` of what is there at a place, in the order in which it came. Written by hand: every plan asks for six such
        lists, and composing one takes the ORM twice as long as MariaDB takes to answer and the rows to be made (measured)."""
        table = connection.ops.quote_name(self.model._meta.db_table)
        text = f"SELECT * FROM {table} WHERE site_id = %s AND removed_at IS NULL ORDER BY id LIMIT %s"
        return list(super().get_queryset().raw(text, [site_pk, most]))


class Removable(models.Model):
    """What can be taken off and put back. It stays with all that points at it, until somebody removes it for good."""

    removed_at = models.DateTimeField(null=True)

    objects = models.Manager()
    there = There()

    class Meta:
        abstract = True
