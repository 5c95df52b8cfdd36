"""A home belongs to one kind of bench: made-up devices and one's own never share a shelf, a log or a door.

The kind stands in a file of the home from its first start on. Where it does not yet, in a home from before that or of a bench that joins
a database elsewhere, the benches on record say it: one that was ever real makes it a real one's.
"""

from __future__ import annotations

from pathlib import Path

from mintseed.core.errors import RefusedError
from mintseed.wiring import Config

WORDS: dict[str, str] = {
    "standin": "the stand-in bench, whose devices are made up",
    "machine": "a machine bench, whose boards are virtual machines",
    "real": "a real bench",
}
ENDING: dict[str, str] = {"standin": "demo", "machine": "machine", "real": "own"}


def kind_file(home: Path) -> Path:
    return home / "kind-of-bench"


def kept_kind(home: Path) -> str:
    """Return the kind that stands in `home`, empty when none does."""
    try:
        kind = kind_file(home).read_text().strip()
    except OSError:
        return ""
    return kind if kind in WORDS else ""


def refuse_other_kind(chosen: Config) -> None:
    """Raise RefusedError when the home belongs to the other kind of bench."""
    kept = kept_kind(chosen.home)
    if kept in ("", chosen.bench):
        return
    ask = "" if chosen.is_standin else f"MINTSEED_BENCH={chosen.bench} "
    other = chosen.home.with_name(f"{chosen.home.name}-{ENDING[chosen.bench]}")
    raise RefusedError(
        f"the home {chosen.home} belongs to {WORDS[kept]}", expected=f"another home for {WORDS[chosen.bench]}", where="MINTSEED_HOME",
        next_step=f"Give it one of its own:  MINTSEED_HOME={other} {ask}make start",
    )  # fmt: skip


def keep_kind(chosen: Config) -> None:
    """Note the kind of bench this home belongs to, from now on; raises RefusedError when it belongs to the other one."""
    if not kept_kind(chosen.home):
        kind_file(chosen.home).write_text(f"{_told_by_rows() or chosen.bench}\n")
    refuse_other_kind(chosen)


def _told_by_rows() -> str:
    """Return the kind that the benches on record were of, empty when there are none."""
    from mintseed.server.kept.models import Bench  # only now: a start comes here before Django is set up

    rows = Bench.objects.values_list("was_real", "kind")
    if any(was_real or kind == Bench.Kind.REAL for was_real, kind in rows):
        return "real"
    return next((kind for _, kind in rows), "")
