"""Read in the real window with a photo: dropped, pasted, chosen; corners dragged by mouse and moved
by keys; suggestions by Enter.
"""

import functools
from dataclasses import replace
from unittest import mock

import cv2
import numpy as np
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog, QFileDialog

from olive_almanac.core.photo.locate import picked_box
from olive_almanac.core.placing.places import part_seen, side_of
from olive_almanac.core.records.entry import Evidence
from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.camera import photograph
from olive_almanac.standins.material import hidden_of
from olive_almanac.views.book.entry import Evidence as DrawnEvidence
from olive_almanac.views.book.entry import PhotoEvidence
from olive_almanac.views.read.photo_view import PhotoPicture
from olive_almanac.views.theme import LIVE
from tests.samples import BIRCH, LONG, kind_plan, sample_entry, whole_run
from tests.views.test_stations import ShopCase


class BurntCase(ShopCase):
    """A burnt coupon, `trial`, lies on the desk unread."""

    def fill(self, library):
        library.save_trial(self.trial, "read", "burnt")
        library.save_run(self.trial.id, whole_run(self.trial), "burnt")


@functools.cache
def snap_of(trial):
    """A clean photo of a burnt coupon, made once."""
    burnt, hidden = tuple(StandInBench(3).burn(trial)), hidden_of(LONG, BIRCH, 3)
    return photograph(trial, burnt, hidden, letters(), seed=3, nuisances=False)


@functools.cache
def place_photo(trial, n):
    """A clean photo of a place of a bed map, made once."""
    bench, side = StandInBench(3), f"place-{n}"
    return bench.photograph(trial, letters(), side=side, number=n, nuisances=False)


