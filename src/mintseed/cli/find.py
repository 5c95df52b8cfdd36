"""mintseed find --recipe R: which address is it?"""

from __future__ import annotations

import argparse
import ipaddress
from dataclasses import asdict

from mintseed.adapters.pasted_view import PastedView
from mintseed.cli.files import Commands, recipe_named, text_of
from mintseed.cli.output import tell
from mintseed.core.errors import InputError
from mintseed.core.find.sightings import parse_dnsmasq_leases, parse_ip_neigh
from mintseed.services import find_device
from mintseed.wiring import announcements, bench, config


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
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=run)


PRIVATE = ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16")
"""RFC 1918 §3."""


def check_ranges(ranges: list[str]) -> None:
    """Raise InputError for a range that is none, or that is not one's own."""
    for text in ranges:
        try:
            private = ipaddress.ip_network(text).is_private
        except ValueError as error:
            raise InputError(f"{text} is not a range of addresses", expected="such as 192.168.1.0/24") from error
        if not private:
            raise InputError(f"{text} is not private", expected="a range of RFC 1918")


def run(arguments: argparse.Namespace) -> int:
    recipe = recipe_named(arguments.recipe)
    before = parse_ip_neigh(text_of(arguments.before)) if arguments.before else ()
    pasted = [
        *(parse_dnsmasq_leases(text_of(arguments.leases)) if arguments.leases else ()),
        *(parse_ip_neigh(text_of(arguments.neighbours)) if arguments.neighbours else ()),
    ]
    given = bool(arguments.leases or arguments.neighbours)
    networks = tuple(arguments.network) or (*PRIVATE, *((config().standin_lan,) if config().is_standin else ()))
    view = PastedView(tuple(pasted)) if given else bench().view
    seen = find_device.sightings_now(view, PastedView(()) if given else announcements(), networks)
    if arguments.scan:
        check_ranges(arguments.scan)
        seen += find_device.scan(bench().scanner, view, arguments.scan, [recipe.page.port], lambda: False)
    look = find_device.execute(
        find_device.Swept(seen, bench().clock.now()),
        probe=bench().probe,
        known_before=find_device.known_keys(before) if arguments.before else None,
        host_name=arguments.name or recipe.host_name,
        default_host_name=recipe.host_name,
        page=recipe.page,
    )
    return tell(look.findings, {"candidates": [asdict(c) for c in look.candidates]}, as_json=arguments.json)
