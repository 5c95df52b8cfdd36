"""What in a settings file opens something: such a file is kept sealed, and shown with dots in its place."""

from __future__ import annotations

import re

SHADOW_PATH = "/etc/shadow"
DOTS = "…"

_NAMES = r"(?:[\w.-]*(?:psk|passwd|password|passphrase|presharedkey|wep[_-]?key\d?)|(?:[\w.-]*[_.-])?(?:pass|secret|token|hash|api[_-]?key))"
"""keys whose value is a secret in wpa_supplicant.conf(5), nm-settings-keyfile(5), netplan(5), iwd.network(5), connman-service.config(5), interfaces(5)
and in files of appliances (common practice)"""

_QUOTED = r'"(?:\\.|[^"\\\n])*"|' + r"'[^'\n]*'"
_LEADING = re.compile(
    rf"""^([ \t]*(?:-[ \t]+|export[ \t]+)?["']?{_NAMES}["']?[ \t]*[=:][ \t]*)(\S[^\n]*)$""", re.IGNORECASE
)
"""a key at the beginning of its line has the rest of it: an unquoted passphrase may hold any sign"""

_INSIDE = re.compile(
    rf"""([{{,][ \t]*["']?{_NAMES}["']?[ \t]*[=:][ \t]*)({_QUOTED}|[^\s,}}\]][^,}}\]\n]*)""", re.IGNORECASE
)
"""one among others of a line ends where the next begins"""

_WORDED = re.compile(
    r"^([ \t]*(?:wpa-(?:psk|password|passphrase|wep-key\d)|wireless-key\d?)[ \t]+)(\S[^\n]*)$", re.IGNORECASE
)
"""interfaces(5) parts them by blanks"""

_NO_SECRET = re.compile(
    r"""["']*(?:true|false|yes|no|on|off|null|~|[0-9]{1,3})?["']*,?[ \t\r]*(?:[#;].*)?""", re.IGNORECASE
)
_SHADOW_LINE = re.compile(r"^([^:\n]*:)([^:\n]{3,})(?=:)", re.MULTILINE)
_SCHEME = re.compile(r"!*\$\w{1,4}\$")
_COMMENTS = ("#", ";", "//")


def masked(path: str, text: str) -> str:
    """Return `text` as it may be shown: what opens something as dots. What is commented out is an example."""
    if path == SHADOW_PATH:
        return _SHADOW_LINE.sub(lambda m: m[1] + _short(m[2]), text)
    return "\n".join(line if line.lstrip().startswith(_COMMENTS) else _masked(line) for line in text.split("\n"))


def _masked(line: str) -> str:
    for form in (_LEADING, _WORDED, _INSIDE):
        line = form.sub(_dotted, line)
    return line


def _dotted(found: re.Match[str]) -> str:
    opening = found[2].lstrip().startswith(("{", "[", "|", ">"))
    return found[0] if opening or _NO_SECRET.fullmatch(found[2]) else found[1] + DOTS


def _short(hashed: str) -> str:
    scheme = _SCHEME.match(hashed)
    return f"{scheme[0] if scheme else ''}{DOTS}"


def holds_secrets(path: str, content: bytes) -> bool:
    """Whether something in the file opens something."""
    text = content.decode("utf-8", "replace")
    return masked(path, text) != text