class PhotoPageTest(BurntCase):
    trial = kind_plan("grid").trial

    def setUp(self):
        super().setUp()
        self.alt(Qt.Key.Key_4)
        self.snap = snap_of(self.trial)
        self.file = self.folder.parent / "coupon.jpg"
        self.file.write_bytes(self.snap.jpeg)

    def read_done(self):
        self.wait_for(
            lambda: self.page()._reading is None and "front" in self.page().presenter.rectified, 30
        )
        self.settle(50)

    def drop(self, mime):
        how = (
            Qt.DropAction.CopyAction,
            mime,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        enters, drops = (
            QDragEnterEvent(self.point(300, 300), *how),
            QDropEvent(QPointF(300, 300), *how),
        )
        self.page().dragEnterEvent(enters)
        self.assertTrue(enters.isAccepted())
        self.page().dropEvent(drops)

    def test_a_dropped_file_is_read_and_enter_agrees(self):
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(self.file))])
        self.drop(mime)
        self.read_done()
        page = self.page()
        self.assertTrue(page.photo.isVisible())
        self.assertIn("photo of the front", page.by.text())
        free = [cell for cell, one in page.presenter.suggested.items() if one.verdict == "free"]
        page.presenter.choose(free[0])
        self.settle()
        self.assertIn("The photo suggests: through", page.suggests.text())
        self.assertTrue(page.keys["T"].hinted)
        self.key(Qt.Key.Key_Return, widget=page)
        self.assertEqual(self.session.active.readings[free[0]].by, "photo")
        count = len(page.presenter.agreeable)
        self.press(f"Agree with all {count}")
        self.assertEqual(len(self.session.active.readings), 1 + count)
        self.key(Qt.Key.Key_Backspace, widget=page)
        self.assertEqual(len(self.session.active.readings), 1)
        held = next(
            cell for cell, one in page.presenter.suggested.items() if one.flags == ("holds",)
        )
        page.presenter.choose(held)
        self.settle()
        self.assertIn("still in", page.suggests.text())
        self.key(Qt.Key.Key_Space, widget=page)
        self.assertFalse(page.photo.isVisible())  # turned over to the drawing
        self.click(page.defects)
        menu = self.app.activePopupWidget()
        self.key(Qt.Key.Key_Down, widget=menu)
        self.key(Qt.Key.Key_Return, widget=menu)
        self.assertEqual(self.session.active.readings[held].defects, ("reweld",))

    def test_a_second_photo_counts_with_the_first_and_can_be_taken_away(self):
        page = self.page()
        page.read_file(str(self.file))
        self.read_done()
        self.assertFalse(page.which.isVisible())
        alone = dict(page.presenter.suggested)
        second = self.folder.parent / "again.jpg"
        second.write_bytes(
            StandInBench(3).photograph(self.trial, letters(), number=9, nuisances=False)
        )
        page.read_file(str(second))
        photos = lambda: self.session.active.run.photos  # noqa: E731
        self.wait_for(lambda: "front 2" in photos() and page._reading is None)
        self.settle()
        self.assertIn("2 photos together judge", page.says.text())
        self.assertIn("2 photos of the front", page.by.text())
        self.assertEqual(page.which.text(), "Photo 2 of 2")
        newest = page.photo._shown
        self.click(page.which)
        self.assertEqual(page.which.text(), "Photo 1 of 2")
        self.assertIsNot(page.photo._shown, newest)
        self.assertEqual(self.clipped(), [])
        self.alt(Qt.Key.Key_2)
        self.alt(Qt.Key.Key_4)
        self.click(page.which)
        self.assertEqual(page.which.text(), "Photo 2 of 2")
        self.click(page.take_away)
        self.assertEqual([one.source for one in photos().values()], ["coupon.jpg"])
        self.assertFalse(page.which.isVisible())
        self.assertEqual(page.presenter.suggested, alone)

    def test_the_book_shows_the_photo_as_evidence_with_the_cell_ringed(self):
        self.page().read_file(str(self.file))
        self.read_done()
        self.session.shop.keep_entry(
            sample_entry(evidence=Evidence((self.trial.id,), 24)), "chosen", "entry"
        )
        self.alt(Qt.Key.Key_6)
        page = self.page().right
        self.wait_for(
            lambda: [one for one in page.findChildren(PhotoEvidence) if one.isVisible()], 30
        )
        (photo,) = [one for one in page.findChildren(PhotoEvidence) if one.isVisible()]
        self.assertFalse([one for one in page.findChildren(DrawnEvidence) if one.isVisible()])
        self.assertTrue(photo.ring and photo.current in {cell.id for cell in self.trial.cells})
        self.click(photo)
        dialog = self.window.findChild(QDialog)
        self.assertTrue(dialog.isVisible() and dialog.findChildren(PhotoPicture))
        dialog.close()

    def test_a_pasted_picture_is_read_too(self):
        picture = cv2.imdecode(
            np.frombuffer(self.snap.jpeg, np.uint8),
            cv2.IMREAD_COLOR | cv2.IMREAD_IGNORE_ORIENTATION,
        )
        small = np.ascontiguousarray(
            cv2.resize(picture, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)[..., ::-1]
        )
        image = QImage(
            small.data,
            small.shape[1],
            small.shape[0],
            3 * small.shape[1],
            QImage.Format.Format_RGB888,
        ).copy()
        QGuiApplication.clipboard().setImage(image)
        self.key(Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier, self.page())
        self.read_done()
        self.assertEqual(len(self.page().presenter.suggested), 24)

    def test_what_is_no_photo_is_told_and_nothing_changes(self):
        bad = self.folder.parent / "notes.txt"
        bad.write_text("not a picture " * 20)
        self.page().read_file(str(bad))
        self.wait_for(lambda: self.session.problem != "")
        self.assertIn("notes.txt is not a picture", self.window.strip.text.text())
        self.page().read_file(str(self.folder.parent / "none.jpg"))
        self.assertIn("does not exist", self.window.strip.text.text())

    def test_corners_are_picked_by_mouse_and_keys_where_the_marks_fail(self):
        picture = cv2.imdecode(
            np.frombuffer(self.snap.jpeg, np.uint8),
            cv2.IMREAD_COLOR | cv2.IMREAD_IGNORE_ORIENTATION,
        )
        height = self.trial.coupon.height_mm
        for mark in self.trial.fiducials:
            at = tuple(round(v) for v in self.snap.pixel(*mark.centre_mm))
            cv2.circle(picture, at, 140, (150, 180, 200), -1)
        self.file.write_bytes(cv2.imencode(".jpg", picture)[1].tobytes())
        page = self.page()
        page.read_file(str(self.file))
        self.wait_for(lambda: page.corner_page.isVisible())
        self.assertIn("No marks of this coupon were found", page.corner_page.why.text())
        picker = page.corner_page.picker
        box = picked_box(self.trial, "front")
        k, left, top = picker._frame()
        for n, (x, y) in enumerate(
            ((box[0], box[1]), (box[2], box[1]), (box[2], box[3]), (box[0], box[3]))
        ):
            px, py = self.snap.pixel(x, height - y)
            goal = self.point(left + k * px * picker.scale, top + k * py * picker.scale)
            here = self.point(left + k * picker.points[n].x(), top + k * picker.points[n].y())
            QTest.mousePress(picker, Qt.MouseButton.LeftButton, pos=here)
            QTest.mouseMove(picker, goal)
            QTest.mouseRelease(picker, Qt.MouseButton.LeftButton, pos=goal)
        before = picker.corners_px()[1]
        self.type("2", picker)
        self.key(Qt.Key.Key_Right, widget=picker)
        self.assertGreater(picker.corners_px()[1][0], before[0])
        self.key(Qt.Key.Key_Left, widget=picker)
        self.press("Read with these corners")
        self.read_done()
        truth = {one.cell: one.seen.verdict == "free" for one in StandInBench(3).burn(self.trial)}
        seen = {
            cell: one
            for cell, one in page.presenter.suggested.items()
            if not [f for f in one.flags if f != "holds"]
        }
        self.assertGreater(len(seen), 12)
        self.assertTrue(all((one.verdict == "free") == truth[cell] for cell, one in seen.items()))

    def test_a_photo_can_be_left_unread(self):
        blank = np.full((1200, 1600, 3), 140, np.uint8)
        self.file.write_bytes(cv2.imencode(".jpg", blank)[1].tobytes())
        self.page().read_file(str(self.file))
        self.wait_for(lambda: self.page().corner_page.isVisible())
        self.press("Leave this photo")
        self.assertTrue(self.page().upper.isVisible())
        self.assertEqual(self.session.active.run.photos, {})

    def test_a_second_reader_and_a_gauge(self):
        page = self.page()
        self.type("t", page)
        page.reader._choose(1)
        self.settle()
        page.presenter.choose("D1")
        self.type("h", page)
        page.reader._choose(0)
        page.presenter.choose("D1")
        self.settle()
        self.assertIn("1 differ", page.count.text())
        self.assertIn("second reader says hangs", page.measured.text())
        self.key(Qt.Key.Key_G, widget=page)
        self.type("0.24", page.gauge.fields["kerf"])
        self.key(Qt.Key.Key_Return, widget=page.gauge.fields["kerf"])
        self.assertEqual(self.session.active.readings["D1"].kerf_mm, 0.24)


