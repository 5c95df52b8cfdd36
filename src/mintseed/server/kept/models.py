"""What is kept. Three kinds of rows, never mixed: what a person chose, what happened, what was judged.

Chosen: Site, WifiNetwork, BoardUnit, Supply, Cable, OwnedCard, Part, Description, Deployment, PlannedPart, Keeping. They change when a person changes them.
Happened: Image (a reading), Card, Write, WrittenBlocks, CardQuestion, CardErrand, FilledCopy, BootRun, Claim, Reading, Closing, LogEntry. Added, closed,
never overwritten.
Judged: Judgement and StationRecord, made when an input changed.
Where: Bench and ReportedDrive (what a bench's worker says it has), DriveLease (who may write to a drive), Job.
Said: Change, what the open screens are told of; gone after minutes. WrongPasswords, counted a peer; gone after minutes.
"""

from __future__ import annotations

from typing import Any, ClassVar, TypeVar

from django.db import models
from django.db.models import Case, F, Value, When
from django.db.models.functions import Cast, Concat, Lower
from django.utils import timezone

from mintseed.server.kept.exact_text import ExactTextField
from mintseed.server.kept.secret_field import SecretField


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


class Removable(models.Model):
    """What can be taken off and put back. It stays with all that points at it, until somebody removes it for good."""

    removed_at = models.DateTimeField(null=True)

    objects = models.Manager()
    there = There()

    class Meta:
        abstract = True


# chosen


class Site(Removable):
    """A place: its country, clock, keyboard and the ranges that may be looked at."""

    name = models.CharField(max_length=80, default="My place")
    country = models.CharField(max_length=2, default="", blank=True)
    time_zone = models.CharField(max_length=64, default="UTC")
    keyboard = models.CharField(max_length=16, default="us")
    locale = models.CharField(max_length=40, default="", blank=True)
    """the language of its devices' systems; empty: as each image comes"""
    networks = models.JSONField(default=list)
    shared_range = models.BooleanField(default=False)
    """whether the owner says that addresses of RFC 6598 are of their own network"""
    ssh_keys = models.TextField(default="", blank=True)
    """public keys its owner logs in with, as lines of authorized_keys"""
    address_plan = models.JSONField(default=dict)
    """core.site.addresses.AddressPlan"""
    name_scheme = models.CharField(max_length=60, default="", blank=True)
    """core.site.names; empty: as each recipe calls its first one"""
    admin_name = models.CharField(max_length=40, default="", blank=True)
    admin_hash = SecretField(default="", blank=True)
    """of the account that its devices get where they have none of their own; the password itself is kept nowhere"""


class WifiNetwork(Removable):
    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="wifi")
    ssid = models.CharField(max_length=128)
    passphrase = SecretField(default="", blank=True, closes_door=True)
    band_ghz = models.FloatField(default=2.4)
    hidden = models.BooleanField(default=False)
    wpa3_only = models.BooleanField(default=False)
    open = models.BooleanField(default=False)
    """whether it takes anybody, without a passphrase"""
    channel = models.PositiveSmallIntegerField(null=True)
    """the one its access point keeps to, where somebody knows it"""


class BoardUnit(Removable):
    """A board one owns. `board` is the id of its description."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="units")
    name = models.CharField(max_length=80)
    board = models.CharField(max_length=40)
    macs = models.JSONField(default=list)
    """its hardware addresses, as printed on it or seen on the network"""
    note = models.CharField(max_length=300, default="", blank=True)


class Supply(Removable):
    """A power supply, with a cable of its own or a socket for one; a battery where it has cells."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="supplies")
    name = models.CharField(max_length=80)
    voltage_v = models.FloatField()
    current_a = models.FloatField()
    connector = models.CharField(max_length=20)
    length_m = models.FloatField(null=True)
    awg = models.PositiveIntegerField(null=True)
    battery_mah = models.FloatField(null=True)
    cell_v = models.FloatField(default=3.7)
    efficiency = models.FloatField(default=0.85)
    note = models.CharField(max_length=300, default="", blank=True)


