"""The files that a draft fills, on the boot volume by what stands in them, on the root volume by what the system reads."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from mintseed.core.image.facts import Account
from mintseed.core.image.report import FileOnImage, XRay
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.core.recipes.draft_wifi import wifi_files
from mintseed.core.recipes.model import FILE_PATH, WIFI_DIALECTS
from mintseed.core.settings.guess import Guess, guess
from mintseed.core.settings.pairs import pairs_of
from mintseed.core.settings.secrets_in import SHADOW_PATH
from mintseed.core.settings.text import split


@dataclass(frozen=True, slots=True)
class DraftFile:
    """A file that could be filled. `values`: key → template; `take`: whether it is proposed."""

    path: str
    """with a / before it on the root volume"""
    kind: str
    dialect: str
    why: str
    when: Literal["always", "wifi"]
    values: Mapping[str, str]
    quoting: Literal["none", "shell"]
    take: bool
    make: bool = False
    """whether the image comes without it"""
    owner: str = ""
    """account it belongs to, where that is not whoever its reader demands"""

    @property
    def takes_wifi(self) -> bool:
        return self.dialect in WIFI_DIALECTS or "{wifi_name}" in self.values.values()

    @property
    def says(self) -> str:
        """What goes into it, in words."""
        if self.dialect in WIFI_DIALECTS:
            return "the Wi-Fi network and its key"
        if self.dialect == "authorized-keys":
            return "your public keys, where the place has some"
        if self.dialect == "shadow":
            return f"the password of {', '.join(self.values)}, hashed, where you set one"
        named = {name for template in self.values.values() for name in re.findall(r"{(\w+)}", template)}
        return ", ".join(words for name, words in WORDS.items() if name in named)


WORDS = {
    "host_name": "host name", "time_zone": "time zone", "keyboard": "keyboard", "locale": "language", "country": "country", "wifi_name": "the Wi-Fi network",
    "wifi_passphrase": "its passphrase in clear", "admin_name": "the account", "admin_hash": "its password, hashed",
}  # fmt: skip


def file_said(file: DraftFile) -> dict[str, object]:
    """Return a file as a recipe names it."""
    said: dict[str, object] = {"path": file.path.lstrip("/"), "dialect": file.dialect, "title": file.kind}
    if file.path.startswith("/"):
        said["volume"] = "root"
    if file.owner:
        said |= {"owner": file.owner, "mode": "0600"}
    if file.make:
        said["absent"] = "make"
    if file.when != "always":
        said["when"] = file.when
    if file.quoting != "none":
        said["quoting"] = file.quoting
    if file.values:
        said["values"] = dict(file.values)
    return said


# Which of its keys mean what. Names as they are usual in such files (common practice).
_KEYS: tuple[tuple[str, str], ...] = (
    (r"(?:DEVICE|HOST|NODE|SYSTEM)_?NAME|HOST|NAME", "{host_name}"),
    (r"TZ|ZONE|TIME_?ZONE", "{time_zone}"),
    (r"KEYS|KEY_?MAP|KEYBOARD(?:_LAYOUT)?|XKB_?LAYOUT", "{keyboard}"),
    (r"LANG|LOCALE", "{locale}"),
    (r"(?:WI_?FI_|WLAN_)?(?:COUNTRY|COUNTRY_CODE|REG_?DOMAIN)", "{country}"),
    (r"(?:WI_?FI_|WLAN_)?(?:E?SSID|NETWORK(?:_NAME)?)|WI_?FI_NAME", "{wifi_name}"),
    (r"(?:WI_?FI_|WLAN_)?(?:PSK|PASS_?PHRASE)|(?:WI_?FI|WLAN)_(?:PASS|PASSWORD|KEY)", "{wifi_passphrase}"),
    (r"(?:USER|ACCOUNT|ADMIN|LOGIN)(?:_?NAME)?", "{admin_name}"),
    (r"(?:USER|ACCOUNT|ADMIN|LOGIN)?_?(?:PASSWORD|PASSWD)?_?HASH", "{admin_hash}"),
)  # fmt: skip


SUPPLICANT_ON_BOOT = "wpa_supplicant.conf"


def boot_files(xray: XRay) -> Iterator[DraftFile]:
    looked_for = {fact.value.lower(): fact.file for fact in xray.system.looks_for}
    if xray.boot_volume and SUPPLICANT_ON_BOOT in looked_for and xray.file(SUPPLICANT_ON_BOOT) is None:
        why = f"{looked_for[SUPPLICANT_ON_BOOT]} looks for it."
        yield DraftFile(SUPPLICANT_ON_BOOT, "Wi-Fi", "wpa-supplicant", why, "wifi", {}, "none", True, True)
    for file in xray.files:
        if file.on_root or not re.fullmatch(FILE_PATH, file.path):
            continue  # no recipe can name it
        looks = guess(file.path, file.content)
        if (script := looked_for.get(file.path.lower())) is not None:
            looks = replace(looks, why=f"{looks.why} {script} looks for it.".strip())
        yield from _proposed(file, looks, xray)


def _proposed(file: FileOnImage, looks: Guess, xray: XRay) -> Iterator[DraftFile]:
    """Yield what is proposed for a file of the boot volume; nothing where no key of it is known to mean anything."""
    dialect = looks.dialect
    if dialect == "netplan" and file.path.rsplit("/", 1)[-1] == "network-config":
        dialect = "cloud-init-network"
    if dialect in WIFI_DIALECTS or dialect == "systemd-networkd":
        yield DraftFile(file.path, looks.kind, dialect, looks.why, "wifi", {}, "none", True)
    elif dialect == "cloud-init-user-data":
        yield DraftFile(file.path, looks.kind, dialect, looks.why, "always", USER_DATA, "none", True)
    elif dialect in ("key-value", "ini", "json", "yaml"):
        values, quoting = (
            key_values(file.content) if dialect == "key-value" else (structured_values(dialect, file), "none")
        )
        if values:
            # A file that holds nothing but the network is wanted where the board comes by Wi-Fi.
            when: Literal["always", "wifi"] = (
                "wifi" if all("{wifi" in t or "{country" in t for t in values.values()) else "always"
            )
            yield DraftFile(file.path, looks.kind, dialect, looks.why, when, values, quoting, True)
    elif dialect == "plain" and (template := _one_value(file, xray)):
        yield DraftFile(
            file.path,
            f"one value: {WORDS[template[1:-1]]}",
            "plain",
            looks.why,
            "always",
            {"value": template},
            "none",
            True,
        )


USER_DATA = {
    "hostname": "{host_name}",
    "timezone": "{time_zone}",
    "keyboard/layout": "{keyboard}",
    "locale": "{locale}",
}
"""what cloud-init is told where its file is filled (cloud-init documentation, module reference)"""


def root_files(xray: XRay, on_boot: Sequence[DraftFile]) -> Iterator[DraftFile]:
    """Yield where this system keeps what the boot volume offers no file for."""
    if xray.root_unfillable:
        return
    wifi = any(f.takes_wifi for f in on_boot)
    offered = {name for f in on_boot for template in f.values.values() for name in re.findall(r"{(\w+)}", template)}
    there = {f.path: f for f in xray.files if f.on_root}
    if not wifi:
        yield from _root_wifi(xray, there)
    yield from _root_keys(xray, there)
    if "admin_hash" not in offered and not any(f.dialect == "cloud-init-user-data" for f in on_boot):
        yield from _root_password(xray, there)
    if "host_name" not in offered and "/etc/hostname" in there:
        why = "The system keeps its name there (hostname(5))."
        yield DraftFile("/etc/hostname", "host name", "plain", why, "always", {"value": "{host_name}"}, "none", True)
        if (hosts := there.get("/etc/hosts")) is not None and b"127.0.1.1" in hosts.content:
            why = "It has a line with its own name, 127.0.1.1 (hosts(5))."
            yield DraftFile("/etc/hosts", "its own name", "hosts", why, "always", {"name": "{host_name}"}, "none", True)
    if "time_zone" not in offered and xray.system.time_zone is not None:
        why = f"{xray.system.time_zone.file} says {xray.system.time_zone.value} (localtime(5))."
        link = {"target": "/usr/share/zoneinfo/{time_zone}"}
        yield DraftFile("/etc/localtime", "time zone", "link", why, "always", link, "none", True)
        if "/etc/timezone" in there:
            yield DraftFile(
                "/etc/timezone", "time zone, in words", "plain", why, "always", {"value": "{time_zone}"}, "none", True
            )
    keyboard = there.get("/etc/default/keyboard")
    if "keyboard" not in offered and keyboard is not None and b"XKBLAYOUT=" in keyboard.content:
        why = "It sets XKBLAYOUT (keyboard(5))."
        yield DraftFile(
            keyboard.path, "keyboard", "key-value", why, "always", {"XKBLAYOUT": "{keyboard}"}, "shell", True
        )
    if "locale" not in offered and (fact := xray.system.locale) is not None and f"/{fact.file}" in there:
        why = f"It says {fact.value} (locale(7))."
        yield DraftFile(f"/{fact.file}", "language", "key-value", why, "always", {"LANG": "{locale}"}, "shell", True)


def _main_account(xray: XRay) -> Account | None:
    """Return whoever logs in: the first account that a person has, else root; None where nobody has a shell."""
    people = [a for a in xray.system.accounts if a.home and (a.uid or 0) >= FIRST_PERSON]
    return next(iter(people), next((a for a in xray.system.accounts if a.name == "root" and a.home), None))


def _root_password(xray: XRay, there: Mapping[str, FileOnImage]) -> Iterator[DraftFile]:
    """Yield where the password of whoever logs in is kept. An account of another name is not made: it keeps the name it has."""
    account = _main_account(xray)
    if account is None or account.login == "unknown" or SHADOW_PATH not in there:
        return
    why = f"The system keeps there how {account.name} logs in (shadow(5))."
    values = {account.name: "{admin_hash}"}
    yield DraftFile(SHADOW_PATH, f"password of {account.name}", "shadow", why, "always", values, "none", True)


def _root_keys(xray: XRay, there: Mapping[str, FileOnImage]) -> Iterator[DraftFile]:
    """Yield where the keys of whoever logs in are looked for: with the first account that a person has, else with root."""
    if xray.system.ssh is None:
        return
    account = _main_account(xray)
    path = f"/{account.home.strip('/')}/.ssh/authorized_keys" if account else ""
    if account is not None and re.fullmatch(FILE_PATH, path.lstrip("/")):
        why = f"{xray.system.ssh.file} starts {xray.system.ssh.value}, which looks there for {account.name} (sshd(8), AUTHORIZED_KEYS FILE FORMAT)."
        yield DraftFile(
            path,
            f"keys that open {account.name}",
            "authorized-keys",
            why,
            "always",
            {},
            "none",
            True,
            path not in there,
            account.name,
        )


FIRST_PERSON = 1000
"""the first number of an account that is a person's (login.defs(5), UID_MIN)"""


