"""One way to set it: the numbers, the margin bar with the house rule, time and edge."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QSizePolicy

from olive_almanac.core.deciding.decision import aim_word, came_from
from olive_almanac.core.units import (
    capital,
    chance_text,
    duration_text,
    length_text,
    number_text,
    passes_text,
    percent_text,
    speed_in,
)
from olive_almanac.core.words import tr
from olive_almanac.views.decide.setting_map import draw_badge
from olive_almanac.views.marks import round_pen
from olive_almanac.views.parts import MIDDLE_LEFT, MIDDLE_RIGHT, tip_text
from olive_almanac.views.theme import LIVE, C, F, compact, px

if TYPE_CHECKING:
    from olive_almanac.core.deciding.decision import Pick

__all__ = ["PickCard", "limit_facts"]

HOUSE_MARGIN = 0.15
EDGE_WORDS = (tr("clean edge"), tr("brown edge"), tr("charred edge"), tr("may flare"))


class PickCard(QAbstractButton):
    """One way to set it: the numbers, the margin bar with the house rule, time and edge."""

    def __init__(self, letter: str, pick: Pick, task: str, unit: str) -> None:
        super().__init__()
        self.letter, self.pick, self.unit = letter, pick, unit
        self.name = aim_word(pick.aim, task)
        self.setCheckable(True)
        self.setMinimumHeight(px(compact(112, 126)))
        self.setMaximumHeight(px(176))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        setting = pick.setting
        self.setText(self.name)
        came = came_from(pick)
        self.setToolTip(tip_text(f"{pick.why}; {came}"))
        self.setAccessibleName(
            tr(
                "{letter}: {name}, {power} %, {speed_mm_s} {unit}, {passes}, "
                "{probability:.0f} % sure, {came}",
                letter=letter,
                name=self.name,
                power=percent_text(setting.power),
                speed_mm_s=number_text(speed_in(setting.speed_mm_s, unit)),
                unit=unit,
                passes=passes_text(setting.passes),
                probability=100 * pick.probability,
                came=came,
            )
        )

    def sizeHint(self) -> QSize:
        return QSize(px(340), px(126))

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(LIVE.scale, LIVE.scale)
        w, h, on = self.width() / LIVE.scale, self.height() / LIVE.scale, self.isChecked()
        rect = QRectF(1.5, 1.5, w - 3, h - 3)
        painter.setPen(
            QPen(C("ink"), 2.4)
            if on
            else QPen(C("olive"), 2)
            if self.hasFocus()
            else QPen(C("edge"), 1)
        )
        painter.setBrush(C("olive_wash") if on else C("wash") if self.underMouse() else C("page"))
        painter.drawRoundedRect(rect, 5, 5)
        if on and self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.drawRoundedRect(rect.adjusted(3, 3, -3, -3), 3, 3)
        left, inner = 16.0, w - 32
        draw_badge(painter, QRectF(left, 13, 26, 26), self.letter, on)
        painter.setFont(F("h2"))
        painter.setPen(C("ink"))
        painter.drawText(QRectF(left + 36, 12, inner, 28), MIDDLE_LEFT, self.name)
        painter.setFont(F("small_b" if on else "small"))
        painter.drawText(
            QRectF(left, 12, inner, 28), MIDDLE_RIGHT, tr("chosen") if on else self._sure()
        )
        if on:
            tick = QPointF(left + inner - 60, 26)
            painter.setPen(round_pen(C("ink"), 2.2))
            painter.drawPolyline(
                [tick + QPointF(-5, 0), tick + QPointF(-1, 4), tick + QPointF(6, -5)]
            )
        self._paint_numbers(painter, left, max(63.0, h * 0.47 - 3))
        self._paint_foot(painter, left, inner, h)

    def _sure(self) -> str:
        return tr("{probability} sure", probability=chance_text(self.pick.probability))

    def _paint_numbers(self, painter: QPainter, x: float, base: float) -> None:
        setting = self.pick.setting
        passes = tr("passes")
        if setting.passes == 1:
            passes = tr("pass")
        for number, unit in (
            (percent_text(setting.power), "%"),
            (number_text(speed_in(setting.speed_mm_s, self.unit)), self.unit),
            (str(setting.passes), passes),
        ):
            painter.setFont(F("card"))
            painter.setPen(C("ink"))
            painter.drawText(QPointF(x, base), number)
            x += QFontMetricsF(F("card")).horizontalAdvance(number) + 5
            painter.setFont(F("ui"))
            painter.setPen(C("ink2"))
            painter.drawText(QPointF(x, base), unit)
            x += QFontMetricsF(F("ui")).horizontalAdvance(unit) + 20

    def _paint_foot(self, painter: QPainter, left: float, inner: float, h: float) -> None:
        margin, y = self.pick.margin, h - compact(44, 50)
        known = self.pick.margins.speed is not None
        painter.setFont(F("ui_b"))
        painter.setPen(C("ink"))
        painter.drawText(
            QRectF(left, y - 7, 104, 20),
            MIDDLE_LEFT,
            tr("Margin {margin:.0f} %", margin=100 * margin) if known else tr("Margin wide"),
        )
        bar, full = QRectF(left + 108, y, inner - 108, 9), 0.6
        painter.setPen(QPen(C("ink"), 1))
        painter.setBrush(C("page"))
        painter.drawRect(bar)
        painter.fillRect(
            QRectF(
                bar.left(), bar.top(), bar.width() * min(1.0, (margin if known else full) / full), 9
            ),
            C("olive"),
        )
        rule = bar.left() + bar.width() * HOUSE_MARGIN / full
        painter.setPen(QPen(C("ink"), 2))
        painter.drawLine(QPointF(rule, y - 4), QPointF(rule, y + 13))
        painter.setFont(F("ui"))
        painter.setPen(C("ink2"))
        foot = QRectF(left, h - compact(30, 33), inner, 22)
        painter.drawText(foot, MIDDLE_LEFT, self._time_and_source())
        if self.pick.char is not None:
            painter.drawText(foot, MIDDLE_RIGHT, EDGE_WORDS[min(3, round(self.pick.char))])

    def _time_and_source(self) -> str:
        how = tr("reckoned")
        if self.pick.burnt:
            how = tr("burnt")
        if self.pick.seconds_per_m is not None:
            return tr(
                "{seconds_per_m} per metre, {how}",
                seconds_per_m=duration_text(self.pick.seconds_per_m),
                how=how,
            )
        if self.pick.seconds_per_100cm2 is not None:
            return tr(
                "{seconds_per_100cm2} per 100 cm², {how}",
                seconds_per_100cm2=duration_text(self.pick.seconds_per_100cm2),
                how=how,
            )
        return capital(how)


def limit_facts(pick: Pick) -> list[tuple[str, str]]:
    """Return how far each thing may drift alone, as name and value, only those that have a
    limit.
    """
    margins, facts = pick.margins, []
    if margins.power is not None:
        facts.append(
            (
                tr("weaker beam"),
                tr(
                    "down to {power} % power",
                    power=percent_text(pick.setting.power * margins.power),
                ),
            )
        )
    if margins.power_up is not None and pick.setting.power * margins.power_up <= 1:
        facts.append(
            (
                tr("stronger beam"),
                tr(
                    "up to {power} % power",
                    power=percent_text(pick.setting.power * margins.power_up),
                ),
            )
        )
    if margins.thickness_mm is not None:
        facts.append(
            (
                tr("thicker stock"),
                tr("{thickness_mm} mm more", thickness_mm=number_text(margins.thickness_mm, 2)),
            )
        )
    if margins.focus_up_mm is not None:
        facts.append((tr("focus too high"), length_text(margins.focus_up_mm, 2)))
    if margins.focus_down_mm is not None:
        facts.append((tr("focus too low"), length_text(margins.focus_down_mm, 2)))
    return facts
