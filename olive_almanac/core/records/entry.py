"""A setting written into the book, with its evidence, and the rule that gives its state."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from typing import Literal

from olive_almanac.core.dates import day_text
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.ranges import check_choice, check_day, check_number, check_text
from olive_almanac.core.records.recipe import AS_IT_LIES, Recipe, RecipeKey, key_of, key_words
from olive_almanac.core.records.setting import TASKS, Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.weekly import WeeklyCheck, drift_since
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr

__all__ = [
    "PROOFS_NEEDED",
    "PROOF_DAYS",
    "Entry",
    "Evidence",
    "Margins",
    "Proof",
    "Room",
    "State",
    "Subject",
    "as_rehearsed",
    "proved_chance",
    "said_state",
    "state_of",
]

State = Literal["proven", "trial", "due", "guess", "untried", "cannot", "barred"]
PROOFS_NEEDED = 3  # house rule: this many confirming burns, all good
PROOF_DAYS = 183  # a proof holds for half a year
FAILED = "failed"
SURE_HALF_USED = 0.8
EVEN = 0.5  # as often as not
LEAST_DRIFT, USUAL_DRIFT = (
    0.05,
    0.08,
)  # ln energy below which nothing is due; limit where no margin in power is known
SURE = 0.95  # of the one-sided lower bound that good burns alone prove


@dataclass(frozen=True)
class Subject:
    """What a screen is about: machine, stock and task, any of which may still be missing."""

    machine: Machine | None = None
    stock: Stock | None = None
    task: Task = "cut"

    @property
    def complete(self) -> bool:
        """Whether machine and stock are both chosen."""
        return self.machine is not None and self.stock is not None


@dataclass(frozen=True)
class Margins:
    """How far one thing alone may change; None where no limit was found.

    `speed` and `power` are factors (1.31: 31 % quicker; 0.76: down to 76 % of the power).  Up to a
    limit the burn comes out right with the chance `keeps` (entries from before it was kept: as
    often as not); `edge` is the factor of speed at which it does as often as not.
    """

    speed: float | None = None
    power: float | None = None
    thickness_mm: float | None = None
    focus_up_mm: float | None = None
    focus_down_mm: float | None = None
    power_up: float | None = None
    keeps: float = field(default=EVEN, metadata={"written": "if set"})
    edge: float | None = field(default=None, metadata={"written": "if set"})

    @property
    def even_speed(self) -> float | None:
        """The factor of speed at which the burn comes out right as often as not, None if
        unknown.
        """
        if self.keeps == EVEN:
            return self.speed
        return self.edge

    @property
    def is_sure(self) -> bool:
        """Whether nearly all burns come out right up to the limits."""
        return self.keeps > EVEN


@dataclass(frozen=True)
class Room:
    """Air of the room in which a trial was burnt, as far as somebody looked."""

    celsius: float | None = None
    humidity_percent: float | None = None

    def __post_init__(self) -> None:
        if self.celsius is not None:
            check_number(tr("Temperature of the room"), self.celsius, "°C", low=-20, high=60)
        if self.humidity_percent is not None:
            check_number(tr("Humidity of the room"), self.humidity_percent, "%", low=0, high=100)

    @property
    def words(self) -> str:
        """As printed, empty where nothing is known: 21 °C, 45 % humidity."""
        parts = []
        if self.celsius is not None:
            parts.append(f"{number_text(self.celsius)} °C")
        if self.humidity_percent is not None:
            parts.append(
                tr(
                    "{humidity_percent} % humidity",
                    humidity_percent=number_text(self.humidity_percent),
                )
            )
        return ", ".join(parts)


@dataclass(frozen=True)
class Evidence:
    """What stands behind an entry: the trials read, how many cells, and what the fit said."""

    trial_ids: tuple[str, ...] = ()
    cells_read: int = 0
    probability: float | None = None
    target: float = 0.99
    margins: Margins = Margins()
    char: float | None = None
    seconds_per_m: float | None = None
    seconds_per_100cm2: float | None = None
    edge_doubt: float | None = None  # one standard error of the edge, as a fraction of the speed
    says: str = ""
    room: Room = Room()
    simulated: bool = field(default=False, metadata={"written": "if set"})  # on the stand-in bench


@dataclass(frozen=True)
class Proof:
    """One confirming burn: day, outcome, and under which lot, machine state and key of the recipe;
    `note` is the job or piece, `sheet` what it was burnt on, `trial_id` the confirm run that it
    belongs to.
    """

    on: str
    outcome: Literal["passed", "failed"]
    lot: str = ""
    machine_state: int = 1
    note: str = ""
    sheet: str = field(default="", metadata={"written": "if set"})
    trial_id: str = field(default="", metadata={"written": "if set"})
    recipe: RecipeKey = field(default=(), metadata={"written": "if set"})

    def __post_init__(self) -> None:
        check_day(tr("Day of the burn"), self.on)

    def repeats(self, other: Proof) -> bool:
        """Return whether two good burns are of one day and one sheet, outside a confirm run: they
        count once.
        """
        same = (self.on, self.sheet.casefold()) == (other.on, other.sheet.casefold())
        both = self.outcome == other.outcome == "passed"
        return same and both and not (self.trial_id or other.trial_id)


@dataclass(frozen=True)
class Entry:
    """One page of the book.  `written` and all dates are ISO dates."""

    uid: str
    machine_uid: str
    stock_uid: str
    task: Task
    setting: Setting
    origin: Literal["trial", "guess"]
    written: str
    lot: str = ""
    machine_state: int = 1
    evidence: Evidence = Evidence()
    proofs: tuple[Proof, ...] = ()
    notes: str = ""
    kerf_x_mm: float | None = None  # as measured with a gauge
    kerf_y_mm: float | None = None
    recipe: Recipe = field(default=AS_IT_LIES, metadata={"written": "if set"})

    def __post_init__(self) -> None:
        check_text(tr("Entry id"), self.uid, 60)
        check_day(tr("Day of the entry"), self.written)
        check_choice(tr("Task"), self.task, TASKS)
        check_choice(tr("Origin"), self.origin, ("trial", "guess"))
        check_number(tr("Machine state"), self.machine_state, low=1)

    @property
    def is_note(self) -> bool:
        """A guess that somebody wrote down, not one that the model reckoned."""
        return self.origin == "guess" and self.evidence.probability is None

    def with_run(self, trial_id: str, burns: Sequence[Proof]) -> Entry:
        """Return the entry with the burns of a confirm run as they are read now, in the place of
        those read before; the first keeps its day.
        """
        kept = [proof for proof in self.proofs if proof.trial_id != trial_id]
        before = [i for i, proof in enumerate(self.proofs) if proof.trial_id == trial_id]
        at, day = len(kept), ""
        if before:
            at, day = before[0], self.proofs[before[0]].on
        run = [replace(burn, on=day or burn.on, trial_id=trial_id) for burn in burns]
        return replace(self, proofs=(*kept[:at], *run, *kept[at:]))

    @property
    def passed_in_a_row(self) -> tuple[Proof, ...]:
        """The confirming burns since the last failure, the newest run of one lot, machine state and
        recipe only.
        """
        run: list[Proof] = []
        for proof in reversed(self.proofs):
            other = bool(run) and _conditions(proof) != _conditions(run[0])
            if proof.outcome == FAILED or other:
                break
            run.append(proof)
        return tuple(reversed(run))

    @property
    def proven_on(self) -> date | None:
        """The day of the proof that completed the newest full set, or None."""
        run = self.passed_in_a_row
        if len(run) >= PROOFS_NEEDED:
            return date.fromisoformat(run[-1].on)
        return None

    @property
    def prove_again_by(self) -> date | None:
        """The day by which it must be proved again; None where it never was proven."""
        if self.proven_on:
            return self.proven_on + timedelta(days=PROOF_DAYS)
        return None

    @property
    def was_ever_proven(self) -> bool:
        """Whether enough burns in a row were good at some time."""
        passed = 0
        for proof in self.proofs:
            if proof.outcome == FAILED:
                passed = 0
            else:
                passed = passed + 1
            if passed >= PROOFS_NEEDED:
                return True
        return False


def _conditions(proof: Proof) -> tuple[object, ...]:
    """What a run of confirming burns has in common."""
    return proof.lot, proof.machine_state, proof.recipe


def as_rehearsed(entry: Entry) -> Entry:
    """Return an entry as it counts outside a playground: what rests on simulated burns is a guess
    that says so.
    """
    if not entry.evidence.simulated:
        return entry
    says = tr("Simulated: burnt on the stand-in bench, never on the machine.")
    return replace(entry, origin="guess", evidence=Evidence(says=says, simulated=True), proofs=())


def said_state(entry: Entry, state: str) -> str:
    """Return the word for an entry's state as it leaves the program: with what no machine burnt."""
    return tr("{state}, simulated", state=state) if entry.evidence.simulated else state


