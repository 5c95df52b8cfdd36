"""The table of the proving ground: a difference is one in every respect that is asked, and what is kept of earlier runs stays."""

from __future__ import annotations

import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest
from proving.cases import ALLOWED, CASES, TIME_ZONE, Case, fixed_address, plan_of
from proving.cell import Said, Seen, there_before

from mintseed.core.find.candidates import Wanted, rank_candidates
from mintseed.core.find.sightings import parse_dnsmasq_leases, parse_ip_neigh
from mintseed.core.findings import Finding, Severity
from mintseed.core.recipes.model import Page
from mintseed.core.settings.values import PASSPHRASE_LEAST, PASSPHRASE_MOST
from mintseed.core.site.addresses import check_address, check_plan
from mintseed.standins.machine import needs
from mintseed.standins.machine.assay.build import BUILDS
from mintseed.wiring import PROJECT
from proving import table

JOINS = Said(True, Severity.OK, (), "")
GOOD = Seen(True, "", "10.91.5.60", "kettle", True, True, "", TIME_ZONE, "warden", "kettle")
WIFI = CASES[0]


def found(said: Said = JOINS, pretend: str = "joins", seen: Seen | None = GOOD, case: Case = WIFI, fixed: str = "") -> tuple[str, ...]:  # fmt: skip
    return table.differences(said, pretend, seen, case, "kettle", plays=True, fixed=fixed)


def test_where_all_agree_there_is_none() -> None:
    assert found() == ()
    assert found(replace(JOINS, joins=False), "hears no such network", Seen(why="no address")) == ()
    assert found(replace(JOINS, joins=None), "", None) == ()


@pytest.mark.parametrize(
    ("field", "value", "said"),
    [
        ("leased_name", "other", "its lease calls it other"),
        ("name_answers", False, "kettle.local does not answer"),
        ("page_found", False, "its page was not found"),
        ("account", "", "the key does not open its account"),
        ("time_zone", "UTC", "its time zone is UTC"),
        ("host_name", "assay", "it calls itself assay"),
    ],
)
def test_every_respect_counts(field: str, value: object, said: str) -> None:
    assert found(seen=replace(GOOD, **{field: value})) == (said,)


def test_who_was_wrong_is_named() -> None:
    assert found(replace(JOINS, joins=False)) == ("the core said that it does not join",)
    assert found(pretend="hears no such network") == ("the pretend board does not: hears no such network",)
    assert found(seen=Seen(why="no address")) == ("the core said that it joins", "the pretend board joins")
    assert found(fixed="10.91.5.219") == ("its address is 10.91.5.60, not 10.91.5.219",)


def test_what_the_core_said_it_does_not_know_is_no_difference() -> None:
    sae = Finding("netplan.value", Severity.CHECK, "sae is none that every release knows")
    open_one = Said(True, Severity.CHECK, (sae,), "")
    off = Seen(why="no address")
    assert found(open_one, "no such key", off) == ()
    assert found(open_one) == ()
    assert table.said_words(open_one) == "may join (check: sae is none that every release knows)"
    assert found(replace(open_one, joins=False)) == ("the core said that it does not join",), "that it said for sure"
    stop = replace(open_one, findings=(replace(sae, severity=Severity.STOP),))
    assert found(stop, "no such key", off) == ("the core said that it joins",)
    address = Said(
        True,
        Severity.CHECK,
        (Finding("iwd.address-if", Severity.CHECK, "Its address counts only where iwd sets addresses itself"),),
        "",
    )
    assert found(address, fixed="10.91.5.219") == ()


def row(build: str, case: str, real: str = "joins", differences: tuple[str, ...] = ()) -> table.Row:
    return table.Row(build, case, "2026-11-30", "joins", "joins", real, {"address": "10.91.5.60"}, differences, 48.0)


def test_a_run_of_one_cell_leaves_the_others(tmp_path: Path) -> None:
    before = [row("keyfile", "right"), row("keyfile", "wrong", "does not join: no address")]
    table.keep(tmp_path / "kept", before)
    assert table.kept(tmp_path / "kept") == before
    after = table.merged(before, [row("keyfile", "right", differences=("x",))], BUILDS)
    assert [(r.case, r.differences) for r in after] == [("right", ("x",)), ("wrong", ())]
    assert table.kept(tmp_path / "nothing") == []
    # A row of a run of before, which had another column.
    (tmp_path / "kept").write_text((tmp_path / "kept").read_text().replace('"held_mb": 0', '"versions": ""'))
    assert table.kept(tmp_path / "kept") == before


