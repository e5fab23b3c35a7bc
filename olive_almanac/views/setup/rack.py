"""The rack of a stock: one sheet large with its clamps and used areas as things that are dragged,
the others on a shelf below, the numbers of what is in hand beside it.
"""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from olive_almanac.core.lengths import length_unit
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.units import capital, lengths_shown, lengths_text, number_text, sides_number
from olive_almanac.core.words import tr
from olive_almanac.steps.rack import RackPresenter, RackScreen, Thing, ThingKind
from olive_almanac.steps.session import Session
from olive_almanac.views.coupon import stock_colour
from olive_almanac.views.parts import (
    ARROWS,
    CENTRE,
    MIDDLE_LEFT,
    MIDDLE_RIGHT,
    ListLine,
    Number,
    Page,
    box,
    button,
    clear_layout,
    col,
    hair,
    head,
    label,
    page_margins,
    row,
)
from olive_almanac.views.rulers import draw_rulers
from olive_almanac.views.sheets import draw_clamp, draw_sheet, draw_used, in_rack
from olive_almanac.views.theme import LIVE, NO_BRUSH, C, F, Painted, compact, ink_on, px

HANDLE = 5.0  # half a handle, px
REACH = 11.0  # how near the mouse must come to a handle, px
CORNERS = ((0, 0), (1, 0), (0, 1), (1, 1))
HINT = tr(
    "Drag a thing or a corner of it. Arrows move it 1 mm, with Shift 0.1 mm; point and comma go "
    "from thing to thing."
)
LISTED = (3, 7)  # things in the list: in a close window, in a wide one
PLACE_FIELDS = (
    ("left", tr("right by")),
    ("low", tr("up by")),
    ("wide", tr("wide")),
    ("high", tr("high")),
)


