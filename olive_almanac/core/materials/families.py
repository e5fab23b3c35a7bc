"""Families of stock and how they are expected to burn: starting points of a fit, not settings.

Groove figures: docs/methods.md (section Cut, priors); tone figures are common practice, no source.
What a family is called, what it gives off and on which source it works is data:
core.materials.catalogue.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.materials.names import says
from olive_almanac.core.records.machine import Source
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr

__all__ = [
    "FAMILIES",
    "Family",
    "GroovePrior",
    "TonePrior",
    "edge_energy",
    "family_of",
    "groove_prior",
    "tone_prior",
]


@dataclass(frozen=True)
class GroovePrior:
    """Expected cut behaviour: energy to remove (J/mm3), threshold (J/mm2), loss a pass, heat lost
    sideways as a speed (mm/s), the line energy that stays at which the edge chars (J/mm), and how
    many times further than in the open the walls carry the beam.

    `known` is False where the family says nothing: then the two energies are believed together.
    """

    removal_j_mm3: float
    threshold_j_mm2: float
    char_loss: float
    side_loss_mm_s: float
    char_j_mm: float
    guiding: float = 1.1
    known: bool = True


@dataclass(frozen=True)
class TonePrior:
    """Areal energy (J/mm2) expected to give the tone aimed at, and whether the mark is darker than
    the stock.
    """

    right_j_mm2: float
    darkens: bool = True


@dataclass(frozen=True)
class Family:
    """What is expected of a family: the groove of a CO2 beam in stock 3 mm thick, the tone by
    source, and how many times the energy of a CO2 beam another one needs, since the stock takes up
    less of its light.
    """

    id: str
    groove: GroovePrior
    tones: dict[Source, TonePrior]
    needs: dict[Source, float]

    @property
    def darkens(self) -> bool:
        """Whether a mark is darker than the stock."""
        return self.tones["co2"].darkens


PLY = GroovePrior(3.2, 1.7, 0.025, 1.0, 2.0)
SOFT = GroovePrior(1.9, 1.4, 0.025, 1.0, 1.5)
HARD = GroovePrior(3.6, 2.0, 0.03, 1.0, 2.0)
FIBREBOARD = GroovePrior(3.6, 2.0, 0.04, 1.0, 2.0)
HIDE = GroovePrior(2.2, 1.4, 0.04, 1.0, 1.5)
ELASTIC = GroovePrior(6.0, 2.5, 0.04, 1.0, 3.0)
GLASSY = GroovePrior(2.6, 1.3, 0.01, 0.5, 4.0, guiding=1.8)
MELTING = GroovePrior(4, 1.6, 0.01, 2.0, 3.0)
FOAM = GroovePrior(0.4, 0.35, 0.025, 1.0, 0.6)
PAPER = GroovePrior(2.3, 0.2, 0.02, 1.0, 1.2)
CORK = GroovePrior(1.3, 1.2, 0.03, 1.0, 1.0)
TEXTILE = GroovePrior(0.9, 0.6, 0.025, 1.0, 0.6)
MINERAL = GroovePrior(60, 15, 0.05, 2.0, 8.0)
GENERIC = GroovePrior(2.2, 1.2, 0.025, 1.0, 1.2, known=False)

#                  how a CO2 beam cuts it, energy of the tone by CO2, diode, fibre (J/mm2), darker?,
#                  energy that a diode and a fibre beam need over CO2
_PRIORS: dict[str, tuple[GroovePrior, tuple[float, float, float], bool, float, float]] = {
    "plywood": (PLY, (0.5, 0.5, 1.5), True, 1.1, 3.0),
    "plywood_exterior": (PLY, (0.5, 0.5, 1.5), True, 1.1, 3.0),
    "softwood": (SOFT, (0.4, 0.4, 1.2), True, 1.2, 3.0),
    "hardwood": (HARD, (0.6, 0.6, 1.8), True, 1.4, 3.0),
    "bamboo": (PLY, (0.5, 0.5, 1.5), True, 1.4, 3.0),
    "veneer": (SOFT, (0.4, 0.4, 1.2), True, 1.2, 3.0),
    "mdf": (FIBREBOARD, (0.5, 0.5, 1.5), True, 1.7, 3.0),
    "hdf": (FIBREBOARD, (0.5, 0.5, 1.5), True, 1.7, 3.0),
    "cork": (CORK, (0.25, 0.25, 0.7), True, 1.6, 3.0),
    "card": (PAPER, (0.2, 0.2, 0.5), True, 1.2, 3.0),
    "paper": (PAPER, (0.15, 0.15, 0.4), True, 1.2, 3.0),
    "board": (PAPER, (0.25, 0.25, 0.7), True, 1.2, 3.0),
    "acrylic": (GLASSY, (0.4, 0.8, 1.0), False, 1.9, 4.0),
    "pp": (MELTING, (0.5, 0.6, 0.4), True, 1.3, 2.0),
    "pe": (MELTING, (0.5, 0.6, 0.4), True, 1.3, 2.0),
    "petg": (MELTING, (0.5, 0.6, 0.4), True, 1.3, 2.0),
    "abs": (MELTING, (0.5, 0.5, 0.2), True, 1.4, 1.5),
    "pc": (MELTING, (0.5, 0.6, 0.4), True, 1.3, 2.0),
    "epoxy_glass": (MELTING, (0.5, 0.5, 0.4), True, 1.3, 2.0),
    "carbon_fibre": (MELTING, (0.5, 0.5, 0.4), True, 1.0, 1.0),
    "nitrated": (PAPER, (0.15, 0.15, 0.4), True, 1.2, 3.0),
    "nylon": (MELTING, (0.5, 0.6, 0.4), True, 1.3, 2.0),
    "pom": (MELTING, (0.5, 0.6, 0.4), True, 1.3, 2.0),
    "pvc": (MELTING, (0.5, 0.5, 0.4), True, 1.3, 2.0),
    "vinyl": (MELTING, (0.5, 0.5, 0.4), True, 1.3, 2.0),
    "ptfe": (MELTING, (0.5, 0.6, 0.4), True, 1.5, 3.0),
    "foam_eva": (FOAM, (0.2, 0.2, 0.5), True, 1.4, 3.0),
    "foam_pu": (FOAM, (0.2, 0.2, 0.5), True, 1.4, 3.0),
    "foam_ps": (FOAM, (0.2, 0.2, 0.5), True, 1.4, 3.0),
    "rubber": (ELASTIC, (1.0, 0.9, 0.8), True, 1.2, 1.5),
    "silicone": (MELTING, (0.8, 0.8, 0.8), True, 1.3, 2.0),
    "leather": (HIDE, (0.3, 0.3, 0.8), True, 1.7, 3.0),
    "chrome_leather": (HIDE, (0.3, 0.3, 0.8), True, 1.7, 3.0),
    "leather_unknown": (HIDE, (0.3, 0.3, 0.8), True, 1.7, 3.0),
    "synthetic_leather": (HIDE, (0.3, 0.3, 0.8), True, 1.7, 3.0),
    "felt": (TEXTILE, (0.2, 0.25, 0.6), True, 1.2, 3.0),
    "cotton": (TEXTILE, (0.2, 0.25, 0.6), True, 1.2, 3.0),
    "denim": (TEXTILE, (0.25, 0.25, 0.4), False, 1.4, 3.0),
    "wool": (TEXTILE, (0.2, 0.25, 0.6), True, 1.2, 3.0),
    "polyester": (TEXTILE, (0.2, 0.25, 0.6), True, 1.2, 3.0),
    "glass": (MINERAL, (0.7, 1.2, 1.2), False, 1.5, 1.5),
    "mirror": (MINERAL, (0.7, 1.2, 1.2), False, 1.5, 1.5),
    "slate": (MINERAL, (0.6, 0.9, 0.7), False, 1.5, 1.5),
    "stone": (MINERAL, (1.0, 1.3, 1.0), False, 1.5, 1.5),
    "ceramic": (MINERAL, (1.2, 1.5, 1.2), True, 1.5, 1.5),
    "aluminium": (MINERAL, (3.0, 3.0, 1.2), True, 1.5, 1.0),
    "anodised": (MINERAL, (0.8, 1.0, 0.25), False, 1.5, 1.0),
    "stainless": (MINERAL, (3.0, 4.0, 1.6), True, 1.5, 1.0),
    "steel": (MINERAL, (3.0, 4.0, 1.5), True, 1.5, 1.0),
    "galvanised": (MINERAL, (4.0, 4.0, 1.5), True, 1.5, 1.0),
    "coated_metal": (MINERAL, (0.7, 0.7, 0.25), False, 1.5, 1.0),
    "unknown_coating": (MINERAL, (0.7, 0.7, 0.25), False, 1.5, 1.0),
    "brass": (MINERAL, (5.0, 5.0, 2.0), True, 1.5, 1.0),
    "copper": (MINERAL, (6.0, 6.0, 2.5), True, 1.5, 1.0),
    "beryllium_copper": (MINERAL, (6.0, 6.0, 2.5), True, 1.5, 1.0),
    "titanium": (MINERAL, (3.0, 3.0, 0.8), True, 1.5, 1.0),
    "gold": (MINERAL, (5.0, 5.0, 2.0), True, 1.5, 1.0),
    "silver": (MINERAL, (6.0, 6.0, 2.0), True, 1.5, 1.0),
    "unknown": (GENERIC, (0.5, 0.5, 0.5), True, 1.2, 2.0),
}
_SOURCES: tuple[Source, ...] = ("co2", "diode", "fibre")
FAMILIES = {
    id: Family(
        id,
        groove,
        {
            source: TonePrior(energy, darkens)
            for source, energy in zip(_SOURCES, tones, strict=True)
        },
        {"co2": 1.0, "diode": diode, "fibre": fibre},
    )
    for id, (groove, tones, darkens, diode, fibre) in _PRIORS.items()
}
DIODE_SIDE_LOSS_MM_S = 1.5  # more than a CO2 beam loses to the sides: a weak beam creeps
USUAL_THICKNESS_MM = 3.0
HEAT_BY_THICKNESS = 0.85  # thick stock takes more before its edge chars or flares up, by this power
# what passes light takes up less of a beam that it lets through
LETS_THROUGH = {"clear": 12.0, "translucent": 2.5}
WHITE_ON_A_DIODE = 1.4


def family_of(stock: Stock) -> Family:
    """Return the family of a stock; raises OutOfRange for an id that is not known."""
    if stock.family not in FAMILIES:
        raise OutOfRange(tr("Family"), f"“{stock.family}”", tr("one of ") + ", ".join(FAMILIES))
    return FAMILIES[stock.family]


def groove_prior(stock: Stock, source: Source) -> GroovePrior:
    """Return how this stock is expected to cut under a kind of source: its family, what it takes up
    of that light, and its thickness.
    """
    family = family_of(stock)
    base, more = family.groove, family.needs[source]
    side = base.side_loss_mm_s
    if source == "diode":
        side += DIODE_SIDE_LOSS_MM_S
    if source != "co2" and stock.opacity in LETS_THROUGH:
        more *= LETS_THROUGH[stock.opacity]
    elif source == "diode" and says(stock.colour, "white"):
        more *= WHITE_ON_A_DIODE
    return replace(
        base,
        removal_j_mm3=base.removal_j_mm3 * more,
        threshold_j_mm2=base.threshold_j_mm2 * more,
        side_loss_mm_s=side,
        char_j_mm=edge_energy(stock),
    )


def edge_energy(stock: Stock) -> float:
    """Return the line energy that stays at which the edge of this stock is expected to char, J/mm:
    the thicker, the more of it goes into the cut.
    """
    thick = stock.true_thickness_mm / USUAL_THICKNESS_MM
    return float(family_of(stock).groove.char_j_mm * thick**HEAT_BY_THICKNESS)


def tone_prior(stock: Stock, source: Source) -> TonePrior:
    """Return the areal energy that is expected to give this stock its tone under a kind of
    source.
    """
    return family_of(stock).tones[source]
