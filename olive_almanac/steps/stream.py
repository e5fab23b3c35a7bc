"""Send a program to a controller over a wire, a few lines ahead, and know at each moment which
cells are surely burnt.

Knows no clock and no thread: `pump` is called again and again and does what can be done without
waiting.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.steps.ports import Wire

__all__ = ["BY_HAND", "LinkWords", "State", "Stream", "lines_of"]

State = Literal["starting", "running", "held", "stopping", "stopped", "lost", "refused", "done"]
BY_HAND = tr("stopped by hand")
ASK_EVERY_S = 0.05
URGENT_WITHIN_S = 1.0  # in which a hold or a stop must have gone out
MOST_NONSENSE = 5  # answers one after the other
GREETS_WITHIN_S = 2.0  # a controller that cannot be asked whether it is there
LINES_A_PUMP = 2000
LINES_SINCE_TOLD = 8  # that a controller may have begun since it told which one it has done
_FIGURE = r"\d{1,9}(?:\.\d{0,9})?"
_PLACE = re.compile(
    rf"\S+ X(-?{_FIGURE}) Y(-?{_FIGURE}) Z-?{_FIGURE} (\w+) (\d{{1,9}})(?: clock ({_FIGURE}))?.*",
    re.ASCII,
)


@dataclass(frozen=True)
class LinkWords:
    """How a controller speaks: the words that begin its answers and the bytes that act at once.

    The defaults are the stand-in's.  Without `done_lines` (a controller that does not tell which
    line it has done) a line counts as done once `lines_ahead` further ones were taken.
    """

    greets: str = "ready"
    takes: str = "taken"
    refuses: str = "refused"
    tells: str = "at"
    asks: bytes = b"\x05"
    holds: bytes = b"\x13"
    goes_on: bytes = b"\x11"
    stops: bytes = b"\x18"
    lines_ahead: int = 100
    bytes_ahead: int = 3000  # sent but not yet taken, at most: what it has room for
    undone_ahead: int = (
        1_000_000  # sent but not yet done: what a controller would go on burning by itself
    )
    numbers: bool = True
    done_lines: bool = True
    patience_s: float = 5.0


@dataclass
class _Span:
    """The lines of a cell that were sent: its id, its first line and its last one so far."""

    cell: str
    first: int
    last: int


def _told(problem: OSError) -> str:
    return tr(
        "the connection was lost ({strerror})",
        strerror=mid_sentence(problem.strerror or str(problem)),
    )


def lines_of(parts: Iterable[tuple[str, bytes]]) -> Iterator[tuple[bytes, str]]:
    """Yield each line of a program that does something, with the id of its cell ("" for marks and
    moves).
    """
    for cell, block in parts:
        for line in block.splitlines():
            bare = re.sub(rb"\([^()]*\)", b"", line).strip()
            if bare:
                yield bare, cell


class Stream:
    """One run of a program.

    `before_cell` is called before the first line of a cell goes out; `finished` are the cells that
    are surely burnt, in order; `in_hand` is the cell that may be burning now.  `why` says what
    ended the run where it did not end by itself.  A run that is to end is "stopping" until the
    line has taken the stop.
    """

    def __init__(
        self,
        wire: Wire,
        lines: Iterator[tuple[bytes, str]],
        words: LinkWords,
        now: Callable[[], float],
        before_cell: Callable[[str], None] = lambda cell: None,
    ) -> None:
        self.wire, self.words, self._now, self._before_cell = wire, words, now, before_cell
        self.state: State = "starting"
        self.why = ""
        self.finished: list[str] = []
        self.clock_s: float | None = None
        self.place_mm: tuple[float, float] | None = None
        self.done_line = self.sent = self.taken = 0
        self._lines = lines
        self._next: bytes | None = None
        self._cell_of_next = ""
        self._ended = False  # every line has been handed over
        self._out = b""  # of the line that is on its way
        self._urgent = b""  # what acts at once and has not gone out yet
        self._urgent_since = 0.0
        self._held_from: State = "starting"
        self._ending: tuple[State, str] = ("stopped", "")
        self._heard = b""
        self._said_first: set[str] = set()  # by the controller, before the run
        self._nonsense = 0
        self._flying: deque[int] = deque()  # bytes of the lines that were sent and not yet taken
        self._spans: deque[_Span] = deque()  # still to be done
        self._heard_at = self._asked_at = now()

    @property
    def in_hand(self) -> str:
        """The cell of the first line that is sent but not surely done, "" between cells."""
        if self._spans:
            return self._spans[0].cell
        return ""

    @property
    def in_doubt(self) -> tuple[str, ...]:
        """The cells of which something may be burnt and that are not surely done, in order.

        That is all that was sent: a controller goes on with what it holds where the wire is gone,
        and one that tells no line may be at any of them.  One that tells its lines and was told to
        stop is at most a few lines further than it said.
        """
        cells = [span.cell for span in self._spans]
        if self.words.done_lines and self.state in ("stopped", "refused"):
            reached = self.done_line + LINES_SINCE_TOLD
            cells = [span.cell for span in self._spans if span.first <= reached]
        return tuple(dict.fromkeys(cells))

    @property
    def going(self) -> bool:
        return self.state in ("starting", "running", "held", "stopping")

    # -- acts --------------------------------------------------------------------------------------

    def hold(self) -> None:
        """Stop the head at once, to go on later."""
        if self.state in ("starting", "running"):
            self._held_from, self.state = self.state, "held"
            self._act(self.words.holds)

    def go_on(self) -> None:
        if self.state == "held":
            self.state = self._held_from
            self._heard_at = self._now()
            self._act(self.words.goes_on)

    def stop(self, why: str = "") -> None:
        """End the run: the beam is off and the rest is forgotten."""
        if self.going and self.state != "stopping":
            self._end("stopped", why)

    def _end(self, state: State, why: str) -> None:
        """Forget the rest; the run has ended once the line has taken the stop."""
        self._out = self._urgent = b""
        self.state, self._ending = "stopping", (state, why)
        self._act(self.words.stops)

    def _act(self, byte: bytes) -> None:
        """Bytes that act at once go before all that waits, also amid a line: its rest follows."""
        if not self._urgent:
            self._urgent_since = self._now()
        self._urgent += byte
        try:
            self._send_urgent()
        except OSError as problem:
            self._lose(_told(problem))

    def _send_urgent(self) -> None:
        self._urgent = self._urgent[self.wire.write(self._urgent) :]
        if not self._urgent and self.state == "stopping":
            self.state, self.why = self._ending
        elif self._urgent and self._now() - self._urgent_since > URGENT_WITHIN_S:
            self._lose(
                tr(
                    "the controller takes nothing any more, neither a hold nor a stop: use the "
                    "emergency stop at the machine"
                )
            )

    def _lose(self, why: str) -> None:
        self.state, self.why = "lost", why

    # -- the work ----------------------------------------------------------------------------------

    def pump(self) -> None:
        """Hear what was answered, send what may be sent, ask how far it is; never waits."""
        if not self.going:
            return
        try:
            if self._urgent:
                self._send_urgent()
            if self._urgent or not self.going:
                return
            self._hear(self.wire.read())
            if self.state == "starting" and self._needs_no_greeting():
                self.state = "running"
            if self.state == "running":
                self._send()
            self._ask()
        except OSError as problem:
            self._lose(_told(problem))
        if (
            self.state in ("starting", "running")
            and self._now() - self._heard_at > self.words.patience_s
        ):
            self._end(
                "lost",
                tr(
                    "the controller has not answered for {patience_s:g} s",
                    patience_s=self.words.patience_s,
                ),
            )

    def _needs_no_greeting(self) -> bool:
        """Whether it is begun without one: such a controller cannot be asked whether it is there,
        and has had time to start.
        """
        return not self.words.asks and self._now() - self._heard_at > GREETS_WITHIN_S

    def _hear(self, data: bytes) -> None:
        self._heard += data
        *whole, self._heard = self._heard.split(b"\n")
        if len(self._heard) > 400:
            whole, self._heard = [*whole, self._heard], b""
        for raw in whole:
            text = raw.decode("ascii", "replace").strip()
            if text and self.going and self.state != "stopping":
                self._answer(text)

    def _answer(self, text: str) -> None:
        words, parts = self.words, text.split()
        known = True
        if parts[0] == words.takes and not self._flying:
            known = False  # nothing was sent that it could have taken
        elif parts[0] == words.takes:
            self.taken += 1
            self._flying.popleft()
            if not words.done_lines:
                self._note_done(
                    self.sent
                    if self._ended and self.taken >= self.sent
                    else self.taken - words.lines_ahead
                )
        elif parts[0] == words.refuses:
            self._end("refused", tr("the controller refused line ") + " ".join(parts[1:]))
        elif self._is_place(text):
            known = self._place(text) or not words.done_lines
        elif self.state == "starting":
            known = parts[0] == words.greets
            self._said_first.add(text)
        elif text in self._said_first:  # it has forgotten lines, modes and perhaps its zero
            self._end("lost", tr("the controller has started anew in the middle of the run"))
            return
        else:
            known = parts[0] == words.greets
        if known:
            self._heard_at, self._nonsense = self._now(), 0
            if self.state == "starting":
                self.state = "running"
            return
        if self.state == "starting" and not words.done_lines:
            return  # what it says of itself when the line is opened
        self._nonsense += 1
        if self._nonsense >= MOST_NONSENSE:
            why = tr("the controller answers what makes no sense (“{text}”)", text=text[:40])
            self._end("lost", why)

    def _is_place(self, text: str) -> bool:
        """Whether an answer tells the place: by its first word, of another kind of controller by
        what it begins with.
        """
        tells = self.words.tells
        if self.words.done_lines:
            return text.split()[0] == tells
        return bool(tells) and text.startswith(tells)

    def _place(self, text: str) -> bool:
        found = _PLACE.fullmatch(text)
        if found is None or int(found[4]) > self.sent:  # done before it was sent: not to be trusted
            return False
        self.place_mm = (float(found[1]), float(found[2]))
        if found[5]:
            self.clock_s = float(found[5])
        if self.words.done_lines:
            self._note_done(int(found[4]))
        return True

    def _note_done(self, line: int) -> None:
        self.done_line = max(self.done_line, line)
        while self._spans:
            span = self._spans[0]
            whole = (
                self._ended or len(self._spans) > 1 or self._cell_of_next != span.cell
            )  # all its lines have gone out
            if span.last > self.done_line or not whole:
                break
            self._spans.popleft()
            self.finished.append(span.cell)
        if self._ended and self.done_line >= self.sent and not self._out:
            self.state = "done"

    def _send(self) -> None:
        for _ in range(LINES_A_PUMP):
            if self._out:
                gone = self.wire.write(self._out)
                self._out = self._out[gone:]
                if self._out:
                    return  # the wire is full
            self._load()
            if self._next is None:
                return
            line = self._numbered(self._next)
            if self._is_full(line):
                return
            if self._cell_of_next and not (
                self._spans and self._spans[-1].cell == self._cell_of_next
            ):
                self._before_cell(self._cell_of_next)
            self.sent += 1
            self._out = line
            self._flying.append(len(line))
            if self._cell_of_next:
                if self._spans and self._spans[-1].cell == self._cell_of_next:
                    self._spans[-1].last = self.sent
                else:
                    self._spans.append(_Span(self._cell_of_next, self.sent, self.sent))
            self._next = None
            self._load()  # so that it is known whether the cell goes on

    def _numbered(self, bare: bytes) -> bytes:
        """The next line as it goes out."""
        number = b""
        if self.words.numbers:
            number = b"N%d " % (self.sent + 1)
        return number + bare + b"\n"

    def _is_full(self, line: bytes) -> bool:
        """Whether the controller has no room for a line: what it cannot hold would be lost."""
        words = self.words
        if len(self._flying) >= words.lines_ahead:
            return True
        if self.sent - self.done_line >= words.undone_ahead:
            return True
        return bool(self._flying) and sum(self._flying) + len(line) > words.bytes_ahead

    def _load(self) -> None:
        if self._next is None:
            self._next, self._cell_of_next = next(self._lines, (None, ""))
            if self._next is None:
                self._ended = True

    def _ask(self) -> None:
        now = self._now()
        if self.words.asks and not self._out and self.going and now - self._asked_at >= ASK_EVERY_S:
            self._asked_at = now
            self.wire.write(self.words.asks)
