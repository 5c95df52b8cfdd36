"""mintseed fit --recipe R --board B [--part P ...] [--supply S] [--cable C] [--card GB] [--way W]: do these go together, and if not,
the way out."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from typing import TYPE_CHECKING, Any, get_args

from mintseed import shipped
from mintseed.cli.files import Commands, board_named, library_of, part_named, recipe_named, text_of
from mintseed.cli.output import findings_as_json, tell
from mintseed.cli.things import CABLE_WORDS, CARD_WORDS, SUPPLY_WORDS, cable_from, card_from, shelf_from, supply_from
from mintseed.core.errors import InputError
from mintseed.core.parts.model import Part
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.plan import HALF, Plan, PlannedPart, Way
from mintseed.core.plan.power import power_sum, wanted_a
from mintseed.core.plan.shelf import Shelf
from mintseed.core.plan.shopping import parts_list
from mintseed.core.plan.way_out import Proposal, counts, ways_out
from mintseed.core.recipes.model import WAYS_IN, Recipe
from mintseed.core.site.model import WifiNetwork
from mintseed.core.visible import one_line

if TYPE_CHECKING:
    from mintseed.core.image.report import XRay


def add(commands: Commands) -> None:
    parser = commands.add_parser("fit", help="do appliance, board, parts, supply and card go together")
    parser.add_argument("--recipe", required=True, help="a shipped recipe's id, or a file")
    parser.add_argument("--board", required=True, help="a board's printed mark or id, or a file")
    parser.add_argument(
        "--part", action="append", default=[], help="a part's id, or a file; as often as there are parts"
    )
    parser.add_argument("--supply", help=SUPPLY_WORDS)
    parser.add_argument("--battery", type=float, metavar="MAH", help="capacity of the cells behind the supply")
    parser.add_argument("--cable", help=CABLE_WORDS)
    parser.add_argument("--card", help=CARD_WORDS)
    parser.add_argument("--way", choices=get_args(Way), help="default: the recipe's first that the board has")
    parser.add_argument("--way-in", choices=tuple(WAYS_IN), help="how the settings get in; default: as the recipe says")
    parser.add_argument(
        "--band", type=float, default=2.4, metavar="GHZ", help="band of the Wi-Fi network (default 2.4)"
    )
    parser.add_argument("--wpa3-only", action="store_true", help="the Wi-Fi network refuses WPA2")
    parser.add_argument("--release", default="")
    parser.add_argument("--image", metavar="FILE", help="the image itself, read to the end of its boot volume")
    parser.add_argument(
        "--load", type=float, default=HALF, metavar="SHARE", help="share of the time at load, 0 to 1 (default 0.5)"
    )
    parser.add_argument("--shelf", metavar="FILE", help="what you own, as the table that the Shelf writes")
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=run)


def _refuse_what_cannot_be(arguments: argparse.Namespace, releases: Sequence[str]) -> None:
    """Raise InputError for a number nothing has, and for a release the recipe does not know."""
    if not 0.1 <= arguments.band <= 100:  # not a number is not in between either
        raise InputError(f"{arguments.band:g} GHz is no Wi-Fi band", expected="2.4, 5 or 6", where="--band")
    if not 0 <= arguments.load <= 1:
        raise InputError(f"{arguments.load:g} is no share of the time", expected="0 to 1", where="--load")
    if arguments.battery is not None and not arguments.supply:
        raise InputError("cells without the supply they are behind", expected="--supply beside it", where="--battery")
    if arguments.release and arguments.release not in releases:
        raise InputError(
            f"the recipe knows no release {one_line(arguments.release)}", expected=", ".join(releases) or "none: it names no releases",
            where="--release",
        )  # fmt: skip


def run(arguments: argparse.Namespace) -> int:
    recipe, board = recipe_named(arguments.recipe), board_named(arguments.board)
    _refuse_what_cannot_be(arguments, [r.version for r in recipe.releases])
    parts = tuple(PlannedPart(part, part.name) for part in map(part_named, arguments.part))
    plan = Plan(
        recipe, board, parts=parts, release=arguments.release, load_share=arguments.load, way_in=arguments.way_in
    )
    way = arguments.way or next(
        (w for w in recipe.ways if (plan.radio_ghz if w == "wifi" else plan.ethernet)), recipe.ways[0]
    )
    network = WifiNetwork(ssid="your network", band_ghz=arguments.band, wpa3_only=arguments.wpa3_only)
    plan = replace(
        plan, way=way, network=network if way == "wifi" else None,
        supply=supply_from(arguments.supply, arguments.battery) if arguments.supply else None,
        cable=cable_from(arguments.cable) if arguments.cable else None,
        card=card_from(arguments.card) if arguments.card else None,
        image=_image(arguments.image, recipe) if arguments.image else None,
    )  # fmt: skip
    found = check_plan(plan)
    if not arguments.json and not arguments.shelf and counts(found) == (0, 0):
        # It fits as it is: what else could be bought need not be read.
        return tell(found, {"way out": []}, as_json=False)
    shops = _shops(arguments.shelf, {**shipped.part_files().good, **{p.id: p for p in recipe.add_ons}})
    proposals = ways_out(plan, shops)
    if arguments.json:
        return tell(found, _facts(plan, shops, proposals), as_json=True)
    return tell(found, {"way out": [_line(p) for p in proposals]}, as_json=False)


def _shops(shelf: str | None, parts: Mapping[str, Part]) -> Shelf:
    """Return everything described as what may be bought, with what the table `shelf` says one owns."""
    owned = shelf_from(text_of(shelf), shelf, shipped.boards(), parts) if shelf else Shelf()
    return replace(owned, catalogue=parts, shop_boards=shipped.boards(), generic=True)


def _image(path: str, recipe: Recipe) -> XRay:
    # Only here: reading images loads much that judging a plan does not need.
    from mintseed.services import inspect_image
    from mintseed.wiring import bench

    library, name = library_of(path)
    return inspect_image.execute(name, library=library, tools=bench().tools, recipes=[recipe], depth="boot")


def _line(proposal: Proposal) -> dict[str, Any]:
    return {
        "cures": proposal.cures,
        "by": proposal.title,
        "effort": proposal.effort_text,
        "about": proposal.price_text,
    }


def _facts(plan: Plan, shops: Shelf, proposals: tuple[Proposal, ...]) -> dict[str, Any]:
    # Only here, as in _image: the sentences need no times.
    from mintseed.core.plan.job_time import job_time

    time = job_time(plan)
    return {
        "recipe": plan.recipe.id,
        "board": plan.board.id if plan.board else "",
        "way": plan.way,
        "power": rounded(asdict(power_sum(plan))),
        "supply_wanted": _supply_wanted(plan),
        "parts": asdict_plain(parts_list(plan, shops)),
        "time": rounded({"from_s": time.from_s, "to_s": time.to_s, "spans": [asdict(s) for s in time.spans]}) if time else None,
        "proposals": [
            {"cures": p.cures, "title": p.title, "changes": [{"field": field, "value": value} for field, value in p.steps], "cost": p.price.model_dump() if p.price else None,
             "cost_text": p.price_text, "effort": p.effort_text, "verdict": p.verdict, "findings": findings_as_json(p.findings)}
            for p in proposals
        ],
    }  # fmt: skip


DIGITS = {"a": 2, "v": 2, "w": 2, "h": 1, "s": 0}
"""Digits behind the point that a number with this unit means: what is printed, measured and assumed here is no better known."""


def rounded(value: Any, unit: str = "") -> Any:
    """Return `value` with every number in it rounded to what its unit means."""
    if isinstance(value, dict):
        return {k: rounded(v, str(k).rpartition("_")[2]) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [rounded(v, unit) for v in value]
    return round(value, DIGITS[unit]) if isinstance(value, float) and unit in DIGITS else value


def _supply_wanted(plan: Plan) -> dict[str, Any] | None:
    """Return the supply to look for, as numbers; None where the board's own add-on feeds it, or nobody said what the board wants."""
    need = plan.board.supply if plan.board else None
    if need is None or plan.feeder is not None:
        return None
    return {"voltage_v": need.voltage_v, "current_a": wanted_a(power_sum(plan)), "connector": need.connector}


def asdict_plain(list_of: Any) -> dict[str, Any]:
    """Return a parts list with its prices as plain numbers and currencies."""
    plain = asdict(list_of)
    for name in ("to_buy", "with_optional"):
        plain[name] = [p.model_dump() for p in plain[name]]
    for item in plain["items"]:
        item["price"] = item["price"].model_dump() if item["price"] else None
    return plain
