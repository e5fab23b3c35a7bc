"""Names of a list, one on each copy: typed, pasted or from a file, with how they come out."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QDialog, QFileDialog, QPlainTextEdit, QVBoxLayout

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.lengths import length_unit
from olive_almanac.core.quoting.names import NamePlan
from olive_almanac.core.quoting.pattern import Pattern
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import count_text, number_text, read_number
from olive_almanac.core.words import tr
from olive_almanac.views.coupon import stock_colour
from olive_almanac.views.parts import (
    Number,
    Page,
    WordPicker,
    box,
    button,
    clear_layout,
    col,
    hair,
    label,
    row,
    scrolling,
)
from olive_almanac.views.theme import NO_BRUSH, C, Painted, ink_on, px, scaled_font

if TYPE_CHECKING:
    from olive_almanac.steps.jobs import JobsPresenter
    from olive_almanac.views.window import MainWindow

__all__ = ["NamesDialog"]

TABLES = tr("Lists (*.csv *.txt *.xlsx *.ods *.CSV *.TXT *.XLSX *.ODS)")
FONTS = tr("Fonts (*.ttf *.otf *.TTF *.OTF)")
STROKES, FONT, OTHER = "strokes", "font", "other"
PAUSE_MS = 200
SHOWN_LOOKS = 40
SIDES = (tr("from the left"), tr("from below"), tr("wide"), tr("high"))


class NamePicture(Painted):
    """The part with one name in its box, to scale."""

    def __init__(self) -> None:
        super().__init__()
        self.pattern: Pattern | None = None
        self.plan: NamePlan | None = None
        self.at = 0
        self.stock: Stock | None = None
        self.setMinimumSize(px(320), px(200))
        self.setAccessibleName(tr("One part with its name"))

    def show_name(self, pattern: Pattern | None, plan: NamePlan | None, at: int) -> None:
        self.pattern, self.plan, self.at = pattern, plan, at
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.pattern is None or self.stock is None:
            return
        left, low, right, high = self.pattern.box_mm
        k = min((width - 20) / (right - left), (height - 20) / (high - low))
        dx = (width - k * (right - left)) / 2
        foot = (height + k * (high - low)) / 2

        def on(points: Any) -> QPolygonF:
            pairs = points.tolist()
            return QPolygonF([QPointF(dx + k * (x - left), foot - k * (y - low)) for x, y in pairs])

        colour = stock_colour(self.stock)
        ink = ink_on(colour)
        painter.setPen(QPen(ink, 1.4))
        painter.setBrush(colour)
        for outline in self.pattern.outlines:
            painter.drawPolygon(on(outline))
        painter.setBrush(NO_BRUSH)
        for contour in self.pattern.contours:
            polygon = on(contour.points_mm)
            if contour.closed:
                painter.drawPolygon(polygon)
            else:
                painter.drawPolyline(polygon)
        if self.plan is None:
            return
        x0, y0, x1, y1 = self.plan.box_mm
        painter.setPen(QPen(C("olive"), 1.2, Qt.PenStyle.DashLine))
        painter.drawRect(
            QRectF(dx + k * (x0 - left), foot - k * (y1 - low), k * (x1 - x0), k * (y1 - y0))
        )
        painter.setPen(QPen(ink, 1.6))
        for line in self.plan.lines[self.at] if self.at < len(self.plan.lines) else ():
            if self.plan.is_outline:
                painter.drawPolygon(on(line))
            else:
                painter.drawPolyline(on(line))


class NamesDialog(QDialog):
    """The list, the letters and the box; beside them one part and what asks for a look."""

    def __init__(self, window: MainWindow, presenter: JobsPresenter) -> None:
        super().__init__(window)
        self.presenter = presenter
        self.setWindowTitle(tr("Names on the copies"))
        job = presenter.job
        assert job is not None
        self.font_name = job.name_font
        self.plan: NamePlan | None = None
        self._table: Any = None
        self.text = QPlainTextEdit()
        self.text.setFont(scaled_font("ui"))
        self.text.setAccessibleName(tr("Names, one a line"))
        self.text.setPlaceholderText(
            tr("One name a line, typed or pasted; one copy is made of each")
        )
        self.text.setPlainText("\n".join(job.names))
        self.choose = button(tr("From a file"), tip=tr("CSV, XLSX, ODS or text"))
        self.choose.clicked.connect(self._choose)
        self.column = WordPicker("ui_b", name=tr("Column of the names"))
        self.column.picked.connect(lambda at: self._take_column(int(at)))
        self.column_row = box(row(label(tr("Column"), "ui", "second"), self.column, None, gap=6))
        self.column_row.hide()
        self.letters = WordPicker("ui_b", name=tr("Letters"))
        self.letters.picked.connect(self._pick_letters)
        self.sides = [
            Number(tr("Box of the names: mm {side}", side=side), 56, lengths="one")
            for side in SIDES
        ]
        result = presenter.result
        origin = result.plan.pattern.box_mm[:2] if result is not None else (0.0, 0.0)
        for side, mm in zip(self.sides, _sides(job.name_box_mm, origin), strict=True):
            side.setText(mm)
            side.textEdited.connect(self._changed)
        self.picture = NamePicture()
        self.picture.stock = window.session.subject.stock
        self.size_told = label("", "ui_b", wrap=True)
        self.looks = QVBoxLayout()
        self.keep = button(tr("Letter them"), "main", tip=tr("as many copies as names"))
        self.keep.clicked.connect(self._keep)
        leave = button(tr("Leave it"))
        leave.clicked.connect(self.reject)
        self.away = button(tr("No names"), "plain", tip=tr("takes the names off the copies"))
        self.away.clicked.connect(self._take_away)
        self.away.setVisible(bool(job.names))
        self._build(leave)
        self.asks = QTimer(self)
        self.asks.setSingleShot(True)
        self.asks.setInterval(PAUSE_MS)
        self.asks.timeout.connect(self._try)
        self.text.textChanged.connect(self._changed)
        self.text.cursorPositionChanged.connect(self._show)
        self._show_letters()
        self._try()

    def _build(self, leave: Any) -> None:
        told = Page()
        told.setLayout(col(self.looks, None, gap=2))
        inner: list[Any] = [label(tr("Box"), "ui", "second")]
        for side, words in zip(self.sides, ("", ",", ";", "×"), strict=True):
            inner += [label(words, "ui", "second"), side] if words else [side]
        left = col(
            self.text,
            row(self.choose, self.column_row, None, gap=8),
            row(label(tr("Letters:"), "ui", "second"), self.letters, None, gap=6),
            row(*inner, label(length_unit(), "ui", "second"), None, gap=4),
            label(tr("Left, low; wide × high. Empty: the largest free place."), "small", "second"),
            gap=8,
        )
        left.setStretch(0, 1)
        right = col(self.picture, self.size_told, scrolling(told, (320, 90)), gap=8)
        right.setStretch(0, 2)
        right.setStretch(2, 1)
        across = row(box(left), box(right), gap=18)
        across.setStretch(0, 1)
        across.setStretch(1, 1)
        layout = col(
            label(tr("Names on the copies"), "h2"),
            hair("bold"),
            across,
            row(self.keep, leave, None, self.away, gap=10),
            gap=10,
            margins=(20, 16, 20, 16),
        )
        layout.setStretch(2, 1)
        self.setLayout(layout)
        self.resize(px(880), px(560))

    # -- what is asked for -------------------------------------------------------------------------

    @property
    def names(self) -> tuple[str, ...]:
        return self.presenter.names_of(self.text.toPlainText())

    def _box(self) -> tuple[float, float, float, float] | None:
        """The box that was typed in, in mm of the drawing; None where it is left empty."""
        texts = [side.text().strip() for side in self.sides]
        result = self.presenter.result
        if not any(texts) or result is None:
            return None
        x, y, wide, high = (
            read_number(text, tr("Box, {side}", side=side))
            for text, side in zip(texts, SIDES, strict=True)
        )
        left, low, right, top = result.plan.pattern.box_mm
        chosen = (left + x, low + y, left + x + wide, low + y + high)
        inside = left <= chosen[0] < chosen[2] <= right and low <= chosen[1] < chosen[3] <= top
        if not inside:
            raise AlmanacError(tr("The box of the names must lie on the part."))
        return chosen

    def _changed(self) -> None:
        self.asks.start()

    def _try(self) -> None:
        """Letter them as they are now, and show it."""
        try:
            self.plan = self.presenter.try_names(self.names, self.font_name, self._box())
            problem = "" if self.plan or not self.names else tr("There is no room for names here.")
        except AlmanacError as bad:
            self.plan, problem = None, str(bad)
        self._show(problem)

    def _show(self, problem: str = "") -> None:
        plan, result = self.plan, self.presenter.result
        at = self.text.textCursor().blockNumber()
        pattern = result.plan.pattern if result is not None else None
        self.picture.show_name(pattern, plan, at)
        self.keep.setEnabled(plan is not None)
        told = problem
        if plan is not None:
            high = number_text(plan.height_mm, 2)
            told = tr(
                "{names}, capitals {high} mm high. {says}",
                names=count_text(len(plan.lines), "name"),
                high=high,
                says=plan.says,
            )
        self.size_told.setText(told)
        clear_layout(self.looks)
        names = self.names if plan is not None else ()
        for n, words in list(plan.looks.items() if plan is not None else ())[:SHOWN_LOOKS]:
            if n < len(names):
                line = f"{n + 1} {names[n]}: {words}"
                self.looks.addWidget(label(line, "small", "second", wrap=True))

    # -- from files --------------------------------------------------------------------------------

    def _choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("A list of names"), "", TABLES)
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """Take the names of a file; a table asks for its column."""
        try:
            self._table = self.presenter.read_names(path)
        except AlmanacError as bad:
            self._show(str(bad))
            return
        columns = self._table.columns
        self.column_row.setVisible(len(columns) > 1)
        self.column.set_choices([(str(n), words) for n, words in enumerate(columns)], "0")
        self._take_column(0)

    def _take_column(self, at: int) -> None:
        if self._table is None:
            return
        cells = self._table.column(at)
        has_head = len(self._table.columns) > 1
        self.column.show_key(str(at))
        self.text.setPlainText("\n".join(cells[1:] if has_head else cells))

    def _show_letters(self) -> None:
        choices = [(STROKES, tr("single strokes"))]
        if self.font_name:
            choices.append((FONT, tr("outlines of a font")))
        choices.append((OTHER, tr("a font file ...")))
        self.letters.set_choices(choices, FONT if self.font_name else STROKES)

    def _pick_letters(self, key: str) -> None:
        if key == STROKES:
            self.font_name = ""
        elif key == OTHER:
            name, _ = QFileDialog.getOpenFileName(self, tr("A font"), "", FONTS)
            if name:
                self.take_font(Path(name))
        self._show_letters()
        self._try()

    def take_font(self, path: Path) -> None:
        """Take the outlines of a font file; what is none is told."""
        try:
            self.font_name = self.presenter.keep_font(path)
        except AlmanacError as bad:
            self._show(str(bad))

    def _keep(self) -> None:
        try:
            names, chosen = self.names, self._box()
        except AlmanacError as bad:
            self._show(str(bad))
            return
        self.presenter.set_names(names, self.font_name, chosen)
        self.accept()

    def _take_away(self) -> None:
        self.presenter.set_names((), "", None)
        self.accept()


def _sides(box_mm: tuple[float, ...], origin: tuple[float, float]) -> tuple[str, str, str, str]:
    """A box as it is typed: left, low, wide, high, counted from the part's corner."""
    if len(box_mm) != 4:
        return ("", "", "", "")
    left, low, right, high = box_mm
    return (
        number_text(left - origin[0]),
        number_text(low - origin[1]),
        number_text(right - left),
        number_text(high - low),
    )
