"""A photo of a burnt coupon is read back: places, tones, widths, holes; and every photo that cannot
be read says why.

The photos come from the stand-in camera, which shares no code with the reader.
"""

import functools
import io
import unittest
from dataclasses import replace

import cv2
import numpy as np
from PIL import Image

from olive_almanac.core.errors import BadFile
from olive_almanac.core.photo.judge import Limits, Taught, learned_limits, suggest
from olive_almanac.core.photo.locate import PhotoTrouble, face_points, locate, picked_box
from olive_almanac.core.photo.reader import read_photo
from olive_almanac.core.photo.rectified import PhoneCurve
from olive_almanac.core.placing.fiducials import CARD_IDS
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.sight import CellSight
from olive_almanac.core.records.stock import Stock
from olive_almanac.formats.letters import letters
from olive_almanac.formats.photo import decode_photo, suffix_of
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.camera import CARD_L, Shot, photograph
from olive_almanac.standins.material import hidden_of
from tests.samples import BIRCH, LONG, NORTH, kind_plan

SEED = 3
HELD = Shot(tilt_deg=11, tilt_way_deg=60, roll_deg=7, k1=-0.03, slope=(0.15, -0.1), blur_px=0.9)
GRID, CUT, FOCUS = (
    kind_plan("grid", "engrave").trial,
    kind_plan("grid").trial,
    kind_plan("focus", machine=NORTH).trial,
)


@functools.cache
def burnt_of(trial_id, seed):
    trial = {one.id: one for one in (GRID, CUT, FOCUS)}[trial_id]
    return tuple(StandInBench(seed).burn(trial))


@functools.cache
def snap(trial_id, shot=HELD, seed=SEED, side="front"):
    trial = {one.id: one for one in (GRID, CUT, FOCUS)}[trial_id]
    return photograph(
        trial,
        burnt_of(trial_id, seed),
        hidden_of(trial.machine, trial.stock, seed),
        letters(),
        seed=seed,
        side=side,
        shot=shot,
    )


def pixels(trial, **more):
    return decode_photo(snap(trial.id, **more).jpeg).pixels


def jpeg(picture):
    return cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, 92])[1].tobytes()


def known(trial):
    """The trial with the stock's own lightness as if measured before."""
    return replace(
        trial,
        stock=replace(
            trial.stock, lightness=round(hidden_of(trial.machine, trial.stock, SEED).made.bare_l, 1)
        ),
    )


