"""The exercise at a machine: its time line, what can be done, and the answer."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QDialog, QPushButton

from olive_almanac.core.words import tr
from olive_almanac.steps.exercises import MECHANIC_TITLE
from olive_almanac.steps.mechanic import ACTIONS, FAULTS, Mechanic
from olive_almanac.views.parts import button, col, hair, label, own_picker, row
from olive_almanac.views.shop.timeline import TimeLineChart
from olive_almanac.views.theme import px

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from olive_almanac.steps.practise import Score

__all__ = ["MechanicDialog"]


class MechanicDialog(QDialog):
    """Acts at the left, the answer at the right; `keep` takes the score once it is given."""

    def __init__(
        self, parent: QWidget, mechanic: Mechanic, on: str, keep: Callable[[Score], None]
    ) -> None:
        super().__init__(parent)
        self.mechanic, self._on, self._keep = mechanic, on, keep
        self.setWindowTitle(MECHANIC_TITLE)
        self.chart = TimeLineChart()
        self.held = label("", "small", "second", wrap=True)
        self.chart.taken.connect(lambda mark: self.held.setText(mark.words))
        self.said = label("", "h3", wrap=True)
        self.minutes = label("", "ui", "second")
        self.keys: dict[str, QPushButton] = {}
        for action, (words, minutes) in ACTIONS.items():
            key = button(f"{words}, {minutes} min")
            key.clicked.connect(lambda _=False, action=action: self._do(action))
            self.keys[action] = key
        self.fault = own_picker(tr("What is wrong"), FAULTS, "nothing")
        self.answer = button(tr("That is it"), "main")
        self.answer.clicked.connect(self._answer)
        self.leave = button(tr("Leave"))
        self.leave.clicked.connect(self.reject)
        acts = row(*self.keys.values(), None, gap=8)
        answer = row(
            label(tr("I say:"), "ui"),
            self.fault,
            self.answer,
            None,
            self.minutes,
            self.leave,
            gap=10,
        )
        title = label(f"{MECHANIC_TITLE}: {mechanic.machine.label}", "h2")
        body = col(
            title,
            hair("bold"),
            self.said,
            self.chart,
            self.held,
            acts,
            hair(),
            answer,
            gap=8,
            margins=(20, 16, 20, 16),
        )
        body.setStretch(3, 1)  # the chart
        self.setLayout(body)
        self.resize(QSize(px(900), px(600)))
        self._show()

    def _show(self) -> None:
        self.chart.show_line(self.mechanic.time_line())
        self.said.setText(self.mechanic.said)
        self.minutes.setText(tr("{minutes} min spent", minutes=self.mechanic.minutes))

    def _do(self, action: str) -> None:
        self.mechanic.do(action)
        self._show()

    def _answer(self) -> None:
        verdict = self.mechanic.answer(self.fault.key, self._on)
        self._keep(verdict.score)
        self.said.setText(
            tr("{total} of 100. {says}", total=verdict.score.total, says=verdict.says)
        )
        for key in (*self.keys.values(), self.answer, self.fault):
            key.setEnabled(False)
        self.leave.setText(tr("Done"))
        self.leave.setFocus()
