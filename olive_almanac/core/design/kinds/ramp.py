"""Focus ramp: one line along stock that is propped up at one end."""

from __future__ import annotations

from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.focus import FocusSteps
from olive_almanac.core.design.kinds.kind import register
from olive_almanac.core.design.pattern import Patch, Pattern, setting_of
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import burnt_length
from olive_almanac.core.words import tr

LEAST_LINE_MM = 3


@register
class FocusRamp(FocusSteps):
    id = "ramp"
    name = tr("focus ramp")
    finds_out = tr(
        "one line along stock that is propped up at one end: the narrowest place is in focus"
    )
    place = 4
    fields = frozenset({"beam", "slope"})
    sloped = True
    drives_focus = False

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        """Pieces of one line, each as long as one step of the focus takes on the slope."""
        length = round(_length_of_step(choices), 3)
        flat = {"pitch": 0.0, "direction": "x", "crosshatch": False, "focus_step_mm": 0.0}
        patches = []
        for col, focus in enumerate(choices.focus_mm):
            setting = setting_of(choices, task, focus=focus, **flat)
            patches.append(Patch(0, col, 0, length, 4.0, "line", setting))
        cols = tuple(burnt_length(focus) for focus in choices.focus_mm)
        return Pattern(tuple(patches), ("",), cols, "", tr("Focus, mm"))


def _length_of_step(choices: TrialChoices) -> float:
    levels = choices.focus_mm
    if len(levels) < 3:
        raise OutOfRange(tr("Steps of focus"), len(levels), tr("at least 3"), key="focus_steps")
    step = (max(levels) - min(levels)) / (len(levels) - 1)
    length = step / choices.slope - choices.gap_mm
    if length < LEAST_LINE_MM:
        most = step / (choices.gap_mm + LEAST_LINE_MM)
        raise OutOfRange(
            tr("Slope"),
            choices.slope,
            tr(
                "at most {most:.2g}, so that each step has {least_line_mm} mm of line",
                most=most,
                least_line_mm=LEAST_LINE_MM,
            ),
            tr("mm per mm"),
            key="slope",
        )
    return length
