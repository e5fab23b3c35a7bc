"""Set up at the machine: the checklist at the left, large enough to read at arm's length, the
line's tool at the right.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import (
    QAbstractButton,
    QGridLayout,
    QHBoxLayout,
    QSizePolicy,
    QSpacerItem,
    QVBoxLayout,
    QWidget,
)

from olive_almanac.core.squaring.skew import Skew
from olive_almanac.core.units import length_number, length_text, shown_unit
from olive_almanac.core.words import tr
from olive_almanac.steps.cautions import FULL_CAUTION
from olive_almanac.steps.checklist import (
    CHECKS,
    POINTS,
    Checklist,
    DrawnFocus,
    DrawnFrame,
    DrawnLevel,
    standing,
)
from olive_almanac.views.coupon import stock_colour
from olive_almanac.views.marks import Mark, round_pen
from olive_almanac.views.parts import (
    CENTRE,
    MIDDLE_LEFT,
    MIDDLE_RIGHT,
    Number,
    Page,
    WordPicker,
    button,
    clear_layout,
    col,
    hair,
    head,
    label,
    page_margins,
    row,
    set_kind,
    tip_text,
)
from olive_almanac.views.sheets import draw_clamp, draw_sheet, on_bed
from olive_almanac.views.theme import LIVE, NO_BRUSH, C, F, Painted, compact, px

if TYPE_CHECKING:
    from olive_almanac.steps.session import Session

CLAMPS_TIP = tr("each from X, Y to X, Y in mm of the bed, semicolons between; kept with the sheet")


class CheckLine(QAbstractButton):
    """One line: a box to tick, the words large, its number below; the line in hand is framed."""

    def __init__(self, number: int) -> None:
        super().__init__()
        self.number, self.words, self.detail, self.ticked, self.current = number, "", "", "", False
        self.low = False
        self.setAccessibleDescription(tr("Space ticks it; up and down choose another line"))
        self.set_tall(len(CHECKS))
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def set_tall(self, count: int) -> None:
        """Share the height of the page among so many lines; a low one tells all in one row."""
        room = len(CHECKS) * compact(61, 76)
        tall = max(compact(34, 40), min(compact(61, 76), room // count))
        self.low = tall < compact(52, 60)
        self.setFixedHeight(px(tall))

    def show_line(self, words: str, detail: str, ticked: str, *, current: bool) -> None:
        self.words, self.detail, self.ticked, self.current = words, detail, ticked, current
        state = tr("not ticked")
        if ticked:
            state = tr("ticked at {ticked}", ticked=ticked[11:16])
        self.setAccessibleName(f"{self.number}: {words}, {detail}, {state}")
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(LIVE.scale, LIVE.scale)
        w, h = self.width() / LIVE.scale, self.height() / LIVE.scale
        if self.current:
            painter.setPen(QPen(C("ink"), 2.4))
            painter.setBrush(C("brass_wash"))
            painter.drawRoundedRect(QRectF(1.5, 2, w - 3, h - 5), 4, 4)
        elif self.underMouse():
            painter.fillRect(QRectF(0, 0, w, h), C("wash"))
        painter.fillRect(QRectF(0, h - 1, w, 1), C("rule"))
        side = 24 if self.low else 30
        box = QRectF(14, (h - side) / 2 - 1, side, side)
        painter.setPen(QPen(C("olive") if self.ticked else C("edge"), 2))
        if self.ticked:
            painter.setBrush(C("olive"))
        else:
            painter.setBrush(C("field"))
        painter.drawRoundedRect(box, 4, 4)
        if self.ticked:
            painter.setPen(round_pen(C("on_olive"), 3.2))
            painter.drawPolyline(
                [
                    box.topLeft() + QPointF(0.23, 0.5) * side,
                    box.topLeft() + QPointF(0.43, 0.7) * side,
                    box.topLeft() + QPointF(0.77, 0.3) * side,
                ]
            )
        else:
            painter.setFont(F("ui_b"))
            painter.setPen(C("ink2"))
            painter.drawText(box, CENTRE, str(self.number))
        painter.setPen(C("ink"))
        painter.setFont(F("h3" if self.low else "num3"))
        end = w - 76 if self.ticked else w - 12
        words = QRectF(60, 0 if self.low else compact(3, 7), end - 60, h if self.low else 32)
        painter.drawText(words, MIDDLE_LEFT, self.words)
        beside = 60 + painter.fontMetrics().horizontalAdvance(self.words) + 14
        detail_at = QRectF(60, h - compact(31, 34), w - 70, 24)
        if self.low:
            detail_at = QRectF(beside, 0, end - beside, h)
        painter.setFont(F("ui"))
        painter.setPen(C("ink2"))
        detail = painter.fontMetrics().elidedText(
            self.detail, Qt.TextElideMode.ElideRight, int(detail_at.width())
        )
        painter.drawText(detail_at, MIDDLE_LEFT, detail)
        if self.ticked:
            painter.setFont(F("small"))
            painter.drawText(
                QRectF(w - 70, 0 if self.low else 9, 58, h if self.low else 26),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                self.ticked[11:16],
            )
        if self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(QRectF(3, 3, w - 6, h - 7))


class ToolDrawing(Painted):
    """Draws what a tool is about: the piece with its heights and shims, an edge and which way to
    turn, a frame on the bed.

    Signals:
        place_asked(str): a place of the piece was clicked; its key.
    """

    place_asked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.drawing: Any = None
        self.setMinimumHeight(px(110))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_drawing(self, drawing: Any) -> None:
        self.drawing = drawing
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        paint = {
            DrawnFocus: self._paint_focus,
            DrawnLevel: self._paint_level,
            Skew: self._paint_edge,
            DrawnFrame: self._paint_frame,
        }.get(type(self.drawing))
        if paint is not None:
            paint(painter, width, height)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Clicking a place of the piece asks for its height."""
        if not isinstance(self.drawing, DrawnLevel):
            return
        x, y = self.logical(event)
        at = self._places(self.width() / LIVE.scale, self.height() / LIVE.scale)
        nearest = min(at, key=lambda key: (at[key].x() - x) ** 2 + (at[key].y() - y) ** 2)
        self.place_asked.emit(nearest)

    def _paint_focus(self, painter: QPainter, width: float, height: float) -> None:
        """The head from the side: nozzle, gap, beam with its waist, mask and stock; across is not
        to scale.
        """
        drawn = self.drawing
        below = max(drawn.thickness_mm, drawn.focus_mm) + 1.0
        k = (height - 62) / max(1.0, drawn.gap_mm + below)
        tip, middle = 46.0, width / 2
        face = tip + k * drawn.gap_mm
        colour = C("stock")
        painter.setPen(QPen(C("stock_edge"), 1.4))
        painter.setBrush(colour)
        painter.drawRect(QRectF(24, face, width - 48, max(3.0, k * drawn.thickness_mm)))
        if drawn.mask_mm > 0:
            mask = QRectF(24, face - k * drawn.mask_mm, width - 48, max(2.0, k * drawn.mask_mm))
            painter.setBrush(C("field"))
            painter.drawRect(mask)
        self._paint_beam(painter, middle, face + k * drawn.focus_mm, tip, k)
        painter.setPen(QPen(C("ink"), 2))
        painter.setBrush(C("wash"))
        nozzle = [(-34, 8), (34, 8), (34, 26), (9, tip), (-9, tip), (-34, 26)]
        painter.drawPolygon(QPolygonF([QPointF(middle + x, y) for x, y in nozzle]))
        x = middle + 64
        painter.setPen(QPen(C("ink"), 1.4))
        for y in (tip, face):
            painter.drawLine(QPointF(middle + 12, y), QPointF(x + 8, y))
        painter.drawLine(QPointF(x, tip), QPointF(x, face))
        painter.setFont(F("ui_b"))
        painter.setPen(C("ink"))
        words = length_text(drawn.gap_mm)
        painter.drawText(QRectF(x + 12, (tip + face) / 2 - 12, 110, 24), MIDDLE_LEFT, words)

    def _paint_beam(
        self, painter: QPainter, middle: float, waist: float, tip: float, k: float
    ) -> None:
        """The beam narrows to its waist and widens below it, by the Rayleigh range."""
        reach = max(1e-6, k * self.drawing.rayleigh_mm)

        def half(y: float) -> float:
            return 2.0 * math.hypot(1.0, (y - waist) / reach)

        foot = waist + max(14.0, 0.5 * (waist - tip))
        ys = [tip + n * (foot - tip) / 40 for n in range(41)]
        limit = 60.0
        left = [QPointF(middle - min(limit, half(y)), y) for y in ys]
        right = [QPointF(middle + min(limit, half(y)), y) for y in reversed(ys)]
        beam = QPainterPath()
        beam.addPolygon(QPolygonF([*left, *right]))
        painter.fillPath(beam, C("brass_wash"))
        painter.setPen(QPen(C("brass"), 1.4))
        painter.setBrush(NO_BRUSH)
        painter.drawPolyline(QPolygonF(left))
        painter.drawPolyline(QPolygonF(right))
        pen = QPen(C("on_stock"), 1.2)
        pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.drawLine(QPointF(middle - 70, waist), QPointF(middle + 46, waist))
        painter.setFont(F("small"))
        painter.setPen(C("on_stock"))
        painter.drawText(QRectF(middle - 130, waist - 10, 54, 18), MIDDLE_RIGHT, tr("focus"))

    def _board(self, width: float, height: float) -> QRectF:
        """Where the piece is drawn, from above."""
        w, h = self.drawing.size_mm
        k = min((width - 150) / w, (height - 70) / h)
        return QRectF((width - k * w) / 2, (height - k * h) / 2, k * w, k * h)

    def _places(self, width: float, height: float) -> dict[str, QPointF]:
        """Where the places of the piece lie, by their keys."""
        board = self._board(width, height)
        return {
            key: QPointF(board.left() + u * board.width(), board.bottom() - v * board.height())
            for key, _, (u, v) in POINTS
        }

    def _paint_level(self, painter: QPainter, width: float, height: float) -> None:
        drawn = self.drawing
        board = self._board(width, height)
        painter.setPen(QPen(C("stock_edge"), 1.4))
        painter.setBrush(C("stock"))
        painter.drawRect(board)
        for key, at in self._places(width, height).items():
            read = key in drawn.heights_mm
            painter.setPen(QPen(C("on_stock"), 1.6))
            if read:
                painter.setBrush(C("on_stock"))
            else:
                painter.setBrush(C("field"))
            painter.drawEllipse(at, 5, 5)
            if not read:
                continue
            along = 26 if at.x() < board.center().x() - 1 else -26
            if abs(at.x() - board.center().x()) < 1:
                along = 0
            down = 14 if at.y() < board.center().y() - 1 else -14
            painter.setFont(F("small_b"))
            painter.setPen(C("on_stock"))
            words = length_number(drawn.heights_mm[key], 2)
            painter.drawText(QRectF(at.x() + along - 30, at.y() + down - 9, 60, 18), CENTRE, words)
        if drawn.level is not None:
            self._paint_shims(painter, board, drawn.level.shims_mm)

    def _paint_shims(self, painter: QPainter, board: QRectF, shims_mm: Any) -> None:
        """What belongs under a corner is written beside it."""
        corners = (board.bottomLeft(), board.bottomRight(), board.topRight(), board.topLeft())
        for shim, at in zip(shims_mm, corners, strict=True):
            if shim < 0.05:
                continue
            side = -1 if at.x() == board.left() else 1
            down = 22 if at.y() == board.bottom() else -22
            painter.setFont(F("ui_b"))
            painter.setPen(C("brass"))
            painter.drawText(
                QRectF(at.x() + side * 34 - 44, at.y() + down - 10, 88, 20),
                CENTRE,
                f"+ {length_text(shim, 2)}",
            )

    def _paint_edge(self, painter: QPainter, width: float, height: float) -> None:
        skew = self.drawing
        y = height / 2
        painter.setPen(QPen(C("edge"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(40, y), QPointF(width - 40, y))
        # exaggerated, so that it is seen
        shown = 0.0
        if skew.turn:
            shown = max(-0.22, min(0.22, 0.22 * (skew.angle_deg / 2)))
        rise = shown * (width - 160)
        painter.setPen(QPen(C("ink"), 4))
        painter.drawLine(QPointF(70, y), QPointF(width - 90, y - rise))
        for at in (QPointF(70, y), QPointF(width - 90, y - rise)):
            painter.setPen(QPen(C("ink"), 2))
            painter.setBrush(C("field"))
            painter.drawEllipse(at, 6, 6)
        if skew.turn:
            if skew.angle_deg > 0:
                down = 1
            else:
                down = -1
            start, end = (
                QPointF(width - 62, y - rise),
                QPointF(width - 62, y - rise + down * max(34.0, abs(rise))),
            )
            painter.setPen(round_pen(C("brass"), 3.5))
            painter.drawLine(start, end)
            painter.setBrush(C("brass"))
            painter.drawPolygon(
                QPolygonF([end, end + QPointF(-7, -down * 12), end + QPointF(7, -down * 12)])
            )
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(
            QRectF(40, height - 22, width - 80, 18),
            MIDDLE_LEFT,
            tr("the edge as touched, its slant exaggerated"),
        )

    def _paint_frame(self, painter: QPainter, width: float, height: float) -> None:
        drawn = self.drawing
        frame, bed = drawn.frame, drawn.bed_mm
        reach_x = max(bed[0], frame.left_mm + frame.width_mm) - min(0.0, frame.left_mm)
        reach_y = max(bed[1], frame.low_mm + frame.height_mm) - min(0.0, frame.low_mm)
        k = min((width - 40) / reach_x, (height - 30) / reach_y)
        left, foot = 20 - k * min(0.0, frame.left_mm), height - 10 + k * min(0.0, frame.low_mm)

        def rect(box: Any) -> QRectF:
            return QRectF(
                left + k * box[0], foot - k * box[3], k * (box[2] - box[0]), k * (box[3] - box[1])
            )

        painter.setPen(QPen(C("edge"), 1.6))
        painter.setBrush(C("field"))
        painter.drawRect(rect((0, 0, *bed)))
        if drawn.sheet is not None and drawn.stock is not None:
            bare = replace(on_bed(drawn.sheet, drawn.stock), clamps_mm=())  # they come below
            draw_sheet(painter, bare, rect, stock_colour(drawn.stock), 0.0)
        painter.setPen(QPen(C("ink"), 2))
        painter.setBrush(C("olive_wash"))
        painter.drawRect(rect(frame.box))
        for clamp in drawn.clamps_mm:
            draw_clamp(painter, rect(clamp))


class ChecklistPage(Page):
    """The seven lines and the tool of the line in hand.

    Signals:
        forms_asked(): the operator wants to see machine and stock.
        done_asked(): all is ticked and the operator goes on.
    """

    forms_asked = Signal()
    done_asked = Signal()

    def __init__(self, session: Session, now: Callable[[], datetime]) -> None:
        super().__init__()
        self.session = session
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.presenter = Checklist(session, self, now)
        self.count = label("", "ui_b")
        self.forms = button(
            tr("Machine and stock"), "plain", tip=tr("what the numbers are filled in from")
        )
        self.forms.clicked.connect(self.forms_asked)
        self.lines: Any = []
        left = QVBoxLayout()
        left.setSpacing(0)
        left.addSpacerItem(QSpacerItem(px(compact(300, 340)), 0))
        self.shelf = QVBoxLayout()
        self.shelf.setSpacing(0)
        left.addLayout(self.shelf)
        left.addStretch(1)
        self.on = button(tr("Plan a trial"), tip=tr("Ctrl+Enter when all is ticked"))
        self.on.clicked.connect(self.done_asked)
        left.addLayout(row(label(FULL_CAUTION, "small", "second", wrap=True), self.on, gap=14))
        across = QHBoxLayout()
        across.setSpacing(px(compact(18, 26)))
        across.addLayout(left, 11)
        across.addWidget(hair("vhair"))
        across.addLayout(self._build_tool(), 10)
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(
            head(
                label(tr("At the machine"), "h1"),
                self.count,
                None,
                self.forms,
                gap=14,
                topic="set_up/The checklist",
            )
        )
        layout.addSpacing(px(8))
        layout.addLayout(across, 1)
        self._shown = ""
        self._typed_into: dict[str, Number] = {}  # the tool's fields on screen, by key

    def _build_tool(self) -> Any:
        self.tool_title = label("", "h2")
        self.tool_fields = QWidget()
        self.grid = QGridLayout(self.tool_fields)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setHorizontalSpacing(px(8))
        self.grid.setVerticalSpacing(px(4))
        self.good = Mark("stop", "mind", 28)
        self.result = label("", "h2", wrap=True)
        self.more = label("", "ui", "second", wrap=True)
        self.drawing = ToolDrawing()
        self.drawing.place_asked.connect(self._ask_height)
        self.remarks = label("", "small", "second", wrap=True)
        self.tick = button(tr("Tick"), "main", tip=tr("Space"))
        self.tick.clicked.connect(self.presenter.tick)
        answer = row(self.good, self.result, gap=10)
        answer.setStretch(1, 1)
        tool = col(
            self.tool_title,
            self.tool_fields,
            4,
            answer,
            self.more,
            self.drawing,
            self.remarks,
            self.tick,
            gap=8,
        )
        tool.setStretch(5, 1)
        return tool

    def _clicked(self, at: int) -> None:
        if at == self.presenter.at:
            self.presenter.tick()
        else:
            self.presenter.choose(at)

    # -- state -------------------------------------------------------------------------------------

    def _lay_lines(self, count: int) -> None:
        """As many lines as there are to tick; more of them are less tall."""
        while len(self.lines) < count:
            at = len(self.lines)
            line = CheckLine(at + 1)
            line.clicked.connect(lambda _=False, at=at: self._clicked(at))
            self.shelf.addWidget(line)
            self.lines.append(line)
        while len(self.lines) > count:
            line = self.lines.pop()
            self.shelf.removeWidget(line)
            line.hide()
            line.deleteLater()
        for line in self.lines:
            line.set_tall(count)

    def show_checklist(self) -> None:
        presenter, ticks = self.presenter, standing(self.session)
        checks = presenter.checks
        self._lay_lines(len(checks))
        for at, (line, check) in enumerate(zip(self.lines, checks, strict=True)):
            line.show_line(
                check.words,
                presenter.number(check),
                ticks.get(check.key, ""),
                current=at == presenter.at,
            )
        left = presenter.left
        if left:
            self.count.setText(
                tr(
                    "{checks} of {checks2} left",
                    checks=len(checks) - len(ticks),
                    checks2=len(checks),
                )
            )
        else:
            later = any(presenter.comes_later(check) for check in checks)
            self.count.setText(tr("the rest comes with the trial") if later else tr("all ticked"))
        self.on.setText(
            tr("Plan a trial")
            if self.session.active is None or self.session.active.stage == "book"
            else tr("Go on to burn")
        )
        set_kind(self.on, "" if left else "main")
        self._show_tool(ticks)

    def _show_tool(self, ticks: Any) -> None:
        check, fields = self.presenter.check, self.presenter.fields()
        self.tool_title.setText(check.words)
        if self._shown != check.key or self._say_otherwise(fields):
            self._shown = check.key
            self._typed_into = {}
            clear_layout(self.grid)
            for n, one in enumerate(fields):
                self._add_field(n, one)
        self.remarks.setText("  ".join(check.remarks))
        self.remarks.setVisible(bool(check.remarks))
        if check.key in ticks:
            self.tick.setText(tr("Take the tick away"))
            set_kind(self.tick, "")
        else:
            self.tick.setText(tr("Tick"))
            set_kind(self.tick, "main")
        self._show_result(self.presenter.result())

    def _say_otherwise(self, fields: Any) -> bool:
        """Whether the fields on screen hold other texts: a trial or machine came meanwhile."""
        shown = self._typed_into
        return any(one.key in shown and shown[one.key].text() != one.text for one in fields)

    def _add_field(self, n: int, one: Any) -> None:
        line, at = divmod(n, 2)
        words = label(one.words, "ui", "second")
        if one.choices:
            part = WordPicker("ui_b", name=one.words)
            part.set_choices(one.choices, one.text)
            part.picked.connect(
                lambda key, part=part, one=one: (
                    part.set_choices(one.choices, key),
                    self._typed(one.key, key),
                )
            )
        else:
            part = Number(one.words, 132 if one.is_list else 64, grows=not one.is_list)
            part.set_lengths(one.lengths)
            part.setText(one.text)
            self._typed_into[one.key] = part
            if one.is_list:
                part.setToolTip(tip_text(CLAMPS_TIP))
                part.setPlaceholderText("X,Y,X,Y; …")
            part.edited.connect(lambda text, one=one: self._typed(one.key, text))
        words.setBuddy(part)
        unit = shown_unit(one.unit)
        behind = label(compact(unit.split(" ")[0], unit), "ui", "second")
        behind.setToolTip(tip_text(unit))
        self.grid.addWidget(words, line, 3 * at)
        self.grid.addLayout(row(part, behind, None, gap=6), line, 3 * at + 1)
        self.grid.setColumnStretch(3 * at + 1, 1)

    def _ask_height(self, key: str) -> None:
        field = self._typed_into[key]
        field.setFocus()
        field.selectAll()

    def _typed(self, key: str, text: str) -> None:
        self._show_result(self.presenter.type(key, text))

    def _show_result(self, result: Any) -> None:
        self.result.setText(result.main)
        self.good.setVisible(not result.good)
        self.more.setText("\n".join(result.lines))
        self.more.setVisible(bool(result.lines))
        self.drawing.show_drawing(result.drawing)

    # -- keys --------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, text = event.key(), event.text()
        if key == Qt.Key.Key_Space:
            self.presenter.tick()
        elif text.isdigit() and 1 <= int(text) <= len(self.presenter.checks):
            self.presenter.choose(int(text) - 1)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.presenter.choose(self.presenter.at + (1 if key == Qt.Key.Key_Down else -1))
        else:
            super().keyPressEvent(event)

    def main_action(self) -> None:
        if not self.presenter.left:
            self.done_asked.emit()
        elif self.presenter.check in self.presenter.open:
            self.presenter.tick()
        else:
            self.presenter.resume()
            self.show_checklist()
