"""The path by command line alone, each step's JSON against its schema, and bad input told in one
sentence.
"""

import base64
import contextlib
import io
import json
import math
import re
import tempfile
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime
from pathlib import Path

from PIL import Image
from pypdf import PdfReader

from olive_almanac.__main__ import services
from olive_almanac.cli import command
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.formats.drawing_in import read_drawing
from olive_almanac.formats.letters import letters
from olive_almanac.formats.station_files import (
    read_trial,
    write_entry,
    write_machine,
    write_readings,
    write_stock,
    write_trial,
)
from olive_almanac.standins.bench import StandInBench
from olive_almanac.storage.library import Library
from tests.formats.test_station_files import validate
from tests.samples import (
    BIRCH,
    LONG,
    NORTH,
    VINYL,
    cut_trial,
    kind_plan,
    read_by_energy,
    sample_entry,
)


class CliCase(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.machine, self.stock = self.folder / "m.json", self.folder / "s.json"
        self.machine.write_text(write_machine(LONG))
        self.stock.write_text(write_stock(BIRCH))
        self.services = replace(
            services,
            default_library=lambda: self.folder / "library",
            today=lambda: date(2026, 4, 14),
        )

    def run_cli(self, *words):
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = command.main([str(word) for word in words], self.services)
        return status, out.getvalue(), err.getvalue()

    def done(self, *words):
        status, out, err = self.run_cli(*words)
        self.assertEqual(status, 0, err)
        return out

    def refused(self, *words):
        status, out, err = self.run_cli(*words)
        self.assertEqual(status, 1, out)
        self.assertEqual(len(err.strip().splitlines()), 1, err)
        self.assertNotIn("Traceback", err)
        return err

    def plan(self, *more, task="cut", out=None):
        return (
            "plan",
            "--machine",
            self.machine,
            "--stock",
            self.stock,
            "--task",
            task,
            "--out",
            out or self.folder / "plan",
            *more,
        )


class ShelfTest(CliCase):
    """Machines, stocks, old notes and pages, in a library that is empty at first."""

    def setUp(self):
        super().setUp()
        self.done(
            *("machine", "add", "--set", "name=Long Bed", "--set", "source=co2"),
            *("--set", "optical_power_w=60"),
        )

    def test_a_machine_is_added_changed_and_written(self):
        self.assertIn("Long Bed: CO₂, 60 W optical", self.done("machine"))
        self.done("machine", "change", "long bed", "--set", "optical_power_w=55")
        out = self.folder / "out.json"
        self.done("machine", "write", "Long Bed", "--out", out)
        validate("machine", out.read_text())
        written = json.loads(out.read_text())
        self.assertEqual((written["optical_power_w"], written["source"]), (55, "co2"))
        (listed,) = json.loads(self.done("machine", "--json"))["machines"]
        self.assertEqual(listed, written)

    def test_what_a_form_does_not_take_is_said_and_changes_nothing(self):
        for words, said in (
            (("add", "--set", "name=A", "--set", "optical_power_w=abc"), "must be a number in W"),
            (("add", "--set", "source=xray"), "no source “xray”"),
            (("change", "Long Bed", "--set", "colour=red"), "no field “colour”"),
            (("change", "Short Bed", "--set", "name=B"), "no machine “Short Bed”"),
            (("write", "Long Bed"), "--out"),
            (("add", "--set", "name"), "FIELD=VALUE"),
        ):
            with self.subTest(words):
                self.assertIn(said, self.refused("machine", *words))
        self.assertEqual(len(json.loads(self.done("machine", "--json"))["machines"]), 1)

    def test_a_stock_comes_from_its_form_or_from_a_file_once(self):
        self.done(
            *("stock", "add", "--set", "name=Walnut", "--set", "family=hardwood"),
            *("--set", "thickness_mm=1/8in"),
        )
        self.done("stock", "add", "--file", self.stock)
        self.assertIn("has already", self.refused("stock", "add", "--file", self.stock))
        stocks = json.loads(self.done("stock", "--json"))["stocks"]
        birch, walnut = sorted(stocks, key=lambda one: one["name"])
        self.assertEqual((walnut["thickness_mm"], birch["name"]), (3.175, BIRCH.name))

    def test_old_notes_come_in_as_guesses_and_are_printed(self):
        notes = self.folder / "old.csv"
        notes.write_text("stock,thickness,power,speed\nbirch ply,3,80,12\nbirch ply,x,80,12\n")
        self.assertIn("give --unit", self.refused("notes", notes))
        told = self.done("notes", notes, "--unit", "mm/s", "--check")
        self.assertIn("row 2: A guess: 80 %, 12 mm/s, 1 pass.", told)
        self.assertIn("row 3: No thickness is noted. Left out.", told)
        self.assertIn("1 setting would come in as a guess.", told)
        self.assertEqual(json.loads(self.done("book", "--json"))["entries"], [])
        told = json.loads(self.done("notes", notes, "--unit", "mm/s", "--json"))
        self.assertEqual([row["left_out"] for row in told["rows"]], [False, True])
        (entry,) = json.loads(self.done("book", "--json"))["entries"]
        self.assertEqual(entry["entry"]["setting"]["speed_mm_s"], 12)
        for page, of in (
            ("card", entry["entry"]["uid"]),
            ("label", entry["entry"]["uid"]),
            ("wall", "Long Bed"),
        ):
            out = self.folder / f"{page}.pdf"
            self.done("print", page, of, "--out", out)
            with self.subTest(page):
                self.assertIn("80", PdfReader(out).pages[0].extract_text())
        card = ("print", "card", entry["entry"]["uid"], "--out", out)
        self.done(*card, "--lengths", "in", "--unit", "in/min")
        told = PdfReader(out).pages[0].extract_text()
        self.assertIn("0.118 in", told)
        self.assertIn("in/min", told)
        self.assertNotRegex(told, r"\d mm\b(?!/)")
        self.assertIn("no entry “x”", self.refused("print", "card", "x", "--out", out))


class CopiesTest(CliCase):
    def test_the_library_is_copied_and_a_backup_is_put_in_place(self):
        self.done("stock", "add", "--file", self.stock)
        stick = self.folder / "stick"
        self.assertIn("no library", self.refused("copy", stick, "--library", self.folder / "none"))
        said = json.loads(self.done("copy", stick, "--json"))
        self.assertEqual(said["copied_to"], str(stick / "olive-almanac-2026-04-14"))
        self.assertIn(BIRCH.name, self.done("--library", said["copied_to"], "stock"))
        store = Library.open(self.folder / "library")
        kept = store.backup()
        store.close()
        self.done("stock", "add", "--set", "name=Walnut", "--set", "family=hardwood")
        self.assertIn(kept.name, self.done("restore", "--list"))
        self.assertIn("no backup “x.db”", self.refused("restore", "x.db"))
        self.assertIn("is kept as", self.done("restore", kept.name))
        self.assertNotIn("Walnut", self.done("stock"))

    def test_folders_of_any_name(self):
        self.done("stock", "add", "--file", self.stock)
        odd = self.folder / "st\udcff ick"  # a name from another system
        said = json.loads(self.done("copy", odd, "--json"))
        self.assertIn(BIRCH.name, self.done("--library", said["copied_to"], "stock"))
        told = self.refused("copy", self.folder / ("9" * 400))
        self.assertRegex(told, "cannot be written: File name too long.*Nothing")


class RecipesAndCausesTest(CliCase):
    def setUp(self):
        super().setUp()
        self.blue, self.glass = self.folder / "n.json", self.folder / "g.json"
        self.blue.write_text(write_machine(NORTH))
        glass = Stock("Cover glass", "glass", 4.0, (4.0,), opacity="clear")
        self.glass.write_text(write_stock(glass))

    def test_recipes_are_named_and_planned_with(self):
        subject = ("--machine", self.blue, "--stock", self.glass, "--task", "engrave")
        out = self.done("recipes", *subject)
        self.assertTrue(out.startswith("glass-tape (needed): "))
        validate("recipes", self.done("recipes", *subject, "--json"))
        trial = self.done(
            "plan", *subject, "--recipe", "glass-tape", "--out", self.folder / "t", "--json"
        )
        validate("trial", trial)
        self.assertEqual(json.loads(trial)["recipes"][0]["origin"], "glass-tape")
        told = self.refused("plan", *subject, "--recipe", "spray", "--out", self.folder / "u")
        self.assertIn("glass-tape, glass-paint", told)

    def test_two_recipes_are_planned_burnt_and_decided(self):
        subject = ("--machine", self.machine, "--stock", self.stock, "--task", "cut")
        out = self.folder / "both"
        self.done(
            "plan", *subject, "--kind", "recipes", "--recipe", "bare", "--recipe", "wood-tape",
            "--out", out,
        )  # fmt: skip
        trial = json.loads((out / "trial.json").read_text())
        self.assertEqual({cell.get("recipe", 0) for cell in trial["cells"]}, {0, 1})
        self.done("burn", out / "trial.json", "--seed", "5", "--out", self.folder / "burnt")
        seen = self.folder / "burnt" / "seen.json"
        validate("decision", self.done("decide", out / "trial.json", seen, "--json"))
        told = self.refused("plan", *subject, "--kind", "recipes", "--out", self.folder / "none")
        self.assertIn("2 to 4", told)

    def test_machines_side_by_side_and_up_to_what_thickness(self):
        asked = ("where", self.machine, self.blue, "--stock", self.stock)
        out = self.done(*asked)
        self.assertTrue(out.startswith("Long Bed"))  # the quickest first
        validate("where", self.done(*asked, "--json"))
        reach = self.done(*asked, "--reach")
        self.assertRegex(reach, r"Long Bed 60 W: \d+ mm: \d+ pass")
        validate("reach", self.done(*asked, "--reach", "--json"))
        glass = self.done("where", self.blue, "--stock", self.glass)
        self.assertIn("cannot", glass)

    def test_causes_by_readings_and_what_is_said(self):
        trial = cut_trial()
        files = []
        for name, edge in (("a", 2.0), ("b", 2.9)):
            one = replace(trial, id=name, name=name)
            places = self.folder / f"{name}.json", self.folder / f"{name}-r.json"
            places[0].write_text(write_trial(one))
            places[1].write_text(write_readings(name, read_by_energy(one, edge)))
            files += places
        asked = ("wrong", *files, "--sign", "lens_due", "--sign", "power_low")
        self.assertTrue(self.done(*asked).startswith("1. the lens or window is dirty"))
        document = self.done(*asked, "--json", "--most", "2")
        validate("causes", document)
        self.assertTrue(json.loads(document)["signs"]["weaker"])
        self.assertEqual(len(json.loads(document)["causes"]), 2)


class WholePathTest(CliCase):
    def path(self, task, *more, seed=3):
        plan, burn = self.folder / "plan", self.folder / "burn"
        trial = json.loads(self.done(*self.plan("--json", *more, task=task, out=plan)))
        validate("trial", json.dumps(trial))
        validate("trial", (plan / "trial.json").read_text())
        validate(
            "readings",
            self.done(
                "burn", plan / "trial.json", "--seed", seed, "--out", burn, "--json", "--no-photo"
            ),
        )
        readings = self.folder / "readings.json"
        validate(
            "readings",
            self.done("read", plan / "trial.json", burn / "seen.json", "--out", readings, "--json"),
        )
        self.simulated = self.folder / "simulated.json"
        readings.rename(self.simulated)
        text = self.simulated.read_text()
        self.assertIn('"simulated": true', text)
        readings.write_text(text.replace('"simulated": true', '"simulated": false'))  # as if real
        decision = self.done("decide", plan / "trial.json", readings, "--json")
        validate("decision" if '"olive-almanac/decision"' in decision else "figures", decision)
        return json.loads(decision), plan / "trial.json", readings

    def entered(self, said):
        return re.search(r"as (\w+):", said)[1]

    def test_from_plan_to_a_proven_entry_found_again(self):
        decision, trial, readings = self.path("cut")
        self.assertTrue(decision["picks"], decision["says"])
        said = self.done("decide", trial, readings, "--enter")
        self.assertIn("on trial", said)
        self.assertRegex(said, "in speed; (burnt as it is|reckoned)")
        uid = self.entered(said)
        for sheet in "123":
            self.done("book", "--confirm", uid, "--piece", "frame", "--sheet", sheet)
        self.assertIn("one a day", self.refused("book", "--confirm", uid, "--sheet", "3"))
        found = self.done("book", "--find", "3 mm birch cut", "--json")
        validate("found", found)
        entry = json.loads(found)["entries"][0]
        self.assertEqual((entry["state"], len(entry["entry"]["proofs"])), ("proven", 3))
        self.assertIn("(proven)", self.done("book", "--find", "birch"))
        self.done("book", "--failed", uid)
        self.assertIn("(due again)", self.done("book", "--find", "birch"))

    def test_simulated_readings_enter_no_book_but_that_of_a_demo(self):
        _, trial, _ = self.path("cut")
        said = self.refused("decide", trial, self.simulated, "--enter")
        self.assertIn("stand-in", said)
        self.assertIn("Nothing was written", said)
        self.assertIn("Nothing in the book", self.done("book", "--find", "birch"))
        photo = self.folder / "shot" / "photo.jpg"
        self.done("burn", trial, "--out", photo.parent)
        by_photo = self.folder / "by-photo.json"
        self.done("read", trial, photo, "--out", by_photo)
        self.assertIn("stand-in", self.refused("decide", trial, by_photo, "--enter"))

    def test_a_bed_map_is_read_by_a_photo_of_each_place(self):
        plan, shot = self.folder / "bed", self.folder / "shot"
        self.done(*self.plan("--kind", "bed", task="engrave", out=plan))
        self.assertIn("photo-place-5.jpg", self.done("burn", plan / "trial.json", "--out", shot))
        first, *rest = sorted(shot.glob("photo-place-*.jpg"))
        out = self.folder / "tones.json"
        said = self.done("read", plan / "trial.json", first, "--also", *rest, "--out", out)
        self.assertIn("30 cells read", said)
        readings = json.loads(out.read_text())["readings"]
        self.assertTrue(all(one.get("lightness") for one in readings))
        self.assertFalse(any(one.get("verdict") for one in readings))
        corners = ("--corners", "1,1", "9,1", "9,9", "1,9", "--out", out)
        self.assertIn("by their marks", self.refused("read", plan / "trial.json", first, *corners))

    def test_a_second_photo_of_the_front_is_read_together_with_the_first(self):
        _, trial, _ = self.path("engrave")
        bench, (planned, _) = StandInBench(3), read_trial(trial.read_text(), "trial")
        judged, photos = [], [self.folder / "one.jpg", self.folder / "two.jpg"]
        for number, photo in enumerate(photos, 1):
            photo.write_bytes(bench.photograph(planned, letters(), number=number))
        out = self.folder / "tones.json"
        for more in ((), ("--also", photos[1])):
            said = self.done("read", trial, photos[0], *more, "--out", out)
            readings = json.loads(out.read_text())["readings"]
            told = sum(bool(one["verdict"] or one["lightness"] is not None) for one in readings)
            self.assertTrue(said.startswith(f"{told} cells read, {len(readings) - told} not"), said)
            judged.append(sum(not one.get("flags") for one in readings))
        self.assertGreater(judged[1], judged[0])

    def test_hotter_plans_what_is_expected_to_flare_and_says_so(self):
        hot = ("--power", "100", "--speed", "6, 10, 20", "--json")
        plain = json.loads(self.done(*self.plan(*hot, out=self.folder / "plain")))
        hotter = json.loads(self.done(*self.plan(*hot, "--hotter", out=self.folder / "hot")))
        self.assertLess(len(plain["cells"]), len(hotter["cells"]))
        self.assertTrue(hotter["choices"]["hotter"])
        self.assertNotIn("hotter", plain["choices"])

    def test_another_machine_under_a_taken_id_replaces_nothing(self):
        _, trial, readings = self.path("cut")
        first = self.entered(self.done("decide", trial, readings, "--enter"))
        written = trial.read_text()
        self.assertIn('"Long Bed"', written)
        trial.write_text(written.replace('"Long Bed"', '"Loud Bed"'))
        second = self.entered(self.done("decide", trial, readings, "--enter"))
        self.assertNotEqual(first, second)
        found = json.loads(self.done("book", "--find", "birch", "--json"))["entries"]
        self.assertEqual(len(found), 2)
        self.assertEqual(len({one["entry"]["machine_uid"] for one in found}), 2)

    def test_engraving_with_a_wanted_lightness(self):
        decision, trial, readings = self.path("engrave", "--pitch", "0.12")
        self.assertTrue(decision["picks"], decision["says"])
        self.assertIsNotNone(decision["picks"][0]["seconds_per_100cm2"])
        aimed = json.loads(self.done("decide", trial, readings, "--target", "55", "--json"))
        self.assertIn("L* 55", aimed["says"])

    def test_same_seed_same_bytes(self):
        self.path("cut")
        first = {path.name: path.read_bytes() for path in (self.folder / "burn").iterdir()}
        self.path("cut")
        self.assertEqual(
            {path.name: path.read_bytes() for path in (self.folder / "burn").iterdir()}, first
        )
        self.assertEqual(set(first), {"seen.json", "truth.json", "log.txt"})
        said = self.done("burn", self.folder / "plan" / "trial.json", "--out", self.folder / "shot")
        self.assertIn("photo.jpg", said)
        self.assertEqual((self.folder / "shot" / "photo.jpg").read_bytes()[:3], b"\xff\xd8\xff")

    def test_every_kind_is_planned_burnt_and_read_by_command_line(self):
        for kind, task in (
            ("passes", "cut"),
            ("kerf", "cut"),
            ("focus", "score"),
            ("grey", "engrave"),
            ("confirm", "cut"),
        ):
            with self.subTest(kind=kind):
                decision, trial, _ = self.path(task, "--kind", kind)
                self.assertEqual(json.loads(trial.read_text())["kind"], kind)
                self.assertTrue(decision["says"])
                if kind in ("focus", "kerf", "grey"):
                    self.assertTrue(decision["decided"], decision["says"])

    def test_an_entry_is_carried_over_to_thicker_stock_as_a_guess(self):
        _, trial, readings = self.path("cut")
        uid = self.entered(self.done("decide", trial, readings, "--enter"))
        entry, thick = self.folder / "entry.json", self.folder / "thick.json"
        told = json.loads(self.done("book", "--write", uid, "--out", entry, "--json"))
        self.assertEqual(told, {"written": str(entry)})
        validate("entry", entry.read_text())
        thick.write_text(
            write_stock(replace(BIRCH, thickness_mm=4.0, measured_mm=(), uid="birch-4"))
        )
        carry = ("carry", "--from", entry, "--to-machine", self.machine, "--to-stock", thick)
        guess = self.done(*carry, "--json")
        validate("guess", guess)
        setting, old = (
            json.loads(guess)["setting"],
            json.loads(entry.read_text())["entry"]["setting"],
        )
        self.assertGreater(
            setting["passes"] / setting["speed_mm_s"], old["passes"] / old["speed_mm_s"]
        )
        self.assertIn("another thickness", self.done(*carry))
        self.assertEqual(
            self.run_cli(
                "carry", "--from", thick, "--to-machine", self.machine, "--to-stock", thick
            )[0],
            1,
        )

    def test_the_book_is_saved_and_taken_into_another_library(self):
        _, trial, readings = self.path("cut")
        self.done("decide", trial, readings, "--enter")
        for name in ("book.pdf", "book.csv", "library.json"):
            path = self.folder / name
            self.assertIn(name, self.done("book", "--save", path))
            told = json.loads(self.done("book", "--save", path, "--json"))
            self.assertEqual(told, {"written": str(path)})
        validate("library", (self.folder / "library.json").read_text())
        other = ("--library", self.folder / "other")
        self.assertIn(
            "revisions", self.done(*other, "book", "--take-in", self.folder / "library.json")
        )
        self.assertIn("Birch ply", self.done(*other, "book", "--find", "birch"))
        again = ("book", "--take-in", self.folder / "library", "--json")
        told = json.loads(self.done(*other, *again))
        self.assertIn("Nothing new", told["says"])
        self.assertEqual(told["changed_on_both"], [])
        self.assertIn(
            "Nothing new", self.done(*other, "book", "--take-in", self.folder / "library")
        )
        self.assertIn(
            ".pdf, .csv or .json", self.refused("book", "--save", self.folder / "book.doc")
        )
        self.assertIn("PostgreSQL server", self.refused("--library", "ftp://x", "book"))

    def test_a_sheet_with_clamps_takes_the_coupon_and_the_check_holds_it(self):
        out = json.loads(
            self.done(
                *self.plan(
                    "--sheet",
                    "300x200",
                    "--clamp",
                    "0,0,20,20",
                    "--turn",
                    "--order",
                    "rows",
                    "--rest",
                    "1.5",
                    "--kind",
                    "grid",
                    "--json",
                )
            )
        )
        self.assertEqual(out["sheet"]["clamps_mm"], [[0, 0, 20, 20]])
        self.assertTrue(out["turned"] and out["rest_s"] == 1.5 and out["burn_order"] == "rows")
        x, y = out["on_sheet"]["x_mm"], out["on_sheet"]["y_mm"]
        self.assertTrue(x >= 30 or y >= 30)  # the head's clearance beside the clamp
        area = f"{x},{y},{out['coupon']['width_mm']},{out['coupon']['height_mm']}"
        self.done(
            "check", self.folder / "plan" / "coupon.nc", "--machine", self.machine, "--area", area
        )
        self.assertEqual({label["text"] for label in out["labels"]} >= {"55", "100"}, True)
        plain = json.loads(self.done(*self.plan("--no-labels", "--no-marks", "--json")))
        self.assertEqual((plain["labels"], plain["fiducials"]), ([], []))

    def test_a_sheet_that_is_too_small_is_told(self):
        self.assertIn("No room on this sheet: ", self.refused(*self.plan("--sheet", "60x40")))
        self.assertIn("Air", self.refused(*self.plan("--air", "gale")))

    def test_next_cells_are_named_on_request(self):
        _, trial, readings = self.path("cut")
        said = self.done("decide", trial, readings, "--next", "3")
        self.assertLessEqual(said.count("Next: "), 3)
        self.assertIn("Next: ", said)

    def test_levels_lists_and_units(self):
        out = json.loads(
            self.done(
                *self.plan(
                    "--power",
                    "40:100:4",
                    "--speed",
                    "1200:2400:3mm/min",
                    "--passes",
                    "1,2",
                    "--focus",
                    "1",
                    "--at",
                    "20,30",
                    "--json",
                )
            )
        )
        self.assertEqual(len(out["cells"]), 24)
        self.assertEqual(out["on_sheet"], {"x_mm": 20, "y_mm": 30})
        for got, wanted in zip(out["factors"][1]["levels"], (20, 30, 40), strict=True):
            self.assertAlmostEqual(got, wanted)

    def test_two_coupons_decide_together(self):
        _, trial, readings = self.path("cut")
        both = json.loads(self.done("decide", trial, readings, trial, readings, "--json"))
        self.assertEqual(both["cells_read"], 16)
        self.assertIn("in turn", self.refused("decide", trial, readings, trial))

    def test_the_second_batch_follows_from_what_was_read(self):
        decision, trial, readings = self.path("cut")
        again = self.plan("--after", trial, readings, "--json", out=self.folder / "second")
        second = json.loads(self.done(*again))
        self.assertEqual(second["kind"], "next")
        burnt, asked = (
            sorted(one["setting"]["speed_mm_s"] for one in second["cells"]),
            sorted(one["speed_mm_s"] for one in decision["next_cells"]),
        )
        for mine, wanted in zip(burnt, asked, strict=True):
            self.assertAlmostEqual(mine / wanted, 1.0, delta=0.01)
        wrong = self.refused(*self.plan("--after", trial, self.stock))
        self.assertIn("not a readings file", wrong)

    def test_cells_beyond_the_machine_are_noted_and_left_out(self):
        status, out, err = self.run_cli(*self.plan("--speed", "100,900"))
        self.assertEqual(status, 0)
        self.assertIn("900 mm/s", err)
        self.assertIn("4 cells", out)


class JobTest(CliCase):
    SVG = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="50mm" viewBox="0 0 60 50" '
        'fill="none"><rect x="10" y="10" width="40" height="30" stroke="red"/>'
        '<circle cx="20" cy="20" r="4" stroke="red"/><path d="M12 35h30" stroke="blue"/></svg>'
    )

    def setUp(self):
        super().setUp()
        self.drawing = self.folder / "plate.svg"
        self.drawing.write_text(self.SVG)
        for task, setting in (("cut", Setting(0.9, 12.5, 2)), ("score", Setting(0.2, 60.0))):
            entry = sample_entry(uid=task, task=task, setting=setting, kerf_x_mm=0.2, kerf_y_mm=0.1)
            (self.folder / f"{task}.json").write_text(write_entry(entry, LONG, BIRCH))

    def job(self, *more, entries=("cut", "score")):
        files = [self.folder / f"{task}.json" for task in entries]
        basics = ("--machine", self.machine, "--stock", self.stock, "--out", self.folder / "job")
        return ("job", self.drawing, *basics, "--entry", *files, *more)

    def test_a_drawing_becomes_checked_files_and_a_document(self):
        out = self.done(*self.job("--groups", "blue=score", "--copies", "5", "--json"))
        validate("job", out)
        document = json.loads(out)
        self.assertEqual(document["copies"], 5)
        tasks = {group["group"]: group["task"] for group in document["groups"]}
        self.assertEqual(tasks, {"#ff0000": "cut", "#0000ff": "score"})
        self.assertEqual(document["groups"][0]["kerf_mm"], [0.2, 0.1])
        validate("job", (self.folder / "job" / "job.json").read_text())
        program = self.folder / "job" / "sheet-1.nc"
        self.done("check", program, "--machine", self.machine)
        drawn = read_drawing((self.folder / "job" / "sheet-1.svg").read_bytes(), "sheet-1.svg")
        self.assertEqual(len(drawn.paths), 15)
        dxf = read_drawing((self.folder / "job" / "sheet-1.dxf").read_bytes(), "sheet-1.dxf")
        self.assertEqual(len(dxf.paths), 15)
        pages = PdfReader(self.folder / "job" / "job.pdf").pages
        self.assertIn("12.5 mm/s", pages[0].extract_text())

    def test_answers_pieces_and_outlines_by_command(self):
        bare = self.SVG.replace('width="60mm" height="50mm" viewBox="0 0 60 50" ', "")
        self.drawing.write_text(bare.replace("<path", '<path stroke="red" d="M0 0h9v9z"/><path'))
        more = ("--groups", "blue=leave out", "--pieces", "--closer", "--copies", "3", "--json")
        document = json.loads(self.done(*self.job(*more, "--answer", "pixels=mm")))
        validate("job", json.dumps(document))
        parts = [part for run in document["runs"] for part in run["parts"]]
        self.assertEqual((len(parts), {part["part"] for part in parts}), (6, {0, 1}))
        self.assertAlmostEqual(document["groups"][0]["length_mm"], 140 + 25.1 + 30.7, delta=0.1)
        self.assertIn("--answer", self.refused(*self.job(*more, "--answer", "pixels=ells")))

    def test_the_chance_of_the_job_comes_from_the_coupons(self):
        trial = cut_trial()
        (self.folder / "t.json").write_text(write_trial(trial))
        readings = self.folder / "r.json"
        readings.write_text(write_readings(trial.id, read_by_energy(trial, 4.4)))
        more = ("--evidence", self.folder / "t.json", readings, "--groups", "blue=score")
        document = json.loads(self.done(*self.job(*more, "--json")))
        self.assertEqual(document["paces"][0]["rule"], "book")
        self.assertTrue(0 < document["paces"][0]["p_job"] <= 1)
        self.assertIn("all falls free with", self.done(*self.job(*more)))
        hung = self.folder / "hung.json"
        hung.write_text(write_readings(trial.id, read_by_energy(trial, 9.0)))
        first = ("--first", self.folder / "t.json", hung, "--json")
        after = json.loads(self.done(*self.job(*more, *first)))
        self.assertLess(after["paces"][0]["p_job"], document["paces"][0]["p_job"])
        self.assertIn("--evidence", self.refused(*self.job("--groups", "blue=score", *first)))

    def test_a_picture_needs_a_greyscale_strip_and_is_engraved_by_it(self):
        data = io.BytesIO()
        Image.linear_gradient("L").save(data, "PNG")
        text = base64.b64encode(data.getvalue()).decode()
        at = 'x="12" y="12" width="20" height="20"'
        picture = f'<image {at} href="data:image/png;base64,{text}"/>'
        self.drawing.write_text(self.SVG.replace("<circle", picture + "<circle"))
        more = ("--groups", "blue=leave out", "--json")
        self.assertIn("--tones", self.refused(*self.job(*more)))
        trial = kind_plan("grey", "engrave").trial
        (self.folder / "t.json").write_text(write_trial(trial))
        read = [Reading(cell.id, lightness=80 - 60 * cell.setting.power) for cell in trial.cells]
        (self.folder / "r.json").write_text(write_readings(trial.id, read))
        tones = ("--tones", self.folder / "t.json", self.folder / "r.json")
        document = json.loads(self.done(*self.job(*more, *tones)))
        self.assertIn("picture", {group["group"] for group in document["groups"]})
        self.assertIn("measured curve", " ".join(document["remarks"]))

    def test_a_touched_sheet_is_burnt_where_it_lies(self):
        more = ("--groups", "blue=leave out", "--sheet", "200x150", "--json")
        touched = ("--touched", "300,100,300,300")
        document = json.loads(self.done(*self.job(*more, *touched)))
        validate("job", json.dumps(document))
        self.assertEqual(document["lies"], [{"sheet": 0, "zero_mm": [300, 100], "turn_deg": 90}])
        program = self.folder / "job" / "sheet-1.nc"
        self.done("check", program, "--machine", self.machine)
        self.assertIn("touched", self.refused(*self.job(*more, "--touched", "0,0,1,0")))
        for wrong in ("300,100", "a,b,c,d"):
            status, _, err = self.run_cli(*self.job(*more, "--touched", wrong))
            self.assertEqual((status, "4 numbers" in err), (2, True))

    def test_what_cannot_be_a_job_is_told_in_a_sentence(self):
        told = self.refused(*self.job("--groups", "blue=score", entries=("cut",)))
        self.assertIn("no entry of that task", told)
        self.assertIn("groups", self.refused(*self.job("--groups", "green=cut")))
        self.assertIn("--groups", self.refused(*self.job("--groups", "red=melt")))
        self.assertIn(
            "has room", self.refused(*self.job("--groups", "blue=score", "--sheet", "30x20"))
        )
        self.assertIn("groups", self.refused(*self.job("--groups", "=cut")))
        for worth in ("--rate", "--stock-value"):
            for number in ("nan", "inf", "-1", "1e300"):
                self.assertIn("must be at least 0", self.refused(*self.job(f"{worth}={number}")))
        self.stock.write_text(write_stock(VINYL))
        self.assertIn("is for", self.refused(*self.job()))
        self.drawing.write_text("not a drawing")
        self.assertIn("plate.svg", self.refused(*self.job()))


