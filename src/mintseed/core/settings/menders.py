"""What mends each fault of a settings file that nobody has to be asked about, by the finding's code: the smallest change that says what was meant."""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Iterable, Mapping

from mintseed.core.settings.dialects.connman import SERVICE_KEYS
from mintseed.core.settings.dialects.keyfile import KNOWN_KEYS
from mintseed.core.settings.dialects.networkd_keys import KEYS
from mintseed.core.settings.dialects.user_data import USER_KEYS
from mintseed.core.settings.dialects.wpa_fields import GLOBAL_FIELDS, NETWORK_FIELDS
from mintseed.core.settings.dialects.wpa_supplicant import alive_again
from mintseed.core.settings.editor_damage import CURLY, NO_BREAK, UNSEEN
from mintseed.core.settings.mending import Mended, Mender, Place
from mintseed.core.settings.values import PASSPHRASE_LEAST, PASSPHRASE_MOST

# lines


def _commented(place: Place) -> Mended | None:
    return place.with_line("# " + place.line if place.line.strip() else None, f"Put # before line {place.at + 1}")


def _end_stripped(place: Place) -> Mended | None:
    return place.with_line(place.line.rstrip(" \t"), f"Take the blank at the end of line {place.at + 1} away")


def _straight(place: Place) -> Mended | None:
    line = "".join(CURLY.get(c, c) if CURLY.get(c) == '"' else c for c in place.line)
    line = re.sub(r"([=:]\s*)[‘’‚‛](.*?)[‘’‚‛](\s*)$", r"\1'\2'\3", line)
    if place.dialect == "wpa-supplicant":
        line = re.sub(r"=\s*[‘’‚‛'](.*?)[‘’‚‛']?\s*$", r'="\1"', line) if re.search(r"=\s*[‘’‚‛]", place.line) else line
    return place.with_line(line, f"Write straight quotes in line {place.at + 1}")


def _plain_blank(place: Place) -> Mended | None:
    return place.with_line(place.line.replace(NO_BREAK, " "), f"Type the blank of line {place.at + 1} anew")


def _seen_letters(place: Place) -> Mended | None:
    return place.with_line(
        "".join(c for c in place.line if c not in UNSEEN), f"Take the unseen letter out of line {place.at + 1}"
    )


def _last_end(place: Place) -> Mended | None:
    return Mended("End the last line", [*place.lines, ""]) if place.lines[-1:] != [""] else None


def _no_blanks_at_equals(place: Place) -> Mended | None:
    return place.with_line(
        re.sub(r"^(\s*[\w.\-]+)[ \t]*=[ \t]*", r"\1=", place.line),
        f"Take the blanks beside = in line {place.at + 1} away",
    )


def _unquoted(place: Place) -> Mended | None:
    return place.with_line(
        re.sub(r"([=:]\s*)([\"'])(.*)\2(\s*)$", r"\1\3\4", place.line), f"Take the quotes of line {place.at + 1} off"
    )


def _near(word: str, known: Iterable[str]) -> str:
    """Return the one known word that `word` was meant to be; empty where none is near enough."""
    like = {k.replace("-", "_").lower(): k for k in known}
    same = like.get(word.replace("-", "_").lower())
    close = difflib.get_close_matches(word.replace("-", "_").lower(), like, 1, 0.85)
    return same or (like[close[0]] if close else "")


def _renamed(known: Callable[[Place], Iterable[str]]) -> Mender:
    """Return the mender that gives a key its right name, and puts # before one that is like none."""

    def mend(place: Place) -> Mended | None:
        found = re.match(r"^(\s*)([\w.\-]+)(\s*[=:].*)$", place.line)
        near = _near(found[2], known(place)) if found else ""
        if found and near and near != found[2]:
            return place.with_line(f"{found[1]}{near}{found[3]}", f"Write {near} in line {place.at + 1}")
        return _commented(place)

    return mend


# the supplicant's file


