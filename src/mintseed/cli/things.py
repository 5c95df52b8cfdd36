"""Supplies, cables, cards and a whole shelf, as they are said on the command line."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, TypeVar

from pydantic import BaseModel, ValidationError

from mintseed.core.boards.model import PLUGS, SOCKETS, Battery, Board, Cable, Supply
from mintseed.core.errors import InputError
from mintseed.core.parts.model import Part
from mintseed.core.plan.cards import CLASSES
from mintseed.core.plan.plan import Card
from mintseed.core.plan.shelf import Owned, Shelf

if TYPE_CHECKING:
    from mintseed.core.plan.shelf_csv import ShelfRow

SUPPLY = re.compile(
    r"(?P<v>[0-9.]+)V,(?P<a>[0-9.]+)A,(?P<plug>[^,]+)(?:,(?P<m>[0-9.]+)m)?(?:,AWG(?P<awg>[0-9]+))?", re.IGNORECASE
)
SUPPLY_WORDS = "VOLTS,AMPERES,PLUG[,METRES,AWG], such as 5.1V,2.5A,micro-USB,1.2m,AWG22"
CABLE = re.compile(r"(?P<m>[0-9.]+)m,(?P<one>[^,]+),(?P<two>[^,]+?)(?:,AWG(?P<awg>[0-9]+))?", re.IGNORECASE)
CABLE_WORDS = "METRES,PLUG,PLUG[,AWG], such as 0.5m,USB-A,micro-USB,AWG24"
CARD_WORDS = "GB[,MARK...][,endurance|ordinary], such as 32 or 64,U3,A2,endurance"
MOST_CARD_GB = 4096

M = TypeVar("M", bound=BaseModel)


def supply_from(said: str, battery_mah: float | None = None) -> Supply:
    """Return the supply `said` describes, with cells of `battery_mah` behind it where that is given. Raises InputError."""
    found = SUPPLY.fullmatch(said.replace(" ", ""))
    known = {p.lower().replace(" ", ""): p for p in (*PLUGS, *SOCKETS)}
    plug = known.get(found["plug"].lower()) if found else None
    if found is None or plug is None:
        raise InputError(
            f"{said} is no supply",
            expected=f"{SUPPLY_WORDS}; plugs are {', '.join((*PLUGS, *SOCKETS))}",
            where="--supply",
        )
    battery = None
    if battery_mah is not None:
        battery = _made(
            Battery, {"capacity_mah": battery_mah}, f"{battery_mah:g} mAh", "--battery", "mAh as printed on it"
        )
    values = {"name": "the supply", "voltage_v": found["v"], "current_a": found["a"], "connector": plug,
              "length_m": found["m"], "awg": found["awg"], "battery": battery}  # fmt: skip
    return _made(Supply, values, said, "--supply", SUPPLY_WORDS)


def cable_from(said: str) -> Cable:
    """Return the cable `said` describes. Raises InputError."""
    found = CABLE.fullmatch(said.replace(" ", ""))
    ends = {p.lower().replace(" ", ""): p for p in (*PLUGS, "USB-A")}
    one, two = (ends.get(found["one"].lower()), ends.get(found["two"].lower())) if found else (None, None)
    if found is None or one is None or two is None:
        raise InputError(
            f"{said} is no cable", expected=f"{CABLE_WORDS}; plugs are USB-A, {', '.join(PLUGS)}", where="--cable"
        )
    if not one.startswith("USB"):
        raise InputError(
            f"{said} is no cable: the first plug goes into the supply, and no supply has a socket for {one}",
            expected=CABLE_WORDS, where="--cable",
        )  # fmt: skip
    values = {
        "name": "the cable",
        "plug_to_supply": one,
        "plug_to_board": two,
        "length_m": found["m"],
        "awg": found["awg"],
    }
    return _made(Cable, values, said, "--cable", CABLE_WORDS)


def card_from(said: str) -> Card:
    """Return the card `said` describes. Raises InputError."""
    size, *marks = [one.strip() for one in said.split(",")]
    number = size.upper().removesuffix("GB").strip()
    if not re.fullmatch(r"-?[0-9]+", number):
        raise InputError(f"{said} is no card", expected=CARD_WORDS, where="--card")
    if not 1 <= int(number) <= MOST_CARD_GB:
        raise InputError(
            f"{int(number)} GB is no card's size", expected=f"1 to {MOST_CARD_GB}, as printed on it", where="--card"
        )
    endurance = {"endurance": True, "ordinary": False}
    classes = [m.upper() for m in marks if m.lower() not in endurance]
    if strange := [c for c in classes if c not in CLASSES]:
        raise InputError(f"{strange[0]} is no mark of a card", expected=", ".join(CLASSES), where="--card")
    kind = next((endurance[m.lower()] for m in marks if m.lower() in endurance), None)
    return Card(int(number), tuple(classes), kind)


def _made(model: type[M], values: Mapping[str, Any], said: str, where: str, words: str) -> M:
    """Return `values` as one of `model`. Raises InputError in our words."""
    try:
        numbers = {
            k: float(v) if isinstance(v, str) and k in NUMBERS else v for k, v in values.items() if v is not None
        }
        if "awg" in numbers:
            numbers["awg"] = int(numbers["awg"])
        return model.model_validate(numbers)
    except ValidationError as error:
        raise InputError(
            f"{said} is no {model.__name__.lower()}: {_first(error)}", expected=words, where=where
        ) from error
    except ValueError as error:
        raise InputError(
            f"{said} is no {model.__name__.lower()}: a number in it is none", expected=words, where=where
        ) from error


NUMBERS = {
    "voltage_v": "its volts", "current_a": "its amperes", "length_m": "the length of its cable", "awg": "the gauge of its cable",
    "capacity_mah": "its capacity",
}  # fmt: skip


def _first(error: ValidationError) -> str:
    """Return in our words what a thing is refused for first."""
    first = error.errors(include_url=False)[0]
    name = str(first["loc"][0]) if first["loc"] else ""
    if name not in NUMBERS:
        return str(first["msg"]).removeprefix("Value error, ")
    bounds = first.get("ctx", {})
    limit = next((f"at most {bounds[k]:g}" for k in ("le", "lt") if k in bounds), "") or next(
        (f"more than {bounds[k]:g}" for k in ("gt", "ge") if k in bounds), ""
    )
    return f"{NUMBERS[name]} cannot be {first['input']}" + (f", {limit} can" if limit else "")


def shelf_from(text: str, where: str, boards: Mapping[str, Board], parts: Mapping[str, Part]) -> Shelf:
    """Return the shelf a table describes, as the application writes and reads it. Raises InputError for a line that cannot be read."""
    from mintseed.core.plan.shelf_csv import read_shelf  # only for who has one: each start is asked to be quick

    rows, problems = read_shelf(text, boards, parts)
    if problems:
        raise InputError(
            f"line {problems[0].line}: {problems[0].message}", where=where, expected="a table as the Shelf writes it",
            next_step="Mend that line; nothing of the table was used.",
        )  # fmt: skip
    listed = list(enumerate(rows, 1))
    return Shelf(
        boards=tuple(Owned(n, r.name, boards[r.values["board"]]) for n, r in listed if r.what == "board"),
        cards=tuple(
            Owned(n, r.name, Card(r.values["size_gb"], tuple(r.values["classes"]), r.values["endurance"], r.name))
            for n, r in listed
            if r.what == "card"
        ),
        supplies=tuple(Owned(n, r.name, _owned_supply(r)) for n, r in listed if r.what == "supply"),
        cables=tuple(
            Owned(n, r.name, Cable.model_validate({"name": r.name, **_but(r, "note")}))
            for n, r in listed
            if r.what == "cable"
        ),
        parts=tuple(Owned(n, r.name, parts[r.values["kind"]]) for n, r in listed if r.what == "part"),
    )


def _but(row: ShelfRow, *names: str) -> dict[str, Any]:
    return {k: v for k, v in row.values.items() if k not in names}


def _owned_supply(row: ShelfRow) -> Supply:
    mah = row.values["battery_mah"]
    cells = {k: row.values[k] for k in ("cell_v", "efficiency") if k in row.values}
    battery = Battery(capacity_mah=mah, **cells) if mah else None
    return Supply.model_validate({"name": row.name, **_but(row, "note", "battery_mah", *cells), "battery": battery})
