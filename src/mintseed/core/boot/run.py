"""The last boot as a value, and the clocks that run with it: how old it is, since when nobody looks, when time alone changes what is said."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

from mintseed.core.boot.band import NOT_LOOKED, Band, not_looked_at
from mintseed.core.boot.causes import Cause
from mintseed.core.boot.console import NOTHING_HEARD, ConsoleFacts
from mintseed.core.find.candidates import Candidate
from mintseed.core.find.naming import NAME_WITHIN_S, NOT_ASKED, NameFacts


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
    console: ConsoleFacts = NOTHING_HEARD
    """what it said on its serial console, where that is heard"""

    @property
    def powered(self) -> bool:
        return self.off_at is None

    @property
    def last_look(self) -> datetime:
        """The last moment at which somebody looked, or began to have a reason to."""
        return max(self.powered_at, self.looked_at or self.powered_at, self.noted_at or self.powered_at)


@dataclass(frozen=True, slots=True)
class BootClock:
    """The clocks of a boot, at `now` and in the site's time zone. Without a run nothing is running."""

    run: RunFacts | None
    band: Band | None
    now: datetime
    time_zone: str

    @property
    def elapsed_s(self) -> float:
        """Seconds of boot since power-on, at the bench's pace; what it lasted once it is off."""
        run = self.run
        if run is None:
            return 0.0
        if run.lasted_s is not None:
            return run.lasted_s
        return max(0.0, ((run.off_at or self.now) - run.powered_at).total_seconds() * run.pace)

    @property
    def unseen_since(self) -> datetime | None:
        """Since when nobody looks for this powered board, None while somebody does, or need not."""
        run = self.run
        if run is None or not run.powered or run.joined_after_s is not None:
            return None
        return run.last_look if not_looked_at(run.last_look, self.now, run.late_at) else None

    @property
    def judged_s(self) -> float:
        """Seconds of boot at which it is judged: time in which nobody looked makes no boot late."""
        run, unseen = self.run, self.unseen_since
        if run is None or unseen is None:
            return self.elapsed_s
        return max(0.0, (unseen - run.powered_at).total_seconds() * run.pace)

    def at(self, boot_seconds: float) -> datetime | None:
        """Return the clock time at which this boot is `boot_seconds` old."""
        run = self.run
        return run.powered_at + timedelta(seconds=boot_seconds / run.pace) if run else None

    def clock_text(self, moment: datetime) -> str:
        """Return `moment` as a clock at the site shows it, with its day where that is not today there."""
        zone = ZoneInfo(self.time_zone)
        there, today = moment.astimezone(zone), self.now.astimezone(zone).date()
        day = "" if there.date() == today else f"{there.day} {there:%b} "
        return f"{day}{there:%H:%M:%S}"

    @property
    def next_midnight(self) -> datetime:
        """When the next day begins at the site: moments that were said by the clock alone are yesterday's then."""
        zone = ZoneInfo(self.time_zone)
        tomorrow = self.now.astimezone(zone).date() + timedelta(days=1)
        return datetime.combine(tomorrow, time(), zone)

    def again_at(self, *, name_answers: bool) -> datetime | None:
        """Return when time alone changes what is said of this boot: the next mark of its band, or the next day."""
        run, band = self.run, self.band
        if run is None or band is None or not run.powered:
            return None
        if run.joined_after_s is not None:
            # A name that did not come within some minutes is said not to have come.
            waits_s = run.joined_after_s + NAME_WITHIN_S
            return self.at(waits_s) if not name_answers and self.elapsed_s < waits_s else None
        marks = (band.usual_from_s, band.usual_to_s, band.late_after_s, band.hopeless_after_s)
        left = [m for m in marks if m > self.judged_s]
        if self.unseen_since is not None:
            return self.next_midnight  # else only somebody who looks changes it
        falls_silent = min(run.last_look + NOT_LOOKED, self.next_midnight)
        return min(self.at(left[0]) or falls_silent, falls_silent) if left else falls_silent