class ShopTest(CliCase):
    def setUp(self):
        super().setUp()
        library = Library.open(self.folder / "library")
        library.save_machine(LONG, "new")
        library.save_machine(NORTH, "new")
        library.close()
        self.services = replace(self.services, now=lambda: datetime(2026, 4, 14, 9, tzinfo=UTC))

    def due(self, *more):
        text = self.done("shop", *more, "--machine", LONG.name.lower(), "--json")
        validate("due", text)
        return {one["part"]: one for one in json.loads(text)["parts"]}

    def test_what_was_served_is_noted_once_and_due_again_after_its_interval(self):
        noted = self.due("act", "lens", "--all", "--found", "dirty", "--minutes", "6")
        self.assertEqual(noted["lens"]["last"], "2026-04-14T09:00:00+00:00")
        self.assertEqual(noted["lens"]["state"], "later")
        self.assertEqual(self.due(), {})
        self.assertIn("Nothing is due", self.done("shop", "--machine", LONG.name))
        self.assertIn("already", self.refused("shop", "act", "lens", "--machine", LONG.name))
        self.services = replace(self.services, now=lambda: datetime(2026, 4, 22, 9, tzinfo=UTC))
        lens = self.due()["lens"]
        self.assertEqual((lens["state"], lens["by"]), ("now", "days"))
        self.assertAlmostEqual(lens["share"], 8 / 7, places=3)
        self.assertRegex(self.done("shop", "--machine", LONG.name), r"now: .*14 April.*\[lens\]")

    def test_how_true_a_machine_burns_is_told_by_power_readings(self):
        self.assertIn("cannot be told yet", self.done("shop", "drift", "--machine", LONG.name))
        for day, watts in ((1, 58), (8, 58), (15, 58), (22, 48), (29, 48)):
            at = datetime(2026, 4, day, 9, tzinfo=UTC)
            self.services = replace(self.services, now=lambda at=at: at, today=at.date)
            reading = ("--watts", str(watts), "--at-percent", "100")
            self.done("shop", "act", "power", *reading, "--machine", LONG.name)
        text = self.done("shop", "drift", "--machine", LONG.name, "--json")
        validate("drift", text)
        told = json.loads(text)
        self.assertEqual((told["level"], told["hours_assumed"]), ("alarm", True))
        self.assertAlmostEqual(told["need"]["mean"], math.log(58 / 48), delta=0.04)
        self.assertIn("weaker", told["says"])
        other = json.loads(self.done("shop", "drift", "--machine", NORTH.name, "--json"))
        self.assertIsNone(other["need"])

    def test_marks_on_tape_name_the_mirror(self):
        typed = "0.2,0.1 3.1,0.4 3.3,0.6 0.1,0.3"
        text = self.done("shop", "marks", typed, "--machine", LONG.name, "--json")
        validate("mirror-marks", text)
        self.assertEqual(json.loads(text)["mirror"], 2)
        self.assertIn("Never", self.done("shop", "marks", typed, "--machine", LONG.name))
        self.assertIn("four marks", self.refused("shop", "marks", "1,1", "--machine", LONG.name))
        self.assertIn("no mirrors", self.refused("shop", "marks", typed, "--machine", NORTH.name))

    def test_a_bed_map_is_told_by_its_trial(self):
        trial = kind_plan("bed", "engrave").trial
        library = Library.open(self.folder / "library")
        library.save_machine(trial.machine, "new")
        library.save_trial(trial, "decide", "read")
        seen = [
            Reading(c.id, lightness=55 + 6 * c.col + (9 if c.row in (2, 3, 4, 5) else 0))
            for c in trial.cells
        ]
        library.save_readings(trial.id, seen, "read")
        library.close()
        text = self.done("shop", "map", trial.id, "--json")
        validate("bed-map", text)
        stories = json.loads(text)["stories"]
        self.assertEqual(max(stories, key=stories.get), "mirror 2")
        self.assertIn(trial.id, self.refused("shop", "map", "nothing"))

    def test_water_that_forbids_burning_is_said(self):
        warm = ("act", "water", "--celsius", "31", "--flow", "4")
        self.assertIn("31 °C", self.done("shop", *warm, "--machine", LONG.name))

    def test_what_is_not_there_is_told_with_what_is(self):
        self.assertIn(NORTH.name, self.refused("shop", "--machine", "South"))
        self.assertIn("mirror_3", self.refused("shop", "act", "gate", "--machine", LONG.name))
        few = ("act", "lens", "--minutes", "few")
        self.assertIn("few", self.refused("shop", *few, "--machine", LONG.name))
        empty = ("--library", self.folder / "empty", "shop")
        self.assertIn("no machine yet", self.refused(*empty))


