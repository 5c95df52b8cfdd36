"""What was judged, made when an input changed."""

from __future__ import annotations

from typing import ClassVar

from django.db import models
from django.db.models import Case, Value, When
from django.db.models.functions import Cast, Concat
from django.utils import timezone

from mintseed.server.kept.models.chosen import Deployment


class Judgement(models.Model):
    """How a deployment stands, judged from inputs whose keyed hash is `inputs`. Good until `again_at`: when time alone
    changes it, or when something it rests on was changed elsewhere. Final once `closed`. Lists are made from these rows."""

    class Place(models.TextChoices):
        OPEN = "open"
        SERVICE = "service"
        GONE = "gone"

    deployment = models.OneToOneField(Deployment, on_delete=models.CASCADE, related_name="judgement")
    inputs = models.CharField(max_length=64)
    line = models.JSONField()
    at = models.DateTimeField(default=timezone.now)
    again_at = models.DateTimeField(null=True, db_index=True)
    closed = models.BooleanField(default=False)
    place = models.CharField(max_length=10, choices=Place.choices, default=Place.OPEN)
    """on the go, in service, or taken off the bench"""
    needs_you = models.BooleanField(default=False)
    running = models.BooleanField(default=False)

    class Meta:
        indexes: ClassVar = [
            models.Index(fields=["place", "deployment"]),
            models.Index(fields=["place", "needs_you", "deployment"]),
            models.Index(fields=["place", "running", "deployment"]),
        ]


class StationRecord(models.Model):
    """What was judged at one station. A new row when the judgement changed; the newest one counts."""

    deployment = models.ForeignKey(Deployment, on_delete=models.CASCADE, related_name="records")
    station = models.CharField(max_length=10)
    mark = models.CharField(max_length=10)
    verdict = models.CharField(max_length=10)
    note = models.CharField(max_length=200, default="", blank=True)
    findings = models.JSONField(default=list)
    inputs = models.CharField(max_length=64)
    at = models.DateTimeField(default=timezone.now)
    current = models.BooleanField(default=True)
    key = models.GeneratedField(
        expression=Case(When(current=True, then=Concat(Cast("deployment", models.CharField(max_length=20)), Value(" "), "station"))),
        output_field=models.CharField(max_length=32, null=True, db_collation="utf8mb4_bin"), db_persist=True, unique=True,
    )  # fmt: skip
    """one current record a station"""

    class Meta:
        indexes: ClassVar = [models.Index(fields=["deployment", "current"])]
