"""Ports that command lines and containers tell. Examples are those of the manuals: the Compose specification (ports), podman-systemd.unit(5),
python3 -m http.server, systemd.service(5)."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.image.commands import commanded, contained
from mintseed.core.image.facts import Listener
from mintseed.core.image.starting import Starting, WhatStarts, what_starts
from mintseed.core.image.tree import FixedTree

WANTS = "etc/systemd/system/multi-user.target.wants"


def told(line: str) -> list[tuple[int, str, str]]:
    tree = FixedTree({f"{WANTS}/weather.service": f"[Service]\n{line}\n".encode(), "etc/machine-id": b""})
    return [(one.port, one.scheme, one.reach) for one in commanded(tree, what_starts(tree))]


@pytest.mark.parametrize(
    ("line", "port"),
    [
        ("ExecStart=/usr/bin/python3 -m http.server 8765", (8765, "http", "network")),
        ("ExecStart=/usr/local/bin/weather --port 8080 --quiet", (8080, "http", "network")),
        ("ExecStart=/usr/local/bin/weather --port=8080", (8080, "http", "network")),
        ("ExecStart=-/usr/local/bin/weather --listen 127.0.0.1:9000", (9000, "http", "loopback")),
        ("ExecStart=/usr/local/bin/weather \\\n  --http-port 8123", (8123, "http", "network")),
        ("ExecStart=/usr/local/bin/weather --bind 0.0.0.0:443", (443, "https", "network")),
        ("ExecStart=/usr/sbin/httpd -f -p 8081 -h /srv/www", (8081, "http", "network")),
        ("Environment=PORT=3000\nExecStart=/usr/local/bin/weather", (3000, "http", "network")),
    ],
)
def test_a_port_on_a_command_line(line: str, port: tuple[int, str, str]) -> None:
    assert told(line) == [port]


@pytest.mark.parametrize(
    "line",
    [
        "ExecStart=/usr/sbin/cron -f",
        "ExecStart=/usr/bin/thing -p /run/thing.pid",
        "# ExecStart=/usr/bin/thing --port 80",
        "ExecStart=/usr/bin/queue --port 1883",  # the registry of service names: another service
        "ExecStart=/usr/bin/thing --port 99999",
        "ExecStart=/usr/bin/thing --listen unix:/run/x",
        "ExecStart=/usr/bin/thing --support 80",
    ],
)
def test_what_is_no_page(line: str) -> None:
    assert told(line) == []


def lets_out(
    text: str, path: str = "opt/weather/compose.yaml", programs: frozenset[str] = frozenset({"dockerd"})
) -> list[tuple[int, str]]:
    return [(one.port, one.reach) for one in contained(FixedTree({path: text.encode()}), WhatStarts(programs=programs))]


@pytest.mark.parametrize(
    ("ports", "out"),
    [
        ('["8000:8000"]', [(8000, "network")]),
        ('["9090-9091:8080-8081"]', [(9090, "network")]),
        ('["127.0.0.1:8001:8001"]', [(8001, "loopback")]),
        ('["6060:6060/udp"]', []),
        ('["3000"]', []),
        ("[80:80]", [(80, "network")]),
        ('[{target: 80, published: "8080", host_ip: 127.0.0.1, protocol: tcp}]', [(8080, "loopback")]),
        ("[{target: 80}]", []),
    ],
)
def test_ports_as_the_compose_specification_writes_them(ports: str, out: list[tuple[int, str]]) -> None:
    assert lets_out(f"services:\n  page:\n    image: x\n    ports: {ports}\n") == out


def test_containers_need_something_that_runs_them() -> None:
    text = 'services: {a: {ports: ["8000:80"]}}\n'
    assert lets_out(text, programs=frozenset({"sh"})) == []
    assert lets_out(text, programs=frozenset()) == [(8000, "network")], "nothing is known of its programs"
    assert lets_out("[Container]\nPublishPort=8080:80\n", "etc/containers/systemd/page.container") == [
        (8080, "network")
    ]


def nested(first: str, each: str) -> str:
    """Sixty anchors, each of which holds the one before twice: written out it would have 2⁶⁰ parts."""
    return f"n0: &n0 {first}\n" + "".join(f"n{n + 1}: &n{n + 1} {each.format(f'*n{n}')}\n" for n in range(60))


BOMB = (
    nested("[x, x]", "[{0}, {0}]")
    + "services: {s: {ports: *n60}, t: {ports: [{published: *n60}]}, u: {ports: [{target: 1, published: '1', host_ip: *n60}]}}\n"
)
MERGES = nested("{k: v}", "{{<<: [{0}, {0}]}}") + "services: {s: *n60}\n"
ITSELF = "services: &s {a: *s, b: {ports: &p [*p]}}\n"


@pytest.mark.parametrize(
    "text",
    [
        "",
        "services: []",
        "services: {a: {ports: 3}}",
        "[" * 5000,
        "\t: x",
        BOMB,
        MERGES,
        ITSELF,
        "services: {a: !!python/object:os.x {}}",
    ],
)
def test_what_is_no_description_of_containers_says_nothing(text: str) -> None:
    assert lets_out(text) == []


@given(st.text(max_size=120))
def test_no_line_is_too_odd(text: str) -> None:
    told(f"ExecStart={text}")
    lets_out(text)
    commanded(FixedTree({}), WhatStarts(all=(Starting("x", "nowhere"),)))


@pytest.mark.parametrize(("published", "port", "scheme", "reach"), [
    ("8080:80", 8080, "http", "network"), ("443:8443", 443, "https", "network"), ("127.0.0.1:8081:80/tcp", 8081, "http", "loopback"),
])  # fmt: skip
def test_a_container_of_systemds_is_named_by_its_file(published: str, port: int, scheme: str, reach: str) -> None:
    """Source: podman-systemd.unit(5), PublishPort."""
    path = "etc/containers/systemd/print.page.container"
    tree = FixedTree(
        {
            path: f"[Container]\nPublishPort={published}\nPublishPort=53:53\nPublishPort=1883:1883\n".encode(),
            "etc/machine-id": b"",
        }
    )
    assert list(contained(tree, what_starts(tree))) == [
        Listener(port, scheme, "print.page", path, reach, how="container")  # type: ignore[arg-type]
    ]
