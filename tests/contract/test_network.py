"""Suites for ports.NetworkView, Announcements, Probe and BoardPower: the real adapter beside its stand-in."""

from __future__ import annotations

import contextlib
import gzip
import socket
import subprocess
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest
from zeroconf import ServiceInfo, Zeroconf

from mintseed import wiring
from mintseed.adapters import tcp_scan
from mintseed.adapters.http_probe import LOOK_S, PATIENT_S, HttpProbe
from mintseed.adapters.multicast_dns import MulticastDns, addresses_inside
from mintseed.adapters.name_lookup import MulticastNames
from mintseed.adapters.neighbour_view import NeighbourView, neighbours_from_file, neighbours_from_kernel
from mintseed.adapters.tcp_scan import TcpScan
from mintseed.core.card.drives import Drive
from mintseed.core.errors import RefusedError
from mintseed.core.find.sightings import SeenBy, Sighting
from mintseed.core.limits import MAX_PAGE_BYTES
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.power import StandinPower
from mintseed.standins.router.leases import LeaseBook


def test_what_the_pretend_router_writes_the_real_reader_reads(tmp_path: Path) -> None:
    bench = BenchFolder(tmp_path)
    bench.prepare()
    book = LeaseBook(bench, "127.77.7.0/24")
    first = book.give("02:00:00:00:00:01", "press")
    second = book.give("02:00:00:00:00:02", "")
    assert book.give("02:00:00:00:00:01", "press-2") == first
    view = NeighbourView([bench.leases_file], neighbours_from_file(bench.neighbours_file))
    assert {replace(s, expires="") for s in view.sightings()} == {
        Sighting(first, SeenBy.LEASE, "02:00:00:00:00:01", "press-2"),
        Sighting(second, SeenBy.LEASE, "02:00:00:00:00:02", ""),
        Sighting(first, SeenBy.NEIGHBOUR, "02:00:00:00:00:01"),
        Sighting(second, SeenBy.NEIGHBOUR, "02:00:00:00:00:02"),
    }


def test_no_lease_file_is_an_empty_one(tmp_path: Path) -> None:
    assert NeighbourView([tmp_path / "none"], lambda: "").sightings() == ()


def test_the_kernels_neighbours_are_read() -> None:
    # ip(8) of iproute2; whatever is in the table, each line that has an address and a MAC is a sighting.
    lines = subprocess.run(["ip", "neigh"], capture_output=True, text=True, check=True).stdout.splitlines()
    wanted = sum("lladdr" in line and not line.endswith(("FAILED", "INCOMPLETE")) for line in lines)
    assert len(NeighbourView([], neighbours_from_kernel).sightings()) == wanted


def test_an_announcement_is_heard_and_taken_back() -> None:
    # In a thread of its own: zeroconf takes an event loop it finds running, and the browser's stands still meanwhile.
    with ThreadPoolExecutor(1) as thread:
        assert thread.submit(_heard_and_taken_back).result(60) == (True, True)


def test_only_interfaces_of_ones_own_networks_are_listened_on() -> None:
    assert addresses_inside(["127.0.0.0/30"]) == ("127.0.0.1",)
    assert addresses_inside(["198.51.100.0/24"]) == ()


def _heard_and_taken_back() -> tuple[bool, bool]:
    ear, mouth = MulticastDns(["127.0.0.1"]), Zeroconf(interfaces=["127.0.0.1"])
    kind = "_http._tcp.local."
    service = ServiceInfo(
        kind,
        f"contract test.{kind}",
        addresses=[socket.inet_aton("127.77.7.40")],
        port=5310,
        server="contract-press.local.",
    )
    wanted = Sighting("127.77.7.40", SeenBy.ANNOUNCEMENT, host_name="contract-press", service="_http._tcp", port=5310)
    try:
        mouth.register_service(service)
        heard = _until(lambda: wanted in ear.current())
        mouth.unregister_service(service)
        return heard, _until(lambda: wanted not in ear.current())
    finally:
        mouth.close()
        ear.close()


def _until(condition: object, seconds: float = 60) -> bool:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():  # type: ignore[operator]
            return True
        threading.Event().wait(0.05)
    return False


