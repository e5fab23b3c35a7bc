"""The words of Plan: what the screen says of how far the writing of the files is."""

from __future__ import annotations

from collections.abc import Sequence

from olive_almanac.core.records.factors import Factor, Value
from olive_almanac.steps.trial_files import WritingProgress

__all__ = ["tested_levels", "writing_words"]

STEPS = {
    "writing": "writing the burn file",
    "checking": "checking the burn file",
    "drawing": "drawing",
    "key": "setting the key sheets",
    "placing": "putting the files in place",
    "done": "putting the files in place",
}
MOST_LEVELS = 7


def writing_words(progress: WritingProgress) -> str:
    """Return how far the writing is: "checking the burn file, 40 %"."""
    words = STEPS[progress.step]
    if progress.share is None:
        return words
    return f"{words}, {100 * progress.share:.0f} %"


def tested_levels(factor: Factor, levels: Sequence[Value], unit: str) -> str:
    """Return the levels in words; the middle ones are left out where there are many."""
    texts = [factor.write(level, unit) for level in levels]
    if len(texts) > MOST_LEVELS:
        texts = [*texts[:3], "…", *texts[-2:]]
    return " · ".join(texts)
