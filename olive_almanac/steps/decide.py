"""Decide: fit the readings, draw the window, offer picks, and write the chosen one into the book."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Protocol

from olive_almanac.core.records.entry import Entry, Evidence
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.steps.session import Desk, Session

if TYPE_CHECKING:
    from olive_almanac.core.deciding.decision import Decision, Pick

__all__ = ["DecidePresenter", "SettingMap", "ShowsDecision", "decide_trial", "entry_of", "work_out"]

Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
MAP_POINTS = 41
FIT_SEED = 11  # the fit's draws are fixed, so that a decision can be repeated


@dataclass(frozen=True)
class SettingMap:
    """The window over power x speed at the pick's passes, focus and pitch.

    `power` [p] and `speed_mm_s` [v] are the axes; `chance` [p, v] is P(free) (cut) or P(right) (engrave); `low` and
    `high` [p, v] are P(charred or worse) and P(flare) (cut), or P(too light) and P(too dark) (engrave).
    """

    power: Any
    speed_mm_s: Any
    chance: Any
    low: Any
    high: Any
    passes: int
    focus_mm: float
    pitch_mm: float


def decide_trial(pairs: Pairs, *, target: float | None = None, lightness: float | None = None) -> tuple[Decision, Any]:
    """Return the decision from trials of one subject and what is known (CutKnowledge or ToneKnowledge)."""
    import numpy as np

    trial = pairs[0][0]
    if trial.task == "cut":
        from olive_almanac.core.deciding import cut
        from olive_almanac.core.design.suggest import flare_limit_of

        known = cut.know_cut(trial.machine, trial.stock, pairs, rng=np.random.default_rng(FIT_SEED))
        limit = flare_limit_of(trial.stock, pairs)
        return cut.decide_cut(known, pairs, target=target or cut.TARGET, limit=limit), known
    from olive_almanac.core.deciding import engrave

    tone = engrave.know_tone(trial.machine, trial.stock, pairs, task=trial.task)
    return engrave.decide_engrave(tone, pairs, target=target or engrave.TARGET, lightness=lightness), tone


def work_out(pairs: Pairs) -> Iterator[tuple[str, Any]]:
    """Yield ("decision", Decision), then ("map", SettingMap): the long work of the station, for a worker."""
    decision, known = decide_trial(pairs)
    yield "decision", decision
    yield "map", _map_of(pairs, decision, known)


def _map_of(pairs: Pairs, decision: Decision, known: Any) -> SettingMap:
    import numpy as np

    trial = pairs[-1][0]
    settings = [cell.setting for one, _ in pairs for cell in one.cells]
    base = decision.picks[0].setting if decision.picks else max(settings, key=lambda s: (s.power, -s.speed_mm_s))
    shown = [cell.setting for cell in trial.cells] + [pick.setting for pick in decision.picks]
    powers, speeds = [s.power for s in shown], [s.speed_mm_s for s in shown]
    spread, width = max(powers) - min(powers) or 0.2, max(speeds) - min(speeds) or 0.5 * max(speeds)
    power = np.linspace(max(0.01, min(powers) - 0.12 * spread), max(powers) + 0.08 * spread, MAP_POINTS)
    speed = np.linspace(max(0.05 * min(speeds), min(speeds) - 0.08 * width), max(speeds) + 0.08 * width, MAP_POINTS)
    p, v = np.meshgrid(power, speed, indexing="ij")
    if trial.task == "cut":
        from olive_almanac.core.deciding.cut import MAP_PARTICLES

        chance = known.chance(power=p, speed_mm_s=v, passes=base.passes, focus_mm=base.focus_mm, particles=MAP_PARTICLES)
        char = known.char_above(power=p, speed_mm_s=v, passes=base.passes)
        return SettingMap(power, speed, chance, char[1], char[2], base.passes, base.focus_mm, 0.0)
    light, right, dark = known.chances(power=p, speed_mm_s=v, pitch_mm=base.pitch_mm, passes=base.passes)
    return SettingMap(power, speed, right, light, dark, base.passes, base.focus_mm, base.pitch_mm)


def entry_of(pick: Pick, decision: Decision, pairs: Pairs, *, uid: str, written: str, machine: Machine, stock: Stock) -> Entry:
    """Return the book entry of a chosen pick, with its evidence."""
    evidence = Evidence(
        tuple(trial.id for trial, _ in pairs),
        decision.cells_read,
        pick.probability,
        decision.target,
        pick.margins,
        pick.char,
        pick.seconds_per_m,
        pick.seconds_per_100cm2,
        decision.edge_doubt,
        decision.says,
    )
    return Entry(uid, machine.uid, stock.uid, pairs[0][0].task, pick.setting, "trial", written, stock.lot, machine.state, evidence)


class ShowsDecision(Protocol):
    def show_decision(self) -> None: ...


class DecidePresenter:
    """Keeps the decision and the map for the readings as they are, and which pick is chosen."""

    def __init__(self, session: Session, view: ShowsDecision) -> None:
        self.session, self._view = session, view
        self.decision: Decision | None = None
        self.map: SettingMap | None = None
        self.chosen = 0
        self._basis: object = None

    @property
    def desk(self) -> Desk | None:
        return self.session.desk

    def work(self) -> Iterator[tuple[str, Any]] | None:
        """Return the work to do for the present readings, or None when it is done already or there is none."""
        desk = self.session.desk
        basis = tuple(desk.pairs) if desk and desk.readings else None
        if basis is None:
            self.decision, self.map, self._basis = None, None, None
            return None
        if basis == self._basis and self.map is not None:
            return None
        assert desk is not None
        self._basis, self.chosen = basis, 0
        self.decision, self.map = None, None
        return work_out(desk.pairs)

    def take(self, item: tuple[str, Any]) -> None:
        """Take one result of the work."""
        kind, value = item
        if kind == "decision":
            self.decision = value
        else:
            self.map = value
        self._view.show_decision()

    def choose(self, index: int) -> None:
        if self.decision and 0 <= index < len(self.decision.picks):
            self.chosen = index
            self._view.show_decision()

    @property
    def pick(self) -> Pick | None:
        return self.decision.picks[self.chosen] if self.decision and self.decision.picks else None

    def write_entry(self) -> Entry | None:
        """Write the chosen pick into the book: it is on trial until its confirming burns pass."""
        desk, pick, decision = self.session.desk, self.pick, self.decision
        machine, stock = self.session.subject.machine, self.session.subject.stock
        if desk is None or pick is None or decision is None or machine is None or stock is None:
            return None
        old = self.session.entry
        entry = entry_of(
            pick,
            decision,
            desk.pairs,
            uid=old.uid if old else self.session.new_id(),
            written=self.session.today().isoformat(),
            machine=machine,
            stock=stock,
        )

        def action() -> None:
            self.session.keep_entry(entry, f"chosen from {desk.trial.name}", "entry in the book")
            self.session.keep_trial(desk.trial, "book", "written into the book")

        return entry if self.session.attempt(action) else None
