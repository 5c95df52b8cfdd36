"""Do appliance, board, card, supply, parts and way onto the network go together? Every rule of the plan, in its order.

A rule is a function from a plan to findings, in a module of its subject. Named here, it reaches every screen and command.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from mintseed.core.findings import Finding
from mintseed.core.plan.cards import card, pace
from mintseed.core.plan.cautions import cautions
from mintseed.core.plan.header import header
from mintseed.core.plan.needs import fits_board, needs
from mintseed.core.plan.network import network, way_in
from mintseed.core.plan.order import order
from mintseed.core.plan.plan import Plan
from mintseed.core.plan.power import battery, power, usb_current
from mintseed.core.plan.sockets import camera, display, usb
from mintseed.core.plan.starts import memory, starts

Rule = Callable[[Plan], Iterable[Finding]]

RULES: tuple[Rule, ...] = (
    starts, memory, network, way_in, card, pace, power, battery, needs, fits_board, header, camera, display, usb, usb_current, order, cautions,
)  # fmt: skip


def check_plan(plan: Plan) -> tuple[Finding, ...]:
    """Return what stands for and against `plan`, in the order of its rules."""
    return tuple(finding for rule in RULES for finding in rule(plan))
