"""A site's own text."""

from __future__ import annotations

from mintseed.core.described import read_described
from mintseed.core.settings.values import derived_key
from mintseed.core.site.model import Site
from tests.builders.readers import wpa_passphrase


def test_blanks_of_a_name_and_a_passphrase_count() -> None:
    text = 'site: 1\nname: " Quay "\ncountry: GB\ntime_zone: UTC\nkeyboard: gb\nwifi: [{ssid: " Quay 2G", passphrase: " nine wet herons "}]\n'
    site = read_described(Site, text, where="site.yaml")
    (network,) = site.wifi
    assert (site.name, network.ssid, network.passphrase) == ("Quay", " Quay 2G", " nine wet herons ")
    # IEEE 802.11i Annex H.4, as wpa_passphrase(8) derives it: another key than without them.
    assert derived_key(network.passphrase, network.ssid) == wpa_passphrase(" Quay 2G", " nine wet herons ")
    assert derived_key(network.passphrase, network.ssid) != derived_key("nine wet herons", "Quay 2G")