def _quoted_name(place: Place) -> Mended | None:
    found = re.match(r"^(\s*ssid=)(.*)$", place.line)
    bare = found[2].strip().strip("\"'“”„‟‘’‚‛") if found else ""
    return place.with_line(
        f'{found[1]}"{bare}"' if found and bare else None, f"Put the name of line {place.at + 1} in straight quotes"
    )


def _quoted_phrase(place: Place) -> Mended | None:
    found = re.match(r"^(\s*psk=)(.*)$", place.line)
    bare = found[2].strip().strip('"“”„‟') if found else ""
    if found and re.fullmatch(r"[0-9a-fA-F]{64}", bare):
        return place.with_line(found[1] + bare, f"Take the quotes of the key in line {place.at + 1} off")
    fits = PASSPHRASE_LEAST <= len(bare) <= PASSPHRASE_MOST
    return place.with_line(
        f'{found[1]}"{bare}"' if found and fits else None,
        f"Put the passphrase of line {place.at + 1} in straight quotes",
    )


def _block_opened(place: Place) -> Mended | None:
    return place.with_line(
        "network={" if re.match(r"\s*network\s*=\s*\{", place.line) else None,
        f"Write network={{ alone in line {place.at + 1}",
    )


def _block_closed(place: Place) -> Mended | None:
    opened = max((n for n, line in enumerate(place.lines) if line.strip() == "network={"), default=-1)
    for number in range(opened + 1, len(place.lines)):
        if re.fullmatch(r"\s*#\s*\}\s*", place.lines[number]):
            return Mended("Take the # off the closing brace", [*place.lines[:number], "}", *place.lines[number + 1 :]])
    kept = list(place.lines)
    while kept and not kept[-1].strip():
        kept.pop()
    return Mended("Close the block", [*kept, "}", ""])


def _brace_alone(place: Place) -> Mended | None:
    for number in range(place.at - 1, -1, -1):
        if re.fullmatch(r"\s*#\s*network\s*=\s*\{\s*", place.lines[number]):
            return Mended(
                "Take the # off the line that opens the block",
                [*place.lines[:number], "network={", *place.lines[number + 1 :]],
            )
        if place.lines[number].strip() == "}":
            break
    return _commented(place)


def _block_alive(place: Place) -> Mended | None:
    lines = alive_again(place.lines)
    return None if lines is None else Mended("Take the # off the whole block", lines)


def _country_letters(place: Place) -> Mended | None:
    found = re.match(r"^(\s*country=)\s*([A-Za-z]{2})\s*$", place.line)
    code = {"UK": "GB"}.get(found[2].upper(), found[2].upper()) if found else ""
    return place.with_line(f"{found[1]}{code}" if found else None, f"Write {code} in line {place.at + 1}")


def _same_twice(place: Place) -> Mended | None:
    """Put # before a line that says what an earlier one says too."""
    said = place.line.strip()
    return _commented(place) if any(line.strip() == said for line in place.lines[: place.at]) else None


def _in_block(*names: str) -> Mender:
    """Return the mender that puts # before such a field of the block or section that the finding stands in."""

    def mend(place: Place) -> Mended | None:
        for number in range(max(place.at, 0), len(place.lines)):
            if number > place.at and place.lines[number].strip() == "}":
                return None
            if place.lines[number].partition("=")[0].strip() in names:
                return Mended(
                    f"Put # before line {number + 1}",
                    [*place.lines[:number], "# " + place.lines[number], *place.lines[number + 1 :]],
                )
        return None

    return mend


# keyfiles


def _comment_cut(place: Place) -> Mended | None:
    return place.with_line(re.sub(r"\s*#.*$", "", place.line), f"Take the comment behind line {place.at + 1} away")


_SECTIONS = {"wireless": "wifi", "wlan": "wifi", "wi-fi": "wifi", "802-11": "wifi", "security": "wifi-security", "wireless-security": "wifi-security", "wifi_security": "wifi-security",
             "wifisecurity": "wifi-security", "wifi-sec": "wifi-security", "wlan-security": "wifi-security"}  # fmt: skip