class CheckTest(CliCase):
    GOOD = "G21 G90 G94\nM5 S0\nG0 X10 Y10\nM3 S0\nF600\nG1 X20 Y10 S500\nM5 S0\nG0 X0 Y0\nM2\n"

    def check(self, text, *more):
        path = self.folder / "other.nc"
        path.write_text(text)
        status, out, _ = self.run_cli("check", path, "--machine", self.machine, "--json", *more)
        validate("check", out)
        return status, [finding["code"] for finding in json.loads(out)["findings"]]

    def test_a_safe_file_and_our_own(self):
        self.assertEqual(self.check(self.GOOD), (0, []))
        self.done(*self.plan())
        trial = json.loads((self.folder / "plan" / "trial.json").read_text())
        area = f"10,10,{trial['coupon']['width_mm']},{trial['coupon']['height_mm']}"
        self.assertEqual(
            self.check((self.folder / "plan" / "coupon.nc").read_text(), "--area", area), (0, [])
        )

    def test_finds_each_planted_fault(self):
        for planted, code in (
            (self.GOOD.replace("M5 S0\nG0 X0 Y0", "G0 X0 Y0\nM5"), "beam-in-rapid"),
            (self.GOOD.replace("X20", "X2000"), "off-bed"),
            (self.GOOD.replace("S500", "S5000"), "over-power"),
            (self.GOOD.replace("M5 S0\nG0 X0 Y0\n", ""), "beam-left-on"),
        ):
            with self.subTest(code):
                self.assertEqual(self.check(planted), (1, [code]))

    def test_outside_the_named_area(self):
        self.assertEqual(self.check(self.GOOD, "--area", "0,0,15,15"), (1, ["off-coupon"]))


