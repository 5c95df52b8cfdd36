"""Where the page is served, and who can reach it there."""

from __future__ import annotations

import ipaddress
import os
import socket

import ifaddr


def host() -> str:
    """Return the address the page is bound to."""
    return os.environ.get("MINTSEED_HOST") or "127.0.0.1"


def is_reachable_from_outside() -> bool:
    """Return whether others than this machine can reach the page."""
    name = host()
    if name == "localhost":
        return False
    try:
        return not ipaddress.ip_address(name).is_loopback
    except ValueError:
        return True


def own_addresses() -> tuple[str, ...]:
    """Return this machine's IPv4 addresses that others can reach."""
    found = (ip.ip for adapter in ifaddr.get_adapters() for ip in adapter.ips if isinstance(ip.ip, str))
    return tuple(a for a in found if not ipaddress.ip_address(a).is_loopback)


def reachable_names() -> list[str]:
    """Return the names under which it may be asked for, beside loopback: a web page elsewhere cannot rebind its own."""
    if not is_reachable_from_outside():
        return []
    bound = own_addresses() if host() in ("0.0.0.0", "::") else (host(),)
    machine = socket.gethostname().lower()
    extra = [n for n in os.environ.get("MINTSEED_HOST_NAMES", "").split(",") if n]
    return [*bound, machine, f"{machine}.local", *extra]


def serves_tls() -> bool:
    return bool(os.environ.get("MINTSEED_TLS_CERT"))


def phone_url() -> str:
    """Return the address a phone on the same network opens, empty when none can."""
    if not is_reachable_from_outside():
        return ""
    names = own_addresses() if host() in ("0.0.0.0", "::") else (host(),)
    scheme = "https" if serves_tls() else "http"
    return f"{scheme}://{names[0]}:{os.environ.get('MINTSEED_PORT', '4870')}/" if names else ""
