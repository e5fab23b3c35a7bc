"""The quickest setting that truly works in a hidden world: what picks are timed against."""

import numpy as np

from olive_almanac.core.records.setting import Setting

__all__ = ["JUDGED_BY", "quickest_that_works"]

JUDGED_BY = 400  # burns by which a setting is said to work: picks and the best are judged alike
ROUGHLY_BY = 60
WORKS_FROM = 0.99
MOST_PASSES = 12
FOCUS_SHARES = (0.0, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8)  # of the thickness
SLOWEST_MM_S = 0.2
SHORT_LIST = 10
HALVINGS, FINE_HALVINGS = 12, 6
AROUND = 0.85, 1.05  # a rough edge's bracket


def quickest_that_works(world):
    """Return the quickest setting at full power that falls free in 99 of 100 burns and hardly ever
    flares, with its seconds a metre; None where nothing does.

    All numbers of passes and heights of the focus are halved roughly; the quickest of them finely.
    """
    thickness, top = world.stock.true_thickness_mm, float(world.machine.max_speed_mm_s)
    tried = [(n, share * thickness) for n in range(1, MOST_PASSES + 1) for share in FOCUS_SHARES]
    low = np.full(len(tried), SLOWEST_MM_S)
    rough, works = _edges(world, tried, low, np.full(len(tried), top), ROUGHLY_BY, HALVINGS)
    works &= world.keeps_cool(_settings(tried, rough))
    if not works.any():
        return None
    passes = np.array([n for n, _ in tried])
    chosen = np.argsort(np.where(works, passes / rough, np.inf), kind="stable")
    chosen = chosen[: min(SHORT_LIST, int(works.sum()))]
    short = [tried[i] for i in chosen]
    slower, quicker = (share * rough[chosen] for share in AROUND)
    fine, works = _edges(world, short, slower, np.minimum(quicker, top), JUDGED_BY, FINE_HALVINGS)
    settings = _settings(short, fine)
    works &= world.keeps_cool(settings)
    if not works.any():
        return None
    seconds = [1000 * s.passes / s.speed_mm_s for s in settings]
    at = int(np.where(works, seconds, np.inf).argmin())
    return settings[at], seconds[at]


def _settings(tried, speeds):
    return [Setting(1.0, float(v), n, float(f)) for v, (n, f) in zip(speeds, tried, strict=True)]


def _edges(world, tried, low, high, draws, halvings):
    """The quickest speed between two that works for each pair of passes and focus, and whether the
    slower one does.
    """

    def works(speeds):
        return world.success(_settings(tried, speeds), draws=draws) >= WORKS_FROM

    any_works, at_once = works(low), works(high)
    for _ in range(halvings):
        middle = np.sqrt(low * high)
        good = works(middle)
        low, high = np.where(good, middle, low), np.where(good, high, middle)
    return np.where(at_once, high, low), any_works