class ReadTest(unittest.TestCase):
    def test_tones_places_and_evenness_of_an_engraved_grid(self):
        seen = read_photo(pixels(GRID), known(GRID), f35=26.0)
        truth = {one.cell: one for one in burnt_of(GRID.id, SEED)}
        bare = hidden_of(GRID.machine, GRID.stock, SEED).made.bare_l
        good = [cell for cell in seen.cells if not cell.flags]
        self.assertGreater(len(good), 20)
        self.assertLess(
            np.mean([abs(cell.delta_l - (truth[cell.cell].lightness - bare)) for cell in good]), 1.5
        )
        middles = np.array(
            [(x + w / 2, y + h / 2) for x, y, w, h in (cell.rect_mm for cell in GRID.cells)]
        )
        true = np.array([snap(GRID.id).pixel(*middle) for middle in middles])
        off = (
            np.linalg.norm(
                true - seen.sight.lens.project(face_points(GRID, middles, "front")), axis=1
            )
            / seen.sight.lens.px_per_mm()
        )
        self.assertLess(np.percentile(off, 95), 0.05)
        self.assertEqual(seen.sight.marks, 4)

    def test_line_widths_of_a_focus_test(self):
        seen = read_photo(pixels(FOCUS), FOCUS, f35=26.0)
        truth = {one.cell: one.kerf_mm for one in burnt_of(FOCUS.id, SEED)}
        off = [
            abs(cell.line_mm - truth[cell.cell])
            for cell in seen.cells
            if not cell.flags and truth[cell.cell] >= 0.15
        ]
        self.assertGreater(len(off), 3)
        self.assertLess(np.mean(off), 0.015)

    def test_pieces_that_are_out_and_edges_that_are_charred(self):
        seen = {cell.cell: cell for cell in read_photo(pixels(CUT), CUT, f35=26.0).cells}
        for one in burnt_of(CUT.id, SEED):
            if not seen[one.cell].flags:
                self.assertEqual(
                    seen[one.cell].out, one.through and one.seen.verdict == "free", one
                )
        heat = [one.edge_heat for one in burnt_of(CUT.id, SEED)]
        near = [seen[one.cell].near_l for one in burnt_of(CUT.id, SEED)]
        self.assertLess(
            np.corrcoef(heat, near)[0, 1], -0.7
        )  # the hotter, the darker beside the cut

    def test_the_back_is_found_by_its_holes_and_tells_what_was_cut_through(self):
        out = frozenset(one.cell for one in burnt_of(CUT.id, SEED) if one.seen.verdict == "free")
        shot = replace(HELD, ground="paper")
        seen = read_photo(pixels(CUT, shot=shot, side="back"), CUT, side="back", f35=26.0, out=out)
        self.assertEqual((seen.sight.how, seen.sight.side), ("holes", "back"))
        truth = {one.cell: one.through for one in burnt_of(CUT.id, SEED)}
        judged = [cell for cell in seen.cells if not cell.flags]
        self.assertGreater(len(judged), 8)
        self.assertLessEqual(
            sum(bool(cell.out or cell.open) != truth[cell.cell] for cell in judged), 1
        )

    def test_corners_picked_by_hand_do_as_well(self):
        box = picked_box(GRID, "front")
        height = GRID.coupon.height_mm
        corners = [
            snap(GRID.id).pixel(x, height - y)
            for x, y in ((box[0], box[1]), (box[2], box[1]), (box[2], box[3]), (box[0], box[3]))
        ]
        shaky = [
            (x + dx, y + dy)
            for (x, y), (dx, dy) in zip(corners, ((6, -5), (-7, 4), (5, 6), (-4, -8)), strict=True)
        ]
        bare = replace(known(GRID), fiducials=())
        seen = read_photo(pixels(GRID), bare, corners_px=shaky, f35=26.0)
        middles = np.array(
            [(x + w / 2, y + h / 2) for x, y, w, h in (cell.rect_mm for cell in GRID.cells)]
        )
        true = np.array([snap(GRID.id).pixel(*middle) for middle in middles])
        off = (
            np.linalg.norm(
                true - seen.sight.lens.project(face_points(GRID, middles, "front")), axis=1
            )
            / seen.sight.lens.px_per_mm()
        )
        self.assertLess(np.percentile(off, 95), 0.15)

    def test_a_grey_card_teaches_the_phones_curve_and_the_stocks_lightness(self):
        bent = replace(HELD, card=True, fill=0.5, curve=(0.12, 0.03))
        seen = read_photo(pixels(GRID, shot=bent), GRID, f35=26.0)
        self.assertTrue(seen.by_card)
        self.assertNotEqual(seen.curve, PhoneCurve())
        self.assertAlmostEqual(
            seen.stock_l, hidden_of(GRID.machine, GRID.stock, SEED).made.bare_l, delta=6.0
        )
        self.assertEqual(len(CARD_L), 3)

    def test_without_the_stocks_lightness_tones_are_relative_and_it_is_asked_for_once(self):
        plain = read_photo(pixels(GRID), GRID, f35=26.0)
        self.assertTrue(any("L* in Set up" in words for words in plain.says))
        measured = read_photo(pixels(GRID), known(GRID), f35=26.0)
        self.assertFalse(any("L* in Set up" in words for words in measured.says))
        pairs = [
            (relative, sure)
            for relative, sure in zip(plain.cells, measured.cells, strict=True)
            if not (relative.flags or sure.flags)
        ]
        self.assertTrue(pairs)
        for relative, sure in pairs:
            self.assertGreater(relative.sd_l, sure.sd_l)
        black = Stock("Black cast acrylic", "acrylic", 3.0, colour="black")
        trial = kind_plan("grid", "engrave", stock=black).trial
        burnt = tuple(StandInBench(SEED).burn(trial))
        taken = photograph(
            trial, burnt, hidden_of(LONG, black, SEED), letters(), seed=SEED, shot=HELD
        )
        lighter = read_photo(decode_photo(taken.jpeg).pixels, trial, f35=26.0)
        self.assertTrue(any("needs_lightness" in cell.flags for cell in lighter.cells))

    def test_a_card_with_a_reflection_on_it_teaches_nothing(self):
        picture = pixels(GRID, shot=replace(HELD, card=True, fill=0.5))
        sight, _ = locate(picture, GRID, f35=26.0)
        marks = np.concatenate([sight.found[mark][0] for mark in CARD_IDS])
        area = np.zeros(picture.shape[:2], np.uint8)
        cv2.fillConvexPoly(area, cv2.convexHull(marks.astype(np.int32)), 1)
        dark = (area > 0) & (picture.max(2) < 95)
        dark = cv2.morphologyEx(dark.astype(np.uint8), cv2.MORPH_OPEN, np.ones((25, 25))) > 0
        shiny = picture.copy()
        shiny[dark] += 70  # the darkest patch, too wide to be a part of a mark
        seen = read_photo(shiny, GRID, f35=26.0)
        self.assertFalse(seen.by_card)
        self.assertEqual(seen.curve, PhoneCurve())
        self.assertTrue(any("crosses the grey card" in words for words in seen.says))

    def test_a_reflection_over_many_cells_is_flagged_not_read_as_tone(self):
        black = Stock("Black cast acrylic", "acrylic", 3.0, colour="black")
        trial = kind_plan("grid", "engrave", stock=black).trial
        hidden, burnt = hidden_of(LONG, black, SEED), tuple(StandInBench(SEED).burn(trial))
        truth, bare_l = {one.cell: one for one in burnt}, hidden.made.bare_l
        shot = replace(HELD, card=True, glare=(0.46, 0.45, 0.136, 1.0))
        taken = photograph(trial, burnt, hidden, letters(), seed=SEED, shot=shot)
        seen = read_photo(decode_photo(taken.jpeg).pixels, known(trial), f35=26.0)
        flagged = [cell for cell in seen.cells if cell.flags]
        self.assertTrue(any("uneven_light" in cell.flags for cell in flagged))
        for cell in seen.cells:
            if not cell.flags:
                true = truth[cell.cell].lightness - bare_l
                self.assertAlmostEqual(cell.delta_l, true, delta=6.0, msg=cell.cell)

    def test_covered_shaded_and_glaring_cells_are_not_judged(self):
        target = max(GRID.cells, key=lambda cell: cell.order)
        x, y, w, h = target.rect_mm
        covered = replace(
            HELD,
            cover=((x - 2, y - 2, x + w + 2, y + h + 2), (62.0, 14.0, 16.0)),
            glare=(0.5, 0.5, 0.08, 2.5),
        )
        seen = {
            cell.cell: cell for cell in read_photo(pixels(GRID, shot=covered), GRID, f35=26.0).cells
        }
        self.assertTrue(seen[target.id].flags)
        self.assertTrue(
            any("clipped" in cell.flags or "bright_spot" in cell.flags for cell in seen.values())
        )
        verdicts = suggest(list(seen.values()), "engrave", Limits(20, 35), back_seen=False)
        self.assertIsNone(next(one for one in verdicts if one.cell == target.id).verdict)

    def test_clear_stock_is_measured_but_its_darkness_is_never_judged(self):
        clear = replace(GRID, stock=replace(GRID.stock, opacity="clear"))
        seen = read_photo(pixels(GRID), clear, f35=26.0)
        self.assertTrue(all("clear_stock" in cell.flags for cell in seen.cells))
        self.assertTrue(any("Darkness cannot be read on clear stock" in word for word in seen.says))


