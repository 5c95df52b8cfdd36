"""What happened: added, closed, never overwritten."""

from __future__ import annotations

from typing import Any, ClassVar

from django.db import models
from django.db.models import F
from django.utils import timezone

from mintseed.server.kept.models.chosen import Bench, BoardUnit, Deployment, OwnedCard
from mintseed.server.kept.models.removable import once_while
from mintseed.server.kept.secret_field import SecretField


class Card(models.Model):
    """A physical card. `number` is the card's own where the system tells it; most readers hide it."""

    number = models.CharField(max_length=64, default="", blank=True)
    size_bytes = models.BigIntegerField()
    first_seen_at = models.DateTimeField(default=timezone.now)
    marks_since = models.JSONField(null=True)
    """its marks as they were when somebody said whose it is, after its first boot had changed them"""


class Write(models.Model):
    """One attempt at a card. `proven_at` stands once every byte was read back alike; `void_at` ends that proof. While `unsure_at`
    stands, a card lies somewhere that could be its card or another one, and the proof does not count."""

    class Outcome(models.TextChoices):
        OPEN = ""
        PROVEN = "proven"
        FAILED = "failed"
        STOPPED = "stopped"

    deployment = models.ForeignKey(Deployment, on_delete=models.PROTECT, related_name="writes")
    card = models.ForeignKey(Card, null=True, on_delete=models.PROTECT, related_name="writes")
    owned_card = models.ForeignKey(OwnedCard, null=True, on_delete=models.SET_NULL, related_name="writes")
    card_name = models.CharField(max_length=80, default="", blank=True)
    """what its card was called, whatever becomes of that"""
    bench = models.ForeignKey(Bench, on_delete=models.PROTECT)
    drive_path = models.CharField(max_length=120)
    reader = models.CharField(max_length=160, default="", blank=True)
    drive_serial = models.CharField(max_length=120, default="", blank=True)
    drive_size_bytes = models.BigIntegerField(default=0)
    lease_number = models.BigIntegerField(default=0)
    image_name = models.CharField(max_length=1020, default="", blank=True)
    fingerprint = models.CharField(max_length=64)
    fingerprint_version = models.PositiveSmallIntegerField(default=1)
    chosen_mark = models.CharField(max_length=64, default="", blank=True)
    """a keyed hash of what the person had chosen: equal marks, nothing was changed since"""
    put_mark = models.CharField(max_length=64, default="", blank=True)
    """of the files that were put on the written card last, in place: core.settings.fill.fingerprint; empty where none were"""
    key_mark = models.CharField(max_length=64, default="", blank=True)
    """Tells one network key from another without holding it: a keyed hash."""
    marks = models.JSONField(null=True)
    phases = models.JSONField(default=list)
    written_bytes = models.BigIntegerField(default=0)
    digest = models.CharField(max_length=64, default="", blank=True)
    outcome = models.CharField(max_length=10, choices=Outcome.choices, default=Outcome.OPEN, blank=True)
    trouble = models.JSONField(null=True)
    begun_at = models.DateTimeField(default=timezone.now)
    """when somebody asked for it"""
    started_at = models.DateTimeField(null=True)
    """when the drive was its own and the first byte was about to go: until then it changed nothing"""
    ended_at = models.DateTimeField(null=True)
    proven_at = models.DateTimeField(null=True, db_index=True)
    released = models.BooleanField(default=False)
    released_text = models.CharField(max_length=200, default="", blank=True)
    void_at = models.DateTimeField(null=True)
    void_why = models.CharField(max_length=200, default="", blank=True)
    unsure_at = models.DateTimeField(null=True)
    unsure_why = models.CharField(max_length=200, default="", blank=True)
    tests_whole = models.BooleanField(default=False)
    """The room beyond the image is written and read back too."""
    changes = models.JSONField(null=True)
    """in what the filled image differs from its download: core.image.changes.ImageChanges"""
    capacity = models.JSONField(null=True)
    """what was found out about its capacity: core.card.capacity.CapacityProof"""
    looked_again_at = models.DateTimeField(null=True)
    """when it was put back into a reader and still held what was written, its marks too"""
    clears_end = models.BooleanField(default=False)
    """The end of the card, which the image does not reach, is cleared too."""
    only_used = models.BooleanField(default=False)
    """What of the image nothing uses is neither written nor read back."""
    left_bytes = models.BigIntegerField(default=0)
    """how much that came to, of `written_bytes`"""

    class Meta:
        indexes: ClassVar = [models.Index(fields=["deployment", "begun_at"])]

    @property
    def holds(self) -> bool:
        """Whether its proof stands."""
        return self.proven_at is not None and self.void_at is None and self.unsure_at is None


class WrittenBlocks(models.Model):
    """What a proven write left on its card, block by block: 8 bytes of BLAKE3 each. Samples of a card are compared with it."""

    write = models.OneToOneField(Write, on_delete=models.CASCADE, related_name="blocks")
    block_bytes = models.PositiveIntegerField()
    digests = models.BinaryField()


class CardQuestion(models.Model):
    """A card was seen that could be one of several, and only a person can say which. `candidates` are writes. Until it is
    answered none of their proofs counts."""

    bench = models.ForeignKey("Bench", on_delete=models.CASCADE)
    path = models.CharField(max_length=120)
    head = models.CharField(max_length=64, default="", blank=True)
    """what the card began with, so that it is not asked twice"""
    marks = models.JSONField(null=True)
    candidates = models.JSONField(default=list)
    asked_at = models.DateTimeField(default=timezone.now)
    answered_at = models.DateTimeField(null=True)
    answer = models.ForeignKey(Write, null=True, on_delete=models.SET_NULL)

    class Meta:
        indexes: ClassVar = [models.Index(fields=["answered_at"])]


