"""One sheet of a job sent to a controller, and known at each moment which of its lines are surely
burnt.

Before the first line of a step goes out, the library says that it was begun: after whatever happens
the run goes on at the last line that is sure.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import TYPE_CHECKING, Literal, Protocol

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.job import Job, JobProgress, group_words
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.units import duration_text, length_text, lengths_text, number_text
from olive_almanac.core.words import tr
from olive_almanac.steps.checklist import CHECKS, standing
from olive_almanac.steps.ports import Wire
from olive_almanac.steps.preparing import preparing_lines
from olive_almanac.steps.stream import LinkWords
from olive_almanac.steps.upkeep import check_water
from olive_almanac.steps.wire_run import STAND_IN, RunState, WireRun, check_burner

if TYPE_CHECKING:
    from olive_almanac.core.quoting.job_plan import SheetRun
    from olive_almanac.steps.job_work import JobResult
    from olive_almanac.steps.jobs import JobsPresenter

__all__ = ["JobCheck", "JobRunner", "ShowsJobRun", "layout_key"]

MOST_SAVES = 40
Unlit = Literal["", "frame", "trace", "centre"]


@dataclass(frozen=True)
class JobCheck:
    """One line of the checklist with this job's number, and when it was ticked ("": not yet)."""

    key: str
    words: str
    number: str
    ticked: str = ""


class ShowsJobRun(Protocol):
    def show_run(self) -> None: ...


def layout_key(run: SheetRun) -> str:
    """Return a short mark of what is burnt on a sheet, and where: another layout has another."""
    ground = run.ground
    told = [str(ground.area), str(ground.origin_mm), f"{run.seconds:.3f}"]
    if ground.turn_rad:
        told.append(f"{ground.turn_rad:.6f}")
    if ground.over is not None:
        told.append(str(ground.over))
    told += [f"{step.start} {step.end} {step.setting} {group}" for step, group in run.steps]
    return hashlib.sha256("\n".join(told).encode()).hexdigest()[:16]


