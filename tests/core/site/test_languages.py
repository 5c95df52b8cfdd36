"""Languages and zones of a country, against glibc's own list, the database of zones and facts of the countries."""

from __future__ import annotations

import re
import subprocess
import xml.etree.ElementTree as ElementTree
from pathlib import Path

import pytest

from mintseed.core.site.keyboards import KEYBOARDS, countries_of_layouts, keyboards_of
from mintseed.core.site.languages import languages, languages_of, same_locale
from mintseed.core.site.proposal import MachineFacts, proposals
from mintseed.core.site.time_zones import time_zones, time_zones_of
from tests.builders.debian import fetched


def test_the_list_is_that_of_the_c_library(tmp_path: Path) -> None:
    """Source: usr/share/i18n/SUPPORTED of Debian 12's package locales (glibc 2.36)."""
    subprocess.run(["dpkg-deb", "-x", fetched(["locales"])[0], tmp_path], check=True)
    lines = [line.split() for line in (tmp_path / "usr/share/i18n/SUPPORTED").read_text().splitlines()]
    utf8 = {name.removesuffix(".UTF-8") for name, charset in lines if charset == "UTF-8"}
    assert {name.removesuffix(".UTF-8") for name in languages()} == utf8


@pytest.mark.parametrize(
    ("country", "first"),
    [("GB", "en_GB.UTF-8"), ("US", "en_US.UTF-8"), ("FR", "fr_FR.UTF-8"), ("JP", "ja_JP.UTF-8"), ("AT", "de_AT.UTF-8"), ("BR", "pt_BR.UTF-8")],
)  # fmt: skip
def test_a_country_speaks_its_language(country: str, first: str) -> None:
    assert languages_of(country)[0] == first


def test_a_country_with_several_languages_has_them_all() -> None:
    """The federal constitutions: Belgium art. 4, Switzerland art. 70 (Romansh has no locale there)."""
    assert set(languages_of("BE")) == {"nl_BE.UTF-8", "fr_BE.UTF-8", "de_BE.UTF-8"}
    assert set(languages_of("CH")) >= {"de_CH.UTF-8", "fr_CH.UTF-8", "it_CH.UTF-8"}
    assert languages_of("XX") == ()
    assert languages_of("") == ()


def test_every_language_has_a_name_and_one_shape() -> None:
    assert all(re.fullmatch(r"[a-zA-Z_]+(?:\.UTF-8)?(?:@[a-z]+)?", name) and text for name, text in languages().items())
    assert languages()["cy_GB.UTF-8"] == "Welsh (United Kingdom)"
    assert {name: called for name, called in languages().items() if name.startswith(("sr_RS", "be_BY", "ca_ES", "nan_TW@"))} == {
        "sr_RS.UTF-8": "Serbian (Cyrillic, Serbia)", "sr_RS@latin": "Serbian (Latin, Serbia)", "be_BY.UTF-8": "Belarusian (Belarus)",
        "be_BY@latin": "Belarusian (Belarus), latin", "ca_ES.UTF-8": "Catalan (Spain)", "ca_ES@valencia": "Catalan (Spain), valencia", "nan_TW@latin": "nan_TW@latin",
    }  # fmt: skip
    assert same_locale("en_GB.utf8", "en_GB.UTF-8")
    assert not same_locale("en_GB.utf8", "en_GB.ISO-8859-1")


def test_zones_of_a_country_are_zones() -> None:
    assert time_zones_of("GB") == ("Europe/London",)
    assert len(time_zones_of("US")) > 20
    assert all(set(time_zones_of(c)) <= time_zones() for c in ("US", "GB", "AU", "RU", "ES"))
    assert time_zones_of("XX") == ()


def test_keyboards_of_a_country_are_those_its_database_names() -> None:
    rules = Path("/usr/share/X11/xkb/rules/evdev.xml")
    if not rules.exists():
        pytest.skip("xkb-data is not here")
    named = {
        item.findtext("name"): tuple(c.text for c in item.iterfind("countryList/iso3166Id"))
        for item in ElementTree.parse(rules).getroot().iterfind("layoutList/layout/configItem")
    }
    assert countries_of_layouts() == {k: v for k, v in named.items() if k in KEYBOARDS and v}
    assert (keyboards_of("GB"), keyboards_of("DE")[0], keyboards_of("XX")) == (("gb",), "de", ())


def test_what_a_chosen_country_proposes() -> None:
    def said(country: str, **chosen: str) -> list[tuple[str, str, str]]:
        unset = {"time_zone": "UTC", "keyboard": "us", "locale": ""} | chosen
        return [
            (p.field, p.value, p.source)
            for p in proposals(MachineFacts(), country=country, networks=(), wifi=(), **unset)
        ]

    assert said("IE") == [
        ("time_zone", "Europe/Dublin", "the one of Ireland"), ("keyboard", "ie", "the one of Ireland"), ("locale", "en_IE.UTF-8", "spoken in Ireland"),
        ("locale", "ga_IE.UTF-8", "spoken in Ireland"),
    ]  # fmt: skip
    assert [f for f, _, _ in said("US")] == ["locale", "locale"], "which of its many zones is the person's to say"
    assert said("IE", time_zone="Europe/Paris", keyboard="gb", locale="en_GB.UTF-8") == [], (
        "nothing is proposed against what was chosen"
    )
    assert said("") == []
    walloon = proposals(
        MachineFacts(locale="fr_BE.UTF-8"),
        country="BE",
        time_zone="Europe/Brussels",
        keyboard="be",
        networks=(),
        wifi=(),
    )
    assert [p.value for p in walloon] == ["fr_BE.UTF-8", "nl_BE.UTF-8", "de_BE.UTF-8"], (
        "the one this machine speaks first"
    )