class RefusalTest(unittest.TestCase):
    def trouble(self, picture, trial=GRID, **more):
        with self.assertRaises(PhotoTrouble) as caught:
            read_photo(picture, trial, f35=26.0, **more)
        self.assertGreater(len(str(caught.exception)), 40)
        return caught.exception.code

    def test_each_photo_that_cannot_be_read_says_why(self):
        good = pixels(GRID)
        blank = np.full_like(good, 150)
        self.assertEqual(self.trouble(blank), "no_marks")
        other = replace(
            GRID, fiducials=tuple(replace(mark, id=(mark.id + 8) % 48) for mark in GRID.fiducials)
        )
        self.assertEqual(self.trouble(good, other), "wrong_coupon")
        two = np.hstack(
            [cv2.resize(good, None, fx=0.5, fy=0.5), cv2.resize(good, None, fx=0.5, fy=0.5)]
        )
        self.assertEqual(self.trouble(two), "two")
        self.assertEqual(
            self.trouble(good, corners_px=[(10, 10), (20, 20), (30, 30), (40, 40)]), "bad_corners"
        )
        self.assertEqual(self.trouble(good, side="back"), "no_marks")
        another = kind_plan("grid", "engrave", cell_mm=7.0, gap_mm=9.0).trial
        self.assertIn(
            self.trouble(good, replace(another, coupon=GRID.coupon, fiducials=GRID.fiducials)),
            ("bad_layout", "bad_fit"),
        )

    def test_a_mirrored_picture_is_turned_back_and_said(self):
        seen = read_photo(np.ascontiguousarray(pixels(GRID)[:, ::-1]), GRID, f35=26.0)
        self.assertTrue(seen.sight.mirrored)
        self.assertTrue(any("mirrored" in word for word in seen.says))

    def test_files_that_are_no_photo_or_a_broken_one(self):
        data = snap(GRID.id).jpeg
        for bad, words in (
            (b"", "not a picture"),
            (b"%PDF-1.7 and so on" * 20, "not a picture"),
            (data[:3] + b"\0" * 5000, "damaged"),
            (jpeg(np.zeros((200, 150, 3), np.uint8)), "too small"),
        ):
            with self.subTest(words):
                with self.assertRaisesRegex(BadFile, words):
                    decode_photo(bad, "coupon.jpg")
        bomb = io.BytesIO()
        Image.new("1", (12000, 12000)).save(bomb, "PNG")
        with self.assertRaisesRegex(BadFile, "144 megapixels; up to 120"):
            decode_photo(bomb.getvalue())

    def test_a_cut_off_file_is_read_as_far_as_it_goes(self):
        shot = replace(HELD, orientation=1, roll_deg=0.0, tilt_deg=0.0, fill=0.9)
        data = snap(GRID.id, shot=shot).jpeg
        photo = decode_photo(data[: int(0.80 * len(data))], "half.jpg")
        self.assertIsNotNone(photo.missing_from)
        self.assertIn("cut off", photo.says[0])
        seen = read_photo(photo.pixels, GRID, f35=photo.f35, missing_from=photo.missing_from)
        self.assertTrue(
            any("off_frame" in cell.flags or "marks" in " ".join(seen.says) for cell in seen.cells)
        )

    def test_every_kind_of_file_and_way_of_holding_the_phone(self):
        picture = cv2.resize(pixels(GRID), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        png, heic = io.BytesIO(), io.BytesIO()
        image = Image.fromarray(np.ascontiguousarray(picture[..., ::-1]))
        image.save(png, "PNG")
        import pillow_heif

        pillow_heif.register_heif_opener()
        image.save(heic, "HEIF", quality=85, enc_params={"preset": "ultrafast"})
        for data, suffix in (
            (jpeg(picture), ".jpg"),
            (png.getvalue(), ".png"),
            (heic.getvalue(), ".heic"),
            (jpeg(cv2.rotate(picture, cv2.ROTATE_90_CLOCKWISE)), ".jpg"),
        ):
            with self.subTest(suffix):
                self.assertEqual(suffix_of(data), suffix)
                seen = read_photo(decode_photo(data).pixels, GRID)
                self.assertEqual(seen.sight.marks, 4)

    def test_very_large_photos_are_decoded_smaller(self):
        large = cv2.resize(pixels(GRID), None, fx=1.8, fy=1.8, interpolation=cv2.INTER_LINEAR)
        photo = decode_photo(jpeg(large))
        self.assertEqual(photo.reduced, 2)
        self.assertEqual(read_photo(photo.pixels, GRID).sight.marks, 4)


class JudgeTest(unittest.TestCase):
    def cell(self, name, **more):
        return CellSight(name, more.pop("confidence", 1.0), more.pop("flags", ()), sd_l=0.6, **more)

    def test_a_piece_that_is_in_is_told_only_by_the_back(self):
        cells = [
            self.cell("A1", out=True, near_l=-8.0),
            self.cell("A2", out=False, open=True, near_l=-1.0),
            self.cell("A3", out=False, open=False, near_l=-14.0),
        ]
        front = suggest(cells, "cut", Limits(), back_seen=False)
        self.assertEqual(
            [(one.verdict, one.char) for one in front], [("free", 1), (None, 0), (None, 2)]
        )
        both = suggest(cells, "cut", Limits(), back_seen=True)
        self.assertEqual([one.verdict for one in both], ["free", "hangs", "not_through"])

    def test_tones_before_and_after_the_shop_has_said_what_is_right(self):
        cells = [
            self.cell(f"A{n}", delta_l=-float(v), lightness=80.0 - v)
            for n, v in enumerate((1, 10, 22, 40))
        ]
        first = suggest(cells, "engrave", Limits(), back_seen=False)
        self.assertEqual(
            [one.verdict for one in first], ["no_mark", "too_light", "right", "too_dark"]
        )
        self.assertTrue(all(one.confidence <= 0.4 for one in first[1:]))
        taught = [
            Taught(Reading(f"B{n}", verdict), delta_l=-float(v))
            for n, (v, verdict) in enumerate(
                (
                    (8, "too_light"),
                    (24, "too_light"),
                    (30, "right"),
                    (38, "right"),
                    (44, "too_dark"),
                )
            )
        ]
        limits = learned_limits(taught)
        self.assertEqual((limits.light, limits.dark, limits.taught), (27.0, 41.0, 5))
        later = suggest(cells, "engrave", limits, back_seen=False)
        self.assertEqual(
            [one.verdict for one in later], ["no_mark", "too_light", "too_light", "right"]
        )
        self.assertGreater(later[1].confidence, 0.9)

    def test_one_mistaken_reading_does_not_move_the_limits(self):
        taught = [
            Taught(Reading(f"B{n}", "too_light" if v < 27 else "right"), delta_l=-float(v))
            for n, v in enumerate(range(5, 45, 4))
        ]
        wrong = [*taught, Taught(Reading("C1", "too_light"), delta_l=-40.0)]
        self.assertAlmostEqual(learned_limits(wrong).light, learned_limits(taught).light, delta=2.1)

    def test_edge_grades_are_learned_too(self):
        taught = [
            Taught(Reading(f"B{n}", "free", char=grade), near_l=-float(v))
            for n, (v, grade) in enumerate(((1, 0), (3, 0), (9, 1), (12, 1), (20, 2)))
        ]
        limits = learned_limits(taught)
        self.assertEqual((limits.brown, limits.charred), (-6.0, -16.0))

    def test_dark_stock_that_engraves_lighter_is_lighter(self):
        trial = kind_plan(
            "grid", "engrave", LONG, Stock("Dial black", "acrylic", 3.0, colour="black")
        ).trial
        bench = StandInBench(2)
        seen = read_photo(
            decode_photo(bench.photograph(trial, letters(), nuisances=False)).pixels, trial
        )
        self.assertGreater(np.median([cell.delta_l for cell in seen.cells]), 5)
        self.assertEqual(BIRCH.opacity, "opaque")
