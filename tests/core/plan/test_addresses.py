"""The shared pair of the header: one address however it is written, and no clash of an add-on with itself."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed.core.parts.model import HeaderUse
from mintseed.core.plan.header import canonical_address
from tests.core.plan.things import Plan, plan, stops


def with_uses(*uses: HeaderUse) -> Plan:
    one = plan("gramary", "larkspur-r", *["chorus"] * len(uses))
    parts = tuple(
        replace(p, part=p.part.model_copy(update={"header": use, "name": f"No. {n}"}), owned_name=f"No. {n}")
        for n, (p, use) in enumerate(zip(one.parts, uses, strict=True))
    )
    return replace(one, parts=parts)


@pytest.mark.parametrize("said", ["0x4d", "0x04d", "4d", "0X4D", "4D"])
def test_one_address_however_it_is_written(said: str) -> None:
    assert canonical_address(said) == "0x4d"
    found = stops(with_uses(HeaderUse(socket=40, i2c=("0x4d",)), HeaderUse(socket=40, i2c=(said,))))
    assert "plan.header-address" in found


def test_two_addresses_share_the_pair() -> None:
    assert not stops(with_uses(HeaderUse(socket=40, i2c=("0x4d",)), HeaderUse(socket=40, i2c=("0x4e",))))


def test_an_add_on_that_names_its_address_and_the_pair_does_not_clash_with_itself_or_another() -> None:
    says_both = HeaderUse(socket=40, takes={3: "data", 5: "clock"}, i2c=("0x4d",))
    assert "plan.header-clash" not in stops(with_uses(says_both))
    assert "plan.header-clash" not in stops(with_uses(says_both, HeaderUse(socket=40, i2c=("0x4e",))))
    # One that takes the pair for itself does clash with those that share it.
    alone = HeaderUse(socket=40, takes={3: "a light", 5: "another"})
    assert "plan.header-clash" in stops(with_uses(says_both, alone))
