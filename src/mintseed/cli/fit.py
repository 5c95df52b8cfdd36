"""mintseed fit --recipe R --board B [--part P ...] [--supply S] [--card GB] [--way W]: do these go together, and if not, the way out."""

from __future__ import annotations

import argparse
import re
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any, get_args

from pydantic import ValidationError

from mintseed import wiring
from mintseed.cli.files import Commands, board_named, part_named, recipe_named
from mintseed.cli.output import findings_as_json, tell
from mintseed.core.boards.model import PLUGS, SOCKETS, Supply
from mintseed.core.errors import InputError
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.job_time import job_time
from mintseed.core.plan.plan import Card, Plan, PlannedPart, Way
from mintseed.core.plan.power import power_sum
from mintseed.core.plan.shelf import Shelf
from mintseed.core.plan.shopping import parts_list
from mintseed.core.plan.way_out import Proposal, ways_out
from mintseed.core.site.model import WifiNetwork
from mintseed.core.visible import one_line

SUPPLY = re.compile(
    r"(?P<v>[0-9.]+)V,(?P<a>[0-9.]+)A,(?P<plug>[^,]+)(?:,(?P<m>[0-9.]+)m)?(?:,AWG(?P<awg>[0-9]+))?", re.IGNORECASE
)
MOST_CARD_GB = 4096
SUPPLY_WORDS = "VOLTS,AMPERES,PLUG[,METRES,AWG], such as 5.1V,2.5A,micro-USB,1.2m,AWG22"


def add(commands: Commands) -> None:
    parser = commands.add_parser("fit", help="do appliance, board, parts, supply and card go together")
    parser.add_argument("--recipe", required=True, help="a shipped recipe's id, or a file")
    parser.add_argument("--board", required=True, help="a board's printed mark or id, or a file")
    parser.add_argument(
        "--part", action="append", default=[], help="a part's id, or a file; as often as there are parts"
    )
    parser.add_argument("--supply", help=SUPPLY_WORDS)
    parser.add_argument("--card", type=int, metavar="GB")
    parser.add_argument("--way", choices=get_args(Way), help="default: the recipe's first that the board has")
    parser.add_argument(
        "--band", type=float, default=2.4, metavar="GHZ", help="band of the Wi-Fi network (default 2.4)"
    )
    parser.add_argument("--release", default="")
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=run)


def _refuse_what_cannot_be(arguments: argparse.Namespace, releases: Sequence[str]) -> None:
    """Raise InputError for a number no card or network has, and for a release the recipe does not know."""
    if arguments.card is not None and not 1 <= arguments.card <= MOST_CARD_GB:
        raise InputError(
            f"{arguments.card} GB is no card's size", expected=f"1 to {MOST_CARD_GB}, as printed on it", where="--card"
        )
    if not 0.1 <= arguments.band <= 100:  # not a number is not in between either
        raise InputError(f"{arguments.band:g} GHz is no Wi-Fi band", expected="2.4, 5 or 6", where="--band")
    if arguments.release and arguments.release not in releases:
        raise InputError(
            f"the recipe knows no release {one_line(arguments.release)}", expected=", ".join(releases) or "none: it names no releases",
            where="--release",
        )  # fmt: skip


def run(arguments: argparse.Namespace) -> int:
    recipe, board = recipe_named(arguments.recipe), board_named(arguments.board)
    _refuse_what_cannot_be(arguments, [r.version for r in recipe.releases])
    parts = tuple(PlannedPart(part, part.name) for part in map(part_named, arguments.part))
    plan = Plan(recipe, board, parts=parts, release=arguments.release)
    way = arguments.way or next(
        (w for w in recipe.ways if (plan.radio_ghz if w == "wifi" else plan.ethernet)), recipe.ways[0]
    )
    plan = Plan(
        recipe, board, supply_from(arguments.supply) if arguments.supply else None, None, Card(arguments.card) if arguments.card else None,
        way, WifiNetwork(ssid="your network", band_ghz=arguments.band) if way == "wifi" else None, parts=parts, release=arguments.release,
    )  # fmt: skip
    shops = Shelf(catalogue={**wiring.parts(), **{p.id: p for p in recipe.add_ons}}, shop_boards=wiring.boards())
    proposals = ways_out(plan, shops)
    if arguments.json:
        return tell(check_plan(plan), _facts(plan, shops, proposals), as_json=True)
    return tell(check_plan(plan), {"way out": [_line(p) for p in proposals]}, as_json=False)


