"""An offcut in a photo: its outline and what is used of it, by four printed marks laid around it.

The marks lie anywhere on the table; their own size makes the picture's scale and tilt known.  The
face lies higher than they do by the stock's thickness, which is reckoned with.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from olive_almanac.core.photo.fiducials import (
    Picture,
    Pyramid,
    find_marks,
    light_at,
    measured_quads,
)
from olive_almanac.core.photo.locate import PhotoTrouble
from olive_almanac.core.words import tr

__all__ = ["PAPER_SHARE", "SHEET_MARK_IDS", "SHEET_MARK_MM", "SheetSight", "read_sheet"]

Floats = NDArray[np.float64]
Mask = NDArray[np.bool_]
Box = tuple[float, float, float, float]
SHEET_MARK_IDS = (44, 45, 46, 47)
SHEET_MARK_MM = 40.0
PAPER_SHARE = 1.5  # of a mark's side: the piece of paper around it
LEAST_MARKS = 3
USUAL_F35 = 27.0
DIAGONAL_35 = 43.267  # of the frame that focal lengths are compared by, mm
PASSES = (0, 1, 1, 1, 1)  # a mark seen aslant is found some way off its corners at first
FIRST_TRIES, LAST_TRIES = 6, 100
FOCAL_SD, K1_SD = 0.08, 0.03
CORNERS = SHEET_MARK_MM / 2 * np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)], float)
COARSE_PX_MM, AROUND_MM = 1.0, 45.0
ROUGH_MM, FINE_MM = 2.2, 0.3  # to which an outline is drawn with straight lines, then again
TIGHT_MM = 0.2  # by which places of a bow miss it
TILT_MM, LINE_MM, AS_ONE = 3.0, 0.7, 0.55  # of an edge from one end to the other; off its line
BAND_PX, AROUND_PX, FAINT = 9, 25.0, 0.02  # near an edge; the surroundings of a pixel
REACH_MM, STEP_MM, EVERY_MM = 3.0, 0.1, 2.0
LONG_EDGE_MM, ROUNDED_MM, SURE_MM, BLUNT_MM = 14.0, 18.0, 2.5, 3.0
LAST_MM = 0.12  # of a bent edge: with as few corners as tell it
BENT_MM, LEAST_FOR_BEND = 0.35, 6  # sagitta from which an edge is bent; profiles to tell it
FIRST_PEAK = 0.4  # of the strongest step: the face ends where the first such step comes
USED_OFF, USED_LEAST_MM2 = 0.22, 30.0  # by how much light burnt places differ; the least of them
SHORTEST_MM = 25.0


@dataclass(frozen=True)
class SheetSight:
    """An offcut as it was seen: its outline [n, 2] and used areas in mm, Y up, from the lower left
    of the box around it, its longest edge along X; the picture of it, BGR, `px_mm` px a mm, from
    the upper left corner of that box; what is doubtful.
    """

    outline_mm: Floats
    used_mm: tuple[Box, ...]
    picture: Picture
    px_mm: float
    doubt: str = ""

    @property
    def size_mm(self) -> tuple[float, float]:
        """Width and height of the box around the outline, mm."""
        wide, high = self.outline_mm.max(axis=0).tolist()
        return (wide, high)


@dataclass(frozen=True)
class _View:
    """How the table is seen: turn and shift of its mm into the camera, focal length and middle, px,
    and a term of distortion.  Table mm: X to the right, Y down, Z away from the camera.
    """

    turn: Floats
    shift: Floats
    focal_px: float
    middle_px: Floats
    k1: float

    def project(self, mm: Floats, above_mm: float = 0.0) -> Floats:
        """Return pixels [..., 2] of places [..., 2] so far above the table."""
        mm = np.asarray(mm, float)
        at = mm @ self.turn[:, :2].T + self.shift - above_mm * self.turn[:, 2]
        u, v = at[..., 0] / at[..., 2], at[..., 1] / at[..., 2]
        bent = self.focal_px * (1 + self.k1 * (u * u + v * v))
        return np.asarray(np.stack([u * bent, v * bent], -1) + self.middle_px)


def read_sheet(picture: Picture, *, thickness_mm: float, f35: float | None = None) -> SheetSight:
    """Return the offcut between the marks of a photo (BGR).  Raises PhotoTrouble."""
    pyramid = Pyramid.of(picture)
    found = find_marks(pyramid, enough=4, wanted=frozenset(SHEET_MARK_IDS))
    quads = [found[one][0] for one in SHEET_MARK_IDS if one in found]
    if len(quads) < LEAST_MARKS:
        raise PhotoTrouble(
            "marks",
            tr(
                "{quads} of the 4 printed marks are seen. Lay one at each corner of the "
                "sheet, whole and flat, beside it, and take the photo from above.",
                quads=len(quads),
            ),
        )
    measured = measured_quads(picture, np.array(quads), passes=PASSES).quads
    view, places = _view_of(picture, measured, f35)
    face = _Face(picture, view, places, thickness_mm)
    rough = face.rough_outline()
    outline = _straightened(face.refined(rough), FINE_MM)
    return face.sight(_straightened(face.refined(outline), LAST_MM))


# -- the table -------------------------------------------------------------------------------------


def _view_of(picture: Picture, quads: Floats, f35: float | None) -> tuple[_View, Floats]:
    """The view in which all marks are squares of their size, and their corners on the table."""
    height, width = picture.shape[:2]
    usual = f35 if f35 is not None and 10 < f35 < 400 else USUAL_F35
    focal = usual / DIAGONAL_35 * math.hypot(width, height)
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    starts = list(_starts(quads, focal, middle))
    tries = [_fitted(quads, focal, middle, start, FIRST_TRIES) for start in starts]
    best: tuple[float, _View, Floats] | None = None
    for n in np.argsort([cost for cost, _, _ in tries])[:3]:
        made = _fitted(quads, focal, middle, starts[n], LAST_TRIES)
        if best is None or made[0] < best[0]:
            best = made
    if best is None:
        raise PhotoTrouble("marks", tr("The marks lie too steep. Take the photo from above."))
    return best[1], best[2]


def _starts(quads: Floats, focal: float, middle: Floats) -> Iterator[Floats]:
    """First guesses of the table, one from each mark: the turn as a vector, the shift, mm."""
    camera = np.array([[focal, 0, middle[0]], [0, focal, middle[1]], [0, 0, 1]])
    flat = np.column_stack([CORNERS, np.zeros(4)])
    for quad in quads:
        _, turns, shifts, _ = cv2.solvePnPGeneric(
            flat, quad.reshape(4, 1, 2), camera, None, flags=cv2.SOLVEPNP_IPPE
        )
        for turn, shift in zip(turns, shifts, strict=True):
            if float(shift.ravel()[2]) > 0:
                yield np.concatenate([turn.ravel(), shift.ravel()])


def _fitted(
    quads: Floats, focal: float, middle: Floats, start: Floats, most: int
) -> tuple[float, _View, Floats]:
    """Fit view and places of all marks at once; the first mark's place on the table is free too,
    held near where it begins.
    """

    def view_of(p: Floats) -> _View:
        turn, _ = cv2.Rodrigues(p[:3])
        return _View(turn, p[3:6], focal * math.exp(p[6]), middle, float(p[7]))

    def corners_of(p: Floats) -> Floats:
        x, y, angle = p[8:].reshape(-1, 3).T
        c, s = np.cos(angle), np.sin(angle)
        turned = np.stack(
            [
                CORNERS[:, 0] * c[:, None] - CORNERS[:, 1] * s[:, None],
                CORNERS[:, 0] * s[:, None] + CORNERS[:, 1] * c[:, None],
            ],
            -1,
        )
        return np.asarray(turned + np.stack([x, y], -1)[:, None])

    first = np.concatenate([start, [0.0, 0.0]])
    poses = np.array([_on_table(view_of(first), quad) for quad in quads])
    p0 = np.concatenate([first, poses.ravel()])

    def rest(p: Floats) -> Floats:
        off = (view_of(p).project(corners_of(p)) - quads).ravel()
        held = (p[8:11] - p0[8:11]) * 10  # the table may slide and turn in itself: this one stays
        return np.concatenate([off, held, [p[6] / FOCAL_SD, p[7] / K1_SD]])

    made = least_squares(rest, p0, loss="soft_l1", x_scale="jac", max_nfev=most)
    return float(made.cost), view_of(made.x), corners_of(made.x)


def _on_table(view: _View, quad: Floats) -> tuple[float, float, float]:
    """Where a mark lies on the table: its middle and its angle."""
    corners = np.array([_table_point(view, corner) for corner in quad])
    way = corners[1] - corners[0]
    x, y = corners.mean(axis=0).tolist()
    return x, y, math.atan2(way[1], way[0])


def _table_point(view: _View, px: Floats) -> Floats:
    """The place on the table that a pixel shows (distortion left out)."""
    ray = np.append((px - view.middle_px) / view.focal_px, 1.0)
    normal = view.turn[:, 2]
    at = ray * (normal @ view.shift) / (normal @ ray) - view.shift
    return np.asarray(at @ view.turn[:, :2])


@dataclass(frozen=True)
class _Edge:
    """An edge: the lines (a point, a way) in which it begins and ends, and what lies between where
    it is bent.
    """

    first: tuple[Floats, Floats]
    last: tuple[Floats, Floats]
    points: tuple[Floats, ...] = ()


def _robust_fit(u: Floats, v: Floats, degree: int) -> tuple[Floats, Floats]:
    """A polynomial by weights that fall with the distance, and these weights."""
    weight = np.ones(len(u))
    made = np.zeros(degree + 1)
    for _ in range(8):
        made = np.polyfit(u, v, min(degree, len(u) - 1), w=np.sqrt(weight))
        rest = np.abs(v - np.polyval(made, u))
        limit = max(0.08, 1.48 * float(np.median(rest)))
        weight = np.minimum(1, limit / np.maximum(rest, 1e-6)) ** 2
    return made, weight


# -- the face --------------------------------------------------------------------------------------


class _Face:
    """The plane of the sheet's upper face, in mm of the table."""

    def __init__(self, picture: Picture, view: _View, marks: Floats, thickness_mm: float) -> None:
        self.picture, self.view, self.marks = picture, view, marks
        self.above = thickness_mm
        flat = marks.reshape(-1, 2)
        self.low = flat.min(axis=0) - AROUND_MM / 2
        self.high = flat.max(axis=0) + AROUND_MM / 2

    def squared_up(self, px_mm: float, low: Floats, high: Floats, turn: float = 0.0) -> Picture:
        """The face from above: BGR at so many px a mm, from one corner to the other; turned about
        the first.
        """
        wide, tall = np.maximum(1, np.round((high - low) * px_mm)).astype(int)
        y, x = np.mgrid[0:tall, 0:wide]
        mm = (np.stack([x, y], -1) + 0.5) / px_mm + low
        c, s = math.cos(turn), math.sin(turn)
        px = self.view.project(mm @ np.array([[c, s], [-s, c]]), self.above)
        seen = cv2.remap(
            self.picture,
            px[..., 0].astype(np.float32),
            px[..., 1].astype(np.float32),
            cv2.INTER_AREA,
            borderMode=cv2.BORDER_REPLICATE,
        )
        return np.asarray(seen, np.uint8)

    def rough_outline(self) -> Floats:
        """The outline of the sheet to a millimetre or two, [n, 2] on the table."""
        k = COARSE_PX_MM
        small = cv2.GaussianBlur(self.squared_up(2 * k, self.low, self.high), (0, 0), 1.5)
        small = cv2.resize(small, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        mask = self._sorted_pixels(small, k)
        contours, _ = cv2.findContours(
            mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE
        )
        if not contours:
            raise PhotoTrouble("sheet", NO_SHEET)
        ring = max(contours, key=cv2.contourArea).reshape(-1, 2)
        outline = _straightened((ring + 0.5) / k + self.low, ROUGH_MM)
        sides = np.ptp(outline, axis=0)
        if len(outline) < 3 or sides.min() < SHORTEST_MM:
            raise PhotoTrouble("sheet", NO_SHEET)
        return np.asarray(outline)

    def _sorted_pixels(self, small: Picture, k: float) -> Mask:
        """Which pixels are of the sheet: those unlike the ground that lies around the marks."""
        hull = cv2.convexHull(self.marks.mean(axis=1).astype(np.float32)).reshape(-1, 2)
        state = np.full(small.shape[:2], cv2.GC_BGD, np.uint8)
        inside = ((hull - self.low) * k).astype(np.int32)
        cv2.fillConvexPoly(state, inside, int(cv2.GC_PR_BGD))
        middle = hull.mean(axis=0)
        core = ((0.62 * (hull - middle) + middle - self.low) * k).astype(np.int32)
        cv2.fillConvexPoly(state, core, int(cv2.GC_PR_FGD))
        for quad in self.marks:
            paper = (PAPER_SHARE * (quad - quad.mean(axis=0)) + quad.mean(axis=0) - self.low) * k
            cv2.fillConvexPoly(state, paper.astype(np.int32), int(cv2.GC_BGD))
        papers = np.zeros_like(state)
        for quad in self.marks:
            paper = (PAPER_SHARE * (quad - quad.mean(axis=0)) + quad.mean(axis=0) - self.low) * k
            cv2.fillConvexPoly(papers, paper.astype(np.int32), 1)
        lab = cv2.cvtColor(small, cv2.COLOR_BGR2LAB)
        ground = [np.median(lab[(state == cv2.GC_BGD) & (papers == 0)], axis=0)]
        lab[papers == 1] = ground[0]  # paper is neither: it counts as ground
        tables = np.zeros((1, 65)), np.zeros((1, 65))
        cv2.setRNGSeed(1)
        cv2.grabCut(lab, state, None, *tables, 6, cv2.GC_INIT_WITH_MASK)
        mask = (state == cv2.GC_FGD) | (state == cv2.GC_PR_FGD)
        kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (5, 5))
        mask = _sorted_near_edges(lab, mask, papers == 1)
        closed = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_CLOSE, kernel)
        small_kernel = np.ones((3, 3), np.uint8)  # a larger one would blunt sharp corners
        opened = cv2.morphologyEx(closed, cv2.MORPH_OPEN, small_kernel)
        _, labels, stats, _ = cv2.connectedComponentsWithStats(opened)
        if len(stats) < 2:
            raise PhotoTrouble("sheet", NO_SHEET)
        largest = 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))
        return np.asarray(labels == largest)

    # -- its edges ---------------------------------------------------------------------------------

    def refined(self, rough: Floats) -> Floats:
        """The outline with each edge where the light steps: straight edges as lines, bent ones
        point by point, and corners where edges meet.
        """
        rough = self._with_corners(rough)
        outward = -1.0 if _area(rough) > 0 else 1.0
        after = np.roll(rough, -1, axis=0)
        edges = [self._edge(a, b, outward) for a, b in zip(rough, after, strict=True)]
        points: list[Floats] = []
        for n, corner in enumerate(rough):
            met = _meeting(edges[n - 1].last, edges[n].first)
            points.append(met if np.hypot(*(met - corner)) < 2 * REACH_MM else corner)
            points += list(edges[n].points)
        return np.array(points)

    def _with_corners(self, rough: Floats) -> Floats:
        """The outline with its blunted corners sharp again: short ways between long edges give way
        to where these meet, if the face reaches there.
        """
        after, count = np.roll(rough, -1, axis=0), len(rough)
        ways = after - rough
        length = np.hypot(*ways.T)
        (long_ones,) = np.nonzero(length >= LONG_EDGE_MM)
        if len(long_ones) < 2:
            return rough
        points: list[Floats] = []
        for here, follows in zip(long_ones, np.roll(long_ones, -1), strict=True):
            between = [(here + k) % count for k in range(1, (follows - here) % count + 1)]
            run = float(length[between[:-1]].sum())
            one = (rough[here], ways[here] / length[here])
            other = (rough[follows], ways[follows] / length[follows])
            met, middle = _meeting(one, other), (after[here] + rough[follows]) / 2
            way = ((after[here], met), (met, rough[follows]))
            near = all(min(_away(rough[k], *leg) for leg in way) < BLUNT_MM for k in between)
            past = float((met - after[here]) @ one[1]), float((rough[follows] - met) @ other[1])
            near = near and min(past) > -BLUNT_MM
            sharp = len(between) > 1 and run < ROUNDED_MM and near
            if sharp and np.hypot(*(met - middle)) < ROUNDED_MM and self._reaches(met, middle):
                points.append(met)
            else:
                points += [rough[k] for k in between]
        return np.array(points)

    def _reaches(self, corner: Floats, middle: Floats) -> bool:
        """Whether the face reaches from a blunted edge into the corner before it: what is seen
        there is more like the face than like the ground.
        """
        depth = corner - middle
        far = float(np.hypot(*depth))
        if far < SURE_MM:
            return True
        way = depth / far
        places = np.array([corner - 0.5 * depth, middle - 4.0 * way, corner + 4.0 * way])
        around = np.stack(np.meshgrid(*[np.linspace(-0.4, 0.4, 5)] * 2), -1).reshape(-1, 2)
        px = self.view.project(places[:, None] + around, self.above).astype(np.float32)
        seen = cv2.remap(self.picture, px[..., 0], px[..., 1], cv2.INTER_LINEAR)
        here, face, ground = np.median(seen.astype(float), axis=1)
        return bool(np.abs(here - face).sum() < np.abs(here - ground).sum())

    def _profiles(self, at: Floats, normal: Floats) -> tuple[Floats, Floats]:
        """How the light steps along the normals of places, for each channel: [n, m, 3], and
        where.
        """
        t = np.arange(-REACH_MM, REACH_MM + STEP_MM / 2, STEP_MM)
        mm = at[:, None] + t[:, None] * normal
        px = self.view.project(mm, self.above)
        kernel, steps = _step_kernel(0.3), np.zeros((len(at), len(t), 3))
        for channel in range(3):
            plane = np.ascontiguousarray(self.picture[..., channel])
            logs = np.log(light_at(plane, px[..., 0], px[..., 1]) + 0.02)
            steps[..., channel] = np.apply_along_axis(np.convolve, 1, logs, kernel, "same")
        edge = len(kernel) // 2
        steps[:, :edge] = steps[:, -edge:] = 0.0
        return steps, t

    def _tilted(self, steps: Floats, t: Floats, share: Floats) -> Floats:
        """The line along which an edge steps as one: offsets at the shares of its length, where the
        mean step of all its profiles is strong and comes first from inside; grain averages out.
        """
        best: tuple[float, float, float] = (-1.0, 0.0, 0.0)
        for slope in np.arange(-TILT_MM, TILT_MM + STEP_MM, 2 * STEP_MM):
            shift = np.round(slope * (share - 0.5) / STEP_MM).astype(int)
            columns = np.arange(len(t)) + shift[:, None]
            inside = (columns >= 0) & (columns < len(t))
            rows = np.arange(len(share))[:, None]
            moved = steps[rows, np.clip(columns, 0, len(t) - 1)] * inside[..., None]
            mean = np.sqrt((moved.mean(axis=0) ** 2).sum(axis=1))
            first = _first_peak(mean)
            if mean.max() > best[0]:
                best = (float(mean.max()), float(t[first]), float(slope))
        return best[1] + best[2] * (share - 0.5)

    def _is_line(self, steps: Floats, t: Floats, line: Floats) -> bool:
        """Whether an edge steps along a line as one: its mean step there is hardly weaker than its
        own profiles' steps near it.
        """
        columns = np.clip(np.round((line - t[0]) / STEP_MM).astype(int), 0, len(t) - 1)
        rows = np.arange(len(line))
        mean = float(np.sqrt((steps[rows, columns].mean(axis=0) ** 2).sum()))
        strength = np.sqrt((steps**2).sum(axis=2))
        near = np.where(np.abs(t - line[:, None]) <= LINE_MM, strength, 0.0).max(axis=1)
        return mean > AS_ONE * float(np.median(near))

    def _first_steps(
        self, steps: Floats, t: Floats, near: Floats, window_mm: float
    ) -> tuple[Floats, Mask]:
        """How far outwards the face ends at each place: at the first strong step from inside, not
        far from where it is expected.
        """
        strength = np.sqrt((steps**2).sum(axis=2))
        strength = np.where(np.abs(t - near[:, None]) <= window_mm, strength, 0.0)
        peak = np.zeros_like(strength, bool)
        peak[:, 1:-1] = (strength[:, 1:-1] >= strength[:, :-2]) & (
            strength[:, 1:-1] > strength[:, 2:]
        )
        limit = FIRST_PEAK * np.maximum(strength.max(axis=1), 1e-9)
        strong = peak & (strength >= limit[:, None])
        first = np.argmax(strong, axis=1)
        there = strong.any(axis=1)
        rows = np.arange(len(steps))
        a, b, c = (strength[rows, np.clip(first + k, 0, len(t) - 1)] for k in (-1, 0, 1))
        bend = a - 2 * b + c
        nudge = np.where(np.abs(bend) > 1e-12, 0.5 * (a - c) / np.where(bend == 0, 1, bend), 0)
        return t[first] + STEP_MM * np.clip(nudge, -0.5, 0.5), there

    def _edge(self, a: Floats, b: Floats, outward: float) -> _Edge:
        """An edge between two corners, where the light steps."""
        length = float(np.hypot(*(b - a)))
        way = (b - a) / length
        normal = outward * np.array([-way[1], way[0]])
        margin = min(3.0, length / 5)
        along = np.linspace(margin, length - margin, max(3, round((length - 2 * margin) / 1.0)))
        steps, t = self._profiles(a + along[:, None] * way, normal)
        off, there = self._first_steps(steps, t, np.zeros(len(along)), REACH_MM)
        if length >= LONG_EDGE_MM and not _is_bow(along[there], off[there]):
            as_one = self._tilted(steps, t, along / length)
            if self._is_line(steps, t, as_one):
                off, there = self._first_steps(steps, t, as_one, LINE_MM)
        if there.sum() < 3:
            return _Edge((a, way), (a, way))
        u, v = along[there], off[there]
        line, weight = _robust_fit(u, v, 1)
        sagitta = 0.0
        if len(u) >= LEAST_FOR_BEND:
            bend, _ = _robust_fit(u, v, 2)
            sagitta = abs(bend[0]) * (u[-1] - u[0]) ** 2 / 4
        if length >= LONG_EDGE_MM and sagitta < BENT_MM:
            begin, end = (a + x * way + np.polyval(line, x) * normal for x in (0.0, length))
            straight = (begin, (end - begin) / np.hypot(*(end - begin)))
            return _Edge(straight, straight)
        if len(u) < LEAST_FOR_BEND:
            shift = float(np.average(v, weights=weight)) * normal
            return _Edge((a + shift, way), (a + shift, way))
        smooth, _ = _robust_fit(u, v, 2 if sagitta < 3 * BENT_MM else 4)
        places = np.linspace(u[0], u[-1], max(2, round((u[-1] - u[0]) / EVERY_MM) + 1))
        seen = a + places[:, None] * way + np.polyval(smooth, places)[:, None] * normal
        first, last = seen[1] - seen[0], seen[-1] - seen[-2]
        return _Edge(
            (seen[0], first / np.hypot(*first)), (seen[-1], last / np.hypot(*last)), tuple(seen)
        )

    # -- as a sheet --------------------------------------------------------------------------------

    def sight(self, outline: Floats) -> SheetSight:
        """The sheet in its own mm, with what is used of it."""
        edges = np.roll(outline, -1, axis=0) - outline
        way = edges[int(np.argmax(np.hypot(*edges.T)))]
        turn = math.atan2(way[1], way[0])
        turn -= math.pi * round(turn / math.pi)  # no more than a quarter: it stays as it lies
        c, s = math.cos(turn), math.sin(turn)
        own = outline @ np.array([[c, -s], [s, c]])
        low, high = own.min(axis=0), own.max(axis=0)
        px_mm = 3.0
        picture = self.squared_up(px_mm, low, high, turn)
        flat = (own - low) * px_mm
        used = _used_areas(picture, flat, px_mm)
        up = np.column_stack([own[:, 0] - low[0], high[1] - own[:, 1]])
        tall = float(high[1] - low[1])
        boxes = tuple((x0, tall - y1, x1, tall - y0) for x0, y0, x1, y1 in used)
        doubt = "" if len(self.marks) == 4 else tr("Only three marks are seen: check its size.")
        return SheetSight(np.round(up, 3), boxes, picture, px_mm, doubt)


