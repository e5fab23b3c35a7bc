"""Marks of the mirrors on tape: typed at the corners of the bed, told at once."""

from __future__ import annotations

from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QGridLayout

from olive_almanac.core.lengths import length_unit
from olive_almanac.core.words import tr
from olive_almanac.steps.mirrors import CAUTIONS, CORNERS, SCREWS, MirrorsPresenter
from olive_almanac.views.parts import Number, Page, box, button, col, hair, label, row
from olive_almanac.views.theme import NO_BRUSH, C, Painted, px

__all__ = ["MirrorsPanel"]

FULL_MM = 8.0  # from the middle to the edge of the drawn opening
PLACES = {
    tr("rear left"): (0, 0),
    tr("rear right"): (0, 1),
    tr("front left"): (1, 0),
    tr("front right"): (1, 1),
}
HOW = tr(
    "Tape over the opening of the head, one pulse with the head at each corner, 30 mm inside the "
    "bed. Measure each mark from the middle of the opening, as seen from where the beam comes: mm "
    "to the right (left: minus) and mm up (down: minus)."
)


class MarkView(Painted):
    """The opening with one mark in it."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.mark: tuple[float, float] | None = None
        self.setFixedSize(px(84), px(84))
        self.setAccessibleName(tr("Mark at {name}", name=name))

    def show_mark(self, mark: tuple[float, float] | None) -> None:
        self.mark = mark
        words = (
            tr("none yet")
            if mark is None
            else tr("{mark:g} mm right, {mark2:g} mm up", mark=mark[0], mark2=mark[1])
        )
        self.setAccessibleDescription(words)
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        middle, reach = QPointF(width / 2, height / 2), width / 2 - 4
        painter.setPen(QPen(C("edge"), 1.4))
        painter.setBrush(C("field"))
        painter.drawEllipse(middle, reach, reach)
        painter.setPen(QPen(C("rule"), 1))
        painter.drawLine(
            QPointF(middle.x() - reach, middle.y()), QPointF(middle.x() + reach, middle.y())
        )
        painter.drawLine(
            QPointF(middle.x(), middle.y() - reach), QPointF(middle.x(), middle.y() + reach)
        )
        if self.mark is None:
            return
        x, y = (max(-1.0, min(1.0, value / FULL_MM)) for value in self.mark)
        at = QPointF(middle.x() + reach * x, middle.y() - reach * y)
        painter.setPen(QPen(C("ember"), 2))
        painter.setBrush(NO_BRUSH)
        painter.drawEllipse(at, 6, 6)
        painter.setBrush(C("ember"))
        painter.drawEllipse(at, 2, 2)


class MirrorsPanel(Page):
    """Four corners with their marks, what they tell, and two test turns of the screws."""

    def __init__(self, presenter: MirrorsPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self._of = ""  # the machine that the marks are of
        self.fields: dict[tuple[str, str], Number] = {}
        self.views = {name: MarkView(name) for name in CORNERS}
        self.nothing = label(
            tr("This machine carries its source in the head: it has no mirrors to set."),
            "ui",
            "second",
            wrap=True,
        )
        self.caution = label(CAUTIONS, "small_b", "ember", wrap=True)
        self.how = label(HOW, "ui", "second", wrap=True)
        corners = QGridLayout()
        corners.setHorizontalSpacing(px(36))
        corners.setVerticalSpacing(px(10))
        for name in (tr("front left"), tr("front right"), tr("rear right"), tr("rear left")):
            line, column = PLACES[name]
            mark = row(self._typed(name), self.views[name], None, gap=10)
            corners.addLayout(col(label(name, "ui_b"), mark, gap=2), line, column)
        corners.setColumnStretch(2, 1)
        self.says = label("", "h3", wrap=True)
        self.again = label("", "ui", wrap=True)
        self.turned = box(
            col(
                self.again,
                *(
                    row(
                        label(tr("after the {name} screw", name=name), "ui", "second"),
                        self._typed(name, stacked=False),
                        None,
                        gap=8,
                    )
                    for name in SCREWS
                ),
                gap=6,
            )
        )
        self.turns = label("", "ui_b", wrap=True)
        self.keep = button(tr("Keep these marks"), "main", tip="Ctrl+Enter")
        self.keep.clicked.connect(self.keep_marks)
        self.body = box(
            col(
                self.how,
                corners,
                hair(),
                self.says,
                self.turned,
                self.turns,
                row(self.keep, None),
                None,
                gap=8,
            )
        )
        self.setLayout(col(self.caution, self.nothing, self.body, gap=8))

    def _typed(self, name: str, *, stacked: bool = True) -> object:
        parts = []
        for way, sign in (("right", "right"), ("up", "up")):
            field = Number(f"{name}, {length_unit()} {way}", 52, lengths="one")
            field.textEdited.connect(lambda _: self.show_told())
            self.fields[name, way] = field
            parts.append(row(field, label(f"{length_unit()} {sign}", "ui", "second"), None, gap=4))
        return box(col(*parts, gap=4)) if stacked else box(row(*parts, gap=10))

    def _texts(self) -> dict[tuple[str, str], str]:
        return {key: field.text() for key, field in self.fields.items()}

    def show_told(self) -> None:
        """Say what is typed so far."""
        machine = self.presenter.machine
        uid = machine.uid if machine is not None else ""
        if uid != self._of:
            self._of = uid
            for field in self.fields.values():
                field.setText("")
        there = machine is not None
        self.nothing.setVisible(not there)
        self.body.setVisible(there)
        self.caution.setVisible(there)
        if not there:
            return
        told = self.presenter.tell(self._texts())
        self.says.setText(told.problem or told.says)
        marks = told.marks or (None,) * len(CORNERS)
        for name, mark in zip(CORNERS, marks, strict=False):
            self.views[name].show_mark(mark)
        self.turned.setVisible(bool(told.again_at))
        self.again.setText(
            tr(
                "To learn what its screws do: a quarter turn of the first, mark the "
                "{again_at} corner again; turn it back; the same with the second.",
                again_at=told.again_at,
            )
        )
        self.turns.setText(told.turns)
        self.turns.setVisible(bool(told.turns))

    def keep_marks(self) -> None:
        """Keep what is typed and empty the fields."""
        if self.presenter.keep(self._texts()):
            for field in self.fields.values():
                field.setText("")
            self.show_told()