def _section_named(place: Place) -> Mended | None:
    found = re.match(r"^\s*\[([^\]]+)\]", place.line)
    word = found[1].strip().lower() if found else ""
    near = _SECTIONS.get(word) or _near(
        word, ["connection", "wifi", "wifi-security", "ipv4", "ipv6", "ethernet", "proxy"]
    )
    return place.with_line(f"[{near}]" if near else None, f"Write [{near}] in line {place.at + 1}")


def _networkd_names(place: Place) -> Iterable[str]:
    """Return the keys of the section a line stands in."""
    above = [found[1] for line in place.lines[: place.at] if (found := re.match(r"^\s*\[([^\]]+)\]", line))]
    return KEYS.get(above[-1], ()) if above else ()


def _networkd_section(place: Place) -> Mended | None:
    word = re.sub(r"[^A-Za-z0-9-]", "", place.line)
    near = _near(word, KEYS) if word else ""
    return place.with_line(f"[{near}]" if near else None, f"Write [{near}] in line {place.at + 1}")


def _service_named(place: Place) -> Mended | None:
    found = re.match(r"^\s*\[(?:service[-_ ]?)?([A-Za-z0-9_]+)\]\s*$", place.line)
    return place.with_line(f"[service_{found[1]}]" if found else None, f"Call it service_ in line {place.at + 1}")


def _key_management(place: Place) -> Mended | None:
    found = re.match(r"^(\s*key[-_]mgmt\s*=\s*)(.*)$", place.line)
    word = re.sub(r"[^a-z0-9]", "", found[2].lower()) if found else ""
    meant = {
        "wpapsk": "psk",
        "wpa2psk": "psk",
        "wpa2": "psk",
        "wpa": "psk",
        "psk": "psk",
        "wpapersonal": "psk",
        "wpa2personal": "psk",
        "sae": "sae",
        "wpa3": "sae",
        "wpa3psk": "sae",
        "none": "none",
    }.get(word, "")
    words = (
        {"psk": "WPA-PSK", "sae": "SAE", "none": "NONE"}
        if place.dialect == "wpa-supplicant"
        else {"psk": "wpa-psk", "sae": "sae", "none": "none"}
    )
    return place.with_line(
        f"{found[1]}{words[meant]}" if found and meant else None,
        f"Write {words.get(meant, '')} in line {place.at + 1}",
    )


def _value_mended(place: Place) -> Mended | None:
    """Say what an address comes by, which a section has to; any other value that is none goes."""
    if place.line.partition("=")[0].strip() == "method":
        return place.with_line("method=auto", f"Write method=auto in line {place.at + 1}")
    return _commented(place)


def _method_said(place: Place) -> Mended | None:
    name = re.search(r"\[(ipv[46])\]", place.finding.title)
    at = next((n for n, line in enumerate(place.lines) if name and line.strip() == f"[{name[1]}]"), None)
    return (
        None
        if at is None or name is None
        else Mended(
            f"Say in [{name[1]}] that the address comes by itself",
            [*place.lines[: at + 1], "method=auto", *place.lines[at + 1 :]],
        )
    )


def _type_said(place: Place) -> Mended | None:
    at = next((n for n, line in enumerate(place.lines) if line.strip() == "[connection]"), None)
    fresh = ["type=wifi"] if at is not None else ["[connection]", "type=wifi", ""]
    place_at = 0 if at is None else at + 1
    return Mended("Say that it is for Wi-Fi", [*place.lines[:place_at], *fresh, *place.lines[place_at:]])


# KEY=value


def _as_setting(place: Place) -> Mended | None:
    found = re.match(r"^(\s*)([A-Za-z_][A-Za-z0-9_.-]*)\s*[: \t]\s*(.+)$", place.line)
    if found and "=" not in place.line:
        return place.with_line(f"{found[1]}{found[2]}={found[3]}", f"Write = in line {place.at + 1}")
    return _commented(place)


def _in_single_quotes(place: Place) -> Mended | None:
    key, equals, value = place.line.partition("=")
    bare = value.strip()
    if len(bare) > 1 and bare[0] == bare[-1] and bare[0] in "\"'":
        bare = bare[1:-1]
    bare = bare.removeprefix('"').removeprefix("'") if bare[:1] in "\"'" else bare
    return place.with_line(
        key + "='" + bare.replace("'", "'\\''") + "'" if equals else None,
        f"Put the value of line {place.at + 1} in single quotes",
    )


