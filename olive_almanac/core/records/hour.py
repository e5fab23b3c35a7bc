"""What an hour of a machine costs: its source, filters, electricity and services."""

from __future__ import annotations

from dataclasses import dataclass

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.ranges import check_number
from olive_almanac.core.words import tr

__all__ = ["HourCosts"]


@dataclass(frozen=True)
class HourCosts:
    """The price of the source and its life with the beam on, h, of which a share comes back when it
    is sold; filters as pairs of price and life, h; electric power, kW, and its price a kWh; the
    services of an hour.

    Example: 420 over 3000 h, filters of 90 over 150 h and 35 over 40 h, 1.1 kW at 0.32 and services
    of 0.856 make 2.823 an hour.
    """

    source_price: float = 0.0
    source_life_h: float = 0.0
    resale_share: float = 0.0
    filters: tuple[tuple[float, float], ...] = ()
    electric_kw: float = 0.0
    kwh_price: float = 0.0
    service_h: float = 0.0

    def __post_init__(self) -> None:
        check_number(tr("Price of the source"), self.source_price, low=0, high=1e7, key="source")
        check_number(tr("Life of the source"), self.source_life_h, "h", low=0, high=1e6, key="life")
        check_number(tr("Share that comes back"), self.resale_share, low=0, high=1, key="resale")
        check_number(tr("Electric power"), self.electric_kw, "kW", low=0, high=1000, key="kw")
        check_number(tr("Price of a kWh"), self.kwh_price, low=0, high=1000, key="kwh")
        check_number(tr("Services of an hour"), self.service_h, low=0, high=1e5, key="service")
        if self.source_price and not self.source_life_h:
            raise OutOfRange(
                tr("Life of the source"), 0, tr("above 0 where it has a price"), key="life"
            )
        for price, hours in self.filters:
            check_number(tr("Price of a filter"), price, low=0, high=1e6, key="filters")
            check_number(tr("Life of a filter"), hours, "h", above=0, high=1e6, key="filters")

    @property
    def beam_h(self) -> float:
        """What an hour with the beam on wears of the source."""
        if not self.source_life_h:
            return 0.0
        return self.source_price * (1 - self.resale_share) / self.source_life_h

    @property
    def filters_h(self) -> float:
        """What filters cost an hour, in the shop's money."""
        return sum(price / hours for price, hours in self.filters)

    @property
    def electric_h(self) -> float:
        """What electricity costs an hour, in the shop's money."""
        return self.electric_kw * self.kwh_price

    @property
    def an_hour(self) -> float:
        """An hour with the beam on, all parts together."""
        return self.beam_h + self.filters_h + self.electric_h + self.service_h
