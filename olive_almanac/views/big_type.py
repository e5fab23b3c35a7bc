"""What is in hand, in type that is read from across the shop: one key shows and hides it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QCoreApplication, QEvent, QObject, QRectF, Qt, QTimer
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QPainter
from PySide6.QtWidgets import QWidget

from olive_almanac.core.records.setting import Setting
from olive_almanac.core.units import number_text, passes_text, speed_in
from olive_almanac.core.words import tr
from olive_almanac.views.parts import CENTRE
from olive_almanac.views.theme import C, F, Painted

__all__ = ["BIG_TYPE_KEY", "BigType", "InHand", "numbers_of"]

BIG_TYPE_KEY = "F11"
AGAIN_MS = 300


@dataclass(frozen=True)
class InHand:
    """What a station has in hand: where one is, the thing, its numbers, a line more, the keys."""

    where: str
    thing: str
    numbers: tuple[str, ...] = ()
    more: str = ""
    keys: str = ""


def numbers_of(setting: Setting, speed_unit: str) -> tuple[str, ...]:
    """Return the three numbers that are dialled: power, speed, passes."""
    speed = number_text(speed_in(setting.speed_mm_s, speed_unit))
    return (
        f"{number_text(100 * setting.power)} %",
        f"{speed} {speed_unit}",
        passes_text(setting.passes),
    )


class BigType(Painted):
    """Lies over the whole window and shows what the present page has in hand.

    Every key but its own goes on to the page; Escape leaves, unless a machine is at work, which
    Escape then stops.
    """

    def __init__(self, window: QWidget, in_hand: Callable[[], InHand], page: Callable[[], QWidget]):
        super().__init__(window)
        self._window = window
        self._in_hand, self._page = in_hand, page
        self.shown = InHand("", "")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._again = QTimer(self)
        self._again.setInterval(AGAIN_MS)
        self._again.timeout.connect(self.refresh)
        window.installEventFilter(self)
        self.hide()

    def toggle(self) -> None:
        """Show the page's thing in hand, or go back to the page."""
        if self.isVisible():
            self.leave()
            return
        self.setGeometry(self._window.rect())
        self.refresh()
        self.show()
        self.raise_()
        self.setFocus()
        self._again.start()

    def leave(self) -> None:
        self._again.stop()
        self.hide()
        self._page().setFocus()

    def refresh(self) -> None:
        """Say what is in hand now."""
        self.shown = self._in_hand()
        self.setAccessibleName(" ".join((self.shown.thing, *self.shown.numbers, self.shown.more)))
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        shown = self.shown
        painter.fillRect(QRectF(0, 0, width, height), C("page"))
        lines = [
            (shown.where, 0.05, "ink2"),
            (shown.thing, 0.10, "ink"),
            *((number, 0.16, "ink") for number in shown.numbers),
            (shown.more, 0.045, "ink2"),
        ]
        told = [line for line in lines if line[0]]
        need = sum(1.25 * share for _, share, _ in told)
        k = min(1.0, 0.88 / max(0.01, need))
        y = (0.94 * height - k * need * height) / 2
        for words, share, colour in told:
            self._line(painter, words, QRectF(0, y, width, 1.25 * k * share * height), colour)
            y += 1.25 * k * share * height
        keys = tr(
            "{keys}   {big_type_key} back", keys=shown.keys, big_type_key=BIG_TYPE_KEY
        ).strip()
        self._line(painter, keys, QRectF(0, 0.94 * height, width, 0.045 * height), "ink2")

    def _line(self, painter: QPainter, words: str, rect: QRectF, colour: str) -> None:
        """A line as large as its place allows."""
        font = F("num3")
        font.setPixelSize(max(8, round(0.8 * rect.height())))
        wide = QFontMetricsF(font).horizontalAdvance(words)
        if wide > 0.94 * rect.width():
            font.setPixelSize(max(8, int(font.pixelSize() * 0.94 * rect.width() / wide)))
        painter.setFont(font)
        painter.setPen(C(colour))
        painter.drawText(rect, CENTRE, words)

    # -- keys --------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        page = self._page()
        busy = getattr(page, "is_running", bool)()
        if event.key() == Qt.Key.Key_Escape and not busy:
            self.leave()
            return
        QCoreApplication.sendEvent(page, event)
        self.refresh()

    def mousePressEvent(self, _event: QEvent) -> None:
        self.leave()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize and self.isVisible():
            self.setGeometry(self._window.rect())
        return super().eventFilter(watched, event)
