"""The stand-in bench: burns a trial on simulated stock, cell by cell, and says what a careful
person would see.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.placing.labels import Lettering
from olive_almanac.core.placing.places import part_seen
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading, Verdict
from olive_almanac.core.records.setting import Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.standins.ailing import AilingMachine
from olive_almanac.standins.faults import Fault, with_fault
from olive_almanac.standins.groove import dials_of, dig
from olive_almanac.standins.material import Hidden, hidden_of
from olive_almanac.standins.prepared import prepared
from olive_almanac.standins.session import cells_of_run, sheet_wave
from olive_almanac.standins.tone import PLASTICS, dotted_lightness, tone
from olive_almanac.standins.wear import Mishap, wear_of

if TYPE_CHECKING:
    from olive_almanac.standins.camera import Snap

__all__ = ["BurntCell", "StandInBench", "cut_verdict", "flare_chance", "grip_of", "tone_verdict"]

CHAR_EDGES = (1.0, 1.9)  # heat of the edge from which it is brown, charred
FLARE_SOFT = 0.06  # width of the band of heat in which some cells flare and some do not
TONE_AIM, TONE_BAND = 0.62, 7.0  # the tone this shop calls right: share of the full change, +- L*
MISREAD, MISGRADED = 0.01, 0.05  # share of verdicts and edge grades that are one off
SMOKE_FROM = 0.75  # heat of the edge from which it smokes heavily without air
DAY_DRIFT, DAY_FOCUS_MM = 0.05, 1.0  # half widths from day to day: power and thickness, focus
PATCH_MM = 40.0  # of cut with a luck of its own
SHEET_MM = (400.0, 300.0)
ROUGH_FROM_MM = 5.0  # plastics from this thickness on get a rough edge under full air


@dataclass(frozen=True)
class BurntCell:
    """What happened to one cell: the truth, and the reading a careful person would give.

    `frees` tells that the piece falls free; `back_mm` is the slot's width at the back, 0 where it
    is not through; `spread` the spread of L* within a raster; `haze_mm` how far haze or char
    reaches beside it and `haze_l` by how much it changes the tone there.
    """

    cell: str
    seconds: float
    depth_mm: float
    through: bool
    frees: bool
    kerf_mm: float
    back_mm: float
    edge_heat: float
    lightness: float | None
    spread: float
    haze_mm: float
    haze_l: float
    flared: bool
    smokes: bool
    seen: Reading


class StandInBench:
    """Burns trials.

    The same bench seed gives the same hidden stock; the same trial on it burns alike each time.
    """

    def __init__(self, seed: int = 1) -> None:
        self.seed = seed

    def burn(
        self, trial: Trial, *, need: float = 0.0, fault: Fault | None = None
    ) -> Iterator[BurntCell]:
        """Burn the cells in order, yielding each as it is done, on a machine that needs so much
        more energy than when it was new (ln); `fault` is planted on it.
        """
        truths = self._truths(trial)
        rng = np.random.default_rng([self.seed, *trial.id.encode()])
        cells, dials = cells_of_run(truths[0], trial, rng)
        if need:
            dials = replace(dials, strength=dials.strength * math.exp(-need))
        if fault is not None:
            truths = tuple(with_fault(fault, one, dials, cells)[0] for one in truths)
            dials = with_fault(fault, truths[0], dials, cells)[1]
        thickness = trial.stock.true_thickness_mm
        pitch = np.array([cell.setting.pitch_mm or 1.0 for cell in cells])
        ways = np.array([2.0 if cell.setting.crosshatch else 1.0 for cell in cells])
        grooves = [dig(truth, trial.machine, dials, thickness) for truth in truths]
        tones = [
            tone(truth, trial.machine, trial.stock, dials, pitch_mm=pitch, ways=ways)
            for truth in truths
        ]
        for i, cell in enumerate(cells):
            hidden, groove, toned = truths[cell.recipe], grooves[cell.recipe], tones[cell.recipe]
            heat = float(groove.edge_heat[i] * np.exp(0.10 * rng.standard_normal()))
            if cell.setting.pitch_mm:
                lightness = float(toned.lightness[i])
                if cell.dots:
                    lightness = dotted_lightness(
                        hidden,
                        trial.machine,
                        trial.stock,
                        dials.of(i),
                        pitch_mm=cell.setting.pitch_mm,
                        share=cell.dots,
                    )
                yield _rastered(
                    cell,
                    hidden,
                    lightness,
                    float(toned.spread[i]),
                    float(toned.haze_mm[i]),
                    float(toned.haze_l[i]),
                    bool(toned.cracked[i]),
                    heat,
                    rng,
                )
                continue
            depth, top, back = (
                float(groove.depth_mm[i]),
                float(groove.top_mm[i]),
                float(groove.back_mm[i]),
            )
            airless = not dials.air[i]
            yield _cut(trial, cell, hidden, depth, top, back, heat, rng, airless=bool(airless))

    def _truths(self, trial: Trial) -> tuple[Hidden, ...]:
        """The hidden stock as each of the trial's recipes prepared it."""
        recipes = trial.recipes or (trial.recipe,)
        return tuple(prepared(trial.machine, trial.stock, one, self.seed) for one in recipes)

    def need(
        self,
        machine: Machine,
        day: float,
        hours: float,
        *,
        began_at_h: float = 0.0,
        acts: Sequence[tuple[float, float, str]] = (),
        mishaps: Sequence[tuple[float, str, float]] = (),
    ) -> float:
        """Return how much more energy a machine needs on a day (ordinal), ln, than when its record
        began: its source and its film age by the bench's seed; `acts` are (day, hours then,
        "clean" | "align" | "source"), `mishaps` (day, "spatter" | "mirror", ln energy).
        """
        wear = wear_of(machine, self.seed, day, 0.0)
        wear = replace(wear, mishaps=tuple(Mishap(*one) for one in mishaps))
        return wear.need(day, hours, began_at_h=began_at_h, acts=acts)

    def ailing(self, machine: Machine) -> AilingMachine:
        """Return a machine with one fault that the bench's seed hides."""
        return AilingMachine(machine, self.seed)

    def truth(self, trial: Trial) -> dict[str, object]:
        """Return the hidden parameters, for truth.json."""
        return {"seed": self.seed, "trial": trial.id, **asdict(self._truths(trial)[0])}

    def photograph(
        self,
        trial: Trial,
        lettering: Lettering,
        *,
        number: int = 0,
        side: str = "front",
        burnt: frozenset[str] | None = None,
        nuisances: bool = True,
    ) -> bytes:
        """Return a phone's photo (JPEG) of the burnt coupon; `number` tells several photos of it
        apart, `burnt` names the cells that were burnt (all, when None); `side` is the front, the
        back, or a place that is photographed by itself.
        """
        from olive_almanac.standins import camera  # heavy: only where a photo is taken

        part = part_seen(trial, side)
        there = {cell.id for cell in part.cells} & (burnt or {cell.id for cell in trial.cells})
        seed, shot = 1000 * self.seed + number, None
        if side not in ("front", "back"):
            shot = camera.shot_of_place(
                seed,
                self.seed,
                nuisances=nuisances,
                coupon_mm=(part.coupon.width_mm, part.coupon.height_mm),
                shiny="gloss" in trial.stock.finish,
            )
        snap: Snap = camera.photograph(
            part,
            tuple(one for one in self.burn(trial) if one.cell in there),
            self._truths(trial)[0],
            lettering,
            seed=seed,
            side=side,
            nuisances=nuisances,
            shot=shot,
        )
        return snap.jpeg

    def cut_pieces(
        self,
        machine: Machine,
        stock: Stock,
        setting: Setting,
        lengths_mm: Sequence[float],
        *,
        day: int = 0,
    ) -> tuple[str, ...]:
        """Return what becomes of pieces whose cuts are so long, burnt in one run: each "free",
        "hangs" or "knot" (it hangs at a fault of the stock).  Power, focus and thickness of the
        `day` are the same for all of them.
        """
        hidden = hidden_of(machine, stock, self.seed)
        rng = np.random.default_rng([self.seed, day, len(lengths_mm)])
        strength = 1 - hidden.tube_sag * rng.random() + DAY_DRIFT * rng.uniform(-1, 1)
        shift_mm = DAY_FOCUS_MM * rng.uniform(-1, 1)
        thickness = stock.true_thickness_mm * (1 + DAY_DRIFT * rng.uniform(-1, 1))
        patches = np.array([max(1, round(mm / PATCH_MM)) for mm in lengths_mm])
        count = int(patches.sum())
        places = rng.uniform(0, 1, (count, 2)) * SHEET_MM
        luck = np.exp(hidden.cell_spread * rng.standard_normal(count))
        luck *= [sheet_wave(hidden, x, y) for x, y in places.tolist()]
        knot = rng.random(count) < hidden.made.knots
        luck = np.where(knot, luck * rng.uniform(1.25, 1.6, count), luck)
        dials = replace(
            dials_of([setting]).repeated(count),
            luck=luck,
            strength=np.full(count, strength),
            shift_mm=np.full(count, shift_mm),
        )
        needed = thickness * (1 + grip_of(hidden, setting.speed_mm_s))
        short = dig(hidden, machine, dials, stock.true_thickness_mm).depth_mm < needed
        owner = np.repeat(np.arange(len(patches)), patches)
        return tuple(_came_out(short[owner == n], knot[owner == n]) for n in range(len(patches)))

    def success(self, machine: Machine, stock: Stock, task: Task, setting: Setting) -> float:
        """Return the true chance that a setting works from day to day in this shop."""
        from olive_almanac.standins.truth import success

        return float(
            success(hidden_of(machine, stock, self.seed), machine, stock, task, [setting])[0]
        )

    def best(
        self, machine: Machine, stock: Stock, task: Task, *, pitch_mm: float = 0.0
    ) -> tuple[Setting, float] | None:
        """Return the quickest setting that truly works and its seconds (a metre, or 100 cm2), or
        None where nothing does.
        """
        from olive_almanac.standins.truth import best

        return best(hidden_of(machine, stock, self.seed), machine, stock, task, pitch_mm=pitch_mm)