NO_SHEET = tr(
    "No sheet is told from the ground between the marks. Lay it on ground of another colour, clear "
    "of the marks, and light it evenly."
)


def _sorted_near_edges(lab: Picture, mask: Mask, left_out: Mask) -> Mask:
    """The mask with what lies near its edge sorted anew, by the colours of face and ground around:
    a cut of least length rounds corners off.
    """
    band = np.ones((2 * BAND_PX + 1, 2 * BAND_PX + 1), np.uint8)
    face = cv2.erode(mask.astype(np.uint8), band).astype(bool)
    ground = ~cv2.dilate(mask.astype(np.uint8), band).astype(bool) & ~left_out
    if not (face.any() and ground.any()):
        return mask
    colours = lab.astype(np.float32)
    away = [_unlike(colours, sure) for sure in (face, ground)]
    near = ~face & ~ground & ~left_out
    return np.asarray(np.where(near, away[0] < away[1], mask))


def _unlike(colours: NDArray[np.float32], sure: Mask) -> NDArray[np.float32]:
    """How unlike each pixel is to the sure ones around it, in their own spread."""
    weight = sure.astype(np.float32)
    total = cv2.GaussianBlur(weight, (0, 0), AROUND_PX) + 1e-4
    means = [
        cv2.GaussianBlur(weight * colours[..., n], (0, 0), AROUND_PX) / total for n in range(3)
    ]
    plain = [float(colours[..., n][sure].mean()) for n in range(3)]
    faint = total < FAINT  # none of them are near: the mean of all
    rest = np.stack(
        [colours[..., n] - np.where(faint, plain[n], means[n]) for n in range(3)], axis=-1
    )
    spread = np.cov(rest[sure].T) + np.eye(3)
    scaled = rest.reshape(-1, 3) @ np.linalg.cholesky(np.linalg.inv(spread))
    return np.asarray((scaled**2).sum(axis=1).reshape(sure.shape), np.float32)


