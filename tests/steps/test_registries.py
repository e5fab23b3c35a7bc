"""One place for each idea: a made-up kind of trial, a factor that only some sources have, and the
stations, each found by form, command line, files and window without being named there.
"""

import csv
import importlib
import io
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import pypdf

from olive_almanac.cli import command
from olive_almanac.core.design.choices import TrialChoices, choices_of
from olive_almanac.core.design.kinds import kind as kinds
from olive_almanac.core.design.kinds.kind import TrialKind, kind_of, kinds_for, register
from olive_almanac.core.design.pattern import Pattern, plain_patch, setting_of
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.factors import (
    FACTORS,
    factor_of,
    factors_for,
    further_words,
    setting_words,
    unlikeness,
)
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import STAGES, Trial
from olive_almanac.formats.book_pdf import write_label
from olive_almanac.formats.cells_csv import HEADS, write_cells
from olive_almanac.formats.drawing import layers_of
from olive_almanac.formats.gcode import write_gcode
from olive_almanac.formats.station_files import read_trial, write_machine, write_stock, write_trial
from olive_almanac.steps.book import clip_text
from olive_almanac.steps.decide import decide_trial, question_of
from olive_almanac.steps.plan.form import choices_from, slots_of, texts_of
from olive_almanac.steps.read import axis_texts
from olive_almanac.steps.stations import STATIONS, station_of
from olive_almanac.views.station_page import StationPage
from tests.samples import (
    BIRCH,
    LONG,
    MARKER,
    PLATE,
    kind_plan,
    read_by_energy,
    read_by_tone,
    sample_entry,
)
from tests.test_cli import CliCase


class MadeUpKindTest(unittest.TestCase):
    """A kind that exists in this test alone: one class, and everything knows it."""

    def setUp(self):
        kinds.all_kinds()  # the real ones are there first

        @register
        class PowerRow(TrialKind):
            id = "power row"
            name = "power row"
            finds_out = "rising power at one speed"
            tasks = ("cut", "score")
            across = "power"
            place = 99

            def suggest(self, ground, choices):
                return replace(choices, power=(0.25, 0.5, 1.0), speed_mm_s=ground.one_speed(20.0))

            def pattern(self, stock, task, choices):
                patches = tuple(
                    plain_patch(choices, task, 0, n, setting_of(choices, task, power=power))
                    for n, power in enumerate(choices.power)
                )
                return Pattern(patches, ("",), ("25", "50", "100"), "", "Power, %")

        self.addCleanup(kinds._REGISTERED.pop, "power row")

    def test_is_offered_planned_written_read_back_and_decided(self):
        self.assertIn("power row", [kind.id for kind in kinds_for("cut")])
        self.assertNotIn("power row", [kind.id for kind in kinds_for("engrave")])
        trial = kind_plan("power row").trial
        self.assertEqual([cell.setting.power for cell in trial.cells], [0.25, 0.5, 1.0])
        self.assertEqual(question_of(trial), "setting")
        back, findings = read_trial(write_trial(trial), "trial.json")
        self.assertEqual((back, findings), (trial, []))
        self.assertIn("cell A3", write_gcode(trial))

    def test_has_its_fields_in_the_form_and_its_word_on_the_command_line(self):
        choices = choices_of(kind_plan("power row").trial)
        texts = texts_of(choices, "mm/min")
        self.assertEqual(slots_of(texts), ("", "power"))
        again = choices_from(texts | {"power_to": "80"}, "mm/min", choices)
        self.assertEqual(again.power[-1], 0.8)
        kind_choice = next(
            action
            for action in command.parser(only=["plan"])
            ._subparsers._group_actions[0]
            .choices["plan"]
            ._actions
            if action.dest == "kind"
        )
        self.assertIn("power row", kind_choice.choices)


