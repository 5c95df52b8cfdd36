"""The account a card comes with: its name, its password, and how that is kept."""

from __future__ import annotations

import re
from collections.abc import Iterator

from passlib.hash import sha512_crypt

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.site.key_places import moved

SYSTEM_ACCOUNTS = frozenset(
    [
        "root",
        "daemon",
        "bin",
        "sys",
        "sync",
        "games",
        "man",
        "lp",
        "mail",
        "news",
        "uucp",
        "proxy",
        "www-data",
        "backup",
        "list",
        "irc",
        "nobody",
        "sshd",
        "messagebus",
    ]
)
"""accounts that systems have before anybody makes one. Source: Debian's base-passwd, passwd.master; the last two: openssh-server, dbus"""
ADMIN_PASSWORD_LEAST = 10
"""characters; common practice for a login that stays on a home network."""
ADMIN_PASSWORD_MOST = 511
"""octets; what libxcrypt takes (crypt(3), CRYPT_MAX_PASSPHRASE_SIZE, one for the end)."""
_ADMIN_NAME = re.compile(r"[a-z_][a-z0-9_-]{0,31}")


def password_hash(password: str, salt: str) -> str:
    """Return `password` as SHA-512-crypt with `salt` (up to 16 of ./0-9A-Za-z) and the default 5000 rounds.

    Source: Drepper, "Unix crypt using SHA-256 and SHA-512".
    """
    hashed: str = sha512_crypt.using(rounds=5000, salt=salt).hash(password)  # type: ignore[no-untyped-call]
    return hashed


def check_admin_password(password: str) -> tuple[Finding, ...]:
    """Return the findings about a plain admin password, before it is hashed and forgotten."""
    if len(password) < ADMIN_PASSWORD_LEAST:
        return (
            Finding(
                "settings.admin-password-short",
                Severity.STOP,
                f"An admin password of {len(password)} character{'s' * (len(password) != 1)} is too short",
                fix=f"Use {ADMIN_PASSWORD_LEAST} or more; three unrelated words do well.",
                where=Where(field="admin_password"),
            ),
        )
    if len(password.encode()) > ADMIN_PASSWORD_MOST:
        return (
            Finding(
                "settings.admin-password-long",
                Severity.STOP,
                f"An admin password of {len(password.encode())} octets is too long",
                fix=f"The login takes {ADMIN_PASSWORD_MOST} at most.",
                where=Where(field="admin_password"),
                source="crypt(3), CRYPT_MAX_PASSPHRASE_SIZE",
            ),
        )
    if any(not 32 <= ord(c) <= 126 for c in password):
        return (
            Finding(
                "settings.admin-password-letters",
                Severity.CHECK,
                "The admin password has characters not every keyboard can type",
                fix="Keep to plain letters, digits and signs.",
                where=Where(field="admin_password"),
            ),
        )
    return tuple(_guessable(password))


GUESSED_WITHIN = 3
"""zxcvbn's score from which on a hundred million guesses or more are wanted (its documentation: 3 is below 10^10 and not below 10^8)"""

MOST_WEIGHED = 72
"""characters that are weighed: it takes longer with every one"""


def _guessable(password: str) -> Iterator[Finding]:
    """Source: Wheeler, "zxcvbn: low-budget password strength estimation" (USENIX Security 2016)."""
    from zxcvbn import zxcvbn  # its lists of words take long to read, and most commands never ask

    weighed = zxcvbn(password[:MOST_WEIGHED], max_length=MOST_WEIGHED)
    if weighed["score"] < GUESSED_WITHIN:
        why = str(weighed["feedback"]["warning"] or "Common words and patterns are tried first.")
        yield Finding("settings.admin-password-guessable", Severity.CHECK, "The admin password is soon guessed", why if why.endswith(".") else f"{why}.",
                      "Three or four unrelated words do better.", Where(field="admin_password"), "zxcvbn")  # fmt: skip


def check_typed_blind(password: str, image_layout: str, own_layout: str) -> Iterator[Finding]:
    """Yield that a password holds characters that sit on another key where the console keeps the image's layout. `image_layout` is empty where
    nobody said it; the characters themselves are not named, only where in the password they are."""
    places = moved(password, image_layout, own_layout)
    if places:
        many = len(places) > 1
        said = ", ".join(map(str, places[:-1])) + f" and {places[-1]}" if many else str(places[0])
        yield Finding(
            "settings.admin-password-moves", Severity.CHECK, f"Character{'s' * many} {said} of the password sit{'s' * (not many)} elsewhere on its console",
            f"The image has the layout {image_layout}, and yours is {own_layout}; what is filled here does not change that. Over the network nothing moves.",
            "Choose a password of letters that stay where they are, or set the keyboard of the device first.", Where(field="admin_password"), "xkeyboard-config",
        )  # fmt: skip


def check_account(name: str, hashed: str) -> Iterator[Finding]:
    """Yield what is wrong with an account of one's own name; `hashed`: its password as it is kept, empty where none was set."""
    if name and not _ADMIN_NAME.fullmatch(name):
        yield Finding(
            "settings.admin-name-letters",
            Severity.STOP,
            f"“{name}” cannot be a login name",
            "It starts with a small letter and goes on with small letters, digits, - and _; 32 at most.",
            "Choose a short one in small letters.",
            Where(field="admin_name"),
            "useradd(8)",
        )
    if name in SYSTEM_ACCOUNTS:
        yield Finding(
            "settings.admin-name-system",
            Severity.STOP,
            f"The image has an account called {name} already",
            "It belongs to the system: it would not be made, or the system's own would be changed.",
            "Choose another name.",
            Where(field="admin_name"),
            "Debian base-passwd",
        )
    if bool(name) != bool(hashed):
        yield Finding(
            "settings.admin-incomplete",
            Severity.STOP,
            "The admin account needs both a name and a password",
            fix="Fill both, or leave both empty and use the image's first login.",
            where=Where(field="admin_password" if name else "admin_name"),
        )