class SheetDrawing(Painted):
    """The sheet in hand to scale; the thing in hand has four handles.

    Signals:
        taken(object): a thing was clicked, or None beside all of them.
        moved(float, float): the thing in hand was moved by so many mm.
        stretched(object, object): one of its corners was dragged to a place, mm.
        settled(): the mouse or the key was let go.
        other(int): Tab took the next thing, Shift+Tab the one before.
    """

    taken = Signal(object)
    moved = Signal(float, float)
    stretched = Signal(object, object)
    settled = Signal()
    stepped = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.shown: RackScreen | None = None
        self.stock: Stock | None = None
        self.keep_off_mm = 0.0
        self._from: tuple[float, float] | None = None
        self._corner: tuple[int, int] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(px(170))
        self.setAccessibleName(tr("The sheet to scale"))

    def show_screen(self, screen: RackScreen, stock: Stock, keep_off_mm: float) -> None:
        self.shown, self.stock, self.keep_off_mm = screen, stock, keep_off_mm
        held = (
            tr("{held} in hand, {place}", held=screen.held.name, place=screen.held.place)
            if screen.held
            else tr("none in hand")
        )
        self.setAccessibleDescription(
            tr("{things} things on it, {held}", things=len(screen.things), held=held)
        )
        self.update()

    @property
    def sheet(self) -> Sheet | None:
        return self.shown.sheet if self.shown else None

    def _scale(self) -> tuple[float, float, float]:
        """Return px per mm, and where the sheet's lower left corner lies."""
        width, height = self.width() / LIVE.scale, self.height() / LIVE.scale
        sheet = self.sheet
        if sheet is None:
            return 1.0, 0.0, height
        k = min((width - 74) / sheet.width_mm, (height - 40) / sheet.height_mm)
        left = 50 + (width - 74 - k * sheet.width_mm) / 2
        return k, left, 10 + (height - 40 + k * sheet.height_mm) / 2

    def _rect(self, mm: Any) -> QRectF:
        k, left, foot = self._scale()
        return QRectF(left + k * mm[0], foot - k * mm[3], k * (mm[2] - mm[0]), k * (mm[3] - mm[1]))

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        sheet, stock = self.sheet, self.stock
        if sheet is None or stock is None or self.shown is None:
            painter.setPen(C("ink2"))
            painter.setFont(F("ui"))
            words = tr("No sheet of this stock is in the rack yet. Type the size of one below.")
            painter.drawText(QRectF(0, 0, width, height), CENTRE, words)
            return
        colour = stock_colour(stock)
        painter.save()
        painter.setClipRect(self._rect((-12, -12, sheet.width_mm + 12, sheet.height_mm + 12)))
        draw_sheet(painter, in_rack(sheet), self._rect, colour, self.keep_off_mm)
        painter.restore()
        ink = ink_on(colour)
        largest = self.shown.largest_mm
        if largest is not None and self.shown.things:
            pen = QPen(ink, 1.2)
            pen.setDashPattern([1.5, 3])
            painter.setPen(pen)
            painter.setBrush(NO_BRUSH)
            painter.drawRect(self._rect(largest).adjusted(2, 2, -2, -2))
        if largest is not None:
            self._draw_largest(painter, largest, ink)
        draw_rulers(painter, sheet, self._scale())
        if self.shown.held is not None:
            self._draw_held(painter, self.shown.held)
        if self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.setBrush(NO_BRUSH)
            outline = (0, 0, sheet.width_mm, sheet.height_mm)
            painter.drawRect(self._rect(outline).adjusted(-4, -4, 4, 4))

    def _draw_largest(self, painter: QPainter, largest: Any, ink: Any) -> None:
        """The size of the largest free piece, where it has room in it."""
        rect = self._rect(largest)
        size = lengths_text(largest[2] - largest[0], largest[3] - largest[1])
        painter.setFont(F("small"))
        painter.setPen(ink)
        text = tr("largest free piece {size} mm", size=size)
        if painter.fontMetrics().horizontalAdvance(text) > rect.width() - 12:
            text = size
        if painter.fontMetrics().horizontalAdvance(text) < rect.width() - 8 and rect.height() > 20:
            painter.drawText(rect, CENTRE, text)

    def _draw_held(self, painter: QPainter, held: Thing) -> None:
        rect = self._rect(held.box_mm)
        painter.setPen(QPen(C("ink"), 2.4))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(rect)
        painter.setPen(QPen(C("ink"), 1.2))
        painter.setBrush(C("brass_wash"))
        for at in self._handles(held):
            painter.drawRect(QRectF(at.x() - HANDLE, at.y() - HANDLE, 2 * HANDLE, 2 * HANDLE))
        painter.setFont(F("small_b"))
        text = f"{held.name}, {held.place}"
        need = painter.fontMetrics().horizontalAdvance(text) + 12
        right = self.width() / LIVE.scale - 4
        x = min(max(4.0, rect.center().x() - need / 2), right - need)
        y = rect.top() - 30 if rect.top() > 34 else rect.bottom() + 10
        tag = QRectF(x, y, need, 20)
        painter.setPen(QPen(C("ink"), 1))
        painter.setBrush(C("field"))
        painter.drawRoundedRect(tag, 3, 3)
        painter.drawText(tag, CENTRE, text)

    def _handles(self, held: Thing) -> list[QPointF]:
        rect = self._rect(held.box_mm)
        return [
            QPointF(rect.right() if across else rect.left(), rect.top() if up else rect.bottom())
            for across, up in CORNERS
        ]

    # -- mouse and keys ----------------------------------------------------------------------------

    def _mm(self, event: QEvent) -> tuple[float, float]:
        x, y = self.logical(event)
        k, left, foot = self._scale()
        return (x - left) / k, (foot - y) / k

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.shown is None or self.sheet is None:
            return
        held = self.shown.held
        x, y = self.logical(event)
        if held is not None:
            for corner, at in zip(CORNERS, self._handles(held), strict=True):
                if abs(at.x() - x) <= REACH and abs(at.y() - y) <= REACH:
                    self._corner = corner
                    return
        here = next((one for one in reversed(self.shown.things) if self._hits(one, x, y)), None)
        self.taken.emit(here)
        self._from = self._mm(event) if here is not None else None

    def _hits(self, thing: Thing, x: float, y: float) -> bool:
        return self._rect(thing.box_mm).adjusted(-3, -3, 3, 3).contains(x, y)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = self._mm(event)
        if self._corner is not None:
            self.stretched.emit(self._corner, at)
        elif self._from is not None:
            step = (round(at[0] - self._from[0]), round(at[1] - self._from[1]))
            if step != (0, 0):
                self._from = (self._from[0] + step[0], self._from[1] + step[1])
                self.moved.emit(float(step[0]), float(step[1]))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._corner = self._from = None
        self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in ARROWS:
            along, up = ARROWS[Qt.Key(event.key())]
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            step = 0.1 if fine else 1.0
            self.moved.emit(step * along, step * up)
        elif event.text() in (".", ","):
            self.stepped.emit(1 if event.text() == "." else -1)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() in ARROWS and not event.isAutoRepeat():
            self.settled.emit()
        else:
            super().keyReleaseEvent(event)


