"""How a stand-in machine ages: a source that weakens with its hours, film that grows with smoke and
saturates, and mishaps that stay until somebody sees to them.

None of it shares a form with what follows machines (core/upkeep/drift.py).  Nothing here is ever
shown as a machine's own.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from olive_almanac.core.records.machine import Machine

__all__ = ["Mishap", "Wear", "wear_of"]

LIFE_H = {"co2": 3000.0, "diode": 10_000.0, "fibre": 50_000.0}  # common practice, no source
AT_LIFE = -math.log(0.8)
CLEANED_BY = {"spatter": ("clean",), "mirror": ("align",)}


@dataclass(frozen=True)
class Mishap:
    """Something that takes from the beam at once: on which day (ordinal), what ("spatter" goes with
    a cleaning, "mirror" with an alignment), and how much, ln energy.
    """

    day: float
    kind: str
    size: float


@dataclass(frozen=True)
class Wear:
    """What becomes of a machine: life of its source, h, and how its ageing bends; how fast film
    grows an hour and up to where, what a cleaning leaves of it; what happens to it.
    """

    life_h: float
    bend: float
    film_an_hour: float
    film_most: float
    film_left: float
    mishaps: tuple[Mishap, ...] = ()

    def need(
        self,
        day: float,
        hours: float,
        *,
        began_at_h: float = 0.0,
        acts: Sequence[tuple[float, float, str]] = (),
    ) -> float:
        """Return how much more energy is needed on a day, ln, than at the beginning; `acts` are
        (day, hours then, "clean" | "align" | "source").
        """
        done = sorted(act for act in acts if act[0] <= day)
        renewed = [at_h for _, at_h, kind in done if kind == "source"]
        born = renewed[-1] if renewed else 0.0
        age: float = AT_LIFE * ((hours - born) / self.life_h) ** self.bend
        if not renewed:
            age -= AT_LIFE * (began_at_h / self.life_h) ** self.bend
        film, since = 0.0, began_at_h
        for _, at_h, kind in done:
            film, since = self._film(film, at_h - since), at_h
            if kind in ("clean", "source"):
                film *= self.film_left
        film = self._film(film, hours - since)
        sudden = sum(
            one.size
            for one in self.mishaps
            if one.day <= day
            and not any(
                one.day < act_day and kind in (*CLEANED_BY[one.kind], "source")
                for act_day, _, kind in done
            )
        )
        return age + film + sudden

    def _film(self, film: float, hours: float) -> float:
        room = self.film_most - film
        share = math.exp(-self.film_an_hour * hours / self.film_most)
        return self.film_most - room * share


def wear_of(machine: Machine, seed: int, first_day: float, days: float) -> Wear:
    """Return what becomes of a machine over some days from a day (ordinal) on, by the seed."""
    rng = np.random.default_rng([seed, *machine.uid.encode()])
    count = int(rng.poisson(days / 365))
    mishaps = tuple(
        Mishap(
            first_day + float(rng.uniform(0, days)),
            "mirror" if rng.random() < 0.4 and machine.source == "co2" else "spatter",
            float(rng.uniform(0.06, 0.25)),
        )
        for _ in range(count)
    )
    return Wear(
        LIFE_H[machine.source] * float(np.exp(0.5 * rng.standard_normal())),
        float(rng.uniform(0.8, 1.8)),
        float(np.exp(np.log(4e-4) + 0.7 * rng.standard_normal())),
        float(rng.uniform(0.08, 0.25)),
        float(rng.uniform(0, 0.25)),
        mishaps,
    )
