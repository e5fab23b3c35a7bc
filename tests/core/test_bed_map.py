"""Bed maps: planned over the bed, read by tone or verdict, told as tilt, mirrors, a weak place."""

import math
import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.design.plan import NoRoom
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.stock import Sheet
from olive_almanac.core.upkeep.bed_map import decide_bed, read_bed, tell_bed
from tests.samples import BIRCH, LONG, NORTH, PLATE, kind_plan


def planned(task="engrave", machine=LONG, **changes):
    return kind_plan("bed", task, machine, **changes).trial


def middle_of(trial, cell):
    left, low = trial.area_mm[:2]
    x, y, w, h = cell.rect_mm
    half = np.array(trial.machine.bed_mm) / 2
    return (np.array([left + x + w / 2, low + y + h / 2]) - half) / half


def read_with(trial, need):
    """What is seen where need(u, v, focus) says how much more energy each place needs, exactly."""
    energy = {
        c.id: math.log(trial.machine.watts(c.setting.power) * c.setting.dose_per_watt)
        for c in trial.cells
    }
    mean = sum(energy.values()) / len(energy)
    readings = []
    for cell in trial.cells:
        beyond = energy[cell.id] - mean - need(*middle_of(trial, cell), cell.setting.focus_mm)
        if trial.task == "cut":
            readings.append(Reading(cell.id, "free" if beyond > -0.2 else "not_through"))
        else:
            readings.append(Reading(cell.id, lightness=60 - 25 * beyond))
    return readings


def focus_loss(z_mm, z_r=LONG.rayleigh_mm):
    return 0.5 * math.log1p((z_mm / z_r) ** 2)


class PlanTest(unittest.TestCase):
    def test_thirty_patches_lie_at_the_corners_and_the_middle_of_the_bed(self):
        trial = planned()
        self.assertEqual(len(trial.cells), 30)
        places = read_bed(trial, read_with(trial, lambda u, v, f: 0.0)).places
        wanted = {(-1, -1), (1, -1), (1, 1), (-1, 1), (0, 0)}
        self.assertEqual({tuple(np.round(place)) for place in places}, wanted)
        self.assertGreater(np.abs(places[:4]).min(), 0.8)
        self.assertEqual(len({c.setting.focus_mm for c in trial.cells}), 2)
        boxes = [cell.rect_mm for cell in trial.cells]
        for n, (x, y, w, h) in enumerate(boxes):
            for ox, oy, ow, oh in boxes[:n]:
                self.assertTrue(x >= ox + ow or ox >= x + w or y >= oy + oh or oy >= y + h)

    def test_by_eye_it_cuts_fifty_pieces(self):
        self.assertEqual(len(planned("cut").cells), 50)

    def test_on_stock_that_darkens_the_tones_lie_where_energy_changes_them_most(self):
        for stock, low, high in ((BIRCH, 0.5, 0.7), (PLATE, 0.9, 1.1)):
            energies = []
            for kind in ("bed", "grid"):
                trial = kind_plan(kind, "engrave", LONG, stock).trial
                energies.append(np.median([trial.energy_of(cell) for cell in trial.cells]))
            self.assertTrue(low < energies[0] / energies[1] < high, energies)

    def test_a_sheet_that_is_too_small_is_told(self):
        with self.assertRaises(NoRoom):
            planned(sheet=Sheet(40, 30), sheet_number=0)

    def test_narrow_or_low_sheets_are_too_small_too(self):
        for sides in ((40, 300), (400, 30)):
            with self.subTest(sides), self.assertRaises(NoRoom):
                planned(sheet=Sheet(*sides), sheet_number=0)

    def test_the_block_of_the_middle_lies_in_the_middle(self):
        trial = planned("cut", labels=False, fiducials=False)
        inner = [c for c in trial.cells if np.abs(middle_of(trial, c)).max() < 0.5]
        self.assertEqual(len(inner), 10)
        left, low = trial.area_mm[:2]
        x0, y0 = (min(c.rect_mm[n] for c in inner) for n in (0, 1))
        x1, y1 = (max(c.rect_mm[n] + c.rect_mm[n + 2] for c in inner) for n in (0, 1))
        self.assertAlmostEqual(left + (x0 + x1) / 2, trial.machine.bed_mm[0] / 2, places=2)
        self.assertAlmostEqual(low + (y0 + y1) / 2, trial.machine.bed_mm[1] / 2, places=2)

    def test_one_height_tells_less_but_many_are_refused(self):
        trial = planned(focus_mm=(0.0,))
        self.assertEqual(len(trial.cells), 15)
        found = decide_bed(trial, read_with(trial, lambda u, v, f: 0.3 * ((v + 1) / 2) ** 3))
        self.assertEqual(found.story, "mirror 1")
        with self.assertRaisesRegex(OutOfRange, "at most 5"):
            planned(focus_mm=tuple(range(6)))