def _is_bow(u: Floats, v: Floats) -> bool:
    """Whether places lie tightly along a bow."""
    if len(u) < LEAST_FOR_BEND:
        return False
    bend, _ = _robust_fit(u, v, 2)
    sagitta = abs(bend[0]) * (u[-1] - u[0]) ** 2 / 4
    off = float(np.median(np.abs(v - np.polyval(bend, u))))
    return bool(sagitta >= BENT_MM and off < TIGHT_MM)


def _first_peak(strength: Floats) -> int:
    """The first place from inside at which a step peaks that is nearly as strong as the
    strongest.
    """
    peak = np.zeros(len(strength), bool)
    peak[1:-1] = (strength[1:-1] >= strength[:-2]) & (strength[1:-1] > strength[2:])
    strong = peak & (strength >= FIRST_PEAK * strength.max())
    return int(np.argmax(strong)) if strong.any() else int(np.argmax(strength))


def _step_kernel(sigma_mm: float) -> Floats:
    """The derivative of a bell curve."""
    half = round(3 * sigma_mm / STEP_MM)
    x = np.arange(-half, half + 1) * STEP_MM
    bell = np.exp(-0.5 * (x / sigma_mm) ** 2)
    return np.asarray(-x * bell / np.abs(x * bell).sum())


