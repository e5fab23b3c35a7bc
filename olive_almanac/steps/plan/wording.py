"""The words of Plan: what the screen says of how far the writing of the files is."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence

from olive_almanac.core.records.factors import Factor, Value, factor_of
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.units import number_text, passes_text, percent_text
from olive_almanac.core.words import tr
from olive_almanac.steps.trial_files import WritingProgress

__all__ = ["cell_groups", "tested_levels", "writing_words"]

STEPS = {
    "writing": tr("writing the burn file"),
    "checking": tr("checking the burn file"),
    "drawing": tr("drawing it"),
    "key": tr("setting the key sheets"),
    "placing": tr("putting the files in place"),
    "done": tr("putting the files in place"),
}
MOST_LEVELS = 7
Group = tuple[object, ...]


def writing_words(progress: WritingProgress) -> str:
    """Return how far the writing is: "checking the burn file, 40 %"."""
    words = STEPS[progress.step]
    if progress.share is None:
        return words
    return f"{words}, {100 * progress.share:.0f} %"


def tested_levels(factor: Factor, levels: Sequence[Value], unit: str) -> str:
    """Return the levels in words; the middle ones are left out where there are many."""
    texts = [factor.shown(level, unit) for level in levels]
    if len(texts) > MOST_LEVELS:
        texts = [*texts[:3], "…", *texts[-2:]]
    return " · ".join(texts)


def cell_groups(cells: Sequence[Setting], unit: str) -> tuple[tuple[str, str], ...]:
    """Return cells in words, those of the same passes, focus and power together: what they share,
    and their speeds.
    """
    return tuple(_groups(sorted(cells, key=lambda s: (*_shared(s), -s.speed_mm_s)), unit))


def _shared(setting: Setting) -> Group:
    return setting.passes, setting.focus_mm, setting.power


def _groups(ordered: Sequence[Setting], unit: str) -> Iterator[tuple[str, str]]:
    for _, group in itertools.groupby(ordered, key=_shared):
        alike = list(group)
        first = alike[0]
        shared = tr(
            "{passes}, focus {focus_mm} mm",
            passes=passes_text(first.passes),
            focus_mm=number_text(first.focus_mm),
        )
        speeds = " · ".join(factor_of("speed").write(one.speed_mm_s, unit) for one in alike)
        yield (
            shared,
            tr(
                "{speeds} {unit} at {power} %",
                speeds=speeds,
                unit=unit,
                power=percent_text(first.power),
            ),
        )
