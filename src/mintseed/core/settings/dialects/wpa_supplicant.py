"""The `wpa_supplicant.conf` syntax. Source: wpa_supplicant.conf(5) and its reader's behaviour."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

import pycountry

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects.value_table import Field
from mintseed.core.settings.dialects.wpa_fields import (
    GLOBAL_FIELDS,
    JOINS_WITH_A_KEY,
    KEY_MANAGEMENT,
    NETWORK_FIELDS,
)
from mintseed.core.settings.dialects.wpa_values import GLOBAL_VALUES, VALUES
from mintseed.core.settings.meaning import KEY, NOTHING, OPEN, PHRASE, Joined, Meaning
from mintseed.core.settings.text import append_lines
from mintseed.core.settings.values import (
    PASSPHRASE_LEAST,
    PASSPHRASE_MOST,
    SSID_MOST_OCTETS,
    KnownNetwork,
    SettingValues,
)
from mintseed.core.units import counted
from mintseed.core.visible import one_line

SOURCE = "wpa_supplicant.conf(5)"

_OPENS = r"network=\{|cred=\{|blob-base64-.*=\{"
_COMMENTED = re.compile(r"^(\s*)#")
_NAME = re.compile(r"^([A-Za-z_][A-Za-z0-9_]*)=")
_HEX_KEY = re.compile(r"[0-9a-fA-F]{64}")


def significant(line: str) -> str:
    """Return what the reader sees of `line`: without blanks at its ends, without its comment.

    A # counts only behind the first pair of quotes: quotes are paired first (from the reader's behaviour).
    """
    bare = line.strip(" \t\r")
    if bare.startswith("#"):
        return ""
    first = bare.find('"')
    second = bare.find('"', first + 1) if first >= 0 else -1
    cut = bare.find("#", second + 1 if second >= 0 else 0)
    return (bare if cut < 0 else bare[:cut]).rstrip(" \t")


def _field(line: str) -> tuple[str, str]:
    """Return (name, value) of a setting as the reader sees it; empty when `line` is none."""
    seen = significant(line)
    match = _NAME.match(seen)
    return (match[1], seen[match.end() :]) if match else ("", "")


def _uncommented(line: str) -> str:
    """Return `line` without its one comment sign; empty when it is not commented."""
    match = _COMMENTED.match(line)
    return match[1] + line[match.end() :] if match else ""


# filling


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with network and country set; comments, order and all other lines stay.

    The first active block is filled, and of it only the fields that must change; a block that is only commented out is
    uncommented whole, its closing brace too, and prose in it stays a comment. What would keep the board from joining
    (disabled, a fixed bssid, another kind of key, what the table of values says) goes. The derived key is written; the passphrase
    only for WPA3, which works from nothing else.
    Raises SettingsFileError when a block is not closed.
    """
    lines = text.split("\n")
    start, end = _block(lines, file.path)
    first, *more = values.networks
    lines[start + 1 : end] = _joining(lines[start + 1 : end], first)
    for network in more:
        _add(lines, network, file.path)
    return "\n".join(_with_country(lines, values.country) if values.country else lines)


def _joining(body: list[str], network: KnownNetwork) -> list[str]:
    """Return the lines of a block that joins `network`."""
    fields: dict[str, str] = {"ssid": ssid_value(network.ssid)}
    gone: tuple[str, ...] = ("psk", "wep_key0")
    if network.open:
        # Without this word the reader takes a block without a key for one whose key is missing.
        fields["key_mgmt"] = "NONE"
    elif network.wpa3_only:
        # A key of WPA2 would be another network's; frames that protect each other belong to WPA3.
        fields |= {"key_mgmt": "SAE", "sae_password": sae_value(network.passphrase), "ieee80211w": "2"}
    else:
        fields["psk"], gone = network.key, ()
    if network.hidden:
        fields["scan_ssid"] = "1"
    if network.priority:
        fields["priority"] = str(network.priority)
    return _with_fields(body, fields, gone)