class Cable(Removable):
    """A power cable between a supply's socket and a board."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="cables")
    name = models.CharField(max_length=80)
    plug_to_supply = models.CharField(max_length=20)
    plug_to_board = models.CharField(max_length=20)
    length_m = models.FloatField()
    awg = models.PositiveIntegerField(null=True)
    note = models.CharField(max_length=300, default="", blank=True)


class OwnedCard(Removable):
    """A card one owns, as printed on it. What was written to it stands in its writes."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="cards")
    name = models.CharField(max_length=80)
    size_gb = models.PositiveIntegerField()
    classes = models.JSONField(default=list)
    endurance = models.BooleanField(null=True)
    note = models.CharField(max_length=300, default="", blank=True)


class Part(Removable):
    """A part one owns. `kind` is the id of its description."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="parts")
    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=40)
    note = models.CharField(max_length=300, default="", blank=True)


class Description(Removable):
    """A recipe, board or part that somebody brought: its text, as it was brought. It wins over a shipped one of its id."""

    class Kind(models.TextChoices):
        RECIPE = "recipe"
        BOARD = "board"
        PART = "part"

    kind = models.CharField(max_length=10, choices=Kind.choices)
    ident = models.CharField(max_length=40)
    text = models.TextField()
    changed_at = models.DateTimeField(default=timezone.now)

    key = models.GeneratedField(
        expression=Case(When(removed_at=None, then=Concat("kind", Value(" "), "ident"))),
        output_field=models.CharField(max_length=64, null=True, db_collation="utf8mb4_bin"), db_persist=True, unique=True,
    )  # fmt: skip
    """one text a description, of those that are there"""

    class Meta:
        indexes: ClassVar = [models.Index(fields=["kind", "ident"])]


class Bench(Removable):
    """Where cards are written: one machine with its readers. `seen_at` is its worker's last sign of life."""

    class Kind(models.TextChoices):
        STANDIN = "standin"
        MACHINE = "machine"
        REAL = "real"

    name = models.CharField(max_length=40, unique=True)
    site = models.ForeignKey(Site, on_delete=models.PROTECT, related_name="benches")
    kind = models.CharField(max_length=10, choices=Kind.choices)
    was_real = models.BooleanField(default=False)
    """whether it ever was a real one: from then on nobody comes in unasked"""
    holder = models.CharField(max_length=64, default="", blank=True)
    """which home on which machine runs it: no other one may, while it is alive"""
    holder_name = models.CharField(max_length=120, default="", blank=True)
    boot_pace = models.FloatField(default=1.0)
    seen_at = models.DateTimeField(null=True)
    look_wanted_at = models.DateTimeField(null=True)
    """somebody is about to power a board: its worker is to look at the cards in its readers now"""
    trouble = models.CharField(max_length=300, default="", blank=True)
    network_seen = models.JSONField(default=dict)
    names_seen = models.JSONField(default=dict)
    """what called itself so on its network, by name in small letters: when it was heard last"""
    """Address or MAC → when it was first and last seen from here."""
    watching_since = models.DateTimeField(null=True)
    scanned_at = models.DateTimeField(null=True)

    @property
    def write_queue(self) -> str:
        return f"cards-{self.name}"

    @property
    def read_queue(self) -> str:
        return f"images-{self.name}"


MOST_NAME_BYTES = 1020
"""of an image's name: a file's of 255 bytes, each of them written out"""


class Image(Removable):
    """A file of the library and what its X-ray said. `xray` is JSON of core.image.report.XRay, tens of kilobytes; what
    lists show stands beside it in a few short columns."""

    file_name = ExactTextField(max_length=MOST_NAME_BYTES, unique=True)
    """The file's exact name, spelled as core.visible.spell_name does."""
    size_bytes = models.BigIntegerField()
    modified_at = models.DateTimeField()
    sha256 = models.CharField(max_length=64, default="", blank=True)
    recipe = models.CharField(max_length=40, default="", blank=True)
    release = models.CharField(max_length=40, default="", blank=True)
    build = models.CharField(max_length=40, default="", blank=True)
    released_on = models.DateField(null=True)
    """the day its recipe says this release came out"""
    present = models.BooleanField(default=True)
    """whether its file lies in the library"""
    xray = models.TextField(default="", blank=True)
    outline = models.TextField(default="", blank=True)
    """the X-ray without files and findings: what tells whether it starts on a board"""
    verdict = models.CharField(max_length=10, default="", blank=True)
    trouble = models.JSONField(null=True)
    read_at = models.DateTimeField(null=True)

    class Meta:
        indexes: ClassVar = [models.Index(fields=["present", "recipe"])]


