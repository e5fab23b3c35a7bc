"""The stand-in camera photographs what the bench has burnt; its own truth says where everything
lies.
"""

import io
import unittest

import cv2
import numpy as np
from PIL import Image

from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.camera import Shot, photograph
from olive_almanac.standins.material import hidden_of
from tests.samples import kind_plan

CUT, GRID = kind_plan("grid").trial, kind_plan("grid", "engrave").trial


def snap(trial, shot=None, *, seed=3, side="front", **more):
    burnt = tuple(StandInBench(seed).burn(trial))
    return photograph(
        trial,
        burnt,
        hidden_of(trial.machine, trial.stock, seed),
        letters(),
        seed=seed,
        side=side,
        shot=shot,
        **more,
    )


def pixels(one):
    """The picture as stored, RGB; EXIF does not turn it."""
    return np.asarray(Image.open(io.BytesIO(one.jpeg)).convert("RGB")).astype(float)


class CameraTest(unittest.TestCase):
    def test_twelve_megapixels_with_the_phones_tags_and_the_same_bytes_again(self):
        one, two = snap(GRID), snap(GRID)
        self.assertEqual(one.jpeg, two.jpeg)
        picture = Image.open(io.BytesIO(one.jpeg))
        self.assertEqual(picture.width * picture.height, 4032 * 3024)
        exif = picture.getexif()
        self.assertEqual(exif[0x0112], one.shot.orientation)
        self.assertEqual(exif.get_ifd(0x8769)[0xA405], round(one.shot.f35))

    def test_marks_lie_where_the_truth_says_for_every_way_of_holding_the_phone(self):
        for orientation in (3, 6, 8):
            one = snap(
                GRID,
                Shot(tilt_deg=12, tilt_way_deg=40, roll_deg=5, k1=-0.04, orientation=orientation),
            )
            grey = cv2.cvtColor(pixels(one).astype(np.uint8), cv2.COLOR_RGB2GRAY)
            small = cv2.resize(grey, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
            detector = cv2.aruco.ArucoDetector(
                cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50)
            )
            corners, ids, _ = detector.detectMarkers(small)
            found = {
                int(i): 4 * c.reshape(4, 2).mean(0)
                for i, c in zip(np.ravel(ids), corners, strict=True)
            }
            with self.subTest(orientation):
                self.assertEqual(set(found), {mark.id for mark in GRID.fiducials})
                for mark in GRID.fiducials:
                    self.assertLess(np.hypot(*(found[mark.id] - one.pixel(*mark.centre_mm))), 8.0)

    def test_cells_look_as_burnt(self):
        one = snap(GRID, Shot(noise=0.002))
        picture = pixels(one)
        burnt = {b.cell: b.lightness for b in StandInBench(3).burn(GRID)}
        tones = []
        for cell in GRID.cells:
            x, y, w, h = cell.rect_mm
            px, py = (round(v) for v in one.pixel(x + w / 2, y + h / 2))
            tones.append((burnt[cell.id], picture[py - 12 : py + 13, px - 12 : px + 13, 1].mean()))
        truth, seen = np.array(tones).T
        self.assertGreater(np.corrcoef(truth, seen)[0, 1], 0.97)

    def test_fallen_pieces_show_the_ground_and_the_back_is_mirrored(self):
        front, back = (
            snap(CUT, Shot(ground="paper", slope=(0, 0)), side=side) for side in ("front", "back")
        )
        free = [b.cell for b in StandInBench(3).burn(CUT) if b.through and b.seen.verdict == "free"]
        blind = [b.cell for b in StandInBench(3).burn(CUT) if not b.through]
        self.assertTrue(free and blind)
        for one in (front, back):
            picture = pixels(one)

            def greenness(cell_id, one=one, picture=picture):
                x, y, w, h = CUT.cell(cell_id).rect_mm
                px, py = (round(v) for v in one.pixel(x + w / 2, y + h / 2))
                patch = picture[py - 10 : py + 11, px - 10 : px + 11].reshape(-1, 3).mean(0)
                return patch[1] / patch[0]

            self.assertGreater(min(map(greenness, free)), max(map(greenness, blind)))
        self.assertGreater(back.pixel(0.0, 10.0)[0], back.pixel(20.0, 10.0)[0])

    def test_shadow_glare_and_cover_change_the_picture_where_they_lie(self):
        plain = pixels(snap(GRID, Shot()))
        shaded = pixels(snap(GRID, Shot(shadow=(0.5, 0.5, 0.0, 0.6))))
        self.assertLess(shaded[1500, 3000].mean(), 0.85 * plain[1500, 3000].mean())
        self.assertGreater(shaded[1500, 300].mean(), 0.9 * plain[1500, 300].mean())
        self.assertEqual(
            pixels(snap(GRID, Shot(glare=(0.5, 0.5, 0.1, 3.0))))[1512, 2016].min(), 255
        )
        x, y, w, h = max(GRID.cells, key=lambda cell: cell.order).rect_mm  # the darkest
        covered = snap(GRID, Shot(cover=((x - 2, y - 2, x + w + 2, y + h + 2), (90.0, 0.0, 0.0))))
        px, py = (round(v) for v in covered.pixel(x + w / 2, y + h / 2))
        self.assertGreater(pixels(covered)[py, px].min(), plain[py, px].max() + 20)