def _add(lines: list[str], network: KnownNetwork, path: str) -> None:
    """Set a further network in the block that has its name, else in a new one behind the last."""
    for start, end in _blocks(lines):
        named = dict(_field(line) for line in lines[start + 1 : end]).get("ssid", "")
        if named in (ssid_value(network.ssid), network.ssid.encode().hex()):
            lines[start + 1 : end] = _joining(lines[start + 1 : end], network)
            return
    append_lines(lines, ["network={", *_joining([], network), "}"])


def _blocks(lines: list[str]) -> list[tuple[int, int]]:
    """Return the first and the last line of every active network block."""
    found, start = [], None
    for i, line in enumerate(lines):
        seen = significant(line)
        if seen == "network={":
            start = i
        elif seen == "}" and start is not None:
            found.append((start, i))
            start = None
    return found


def ssid_value(ssid: str) -> str:
    """Return `ssid` as the reader wants it: in quotes, or as hex when it holds a quote or anything beyond ASCII."""
    if '"' in ssid or "\\" in ssid or any(not 32 <= ord(c) <= 126 for c in ssid):
        return ssid.encode().hex()
    return f'"{ssid}"'


def sae_value(passphrase: str) -> str:
    """Return `passphrase` in quotes, or as hex where the reader would end it too soon."""
    return passphrase.encode().hex() if re.search(r'["#\\]', passphrase) else f'"{passphrase}"'


def _block(lines: list[str], path: str) -> tuple[int, int]:
    """Make sure there is an active network block in `lines`; return the indices of its first and last line."""
    start = next((i for i, line in enumerate(lines) if significant(line) == "network={"), None)
    if start is not None:
        end = next((i for i in range(start + 1, len(lines)) if significant(lines[i]) == "}"), None)
        if end is None:
            raise _unclosed(path, start)
        return start, end
    start = next((i for i, line in enumerate(lines) if significant(_uncommented(line)) == "network={"), None)
    if start is not None:
        return start, _uncomment(lines, start, path)
    append_lines(lines, ["network={", "}"])
    return len(lines) - 3, len(lines) - 2


def alive_again(lines: list[str]) -> list[str] | None:
    """Return `lines` with the block that is only commented out brought to life; None where there is none, or it is not closed."""
    start = next((i for i, line in enumerate(lines) if significant(_uncommented(line)) == "network={"), None)
    if start is None:
        return None
    woken = list(lines)
    try:
        _uncomment(woken, start, "", lenient=True)
    except SettingsFileError:
        return None
    return woken


def _unclosed(path: str, start: int) -> SettingsFileError:
    return SettingsFileError(
        "the network block is not closed", expected="a line with }", where=f"{path}, line {start + 1}"
    )


def _uncomment(lines: list[str], start: int, path: str, *, lenient: bool = False) -> int:
    """Uncomment the settings of the block that begins, commented, at `start`; return the index of its closing brace. `lenient`: what only
    looks like a setting too, such as one with blanks beside its equals sign."""
    for at in range(start, len(lines)):
        bare = _uncommented(lines[at])
        if at > start and (significant(bare) or significant(lines[at])) == "}":
            lines[at] = bare.lstrip() if significant(bare) else lines[at]
            lines[start] = _uncommented(lines[start]).lstrip()
            return at
        looks = re.match(r"\s*([A-Za-z_]+)\s*=", bare) if lenient else None
        if at > start and (_field(bare)[0] in NETWORK_FIELDS or (looks and looks[1] in NETWORK_FIELDS)):
            lines[at] = bare
    raise _unclosed(path, start)


def _keeps_from_joining(name: str, value: str) -> bool:
    """Return whether a field of the block would keep the board from joining with the key that is written."""
    if name == "disabled":
        return value != "0"
    if name == "key_mgmt":
        return not JOINS_WITH_A_KEY & set(value.split())
    if name in ("bssid", "psk_list", "sae_password"):
        return True
    row = VALUES.get(name)
    if row is None or not row.goes:
        return False
    # What is refused keeps it away as surely; what is taken and harmless stays.
    return row.taken(value) != "meant" or (row.keeps_away is not None and row.keeps_away.when(value))


