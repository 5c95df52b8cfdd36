"""One deployment walked down the line: what was chosen and what happened go in, findings, marks and the next step come out.

Nothing here is stored and nothing here asks anything: a walk is a value computed from `WalkInputs`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property

from mintseed.core.boards.model import Board, Cable, Supply
from mintseed.core.boot.band import Band, band_for, judge_boot, not_looked
from mintseed.core.boot.causes import BootEvidence, Cause, rank_causes
from mintseed.core.boot.evidence import gather
from mintseed.core.boot.run import BootClock, RunFacts
from mintseed.core.card.proof import NOT_WRITTEN, WriteFacts, card_findings
from mintseed.core.find.candidates import Candidate, judge_find
from mintseed.core.find.naming import judge_name
from mintseed.core.find.own import answers_to_name, own_addresses, wifi_not_proven
from mintseed.core.findings import Finding, Severity, Where, verdict, worst_first
from mintseed.core.image.report import XRay
from mintseed.core.line import Line, StationState, draw_line
from mintseed.core.next_steps import (
    BLANK_CARD,
    FROM_THE_NETWORK,
    BootFacts,
    CardFacts,
    boot_state,
    card_state,
    find_state,
    image_state,
    keep_state,
    plan_state,
    settings_state,
    setup_state,
)
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.plan import HALF, Card, Plan, PlannedPart, Way
from mintseed.core.plan.starts import image_fit
from mintseed.core.recipes.model import FileToFill, Recipe, WayIn
from mintseed.core.settings.answers import check_answers
from mintseed.core.settings.by_hand import HandStep, steps_by_hand
from mintseed.core.settings.fill import (
    FINGERPRINT_VERSION,
    FilledFile,
    address_findings,
    files_for,
    fill_files,
    fingerprint,
    left_alone,
    overlays_by_hand,
    takes_address,
)
from mintseed.core.settings.values import SettingValues, check_own_passphrase, check_values
from mintseed.core.setup.steps import StepResult, step_results
from mintseed.core.site.addresses import NO_PLAN, AddressPlan, check_address
from mintseed.core.site.model import WifiNetwork
from mintseed.core.stations import ORDER, Station

FILES_OLDER = Finding(
    "settings.card-older",
    Severity.CHECK,
    "Its card holds the files as they were before",
    "They were put there, and something that goes into them was changed since.",
    "Put them on the card again.",
)
_FILLING = ("fill-before", "fill-after")
"""ways in by which the settings stand in files"""


@dataclass(frozen=True, slots=True)
class WalkInputs:
    """Everything a deployment is judged from."""

    recipe: Recipe
    host_name: str
    values: SettingValues
    now: datetime
    time_zone: str = "UTC"
    board: Board | None = None
    supply: Supply | None = None
    cable: Cable | None = None
    card: Card | None = None
    parts: tuple[PlannedPart, ...] = ()
    way: Way | None = None
    way_in: WayIn | None = None
    load_share: float = HALF
    network: WifiNetwork | None = None
    site_keyboard: str = ""
    names_taken: frozenset[str] = frozenset()
    address: str = ""
    """the fixed address that is wanted, as it was written"""
    address_plan: AddressPlan = NO_PLAN
    addresses_taken: Mapping[str, str] = field(default_factory=dict)
    """those that other devices of the place have, and their names"""
    addresses_seen: Mapping[str, str] | None = None
    names_heard: Mapping[str, str] | None = None
    """its host name in small letters where something on the network called itself so, and when last; None where nobody listened, and once it ran itself"""
    """those that were seen on the network and since when, as one reads it; None where nobody looked, or the device itself may be what was seen"""
    joined_with_sites: int = 0
    """other devices that joined lately with the place's passphrase, where this one has another of its own"""
    image_chosen: bool = False
    image_gone: bool = False
    """whether its file left the library since it was read"""
    image_reading: bool = False
    xray: XRay | None = None
    agreed: bool = False
    chosen: str = ""
    """a mark of all that is chosen now"""
    write: WriteFacts = NOT_WRITTEN
    run: RunFacts | None = None
    claimed: str = ""
    claimed_by: str = ""
    """wifi or cable, where a person said by which it joined"""
    measured: Mapping[str, Finding] = field(default_factory=dict)
    ticked: frozenset[str] = frozenset()
    kept: bool = False


