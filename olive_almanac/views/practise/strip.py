"""The strip under the subject line that says what is practised."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.views.marks import Mark
from olive_almanac.views.parts import button, label, row
from olive_almanac.views.theme import C, px

if TYPE_CHECKING:
    from olive_almanac.steps.exercises import Exercise


class PracticeStrip(QWidget):
    """Says that this is practice, what is asked and what is left; finishes or leaves it.

    Signals:
        finish_asked(): score it now.
        leave_asked(): leave it without a score.
    """

    finish_asked = Signal()
    leave_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("practice")
        self.words, self.left = label("", "ui_b", wrap=True), label("", "ui")
        self.finish = button(tr("Finish and score"), "main")
        self.leave = button(tr("Leave it"), "plain")
        self.finish.clicked.connect(self.finish_asked)
        self.leave.clicked.connect(self.leave_asked)
        mark = Mark("state", "trial", 24)
        layout = row(mark, self.words, self.left, self.leave, self.finish, gap=12)
        layout.setStretch(1, 1)
        layout.setContentsMargins(px(20), px(4), px(16), px(4))
        self.setLayout(layout)

    def show_rehearsal(self, name: str) -> None:
        self.words.setText(
            tr("Rehearsal of {name} on the stand-in bench.", name=mid_sentence(name))
        )
        self.left.setText(tr("Nothing of it enters your book."))
        self.finish.setVisible(False)
        self.leave.setText(tr("End the rehearsal"))

    def show_look(self, words: str) -> None:
        self.words.setText(tr("You are looking at a copy of {words}.", words=words))
        self.left.setText(tr("What is changed here is thrown away."))
        self.finish.setVisible(False)
        self.leave.setText(tr("Back to my library"))

    def show_practice(self, exercise: Exercise, left: int) -> None:
        self.finish.setVisible(True)
        self.leave.setText(tr("Leave it"))
        self.words.setText(
            tr(
                "Practice: {exercise}. {asks}",
                exercise=mid_sentence(exercise.title),
                asks=exercise.asks,
            )
        )
        self.left.setText(tr("{left} of {cells} cells left", left=left, cells=exercise.cells))

    def show_scoring(self, scoring: bool) -> None:
        self.finish.setEnabled(not scoring)
        if scoring:
            self.finish.setText(tr("Scoring ..."))
        else:
            self.finish.setText(tr("Finish and score"))

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), C("brass_wash"))
        painter.fillRect(0, self.height() - 1, self.width(), 1, C("edge"))
