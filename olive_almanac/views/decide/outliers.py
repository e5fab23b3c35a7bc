"""The readings that the model does not expect, each with what it expected and what may be wrong."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy

from olive_almanac.core.records.reading import VERDICT_WORDS
from olive_almanac.core.units import passes_text, percent_text, speed_text
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.views.marks import draw_verdict
from olive_almanac.views.parts import CENTRE, MIDDLE_LEFT, MIDDLE_RIGHT
from olive_almanac.views.theme import LIVE, NO_BRUSH, C, F, Painted

if TYPE_CHECKING:
    from olive_almanac.steps.session import Session

LINE = 74.0
AGREES = tr("No reading stands out: each is likely, given all the others.")


class OutlierList(Painted):
    """A line for each reading; arrows and Enter, or a click, go to the cell.

    Signals:
        chosen(str): the cell to look at again.
    """

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.rows: list = []
        self.at, self.note = 0, ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Outliers: readings that the model does not expect"))

    def show_outliers(self, outliers: Any, session: Session, note: str) -> None:
        """Show the readings of the coupon on the desk first; those of earlier coupons cannot be
        gone to.
        """
        active = session.active
        if active:
            trials = {trial.id: trial for trial, _ in active.pairs}
        else:
            trials = {}
        if outliers is None:
            self.note = note
        else:
            self.note = AGREES
        self.rows = [
            (one, trials[one.trial], active.trial.id == one.trial)
            for one in outliers or ()
            if one.trial in trials
        ]
        self.at = min(self.at, max(0, len(self.rows) - 1))
        self.unit = session.preferences.speed_unit
        words = [
            f"{one.cell}: {VERDICT_WORDS.get(one.verdict, one.verdict)}, {one.why}"
            for one, _, _ in self.rows
        ]
        self.setAccessibleDescription(" ".join(words) or self.note)
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if not self.rows:
            painter.setFont(F("note"))
            painter.setPen(C("ink2"))
            painter.drawText(QRectF(0, 0, width, height), CENTRE, self.note)
            return
        first = max(0, self.at - int(height // LINE) + 1)
        for n, (one, trial, _) in enumerate(self.rows[first:]):
            y = n * LINE
            if y + LINE > height:
                break
            if first + n == self.at and self.hasFocus():
                painter.setPen(QPen(C("olive"), 2))
                painter.setBrush(NO_BRUSH)
                painter.drawRoundedRect(QRectF(1, y + 1, width - 2, LINE - 4), 4, 4)
            setting = trial.cell(one.cell).setting
            painter.setPen(C("ink"))
            painter.setFont(F("h3"))
            painter.drawText(QRectF(14, y + 6, 60, 28), MIDDLE_LEFT, one.cell)
            draw_verdict(painter, QRectF(70, y + 10, 20, 20), one.verdict)
            painter.setFont(F("ui_b"))
            read, expected = (
                mid_sentence(VERDICT_WORDS.get(word, tr("Holds")))
                for word in (one.verdict, one.expected)
            )
            painter.drawText(
                QRectF(98, y + 6, width - 110, 28),
                MIDDLE_LEFT,
                tr("read as {read}, expected {expected}", read=read, expected=expected),
            )
            painter.setFont(F("small"))
            painter.setPen(C("ink2"))
            if one.chance < 0.01:
                chance = tr("under 1 %")
            else:
                chance = f"{100 * one.chance:.0f} %"
            passes = passes_text(setting.passes)
            told = tr(
                "{power} %, {speed_mm_s}, {passes}; {chance} likely",
                power=percent_text(setting.power),
                speed_mm_s=speed_text(setting.speed_mm_s, self.unit),
                passes=passes,
                chance=chance,
            )
            painter.drawText(QRectF(98, y + 6, width - 112, 28), MIDDLE_RIGHT, told)
            painter.setFont(F("ui"))
            painter.setPen(C("ink"))
            painter.drawText(QRectF(98, y + 34, width - 110, 28), MIDDLE_LEFT, one.why)
            painter.setPen(QPen(C("rule"), 1))
            painter.drawLine(14, int(y + LINE - 2), int(width - 14), int(y + LINE - 2))
        foot = QRectF(14, min(len(self.rows), height // LINE) * LINE + 8, width - 28, 26)
        if foot.bottom() < height:
            painter.setFont(F("note"))
            painter.setPen(C("ink2"))
            painter.drawText(
                foot,
                MIDDLE_LEFT,
                tr("Enter, or a click, goes to the cell. All other readings agree."),
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        _, y = self.logical(event)
        first = max(0, self.at - int(self.height() / LIVE.scale // LINE) + 1)
        self._go(first + int(y // LINE))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(event.key())
        if step is not None and self.rows:
            self.at = max(0, min(len(self.rows) - 1, self.at + step))
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._go(self.at)
        else:
            super().keyPressEvent(event)

    def _go(self, at: int) -> None:
        if 0 <= at < len(self.rows):
            self.at = at
            one, _, on_desk = self.rows[at]
            self.update()
            if on_desk:
                self.chosen.emit(one.cell)
