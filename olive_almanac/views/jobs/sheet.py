"""The copies of a job on a sheet of the rack, to scale; a copy can be dragged, a piece told."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
    QPolygonF,
    QTransform,
)
from PySide6.QtWidgets import QSizePolicy

from olive_almanac.core.motion.program import Strokes, over_mm, over_point
from olive_almanac.core.quoting.job_plan import JobPlan, SheetRun
from olive_almanac.core.quoting.pattern import Pattern
from olive_almanac.core.quoting.place import outline_of, turned_points
from olive_almanac.core.quoting.shades import Shading
from olive_almanac.core.records.job import NAMES, PlacedCopy
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.units import lengths_text
from olive_almanac.core.words import tr
from olive_almanac.steps.jobs import JobScreen
from olive_almanac.views.coupon import stock_colour
from olive_almanac.views.parts import CENTRE, arrow_step
from olive_almanac.views.rulers import draw_rulers
from olive_almanac.views.sheets import draw_sheet, in_rack
from olive_almanac.views.theme import LIVE, NO_BRUSH, NO_PEN, C, F, Painted, ink_on

LINE_PX = {"engrave": 1.0, "mark": 1.0, "score": 1.2, "cut": 2.0}
DASHES = {"score": [3.0, 2.0]}
THROUGH, PIN_PX = 0.25, 4.0
PLAIN_PX, LEAST_THIN = 60.0, 0.35
MARGIN_PX = 3  # around a copy, for the width of its lines
MOST_PICTURES = 200
FATE_LETTERS = {"hangs": "H", "knot": "K", "spoilt": "S"}
FATE_COLOURS = {"hangs": "ember", "knot": "ink2", "spoilt": "olive"}
MIDDLE_LIGHTNESS = 128
AT_ONCE = 4_000  # points up to which a copy's picture is made where it is needed


class JobSheet(Painted):
    """Draws one sheet of a job.

    Signals:
        moved(int, float, float): a copy (counted over all sheets) was moved by so many mm.
        turned(int): R was pressed with a copy in hand.
        picture_asked(object): a `PictureWish` that is to be made in a thread.
        told(): what came of a piece was told.
    """

    told = Signal()

    moved = Signal(int, float, float)
    turned = Signal(int)
    picture_asked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.shown: JobScreen | None = None
        self.stock: Stock | None = None
        self.machine: Machine | None = None
        self.at = 0  # which of the runs
        self.held: int | None = None  # which of its copies
        self.pinned: tuple[float, float] | None = None  # where a finding is, mm of the drawing
        self._shift = (0.0, 0.0)
        self._from: tuple[float, float] | None = None
        self._still: QPixmap | None = None  # all but what is dragged
        self._pictures: dict[object, QPixmap] = {}
        self._asked: set[object] = set()
        self._kept: list[Pattern] = []
        self._burnt = self._begun = 0  # steps, while the sheet is at the machine
        self.tapping = False  # what hangs is told by clicks
        self.fates: dict[tuple[int, int], str] = {}  # of pieces: number of the copy, of its piece
        self.tapped: tuple[int, int] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(160)
        self.setAccessibleName(tr("The copies on the sheet"))

    def show_screen(self, screen: JobScreen, stock: Stock | None, machine: Machine | None) -> None:
        self.shown, self.stock, self.machine = screen, stock, machine
        runs = self._runs
        self.at = min(self.at, max(0, len(runs) - 1))
        if self.held is not None and (not runs or self.held >= len(runs[self.at].placed)):
            self.held = None
        self._shift = (0.0, 0.0)
        told = tr("nothing is laid out yet")
        if runs:
            run = runs[self.at]
            called = screen.job.sheet_words(run.sheet, run.side) if screen.job is not None else ""
            told = tr("{placed} copies, {called}", placed=len(run.placed), called=called.lower())
        self.setAccessibleDescription(told)
        self.update()

    def show_run(self, at: int) -> None:
        """Show another of the sheets."""
        self.at, self.held = at, None
        self.update()

    def pin(self, at_mm: tuple[float, float] | None) -> None:
        """Ring the place of a finding in the first copy."""
        self.pinned = at_mm
        self.update()

    @property
    def _runs(self) -> tuple[SheetRun, ...]:
        if self.shown is None or self.shown.result is None:
            return ()
        return self.shown.result.plan.runs

    @property
    def _run(self) -> SheetRun | None:
        return self._runs[self.at] if self._runs else None

    @property
    def _plan(self) -> JobPlan | None:
        if self.shown is None or self.shown.result is None:
            return None
        return self.shown.result.plan

    @property
    def _before(self) -> int:
        """How many copies lie on the sheets before this one."""
        earlier = (one for one in self._runs[: self.at] if not one.again)
        here = self._run
        behind = len(here.placed) if here is not None and here.again else 0
        return sum(len(one.placed) for one in earlier) - behind

    def _ground(self) -> Sheet:
        """The sheet that is shown; the bed where the rack is empty."""
        run, shown = self._run, self.shown
        number = run.sheet if run is not None else 0
        sheets: tuple[Sheet, ...] = ()
        if shown is not None and shown.result is not None:
            sheets = shown.result.wish.sheets
        elif self.stock is not None:
            sheets = self.stock.sheets
        if number < len(sheets):
            return sheets[number]
        wide, high = self.machine.bed_mm if self.machine is not None else (300.0, 200.0)
        return Sheet(wide, high)

    def _scale(self) -> tuple[float, float, float]:
        width, height = self.width() / LIVE.scale, self.height() / LIVE.scale
        sheet = self._ground()
        k = min((width - 66) / sheet.width_mm, (height - 38) / sheet.height_mm)
        left = 46 + (width - 66 - k * sheet.width_mm) / 2
        return k, left, 8 + (height - 38 + k * sheet.height_mm) / 2

    # -- drawing -----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.stock is None or self.shown is None:
            return
        run, plan = self._run, self._plan
        dragged = self.held if self._from is not None else None
        if dragged is None or run is None or plan is None:
            self._still = None
            self._draw_scene(painter, None)
            return
        if self._still is None or self._still.size() != self.size() * self.devicePixelRatioF():
            self._still = self._without(dragged)
        painter.save()
        painter.resetTransform()
        painter.drawPixmap(0, 0, self._still)
        painter.restore()
        self._draw_held(painter, plan, run, dragged)

    def _without(self, number: int) -> QPixmap:
        """All but the copy that is dragged, which alone is drawn anew at each move."""
        ratio = self.devicePixelRatioF()
        still = QPixmap(self.size() * ratio)
        still.setDevicePixelRatio(ratio)
        still.fill(Qt.GlobalColor.transparent)
        painter = QPainter(still)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(LIVE.scale, LIVE.scale)
        self._draw_scene(painter, number)
        painter.end()
        return still

    @property
    def _over(self) -> tuple[str, float] | None:
        """How the sheet that is shown lies turned over."""
        return self._run.ground.over if self._run is not None else None

    def _rect(self, box: Any) -> QRectF:
        """Where a box of the sheet is drawn, as the sheet lies."""
        k, left, foot = self._scale()
        if self._over is not None:
            box = over_mm(self._over, box)
        wide, high = k * (box[2] - box[0]), k * (box[3] - box[1])
        return QRectF(left + k * box[0], foot - k * box[3], wide, high)

    def _draw_scene(self, painter: QPainter, dragged: int | None) -> None:
        """The sheet and all on it but the copy that is dragged."""
        assert self.stock is not None
        sheet, colour, rect = self._ground(), stock_colour(self.stock), self._rect
        keep_off = self.machine.head_clearance_mm if self.machine is not None else 0.0
        painter.save()
        painter.setClipRect(rect((-6, -6, sheet.width_mm + 6, sheet.height_mm + 6)))
        own = set(self._run.used_mm) if self._run is not None else set()
        kept = tuple(box for box in sheet.used_mm if box not in own)
        clamps = sheet.clamps_mm  # they stay where they are when the sheet is turned over
        if self._over is not None:
            clamps = tuple(over_mm(self._over, box) for box in clamps)
        drawn = Sheet(sheet.width_mm, sheet.height_mm, kept, clamps, sheet.outline_mm)
        draw_sheet(painter, in_rack(drawn), rect, colour, keep_off)
        painter.restore()
        draw_rulers(painter, sheet, self._scale())
        run, plan = self._run, self._plan
        if run is None or plan is None:
            self._draw_nothing(painter, rect((0, 0, sheet.width_mm, sheet.height_mm)), colour)
            return
        resting = [n for n in range(len(run.placed)) if n != dragged]
        for n in resting:
            copy = run.placed[n]
            self._draw_copy(painter, plan.of(copy), copy, rect(run.used_mm[n]))
        self._draw_names(painter, plan, run, resting)
        self._draw_pins(painter)
        if self.held is not None and dragged is None:
            self._draw_ring(painter, rect(run.used_mm[self.held]))
        self._draw_burnt(painter, run)
        if self.pinned is not None and run.placed:
            self._draw_pin(painter, plan, run)
        if self.tapping:
            self._draw_fates(painter, plan, run)
        if self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(rect((0, 0, sheet.width_mm, sheet.height_mm)).adjusted(-4, -4, 4, 4))

    def _draw_pins(self, painter: QPainter) -> None:
        """The holes for pins, which hold the sheet once it is turned over."""
        run = self._run
        sheet = run.sheet if run is not None else -1
        every = [step for one in self._runs if one.sheet == sheet for step in one.pins]
        painter.setPen(QPen(C("ink"), 1.6))
        painter.setBrush(C("field"))
        for step in every:
            points = [self._point(x, y) for x, y in step.paths[0]]
            middle = QPolygonF(points).boundingRect().center()
            painter.drawEllipse(middle, PIN_PX, PIN_PX)

    def _draw_held(self, painter: QPainter, plan: JobPlan, run: SheetRun, number: int) -> None:
        """The copy that is dragged, where it is now."""
        left, low, right, high = run.used_mm[number]
        along, up = self._shift
        place = self._rect((left + along, low + up, right + along, high + up))
        copy = run.placed[number]
        self._draw_copy(painter, plan.of(copy), copy, place)
        painter.translate(self._point(along, up) - self._point(0.0, 0.0))
        self._draw_names(painter, plan, run, [number])
        painter.translate(self._point(0.0, 0.0) - self._point(along, up))
        self._draw_ring(painter, place)

    def _draw_ring(self, painter: QPainter, place: QRectF) -> None:
        painter.setPen(QPen(C("ink"), 2.4))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(place.adjusted(-2, -2, 2, 2))

    def _draw_nothing(self, painter: QPainter, rect: QRectF, colour: QColor) -> None:
        words = tr("Drop a drawing here")
        if self.shown is not None and self.shown.working:
            words = tr("Working it out")
        elif self.shown is not None and self.shown.drawing is not None:
            words = tr("Nothing is laid out")
        painter.setFont(F("h2"))
        painter.setPen(ink_on(colour))
        painter.drawText(rect, CENTRE, words)

    def _draw_copy(
        self, painter: QPainter, pattern: Pattern, copy: PlacedCopy, place: QRectF
    ) -> None:
        """A copy from a picture that is made once for its size; a large drawing's comes later, from
        a thread.
        """
        assert self.stock is not None
        ratio = LIVE.scale * self.devicePixelRatioF()
        ink = ink_on(stock_colour(self.stock)).name()
        over, run = self._over, self._run
        about = over[0] if over is not None else ""
        groups = run.groups if run is not None and run.side else None
        wish = PictureWish(pattern, self._scale()[0], copy.quarters, ratio, ink, about, groups)
        if wish.key not in self._pictures:
            if wish.points <= AT_ONCE:
                self.take_picture(wish, picture_of(wish), again=False)
            elif wish.key not in self._asked:
                self._asked.add(wish.key)
                self.picture_asked.emit(wish)
        if wish.key not in self._pictures:
            painter.setPen(QPen(C("ink2"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(place)
            return
        at = QPointF(
            round((place.left() - MARGIN_PX) * ratio) / ratio,
            round((place.top() - MARGIN_PX) * ratio) / ratio,
        )  # whole pixels of the screen keep the lines sharp
        painter.drawPixmap(at, self._pictures[wish.key])

    def take_picture(self, wish: PictureWish, image: QImage, *, again: bool = True) -> None:
        """Take the picture of a copy."""
        picture = QPixmap.fromImage(image)
        picture.setDevicePixelRatio(wish.ratio)
        if len(self._pictures) >= MOST_PICTURES:
            self._pictures.clear()
        self._pictures[wish.key] = picture
        self._kept = [*self._kept, wish.pattern][-MOST_PICTURES:]  # keys hang on their identity
        if again:
            self.update()

    def _point(self, x: float, y: float) -> QPointF:
        """Where a place of the sheet is drawn, as the sheet lies."""
        k, left, foot = self._scale()
        if self._over is not None:
            x, y = over_point(self._over, (x, y))
        return QPointF(left + k * x, foot - k * y)

    def _draw_pin(self, painter: QPainter, plan: JobPlan, run: SheetRun) -> None:
        """Ring the place of a finding, in the first copy that holds it."""
        assert self.pinned is not None
        at_mm = np.array([self.pinned])
        for copy in run.placed:
            left, low, right, high = plan.of(copy).reach_mm
            if not (left <= at_mm[0, 0] <= right and low <= at_mm[0, 1] <= high):
                continue
            at = self._point(*turned_points(at_mm, plan.of(copy), copy)[0])
            painter.setBrush(NO_BRUSH)
            for colour, width in ((C("field"), 5.0), (C("ember"), 2.4)):
                painter.setPen(QPen(colour, width))
                painter.drawEllipse(at, 9, 9)
            return

    def _draw_names(
        self, painter: QPainter, plan: JobPlan, run: SheetRun, which: Iterable[int]
    ) -> None:
        """What is lettered on some of the copies."""
        names = self.shown.result.names if self.shown and self.shown.result else None
        if names is None or self.stock is None:
            return
        if run.side and NAMES not in run.groups:
            return
        painter.setPen(QPen(ink_on(stock_colour(self.stock)), 1))
        painter.setBrush(NO_BRUSH)
        for n in which:
            copy, number = run.placed[n], n + self._before
            for line in names.lines[number] if number < len(names.lines) else ():
                points = turned_points(line, plan.of(copy), copy)
                polygon = QPolygonF([self._point(x, y) for x, y in points.tolist()])
                if names.is_outline:
                    painter.drawPolygon(polygon)
                else:
                    painter.drawPolyline(polygon)

    def show_burnt(self, burnt: int, begun: int = 0) -> None:
        """Show how many steps of the sheet are burnt, and up to which one more may be."""
        if (burnt, begun) != (self._burnt, self._begun):
            self._burnt, self._begun = burnt, begun
            self.update()

    def _draw_burnt(self, painter: QPainter, run: SheetRun) -> None:
        """The lines that are burnt so far, where the head has come to, and dashed what else may be
        burnt.
        """
        painter.setBrush(NO_BRUSH)
        for first, behind, dash in (
            (0, self._burnt, Qt.PenStyle.SolidLine),
            (self._burnt, self._begun, Qt.PenStyle.DashLine),
        ):
            painter.setPen(QPen(C("ember"), 2.4, dash))
            for step, _ in run.steps[first:behind]:
                if isinstance(step, Strokes):
                    dx, dy = step.at_mm
                    points = [self._point(x + dx, y + dy) for x, y in step.paths[0]]
                    painter.drawPolyline(QPolygonF(points))
        if self._burnt:
            painter.setPen(QPen(C("ember"), 2.4))
            painter.setBrush(C("ember"))
            painter.drawEllipse(self._point(*run.steps[self._burnt - 1][0].end), 5, 5)

    # -- what came of each piece -------------------------------------------------------------------

    def set_tapping(self, on: bool) -> None:
        """Tell pieces by clicks and keys instead of moving copies."""
        self.tapping, self.held, self.tapped = on, None, None
        if not on:
            self.fates = {}
        self.update()

    def take_fates(self, fates: Sequence[str]) -> None:
        """Show what came of the pieces, in the order in which they are burnt."""
        known = {"hangs", "knot"}
        told = zip(self._every_piece(), fates, strict=False)
        self.fates = {piece: fate for piece, fate in told if fate in known}
        self.update()

    def _every_piece(self) -> list[tuple[int, int]]:
        """The pieces of all sheets: number of the copy, number of its piece."""
        plan = self._plan
        if plan is None:
            return []
        return [
            (n, piece)
            for n, copy in enumerate(plan.placed)
            for piece in range(len(plan.of(copy).outlines))
        ]

    def _pieces_here(self) -> list[tuple[int, int]]:
        """The pieces of the sheet that is shown."""
        run = self._run
        count = len(run.placed) if run is not None else 0
        here = range(self._before, self._before + count)
        return [piece for piece in self._every_piece() if piece[0] in here]

    def _outline(self, piece: tuple[int, int]) -> QPolygonF:
        plan = self._plan
        assert plan is not None
        copy = plan.placed[piece[0]]
        pattern = plan.of(copy)
        points = turned_points(pattern.outlines[piece[1]], pattern, copy)
        return QPolygonF([self._point(x, y) for x, y in points.tolist()])

    def _draw_fates(self, painter: QPainter, plan: JobPlan, run: SheetRun) -> None:
        """The pieces that do not lie free, with the letter of what they do."""
        for piece in self._pieces_here():
            fate = self.fates.get(piece)
            outline = self._outline(piece)
            if fate is not None:
                shade = C(FATE_COLOURS[fate])
                shade.setAlpha(110)
                painter.setPen(QPen(C(FATE_COLOURS[fate]), 2))
                painter.setBrush(shade)
                painter.drawPolygon(outline)
                painter.setFont(F("h3"))
                painter.setPen(C("ink"))
                painter.drawText(outline.boundingRect(), CENTRE, FATE_LETTERS[fate])
            if piece == self.tapped:
                painter.setPen(QPen(C("ink"), 2.4))
                painter.setBrush(NO_BRUSH)
                painter.drawPolygon(outline)

    def _tap(self, piece: tuple[int, int], fate: str | None = None) -> None:
        """Tell what came of a piece; without a word it goes on to the next fate."""
        if fate is None:
            order = ("free", *FATE_LETTERS)
            fate = order[(order.index(self.fates.get(piece, "free")) + 1) % len(order)]
        self.tapped = piece
        self.fates.pop(piece, None)
        if fate != "free":
            self.fates[piece] = fate
        self.setAccessibleDescription(
            tr("piece {piece}: {fate}", piece=self._every_piece().index(piece) + 1, fate=fate)
        )
        self.update()
        self.told.emit()

    def _tap_key(self, text: str) -> bool:
        """Walk over the pieces by point and comma, tell by a letter."""
        here = self._pieces_here()
        if text in (".", ",") and here:
            way = 1 if text == "." else -1
            at = here.index(self.tapped) + way if self.tapped in here else 0
            self.tapped = here[at % len(here)]
            self.update()
            return True
        fate = {letter.lower(): fate for fate, letter in FATE_LETTERS.items()}.get(text.lower())
        fate = "free" if text.lower() == "f" else fate
        if fate is None or self.tapped is None:
            return False
        self._tap(self.tapped, fate)
        return True

    # -- mouse and keys ----------------------------------------------------------------------------

    def _mm(self, event: QEvent) -> tuple[float, float]:
        x, y = self.logical(event)
        k, left, foot = self._scale()
        at = ((x - left) / k, (foot - y) / k)
        return over_point(self._over, at) if self._over is not None else at

    def mousePressEvent(self, event: QMouseEvent) -> None:
        run, plan = self._run, self._plan
        if run is None or plan is None:
            return
        x, y = self._mm(event)
        if self.tapping:
            at = self._point(x, y)
            rule = Qt.FillRule.OddEvenFill
            found = [p for p in self._pieces_here() if self._outline(p).containsPoint(at, rule)]
            if found:
                self._tap(found[-1])
            return
        boxes = list(enumerate(run.used_mm))
        here = [n for n, box in boxes if box[0] <= x <= box[2] and box[1] <= y <= box[3]]
        if len(here) > 1:  # outlines that lie in each other: the one that is meant
            point = shapely.Point(x, y)
            outlines = {n: outline_of(plan.of(run.placed[n]), run.placed[n]) for n in here}
            here = sorted(here, key=lambda n: -outlines[n].distance(point))
        self.held = here[-1] if here else None
        self._from = (x, y) if here else None
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            x, y = self._mm(event)
            self._shift = (float(round(x - self._from[0])), float(round(y - self._from[1])))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._from = None
        self._put(*self._shift)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step, run = arrow_step(event), self._run
        if self.tapping and self._tap_key(event.text()):
            return
        if step is not None and self.held is not None:
            about = self._over[0] if self._over is not None else ""
            along, up = step
            self._put(-along if about == "y" else along, -up if about == "x" else up)
        elif event.key() == Qt.Key.Key_R and self.held is not None:
            self.turned.emit(self._before + self.held)
        elif event.text() in (".", ",") and run is not None and run.placed:
            way = 1 if event.text() == "." else -1
            self.held = 0 if self.held is None else (self.held + way) % len(run.placed)
            box = run.used_mm[self.held]
            size = lengths_text(box[2] - box[0], box[3] - box[1])
            self.setAccessibleDescription(
                tr("copy {held} in hand, {size} mm", held=self.held + 1, size=size)
            )
            self.update()
        else:
            super().keyPressEvent(event)

    def _put(self, along_mm: float, up_mm: float) -> None:
        run = self._run
        if run is None or self.held is None or (along_mm, up_mm) == (0.0, 0.0):
            return
        self.moved.emit(self._before + self.held, along_mm, up_mm)


@dataclass(frozen=True, eq=False)
class PictureWish:
    """What a picture of a copy is made from: the pattern, px per mm, its quarter turns, pixels
    of the screen for each, and the ink.
    """

    pattern: Pattern
    k: float
    quarters: int
    ratio: float
    ink: str
    over: str = ""  # about which axis it lies turned over
    groups: frozenset[str] | None = None  # what is burnt on this side; the rest is faint

    @property
    def key(self) -> object:
        more = (self.over, self.groups)
        return (id(self.pattern), round(self.k, 5), self.quarters, self.ratio, self.ink, *more)

    def opacity(self, group: str) -> float:
        """How strongly a group is drawn: what is burnt on the other side shines through."""
        return 1.0 if self.groups is None or group in self.groups else THROUGH

    @property
    def points(self) -> int:
        """How many points are drawn."""
        lines = sum(len(points) for _, points, _ in self.pattern.beams)
        lines += sum(shading.wanted_l.size for shading in self.pattern.shadings)
        return lines + sum(len(points) for _, points in self.pattern.areas)


def picture_of(wish: PictureWish) -> QImage:
    """Return the picture of a copy; may be called in any thread."""
    pattern, k, ratio = wish.pattern, wish.k, wish.ratio
    left, low, right, high = pattern.reach_mm
    wide, tall = k * (right - left), k * (high - low)
    if wish.quarters % 2:
        wide, tall = tall, wide
    m = (
        QTransform(k, 0, 0, -k, -k * left, k * high),
        QTransform(0, -k, -k, 0, k * high, tall + k * left),
        QTransform(-k, 0, 0, k, k * right, -k * low),
        QTransform(0, k, k, 0, -k * low, -k * left),
    )[wish.quarters]
    around = 2 * MARGIN_PX
    image = QImage(
        max(1, math.ceil((wide + around) * ratio)),
        max(1, math.ceil((tall + around) * ratio)),
        QImage.Format.Format_ARGB32_Premultiplied,
    )
    image.setDevicePixelRatio(ratio)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(MARGIN_PX, MARGIN_PX)
    ink = QColor(wish.ink)
    for shading in pattern.shadings:
        painter.setOpacity(wish.opacity(shading.group))
        _paint_shading(painter, shading, m, ink)
    task_of = {one.task.group: one.task.task for one in pattern.work}
    thin = min(1.0, max(LEAST_THIN, min(wide, tall) / PLAIN_PX))
    shade = QColor(ink)
    shade.setAlpha(150)
    painter.setPen(NO_PEN)
    painter.setBrush(shade)
    for group, path in _filled(pattern, m).items():
        painter.setOpacity(wish.opacity(group))
        painter.drawPath(path)
    painter.setBrush(NO_BRUSH)
    for group, points, closed in pattern.beams:  # one by one: other threads come in between
        pen = QPen(ink, thin * LINE_PX[task_of[group]])
        if task_of[group] in DASHES:
            pen.setDashPattern(DASHES[task_of[group]])
        painter.setPen(pen)
        painter.setOpacity(wish.opacity(group))
        polygon = m.map(_polygon(points))
        if closed:
            painter.drawPolygon(polygon)
        else:
            painter.drawPolyline(polygon)
    painter.end()
    if wish.over:
        across = wish.over == "y"
        image = image.flipped(Qt.Orientation.Horizontal if across else Qt.Orientation.Vertical)
        image.setDevicePixelRatio(ratio)
    return image


def _paint_shading(painter: QPainter, shading: Shading, m: QTransform, ink: QColor) -> None:
    """A picture as it will look: the ink as strong as it departs from the bare stock."""
    wanted = shading.wanted_l[::-1]
    low, high = float(wanted.min()), float(wanted.max())
    strength = (high - wanted) / max(high - low, 1e-6)
    if ink.lightness() > MIDDLE_LIGHTNESS:  # a light mark on dark stock
        strength = 1 - strength
    alpha = np.round(200 * strength).astype(np.uint32)
    one = (np.uint32(ink.red()) << 16) | (np.uint32(ink.green()) << 8) | np.uint32(ink.blue())
    pixels = np.ascontiguousarray((alpha << 24) | one)
    rows, columns = pixels.shape
    image = QImage(pixels.data, columns, rows, 4 * columns, QImage.Format.Format_ARGB32)
    left, low_mm, right, high_mm = shading.box_mm
    corners = m.mapRect(QRectF(left, low_mm, right - left, high_mm - low_mm))
    painter.drawImage(corners, image)


def _filled(pattern: Pattern, m: QTransform) -> dict[str, QPainterPath]:
    """The filled areas of each group, in px."""
    paths: dict[str, QPainterPath] = {}
    for group, points in pattern.areas:
        path = paths.setdefault(group, QPainterPath())
        path.setFillRule(Qt.FillRule.OddEvenFill)
        path.addPolygon(m.map(_polygon(np.concatenate([points, points[:1]]))))
    return paths


def _polygon(points: Any) -> QPolygonF:
    return QPolygonF([QPointF(x, y) for x, y in points.tolist()])