def _straightened(ring: Floats, off_mm: float) -> Floats:
    """A ring with no more corners than it needs to stay so near to itself."""
    plain = cv2.approxPolyDP(ring.astype(np.float32).reshape(-1, 1, 2), off_mm, True)
    return np.asarray(plain.reshape(-1, 2), float)


def _area(ring: Floats) -> float:
    x, y = ring.T
    return float(0.5 * np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))


def _meeting(one: tuple[Floats, Floats], other: tuple[Floats, Floats]) -> Floats:
    """Where two lines meet; where they hardly do, the middle of their near ends."""
    (p, u), (q, v) = one, other
    cross = u[0] * v[1] - u[1] * v[0]
    if abs(cross) < 0.05:
        return np.asarray((_foot(one, q) + q) / 2)
    w = q - p
    return np.asarray(p + u * (w[0] * v[1] - w[1] * v[0]) / cross)


def _away(at: Floats, a: Floats, b: Floats) -> float:
    """How far a point is from a stretch between two others."""
    way = b - a
    share = float(np.clip((at - a) @ way / max(1e-9, float(way @ way)), 0, 1))
    return float(np.hypot(*(at - a - share * way)))


def _foot(line: tuple[Floats, Floats], at: Floats) -> Floats:
    point, way = line
    return np.asarray(point + way * float((at - point) @ way))


