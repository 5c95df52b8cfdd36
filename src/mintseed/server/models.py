"""What is kept: the site, the things one owns, the images, the deployments, the jobs and the log."""

from __future__ import annotations

from typing import Any, ClassVar

from django.db import models
from django.utils import timezone

from mintseed.server.secret_field import SecretField


class Site(models.Model):
    """The one place this bench serves."""

    name = models.CharField(max_length=80, default="My place")
    country = models.CharField(max_length=2, default="", blank=True)
    time_zone = models.CharField(max_length=64, default="UTC")
    keyboard = models.CharField(max_length=16, default="us")
    networks = models.JSONField(default=list)


class WifiNetwork(models.Model):
    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="wifi")
    ssid = models.CharField(max_length=128)
    passphrase = SecretField(default="", blank=True)
    band_ghz = models.FloatField(default=2.4)
    hidden = models.BooleanField(default=False)


class BoardUnit(models.Model):
    """A board one owns. `board` is the id of its description."""

    name = models.CharField(max_length=80)
    board = models.CharField(max_length=40)


class Supply(models.Model):
    name = models.CharField(max_length=80)
    voltage_v = models.FloatField()
    current_a = models.FloatField()
    connector = models.CharField(max_length=20)


class Image(models.Model):
    """A file of the library and what its X-ray said. `xray` is JSON of core.image.report.XRay."""

    file_name = models.CharField(max_length=200, unique=True)
    size_bytes = models.BigIntegerField()
    modified_at = models.DateTimeField()
    sha256 = models.CharField(max_length=64, default="", blank=True)
    recipe = models.CharField(max_length=40, default="", blank=True)
    release = models.CharField(max_length=40, default="", blank=True)
    build = models.CharField(max_length=40, default="", blank=True)
    xray = models.TextField(default="", blank=True)
    trouble = models.JSONField(null=True)
    read_at = models.DateTimeField(null=True)


class Deployment(models.Model):
    """One appliance on one board with one card, going down the line."""

    name = models.CharField(max_length=80)
    recipe = models.CharField(max_length=40)
    created_at = models.DateTimeField(default=timezone.now)
    removed_at = models.DateTimeField(null=True)
    # plan
    board_unit = models.ForeignKey(BoardUnit, null=True, on_delete=models.SET_NULL)
    supply = models.ForeignKey(Supply, null=True, on_delete=models.SET_NULL)
    card_gb = models.PositiveIntegerField(null=True)
    way = models.CharField(max_length=8, default="", blank=True)
    network = models.ForeignKey(WifiNetwork, null=True, on_delete=models.SET_NULL)
    # image
    image = models.ForeignKey(Image, null=True, on_delete=models.SET_NULL)
    # settings; empty means the site's
    host_name = models.CharField(max_length=80)
    passphrase = SecretField(default="", blank=True)
    country = models.CharField(max_length=8, default="", blank=True)
    time_zone = models.CharField(max_length=64, default="", blank=True)
    keyboard = models.CharField(max_length=16, default="", blank=True)
    admin_name = models.CharField(max_length=40, default="", blank=True)
    admin_hash = SecretField(default="", blank=True)
    settings_agreed = models.BooleanField(default=False)
    # card
    card_path = models.CharField(max_length=120, default="", blank=True)
    card_serial = models.CharField(max_length=120, default="", blank=True)
    card_size_bytes = models.BigIntegerField(null=True)
    card_fingerprint = models.CharField(max_length=64, default="", blank=True)
    card_digest = models.CharField(max_length=64, default="", blank=True)
    card_proven_at = models.DateTimeField(null=True)
    # boot
    powered_at = models.DateTimeField(null=True)
    known_before = models.JSONField(default=list)
    joined_after_s = models.FloatField(null=True)
    was_late = models.BooleanField(default=False)
    # find
    candidates = models.TextField(default="", blank=True)
    looked_at = models.DateTimeField(null=True)
    address = models.CharField(max_length=45, default="", blank=True)
    mac = models.CharField(max_length=17, default="", blank=True)
    # setup
    setup_findings = models.JSONField(default=dict)
    setup_ticked = models.JSONField(default=list)
    # keep
    kept_at = models.DateTimeField(null=True)


class Job(models.Model):
    """Background work. A running job whose heartbeat stops is dead; it never counts as done."""

    class State(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        STOPPED = "stopped"

    class Kind(models.TextChoices):
        WRITE_CARD = "write-card"
        READ_IMAGE = "read-image"

    kind = models.CharField(max_length=20, choices=Kind.choices)
    state = models.CharField(max_length=10, choices=State.choices, default=State.QUEUED)
    deployment = models.ForeignKey(Deployment, null=True, on_delete=models.CASCADE)
    image = models.ForeignKey(Image, null=True, on_delete=models.CASCADE)
    drive_path = models.CharField(max_length=120, default="", blank=True)
    drive_serial = models.CharField(max_length=120, default="", blank=True)
    fingerprint = models.CharField(max_length=64, default="", blank=True)
    phase = models.CharField(max_length=20, default="", blank=True)
    done_bytes = models.BigIntegerField(default=0)
    total_bytes = models.BigIntegerField(default=0)
    rate_bytes_per_s = models.FloatField(default=0)
    left_s = models.FloatField(null=True)
    stop_requested = models.BooleanField(default=False)
    trouble = models.JSONField(null=True)
    created_at = models.DateTimeField(default=timezone.now)
    started_at = models.DateTimeField(null=True)
    heartbeat_at = models.DateTimeField(null=True)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        indexes: ClassVar = [models.Index(fields=["state", "kind"])]


class LogEntry(models.Model):
    """What happened, when. Written once; never changed, never deleted."""

    at = models.DateTimeField(default=timezone.now, db_index=True)
    deployment = models.ForeignKey(Deployment, null=True, on_delete=models.PROTECT)
    deployment_name = models.CharField(max_length=80, default="", blank=True)
    station = models.CharField(max_length=10, default="", blank=True)
    event = models.CharField(max_length=40)
    text = models.CharField(max_length=300)

    def save(self, *args: Any, **kwargs: Any) -> None:
        if not self._state.adding:
            raise TypeError("log entries are written once")
        super().save(*args, **kwargs)

    def delete(self, *args: Any, **kwargs: Any) -> tuple[int, dict[str, int]]:
        raise TypeError("log entries are never deleted")
