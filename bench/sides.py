"""Jobs: how far off the second side of a sheet is, said and simulated.

Each of two pins is off by a normal error both ways; the sheet is laid so that the sum of squares at
the pins is least (Kabsch, by SVD), which shares nothing with the formula.  Run alone:
python -m bench.sides
"""

import sys

import numpy as np

from olive_almanac.core.quoting.turned_over import side_error

DRAWS = 40_000
PLACES = ((200.0, 280.0, 0.0), (200.0, 100.0, 60.0), (120.0, -40.0, 90.0), (560.0, 500.0, 280.0))
SPREADS_MM = (0.02, 0.058, 0.2)


def simulated(base, reach, off, spread, draw):
    """Standard errors across and along of a point of a sheet that is laid by two pins that err."""
    pins = np.array([(0.0, 0.0), (0.0, base)])
    seen = pins + spread * draw.standard_normal((DRAWS, 2, 2))
    middle = seen.mean(axis=1, keepdims=True)
    h = np.einsum("ma,nmb->nab", pins - pins.mean(axis=0), seen - middle)
    u, _, vt = np.linalg.svd(h)
    sign = np.sign(np.linalg.det(u @ vt))
    u[:, :, 1] *= sign[:, None]
    turn = u @ vt
    point = np.array([off, reach]) - pins.mean(axis=0)
    error = point @ turn + middle[:, 0] - np.array([off, reach])
    return error[:, 0].std(), error[:, 1].std()


def measure():
    worst, draw = 0.0, np.random.default_rng(17)
    for spread in SPREADS_MM:
        for base, reach, off in PLACES:
            said = side_error(base, reach, off, spread, 0.0)
            for one, other in zip(said, simulated(base, reach, off, spread, draw), strict=True):
                worst = max(worst, abs(one / other - 1))
    yield "error of the second side, said against simulated, worst share", worst, 0.05


if __name__ == "__main__":
    for name, value, limit in measure():
        sys.stdout.write(f"{name}: {value:.4f} (limit {limit:g})\n")
