"""The stations' presenters without a window: what they decide, record, refuse and undo."""

import math
import tempfile
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from itertools import count
from pathlib import Path

from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.core.records.machine import with_new_state
from olive_almanac.standins.bench import StandInBench
from olive_almanac.steps.book import BookPresenter, facts_of, index_columns, index_rows
from olive_almanac.steps.burn import BurnPresenter
from olive_almanac.steps.catalogue import ShopCatalogue
from olive_almanac.steps.cautions import cautions_of
from olive_almanac.steps.commands import Change, UndoStack
from olive_almanac.steps.decide import DecidePresenter
from olive_almanac.steps.find import find_entries
from olive_almanac.steps.plan.presenter import PlanPresenter
from olive_almanac.steps.plan.wording import cell_groups
from olive_almanac.steps.preferences import Preferences, load_preferences, save_preferences
from olive_almanac.steps.read import ReadPresenter
from olive_almanac.steps.session import Session
from olive_almanac.steps.set_up import (
    SetUpPresenter,
    controller_fields,
    machine_facts,
    machine_fields,
    power_fields,
    stock_fields,
)
from olive_almanac.steps.snapshot import load_snapshot, save_snapshot
from olive_almanac.steps.stations import STATIONS, progress_of
from olive_almanac.storage.library import Library
from tests.bench_line import BenchLine
from tests.samples import BIRCH, LEATHER, LONG, MARKER, NORTH, VINYL, read_by_energy, sample_entry

TODAY = date(2026, 4, 14)


class SpyView:
    """Takes whatever a presenter shows and remembers it."""

    def __init__(self):
        self.seen = []

    def __getattr__(self, name):
        if not name.startswith("show_"):
            raise AttributeError(name)
        return lambda *arguments: self.seen.append((name, *arguments))

    def last(self, name):
        return next(one for one in reversed(self.seen) if one[0] == name)


def listen_to(session):
    """A list that fills with the names of the session's signals as they are sent."""
    heard = []
    for name, signal in (
        ("shop", session.shop.changed),
        ("trials", session.trials.changed),
        ("subject", session.subject_changed),
        ("preferences", session.preferences_changed),
        ("problem", session.problem_changed),
    ):
        signal.connect(lambda name=name: heard.append(name))
    return heard


