"""What an hour of a machine costs: typed in the Shop, services reckoned from what was noted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.hour import HourCosts
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import ServiceAct
from olive_almanac.core.units import number_text, read_large_number
from olive_almanac.core.upkeep.due import Due
from olive_almanac.core.words import tr

__all__ = ["COST_FIELDS", "cost_texts", "cost_words", "costs_of", "services_an_hour", "with_costs"]

COST_FIELDS: dict[str, str] = {
    "source": tr("Price of the source"),
    "life": tr("its life with the beam on, h"),
    "resale": tr("of which comes back, %"),
    "filters": tr("Filters, price / hours"),
    "kw": tr("Electric power, kW"),
    "kwh": tr("price of a kWh"),
    "wage": tr("Wage of an hour of service"),
}
Texts = Mapping[str, str]


def cost_texts(costs: HourCosts | None) -> dict[str, str]:
    """Return costs as they are typed; the wage is typed anew, for it is only reckoned with."""
    known = costs or HourCosts()
    filters = "; ".join(f"{number_text(a)} / {number_text(b)}" for a, b in known.filters)
    values = {
        "source": known.source_price,
        "life": known.source_life_h,
        "resale": 100 * known.resale_share,
        "kw": known.electric_kw,
        "kwh": known.kwh_price,
    }
    texts = {key: number_text(value, 5) if value else "" for key, value in values.items()}
    return {**texts, "filters": filters, "wage": ""}


def costs_of(texts: Texts, service_h: float) -> HourCosts:
    """Return the costs that were typed.  Raises OutOfRange."""

    def number(key: str) -> float:
        text = texts.get(key, "").strip()
        return read_large_number(text, COST_FIELDS[key].partition(",")[0]) if text else 0.0

    filters = []
    for part in filter(str.strip, texts.get("filters", "").split(";")):
        price, slash, hours = part.partition("/")
        if not slash:
            allowed = tr("price / hours; price / hours")
            raise OutOfRange(tr("Filters"), f"“{part.strip()}”", allowed)
        filters.append(
            (read_large_number(price, tr("Price")), read_large_number(hours, tr("Hours")))
        )
    return HourCosts(
        number("source"),
        number("life"),
        number("resale") / 100,
        tuple(filters),
        number("kw"),
        number("kwh"),
        service_h,
    )


def services_an_hour(parts: Sequence[Due], acts: Sequence[ServiceAct], wage: float) -> float:
    """Return what the services of an hour cost: of each part that was noted the mean minutes and
    parts, over its interval in hours.
    """
    total = 0.0
    for due in parts:
        noted = [act for act in acts if act.part == due.part.id and act.kind == due.part.act]
        every = due.interval.hours or due.interval.beam_hours
        if noted and every:
            minutes = sum(act.minutes for act in noted) / len(noted)
            cost = sum(act.parts_cost for act in noted) / len(noted)
            total += (minutes / 60 * wage + cost) / every
    return total


def with_costs(machine: Machine, costs: HourCosts) -> Machine:
    """Return the machine with what its hour costs; nothing at all takes it away."""
    return replace(machine, costs=costs if costs != HourCosts() else None)


def cost_words(machine: Machine) -> str:
    """Return what an hour costs and what of, in words; "" where nothing is known."""
    costs = machine.costs
    if machine.hour_rate is not None:
        own = tr(
            "An hour is reckoned at {hour_rate:.2f}, this shop's own rate",
            hour_rate=machine.hour_rate,
        )
        return (
            tr("{own}; by its parts {an_hour:.2f}.", own=own, an_hour=costs.an_hour)
            if costs is not None
            else f"{own}."
        )
    if costs is None:
        return tr("What an hour costs is not known.")
    return tr(
        "An hour costs {an_hour:.2f}: source {beam_h:.2f}, filters {filters_h:.2f}, "
        "electricity {electric_h:.2f}, service {service_h:.2f}.",
        an_hour=costs.an_hour,
        beam_h=costs.beam_h,
        filters_h=costs.filters_h,
        electric_h=costs.electric_h,
        service_h=costs.service_h,
    )
