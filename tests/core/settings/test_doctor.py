"""The doctor: every mistake is named, what can be mended is mended, and then the file means what it meant before."""

from __future__ import annotations

import pytest

from mintseed.core.findings import Severity, verdict
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.fill import check_file, reader_of
from mintseed.core.settings.repair import look_at
from tests.builders.judges import JUDGES
from tests.core.settings.mistakes import BASES, SAVED, Mistake, Saved, alone, pairs


def means(data: bytes, dialect: str) -> str:
    return DIALECTS[dialect].means(data.decode(), "settings.conf", JUDGES[dialect].file).sentence()


def codes(data: bytes, dialect: str) -> set[str]:
    return {f.code for f in check_file(data, "settings.conf", dialect, JUDGES[dialect].file)}


@pytest.mark.parametrize("dialect", sorted(BASES))
def test_a_right_file_gets_nothing_worse_than_a_note_and_no_repair(dialect: str) -> None:
    for right in JUDGES[dialect].right:
        looked = look_at(right.encode(), "settings.conf", dialect, JUDGES[dialect].file)
        assert verdict(looked.findings) in (Severity.OK, Severity.NOTE), looked.findings
        assert looked.mended == right.encode()


@pytest.mark.parametrize("mistake", tuple(alone()), ids=lambda m: f"{m.dialect}: {m.name}")
def test_a_mistake_is_named_and_mended(mistake: Mistake) -> None:
    base = BASES[mistake.dialect]
    spoiled = mistake.make(base).encode()
    assert codes(spoiled, mistake.dialect) >= mistake.codes
    looked = look_at(spoiled, "settings.conf", mistake.dialect, JUDGES[mistake.dialect].file)
    if mistake.mends:
        assert verdict(looked.left) in (Severity.OK, Severity.NOTE), (looked.left, looked.mended.decode())
        assert means(looked.mended, mistake.dialect) == means(base.encode(), mistake.dialect), looked.mended.decode()


@pytest.mark.parametrize("pair", tuple(pairs()), ids=lambda p: f"{p[0].dialect}: {p[0].name} and {p[1].name}")
def test_two_mistakes_are_both_named(pair: tuple[Mistake, Mistake]) -> None:
    first, second = pair
    base = BASES[first.dialect]
    spoiled = second.make(first.make(base)).encode()
    told, looked = set[str](), look_at(spoiled, "settings.conf", first.dialect, JUDGES[first.dialect].file)
    step = looked
    # What hides behind another is told as soon as that one is mended.
    for _ in range(12):
        told |= {f.code for f in step.findings}
        if not step.repairs:
            break
        step = look_at(step.repairs[0].content, "settings.conf", first.dialect, JUDGES[first.dialect].file)
    if not first.hides and not second.hides:
        assert told >= first.codes | second.codes, told
    if first.mends and second.mends:
        assert verdict(looked.left) in (Severity.OK, Severity.NOTE), (looked.left, looked.mended.decode())
        assert means(looked.mended, first.dialect) == means(base.encode(), first.dialect), looked.mended.decode()


@pytest.mark.parametrize("dialect", sorted(BASES))
@pytest.mark.parametrize("saved", SAVED, ids=lambda s: s.name)
def test_what_an_editor_does_to_a_whole_file_is_named_as_its_reader_takes_it_and_mended(
    dialect: str, saved: Saved
) -> None:
    base = BASES[dialect].encode()
    spoiled = saved.make(base)
    found = {f.code: f.severity for f in check_file(spoiled, "settings.conf", dialect, JUDGES[dialect].file)}
    assert saved.code in found
    reader = reader_of(dialect, JUDGES[dialect].file)
    wanted = {
        "file.byte-order-mark": reader.mark,
        "file.utf-16": reader.utf_16,
        "file.crlf": reader.crlf,
        "file.cr-only": reader.lone_cr,
        "file.cr-twice": reader.cr_twice,
    }
    assert found[saved.code] is wanted.get(saved.code, Severity.NOTE)
    looked = look_at(spoiled, "settings.conf", dialect, JUDGES[dialect].file)
    assert looked.mended == base, looked.mended


def test_a_repair_can_be_taken_alone() -> None:
    spoiled = BASES["wpa-supplicant"].replace('"Quay House"', "Quay House").replace("country=GB", "country=gb").encode()
    looked = look_at(spoiled, "f", "wpa-supplicant", JUDGES["wpa-supplicant"].file)
    by_code = {looked.findings[r.number].code: r for r in looked.repairs}
    assert set(by_code) == {"wifi.ssid-quotes", "wifi.country-letters"}
    one = by_code["wifi.country-letters"].content
    assert b"country=GB" in one
    assert b"ssid=Quay House" in one
    assert by_code["wifi.ssid-quotes"].does == "Put the name of line 7 in straight quotes"


BOMB = "a0: &a0 {x: y}\n" + "".join(
    f"a{n}: &a{n} {{{', '.join(f'k{k}: *a{n - 1}' for k in range(9))}}}\n" for n in range(1, 12)
)
SELF = "network: &n\n  version: 2\n  wifis: *n\n"
WIDE = "network: {wifis: {" + ", ".join(f"w{n}: {{dhcp4: true}}" for n in range(9000)) + "}}\n"


@pytest.mark.parametrize("dialect", ["yaml", "netplan", "cloud-init-network", "cloud-init-user-data"])
@pytest.mark.parametrize(
    "text", [BOMB, SELF, WIDE], ids=["a bomb of aliases", "one that holds itself", "nine thousand devices"]
)
def test_a_text_that_is_longer_than_it_looks_is_told_and_not_walked(dialect: str, text: str) -> None:
    """Nine to the eleventh values: nobody who walks them comes back. A reader may take such a file; nobody means it for settings."""
    text = f"#cloud-config\n{text}"
    looked = look_at(text.encode(), "settings.conf", dialect, None)
    assert "yaml.too-much" in {f.code for f in looked.findings}
    assert looked.mended == text.encode()
    assert DIALECTS[dialect].means(text, "settings.conf", None).sentence() == ""