class JobRunner(WireRun):
    """Drives the run of the job in hand; `unlit` tells what is only shown, with the beam off: its
    frame, its path, or its middle.
    """

    def __init__(
        self,
        presenter: JobsPresenter,
        view: ShowsJobRun,
        connect: Callable[[Machine, float], Wire],
        seconds: Callable[[], float],
        now: Callable[[], datetime],
    ) -> None:
        super().__init__(connect, seconds)
        self.presenter, self.session, self._view = presenter, presenter.session, view
        self._now = now
        self.unlit: Unlit = ""
        self.why = self.job_uid = ""
        self.progress: JobProgress | None = None
        self.result: JobResult | None = None
        self.run: SheetRun | None = None
        self._key: tuple[SheetRun, str] | None = None
        self._ticks: dict[str, tuple[str, str]] = {}  # key: for which number, when

    # -- what is known -----------------------------------------------------------------------------

    def progress_of(self, job: Job, run: SheetRun) -> JobProgress:
        """Return how far the run of a sheet has come."""
        if self.is_going and self.run is not None and self.progress is not None:
            return self.progress
        return job.progress_on(run.sheet, self._mark_of(run), run.side)

    def _mark_of(self, run: SheetRun) -> str:
        if self._key is None or self._key[0] is not run:
            self._key = (run, layout_key(run))
        return self._key[1]

    @property
    def in_hand(self) -> str:
        """The group whose line burns now, as it is told."""
        if self.stream is None or self.run is None or not self.stream.in_hand:
            return ""
        return group_words(self.run.steps[int(self.stream.in_hand)][1])

    def left_s(self, run: SheetRun, progress: JobProgress) -> float:
        """Return about how long the rest takes, s."""
        steps = max(1, len(run.steps))
        return run.seconds * (1 - progress.burnt / steps)

    # -- the checklist -----------------------------------------------------------------------------

    def checks(self, run: SheetRun) -> tuple[JobCheck, ...]:
        """Return the lines of the checklist with the numbers of this sheet; those that were ticked
        in Set up for this machine stand.
        """
        session, area = self.session, run.ground.area
        focus = sorted({step.setting.focus_mm for step, _ in run.steps})
        heights = ", ".join(length_text(mm) for mm in focus)
        size = lengths_text(area[2] - area[0], area[3] - area[1])
        own = {
            "focus": tr("{heights} below the top face", heights=heights),
            "frame": tr(
                "{size} mm at {area}, {area2}: trace it",
                size=size,
                area=number_text(area[0]),
                area2=number_text(area[1]),
            ),
            "stay": tr("{seconds} of burning", seconds=duration_text(run.seconds)),
        }
        stand = standing(session)
        mark = self._mark_of(run)
        found = []
        for line in preparing_lines(self.presenter.recipes):
            for_what, at = self._ticks.get(line.key, ("", ""))
            if for_what != f"{mark} {line.detail}":
                at = ""
            found.append(JobCheck(line.key, line.words, line.detail, at))
        for check in CHECKS:
            number = own.get(check.key) or check.number(session)
            ticked = "" if check.key in own else stand.get(check.key, "")
            for_what, at = self._ticks.get(check.key, ("", ""))
            if for_what == f"{mark} {number}":
                ticked = at
            found.append(JobCheck(check.key, check.words, number, ticked))
        return tuple(found)

    def tick(self, run: SheetRun, key: str, *, on: bool) -> None:
        """Tick a line, or take the tick away."""
        check = next(one for one in self.checks(run) if one.key == key)
        mark = f"{self._mark_of(run)} {check.number}"
        self._ticks[key] = (mark, self._stamp() if on else "")
        self._view.show_run()

    def open_lines(self, run: SheetRun) -> tuple[str, ...]:
        """Return the words of the lines that are not ticked yet."""
        return tuple(one.words for one in self.checks(run) if not one.ticked)

    # -- the run -----------------------------------------------------------------------------------

    def start(
        self,
        run: SheetRun,
        *,
        first: int = 0,
        unlit: Unlit = "",
        pace: float = 1.0,
        words: LinkWords | None = None,
        wire: Wire | None = None,
        by: str = STAND_IN,
    ) -> None:
        """Start a sheet, or go on with it from a step; or trace it with the beam off.

        Raises AlmanacError where what changed in the shop is not worked in yet or another layout
        came of it, the port cannot be opened, or the stand-in may not burn.
        """
        result, job, machine = self.presenter.result, self.presenter.job, run.ground.machine
        if self.is_going or result is None or job is None:
            return
        if not self.presenter.is_current:
            self.presenter.refresh()
            raise AlmanacError(
                tr(
                    "The machine or its sheets have changed: the job is worked out anew. Look at "
                    "it, then start."
                )
            )
        ways = [(layout_key(one), one.ground.clamps) for one in result.plan.runs]
        if (layout_key(run), run.ground.clamps) not in ways:  # a way around clamps is one, too
            raise AlmanacError(
                tr("The layout of this sheet has changed: go back and open the sheet anew.")
            )
        if not unlit:
            check_water(self.session, machine)
        check_burner(by, self.session.store)
        before = job.progress_on(run.sheet, self._mark_of(run), run.side)
        ticks = {one.key: one.ticked for one in self.checks(run) if one.ticked}
        progress = replace(
            before,
            burnt=first,
            begun=max(first, before.burnt),
            started=before.started or self._stamp(),
            by=by,
            interrupted="",
            complete=False,
            ticks=ticks,
        )
        self.result, self.run, self.unlit, self.job_uid = result, run, unlit, job.uid
        self.why = ""
        self._keep("started", progress)
        self._begin(machine, self._parts(run, first), pace=pace, words=words, wire=wire)

    def _parts(self, run: SheetRun, first: int) -> Iterator[tuple[str, bytes]]:
        from olive_almanac.formats.gcode_job import UNLIT_BLOCKS, job_parts

        assert self.result is not None
        if self.unlit:
            return (("", block) for block in UNLIT_BLOCKS[self.unlit](run))
        said = {one.group: one.setting for one in self.result.wish.tasks if one.setting}
        return job_parts(run, said, first=first)

    def _before(self, step: str) -> None:
        """Keep that a step was begun before its first line goes out; in long runs several at
        once.
        """
        assert self.progress is not None and self.run is not None
        number = int(step)
        if number < self.progress.begun:
            return
        every = max(1, math.ceil(len(self.run.steps) / MOST_SAVES))
        begun = min(number + every, len(self.run.steps))
        self._keep("burning", replace(self.progress, begun=begun))

    def _take(self, finished: Sequence[str]) -> None:
        assert self.progress is not None
        self.progress = replace(self.progress, burnt=int(finished[-1]) + 1)

    def _keep_end(self, state: RunState, why: str) -> None:
        assert self.progress is not None and self.stream is not None
        begun = max([self.progress.burnt, *(int(step) + 1 for step in self.stream.in_doubt)])
        reached = replace(self.progress, begun=begun, interrupted=why, complete=state == "done")
        self.why = why
        self._keep(why or "finished", reached)

    def _show(self) -> None:
        self._view.show_run()

    def _keep(self, why: str, progress: JobProgress) -> None:
        """Keep how far it has come; what cannot be kept has not been reached."""
        before, self.progress = self.progress, progress
        try:
            if not self.unlit:
                self.presenter.keep_progress(self.job_uid, progress, why)
        except AlmanacError:
            self.progress = before
            raise

    def _stamp(self) -> str:
        return self._now().isoformat(timespec="seconds")