class Deployment(Removable):
    """What a person chose for one appliance on one board with one card. What became of it stands in other rows."""

    name = models.CharField(max_length=80)
    recipe = models.CharField(max_length=40)
    site = models.ForeignKey(Site, on_delete=models.PROTECT, related_name="deployments")
    created_at = models.DateTimeField(default=timezone.now)
    # plan
    board_unit = models.ForeignKey(BoardUnit, null=True, on_delete=models.SET_NULL)
    supply = models.ForeignKey(Supply, null=True, on_delete=models.SET_NULL)
    cable = models.ForeignKey(Cable, null=True, on_delete=models.SET_NULL)
    card_gb = models.PositiveIntegerField(null=True)
    owned_card = models.ForeignKey(OwnedCard, null=True, on_delete=models.SET_NULL)
    way = models.CharField(max_length=8, default="", blank=True)
    way_in = models.CharField(max_length=20, default="", blank=True)
    load_share = models.FloatField(default=0.5)
    """share of the time at load, for what a battery lasts"""
    network = models.ForeignKey(WifiNetwork, null=True, on_delete=models.SET_NULL)
    also_networks = models.JSONField(default=list)
    """keys of further networks it knows, the one to be joined first in front; one that is no more is passed over"""
    # image
    image = models.ForeignKey(Image, null=True, on_delete=models.SET_NULL)
    # settings; empty means the site's
    host_name = models.CharField(max_length=80)
    passphrase = SecretField(default="", blank=True, closes_door=True)
    country = models.CharField(max_length=8, default="", blank=True)
    time_zone = models.CharField(max_length=64, default="", blank=True)
    keyboard = models.CharField(max_length=16, default="", blank=True)
    locale = models.CharField(max_length=40, default="", blank=True)
    admin_name = models.CharField(max_length=40, default="", blank=True)
    admin_hash = SecretField(default="", blank=True)
    answers = SecretField(default="", blank=True)
    address = models.CharField(max_length=40, default="", blank=True)
    """a fixed IPv4 address; empty: it takes one by itself"""
    settings_agreed = models.BooleanField(default=False)
    demo = models.BooleanField(default=False, db_index=True)
    """made by the first start, to have something to see"""
    name_shared = models.BooleanField(default=False)
    """whether it had its host name together with another one before names became one's own at a place"""
    name_key = models.GeneratedField(
        expression=Case(
            When(
                ~models.Q(host_name=""), removed_at=None, name_shared=False,
                then=Concat(Cast("site", models.CharField(max_length=20)), Value(" "), Lower("host_name")),
            )
        ),
        output_field=models.CharField(max_length=110, null=True, db_collation="utf8mb4_bin"), db_persist=True, unique=True,
    )  # fmt: skip
    """one host name a place, of those that are there"""

    class Meta:
        indexes: ClassVar = [models.Index(fields=["site", "host_name"]), models.Index(fields=["site", "address"])]


class PlannedPart(models.Model):
    """A part in a deployment's plan: one of the shelf, or only its kind, which is to be bought."""

    deployment = models.ForeignKey(Deployment, on_delete=models.CASCADE, related_name="parts")
    kind = models.CharField(max_length=40)
    part = models.ForeignKey(Part, null=True, on_delete=models.SET_NULL, related_name="planned")


class Keeping(models.Model):
    """How long the owner keeps what only adds up: one row."""

    log_days = models.PositiveIntegerField(default=3650)
    jobs_days = models.PositiveIntegerField(default=90)
    copy_hours = models.PositiveIntegerField(default=2)


# happened


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


# judged


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


# where


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


# said


class Change(models.Model):
    """Something changed that an open screen may show: `deployment/12`, `images`, `drives`, or `everything`."""

    topic = models.CharField(max_length=40)
    at = models.DateTimeField(default=timezone.now, db_index=True)


class WrongPasswords(models.Model):
    """How often somebody tried with a wrong password lately. `peer` is the address block it came from."""

    peer = models.CharField(max_length=64, unique=True)
    count = models.PositiveIntegerField(default=0)
    since = models.DateTimeField(default=timezone.now)