def supply_from(said: str) -> Supply:
    """Return the supply `said` describes. Raises InputError."""
    found = SUPPLY.fullmatch(said.replace(" ", ""))
    known = {p.lower().replace(" ", ""): p for p in (*PLUGS, *SOCKETS)}
    plug = known.get(found["plug"].lower()) if found else None
    if found is None or plug is None:
        raise InputError(
            f"{said} is no supply",
            expected=f"{SUPPLY_WORDS}; plugs are {', '.join((*PLUGS, *SOCKETS))}",
            where="--supply",
        )
    try:
        return Supply.model_validate(
            {"name": "the supply", "voltage_v": float(found["v"]), "current_a": float(found["a"]), "connector": plug,
             "length_m": float(found["m"]) if found["m"] else None, "awg": int(found["awg"]) if found["awg"] else None}
        )  # fmt: skip
    except ValidationError as error:
        raise InputError(f"{said} is no supply: {_first(error)}", expected=SUPPLY_WORDS, where="--supply") from error
    except ValueError as error:
        raise InputError(
            f"{said} is no supply: a number in it is none", expected=SUPPLY_WORDS, where="--supply"
        ) from error


def _first(error: ValidationError) -> str:
    """Return in our words what a supply is refused for first."""
    first = error.errors(include_url=False)[0]
    name = str(first["loc"][0]) if first["loc"] else ""
    said = {
        "voltage_v": "its volts",
        "current_a": "its amperes",
        "length_m": "the length of its cable",
        "awg": "the gauge of its cable",
    }
    if name not in said:
        return str(first["msg"]).removeprefix("Value error, ")
    bounds = first.get("ctx", {})
    limit = next((f"at most {bounds[k]:g}" for k in ("le", "lt") if k in bounds), "") or next(
        (f"more than {bounds[k]:g}" for k in ("gt", "ge") if k in bounds), ""
    )
    return f"{said[name]} cannot be {first['input']}" + (f", {limit} can" if limit else "")


def _line(proposal: Proposal) -> dict[str, Any]:
    return {
        "cures": proposal.cures,
        "by": proposal.title,
        "effort": proposal.effort_text,
        "about": proposal.price_text,
    }


def _facts(plan: Plan, shops: Shelf, proposals: tuple[Proposal, ...]) -> dict[str, Any]:
    time = job_time(plan)
    return {
        "recipe": plan.recipe.id,
        "board": plan.board.id if plan.board else "",
        "way": plan.way,
        "power": asdict(power_sum(plan)),
        "parts": asdict_plain(parts_list(plan, shops)),
        "time": {"from_s": time.from_s, "to_s": time.to_s, "spans": [asdict(s) for s in time.spans]} if time else None,
        "proposals": [
            {"cures": p.cures, "title": p.title, "changes": dict(p.sets), "cost": p.price.model_dump() if p.price else None,
             "effort": p.effort_text, "verdict": p.verdict, "findings": findings_as_json(p.findings)}
            for p in proposals
        ],
    }  # fmt: skip


def asdict_plain(list_of: Any) -> dict[str, Any]:
    """Return a parts list with its prices as plain numbers and currencies."""
    plain = asdict(list_of)
    for name in ("to_buy", "with_optional"):
        plain[name] = [p.model_dump() for p in plain[name]]
    for item in plain["items"]:
        item["price"] = item["price"].model_dump() if item["price"] else None
    return plain
