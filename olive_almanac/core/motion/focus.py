"""Whether a file moves the head up and down; it does not where the focus is set by hand."""

from __future__ import annotations

from collections.abc import Iterable

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr

__all__ = ["check_by_hand", "focus_moves"]


def focus_moves(settings: Iterable[Setting]) -> bool:
    """Return whether a file of these settings moves the focus."""
    settings = list(settings)
    return len({one.focus_mm for one in settings}) > 1 or any(s.focus_step_mm for s in settings)


def check_by_hand(settings: Iterable[Setting], machine: Machine) -> None:
    """Raise OutOfRange where a file would move a focus that is set by hand."""
    settings = list(settings)
    if not machine.focus_by_hand or not focus_moves(settings):
        return
    needs = tr(
        "one height in a file, for the focus of {machine} is set by hand: burn the others by a "
        "file of their own",
        machine=machine.name,
    )
    step = max(one.focus_step_mm for one in settings)
    if step:
        raise OutOfRange(tr("Focus step"), step, needs, "mm", key="focus_step")
    heights = ", ".join(number_text(height) for height in sorted({s.focus_mm for s in settings}))
    raise OutOfRange(tr("Focus"), heights, needs, "mm", key="focus")
