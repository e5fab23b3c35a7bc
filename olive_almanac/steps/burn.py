"""Burn: stream the trial to a controller and know at each moment what is surely burnt, or note that
the machine burnt it.

The same run goes to the stand-in (whose bench then says what the stock did) and to a real port.
Before the first line of a cell goes out, that cell stands in the library as one that may be half
burnt: whatever happens, nothing is burnt twice unseen.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from typing import Any, Protocol

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.plain import to_plain
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.core.units import duration_text
from olive_almanac.steps.ports import Bench, BurntCell, Wire
from olive_almanac.steps.session import Desk, Session
from olive_almanac.steps.stream import LinkWords, Stream, lines_of

__all__ = ["Alarm", "BurnPresenter", "ShowsBurn", "check_rest", "remaining_trial"]

MOST_SAVES = 40  # a long run is kept every few cells, a short one at each
ANSWER_WITHIN_S = 6.0  # how long a flare-up may go on before it counts as not answered
MOST_LOG = 400
LINES_IN_DOUBT = 40  # at the pace of a real machine no more than this is sent ahead of what is done


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
            return f"Flare-up in cell {self.cell}. Hold: beam off. Put it out, then go on."
        return (
            f"Heavy smoke over cell {self.cell}. Hold, let it clear, look at the exhaust and "
            "the air."
        )


class ShowsBurn(Protocol):
    def show_run(self) -> None: ...


def remaining_trial(trial: Trial, run: dict[str, Any]) -> Trial | None:
    """Return the trial with the cells that are still to be burnt, or None where none is left.

    Cells that may be half burnt are left out, and so are marks that were begun.
    """
    gone = {*run.get("cells", {}), *run.get("maybe", ()), *run.get("left_out", ())}
    cells = tuple(cell for cell in trial.cells if cell.id not in gone)
    if not cells:
        return None
    if not run.get("marks") and not gone:
        return trial
    return replace(trial, cells=cells, fiducial_setting=None, label_setting=None)


class BurnPresenter:
    """Drives one run; the view calls `pump` as often as it likes.

    `running` is None before, then "running", "paused", "stopped", "interrupted", "done".
    """

    def __init__(
        self,
        session: Session,
        view: ShowsBurn,
        make_bench: Callable[[], Bench],
        now: Callable[[], datetime],
        connect: Callable[[Machine, float], Wire],
        seconds: Callable[[], float],
    ) -> None:
        self.session, self._view, self._make_bench, self._now = session, view, make_bench, now
        self._connect, self._seconds = connect, seconds
        self.running: str | None = None
        self.log: list[str] = []
        self.trial_id = ""
        self.alarm: Alarm | None = None
        self.stream: Stream | None = None
        self.by = "stand-in"
        self._wire: Wire | None = None
        self._results: dict[str, BurntCell] = {}
        self._told = 0  # cells of the stream that were noted
        self._saved_maybe: tuple[str, ...] = ()

    # -- what is known -----------------------------------------------------------------------------

    @property
    def desk(self) -> Desk | None:
        return self.session.desk

    @property
    def wire(self) -> Wire | None:
        return self._wire

    @property
    def is_going(self) -> bool:
        return self.running in ("running", "paused")

    @property
    def unsure(self) -> tuple[str, ...]:
        """Cells of a run that broke off which may be half burnt."""
        if self.desk is None or self.is_going:
            return ()
        return tuple(self.desk.run.get("maybe", ()))

    @property
    def broke_off(self) -> str:
        """Why the run on the desk ended before its time, "" where it did not."""
        desk = self.desk
        if desk is None or self.is_going or desk.run.get("complete") or not desk.run.get("started"):
            return ""
        return str(desk.run.get("interrupted") or "the program ended during the run")

    @property
    def left(self) -> list[Cell]:
        """The cells that are still to be burnt, in their order."""
        desk = self.desk
        if desk is None:
            return []
        gone = {*desk.burnt, *desk.run.get("left_out", ()), *self.unsure}
        return [cell for cell in desk.trial.in_order if cell.id not in gone]

    @property
    def current(self) -> Cell | None:
        """The cell that burns now, or the next one."""
        desk = self.desk
        in_hand = ""
        if self.stream is not None and self.is_going:
            in_hand = self.stream.in_hand
        if in_hand and desk is not None and desk.trial.id == self.trial_id:
            return desk.trial.cell(in_hand)
        left = self.left
        if left:
            return left[0]
        return None

    @property
    def elapsed_s(self) -> float:
        """Time burnt: the marks and letters, which come first, and the cells done."""
        desk = self.desk
        if desk:
            done = [cell.seconds for cell in desk.trial.cells if cell.id in desk.burnt]
        else:
            done = []
        return sum(done) + (self._marks_s if done else 0.0)

    @property
    def left_s(self) -> float:
        """Time still to burn: the cells left with the rests before them, and the marks and letters
        while no cell is burnt.
        """
        desk, left = self.desk, self.left
        if desk is None or not left:
            return 0.0
        return sum(cell.seconds + desk.trial.rest_s for cell in left) + (
            0.0 if desk.burnt else self._marks_s - desk.trial.rest_s
        )

    @property
    def _marks_s(self) -> float:
        """What the file takes beside its cells and rests: marks, letters and ways."""
        trial = None
        if self.desk:
            trial = self.desk.trial
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
        from olive_almanac.core.motion.program import cell_joules

        desk = self.desk
        if desk:
            return sum(
                cell_joules(cell, desk.trial.machine)
                for cell in desk.trial.cells
                if cell.id in desk.burnt
            )
        return 0.0

    # -- the run -----------------------------------------------------------------------------------

    def start(
        self,
        *,
        pace: float = 1.0,
        words: LinkWords | None = None,
        wire: Wire | None = None,
        by: str = "stand-in",
    ) -> None:
        """Start, or go on with the rest; no cell is burnt again.

        Raises AlmanacError where the port cannot be opened.
        """
        desk = self.desk
        if desk is None or self.is_going:
            return
        from olive_almanac.formats.gcode import gcode_parts
        from olive_almanac.steps.lettering import letters

        rest = remaining_trial(desk.trial, desk.run)
        if rest is None:
            return
        self.by, self.trial_id, self.alarm, self._told = by, desk.trial.id, None, 0
        if by == "stand-in":
            self._results = {one.cell: one for one in self._make_bench().burn(desk.trial)}
        else:
            self._results = {}
        words = words or LinkWords()
        if words.done_lines and pace <= 1.0:
            words = replace(words, undone_ahead=LINES_IN_DOUBT)
        going_on = bool(desk.burnt or desk.run.get("marks"))
        if going_on:
            self.log = list(desk.run.get("log", ()))
        else:
            self.log = []
        self._note(
            f"{'run resumed' if going_on else 'run started'} on "
            f"{'the stand-in bench' if by == 'stand-in' else by}"
        )
        self.session.keep_run({**self._run(), "marks": "begun", "interrupted": ""}, "started")
        self._wire = wire or self._connect(desk.trial.machine, pace)
        self.running, self._saved_maybe = "running", ()
        self.stream = Stream(
            self._wire,
            lines_of(gcode_parts(rest, letters())),
            words,
            self._seconds,
            self._before_cell,
        )
        self._view.show_run()

    def _before_cell(self, cell: str) -> None:
        """Keep that a cell may be half burnt before its first line goes out; on large coupons
        several at once.
        """
        desk = self.desk
        if desk is None or cell in self._saved_maybe:
            return
        order = [one.id for one in desk.trial.in_order if one.id not in desk.burnt]
        every = max(1, len(desk.trial.cells) // MOST_SAVES)
        at = order.index(cell)
        flying = [one for one in self._flying_cells() if one != cell]
        self._saved_maybe = tuple(dict.fromkeys([*flying, *order[at : at + every]]))
        self.session.keep_run({**self._run(), "maybe": list(self._saved_maybe)}, "burning")

    def _flying_cells(self) -> list[str]:
        """Cells that were sent and are not yet noted as burnt."""
        desk = self.desk
        return [cell for cell in self._saved_maybe if desk is not None and cell not in desk.burnt]

    def pump(self) -> bool:
        """Do what can be done now; returns False when the run is over."""
        stream = self.stream
        if stream is None or not self.is_going or self.desk is None:
            return False
        stream.pump()
        fresh = stream.finished[self._told :]
        for cell in fresh:
            self._take_cell(cell)
        self._told += len(fresh)
        self._watch_alarm()
        if stream.state == "done":
            self._finish()
        elif not stream.going:
            self._break_off(stream.why or "stopped by hand")
        elif fresh:
            self._view.show_run()
        return self.is_going

    def _take_cell(self, cell_id: str) -> None:
        desk = self.desk
        assert desk is not None
        known = self._results.get(cell_id)
        kept: dict[str, Any] = {"flared": False}
        if known is not None:
            kept = {"flared": known.flared, "seen": to_plain(known.seen)}
            if known.flared or known.smokes:
                self.alarm = Alarm("flare" if known.flared else "smoke", cell_id, self._seconds())
        run = self._run()
        run["cells"] = {**run["cells"], cell_id: kept}
        self.session.desk = replace(desk, run=run)
        seconds = desk.trial.cell(cell_id).seconds
        self._note(
            f"{cell_id} burnt in {seconds:.1f} s" + (", flared up" if kept["flared"] else "")
        )

    def _watch_alarm(self) -> None:
        if self.alarm is not None and self._seconds() - self.alarm.since_s > ANSWER_WITHIN_S:
            self._note_event(answered=False)

    def _note_event(self, *, answered: bool) -> None:
        alarm, desk = self.alarm, self.desk
        self.alarm = None
        if alarm is None or desk is None:
            return
        run = self._run()
        run["events"] = [
            *run.get("events", ()),
            {"kind": alarm.kind, "cell": alarm.cell, "answered": answered},
        ]
        self.session.desk = replace(desk, run=run)
        word = "smoke"
        if alarm.kind == "flare":
            word = "flare-up"
        self._note(
            f"{word} at {alarm.cell} " + ("answered by a hold" if answered else "not answered")
        )

    def pause(self) -> None:
        """Hold the head, beam off; or go on."""
        if self.stream is None or not self.is_going:
            return
        if self.running == "running":
            self.stream.hold()
            self.running = "paused"
            self._note("held")
            if self.alarm is not None:
                self._note_event(answered=True)
        else:
            self.stream.go_on()
            self.running = "running"
            self._note("going on")
        self._view.show_run()

    def stop(self) -> None:
        """End the run early: what has burnt can be read, the rest stays unburnt."""
        if self.stream is None or not self.is_going:
            return
        self.pump()  # hear once more what is done: a whole cell must not count as half burnt
        if self.is_going:
            self.stream.stop("stopped by hand")
            self._break_off("stopped by hand")

    def _break_off(self, why: str) -> None:
        desk, stream = self.desk, self.stream
        assert desk is not None and stream is not None
        in_hand = stream.in_hand
        self._note(f"interrupted: {why}" if why != "stopped by hand" else why)
        if why == "stopped by hand":
            self.running = "stopped"
        else:
            self.running = "interrupted"
        self._hang_up()
        run = {**self._run(), "maybe": [in_hand] if in_hand else [], "interrupted": why}
        self.session.keep_run(run, why)
        if desk.burnt:
            self.session.keep_trial(desk.trial, "read", why)
            self.session.mark_used(desk.trial)
        self._view.show_run()

    def _finish(self) -> None:
        desk = self.desk
        assert desk is not None
        self.running = "done"
        self._hang_up()
        self._note("run finished")
        self._close("finished")

    def _close(self, why: str) -> None:
        desk = self.desk
        assert desk is not None
        self.session.keep_run(
            {**self._run(), "complete": True, "maybe": [], "interrupted": ""}, why
        )
        self.session.keep_trial(desk.trial, "read", "burnt")
        self.session.mark_used(desk.trial)
        self._view.show_run()

    def _hang_up(self) -> None:
        if self._wire is not None:
            self._wire.close()
            self._wire = None

    def let_go(self) -> None:
        """Forget a run whose coupon has left the desk; what has burnt is in the library already."""
        if self.stream is not None and self.is_going:
            self.stream.stop("another coupon was taken up")
        self._hang_up()
        self.running, self.trial_id, self.stream, self.log, self.alarm = None, "", None, [], None

    # -- after a run that broke off ----------------------------------------------------------------

    def judge_unsure(self, cell_id: str, *, whole: bool) -> None:
        """Say of a cell that may be half burnt whether it is whole (it can be read) or is
        left out.
        """
        desk = self.desk
        if desk is None or cell_id not in self.unsure:
            return
        run = self._run()
        run["maybe"] = [one for one in run["maybe"] if one != cell_id]
        if whole:
            known = None
            if run["by"] == "stand-in":
                known = {one.cell: one for one in self._make_bench().burn(desk.trial)}.get(cell_id)
            run["cells"] = {
                **run["cells"],
                cell_id: {
                    "flared": bool(known and known.flared),
                    **({"seen": to_plain(known.seen)} if known else {}),
                },
            }
        else:
            run["left_out"] = [*run.get("left_out", ()), cell_id]
        self._note(f"{cell_id} " + ("looked at: whole" if whole else "left out"))
        run["log"] = self.log[-MOST_LOG:]
        self.session.keep_run(run, f"{cell_id} judged")
        if run["cells"] and desk.stage in ("plan", "burn"):
            self.session.keep_trial(desk.trial, "read", "broken off")
            self.session.mark_used(desk.trial)
        self._view.show_run()

    def close_run(self) -> None:
        """Leave the rest unburnt: the coupon is read as it is."""
        desk = self.desk
        if desk is None or not desk.burnt:
            return
        self.running = "done"
        left_out = [cell.id for cell in desk.trial.in_order if cell.id not in desk.burnt]
        self.session.keep_run(
            {**self._run(), "complete": True, "maybe": [], "left_out": left_out}, "closed"
        )
        self.session.keep_trial(desk.trial, "read", "closed")
        self._view.show_run()

    def burnt_elsewhere(self) -> None:
        """Note that the real machine has burnt the whole coupon."""
        desk = self.desk
        if desk is None:
            return
        run = {
            **self._run(),
            "by": "machine",
            "complete": True,
            "cells": {cell.id: {"flared": False} for cell in desk.trial.cells},
        }
        self.session.keep_run(run, "burnt on the machine")
        self.session.keep_trial(desk.trial, "read", "burnt on the machine")
        self.session.mark_used(desk.trial)
        self.running = "done"
        self._view.show_run()

    # -- below -------------------------------------------------------------------------------------

    def _run(self) -> dict[str, Any]:
        run: dict[str, Any]
        if self.desk is not None:
            run = self.desk.run
        else:
            run = {}
        noted = {"ticks": self.session.ticks, "room": asdict(self.session.room)}
        return {
            "by": self.by,
            "started": self._stamp(),
            "cells": {},
            **noted,
            **run,
            "log": self.log[-MOST_LOG:],
        }

    def _note(self, text: str) -> None:
        self.log.append(f"{self._now():%H:%M:%S}  {text}")

    def _stamp(self) -> str:
        return self._now().isoformat(timespec="seconds")

    def told_left(self) -> str:
        """What the rail and the title say of the run."""
        desk = self.desk
        if desk is None:
            return ""
        return (
            f"{len(desk.burnt)} of {len(desk.trial.cells)} burnt, {duration_text(self.left_s)} "
            "to go"
        )


def check_rest(trial: Trial, run: dict[str, Any]) -> None:
    """Check what is still to be sent with the independent checker; raises AlmanacError with the
    first finding.
    """
    from olive_almanac.formats.gcode import write_gcode
    from olive_almanac.formats.gcode_check import check_gcode
    from olive_almanac.steps.lettering import letters
    from olive_almanac.steps.trial_files import limits_of

    rest = remaining_trial(trial, run)
    if rest is None:
        raise AlmanacError("Nothing is left to burn.")
    report = check_gcode(write_gcode(rest, letters()), limits_of(trial))
    if not report.safe:
        raise AlmanacError(
            "The program did not pass its safety check and is not sent. " + report.findings[0].text
        )