class SessionCase(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        ids = count(1)
        self.session = Session(
            Preferences(machine_uid=LONG.uid, stock_uid=BIRCH.uid),
            today=lambda: TODAY,
            new_id=lambda: f"id{next(ids)}",
        )
        self.library = Library.open(self.folder, clock=lambda: datetime(2026, 4, 14, 9, tzinfo=UTC))
        self.library.make_playground()
        self.addCleanup(self.library.close)
        self.view = SpyView()

    def fill(self):
        for machine in (NORTH, LONG, MARKER):
            self.library.save_machine(machine, "set up")
        for stock in (BIRCH, LEATHER, VINYL):
            self.library.save_stock(stock, "set up")
        self.session.attach(self.library)

    def grid(self):
        """A planner with a plain grid."""
        planner = PlanPresenter(self.session, self.view)
        planner.start()
        planner.suggest("grid")
        return planner

    def written(self):
        """The desk with a written grid."""
        self.fill()
        planner = self.grid()
        planner.write()
        return planner

    def burnt(self):
        self.written()
        burner = self.burner()
        burner.start(pace=math.inf)
        while burner.pump():
            pass
        return burner

    def burner(self):
        """A presenter whose stand-in controller runs in this thread, by a clock of its own."""
        self.bench_line = BenchLine()
        return BurnPresenter(
            self.session,
            self.view,
            lambda: StandInBench(3),
            lambda: datetime(2026, 4, 14, 9, tzinfo=UTC),
            self.bench_line.connect,
            lambda: self.bench_line.now,
        )

    def read(self, edge=2.2):
        self.burnt()
        return self.read_the_desk(edge)

    def read_the_desk(self, edge):
        """Read every cell of the burnt coupon on the desk."""
        reader = ReadPresenter(self.session, self.view)
        for reading in read_by_energy(self.session.active.trial, edge):
            reader.choose(reading.cell)
            reader.verdict(reading.verdict)
        return reader

    def decided(self):
        self.read()
        decider = DecidePresenter(self.session, self.view)
        for item in decider.work():
            decider.take(item)
        return decider


class SessionTest(SessionCase):
    def test_remembers_the_subject_and_tells_of_changes(self):
        self.fill()
        heard = listen_to(self.session)
        self.assertEqual(self.session.subject.machine, LONG)
        self.session.choose(stock=LEATHER.uid, task="engrave")
        self.assertEqual(self.session.preferences.stock_uid, LEATHER.uid)
        self.assertEqual(heard, ["preferences", "subject", "trials"])
        self.session.choose(stock=LEATHER.uid)
        self.assertEqual(len(heard), 3)  # nothing changed, nothing told

    def test_stations_say_how_far_they_are(self):
        def words():
            told = {one.title: progress_of(self.session, one) for one in STATIONS}
            return {title: (one.status, one.word) for title, one in told.items()}

        self.session.attach(self.library)
        self.assertEqual(words()["Set up"], ("now", "not yet"))
        self.fill()
        self.assertEqual(words()["Plan"], ("now", "not yet"))
        self.written()
        self.assertEqual(words()["Burn"], ("now", "waiting"))

    def test_actions_before_the_library_is_open_are_told_not_lost(self):
        self.session.show_snapshot(ShopCatalogue((LONG,), (BIRCH,), (sample_entry(),)))
        self.assertEqual(self.session.state[0], "trial")
        self.assertFalse(BookPresenter(self.session).confirm(passed=True))
        self.assertIn("still being opened", self.session.problem)

    def test_a_snapshot_shows_the_same_shelf_at_the_next_start(self):
        self.fill()
        self.session.shop.keep_entry(sample_entry(), "chosen", "entry")
        self.assertEqual(load_snapshot(self.folder), self.session.catalogue)
        (self.folder / "shelf.json").write_text("{ damaged")
        self.assertIsNone(load_snapshot(self.folder))

    def test_snapshot_stays_small(self):
        save_snapshot(
            self.folder,
            ShopCatalogue((LONG,), (BIRCH,), tuple(sample_entry(uid=f"e{n}") for n in range(900))),
        )
        self.assertEqual(len(load_snapshot(self.folder).entries), 300)

    def test_margin_note_speaks_of_the_subject(self):
        self.assertEqual(cautions_of(self.session), ())
        self.fill()
        notes = {note.kind: note for note in cautions_of(self.session)}
        self.assertIn("10600 nm", notes["eyes"].words)
        self.session.choose(stock=VINYL.uid)
        first = cautions_of(self.session)[0]
        self.assertEqual((first.kind, first.level), ("stop", "act"))
        self.assertIn("hydrogen chloride", first.detail)


class SetUpTest(SessionCase):
    def texts(self, fields, **changes):
        return {field.key: field.text for field in fields} | changes

    def test_first_machine_and_stock_become_the_subject(self):
        self.session.attach(self.library)
        presenter = SetUpPresenter(self.session, self.view)
        self.assertTrue(
            presenter.save_machine(self.texts(machine_fields(None), name="North Bench"))
        )
        self.assertTrue(
            presenter.save_stock(
                self.texts(
                    stock_fields(None),
                    name="Birch ply",
                    thickness_mm="1/8 in",
                    measured="3.1, 3.2",
                    lot="7",
                )
            )
        )
        subject = self.session.subject
        self.assertEqual(subject.machine.optical_power_w, 10)
        self.assertAlmostEqual(subject.stock.thickness_mm, 3.175)
        self.assertAlmostEqual(subject.stock.true_thickness_mm, 3.15)
        self.assertTrue(subject.complete)

    def test_each_bad_field_is_named_and_nothing_is_saved(self):
        self.session.attach(self.library)
        presenter = SetUpPresenter(self.session, self.view)
        for key, text, field in (
            ("optical_power_w", "", "Optical power"),
            ("optical_power_w", "0", "Optical power"),
            ("optical_power_w", "-3", "Optical power"),
            ("bed_w", "1e999", "Bed width"),
            ("max_speed_mm_s", "fast", "Highest speed"),
            ("name", " ", "Name of the machine"),
            ("spot_x_mm", "12 furlong", "Spot along X"),
            ("acceleration_mm_s2", "nan", "Acceleration"),
        ):
            with self.subTest(key=key, text=text):
                self.assertFalse(
                    presenter.save_machine(
                        self.texts(machine_fields(None), name="Bench") | {key: text}
                    )
                )
                _, form, named, problem = self.view.last("show_bad_field")
                self.assertEqual((form, named), ("machine", field))
                self.assertIn(field, problem)
        self.assertEqual(self.library.machines(), ())

    def test_a_change_is_a_revision_that_can_be_undone(self):
        self.fill()
        presenter = SetUpPresenter(self.session, self.view)
        presenter.save_machine(self.texts(machine_fields(LONG), optical_power_w="52"))
        self.assertEqual(self.session.subject.machine.optical_power_w, 52)
        self.session.undo_stack.undo()
        self.assertEqual(self.session.subject.machine.optical_power_w, 60)
        self.session.undo_stack.redo()
        self.assertEqual(self.library.machines()[0].optical_power_w, 52)

    def test_modes_measured_power_lens_and_dialect(self):
        self.fill()
        presenter = SetUpPresenter(self.session, self.view)
        power = self.texts(
            power_fields(LONG),
            modes="low 20, high 60 W",
            power_table="10 4, 50 28, 100 55",
            lens_focal_mm="50.8",
            other_lenses_mm="38.1; 101.6",
            beam_at_lens_mm="6",
            m2="1.2",
        )
        self.assertTrue(presenter.save_machine(power), self.view.seen[-1])
        self.assertTrue(presenter.save_machine({"modes": "low 20, high 60", "mode": "low"}))
        machine = self.session.subject.machine
        self.assertEqual(
            (machine.optical_power_w, len(machine.modes), round(machine.watts(0.5), 9)), (20, 2, 28)
        )
        self.assertEqual(machine.other_lenses_mm, (38.1, 101.6))
        self.assertIn("spot would be 0.137 mm", machine_facts(machine))
        self.assertTrue(
            presenter.save_machine(
                self.texts(controller_fields(machine), header="G54; G40", file_units="inch")
            )
        )
        self.assertEqual(self.session.subject.machine.header, ("G54", "G40"))
        self.assertFalse(self.session.subject.machine.focus_by_hand)
        for chosen in ("hand", ""):
            texts = self.texts(controller_fields(machine), focus_by_hand=chosen)
            self.assertTrue(presenter.save_machine(texts))
            self.assertEqual(self.session.subject.machine.focus_by_hand, chosen == "hand")
        for texts, field in (
            ({"modes": "twenty"}, "Power modes"),
            ({"power_table": "50 9, 40 8"}, "Power of the meter table"),
            ({"m2": "0.5"}, "M²"),
            ({"other_lenses_mm": "50, long"}, "Other lenses"),
            ({"lens_focal_mm": ""}, "Focal length"),
            ({"lens_focal_mm": "x"}, "Focal length"),
            ({"power_scale": "1,000"}, "S at full power"),
        ):
            with self.subTest(field):
                self.assertFalse(presenter.save_machine(texts))
                self.assertEqual(self.view.last("show_bad_field")[2], field)

    def test_a_stock_keeps_what_matters_for_its_family_and_its_rack(self):
        self.fill()
        presenter = SetUpPresenter(self.session, self.view)
        keys = {field.key for field in stock_fields(BIRCH)}
        self.assertIn("glue_line", keys)
        self.assertNotIn("tanning", keys)
        self.assertIn("tanning", {field.key for field in stock_fields(LEATHER)})
        self.assertTrue(presenter.save_stock(self.texts(stock_fields(BIRCH), glue_line="dark")))
        stock = self.session.subject.stock
        self.assertEqual((stock.glue_line, stock.sheets), ("dark", BIRCH.sheets))

    def test_the_lightness_of_the_bare_face_is_typed_and_stays_where_no_field_speaks_of_it(self):
        self.fill()
        presenter = SetUpPresenter(self.session, self.view)
        self.assertTrue(presenter.save_stock(self.texts(stock_fields(BIRCH), lightness="78.5")))
        self.assertEqual(self.session.subject.stock.lightness, 78.5)
        texts = self.texts(stock_fields(self.session.subject.stock))
        del texts["lightness"]
        self.assertTrue(presenter.save_stock(texts))
        self.assertEqual(self.session.subject.stock.lightness, 78.5)
        self.assertFalse(presenter.save_stock(self.texts(stock_fields(BIRCH), lightness="140")))

    def test_adding_another_leaves_the_first(self):
        self.fill()
        presenter = SetUpPresenter(self.session, self.view)
        presenter.begin_new("stock")
        self.assertIsNone(presenter.stock)
        presenter.leave_new("stock")
        self.assertEqual(presenter.stock, BIRCH)
        presenter.begin_new("stock")
        presenter.save_stock(
            self.texts(stock_fields(None), name="Walnut", family="hardwood", thickness_mm="5")
        )
        self.assertEqual(self.session.subject.stock.name, "Walnut")
        self.assertIn(BIRCH, self.session.catalogue.stocks)


class PlanTest(SessionCase):
    def test_a_cut_begins_with_the_most_telling_cells_and_the_next_lie_beside_them(self):
        self.fill()
        planner = PlanPresenter(self.session, self.view)
        planner.start()
        first = planner.plan.trial
        self.assertEqual((first.kind, len(first.cells)), ("next", 8))
        groups = cell_groups([cell.setting for cell in first.cells], "mm/s")
        self.assertRegex(groups[0][0], r"^1 pass, focus [\d.]+ mm$")
        self.assertEqual(sum(words.count("·") + 1 for _, words in groups), 8)
        planner.write()
        self.burner().burnt_elsewhere()
        self.read_the_desk(2.2)
        again = PlanPresenter(self.session, self.view)
        again.start()
        second = again.plan.trial
        self.assertEqual(second.kind, "next")
        self.assertEqual(second.area_mm[1], first.area_mm[3])  # above the first, on one piece
        self.assertFalse({c.setting for c in second.cells} & {c.setting for c in first.cells})

    def test_a_tone_begins_with_a_grid(self):
        self.fill()
        self.session.choose(task="engrave")
        planner = PlanPresenter(self.session, self.view)
        planner.start()
        self.assertEqual(planner.plan.trial.kind, "grid")

    def test_starts_from_suggested_levels_in_the_shops_unit(self):
        self.fill()
        planner = self.grid()
        self.assertEqual(len(planner.plan.trial.cells), 24)
        self.assertEqual(
            planner.texts["speed_from"], f"{planner.plan.trial.factors[1].levels[0] * 60:.0f}"
        )

    def test_bad_fields_are_told_and_leave_nothing_to_burn(self):
        self.fill()
        planner = self.grid()
        good = dict(planner.texts)
        for key, text, marked in (
            ("power_to", "140", "power"),
            ("power_from", "0", "power"),
            ("speed_from", "-2", "speed"),
            ("speed_to", "", "speed_to"),
            ("speed_steps", "2.5", "speed_steps"),
            ("passes", "1e9", "passes"),
            ("cell", "nan", "cell"),
            ("x", "far", "x"),
            ("gap", "0", "gap"),
            ("label_power", "300", "label_power"),
            ("edge", "-3", "edge"),
            ("air", "gale", "air"),
            ("power_steps", "0", "power_steps"),
            ("rest", "-1", "rest"),
            ("speed_from", "5 knots", "speed_from"),
        ):
            with self.subTest(key=key, text=text):
                planner.change(key, text)
                self.assertIsNone(planner.plan)
                self.assertEqual(self.view.seen[-1][0], "show_problem")
                self.assertEqual(self.view.seen[-1][1], marked)
                self.assertIsNone(planner.write())
                planner.change(key, good[key])
                self.assertIsNotNone(planner.plan)

    def test_writing_lays_the_trial_on_the_desk_with_all_its_files(self):
        self.written()
        active = self.session.active
        self.assertEqual(active.stage, "burn")
        folder = self.folder / "burn" / active.trial.id
        self.assertEqual(
            {path.name for path in folder.iterdir()},
            {
                "coupon.nc",
                "coupon.svg",
                "coupon.dxf",
                "key.pdf",
                "key-letter.pdf",
                "cells.csv",
                "trial.json",
            },
        )

    def test_an_unburnt_trial_is_taken_up_again_under_its_own_name(self):
        first = self.written()
        again = PlanPresenter(self.session, self.view)
        again.start()
        self.assertEqual(again.plan.trial.id, first.plan.trial.id)
        self.assertEqual(again.plan.trial, first.plan.trial)

    def test_barred_stock_gets_no_plan(self):
        self.fill()
        self.session.choose(stock=VINYL.uid)
        planner = PlanPresenter(self.session, self.view)
        planner.start()
        self.assertIsNone(planner.plan)

    def test_the_next_cells_of_a_decision_become_a_plan(self):
        self.fill()
        planner = self.grid()
        cells = [
            replace(planner.plan.trial.cells[0].setting, power=1.0, speed_mm_s=v, passes=2)
            for v in (40.0, 25.0, 15.0)
        ]
        planner.plan_next(cells)
        settings = [cell.setting for cell in planner.plan.trial.cells]
        self.assertEqual(set(settings), set(cells))
        self.assertEqual(planner.plan.trial.kind, "next")


class ReadTest(SessionCase):
    def test_each_verdict_is_in_the_library_before_the_next_cell(self):
        self.burnt()
        reader = ReadPresenter(self.session, self.view)
        self.assertEqual(reader.cell.id, "D1")  # top row, slowest speed: the hottest first
        reader.pick_edge(2)
        reader.verdict("free")
        self.assertEqual(reader.cell.id, "D2")
        other = Library.open(self.folder)
        self.addCleanup(other.close)
        kept = other.readings(self.session.active.trial.id)
        self.assertEqual([(r.cell, r.verdict, r.char) for r in kept], [("D1", "free", 2)])

    def test_take_back_restores_what_was_there(self):
        self.burnt()
        reader = ReadPresenter(self.session, self.view)
        reader.verdict("free")
        reader.choose("D1")
        reader.verdict("hangs")
        reader.take_back()
        self.assertEqual(self.session.active.readings["D1"].verdict, "free")
        self.assertEqual(reader.cell.id, "D1")
        reader.take_back()
        self.assertEqual(self.session.active.readings, {})

    def test_arrows_move_between_burnt_cells(self):
        self.burnt()
        reader = ReadPresenter(self.session, self.view)
        for rows, cols, cell in (
            (-1, 0, "C1"),
            (0, 1, "C2"),
            (1, 0, "D2"),
            (0, -1, "D1"),
            (0, -1, "D1"),
            (1, 0, "D1"),
        ):
            reader.move(rows, cols)
            self.assertEqual(reader.cell.id, cell)

    def test_skip_leaves_a_cell_unread_and_comes_round(self):
        self.burnt()
        reader = ReadPresenter(self.session, self.view)
        for _ in range(24):
            reader.skip()
        self.assertEqual((reader.cell.id, reader.left), ("D1", 24))

    def test_a_flare_has_no_verdict_on_getting_through(self):
        self.burnt()
        reader = ReadPresenter(self.session, self.view)
        reader.verdict("flare")
        reading = self.session.active.readings["D1"]
        self.assertEqual((reading.verdict, reading.char, reading.defects), (None, 3, ("flare",)))
        self.assertIn("flared from", {n.kind: n for n in cautions_of(self.session)}["fire"].detail)

    def test_an_edge_picked_later_changes_the_reading_at_once(self):
        self.burnt()
        reader = ReadPresenter(self.session, self.view)
        reader.verdict("free")
        reader.choose("D1")
        reader.pick_edge(1)
        self.assertEqual(self.session.active.readings["D1"].char, 1)
        self.assertEqual(reader.cell.id, "D1")

    def test_a_grade_after_the_verdict_belongs_to_the_cell_that_was_just_read(self):
        self.burnt()
        reader = ReadPresenter(self.session, self.view)
        reader.verdict("free")
        self.assertEqual((reader.cell.id, reader.edge_of), ("D2", "D1"))
        reader.pick_edge(1)
        self.assertEqual(self.session.active.readings["D1"].char, 1)
        self.assertEqual((reader.cell.id, reader.edge, reader.edge_of), ("D2", None, ""))
        reader.take_back()
        self.assertIsNone(self.session.active.readings["D1"].char)
        reader.choose("D2")
        reader.verdict("not_through")  # its edge does not show: the next grade is the next cell's
        self.assertEqual(reader.edge_of, "")

    def test_who_grades_before_the_verdict_is_not_taken_to_grade_after_it(self):
        self.burnt()
        reader = ReadPresenter(self.session, self.view)
        reader.pick_edge(2)
        reader.verdict("free")
        reader.verdict("free")  # a cell without a grade in between
        here = reader.cell.id
        reader.pick_edge(1)
        reader.verdict("hangs")
        graded = {cell: one.char for cell, one in self.session.active.readings.items()}
        self.assertEqual(graded, {"D1": 2, "D2": None, here: 1})

    def test_all_read_hands_over_to_decide_and_taking_back_returns(self):
        reader = self.read()
        self.assertEqual(self.session.active.stage, "decide")
        reader.take_back()
        self.assertEqual(self.session.active.stage, "read")

    def test_a_locked_library_is_told_and_the_cell_stays(self):
        self.burnt()
        reader = ReadPresenter(self.session, self.view)

        def locked(*_):
            raise LibraryTrouble("another program is writing")

        self.session.library.save_reading = locked
        reader.verdict("free")
        self.assertIn("another program", self.session.problem)
        self.assertEqual((reader.cell.id, self.session.active.readings), ("D1", {}))


class DecideTest(SessionCase):
    def test_decision_then_map_then_entry_on_trial(self):
        decider = self.decided()
        self.assertTrue(decider.decision.picks)
        self.assertEqual(
            decider.map.chance.shape, (len(decider.map.power), len(decider.map.speed_mm_s))
        )
        last = len(decider.decision.picks) - 1
        decider.choose(last)
        entry = decider.write_entry()
        self.assertEqual(entry.setting, decider.decision.picks[last].setting)
        self.assertEqual(entry.evidence.trial_ids, (self.session.active.trial.id,))
        self.assertEqual(self.session.state[0], "trial")
        self.assertEqual(self.session.active.stage, "book")

    def test_an_entry_holds_for_the_state_and_lot_that_its_coupon_was_burnt_with(self):
        decider = self.decided()
        trial, shop = self.session.active.trial, self.session.shop
        shop.change_machine(with_new_state(LONG, "2026-04-14", "lens", ""), "lens changed")
        shop.keep_stock(replace(self.session.subject.stock, lot="8"), "a new lot")
        decider.take(next(decider.work() or iter([("decision", decider.decision)])))
        entry = decider.write_entry()
        self.assertEqual((entry.machine_state, entry.lot), (trial.machine.state, trial.stock.lot))
        self.assertNotEqual(entry.machine_state, self.session.subject.machine.state)
        self.assertNotEqual(entry.lot, self.session.subject.stock.lot)

    def test_work_is_done_once_for_the_same_readings(self):
        decider = self.decided()
        self.assertIsNone(decider.work())
        ReadPresenter(self.session, self.view).take_back()
        self.assertIsNotNone(decider.work())
        self.assertIsNone(decider.decision)

    def test_earlier_coupons_of_the_same_lot_count_too(self):
        self.decided()
        planner = self.grid()
        planner.write()
        self.assertEqual([len(readings) for _, readings in self.session.active.pairs], [24, 0])
        self.burner().burnt_elsewhere()
        self.read_the_desk(2.2)
        decider = DecidePresenter(self.session, self.view)
        decider.take(next(decider.work()))
        self.assertEqual(decider.decision.cells_read, 48)

    def test_nothing_to_decide_before_reading(self):
        self.burnt()
        self.assertIsNone(DecidePresenter(self.session, self.view).work())


class BookTest(SessionCase):
    def test_three_confirming_burns_prove_an_entry(self):
        decider = self.decided()
        decider.write_entry()
        book = BookPresenter(self.session)
        for n, state in ((1, "trial"), (2, "trial"), (3, "proven")):
            self.assertTrue(book.confirm(passed=True, piece="frame", sheet=str(n)))
            self.assertEqual(self.session.state[0], state)
            self.assertEqual(book.confirmations_text(), f"{n} of 3")
        self.assertIn("frame, sheet 1, sheet 2", dict(facts_of(book.entry, ""))["Last burnt"])
        book.confirm(passed=False)
        self.assertEqual(self.session.state, ("due", "failed on 14 April 2026"))
        self.session.undo_stack.undo()
        self.assertEqual(self.session.state[0], "proven")
        self.assertEqual(book.history()[0][1], "undone: failure noted")

    def test_one_burn_a_day_and_sheet_counts(self):
        self.decided().write_entry()
        book = BookPresenter(self.session)
        self.assertTrue(book.confirm(passed=True, piece="frame", sheet="A"))
        self.assertFalse(book.confirm(passed=True, piece="lid", sheet="a"))
        self.assertIn("one a day and sheet", self.session.problem)
        self.assertTrue(book.confirm(passed=True, piece="lid", sheet="B"))
        self.session.today = lambda: TODAY + timedelta(days=1)
        self.assertTrue(book.confirm(passed=True, piece="box", sheet="A"))
        self.assertEqual(book.confirmations_text(), "3 of 3")

    def confirm_run(self):
        """A burnt confirm run of the entry on the desk, and who reads it."""
        self.decided().write_entry()
        planner = PlanPresenter(self.session, self.view)
        planner.start()
        planner.suggest("confirm")
        planner.change("sheet_size", "300 x 200")
        planner.write()
        self.burner().burnt_elsewhere()
        return ReadPresenter(self.session, self.view), BookPresenter(self.session)

    def test_reading_a_confirm_run_sets_the_count_and_taking_back_unsets_it(self):
        reader, book = self.confirm_run()
        evidence = book.entry.evidence
        for n, state in ((1, "trial"), (2, "trial"), (3, "proven")):
            reader.verdict("free")
            self.assertEqual(
                (self.session.state[0], book.confirmations_text()), (state, f"{n} of 3")
            )
        self.assertEqual(
            {proof.trial_id for proof in book.entry.proofs}, {self.session.active.trial.id}
        )
        self.assertEqual(book.entry.evidence, evidence)
        self.assertIn("The entry is Proven", book.confirm_note())
        reader.take_back()
        self.assertEqual((self.session.state[0], book.confirmations_text()), ("trial", "2 of 3"))
        reader.verdict("hangs")
        self.assertEqual(self.session.state, ("due", "failed on 14 April 2026"))
        decider = DecidePresenter(self.session, self.view)
        ((kind, found),) = decider.work()
        self.assertEqual((kind, found.left, len(found.good)), ("confirm", 0, 2))
        self.assertRegex(found.says, r"^2 of 3 burns fell free\. \w+: hangs\.$")

    def test_a_confirm_run_of_another_setting_confirms_nothing(self):
        reader, book = self.confirm_run()
        changed = replace(book.entry, setting=replace(book.entry.setting, power=0.5))
        self.session.shop.keep_entry(changed, "changed", "entry")
        reader.verdict("free")
        self.assertEqual((book.entry.proofs, self.session.state[0]), ((), "trial"))
        self.assertIn("another setting", book.confirm_note())

    def test_a_rehearsed_confirm_run_confirms_nothing_in_a_real_library(self):
        reader, book = self.confirm_run()
        run = replace(self.session.active.run, by="stand-in")
        self.session.trials.keep_run(run, "rehearsed")
        self.library.playground = False
        reader.verdict("free")
        self.assertEqual(book.entry.proofs, ())
        self.assertIn("a rehearsal", book.confirm_note())

    def test_a_guess_can_be_reckoned_where_nothing_is_known(self):
        self.fill()
        book = BookPresenter(self.session)
        self.assertTrue(book.reckon())
        self.assertEqual(self.session.state[0], "guess")
        self.assertFalse(book.reckon())
        self.session.undo_stack.undo()
        self.assertEqual(self.session.state[0], "untried")

    def test_index_has_a_mark_for_every_machine_and_task(self):
        self.fill()
        rows = index_rows(self.session.catalogue, TODAY)
        columns = index_columns(self.session.catalogue)
        self.assertEqual(len(columns), 6)
        vinyl = next(row for row in rows if row.stock and row.stock.uid == VINYL.uid)
        self.assertEqual(vinyl.states, ("barred",) * 6)
        self.assertEqual(
            [row.label for row in rows if row.stock is None],
            ["Wood", "Plastic", "Leather and textile"],
        )
        self.assertEqual(
            [row.label for row in index_rows(self.session.catalogue, TODAY, "leath")],
            ["Leather and textile", "Map leather 2.0 mm"],
        )

    def test_card_and_clip_carry_the_numbers(self):
        self.decided().write_entry()
        book = BookPresenter(self.session)
        path = book.write_card()
        self.assertTrue(path.read_bytes().startswith(b"%PDF"))
        self.assertRegex(
            book.clip(), r"Long Bed 60 W, Birch ply 3.0 mm, lot 7, cut: \d+ %, \d+ mm/min, 1 pass"
        )
        self.assertIn(
            ("Confirming burns", "0 of 3"), facts_of(self.session.entry, book.confirmations_text())
        )
        told = facts_of(self.session.entry, "0 of 3", replace(LONG, lens_focal_mm=63.5))
        self.assertIn(("Holds for", "machine state 1, 63.5 mm lens, lot 7"), told)


class FindTest(SessionCase):
    def setUp(self):
        super().setUp()
        catalogue = ShopCatalogue(
            (LONG, NORTH),
            (BIRCH, LEATHER, replace(BIRCH, uid="birch-6", thickness_mm=6.0, measured_mm=())),
            (),
        )
        entries = tuple(
            sample_entry(uid=f"{m.uid}-{s.uid}-{t}", machine_uid=m.uid, stock_uid=s.uid, task=t)
            for m in (LONG, NORTH)
            for s in catalogue.stocks
            for t in ("cut", "engrave")
        )
        self.catalogue = replace(catalogue, entries=entries)

    def found(self, text):
        return [hit.entry.uid for hit in find_entries(self.catalogue, text, TODAY, most=20)]

    def test_words_sizes_units_and_machines(self):
        self.assertEqual(
            set(self.found("3 mm birch cut")), {"long-bed-birch-3-cut", "north-bench-birch-3-cut"}
        )
        self.assertEqual(set(self.found("1/8 in birch cut")), set())  # 3.175 mm is not 3.0 mm
        self.assertEqual(self.found("6mm birch engrave long"), ["long-bed-birch-6-engrave"])
        self.assertEqual(
            set(self.found("leather 10w")),
            {"north-bench-leather-2-cut", "north-bench-leather-2-engrave"},
        )
        self.assertEqual(len(self.found("")), 12)

    def test_mistyped_words_are_found(self):
        self.assertEqual(set(self.found("lether cut north")), {"north-bench-leather-2-cut"})
        self.assertEqual(self.found("granite"), [])


class UndoTest(unittest.TestCase):
    def test_a_change_that_fails_is_not_kept(self):
        stack = UndoStack()

        def fail():
            raise LibraryTrouble("full")

        with self.assertRaises(LibraryTrouble):
            stack.push(Change("x", fail, fail))
        self.assertIsNone(stack.undo())

    def test_undo_and_redo_in_order(self):
        stack, seen = UndoStack(), []
        for n in (1, 2):
            stack.push(Change(str(n), lambda n=n: seen.append(n), lambda n=n: seen.append(-n)))
        self.assertEqual(
            [stack.undo(), stack.undo(), stack.undo(), stack.redo()], ["2", "1", None, "1"]
        )
        self.assertEqual(seen, [1, 2, -2, -1, 1])


class PreferencesTest(unittest.TestCase):
    def test_kept_between_starts_and_tidied_when_strange(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "sub" / "preferences.json"
            save_preferences(
                path, Preferences(theme="workshop", scale_percent=125, window=(1, 2, 800, 600))
            )
            self.assertEqual(
                load_preferences(path),
                Preferences(theme="workshop", scale_percent=125, window=(1, 2, 800, 600)),
            )
            path.write_text('{"theme": "neon", "scale_percent": 7, "window": [1]}')
            self.assertEqual(load_preferences(path), Preferences())
            path.write_text("{{{")
            self.assertEqual(load_preferences(path), Preferences())