class GaugedPageTest(BurntCase):
    """A kerf comb is read by typing widths one after the other, without a verdict key."""

    trial = kind_plan("kerf").trial

    def test_widths_are_typed_one_after_the_other(self):
        self.alt(Qt.Key.Key_4)
        page = self.page()
        first = page.presenter.cell
        self.assertIn("how wide is it?", page.question.text())
        self.assertFalse(any(key.isVisible() for key in page.keys.values()))
        field = page.gauge.fields["kerf"]
        self.key(Qt.Key.Key_T, widget=page)  # no verdict is asked for
        self.assertEqual(self.session.active.readings, {})
        wide = f"{first.nominal_mm + 0.2:.2f}"
        self.type(wide[0], page)
        self.type(wide[1:], field)
        self.key(Qt.Key.Key_Return, widget=field)
        self.assertAlmostEqual(self.session.active.readings[first.id].kerf_mm, float(wide))
        self.assertNotEqual(page.presenter.cell, first)
        self.assertTrue(field.hasFocus())
        self.retype(field, "-0.20")
        self.key(Qt.Key.Key_Return, widget=field)
        self.assertIn("Measured width must be from", self.window.strip.text.text())
        self.assertEqual(len(self.session.active.readings), 1)


class ToneOfPhotoTest(BurntCase):
    """Decide takes the tone to reach from a cell of the photo, by mouse and by keys."""

    trial = kind_plan("grid", "engrave", stock=replace(BIRCH, lightness=80.0)).trial

    def test_a_cell_is_clicked_or_walked_to_and_its_lightness_is_aimed_at(self):
        self.session.choose(task="engrave")
        self.alt(Qt.Key.Key_4)
        file = self.folder.parent / "coupon.jpg"
        file.write_bytes(
            photograph(
                self.trial,
                tuple(StandInBench(3).burn(self.trial)),
                hidden_of(LONG, BIRCH, 3),
                letters(),
                seed=3,
                nuisances=False,
            ).jpeg
        )
        self.page().read_file(str(file))
        self.wait_for(
            lambda: self.page()._reading is None and "front" in self.page().presenter.rectified, 30
        )
        for _ in self.trial.cells:
            self.key(Qt.Key.Key_Return, widget=self.page())
        self.alt(Qt.Key.Key_5)
        page = self.page()
        self.wait_for(lambda: page.presenter.finished)
        self.assertTrue(page.aims.isVisible() and page.source.isVisible())
        self.type("p", page)
        self.wait_for(lambda: page.photo.image is not None)
        self.assertIs(page.stack.currentWidget(), page.photo)
        readings = self.session.active.readings
        cell = next(
            c for c in self.trial.cells if c.id in readings and 40 < readings[c.id].lightness < 60
        )
        k, board = page.photo._frame()
        self.click(page.photo, (page.photo._rect(cell, k, board).center() * LIVE.scale).toPoint())
        self.wait_for(lambda: page.presenter.finished)
        self.assertEqual(page.presenter.lightness, readings[cell.id].lightness)
        self.assertIn(f"L* {readings[cell.id].lightness:.0f} ±", page.presenter.decision.says)
        self.assertEqual((page.photo.current, page.aims.at), (cell.id, -1))
        way, beside = (Qt.Key.Key_Left, cell.col - 1) if cell.col else (Qt.Key.Key_Right, 1)
        self.key(way, widget=page.photo)
        near = next(c for c in self.trial.cells if (c.row, c.col) == (cell.row, beside))
        self.assertEqual(page.photo.current, near.id)
        self.key(Qt.Key.Key_Return, widget=page.photo)
        if near.id in readings:
            self.wait_for(lambda: page.presenter.finished)
            self.assertEqual(page.presenter.lightness, readings[near.id].lightness)
        self.type("m", page)
        self.assertIs(page.stack.currentWidget(), page.map)


