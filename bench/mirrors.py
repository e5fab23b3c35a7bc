"""Mirror marks: machines with no, one or two mirrors out of line, bent rails, marks read to half a
millimetre; and how far it is mended round by round.
"""

import math

import numpy as np

from olive_almanac.core.upkeep.mirrors import fit_marks

SEED = 7200
MACHINES = 1500
BED = (900.0, 600.0)
CORNERS = ((30.0, 30.0), (870.0, 30.0), (870.0, 570.0), (30.0, 570.0))
RAIL_BEND_MM, MARK_SD_MM = 0.3, 0.5


def _marks(rng, at, offset, slopes):
    bend = RAIL_BEND_MM * np.sin(at / 300 + rng.uniform(0, 2 * math.pi, 2))
    along = np.outer(at[:, 1] - 30, slopes[0]) + np.outer(at[:, 0] - 30, slopes[1])
    return offset + along + bend + rng.normal(0, MARK_SD_MM, at.shape)


def measure():
    for repeats, words in ((1, "marked once"), (2, "marked twice")):
        rng = np.random.default_rng(SEED)
        named = wrong = faulty = left_alone = 0
        wander = []
        at = np.array(CORNERS * repeats)
        for _ in range(MACHINES):
            which, slopes = int(rng.integers(4)), np.zeros((2, 2))
            for n in range(2):
                if which & (n + 1):
                    way = rng.uniform(0, 2 * math.pi)
                    size = rng.uniform(2, 8) / BED[1 - n]
                    slopes[n] = size * np.array([math.cos(way), math.sin(way)])
            offset = rng.normal(0, 0.8, 2)
            first = 1 if which & 1 else 2 if which & 2 else 0
            for round_ in range(2):
                found = fit_marks(at, _marks(rng, at, offset, slopes), BED)
                if not found.straight:  # told so: marked again, as one would
                    found = fit_marks(at, _marks(rng, at, offset, slopes), BED)
                if round_ == 0:
                    faulty += first > 0
                    named += first > 0 and found.mirror == first
                    wrong += first > 0 and found.mirror not in (0, first)
                    left_alone += first == 0 and found.mirror == 0
                if found.mirror:
                    slope = (found.slope_1_mm_m, found.slope_2_mm_m)[found.mirror - 1]
                    turned = np.array(slope) / 1000 * rng.normal(1, 0.1, 2)
                    slopes[found.mirror - 1] -= turned
            wander.append(float(np.hypot(*(slopes[0] * BED[1] + slopes[1] * BED[0]))))
        good = MACHINES - faulty
        yield f"{words}: first mirror not named", 1 - named / faulty, 0.05
        yield f"{words}: the wrong mirror named", wrong / faulty, 0.03
        yield f"{words}: nothing wrong and not left alone", 1 - left_alone / good, 0.05
        yield f"{words}: wander after two rounds, mm, p95", np.quantile(wander, 0.95), 3.0
