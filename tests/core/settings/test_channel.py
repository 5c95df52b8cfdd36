"""A file that keeps the radio to a country where the network's channel is closed says so; one that names no country leaves the radio as it comes.

Held against the proving ground (docs/proving.md, *wrong country*): there the real readers of the first stay off channel 13, those of the second join.
"""

from __future__ import annotations

import pytest

from mintseed import wiring
from mintseed.core.findings import Severity
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.fill import fill_files
from tests.builders.xrays import holding
from tests.core.settings.test_values import values


def said(dialect: str, before: bytes = b"", **chosen: object) -> dict[str, Severity]:
    file = FileToFill.model_validate({"path": "f", "dialect": dialect, "title": "", "when": "wifi"})
    recipe = wiring.recipes()["platen"].model_copy(update={"files": (file,)})
    found = fill_files(recipe, values(**chosen), holding({"f": before}))
    return {f.code: f.severity for filled in found for f in filled.findings}


@pytest.mark.parametrize("dialect", ["wpa-supplicant", "netplan"])
def test_a_closed_channel_is_told_where_the_file_names_the_country(dialect: str) -> None:
    assert said(dialect, country="US", channel=13, band_ghz=2.4)["wifi.channel-country"] is Severity.CHECK
    assert said(dialect, country="US", channel=13)["wifi.channel-country"] is Severity.CHECK
    for fine in ({"country": "GB", "channel": 13}, {"country": "US", "channel": 11}, {"country": "US"}, {"country": "US", "channel": 13, "way": "cable"}):  # fmt: skip
        assert "wifi.channel-country" not in said(dialect, **fine)


@pytest.mark.parametrize("dialect", ["keyfile", "iwd", "connman", "interfaces"])
def test_a_file_without_a_country_keeps_the_radio_to_none(dialect: str) -> None:
    assert "wifi.channel-country" not in said(dialect, country="US", channel=13, band_ghz=2.4)
