"""Reading with a photo, by gauge and by two people: what is kept, suggested, agreed with, learned
and undone.
"""

import os
import signal
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

from olive_almanac.core.errors import BadFile, LibraryTrouble
from olive_almanac.core.records.reading import Reading
from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from olive_almanac.steps.decide import DecidePresenter
from olive_almanac.steps.read import ReadPresenter
from olive_almanac.storage.library import Library
from tests.steps.test_presenters import SessionCase


class ReadingCase(SessionCase):
    def burnt_coupon(self, task="cut", kind="grid"):
        self.fill()
        self.session.choose(task=task)
        planner = self.grid()
        if kind != "grid":
            planner.choose_kind(kind)
        planner.write()
        self.burner().burnt_elsewhere()
        return ReadPresenter(self.session, self.view)

    def photo(self, side="front", nuisances=False):
        return StandInBench(3).photograph(
            self.session.active.trial, letters(), side=side, nuisances=nuisances
        )

    def add(self, reader, data, side="front"):
        for item in reader.photo_work(data, f"{side}.jpg", side):
            reader.take_photo(item)


class PhotoTest(ReadingCase):
    def test_a_photo_is_kept_unchanged_and_suggests_verdicts_that_can_be_agreed_with(self):
        reader = self.burnt_coupon()
        data = self.photo()
        self.add(reader, data)
        active = self.session.active
        name = active.run.photos["front"].name
        self.assertEqual(self.library.photo(name), data)
        self.assertEqual(len(list((self.folder / "photos").iterdir())), 1)
        self.add(reader, data)  # the same photo is kept once
        self.assertEqual(len(list((self.folder / "photos").iterdir())), 1)
        truth = {one.cell: one.seen.verdict for one in StandInBench(3).burn(active.trial)}
        free = [cell for cell, one in reader.suggested.items() if one.verdict == "free"]
        self.assertTrue(free)
        self.assertTrue(all(truth[cell] == "free" for cell in free))
        reader.choose(free[0])
        reader.agree()
        kept = self.session.active.readings[free[0]]
        self.assertEqual((kept.verdict, kept.by), ("free", "photo"))
        count = len(reader.agreeable)
        reader.agree_all()
        self.assertEqual(len(self.session.active.readings), 1 + count)
        reader.take_back()
        self.assertEqual(len(self.session.active.readings), 1)

    def test_the_eye_wins_and_the_difference_is_kept(self):
        reader = self.burnt_coupon()
        self.add(reader, self.photo())
        cell = next(cell for cell, one in reader.suggested.items() if one.verdict == "free")
        reader.choose(cell)
        reader.verdict("not_through")
        self.assertEqual(self.session.active.readings[cell].verdict, "not_through")
        self.assertEqual(reader.differences, {cell: "the photo says through"})
        other = Library.open(self.folder)
        self.addCleanup(other.close)
        self.assertEqual(
            {
                one.cell: one.verdict
                for one in other.other_readings(self.session.active.trial.id)["photo"]
            }[cell],
            "free",
        )

    def test_tones_are_learned_from_the_eye_and_unlearned_by_undo(self):
        reader = self.burnt_coupon("engrave")
        self.add(reader, self.photo())
        by_change = sorted(
            (abs(one.delta_l), cell)
            for cell, one in reader.suggested.items()
            if one.delta_l is not None and not one.flags
        )
        self.assertEqual(reader.limits.taught, 0)
        for at, verdict in (
            (2, "too_light"),
            (6, "too_light"),
            (10, "right"),
            (14, "right"),
            (-1, "too_dark"),
        ):
            reader.choose(by_change[at][1])
            reader.verdict(verdict)
        limits = reader.limits
        self.assertEqual(limits.taught, 5)
        self.assertTrue(by_change[6][0] < limits.light < by_change[10][0])
        self.assertTrue(by_change[14][0] < limits.dark < by_change[-1][0])
        self.assertEqual(reader.suggested[by_change[12][1]].verdict, "right")
        self.assertIsNotNone(
            self.session.active.readings[by_change[10][1]].lightness
        )  # the eye's reading carries what was measured
        reader.take_back()
        self.assertEqual(reader.limits.taught, 4)

    def test_a_start_shows_the_photo_again_and_a_damaged_one_is_told(self):
        reader = self.burnt_coupon()
        self.add(reader, self.photo())
        again = ReadPresenter(self.session, self.view)
        for item in again.reopen_work():
            again.show_again(item)
        self.assertEqual(again.rectified["front"].shape, reader.rectified["front"].shape)
        self.assertIsNone(again.reopen_work())
        path = self.folder / "photos" / self.session.active.run.photos["front"].name
        path.write_bytes(path.read_bytes()[:-200])
        with self.assertRaisesRegex(LibraryTrouble, "is damaged"):
            list(ReadPresenter(self.session, self.view).reopen_work())

    def test_what_is_no_photo_changes_nothing(self):
        reader = self.burnt_coupon()
        with self.assertRaisesRegex(BadFile, "notes.txt is not a picture"):
            list(reader.photo_work(b"only words" * 50, "notes.txt", "front"))
        self.assertEqual(self.session.active.run.photos, {})


