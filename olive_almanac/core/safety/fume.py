"""Fume: air changes of a room, how long it takes to clear, and what builds up while burning."""

from __future__ import annotations

import math

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["air_changes_per_hour", "clearance_minutes", "concentration_mg_m3", "duct_flow_m3_h"]


def _positive(**values: float) -> None:
    for name, value in values.items():
        if not (math.isfinite(value) and value > 0):
            raise OutOfRange(name.replace("_", " ").capitalize(), value, tr("above 0"))


def duct_flow_m3_h(*, duct_mm: float, air_speed_m_s: float) -> float:
    """Return the flow of a round duct, m3/h."""
    _positive(duct_diameter=duct_mm, air_speed=air_speed_m_s)
    return 3600 * math.pi * (duct_mm / 2000) ** 2 * air_speed_m_s


def air_changes_per_hour(*, flow_m3_h: float, room_m3: float) -> float:
    """Return how often the air of a room is renewed, 1/h: flow / volume."""
    _positive(flow=flow_m3_h, room=room_m3)
    return flow_m3_h / room_m3


def clearance_minutes(*, air_changes_h: float, share: float = 0.99) -> float:
    """Return the minutes until `share` of the fume is gone from a mixed room: -60 ln(1 - share) /
    ACH.

    Source: CDC, environmental infection control guideline (2003), App. B, from memory.
    """
    _positive(air_changes=air_changes_h)
    if not 0 < share < 1:
        raise OutOfRange(tr("Share"), share, tr("between 0 and 1"))
    return -60 * math.log(1 - share) / air_changes_h


def concentration_mg_m3(
    *, given_off_mg_s: float, flow_m3_s: float, room_m3: float, seconds: float
) -> float:
    """Return what builds up in a mixed room: G/Q (1 - exp(-Q t / V))."""
    _positive(given_off=given_off_mg_s, flow=flow_m3_s, room=room_m3)
    return given_off_mg_s / flow_m3_s * -math.expm1(-flow_m3_s * seconds / room_m3)