class BadInputTest(CliCase):
    def test_numbers_and_units(self):
        for more, words in (
            (("--power", "0:100:0"), "Steps of power"),
            (("--power", "40:140:3"), "Power"),
            (("--power", "x"), "Power must be a number"),
            (("--speed", "-5:10:3"), "Speed"),
            (("--speed", "0,5"), "Speed"),
            (("--speed", "1e999"), "finite"),
            (("--speed", "5 knots"), "mm/s, mm/min"),
            (("--passes", "0"), "Passes"),
            (("--cell", "nan"), "Cell side"),
            (("--at", "5"), "Place"),
            (("--at", "890,10"), "outside what is free on the bed"),
            (("--focus", "1000"), "Focus"),
        ):
            with self.subTest(more):
                self.assertIn(words, self.refused(*self.plan(*more)))

    def test_barred_stock_is_refused_with_the_reason(self):
        for family in ("vinyl", "pvc", "ptfe"):
            self.stock.write_text(write_stock(replace(VINYL, family=family)))
            self.assertIn("hydrogen", self.refused(*self.plan()))

    def test_what_cannot_work_says_why_and_what_would(self):
        from olive_almanac.core.records.stock import Stock

        for machine, stock, why, what in (
            (
                NORTH,
                Stock("Clear cast acrylic", "acrylic", 3.0, opacity="clear"),
                "passes through",
                "CO₂ machine would work",
            ),
            (
                LONG,
                Stock("Bare plate", "aluminium", 1.0),
                "do not cut metal",
                "marking works with a marking medium",
            ),
        ):
            self.machine.write_text(write_machine(machine))
            self.stock.write_text(write_stock(stock))
            told = self.refused(*self.plan())
            self.assertIn(why, told)
            self.assertIn(what, told)

    def test_disputed_stock_needs_the_shops_word(self):
        self.stock.write_text(write_stock(replace(BIRCH, name="Shelf MDF", family="mdf")))
        self.assertIn("Some refuse it", self.refused(*self.plan()))
        self.done(*self.plan("--we-burn-it"))

    def test_files_that_are_missing_foreign_newer_or_damaged(self):
        self.done(*self.plan())
        trial = self.folder / "plan" / "trial.json"
        good = trial.read_text()
        for text, words in (
            (good[:300], "damaged"),
            (good.replace('"version": 1', '"version": 7', 1), "newer"),
            ("{}", "not a trial file"),
            (write_machine(NORTH), "not a trial"),
        ):
            trial.write_text(text)
            with self.subTest(words):
                self.assertIn(words, self.refused("burn", trial, "--out", self.folder / "b"))
        self.assertIn(
            "does not exist",
            self.refused("burn", self.folder / "none.json", "--out", self.folder / "b"),
        )
        self.assertIn(
            "does not exist",
            self.refused("check", self.folder / "none.nc", "--machine", self.machine),
        )

    def test_words_and_names_that_are_no_text(self):
        odd = "\udcff\udc80"  # bytes of another system
        for words in (
            ("machine", "add", "--set", f"name={odd}"),
            ("book", "--find", odd),
            self.plan("--name", odd),
        ):
            self.assertIn("half a character", self.refused(*words))
        self.done("stock", "add", "--file", self.stock)
        self.done("machine", "add", "--file", self.machine)
        notes = self.folder / f"{odd}.csv"
        notes.write_text("material,thickness,power,speed,passes\nbirch ply,3,80,14 mm/s,1\n")
        self.assertIn("1 setting came in", self.done("notes", notes))
        self.assertIn("??.csv", self.done("book", "--json"))

    def test_whole_numbers_out_of_range(self):
        self.done(*self.plan())
        trial = self.folder / "plan" / "trial.json"
        for seed in ("-1", "9" * 30):
            told = self.refused("burn", trial, "--out", self.folder / "b", f"--seed={seed}")
            self.assertIn("--seed must be at least 0", told)
        self.done("burn", trial, "--out", self.folder / "burn", "--no-photo")
        seen = self.folder / "burn" / "seen.json"
        self.assertIn("--most", self.refused("wrong", trial, seen, "--most=-5"))
        self.assertIn("--next", self.refused("decide", trial, seen, "--next=1000000000"))

    def test_a_mark_and_blanks_before_json_are_read_over(self):
        self.done(*self.plan())
        trial, out = self.folder / "plan" / "trial.json", self.folder / "burn"
        self.done("burn", trial, "--out", out, "--no-photo")
        trial.write_bytes(b"\xef\xbb\xbf" + trial.read_bytes())
        seen, clean = out / "seen.json", self.folder / "clean.json"
        for before in (b"\xef\xbb\xbf", b"\r\n\t "):
            marked = self.folder / "marked.json"
            marked.write_bytes(before + seen.read_bytes())
            self.done("read", trial, marked, "--out", clean)
            self.assertEqual(len(json.loads(clean.read_text())["readings"]), 8)

    def test_a_folder_that_cannot_be_written(self):
        (self.folder / "file").write_text("")
        self.assertIn("Could not write", self.refused(*self.plan(out=self.folder / "file" / "x")))

    def test_targets_out_of_range(self):
        self.done(*self.plan())
        trial = self.folder / "plan" / "trial.json"
        self.done("burn", trial, "--out", self.folder / "burn", "--no-photo")
        for target in ("0", "1", "nan", "55"):
            self.assertIn(
                "Target",
                self.refused(
                    "decide", trial, self.folder / "burn" / "seen.json", "--target", target
                ),
            )

    def test_a_book_entry_that_does_not_exist(self):
        self.assertIn("no entry", self.refused("book", "--confirm", "nobody"))

    def test_wrong_usage_exits_with_two(self):
        for words in (
            ("plan",),
            ("weld",),
            ("plan", "--task", "weld"),
            ("decide",),
            ("check", "a.nc", "--machine=--"),
        ):
            self.assertEqual(self.run_cli(*words)[0], 2)

    def test_a_damaged_library_can_be_restored(self):
        library = self.services.open_library(self.folder / "library")
        library.save_machine(LONG, "set up")
        library.backup()
        library.close()
        for path in (self.folder / "library").glob("almanac.db-*"):
            path.unlink()
        (self.folder / "library" / "almanac.db").write_bytes(b"broken" * 999)
        self.assertIn("olive-almanac restore", self.refused("book"))
        self.assertIn("Restored almanac-", self.done("restore"))
        self.done("book")
