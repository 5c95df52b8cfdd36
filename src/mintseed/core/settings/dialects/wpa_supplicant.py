"""The `wpa_supplicant.conf` syntax. Source: wpa_supplicant.conf(5) and its reader's behaviour."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.values import PASSPHRASE_LEAST, PASSPHRASE_MOST, SSID_MOST_OCTETS, SettingValues

SOURCE = "wpa_supplicant.conf(5)"

_OPEN = re.compile(r"^\s*network=\{\s*(#.*)?$")
_OPEN_COMMENTED = re.compile(r"^\s*#\s*network=\{\s*$")
_CLOSE = re.compile(r"^\s*#?\s*\}\s*$")
_FIELD = re.compile(r"^\s*([a-z_0-9]+)=")
_COUNTRY = re.compile(r"^\s*country=")
_COUNTRY_COMMENTED = re.compile(r"^\s*#\s*country=")
_KEY_OFF = re.compile(r"^\s*key_mgmt=\s*NONE\b")


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with network and country set; comments, order and all other lines stay.

    A block that is only commented out is uncommented whole, its closing brace too. The derived key is written,
    never the passphrase. Raises SettingsFileError when a block is not closed.
    """
    lines = text.split("\n")
    start, end = _open_block(lines, file.path)
    fields = {"ssid": ssid_value(values.ssid), "psk": values.key}
    if values.hidden:
        fields["scan_ssid"] = "1"
    body = [line for line in lines[start + 1 : end] if not _KEY_OFF.match(line)]
    lines[start + 1 : end] = _with_fields(body, fields)
    return "\n".join(_with_country(lines, values.country))


def ssid_value(ssid: str) -> str:
    """Return `ssid` as the reader wants it: in quotes, or as hex when it holds a quote or anything beyond ASCII."""
    if '"' in ssid or "\\" in ssid or any(not 32 <= ord(c) <= 126 for c in ssid):
        return ssid.encode().hex()
    return f'"{ssid}"'


def _open_block(lines: list[str], path: str) -> tuple[int, int]:
    """Make sure there is one active network block in `lines`; return the indices of its first and last line."""
    for pattern in (_OPEN, _OPEN_COMMENTED):
        start = next((i for i, line in enumerate(lines) if pattern.match(line)), None)
        if start is None:
            continue
        end = next((i for i in range(start + 1, len(lines)) if _CLOSE.match(lines[i])), None)
        if end is None:
            raise SettingsFileError(
                "the network block is not closed", expected="a line with }", where=f"{path}, line {start + 1}"
            )
        lines[start : end + 1] = [_uncommented(line) for line in lines[start : end + 1]]
        return start, end
    while lines and not lines[-1]:
        lines.pop()
    lines += ["network={", "}", ""]
    return len(lines) - 3, len(lines) - 2


def _uncommented(line: str) -> str:
    """Return `line` without its comment sign if what stands behind is a setting; prose stays a comment."""
    bare = re.sub(r"^(\s*)#", r"\1", line, count=1)
    is_setting = _FIELD.match(bare) or _OPEN.match(bare.lstrip()) or bare.strip() == "}"
    if not is_setting:
        return line
    return bare.lstrip() if _OPEN.match(bare) or bare.strip() == "}" else bare


def _with_fields(body: list[str], fields: dict[str, str]) -> list[str]:
    indent = next((re.match(r"\s*", line).group() for line in body if _FIELD.match(line)), "    ")  # type: ignore[union-attr]
    result, left = [], dict(fields)
    for line in body:
        match = _FIELD.match(line)
        name = match[1] if match else ""
        if name not in fields:
            result.append(line)
        elif name in left:
            result.append(f"{indent}{name}={left.pop(name)}")
    return result + [f"{indent}{name}={value}" for name, value in left.items()]


def _with_country(lines: list[str], country: str) -> list[str]:
    wanted = f"country={country}"
    active = [i for i, line in enumerate(lines) if _COUNTRY.match(line)]
    if active:
        return [wanted if i == active[0] else line for i, line in enumerate(lines) if i not in active[1:]]
    commented = next((i for i, line in enumerate(lines) if _COUNTRY_COMMENTED.match(line)), None)
    if commented is not None:
        return [wanted if i == commented else line for i, line in enumerate(lines)]
    block = next(i for i, line in enumerate(lines) if _OPEN.match(line))
    return [*lines[:block], wanted, *lines[block:]]


@dataclass(frozen=True, slots=True)
class _Line:
    number: int
    text: str