@pytest.fixture
def page_server() -> Iterator[str]:
    over = threading.Event()

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            if self.path == "/away":
                self.send_response(302)
                self.send_header("Location", "http://127.0.0.1:1/")
                self.end_headers()
                return
            if self.path == "/drip":
                self._drip(b"HTTP/1.1 200 OK\r\nContent-Length: 9999\r\n\r\n")
                return
            if self.path == "/drip-header":
                self._drip(b"HTTP/1.1 200 OK\r\n")
                return
            if self.path == "/slow":
                time.sleep(2)
            if self.path == "/bomb":
                packed = gzip.compress(bytes(50_000_000))
                self.send_response(200)
                self.send_header("Content-Encoding", "gzip")
                self.send_header("Content-Length", str(len(packed)))
                self.end_headers()
                with contextlib.suppress(OSError):
                    self.wfile.write(packed)
                return
            self.send_response(200)
            self.end_headers()
            self.wfile.write(b"x" * (3 * MAX_PAGE_BYTES) if self.path == "/long" else b"hello")

        def do_POST(self) -> None:
            body = self.rfile.read(int(self.headers["Content-Length"]))
            self.send_response(401 if b"word=right" not in body else 200)
            self.end_headers()

        def _drip(self, start: bytes) -> None:
            """A byte every tenth of a second, for as long as somebody listens."""
            try:
                self.wfile.write(start)
                while not over.wait(0.1):
                    self.wfile.write(b"x")
                    self.wfile.flush()
            except OSError:
                pass

        def log_message(self, format: str, *args: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.77.7.1", 0), Handler)
    threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.02}, daemon=True).start()
    yield f"http://127.77.7.1:{server.server_address[1]}"
    over.set()
    server.shutdown()
    server.server_close()


@pytest.mark.parametrize("path", ["/drip", "/drip-header"])
def test_a_page_that_drips_is_given_one_deadline(page_server: str, path: str) -> None:
    # A byte comes long before any time-out between two of them; without a deadline for the whole this never ends.
    assert HttpProbe(0.5).get(page_server + path).trouble == "no answer within 0.5 s"


def test_a_slow_page_is_waited_for_and_one_that_takes_no_connection_is_not(page_server: str) -> None:
    """A small board's page takes seconds to check a password or to be made for the first time; who is off takes no connection."""
    assert HttpProbe(PATIENT_S).get(page_server + "/slow").status == 200
    assert HttpProbe(0.5).get(page_server + "/slow").silent
    with socket.create_server(("127.77.5.205", 0), backlog=0) as full, contextlib.ExitStack() as waiting:
        port = full.getsockname()[1]
        for _ in range(3):
            one = waiting.enter_context(socket.socket())
            one.setblocking(False)
            one.connect_ex(("127.77.5.205", port))
        answer = HttpProbe(PATIENT_S).get(f"http://127.77.5.205:{port}/")
    assert (answer.silent, answer.trouble) == (True, "no connection within 1.5 s")
    assert LOOK_S < PATIENT_S


def test_a_page_that_unpacks_to_much_is_read_within_limits(page_server: str) -> None:
    answer = HttpProbe(PATIENT_S).get(page_server + "/bomb")
    assert (answer.status, len(answer.body)) == (200, MAX_PAGE_BYTES)


def test_the_probe_reads_a_page_within_limits(page_server: str) -> None:
    probe = HttpProbe(PATIENT_S)
    assert (probe.get(page_server + "/").status, probe.get(page_server + "/").body) == (200, "hello")
    assert len(probe.get(page_server + "/long").body) == MAX_PAGE_BYTES
    assert probe.get(page_server + "/away").status == 302
    assert probe.post_form(page_server, {"word": "wrong"}).status == 401
    assert probe.post_form(page_server, {"word": "right"}).status == 200


@pytest.mark.parametrize("url", ["http://127.77.7.2:9/", "http://[nonsense/", "gopher://127.0.0.1/"])
def test_trouble_is_part_of_the_answer(url: str) -> None:
    answer = HttpProbe().get(url)
    assert answer.status == 0
    assert answer.trouble


def test_power_moves_the_card_on_the_standin_and_is_noted_on_a_real_bench(tmp_path: Path) -> None:
    bench = BenchFolder(tmp_path)
    bench.prepare()
    power, board = StandinPower(bench), wiring.boards()["larkspur-r"]
    card = Drive("/dev/pdb", "pdb", 1, True, False, "usb", "", "S1", (), (), 0)
    power.power_on("unit-1", board, card, cable=False)
    assert bench.powered()["unit-1"]["card"] == "pdb"
    with pytest.raises(RefusedError, match="powered already"):
        power.power_on("unit-1", board, card, cable=False)
    with pytest.raises(RefusedError, match="another board"):
        power.power_on("unit-2", board, card, cable=False)
    power.power_off("unit-1")
    power.power_off("unit-1")
    assert bench.powered() == {}
    assert power.powered_since_s() == {}
    assert power.console("unit-1") == ""
    bench.console_file("unit-1").write_bytes(b"[    0.1] Linux\xff\r\n")
    assert power.console("unit-1").startswith("[    0.1] Linux")


