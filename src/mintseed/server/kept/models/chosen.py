"""What a person chose: it changes when a person changes it."""

from __future__ import annotations

from typing import ClassVar

from django.db import models
from django.db.models import Case, Value, When
from django.db.models.functions import Cast, Concat, Lower
from django.utils import timezone

from mintseed.server.kept.exact_text import ExactTextField
from mintseed.server.kept.models.removable import Removable
from mintseed.server.kept.secret_field import SecretField


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
