"""Families of stock: what they are called, how they are expected to burn, and which must never burn.

The energies are starting points of a fit, not settings: groove figures from docs/methods.md (section Cut, priors);
tone figures are common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass

from olive_almanac.core.errors import Barred, OutOfRange
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock

__all__ = ["FAMILIES", "Family", "GroovePrior", "Permission", "TonePrior", "family_of", "may_burn", "refuse_if_barred"]


@dataclass(frozen=True)
class GroovePrior:
    """Expected cut behaviour: energy to remove (J/mm3), threshold (J/mm2), loss a pass, heat lost sideways as a speed
    (mm/s), and the line energy at which the edge chars (J/mm)."""

    removal_j_mm3: float
    threshold_j_mm2: float
    char_loss: float
    side_loss_mm_s: float
    char_j_mm: float


@dataclass(frozen=True)
class TonePrior:
    """Areal energy (J/mm2) expected to give the tone aimed at, and whether the mark is darker than the stock."""

    right_j_mm2: float
    darkens: bool = True


@dataclass(frozen=True)
class Family:
    id: str
    word: str
    group: str
    groove: GroovePrior
    tone: TonePrior
    barred: str = ""  # the reason why it must never burn; empty: it may


PLY = GroovePrior(6, 3, 0.05, 1.0, 2.0)
SOFT = GroovePrior(3, 3, 0.05, 1.0, 1.5)
FIBREBOARD = GroovePrior(9, 4, 0.08, 1.0, 2.0)
HIDE = GroovePrior(5, 3, 0.08, 1.0, 1.5)
GLASSY = GroovePrior(5, 2, 0.02, 1.5, 3.0)
MELTING = GroovePrior(4, 2, 0.02, 3.0, 3.0)
FOAM = GroovePrior(0.7, 0.7, 0.05, 2.0, 0.4)
PAPER = GroovePrior(1, 1, 0.04, 1.0, 0.3)
CORK = GroovePrior(3, 3, 0.06, 1.5, 1.0)
TEXTILE = GroovePrior(1.5, 1.5, 0.05, 1.5, 0.6)
GENERIC = GroovePrior(3.5, 2.5, 0.05, 1.2, 1.2)

CHLORINE = "burning it gives off hydrogen chloride, which harms lungs and eats the machine"
FLUORINE = "burning it gives off hydrogen fluoride and other fluorine compounds, which are very poisonous"
UNKNOWN = "nobody knows what it gives off; find out what it is first"

_ROWS: tuple[tuple[str, str, str, GroovePrior, TonePrior, str], ...] = (
    ("plywood", "plywood", "Wood", PLY, TonePrior(0.6), ""),
    ("softwood", "softwood, balsa", "Wood", SOFT, TonePrior(0.5), ""),
    ("hardwood", "hardwood", "Wood", PLY, TonePrior(0.7), ""),
    ("bamboo", "bamboo", "Wood", PLY, TonePrior(0.6), ""),
    ("veneer", "veneer", "Wood", SOFT, TonePrior(0.5), ""),
    ("mdf", "MDF", "Wood", FIBREBOARD, TonePrior(0.7), ""),
    ("hdf", "HDF", "Wood", FIBREBOARD, TonePrior(0.7), ""),
    ("cork", "cork", "Wood", CORK, TonePrior(0.25), ""),
    ("card", "card", "Card and board", PAPER, TonePrior(0.2), ""),
    ("paper", "paper", "Card and board", PAPER, TonePrior(0.15), ""),
    ("board", "layered board", "Card and board", PAPER, TonePrior(0.25), ""),
    ("acrylic", "acrylic", "Plastic", GLASSY, TonePrior(0.5, darkens=False), ""),
    ("pp", "polypropylene", "Plastic", MELTING, TonePrior(0.5), ""),
    ("pe", "polyethylene", "Plastic", MELTING, TonePrior(0.5), ""),
    ("petg", "PETG", "Plastic", MELTING, TonePrior(0.5), ""),
    ("abs", "ABS", "Plastic", MELTING, TonePrior(0.5), ""),
    ("pc", "polycarbonate", "Plastic", MELTING, TonePrior(0.5), ""),
    ("nylon", "nylon", "Plastic", MELTING, TonePrior(0.5), ""),
    ("pom", "POM", "Plastic", MELTING, TonePrior(0.5), ""),
    ("pvc", "PVC", "Plastic", MELTING, TonePrior(0.5), CHLORINE),
    ("vinyl", "vinyl", "Plastic", MELTING, TonePrior(0.5), CHLORINE),
    ("ptfe", "PTFE", "Plastic", MELTING, TonePrior(0.5), FLUORINE),
    ("foam_eva", "EVA foam", "Foam and rubber", FOAM, TonePrior(0.2), ""),
    ("foam_pu", "PU foam", "Foam and rubber", FOAM, TonePrior(0.2), "burning it can give off hydrogen cyanide and isocyanates"),
    ("foam_ps", "polystyrene foam", "Foam and rubber", FOAM, TonePrior(0.2), "it melts and burns with an open flame"),
    ("rubber", "laser rubber", "Foam and rubber", HIDE, TonePrior(0.8), ""),
    ("silicone", "silicone", "Foam and rubber", MELTING, TonePrior(0.8), ""),
    ("leather", "leather, vegetable-tanned", "Leather and textile", HIDE, TonePrior(0.35), ""),
    ("synthetic_leather", "synthetic leather", "Leather and textile", HIDE, TonePrior(0.35), "much of it is PVC: " + CHLORINE),
    ("felt", "felt", "Leather and textile", TEXTILE, TonePrior(0.25), ""),
    ("cotton", "cotton", "Leather and textile", TEXTILE, TonePrior(0.25), ""),
    ("denim", "denim", "Leather and textile", TEXTILE, TonePrior(0.25, darkens=False), ""),
    ("wool", "wool", "Leather and textile", TEXTILE, TonePrior(0.25), ""),
    ("polyester", "polyester", "Leather and textile", TEXTILE, TonePrior(0.25), ""),
    ("glass", "glass", "Glass and stone", GENERIC, TonePrior(1.2, darkens=False), ""),
    ("mirror", "mirror", "Glass and stone", GENERIC, TonePrior(1.2, darkens=False), ""),
    ("slate", "slate", "Glass and stone", GENERIC, TonePrior(0.7, darkens=False), ""),
    ("stone", "stone", "Glass and stone", GENERIC, TonePrior(1.0, darkens=False), ""),
    ("ceramic", "ceramic", "Glass and stone", GENERIC, TonePrior(1.2), ""),
    ("aluminium", "aluminium, bare", "Metal", GENERIC, TonePrior(3.0), ""),
    ("anodised", "aluminium, anodised", "Metal", GENERIC, TonePrior(0.9, darkens=False), ""),
    ("stainless", "stainless steel", "Metal", GENERIC, TonePrior(4.0), ""),
    ("steel", "steel", "Metal", GENERIC, TonePrior(4.0), ""),
    ("galvanised", "galvanised steel", "Metal", GENERIC, TonePrior(4.0), "the zinc layer gives off zinc oxide fume"),
    ("coated_metal", "coated metal", "Metal", GENERIC, TonePrior(0.8, darkens=False), ""),
    ("brass", "brass", "Metal", GENERIC, TonePrior(5.0), ""),
    ("copper", "copper", "Metal", GENERIC, TonePrior(6.0), ""),
    ("titanium", "titanium", "Metal", GENERIC, TonePrior(3.0), ""),
    ("gold", "gold", "Metal", GENERIC, TonePrior(5.0), ""),
    ("silver", "silver", "Metal", GENERIC, TonePrior(6.0), ""),
    ("unknown", "not known", "Not known", GENERIC, TonePrior(0.5), UNKNOWN),
)
FAMILIES: dict[str, Family] = {row[0]: Family(*row) for row in _ROWS}
BARE_METALS = frozenset({"aluminium", "stainless", "steel", "brass", "copper", "titanium", "gold", "silver"})
CLEAR = ("clear", "translucent")
BLUE_NM = (380.0, 550.0)
FAR_INFRARED_NM = 5000.0


@dataclass(frozen=True)
class Permission:
    """Whether a task may and can be done: `allowed`, else the reason and what would work instead."""

    allowed: bool
    reason: str = ""
    instead: str = ""

    @property
    def sentence(self) -> str:
        return f"{self.reason} {self.instead}".strip()


def family_of(stock: Stock) -> Family:
    """Return the family of a stock; raises OutOfRange for an id that the catalogue does not hold."""
    if stock.family not in FAMILIES:
        raise OutOfRange("Family", f"“{stock.family}”", "one of " + ", ".join(FAMILIES))
    return FAMILIES[stock.family]


def may_burn(machine: Machine, stock: Stock, task: Task) -> Permission:
    """Say whether this machine may burn this stock for this task.

    Barred families are refused on every machine.  A blue beam passes through clear acrylic and glass; bare metal
    throws a blue or far-infrared beam back; glass, stone and metal are not cut by machines of this class (published
    reflectances and depths: docs/methods.md).
    """
    family = family_of(stock)
    if family.barred:
        return Permission(False, f"{stock.name} is {family.word}: {family.barred}.", "Do not burn it in any machine.")
    blue = BLUE_NM[0] <= machine.wavelength_nm <= BLUE_NM[1]
    if blue and family.id in ("acrylic", "glass", "mirror", "petg", "pc") and stock.opacity in CLEAR:
        return Permission(
            False,
            f"A {machine.wavelength_nm:.0f} nm beam passes through clear {family.word}.",
            "A CO₂ machine would work, or an absorbing layer on top for a mark.",
        )
    if family.id in BARE_METALS and (blue or machine.wavelength_nm > FAR_INFRARED_NM):
        return Permission(
            False, f"Bare {family.word.split(',')[0]} throws this beam back.", "A fibre machine would work, or a marking layer."
        )
    if task == "cut" and family.group in ("Metal", "Glass and stone"):
        return Permission(False, f"This machine does not cut {family.word.split(',')[0]}.", "Engraving may work.")
    if machine.source == "fibre" and family.group not in ("Metal", "Plastic", "Glass and stone"):
        return Permission(
            False,
            f"{family.word.capitalize()} takes up little of a {machine.wavelength_nm:.0f} nm beam.",
            "A diode or a CO₂ machine would work.",
        )
    return Permission(True)


def refuse_if_barred(machine: Machine, stock: Stock, task: Task) -> None:
    """Raise Barred, with the reason and what would work, where `may_burn` says no."""
    permission = may_burn(machine, stock, task)
    if not permission.allowed:
        raise Barred(permission.sentence)