def _came_out(short: NDArray[np.bool_], knot: NDArray[np.bool_]) -> str:
    if (short & ~knot).any():
        return "hangs"
    return "knot" if short.any() else "free"


def grip_of(hidden: Hidden, speed_mm_s: float) -> float:
    """Return how far past its thickness a cut must dig to fall free: more where molten walls run
    together again.
    """
    made = hidden.made
    slow = 0.0
    if made.welds_below:
        slow = max(0.0, 1 - speed_mm_s / made.welds_below)
    return made.grip * (1 + 3 * slow)


def flare_chance(hidden: Hidden, edge_heat: float) -> float:
    """Return the chance that an edge of this heat catches fire."""
    if edge_heat < 50:
        return 1 / (1 + math.exp(-(edge_heat / hidden.made.flares - 1) / FLARE_SOFT))
    return 1.0


def _cut(
    trial: Trial,
    cell: Cell,
    hidden: Hidden,
    depth: float,
    top: float,
    back: float,
    heat: float,
    rng: np.random.Generator,
    *,
    airless: bool,
) -> BurntCell:
    thickness, setting = trial.stock.true_thickness_mm, cell.setting
    flared = bool(rng.random() < flare_chance(hidden, heat))
    if flared:
        grade = 3
    else:
        grade = sum(heat > edge for edge in CHAR_EDGES)
    if not flared and rng.random() < MISGRADED:
        grade = min(2, max(0, grade + (1 if rng.random() < 0.5 else -1)))
    measured = round(top, 2)
    if cell.mark == "comb":  # a slot as it comes out is wider than drawn by the kerf
        measured = round(cell.nominal_mm + top, 2)
    elif cell.mark == "stack":  # what each piece has lost
        measured = round(top + 0.01 * float(rng.standard_normal()), 3)
    if flared:
        defects = ["flare"]
    else:
        defects = []
    grip = grip_of(hidden, setting.speed_mm_s)
    reach = depth / thickness
    verdict: Verdict | None = None
    if trial.task == "cut":
        verdict = _slipped(cut_verdict(reach, grip), rng)
        if grip > hidden.made.grip * 1.2 and 1 + hidden.made.grip <= reach < 1 + grip:
            defects.append("reweld")
        if hidden.kind in PLASTICS and setting.air == "full" and thickness >= ROUGH_FROM_MM:
            defects.append("stripes")
    elif trial.task == "score":
        verdict = _score_verdict(depth, thickness)
    seen = Reading(
        cell.id,
        verdict,
        kerf_mm=max(0.0, measured),
        char=grade,
        defects=tuple(defects),
        simulated=True,
    )
    halo = 0.05
    if heat > 0.4:
        halo = float(min(2.2, 0.10 + 0.32 * heat))
    dark = -14.0 * min(1.5, heat)
    smokes = airless and heat > SMOKE_FROM
    return BurntCell(
        cell.id,
        cell.seconds,
        min(depth, thickness),
        depth >= thickness,
        reach >= 1 + grip,
        top,
        back,
        heat,
        None,
        0.0,
        halo,
        dark,
        flared,
        smokes,
        seen,
    )