class FilledCopy(models.Model):
    """A filled image as a file. It holds the network's key, so it is removed after a while; this row stays."""

    deployment = models.ForeignKey(Deployment, on_delete=models.PROTECT, related_name="copies")
    file_name = models.CharField(max_length=200)
    fingerprint = models.CharField(max_length=64)
    packing = models.CharField(max_length=5, default="", blank=True)
    """how it is packed, as core.image.packing.Packing has it; empty for a plain image"""
    size_bytes = models.BigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, default="", blank=True)
    """of the file as it is handed over"""
    asked_at = models.DateTimeField(default=timezone.now)
    made_at = models.DateTimeField(null=True)
    gone_at = models.DateTimeField(null=True)


class BootRun(models.Model):
    """From power on to power off. `known_before` is None when nobody looked before."""

    deployment = models.ForeignKey(Deployment, on_delete=models.PROTECT, related_name="boot_runs")
    write = models.ForeignKey(Write, null=True, on_delete=models.PROTECT)
    board_unit = models.ForeignKey(BoardUnit, null=True, on_delete=models.SET_NULL)
    board_name = models.CharField(max_length=80, default="", blank=True)
    board_kind = models.CharField(max_length=40, default="", blank=True)
    board_mark = models.CharField(max_length=80, default="", blank=True)
    """what its board was called, which kind it was and what is printed on it, whatever becomes of that"""
    bench = models.ForeignKey(Bench, on_delete=models.PROTECT)
    by_hand = models.BooleanField(default=False)
    powered_at = models.DateTimeField()
    noted_at = models.DateTimeField(default=timezone.now)
    known_before = models.JSONField(null=True)
    joined_after_s = models.FloatField(null=True)
    joined_address = models.CharField(max_length=45, default="", blank=True)
    looked_at = models.DateTimeField(null=True)
    scanning = models.BooleanField(default=True)
    candidates = models.TextField(default="", blank=True)
    naming = models.JSONField(null=True)
    """what its name answered when it was asked: core.find.naming.NameFacts"""
    console = models.JSONField(null=True)
    """what was heard of it on its serial console: core.boot.console.ConsoleFacts"""
    seen = models.JSONField(default=dict)
    late_at = models.DateTimeField(null=True)
    off_at = models.DateTimeField(null=True)
    lasted_s = models.FloatField(null=True)
    ended = models.CharField(max_length=10, default="", blank=True)
    causes = models.JSONField(default=list)
    open_of = once_while(F("deployment"), off_at=None)
    """one run a deployment at a time"""
    open_on = once_while(F("board_unit"), off_at=None)
    """one run a board at a time"""

    class Meta:
        indexes: ClassVar = [models.Index(fields=["deployment", "powered_at"]), models.Index(fields=["off_at"])]


class Claim(models.Model):
    """Somebody said: this address is it. Taken back when it was not."""

    deployment = models.ForeignKey(Deployment, on_delete=models.PROTECT, related_name="claims")
    boot_run = models.ForeignKey(BootRun, on_delete=models.PROTECT, related_name="claims", related_query_name="claim")
    address = models.CharField(max_length=45, db_index=True)
    mac = models.CharField(max_length=17, default="", blank=True, db_index=True)
    by = models.CharField(max_length=5, default="", blank=True)
    """whether it joined by wifi or cable, where a person said so"""
    evidence = models.JSONField(default=list)
    at = models.DateTimeField(default=timezone.now)
    taken_back_at = models.DateTimeField(null=True)
    stands_for = once_while(F("boot_run"), taken_back_at=None)
    """one claim a boot stands at a time"""


class Reading(models.Model):
    """What one step of setting up came to, each time. `finding` is None for what only an eye can check."""

    deployment = models.ForeignKey(Deployment, on_delete=models.PROTECT, related_name="readings")
    boot_run = models.ForeignKey(BootRun, null=True, on_delete=models.PROTECT)
    step = models.CharField(max_length=60)
    done = models.BooleanField()
    finding = models.JSONField(null=True)
    at = models.DateTimeField(default=timezone.now)


class Closing(models.Model):
    """The moment a device went into service, with its label and how it stood. Reopened by the next write."""

    deployment = models.ForeignKey(Deployment, on_delete=models.PROTECT, related_name="closings")
    label = models.JSONField()
    names = models.JSONField(default=dict)
    """what the things in it were called: server.frozen.Names; empty where an older version closed it"""
    frozen = SecretField(default="", blank=True)
    """everything it was judged from, as server.frozen packs it; empty where an older version closed it"""
    at = models.DateTimeField(default=timezone.now)
    reopened_at = models.DateTimeField(null=True)
    open_of = once_while(F("deployment"), reopened_at=None)
    """one closing a deployment at a time"""


class LogEntry(models.Model):
    """What happened, when. Written once and never changed; kept as long as the owner says (see Keeping)."""

    at = models.DateTimeField(default=timezone.now, db_index=True)
    deployment = models.ForeignKey(Deployment, null=True, on_delete=models.PROTECT)
    deployment_name = models.CharField(max_length=80, default="", blank=True)
    station = models.CharField(max_length=10, default="", blank=True)
    event = models.CharField(max_length=40)
    text = models.CharField(max_length=300)
    who = models.CharField(max_length=80, default="", blank=True)
    """the account it was done by; empty for the program itself, and where nobody is asked who they are"""

    def save(self, *args: Any, **kwargs: Any) -> None:
        if not self._state.adding:
            raise TypeError("log entries are written once")
        super().save(*args, **kwargs)

    def delete(self, *args: Any, **kwargs: Any) -> tuple[int, dict[str, int]]:
        raise TypeError("log entries are never deleted")
