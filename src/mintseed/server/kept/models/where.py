"""Where the work is: drives, who may write to them, and jobs."""

from __future__ import annotations

from typing import ClassVar

from django.db import models
from django.utils import timezone

from mintseed.server.kept.models.chosen import Bench, Deployment, Image
from mintseed.server.kept.models.happened import Card, CardQuestion, FilledCopy, Write
from mintseed.server.kept.secret_field import SecretField


class ReportedDrive(models.Model):
    """A drive as its bench's worker reported it: `drive` is core.card.drives.Drive, `recognised` whose card is in it."""

    bench = models.ForeignKey(Bench, on_delete=models.CASCADE, related_name="drives")
    path = models.CharField(max_length=120)
    drive = models.JSONField()
    recognised = models.JSONField(null=True)
    card = models.ForeignKey(Card, null=True, on_delete=models.SET_NULL)
    question = models.ForeignKey(CardQuestion, null=True, on_delete=models.SET_NULL)
    """the one that was asked about the card that lies in it"""
    appeared_at = models.DateTimeField(default=timezone.now)
    reported_at = models.DateTimeField(default=timezone.now)
    looked_at = models.DateTimeField(null=True)
    """when what is on the card was last looked at"""

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["bench", "path"], name="one_row_a_drive")]


class DriveLease(models.Model):
    """Who may write to a drive. One row a drive; `number` only rises, and whoever holds an old one writes and proves
    nothing."""

    bench = models.ForeignKey(Bench, on_delete=models.CASCADE)
    path = models.CharField(max_length=120)
    number = models.BigIntegerField(default=0)
    write = models.ForeignKey(Write, null=True, on_delete=models.SET_NULL)
    card_work = models.ForeignKey("CardWork", null=True, on_delete=models.SET_NULL)
    """held by one of the two at most"""

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(fields=["bench", "path"], name="one_lease_a_drive")]


class CardWork(models.Model):
    """What is done to a card for no deployment: it is read back into a file, compared with what was written to it, all of its
    room is tested, or its old tables are cleared."""

    class Does(models.TextChoices):
        BACK_UP = "back-up"
        PROVE = "prove"
        TEST = "test"
        CLEAR = "clear"

    does = models.CharField(max_length=8, choices=Does.choices)
    bench = models.ForeignKey(Bench, on_delete=models.CASCADE)
    drive_path = models.CharField(max_length=120)
    drive_serial = models.CharField(max_length=120, default="", blank=True)
    drive_size_bytes = models.BigIntegerField(default=0)
    reader = models.CharField(max_length=160, default="", blank=True)
    whose = models.CharField(max_length=200, default="", blank=True)
    """whose card it was said to be when it was asked for"""
    lease_number = models.BigIntegerField(default=0)
    asked_at = models.DateTimeField(default=timezone.now)
    began_at = models.DateTimeField(null=True)
    """when the drive was its own and, where it changes the card, its first byte was about to go"""
    done_at = models.DateTimeField(null=True)
    took_s = models.FloatField(default=0)
    findings = models.JSONField(default=list)
    """what came out of it: core.findings.Finding"""
    file_name = models.CharField(max_length=200, default="", blank=True)
    """of a backup: what it is called when it is handed over; size, what of the card it left out as unused, and SHA-256 of the file"""
    image_bytes = models.BigIntegerField(default=0)
    left_out_bytes = models.BigIntegerField(default=0)
    size_bytes = models.BigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, default="", blank=True)
    gone_at = models.DateTimeField(null=True)


class CardErrand(models.Model):
    """Settings files of a card that is written already: read for the doctor, mended, or filled in their place. It holds what the files hold, so
    it is gone after an hour (done.card_files)."""

    class Does(models.TextChoices):
        READ = "read"
        MEND = "mend"
        FILL = "fill"

    does = models.CharField(max_length=8, choices=Does.choices)
    bench = models.ForeignKey(Bench, on_delete=models.CASCADE)
    deployment = models.ForeignKey(Deployment, null=True, on_delete=models.CASCADE)
    """whose recipe knows the files; who is filled"""
    drive_path = models.CharField(max_length=120)
    drive_serial = models.CharField(max_length=120, default="", blank=True)
    drive_size_bytes = models.BigIntegerField(default=0)
    reader = models.CharField(max_length=160, default="", blank=True)
    wanted = SecretField(default="", blank=True)
    """JSON: path to what is put there, and what has to lie there still, each in base64"""
    found = SecretField(default="", blank=True)
    """JSON: path to what lies there now, in base64"""
    created_at = models.DateTimeField(default=timezone.now, db_index=True)


def _only(kind: str, subject: str) -> models.Q:
    """Return the condition that a job of `kind` has its subject, and no other."""
    others = {name: None for name in ("write", "image", "copy", "errand", "card_work") if name != subject}
    return models.Q(kind=kind, **others, **({f"{subject}__isnull": False} if subject else {}))


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
        FILL_IMAGE = "fill-image"
        BUILD_IMAGES = "build-images"
        CARD_FILES = "card-files"
        CARD_WORK = "card-work"

    kind = models.CharField(max_length=20, choices=Kind.choices)
    state = models.CharField(max_length=10, choices=State.choices, default=State.QUEUED)
    write = models.OneToOneField(Write, null=True, on_delete=models.CASCADE, related_name="job")
    image = models.ForeignKey(Image, null=True, on_delete=models.CASCADE)
    copy = models.OneToOneField(FilledCopy, null=True, on_delete=models.CASCADE, related_name="job")
    errand = models.OneToOneField(CardErrand, null=True, on_delete=models.CASCADE, related_name="job")
    card_work = models.OneToOneField(CardWork, null=True, on_delete=models.CASCADE, related_name="job")
    phase = models.CharField(max_length=20, default="", blank=True)
    done_bytes = models.BigIntegerField(default=0)
    total_bytes = models.BigIntegerField(default=0)
    rate_bytes_per_s = models.FloatField(default=0)
    left_s = models.FloatField(null=True)
    stop_requested = models.BooleanField(default=False)
    pause_requested = models.BooleanField(default=False)
    trouble = models.JSONField(null=True)
    created_at = models.DateTimeField(default=timezone.now)
    started_at = models.DateTimeField(null=True)
    heartbeat_at = models.DateTimeField(null=True)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        indexes: ClassVar = [models.Index(fields=["state", "kind"])]
        constraints: ClassVar = [
            models.CheckConstraint(
                name="one_subject_a_job",
                condition=_only("write-card", "write")
                | _only("read-image", "image")
                | _only("fill-image", "copy")
                | _only("build-images", "")
                | _only("card-files", "errand")
                | _only("card-work", "card_work"),
            )
        ]