def _rastered(
    cell: Cell,
    hidden: Hidden,
    lightness: float,
    spread: float,
    haze_mm: float,
    haze_l: float,
    cracked: bool,
    heat: float,
    rng: np.random.Generator,
) -> BurntCell:
    shown = float(np.clip(lightness + 0.8 * rng.standard_normal(), 2.0, 98.0))
    felt = float(np.clip(shown + 1.5 * rng.standard_normal(), 0.0, 100.0))
    defects = [
        word
        for word, there in (("crack", cracked), ("haze", haze_mm > 0.8), ("uneven", spread > 6.0))
        if there
    ]
    seen = Reading(
        cell.id,
        tone_verdict(felt, hidden),
        lightness=round(felt, 1),
        defects=tuple(defects),
        simulated=True,
    )
    return BurntCell(
        cell.id,
        cell.seconds,
        0.0,
        False,
        False,
        0.0,
        0.0,
        heat,
        shown,
        spread,
        haze_mm,
        haze_l,
        False,
        False,
        seen,
    )


def _slipped(verdict: Verdict, rng: np.random.Generator) -> Verdict:
    """Now and then a person takes a cell for its neighbour in rank."""
    ranks: tuple[Verdict, ...] = ("not_through", "hangs", "push", "free")
    if rng.random() >= MISREAD:
        return verdict
    at = ranks.index(verdict) + (1 if rng.random() < 0.5 else -1)
    return ranks[min(len(ranks) - 1, max(0, at))]


def _score_verdict(depth_mm: float, thickness_mm: float) -> Verdict:
    """A score is right around half a millimetre, or a third of thin stock."""
    aim = min(0.5, thickness_mm / 3)
    if depth_mm < 0.05:
        return "no_mark"
    if depth_mm < 0.6 * aim:
        return "too_light"
    if depth_mm <= 1.5 * aim:
        return "right"
    return "too_dark"


def cut_verdict(reach: float, grip: float) -> Verdict:
    """Return what a cut that reaches this share of the thickness does."""
    if reach < 1:
        return "not_through"
    if reach < 1 + grip / 2:
        return "hangs"
    if reach < 1 + grip:
        return "push"
    return "free"


def tone_verdict(lightness: float, hidden: Hidden) -> Verdict:
    """Return what this shop calls a tone."""
    made = hidden.made
    aim = made.bare_l + TONE_AIM * (made.burnt_l - made.bare_l)
    toward = math.copysign(1.0, made.burnt_l - made.bare_l)
    if abs(lightness - made.bare_l) < 3:
        return "no_mark"
    if abs(lightness - aim) <= TONE_BAND:
        return "right"
    if toward * (lightness - aim) > 0:
        return "too_dark"
    return "too_light"
