"""Jobs: how much of a strip outlines save over rows, on ten sets of pieces, and that the nearest
of the ways is kept.

Each set's rows are laid as drawn, by a rule of this file; run alone: python -m bench.placing
"""

import math
import sys
import time
from types import SimpleNamespace

import numpy as np
import shapely
from shapely import affinity

from olive_almanac.core.placing.room import Room
from olive_almanac.core.quoting.job_plan import Layout, plan_job
from olive_almanac.core.quoting.names import free_box, lettered, name_steps, with_room_for
from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.quoting.place import Item, box_of, nested, outline_of, placed_in_rows
from olive_almanac.core.records.drawing import ContourPath, Drawing, Polyline
from olive_almanac.core.records.job import NAMES, GroupTask
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet
from olive_almanac.demo.shop import MACHINES
from olive_almanac.formats.letters import letters

MACHINE = next(machine for machine in MACHINES if machine.uid == "long-bed")
HEIGHT_MM, LENGTH_MM, GAP_MM = 290.0, 620.0, 2.0


def _disc(radius):
    return shapely.Point(radius, radius).buffer(radius, quad_segs=12)


def _ell(wide, high, bar):
    return shapely.Polygon([(0, 0), (wide, 0), (wide, bar), (bar, bar), (bar, high), (0, high)])


def _bracket(w):
    top = 0.7 * w
    points = [(0, 0), (w, 0), (w, 8), (0.6 * w, 12), (0.6 * w, top)]
    return shapely.Polygon([*points, (0.4 * w, top), (0.4 * w, 12), (0, 8)])


def _triangle(wide, high):
    return shapely.Polygon([(0, 0), (wide, 0), (0, high)])


def _arch(radius, bar):
    inner = affinity.translate(_disc(radius - bar), bar, bar)
    upper = shapely.box(0, radius, 2 * radius, 2 * radius)
    return _disc(radius).difference(inner).intersection(upper)


def _leaf(length):
    t = np.linspace(0, math.pi, 20)
    x, y = length * t / math.pi, 0.22 * length * np.sin(t)
    return shapely.Polygon([*zip(x, y, strict=True), *zip(x[::-1], -y[::-1], strict=True)])


SETS = {
    "drawer sides": [(shapely.box(0, 0, 120, 60), 12), (shapely.box(0, 0, 90, 60), 8)],
    "dials": [(_disc(40), 14)],
    "ells": [(_ell(70, 50, 15), 20)],
    "brackets": [(_bracket(50), 24)],
    "triangles": [(_triangle(60, 40), 24)],
    "arches": [(_arch(45, 12), 16)],
    "leaves": [(_leaf(70), 24)],
    "frames and discs": [(shapely.box(0, 0, 150, 100), 4), (_disc(12), 30)],
    "mixed": [(_ell(70, 50, 15), 8), (_disc(20), 8), (_triangle(60, 40), 8), (_bracket(50), 8)],
    "dials and hands": [(_disc(40), 8), (_leaf(70), 16)],
}


def _items(pieces):
    """The pieces of a set as the product places them."""
    found = []
    for part, (shape, count) in enumerate(pieces):
        pattern = SimpleNamespace(
            shape=shapely.Polygon(shape.exterior), reach_mm=shape.bounds, body_mm=shape.bounds
        )
        found += [Item(part, pattern, (0, 1, 2, 3))] * count
    return found


def _rows_mm(pieces):
    """The length of strip that rows of boxes take, as drawn: columns of the strip's height."""
    boxes = [shape.bounds for shape, count in pieces for _ in range(count)]
    sizes = sorted(((b[2] - b[0], b[3] - b[1]) for b in boxes), key=lambda size: -size[0])
    x = y = column = 0.0
    for wide, high in sizes:
        if y + high > HEIGHT_MM:
            x, y, column = x + column + GAP_MM, 0.0, 0.0
        y += high + GAP_MM
        column = max(column, wide)
    return x + column


def _length_mm(items, placed):
    patterns = {item.part: item.pattern for item in items}
    return max(box_of(patterns[copy.part], copy)[3] for copy in placed)


def _nearest_mm(items, placed):
    """How near to each other two pieces lie at the least."""
    patterns = {item.part: item.pattern for item in items}
    outlines = [outline_of(patterns[copy.part], copy) for copy in placed]
    tree = shapely.STRtree(outlines)
    here, there = tree.query(outlines, predicate="dwithin", distance=2 * GAP_MM)
    apart = shapely.distance(np.array(outlines)[here], np.array(outlines)[there])
    return float(apart[here != there].min())


def _named():
    """Names of a list on 500 copies, from the letters to the layout."""
    names = [f"Hive {n} of the lower field" for n in range(500)]
    plate = _pattern(shapely.box(0, 0, 60, 40))
    began = time.process_time()
    box = free_box(plate, names, letters())
    plan = lettered(names, box, letters(), spot_mm=0.1)
    steps = name_steps(plan, GroupTask(NAMES, "score", "", Setting(0.2, 60.0)), MACHINE)
    sheets = tuple(Sheet(900.0, 600.0) for _ in range(5))
    laid = plan_job(with_room_for(plate, steps), MACHINE, Layout(500, sheets=sheets, names=steps))
    if laid.copies != len(names):
        raise ValueError("not every name found its copy")
    yield "500 names laid out, s of processor time", time.process_time() - began, 1.0


def _pattern(shape):
    path = ContourPath("cut", (Polyline(tuple(shape.exterior.coords)),), closed=True)
    drawing = Drawing("plate", "mm", None, (path,))
    return pattern_of(drawing, (GroupTask("cut", "cut", "", Setting(1.0, 10.0)),), MACHINE)


def measure():
    yield from _named()
    saved, gaps, worse = [], [], 0
    room = Room((0.0, 0.0, HEIGHT_MM, LENGTH_MM))
    for pieces in SETS.values():
        items = _items(pieces)
        *_, placed = nested(items, [room], gap_mm=GAP_MM)
        length = _length_mm(items, placed)
        rows = placed_in_rows(items, [room], gap_mm=GAP_MM)
        worse += len(placed) < len(items) or length > _length_mm(items, rows) + 1e-6
        saved.append(1 - length / _rows_mm(pieces))
        gaps.append(_nearest_mm(items, placed))
    # limits: ../docs/methods.md, section Jobs
    least = 0.25 / max(float(np.mean(saved)), 1e-9)
    yield "a quarter over the share of strip that outlines save, mean of 10 sets", least, 1.0
    yield "sets in which outlines take more than our own rows", float(worse), 0.0
    yield "gap that is missing between outlines, worst, mm", max(0.0, GAP_MM - min(gaps)), 0.02


if __name__ == "__main__":
    for name, value, limit in measure():
        sys.stdout.write(f"{name}: {value:.3f} (limit {limit:g})\n")