class TellTest(unittest.TestCase):
    def setUp(self):
        self.trial = planned()
        self.whole = planned(fiducials=False)  # photographed at once, if at all

    def told(self, need):
        return decide_bed(self.trial, read_with(self.trial, need))

    def test_an_even_bed_is_even_also_where_the_height_is_off(self):
        for off in (0.0, 1.0):
            found = self.told(lambda u, v, f, off=off: focus_loss(f + off))
            self.assertEqual(found.story, "even")
            self.assertLess(max(found.need), 0.01)

    def test_a_tilt_is_told_with_its_size_and_the_shims_that_mend_it(self):
        rise = 2.4  # mm over half the bed, to the right
        found = self.told(lambda u, v, f: focus_loss(f + rise * u))
        self.assertEqual((found.story, found.is_sure), ("tilt", True))
        across, up = found.tilt_mm_m
        self.assertAlmostEqual(across, rise / 0.45, delta=0.4)
        self.assertAlmostEqual(up, 0, delta=0.4)
        left_front, right_front, right_rear, left_rear = found.shims_mm
        self.assertAlmostEqual(left_front, 2 * rise, delta=1.0)
        self.assertAlmostEqual(left_rear, 2 * rise, delta=1.0)
        self.assertLess(max(right_front, right_rear), 1.0)

    def test_mirrors_are_told_apart_and_which_way_it_weakens(self):
        for way, story, words in (
            (lambda u, v: (v + 1) / 2, "mirror 1", "rails to the rear"),
            (lambda u, v: (1 - v) / 2, "mirror 1", "rails to the front"),
            (lambda u, v: (u + 1) / 2, "mirror 2", "gantry to the right"),
            (lambda u, v: (1 - u) / 2, "mirror 2", "gantry to the left"),
        ):
            found = self.told(lambda u, v, f, way=way: focus_loss(f) + 0.3 * way(u, v) ** 3)
            self.assertEqual((found.story, found.is_sure), (story, True))
            self.assertIn(words, found.says)
            self.assertIn("tape", found.do)

    def test_a_dirty_place_is_told_where_it_is(self):
        def need(u, v, f):
            return focus_loss(f) + 0.25 * math.exp(-(u**2 + v**2) / 0.2)

        found = self.told(need)
        self.assertEqual(found.story, "zone")
        self.assertLess(np.hypot(*found.zone), 0.1)
        self.assertIn("in the middle", found.says)

    def lit(self, off_l, by, flags=()):
        """What is told of an even bed whose middle is lit by so much more than the rest."""
        readings = []
        for cell, one in zip(
            self.whole.cells, read_with(self.whole, lambda u, v, f: 0.0), strict=True
        ):
            middle = np.abs(middle_of(self.whole, cell)).max() < 0.5
            lightness = one.lightness + off_l * middle
            readings.append(replace(one, lightness=lightness, by=by, flags=flags if middle else ()))
        return decide_bed(self.whole, readings)

    def test_a_photo_that_is_lit_unevenly_is_not_told_as_a_fault(self):
        typed, seen = self.lit(4.0, "gauge"), self.lit(4.0, "photo")
        self.assertEqual((typed.story, typed.is_sure), ("zone", True))
        self.assertFalse(seen.is_sure and seen.story != "even")
        self.assertNotIn("lamp", typed.do)
        for flag in ("clipped", "covered_or_tinted", "bright_spot"):
            with self.subTest(flag):
                self.assertEqual(self.lit(25.0, "photo", (flag,)).story, "even")
        self.assertIn("lamp", self.lit(12.0, "photo").do)

    def test_a_weak_far_corner_may_be_both_mirrors_or_dirt(self):
        for power in (2, 3):

            def need(u, v, f, power=power):
                return focus_loss(f) + 0.3 * ((u + v + 2) / 4) ** power

            found = self.told(need)
            self.assertFalse(found.is_sure)
            self.assertGreater(found.stories["mirrors 1 and 2"], 0.2)
            self.assertAlmostEqual(sum(found.stories.values()), 1)
            self.assertIn("One corner is weak", found.says)
            self.assertIn("tape", found.do)

    def test_a_head_that_carries_its_source_has_no_mirrors(self):
        trial = planned(machine=replace(NORTH, bed_mm=(400, 400)))
        found = decide_bed(trial, read_with(trial, lambda u, v, f: 0.3 * ((v + 1) / 2) ** 3))
        self.assertFalse(any("mirror" in story for story in found.stories))

    def test_what_a_known_source_adds(self):
        readings = read_with(self.trial, lambda u, v, f: focus_loss(f) + 0.3 * ((v + 1) / 2) ** 3)
        bed = read_bed(self.trial, readings)
        known = tell_bed(bed, LONG.rayleigh_mm)
        far = tell_bed(bed, LONG.rayleigh_mm, source_at=(1, 1))
        self.assertGreater(known.stories["mirror 1"], far.stories["mirror 1"])

    def test_verdicts_alone_tell_a_tilt(self):
        trial = planned("cut")
        found = decide_bed(
            trial, read_with(trial, lambda u, v, f: focus_loss(f - 1.5 + 3.5 * v) - 0.3)
        )
        self.assertEqual(found.story, "tilt")

    def test_a_photo_of_the_whole_bed_in_uneven_light_is_not_believed(self):
        readings = read_with(self.whole, lambda u, v, f: 0.3 * u)
        shaded = [replace(one, flags=("uneven_light",)) for one in readings]
        with self.assertRaisesRegex(OutOfRange, "even light"):
            decide_bed(self.whole, shaded)
        few = [*shaded[:3], *readings[3:]]
        self.assertEqual(len(decide_bed(self.whole, few).need), 5)

    def test_too_few_places_or_too_little_tone_is_told(self):
        readings = read_with(self.trial, lambda u, v, f: 0.0)
        with self.assertRaisesRegex(OutOfRange, "at every height"):
            decide_bed(self.trial, readings[:9])
        flat = [replace(one, lightness=50.0) for one in readings]
        with self.assertRaisesRegex(OutOfRange, "Change of tone"):
            decide_bed(self.trial, flat)
