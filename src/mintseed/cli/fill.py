"""mintseed fill IMAGE --recipe R --site SITE.yaml -o OUT: the image with its settings files filled."""

from __future__ import annotations

import argparse
from collections.abc import Collection
from dataclasses import replace
from pathlib import Path

import yaml

from mintseed.adapters.filled_folder import FilledFolder
from mintseed.cli.files import Commands, library_of, pairs, recipe_named, text_of
from mintseed.cli.output import tell
from mintseed.core.described import read_described
from mintseed.core.errors import InputError, RefusedError
from mintseed.core.findings import Finding, Severity, verdict
from mintseed.core.recipes.model import Recipe
from mintseed.core.settings.answers import answers_in_force, check_answers
from mintseed.core.settings.fill import address_findings, fill_files
from mintseed.core.settings.values import KnownNetwork, SettingValues, check_values
from mintseed.core.site.addresses import check_address
from mintseed.core.site.model import Site
from mintseed.core.visible import one_line
from mintseed.services import fill_image, inspect_image, save_filled
from mintseed.wiring import bench

KEYS = ("host_name", "way", "ssid", "also", "address", "country", "time_zone", "keyboard", "locale")


def add(commands: Commands) -> None:
    parser = commands.add_parser("fill", help="write an image with its settings files filled")
    parser.add_argument("image")
    parser.add_argument("--recipe", required=True, help="a shipped recipe's id, or a file")
    add_values(parser)
    parser.add_argument("-o", "--out", required=True)
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=run)


def add_values(parser: argparse.ArgumentParser) -> None:
    """Add what says which values go into the files of a recipe."""
    parser.add_argument("--site", required=True, help="a site as YAML; `mintseed schema site` tells its fields")
    parser.add_argument(
        "--set",
        dest="sets",
        action="append",
        default=[],
        metavar="KEY=VALUE",
        help=f"{', '.join(KEYS)}, or what the recipe asks",
    )
    parser.add_argument(
        "--answers", metavar="FILE", help="answers to what the recipe asks, as YAML; secrets belong here"
    )


def values_from(arguments: argparse.Namespace, recipe: Recipe) -> tuple[SettingValues, list[Finding]]:
    """Return the values that were asked for, and what there is to say of them. Raises InputError for what cannot be set so."""
    site = read_described(Site, text_of(arguments.site), where=arguments.site)
    sets = pairs(arguments.sets)
    asked = {a.id: a for a in recipe.asks}
    if unknown := set(sets) - set(KEYS) - set(asked):
        raise InputError(f"{', '.join(sorted(unknown))} cannot be set", expected=", ".join((*KEYS, *asked)))
    if secret := next((name for name in sets if name in asked and asked[name].secret), None):
        raise InputError(f"{secret} is a secret, and a command stands in the process list", where="--set",
                         next_step=f"Put it into a file of yours as {secret}: value, and name that file with --answers.")  # fmt: skip
    given = {
        **(answers_from(arguments.answers, asked) if arguments.answers else {}),
        **{k: v for k, v in sets.items() if k in asked},
    }
    answers = answers_in_force(recipe.asks, given)
    values = replace(values_for(site, sets, recipe.host_name, recipe.ways[0]), answers=answers)
    return values, [
        *check_values(
            values, default_host_name=recipe.host_name, names_taken=frozenset(), own_account=recipe.own_account
        ),
        *check_answers(recipe.asks, answers),
        *check_address(sets.get("address", ""), site.address_plan, taken={}, seen={}),
    ]


def run(arguments: argparse.Namespace) -> int:
    recipe = recipe_named(arguments.recipe)
    values, told = values_from(arguments, recipe)
    library, name = library_of(arguments.image)
    xray = inspect_image.execute(name, library=library, tools=bench().tools, recipes=[recipe])
    found = [*xray.findings, *told, *address_findings(recipe, values, xray.release)]
    if verdict(found) is Severity.STOP:
        return tell(found, {"written": ""}, as_json=arguments.json)
    filled = fill_files(recipe, values, xray)
    found += fill_image.check(filled)
    if verdict(found) is Severity.STOP:
        return tell(found, {"written": ""}, as_json=arguments.json)
    target = Path(arguments.out)
    saved = save_filled.execute(
        xray, filled, target.name, library=library, tools=bench().tools, copies=FilledFolder(target.absolute().parent)
    )
    facts = {
        "written": arguments.out,
        "bytes": saved.size_bytes,
        "sha256": saved.sha256,
        "changes": {"blocks": saved.changes.ranges, "bytes": saved.changes.size_bytes},
        "files": [{"path": f.path, "changed_lines": f.changed_lines} for f in filled],
    }
    return tell(found, facts, as_json=arguments.json)


def answers_from(path: str, asked: Collection[str]) -> dict[str, str]:
    """Return the answers in a file of one `id: value` a line, as YAML. Raises InputError for one that nobody asked."""
    try:
        said = yaml.load(text_of(path), Loader=yaml.BaseLoader)  # texts as they stand: no `no` that becomes false
    except yaml.YAMLError as error:
        raise InputError(
            "it cannot be read as YAML", expected="one line an answer, such as call_sign: XX0XX", where=path
        ) from error
    if not isinstance(said, dict) or not all(isinstance(v, str) for v in said.values()):
        raise InputError("these are no answers", expected="one line an answer, such as call_sign: XX0XX", where=path)
    if unknown := sorted(set(said) - set(asked)):
        raise InputError(
            f"nobody asks for {one_line(str(unknown[0]))}",
            expected=", ".join(asked) or "nothing: this recipe asks nothing",
            where=path,
        )
    return {str(k): v for k, v in said.items()}


def values_for(site: Site, sets: dict[str, str], host_name: str, way: str) -> SettingValues:
    """Return the values for one card: the site's, then what was set by hand. The passphrase comes from the site alone,
    so that it never stands in a process list."""
    ssid = sets.get("ssid", site.wifi[0].ssid if site.wifi else "")
    network = next((n for n in site.wifi if n.ssid == ssid), None)
    wanted = sets.get("way", way)
    if wanted == "wifi" and network is None:
        raise RefusedError(
            f"the site has no network {ssid}", expected=", ".join(n.ssid for n in site.wifi) or "a network"
        )
    also = [name.strip() for name in sets.get("also", "").split(",") if name.strip()]
    if strange := [name for name in also if name not in {n.ssid for n in site.wifi}]:
        raise RefusedError(f"the site has no network {strange[0]}", expected=", ".join(n.ssid for n in site.wifi))
    others = tuple(
        KnownNetwork(n.ssid, n.passphrase, n.hidden, n.wpa3_only, n.open)
        for name in also
        for n in site.wifi
        if n.ssid == name
    )
    return SettingValues(
        host_name=sets.get("host_name", host_name),
        country=sets.get("country", site.country),
        time_zone=sets.get("time_zone", site.time_zone),
        keyboard=sets.get("keyboard", site.keyboard),
        locale=sets.get("locale", site.locale),
        way=wanted,
        ssid=ssid,
        passphrase=network.passphrase if network else "",
        hidden=bool(network and network.hidden),
        wpa3_only=bool(network and network.wpa3_only),
        band_ghz=network.band_ghz if network else 0,
        channel=network.channel if network else None,
        open_network=bool(network and network.open),
        others=others if wanted == "wifi" else (),
        address=site.address_plan.fixed(sets.get("address", "")),
        ssh_keys=site.ssh_keys,
    )
