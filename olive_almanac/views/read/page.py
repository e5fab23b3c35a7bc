"""The Read station: one key a verdict, the coupon at the left, all cells at the right, the cell in hand below."""

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPen
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QSizePolicy, QVBoxLayout

from olive_almanac.core.records.reading import CHAR_WORDS, VERDICT_WORDS, flared
from olive_almanac.core.units import number_text, percent_text, speed_in
from olive_almanac.steps.read import KEYS, ReadPresenter, axis_texts
from olive_almanac.views.coupon import CellPicture, CouponPicture
from olive_almanac.views.marks import draw_verdict
from olive_almanac.views.parts import (
    CENTRE,
    MIDDLE_LEFT,
    MIDDLE_RIGHT,
    box,
    button,
    col,
    draw_keycap,
    hair,
    head,
    label,
    page_margins,
    row,
)
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import LIVE, NO_BRUSH, NO_PEN, C, F, Painted, close, px

EDGE_KEYS = ("1", "2", "3")


def shown_verdict(reading) -> str:
    """Return the mark of a reading: its verdict, a flare, or unread."""
    if reading is None:
        return "unread"
    return "flare" if flared(reading) else reading.verdict or "unread"


class Progress(Painted):
    """How many cells are read, one bar each; many cells become one bar."""

    def __init__(self) -> None:
        super().__init__()
        self.done = self.total = 0
        self.setFixedSize(px(270), px(22))

    def show_count(self, done: int, total: int) -> None:
        self.done, self.total = done, total
        self.setAccessibleName(f"{done} of {total} read")
        self.update()

    def paint(self, painter, width, height) -> None:
        if not self.total:
            return
        step = width / self.total
        if step < 5:
            painter.fillRect(QRectF(0, 3, width * self.done / self.total, 16), C("olive"))
            painter.setPen(QPen(C("edge"), 1))
            painter.drawRect(QRectF(0.5, 3.5, width - 1, 15))
            return
        for i in range(self.total):
            bar = QRectF(i * step, 3, min(8.0, step - 2), 16)
            if i < self.done:
                painter.fillRect(bar, C("olive"))
            else:
                painter.setPen(QPen(C("edge"), 1))
                painter.setBrush(NO_BRUSH)
                painter.drawRect(bar.adjusted(0.5, 0.5, -0.5, -0.5))