class GaugeTest(ReadingCase):
    def test_a_slot_asks_for_its_width_goes_on_and_refuses_what_cannot_be(self):
        reader = self.burnt_coupon(kind="kerf")
        first = reader.cell
        self.assertIn(f"Slot along Y, drawn {first.nominal_mm:.2f} mm", reader.question(first))
        for text in ("-0.20", "0", "0.2", "31.2"):
            self.assertFalse(reader.measure("kerf", text), text)
            self.assertIn("Measured width must be from", self.session.problem)
        self.assertEqual(self.session.active.readings, {})
        self.assertTrue(reader.measure("kerf", f"{first.nominal_mm + 0.2:.2f}"))
        self.assertNotEqual(reader.cell, first)
        stack = next(cell for cell in reader.readable if cell.mark == "stack")
        reader.choose(stack.id)
        self.assertIn("6 pieces of 10 mm", reader.question(stack))
        self.assertFalse(reader.measure("kerf", "20"))
        self.assertTrue(reader.measure("kerf", "58.9"))
        self.assertAlmostEqual(reader.kerf_of(stack), 10 - 58.9 / 6, places=6)

    def test_lines_of_a_focus_test_are_taken_from_a_photo_and_decided(self):
        reader = self.burnt_coupon(kind="focus")
        self.assertIn("with the focus", reader.question(reader.cell))
        self.add(reader, self.photo())
        self.assertGreaterEqual(len(reader.agreeable), 5)
        reader.agree()
        self.assertEqual(len(self.session.active.readings), 1)
        reader.agree_all()
        decider = DecidePresenter(self.session, self.view)
        ((kind, found),) = decider.work()
        self.assertEqual(kind, "focus")
        self.assertTrue(found.decided, found.says)

    def test_kerf_from_combs_and_stacks_along_both_ways(self):
        reader = self.burnt_coupon(kind="kerf")
        for cell in reader.readable:
            reader.choose(cell.id)
            if cell.mark == "comb":
                self.assertTrue(reader.measure("kerf", f"{cell.nominal_mm + 0.21} mm"))
            elif cell.mark == "stack":
                long = cell.rect_mm[2] if cell.setting.direction == "x" else cell.rect_mm[3]
                self.assertTrue(
                    reader.measure("kerf", str(long - 0.19 * round(long / cell.nominal_mm)))
                )
        words = reader.kerf_words()
        self.assertRegex(words, r"kerf X 0\.\d+ ± 0\.\d+ mm from \d+")
        self.assertIn("kerf Y", words)
        self.assertAlmostEqual(
            reader.kerf_of(next(c for c in reader.readable if c.mark == "comb")), 0.21
        )
        self.assertAlmostEqual(
            reader.kerf_of(next(c for c in reader.readable if c.mark == "stack")), 0.19
        )

    def test_depth_is_typed_kept_and_taken_away_and_nonsense_is_told(self):
        reader = self.burnt_coupon()
        cell = reader.cell.id
        reader.verdict("not_through")
        reader.choose(cell)
        self.assertTrue(reader.measure("depth", "1.4"))
        self.assertEqual(
            (
                self.session.active.readings[cell].depth_mm,
                self.session.active.readings[cell].verdict,
            ),
            (1.4, "not_through"),
        )
        self.assertFalse(reader.measure("depth", "deep"))
        self.assertIn("Depth", self.session.problem)
        reader.measure("depth", "")
        self.assertIsNone(self.session.active.readings[cell].depth_mm)

    def test_a_tone_is_typed_from_a_colour_meter_and_beats_what_a_photo_could_not_tell(self):
        reader = self.burnt_coupon()
        cell = reader.cell.id
        shaded = Reading(cell, lightness=61.0, flags=("uneven_light",), by="photo")
        self.session.trials.keep_reading(cell, shaded)
        reader.choose(cell)
        self.assertTrue(reader.measure("tone", "41.5"))
        kept = self.session.active.readings[cell]
        self.assertEqual((kept.lightness, kept.flags, kept.by), (41.5, (), "gauge"))
        for text in ("dark", "140", "-3"):
            self.assertFalse(reader.measure("tone", text), text)
            self.assertEqual(self.session.active.readings[cell].lightness, 41.5)

    def test_defects_are_noted_beside_the_verdict(self):
        reader = self.burnt_coupon()
        cell = reader.cell.id
        reader.verdict("hangs")
        reader.choose(cell)
        reader.toggle_defect("reweld")
        self.assertEqual(
            self.session.active.readings[cell], Reading(cell, "hangs", defects=("reweld",))
        )
        reader.toggle_defect("reweld")
        self.assertEqual(self.session.active.readings[cell].defects, ())


