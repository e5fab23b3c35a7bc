"""Burn: run the trial on the stand-in bench cell by cell, or note that the machine burnt it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import datetime
from typing import Any, Protocol

from olive_almanac.core.records.plain import to_plain
from olive_almanac.core.records.trial import Cell
from olive_almanac.steps.ports import Bench, BurntCell
from olive_almanac.steps.session import Session

__all__ = ["BurnPresenter", "ShowsBurn"]

MOST_SAVES = 40  # a long run is kept every few cells, a short one at each


class ShowsBurn(Protocol):
    def show_run(self) -> None: ...


class BurnPresenter:
    """Steps through a run; the view sets the pace.  `running` is None before, then "running", "paused", "stopped", "done"."""

    def __init__(self, session: Session, view: ShowsBurn, make_bench: Callable[[], Bench], now: Callable[[], datetime]) -> None:
        self.session, self._view, self._make_bench, self._now = session, view, make_bench, now
        self.running: str | None = None
        self.log: list[str] = []
        self.trial_id = ""
        self._cells: Iterator[BurntCell] | None = None

    @property
    def current(self) -> Cell | None:
        """The cell that burns next."""
        desk = self.session.desk
        if desk is None:
            return None
        return next((cell for cell in desk.trial.in_order if cell.id not in desk.burnt), None)

    @property
    def elapsed_s(self) -> float:
        desk = self.session.desk
        return sum(cell.seconds for cell in desk.trial.cells if cell.id in desk.burnt) if desk else 0.0

    @property
    def left_s(self) -> float:
        desk = self.session.desk
        return sum(cell.seconds for cell in desk.trial.cells if cell.id not in desk.burnt) if desk else 0.0

    def start(self) -> None:
        """Start, or go on where a stopped run ended; no burnt cell is burnt again."""
        desk = self.session.desk
        if desk is None:
            return
        burnt, self.trial_id = set(desk.burnt), desk.trial.id
        self._cells = (cell for cell in self._make_bench().burn(desk.trial) if cell.cell not in burnt)
        self.running = "running"
        self._note("run resumed" if burnt else "run started on the stand-in bench")

    def step(self) -> bool:
        """Burn the next cell; returns False when the run is over."""
        desk, cells = self.session.desk, self._cells
        if self.running != "running" or desk is None or cells is None:
            return False
        result = next(cells, None)
        if result is None:
            self._finish()
            return False
        run = self._run(desk.run)
        run["cells"] = {**run["cells"], result.cell: {"flared": result.flared, "seen": to_plain(result.seen)}}
        self._note(f"{result.cell} burnt in {result.seconds:.1f} s" + (", flared up" if result.flared else ""))
        last = len(run["cells"]) == len(desk.trial.cells)
        every = max(1, len(desk.trial.cells) // MOST_SAVES)
        if last or len(run["cells"]) % every == 0:
            self.session.keep_run(run, "burning")
        else:
            self.session.desk = replace(desk, run=run)
        if last:
            self._finish()
            return False
        self._view.show_run()
        return True

    def pause(self) -> None:
        if self.running in ("running", "paused"):
            self.running = "paused" if self.running == "running" else "running"
            self._note("paused" if self.running == "paused" else "resumed")
            self._view.show_run()

    def let_go(self) -> None:
        """Forget a run whose coupon has left the desk; what has burnt is in the library already."""
        self.running, self.trial_id, self._cells, self.log = None, "", None, []

    def stop(self) -> None:
        """End the run early: what has burnt can be read, the rest stays unburnt."""
        desk = self.session.desk
        if self.running in ("running", "paused") and desk is not None:
            self.running = "stopped"
            self._note("stopped by hand")
            self.session.keep_run(self._run(desk.run), "stopped")
            if desk.burnt:
                self.session.keep_trial(desk.trial, "read", "stopped")
                self.session.mark_used(desk.trial)
            self._view.show_run()

    def burnt_elsewhere(self) -> None:
        """Note that the real machine has burnt the whole coupon."""
        desk = self.session.desk
        if desk is None:
            return
        run = {**self._run(desk.run), "by": "machine", "cells": {cell.id: {"flared": False} for cell in desk.trial.cells}}
        self.session.keep_run(run, "burnt on the machine")
        self.session.keep_trial(desk.trial, "read", "burnt on the machine")
        self.session.mark_used(desk.trial)
        self.running = "done"
        self._view.show_run()

    def _finish(self) -> None:
        desk = self.session.desk
        assert desk is not None
        self.running = "done"
        self._note("run finished")
        self.session.keep_run({**self._run(desk.run), "complete": True}, "finished")
        self.session.keep_trial(desk.trial, "read", "burnt")
        self.session.mark_used(desk.trial)
        self._view.show_run()

    def _run(self, run: dict[str, Any]) -> dict[str, Any]:
        return {"by": "stand-in", "started": self._stamp(), "cells": {}, "ticks": self.session.ticks, **run, "log": self.log[-400:]}

    def _note(self, text: str) -> None:
        self.log.append(f"{self._now():%H:%M:%S}  {text}")

    def _stamp(self) -> str:
        return self._now().isoformat(timespec="seconds")
