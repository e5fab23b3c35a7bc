"""Places of a bed that are photographed by themselves: their marks, their photos, what is told."""

import itertools
import unittest
from dataclasses import replace

import cv2
import numpy as np

from olive_almanac.core.design.plan import used_area_mm2
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.photo.locate import PhotoTrouble
from olive_almanac.core.placing.places import part_seen, parts_seen, side_of, side_words
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.run import CellBurn, KeptPhoto, RunRecord
from olive_almanac.core.records.sight import CellSight
from olive_almanac.core.records.stock import Sheet
from olive_almanac.core.upkeep.bed_map import decide_bed, read_bed
from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from olive_almanac.steps.active import ActiveTrial, used_on_sheet
from olive_almanac.steps.photo import photo_work, places_left, places_told
from tests.samples import BIRCH, LONG, kind_plan

TRIAL = kind_plan("bed", "engrave").trial
BENCH = StandInBench(3)
TRUE = {one.cell: one.lightness for one in BENCH.burn(TRIAL)}


def photo_of(side, **more):
    return BENCH.photograph(TRIAL, letters(), side=side, nuisances=False, **more)


def read(data, side="front", trial=TRIAL, **more):
    work = photo_work(trial, data, "photo.jpg", side, **more)
    return [value for kind, value in work if kind == "read"]


class MarkedPlacesTest(unittest.TestCase):
    def test_each_place_carries_four_marks_of_its_own_around_its_cells(self):
        parts = parts_seen(TRIAL)
        self.assertEqual(len(parts), 5)
        self.assertEqual(len({mark.id for mark in TRIAL.fiducials}), 20)
        owned = [cell.id for part in parts.values() for cell in part.cells]
        self.assertEqual(sorted(owned), sorted(cell.id for cell in TRIAL.cells))
        words = [side_words(TRIAL, side) for side in parts]
        corners = [f"{depth} {side}" for depth in ("front", "rear") for side in ("left", "right")]
        self.assertEqual(sorted(words), sorted([*corners, "in the middle"]))
        for part in parts.values():
            for cell, mark in itertools.product(part.cells, part.fiducials):
                x, y, w, h = cell.rect_mm
                away = [
                    max(low - at, at - high)
                    for at, low, high in zip(mark.centre_mm, (x, y), (x + w, y + h), strict=True)
                ]
                self.assertGreaterEqual(max(away), mark.size_mm / 2 + 2)  # bare stock between
            inside = part.coupon.width_mm, part.coupon.height_mm
            for mark, at in itertools.product(part.fiducials, (0, 1)):
                self.assertTrue(3 <= mark.centre_mm[at] <= inside[at] - 3)

    def test_a_place_lies_on_the_bed_where_its_cells_burn(self):
        for side, part in parts_seen(TRIAL).items():
            whole, mine = TRIAL.on_sheet, part.on_sheet
            for cell in part.cells:
                self.assertEqual(side_of(TRIAL, cell.id), side)
                burnt = TRIAL.cell(cell.id).rect_mm
                self.assertAlmostEqual(mine.x_mm + cell.rect_mm[0], whole.x_mm + burnt[0])
                self.assertAlmostEqual(mine.y_mm + cell.rect_mm[1], whole.y_mm + burnt[1])

    def test_a_coupon_that_is_photographed_whole_has_no_places(self):
        grid = kind_plan("grid").trial
        self.assertEqual(parts_seen(grid), {})
        self.assertIs(part_seen(grid, "front"), grid)
        self.assertEqual((side_of(grid, "A1"), side_words(grid, "back")), ("front", "back"))

    def test_without_room_for_marks_or_by_eye_there_are_none_and_it_is_said(self):
        tight = kind_plan("bed", "engrave", sheet=Sheet(130, 105), sheet_number=0)
        self.assertEqual(tight.trial.fiducials, ())
        self.assertIn("No photo marks", tight.remarks[0])
        self.assertEqual(kind_plan("bed", "cut").trial.fiducials, ())
        self.assertEqual(kind_plan("bed", "engrave", fiducials=False).trial.fiducials, ())

    def test_what_is_used_up_holds_the_marks_too(self):
        sheet = Sheet(400, 300)
        trial = kind_plan("bed", "engrave", sheet=sheet, sheet_number=0).trial
        stock = used_on_sheet(replace(BIRCH, sheets=(sheet,)), trial)
        used = stock.sheets[0].used_mm
        self.assertEqual(len(used), 5)
        area = sum((right - left) * (high - low) for left, low, right, high in used)
        self.assertAlmostEqual(area, used_area_mm2(trial), places=2)