class Walk:
    """`WalkInputs` with everything derived from them, each part when it is asked for."""

    def __init__(self, inputs: WalkInputs) -> None:
        self.inputs = inputs

    # plan

    @cached_property
    def plan(self) -> Plan:
        i = self.inputs
        return Plan(
            i.recipe, i.board, i.supply, i.cable, i.card, i.way, i.network, i.xray, parts=i.parts, way_in=i.way_in, load_share=i.load_share
        )  # fmt: skip

    @cached_property
    def plan_findings(self) -> tuple[Finding, ...]:
        return worst_first(check_plan(self.plan))

    @property
    def plan_complete(self) -> bool:
        i = self.inputs
        # Firmware that goes over a serial adapter needs no card, and is told its network on the page it opens itself.
        serial = i.board is not None and i.board.medium == "serial"
        may_hear = bool(self.plan.radio_ghz) or (i.board is not None and i.board.radio_ghz is None)
        needs_network = i.way == "wifi" and i.network is None and may_hear and not serial
        card = i.card is not None or serial
        return i.board is not None and i.way is not None and card and not needs_network

    # image

    @cached_property
    def image_findings(self) -> tuple[Finding, ...]:
        xray, board = self.inputs.xray, self.inputs.board
        if xray is None:
            return ()
        gone = (
            Finding("image.not-there", Severity.CHECK, f"{xray.file_name} is not in the library now",
                    "What was read of it is shown as it was. No card can be written from it until it is back.",
                    "Put the file back into the library, or choose another image.", Where(file=xray.file_name)),
        )  # fmt: skip
        fits = image_fit(self.inputs.recipe, board, xray) if board else ()
        return worst_first((*(gone if self.inputs.image_gone else ()), *xray.findings, *fits))

    # settings

    @cached_property
    def value_findings(self) -> tuple[Finding, ...]:
        i = self.inputs
        found = check_values(
            i.values,
            default_host_name=i.recipe.host_name,
            names_taken=i.names_taken,
            names_heard=i.names_heard,
            site_keyboard=i.site_keyboard,
            own_account=i.recipe.own_account,
        )
        return (
            *found,
            *check_own_passphrase(i.values, i.joined_with_sites),
            *check_address(i.address, i.address_plan, taken=i.addresses_taken, seen=i.addresses_seen),
            *(
                address_findings(i.recipe, i.values, i.xray.release if i.xray else "")
                if self.plan.own_way_in in _FILLING
                else ()
            ),
            *check_answers(i.recipe.asks, i.values.answers),
        )

    @cached_property
    def filled(self) -> tuple[FilledFile, ...]:
        """The filled files; empty before the image is read or while a value forbids filling."""
        return self._as_filled() if self.plan.own_way_in == "fill-before" else ()

    @cached_property
    def to_put(self) -> tuple[FilledFile, ...]:
        """The files as they are to stand on the written card, where a person puts them there."""
        return self._as_filled() if self.plan.own_way_in == "fill-after" else ()

    def _as_filled(self) -> tuple[FilledFile, ...]:
        i = self.inputs
        if i.xray is None or verdict(self.value_findings) is Severity.STOP:
            return ()
        return fill_files(i.recipe, i.values, i.xray)

    @property
    def by_hand(self) -> tuple[HandStep, ...]:
        """What a person does where the settings get in after the card is written."""
        i = self.inputs
        page = i.recipe.page
        url = f"{page.scheme}://{i.values.host_name}.local:{page.port}{page.path}"
        return steps_by_hand(
            i.recipe,
            self.plan.own_way_in,
            i.values,
            page_url=url,
            band=self.band,
            console_layout=self.console_layout,
            files=tuple(f.path for f in self.to_put),
        )

    @property
    def console_layout(self) -> str:
        """The keyboard layout its console has: the image's own, where no file sets another; empty where nobody said which that is."""
        i = self.inputs
        if (self.fills and i.recipe.takes_keyboard) or i.xray is None or i.xray.system.keyboard is None:
            return ""
        return i.xray.system.keyboard.value.split(",")[0]

    @property
    def takes_address(self) -> bool:
        """Whether a fixed address gets in: in a file that takes one, or typed by hand."""
        return self.plan.own_way_in not in _FILLING or any(takes_address(f) for f in self._files)

    @property
    def fills(self) -> bool:
        """Whether there is a file to fill: some images take their settings in another way."""
        return self.plan.own_way_in == "fill-before" and bool(self._files)

    @property
    def _files(self) -> tuple[FileToFill, ...]:
        """The recipe's files that this image reads, for its way onto the network."""
        i = self.inputs
        return files_for(i.recipe, i.values.way, i.xray.release if i.xray else "")

    @property
    def writes_card(self) -> bool:
        """Whether an image is written first: what is installed over the network begins with a blank card."""
        return self.plan.own_way_in != "network-install"

    @cached_property
    def settings_findings(self) -> tuple[Finding, ...]:
        xray = self.inputs.xray
        left = left_alone(self.inputs.recipe, xray.release, {f.path for f in xray.files}) if xray and self.fills else ()
        by_hand = overlays_by_hand(self.inputs.recipe, self.inputs.parts, self.filled) if xray else ()
        files = (*self.filled, *self.to_put)
        older = (FILES_OLDER,) if self.put_mark and self.inputs.write.put not in ("", self.put_mark) else ()
        return worst_first(
            (*older, *self.value_findings, *(f for file in files for f in file.findings), *left, *by_hand)
        )

    @property
    def put_mark(self) -> str:
        """The mark of the files as they are to stand on the written card; empty where none are."""
        xray = self.inputs.xray
        return fingerprint(xray.mark, (f for f in self.to_put if not f.on_root)) if xray and self.to_put else ""

    @cached_property
    def fingerprint(self) -> str:
        return self._fingerprint(FINGERPRINT_VERSION)

    def _fingerprint(self, version: int) -> str:
        xray = self.inputs.xray
        return fingerprint(xray.mark, self.filled, version) if xray and (self.filled or not self.fills) else ""

    # card

    @property
    def card_current(self) -> bool:
        """Whether the proven card holds what is chosen now: nothing was changed, or nothing that a file takes."""
        return self.inputs.write.proven_at is not None and (self._nothing_changed or self._filled_alike)

    @property
    def _nothing_changed(self) -> bool:
        return bool(self.inputs.write.chosen) and self.inputs.write.chosen == self.inputs.chosen

    @cached_property
    def _filled_alike(self) -> bool:
        write = self.inputs.write
        return bool(write.fingerprint) and write.fingerprint == self._fingerprint(write.fingerprint_version)

    @property
    def card_facts(self) -> CardFacts:
        write = self.inputs.write
        return CardFacts(
            write.writing, write.trouble, write.proven_at is not None, self.card_current,
            void_why=write.unsure_why or write.void_why,
        )  # fmt: skip

    @property
    def card_findings(self) -> tuple[Finding, ...]:
        otherwise = self._nothing_changed and bool(self.fingerprint) and not self._filled_alike
        return card_findings(self.inputs.write, filled_otherwise=otherwise, powered_since=self.inputs.run is not None)

    def not_ready_to_write(self) -> str:
        """Return what stands against writing a card, or nothing."""
        if self.inputs.xray is None:
            return "No image was read yet"
        if self.inputs.image_gone:
            return "Its image file is not in the library now"
        if not self.plan_complete:
            missing = next((f for f in self.plan_findings if f.severity is Severity.YET), None)
            return missing.title if missing else "The plan is not complete"
        if not self.writes_card:
            return "It is installed over the network: nothing is written first"
        found = (*self.plan_findings, *self.image_findings, *self.settings_findings)
        stop = next((f for f in found if f.severity is Severity.STOP), None)
        if stop:
            return stop.title
        if not self.inputs.agreed:
            return "The settings were not looked over yet"
        if self.inputs.board is not None and self.inputs.board.medium == "serial":
            return "Its firmware goes over a serial adapter, not onto a card"
        return "" if self.filled or not self.fills else "No settings file could be filled"

    # boot

    @property
    def band(self) -> Band | None:
        return band_for(self.inputs.recipe, self.inputs.board) if self.inputs.board else None

    @property
    def clock(self) -> BootClock:
        return BootClock(self.inputs.run, self.band, self.inputs.now, self.inputs.time_zone)

    @property
    def again_at(self) -> datetime | None:
        """When time alone changes the judgement."""
        return None if self.inputs.kept else self.clock.again_at(name_answers=self.name_answers)

    @cached_property
    def boot_finding(self) -> Finding | None:
        run, band = self.inputs.run, self.band
        if run is None or band is None:
            return None
        found = judge_boot(band, self.clock.judged_s, run.joined_after_s, run=run.number, off=not run.powered)
        unseen = self.clock.unseen_since
        return found if unseen is None else not_looked(found, self.clock.clock_text(unseen))

    @cached_property
    def causes(self) -> tuple[Cause, ...]:
        """Why it is late, or what it says itself is wrong, or why the boot before did not join: judged at the time, or now while it is powered."""
        run = self.inputs.run
        if run is None or run.joined_after_s is not None or self.band is None:
            return ()
        if not run.powered:
            return run.causes_then
        # What the board itself calls wrong is known at once; all else is a guess until it is late.
        if self.clock.judged_s < self.band.late_after_s and not run.console.wrong:
            return ()
        return rank_causes(self._evidence)

    @property
    def _evidence(self) -> BootEvidence:
        i = self.inputs
        return gather(
            i.values, i.run, i.board, plan=self.plan_findings, image=self.image_findings, filled=self.filled,
            proven_at=i.write.proven_at,
        )  # fmt: skip

    # find

    @cached_property
    def find_findings(self) -> tuple[Finding, ...]:
        run = self.inputs.run
        if run is None or not run.looked_at:
            return ()
        i = self.inputs
        by_cable = bool(i.claimed) and i.way == "wifi" and i.claimed_by == "cable"
        return (
            *judge_find(run.candidates, i.host_name, i.recipe.page),
            *((self._name_finding(run),) if run.joined_after_s is not None or i.claimed else ()),
            *((wifi_not_proven(i.board),) if by_cable else ()),
        )

    def _name_finding(self, run: RunFacts) -> Finding:
        page = self.inputs.xray.page if self.inputs.xray else None
        announces = None if page is None else True if page.announces else page.announcer
        ago_s = max(0.0, self.clock.elapsed_s - (run.joined_after_s or 0.0))
        return judge_name(self.inputs.host_name, self.addresses, run.naming, joined_ago_s=ago_s, announces=announces)

    @property
    def addresses(self) -> frozenset[str]:
        return own_addresses(self.inputs.run, self.inputs.claimed)

    @property
    def name_answers(self) -> bool:
        return answers_to_name(self.inputs.run, self.addresses)

    @property
    def winner(self) -> Candidate | None:
        winners = [c for c in self.inputs.run.candidates if c.is_it] if self.inputs.run else []
        return winners[0] if len(winners) == 1 else None

    # setup

    @cached_property
    def setup_results(self) -> tuple[StepResult, ...]:
        return step_results(self.inputs.recipe, self.inputs.measured, self.inputs.ticked)

    # the line

    @cached_property
    def states(self) -> dict[Station, StationState]:
        i, winner, run, band = self.inputs, self.winner, self.inputs.run, self.band
        late_at = self.clock.at(band.late_after_s) if band else None
        boot = BootFacts(
            run is not None and run.powered,
            self.clock.judged_s,
            run.joined_after_s if run else None,
            until=self.clock.clock_text(late_at) if late_at else "",
            since=self.clock.clock_text(run.powered_at) if run else "",
            failed_run=run.number if run and not run.powered and run.joined_after_s is None else 0,
            likeliest=self.causes[0].title if self.causes else "",
            unseen_since=self.clock.clock_text(self.clock.unseen_since) if self.clock.unseen_since else "",
        )
        return {
            Station.PLAN: plan_state(self.plan_findings, complete=self.plan_complete),
            Station.IMAGE: image_state(
                self.image_findings, chosen=i.image_chosen, read=i.xray is not None, reading=i.image_reading
            )
            if self.writes_card
            else FROM_THE_NETWORK,
            Station.SETTINGS: settings_state(self.settings_findings, agreed=i.agreed, files=len(self.filled)),
            Station.CARD: card_state(self.card_facts) if self.writes_card else BLANK_CARD,
            Station.BOOT: boot_state(boot, band),
            Station.FIND: find_state(
                self.find_findings,
                claimed=i.claimed,
                seen_at=winner.address if winner else "",
                page_answers=bool(winner and winner.page_answers),
                powered=run is not None and run.powered,
            ),
            Station.SETUP: setup_state(self.setup_results),
            Station.KEEP: keep_state(kept=i.kept),
        }

    @cached_property
    def line(self) -> Line:
        return draw_line(self.states, in_service=self.inputs.kept)

    @property
    def findings(self) -> dict[Station, tuple[Finding, ...]]:
        """The findings of every station, as its record keeps them."""
        setup = tuple(r.finding for r in self.setup_results if r.finding)
        boot = (self.boot_finding,) if self.boot_finding else ()
        found = {
            Station.PLAN: self.plan_findings, Station.IMAGE: self.image_findings, Station.SETTINGS: self.settings_findings,
            Station.CARD: self.card_findings, Station.BOOT: boot, Station.FIND: self.find_findings, Station.SETUP: setup, Station.KEEP: (),
        }  # fmt: skip
        return {station: found[station] for station in ORDER}