def check(text: str, path: str) -> Iterator[Finding]:
    """Yield what the real reader would refuse, misread or forgive in `text`."""
    lines = [_Line(n, t) for n, t in enumerate(text.split("\n"), 1) if t.strip() and not t.lstrip().startswith("#")]
    inside, blocks, countries = False, 0, []
    ssid_seen = False
    for line in lines:
        where = Where(file=path, line=line.number)
        bare = line.text.strip()
        if re.match(r"network\s+=|network=\s+\{|network=\{\s*\S", bare) and not _OPEN.match(line.text):
            yield _stop(
                "wifi.block-open", f"Line {line.number} does not open a block", "Write network={ without blanks.", where
            )
        elif _OPEN.match(line.text):
            if inside:
                yield _stop("wifi.block-nested", "A block opens inside a block", "Close the first one with }.", where)
            inside, blocks, ssid_seen = True, blocks + 1, False
        elif bare == "}":
            if not inside:
                yield _stop(
                    "wifi.brace-alone",
                    f"The brace in line {line.number} closes nothing",
                    "Uncomment the whole block.",
                    where,
                )
            elif not ssid_seen:
                yield _stop("wifi.ssid-missing", "A network block without a name", 'Add ssid="…".', where)
            inside = False
        elif re.match(r"[a-z_0-9]+\s+=|[a-z_0-9]+=\s", bare):
            yield _stop(
                "wifi.blank-at-equals",
                f"A blank beside = in line {line.number}",
                "Write name=value without blanks.",
                where,
            )
        elif inside and bare.startswith("ssid="):
            ssid_seen = True
            yield from _check_ssid(bare[5:], where)
        elif inside and bare.startswith("psk="):
            yield from _check_key(bare[4:], where)
        elif bare.startswith("country="):
            countries.append(line)
    if inside:
        yield _stop(
            "wifi.block-unclosed", "The last network block is not closed", "Add a line with }.", Where(file=path)
        )
    if not blocks:
        yield _stop(
            "wifi.no-network",
            "No network is active in this file",
            "Every line of the block must be uncommented, the closing brace too.",
            Where(file=path),
        )
    yield from _check_country(countries, path)


def _stop(code: str, title: str, fix: str, where: Where) -> Finding:
    return Finding(code, Severity.STOP, title, "The board would start and never join.", fix, where, SOURCE)


def _check_ssid(value: str, where: Where) -> Iterator[Finding]:
    if len(value) >= 2 and value.startswith('"') and value.rstrip().endswith('"'):
        octets = len(value.strip()[1:-1].encode())
    elif re.fullmatch(r"([0-9a-fA-F]{2})+", value):
        octets = len(value) // 2
    else:
        yield _stop("wifi.ssid-quotes", "The network name needs straight quotes", 'Write ssid="name".', where)
        return
    if not 1 <= octets <= SSID_MOST_OCTETS:
        yield _stop("wifi.ssid-length", f"The network name has {octets} octets", "1 to 32 are allowed.", where)


def _check_key(value: str, where: Where) -> Iterator[Finding]:
    if value.startswith('"'):
        last = value.rfind('"')
        length = last - 1
        if last <= 0 or not PASSPHRASE_LEAST <= length <= PASSPHRASE_MOST:
            yield _stop(
                "wifi.passphrase-length",
                f"The passphrase has {max(length, 0)} characters",
                f"{PASSPHRASE_LEAST} to {PASSPHRASE_MOST} are allowed, in straight quotes.",
                where,
            )
        elif '"' in value[1:last] and "#" in value[1:last]:
            yield _stop(
                "wifi.passphrase-cut",
                "The reader cuts this passphrase at its #",
                "Write the derived key instead.",
                where,
            )
    elif not re.fullmatch(r"[0-9a-fA-F]{64}", value):
        yield _stop(
            "wifi.passphrase-quotes",
            "The passphrase needs straight quotes",
            'Write psk="passphrase", or 64 hex digits without quotes.',
            where,
        )


def _check_country(countries: list[_Line], path: str) -> Iterator[Finding]:
    if not countries:
        yield Finding(
            "wifi.country-missing", Severity.CHECK, "No country set",
            "The radio may stay off, or miss channels 12 and 13 and parts of 5 GHz.", "Add country= and two capital letters.",
            Where(file=path), SOURCE,
        )  # fmt: skip
    for line in countries[1:]:
        yield Finding(
            "wifi.country-doubled", Severity.NOTE, f"A second country in line {line.number}", "The last one counts.",
            "Keep one.", Where(file=path, line=line.number), SOURCE,
        )  # fmt: skip
    for line in countries:
        code = line.text.strip().partition("=")[2]
        if code != code.upper() or len(code) != 2:
            yield Finding(
                "wifi.country-letters", Severity.NOTE, f"The country in line {line.number} is not two capital letters",
                "This reader forgives it; others do not.", "Write it as in GB.", Where(file=path, line=line.number),
                "ISO 3166-1 alpha-2",
            )  # fmt: skip
