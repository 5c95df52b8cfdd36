"""What the open screens are told of, and what is counted a peer: gone after minutes."""

from __future__ import annotations

from django.db import models
from django.utils import timezone


class Change(models.Model):
    """Something changed that an open screen may show: `deployment/12`, `images`, `drives`, or `everything`."""

    topic = models.CharField(max_length=40)
    at = models.DateTimeField(default=timezone.now, db_index=True)


class WrongPasswords(models.Model):
    """How often somebody tried with a wrong password lately. `peer` is the address block it came from."""

    peer = models.CharField(max_length=64, unique=True)
    count = models.PositiveIntegerField(default=0)
    since = models.DateTimeField(default=timezone.now)
