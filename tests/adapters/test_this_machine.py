"""This machine's own settings, in a tree of files as Debian lays them out; nmcli's terse list as nmcli(1) describes it."""

from __future__ import annotations

from pathlib import Path

from mintseed.adapters.this_machine import OwnMachine, read_nmcli
from mintseed.core.site.proposal import WifiHere


def test_what_the_files_say(tmp_path: Path) -> None:
    (tmp_path / "etc/default").mkdir(parents=True)
    (tmp_path / "etc/localtime").symlink_to("/usr/share/zoneinfo/Europe/London")
    (tmp_path / "etc/default/keyboard").write_text('XKBMODEL="pc105"\nXKBLAYOUT="gb,us"\n')
    (tmp_path / "etc/default/locale").write_text("LANG=en_GB.UTF-8\n")
    facts = OwnMachine(tmp_path).facts()
    assert (facts.time_zone, facts.keyboard, facts.locale) == ("Europe/London", "gb", "en_GB.UTF-8")


def test_a_machine_that_says_nothing(tmp_path: Path) -> None:
    facts = OwnMachine(tmp_path).facts()
    assert (facts.time_zone, facts.keyboard, facts.locale) == ("", "", "")


def test_the_network_in_use_is_told_by_its_star() -> None:
    listed = " :2412 MHz:WPA2:Next door\n*:5180 MHz:WPA1 WPA2:Quay\\: House 5G\n :2437 MHz::open\n"
    assert read_nmcli(listed) == WifiHere("Quay: House 5G", 5.0, False)
    assert read_nmcli("*:5955 MHz:WPA3:Six\n") == WifiHere("Six", 6.0, True)
    for nothing in ("", " :2412 MHz:WPA2:Next door\n", "*:odd:x:y\n", "*:2412 MHz:WPA2:\n"):
        assert read_nmcli(nothing) is None