def test_the_document_says_what_was_tried_and_what_was_not() -> None:
    text = table.document([row("keyfile", "right"), row("keyfile", "wrong", "does not join: no address", ("its page was not found",))], ["keyfile", "iwd"], "About.")  # fmt: skip
    assert "| right passphrase | **joins** | not tried |" in text
    assert "stays off; its page was not found" in text
    assert "2 cards were started, 1 with a difference." in text
    assert "of memory at most" not in text
    held = table.document([replace(row("keyfile", "right"), held_mb=628)], ["keyfile"], "About.")
    assert "held 628 MB of memory at most" in held


def test_the_document_counts_the_quick_boots() -> None:
    rows = [
        replace(row("keyfile", case.ident), after_s=took) for case, took in zip(CASES, (40.0, 61.0, 90.0), strict=False)
    ]
    assert "40 to 90 s, half of them within 61 s, 2 of 3 in under 90 s." in table.document(rows, ["keyfile"], "")


def test_a_lease_of_the_machine_before_speaks_against_nobody() -> None:
    """A machine with a fixed address has no lease; the one before it in its slot had one, under another name."""
    own, lease = "02:00:00:00:01:00", "1796137888 02:00:00:00:01:00 10.91.5.181 kettle-country *\n"
    stranger = "10.91.5.9 dev seed lladdr 02:00:00:00:07:00 REACHABLE\n"
    before = there_before((*parse_dnsmasq_leases(lease), *parse_ip_neigh(stranger)), {own})
    assert {"10.91.5.9", "02:00:00:00:07:00"} < before
    assert own not in before
    now = (*parse_dnsmasq_leases(lease), *parse_ip_neigh(f"{stranger}10.91.5.220 dev seed lladdr {own} REACHABLE\n"))
    wanted = Wanted(
        "kettle-fixed", "kettle", Page(scheme="http", port=80), before, name_answers=frozenset({"10.91.5.220"})
    )
    first = rank_candidates(now, wanted, {})[0]
    assert (first.address, first.is_it) == ("10.91.5.220", True)


def test_the_cases_are_what_the_standard_allows() -> None:
    """IEEE 802.11i Annex H.4: each of the 95 signs of a passphrase is in one of the two odd ones."""
    odd = [case.network["passphrase"] for case in CASES if case.ident.startswith("odd")]
    assert "".join(odd) == ALLOWED
    assert len(ALLOWED) == 95
    assert all(PASSPHRASE_LEAST <= len(word) <= PASSPHRASE_MOST for word in odd)
    assert all(len(case.network["ssid"].encode()) <= 32 for case in CASES)


def test_the_fixed_addresses_are_free_by_the_plan() -> None:
    plan = plan_of("10.91.5.0/24")
    assert not check_plan(plan)
    for slot in range(4):
        at = fixed_address("10.91.5.0/24", slot)
        assert not [f for f in check_address(at.address, plan, taken={}, seen=None) if f.severity in (Severity.STOP, Severity.CHECK)]  # fmt: skip


def test_what_was_said_is_shown_in_words() -> None:
    stop = Finding("x.stop", Severity.STOP, "It cannot be")
    check = Finding("x.check", Severity.CHECK, "It is odd")
    assert table.said_words(Said(None, Severity.STOP, (stop,), "")) == "stop: It cannot be"
    assert table.said_words(Said(True, Severity.CHECK, (check,), "")) == "joins (check: It is odd)"


def test_one_sentence_says_what_is_missing() -> None:
    """As somebody who is not root: `setpriv` (util-linux) makes one."""
    if os.geteuid() != 0:
        pytest.skip("only root can become somebody else")
    done = subprocess.run(
        ["setpriv", "--reuid=65534", "--clear-groups", sys.executable, "-c", "from mintseed.standins.machine.needs import missing; print(missing())"],
        capture_output=True, text=True, check=False, cwd=PROJECT, env={**os.environ, "PYTHONDONTWRITEBYTECODE": "1", "PYTHONPATH": str(PROJECT / "src")},
    )  # fmt: skip
    if done.returncode:
        pytest.skip("the interpreter here may be read by root alone")
    assert done.stdout.count("\n") == 1
    assert "only root" in done.stdout


@pytest.mark.skipif(
    os.environ.get("MINTSEED_PROVE") != "1", reason="a machine takes a minute to boot: MINTSEED_PROVE=1 runs it"
)
def test_a_card_boots_a_real_linux_and_is_found() -> None:
    assert needs.missing() == ""
    done = subprocess.run(
        [sys.executable, "-m", "proving", "--only", "keyfile", "--case", "right", "--no-table"], cwd=PROJECT, capture_output=True, text=True, check=False
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr
    assert "1 tried, 0 with a difference" in done.stdout