class PlacesTest(BurntCase):
    """A bed map is read by a photo of each place."""

    trial = kind_plan("bed", "engrave").trial

    def setUp(self):
        super().setUp()
        self.session.choose(task="engrave")
        self.alt(Qt.Key.Key_4)
        self.files = []
        for n in (1, 2, 3, 4, 5):
            self.files.append(self.folder.parent / f"place{n}.jpg")
            self.files[-1].write_bytes(place_photo(self.trial, n))

    def photos(self):
        return self.session.active.run.photos

    def test_photos_of_the_places_are_chosen_at_once_and_agreed_with(self):
        page = self.page()
        self.assertIn("Photograph its place", page.answer_with.text())
        self.assertFalse(page.keys["R"].isVisible())  # no verdict tells as much as its tone
        chosen = [str(path) for path in self.files[:4]]
        with mock.patch.object(QFileDialog, "getOpenFileNames", return_value=(chosen, "")):
            self.press("Add a photo")
            self.wait_for(lambda: len(self.photos()) == 4 and page._reading is None, 60)
        self.assertIn("to come: in the middle", page.says.text())
        self.assertIn("4 of 5 places", page.by.text())
        self.assertTrue(page.photo.isVisible())
        first = page.presenter.cell.id
        shown = side_of(self.trial, first)
        self.assertEqual(page.photo.active.trial, part_seen(self.trial, shown))
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(self.files[4]))])
        page._take_mime(mime)
        self.wait_for(lambda: len(self.photos()) == 5 and page._reading is None)
        self.assertNotIn("to come", page.says.text())
        self.assertEqual(side_of(self.trial, page.presenter.cell.id), "place-5")
        self.assertIn(": in the middle", page.now.text())
        self.key(Qt.Key.Key_Return, widget=page)
        self.assertEqual([one.by for one in self.session.active.readings.values()], ["photo"])
        count = len(page.presenter.agreeable)
        self.assertGreater(count, 20)
        self.press(f"Agree with all {count}")
        self.assertTrue(all(one.verdict is None for one in self.session.active.readings.values()))
        self.assertEqual(self.clipped(), [])
        self.alt(Qt.Key.Key_5)
        decide = self.page()
        self.wait_for(lambda: "bed" in decide.presenter.found)
        self.assertEqual(len(decide.presenter.found["bed"].need), 5)
        self.assertIn("±", decide.bed.accessibleDescription())

    def test_photos_that_wait_do_not_go_to_another_coupon(self):
        page, other = self.page(), kind_plan("grid", "engrave").trial
        self.session.trials.keep(other, "read", "test")
        self.session.trials.keep_run(whole_run(other), "test")
        self.session.trials.open(self.trial.id)
        page.read_files([str(path) for path in self.files[:3]])
        self.assertEqual(len(page._coming), 2)
        self.session.trials.open(other.id)
        self.wait_for(lambda: page._reading is None)
        self.assertEqual((self.photos(), len(page._coming)), ({}, 0))
        self.session.trials.open(self.trial.id)
        self.assertLessEqual(set(self.photos()), {"place-1"})

    def test_a_tone_is_typed_by_a_meter_and_the_next_patch_comes(self):
        page = self.page()
        before = page.presenter.cell.id
        self.type("4", widget=page)
        self.type("7.5")
        self.key(Qt.Key.Key_Return)
        self.assertEqual(self.session.active.readings[before].lightness, 47.5)
        self.assertNotEqual(page.presenter.cell.id, before)

    def test_the_stand_in_photographs_each_place_in_turn(self):
        run = replace(self.session.active.run, by="stand-in")
        self.session.trials.keep_run(run, "burnt")
        self.alt(Qt.Key.Key_2)
        self.alt(Qt.Key.Key_4)
        page = self.page()
        self.press("Photograph them")
        self.wait_for(lambda: len(self.photos()) == 5 and page._reading is None, 90)
        told = {one.source for one in self.photos().values()}
        self.assertIn("stand-in photo of the rear left", told)

    def test_where_no_mark_is_seen_the_corners_of_the_place_in_hand_are_picked(self):
        bare = self.folder.parent / "bare.png"
        cv2.imwrite(str(bare), np.full((900, 1200, 3), 180, np.uint8))
        page = self.page()
        page.presenter.choose(next(iter(part_seen(self.trial, "place-2").cells)).id)
        page.read_files([str(bare), str(self.files[0])])
        self.wait_for(lambda: page.corner_page.isVisible())
        self.assertIn("front right", page.corner_page.hint.text())
        self.press("Leave this photo")
        self.wait_for(lambda: "place-1" in self.photos() and page._reading is None)
