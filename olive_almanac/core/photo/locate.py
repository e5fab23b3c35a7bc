"""Find a coupon in a photo: which marks, which way it lies, and the lens through which it is seen.

Face coordinates (mm from the upper left corner of the side that is seen, y down) are made from the
trial's own (mm from the lower left of the front, y up) by `face_points`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.photo.fiducials import Picture, Pyramid, find_marks, measured_quads
from olive_almanac.core.photo.lens import Lens
from olive_almanac.core.placing.places import parts_seen
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr

__all__ = [
    "PhotoTrouble",
    "Sight",
    "face_points",
    "face_rects",
    "locate",
    "mark_growth",
    "parts_in",
    "picked_box",
]

Floats = NDArray[np.float64]
SQUARE = np.array([[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]])
OUTWARD = 2 * SQUARE  # where the corners of a mark go as burning makes it larger
USUAL_FOCAL = 0.75  # of the longer side, where the photo does not say
LARGE_REST_PX, LARGE_REST_MM = 3.0, 0.15
HOLE_ROUNDS = 3
MARKS_OF_PART = 3  # of four, by which a part is taken for seen
SET_OF = 4  # ids 4s to 4s + 3 name coupon set s


class PhotoTrouble(AlmanacError):
    """A photo that cannot be read; `code` names the reason, the text says what to do."""

    def __init__(self, code: str, text: str) -> None:
        super().__init__(text)
        self.code = code


@dataclass
class Sight:
    """How the coupon lies in the picture.

    `how` is "marks", "holes" (a back) or "corners" (picked); `rest_px` what is left between marks
    and model; `blur_px` the blur of edges crossed along x and along y; `matched` the points that
    the lens was fitted to, face mm, px and weights.
    """

    lens: Lens
    side: str
    how: str
    marks: int
    rest_px: float
    blur_px: tuple[float, float]
    contrast: float
    matched: tuple[Floats, Floats, Floats]
    mirrored: bool = False
    missing_from: int | None = None  # rows from this one on never arrived
    found: dict[int, list[Floats]] = field(
        default_factory=dict, repr=False
    )  # every mark in the photo, a grey card's too
    says: tuple[str, ...] = ()

    @property
    def blur_mm(self) -> float:
        """The widest blur, mm on the face; not a number where none was measured."""
        if not np.isnan(self.blur_px).all():
            return float(np.nanmax(self.blur_px)) / self.lens.px_per_mm()
        return float("nan")


def face_points(trial: Trial, points_mm: Floats, side: str) -> Floats:
    """Return face coordinates of coupon coordinates [..., 2]; the back is mirrored left to
    right.
    """
    points = np.asarray(points_mm, float)
    if side == "back":
        x = trial.coupon.width_mm - points[..., 0]
    else:
        x = points[..., 0]
    return np.stack([x, trial.coupon.height_mm - points[..., 1]], -1)


def face_rects(trial: Trial, side: str) -> Floats:
    """Return each cell's box as x, y, width, height in face coordinates, [n, 4], in the trial's
    order of cells.
    """
    rects = np.array([cell.rect_mm for cell in trial.cells], float)
    if side == "back":
        x = trial.coupon.width_mm - rects[:, 0] - rects[:, 2]
    else:
        x = rects[:, 0]
    return np.column_stack(
        [x, trial.coupon.height_mm - rects[:, 1] - rects[:, 3], rects[:, 2], rects[:, 3]]
    )


def locate(
    picture: Picture,
    trial: Trial,
    *,
    side: str = "front",
    corners_px: Sequence[tuple[float, float]] | None = None,
    f35: float | None = None,
    out: frozenset[str] = frozenset(),
) -> tuple[Sight, Pyramid]:
    """Return how the coupon lies, and the picture at its scales as it was read (turned back where
    it was mirrored).

    `corners_px` are the four corners picked by hand: of the box around all cells on the front,
    around the holes on the back; upper left, upper right, lower right, lower left as that side is
    seen.  `out` names the cells whose pieces are out, by which a back is found.  Raises
    PhotoTrouble.
    """
    pyramid = Pyramid.of(picture)
    if corners_px is not None:
        return _by_corners(picture, trial, side, np.asarray(corners_px, float), f35, out), pyramid
    if side == "back":
        return _by_holes(pyramid, trial, f35, out), pyramid
    if not trial.fiducials:
        raise PhotoTrouble(
            "no_marks",
            tr("This coupon was burnt without marks. Pick the corners of its cells by hand."),
        )
    try:
        return _by_marks(pyramid, trial, f35), pyramid
    except PhotoTrouble as problem:
        if problem.code != "no_marks":
            raise
        flipped = Pyramid.of(np.ascontiguousarray(cv2.flip(picture, 1)))
        try:
            sight = _by_marks(flipped, trial, f35)
        except PhotoTrouble:
            raise problem from None
        sight.mirrored = True
        sight.says = (*sight.says, tr("The picture is mirrored; it was turned back."))
        return sight, flipped


def parts_in(picture: Picture, trial: Trial) -> tuple[str, ...]:
    """Return the parts of a trial (`parts_seen`) whose marks a photo shows, three or more of them;
    where none has so many, the one that shows most.  Raises PhotoTrouble where no mark is seen.
    """
    wanted = frozenset(mark.id for mark in trial.fiducials)
    found = find_marks(Pyramid.of(picture), wanted=wanted)
    if not wanted & found.keys():  # perhaps it is mirrored
        flipped = Pyramid.of(np.ascontiguousarray(cv2.flip(picture, 1)))
        found = find_marks(flipped, wanted=wanted) or found
    seen = {
        name: sum(mark.id in found for mark in part.fiducials)
        for name, part in parts_seen(trial).items()
    }
    most = min(MARKS_OF_PART, max(seen.values()))
    if most == 0:
        raise _other_coupon(found, sorted(wanted))
    return tuple(name for name, marks in seen.items() if marks >= most)


def _new_lens(picture: Picture, trial: Trial, f35: float | None) -> Lens:
    height, width = picture.shape[:2]
    if f35 is not None and 10 < f35 < 400:
        share = f35 / 36.0
    else:
        share = USUAL_FOCAL
    return Lens(
        width, height, share * max(width, height), (trial.coupon.width_mm, trial.coupon.height_mm)
    )


def picked_box(
    trial: Trial, side: str, out: frozenset[str] = frozenset()
) -> tuple[float, float, float, float]:
    """Return the box whose corners are picked by hand, face mm: around all cells, or around the
    holes of the back.
    """
    rects = face_rects(trial, side)
    holes = [i for i, cell in enumerate(trial.cells) if cell.id in out]
    if side == "back" and holes:
        rects = rects[holes]
    low, high = rects[:, :2].min(0), (rects[:, :2] + rects[:, 2:]).max(0)
    return (float(low[0]), float(low[1]), float(high[0]), float(high[1]))


def _by_holes(pyramid: Pyramid, trial: Trial, f35: float | None, out: frozenset[str]) -> Sight:
    from olive_almanac.core.photo.holes import match_holes

    lens = _new_lens(pyramid.full, trial, f35)
    rects = face_rects(trial, "back")[[i for i, cell in enumerate(trial.cells) if cell.id in out]]
    found = match_holes(pyramid, lens, rects)
    if f35 is not None:
        start = lens.start_pose
    else:
        start = lens.start
    if found is None or not start(*found):
        raise PhotoTrouble(
            "no_marks",
            tr(
                "The holes could not be matched with those of the "
                "front. Lay the coupon on paper of "
                "another colour, or pick the corners of the box around the holes by hand."
            )
            if out
            else (
                tr(
                    "The back is found by the holes that the front shows, and there are none. Read "
                    "it by eye, or pick the corners of the cells."
                )
            ),
        )
    mm, px = found
    squares = mm.reshape(-1, 4, 2)
    for _ in range(HOLE_ROUNDS):  # the rim of each hole, measured where the model puts it
        guessed = lens.project(squares)
        rims = measured_quads(pyramid.full, guessed, passes=(0,), rims=True).quads
        moved = np.abs(rims - guessed).max(axis=(1, 2))
        good = np.repeat((moved > 1e-9) & (moved < 1.2 * lens.px_per_mm()), 4)
        if good.sum() < 8 or not start(mm[good], rims.reshape(-1, 2)[good]):
            break
        px = rims.reshape(-1, 2)
    rest = np.linalg.norm(lens.project(mm) - px, axis=1)
    return Sight(
        lens,
        "back",
        "holes",
        len(squares),
        float(np.sqrt((rest**2).mean())),
        (np.nan, np.nan),
        0.0,
        (mm, px, np.ones(len(px))),
    )


def _by_corners(
    picture: Picture,
    trial: Trial,
    side: str,
    corners: Floats,
    f35: float | None,
    out: frozenset[str],
) -> Sight:
    left, top, right, foot = picked_box(trial, side, out)
    mm = np.array([[left, top], [right, top], [right, foot], [left, foot]])
    lens = _new_lens(picture, trial, f35)
    if cv2.contourArea(corners.astype(np.float32)) < 400 or not lens.start(mm, corners):
        raise PhotoTrouble(
            "bad_corners",
            tr("The four corners lie on a line or on one spot. Drag each to its own corner."),
        )
    sight = Sight(
        lens,
        side,
        "corners",
        0,
        0.0,
        (np.nan, np.nan),
        0.0,
        (mm, corners, np.full(4, 0.003)),
        says=(tr("Positions rest on the four corners picked by hand."),),
    )
    if (
        side == "front" and trial.fiducials
    ):  # where the marks are seen after all, they measure better than a hand
        _take_marks(picture, trial, sight)
    return sight


def _take_marks(picture: Picture, trial: Trial, sight: Sight) -> None:
    mm = _mark_squares(trial)
    guessed = sight.lens.project(mm)
    edges = measured_quads(picture, guessed)
    moved = np.abs(edges.quads - guessed).max(axis=(1, 2))
    seen = (moved > 1e-9) & (edges.contrast > 0.15)
    if seen.sum() >= 3:
        terms = sight.lens.terms.copy()
        rest = sight.lens.fit(
            mm[seen].reshape(-1, 2),
            edges.quads[seen].reshape(-1, 2),
            bends=False,
            grows=mark_growth(int(seen.sum())),
        )
        if float(np.sqrt((rest**2).mean())) > LARGE_REST_PX:
            sight.lens.terms = terms
            return
        sight.matched = (
            mm[seen].reshape(-1, 2),
            edges.quads[seen].reshape(-1, 2),
            np.ones(4 * int(seen.sum())),
        )
        sight.marks, sight.blur_px, sight.contrast, sight.says = (
            int(seen.sum()),
            edges.blur_px,
            edges.contrast,
            (),
        )


def _mark_squares(trial: Trial) -> Floats:
    """The corners of each mark in face coordinates of the front, [n, 4, 2]."""
    centres = face_points(trial, np.array([mark.centre_mm for mark in trial.fiducials]), "front")
    return np.asarray(
        centres[:, None]
        + SQUARE[None] * np.array([mark.size_mm for mark in trial.fiducials])[:, None, None],
        float,
    )


def _by_marks(pyramid: Pyramid, trial: Trial, f35: float | None) -> Sight:
    picture = pyramid.full
    ids = [mark.id for mark in trial.fiducials]
    squares = _mark_squares(trial)
    found = find_marks(pyramid, wanted=frozenset(ids))
    mine = {mark: quads for mark, quads in found.items() if mark in ids}
    if not mine:
        raise _other_coupon(found, ids)
    lens = _new_lens(picture, trial, f35)
    chosen = _one_coupon(mine, ids, squares, lens)
    names = list(chosen)
    edges = measured_quads(picture, np.array([chosen[mark] for mark in names]))
    mm = squares[[ids.index(mark) for mark in names]]
    if not lens.start(mm.reshape(-1, 2), edges.quads.reshape(-1, 2)):
        raise _no_marks()
    rest = lens.fit(
        mm.reshape(-1, 2),
        edges.quads.reshape(-1, 2),
        bends=len(names) >= 3,
        grows=mark_growth(len(names)),
        huber_px=0.5,
    )
    if rest.max() > 1.5 and len(names) >= 3:
        _leave_one_out(lens, mm, edges.quads)
    sight = _all_four(picture, trial, lens, squares, ids, set(names))
    sight.found = found
    return sight


def _leave_one_out(lens: Lens, mm: Floats, quads: Floats) -> None:
    """One outline may have locked wrongly: keep the fit without the mark that spoils it most."""
    tries = []
    for left_out in range(len(mm)):
        kept = np.arange(len(mm)) != left_out
        if lens.start(mm[kept].reshape(-1, 2), quads[kept].reshape(-1, 2)):
            rest = lens.fit(
                mm[kept].reshape(-1, 2),
                quads[kept].reshape(-1, 2),
                bends=len(mm) > 3,
                grows=mark_growth(len(mm) - 1),
                huber_px=0.5,
            )
            tries.append((float(np.median(rest)), lens.terms.copy()))
    if tries:
        lens.terms = min(tries, key=lambda one: one[0])[1]


def _all_four(
    picture: Picture, trial: Trial, lens: Lens, squares: Floats, ids: list[int], seen: set[int]
) -> Sight:
    """Look for every mark where the model puts it: repairs a bad outline and adds one that the
    detector missed.
    """
    guessed = lens.project(squares)
    edges = measured_quads(picture, guessed, passes=(1,))
    scale = lens.px_per_mm()
    moved = np.abs(edges.quads - guessed).max(axis=(1, 2))
    limits = np.array([0.25 if mark in seen else 0.12 for mark in ids]) * scale
    inside = ((edges.quads > 2) & (edges.quads < [lens.width_px - 3, lens.height_px - 3])).all(
        axis=(1, 2)
    )
    good = (moved > 1e-9) & (moved < limits) & inside
    blur, contrast = edges.blur_px, edges.contrast
    if good.sum() >= 2:
        mm, px = squares[good].reshape(-1, 2), edges.quads[good].reshape(-1, 2)
        if (
            np.nanmax(blur, initial=0.0) > 1.9
        ):  # blurred: the short profiles do not see the whole edge
            blur = measured_quads(picture, edges.quads, passes=(2,)).blur_px
    else:
        mm, px = squares.reshape(-1, 2), guessed.reshape(-1, 2)
    if good.sum() >= 2:
        marks = int(good.sum())
    else:
        marks = len(seen)
    rest = lens.fit(mm, px, bends=marks >= 3, grows=mark_growth(len(mm) // 4))
    rest_px = float(np.sqrt((rest**2).mean()))
    if rest_px > max(LARGE_REST_PX, LARGE_REST_MM * lens.px_per_mm()):
        raise PhotoTrouble(
            "bad_fit",
            (
                tr(
                    "The marks do not fit this coupon’s layout (off by {rest_px:.1f} px). "
                    "Another coupon may be open, or the piece is bent.",
                    rest_px=rest_px,
                )
            ),
        )
    says: tuple[str, ...] = ()
    if marks < 4:
        says = (
            (
                tr(
                    "Only {marks} of 4 marks were found; positions may be off. Take the photo "
                    "with all four in it.",
                    marks=marks,
                )
            ),
        )
    return Sight(
        lens,
        "front",
        "marks",
        marks,
        rest_px,
        blur,
        contrast,
        (mm, px, np.ones(len(mm))),
        says=says,
    )


def mark_growth(marks: int) -> Floats:
    """Return where the corners of so many marks go when burning makes them larger, [4 marks, 2]."""
    return np.tile(OUTWARD, (marks, 1))


def _no_marks() -> PhotoTrouble:
    return PhotoTrouble(
        "no_marks",
        (
            tr(
                "No marks of this coupon were found. Fill the frame "
                "with it, all four marks sharp and "
                "uncovered, or pick the corners of its cells by hand."
            )
        ),
    )


def _other_coupon(found: dict[int, list[Floats]], ids: list[int]) -> PhotoTrouble:
    sets = {mark // SET_OF for mark in found if mark < SET_OF * 12}
    if not any(sum(mark // SET_OF == one for mark in found) >= 2 for one in sets):
        return _no_marks()
    return PhotoTrouble(
        "wrong_coupon",
        tr(
            "The marks in this photo are those of another coupon (set {sets}; this one "
            "carries set {ids}). Open that coupon, or photograph this one.",
            sets=min(sets) + 1,
            ids=ids[0] // SET_OF + 1,
        ),
    )


def _one_coupon(
    found: dict[int, list[Floats]], ids: list[int], squares: Floats, lens: Lens
) -> dict[int, Floats]:
    """One quad for each mark; where marks stand twice, the photo may hold two coupons of the same
    set.
    """
    if all(len(quads) == 1 for quads in found.values()):
        return {mark: quads[0] for mark, quads in found.items()}
    pool = {mark: list(quads) for mark, quads in found.items()}
    groups = []
    while any(pool.values()):
        seed = max(
            (mark for mark in pool if pool[mark]),
            key=lambda mark: max(_area(q) for q in pool[mark]),
        )
        first = max(pool[seed], key=_area)
        pool[seed] = [quad for quad in pool[seed] if quad is not first]
        group = {seed: first}
        near = Lens(lens.width_px, lens.height_px, lens.focal_px, lens.size_mm)
        near.start(squares[ids.index(seed)], first)
        for mark in list(pool):
            if mark == seed or not pool[mark]:
                continue
            place = near.project(squares[ids.index(mark)].mean(0))
            away = [float(np.linalg.norm(quad.mean(0) - place)) for quad in pool[mark]]
            best = int(np.argmin(away))
            if away[best] < 3.5 * np.ptp(first[:, 0]):
                group[mark] = pool[mark].pop(best)
        groups.append(group)
    whole = [group for group in groups if len(group) >= 2]
    if len(whole) > 1:
        raise PhotoTrouble(
            "two",
            (
                tr(
                    "Two coupons with the same marks are in this photo. "
                    "Photograph one at a time, or "
                    "pick the corners of the one to read."
                )
            ),
        )
    if whole:
        return whole[0]
    return groups[0]


def _area(quad: Floats) -> float:
    return float(cv2.contourArea(quad.astype(np.float32)))