def proved_chance(good: int) -> float:
    """Return the lower bound of the chance to succeed that `good` burns in a row, none failed,
    prove with 95 % (one-sided).

    (1 - 0.95)^(1/n) (Clopper & Pearson, Biometrika 26:404 (1934), for n of n).
    """
    if good > 0:
        return float((1 - SURE) ** (1 / good))
    return 0.0


def state_of(
    entry: Entry,
    *,
    today: date,
    lot: str,
    machine_state: int,
    checks: Sequence[WeeklyCheck] = (),
    half_used: float | None = None,
) -> tuple[State, str]:
    """Return the state of an entry by rule, and the reason in words.

    guess -> on trial -> proven by PROOFS_NEEDED good burns in a row under one lot and machine state
    -> due again by date, by another lot, by another machine state, by drift of the machine
    (`checks` are its weekly ones), or by a failure.  Of a machine with a history `half_used` is the
    chance that half of the margin is used up since the proof: it stands in for `checks`.
    """
    last = None
    if entry.proofs:
        last = entry.proofs[-1]
    if last and last.outcome == FAILED:
        return "due", tr("failed on {on}", on=day_text(last.on))
    by = entry.prove_again_by
    if by is not None and last is not None:
        if last.lot != lot:
            return (
                "due",
                tr(
                    "proven on lot {lot}; lot {lot2} not yet tried",
                    lot=last.lot or "unnamed",
                    lot2=lot or "unnamed",
                ),
            )
        if last.machine_state != machine_state:
            return "due", tr("the machine has changed since")
        today_key = key_of(entry.recipe)
        if last.recipe != today_key:
            told = tr(
                "proven with {recipe}; {today_key} not yet tried",
                recipe=key_words(last.recipe),
                today_key=key_words(today_key),
            )
            return "due", told
        if today > by:
            return "due", tr("proof ran out on {by}", by=day_text(by))
        if half_used is not None:
            if half_used > SURE_HALF_USED:
                return "due", tr("the machine is weaker: half of the margin is used up (Shop)")
            return "proven", tr("until {by}", by=day_text(by))
        drift = drift_since(checks, last.on, machine_state=machine_state)
        if drift is not None and _drift_used_up(entry, drift.more) > 1:
            share, way = (
                100 * math.expm1(abs(drift.more)),
                tr("more") if drift.more > 0 else tr("less"),
            )
            return "due", tr(
                "needs {share:.0f} % {way} energy: check of {on}",
                share=share,
                way=way,
                on=day_text(drift.on),
            )
        return "proven", tr("until {by}", by=day_text(by))
    if entry.was_ever_proven:
        return (
            "due",
            tr(
                "{passed_in_a_row} of {proofs_needed} confirming burns since it changed",
                passed_in_a_row=len(entry.passed_in_a_row),
                proofs_needed=PROOFS_NEEDED,
            ),
        )
    passed = len(entry.passed_in_a_row)
    if passed or entry.origin == "trial":
        return "trial", tr(
            "{passed} of {proofs_needed} confirming burns",
            passed=passed,
            proofs_needed=PROOFS_NEEDED,
        )
    return "guess", tr("not burnt yet")


def _drift_used_up(entry: Entry, more: float) -> float:
    """How far a drift of ln energy has come towards what makes the entry due: its margin in power,
    half of it where that ends at an even chance.

    A cut that needs less energy than before still falls free; a tone can turn out too dark as well
    as too light.
    """
    if more < 0 and entry.task == "cut":
        return 0.0
    if more > 0:
        margin = entry.evidence.margins.power
    else:
        margin = entry.evidence.margins.power_up
    if not margin:
        limit = USUAL_DRIFT
    else:
        share = 1.0 if entry.evidence.margins.is_sure else 0.5
        limit = max(LEAST_DRIFT, share * abs(math.log(margin)))
    return abs(more) / limit
