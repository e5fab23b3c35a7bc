"""Stock as a recipe prepared it, for the stand-in bench: what lies on it, below it and around it.

Own physics (common practice, no source): a mask must be cut through, a medium takes up the beam, a
wet sheet carries heat away, what lies under the stock throws heat back or lets it go.
"""

from __future__ import annotations

import hashlib
from dataclasses import replace

import numpy as np

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.recipe import Recipe, key_of
from olive_almanac.core.records.stock import Stock
from olive_almanac.standins.material import Hidden, hidden_of

__all__ = ["prepared"]

# kind of step: mean and sd of ln of the share that reaches the stock, sd of ln of the threshold
SHARES = {
    "mask": (-0.07, 0.05, 0.03),
    "support": (0.02, 0.05, 0.03),
    "face": (0.0, 0.04, 0.02),
    "nozzle": (0.02, 0.05, 0.02),
    "medium": (0.0, 0.05, 0.06),
    "clean": (0.01, 0.01, 0.01),
    "hold": (0.01, 0.02, 0.01),
}
OFF = ("off", "removed", "bare")


def prepared(machine: Machine, stock: Stock, recipe: Recipe, seed: int) -> Hidden:
    """Return the truth of a machine with a lot of stock that was prepared by a recipe; the same
    steps change it alike on every lot of a family.
    """
    key = key_of(recipe)
    if not key:
        return hidden_of(machine, stock, seed)
    media = " ".join(what for kind, what, *_ in key if kind == "medium")
    masks = " ".join(what for kind, what, *_ in key if kind == "mask")
    lies = stock
    if media:
        lies = replace(lies, coating=f"{stock.coating} {media}".strip())
    if masks:
        off = any(word in masks for word in OFF)
        lies = replace(lies, mask="" if off else "covered")
    hidden = hidden_of(machine, lies, seed)
    share, rise = 0.0, 0.0
    for step in key:
        mean, sd, threshold = SHARES[step[0]]
        told = f"{stock.family}|{'|'.join(step)}".encode()
        draw = np.random.default_rng([seed, *hashlib.sha256(told).digest()[:8]])
        share += mean + sd * float(draw.standard_normal())
        rise += threshold * float(draw.standard_normal())
    made = replace(hidden.made, starts=hidden.made.starts * float(np.exp(rise)))
    takes_up = min(0.98, hidden.takes_up * float(np.exp(share)))
    return replace(hidden, made=made, takes_up=takes_up)
