"""One deployment walked down the line: what was chosen and what happened go in, findings, marks and the next step come out.

Nothing here is stored and nothing here asks anything: a walk is a value computed from `WalkInputs`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, time, timedelta
from functools import cached_property
from zoneinfo import ZoneInfo

from mintseed.core.boards.model import Board, Cable, Supply
from mintseed.core.boot.band import NOT_LOOKED, Band, band_for, judge_boot, not_looked, not_looked_at
from mintseed.core.boot.causes import BootEvidence, Cause, rank_causes
from mintseed.core.find.candidates import Candidate, judge_find
from mintseed.core.find.naming import NAME_WITHIN_S, NOT_ASKED, NameFacts, judge_name
from mintseed.core.findings import Finding, Severity, Where, verdict, worst_first
from mintseed.core.image.report import XRay
from mintseed.core.line import Line, StationState, draw_line
from mintseed.core.next_steps import (
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
from mintseed.core.recipes.model import Recipe, WayIn
from mintseed.core.settings.fill import (
    FINGERPRINT_VERSION,
    FilledFile,
    files_for,
    fill_files,
    fingerprint,
    left_alone,
    overlays_by_hand,
)
from mintseed.core.settings.values import SettingValues, check_answers, check_values
from mintseed.core.setup.steps import StepResult, step_results
from mintseed.core.site.model import WifiNetwork
from mintseed.core.stations import ORDER, Station

POWER_CODES = ("plan.supply-", "plan.cable-", "plan.feeder-", "plan.usb-overdrawn", "plan.two-supplies")
"""Findings of the plan that speak of too little power at the board."""


@dataclass(frozen=True, slots=True)
class WriteFacts:
    """The last write. `proven_at` is None unless its proof stands; `trouble` says how it ended when not well, `void_why`
    what ended its proof, `unsure_why` why nobody can rely on it now. `chosen`: a mark of what was chosen then; equal marks,
    nothing was changed. `marked`: whether marks beyond the image were read back too; `looked_again`: whether they were seen
    again after it had left its reader. `never_began`: why a later write came to nothing before its first byte, `stopped` where
    somebody stopped it."""

    writing: bool = False
    trouble: str = ""
    fingerprint: str = ""
    fingerprint_version: int = FINGERPRINT_VERSION
    chosen: str = ""
    proven_at: datetime | None = None
    void_why: str = ""
    unsure_why: str = ""
    marked: bool = False
    looked_again: bool = False
    never_began: str = ""
    stopped: bool = False


@dataclass(frozen=True, slots=True)
class RunFacts:
    """The last boot of the card that is proven now. `pace` is how many seconds of a boot pass in one second.

    The keys are marks: equal marks, equal keys. `joined_same` and `joined_other` count other boards that joined this
    network with the key of this card and with another one.
    """

    number: int
    powered_at: datetime
    pace: float = 1.0
    off_at: datetime | None = None
    lasted_s: float | None = None
    joined_after_s: float | None = None
    looked_at: datetime | None = None
    noted_at: datetime | None = None
    """when it was said that it is powered; later than `powered_at` when that is told afterwards"""
    candidates: tuple[Candidate, ...] = ()
    joined_address: str = ""
    naming: NameFacts = NOT_ASKED
    late_at: datetime | None = None
    causes_then: tuple[Cause, ...] = ()
    key_is_sites: bool | None = None
    joined_same: int = 0
    joined_other: int = 0

    @property
    def powered(self) -> bool:
        return self.off_at is None

    @property
    def last_look(self) -> datetime:
        """The last moment at which somebody looked, or began to have a reason to."""
        return max(self.powered_at, self.looked_at or self.powered_at, self.noted_at or self.powered_at)


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
    image_chosen: bool = False
    image_gone: bool = False
    """whether its file left the library since it was read"""
    image_reading: bool = False
    xray: XRay | None = None
    agreed: bool = False
    chosen: str = ""
    """a mark of all that is chosen now"""
    write: WriteFacts = WriteFacts()
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
        needs_network = i.way == "wifi" and i.network is None and bool(self.plan.radio_ghz) and not serial
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
            i.values, default_host_name=i.recipe.host_name, names_taken=i.names_taken, site_keyboard=i.site_keyboard
        )
        return (*found, *check_answers(i.recipe.asks, i.values.answers))

    @cached_property
    def filled(self) -> tuple[FilledFile, ...]:
        """The filled files; empty before the image is read or while a value forbids filling."""
        i = self.inputs
        if i.xray is None or verdict(self.value_findings) is Severity.STOP:
            return ()
        if self.plan.own_way_in != "fill-before":
            return ()
        return fill_files(i.recipe, i.values, {f.path: f.content for f in i.xray.files}, i.xray.release)

    @property
    def fills(self) -> bool:
        """Whether there is a file to fill: some images take their settings in another way."""
        i = self.inputs
        release = i.xray.release if i.xray else ""
        return self.plan.own_way_in == "fill-before" and bool(files_for(i.recipe, i.values.way, release))

    @cached_property
    def settings_findings(self) -> tuple[Finding, ...]:
        xray = self.inputs.xray
        left = left_alone(self.inputs.recipe, xray.release, {f.path for f in xray.files}) if xray and self.fills else ()
        by_hand = overlays_by_hand(self.inputs.recipe, self.inputs.parts, self.filled) if xray else ()
        return worst_first((*self.value_findings, *(f for file in self.filled for f in file.findings), *left, *by_hand))

    @cached_property
    def fingerprint(self) -> str:
        return self._fingerprint(FINGERPRINT_VERSION)

    def _fingerprint(self, version: int) -> str:
        xray = self.inputs.xray
        return fingerprint(xray.sha256, self.filled, version) if xray and (self.filled or not self.fills) else ""

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

    def not_ready_to_write(self) -> str:
        """Return what stands against writing a card, or nothing."""
        if self.inputs.xray is None:
            return "No image was read yet"
        if self.inputs.image_gone:
            return "Its image file is not in the library now"
        if not self.plan_complete:
            missing = next((f for f in self.plan_findings if f.severity is Severity.YET), None)
            return missing.title if missing else "The plan is not complete"
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
    def elapsed_s(self) -> float:
        """Seconds of boot since power-on, at the bench's pace; what it lasted once it is off."""
        run = self.inputs.run
        if run is None:
            return 0.0
        if run.lasted_s is not None:
            return run.lasted_s
        return max(0.0, ((run.off_at or self.inputs.now) - run.powered_at).total_seconds() * run.pace)

    @property
    def unseen_since(self) -> datetime | None:
        """Since when nobody looks for this powered board, None while somebody does, or need not."""
        run = self.inputs.run
        if run is None or not run.powered or run.joined_after_s is not None:
            return None
        return run.last_look if not_looked_at(run.last_look, self.inputs.now, run.late_at) else None

    @property
    def judged_s(self) -> float:
        """Seconds of boot at which it is judged: time in which nobody looked makes no boot late."""
        run, unseen = self.inputs.run, self.unseen_since
        if run is None or unseen is None:
            return self.elapsed_s
        return max(0.0, (unseen - run.powered_at).total_seconds() * run.pace)

    def at(self, boot_seconds: float) -> datetime | None:
        """Return the clock time at which this boot is `boot_seconds` old."""
        run = self.inputs.run
        return run.powered_at + timedelta(seconds=boot_seconds / run.pace) if run else None

    @cached_property
    def boot_finding(self) -> Finding | None:
        run, band = self.inputs.run, self.band
        if run is None or band is None:
            return None
        found = judge_boot(band, self.judged_s, run.joined_after_s, run=run.number, off=not run.powered)
        unseen = self.unseen_since
        return found if unseen is None else not_looked(found, self.clock_text(unseen))

    @cached_property
    def causes(self) -> tuple[Cause, ...]:
        """Why it is late, or why the boot before did not join: judged at the time, or now while it is powered."""
        run = self.inputs.run
        if run is None or run.joined_after_s is not None or self.band is None:
            return ()
        if not run.powered:
            return run.causes_then
        if self.judged_s < self.band.late_after_s:
            return ()
        return rank_causes(self.boot_evidence)

    @property
    def boot_evidence(self) -> BootEvidence:
        """What speaks for and against each cause, gathered from the other stations."""
        i, run, proven = self.inputs, self.inputs.run, self.inputs.write.proven_at
        doubts = tuple(
            f.title for f in self.plan_findings
            if f.severity in (Severity.STOP, Severity.CHECK) and f.code.startswith(POWER_CODES)
        )  # fmt: skip
        supply = any(
            f.code in ("plan.supply-fits", "plan.supply-tight", "plan.feeder-carries") for f in self.plan_findings
        )
        board = next(
            (f.severity is Severity.OK for f in self.image_findings if f.code in ("plan.board-fits", "plan.board-not-in-image", "plan.board-newer-than-release")),
            None,
        )  # fmt: skip
        return BootEvidence(
            way=i.values.way,
            network=i.values.ssid,
            passphrase_is_sites=run.key_is_sites if run else None,
            joined_with_same_key=run.joined_same if run else 0,
            joined_with_other_key=run.joined_other if run else 0,
            country=i.values.country,
            country_in_file=any(f.carries_country for f in self.filled) if self.filled else None,
            files_sound=verdict(f for file in self.filled for f in file.findings) in (Severity.OK, Severity.NOTE),
            board_in_image=board,
            board_name=i.board.name if i.board else "",
            supply_carries=False if doubts else True if supply else None,
            supply_doubts=doubts,
            card_proven_ago_s=(run.powered_at - proven).total_seconds() if run and proven else None,
        )

    # find

    @cached_property
    def find_findings(self) -> tuple[Finding, ...]:
        run = self.inputs.run
        if run is None or not run.looked_at:
            return ()
        found = judge_find(run.candidates, self.inputs.host_name)
        return (*found, *self._name_findings(run), *self._way_findings(run))

    def _name_findings(self, run: RunFacts) -> tuple[Finding, ...]:
        """Return what is known of its name, once it is on the network."""
        if run.joined_after_s is None and not self.inputs.claimed:
            return ()
        page = self.inputs.xray.page if self.inputs.xray else None
        announces = None if page is None else True if page.announces else page.announcer
        ago_s = max(0.0, self.elapsed_s - (run.joined_after_s or 0.0))
        return (judge_name(self.inputs.host_name, self.addresses, run.naming, joined_ago_s=ago_s, announces=announces),)

    def _way_findings(self, run: RunFacts) -> tuple[Finding, ...]:
        i = self.inputs
        if not (i.claimed and i.way == "wifi" and i.claimed_by == "cable"):
            return ()
        mark = (
            f" Look at its printed mark once more: {i.board.printed_mark} has a radio; boards that look alike have none."
            if i.board
            else ""
        )
        return (Finding("find.joined-by-cable", Severity.CHECK, "Joined by cable, Wi-Fi not proven",
                        f"The plan says Wi-Fi, and nobody has seen it join by that.{mark}",
                        "Shut it down, pull the cable, power it again and claim what joins then.", Where(part="way")),)  # fmt: skip

    @property
    def addresses(self) -> frozenset[str]:
        """The addresses of the device itself: where it joined or was claimed, and the others it has."""
        i, run = self.inputs, self.inputs.run
        own = {a for a in (i.claimed, run.joined_address if run else "") if a}
        return frozenset({*own, *(a for c in (run.candidates if run else ()) if c.address in own for a in c.also)})

    @property
    def name_answers(self) -> bool:
        """Whether the device was heard to answer to its own name."""
        run = self.inputs.run
        return run is not None and bool(self.addresses & set(run.naming.answers_at))

    @property
    def winner(self) -> Candidate | None:
        winners = [c for c in self.inputs.run.candidates if c.is_it] if self.inputs.run else []
        return winners[0] if len(winners) == 1 else None

    # setup

    @cached_property
    def setup_results(self) -> tuple[StepResult, ...]:
        return step_results(self.inputs.recipe, self.inputs.measured, self.inputs.ticked)

    # the line

    def clock_text(self, moment: datetime) -> str:
        """Return `moment` as a clock at the site shows it, with its day where that is not today there."""
        zone = ZoneInfo(self.inputs.time_zone)
        there, today = moment.astimezone(zone), self.inputs.now.astimezone(zone).date()
        day = "" if there.date() == today else f"{there.day} {there:%b} "
        return f"{day}{there:%H:%M:%S}"

    @property
    def next_midnight(self) -> datetime:
        """When the next day begins at the site: moments that were said by the clock alone are yesterday's then."""
        zone = ZoneInfo(self.inputs.time_zone)
        tomorrow = self.inputs.now.astimezone(zone).date() + timedelta(days=1)
        return datetime.combine(tomorrow, time(), zone)

    @cached_property
    def states(self) -> dict[Station, StationState]:
        i, winner, run, band = self.inputs, self.winner, self.inputs.run, self.band
        late_at = self.at(band.late_after_s) if band else None
        boot = BootFacts(
            run is not None and run.powered,
            self.judged_s,
            run.joined_after_s if run else None,
            until=self.clock_text(late_at) if late_at else "",
            since=self.clock_text(run.powered_at) if run else "",
            failed_run=run.number if run and not run.powered and run.joined_after_s is None else 0,
            likeliest=self.causes[0].title if self.causes else "",
            unseen_since=self.clock_text(self.unseen_since) if self.unseen_since else "",
        )
        return {
            Station.PLAN: plan_state(self.plan_findings, complete=self.plan_complete),
            Station.IMAGE: image_state(
                self.image_findings, chosen=i.image_chosen, read=i.xray is not None, reading=i.image_reading
            ),
            Station.SETTINGS: settings_state(self.settings_findings, agreed=i.agreed, files=len(self.filled)),
            Station.CARD: card_state(self.card_facts),
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
            Station.CARD: self._card_findings, Station.BOOT: boot, Station.FIND: self.find_findings, Station.SETUP: setup, Station.KEEP: (),
        }  # fmt: skip
        return {station: found[station] for station in ORDER}

    @property
    def _card_findings(self) -> tuple[Finding, ...]:
        write = self.inputs.write
        if write.writing:
            return ()
        never = (
            Finding("card.never-began", Severity.NOTE if write.stopped else Severity.CHECK, "The last write did not begin",
                    f"{write.never_began.rstrip('.')}. It changed nothing on any card.",
                    "Write the card again if you still want to."),
        ) if write.never_began and not write.trouble else ()  # fmt: skip
        return (*never, *self._proof_findings(write))

    def _proof_findings(self, write: WriteFacts) -> tuple[Finding, ...]:
        if write.unsure_why:
            return (Finding("card.unsure", Severity.CHECK, "Not sure any more that its card holds it", f"{write.unsure_why}.",
                            "Say whose card that is, put its own card into a reader, or write the card again."),)  # fmt: skip
        if write.proven_at is None:
            void = Finding(
                "card.proof-void",
                Severity.CHECK,
                "This card's proof no longer stands",
                f"{write.void_why}.",
                "Write the card again.",
            )
            return (void,) if write.void_why else ()
        found = []
        if self._nothing_changed and self.fingerprint and not self._filled_alike:
            found.append(Finding("card.filled-otherwise", Severity.NOTE, "This version would fill the files otherwise",
                                 "Nothing you chose was changed since, and the card holds what was proven then.",
                                 "Write it again only if you want what this version would write."))  # fmt: skip
        if write.marked and not write.looked_again and self.inputs.run is None:
            found.append(Finding("card.second-look", Severity.NOTE, "Its size was measured without unplugging it",
                                 "Marks all over its room were read back. A reader that answers from a memory of its own could hide that "
                                 "a card is smaller than it says.", "To be sure, pull it out and put it back once: it is looked at again."))  # fmt: skip
        elif write.marked and write.looked_again:
            found.append(Finding("card.seen-again", Severity.OK, "Seen again after it was pulled out",
                                 "Samples of what was written, and the marks all over its room, were still there."))  # fmt: skip
        return tuple(found)

    @property
    def again_at(self) -> datetime | None:
        """When time alone changes the judgement: the next mark of a running boot's band, or the next day."""
        run, band = self.inputs.run, self.band
        if run is None or band is None or not run.powered or self.inputs.kept:
            return None
        if run.joined_after_s is not None:
            # A name that did not come within some minutes is said not to have come.
            waits_s = run.joined_after_s + NAME_WITHIN_S
            return self.at(waits_s) if not self.name_answers and self.elapsed_s < waits_s else None
        marks = (band.usual_from_s, band.usual_to_s, band.late_after_s, band.hopeless_after_s)
        left = [m for m in marks if m > self.judged_s]
        if self.unseen_since is not None:
            return self.next_midnight  # else only somebody who looks changes it
        falls_silent = min(run.last_look + NOT_LOOKED, self.next_midnight)
        return min(self.at(left[0]) or falls_silent, falls_silent) if left else falls_silent
