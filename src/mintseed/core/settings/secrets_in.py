"""What in a settings file opens something: such a file is kept sealed, and shown with dots in its place."""

from __future__ import annotations

import re

SHADOW_PATH = "/etc/shadow"
DOTS = "…"

_KEYED = re.compile(
    r"""^(?P<key>[ \t]*(?:-[ \t]+)?["']?(?:[\w.-]*[_.-])?"""
    r"""(?:psk|pass|passwd|password|passphrase|presharedkey|wep[_-]?key\d?|secret|hash)["']?[ \t]*[=:][ \t]*)(?P<value>\S[^\n]*)$""",
    re.IGNORECASE | re.MULTILINE,
)
"""keys whose value is a secret in wpa_supplicant.conf(5), nm-settings-keyfile(5), netplan(5), iwd.network(5), connman-service.config(5) and in
files of appliances (common practice); a line that is commented out holds an example"""

_NO_SECRET = re.compile(
    r"""["']*(?:true|false|yes|no|on|off|null|~|[0-9]{1,3})?["']*,?[ \t\r]*(?:[#;].*)?""", re.IGNORECASE
)
_SHADOW_LINE = re.compile(r"^([^:\n]*:)([^:\n]{3,})(?=:)", re.MULTILINE)
_SCHEME = re.compile(r"!*\$\w{1,4}\$")


def masked(path: str, text: str) -> str:
    """Return `text` as it may be shown: what opens something as dots."""
    if path == SHADOW_PATH:
        return _SHADOW_LINE.sub(lambda m: m[1] + _short(m[2]), text)
    return _KEYED.sub(lambda m: m[0] if _NO_SECRET.fullmatch(m["value"]) else m["key"] + DOTS, text)


def _short(hashed: str) -> str:
    scheme = _SCHEME.match(hashed)
    return f"{scheme[0] if scheme else ''}{DOTS}"


def holds_secrets(path: str, content: bytes) -> bool:
    """Whether something in the file opens something."""
    text = content.decode("utf-8", "replace")
    return masked(path, text) != text
