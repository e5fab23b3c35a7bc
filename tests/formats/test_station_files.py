"""The JSON files between stations: schemas, round trips, and bad files told in words."""

import dataclasses
import json
import unittest
from dataclasses import replace
from functools import cache
from pathlib import Path

from jsonschema import Draft202012Validator

from olive_almanac.core.deciding.decision import Decision
from olive_almanac.core.design.kinds.kind import all_kinds
from olive_almanac.core.errors import BadFile
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Cell, TestedLevels, Trial
from olive_almanac.formats import station_files as files
from olive_almanac.steps.decide import decide_trial
from tests.samples import (
    BIRCH,
    LONG,
    cut_trial,
    engrave_trial,
    read_by_energy,
    read_by_tone,
    sample_entry,
)

SCHEMAS = Path(__file__).parents[2] / "docs" / "formats"


def validate(kind: str, text: str) -> None:
    """Raise where a document does not fit its published schema."""
    _validator(kind).validate(json.loads(text))


@cache
def _validator(kind: str) -> Draft202012Validator:
    """The published schema of one kind, itself found sound."""
    schema = json.loads((SCHEMAS / f"{kind}.schema.json").read_text())
    Draft202012Validator.check_schema(schema)
    return Draft202012Validator(schema)


class SchemaTest(unittest.TestCase):
    def test_what_we_write_fits_the_published_schemas(self):
        trial = cut_trial()
        readings = read_by_energy(trial, 2.2)
        toned = engrave_trial()
        documents = [
            ("machine", files.write_machine(LONG)),
            ("stock", files.write_stock(BIRCH)),
            ("trial", files.write_trial(trial)),
            ("trial", files.write_trial(toned)),
            ("readings", files.write_readings(trial.id, readings)),
            ("decision", files.write_decision(decide_trial([(trial, readings)])[0])),
            (
                "decision",
                files.write_decision(decide_trial([(toned, read_by_tone(toned, 0.5, 0.9))])[0]),
            ),
            ("decision", files.write_decision(Decision((), 0.99, 0, "nothing"))),
            ("found", files.write_entries([(sample_entry(), LONG, BIRCH, "on trial", "0 of 3")])),
        ]
        for kind, text in documents:
            with self.subTest(kind):
                validate(kind, text)

    def test_the_schema_knows_every_kind_of_trial(self):
        trial = json.loads((SCHEMAS / "trial.schema.json").read_text())["properties"]
        kinds = set(trial["kind"]["enum"])
        self.assertEqual(kinds, {kind.id for kind in all_kinds()})

    def test_schemas_name_the_very_fields_of_the_records(self):
        trial = json.loads((SCHEMAS / "trial.schema.json").read_text())["properties"]
        entry = json.loads((SCHEMAS / "entry.schema.json").read_text())["properties"]["entry"]
        cell = trial["cells"]["items"]["properties"]
        readings = json.loads((SCHEMAS / "readings.schema.json").read_text())["properties"]
        for kind, properties in (
            (Machine, trial["machine"]["properties"]),
            (Stock, trial["stock"]["properties"]),
            (Setting, cell["setting"]["properties"]),
            (Cell, cell),
            (TestedLevels, trial["factors"]["items"]["properties"]),
            (Trial, trial),
            (Reading, readings["readings"]["items"]["properties"]),
            (Entry, entry["properties"]),
        ):
            fields = {one.name for one in dataclasses.fields(kind)} - {"extra"}
            with self.subTest(kind.__name__):
                self.assertEqual(set(properties) - {"format", "version"}, fields)

    def test_a_pulse_rate_fits_the_schema(self):
        trial = cut_trial()
        cells = tuple(
            replace(cell, setting=replace(cell.setting, pulse_khz=30.0)) for cell in trial.cells
        )
        validate("trial", files.write_trial(replace(trial, cells=cells)))

    def test_schemas_refuse_what_is_wrong(self):
        plain = json.loads(files.write_trial(cut_trial()))
        plain["cells"][0]["setting"]["power"] = 1.7
        with self.assertRaises(Exception):  # noqa: B017
            validate("trial", json.dumps(plain))


