"""Measure a step of setting up at the appliance's own page."""

from __future__ import annotations

from mintseed.core.errors import RefusedError
from mintseed.core.find.candidates import page_url
from mintseed.core.find.sightings import inside
from mintseed.core.findings import Finding
from mintseed.core.recipes.model import Recipe, SetupStep
from mintseed.core.setup.steps import judge_default_login, judge_page
from mintseed.ports.network import Probe


def execute(recipe: Recipe, step: SetupStep, address: str, *, networks: tuple[str, ...], probe: Probe) -> Finding:
    """Return what the page at `address` says to `step`. Raises RefusedError for a step that only an eye can check,
    and for an address outside the site's networks."""
    if not inside(address, networks):
        raise RefusedError(f"{address} is outside this site's networks", expected=", ".join(networks))
    if step.check == "page-answers":
        return judge_page(probe.get(page_url(recipe.page, address)), recipe.page)
    if step.check == "default-login-refused" and recipe.default_login:
        login = recipe.default_login
        url = page_url(recipe.page, address).removesuffix(recipe.page.path) + login.path
        fields = {login.user_field: login.user, login.password_field: login.password}
        return judge_default_login(probe.post_form(url, fields), login)
    raise RefusedError("this step is checked by eye", next_step="Look, then tick it off.")