# YAML and what is written in it


def _blanks_for_tabs(place: Place) -> Mended | None:
    above = next(
        (line for line in reversed(place.lines[: place.at]) if line.strip() and not line.lstrip().startswith("#")), ""
    )
    indent = len(above) - len(above.lstrip(" ")) + (2 if above.rstrip().endswith(":") else 0)
    return place.with_line(" " * indent + place.line.lstrip(" \t"), f"Write blanks for the tab of line {place.at + 1}")


def _quoted_text(place: Place) -> Mended | None:
    return place.with_line(
        re.sub(r"^(\s*(?:- )?[\w.\-]+:\s+)([^\s#\"'][^#]*?)(\s*(?:#.*)?)$", r'\1"\2"\3', place.line),
        f"Put the value of line {place.at + 1} in quotes",
    )


def _header_first(place: Place) -> Mended | None:
    rest = [line for line in place.lines if line.strip() != "#cloud-config"]
    while rest and not rest[0].strip():
        rest.pop(0)
    return Mended("Write #cloud-config as the first line", ["#cloud-config", *rest])


def _unlocked(place: Place) -> Mended | None:
    indent = re.match(r"^\s*", place.line)
    if "{" in place.line or any(re.match(r"^\s*(- )?lock_passwd:", line) for line in place.lines):
        return None
    blanks = (indent[0] if indent else "") + ("  " if place.line.lstrip().startswith("- ") else "")
    return Mended(
        "Let the account in with its password",
        [*place.lines[: place.at + 1], f"{blanks}lock_passwd: false", *place.lines[place.at + 1 :]],
    )


# JSON


def _json_said(place: Place) -> Mended | None:
    text = "\n".join(place.lines)
    text = re.sub(r"^[ \t]*(//|#).*\n", "", text, flags=re.MULTILINE)
    text = re.sub(r",(\s*[}\]])", r"\1", text)
    text = "".join(CURLY.get(c, c) for c in text)
    text = re.sub(r"'([^'\"\n]*)'(\s*[:,}\]\n])", r'"\1"\2', text)
    return Mended("Take out what JSON does not know: comments, a comma before a brace, other quotes", text.split("\n"))


# interfaces


def _with_blank(place: Place) -> Mended | None:
    return place.with_line(
        re.sub(r"^(\s*[\w-]+)\s*=\s*", r"\1 ", place.line), f"Write a blank for = in line {place.at + 1}"
    )


def _brought_up(place: Place) -> Mended | None:
    if place.dialect != "interfaces":
        return _in_block("disabled", "autoconnect", "AutoConnect")(place)
    found = re.match(r"^\s*iface\s+(\S+)", place.line)
    return (
        Mended(
            "Bring the device up by itself",
            [*place.lines[: place.at], f"allow-hotplug {found[1]}", *place.lines[place.at :]],
        )
        if found
        else None
    )


def _small_word(place: Place) -> Mended | None:
    found = re.match(r"^(\s*)(iface|auto|allow-hotplug|source)(\s.*)$", place.line, re.IGNORECASE)
    return place.with_line(
        f"{found[1]}{found[2].lower()}{found[3]}" if found else None,
        f"Write {found[2].lower() if found else ''} in line {place.at + 1}",
    ) or _commented(place)


def _wpa_names(place: Place) -> Iterable[str]:
    inside = 0
    for line in place.lines[: place.at]:
        inside = 1 if line.strip() == "network={" else 0 if line.strip() == "}" else inside
    return NETWORK_FIELDS if inside else GLOBAL_FIELDS


def _keyfile_names(place: Place) -> Iterable[str]:
    opened = [m[1] for line in place.lines[: place.at] if (m := re.match(r"^\s*\[([^\]]+)\]", line))]
    return KNOWN_KEYS.get(opened[-1] if opened else "", frozenset())


