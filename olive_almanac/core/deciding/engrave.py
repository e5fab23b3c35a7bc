"""Decide an engraving: the chance that the tone is right over areal energy, and the setting that
reaches it soonest.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.special import ndtr

from olive_almanac.core.burn.energy import dose_ripple
from olive_almanac.core.burn.pulses import overlaps_text
from olive_almanac.core.deciding.decision import Aim, Decision, Pick
from olive_almanac.core.fitting.cut import case_of, expected_edge_speed
from olive_almanac.core.fitting.tone import (
    ToneCurve,
    TonePosterior,
    areal_energy_of,
    counted_energy,
    fit_lightness,
    fit_reciprocity,
    fit_tone,
    tone_data_of,
)
from olive_almanac.core.materials.families import TonePrior, tone_prior
from olive_almanac.core.motion.profile import raster_seconds
from olive_almanac.core.records.entry import Margins
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import DEFECT_WORDS, Reading
from olive_almanac.core.records.setting import Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import count_text, number_text
from olive_almanac.core.words import tr

__all__ = ["FittedTone", "decide_engrave", "know_tone", "prior_of_tone"]

Floats = NDArray[np.float64]
Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
TARGET = 0.80
LEAST = 0.50  # below this chance of the right tone nothing is picked
POWER_DRIFT = 0.05  # half width, as a fraction
PATCH_SPREAD = 0.05  # sd of ln F between the coupon and the rest of the sheet
SCORE_DEPTH_MM = 0.5  # a score that folds or shows, without cutting
# difference of L* from the stock that reads well at arm's length (common practice, no source)
LEGIBLE_L = 15.0
ALIKE = 0.25  # sd of ln energy over which cells are taken to look alike
SEEN_L = 3.0  # L* off the wanted tone that the eye still lets pass (common practice, no source)
PLAIN_TRADE = 0.15  # exponent from which it is said that power and speed do not trade evenly
PLAIN_RIPPLE = 0.10  # dose ripple from which lines begin to show
PATCH_MM = 100.0  # the time is told for a square of this side: 100 cm2


@dataclass(frozen=True)
class FittedTone:
    """What the readings say of one subject's tone; `curve` where lightness was measured.

    Its energies are areal energies as they count at full power, J/mm2: `reciprocity` says how much
    more power counts than time (`core/fitting/tone.py`).
    """

    machine: Machine
    posterior: TonePosterior
    curve: ToneCurve | None
    cells_read: int
    highest_j_mm2: float = 0.0  # of the energies read
    reciprocity: float = 0.0

    def counted(self, setting: Setting) -> float:
        """Return the energy of a setting as it counts at full power, J/mm2; of a line J/mm."""
        energy = areal_energy_of(setting, self.machine, setting.speed_mm_s)
        return float(counted_energy(energy, self._share(setting.power), self.reciprocity))

    def _share(self, power: ArrayLike) -> Floats:
        """Powers at the work as shares of the most."""
        watts = np.interp(np.asarray(power, float), *self.machine.power_curve)
        return np.asarray(watts / self.machine.watts(1.0), float)

    def tones(self) -> tuple[float, float, float] | None:
        """Return L* of the lightest tone that is legible, of the middle, and of the darkest before
        over-burn (on stock that marks light: the lightest); None without a curve.
        """
        if self.curve is None:
            return None
        energies = np.geomspace(1e-3 * self.highest_j_mm2, self.highest_j_mm2, 400)
        tones = self.curve.lightness(energies)
        strongest = float(tones[np.abs(tones - self.curve.blank).argmax()])
        reach = strongest - self.curve.blank
        faintest = self.curve.blank + np.sign(reach) * min(LEGIBLE_L, 0.9 * abs(reach))
        return float(faintest), float((faintest + strongest) / 2), strongest

    def chances(
        self, *, power: ArrayLike, speed_mm_s: ArrayLike, pitch_mm: ArrayLike, runs: ArrayLike = 1
    ) -> Floats:
        """Return P(too light), P(right), P(too dark) under the shop's drift, [3, ...] in the
        broadcast shape; `runs` is how often every place is run over (`Setting.runs`).
        """
        energy = (
            np.asarray(runs, float)
            * np.interp(np.asarray(power, float), *self.machine.power_curve)
            / (
                np.asarray(speed_mm_s, float)
                * np.where(np.asarray(pitch_mm, float) > 0, pitch_mm, 1.0)
            )
        )
        return self.chances_at(counted_energy(energy, self._share(power), self.reciprocity))

    def chances_at(self, energy_j_mm2: ArrayLike) -> Floats:
        """Return P(too light), P(right), P(too dark) at energies as they count at full power."""
        return self.posterior.chances(
            energy_j_mm2, extra_noise=float(np.hypot(POWER_DRIFT / np.sqrt(3), PATCH_SPREAD))
        )


def know_tone(
    machine: Machine, stock: Stock, pairs: Pairs, *, task: Task = "engrave"
) -> FittedTone:
    """Fit the tone to the readings of the given trials (none: the family's prior; for a score in
    J/mm of line).
    """
    data = tone_data_of(pairs)
    prior = prior_of_tone(machine, stock, task)
    curve = fit_lightness(data)
    if curve is None:
        reciprocity = fit_reciprocity(prior, data)
    else:
        reciprocity = curve.reciprocity
    counted = data.counted(reciprocity)
    highest = 0.0
    if len(data.verdict):
        highest = float(np.exp(counted.log_energy.max()))
    read = len(data.verdict)
    return FittedTone(machine, fit_tone(prior, counted), curve, read, highest, reciprocity)


def prior_of_tone(machine: Machine, stock: Stock, task: Task) -> TonePrior:
    """Return what is expected before anything was read: of a score in J/mm of line."""
    if task == "score":
        return score_prior(machine, stock)
    return tone_prior(stock, machine.source)


def score_prior(machine: Machine, stock: Stock) -> TonePrior:
    """Return the line energy, J/mm, expected to score a groove half a millimetre deep (a third of
    thin stock).
    """
    depth = min(SCORE_DEPTH_MM, stock.true_thickness_mm / 3)
    case = replace(case_of(machine, stock), thickness_mm=depth)
    edge = expected_edge_speed(case, power=1.0, passes=1, focus_mm=0.0)
    return TonePrior(machine.watts(1.0) / edge)


def decide_engrave(
    knowledge: FittedTone, pairs: Pairs, *, target: float = TARGET, lightness: float | None = None
) -> Decision:
    """Return the settings that reach the right tone, or a wanted lightness L*, soonest and from the
    surest tested cell.
    """
    settings = [cell.setting for trial, _ in pairs for cell in trial.cells]
    if not settings or not knowledge.cells_read:
        return Decision(
            (),
            target,
            knowledge.cells_read,
            tr("Nothing has been read yet, so there is nothing to decide from."),
            undecided=True,
        )
    energies = [knowledge.counted(s) for s in settings]
    axis = np.geomspace(0.4 * min(energies), 2.5 * max(energies), 400)
    if lightness is not None:
        return _for_lightness(knowledge, pairs, settings, lightness, max(energies), target)
    chance = knowledge.chances_at(axis)
    best = int(chance[1].argmax())
    energy, top, doubt = float(axis[best]), float(chance[1, best]), knowledge.posterior.centre_doubt
    if top < LEAST or not min(energies) * 0.8 <= energy <= max(energies) * 1.25:
        return _undecided(knowledge, settings, energy, top, target, doubt)
    picks = _with_burnt(_picks(knowledge, settings, energies, energy), pairs)
    dialled = areal_energy_of(picks[0].setting, knowledge.machine, picks[0].setting.speed_mm_s)
    return Decision(
        picks,
        target,
        knowledge.cells_read,
        tr(
            "{dialled:.2g} {settings} gives the right tone with {top:.0f} % chance; "
            "known to ± {doubt} % from {cells_read} cells.",
            dialled=dialled,
            settings=_unit(settings),
            top=100 * top,
            doubt=max(1, round(100 * doubt)),
            cells_read=knowledge.cells_read,
        ),
        edge_doubt=doubt,
        remarks=_remarks(knowledge, pairs, settings, energy),
    )


def _remarks(
    knowledge: FittedTone, pairs: Pairs, settings: Sequence[Setting], energy: float
) -> tuple[str, ...]:
    """The dose ripple of the line pitch, and haze or unevenness where they were measured near an
    energy, or seen.
    """
    remarks = []
    pitch = max((s.pitch_mm for s in settings), default=0.0)
    if pitch > 0:
        spot = knowledge.machine.spot_longer_mm
        ripple = dose_ripple(pitch_mm=pitch, spot_mm=spot)
        lines = ""
        if ripple > PLAIN_RIPPLE:
            lines = tr(" Lines may show: take a finer pitch.")
        remarks.append(
            tr(
                "Line pitch {pitch} mm on a {spot} mm spot: dose ripple {ripple:.0f} %.{lines}",
                pitch=number_text(pitch),
                spot=number_text(spot),
                ripple=100 * ripple,
                lines=lines,
            )
        )
    overlap = overlaps_text(knowledge.machine, settings)
    if overlap:
        remarks.append(tr("Overlap of the pulses along a line: {overlap}.", overlap=overlap))
    if knowledge.curve is not None:  # verdicts alone tell it too vaguely to speak of it
        remarks += _uneven_trade(knowledge.reciprocity)
    remarks += _texture(knowledge, pairs, energy)
    seen = [reading.defects for _, readings in pairs for reading in readings]
    for defect, advice in (
        ("haze", tr("less air or a film keeps it off")),
        ("uneven", tr("tape or a slower, weaker burn evens it")),
    ):
        count = sum(defect in defects for defects in seen)
        if count:
            remarks.append(
                tr(
                    "{count} of {seen} cells show {defect_words}: {advice}.",
                    count=count,
                    seen=len(seen),
                    defect_words=DEFECT_WORDS[defect],
                    advice=advice,
                )
            )
    return tuple(remarks)


def _uneven_trade(reciprocity: float) -> list[str]:
    """What half the power at half the speed does, where it is not the same."""
    if abs(reciprocity) < PLAIN_TRADE:
        return []
    share = 2.0**-reciprocity
    if share < 1:
        does = tr("weaker")
    else:
        does = tr("stronger")
    says = tr("Power and speed do not trade evenly here: half the power at half the speed burns")
    return [f"{says} {number_text(100 * abs(share - 1), 2)} % {does}."]


def _texture(knowledge: FittedTone, pairs: Pairs, energy: float) -> list[str]:
    """How uneven the tone is and how far haze reaches, by what photos measured on cells of like
    energy.
    """
    rows = []
    for trial, readings in pairs:
        cells = {cell.id: cell.setting for cell in trial.cells}
        for one in readings:
            if one.cell in cells and one.evenness is not None and not one.flags:
                setting = cells[one.cell]
                off = np.log(knowledge.counted(setting) / energy) / ALIKE
                rows.append((np.exp(-0.5 * off**2), one.evenness, one.halo_mm or 0.0))
    if rows:
        weight, evenness, halo = np.array(rows).T
    else:
        weight, evenness, halo = (np.zeros(1),) * 3
    if weight.sum() < 1:
        return []
    uneven, reach = weight @ evenness / weight.sum(), weight @ halo / weight.sum()
    haze = ""
    if reach > 0.05:
        haze = tr(", haze reaches {reach} mm beside it", reach=number_text(float(reach), 2))
    return [
        tr(
            "At this energy the tone is uneven by {uneven} L*{haze}.",
            uneven=number_text(float(uneven), 2),
            haze=haze,
        )
    ]


def _unit(settings: Sequence[Setting]) -> str:
    if any(s.pitch_mm for s in settings):
        return "J/mm²"
    return "J/mm"


def _picks(
    knowledge: FittedTone, settings: Sequence[Setting], energies: Sequence[float], energy: float
) -> tuple[Pick, ...]:
    quick = _fastest(knowledge, settings, energy)
    picks = [
        _pick(
            knowledge,
            "quickest",
            quick,
            tr("the fastest tested speed, with the power that gives the right energy"),
        )
    ]
    surest = int(np.argmax(knowledge.chances_at(energies)[1]))
    tested = settings[surest]
    if (
        abs(np.log(tested.speed_mm_s / quick.speed_mm_s)) > 0.05
        and knowledge.chances_at(energies[surest])[1] >= LEAST
    ):
        picks.append(_pick(knowledge, "widest", tested, tr("the tested cell whose tone is surest")))
    return tuple(picks)


def _with_burnt(picks: Sequence[Pick], pairs: Pairs) -> tuple[Pick, ...]:
    """The picks, those marked that were burnt and read as they are."""
    told = {(trial.id, reading.cell) for trial, readings in pairs for reading in readings}
    cells = [(trial.id, cell) for trial, _ in pairs for cell in trial.cells]
    read = [cell.setting for trial, cell in cells if (trial, cell.id) in told]
    return tuple(
        replace(pick, burnt=any(pick.setting.burns_like(one) for one in read)) for pick in picks
    )


def _fastest(knowledge: FittedTone, settings: Sequence[Setting], energy: float) -> Setting:
    """The fastest tested speed whose power stays within the machine, at the tested pitch and
    passes.
    """
    pattern, machine = max(settings, key=lambda s: s.speed_mm_s), knowledge.machine
    full = machine.watts(1.0)
    needed = energy / (pattern.dose_per_watt * pattern.speed_mm_s)  # W s/mm at full power
    speed = min(pattern.speed_mm_s, full / needed)
    share = (needed * speed / full) ** (1 / (1 + knowledge.reciprocity))
    return replace(
        pattern,
        speed_mm_s=float(f"{speed:.3g}"),
        power=min(1.0, round(machine.fraction_for(share * full), 3)),
    )


def _pick(knowledge: FittedTone, aim: Aim, setting: Setting, why: str) -> Pick:
    chance = knowledge.chances(
        power=setting.power,
        speed_mm_s=setting.speed_mm_s,
        pitch_mm=setting.pitch_mm,
        runs=setting.runs,
    )
    return _timed(
        knowledge, Pick(aim, setting, float(chance[1]), _margins(knowledge, setting), why=why)
    )


def _timed(knowledge: FittedTone, pick: Pick) -> Pick:
    """The pick with its time: a metre of line, or a patch of 100 cm2."""
    setting = pick.setting
    if not setting.pitch_mm:
        return replace(pick, seconds_per_m=1000 * setting.passes / setting.speed_mm_s)
    seconds = setting.runs * raster_seconds(
        PATCH_MM,
        PATCH_MM,
        setting.pitch_mm,
        setting.speed_mm_s,
        knowledge.machine.acceleration_mm_s2,
    )
    return replace(pick, seconds_per_100cm2=seconds)


def _margins(knowledge: FittedTone, setting: Setting) -> Margins:
    """How far the energy may drift either way before the right tone is less likely than not."""
    energy = knowledge.counted(setting)
    factors = np.geomspace(1, 4, 200)

    def until_lost(direction: float) -> float | None:
        lost = np.flatnonzero(knowledge.chances_at(energy * factors**direction)[1] < LEAST)
        if len(lost):
            return float(factors[lost[0]] ** direction)
        return None

    return _two_sided(until_lost(-1.0), until_lost(1.0), knowledge.reciprocity)


def _two_sided(down: float | None, up: float | None, reciprocity: float) -> Margins:
    """Margins from the factors by which the counted energy may fall and rise (None: any)."""
    of_power = 1 / (1 + reciprocity)
    return Margins(
        speed=None if down is None else 1 / down,
        power=None if down is None else down**of_power,
        power_up=None if up is None else up**of_power,
    )


def _undecided(
    knowledge: FittedTone,
    settings: Sequence[Setting],
    energy: float,
    top: float,
    target: float,
    doubt: float,
) -> Decision:
    pattern = max(settings, key=lambda s: s.speed_mm_s)
    cells = tuple(
        _fastest(knowledge, [pattern], energy * factor) for factor in (0.5, 0.7, 1.0, 1.4, 2.0)
    )
    says = tr(
        "Not decided yet: the likeliest energy, {energy:.2g} {settings}, is right "
        "with {top:.0f} % chance only. Burn the {cells} proposed.",
        energy=energy,
        settings=_unit(settings),
        top=100 * top,
        cells=count_text(len(cells), "cell"),
    )
    return Decision(
        (), target, knowledge.cells_read, says, undecided=True, next_cells=cells, edge_doubt=doubt
    )


def _for_lightness(
    knowledge: FittedTone,
    pairs: Pairs,
    settings: Sequence[Setting],
    lightness: float,
    highest: float,
    target: float,
) -> Decision:
    if knowledge.curve is None:
        return Decision(
            (),
            target,
            knowledge.cells_read,
            tr("Lightness was measured on fewer than 5 cells, so a target L* cannot be met yet."),
            undecided=True,
        )
    energy = knowledge.curve.energy_for(lightness, highest)
    if energy is None:
        return Decision(
            (),
            target,
            knowledge.cells_read,
            tr(
                "This stock does not reach L* {lightness:g} within the energies tested.",
                lightness=lightness,
            ),
            never=True,
        )
    setting = _fastest(knowledge, settings, energy)
    chance, margins = _around_tone(knowledge.curve, energy, lightness)
    pick = _timed(
        knowledge,
        Pick(
            "quickest",
            setting,
            chance,
            margins,
            why=tr("the fastest tested speed that gives L* {lightness:g}", lightness=lightness),
        ),
    )
    reached = float(knowledge.curve.lightness(energy))
    dialled = areal_energy_of(setting, knowledge.machine, setting.speed_mm_s)
    return Decision(
        _with_burnt((pick,), pairs),
        target,
        knowledge.cells_read,
        tr(
            "{dialled:.2g} {settings} gives L* {reached:.0f} ± {doubt:.1f}.",
            dialled=dialled,
            settings=_unit(settings),
            reached=reached,
            doubt=knowledge.curve.doubt,
        ),
        remarks=_remarks(knowledge, pairs, settings, energy),
    )


def _around_tone(curve: ToneCurve, energy: float, lightness: float) -> tuple[float, Margins]:
    """The chance that a tone lies within what the eye lets pass of the wanted one, and how far the
    energy may drift until not.
    """
    factors = np.geomspace(1, 4, 200)

    def until_off(direction: float) -> float | None:
        off = np.flatnonzero(
            np.abs(curve.lightness(energy * factors**direction) - lightness) > SEEN_L
        )
        if len(off):
            return float(factors[off[0]] ** direction)
        return None

    steps = energy * np.exp([-PATCH_SPREAD, PATCH_SPREAD])
    slope = float(np.diff(curve.lightness(steps))[0]) / (2 * PATCH_SPREAD)
    spread = float(np.hypot(curve.doubt, slope * np.hypot(POWER_DRIFT / np.sqrt(3), PATCH_SPREAD)))
    margins = _two_sided(until_off(-1.0), until_off(1.0), curve.reciprocity)
    return float(2 * ndtr(SEEN_L / max(spread, 1e-6)) - 1), margins
