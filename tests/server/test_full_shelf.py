"""A plan on a shelf that is as full as one is looked at: every thing's users are asked for in one statement."""

from __future__ import annotations

from mintseed.server.kept.models import Cable, Deployment, OwnedCard, Part, Site, Supply
from mintseed.server.owned.shelf import MOST_THINGS, shelf_at
from tests.server.conftest import Api, started


def test_a_shelf_full_of_everything_names_who_plans_with_what(api: Api) -> None:
    device = Deployment.objects.get(pk=started(api))
    site = Site.objects.get()
    supply, cable = Supply.objects.filter(site=site)[0], Cable.objects.filter(site=site)[0]
    card, part = OwnedCard.objects.filter(site=site)[0], Part.objects.filter(site=site)[0]
    for one in (supply, cable, card, part):
        model = type(one)
        values = {f.attname: getattr(one, f.attname) for f in model._meta.concrete_fields if not f.primary_key}
        model._default_manager.bulk_create(model(**values) for _ in range(MOST_THINGS))
    last = list(Supply.objects.filter(site=site).order_by("pk")[:MOST_THINGS])[-1]
    Deployment.objects.filter(pk=device.pk).update(supply=last)
    shelf = shelf_at(site)
    assert {len(of) for of in (shelf.supplies, shelf.cables, shelf.cards)} == {MOST_THINGS}
    assert [s.used_by for s in shelf.supplies if s.key == last.pk] == [(device.name,)]
    assert api.get(f"/deployments/{device.pk}/plan")["supply_id"] == last.pk