class RoundTripTest(unittest.TestCase):
    def test_records_come_back_as_they_went(self):
        trial = cut_trial()
        self.assertEqual(files.read_trial(files.write_trial(trial), "trial.json"), (trial, []))
        self.assertEqual(files.read_machine(files.write_machine(LONG), "m.json"), (LONG, []))
        self.assertEqual(files.read_stock(files.write_stock(BIRCH), "s.json"), (BIRCH, []))
        readings = tuple(read_by_energy(trial, 2.2))
        self.assertEqual(
            files.read_readings(files.write_readings(trial.id, readings), "r.json", trial),
            (readings, []),
        )

    def test_few_fields_are_enough_for_a_machine_and_a_stock(self):
        machine = {
            "format": "olive-almanac/machine",
            "version": 1,
            "name": "North Bench",
            "source": "diode",
            "wavelength_nm": 450,
            "optical_power_w": 10,
            "spot_x_mm": 0.1,
            "spot_y_mm": 0.1,
            "rayleigh_mm": 1.7,
            "max_speed_mm_s": 300,
            "acceleration_mm_s2": 3000,
            "bed_mm": [400, 400],
        }
        validate("machine", json.dumps(machine))
        self.assertEqual(files.read_machine(json.dumps(machine), "m.json")[0].power_scale, 1000)
        stock = {
            "format": "olive-almanac/stock",
            "version": 1,
            "name": "Birch ply",
            "family": "plywood",
            "thickness_mm": 3,
        }
        self.assertEqual(files.read_stock(json.dumps(stock), "s.json")[0].opacity, "opaque")

    def test_unknown_fields_are_kept_and_reported(self):
        plain = {**json.loads(files.write_machine(LONG)), "tube_hours": 412}
        machine, findings = files.read_machine(json.dumps(plain), "m.json")
        self.assertEqual([f.code for f in findings], ["unknown-field"])
        self.assertIn("tube_hours", findings[0].text)
        self.assertEqual(json.loads(files.write_machine(machine))["tube_hours"], 412)


class BadFileTest(unittest.TestCase):
    def test_damaged_foreign_and_newer_files(self):
        good = files.write_trial(cut_trial())
        newer = good.replace('"version": 1', '"version": 9', 1)
        cases = (
            (good[: len(good) // 2], "damaged or not JSON"),
            ("", "damaged or not JSON"),
            ("[1, 2]", "JSON object"),
            (files.write_machine(LONG), "not a trial file"),
            (newer, "newer Olive Almanac .version 9."),
            (good.replace('"version": 1', '"version": "x"', 1), "no valid version"),
            ("[" * 100000, "damaged or not JSON"),
            (good.replace('"power": 0.55', '"power": NaN'), "finite"),
        )
        for text, words in cases:
            with self.subTest(words), self.assertRaisesRegex(BadFile, "trial.json.*" + words):
                files.read_trial(text, "trial.json")

    def test_readings_of_another_trial(self):
        trial = cut_trial()
        with self.assertRaisesRegex(BadFile, "belongs to trial 'other'"):
            files.read_readings(
                files.write_readings("other", [Reading("A1", "free")]), "r.json", trial
            )

    def test_bad_readings_are_left_out_and_named(self):
        trial = cut_trial()
        plain = {
            "format": "olive-almanac/readings",
            "version": 1,
            "trial": trial.id,
            "readings": [
                {"cell": "A1", "verdict": "free"},
                {"cell": "Z9", "verdict": "free"},
                {"cell": "A2", "verdict": "too_dark"},
                {"cell": "A3", "char": 9},
                {"verdict": "free"},
                {"cell": "A1", "verdict": "hangs"},
            ],
        }
        readings, findings = files.read_readings(json.dumps(plain), "r.json", trial)
        self.assertEqual(readings, (Reading("A1", "hangs"),))
        self.assertEqual(
            [f.code for f in findings],
            ["unknown-cell", "wrong-verdict", "bad-reading", "bad-reading", "read-twice"],
        )

    def test_nothing_usable_is_an_error_with_the_first_reason(self):
        trial = cut_trial()
        text = files.write_readings(trial.id, [Reading("Z9", "free")])
        with self.assertRaisesRegex(BadFile, "no reading that fits.*no cell “Z9”"):
            files.read_readings(text, "r.json", trial)