def _with_fields(body: list[str], fields: dict[str, str], gone: tuple[str, ...] = ()) -> list[str]:
    settings = [line for line in body if _field(line)[0]]
    indent = re.match(r"\s*", settings[0]).group() if settings else "    "  # type: ignore[union-attr]
    result, left = [], dict(fields)
    for line in body:
        name, value = _field(line)
        if name not in fields:
            if name not in gone and not _keeps_from_joining(name, value):
                result.append(line)
        elif name in left:
            wanted = left.pop(name)
            result.append(line if value == wanted else f"{indent}{name}={wanted}")
    return result + [f"{indent}{name}={value}" for name, value in left.items()]


def _with_country(lines: list[str], country: str) -> list[str]:
    wanted = f"country={country}"
    outside = _outside_blocks(lines)
    active = [i for i in outside if _field(lines[i])[0] == "country"]
    if active:
        later = set(active[1:])
        keep = [line for i, line in enumerate(lines) if i not in later]
        keep[active[0]] = lines[active[0]] if _field(lines[active[0]])[1] == country else wanted
        return keep
    commented = next((i for i in outside if _field(_uncommented(lines[i]))[0] == "country"), None)
    if commented is not None:
        return [wanted if i == commented else line for i, line in enumerate(lines)]
    block = next(i for i, line in enumerate(lines) if significant(line) == "network={")
    return [*lines[:block], wanted, *lines[block:]]


def _outside_blocks(lines: list[str]) -> list[int]:
    inside, found = False, []
    for i, line in enumerate(lines):
        seen = significant(line)
        if seen.endswith("={"):
            inside = True
        elif seen == "}":
            inside = False
        elif not inside:
            found.append(i)
    return found


# judging


