"""Families of stock and how they are expected to burn: starting points of a fit, not settings.

Groove figures: docs/methods.md (section Cut, priors); tone figures are common practice, no source.
What a family is called, what it gives off and on which source it works is data:
core.materials.catalogue.
"""

from __future__ import annotations

from dataclasses import dataclass

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.stock import Stock

__all__ = ["FAMILIES", "Family", "GroovePrior", "TonePrior", "family_of"]


@dataclass(frozen=True)
class GroovePrior:
    """Expected cut behaviour: energy to remove (J/mm3), threshold (J/mm2), loss a pass, heat lost
    sideways as a speed (mm/s), and the line energy at which the edge chars (J/mm).
    """

    removal_j_mm3: float
    threshold_j_mm2: float
    char_loss: float
    side_loss_mm_s: float
    char_j_mm: float


@dataclass(frozen=True)
class TonePrior:
    """Areal energy (J/mm2) expected to give the tone aimed at, and whether the mark is darker than
    the stock.
    """

    right_j_mm2: float
    darkens: bool = True


@dataclass(frozen=True)
class Family:
    id: str
    groove: GroovePrior
    tone: TonePrior


PLY = GroovePrior(6, 4.2, 0.025, 1.0, 2.0)
SOFT = GroovePrior(3, 4, 0.025, 1.0, 1.5)
HARD = GroovePrior(7, 5.5, 0.03, 1.0, 2.0)
FIBREBOARD = GroovePrior(9, 5.6, 0.04, 1.0, 2.0)
HIDE = GroovePrior(5, 4.2, 0.04, 1.0, 1.5)
GLASSY = GroovePrior(5, 2.8, 0.01, 1.5, 3.0)
MELTING = GroovePrior(4, 2.8, 0.01, 3.0, 3.0)
FOAM = GroovePrior(0.7, 1, 0.025, 2.0, 0.4)
PAPER = GroovePrior(1, 1.4, 0.02, 1.0, 0.3)
CORK = GroovePrior(3, 4, 0.03, 1.5, 1.0)
TEXTILE = GroovePrior(1.5, 2, 0.025, 1.5, 0.6)
GENERIC = GroovePrior(3.5, 3.5, 0.025, 1.0, 1.2)

_PRIORS = {
    "plywood": (PLY, TonePrior(0.6)),
    "plywood_exterior": (PLY, TonePrior(0.6)),
    "softwood": (SOFT, TonePrior(0.5)),
    "hardwood": (HARD, TonePrior(0.7)),
    "bamboo": (PLY, TonePrior(0.6)),
    "veneer": (SOFT, TonePrior(0.5)),
    "mdf": (FIBREBOARD, TonePrior(0.7)),
    "hdf": (FIBREBOARD, TonePrior(0.7)),
    "cork": (CORK, TonePrior(0.25)),
    "card": (PAPER, TonePrior(0.2)),
    "paper": (PAPER, TonePrior(0.15)),
    "board": (PAPER, TonePrior(0.25)),
    "acrylic": (GLASSY, TonePrior(0.5, darkens=False)),
    "pp": (MELTING, TonePrior(0.5)),
    "pe": (MELTING, TonePrior(0.5)),
    "petg": (MELTING, TonePrior(0.5)),
    "abs": (MELTING, TonePrior(0.5)),
    "pc": (MELTING, TonePrior(0.5)),
    "epoxy_glass": (MELTING, TonePrior(0.5)),
    "carbon_fibre": (MELTING, TonePrior(0.5)),
    "nylon": (MELTING, TonePrior(0.5)),
    "pom": (MELTING, TonePrior(0.5)),
    "pvc": (MELTING, TonePrior(0.5)),
    "vinyl": (MELTING, TonePrior(0.5)),
    "ptfe": (MELTING, TonePrior(0.5)),
    "foam_eva": (FOAM, TonePrior(0.2)),
    "foam_pu": (FOAM, TonePrior(0.2)),
    "foam_ps": (FOAM, TonePrior(0.2)),
    "rubber": (HIDE, TonePrior(0.8)),
    "silicone": (MELTING, TonePrior(0.8)),
    "leather": (HIDE, TonePrior(0.35)),
    "chrome_leather": (HIDE, TonePrior(0.35)),
    "leather_unknown": (HIDE, TonePrior(0.35)),
    "synthetic_leather": (HIDE, TonePrior(0.35)),
    "felt": (TEXTILE, TonePrior(0.25)),
    "cotton": (TEXTILE, TonePrior(0.25)),
    "denim": (TEXTILE, TonePrior(0.25, darkens=False)),
    "wool": (TEXTILE, TonePrior(0.25)),
    "polyester": (TEXTILE, TonePrior(0.25)),
    "glass": (GENERIC, TonePrior(1.2, darkens=False)),
    "mirror": (GENERIC, TonePrior(1.2, darkens=False)),
    "slate": (GENERIC, TonePrior(0.7, darkens=False)),
    "stone": (GENERIC, TonePrior(1.0, darkens=False)),
    "ceramic": (GENERIC, TonePrior(1.2)),
    "aluminium": (GENERIC, TonePrior(3.0)),
    "anodised": (GENERIC, TonePrior(0.9, darkens=False)),
    "stainless": (GENERIC, TonePrior(4.0)),
    "steel": (GENERIC, TonePrior(4.0)),
    "galvanised": (GENERIC, TonePrior(4.0)),
    "coated_metal": (GENERIC, TonePrior(0.8, darkens=False)),
    "unknown_coating": (GENERIC, TonePrior(0.8, darkens=False)),
    "brass": (GENERIC, TonePrior(5.0)),
    "copper": (GENERIC, TonePrior(6.0)),
    "beryllium_copper": (GENERIC, TonePrior(6.0)),
    "titanium": (GENERIC, TonePrior(3.0)),
    "gold": (GENERIC, TonePrior(5.0)),
    "silver": (GENERIC, TonePrior(6.0)),
    "unknown": (GENERIC, TonePrior(0.5)),
}
FAMILIES = {family: Family(family, groove, tone) for family, (groove, tone) in _PRIORS.items()}


def family_of(stock: Stock) -> Family:
    """Return the priors of a stock's family; raises OutOfRange for an id that is not known."""
    if stock.family not in FAMILIES:
        raise OutOfRange("Family", f"“{stock.family}”", "one of " + ", ".join(FAMILIES))
    return FAMILIES[stock.family]
