"""Where the appliance's page will be, worked out from files of its root volume."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from collections.abc import Mapping
from dataclasses import dataclass

LISTEN_FILES = ("etc/webpage/site.conf", "etc/nginx/sites-enabled/default", "etc/lighttpd/lighttpd.conf")
"""Places of web server configurations, relative to the root volume; first found wins (common practice)."""

MDNS_FOLDER = "etc/avahi/services"

_LISTEN = re.compile(r"^\s*(?:listen|server\.port\s*=)\s*(?:\S*:)?(\d{1,5})\b", re.MULTILINE)


@dataclass(frozen=True, slots=True)
class PageFacts:
    """What the root volume says about names and ports. Empty or None where it says nothing."""

    host_name: str = ""
    host_name_file: str = ""
    system: str = ""
    release: str = ""
    listen_port: int | None = None
    listen_file: str = ""
    announces: str = ""
    announced_port: int | None = None
    announce_file: str = ""

    @property
    def port(self) -> int | None:
        return self.listen_port or self.announced_port

    def url(self, host_name: str = "") -> str:
        """Return the page's address under `host_name`, or under the image's own name."""
        name = host_name or self.host_name
        if not name or self.port is None:
            return ""
        return f"http://{name}.local/" if self.port == 80 else f"http://{name}.local:{self.port}/"


def read_page_facts(files: Mapping[str, bytes]) -> PageFacts:
    """Return what `files` (path relative to the root volume → content) tell. Unreadable parts are left empty."""
    name = _text(files, "etc/hostname").strip()
    release = dict(_os_release(_text(files, "etc/os-release") or _text(files, "usr/lib/os-release")))
    listen_file = next((f for f in LISTEN_FILES if _LISTEN.search(_text(files, f))), "")
    listen = _LISTEN.search(_text(files, listen_file)) if listen_file else None
    announce_file = next((f for f in sorted(files) if f.startswith(MDNS_FOLDER + "/") and f.endswith(".service")), "")
    kind, port = _mdns_service(_text(files, announce_file)) if announce_file else ("", None)
    return PageFacts(
        name,
        "etc/hostname" if name else "",
        release.get("NAME", ""),
        release.get("VERSION_ID", ""),
        int(listen[1]) if listen else None,
        listen_file,
        kind,
        port,
        announce_file if kind else "",
    )


def _text(files: Mapping[str, bytes], path: str) -> str:
    return files.get(path, b"").decode("utf-8", "replace")


def _os_release(text: str) -> list[tuple[str, str]]:
    """Read os-release(5): KEY=value, value possibly in quotes."""
    pairs = (line.partition("=") for line in text.splitlines() if "=" in line and not line.startswith("#"))
    return [(key.strip(), value.strip().strip("\"'")) for key, _, value in pairs]


def _mdns_service(text: str) -> tuple[str, int | None]:
    """Read the first service of an mDNS service file; (type, port), or nothing when it is not readable."""
    if "<!ENTITY" in text:
        return "", None
    try:
        service = ET.fromstring(text).find("service")
    except ET.ParseError:
        return "", None
    if service is None:
        return "", None
    port = (service.findtext("port") or "").strip()
    return (service.findtext("type") or "").strip(), int(port) if port.isdigit() else None