def test_a_scan_finds_what_takes_a_connection_and_nothing_else() -> None:
    with socket.create_server(("127.77.5.201", 0)) as door:
        port = door.getsockname()[1]
        addresses = [f"127.77.5.{n}" for n in range(196, 206)]
        assert TcpScan().answering(addresses, [port], lambda: False) == (("127.77.5.201", port),)
        assert TcpScan().answering([], [port], lambda: False) == ()


def test_a_scan_that_is_stopped_asks_nobody_further() -> None:
    asked: list[bool] = []

    def stopped() -> bool:
        asked.append(True)
        return True

    with socket.create_server(("127.77.5.202", 0)) as door:
        assert TcpScan().answering(["127.77.5.202"] * 500, [door.getsockname()[1]], stopped) == ()
    assert len(asked) <= tcp_scan.AT_ONCE


def test_an_address_that_never_answers_does_not_hold_up_the_scan() -> None:
    """A listener whose queue is full answers no connection; the others are found all the same."""
    with socket.create_server(("127.77.5.203", 0), backlog=0) as full:
        port = full.getsockname()[1]
        waiting = []
        for _ in range(3):
            one = socket.socket()
            one.setblocking(False)
            one.connect_ex(("127.77.5.203", port))
            waiting.append(one)
        with socket.create_server(("127.77.5.204", port)):
            assert ("127.77.5.204", port) in TcpScan().answering(
                ["127.77.5.203", "127.77.5.204"], [port], lambda: False
            )
        for one in waiting:
            one.close()


def test_a_name_is_answered_by_who_has_it_and_by_nobody_else() -> None:
    """The other side is python-zeroconf, a responder of its own; RFC 6762 §6.7: a one-shot question is answered to its asker."""
    mouth = Zeroconf(interfaces=["127.0.0.1"])
    try:
        page = ServiceInfo(
            "_http._tcp.local.", "asked by name._http._tcp.local.", addresses=[socket.inet_aton("127.77.7.9")], port=80, server="asked-by-name.local."
        )  # fmt: skip
        mouth.register_service(page)
        names = MulticastNames(["127.0.0.1"])
        assert names.asks_anybody
        assert _until(lambda: names.addresses_of("asked-by-name") == {"127.77.7.9"})
        assert names.addresses_of("Asked-By-Name") == {"127.77.7.9"}, "names know no case (RFC 6762 §16)"
        assert names.addresses_of("nobody-has-this") == frozenset()
        assert names.name_of("127.77.7.10") == ""
    finally:
        mouth.close()
    assert MulticastNames(["127.0.0.1"]).addresses_of("asked-by-name") == frozenset(), "gone with its device"


def test_a_machine_outside_every_range_asks_nobody() -> None:
    nobody = MulticastNames(())
    assert not nobody.asks_anybody
    assert nobody.addresses_of("press") == frozenset()


def test_a_board_that_is_switched_off_keeps_its_lease_and_is_heard_no_more(tmp_path: Path) -> None:
    """As dnsmasq and the kernel do: the lease stays until it expires, the neighbour goes stale."""
    bench = BenchFolder(tmp_path)
    bench.prepare()
    book = LeaseBook(bench, "127.77.7.0/24")
    book.give("02:00:00:00:00:01", "press")
    book.give("02:00:00:00:00:02", "")
    book.leave("02:00:00:00:00:01")
    seen = NeighbourView([bench.leases_file], neighbours_from_file(bench.neighbours_file)).sightings()
    stale = {s.mac: s.stale for s in seen if s.seen_by is SeenBy.NEIGHBOUR}
    assert stale == {"02:00:00:00:00:01": True, "02:00:00:00:00:02": False}
    assert {s.mac for s in seen if s.seen_by is SeenBy.LEASE} == set(stale)
    book.give("02:00:00:00:00:01", "press")
    again = NeighbourView([bench.leases_file], neighbours_from_file(bench.neighbours_file)).sightings()
    assert not any(s.stale for s in again)
