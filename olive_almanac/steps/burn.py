"""Burn: stream the trial to a controller and know at each moment what is surely burnt, or note that
the machine burnt it.

The same run goes to the stand-in (whose bench then says what the stock did) and to a real port.
Before the first line of a cell goes out, that cell stands in the library as one that may be half
burnt: whatever happens, nothing is burnt twice unseen.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any, Literal, Protocol

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.motion.program import Ground, Rest, cell_joules, ground_of, program_of
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.run import CellBurn, RunEvent, RunRecord
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.core.units import duration_text, length_number, length_text
from olive_almanac.core.words import tr
from olive_almanac.formats.gcode import gcode_parts, write_gcode
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.checklist import standing
from olive_almanac.steps.lettering import letters
from olive_almanac.steps.ports import Bench, BurntCell, Wire
from olive_almanac.steps.session import Session
from olive_almanac.steps.stream import LinkWords
from olive_almanac.steps.trial_files import limits_of
from olive_almanac.steps.upkeep import check_water
from olive_almanac.steps.wire_run import STAND_IN, RunState, WireRun, check_burner

__all__ = [
    "Alarm",
    "BurnPresenter",
    "ShowsBurn",
    "as_it_lies",
    "check_rest",
    "first_way_words",
    "remaining_trial",
]

MOST_SAVES = 40  # a long run is kept every few cells, a short one at each
Point = tuple[float, float]
Judgement = Literal["whole", "half", "bare"]
ANSWER_WITHIN_S = 6.0  # how long a flare-up may go on before it counts as not answered
MOST_LOG = 400


@dataclass(frozen=True)
class Alarm:
    """Something at the machine that asks for an act: "flare" or "smoke", in which cell, since when
    (s of the run's clock).
    """

    kind: str
    cell: str
    since_s: float

    @property
    def text(self) -> str:
        if self.kind == "flare":
            return tr(
                "Flare-up in cell {cell}. Hold: beam off. Put it out, then go on.", cell=self.cell
            )
        return tr(
            "Heavy smoke over cell {cell}. Hold, let it clear, look at the exhaust and the air.",
            cell=self.cell,
        )


class ShowsBurn(Protocol):
    def show_run(self) -> None: ...


def remaining_trial(trial: Trial, run: RunRecord) -> Trial | None:
    """Return the trial with the cells that are still to be burnt, or None where none is left.

    Cells that may be half burnt are left out, and so are marks that were begun.
    """
    cells = tuple(cell for cell in trial.cells if cell.id not in run.gone)
    if not cells:
        return None
    if not run.marks and not run.gone:
        return trial
    return replace(trial, cells=cells, fiducial_setting=None, label_setting=None)


class BurnPresenter(WireRun):
    """Drives the run of the coupon on the desk."""

    def __init__(
        self,
        session: Session,
        view: ShowsBurn,
        make_bench: Callable[[], Bench],
        now: Callable[[], datetime],
        connect: Callable[[Machine, float], Wire],
        seconds: Callable[[], float],
    ) -> None:
        super().__init__(connect, seconds)
        self.session, self._view, self._make_bench, self._now = session, view, make_bench, now
        self.log: list[str] = []
        self.trial_id = ""
        self.alarm: Alarm | None = None
        self.by = STAND_IN
        self._results: dict[str, BurntCell] = {}
        self._saved_maybe: tuple[str, ...] = ()

    # -- what is known -----------------------------------------------------------------------------

    @property
    def active(self) -> ActiveTrial | None:
        return self.session.active

    @property
    def unsure(self) -> tuple[str, ...]:
        """Cells of a run that broke off which may be half burnt."""
        if self.active is None or self.is_going:
            return ()
        return self.active.run.maybe

    @property
    def broke_off(self) -> str:
        """Why the run on the desk ended before its time, "" where it did not."""
        active = self.active
        if active is None or self.is_going or active.run.complete or not active.run.started:
            return ""
        return active.run.interrupted or tr("the program ended during the run")

    @property
    def marks_unsure(self) -> bool:
        """Whether the run broke off while its photo marks and letters burnt: they may be half
        burnt, and are not burnt again.
        """
        active = self.active
        return bool(
            self.broke_off
            and active is not None
            and active.run.marks
            and not active.run.gone
            and active.trial.fiducials
        )

    @property
    def left(self) -> list[Cell]:
        """The cells that are still to be burnt, in their order."""
        active = self.active
        if active is None:
            return []
        gone = {*active.burnt, *active.run.left_out, *self.unsure}
        return [cell for cell in active.trial.in_order if cell.id not in gone]

    @property
    def current(self) -> Cell | None:
        """The cell that burns now, or the next one."""
        active = self.active
        in_hand = ""
        if self.stream is not None and self.is_going:
            in_hand = self.stream.in_hand
        if in_hand and active is not None and active.trial.id == self.trial_id:
            return active.trial.cell(in_hand)
        left = self.left
        if left:
            return left[0]
        return None

    @property
    def elapsed_s(self) -> float:
        """Time burnt: the marks and letters, which come first, and the cells done."""
        active = self.active
        if active:
            done = [cell.seconds for cell in active.trial.cells if cell.id in active.burnt]
        else:
            done = []
        return sum(done) + (self._marks_s if done else 0.0)

    @property
    def left_s(self) -> float:
        """Time still to burn: the cells left with the rests before them, and the marks and letters
        while no cell is burnt.
        """
        active, left = self.active, self.left
        if active is None or not left:
            return 0.0
        return sum(cell.seconds + active.trial.rest_s for cell in left) + (
            0.0 if active.burnt else self._marks_s - active.trial.rest_s
        )

    @property
    def _marks_s(self) -> float:
        """What the file takes beside its cells and rests: marks, letters and ways."""
        trial = None
        if self.active:
            trial = self.active.trial
        if trial:
            return max(
                0.0,
                trial.seconds
                - sum(cell.seconds + trial.rest_s for cell in trial.cells)
                + trial.rest_s,
            )
        return 0.0

    @property
    def energy_j(self) -> float:
        """The energy that the beam has sent into the burnt cells, J."""
        active = self.active
        if active:
            return sum(
                cell_joules(cell, active.trial.machine)
                for cell in active.trial.cells
                if cell.id in active.burnt
            )
        return 0.0

    # -- the run -----------------------------------------------------------------------------------

    def start(
        self,
        *,
        pace: float = 1.0,
        words: LinkWords | None = None,
        wire: Wire | None = None,
        by: str = STAND_IN,
    ) -> None:
        """Start, or go on with the rest; no cell is burnt again.

        Raises AlmanacError where the port cannot be opened.
        """
        active = self.active
        if active is None or self.is_going:
            return
        rest = remaining_trial(as_it_lies(self.session, active.trial), active.run)
        if rest is None:
            return
        check_water(self.session, active.trial.machine)
        check_burner(by, self.session.store)
        self.by, self.trial_id, self.alarm = by, active.trial.id, None
        if by == STAND_IN:
            self._results = {one.cell: one for one in self._make_bench().burn(active.trial)}
        else:
            self._results = {}
        where = by
        if by == STAND_IN:
            where = tr("the stand-in bench")
        if active.burnt or active.run.marks:
            self.log = list(active.run.log)
            self._note(tr("run resumed on {where}", where=where))
        else:
            self.log = []
            self._note(tr("run started on {where}", where=where))
        self._keep("started", marks="begun", interrupted="")
        self._saved_maybe = ()
        parts = gcode_parts(rest, letters())
        self._begin(active.trial.machine, parts, pace=pace, words=words, wire=wire)

    def _before(self, cell: str) -> None:
        """Keep that a cell may be half burnt before its first line goes out; on large coupons
        several at once.
        """
        active = self.active
        if active is None or cell in self._saved_maybe:
            return
        order = [one.id for one in active.trial.in_order if one.id not in active.burnt]
        every = max(1, len(active.trial.cells) // MOST_SAVES)
        at = order.index(cell)
        flying = [one for one in self._flying_cells() if one != cell]
        maybe = tuple(dict.fromkeys([*flying, *order[at : at + every]]))
        self._keep("burning", maybe=maybe)
        self._saved_maybe = maybe  # not before: what could not be kept is kept when it goes on

    def _flying_cells(self) -> list[str]:
        """Cells that were sent and are not yet noted as burnt."""
        active = self.active
        return [
            cell for cell in self._saved_maybe if active is not None and cell not in active.burnt
        ]

    def _take(self, finished: Sequence[str]) -> None:
        for cell in finished:
            self._take_cell(cell)

    def _take_cell(self, cell_id: str) -> None:
        active = self.active
        assert active is not None
        known = self._results.get(cell_id)
        burn = CellBurn()
        if known is not None:
            burn = CellBurn(known.flared, known.seen)
            if known.flared or known.smokes:
                self.alarm = Alarm("flare" if known.flared else "smoke", cell_id, self._seconds())
        run = self._run()
        run = replace(run, cells={**run.cells, cell_id: burn})
        self.session.trials.show(replace(active, run=run))
        words = tr(
            "{cell_id} burnt in {seconds:.1f} s",
            cell_id=cell_id,
            seconds=active.trial.cell(cell_id).seconds,
        )
        if burn.flared:
            words += tr(", flared up")
        self._note(words)

    def _look(self) -> None:
        if self.alarm is not None and self._seconds() - self.alarm.since_s > ANSWER_WITHIN_S:
            self._note_event(answered=False)

    def _note_event(self, *, answered: bool) -> None:
        alarm, active = self.alarm, self.active
        self.alarm = None
        if alarm is None or active is None:
            return
        run, event = self._run(), RunEvent(alarm.kind, alarm.cell, answered)
        self.session.trials.show(replace(active, run=replace(run, events=(*run.events, event))))
        word, how = tr("smoke"), tr("not answered")
        if alarm.kind == "flare":
            word = tr("flare-up")
        if answered:
            how = tr("answered by a hold")
        self._note(tr("{word} at {cell} {how}", word=word, cell=alarm.cell, how=how))

    def _told_of(self, *, held: bool) -> None:
        self._note(tr("held") if held else tr("going on"))
        if held and self.alarm is not None:
            self._note_event(answered=True)

    def _keep_end(self, state: RunState, why: str) -> None:
        active, stream = self.active, self.stream
        assert active is not None and stream is not None
        if state == "done":
            self._note(tr("run finished"))
            self._close("finished")
            return
        self._note(why if state == "stopped" else tr("interrupted: {why}", why=why))
        self._keep(why, maybe=stream.in_doubt, interrupted=why)
        if active.burnt:
            self.session.trials.keep(active.trial, "read", why)
            self.session.trials.mark_used(active.trial)

    def _close(self, why: str) -> None:
        active = self.active
        assert active is not None
        self._keep(why, complete=True, maybe=(), interrupted="")
        self.session.trials.keep(active.trial, "read", "burnt")
        self.session.trials.mark_used(active.trial)

    def _show(self) -> None:
        self._view.show_run()

    def let_go(self) -> None:
        """Forget a run whose coupon has left the desk; what has burnt is in the library already."""
        if self.stream is not None and self.is_going:
            self.stream.stop(tr("another coupon was taken up"))
        self._hang_up()
        self.state, self.trial_id, self.stream, self.log, self.alarm = "", "", None, [], None
        self._unkept = None

    # -- after a run that broke off ----------------------------------------------------------------

    def judge_unsure(self, cell_id: str, judgement: Judgement) -> None:
        """Say of a cell that may be half burnt what an eye finds there: it is whole (it can be
        read), it is half burnt (it is left out), or nothing of it was burnt (it still will be).
        """
        active = self.active
        if active is None or cell_id not in self.unsure:
            return
        run = self._run()
        run = replace(run, maybe=tuple(one for one in run.maybe if one != cell_id))
        if judgement == "whole":
            self._note(tr("{cell_id} looked at: whole", cell_id=cell_id))
            run = replace(run, cells={**run.cells, cell_id: self._burn_of(cell_id, run)})
        elif judgement == "half":
            self._note(tr("{cell_id} left out", cell_id=cell_id))
            run = replace(run, left_out=(*run.left_out, cell_id))
        else:
            self._note(tr("{cell_id} looked at: not burnt", cell_id=cell_id))
        run = replace(run, log=tuple(self.log[-MOST_LOG:]))
        self.session.trials.keep_run(run, tr("{cell_id} judged", cell_id=cell_id))
        if run.cells and active.stage in ("plan", "burn"):
            self.session.trials.keep(active.trial, "read", tr("broken off"))
            self.session.trials.mark_used(active.trial)
        self._view.show_run()

    def close_run(self) -> None:
        """Leave the rest unburnt: the coupon is read as it is."""
        active = self.active
        if active is None or not active.burnt:
            return
        self.state, self.trial_id = "done", active.trial.id
        left_out = tuple(cell.id for cell in active.trial.in_order if cell.id not in active.burnt)
        self._keep("closed", complete=True, maybe=(), left_out=left_out)
        self.session.trials.keep(active.trial, "read", "closed")
        self._view.show_run()

    def burnt_elsewhere(self) -> None:
        """Note that the real machine has burnt the coupon, or the rest of it."""
        active = self.active
        if active is None:
            return
        rest = (cell.id for cell in active.trial.cells if cell.id not in active.run.left_out)
        cells = {**dict.fromkeys(rest, CellBurn()), **active.burnt}
        self._keep(tr("burnt on the machine"), by="machine", complete=True, cells=cells)
        self.session.trials.keep(active.trial, "read", tr("burnt on the machine"))
        self.session.trials.mark_used(active.trial)
        self.state, self.trial_id = "done", active.trial.id
        self._view.show_run()

    # -- below -------------------------------------------------------------------------------------

    def _run(self) -> RunRecord:
        """What is known of the run, with what it began with where it is new."""
        run = RunRecord()
        if self.active is not None:
            run = self.active.run
        trials = self.session.trials
        if not run.started:
            run = replace(run, ticks=standing(self.session), ticked_for=dict(trials.ticks.numbers))
            trials.begin_run()
        return replace(
            run,
            by=run.by or self.by,
            started=run.started or self._stamp(),
            room=run.room or trials.room,
            log=tuple(self.log[-MOST_LOG:]),
        )

    def _keep(self, why: str, **changes: Any) -> None:
        self.session.trials.keep_run(replace(self._run(), **changes), why)

    def _burn_of(self, cell_id: str, run: RunRecord) -> CellBurn:
        """What a cell that may be half burnt looks like, where the stand-in can tell."""
        active = self.active
        if active is not None and run.on_stand_in:
            for one in self._make_bench().burn(active.trial):
                if one.cell == cell_id:
                    return CellBurn(one.flared, one.seen)
        return CellBurn()

    def _note(self, text: str) -> None:
        self.log.append(f"{self._now():%H:%M:%S}  {text}")

    def _stamp(self) -> str:
        return self._now().isoformat(timespec="seconds")

    def first_way(self) -> str:
        """What is to be looked at before the head's first way."""
        active = self.active
        rest = None
        if active is not None:
            rest = remaining_trial(as_it_lies(self.session, active.trial), active.run)
        if active is None or rest is None:
            return ""
        first = next(step for step, _ in program_of(rest, letters()) if not isinstance(step, Rest))
        goes_on = bool(active.burnt) or bool(active.run.marks)
        return first_way_words(ground_of(rest), first.start, goes_on=goes_on)

    def told_left(self) -> str:
        """What the rail and the title say of the run."""
        active = self.active
        if active is None:
            return ""
        return tr(
            "{burnt} of {cells} burnt, {left_s} to go",
            burnt=len(active.burnt),
            cells=len(active.trial.cells),
            left_s=duration_text(self.left_s),
        )


def as_it_lies(session: Session, trial: Trial) -> Trial:
    """Return a trial with the clamps that the rack knows on its sheet now; those that were noted
    since it was planned are in its way, too.
    """
    stock, under = session.subject.stock, trial.sheet
    if under is None or stock is None or under.number >= len(stock.sheets):
        return trial
    sheet = stock.sheets[under.number]
    if (sheet.width_mm, sheet.height_mm) != (under.width_mm, under.height_mm):
        return trial  # another sheet has its number by now
    clamps = sheet.clamps_at(under.x_mm, under.y_mm)
    return replace(trial, sheet=replace(under, clamps_mm=clamps))


def first_way_words(ground: Ground, start: Point, *, goes_on: bool) -> str:
    """Return what is to be looked at before the head's first way, to a burn that starts there; no
    file knows where the head stands.
    """
    told = []
    if ground.clamps:
        x, y = ground.first_corner(start)
        place = f"{length_number(x, 4)}, {length_text(y, 4)}"
        told.append(
            tr(
                "From where it stands the head first goes straight to {place}: see that no clamp "
                "lies in between.",
                place=place,
            )
        )
    if ground.waits_mm is not None and goes_on:
        told.append(tr("The zero stays where it was at the start: do not set it anew."))
    return " ".join(told)


def check_rest(trial: Trial, run: RunRecord) -> None:
    """Check what is still to be sent with the independent checker; raises AlmanacError with the
    first finding.
    """
    rest = remaining_trial(trial, run)
    if rest is None:
        raise AlmanacError(tr("Nothing is left to burn."))
    report = check_gcode(write_gcode(rest, letters()), limits_of(trial))
    if not report.safe:
        raise AlmanacError(
            tr("The program did not pass its safety check and is not sent. ")
            + report.findings[0].text
        )
