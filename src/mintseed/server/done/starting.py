"""A deployment begins: an appliance at a place, with the first network there and a host name nobody has."""

from __future__ import annotations

from mintseed.core.keep.label import next_name
from mintseed.core.recipes.model import Recipe
from mintseed.server.done import planning
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.judged.journal import record
from mintseed.server.judged.load import first_network, host_names
from mintseed.server.judged.networks import scheme_name
from mintseed.server.kept.models import BoardUnit, Deployment, Image, Site
from mintseed.server.kept.transactions import all_or_nothing


def place(site_pk: int | None) -> Site:
    """Return the place of that key, the bench's own where none is said."""
    return Site.there.get(pk=site_pk) if site_pk else own_bench().site


@all_or_nothing
def start(
    recipe: Recipe, site: Site, *, name: str = "", card_gb: int | None = None, image: Image | None = None, unit: int | None = None,
    fill: bool = False, demo: bool = False,
) -> Deployment:  # fmt: skip
    """Return the new deployment. `unit`: the board it is for; `fill`: whether the plan is filled with the best that fits."""
    # Whoever starts one at this moment waits here, so that no two get one host name.
    site = Site.objects.select_for_update().get(pk=site.pk)
    called = " ".join(name.split())[:80] or f"{recipe.name} {recipe.kind}"
    way = recipe.ways[0]
    board = BoardUnit.objects.filter(pk=unit).values_list("board", flat=True).first() if unit else None
    wanted = scheme_name(site, recipe=recipe.id, name=called, board=board or "") or recipe.host_name
    row = Deployment.objects.create(
        name=called, recipe=recipe.id, site=site, host_name=_free_host_name(wanted, site), way=way,
        network=first_network(site) if way == "wifi" else None, card_gb=card_gb, image=image, demo=demo,
    )  # fmt: skip
    if fill or unit is not None:
        planning.fill(row, recipe, unit)
    record(row, "plan", "deployment.started", f"Started: {recipe.name} as {called}")
    return row


def _free_host_name(wanted: str, site: Site) -> str:
    taken = host_names(site, wanted)
    return wanted if wanted.lower() not in taken else next_name(wanted, taken)
