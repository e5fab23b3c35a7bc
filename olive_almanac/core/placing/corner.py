"""The corner mark: an L at the coupon's lower left, so that it cannot be read turned round."""

from __future__ import annotations

from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Trial

__all__ = ["CORNER_INSET_MM", "CORNER_LENGTH_MM", "corner_lines", "corner_setting"]

CORNER_INSET_MM = 3.0
CORNER_LENGTH_MM = 5.0

Line = tuple[tuple[float, float], tuple[float, float]]


def corner_lines() -> tuple[Line, Line]:
    """Return the two strokes of the mark in coupon mm, longer upward than sideways."""
    i, n = CORNER_INSET_MM, CORNER_LENGTH_MM
    return ((i, i + n), (i, i)), ((i, i), (i + 0.6 * n, i))


def corner_setting(trial: Trial) -> Setting:
    """Return the setting of the mark: one pass of the trial's coolest cell, so that it never cuts more than that."""
    coolest = trial.in_order[0].setting
    return Setting(coolest.power, coolest.speed_mm_s, 1, coolest.focus_mm, 0.0, coolest.air)