def _used_areas(picture: Picture, ring_px: Floats, px_mm: float) -> tuple[Box, ...]:
    """Boxes around places of the face whose light is unlike the face around them, mm from the upper
    left; holes and burns alike.
    """
    mask = np.zeros(picture.shape[:2], np.uint8)
    cv2.fillPoly(mask, [np.round(ring_px).astype(np.int32)], 1)
    edge = max(3, round(2 * 3.0 * px_mm)) | 1
    inner = cv2.erode(mask, np.ones((edge, edge), np.uint8))
    if not inner.any():
        return ()
    logs = np.log(np.maximum(picture.astype(np.float32), 4) / 255) * 2.2
    logs = cv2.GaussianBlur(logs, (0, 0), 0.6 * px_mm)
    middle = np.median(logs[inner > 0], axis=0)
    weight = inner.astype(np.float32)
    off = np.zeros(mask.shape, np.float32)
    for _ in range(3):
        spread = max(1.0, 25 * px_mm)
        total = cv2.GaussianBlur(weight, (0, 0), spread) + 1e-3
        field = [
            cv2.GaussianBlur(weight * (logs[..., k] - middle[k]), (0, 0), spread) / total
            for k in range(3)
        ]
        off = np.sqrt(sum((logs[..., k] - middle[k] - field[k]) ** 2 for k in range(3)))
        weight = (inner * (off < 2 * USED_OFF)).astype(np.float32)
    unlike = ((off > 2 * USED_OFF) & (inner > 0)).astype(np.uint8)
    near = max(3, round(4 * px_mm)) | 1
    joined = cv2.morphologyEx(unlike, cv2.MORPH_CLOSE, np.ones((near, near), np.uint8))
    _, _, stats, _ = cv2.connectedComponentsWithStats(joined)
    boxes = []
    for left, top, wide, tall, area in stats[1:].tolist():
        if area / px_mm**2 >= USED_LEAST_MM2:
            box = (left, top, left + wide, top + tall)
            x0, y0, x1, y1 = (round(side / px_mm, 1) for side in box)
            boxes.append((x0, y0, x1, y1))
    return _merged(boxes)


def _merged(boxes: Sequence[Box]) -> tuple[Box, ...]:
    """Boxes that overlap as one."""
    found: list[Box] = []
    for box in boxes:
        for other in [one for one in found if _meet(one, box)]:
            found.remove(other)
            box = (
                min(box[0], other[0]),
                min(box[1], other[1]),
                max(box[2], other[2]),
                max(box[3], other[3]),
            )
        found.append(box)
    return tuple(found)


def _meet(a: Box, b: Box) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]
