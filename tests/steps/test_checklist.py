"""The checklist's tools without a window: what each says for good, bad and odd readings."""

import math
from dataclasses import replace
from datetime import UTC, datetime

from olive_almanac.core.records.stock import Sheet
from olive_almanac.steps.book import facts_of
from olive_almanac.steps.cautions import cautions_of, safety_lines
from olive_almanac.steps.checklist import CHECKS, Checklist, standing
from olive_almanac.steps.permission import families
from tests.samples import BIRCH, LEATHER, NORTH, VINYL
from tests.steps import test_presenters


class ChecklistTest(test_presenters.SessionCase):
    def setUp(self):
        super().setUp()
        self.fill()
        self.checklist = Checklist(
            self.session, self.view, lambda: datetime(2026, 4, 14, 9, 30, tzinfo=UTC)
        )

    def tool(self, key, **texts):
        """What the tool of a line says with these fields, the others as they stand at first."""
        self.checklist.at = [check.key for check in CHECKS].index(key)
        self.checklist.texts[key] = {}
        result = self.checklist.result()
        for name, text in texts.items():
            result = self.checklist.type(name, text)
        return result

    def test_lines_stand_in_their_fixed_order_with_numbers(self):
        self.assertEqual(
            [check.key for check in CHECKS],
            ["focus", "square", "level", "frame", "exhaust", "look", "stay"],
        )
        numbers = {check.key: check.number(self.session) for check in CHECKS}
        self.assertEqual(numbers["focus"], "on the top face, depth of focus 5 mm")
        self.assertIn("on a bed of 900 × 600 mm", numbers["frame"])
        self.assertEqual(numbers["look"], "eyewear OD 3.8 or more at 10600 nm")
        self.assertIn("wood smoke", numbers["exhaust"])

    def test_numbers_come_from_the_trial_on_the_desk(self):
        self.written()
        numbers = {check.key: check.number(self.session) for check in CHECKS}
        self.assertEqual(numbers["focus"], "1.5 mm below the top face, depth of focus 5 mm")
        self.assertIn("102 × 74 mm", numbers["frame"])
        self.assertRegex(numbers["stay"], r"^\d+ (s|min \d\d s) of burning$")

    def test_level_tells_tilt_from_bow_from_twist_and_hints_at_alignment(self):
        tilted = self.tool("level", ll="0.6", lr="0", ur="0", ul="0.6", c="0.3")
        self.assertIn("Shim the lower right corner by 0.6 mm", tilted.main)
        self.assertIn("Within both: it may stay as it is.", tilted.lines[0])
        flat = dict.fromkeys(("ll", "lr", "ur", "ul", "c"), "0")
        bowed = self.tool("level", **{**flat, "c": "0.8"})
        self.assertIn("above the corners: hold it down", bowed.main)
        self.assertIn("twisted", self.tool("level", **{**flat, "ll": "0.5", "ur": "0.5"}).main)
        level = self.tool("level", **flat)
        self.assertEqual(level.main, "The piece is level.")
        self.assertIn("suspect the beam’s alignment", level.lines[1])
        self.assertFalse(self.tool("level", **{**flat, "ur": "1.8", "c": "0.9"}).good)
        self.assertTrue(self.tool("level", **flat, lm="0.01", rm="0", um="0", mm="0.02").good)

    def test_what_was_not_measured_is_not_called_good(self):
        for key in ("square", "level"):
            self.assertEqual(self.tool(key).main, "Not measured.")

    def test_three_heights_are_enough_and_two_are_told(self):
        self.assertTrue(self.tool("level", ll="0", lr="0", ur="0").good)
        self.assertEqual(self.tool("level", ll="0", lr="0").main, "1 more to tell.")

    def test_frame_with_nine_origins_and_clamps(self):
        self.assertIn("on blocks so high", self.tool("focus", part="40", room="80").lines[0])
        high = self.tool("focus", part="90", room="80")
        self.assertFalse(high.good)
        self.assertIn("17 mm too high", high.main)
        self.assertTrue(self.tool("frame", origin="centre", x="450", y="300").good)
        self.assertEqual(
            self.tool("frame", origin="upper right", x="50", y="300").main, "Move it 50 mm right."
        )
        blocked = self.tool("frame", clamp="20,20,40,40; 300,300,320,320")
        self.assertFalse(blocked.good)
        self.assertIn("A clamp at 20, 20 mm is in the way.", blocked.lines)
        self.assertIn("No move helps", self.tool("frame", w="950").main)

    def test_exposure_time_changes_the_eyewear(self):
        self.session.choose(machine="north-bench")
        self.assertIn("at least 4.1", self.tool("look", seconds="0.25").main)
        self.assertIn("at least 4.5", self.tool("look", seconds="10").main)
        self.assertIn("at least 5.5", self.tool("look", seconds="100").main)

    def test_no_density_is_claimed_where_no_formula_covers_the_beam(self):
        self.library.save_machine(replace(NORTH, uid="deep", wavelength_nm=355), "set up")
        self.session.shop.refresh()
        self.session.choose(machine="deep", stock=BIRCH.uid)
        numbers = {check.key: check.number(self.session) for check in CHECKS}
        self.assertEqual(numbers["look"], "eyewear for 355 nm, its OD from the manual")
        self.assertFalse(self.tool("look", seconds="10").good)
        self.checklist.tick()  # the manual's figure is as good
        self.assertIn("look", standing(self.session))
        notes = {note.kind: note for note in cautions_of(self.session)}
        self.assertEqual(notes["eyes"].detail, "OD from the manual, everyone in the room")
        self.assertIn(
            "no formula here covers this wavelength", dict(safety_lines(self.session))["Eyes"]
        )

    def tick(self, key):
        self.checklist.choose([check.key for check in CHECKS].index(key))
        self.checklist.tick()

    def test_ticks_outlive_the_plan_and_go_on_to_the_run(self):
        for _ in range(3):
            self.checklist.tick()
        self.assertEqual(self.checklist.left, 1)
        self.assertEqual(standing(self.session)["square"], "2026-04-14T09:30:00+00:00")
        self.burnt()
        self.assertEqual(
            set(self.library.run_of(self.session.active.trial.id).ticks),
            {"square", "level", "exhaust"},
        )

    def test_ticks_from_before_the_plan_stand_when_a_run_breaks_off(self):
        for key in ("square", "exhaust"):
            self.tick(key)
        self.written()
        burner = self.burner()
        burner.start(pace=math.inf)
        burner.stop()
        self.assertEqual(set(standing(self.session)), {"square", "exhaust"})

    def test_what_hangs_on_the_trial_comes_after_it(self):
        for key in ("focus", "frame", "stay"):
            self.tick(key)
            self.assertIn("plan it first", self.session.problem)
        self.assertEqual(standing(self.session), {})
        self.written()
        for key in ("focus", "frame", "stay"):
            self.tick(key)
        self.assertEqual(set(standing(self.session)), {"focus", "frame", "stay"})

    def test_a_tick_is_void_once_its_number_is_another_one(self):
        planner = self.written()
        for key in ("focus", "square", "frame"):
            self.tick(key)
        planner.change("focus", "0")
        planner.write()
        self.assertEqual(set(standing(self.session)), {"square", "frame"})

    def test_the_next_coupon_begins_without_ticks(self):
        self.written()
        for check in CHECKS:
            self.tick(check.key)
        self.assertEqual(self.checklist.left, 0)
        burner = self.burner()
        burner.burnt_elsewhere()
        self.assertEqual(standing(self.session), {})
        self.assertEqual(len(self.session.active.run.ticks), 7)
        self.grid().write()
        self.assertEqual(self.checklist.left, 7)

    def test_no_tick_while_the_tool_objects(self):
        self.written()
        self.assertFalse(self.tool("frame", clamp="20,20,40,40").good)
        self.checklist.tick()
        self.assertIn("File, origin and frame is not ticked", self.session.problem)
        self.assertEqual(standing(self.session), {})

    def test_a_clamp_seen_at_the_machine_is_the_sheets_own(self):
        stock = replace(BIRCH, sheets=(Sheet(400, 250),))
        self.session.shop.keep_stock(stock, "sheet noted")
        self.grid().write()
        x, y = self.session.active.trial.sheet.x_mm, self.session.active.trial.sheet.y_mm
        self.tool("frame", clamp=f"{x + 100},{y},{x + 130},{y + 15}")
        kept = self.session.subject.stock.sheets[0].clamps_mm
        self.assertEqual(kept, ((100, 0, 130, 15),))
        fresh = Checklist(self.session, self.view, lambda: None)
        fresh.choose(3)
        said = {one.key: one.text for one in fresh.fields()}["clamp"]
        self.assertEqual(said, f"{x + 100:g}, {y:g}, {x + 130:g}, {y + 15:g}")

    def test_the_air_of_the_room_goes_into_the_entry_and_a_slip_is_told(self):
        self.tool("exhaust", celsius="21,5", humidity_percent="45")
        self.assertIn("100", self.tool("exhaust", humidity_percent="450").main)
        self.assertEqual(self.session.trials.room.words, "21.5 °C, 45 % humidity")
        decider = self.decided()
        entry = decider.write_entry()
        self.assertIn(("Room when tested", "21.5 °C, 45 % humidity"), facts_of(entry, "0 of 3"))
        kept = next(one for one in self.library.entries() if one.uid == entry.uid)
        self.assertEqual(kept.evidence.room, self.session.trials.room)
        self.assertEqual(
            self.library.run_of(self.session.active.trial.id).room, self.session.trials.room
        )
        self.tool("exhaust", celsius="")
        self.assertEqual(self.session.trials.room.words, "45 % humidity")

    def test_from_memory_stands_beside_no_limit(self):
        for family in families():
            with self.subTest(family.id):
                self.session.shop.keep_stock(replace(BIRCH, family=family.id), "changed")
                self.assertNotIn("memory", " ".join(map(" ".join, safety_lines(self.session))))
                self.assertNotIn("memory", family.gives_off)

    def test_the_safety_page_speaks_of_machine_and_stock(self):
        page = dict(safety_lines(self.session))
        self.assertTrue(page["May it burn"].startswith("Yes"))
        self.assertRegex(page["Eyes"], r"OD 3\.\d for a blink, OD 3\.8 for 10 s, OD 3\.8 for 100 s")
        self.session.choose(stock=VINYL.uid)
        self.assertIn("hydrogen chloride", dict(safety_lines(self.session))["May it burn"])
        self.assertEqual(list(page)[-1], "Who decides")

    def test_a_rule_of_the_shop_is_kept_and_taken_back(self):
        self.session.shop.keep_rule("mdf", burns=True)
        self.assertEqual(self.library.rules(), {"mdf": True})
        self.session.undo_stack.undo()
        self.assertEqual(self.library.rules(), {})
        self.session.undo_stack.redo()
        self.assertEqual(self.session.catalogue.rules, {"mdf": True})

    def test_the_margin_note_names_the_optical_density(self):
        notes = {note.kind: note for note in cautions_of(self.session)}
        self.assertEqual(notes["eyes"].detail, "OD 3.8 or more, everyone in the room")
        self.session.choose(stock=LEATHER.uid)
        self.assertNotEqual(self.session.subject.stock, BIRCH)
