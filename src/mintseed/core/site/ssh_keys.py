"""Public keys that a place's owner logs in with. Source: sshd(8), AUTHORIZED_KEYS FILE FORMAT; RFC 4253 §6.6."""

from __future__ import annotations

import re
from collections.abc import Iterator

from cryptography.exceptions import UnsupportedAlgorithm
from cryptography.hazmat.primitives.asymmetric.rsa import RSAPublicKey
from cryptography.hazmat.primitives.serialization import load_ssh_public_key

from mintseed.core.findings import Finding, Severity, Where

SOURCE = "sshd(8)"
KINDS = (
    "ssh-ed25519", "ssh-rsa", "ecdsa-sha2-nistp256", "ecdsa-sha2-nistp384", "ecdsa-sha2-nistp521", "sk-ssh-ed25519@openssh.com", "sk-ecdsa-sha2-nistp256@openssh.com", "ssh-dss",
)  # fmt: skip
LEAST_RSA_BITS = 2048
"""NIST SP 800-131A: shorter ones are no longer to be used"""
MOST_KEYS = 20

_KEY = re.compile(rf"(?:^|\s)({'|'.join(map(re.escape, KINDS))})\s+([A-Za-z0-9+/]+={{0,2}})(?:\s+(\S.*))?$")


def keys_in(text: str) -> tuple[str, ...]:
    """Return the lines of `text` that hold a key, each once, without blanks at their ends; comments and empty lines are none."""
    lines = (line.strip() for line in text.splitlines())
    return tuple(dict.fromkeys(line for line in lines if line and not line.startswith("#")))


def is_key(line: str) -> bool:
    """Return whether a line reads as a public key: a kind, then letters; whether they are one is `check_keys`'s to say."""
    return _KEY.search(line) is not None


def same_key(line: str) -> str:
    """Return what two lines of one key have in common: kind and key, without options and comment."""
    found = _KEY.search(line)
    return f"{found[1]} {found[2]}" if found else line


def owner_of(line: str) -> str:
    """Return the comment of a key, which mostly says whose it is; empty where it has none."""
    found = _KEY.search(line)
    return (found[3] or "").strip() if found else ""


def check_keys(text: str, where: Where) -> Iterator[Finding]:
    """Yield what is wrong with keys, line by line; a key that its server takes gets nothing."""
    if "PRIVATE KEY-----" in text:
        yield Finding("site.key-private", Severity.STOP, "This is the private key", "It opens every device that knows its other half, and belongs on no card.",
                      "Take the file beside it that ends in .pub.", where, SOURCE)  # fmt: skip
        return
    for line in keys_in(text):
        yield from _check(line, where)


def _check(line: str, where: Where) -> Iterator[Finding]:
    found = _KEY.search(line)
    shown = f"{line[:24]}…" if len(line) > 25 else line
    if found is None:
        yield Finding("site.key-broken", Severity.STOP, f"{shown} is no public key", "It begins with its kind, such as ssh-ed25519, and stands in one line.",
                      "Copy the whole line of the file that ends in .pub.", where, SOURCE)  # fmt: skip
        return
    if found[1] == "ssh-dss":
        # Libraries no longer read it either.
        yield Finding("site.key-old", Severity.CHECK, f"The key {owner_of(line) or shown} is of a kind servers no longer take", "OpenSSH has refused it since 7.0.",
                      "Make one of ssh-ed25519.", where, SOURCE)  # fmt: skip
        return
    try:
        key = load_ssh_public_key(f"{found[1]} {found[2]}".encode()) if not found[1].startswith("sk-") else None
    except (ValueError, UnsupportedAlgorithm):
        yield Finding("site.key-broken", Severity.STOP, f"The key {owner_of(line) or shown} is cut off or changed", "What it says of itself does not fit its letters.",
                      "Copy the whole line of the file that ends in .pub.", where, "RFC 4253 §6.6")  # fmt: skip
        return
    if isinstance(key, RSAPublicKey) and key.key_size < LEAST_RSA_BITS:
        yield Finding("site.key-old", Severity.CHECK, f"The key {owner_of(line) or shown} has {key.key_size} bits", f"Fewer than {LEAST_RSA_BITS} are no longer to be used.",
                      "Make one of ssh-ed25519.", where, "NIST SP 800-131A")  # fmt: skip
