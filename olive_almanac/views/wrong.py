"""What went wrong: what is seen at the left, to be said or taken back; the likeliest causes at the
right, each with what speaks for it and the check that tells.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QDialog, QVBoxLayout

from olive_almanac.core.records.setting import TASK_WORDS
from olive_almanac.core.units import capital
from olive_almanac.core.words import tr
from olive_almanac.steps.wrong import WrongAnswer, askable, wrong_work
from olive_almanac.views.parts import (
    MIDDLE_RIGHT,
    Heading,
    Page,
    box,
    button,
    clear_layout,
    col,
    hair,
    label,
    row,
    scrolling,
)
from olive_almanac.views.theme import C, F, Painted, px
from olive_almanac.views.tick_box import TickBox
from olive_almanac.views.worker import LatestWork

if TYPE_CHECKING:
    from olive_almanac.core.deciding.causes import LikelyCause
    from olive_almanac.views.window import MainWindow

__all__ = ["WrongDialog"]

MOST_SHOWN = 6
TELLING = 0.26  # what is met more often than this says little
HINT = tr(
    "Weighed by what was read and what the shop’s records say. An aid: the check decides. What "
    "smells or flares is dealt with first: beam off, air, extinguisher."
)


class ChanceBar(Painted):
    """How likely a cause is against the others, as a bar and a number."""

    def __init__(self, chance: float) -> None:
        super().__init__()
        self.chance = chance
        self.setFixedSize(px(120), px(22))

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        bar = QRectF(0, height / 2 - 5, 70, 10)
        painter.fillRect(bar, C("rule"))
        painter.fillRect(QRectF(bar.left(), bar.top(), 70 * self.chance, 10), C("olive"))
        painter.setPen(C("ink"))
        painter.setFont(F("ui_b"))
        words = f"{100 * self.chance:.0f} %" if self.chance >= 0.01 else "< 1 %"
        painter.drawText(QRectF(72, 0, width - 72, height), MIDDLE_RIGHT, words)


class WrongDialog(QDialog):
    """Answers anew with every sign that is said or taken back."""

    def __init__(self, window: MainWindow, cell_id: str = "") -> None:
        super().__init__(window)
        self._window, self.session, self.cell_id = window, window.session, cell_id
        self.setWindowTitle(tr("What went wrong"))
        self.said: dict[str, bool] = {}
        self.answer: WrongAnswer | None = None
        self._work = LatestWork(window.work)
        subject = self.session.subject
        about = tr("Choose a machine and a stock first.")
        asked: tuple[tuple[str, str], ...] = ()
        if subject.machine is not None and subject.stock is not None:
            about = tr(
                "{stock} on {machine}, {task_words}",
                stock=subject.stock.label,
                machine=subject.machine.name,
                task_words=TASK_WORDS[subject.task],
            )
            asked = askable(subject.machine, subject.stock, subject.task)
        self.first = label("", "ui_b", wrap=True)
        self.first.hide()
        self.boxes: dict[str, TickBox] = {}
        signs = QVBoxLayout()
        signs.setSpacing(px(2))
        signs.addWidget(Heading(tr("What is seen")))
        for key, words in asked:
            tick = TickBox(capital(words))
            tick.clicked.connect(lambda on, key=key: self._say(key, on))
            self.boxes[key] = tick
            signs.addWidget(tick)
        signs.addStretch(1)
        seen = Page()
        seen.setLayout(signs)
        left = scrolling(seen, (px(336), px(160)))
        left.setFixedWidth(px(348))
        self.known = label("", "small", "second", wrap=True)
        signs.insertWidget(signs.count() - 1, Heading(tr("What the records say")))
        signs.insertWidget(signs.count() - 1, self.known)
        self.causes = QVBoxLayout()
        self.causes.setSpacing(px(3))
        inside = Page()
        inside.setLayout(col(self.causes, None, gap=0, margins=(0, 0, 10, 0)))
        across = row(left, hair("vhair"), scrolling(inside, (px(320), px(160))), gap=16)
        across.setStretch(2, 1)
        close = button(tr("Close"))
        foot = row(label(HINT, "small", "second", wrap=True), close, gap=16)
        foot.setStretch(0, 1)
        close.clicked.connect(self.accept)
        body = col(
            row(label(tr("What went wrong"), "h2"), None, label(about, "ui", "second")),
            hair("bold"),
            self.first,
            across,
            foot,
            gap=8,
            margins=(20, 16, 20, 16),
        )
        body.setStretch(3, 1)
        self.setLayout(body)
        self.resize(min(px(1000), window.width() - px(40)), min(px(660), window.height() - px(30)))
        self.finished.connect(self._work.stop)
        self._ask()

    def _say(self, key: str, on: bool) -> None:
        self.said[key] = on
        self._ask()

    def _ask(self) -> None:
        self._work.start(wrong_work(self.session, self.said, self.cell_id), self._take)

    def _take(self, answer: WrongAnswer) -> None:
        from olive_almanac.core.deciding.causes import SIGNS

        self.answer = answer
        for key, tick in self.boxes.items():
            tick.setChecked(bool(answer.signs.get(key)))
        told = [
            SIGNS[key].words
            for key, so in answer.signs.items()
            if so and key not in self.boxes and SIGNS[key].usual < TELLING
        ]
        self.known.setText("; ".join(told) or tr("nothing out of the ordinary"))
        self.first.setVisible(answer.one_more is not None)
        if answer.one_more is not None:
            about = (
                tr("Cell {cell_id}", cell_id=answer.cell_id)
                if answer.cell_id
                else tr("A piece of this entry’s setting")
            )
            self.first.setText(
                tr("Before it is moved. {about}: {says}", about=about, says=answer.one_more.says)
            )
        clear_layout(self.causes)
        for n, cause in enumerate(answer.causes[:MOST_SHOWN], 1):
            self._add_cause(n, cause)

    def _add_cause(self, number: int, found: LikelyCause) -> None:
        cause = found.cause
        name = f"{number}  {capital(cause.name)}"
        lines = []
        if found.speaks_for:
            lines.append(tr("For it: {speaks_for}.", speaks_for="; ".join(found.speaks_for)))
        if found.speaks_against:
            lines.append(
                tr(
                    "Not found here: {speaks_against}.",
                    speaks_against="; ".join(found.speaks_against),
                )
            )
        reasons = label(" ".join(lines), "small", "second", wrap=True)
        reasons.setVisible(bool(lines))
        check = label(
            tr("To tell: {check}.", check=cause.check).replace("?.", "?"), "ui", wrap=True
        )
        then = label(tr("Then: {mend}.", mend=cause.mend), "small", "second", wrap=True)
        head = row(label(name, "h3", wrap=True), ChanceBar(found.chance), gap=8)
        head.setStretch(0, 1)
        self.causes.addWidget(box(col(head, reasons, check, then, gap=1)))
        self.causes.addWidget(hair())
