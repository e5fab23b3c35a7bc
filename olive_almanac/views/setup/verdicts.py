"""May it burn, can it work: the catalogue's answer for the stock on the present machine, task by
task.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QVBoxLayout, QWidget

from olive_almanac.core.materials.catalogue import verdict_of
from olive_almanac.core.records.machine import SOURCES
from olive_almanac.core.records.setting import SHORT_TASK_WORDS
from olive_almanac.core.units import capital, number_text
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.steps.permission import judged_stock
from olive_almanac.views.disputed import DisputedQuestion
from olive_almanac.views.parts import Heading, clear_layout, col, label, tip_text
from olive_almanac.views.theme import compact, px

if TYPE_CHECKING:
    from olive_almanac.core.records.stock import Stock
    from olive_almanac.steps.session import Session


class VerdictPanel(QWidget):
    """What the stock gives off, what works on this source, the calipers' spread, and the disputed
    question.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.tells_thickness = True  # unless a drawing does
        self.lines = QVBoxLayout()
        self.lines.setSpacing(px(3))
        self.question = DisputedQuestion(session)
        self.setLayout(col(self.lines, self.question, gap=8))

    def refresh(self, *, shown: bool = True) -> None:
        clear_layout(self.lines)
        machine, stock = self.session.subject.machine, self.session.subject.stock
        judged = None
        if stock:
            judged = judged_stock(stock)
        self.setVisible(shown and judged is not None)
        if judged is None or stock is None:
            return
        entry = judged.entry
        if self.tells_thickness:
            self._show_thickness(stock)
        source = "diode"
        if machine:
            source = machine.source
        self.lines.addWidget(Heading(tr("On a {sources} machine", sources=SOURCES[source][0])))
        permission = self.session.permission
        if entry.state == "barred" or permission.ask:
            self.lines.addWidget(
                label(
                    permission.reason, "ui_b", "ember" if entry.state == "barred" else "", wrap=True
                )
            )
        if entry.state != "barred":
            by_phrase: dict[str, list[str]] = {}
            for task, word in SHORT_TASK_WORDS.items():
                verdict = verdict_of(judged, source=source, task=task)
                by_phrase.setdefault(verdict.phrase, []).append(mid_sentence(word))
            for phrase, tasks in by_phrase.items():
                self.lines.addWidget(
                    label(capital(f"{', '.join(tasks)}: {phrase}"), "ui", wrap=True)
                )
        gives_off = tr("Gives off {gives_off}.", gives_off=entry.gives_off)
        told = label(gives_off, "small", "second", wrap=True)
        told.setToolTip(tip_text(entry.advice))
        self.lines.addWidget(told)
        if entry.advice and not compact(True, False):
            self.lines.addWidget(label(entry.advice, "small", "second", wrap=True))
        self.question.show_permission(permission)

    def _show_thickness(self, stock: Stock) -> None:
        if len(stock.measured_mm) > 1:
            spread = max(stock.measured_mm) - min(stock.measured_mm)
            self.lines.addWidget(
                label(
                    tr(
                        "Measured {true_thickness_mm} mm in the mean, spread {spread} mm; nominal "
                        "{thickness_mm} mm.",
                        true_thickness_mm=number_text(stock.true_thickness_mm),
                        spread=number_text(spread, 2),
                        thickness_mm=number_text(stock.thickness_mm),
                    ),
                    "small",
                    "second",
                    wrap=True,
                )
            )