class Shelf(Painted):
    """The sheets of the rack to one scale, standing on a shelf.

    Signals:
        chosen(int): a sheet was clicked, or an arrow key went to it.
        opened(): a sheet was clicked twice, or Enter was pressed.
    """

    chosen = Signal(int)
    opened = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.shown: RackScreen | None = None
        self.stock: Stock | None = None
        self.setFixedHeight(px(compact(74, 92)))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("The sheets in the rack"))

    def show_screen(self, screen: RackScreen, stock: Stock) -> None:
        self.shown, self.stock = screen, stock
        told = ", ".join(
            f"{n + 1}: {sides_number(one.width_mm, one.height_mm)}"
            for n, one in enumerate(screen.sheets)
        )
        self.setAccessibleDescription(
            tr("{told}; {at} is shown", told=told, at=screen.at + 1) if told else tr("none")
        )
        self.update()

    def _rects(self) -> list[QRectF]:
        """Where the sheets stand, side by side on the shelf."""
        if self.shown is None or not self.shown.sheets:
            return []
        sheets = self.shown.sheets
        width, height = self.width() / LIVE.scale, self.height() / LIVE.scale
        gap = 10.0
        room = width - 8 - gap * (len(sheets) - 1)
        k = min(
            (height - 8) / max(one.height_mm for one in sheets),
            room / sum(one.width_mm for one in sheets),
        )
        rects, x = [], 4.0
        for one in sheets:
            w, h = k * one.width_mm, k * one.height_mm
            rects.append(QRectF(x, height - 3 - h, w, h))
            x += w + gap
        return rects

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        painter.fillRect(QRectF(0, height - 2, width, 2), C("ink"))
        if self.shown is None or self.stock is None:
            return
        colour = stock_colour(self.stock)
        for n, rect in enumerate(self._rects()):
            shown = n == self.shown.at
            painter.setPen(QPen(C("ink") if shown else C("stock_edge"), 2.4 if shown else 1.2))
            painter.setBrush(colour)
            painter.drawRect(rect)
            if rect.width() > 14 and rect.height() > 14:
                painter.setFont(F("ui_b"))
                painter.setPen(ink_on(colour))
                painter.drawText(rect, CENTRE, str(n + 1))
        if self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(QRectF(1, 1, width - 2, height - 2))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x, y = self.logical(event)
        for n, rect in enumerate(self._rects()):
            if rect.adjusted(-5, -20, 5, 5).contains(x, y):
                self.chosen.emit(n)
                return

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.opened.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit()
        elif step is None or self.shown is None:
            super().keyPressEvent(event)
        else:
            self.chosen.emit(self.shown.at + step)


class ThingLine(ListLine):
    """One thing of the sheet in the list: how it is drawn, its name, its size and place."""

    def __init__(self, thing: Thing, stock: Stock, *, held: bool) -> None:
        super().__init__(held=held)
        self.thing, self.stock = thing, stock
        self.setFixedHeight(px(compact(44, 46)))
        state = tr(", in hand") if held else ""
        self.setAccessibleName(f"{thing.name}, {thing.place}{state}")

    def sizeHint(self) -> QSize:
        return QSize(px(230), px(46))

    def draw(self, painter: QPainter, w: float, _h: float) -> None:
        swatch = QRectF(8, 11, 34, 24)
        if self.thing.kind == "clamp":
            draw_clamp(painter, swatch)
        else:
            draw_used(painter, swatch, stock_colour(self.stock))
        name = capital(self.thing.name)
        painter.setPen(C("ink"))
        painter.setFont(F("ui_b"))
        painter.drawText(QRectF(54, 3, w - 60, 22), MIDDLE_LEFT, name)
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(QRectF(54, 23, w - 60, 20), MIDDLE_LEFT, self.thing.place)
        if self.held:
            painter.drawText(QRectF(54, 3, w - 62, 22), MIDDLE_RIGHT, tr("in hand"))


