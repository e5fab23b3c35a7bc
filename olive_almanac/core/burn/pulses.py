"""How the pulses of a pulsed source lie over each other along a line."""

from __future__ import annotations

from collections.abc import Iterable

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.words import tr

__all__ = ["overlaps_text", "pulse_overlap", "pulse_rate_of"]


def pulse_overlap(*, speed_mm_s: float, rate_khz: float, spot_mm: float) -> float:
    """Return the share of the spot by which each pulse covers the one before it, 1 - v/(f d);
    below 0 where they lie apart.

    Raises OutOfRange for a rate or a spot that is not positive.  The usual measure of pulsed
    marking (common practice, no source).
    """
    for name, value, unit in ((tr("Pulse rate"), rate_khz, "kHz"), (tr("Spot"), spot_mm, "mm")):
        if not value > 0:
            raise OutOfRange(name, value, tr("above 0"), unit)
    return 1 - speed_mm_s / (1000 * rate_khz * spot_mm)


def pulse_rate_of(machine: Machine, setting: Setting) -> float:
    """Return the pulse rate that a setting burns at, kHz: its own, else the machine's; 0 where
    neither is known or the source is continuous.
    """
    if machine.source != "fibre":
        return 0.0
    return setting.pulse_khz or machine.pulse_khz or 0.0


def overlaps_text(machine: Machine, settings: Iterable[Setting]) -> str:
    """Return the overlap of the pulses of some settings, in percent: "61 to 88 %", "pulses apart"
    where none touches the next; empty where no pulse rate is known.
    """
    found = []
    for setting in settings:
        rate = pulse_rate_of(machine, setting)
        if rate:
            found.append(
                pulse_overlap(
                    speed_mm_s=setting.speed_mm_s, rate_khz=rate, spot_mm=machine.spot_longer_mm
                )
            )
    if not found:
        return ""
    if max(found) <= 0:
        return tr("pulses apart")
    low, high = (f"{100 * max(0.0, end):.0f}" for end in (min(found), max(found)))
    if low == high:
        return f"{high} %"
    return tr("{low} to {high} %", low=low, high=high)