MENDERS: Mapping[str, Mender] = {
    "file.curly-quotes": _straight,
    "file.no-break-space": _plain_blank,
    "file.unseen-letter": _seen_letters,
    "file.no-last-newline": _last_end,
    "wifi.ssid-quotes": _quoted_name,
    "wifi.passphrase-quotes": _quoted_phrase,
    "wifi.passphrase-length": lambda place: _quoted_phrase(place) if place.dialect == "wpa-supplicant" else None,
    "wifi.blank-at-equals": _no_blanks_at_equals,
    "wifi.block-open": _block_opened,
    "wifi.block-unclosed": _block_closed,
    "wifi.brace-alone": _brace_alone,
    "wifi.no-network": lambda place: _block_alive(place) if place.dialect == "wpa-supplicant" else None,
    "wifi.line": _renamed(_wpa_names),
    "wifi.field-unknown": _renamed(_wpa_names),
    "wifi.value-refused": _commented,
    "wifi.key-management": _key_management,
    "wifi.country-letters": _country_letters,
    "wifi.country-none": _country_letters,
    "wifi.country-doubled": _same_twice,
    "wifi.field-doubled": _same_twice,
    "wifi.disabled": _brought_up,
    "wifi.mode-other": _commented,
    "wifi.cipher-old": _commented,
    "wifi.proto-old": _commented,
    "wifi.login-old": _commented,
    "wifi.frames-protected": _commented,
    "wifi.channels-fixed": _commented,
    "wifi.access-points-fixed": _commented,
    "wifi.bssid-fixed": _in_block("bssid"),
    "keyfile.quotes": _unquoted,
    "keyfile.comment-behind": _comment_cut,
    "keyfile.key-management": _key_management,
    "keyfile.section-unknown": _section_named,
    "keyfile.key-unknown": _renamed(_keyfile_names),
    "keyfile.key-blank": _end_stripped,
    "keyfile.line": _commented,
    "keyfile.value-refused": _value_mended,
    "keyfile.method-missing": _method_said,
    "keyfile.value-dropped": _commented,
    "keyfile.no-type": _type_said,
    "keyfile.channel-alone": _in_block("channel"),
    "keyfile.mode-other": _commented,
    "keyfile.band-fixed": _commented,
    "keyfile.permissions": _commented,
    "keyfile.radio-fixed": _commented,
    "keyfile.frames-protected": _commented,
    "keyfile.cipher-old": _commented,
    "keyfile.proto-old": _commented,
    "key-value.line": _as_setting,
    "key-value.blank-at-equals": _no_blanks_at_equals,
    "key-value.quote-open": _in_single_quotes,
    "key-value.shell-sign": _in_single_quotes,
    "key-value.words": _in_single_quotes,
    "key-value.quotes": _unquoted,
    "key-value.trailing-blank": _end_stripped,
    "ini.line": _commented,
    "ini.quotes": _unquoted,
    "ini.key-doubled": _same_twice,
    "yaml.tab": _blanks_for_tabs,
    "yaml.other-type": _quoted_text,
    "cloud-init.header": _header_first,
    "cloud-init.key-unknown": _renamed(lambda place: USER_KEYS),
    "cloud-init.locked": _unlocked,
    "json.not-json": _json_said,
    "interfaces.no-value": _with_blank,
    "interfaces.option-doubled": _same_twice,
    "interfaces.misplaced": _small_word,
    "iwd.line": _commented,
    "iwd.value": _commented,
    "connman.line": _commented,
    "connman.key-unknown": _renamed(lambda place: SERVICE_KEYS),
    "connman.section-unknown": _service_named,
    "networkd.line": _commented,
    "networkd.key-unknown": _renamed(_networkd_names),
    "networkd.section-unknown": _networkd_section,
    "networkd.section-broken": _networkd_section,
    "networkd.value": lambda place: (
        place.with_line("DHCP=yes", f"Write DHCP=yes in line {place.at + 1}")
        if place.line.strip().startswith("DHCP=")
        else None
    ),
}
"""code → who mends it"""