@dataclass
class _Block:
    """What was read of one network block."""

    line: int
    fields: dict[str, str] = field(default_factory=dict)
    protected: list[Finding] = field(default_factory=list)
    """what is said of protected frames, where its kind of key does not demand them"""


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield what the real reader would refuse, misread or forgive in `text`."""
    block: _Block | None = None
    other = False
    opened_in_comment, headless, braces = 0, list[int](), list[int]()
    blocks: list[_Block] = []
    countries: list[tuple[int, str]] = []
    for number, line in enumerate(text.split("\n"), 1):
        seen, where = significant(line), Where(file=path, line=number)
        if not seen:
            if block is None and significant(_uncommented(line)) == "network={":
                opened_in_comment = number
            continue
        name, value = _field(line)
        if seen == "}":
            braces.append(number)
            if block is None and not other and opened_in_comment:
                yield _stop(
                    "wifi.brace-alone",
                    f"The line that opens the block of line {number} is commented out",
                    f"Take the # off line {opened_in_comment}.",
                    where,
                )
            elif block is None and not other:
                yield _stop(
                    "wifi.brace-alone",
                    f"The brace in line {number} closes nothing",
                    "Take it out, or write the line that opens its block.",
                    where,
                )
            elif block is not None:
                blocks.append(block)
            block, other, opened_in_comment = None, False, 0
        elif re.fullmatch(_OPENS, seen) and block is None:
            block, other = (_Block(number), False) if seen == "network={" else (None, True)
        elif re.match(r"network\s*=\s*\{", seen):
            yield _stop(
                "wifi.block-open",
                f"Line {number} does not open a block",
                "Close the one before, and write network={ alone in its line.",
                where,
            )
        elif other:
            continue
        elif not name:
            yield from _no_setting(seen, number, where)
        elif block is not None:
            yield from _check_field(name, value, block, where)
        else:
            if name == "country":
                countries.append((number, value))
            elif opened_in_comment and name in NETWORK_FIELDS:
                headless.append(number)
            elif name not in GLOBAL_FIELDS:
                yield _refused("wifi.field-unknown", f"{name} is no setting", where)
            elif name in GLOBAL_VALUES:
                yield from _check_value(GLOBAL_VALUES[name], name, value, where)
    if block is not None:
        blocks.append(block)
        yield _stop(
            "wifi.block-unclosed", "The last network block is not closed", "Add a line with }.", Where(file=path)
        )
    if headless and not any(line > headless[0] for line in braces):
        yield _refused(
            "wifi.field-unknown", f"Line {headless[0]} stands outside any block", Where(file=path, line=headless[0])
        )
    if not blocks:
        yield _stop("wifi.no-network", "No network is active in this file",
                    "Every line of the block must be uncommented, the closing brace too.", Where(file=path))  # fmt: skip
    yield from _check_blocks(blocks, path)
    yield from _check_country(countries, path)


def _stop(code: str, title: str, fix: str, where: Where) -> Finding:
    return Finding(code, Severity.STOP, title, "The board would start and never join.", fix, where, SOURCE)


def _refused(code: str, title: str, where: Where) -> Finding:
    return Finding(code, Severity.STOP, title, "The reader refuses the whole file because of it.",
                   "Take the line out, or mend the word.", where, SOURCE)  # fmt: skip


def _no_setting(seen: str, number: int, where: Where) -> Iterator[Finding]:
    if re.match(r"[A-Za-z_0-9]+\s+=", seen):
        yield _stop(
            "wifi.blank-at-equals", f"A blank beside = in line {number}", "Write name=value without blanks.", where
        )
    else:
        yield _refused("wifi.line", f"Line {number} is no setting", where)


def _check_value(row: Field, name: str, value: str, where: Where) -> Iterator[Finding]:
    """Yield what the table says of a value."""
    if row.taken(value) == "refused":
        yield Finding("wifi.value-refused", Severity.STOP, f"{name}={value} is none the reader knows", "The whole file is refused because of it.",
                      f"Write {row.expected}, or take the line out.", where, SOURCE)  # fmt: skip
    elif (away := row.keeps_away) is not None and away.when(value):
        yield Finding(away.code, away.severity, away.title, away.detail, "Take the line out.", where, SOURCE)


def _check_field(name: str, value: str, block: _Block, where: Where) -> Iterator[Finding]:
    if name in block.fields and name in ("ssid", "psk", "key_mgmt"):
        yield Finding("wifi.field-doubled", Severity.NOTE, f"A second {name} in line {where.line}", "The last one counts.",
                      "Keep one.", where, SOURCE)  # fmt: skip
    block.fields[name] = value
    if name not in NETWORK_FIELDS:
        yield _refused("wifi.field-unknown", f"{name} is no setting of a network", where)
    elif name == "ssid":
        yield from _check_ssid(value, where)
    elif name == "psk":
        yield from _check_key(value, where)
    elif name == "key_mgmt" and (
        strange := [v for v in value.split() if v not in KEY_MANAGEMENT] or ([] if value else ["Nothing"])
    ):
        yield _refused("wifi.key-management", f"{strange[0]} is no kind of key", where)
    elif name in VALUES:
        for found in _check_value(VALUES[name], name, value, where):
            if found.code == "wifi.frames-protected":
                block.protected.append(found)  # which kind of key it has may stand further down
            else:
                yield found


def _check_blocks(blocks: list[_Block], path: str) -> Iterator[Finding]:
    names: dict[str, int] = {}
    told = [tuple(_joins_never(block, Where(file=path, line=block.line))) for block in blocks]
    joins = any(not never and "ssid" in block.fields for never, block in zip(told, blocks, strict=True))
    for block, never in zip(blocks, told, strict=True):
        where, fields = Where(file=path, line=block.line), block.fields
        if not set(fields.get("key_mgmt", "WPA-PSK").split()) <= _PROTECTS:
            yield from block.protected
        if "ssid" not in fields and joins:
            yield Finding("wifi.ssid-missing", Severity.CHECK, "A network block without a name", "It stands for any network of its kind.", 'Add ssid="…", or take the block out.', where, SOURCE)  # fmt: skip
        elif "ssid" not in fields:
            yield _stop("wifi.ssid-missing", "A network block without a name", 'Add ssid="…".', where)
        elif fields["ssid"] in names:
            yield Finding("wifi.network-doubled", Severity.CHECK, "One network stands here twice",
                          f"Also in the block of line {names[fields['ssid']]}; which of the two counts is the reader's choice.",
                          "Keep one of the blocks.", where, SOURCE)  # fmt: skip
        names.setdefault(fields.get("ssid", ""), block.line)
        if _is_keyless(fields) and ("psk" in fields or "sae_password" in fields):
            yield Finding("wifi.key-unused", Severity.CHECK, "A key stands there and is not used", f"key_mgmt={fields['key_mgmt'].strip()} joins a network of this name only where it asks for none.",
                          "Take the line key_mgmt= out; for an open network, the line with the key.", where, SOURCE)  # fmt: skip
        if never and joins:
            # Beside one that joins, another that does not does no harm.
            yield Finding("wifi.network-other", Severity.NOTE, "Another network in it would not be joined", f"{never[0].title}.",
                          "Leave it, or take its block out.", where, SOURCE)  # fmt: skip
        else:
            yield from never
        if (
            "bssid" in fields
            and fields["bssid"] not in ("any", "")
            and VALUES["bssid"].taken(fields["bssid"]) == "meant"
        ):
            yield Finding("wifi.bssid-fixed", Severity.CHECK, "Only one access point would do",
                          f"bssid={fields['bssid']} keeps it from every other one of this name.", "Take the line out.", where, SOURCE)  # fmt: skip


_PROTECTS = {"SAE", "FT-SAE", "OWE"}
"""kinds of key that demand protected frames (WPA3 specification §2.3, §4)"""


def _joins_never(block: _Block, where: Where) -> Iterator[Finding]:
    """Yield why a block that is read would not be joined by itself with a key."""
    fields = block.fields
    kinds = set(fields.get("key_mgmt", "WPA-PSK").split())
    if fields.get("disabled", "0") not in ("", "0", "0x0", "00"):
        yield _stop("wifi.disabled", "The network is switched off", "Take the line disabled= out.", where)
    if kinds & KEY_MANAGEMENT and not kinds & (JOINS_WITH_A_KEY | {"NONE", "SAE", "OWE"}):
        yield _stop("wifi.key-management-other", f"It would join with {' '.join(sorted(kinds))}, not with a passphrase",
                    "Write key_mgmt=WPA-PSK, or take the line out.", where)  # fmt: skip
    elif kinds & JOINS_WITH_A_KEY and "psk" not in fields and "sae_password" not in fields:
        yield _stop(
            "wifi.key-missing",
            "A network block without a key",
            "Add psk=, or key_mgmt=NONE for an open network.",
            where,
        )


def _is_keyless(fields: Mapping[str, str]) -> bool:
    """Return whether a block joins an open network, one of the past, or one that keeps no key (RFC 8110), whatever key stands in it."""
    return bool(kinds := {*fields.get("key_mgmt", "").split()}) and kinds <= {"NONE", "OWE"}


def _check_ssid(value: str, where: Where) -> Iterator[Finding]:
    if value.startswith('P"') and value.endswith('"') and len(value) > 2:
        octets = len(re.sub(r"\\(x[0-9a-fA-F]{1,2}|.)", "x", value[2:-1]).encode())
    elif len(value) >= 2 and value.startswith('"') and value.endswith('"'):
        octets = len(value[1:-1].encode())
    elif re.fullmatch(r"([0-9a-fA-F]{2})+", value):
        octets = len(value) // 2
    else:
        yield _stop("wifi.ssid-quotes", "The network name needs straight quotes", 'Write ssid="name".', where)
        return
    if not 1 <= octets <= SSID_MOST_OCTETS:
        yield _stop("wifi.ssid-length", f"The network name has {octets} octets", "1 to 32 are allowed.", where)
    elif value[0] == '"' and value[1:-1] != value[1:-1].strip():
        yield Finding("wifi.ssid-blank", Severity.CHECK, "The network name begins or ends with a blank", "It is part of the name. Few people mean that.",
                      "Remove it, unless the router's page shows it too.", where, SOURCE)  # fmt: skip


def _check_key(value: str, where: Where) -> Iterator[Finding]:
    if not value.startswith('"'):
        if not _HEX_KEY.fullmatch(value):
            yield _stop("wifi.passphrase-quotes", "The passphrase needs straight quotes",
                        'Write psk="passphrase", or 64 hex digits without quotes.', where)  # fmt: skip
        return
    last = value.rfind('"')
    length = last - 1
    if last > 0 and last == len(value) - 1 and PASSPHRASE_LEAST <= len(value[1:last].encode()) <= PASSPHRASE_MOST:
        if not value.isascii():
            yield Finding("wifi.passphrase-letters", Severity.CHECK, "The passphrase has letters beyond ASCII", "This reader takes their octets; the standard knows the 95 printable letters of ASCII, and a router may make another key of them.",
                          "Type it as it stands on the router, or write the derived key.", where, "IEEE 802.11i Annex H.4")  # fmt: skip
        return
    yield _stop(
        "wifi.passphrase-length",
        f"The reader sees a passphrase of {counted(max(length, 0), 'character')}"
        if last > 0
        else "The passphrase has no closing quote",
        f"{PASSPHRASE_LEAST} to {PASSPHRASE_MOST} are allowed, in straight quotes; with a quote or # in it, write the derived key.",
        where,
    )


def _check_country(countries: list[tuple[int, str]], path: str) -> Iterator[Finding]:
    if not countries:
        yield Finding(
            "wifi.country-missing", Severity.CHECK, "No country set",
            "The radio may stay off, or miss channels 12 and 13 and parts of 5 GHz.", "Add country= and two capital letters.",
            Where(file=path), SOURCE,
        )  # fmt: skip
    for number, code in countries[1:]:
        same = code.upper() == countries[0][1].upper()
        yield Finding("wifi.country-doubled", Severity.NOTE if same else Severity.CHECK, f"A second country in line {number}",
                      "It says the same." if same else f"The last one counts: {countries[-1][1]}, not {countries[0][1]}.",
                      "Keep one.", Where(file=path, line=number), SOURCE)  # fmt: skip
    for number, code in countries:
        where, iso = Where(file=path, line=number), "ISO 3166-1 alpha-2"
        if len(code) < 2:
            yield _refused("wifi.country-short", f"The country in line {number} is too short", where)
        elif pycountry.countries.get(alpha_2=code[:2].upper()) is None:
            yield Finding("wifi.country-none", Severity.CHECK, f"{code} is no country",
                          "The reader takes it; the radio then keeps to what is allowed everywhere, or stays off.",
                          "Write the two capital letters of the country, as in GB.", where, iso)  # fmt: skip
        elif code != code.upper() or len(code) != 2:
            yield Finding("wifi.country-letters", Severity.NOTE, f"The country in line {number} is not two capital letters",
                          "This reader forgives it; others do not.", "Write it as in GB.", where, iso)  # fmt: skip


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return the networks that would be joined by themselves, and the country; nothing where the reader refuses the file."""
    blocks, countries, refused = [], [], False
    block: _Block | None = None
    for number, line in enumerate(text.split("\n"), 1):
        seen, (name, value) = significant(line), _field(line)
        if seen == "network={":
            block = _Block(number)
        elif seen == "}" and block is not None:
            blocks.append(block)
            block = None
        elif block is not None and name:
            block.fields[name] = value
            refused = refused or name not in NETWORK_FIELDS
        elif name == "country":
            countries.append(value[:2].upper())
    if refused or block is not None:
        return NOTHING
    where = Where(file=path)
    joined = [
        _joined(b.fields)
        for b in blocks
        if "ssid" in b.fields and not any(_joins_never(b, where)) and b.fields.get("mode", "0") == "0"
    ]
    return Meaning(tuple(joined), one_line(countries[-1]) if countries else "")


def _joined(fields: dict[str, str]) -> Joined:
    said = fields["ssid"]
    if said.startswith('"') and said.endswith('"'):
        name = said[1:-1]
    elif re.fullmatch(r"([0-9a-fA-F]{2})+", said):
        name = bytes.fromhex(said).decode("utf-8", "replace")
    else:
        name = said
    key = fields.get("psk", "")
    how = (
        OPEN
        if _is_keyless(fields)
        else PHRASE
        if key.startswith('"') or "sae_password" in fields
        else KEY
        if key
        else OPEN
    )
    return Joined(name, how, fields.get("scan_ssid") == "1")