class CellGrid(Painted):
    """All cells as they lie: verdict mark and edge grade; the cell in hand in brass, unread ones dashed.

    Signals:
        cell_clicked(str): the id of a cell.
    """

    cell_clicked = Signal(str)
    LEFT, TOP, GAP = 56.0, 24.0, 5.0

    def __init__(self) -> None:
        super().__init__()
        self.desk = None
        self.current = ""
        self.unit = "mm/s"
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_cells(self, desk, current: str, unit: str) -> None:
        self.desk, self.current, self.unit = desk, current, unit
        if desk is not None:
            known = desk.readings.get(current)
            self.setAccessibleName(f"Cell {current}, {VERDICT_WORDS[shown_verdict(known)]}")
        self.update()

    def _places(self):
        """Each cell with its rect; rows are drawn with the highest power on top."""
        width, height = self.width() / LIVE.scale, self.height() / LIVE.scale
        cols = 1 + max(cell.col for cell in self.desk.trial.cells)
        rows = 1 + max(cell.row for cell in self.desk.trial.cells)
        w, h = (width - self.LEFT + self.GAP) / cols, (height - self.TOP + self.GAP) / rows
        for cell in self.desk.trial.cells:
            yield (cell, QRectF(self.LEFT + cell.col * w, self.TOP + (rows - 1 - cell.row) * h, w - self.GAP, h - self.GAP))

    def mousePressEvent(self, event) -> None:
        if self.desk is not None:
            x, y = self.logical(event)
            for cell, rect in self._places():
                if rect.contains(x, y):
                    self.cell_clicked.emit(cell.id)

    def paint(self, painter, width, height) -> None:
        if self.desk is None:
            return
        heads, sides = {}, {}
        for cell, rect in self._places():
            heads.setdefault(cell.col, (cell, rect))
            sides.setdefault(cell.row, (cell, rect))
            self._paint_cell(painter, cell, rect)
        painter.setFont(F("small_b"))
        painter.setPen(C("ink2"))
        (_, rows), (_, cols) = axis_texts(self.desk.trial, self.unit)
        last = -1e9
        for at, (_, rect) in sorted(heads.items()):
            text = cols.get(at, "")
            need = painter.fontMetrics().horizontalAdvance(text) + 4
            if rect.center().x() - need / 2 >= last:
                painter.drawText(QRectF(rect.center().x() - 40, 0, 80, 20), CENTRE, text)
                last = rect.center().x() + need / 2
        for at, (_, rect) in sides.items():
            if rect.height() >= 14:
                painter.drawText(QRectF(0, rect.top(), self.LEFT - 8, rect.height()), MIDDLE_RIGHT, rows.get(at, ""))

    def _paint_cell(self, painter, cell, rect) -> None:
        reading, burnt = self.desk.readings.get(cell.id), cell.id in self.desk.burnt
        verdict = shown_verdict(reading)
        pen = QPen(C("edge"), 1.2)
        painter.setBrush(C("field") if reading else NO_BRUSH)
        if reading is None:
            pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.drawRoundedRect(rect.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        ground = C("field") if reading else C("page")
        if cell.id == self.current:
            painter.setPen(QPen(C("ink"), 3))
            painter.setBrush(C("brass_wash"))
            painter.drawRoundedRect(rect.adjusted(1, 1, -1, -1), 4, 4)
            ground = C("brass_wash")
            if reading is None and rect.width() > 36:
                painter.setFont(F("small_b"))
                painter.drawText(rect, CENTRE, "now")
                return
        side = min(30.0, rect.width() - 6, rect.height() - 6)
        tall = rect.height() >= 62
        centre = rect.center().y() - (9 if tall and reading else 0)
        if burnt:
            draw_verdict(painter, QRectF(rect.center().x() - side / 2, centre - side / 2, side, side), verdict, ground=ground)
        if tall and reading is not None and reading.char is not None and rect.width() > 44:
            painter.setFont(F("small"))
            painter.setPen(C("ink2"))
            painter.drawText(QRectF(rect.left(), rect.bottom() - 24, rect.width(), 18), CENTRE, CHAR_WORDS[reading.char])


class VerdictKey(QAbstractButton):
    """A verdict as a key for a gloved finger: mark, word, key cap."""

    def __init__(self, verdict: str, key: str) -> None:
        super().__init__()
        self.verdict, self.key = verdict, key
        self.chosen = False
        self.setText(VERDICT_WORDS[verdict])
        self.setAccessibleName(VERDICT_WORDS[verdict])
        self.setAccessibleDescription(f"key {key}")
        self.setFixedHeight(px(close(76, 88)))
        self.setMinimumWidth(px(96))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(px(118), px(88))

    def show_chosen(self, chosen: bool) -> None:
        self.chosen = chosen
        self.update()

    def paintEvent(self, _event) -> None:
        painter, w, h = _begin(self)
        rect = QRectF(1, 1, w - 2, h - 2)
        painter.setPen(QPen(C("ink"), 2.4) if self.chosen else QPen(C("olive"), 2) if self.hasFocus() else QPen(C("edge"), 1))
        ground = C("brass_wash") if self.chosen else C("wash") if self.underMouse() or self.isDown() else C("field")
        painter.setBrush(ground)
        painter.drawRoundedRect(rect, 4, 4)
        draw_verdict(painter, QRectF(13, 12, close(26, 34), close(26, 34)), self.verdict, ground=ground)
        draw_keycap(painter, QRectF(w - 34, 10, 24, 22), self.key)
        painter.setFont(F(close("small_b", "ui_b")))
        painter.setPen(C("ink"))
        painter.drawText(QRectF(13, h - 34, w - 16, 24), MIDDLE_LEFT, self.text())


class EdgeKey(QAbstractButton):
    """An edge grade, skip or take back: key cap and word."""

    def __init__(self, key: str, word: str) -> None:
        super().__init__()
        self.key, self.chosen = key, False
        self.setText(word)
        self.setAccessibleName(word)
        self.setAccessibleDescription(f"key {key}")
        self.setFixedHeight(px(44))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(px(close(84, 104)), px(44))

    def show_chosen(self, chosen: bool) -> None:
        self.chosen = chosen
        self.update()

    def paintEvent(self, _event) -> None:
        painter, w, h = _begin(self)
        painter.setPen(QPen(C("ink"), 2.4) if self.chosen else QPen(C("olive"), 2) if self.hasFocus() else QPen(C("edge"), 1))
        painter.setBrush(C("brass_wash") if self.chosen else C("wash") if self.underMouse() or self.isDown() else C("field"))
        painter.drawRoundedRect(QRectF(1, 1, w - 2, h - 2), 4, 4)
        cap = 22 if len(self.key) == 1 else 30
        draw_keycap(painter, QRectF(8, 11, cap, 22), self.key)
        painter.setFont(F("small_b" if self.chosen else "small"))
        painter.setPen(C("ink"))
        painter.drawText(QRectF(cap + 14, 0, w - cap - 14, h), MIDDLE_LEFT, self.text())


def _begin(widget):
    from PySide6.QtGui import QPainter

    painter = QPainter(widget)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(LIVE.scale, LIVE.scale)
    painter.setPen(NO_PEN)
    return painter, widget.width() / LIVE.scale, widget.height() / LIVE.scale


class ReadPage(StationPage):
    """Joins picture, grid and keys; the presenter records each verdict at once."""

    def __init__(self, window) -> None:
        super().__init__(window)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.presenter = ReadPresenter(self.session, self)
        self.title, self.count, self.by = label("", "h1"), label("", "ui_b"), label("", "ui", "second")
        self.progress = Progress()
        self.picture, self.grid, self.cell_picture = CouponPicture(), CellGrid(), CellPicture()
        self.cell_picture.setFixedSize(px(close(110, 136)), px(close(110, 136)))
        self.nothing = label("", "h2", wrap=True)
        self.to_decide = button("Decide", "main", tip="Ctrl+Enter")
        self.to_decide.clicked.connect(self.main_action)
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(head(self.title, 8, self.progress, self.count, None, self.by, gap=12))
        layout.addSpacing(px(9))
        layout.addWidget(self.nothing)
        self.upper = self._build_upper()
        layout.addWidget(self.upper, 1)
        layout.addSpacing(px(8))
        self.lower = self._build_lower()
        layout.addWidget(self.lower)
        for part in (self.picture, self.grid):
            part.cell_clicked.connect(self.presenter.choose)

    def _build_upper(self):
        left = col(label("Coupon", "h3"), self.picture, gap=6)
        left.setStretch(1, 1)
        self.grid_words = label("", "small", "second")
        right = col(row(label("Cells", "h3"), self.grid_words, None, gap=10), self.grid, gap=6)
        right.setStretch(1, 1)
        across = QHBoxLayout()
        across.setSpacing(px(24))
        across.addLayout(left, 45)
        across.addLayout(right, 55)
        return box(across)

    def _build_lower(self):
        self.now = label("", "h2")
        self.setting = label("", "ui", "second", wrap=True)
        self.keys: dict[str, VerdictKey] = {}
        self.key_row = QHBoxLayout()
        self.key_row.setSpacing(px(8))
        self.edges = []
        edge_row = [label("Edge", "ui_b")]
        for grade, key in enumerate(EDGE_KEYS):
            edge = EdgeKey(key, CHAR_WORDS[grade])
            edge.clicked.connect(lambda _=False, grade=grade: self.presenter.pick_edge(grade))
            self.edges.append(edge)
            edge_row.append(edge)
        self.edge_part = box(row(*edge_row, gap=8))
        skip, back = EdgeKey("S", "skip"), EdgeKey("⌫", "take back")
        skip.clicked.connect(self.presenter.skip)
        back.clicked.connect(self.presenter.take_back)
        words = col(self.now, self.setting, None, self.to_decide, gap=4)
        keys = col(self.key_row, row(self.edge_part, None, skip, back, gap=8), gap=8)
        line = row(self.cell_picture, 6, words, 6, keys, gap=10)
        line.setStretch(2, 1)
        line.setStretch(4, 3)
        return box(col(hair("bold"), 8, line, gap=0))

    # -- state -------------------------------------------------------------------------------------------------------

    def enter(self) -> None:
        self.presenter.start()
        self._show_keys()
        self.show_reading()
        self.setFocus()

    def heard(self, what: str) -> None:
        if what == "subject" or (what == "desk" and self._other_desk()):
            self.enter()
        elif what == "desk":
            self.show_reading()

    def _other_desk(self) -> bool:
        desk, cell = self.session.desk, self.presenter.cell
        return desk is None or cell is None or cell not in desk.trial.cells

    def _show_keys(self) -> None:
        from olive_almanac.views.parts import clear_layout

        clear_layout(self.key_row)
        self.keys = {}
        task = self.session.subject.task
        for key, verdict in KEYS[task]:
            made = VerdictKey(verdict, key)
            made.clicked.connect(lambda _=False, verdict=verdict: self.presenter.verdict(verdict))
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self.key_row.addWidget(made)
            self.keys[key] = made
        self.edge_part.setVisible(task == "cut")

    def show_reading(self) -> None:
        desk, cell = self.session.desk, self.presenter.cell
        ready = desk is not None and cell is not None
        for part in (self.upper, self.lower, self.progress):
            part.setVisible(ready)
        self.nothing.setVisible(not ready)
        if not ready:
            self.title.setText("Read")
            self.count.setText("")
            self.by.setText("")
            self.nothing.setText(
                "No coupon is planned for this stock yet." if desk is None else "This coupon has not been burnt yet."
            )
            return
        burnt, unread = len(self.presenter.readable), self.presenter.left
        self.title.setText(f"Read {desk.trial.name[0].lower()}{desk.trial.name[1:]}")
        self.progress.show_count(burnt - unread, burnt)
        self.count.setText(f"{burnt - unread} read, {unread} left" if unread else f"all {burnt} read")
        self.by.setText(close("", "burnt on the stand-in bench" if desk.run.get("by") == "stand-in" else "burnt on the machine"))
        unit = self.session.preferences.speed_unit
        (up, _), (along, _) = axis_texts(desk.trial, unit)
        words = [f"{up} up the side"] * bool(up) + [f"{along} along the top"] * bool(along)
        self.grid_words.setText(", ".join(words))
        self.picture.show_desk(desk, cell.id)
        self.grid.show_cells(desk, cell.id, unit)
        self.cell_picture.show_cell(desk, cell)
        self._show_cell(desk, cell, unit)
        self.to_decide.setVisible(len(desk.readings) > 0)
        self.to_decide.setProperty("kind", "main" if unread == 0 else "")
        self.to_decide.style().unpolish(self.to_decide)
        self.to_decide.style().polish(self.to_decide)

    def _show_cell(self, desk, cell, unit: str) -> None:
        setting, reading = cell.setting, desk.readings.get(cell.id)
        self.now.setText(f"Cell {cell.id}")
        passes = "1 pass" if setting.passes == 1 else f"{setting.passes} passes"
        self.setting.setText(f"{percent_text(setting.power)} %, {number_text(speed_in(setting.speed_mm_s, unit))} {unit}, {passes}")
        for made in self.keys.values():
            made.show_chosen(made.verdict == shown_verdict(reading))
        for grade, edge in enumerate(self.edges):
            edge.show_chosen(self.presenter.edge == grade)

    # -- keys --------------------------------------------------------------------------------------------------------

    def keyPressEvent(self, event) -> None:
        text, key = event.text().upper(), event.key()
        moves = {Qt.Key.Key_Up: (1, 0), Qt.Key.Key_Down: (-1, 0), Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1)}
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            super().keyPressEvent(event)
        elif text in self.keys:
            self.presenter.verdict(self.keys[text].verdict)
        elif text in EDGE_KEYS and self.session.subject.task == "cut":
            self.presenter.pick_edge(EDGE_KEYS.index(text))
        elif text == "S":
            self.presenter.skip()
        elif key == Qt.Key.Key_Backspace:
            self.presenter.take_back()
        elif key in moves:
            self.presenter.move(*moves[key])
        else:
            super().keyPressEvent(event)

    def main_action(self) -> None:
        if self.session.desk is not None and self.session.desk.readings:
            self.main_window.go("Decide")
