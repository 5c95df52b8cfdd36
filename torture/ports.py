"""Ports for applications that are started to be tried."""

from __future__ import annotations

import random
import socket

_FIRST, _LAST = 20_000, 30_000
"""Below the ports a system gives to outgoing connections (from 32768 on by default. Source: Linux documentation,
ip-sysctl, ip_local_port_range): a browser that happens to use one keeps a server from it."""


def free_port() -> int:
    """Return a loopback port nobody uses, and nobody is given by chance."""
    while True:
        port = random.randrange(_FIRST, _LAST)
        with socket.socket() as probe:
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
