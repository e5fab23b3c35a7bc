"""All marks are drawn here: leaves for how far an entry is trusted, plain geometry for what a cell
did, tiles for cautions.

Every mark differs from its family in outline and in how much ink it carries, so none needs its
colour.
"""

from __future__ import annotations

import math
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from olive_almanac.core.words import tr
from olive_almanac.views.theme import NO_BRUSH, NO_PEN, C, Painted, px

ROUND_CAP, SQUARE_CAP = Qt.PenCapStyle.RoundCap, Qt.PenCapStyle.SquareCap
ROUND_JOIN, MITER_JOIN = Qt.PenJoinStyle.RoundJoin, Qt.PenJoinStyle.MiterJoin
SOLID = Qt.PenStyle.SolidLine


def round_pen(colour: QColor, width: float) -> QPen:
    return QPen(colour, width, SOLID, ROUND_CAP, ROUND_JOIN)


def square_pen(colour: QColor, width: float) -> QPen:
    """A pen for frames: its corners stay sharp."""
    return QPen(colour, width, SOLID, SQUARE_CAP, MITER_JOIN)


def _square(rect: QRectF) -> QRectF:
    side = min(rect.width(), rect.height())
    return QRectF(rect.center().x() - side / 2, rect.center().y() - side / 2, side, side)


def _placer(rect: QRectF) -> Any:
    """A function from shares of a rect (0..1, y down) to points."""
    return lambda u, v: QPointF(rect.x() + u * rect.width(), rect.y() + v * rect.height())


# -- states: leaves --------------------------------------------------------------------------------


def leaf_path(rect: QRectF) -> QPainterPath:
    at = _placer(rect)
    path = QPainterPath(at(0.07, 0.93))
    path.cubicTo(at(-0.06, 0.40), at(0.36, 0.02), at(0.95, 0.05))
    path.cubicTo(at(0.98, 0.64), at(0.60, 1.06), at(0.07, 0.93))
    return path


def _stem_half(rect: QRectF) -> QPainterPath:
    """The half of the leaf nearest its stem, cut across, so that at 17 px it is never taken for a
    full leaf.
    """
    at = _placer(rect)
    path = QPainterPath(at(-0.3, -0.2))
    for point in (at(1.2, 1.3), at(-0.3, 1.3)):
        path.lineTo(point)
    path.closeSubpath()
    return path