class TwoReadersTest(ReadingCase):
    def test_a_second_person_reads_the_same_coupon_and_the_difference_is_shown(self):
        reader = self.burnt_coupon()
        cells = [cell.id for cell in reader.readable[:3]]
        for cell in cells:
            reader.choose(cell)
            reader.verdict("free")
        reader.read_as(second=True)
        self.assertEqual(reader.left, 24)
        for cell, verdict in zip(cells, ("free", "hangs", "free"), strict=True):
            reader.choose(cell)
            reader.verdict(verdict)
        self.assertEqual(
            self.session.active.readings[cells[1]].verdict, "free"
        )  # the first still counts
        self.assertEqual(reader.differences, {cells[1]: "the second reader says hangs"})
        reader.take_back()
        self.assertNotIn(cells[2], reader.readings)
        reader.read_as(second=False)
        self.assertEqual(len(reader.readings), 3)


class KillTest(ReadingCase):
    def test_a_kill_at_any_point_loses_no_reading_that_was_shown(self):
        self.burnt_coupon()
        trial = self.session.active.trial
        photo = self.folder / "a.jpg"
        photo.write_bytes(StandInBench(3).photograph(trial, letters(), nuisances=False))
        code = f"""
from pathlib import Path
from olive_almanac.steps.preferences import Preferences
from olive_almanac.steps.read import ReadPresenter
from olive_almanac.steps.session import Session
from olive_almanac.storage.library import Library
class View:
    def show_reading(self): pass
session = Session(Preferences(machine_uid="long-bed", stock_uid="birch-3"))
session.attach(Library.open(Path({str(self.folder)!r})))
reader = ReadPresenter(session, View())
photo = Path({str(photo)!r})
for item in reader.photo_work(photo.read_bytes(), photo.name, "front"):
    reader.take_photo(item)
print("photo", flush=True)
for n in range(24):
    cell = reader.cell.id
    reader.verdict("hangs")
    print(cell, flush=True)
"""
        for wait_for in (1, 4, 15):
            child = subprocess.Popen(
                [sys.executable, "-c", code],
                stdout=subprocess.PIPE,
                text=True,
                cwd=Path(__file__).parents[2],
            )
            told = []
            for line in child.stdout:
                told.append(line.strip())
                if len(told) >= wait_for:
                    break
            os.kill(child.pid, signal.SIGKILL)
            child.wait()
            child.stdout.close()
            other = Library.open(self.folder)
            kept = {one.cell: one for one in other.readings(trial.id)}
            run = other.run_of(trial.id)
            self.assertTrue(set(told[1:]) <= set(kept))
            self.assertEqual(other.photo(run.photos["front"].name)[:2], b"\xff\xd8")
            self.assertEqual(len(other.other_readings(trial.id)["photo"]), 24)
            for one in kept.values():
                self.assertEqual(replace(one, verdict="hangs"), one)
            other.close()
