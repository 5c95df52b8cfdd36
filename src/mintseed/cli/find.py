"""mintseed find --recipe R: which address is it?"""

from __future__ import annotations

import argparse
from dataclasses import asdict

from mintseed.adapters.pasted_view import PastedView
from mintseed.cli.files import Commands, recipe_named, text_of
from mintseed.cli.output import tell
from mintseed.core.find.candidates import Wanted
from mintseed.core.find.sightings import inside, parse_dnsmasq_leases, parse_ip_neigh
from mintseed.core.site.ranges import OWN, SHARED, check_range
from mintseed.services import find_device
from mintseed.wiring import announcements, bench, config, names


def add(commands: Commands) -> None:
    parser = commands.add_parser("find", help="find the device on the network")
    parser.add_argument("--recipe", required=True)
    parser.add_argument("--name", default="", help="the host name it was given; the recipe's by default")
    parser.add_argument("--leases", help="a lease list as dnsmasq writes it")
    parser.add_argument("--neighbours", help="what `ip neigh` printed")
    parser.add_argument("--before", help="what `ip neigh` printed before power-on")
    parser.add_argument(
        "--network", action="append", default=[], metavar="CIDR", help="where to look; private ranges by default"
    )
    parser.add_argument(
        "--scan", action="append", default=[], metavar="CIDR", help="ask every address of this private range"
    )
    parser.add_argument("--shared", action="store_true", help="addresses of 100.64.0.0/10 are my own network's")
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=run)


def run(arguments: argparse.Namespace) -> int:
    recipe = recipe_named(arguments.recipe)
    before = parse_ip_neigh(text_of(arguments.before)) if arguments.before else ()
    pasted = [
        *(parse_dnsmasq_leases(text_of(arguments.leases)) if arguments.leases else ()),
        *(parse_ip_neigh(text_of(arguments.neighbours)) if arguments.neighbours else ()),
    ]
    given = bool(arguments.leases or arguments.neighbours)
    standin = config().own_lan
    asked = [check_range(n, shared=arguments.shared, standin=standin) for n in (*arguments.network, *arguments.scan)]
    scanned = asked[len(arguments.network) :]
    networks = tuple(asked) or (*OWN, *([SHARED] if arguments.shared else []), *([standin] if standin else []))
    view = PastedView(tuple(pasted)) if given else bench().view
    seen = find_device.sightings_now(view, PastedView(()) if given else announcements(networks), networks)
    if arguments.scan:
        seen += find_device.scan(bench().scanner, view, scanned, [recipe.page.port], lambda: False)
    host_name = arguments.name or recipe.host_name
    asking = names(networks)
    answers = None
    if not given and asking.asks_anybody:
        answers = frozenset(a for a in asking.addresses_of(host_name) if inside(a, networks))
    known = frozenset(key for s in before for key in (*s.keys, s.trace) if key) if arguments.before else None
    wanted = Wanted(host_name, recipe.host_name, recipe.page, known, name_answers=answers)
    look = find_device.execute(find_device.Swept(seen, bench().clock.now()), wanted, probe=bench().probe)
    return tell(look.findings, {"candidates": [asdict(c) for c in look.candidates]}, as_json=arguments.json)
