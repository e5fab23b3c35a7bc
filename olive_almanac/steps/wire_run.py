"""One program on its way to a controller, from its start to an end that the library keeps: what the
run of a coupon and the run of a job's sheet have in common.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from typing import Literal

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.words import tr
from olive_almanac.steps.ports import Library, Wire
from olive_almanac.steps.stream import BY_HAND, LinkWords, Stream, lines_of

__all__ = ["STAND_IN", "RunState", "WireRun", "check_burner"]

RunState = Literal["", "running", "held", "stopped", "interrupted", "done"]
STAND_IN = "stand-in"
LINES_IN_DOUBT = 40  # at the pace of a real machine no more than this is sent ahead of what is done


def check_burner(by: str, library: Library) -> None:
    """Raise AlmanacError where the stand-in is to burn in a library that is none to play in."""
    if by == STAND_IN and not library.playground:
        raise AlmanacError(
            tr(
                "The stand-in bench burns only in the demo, in exercises and in a rehearsal: "
                "what it shows proves nothing of this machine."
            )
        )


class WireRun:
    """Drives one program; a view calls `pump` as often as it likes.

    `state` is "" before.  An end that the library has no room for is held back: the run stays held,
    and ends when it is gone on with.  Each kind of run tells what it means by methods of its own.
    """

    def __init__(
        self, connect: Callable[[Machine, float], Wire], seconds: Callable[[], float]
    ) -> None:
        self.state: RunState = ""
        self.stream: Stream | None = None
        self._connect, self._seconds = connect, seconds
        self._wire: Wire | None = None
        self._on_port = False
        self._told = 0  # of what the stream has finished, what was taken
        self._unkept: tuple[RunState, str] | None = None  # an end that found no room

    @property
    def wire(self) -> Wire | None:
        return self._wire

    @property
    def is_going(self) -> bool:
        return self.state in ("running", "held")

    @property
    def beam_doubt(self) -> str:
        """What to look at while a real head is held, for a controller may leave the beam on, and
        once it is lost, for it may go on with what it holds.
        """
        if self.state == "held" and self._on_port:
            return tr("See that the beam is off; if not, press Stop.")
        if self.state == "interrupted" and self._on_port:
            return tr("Stop the machine itself: it may go on.")
        return ""

    # -- what it means -----------------------------------------------------------------------------

    def _before(self, name: str) -> None:
        """Keep that a cell or step is begun, before its first line goes out."""
        raise NotImplementedError

    def _take(self, finished: Sequence[str]) -> None:
        """Take the cells or steps that are surely burnt now."""
        raise NotImplementedError

    def _look(self) -> None:
        """Look at what asks for an act while it runs."""

    def _keep_end(self, state: RunState, why: str) -> None:
        """Keep how the run ended.  Raises AlmanacError where that cannot be kept."""
        raise NotImplementedError

    def _told_of(self, *, held: bool) -> None:
        """The head was held, or let go on."""

    def _show(self) -> None:
        """Show the run as it is now."""
        raise NotImplementedError

    # -- the run -----------------------------------------------------------------------------------

    def _begin(
        self,
        machine: Machine,
        parts: Iterable[tuple[str, bytes]],
        *,
        pace: float,
        words: LinkWords | None,
        wire: Wire | None,
    ) -> None:
        """Open the wire and begin with the program."""
        words = words or LinkWords()
        if words.done_lines and pace <= 1.0:
            words = replace(words, undone_ahead=LINES_IN_DOUBT)
        self._on_port = wire is not None
        self._wire = wire or self._connect(machine, pace)
        self._told, self._unkept = 0, None
        self.stream = Stream(self._wire, lines_of(parts), words, self._seconds, self._before)
        self.state = "running"
        self._show()

    def pump(self) -> bool:
        """Do what can be done now; returns False when the run is over."""
        stream = self.stream
        if stream is None or not self.is_going:
            return False
        if self._unkept is not None:
            if self.state == "running":
                self._end(*self._unkept)
            return self.is_going
        stream.pump()
        fresh = stream.finished[self._told :]
        self._told += len(fresh)
        if fresh:
            self._take(fresh)
        self._look()
        if not stream.going:
            self._end_with(stream)
        elif fresh:
            self._show()
        return self.is_going

    def pause(self) -> None:
        """Hold the head, or go on."""
        stream = self.stream
        if stream is None or not self.is_going or stream.state == "stopping":
            return
        held = self.state == "running"
        if held:
            stream.hold()
            self.state = "held"
        else:
            stream.go_on()
            self.state = "running"
        self._told_of(held=held)
        self._show()

    def stop(self) -> None:
        """End the run early, beam off: what has burnt stays burnt."""
        if self.stream is None or not self.is_going:
            return
        self.pump()  # hear once more what is done: what is whole must not count as half burnt
        if self._unkept is not None:
            self._end(*self._unkept)
        elif self.is_going:
            self.stream.stop(BY_HAND)
            if not self.stream.going:  # else it ends once the line has taken the stop
                self._end_with(self.stream)

    def _end_with(self, stream: Stream) -> None:
        """End as the stream has ended."""
        state: RunState = "interrupted"
        if stream.state in ("done", "stopped"):
            state = "done" if stream.state == "done" else "stopped"
        why = "" if state == "done" else stream.why or BY_HAND
        self._end(state, why)

    def _end(self, state: RunState, why: str) -> None:
        """Hang up and keep how it ended; where that cannot be kept it stays as it was."""
        before, self.state, self._unkept = self.state, state, None
        self._hang_up()
        try:
            self._keep_end(state, why)
        except AlmanacError:
            self.state, self._unkept = before, (state, why)
            raise
        self._show()

    def _hang_up(self) -> None:
        if self._wire is not None:
            self._wire.close()
            self._wire = None
