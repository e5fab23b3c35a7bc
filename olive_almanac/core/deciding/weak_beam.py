"""Whether the readings say that the machine does less than its record promises."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.deciding.cut_knowledge import FittedCut
from olive_almanac.core.fitting.cut import data_of, fit_cut
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr

__all__ = ["weak_beam"]

FAR_BELOW = 0.6  # of the usual edge speed: from there on it is asked
UNUSUAL = 0.15  # share of what is believed at first that is as slow
FEWEST = 6  # readings that say something of the edge


def weak_beam(knowledge: FittedCut, setting: Setting) -> str:
    """Return the question whether a machine is weak, dirty or out of focus, where what was read
    lies far below what such a beam usually cuts; empty where it does not, or where other coupons
    told what to expect.
    """
    if knowledge.prior is None or knowledge.carried or knowledge.cells_read < FEWEST:
        return ""
    nothing = data_of(knowledge.case, ())
    usual = fit_cut(knowledge.case, nothing, rng=np.random.default_rng(0), prior=knowledge.prior)

    def edges(known: FittedCut) -> NDArray[np.float64]:
        focus = setting.mean_focus_mm
        return known.edges(power=setting.power, passes=setting.passes, focus_mm=focus)

    expected = edges(replace(knowledge, posterior=usual))
    found = float(np.median(edges(knowledge)))
    share = float(np.exp(found - np.median(expected)))
    if share > FAR_BELOW or found > np.quantile(expected, UNUSUAL):
        return ""
    return tr(
        "It cuts at {share} % of the speed that such a beam usually does. Weak, "
        "dirty or out of focus? Burn a focus test; where the focus is right, clean "
        "lens and mirrors, then measure the power.",
        share=number_text(100 * share, 2),
    )
