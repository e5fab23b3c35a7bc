"""The command line in German: its words change, its files, its keys and its verbs do not."""

import csv
import itertools
import json
import os
import re
import subprocess
import sys
import tempfile
import unittest
from dataclasses import dataclass
from pathlib import Path

from olive_almanac.formats.station_files import write_entry, write_machine, write_stock
from tests.formats.test_station_files import validate
from tests.samples import BIRCH, LONG, VINYL, sample_entry

ROOT = Path(__file__).parents[1]


TAG = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="20mm" viewBox="0 0 40 20">'
    '<rect x="1" y="1" width="30" height="18" fill="none" stroke="red"/>'
    '<rect x="5" y="5" width="9" height="8" fill="none" stroke="blue"/></svg>'
)
SPOKEN = ("tool", "what", "amount")  # fields of a step that hold words, be it one


def bones(document):
    """A document without what a person reads: sentences and names become a mark, ids stay."""
    if isinstance(document, dict):
        return {key: bones(one) for key, one in document.items() if key not in SPOKEN}
    if isinstance(document, list):
        return [bones(one) for one in document]
    if isinstance(document, float):
        return round(document, 6)
    if isinstance(document, str) and not re.fullmatch(r"[a-z0-9_./:-]*", document):
        return "words"
    return document


SPEAKER = """
import contextlib, io, json, sys
from olive_almanac.__main__ import services
from olive_almanac.cli import command
for line in sys.stdin:
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            code = command.main(json.loads(line), services)
        except SystemExit as ended:
            code = ended.code
    print(json.dumps([code or 0, out.getvalue(), err.getvalue()]), flush=True)
"""


@dataclass(frozen=True)
class Told:
    """How a verb ended and what it said."""

    code: int
    out: str
    err: str


class Speaker:
    """A process that speaks a language, for words are chosen as modules load; verb after verb."""

    def __init__(self, language):
        self._process = subprocess.Popen(
            [sys.executable, "-c", SPEAKER],
            cwd=ROOT,
            env={**os.environ, "OLIVE_ALMANAC_LANGUAGE": language},
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )

    def do(self, words):
        print(json.dumps([str(word) for word in words]), file=self._process.stdin, flush=True)
        return Told(*json.loads(self._process.stdout.readline()))

    def end(self):
        self._process.communicate()


class GermanCommandLineTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.speakers = {language: Speaker(language) for language in ("de", "en")}
        for one in cls.speakers.values():
            cls.addClassCleanup(one.end)

    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.machine, self.stock = self.folder / "m.json", self.folder / "s.json"
        self.machine.write_text(write_machine(LONG), "utf-8")
        self.stock.write_text(write_stock(BIRCH), "utf-8")
        self.vinyl = self.folder / "v.json"
        self.vinyl.write_text(write_stock(VINYL), "utf-8")

    def run_verb(self, *words, language="de"):
        told = self.speakers[language].do(("--library", self.folder / "library", *words))
        self.assertNotIn("Traceback", told.err)
        return told

    def done(self, *words, language="de"):
        told = self.run_verb(*words, language=language)
        self.assertEqual(told.code, 0, told.err)
        return told.out

    def plan(self, out, *words, language="de"):
        given = ("--machine", self.machine, "--stock", self.stock, "--task", "cut")
        return self.done("plan", *given, "--out", self.folder / out, *words, language=language)

    def test_help_and_refusals_are_told_in_german(self):
        told = self.done("plan", "--help")
        for words in ("Aufruf: olive-almanac plan", "Beispiele:", "diese Hilfe zeigen"):
            self.assertIn(words, told)
        self.assertIn("keine Fotomarken brennen", told)
        refused = self.run_verb("plan", "--task", "cut")
        self.assertEqual(refused.code, 2)
        self.assertIn("es fehlt: --machine", refused.err)
        refused = self.run_verb("book", "--confirm", "nobody")
        self.assertEqual(refused.code, 1)
        self.assertIn("Das Buch hat keinen Eintrag „nobody“", refused.err)

    def test_what_must_not_burn_is_refused_in_german(self):
        words = ("--machine", self.machine, "--stock", self.vinyl, "--task", "cut")
        refused = self.run_verb("plan", *words, "--out", self.folder / "no")
        self.assertEqual(refused.code, 1)
        self.assertIn("Chlorwasserstoff", refused.err)
        self.assertFalse((self.folder / "no").exists())

    def test_the_same_plan_is_written_in_either_language(self):
        german = json.loads(self.plan("german", "--json"))
        english = json.loads(self.plan("english", "--json", language="en"))
        self.assertEqual(german.keys(), english.keys())
        trials = [
            json.loads((self.folder / name / "trial.json").read_text("utf-8"))
            for name in ("german", "english")
        ]
        self.assertEqual(*(trial["cells"] for trial in trials))
        self.assertTrue(trials[0]["name"].startswith("Probe vom"), trials[0]["name"])
        validate("trial", (self.folder / "german" / "trial.json").read_text("utf-8"))
        self.assertEqual(*(trial["factors"] for trial in trials))
        heads, lines = [], []
        for name in ("german", "english"):
            with (self.folder / name / "cells.csv").open(newline="") as file:
                heads.append(next(csv.reader(file)))
            program = (self.folder / name / "coupon.nc").read_bytes().decode("ascii")
            lines.append([line for line in program.splitlines() if not line.startswith("(")])
        self.assertEqual(heads[0], heads[1])
        moves = [[line for line in one if line[:1] in "GM"] for one in lines]
        self.assertEqual(moves[0][:4], moves[1][:4])
        checked = self.done(
            "check", self.folder / "german" / "coupon.nc", "--machine", self.machine
        )
        self.assertIn("nichts Gefährliches gefunden", checked)

    def test_burnt_read_and_decided_in_german_with_the_keys_of_the_schemas(self):
        self.plan("trial")
        trial, burnt = self.folder / "trial" / "trial.json", self.folder / "burnt"
        told = self.done("burn", trial, "--seed", "1", "--no-photo", "--out", burnt)
        self.assertIn("8 Zellen", told)
        told = self.done("decide", trial, burnt / "seen.json")
        self.assertRegex(told, r"Schnellste sichere|Noch nicht entschieden")
        validate("decision", self.done("decide", trial, burnt / "seen.json", "--json"))
        self.assertRegex(told, r"\d,\d+ mm/s|\d+ mm/s")

    def test_machines_and_stocks_are_added_by_the_same_words(self):
        told = self.done("machine", "add", "--set", "name=Kleine Diode", "--set", "source=diode")
        self.assertIn("Kleine Diode: Diode", told)
        self.done("stock", "add", "--set", "name=Birke", "--set", "thickness_mm=3,2")
        written = self.folder / "birke.json"
        self.done("stock", "write", "Birke", "--out", written)
        kept = json.loads(written.read_text("utf-8"))
        self.assertEqual(kept["thickness_mm"], 3.2)
        refused = self.run_verb("machine", "write", "Große", "--out", self.folder / "x.json")
        self.assertIn("kein „Große“", refused.err)
        told = self.done("shop", "due", "--machine", "Kleine Diode")
        self.assertIn("Strom aus und abkühlen lassen", told)

    def test_a_document_has_the_same_bones_in_either_language(self):
        """An id that went through the catalogue would differ here."""
        self.plan("trial", language="en")
        trial, burnt = self.folder / "trial" / "trial.json", self.folder / "burnt"
        self.done("burn", trial, "--seed", "1", "--no-photo", "--out", burnt, language="en")
        seen = burnt / "seen.json"
        given = ("--machine", self.machine, "--stock", self.stock)
        drawing, entry = self.folder / "tag.svg", self.folder / "entry.json"
        drawing.write_text(TAG)
        entry.write_text(write_entry(sample_entry(), LONG, BIRCH), "utf-8")
        groups = ("--groups", "red=cut,blue=leave out")
        verbs = [
            ("recipes", *given, "--task", "engrave", "--json"),
            ("where", self.machine, "--stock", self.stock, "--json"),
            ("wrong", trial, seen, "--json"),
            ("decide", trial, seen, "--json"),
            ("machine", "list", "--json"),
            ("book", "--find", "birch", "--json"),
            ("job", drawing, *given, "--entry", entry, *groups, "--out", burnt, "--json"),
        ]
        for verb in verbs:
            with self.subTest(verb=verb[0]):
                german, english = (self.done(*verb, language=one) for one in ("de", "en"))
                self.assertEqual(bones(json.loads(german)), bones(json.loads(english)))

    def test_each_kind_of_trial_is_the_same_file_in_either_language(self):
        given = ("--machine", self.machine, "--stock", self.stock)
        kinds = (("grid", "cut"), ("kerf", "cut"), ("pitch", "engrave"))
        for one, (kind, task) in itertools.product(("de", "en"), kinds):
            out = self.folder / f"{kind}-{one}"
            self.done("plan", *given, "--task", task, "--kind", kind, "--out", out, language=one)
        for kind, _ in kinds:
            with self.subTest(kind=kind):
                trials = [
                    json.loads((self.folder / f"{kind}-{one}" / "trial.json").read_text("utf-8"))
                    for one in ("de", "en")
                ]
                for key in ("factors", "choices", "kind", "burn_order"):
                    self.assertEqual(bones(trials[0][key]), bones(trials[1][key]), key)
                burns = [[cell["setting"] for cell in trial["cells"]] for trial in trials]
                self.assertEqual(burns[0], burns[1])  # where they lie hangs on their labels
                validate("trial", (self.folder / f"{kind}-de" / "trial.json").read_text("utf-8"))

    def test_old_notes_come_in_by_their_german_numbers(self):
        self.done("machine", "add", "--set", "name=Long Bed", "--set", "source=co2")
        notes = self.folder / "alt.csv"
        notes.write_text(
            "material;thickness;power;speed mm/s;passes\n"
            "Birch ply;3,0 mm;85 %;12,5;1\nFelt;2,5 mm;40 %;60;1\n",
            "utf-8",
        )
        told = self.done("notes", notes, "--check")
        self.assertIn("2 Einstellungen kämen herein", told)
        self.done("notes", notes)
        kept = json.loads(self.done("book", "--find", "birch 3 mm", "--json"))
        self.assertIn("12.5", json.dumps(kept))
