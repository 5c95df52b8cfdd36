"""Looking for a device and measuring its setup, with a network that is told what to show."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

import pytest

from mintseed import wiring
from mintseed.core.errors import RefusedError
from mintseed.core.find.candidates import PageAnswer, Wanted
from mintseed.core.find.sightings import SeenBy, Sighting
from mintseed.core.findings import Severity
from mintseed.core.recipes.model import FileToFill
from mintseed.services import check_setup, examine_file, find_device
from mintseed.services.background_hash import BackgroundSha256
from mintseed.services.run_ahead import run_ahead

RECIPE = wiring.recipes()["platen"]
LAN = ("127.77.5.0/24",)


@dataclass
class Network:
    """Stands for view, announcements and probe at once; remembers what was asked."""

    seen: tuple[Sighting, ...] = ()
    announced: tuple[Sighting, ...] = ()
    pages: dict[str, PageAnswer] = field(default_factory=dict)
    asked: list[str] = field(default_factory=list)
    posted: list[Mapping[str, str]] = field(default_factory=list)

    def sightings(self) -> tuple[Sighting, ...]:
        return self.seen

    def current(self) -> tuple[Sighting, ...]:
        return self.announced

    def close(self) -> None:
        pass

    def get(self, url: str) -> PageAnswer:
        self.asked.append(url)
        return self.pages.get(url, PageAnswer(url, 0, trouble="nothing listens there yet"))

    def post_form(self, url: str, fields: Mapping[str, str]) -> PageAnswer:
        self.asked.append(url)
        self.posted.append(fields)
        return self.pages.get(url, PageAnswer(url, 0, trouble="nothing listens there yet"))


def look(network: Network, known_before: frozenset[str] | None = frozenset(), ways: int = 2) -> find_device.Look:
    swept = find_device.Swept(find_device.sightings_now(network, network, LAN), datetime(2026, 11, 25, tzinfo=UTC))
    return find_device.execute(swept, Wanted("press", "platen", RECIPE.page, known_before, ways=ways), probe=network)


NEW = Sighting("127.77.5.40", SeenBy.LEASE, "02:00:00:00:00:40", "press")
URL = "http://127.77.5.40:5310/"


def test_the_winner_is_the_one_with_its_page() -> None:
    network = Network(seen=(NEW,), pages={URL: PageAnswer(URL, 200, "Platen print desk")})
    winner = look(network).winner
    assert winner is not None
    assert (winner.address, winner.page_answers) == ("127.77.5.40", True)


def test_nothing_outside_the_sites_ranges_is_even_asked() -> None:
    network = Network(seen=(NEW, Sighting("10.0.0.5", SeenBy.NEIGHBOUR, "02:00:00:00:00:05")))
    assert [c.address for c in look(network).candidates] == ["127.77.5.40"]
    assert network.asked == [URL]


def test_what_was_there_before_is_not_asked_unless_it_has_the_name() -> None:
    old = Sighting("127.77.5.9", SeenBy.LEASE, "02:00:00:00:00:09", "till")
    renamed = Sighting("127.77.5.8", SeenBy.ANNOUNCEMENT, host_name="press")
    network = Network(seen=(old,), announced=(renamed,))
    look(network, frozenset({"127.77.5.9", "127.77.5.8"}))
    assert network.asked == ["http://127.77.5.8:5310/"]


def test_the_new_address_is_asked_among_twenty_old_ones_with_that_port() -> None:
    port = RECIPE.page.port
    old = tuple(Sighting(f"127.77.5.{n}", SeenBy.SCAN, f"02:00:00:00:01:{n:02x}", port=port) for n in range(1, 21))
    mine = Sighting("127.77.5.40", SeenBy.SCAN, "02:00:00:00:00:40", port=port)
    network = Network(seen=(*old, mine), pages={URL: PageAnswer(URL, 200, "Platen print desk")})
    before = frozenset(key for s in old for key in (s.address, s.mac))
    winner = look(network, before).winner
    assert winner is not None
    assert winner.address == "127.77.5.40"
    assert network.asked[0] == URL


def test_a_crowd_of_newcomers_is_asked_only_so_many() -> None:
    crowd = tuple(Sighting(f"127.77.5.{n}", SeenBy.NEIGHBOUR, f"02:00:00:00:01:{n:02x}") for n in range(1, 60))
    network = Network(seen=crowd)
    look(network)
    assert len(network.asked) == find_device.MOST_PROBED


def test_slow_pages_are_asked_side_by_side() -> None:
    together = threading.Barrier(3, timeout=60)

    class Slow(Network):
        def get(self, url: str) -> PageAnswer:
            together.wait()  # passes only when all three are being asked at the same moment
            return PageAnswer(url, 0, trouble="slow")

    crowd = tuple(Sighting(f"127.77.5.{n}", SeenBy.NEIGHBOUR, f"02:00:00:00:01:{n:02x}") for n in range(1, 4))
    assert look(Slow(seen=crowd)).winner is None


def test_a_scan_gives_what_answers_with_the_mac_the_kernel_then_knows() -> None:
    class Door:
        def answering(
            self, addresses: Sequence[str], ports: Sequence[int], stopped: Callable[[], bool]
        ) -> tuple[tuple[str, int], ...]:
            return tuple((a, p) for a in addresses for p in ports if a == "127.77.5.40")

    found = find_device.scan(Door(), Network(seen=(NEW,)), LAN, {5310}, lambda: False)
    assert found == (Sighting("127.77.5.40", SeenBy.SCAN, "02:00:00:00:00:40", port=5310),)


def test_two_that_could_be_it_have_no_winner() -> None:
    twin = Sighting("127.77.5.41", SeenBy.LEASE, "02:00:00:00:00:41", "press")
    found = look(Network(seen=(NEW, twin)), ways=1)
    assert found.winner is None
    assert [f.code for f in found.findings] == ["find.several"]


def test_setup_is_measured_at_the_page() -> None:
    page, password, printer = RECIPE.setup
    network = Network(pages={URL: PageAnswer(URL, 200, "Platen print desk"), f"{URL}enter": PageAnswer("", 401)})
    measured = check_setup.execute(RECIPE, page, "127.77.5.40", networks=LAN, probe=network)
    assert measured.severity is Severity.OK
    measured = check_setup.execute(RECIPE, password, "127.77.5.40", networks=LAN, probe=network)
    assert measured.code == "setup.default-login-refused"
    assert network.posted == [{"name": "inkwell", "word": "inkwell"}]
    with pytest.raises(RefusedError, match="by eye"):
        check_setup.execute(RECIPE, printer, "127.77.5.40", networks=LAN, probe=network)


def test_no_login_is_tried_outside_the_sites_ranges() -> None:
    network = Network()
    with pytest.raises(RefusedError, match="outside"):
        check_setup.execute(RECIPE, RECIPE.setup[1], "10.0.0.5", networks=LAN, probe=network)
    assert network.asked == []


def test_a_sound_file_is_said_to_be_sound() -> None:
    described = FileToFill(path="settings/device.conf", dialect="key-value", title="settings")
    found = examine_file.execute(b"A=1\n", name="device.conf", file=described).findings
    assert [f.code for f in found] == ["file.sound"]
    worst = examine_file.execute(b"A=1\n", name="device.conf.txt", file=described).findings
    assert worst[0].code == "file.name"


def test_pieces_made_ahead_come_in_order_and_end() -> None:
    wanted = [bytes([n]) * 10 for n in range(50)]
    with run_ahead(iter(wanted), 3) as pieces:
        assert list(pieces) == wanted


def test_trouble_in_the_maker_reaches_the_user_after_what_came_before() -> None:
    def troubled() -> Iterator[bytes]:
        yield b"one"
        raise ValueError("torn")

    with run_ahead(troubled(), 3) as pieces:
        assert next(pieces) == b"one"
        with pytest.raises(ValueError, match="torn"):
            next(pieces)


def test_leaving_early_ends_the_maker() -> None:
    def endless() -> Iterator[bytes]:
        while True:
            yield b"x"

    before = threading.active_count()
    with run_ahead(endless(), 2) as pieces:
        next(pieces)
    end = time.monotonic() + 60
    while threading.active_count() > before and time.monotonic() < end:
        threading.Event().wait(0.01)
    assert threading.active_count() == before


def test_the_background_hash_is_sha256() -> None:
    # FIPS 180-4, the one-block example message "abc" (published with the standard's examples).
    digest = BackgroundSha256()
    for piece in (b"a", b"b", b"c"):
        digest.update(piece)
    assert digest.hexdigest() == "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"
    digest.close()
    assert digest.hexdigest().startswith("ba78")