class FactorsTest(unittest.TestCase):
    def test_each_has_a_field_in_settings_and_choices_and_reads_what_it_writes(self):
        setting = Setting(0.85, 12.5, 3, -0.5, 0.1, "low", pulse_khz=30.0)
        choices = TrialChoices((0.85,), (12.5,), (3,), (-0.5,), (0.1,), ("low",), (30.0,))
        for factor in FACTORS:
            value = factor.of(setting)
            self.assertEqual(choices.levels(factor.id), (value,))
            for unit in ("mm/s", "mm/min", "in/min"):
                back = factor.read(factor.write(value, unit), unit)
                if factor.is_number:
                    self.assertAlmostEqual(
                        float(back), float(value), delta=2e-4 * abs(float(value))
                    )
                else:
                    self.assertEqual(back, value)

    def test_a_cell_of_other_passes_is_less_like_than_one_at_another_speed(self):
        wanted = Setting(1.0, 9.2, 3, 1.8)
        cells = (Setting(1.0, 8.2, 1, 1.5), Setting(1.0, 5.9, 3, 1.5), Setting(1.0, 4.3, 3, 1.5))
        self.assertEqual(min(cells, key=lambda one: unlikeness(one, wanted)), cells[1])
        self.assertEqual(unlikeness(wanted, wanted), (0, 0.0))

    def test_what_is_set_beside_power_and_speed_is_told_alike_everywhere(self):
        setting = Setting(0.85, 12.5, 3, -0.5, 0.1, "low", pulse_khz=30.0)
        words = ("3 passes", "focus −0.5 mm", "air low", "line pitch 0.1 mm", "pulse rate 30 kHz")
        self.assertEqual(setting_words(setting), words)
        entry = sample_entry(task="engrave", setting=setting)
        pages = pypdf.PdfReader(io.BytesIO(write_label(entry, LONG, BIRCH, "Proven"))).pages
        told = (pages[0].extract_text(), clip_text(entry, LONG, BIRCH, "proven", "mm/s"))
        for text in told:
            for word in words:
                self.assertIn(word, text)

    def test_a_value_out_of_range_is_told_with_the_factors_name(self):
        for factor, bad in (
            ("power", 1.01),
            ("power", 0.0),
            ("speed", 0.0),
            ("passes", 201),
            ("pulse", -1.0),
            ("pulse", 10001.0),
            ("air", "gale"),
        ):
            known = factor_of(factor)
            with self.subTest(factor), self.assertRaisesRegex(OutOfRange, f"^{known.name}"):
                known.check(bad, "mm/s")

    def test_tasks_and_sources_have_their_own(self):
        self.assertEqual(
            [one.id for one in factors_for("mark", "fibre")],
            ["power", "speed", "passes", "focus", "pitch", "air", "pulse", "pulse-width"],
        )
        self.assertEqual(
            [one.id for one in factors_for("cut", "co2")],
            ["power", "speed", "passes", "focus", "air"],
        )


class PulseRateTest(unittest.TestCase):
    """Pulse rate against speed on the fibre machine, through every file."""

    def setUp(self):
        self.plan = kind_plan(
            "grid",
            "mark",
            MARKER,
            PLATE,
            up="pulse",
            pulse_khz=(20.0, 40.0, 60.0),
            power=(0.5,),
            labels=False,
        )
        self.trial = self.plan.trial

    def test_varies_and_is_named_on_axes_and_beside_the_photo(self):
        self.assertEqual({c.setting.pulse_khz for c in self.trial.cells}, {20.0, 40.0, 60.0})
        self.assertEqual(self.plan.up, "Pulse rate, kHz")
        self.assertEqual(axis_texts(self.trial, "mm/s")[0][0], "pulse rate, kHz")
        tested = {one.name: (one.unit, one.levels) for one in self.trial.factors}
        self.assertEqual(tested["pulse rate"], ("kHz", (20.0, 40.0, 60.0)))

    def test_stands_in_comments_layers_and_tables(self):
        self.assertIn("pulse rate 40 kHz", write_gcode(self.trial))
        both = replace(self.trial.cells[0].setting, pulse_ns=120.0, focus_mm=1.5)
        whole = replace(self.trial, cells=(replace(self.trial.cells[0], setting=both),))
        comments = [line for line in write_gcode(whole).splitlines() if line.startswith("(")]
        self.assertLessEqual(max(map(len, comments)), 80)  # told whole, in lines that fit
        told = " ".join(line.strip("()") for line in comments)
        self.assertIn("pulse rate 20 kHz, pulse width 120 ns", told)
        names = [layer.name for layer in layers_of(self.trial)]
        self.assertTrue(any("pulse rate 60 kHz" in name for name in names))
        rows = list(csv.DictReader(io.StringIO(write_cells(self.trial))))
        self.assertEqual({row["pulse_khz"] for row in rows}, {"20.0", "40.0", "60.0"})
        self.assertEqual(further_words(self.trial.cells[0].setting), ("pulse rate 20 kHz",))

    def test_comes_back_from_a_file_and_is_not_written_where_it_says_nothing(self):
        self.assertEqual(
            from_plain(Trial, json.loads(json.dumps(to_plain(self.trial)))), self.trial
        )
        plain = kind_plan("grid").trial
        self.assertNotIn("pulse", write_trial(plain))
        self.assertEqual(write_cells(plain).splitlines()[0], ",".join(HEADS))