def draw_state(painter: QPainter, rect: QRectF, state: str, ground: QColor | None = None) -> None:
    """Draw the mark of a state; `ground` is the colour behind it, for veins and gaps."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    rect = _square(rect)
    side, ground = rect.width(), ground or C("page")
    stroke = max(1.4, side * 0.085)
    leaf, olive, ink = leaf_path(rect), C("olive"), C("ink")
    if state == "proven":
        painter.setPen(QPen(olive, stroke * 0.6))
        painter.setBrush(olive)
        painter.drawPath(leaf)
        painter.setPen(round_pen(ground, max(1.1, side * 0.055)))
        at = _placer(rect)
        painter.drawLine(at(0.20, 0.80), at(0.72, 0.28))
    elif state == "trial":
        painter.setPen(NO_PEN)
        painter.setBrush(olive)
        painter.drawPath(leaf.intersected(_stem_half(rect)))
        painter.setBrush(NO_BRUSH)
        painter.setPen(QPen(olive, stroke * 0.95))
        painter.drawPath(leaf)
    elif state == "due":
        painter.setPen(QPen(ink, stroke * 1.05))
        painter.setBrush(NO_BRUSH)
        painter.drawPath(leaf)
        _draw_clock(painter, rect, stroke, ground)
    elif state == "guess":
        pen = QPen(ink, stroke * 1.15)
        pen.setDashPattern([0.1, 2.0])
        pen.setCapStyle(ROUND_CAP)
        painter.setPen(pen)
        painter.drawPath(leaf)
    elif state == "cannot":
        painter.setPen(QPen(ink, stroke))
        painter.setBrush(NO_BRUSH)
        painter.drawEllipse(rect.center(), side * 0.40, side * 0.40)
        painter.drawLine(
            QPointF(rect.center().x() - side * 0.22, rect.center().y()),
            QPointF(rect.center().x() + side * 0.22, rect.center().y()),
        )
    elif state == "barred":
        painter.setPen(QPen(C("ember"), 1))
        painter.setBrush(C("ember_fill"))
        painter.drawEllipse(rect.center(), side * 0.46, side * 0.46)
        painter.fillRect(
            QRectF(
                rect.center().x() - side * 0.29,
                rect.center().y() - side * 0.09,
                side * 0.58,
                side * 0.18,
            ),
            C("on_ember"),
        )
    else:
        painter.setPen(NO_PEN)
        painter.setBrush(C("edge"))
        painter.drawEllipse(rect.center(), side * 0.10, side * 0.10)
    painter.restore()


def _draw_clock(painter: QPainter, rect: QRectF, stroke: float, ground: QColor) -> None:
    side = rect.width()
    centre, radius = _placer(rect)(0.755, 0.755), 0.225 * side
    painter.setPen(NO_PEN)
    painter.setBrush(ground)
    painter.drawEllipse(centre, radius + stroke * 0.9, radius + stroke * 0.9)
    painter.setBrush(C("brass_fill"))
    painter.setPen(QPen(C("ink"), max(1.2, stroke * 0.75)))
    painter.drawEllipse(centre, radius, radius)
    painter.setPen(round_pen(C("on_brass"), max(1.2, stroke * 0.75)))
    painter.drawLine(centre, centre + QPointF(0, -radius * 0.58))
    painter.drawLine(centre, centre + QPointF(radius * 0.5, 0))


# -- verdicts: what a cell did ---------------------------------------------------------------------


def _polygon(points: Any) -> QPainterPath:
    path = QPainterPath()
    path.addPolygon(QPolygonF([*points, points[0]]))
    return path


def _star(centre: QPointF, radius: float) -> QPainterPath:
    points = []
    for i in range(16):
        angle, reach = math.pi * i / 8 - math.pi / 2, radius * (1.18 if i % 2 == 0 else 0.62)
        points.append(centre + QPointF(math.cos(angle) * reach, math.sin(angle) * reach))
    return _polygon(points)


def _verdict_shape(centre: QPointF, radius: float, verdict: str) -> QPainterPath:
    path = QPainterPath()
    if verdict in ("free", "right", "too_light"):
        path.addEllipse(centre, radius, radius)
    elif verdict in ("hangs", "push"):
        path = _polygon(
            [
                centre + QPointF(-radius * 1.08, -radius * 0.82),
                centre + QPointF(radius * 1.08, -radius * 0.82),
                centre + QPointF(0, radius * 1.05),
            ]
        )
    elif verdict == "not_through":
        path.addRect(
            QRectF(
                centre.x() - radius * 0.86, centre.y() - radius * 0.86, radius * 1.72, radius * 1.72
            )
        )
    elif verdict in ("too_dark", "next"):
        path = _polygon(
            [
                centre + QPointF(dx * radius * 1.1, dy * radius * 1.1)
                for dx, dy in ((0, -1), (1, 0), (0, 1), (-1, 0))
            ]
        )
    elif verdict == "no_mark":
        path.addRect(
            QRectF(
                centre.x() - radius * 0.8, centre.y() - radius * 0.16, radius * 1.6, radius * 0.32
            )
        )
    elif verdict == "flare":
        path = _star(centre, radius)
    else:
        path.addEllipse(centre, radius * 0.22, radius * 0.22)
    return path


def draw_verdict(
    painter: QPainter,
    rect: QRectF,
    verdict: str,
    ink: QColor | None = None,
    ground: QColor | None = None,
    halo: QColor | None = None,
) -> None:
    """Draw the mark of a verdict, or of a cell to burn next; `halo` surrounds it where it lies on
    hatching.
    """
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    side = min(rect.width(), rect.height())
    centre, radius = rect.center(), side * 0.42
    ink, ground, stroke = ink or C("ink"), ground or C("page"), max(1.6, side * 0.11)
    shape = _verdict_shape(centre, radius, verdict)
    if halo is not None:
        painter.setPen(QPen(halo, stroke * 2.4, SOLID, SQUARE_CAP, ROUND_JOIN))
        painter.setBrush(halo)
        painter.drawPath(shape)
    solid = verdict in ("free", "too_dark", "no_mark", "unread")
    painter.setPen(
        NO_PEN
        if verdict == "unread"
        else QPen(ink, stroke * (0.5 if solid else 1.0), SOLID, SQUARE_CAP, MITER_JOIN)
    )
    painter.setBrush(ink if solid else C("brass_fill") if verdict == "flare" else ground)
    painter.drawPath(shape)
    if verdict in ("hangs", "push"):
        painter.setClipPath(shape)
        painter.fillRect(
            QRectF(
                centre.x() - radius * 1.2, centre.y() - radius * 0.95, radius * 2.4, radius * 0.86
            ),
            ink,
        )
    elif verdict in ("flare", "right"):
        painter.setPen(NO_PEN)
        painter.setBrush(ink)
        dot = radius * (0.26 if verdict == "flare" else 0.52)
        painter.drawEllipse(centre, dot, dot)
    painter.restore()


# -- cautions: tiles -------------------------------------------------------------------------------

OCTAGON = tuple(
    (u, v)
    for u, v in (
        (0.29, 0),
        (0.71, 0),
        (1, 0.29),
        (1, 0.71),
        (0.71, 1),
        (0.29, 1),
        (0, 0.71),
        (0, 0.29),
    )
)


def draw_caution(painter: QPainter, rect: QRectF, kind: str, level: str) -> None:
    """Draw a caution; `level` is act (solid octagon), mind (outlined tile) or clear (bare
    glyph).
    """
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    rect = _square(rect)
    side, at = rect.width(), _placer(rect)
    glyph = C("ink2")
    if level == "act":
        painter.setPen(NO_PEN)
        painter.setBrush(C("ember_fill"))
        painter.drawPolygon(QPolygonF([at(u, v) for u, v in OCTAGON]))
        glyph = C("on_ember")
    elif level == "mind":
        painter.setPen(QPen(C("ink"), 1.6))
        painter.setBrush(C("brass_fill"))
        painter.drawRoundedRect(rect.adjusted(1, 1, -1, -1), 4, 4)
        glyph = C("on_brass")
    inner = rect.adjusted(side * 0.2, side * 0.2, -side * 0.2, -side * 0.2)
    painter.setPen(round_pen(glyph, max(1.5, side * 0.075)))
    painter.setBrush(NO_BRUSH)
    {"fire": _fire, "fume": _fume, "glare": _glare, "eyes": _eyes, "stop": _stop}[kind](
        painter, inner, glyph
    )
    painter.restore()


def _fire(painter: QPainter, rect: QRectF, glyph: QColor) -> None:
    at = _placer(rect)
    flame = QPainterPath(at(0.5, 1))
    for points in (
        ((0, 1), (0, 0.55), (0.32, 0.38)),
        ((0.36, 0.52), (0.46, 0.52), (0.47, 0.42)),
        ((0.5, 0.22), (0.44, 0.1), (0.4, 0)),
        ((0.8, 0.12), (1, 0.5), (0.93, 0.7)),
        ((0.88, 0.9), (0.7, 1), (0.5, 1)),
    ):
        flame.cubicTo(*(at(u, v) for u, v in points))
    painter.setPen(NO_PEN)
    painter.setBrush(glyph)
    painter.drawPath(flame)


def _fume(painter: QPainter, rect: QRectF, glyph: QColor) -> None:
    at = _placer(rect)
    for k in (0.18, 0.5, 0.82):
        plume = QPainterPath(at(k, 1))
        plume.cubicTo(at(k - 0.22, 0.68), at(k + 0.22, 0.36), at(k, 0.02))
        painter.drawPath(plume)


def _glare(painter: QPainter, rect: QRectF, glyph: QColor) -> None:
    at = _placer(rect)
    for a, b in (
        ((0, 0.92), (1, 0.92)),
        ((0.05, 0.1), (0.48, 0.78)),
        ((0.48, 0.78), (0.92, 0.16)),
        ((0.92, 0.16), (0.62, 0.24)),
        ((0.92, 0.16), (0.95, 0.48)),
    ):
        painter.drawLine(at(*a), at(*b))


def _eyes(painter: QPainter, rect: QRectF, glyph: QColor) -> None:
    at, corner = _placer(rect), rect.width() * 0.16
    painter.setBrush(glyph)
    painter.drawRoundedRect(QRectF(at(-0.06, 0.3), at(0.43, 0.78)), corner, corner)
    painter.drawRoundedRect(QRectF(at(0.57, 0.3), at(1.06, 0.78)), corner, corner)
    painter.drawLine(at(0.4, 0.42), at(0.6, 0.42))


def _stop(painter: QPainter, rect: QRectF, glyph: QColor) -> None:
    at = _placer(rect)
    painter.drawLine(at(0.5, 0.05), at(0.5, 0.62))
    painter.setBrush(glyph)
    painter.drawEllipse(at(0.5, 0.93), rect.width() * 0.05, rect.width() * 0.05)


NAMES = {  # what a mark is called to those who hear the page
    "proven": tr("proven"),
    "trial": tr("on trial"),
    "due": tr("due again"),
    "guess": tr("guess"),
    "untried": tr("untried"),
    "cannot": tr("cannot"),
    "barred": tr("barred"),
    "clear": tr("nothing to mind"),
    "mind": tr("mind it"),
    "act": tr("act first"),
}


class Mark(Painted):
    """A mark as a widget: Mark("state", "proven", 22), Mark("verdict", "free", 18), Mark("fire",
    "act", 28).
    """

    def __init__(self, family: str, key: str, size: int, ground: str = "page") -> None:
        super().__init__()
        self.family, self.key, self.ground = family, key, ground
        self.setFixedSize(px(size), px(size))
        self.setAccessibleName(NAMES.get(key, key))

    def set_key(self, key: str) -> None:
        self.key = key
        self.setAccessibleName(NAMES.get(key, key))
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        rect = QRectF(1, 1, width - 2, height - 2)
        if self.family == "state":
            draw_state(painter, rect, self.key, C(self.ground))
        elif self.family == "verdict":
            draw_verdict(painter, rect, self.key, ground=C(self.ground))
        else:
            draw_caution(painter, rect, self.family, self.key)


def draw_twig(painter: QPainter, rect: QRectF) -> None:
    """The program's own mark: an olive twig of two leaves with one fruit."""
    painter.save()
    side, x, y, olive = rect.height(), rect.x(), rect.y(), C("olive")
    painter.setPen(round_pen(olive, side * 0.05))
    stem = QPainterPath(QPointF(x + 0.10 * side, y + 0.96 * side))
    stem.cubicTo(
        QPointF(x + 0.30 * side, y + 0.70 * side),
        QPointF(x + 0.42 * side, y + 0.5 * side),
        QPointF(x + 0.52 * side, y + 0.10 * side),
    )
    painter.setBrush(NO_BRUSH)
    painter.drawPath(stem)
    painter.setPen(NO_PEN)
    painter.setBrush(olive)
    painter.drawPath(leaf_path(QRectF(x + 0.42 * side, y + 0.06 * side, 0.5 * side, 0.5 * side)))
    painter.save()
    painter.translate(x + 0.42 * side, y + 0.54 * side)
    painter.scale(-1, 1)
    painter.drawPath(leaf_path(QRectF(0, -0.44 * side, 0.42 * side, 0.42 * side)))
    painter.restore()
    painter.setPen(round_pen(olive, side * 0.045))
    painter.drawLine(
        QPointF(x + 0.36 * side, y + 0.62 * side), QPointF(x + 0.56 * side, y + 0.66 * side)
    )
    painter.translate(x + 0.66 * side, y + 0.74 * side)
    painter.rotate(-32)
    painter.setPen(NO_PEN)
    painter.drawEllipse(QPointF(0, 0), side * 0.12, side * 0.165)
    painter.setPen(round_pen(C("page"), side * 0.035))
    painter.drawLine(QPointF(-side * 0.045, -side * 0.07), QPointF(-side * 0.05, side * 0.02))
    painter.restore()


