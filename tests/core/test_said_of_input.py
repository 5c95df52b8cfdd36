"""What is said of what somebody types or brings, word for word: tests/data/input.txt (builders/told.py). Whether it is right is asked in the
tests of each."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import asdict
from datetime import date
from functools import partial

from mintseed import wiring
from mintseed.core.boards.model import Board
from mintseed.core.contained import unreadable_deployment
from mintseed.core.described import Around, Described, read_or_tell
from mintseed.core.errors import ChangedError, InputError, MintSeedError, MissingError
from mintseed.core.image.naming import new_name
from mintseed.core.parts.model import Part
from mintseed.core.patterns import check_pattern
from mintseed.core.plan.shelf_csv import read_shelf
from mintseed.core.recipes.model import Recipe
from mintseed.core.site.addresses import AddressPlan, check_address, check_plan, proposed
from mintseed.core.site.channels import check_channel
from mintseed.core.site.join_code import read_join_code
from mintseed.core.site.names import called_by_scheme, check_scheme, name_by_scheme, scheme_finding, stem_of
from mintseed.core.site.ranges import check_range
from tests.builders import told
from tests.core.plan.things import BOARDS, PARTS
from tests.core.site.test_addresses import PLAN


def read(how: Callable[[str], object], text: str) -> Iterator[str]:
    """Yield what a text is taken for, or why it is not taken."""
    try:
        yield f"taken: {how(text)!r}"
    except MintSeedError as error:
        yield f"refused: {error.found} | {error.expected} | {error.where} | {error.next_step}"
    except ValueError as error:
        yield f"refused: {error}"


def joins(text: str) -> dict[str, object]:
    return asdict(read_join_code(text))


def shelf(rows: str) -> Iterator[str]:
    found, problems = read_shelf(rows, BOARDS, PARTS)
    yield from (f"{one.what} {one.name}: {dict(one.values)}" for one in found)
    yield from (f"line {one.line}: {one.message}" for one in problems)


def address(text: str, plan: AddressPlan, **others: dict[str, str] | None) -> Iterator[str]:
    yield from map(
        told.finding, check_address(text, plan, taken=others.get("taken") or {}, seen=others.get("seen", {}))
    )


def channel(number: int, band_ghz: float, country: str) -> Iterator[str]:
    yield from map(told.finding, check_channel(number, band_ghz, country))


def plan(**changes: object) -> Iterator[str]:
    made = AddressPlan.model_validate({**PLAN.model_dump(), **changes})
    yield from map(told.finding, check_plan(made))
    yield f"proposed: {proposed(made, ('192.168.7.201',), 3)} | {made.fixed('192.168.7.40')}"


def scheme(text: str) -> Iterator[str]:
    yield from read(check_scheme, text)
    yield from map(told.finding, scheme_finding(text))
    words = {"place": "Harbour", "appliance": "platen", "name": "Küste 2", "board": "sprig"}
    made = [
        name_by_scheme(text, taken=taken, **words)
        for taken in (frozenset[str](), frozenset({"harbour-kuste-2-1", "press01"}))
    ]
    yield f"makes: {made} | {stem_of(text, **words)}"
    yield f"made so: {[called_by_scheme(text, name, **words) for name in ('harbour-kuste-2-17', 'PRESS07', 'press', 'harbour-kuste-2-x')]}"


AROUND = Around(boards=BOARDS, parts=PARTS, today=date(2026, 11, 28))


def described(model: type[Described], text: str) -> Iterator[str]:
    _, mistakes = read_or_tell(model, text, AROUND)
    yield from (f"line {one.line} {one.path} {'bars' if one.bars else 'odd'}: {one.message}" for one in mistakes)


def text_of(kind: str, name: str) -> str:
    return (wiring.PROJECT / kind / f"{name}.yaml").read_text()


def errors(*those: Exception) -> Iterator[str]:
    for one in those:
        yield told.finding(unreadable_deployment(one))
    for theirs in ({"host_name": "press"}, {"name": ""}, {"note": "x" * 90}):
        made = ChangedError.of(theirs)
        yield f"{made.code}: {made.sentence()} | {made.where} | {made.next_step} | {dict(made.theirs)}"


CODES = (
    "WIFI:S:Quay House;T:WPA;P:spring tide;;", "wifi:T:WPA;S:a\\;b;P:c\\:d\\\\;H:true;;", "WIFI:S:a;;", "WIFI:S:a;T:nopass;;", "WIFI:S:a;T:SAE;P:x;;", "WIFI:S:a;T:WPA;R:1;P:x;;", "WIFI:S:a;T:WEP;P:x;;", "WIFI:S:a;T:WPA2-EAP;P:x;;",
    "WIFI:S:a;E:PEAP;P:x;;", "WIFI:T:WPA;P:x;;", 'WIFI:S:"a";P:"b";;', "WIFI:S:6162;P:x;;", "http://192.0.2.1", "", " WIFI:S:a;S:b;P:x;; ",
)  # fmt: skip
ROWS = (
    "", "what\n", "what,name,name\nboard,a,b\n", "name\nx\n", "what,name\n,x\n", "what,name,macs\nboard,x,zz\n", "What;Name;Kind\nboard;x;LARKSPUR R\nboard;;larkspur-r\nboard;y;Larkspur C\nboard;z;\n",
    "what,name,kind\npart,x,skimmer\npart,y,\npart,z,nothing of it\npart,,Skimmer receiver stick\n", "what,name,size_gb,classes,endurance,note\ncard,,32,C10,yes,n\ncard,,32,X9,,\ncard,,33,,,\ncard,,32,,maybe,\ncard,,,,,\ncard,,64,u3;a2,no,\n",
    "what,name,voltage_v,current_a,connector,battery_mah,cell_v,efficiency\nsupply,a,5.1,2.5,micro-USB,,,\nsupply,b,\"5,1\",2.5,micro-USB,,,\nsupply,c,5.1,,micro-USB,,,\nsupply,d,5.1,2.5,plug,,,\nsupply,e,5.1,2.5,USB-C,10000,3.6,0.8\nsupply,f,500,2,USB-C,,,\nsupply,,5.1,2,USB-C,,,\n",
    "what,name,plug_to_supply,plug_to_board,length_m,awg\ncable,a,USB-A,micro-USB,1,24\ncable,b,USB-A,micro-USB,1,23\ncable,c,USB-A,x,1,\ncable,d,USB-A,micro-USB,100,\ncable,,USB-C,USB-C,0.5,\n", f"what,name\ncard,{'n' * 300}\n", "what,name\ncard,x,beyond\n",
    "what,name,current_a\nsupply,a,\"1,000\"\n", "'=what,name\ncard,x\n",
)  # fmt: skip
RANGES = (
    "192.168.7.0/24",
    "192.168.7.5/24",
    "10.0.0.0/8",
    "8.8.8.0/24",
    "100.64.0.0/10",
    "fd00::/8",
    "x",
    "192.168.7.0",
    "127.0.0.0/8",
    "0.0.0.0/0",
    "169.254.0.0/16",
    "192.168.7.0/255.255.255.0",
    "10.0.0.0/2",
)
SCHEMES = (
    "",
    "{place}-{name}-{n}",
    "press{nn}",
    "{place}",
    "{colour}-{n}",
    "a_b{n}",
    "x" * 70,
    "{board}.{appliance}",
    "-{n}-",
    "{NAME}",
)
NAMES = (
    "a.img",
    " b.img.xz ",
    "",
    ".hidden.img",
    "a/b.img",
    "a\\b.img",
    "a\u200bb.img",
    "x" * 300 + ".img",
    "a.txt",
    "Küste.img.zst",
    "A.ZIP",
)
PATTERNS = ("[a-z]+", "(", "a\\1", "x" * 2000, "")
RECIPE, BOARD, PART = text_of("recipes", "platen"), text_of("boards", "sprig"), text_of("parts", "otg-tail")
TEXTS: dict[str, tuple[type[Described], str]] = {
    "nothing": (Recipe, ""), "a list": (Recipe, "- a\n"), "no YAML": (Recipe, "a: [\n"), "a tab": (Recipe, "a:\n\tb: 1\n"), "a date that is none": (Recipe, "recipe: 2026-02-31\n"), "an alias": (Recipe, "a: &x 1\nb: *x\n"),
    "a key twice": (Recipe, RECIPE + "name: Other\n"), "too deep": (Recipe, "a: " + "[" * 200 + "]" * 200 + "\n"), "a field alone": (Recipe, "recipe: 1\n"), "an unknown field": (Recipe, RECIPE + "colour: red\n"), "two documents": (Recipe, RECIPE + "---\na: 1\n"),
    "another number": (Recipe, RECIPE.replace("recipe: 1", "recipe: 2", 1)), "an id that is none": (Recipe, RECIPE.replace("id: platen", "id: Platen!", 1)), "a host name that is none": (Recipe, RECIPE.replace("host_name: ", "host_name: -", 1)),
    "a way nobody knows": (Recipe, RECIPE.replace("ways: [", "ways: [pigeon, ", 1)), "no release": (Recipe, RECIPE.split("releases:")[0]),
    "a board as it is": (Board, BOARD.replace("id: sprig", "id: sprig2").replace("SPRIG 1", "SPRIG 9").replace("fernworks,sprig", "fernworks,sprig9")), "a board again": (Board, BOARD.replace("id: sprig", "id: sprig2")), "a board of the future": (Board, BOARD.replace('since: "2021-03"', 'since: "2999-01"')),
    "a board with wrong numbers": (Board, BOARD.replace("voltage_v: 5.0", "voltage_v: 12").replace("memory_mb: 512", "memory_mb: -1").replace("card_most_gb: 256", "card_most_gb: big")),
    "a board drawn otherwise": (Board, BOARD.replace("id: sprig", "id: s9").replace("SPRIG 1", "S 9").replace("fernworks,sprig", "a,b").replace("camera_contacts: 22\n", "camera_contacts: [22, 22]\n").replace("x_mm: 61, y_mm: 9", "x_mm: 90, y_mm: 9")),
    "a part as it is": (Part, PART.replace("id: otg-tail", "id: otg2")), "a part of nothing": (Part, "part: 1\nid: a\nname: A\nrole: x\n"), "an adapter that adapts nothing": (Part, "part: 1\nid: a\nname: A\nrole: socket-adapter\nseen: grey\n"),
}  # fmt: skip

CASES: told.Cases = {
    **{f"a join code {text!r}": partial(read, joins, text) for text in CODES},
    **{f"a shelf {text!r}"[:160]: partial(shelf, text) for text in ROWS},
    **{f"a range {text}": partial(read, check_range, text) for text in RANGES},
    **{f"a shared range {text}": partial(read, partial(check_range, shared=True, standin="127.0.0.0/8"), text) for text in ("100.64.0.0/10", "127.3.0.0/16", "8.8.8.0/24")},
    **{f"a scheme {text}": partial(scheme, text) for text in SCHEMES},
    **{f"a file's name {text!r}"[:80]: partial(read, new_name, text) for text in NAMES},
    **{f"a pattern {text}"[:80]: partial(read, check_pattern, text) for text in PATTERNS},
    **{f"channel {one} at {band} GHz in {country or 'no country'}": partial(channel, one, band, country) for one, band, country in ((13, 2.4, "GB"), (13, 2.4, "US"), (14, 2.4, "GB"), (15, 2.4, "GB"), (36, 2.4, "GB"), (36, 5, "GB"), (11, 5, "GB"), (165, 5, "GB"), (144, 5, ""), (37, 5, "GB"))},
    **{f"an address {text}": partial(address, text, PLAN) for text in ("", "192.168.7.40", "192.168.7.150", "192.168.7.100", "192.168.7.1", "192.168.7.9", "192.168.7.0", "192.168.7.255", "192.168.8.4", "press")},
    "an address of somebody": partial(address, "192.168.7.40", PLAN, taken={"192.168.7.40": "Hall press"}), "an address that was seen": partial(address, "192.168.7.40", PLAN, seen={"192.168.7.40": "24 November"}), "an address where nobody looked": partial(address, "192.168.7.40", PLAN, seen=None),
    "an address of no plan": partial(address, "192.168.7.40", AddressPlan()), "an address of a bare net": partial(address, "192.168.7.40", AddressPlan(net="192.168.7.0/24")), "an address of nobody": partial(address, "192.168.7.9", PLAN.model_copy(update={"reserved": (PLAN.reserved[0].model_copy(update={"what": ""}),)})),
    "an address handed out where none is left": partial(address, "192.168.7.2", PLAN.model_copy(update={"net": "192.168.7.0/30", "pool_from": "192.168.7.1", "pool_to": "192.168.7.2", "gateway": ""})),
    "an address of a net of two": partial(address, "192.168.7.1", AddressPlan(net="192.168.7.0/31", gateway="192.168.7.0")),
    **{f"a plan of addresses with {changes}": partial(plan, **changes) for changes in ({}, {"net": ""}, {"net": "x"}, {"net": "8.8.8.0/24"}, {"gateway": "x"}, {"gateway": "192.168.8.1"}, {"gateway": "192.168.7.150"}, {"dns": ["x"]}, {"dns": ["192.168.7.2", "192.168.7.3"]}, {"pool_to": ""}, {"pool_from": "192.168.7.220"}, {"pool_from": "192.168.7.2", "pool_to": "192.168.7.198"}, {"reserved": [{"address": "10.0.0.1"}]}, {"reserved": [{"address": "x", "what": "a lamp"}]}, {"net": "192.168.7.0/31", "pool_from": "", "pool_to": "", "gateway": "192.168.7.5", "reserved": []})},
    **{f"a described text: {name}": partial(described, model, text) for name, (model, text) in TEXTS.items()},
    "errors": partial(errors, InputError("this is none", expected="another", where="code", next_step="Try again."), MissingError("it is gone"), KeyError("x")),
}  # fmt: skip
test_it_is_said_so, test_each_is_a_case = told.tests_of("input.txt", CASES)