class RackPage(Page):
    """The rack of the subject's stock.

    Signals:
        back_asked(): the operator goes back to machine and stock.
    """

    back_asked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.presenter = RackPresenter(session, self)
        self.title = label("", "h1")
        self.back = button(tr("Machine and stock"), "plain", tip=tr("back to the forms  (Escape)"))
        self.back.clicked.connect(self.back_asked)
        self.sheet_size = Number(tr("Size of the sheet"), 118, grows=False, lengths="several")
        self.sheet_size.editingFinished.connect(self._size_typed)
        self.size_words = row(
            label(tr("Sheet"), "ui", "second"),
            self.sheet_size,
            label(length_unit(), "ui", "second"),
            None,
            gap=6,
        )
        self.drawing = SheetDrawing()
        self.shelf = Shelf()
        self._connect_drawings()
        self.new_size = Number(tr("Size of a new sheet"), 118, grows=False, lengths="several")
        self.new_size.setPlaceholderText(lengths_shown("300 x 200", several=True))
        self.new_size.returnPressed.connect(self._add_sheet)
        self.add_sheet = button(tr("Add a sheet"), tip=tr("of the size that is typed"))
        self.add_sheet.clicked.connect(self._add_sheet)
        self.by_photo = button(
            tr("From a photo"), "plain", tip=tr("an offcut with four marks around it")
        )
        self.by_photo.clicked.connect(self._ask_photo)
        self.remove_sheet = button(
            tr("Take it out of the rack"), "plain", tip=tr("the sheet that is drawn")
        )
        self.remove_sheet.clicked.connect(self.presenter.remove_sheet)
        self.clamp = button(tr("Add a clamp"), tip="C")
        self.clamp.clicked.connect(lambda: self._add_thing("clamp"))
        self.used = button(tr("Mark as used"), tip=tr("add a used area  (U)"))
        self.used.clicked.connect(lambda: self._add_thing("used"))
        self.away = button(tr("Take away"), "plain", tip=tr("the thing in hand  (Del)"))
        self.away.clicked.connect(self.presenter.remove_thing)
        self.problem = label("", "ui", "ember", wrap=True)
        self.free = label("", "ui", "second", wrap=True)
        self.hint = label(HINT, "small", "second", wrap=True)
        self._build()
        self._shown: tuple[Any, ...] = ()

    def _connect_drawings(self) -> None:
        self.drawing.taken.connect(self.presenter.take)
        self.drawing.moved.connect(self.presenter.move)
        self.drawing.stretched.connect(self.presenter.stretch)
        self.drawing.settled.connect(self.presenter.settle)
        self.drawing.stepped.connect(self.presenter.take_next)
        self.shelf.chosen.connect(self.presenter.choose_sheet)

    def _build(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(px(8))
        left.addWidget(self.drawing, 1)
        left.addWidget(self.shelf)
        adding = row(
            self.new_size,
            label(length_unit(), "ui", "second"),
            self.add_sheet,
            self.by_photo,
            None,
            self.remove_sheet,
            gap=8,
        )
        left.addLayout(adding)
        self.list = QVBoxLayout()
        self.list.setSpacing(0)
        self.place = self._build_place()
        right = col(
            self.size_words,
            6,
            label(tr("On this sheet"), "h2"),
            self.free,
            hair(),
            self.list,
            self.place,
            row(self.clamp, self.used, None, gap=6),
            self.problem,
            None,
            self.hint,
            gap=6,
        )
        side = box(right)
        side.setFixedWidth(px(compact(262, 300)))
        across = QHBoxLayout()
        across.setSpacing(px(compact(14, 22)))
        across.addLayout(left, 1)
        across.addWidget(hair("vhair"))
        across.addWidget(side)
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(head(self.title, None, self.back, topic="set_up/The rack and its sheets"))
        layout.addSpacing(px(8))
        layout.addLayout(across, 1)

    def _build_place(self) -> Any:
        grid = QGridLayout()
        grid.setContentsMargins(0, px(4), 0, px(4))
        grid.setHorizontalSpacing(px(6))
        grid.setVerticalSpacing(px(4))
        self.fields: dict[str, Number] = {}
        for n, (key, words) in enumerate(PLACE_FIELDS):
            field = Number(f"{words}, {length_unit()}", 62, lengths="one")
            field.editingFinished.connect(self._place_typed)
            self.fields[key] = field
            line, at = divmod(n, 2)
            grid.addWidget(label(words, "ui", "second"), line, 2 * at)
            grid.addWidget(field, line, 2 * at + 1)
        grid.setColumnStretch(4, 1)
        grid.addWidget(self.away, 2, 0, 1, 4)
        holder = QWidget()
        holder.setLayout(grid)
        return holder

    # -- state -------------------------------------------------------------------------------------

    def show_rack(self, screen: RackScreen) -> None:
        stock, machine = self.presenter.stock, self.session.subject.machine
        if stock is None:
            return
        self.title.setText(tr("Rack of {screen}", screen=screen.title))
        keep_off_mm = machine.head_clearance_mm if machine else 0.0
        self.drawing.show_screen(screen, stock, keep_off_mm)
        self.shelf.show_screen(screen, stock)
        self.problem.setText("")
        there = screen.sheet is not None
        for part in (self.clamp, self.used, self.remove_sheet, self.sheet_size):
            part.setEnabled(there)
        if screen.sheet is not None:
            self.sheet_size.setText(lengths_text(screen.sheet.width_mm, screen.sheet.height_mm))
        for field in (self.sheet_size, self.new_size, *self.fields.values()):
            field.set_bad(False)
        self.free.setText(screen.free_words)
        self._show_things(screen, stock)

    def _show_things(self, screen: RackScreen, stock: Stock) -> None:
        held = screen.held
        self.place.setVisible(held is not None)
        self.hint.setVisible(held is None or not compact(True, False))
        if held is not None:
            left, low, right, high = held.box_mm
            texts = {"left": left, "low": low, "wide": right - left, "high": high - low}
            for key, field in self.fields.items():
                if not (field.hasFocus() and field.isModified()):
                    field.setText(number_text(texts[key], 4))
        shown = (screen.things, held, stock)
        if shown == self._shown:
            return
        self._shown = shown
        clear_layout(self.list)
        listed = compact(*LISTED)
        first = 0
        if held is not None:
            first = max(0, screen.things.index(held) - listed + 1)
        for thing in screen.things[first : first + listed]:
            line = ThingLine(thing, stock, held=thing == held)
            line.clicked.connect(lambda _=False, thing=thing: self.presenter.take(thing))
            self.list.addWidget(line)
        hidden = len(screen.things) - listed
        if hidden > 0:
            self.list.addWidget(
                label(tr("and {hidden} more: point and comma", hidden=hidden), "small", "second")
            )
        if not screen.things and screen.sheet is not None:
            nothing = tr("Nothing lies on it: all of it is free.")
            self.list.addWidget(label(nothing, "ui", "second", wrap=True))

    def show_bad_field(self, key: str, problem: str) -> None:
        self.problem.setText(problem)
        field = {"size": self.sheet_size, "new": self.new_size, **self.fields}.get(key)
        if field is not None:
            field.set_bad(True)
            field.setFocus()

    def _ask_photo(self) -> None:
        from olive_almanac.views.setup.sheet_photo import SheetPhotoDialog  # with NumPy

        dialog = SheetPhotoDialog(self, self.presenter)
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _place_typed(self) -> None:
        held = self.presenter.held
        if held is None or not any(field.isModified() for field in self.fields.values()):
            return
        texts = {key: field.text() for key, field in self.fields.items()}
        for field in self.fields.values():
            field.setModified(False)
        self.presenter.type_place(texts)

    def _size_typed(self) -> None:
        if self.sheet_size.isModified():
            self.sheet_size.setModified(False)
            self.presenter.type_size(self.sheet_size.text())

    def _add_sheet(self) -> None:
        if self.presenter.add_sheet(self.new_size.text()):
            self.new_size.clear()
            self.drawing.setFocus()

    def _add_thing(self, kind: ThingKind) -> None:
        self.presenter.add_thing(kind)
        self.drawing.setFocus()

    def open(self) -> None:
        """Show the rack as it is now."""
        self.presenter.show()
        if self.presenter.sheet is None:
            self.new_size.setFocus()
        else:
            self.drawing.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key == Qt.Key.Key_C:
            self._add_thing("clamp")
        elif key == Qt.Key.Key_U:
            self._add_thing("used")
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.presenter.remove_thing()
        elif key == Qt.Key.Key_Escape:
            self.back_asked.emit()
        else:
            super().keyPressEvent(event)
