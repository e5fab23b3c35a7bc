"""A stand-in machine with one hidden fault: half a year of readings behind it, and what acts do."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from olive_almanac.core.records.machine import Machine
from olive_almanac.standins.wear import Mishap, Wear, wear_of

__all__ = ["AilingMachine"]

FAULTS = ("nothing", "spatter", "film", "source", "mirror")
WEEKS, WEEK_H = 26, 22.0
CLEANED_EVERY = 3  # weeks, where it is cleaned at all
READ_SD, SHEET_SD, METER_SD, MARK_SD_MM = 0.02, 0.025, 0.02, 0.4
WANDER_MM = (3.0, 7.0)
SPAN_MM = 30.0


class AilingMachine:
    """A machine whose fault the seed hides; days count from the beginning of its record."""

    def __init__(self, machine: Machine, seed: int) -> None:
        self._rng = np.random.default_rng([seed, *b"ailing"])
        self.machine = machine
        self.fault = str(self._rng.choice(FAULTS))
        self.weeks = WEEKS
        self._began_h = 300.0
        self._mishap_week = 0
        wear = wear_of(machine, seed, 0.0, 0.0)
        wear = replace(wear, life_h=4 * wear.life_h, film_an_hour=1.5e-4)
        size, week = float(self._rng.uniform(0.12, 0.22)), int(self._rng.integers(14, 22))
        if self.fault in ("spatter", "mirror"):
            self._mishap_week = week
            wear = replace(wear, mishaps=(Mishap(7.0 * week, self.fault, size),))
        elif self.fault == "film":
            wear = replace(wear, film_an_hour=5e-4, film_most=0.3, film_left=0.05)
        elif self.fault == "source":
            wear = replace(wear, life_h=0.75 * WEEKS * WEEK_H + self._began_h, bend=1.3)
        self._wear: Wear = wear
        way = float(self._rng.uniform(0, 2 * math.pi))
        reach = float(self._rng.uniform(*WANDER_MM)) if self.fault == "mirror" else 0.0
        self._wander = np.array([math.cos(way), math.sin(way)]) * reach

    def cleanings(self) -> tuple[float, ...]:
        """Return the days on which it was cleaned; what ails by dirt was left since."""
        if self.fault == "film":
            return ()
        last = WEEKS - CLEANED_EVERY
        if self.fault == "spatter":  # nobody cleaned it since
            last = self._mishap_week
        return tuple(7.0 * week + 0.7 for week in range(CLEANED_EVERY, last, CLEANED_EVERY))

    def hours(self, day: float) -> float:
        """Return its hours on at a day."""
        return self._began_h + WEEK_H * day / 7

    def read_check(self, day: float, cleaned: Sequence[float]) -> float:
        """Return what a weekly check reads, ln energy against the beginning."""
        noise = self._rng.normal(0, math.hypot(READ_SD, SHEET_SD))
        return self._need(day, cleaned) + float(noise)

    def read_watts(self, day: float, cleaned: Sequence[float]) -> float:
        """Return what a power meter reads at full power, W."""
        need = self._need(day, cleaned) + float(self._rng.normal(0, METER_SD))
        return self.machine.optical_power_w * math.exp(-need)

    def mark(self, places_mm: Sequence[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
        """Return the marks on tape, right and up, with the head at some places."""
        marks = []
        for x, _ in places_mm:
            share = (x - SPAN_MM) / self.machine.bed_mm[0]
            off = self._wander * share + self._rng.normal(0, MARK_SD_MM, 2)
            marks.append((round(float(off[0]), 1), round(float(off[1]), 1)))
        return tuple(marks)

    def _need(self, day: float, cleaned: Sequence[float]) -> float:
        acts = [(at, self.hours(at), "clean") for at in cleaned]
        return self._wear.need(day, self.hours(day), began_at_h=self._began_h, acts=acts)