class PlacePhotoTest(unittest.TestCase):
    def test_its_marks_tell_the_place_and_its_tones_are_measured(self):
        for side in ("place-2", "place-5"):
            (seen,) = read(photo_of(side))
            self.assertEqual(seen.side, side)
            cells = [cell for cell in seen.seen.cells if not cell.flags]
            self.assertGreater(len(cells), 3)
            off = [cell.lightness - TRUE[cell.cell] for cell in cells]
            self.assertLess(np.ptp(off), 3.0)

    def test_a_picture_of_two_places_is_read_for_both(self):
        pictures = [
            cv2.imdecode(np.frombuffer(photo_of(side), np.uint8), cv2.IMREAD_COLOR)
            for side in ("place-1", "place-3")
        ]
        high = max(one.shape[0] for one in pictures)
        filled = [
            cv2.copyMakeBorder(
                one, 0, high - one.shape[0], 0, 0, cv2.BORDER_CONSTANT, value=(120, 160, 190)
            )
            for one in pictures
        ]
        both = cv2.imencode(".png", np.hstack(filled))[1].tobytes()
        self.assertEqual([one.side for one in read(both)], ["place-1", "place-3"])

    def test_another_coupon_and_a_place_that_was_not_burnt_are_told(self):
        other = kind_plan("grid", "engrave").trial
        data = BENCH.photograph(other, letters(), nuisances=False)
        far = replace(TRIAL, fiducials=tuple(replace(m, id=m.id + 8) for m in TRIAL.fiducials))
        with self.assertRaisesRegex(PhotoTrouble, "another coupon"):
            read(data, trial=far)
        burnt = frozenset(cell.id for cell in parts_seen(TRIAL)["place-1"].cells)
        with self.assertRaisesRegex(PhotoTrouble, "Nothing was burnt"):
            read(photo_of("place-2"), burnt=burnt)

    def test_corners_picked_by_hand_are_those_of_the_place_that_is_named(self):
        (by_marks,) = read(photo_of("place-4"))
        lens = by_marks.seen.sight.lens
        part = parts_seen(TRIAL)["place-4"]
        boxes = np.array([cell.rect_mm for cell in part.cells])
        (left, low), (right, high) = boxes[:, :2].min(0), (boxes[:, :2] + boxes[:, 2:]).max(0)
        top, foot = part.coupon.height_mm - high, part.coupon.height_mm - low
        corners = lens.project(
            np.array([[left, top], [right, top], [right, foot], [left, foot]], float)
        )
        (seen,) = read(photo_of("place-4"), "place-4", corners_px=corners.tolist())
        self.assertEqual((seen.side, seen.seen.sight.how), ("place-4", "corners"))
        self.assertEqual({c.cell for c in seen.seen.cells}, {c.id for c in part.cells})


class ToldTest(unittest.TestCase):
    def active(self, **photos):
        run = RunRecord(cells={cell.id: CellBurn() for cell in TRIAL.cells}, photos=photos)
        return ActiveTrial(TRIAL, "read", run=run)

    def test_what_is_still_to_come_and_what_to_take_once_more(self):
        flagged = CellSight("A1", 0.2, ("uneven_light",))
        clear = CellSight("A1", 0.9, ())
        photos = {
            "place-1": KeptPhoto("a", cells=(flagged, flagged, clear)),
            "place-2": KeptPhoto("b", cells=(flagged, clear, clear)),
        }
        active = self.active(**photos)
        self.assertEqual(places_left(active), ("rear right", "rear left", "in the middle"))
        left, again = places_told(active)
        self.assertIn("rear right, rear left, in the middle", left)
        self.assertTrue(again.endswith("from the side: front left."))
        self.assertEqual(places_told(ActiveTrial(kind_plan("grid").trial, "read")), ())


class ByPhotoTest(unittest.TestCase):
    """What a bed map makes of tones that were read by photo."""

    def readings(self, off=lambda cell: 0.0, bare=lambda cell: 80.0):
        return [
            Reading(
                cell.id,
                lightness=bare(cell) + self.delta(cell) + off(cell),
                delta_l=self.delta(cell) + off(cell),
                by="photo",
            )
            for cell in TRIAL.cells
        ]

    @staticmethod
    def delta(cell):
        speed = {c.col: c.setting.speed_mm_s for c in TRIAL.cells}[cell.col]
        return -30.0 + 20 * np.log(speed / LONG.max_speed_mm_s)

    def test_what_each_photo_takes_the_bare_stock_for_does_not_count(self):
        found = read_bed(TRIAL, self.readings(bare=lambda cell: 80 - 2 * (cell.row // 2)))
        self.assertLess(np.ptp(found.need), 0.01)
        self.assertGreater(found.place_sd, 0.035)  # a photo a place is off by itself
        even = decide_bed(TRIAL, self.readings())
        self.assertEqual(even.story, "even")
        self.assertTrue(all(sd > 0.05 for sd in even.need_sd))

    def test_what_a_place_needs_more_is_told_with_its_error(self):
        weak = decide_bed(TRIAL, self.readings(off=lambda c: 6.0 if c.row // 2 == 2 else 0.0))
        most = int(np.argmax(weak.need))
        self.assertEqual(weak.places[most], max(weak.places, key=sum))  # rear right
        self.assertAlmostEqual(weak.need[most], 0.3, delta=0.02)
        self.assertLess(2 * weak.need_sd[most], weak.need[most])

    def test_places_in_uneven_light_do_not_count_and_are_named(self):
        lost = {cell.id: cell.row // 2 for cell in TRIAL.cells if cell.col != 1}
        both = [one for one in self.readings() if lost.get(one.cell) not in (0, 1)]
        with self.assertRaisesRegex(OutOfRange, "even light: front left, front right"):
            read_bed(TRIAL, both)
        one_place = [one for one in self.readings() if lost.get(one.cell) != 0]
        self.assertEqual(len(read_bed(TRIAL, one_place).places), 4)


if __name__ == "__main__":
    unittest.main()