# -- textures --------------------------------------------------------------------------------------


def hatch(
    painter: QPainter,
    path: QPainterPath,
    colour: QColor,
    step: float = 7,
    angle: float = 45,
    width: float = 1.2,
) -> None:
    """Hatch at our own pitch: Qt's brush hatches do not scale."""
    painter.save()
    painter.setClipPath(path, Qt.ClipOperation.IntersectClip)
    box = path.boundingRect()
    half = math.hypot(box.width(), box.height()) / 2
    painter.translate(box.center())
    painter.rotate(angle)
    painter.setPen(QPen(colour, width))
    for i in range(-int(half / step) - 1, int(half / step) + 2):
        painter.drawLine(QPointF(-half - 2, i * step), QPointF(half + 2, i * step))
    painter.restore()


def dots(
    painter: QPainter, path: QPainterPath, colour: QColor, step: float = 9, radius: float = 1.2
) -> None:
    painter.save()
    painter.setClipPath(path, Qt.ClipOperation.IntersectClip)
    box = path.boundingRect()
    painter.setPen(NO_PEN)
    painter.setBrush(colour)
    row, y = 0, box.top()
    while y < box.bottom() + step:
        x = box.left() + (step / 2 if row % 2 else 0)
        while x < box.right() + step:
            painter.drawEllipse(QPointF(x, y), radius, radius)
            x += step
        y += step * 0.866
        row += 1
    painter.restore()
