"""Decide a cut: the window, picks and margins, or what stands in the way.  docs/methods.md, section
Decide.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.deciding.cut_knowledge import (
    PICK_NODES,
    PICK_PARTICLES,
    FittedCut,
    margins_of,
)
from olive_almanac.core.deciding.dead_end import SURE_STALL, dead_end
from olive_almanac.core.deciding.decision import AIMS, CHAR_LIMIT, Aim, Decision, Pick
from olive_almanac.core.deciding.directions import compare_directions
from olive_almanac.core.deciding.kerf import expected_kerf
from olive_almanac.core.deciding.scan import PASSES, Scan, open_speeds, scan_cut
from olive_almanac.core.deciding.weak_beam import weak_beam
from olive_almanac.core.design.next_cells import (
    ENOUGH_SD,
    FOCUS_SHARES,
    NextCells,
    Proposal,
    next_cut_cells,
)
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.fitting.kin_learning import kin_words
from olive_almanac.core.records.entry import Margins
from olive_almanac.core.records.reading import Reading, flared
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import count_text, number_text, passes_text, percent_text, speed_text
from olive_almanac.core.words import tr

__all__ = ["TARGET", "decide_cut", "margin_sentence"]

Floats = NDArray[np.float64]
Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
TARGET = 0.99
FLARE_LIMIT = 0.10
FLARES_FROM = 24  # cells after which some are spent on what may flare
# at which ln(time) must be known to ENOUGH_SD: better after fewer cells, less well after more
USUAL_CELLS = 24
UNSURE_FLARE = (0.05, 0.7)  # chances of a flare between which a cell tells something
SURE_FLARE = 0.3  # from this chance on a setting is known to flare: no further cell need tell
WIDEST_TIME = 1.5  # "widest" may take this many times as long as "quickest"
CLEANEST_TIME = 3.0
LESS_CHAR = 0.1  # expected grade by which "cleanest" must beat "quickest"
UNTRIED_GAIN = (
    0.04  # by how much quicker a number of passes that was not burnt must be to be picked
)
KEPT_GAIN = 0.015  # by how much quicker a new pick must be to take the place of the last one
PROOF_FROM = 2.0  # doubt of ln(time), in units of what is enough, from which on the pick is proved
PROOF_QUICKER = 1.08  # a cell so much quicker than the pick shows where its edge lies
PROOF_SPEED, PROOF_FOCUS_MM = 0.10, 0.4  # ln speed and focus within which a cell counts as proof
LAST_PASSES = (1, 4)  # with which other heights of the focus are tried before giving up
SOME_FREE = 2  # cells that fell free: one may be a slip, of more it is not said that nothing does
LAST_SHARE, LAST_LEAST_MM_S = 1.6, 1.0
DEEP_ENOUGH, DEEP_ENOUGH_CELLS = 0.6, 3  # measured depths, as shares of the thickness
FOCUS_STEP_MM = 0.3  # a focus this near to what was burnt counts as burnt
NEVER = 0.03  # chance that anything gets through below which it is given up
NOTHING_READ = tr("Nothing has been read yet, so there is nothing to decide from.")
ONLY_LINES = tr("Lines show where the focus lies, not what falls free: burn a grid to decide.")


def decide_cut(
    knowledge: FittedCut,
    pairs: Pairs,
    *,
    target: float = TARGET,
    limit: FlareLimit | None = None,
    kept: Setting | None = None,
    count: int = 8,
) -> Decision:
    """Return up to three picks at the highest tested power; or say what stands in the way.

    `kept` is the last pick: it stays while it holds the target and nothing is clearly quicker.
    `count` is the size of the batch of next cells.
    """
    pairs = [pair for pair in pairs if pair[0].id in knowledge.own]
    settings = [cell.setting for trial, _ in pairs for cell in trial.cells if cell.mark != "line"]
    if not settings or not knowledge.cells_read:
        if settings and any(flared(reading) for _, readings in pairs for reading in readings):
            return _all_flared(knowledge, max(s.power for s in settings), target, limit, count)
        lines = any(
            cell.mark == "line" for trial, readings in pairs if readings for cell in trial.cells
        )
        return Decision((), target, 0, ONLY_LINES if lines else NOTHING_READ, undecided=True)
    return _Window(knowledge, pairs, settings, target, limit, kept, count).decision()


def _all_flared(
    knowledge: FittedCut, power: float, target: float, limit: FlareLimit | None, count: int
) -> Decision:
    """Nothing is known of the edge yet, but where not to burn: what may be burnt below that."""
    cooler = next_cut_cells(
        knowledge.posterior,
        knowledge.case,
        drift=knowledge.drift,
        power=power,
        target=target,
        limit=limit,
        air=knowledge.air,
        count=count,
    )
    to_do = tr("Nothing cooler is left to try.")
    if cooler.cells:
        to_do = tr(
            "Burn the {cells} proposed: they are cooler.",
            cells=count_text(len(cooler.cells), "cell"),
        )
    return Decision(
        (),
        target,
        0,
        tr("Every cell read so far flared up. {to_do}", to_do=to_do),
        undecided=True,
        next_cells=cooler.settings,
        next_reasons=tuple(cell.reason for cell in cooler.cells),
    )


def _told(setting: Setting) -> str:
    passes = passes_text(setting.passes)
    return f"{percent_text(setting.power)} %, {speed_text(setting.speed_mm_s)}, {passes}"


def _distinct(picks: list[Pick]) -> list[Pick]:
    kept: list[Pick] = []
    for pick in picks:
        no_cleaner = (
            pick.aim == "cleanest" and kept and (kept[0].char or 0) - (pick.char or 0) < LESS_CHAR
        )
        if not no_cleaner and not any(pick.setting.burns_like(other.setting) for other in kept):
            kept.append(pick)
    return kept


@dataclass(frozen=True)
class _Option:
    """The quickest speed that meets the target for one number of passes and one focus, or a slower
    one.
    """

    setting: Setting
    seconds: float  # a metre
    chance: float
    margin: float
    char: Floats
    tried: bool

    @property
    def grade(self) -> float:
        return float(self.char.sum())


class _Window:
    """What meets the target at the highest tested power: for each number of passes and focus the
    quickest speed, and slower.
    """

    SLOWER = (1.0, 0.94, 0.88, 0.82, 0.76, 0.7)

    def __init__(
        self,
        knowledge: FittedCut,
        pairs: Pairs,
        settings: Sequence[Setting],
        target: float,
        limit: FlareLimit | None,
        kept: Setting | None,
        count: int,
    ) -> None:
        self.pairs, self.knowledge, self.target, self.limit, self.kept, self.count = (
            pairs,
            knowledge,
            target,
            limit,
            kept,
            count,
        )
        self.settings = settings
        told = set(knowledge.data.cells)  # of flared cells nothing is known but that
        self.read_cells = [
            (trial, cell)
            for trial, _ in pairs
            for cell in trial.cells
            if (trial.id, cell.id) in told
        ]
        self.read = [cell.setting for _, cell in self.read_cells]
        self.top = max(settings, key=lambda s: (s.power, s.passes, -s.speed_mm_s))
        self.tried = {(s.passes, round(s.focus_mm, 2)) for s in settings}
        passes, focus = [s.passes for s in settings], [s.mean_focus_mm for s in settings]
        self.burnt_passes, self.burnt_focus = (min(passes), max(passes)), (min(focus), max(focus))
        self.scan = self._scan()
        self.chance = self.scan.chance()
        self.options = self._options()

    def _scan(self) -> Scan:
        known, thickness = self.knowledge, self.knowledge.case.thickness_mm
        passes = sorted({*PASSES, *(s.passes for s in self.settings)})
        most = self._most_passes()
        focus = sorted(
            {round(s.focus_mm, 2) for s in self.settings}
            | {round(share * thickness, 1) for share in FOCUS_SHARES}
        )
        speeds = open_speeds(
            known.posterior,
            known.case,
            power=self.top.power,
            focus_mm=thickness / 2,
            most_passes=most,
            air=known.air,
        )
        return scan_cut(
            known.posterior,
            known.case,
            known.drift,
            power=self.top.power,
            passes=[n for n in passes if n <= most],
            focus_mm=np.array(focus),
            speed_mm_s=speeds,
            air=known.air,
            particles=PICK_PARTICLES,
            nodes=PICK_NODES,
        )

    def _most_passes(self) -> int:
        """Passes that may be promised: those that were burnt, and up to twice the most that got
        through.
        """
        through = [
            int(n)
            for n, low in zip(
                self.knowledge.data.burns.passes, self.knowledge.data.band_low, strict=True
            )
            if low >= 0
        ]
        return max([s.passes for s in self.settings] + [2 * n for n in through])

    def _options(self) -> list[_Option]:
        """For each passes and focus the quickest speed that meets the target without a flare, and
        some slower ones.
        """
        speeds, found = self.scan.speed_mm_s, []
        wanted = _log_odds(np.array(self.target))
        for n, count in enumerate(self.scan.passes):
            for f, height in enumerate(self.scan.focus_mm):
                good = np.flatnonzero(self.chance[n, f] >= self.target)
                if not len(good):
                    continue
                at = int(good[-1])
                speed = float(speeds[at])
                if at < len(speeds) - 1:
                    here, there = _log_odds(self.chance[n, f, at : at + 2])
                    along = (here - wanted) / max(here - there, 1e-9)
                    speed = float(np.exp(np.log(speed) + along * np.log(speeds[at + 1] / speed)))
                found.append((count, float(height), min(speed, self.knowledge.case.max_speed_mm_s)))
        if not found:
            return []
        slowest = min(
            s.speed_mm_s for s in self.settings
        )  # no slower pick than was burnt, unless nothing quicker would do
        rows = [
            (n, f, max(v * slower, min(v, slowest))) for n, f, v in found for slower in self.SLOWER
        ]
        passes, focus, speed = np.array(rows, float).T
        power = self.top.power
        char = self.knowledge.char_above(power=power, speed_mm_s=speed, passes=passes)
        margin = self.knowledge.mean_margin(
            power=power, speed_mm_s=speed, passes=passes, focus_mm=focus
        )
        options = []
        for i, (count, height, v) in enumerate(rows):
            setting = Setting(
                power, _dialled(float(v)), int(count), float(height), air=self.knowledge.air
            )
            tried = self._within(int(count), float(height))
            options.append(
                _Option(
                    setting,
                    1000 * count / setting.speed_mm_s,
                    self.target,
                    float(margin[i]),
                    char[:, i],
                    tried,
                )
            )
        return options

    def _within(self, passes: int, focus_mm: float) -> bool:
        """Between what was burnt: there the model only fills in."""
        (fewest, most), (high, low) = self.burnt_passes, self.burnt_focus
        return fewest <= passes <= most and high - FOCUS_STEP_MM <= focus_mm <= low + FOCUS_STEP_MM

    def decision(self) -> Decision:
        known = self.knowledge
        safe = [option for option in self.options if option.char[2] <= FLARE_LIMIT]
        quickest = None
        if safe:
            quickest = self._quickest(safe)
        next_cells = next_cut_cells(
            known.posterior,
            known.case,
            drift=known.drift,
            power=self.top.power,
            target=self.target,
            limit=self.limit,
            air=known.air,
            focus_mm=quickest.setting.focus_mm if quickest else None,
            count=self.count,
        )
        if quickest is None:
            next_cells = self._with_flare_cells(next_cells, (), self.count // 2)
            return self._none_found(self._of_one_coupon(next_cells))
        if (
            known.cells_read >= FLARES_FROM
        ):  # first where the edge lies, then what flares up before it
            next_cells = self._with_flare_cells(next_cells, (quickest,), self.count // 4)
        proof = self._proof(quickest.setting)
        enough = self._is_enough(next_cells, quickest)
        if enough or next_cells.log_time_sd < PROOF_FROM * self._near_enough:
            next_cells = self._joined(next_cells, proof)
        next_cells = self._of_one_coupon(next_cells, proof)
        enough = enough and not proof
        doubt = self._doubt_at(quickest.setting)
        picks = [
            self._described("quickest", quickest),
            self._described(
                "cleanest",
                min(
                    safe,
                    key=lambda o: (
                        o.grade if o.seconds <= CLEANEST_TIME * quickest.seconds else np.inf
                    ),
                ),
            ),
        ]
        wide = [
            o
            for o in safe
            if o.char[1] <= CHAR_LIMIT and o.seconds <= WIDEST_TIME * quickest.seconds
        ]
        if wide:
            picks.append(self._described("widest", max(wide, key=lambda o: o.margin)))
        picks = _distinct(picks)
        says = tr(
            "{aims}: {setting}, {probability:.0f} % sure to fall free; edge known to ± "
            "{doubt} % from {cells_read} cells.",
            aims=AIMS[picks[0].aim],
            setting=_told(picks[0].setting),
            probability=100 * picks[0].probability,
            doubt=max(1, round(100 * doubt)),
            cells_read=known.cells_read,
        )
        return Decision(
            tuple(picks),
            self.target,
            known.cells_read,
            says,
            next_cells=next_cells.settings,
            next_reasons=tuple(cell.reason for cell in next_cells.cells),
            edge_doubt=doubt,
            enough=enough,
            remarks=self._remarks(picks, quickest, enough=enough, doubt=doubt),
        )

    def _with_flare_cells(
        self, next_cells: NextCells, safe: Sequence[_Option], most: int
    ) -> NextCells:
        """Give some of the cells to what may flare or may not: quicker than the pick (or anything,
        where there is none), the coolest of each number of passes, the quickest first.
        """
        below = min((option.seconds for option in safe), default=np.inf) * (1 - ENOUGH_SD)
        unsure = [
            o
            for o in self.options
            if o.seconds < below
            and UNSURE_FLARE[0] < o.char[2] < UNSURE_FLARE[1]
            and self._may_burn(o.setting)
        ]
        chosen: dict[int, _Option] = {}
        for option in sorted(unsure, key=lambda o: o.seconds if safe else float(o.char[2])):
            chosen.setdefault(option.setting.passes, option)
        cells = [
            Proposal(
                o.setting,
                self.target,
                tr("whether it flares up with {passes}", passes=passes_text(o.setting.passes)),
            )
            for o in list(chosen.values())[:most]
        ]
        return self._joined(next_cells, cells)

    def _joined(self, next_cells: NextCells, cells: Sequence[Proposal]) -> NextCells:
        """The next cells with these among them, low energy first."""
        if not cells:
            return next_cells
        fresh = {cell.setting for cell in cells}
        kept = [cell for cell in next_cells.cells if cell.setting not in fresh][
            : max(0, self.count - len(cells))
        ]
        ordered = sorted(
            (*kept, *cells), key=lambda cell: cell.setting.passes / cell.setting.speed_mm_s
        )
        return replace(next_cells, cells=tuple(ordered))

    def _of_one_coupon(self, next_cells: NextCells, proof: Sequence[Proposal] = ()) -> NextCells:
        """The next cells of one focus where it is set by hand: that of the proof, if there is one
        among them, else the one of most of them.
        """
        if not self.knowledge.case.one_focus or not next_cells.cells:
            return next_cells
        heights = [cell.setting.focus_mm for cell in next_cells.cells]
        height = max(heights, key=heights.count)
        if proof and proof[0] in next_cells.cells:
            height = proof[0].setting.focus_mm
        kept = tuple(cell for cell in next_cells.cells if cell.setting.focus_mm == height)
        return replace(next_cells, cells=kept)

    def _proof(self, pick: Setting) -> list[Proposal]:
        """Cells around the pick that have not been read: with the focus as far off as the shop lets
        it, and a little quicker.
        """
        off, words = self.knowledge.drift.focus_mm, self._focus_words
        wanted = [
            (replace(pick, focus_mm=round(pick.focus_mm + step, 2)), words(step))
            for step in (-off, off)
            if not self.knowledge.case.one_focus
        ]
        top = self.knowledge.case.max_speed_mm_s
        quicker = _dialled(min(PROOF_QUICKER * pick.speed_mm_s, top))
        wanted.append((replace(pick, speed_mm_s=quicker), tr("how much quicker the pick may run")))
        return [
            Proposal(setting, self.target, why)
            for setting, why in wanted
            if not self._was_read(setting)
        ]

    @staticmethod
    def _focus_words(step_mm: float) -> str:
        way = tr("lower") if step_mm > 0 else tr("higher")
        return tr(
            "whether the pick takes a focus {step_mm} mm {way}",
            step_mm=number_text(abs(step_mm)),
            way=way,
        )

    def _was_read(self, wanted: Setting) -> bool:
        """Whether a cell next to a setting has been read."""
        return any(
            (one.power, one.passes) == (wanted.power, wanted.passes)
            and abs(np.log(one.speed_mm_s / wanted.speed_mm_s)) < PROOF_SPEED
            and abs(one.mean_focus_mm - wanted.focus_mm) < PROOF_FOCUS_MM
            for one in self.read
        )

    def _may_burn(self, setting: Setting) -> bool:
        """Whether a setting keeps below the limit from which flare-ups are expected."""
        watts = float(self.knowledge.case.power_w(setting.power))
        return self.limit is None or self.limit.allows(watts, setting.speed_mm_s, setting.passes)

    def _is_enough(self, next_cells: NextCells, quickest: _Option) -> bool:
        """Whether further cells would hardly change the pick: the least time is known, and nothing
        quicker is open but what is known to flare.
        """
        near = self._near_enough
        quicker = [
            o
            for o in self.options
            if o.seconds < (1 - near) * quickest.seconds and o.char[2] <= SURE_FLARE
        ]
        least = min(self.options, key=lambda o: o.seconds).seconds
        known = (
            next_cells.log_time_sd < near and np.log(least / 1000) - next_cells.log_time < 2 * near
        )
        return bool(known and not quicker)

    @property
    def _near_enough(self) -> float:
        """How well ln(time) must be known: the more cells were spent, the less another batch is
        worth its sheet.
        """
        return ENOUGH_SD * float(np.clip(self.knowledge.cells_read / USUAL_CELLS, 0.5, 2.0))

    def _quickest(self, safe: list[_Option]) -> _Option:
        """The quickest option, unless an option that was burnt, or the last pick, is nearly as
        quick.
        """
        best = min(safe, key=lambda o: o.seconds)
        burnt = min((o for o in safe if o.tried), key=lambda o: o.seconds, default=best)
        if burnt.seconds <= (1 + UNTRIED_GAIN) * best.seconds:
            best = burnt
        last = self.kept
        if last is not None and last.power == self.top.power and last.air == self.knowledge.air:
            chance = float(
                self.knowledge.chance(
                    power=last.power,
                    speed_mm_s=last.speed_mm_s,
                    passes=last.passes,
                    focus_mm=last.focus_mm,
                )
            )
            seconds = 1000 * last.passes / last.speed_mm_s
            char = self.knowledge.char_above(
                power=last.power, speed_mm_s=last.speed_mm_s, passes=last.passes
            )
            if (
                chance >= self.target
                and char[2] <= FLARE_LIMIT
                and seconds <= (1 + KEPT_GAIN) * best.seconds
            ):
                return _Option(last, seconds, chance, 0.0, char, True)
        return best

    def _described(self, aim: Aim, option: _Option) -> Pick:
        setting = option.setting
        energy = float(self.knowledge.case.power_w(setting.power)) / setting.speed_mm_s
        chance = float(
            self.knowledge.chance(
                power=setting.power,
                speed_mm_s=setting.speed_mm_s,
                passes=setting.passes,
                focus_mm=setting.focus_mm,
            )
        )
        why = {
            "quickest": tr(
                "the fastest setting that meets the house rule of {target:g} %",
                target=100 * self.target,
            ),
            "cleanest": tr("the least char among settings that meet the house rule"),
            "widest": (
                tr("the most energy in hand for at most half as much time again, edge not charred")
            ),
        }[aim]
        return Pick(
            aim,
            setting,
            chance,
            margins_of(self.knowledge, setting),
            seconds_per_m=option.seconds,
            char=option.grade,
            kerf_mm=expected_kerf(self.pairs, energy, setting.passes),
            why=why,
            untried=not option.tried,
            burnt=any(setting.burns_like(one) for one in self.read),
        )

    def _remarks(
        self, picks: list[Pick], quickest: _Option, *, enough: bool, doubt: float
    ) -> tuple[str, ...]:
        remarks = list(self._asked)
        if quickest.char[1] > 0.5:
            cleaner = next((p for p in picks if p.aim == "cleanest"), None)
            if cleaner is not None and quickest.setting.passes < cleaner.setting.passes:
                few, many = quickest.setting.passes, cleaner.setting.passes
                if few == 1:
                    slow = tr("One slow pass chars")
                else:
                    slow = tr("{few} slow passes char", few=few)
                remarks.append(
                    tr("{slow}: {many} faster passes leave a cleaner edge.", slow=slow, many=many)
                )
            else:
                remarks.append(tr("The edge will char whichever way it is cut here."))
        untried = [pick for pick in picks if pick.untried]
        if untried:
            names = tr(" and ").join(AIMS[pick.aim] for pick in untried)
            beyond = tr("lie")
            if len(untried) == 1:
                beyond = tr("lies")
            remarks.append(
                tr(
                    "{names} {beyond} beyond the passes and focus burnt so far: reckoned, so "
                    "confirm first.",
                    names=names,
                    beyond=beyond,
                )
            )
        directions = compare_directions(self.knowledge, quickest.setting, target=self.target)
        if directions is not None:
            remarks.append(directions.says)
        if self.knowledge.carried:
            remarks.append(tr("Begun from {carried}.", carried="; ".join(self.knowledge.carried)))
            differ = kin_words(self.knowledge.kin) if self.knowledge.kin is not None else ""
            remarks += [differ] if differ else []
        if self.knowledge.drift.says:
            remarks.append(tr("Allows for {says}.", says=", ".join(self.knowledge.drift.says)))
        if enough:
            whole = self._full_grid(doubt)
            saved = whole - self.knowledge.cells_read
            remarks.append(
                (
                    tr(
                        "Good enough: further cells would not change the pick by more than "
                        "{near_enough:.0f} %.",
                        near_enough=100 * self._near_enough,
                    )
                )
                + (
                    tr(
                        " A full grid as fine as this takes {whole} cells: {saved} saved.",
                        whole=whole,
                        saved=saved,
                    )
                    if saved > 0
                    else ""
                )
            )
        return tuple(remarks)

    def _full_grid(self, doubt: float) -> int:
        """Cells of a grid over all tried passes and focuses whose speeds step by twice the doubt
        over the range first open.
        """
        speeds = self.scan.speed_mm_s
        low, high = (
            min(s.speed_mm_s for s in self.settings),
            max(s.speed_mm_s for s in self.settings),
        )
        reach = np.log(max(high, speeds[-1]) / min(low, speeds[0]))
        return int(len(self.tried) * max(2, np.ceil(reach / max(2 * doubt, 0.02))))

    def _doubt_at(self, setting: Setting) -> float:
        return self.knowledge.edge_doubt(
            power=setting.power, passes=setting.passes, focus_mm=setting.focus_mm
        )

    @property
    def _asked(self) -> list[str]:
        """What the operator is asked about the machine and the coupon."""
        return [asked for asked in (self._deepest, weak_beam(self.knowledge, self.top)) if asked]

    @property
    def _deepest(self) -> str:
        """Which cell to gauge where nothing got through and no depth is known: the likeliest."""
        data = self.knowledge.data
        if set(data.verdicts) != {"not_through"} or np.isfinite(data.depth_mm).any():
            return ""
        margin = self.knowledge.mean_margin(
            power=[s.power for s in self.read],
            speed_mm_s=[s.speed_mm_s for s in self.read],
            passes=[s.passes for s in self.read],
            focus_mm=[s.mean_focus_mm for s in self.read],
        )
        trial, cell = self.read_cells[int(margin.argmax())]
        return tr(
            "Nothing got through. How deep is {id} of {trial}? Type it in Read (key G): "
            "one depth tells as much as several more cells.",
            id=cell.id,
            trial=trial.name,
        )

    def _none_found(self, next_cells: NextCells) -> Decision:
        known = self.knowledge
        n, f, v = np.unravel_index(int(self.chance.argmax()), self.chance.shape)
        best = float(self.chance[n, f, v])
        stall = known.stall_chance(
            power=self.top.power,
            speed_mm_s=float(self.scan.speed_mm_s[v]),
            focus_mm=float(self.scan.focus_mm[f]),
        )
        proposed = ""
        if next_cells.cells:
            proposed = tr(
                "Burn the {cells} proposed, low energy first.",
                cells=count_text(len(next_cells.cells), "cell"),
            )
        end = dead_end(known, [pair for pair in self.pairs if pair[0].id in known.own])
        base = Decision(
            (),
            self.target,
            known.cells_read,
            "",
            stall=stall > SURE_STALL or end is not None,
            undecided=True,
            next_cells=next_cells.settings,
            next_reasons=tuple(cell.reason for cell in next_cells.cells),
            edge_doubt=self._doubt_at(self.top),
            remarks=tuple(self._asked),
        )
        hopeless = next_cells.possible < NEVER and known.data.verdicts.count("free") < SOME_FREE
        elsewhere = self._other_heights() if hopeless else []
        if hopeless and not elsewhere:
            says = tr(
                "This machine will not cut it reliably: nothing from its fastest down to where a "
                "flare-up is expected meets the house rule."
            )
            if stall > 0.5:
                says = tr(
                    "It stalls: more passes will not get through. Refocus between passes, take "
                    "thinner stock or another machine."
                )
            return replace(base, says=says, never=True, undecided=False)
        if hopeless:
            told = self._joined(replace(next_cells, cells=()), elsewhere)
            cells = count_text(len(elsewhere), "cell")
            return replace(
                base,
                says=tr(
                    "Nothing gets through at this focus. Before giving up: {cells} at others.",
                    cells=cells,
                ),
                next_cells=told.settings,
                next_reasons=tuple(cell.reason for cell in told.cells),
            )
        if end is not None:
            return replace(base, says=f"{end.says} {proposed}".strip())
        if stall > SURE_STALL:
            says = tr(
                "It stalls: more passes will not get through. Go slower, refocus between passes, "
                "take thinner stock or another machine."
            )
            return replace(base, says=f"{says} {proposed}".strip())
        if self.options:
            return replace(base, says=self._too_hot(len(next_cells.cells)))
        says = tr(
            "Not decided yet: the surest setting falls free {best} % of the time, the "
            "house rule asks for {target:g} %. ",
            best=self._surest(best),
            target=100 * self.target,
        )
        return replace(base, says=says + (proposed or tr("Nothing is left to try here.")))

    def _other_heights(self) -> list[Proposal]:
        """The hottest cells that may be burnt with the focus on the face, in the middle and at the
        back, where nothing as hot has been tried: what is believed of the focus may be wrong.
        """
        thickness, depths = self.knowledge.case.thickness_mm, self.knowledge.data.depth_mm
        depths = depths[np.isfinite(depths)]
        found: list[Proposal] = []
        if len(depths) >= DEEP_ENOUGH_CELLS and depths.max() < DEEP_ENOUGH * thickness:
            return found  # measured: no height of the focus makes up for that much
        hottest = {n: self._slowest(n) for n in LAST_PASSES}
        hot = [
            one
            for one in self.read
            if one.power == self.top.power
            and any(
                one.passes >= n and one.speed_mm_s <= LAST_SHARE * v for n, v in hottest.items()
            )
        ]
        for focus in (0.0, round(thickness / 2, 1), round(thickness, 1)):
            if any(abs(one.mean_focus_mm - focus) <= thickness / 4 for one in hot):
                continue
            found += [
                Proposal(
                    Setting(self.top.power, speed, n, focus, air=self.knowledge.air),
                    0.0,
                    tr("whether another focus gets through"),
                )
                for n, speed in hottest.items()
            ]
        if found and self.knowledge.case.one_focus:  # the others with the next coupon
            found = [one for one in found if one.setting.focus_mm == found[0].setting.focus_mm]
        return found[: self.count]

    def _slowest(self, passes: int) -> float:
        """The lowest speed that may be burnt with so many passes, mm/s, as it is dialled."""
        watts, least = float(self.knowledge.case.power_w(self.top.power)), LAST_LEAST_MM_S
        if self.limit is not None:
            least = max(least, 1.01 * self.limit.slowest(watts, passes))
        return min(least, self.knowledge.case.max_speed_mm_s)

    def _too_hot(self, proposed: int) -> str:
        """What is said where settings get through, but none without a flare-up being likely."""
        if any(flared(reading) for _, readings in self.pairs for reading in readings):
            says = tr("Every setting that gets through may flare up.")
        else:
            says = tr("Every setting that gets through may flare up; nothing has flared yet.")
        if not proposed:
            return tr("{says} Nothing cooler is left to try.", says=says)
        cells = count_text(proposed, "cell")
        return tr(
            "{says} Burn the {cells} proposed: quicker passes, more of them.",
            says=says,
            cells=cells,
        )

    def _surest(self, best: float) -> str:
        """The highest chance of what was burnt or reckoned, in percent, cut rather than rounded up:
        what falls short of the target never reads as if it reached it.
        """
        burnt = self.knowledge.chance(
            power=[s.power for s in self.settings],
            speed_mm_s=[s.speed_mm_s for s in self.settings],
            passes=[s.passes for s in self.settings],
            focus_mm=[s.mean_focus_mm for s in self.settings],
        )
        chance = 100 * max(best, float(burnt.max()))
        if chance < 98:
            return f"{chance:.0f}"
        return f"{int(10 * chance) / 10:g}"


def _log_odds(chance: NDArray[np.floating]) -> NDArray[np.floating]:
    p = np.clip(chance, 1e-7, 1 - 1e-7)
    return np.asarray(np.log(p / (1 - p)))


def _dialled(speed_mm_s: float) -> float:
    """A speed rounded down to three digits, so that it can be typed in and is never quicker than
    decided.
    """
    scale = 10.0 ** (2 - np.floor(np.log10(speed_mm_s)))
    return float(np.floor(speed_mm_s * scale + 1e-6) / scale)


def margin_sentence(margins: Margins, setting: Setting) -> str:
    """Return the margin as a person says it: how much quicker it could run and still fall free."""
    if margins.speed is None:
        return tr("It could run more than twice as quick and still fall free.")
    often = tr(" {keeps} times in 20", keeps=round(20 * margins.keeps)) if margins.is_sure else ""
    quicker = number_text(100 * (margins.speed - 1), 2)
    return tr(
        "It could run {quicker} % quicker and still fall free{often}.", quicker=quicker, often=often
    )
