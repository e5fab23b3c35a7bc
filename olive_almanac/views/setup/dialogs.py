"""Two questions about a machine: what has changed on it, and where its focus lies."""

from __future__ import annotations

import math
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QDialog, QWidget

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.units import count_text, length_number, length_text, number_text
from olive_almanac.core.words import tr
from olive_almanac.steps.set_up import focus_test
from olive_almanac.views.parts import CENTRE, TextField, WordPicker, button, col, hair, label, row
from olive_almanac.views.theme import NO_BRUSH, NO_PEN, C, F, Painted, px, scaled_font

CHANGES = {
    "lens": tr("lens"),
    "air": tr("air"),
    "tube": tr("tube"),
    "alignment": tr("alignment"),
    "module": tr("module"),
}


def _field(name: str, text: str = "", lengths: str = "") -> TextField:
    made = TextField(text, lengths=lengths)
    made.setFont(scaled_font("ui"))
    made.setAccessibleName(name)
    return made


class StateDialog(QDialog):
    """What has changed: starts a new machine state; the entries that become due are listed before
    it is confirmed.
    """

    def __init__(self, presenter: Any, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.presenter = presenter
        self.setWindowTitle(tr("A new machine state"))
        self.what = WordPicker("ui_b", name=tr("What has changed"))
        self.what.set_choices(list(CHANGES.items()), "lens")
        self.what.picked.connect(lambda key: self.what.set_choices(list(CHANGES.items()), key))
        self.reason = _field(tr("Reason"))
        self.reason.setPlaceholderText(tr("for example: new 50 mm lens"))
        due = presenter.entries_made_due()
        if not due:
            told = tr("No proven entry stands on this machine.")
        else:
            told = (
                tr(
                    "{due} proven {become} due again:\n",
                    due=len(due),
                    become=tr("entry becomes") if len(due) == 1 else tr("entries become"),
                )
            ) + "\n".join(due[:12])
        self.due = label(told, "ui", wrap=True)
        start = button(tr("Start a new state"), "main")
        start.clicked.connect(self._start)
        leave = button(tr("Leave it as it is"))
        leave.clicked.connect(self.reject)
        self.setLayout(
            col(
                label(tr("What has changed on {machine}?", machine=presenter.machine.name), "h2"),
                hair("bold"),
                row(
                    label(tr("The"), "ui", "second"),
                    self.what,
                    label(tr("has changed."), "ui", "second"),
                    None,
                ),
                self.reason,
                self.due,
                6,
                row(start, leave, None, gap=10),
                gap=10,
                margins=(20, 16, 20, 16),
            )
        )
        self.resize(px(520), px(330))

    def _start(self) -> None:
        if self.presenter.change_state(self.what.key, self.reason.text().strip()):
            self.accept()


class MaterialDialog(QDialog):
    """A stock with entries is about to become another material: asks which of the two is meant.

    Signals:
        answered(str): "new": it is another stock; "change": it was written down wrongly before.
    """

    answered = Signal(str)

    def __init__(self, name: str, entries: tuple[str, ...], parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Another material?"))
        other = button(
            tr("It is another stock"), "main", tip=tr("added beside it; its entries stay")
        )
        other.clicked.connect(lambda: self._answer("new"))
        wrong = button(tr("It was written down wrongly"))
        wrong.clicked.connect(lambda: self._answer("change"))
        leave = button(tr("Leave it as it is"))
        leave.clicked.connect(self.reject)
        told = tr(
            "{entrys} of it would speak of the new one:",
            entrys=count_text(len(entries), "entry", "entries"),
        )
        self.setLayout(
            col(
                label(tr("Is it still {name}?", name=name), "h2"),
                hair("bold"),
                label("\n".join([told, *entries[:8]]), "ui", wrap=True),
                None,
                row(other, wrong, leave, None, gap=10),
                gap=10,
                margins=(20, 16, 20, 16),
            )
        )
        self.resize(px(620), px(260))

    def _answer(self, how: str) -> None:
        self.accept()
        self.answered.emit(how)


class CausticDrawing(Painted):
    """The fitted caustic with the readings on it."""

    def __init__(self) -> None:
        super().__init__()
        self.fit: Any = None
        self.points = ()
        self.setMinimumSize(px(420), px(200))

    def show_fit(self, fit: Any, points: Any) -> None:
        self.fit, self.points = fit, points
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.fit is None:
            return
        heights, widths = [z for z, _ in self.points], [d for _, d in self.points]
        low, high, most = min(heights), max(heights), 1.15 * max(widths)
        x = lambda z: 50 + (z - low) / (high - low) * (width - 70)  # noqa: E731
        y = lambda d: height - 34 - d / most * (height - 50)  # noqa: E731
        painter.setPen(QPen(C("edge"), 1))
        painter.setBrush(C("field"))
        painter.drawRect(QRectF(50, 14, width - 70, height - 48))
        painter.setPen(QPen(C("ink"), 2.4))
        steps = [low + (high - low) * n / 80 for n in range(81)]
        painter.drawPolyline([QPointF(x(z), y(self.fit.diameter(z))) for z in steps])
        if low <= self.fit.focus_mm <= high:
            painter.setPen(QPen(C("olive"), 2, Qt.PenStyle.DashLine))
            painter.drawLine(
                QPointF(x(self.fit.focus_mm), 14), QPointF(x(self.fit.focus_mm), height - 34)
            )
        painter.setPen(NO_PEN)
        painter.setBrush(C("ink"))
        for z, d in self.points:
            painter.drawEllipse(QPointF(x(z), y(d)), 4.5, 4.5)
        painter.setBrush(NO_BRUSH)
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(
            QRectF(50, height - 30, width - 70, 18),
            CENTRE,
            tr("height, mm: {low} to {high}", low=length_number(low), high=length_number(high)),
        )
        painter.drawText(QRectF(0, 14, 48, 18), CENTRE, length_text(most, 2))


class FocusDialog(QDialog):
    """Line widths burnt at several heights: where the focus lies, how wide it is, how deep, each
    with its error.
    """

    def __init__(self, presenter: Any, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.presenter = presenter
        self.fit: Any = None
        self.setWindowTitle(tr("Focus test"))
        heights, widths = presenter.focus_typed or ("-4 -3 -2 -1 0 1 2 3 4", "")
        self.heights = _field(tr("Heights in mm"), heights, "several")
        self.widths = _field(tr("Line widths in mm"), widths, "several")
        self.widths.setPlaceholderText(tr("one width for each height"))
        self.told = label(
            tr("Burn a line at each height, measure its width, type both lists."),
            "ui",
            "second",
            wrap=True,
        )
        self.drawing = CausticDrawing()
        self.take = button(
            tr("Take it over"),
            "main",
            tip=tr("spot and depth of focus of the machine; Ctrl+Z takes it back"),
        )
        self.take.setEnabled(False)
        self.take.clicked.connect(self._take)
        leave = button(tr("Close"))
        leave.clicked.connect(self.reject)
        for field in (self.heights, self.widths):
            field.textChanged.connect(self._work)
        layout = col(
            label(tr("Where is the focus?"), "h2"),
            hair("bold"),
            label(tr("Heights, mm"), "small_b"),
            self.heights,
            label(tr("Line widths, mm"), "small_b"),
            self.widths,
            self.told,
            self.drawing,
            row(self.take, leave, None, gap=10),
            gap=8,
            margins=(20, 16, 20, 16),
        )
        layout.setStretch(7, 1)
        self.setLayout(layout)
        self.resize(px(620), px(560))
        if widths:
            self._work()

    def reject(self) -> None:
        """Close; what was typed is there when it is opened again."""
        self.presenter.focus_typed = (self.heights.text(), self.widths.text())
        super().reject()

    def _work(self) -> None:
        try:
            self.fit = focus_test(
                self.heights.text(), self.widths.text(), self.presenter.machine.wavelength_nm
            )
        except AlmanacError as problem:
            self.fit = None
            self.told.setText(str(problem))
            self.drawing.show_fit(None, ())
        else:
            fit = self.fit
            heights = [
                float(part.replace("−", "-").replace(",", "."))
                for part in self.heights.text().replace(", ", " ").replace(";", " ").split()
            ]
            widths = [
                float(part.replace(",", "."))
                for part in self.widths.text().replace(", ", " ").replace(";", " ").split()
            ]
            self.told.setText(
                tr(
                    "Best focus at {focus_mm} ± {focus_se_mm} mm. Spot {waist_mm} ± "
                    "{waist_se_mm} mm. Half the depth of focus {rayleigh_mm} ± "
                    "{rayleigh_se_mm} mm. M² {m2} ± {m2_se}. Away from focus burnt lines are "
                    "narrower than the beam: the depth is at most this, M² at least this.",
                    focus_mm=number_text(fit.focus_mm, 2),
                    focus_se_mm=number_text(fit.focus_se_mm, 1),
                    waist_mm=number_text(fit.waist_mm),
                    waist_se_mm=number_text(fit.waist_se_mm, 1),
                    rayleigh_mm=number_text(fit.rayleigh_mm),
                    rayleigh_se_mm=number_text(fit.rayleigh_se_mm, 1),
                    m2=number_text(fit.m2, 2),
                    m2_se=number_text(fit.m2_se, 1),
                )
            )
            self.drawing.show_fit(fit, tuple(zip(heights, widths, strict=True)))
        self.take.setEnabled(self.fit is not None and math.isfinite(self.fit.waist_mm))

    def _take(self) -> None:
        if self.fit is not None and self.presenter.take_focus(self.fit):
            self.presenter.focus_typed = None
            self.accept()