class PulseByCommandLineTest(CliCase):
    def test_is_a_word_of_plan(self):
        with tempfile.TemporaryDirectory() as holder:
            folder = Path(holder)
            (folder / "m.json").write_text(write_machine(MARKER))
            (folder / "s.json").write_text(write_stock(PLATE))
            status, _, told = self.run_cli(
                "plan",
                *("--machine", folder / "m.json", "--stock", folder / "s.json", "--task", "mark"),
                *("--pulse", "20:60:3", "--power", "40", "--speed", "200,400", "--no-labels"),
                *("--out", folder / "out"),
            )
            self.assertEqual(status, 0, told)
            trial = json.loads((folder / "out" / "trial.json").read_text())
        rates = {cell["setting"]["pulse_khz"] for cell in trial["cells"]}
        self.assertEqual(rates, {20.0, 40.0, 60.0})


class PulseRateDecidedTest(unittest.TestCase):
    """No model knows the pulse rate: readings at several rates are decided apart."""

    def decided(self, energies, **changes):
        """Decide a world where each rate wants the right tone between energies of its own."""
        trial = kind_plan("grid", "engrave", machine=MARKER, stock=PLATE, **changes).trial
        readings = [
            next(one for one in read_by_tone(trial, *energies(cell)) if one.cell == cell.id)
            for cell in trial.cells
        ]
        return trial, decide_trial([(trial, readings)])[0]

    def test_a_rate_that_was_held_stands_in_every_cell_and_in_the_picks(self):
        trial, decision = self.decided(lambda cell: (0.25, 0.45), pulse_khz=(35.0,))
        self.assertEqual({cell.setting.pulse_khz for cell in trial.cells}, {35.0})
        self.assertEqual({pick.setting.pulse_khz for pick in decision.picks}, {35.0})
        self.assertEqual(decision.cells_read, len(trial.cells))

    def test_cells_to_burn_next_keep_the_rate(self):
        trial = kind_plan("grid", "cut", machine=MARKER, stock=PLATE, pulse_khz=(35.0,)).trial
        decision, _ = decide_trial([(trial, read_by_energy(trial, 2.2))])
        self.assertTrue(decision.next_cells)
        self.assertEqual({setting.pulse_khz for setting in decision.next_cells}, {35.0})

    def test_of_several_rates_the_one_that_is_done_soonest_counts_alone(self):
        def energies(cell):
            return (0.5, 0.9) if cell.setting.pulse_khz == 35.0 else (0.8, 1.4)

        rates = (20.0, 35.0, 50.0)
        _, decision = self.decided(energies, up="pulse", pulse_khz=rates, power=(0.9,))
        self.assertEqual({pick.setting.pulse_khz for pick in decision.picks}, {35.0})
        self.assertEqual(decision.cells_read, 6)
        self.assertIn("For pulse rate 35 kHz: done soonest of the 3", decision.remarks[0])

    def test_another_source_has_none(self):
        for rates in ((35.0,), (20.0, 40.0)):
            with self.assertRaisesRegex(OutOfRange, "Pulse rate .*only a fibre source has one"):
                kind_plan("grid", "engrave", pulse_khz=rates)


class StationsTest(unittest.TestCase):
    def test_each_has_a_page_a_key_and_its_verbs(self):
        self.assertEqual(len({station.key for station in STATIONS}), len(STATIONS))
        self.assertEqual([one.id for one in STATIONS if one.thread], ["set_up", *STAGES])
        self.assertEqual(len({station.id for station in STATIONS}), len(STATIONS))
        for station in STATIONS:
            module, _, name = station.page.partition(":")
            page = getattr(importlib.import_module(f"olive_almanac.views.{module}"), name)
            self.assertTrue(issubclass(page, StationPage))
            for verb in station.verbs:
                found = importlib.import_module(f"olive_almanac.cli.{verb.name}")
                self.assertTrue(callable(found.run) and callable(found.add_arguments))

    def test_each_has_its_picture(self):
        pictures = Path(__file__).parents[2] / "docs" / "screenshots"
        for station in STATIONS:
            self.assertTrue((pictures / f"{station.picture}.png").exists(), station.picture)

    def test_older_preferences_name_them_by_title(self):
        self.assertEqual(station_of("Set up").id, "set_up")
        self.assertEqual(station_of("Book").id, "book")
        self.assertEqual(station_of("nowhere").id, "book")

    def test_every_kind_says_what_it_is(self):
        for kind in kinds.all_kinds():
            self.assertTrue(kind.name and kind.finds_out and kind.tasks)
            self.assertIs(kind_of(kind.id), kind)
        self.assertTrue(BIRCH.uid and LONG.uid)
