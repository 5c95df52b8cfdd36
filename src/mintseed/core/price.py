"""What things cost. Prices are only ever added up within one currency: nothing here knows a rate of exchange."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from typing import Annotated

from pydantic import Field

from mintseed.core.described import Around, Described, Fault

Currency = Annotated[str, Field(pattern=r"^[A-Z]{3}$", description="ISO 4217, such as EUR")]


class Price(Described):
    """About what one thing costs, as its description says."""

    amount: float = Field(ge=0, le=100_000, allow_inf_nan=False)
    currency: Currency

    def faults(self, around: Around) -> Iterator[Fault]:
        # Only where a text is judged: the table of the world's currencies takes a while to load.
        import pycountry

        if pycountry.currencies.get(alpha_3=self.currency) is None:
            yield Fault(("currency",), f"{self.currency} is no currency of ISO 4217, such as EUR")

    def __str__(self) -> str:
        return f"{self.amount:.2f} {self.currency}"


def totals(prices: Iterable[Price]) -> tuple[Price, ...]:
    """Return the sum of `prices`, one for each currency, in the order of its letters."""
    sums: dict[str, float] = defaultdict(float)
    for price in prices:
        sums[price.currency] += price.amount
    return tuple(Price(amount=round(sums[c], 2), currency=c) for c in sorted(sums))
