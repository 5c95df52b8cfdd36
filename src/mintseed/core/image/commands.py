"""What programs that start with a system are told on their command lines, and what containers let out: ports of pages without a web server's
settings file.

Sources: systemd.service(5) (ExecStart=), systemd.exec(5) (Environment=), the Compose specification (ports), podman-systemd.unit(5)
(PublishPort=). How programs call the option that says their port is common practice.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Literal

import yaml

from mintseed.core.image.facts import Listener
from mintseed.core.image.starting import MOST_UNITS, Starting, WhatStarts, unit_of
from mintseed.core.image.tree import Tree, text_of
from mintseed.core.image.unit_file import UnitFile, read_unit_file
from mintseed.core.image.web_servers import Address, address

_OTHERS = frozenset({"ssh", "sshd", "dropbear", "nginx", "apache2", "httpd", "lighttpd", "caddy", "haproxy"})
"""what is no page, and what is read from its own settings"""

_OPTION = re.compile(
    r"(?:^|\s)(?:--?(?:http-?|web-?|https-?|tls-?)?(?:port|listen|bind|addr|address)(?:-?(?:port|address|addr))?|-p|-b|-l)(?:=|\s+)"
    r"[\"']?(\S+?)[\"']?(?=\s|$)",
    re.IGNORECASE,
)
_SERVER_MODULE = re.compile(r"\bhttp\.server\s+(\d{1,5})\b")
_PORT_SET = re.compile(r"\b(?:HTTP_|WEB_|LISTEN_)?PORT=[\"']?(\d{1,5})\b")

COMPOSE_NAMES = ("compose.yaml", "compose.yml", "docker-compose.yml", "docker-compose.yaml")
COMPOSE_ABOVE = ("opt", "srv", "home", "root", "etc/docker", "etc/containers", "var/lib", "usr/local/share")
"""folders in whose folders, and in which themselves, containers are described (common practice)"""

QUADLETS = ("etc/containers/systemd", "usr/share/containers/systemd")
_RUNTIMES = ("dockerd", "docker", "podman", "containerd", "nerdctl")
MOST_FOLDERS = 40


def commanded(tree: Tree, starts: WhatStarts) -> tuple[Listener, ...]:
    """Return what the command lines of what starts say they listen on."""
    found: list[Listener] = []
    for one in [s for s in starts.all if s.name not in _OTHERS and s.kind != "socket"][:MOST_UNITS]:
        found += _of_unit(one, unit_of(tree, one))
    return tuple(found)


def contained(tree: Tree, starts: WhatStarts) -> tuple[Listener, ...]:
    """Return what containers let out, where something that runs them is there or may be."""
    if not starts.lies(*_RUNTIMES):
        return ()
    found: list[Listener] = []
    for folder in _compose_folders(tree):
        name = next((n for n in COMPOSE_NAMES if n in tree.folder(folder)), "")
        if name:
            found += _compose(f"{folder}/{name}", text_of(tree, f"{folder}/{name}"))
    for folder in QUADLETS:
        for name in [n for n in tree.folder(folder) if n.endswith((".container", ".pod"))][:MOST_FOLDERS]:
            found += _quadlet(f"{folder}/{name}", text_of(tree, f"{folder}/{name}"))
    return tuple(found)


def _of_unit(one: Starting, unit: UnitFile) -> Iterator[Listener]:
    said = [
        m[1] for line in unit.all("ExecStart") for pattern in (_OPTION, _SERVER_MODULE) for m in pattern.finditer(line)
    ]
    said += [m[1] for line in unit.all("Environment") for m in _PORT_SET.finditer(line)]
    for word in said:
        if (found := address(word)) is not None and found[0] not in _NO_PAGES:
            yield _listener(found, one.name, unit.path, "command")


def _listener(found: Address, server: str, path: str, how: Literal["command", "container"]) -> Listener:
    return Listener(found[0], "https" if found[0] == 443 else "http", server, path, found[1], how=how)


_NO_PAGES = frozenset({22, 53, 67, 68, 69, 123, 445, 1883, 5353, 8883})
"""ports of other services. Source: the IANA registry of service names and ports."""


def _compose_folders(tree: Tree) -> Iterator[str]:
    for above in COMPOSE_ABOVE:
        yield above
        for name in tree.folder(above)[:MOST_FOLDERS]:
            yield f"{above}/{name}"


def _compose(path: str, text: str) -> Iterator[Listener]:
    try:
        # Scalars stay as they are written: 8080:80 is no number in base sixty. Nothing is merged, so nothing grows.
        said = yaml.load(text, Loader=yaml.CBaseLoader)
    except (yaml.YAMLError, ValueError, RecursionError):
        return
    services = said.get("services") if isinstance(said, dict) else None
    for name, service in services.items() if isinstance(services, dict) else ():
        ports = service.get("ports") if isinstance(service, dict) else None
        for port in ports[:MOST_FOLDERS] if isinstance(ports, list) else ():
            if (found := _published(port)) is not None and found[0] not in _NO_PAGES:
                yield _listener(found, str(name)[:60], path, "container")


def _published(port: object) -> Address | None:
    """Return (port, reach) of a container's port as it is let out; None where it is none, or let out under a number nobody chose."""
    if isinstance(port, dict):
        said = [port.get(key, default) for key, default in (("protocol", "tcp"), ("published", ""), ("host_ip", ""))]
        # Only texts are texts here: a list that holds lists would be written out without end.
        if not all(isinstance(value, str) for value in said) or said[0] != "tcp":
            return None
        return address(f"{said[2]}:{said[1]}" if said[2] else said[1])
    if not isinstance(port, str):
        return None
    text, _, protocol = port.partition("/")
    outer, colon, _inner = text.rpartition(":")
    # A number alone is the container's own; a range begins with its first.
    return address(outer.split("-")[0]) if colon and protocol in ("", "tcp") else None


def _quadlet(path: str, text: str) -> Iterator[Listener]:
    name = path.rsplit("/", 1)[-1].rpartition(".")[0]
    for said in read_unit_file(path, text).all("PublishPort"):
        if (found := _published(said)) is not None and found[0] not in _NO_PAGES:
            yield _listener(found, name, path, "container")