def _root_wifi(xray: XRay, there: Mapping[str, FileOnImage]) -> Iterator[DraftFile]:
    """Yield the files that what is started here reads its Wi-Fi network from; nothing where no dialect fills them."""
    for one in wifi_files(xray.system, there):
        makes = one.path not in there and one.dialect != "link"
        yield DraftFile(one.path, one.title, one.dialect, one.why, "wifi", one.values, "none", True, makes)


def _one_value(file: FileOnImage, xray: XRay) -> str:
    """Return the template of a file with one word in it, told by its name or by the word; nothing where neither tells."""
    stem = file.path.rsplit("/", 1)[-1].rsplit(".", 1)[0].upper().replace("-", "_")
    word = file.content.decode("utf-8", "replace").strip()
    for pattern, template in _KEYS:
        if template in ("{host_name}", "{time_zone}", "{keyboard}", "{country}") and re.fullmatch(pattern, stem):
            return template
    return "{host_name}" if word and word == xray.page.host_name else ""


_BARE = ("NAME", "HOST", "KEYS", "USER", "LOGIN", "ACCOUNT", "ADMIN", "NETWORK", "ZONE")
"""words that mean these things alone in a flat file; below another key they may mean anything"""


def structured_values(dialect: str, file: FileOnImage) -> dict[str, str]:
    """Return place → template of the keys of a file with levels whose names say what they hold, each template once."""
    values: dict[str, str] = {}
    if len(file.content) > MAX_SETTINGS_FILE_BYTES:
        return {}
    for place in pairs_of(dialect, split(file.content).text):
        *outside, leaf = (re.sub(r"[^A-Za-z0-9]+", "_", word).upper() for word in place.split("/"))
        names = [f"{outside[-1]}_{leaf}"] if outside else [leaf]
        if outside and leaf not in _BARE:
            names.append(leaf)
        template = next((t for name in names for pattern, t in _KEYS if re.fullmatch(pattern, name)), "")
        if template and template not in values.values():
            values[place] = template
    return values


def key_values(content: bytes) -> tuple[dict[str, str], Literal["none", "shell"]]:
    """Return key → template of the keys whose names say what they hold, each template once, and how the file quotes."""
    text = content.decode("utf-8", "replace")
    pairs = re.findall(r"^[ \t]*#?[ \t]*([A-Za-z_][A-Za-z0-9_]*)[ \t]*=[ \t]*([^\r\n]*)", text, re.MULTILINE)
    values: dict[str, str] = {}
    for key, _ in pairs:
        template = next((t for pattern, t in _KEYS if re.fullmatch(pattern, key.upper())), "")
        if template and template not in values.values():
            values[key] = template
    quoted = sum(value[:1] in "\"'" and len(value) > 1 for _, value in pairs)
    return values, "shell" if pairs and quoted * 2 > len(pairs) else "none"
