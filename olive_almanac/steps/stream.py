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

from olive_almanac.core.words import tr
from olive_almanac.steps.ports import Wire

__all__ = ["BY_HAND", "LinkWords", "State", "Stream", "lines_of"]

State = Literal["starting", "running", "held", "stopped", "lost", "refused", "done"]
BY_HAND = tr("stopped by hand")
ASK_EVERY_S = 0.05
MOST_NONSENSE = 5
LINES_A_PUMP = 2000
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
    bytes_ahead: int = 3000  # sent but not yet taken
    undone_ahead: int = (
        1_000_000  # sent but not yet done: what a controller would go on burning by itself
    )
    numbers: bool = True
    done_lines: bool = True
    patience_s: float = 5.0


@dataclass
class _Span:
    """The lines of a cell that were sent: its id and its last line so far."""

    cell: str
    last: int


def _told(problem: OSError) -> str:
    return tr(
        "the connection was lost ({strerror})", strerror=(problem.strerror or str(problem)).lower()
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
    ended the run where it did not end by itself.
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
        self._out = b""
        self._heard = b""
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
    def going(self) -> bool:
        return self.state in ("starting", "running", "held")

    # -- acts --------------------------------------------------------------------------------------

    def hold(self) -> None:
        """Stop the head at once, beam off, to go on later."""
        if self.state in ("starting", "running"):
            self.state = "held"
            self._act(self.words.holds)

    def go_on(self) -> None:
        if self.state == "held":
            self.state = "running"
            self._heard_at = self._now()
            self._act(self.words.goes_on)

    def stop(self, why: str = "") -> None:
        """End the run: the beam is off and the rest is forgotten."""
        if self.going:
            self.state, self.why = "stopped", why
            self._act(self.words.stops)

    def _act(self, byte: bytes) -> None:
        """Bytes that act at once go before the lines that wait."""
        self._out = b""
        try:
            self.wire.write(byte)
        except OSError as problem:
            self._lose(_told(problem))

    def _lose(self, why: str) -> None:
        self.state, self.why = "lost", why

    # -- the work ----------------------------------------------------------------------------------

    def pump(self) -> None:
        """Hear what was answered, send what may be sent, ask how far it is; never waits."""
        if not self.going:
            return
        try:
            self._hear(self.wire.read())
            if self.state == "running":
                self._send()
            self._ask()
        except OSError as problem:
            self._lose(_told(problem))
        if (
            self.going
            and self.state != "held"
            and self._now() - self._heard_at > self.words.patience_s
        ):
            self._lose(
                tr(
                    "the controller has not answered for {patience_s:g} s",
                    patience_s=self.words.patience_s,
                )
            )

    def _hear(self, data: bytes) -> None:
        self._heard += data
        *whole, self._heard = self._heard.split(b"\n")
        if len(self._heard) > 400:
            whole, self._heard = [*whole, self._heard], b""
        for raw in whole:
            text = raw.decode("ascii", "replace").strip()
            if text and self.going:
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
            self.state = "refused"
            self.why = tr("the controller refused line ") + " ".join(parts[1:])
            self._act(words.stops)
        elif parts[0] == words.tells:
            known = self._place(text)
        elif parts[0] != words.greets:
            known = False
        if known:
            self._heard_at = self._now()
            if self.state == "starting":
                self.state = "running"
            return
        self._nonsense += 1
        if self._nonsense >= MOST_NONSENSE:
            self._act(words.stops)
            why = tr("the controller answers what makes no sense (“{text}”)", text=text[:40])
            self._lose(why)

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
            full = (
                len(self._flying) >= self.words.lines_ahead
                or sum(self._flying) >= self.words.bytes_ahead
            )
            full = full or self.sent - self.done_line >= self.words.undone_ahead
            if full or self._next is None:
                return
            if self._cell_of_next and not (
                self._spans and self._spans[-1].cell == self._cell_of_next
            ):
                self._before_cell(self._cell_of_next)
            self.sent += 1
            number = b""
            if self.words.numbers:
                number = b"N%d " % self.sent
            self._out = number + self._next + b"\n"
            self._flying.append(len(self._out))
            if self._cell_of_next:
                if self._spans and self._spans[-1].cell == self._cell_of_next:
                    self._spans[-1].last = self.sent
                else:
                    self._spans.append(_Span(self._cell_of_next, self.sent))
            self._next = None
            self._load()  # so that it is known whether the cell goes on

    def _load(self) -> None:
        if self._next is None:
            self._next, self._cell_of_next = next(self._lines, (None, ""))
            if self._next is None:
                self._ended = True

    def _ask(self) -> None:
        now = self._now()
        if self.words.asks and not self._out and now - self._asked_at >= ASK_EVERY_S:
            self._asked_at = now
            self.wire.write(self.words.asks)
