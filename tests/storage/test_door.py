"""What comes from elsewhere passes one door; a record that cannot be read hides no other."""

import copy
import json
import random
import sqlite3
import subprocess
import sys
from dataclasses import replace

from olive_almanac.core.errors import BadFile
from olive_almanac.core.photo.judge import Limits
from olive_almanac.core.records.plain import to_plain
from olive_almanac.core.records.run import KeptPhoto, RunRecord
from olive_almanac.core.records.sight import CellSight
from olive_almanac.formats.library_json import read_library, write_library
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.find import find_entries
from olive_almanac.steps.photo import suggestions, together_told
from olive_almanac.steps.session import Session, read_all, set_aside_words
from tests.samples import (
    BIRCH,
    LEATHER,
    LONG,
    NORTH,
    cut_trial,
    read_by_energy,
    sample_entry,
    whole_run,
)
from tests.storage.test_sharing import ROOT, SharingCase

POISONS = (
    {"a": 1},
    [],
    None,
    "",
    -1,
    10**400,
    1e308,
    "half \ud800",
    "../../../evil",
    True,
    "x" * 5000,
    "2026-13-45",
)


def leaves(plain, path=()):
    """Every place below a document, groups and lists too."""
    if path:
        yield path
    if isinstance(plain, dict):
        for key, value in plain.items():
            yield from leaves(value, (*path, key))
    if isinstance(plain, list) and plain:
        yield from leaves(plain[0], (*path, 0))


def with_value(plain, path, value):
    poisoned = copy.deepcopy(plain)
    at = poisoned
    for step in path[:-1]:
        at = at[step]
    at[path[-1]] = value
    return poisoned


def fill(library):
    """A small shop: of each table more than one record."""
    for machine in (LONG, NORTH):
        library.save_machine(machine, "set up")
    for stock in (BIRCH, LEATHER):
        library.save_stock(stock, "set up")
    for number in ("0001", "0002"):
        trial = replace(cut_trial(), id=f"coupon-{number}")
        library.save_trial(trial, "decide", "planned")
        library.save_run(trial.id, whole_run(trial), "burnt")
        library.save_readings(trial.id, read_by_energy(trial, 1.9), "read")
    for uid in ("e1", "e2", "e3"):
        library.save_entry(sample_entry(uid=uid), "chosen")


class DoorTest(SharingCase):
    def setUp(self):
        super().setUp()
        self.demo = self.open("demo")
        fill(self.demo)
        self.document = json.loads(write_library(self.demo.rows(), ()))

    def merge(self, document, name="taken"):
        into = self.open(name)
        rows, photos = read_library(json.dumps(document), "theirs.json")
        merged = into.take_in(rows, photos.__getitem__, tuple(photos))
        return into, merged

    def test_the_rest_is_taken_in_and_what_is_wrong_is_named(self):
        trials = self.document["tables"]["trial"]
        trial = next(one for one in trials if len(one["body"]["cells"]) > 13)
        trial["body"]["cells"][13]["row"] = {"a": 1}
        uid = trial["uid"]
        into, merged = self.merge(self.document)
        self.assertEqual(len(merged.left_out), 1)
        self.assertIn(f"trial {uid}: cells[13].row is {{'a': 1}}", merged.says)
        rows = sum(map(len, self.document["tables"].values()))
        self.assertEqual(merged.revisions, rows - 1)
        self.assertEqual(read_all(into)[0].entries, self.demo.entries())
        self.assertEqual(into.set_aside, {})

    def test_no_poison_makes_the_library_unreadable(self):
        chance = random.Random(4)
        for table in ("machine", "stock", "trial", "reading", "run", "entry"):
            rows = self.document["tables"][table]
            last = rows[-1]
            places = list(leaves(last))
            for path in chance.sample(places, min(12, len(places))):
                poison = chance.choice(POISONS)
                with self.subTest(table=table, path=path, poison=str(poison)[:20]):
                    bad = with_value(last, path, poison)
                    document = {**self.document, "tables": {table: [bad]}}
                    try:
                        into, _ = self.merge(document, table)
                    except BadFile as problem:  # refused whole: the sentence names the place
                        self.assertIn("theirs.json", str(problem))
                        continue
                    session = Session()
                    session.attach(into)
                    into.readings(str(last.get("trial_uid")))
                    into.run_of(last["uid"])
                    into.entry_history(last["uid"])
                    self.assertEqual(into.set_aside, {})

    def test_what_a_photo_showed_passes_the_door_too(self):
        sight = CellSight(
            "A1", 0.9, ("blur",), -20.0, 60.0, 1.0, 0.1, 0.2, out=True, near_l=50.0, sd_l=1.0
        )
        row = copy.deepcopy(self.document["tables"]["run"][-1])
        row["body"]["photos"] = {"front": to_plain(KeptPhoto("a.jpg", cells=(sight,)))}
        trial = cut_trial()
        told = 0
        for path in leaves(row["body"]["photos"]["front"], ("body", "photos", "front")):
            for poison in POISONS:
                with self.subTest(path=path, poison=str(poison)[:20]):
                    document = {**self.document, "tables": {"run": [with_value(row, path, poison)]}}
                    try:
                        into, merged = self.merge(document)
                    except BadFile as problem:
                        self.assertIn("theirs.json", str(problem))
                        continue
                    told += any("photos.front" in why for why in merged.left_out)
                    run = into.run_of(row["uid"]) or RunRecord()
                    active = ActiveTrial(trial, "read", run=run)
                    suggestions(active, Limits())
                    together_told(active, "front")
                    self.assertEqual(into.set_aside, {})
        self.assertGreater(told, 50)

    def test_an_id_that_would_leave_the_folder_is_not_let_in(self):
        for uid in ("../../../evil", "/abs", "..", "a/b", "nul\0", "back\\slash", ""):
            for table, own in (("trial", "id"), ("stock", "uid"), ("entry", "uid")):
                row = copy.deepcopy(self.document["tables"][table][-1])
                row["uid"] = row["body"][own] = uid
                _, merged = self.merge({**self.document, "tables": {table: [row]}})
                self.assertEqual((merged.revisions, len(merged.left_out)), (0, 1), uid)

    def test_a_trial_of_no_day_stage_or_kind_is_not_let_in(self):
        trial = self.document["tables"]["trial"][-1]
        for path, value in (
            (("body", "made"), "2026-13-45"),
            (("stage",), "nowhere"),
            (("body", "kind"), "none"),
        ):
            bad = with_value(trial, path, value)
            _, merged = self.merge({**self.document, "tables": {"trial": [bad]}})
            self.assertEqual((merged.revisions, len(merged.left_out)), (0, 1), path)

    def test_a_record_that_calls_itself_otherwise_is_not_let_in(self):
        row = copy.deepcopy(self.document["tables"]["machine"][-1])
        row["uid"] = "another"
        _, merged = self.merge({**self.document, "tables": {"machine": [row]}})
        self.assertIn("calls itself", merged.says)


class SetAsideTest(SharingCase):
    def setUp(self):
        super().setUp()
        library = self.open("demo")
        fill(library)
        library.close()

    def poison(self, table, uid_like="%"):
        """Break the newest body of one record in the file; return its id."""
        with sqlite3.connect(self.place / "demo" / "almanac.db") as raw:
            (uid,) = raw.execute(
                f"SELECT uid FROM {table} WHERE uid LIKE ? LIMIT 1", (uid_like,)
            ).fetchone()
            raw.execute(f"UPDATE {table} SET body = '{{\"half' WHERE uid = ?", (uid,))
        return uid

    def test_one_bad_record_hides_no_other(self):
        before = self.open("demo")
        counts = {
            "machine": len(before.machines()),
            "stock": len(before.stocks()),
            "trial": len(before.trials()),
            "entry": len(before.entries()),
        }
        before.close()
        uids = [self.poison(table) for table in counts]
        library = self.open("demo")
        session = Session()
        session.attach(library)
        self.assertEqual(len(library.machines()), counts["machine"] - 1)
        self.assertEqual(len(session.catalogue.stocks), counts["stock"] - 1)
        self.assertEqual(len(session.trials.every), counts["trial"] - 1)
        self.assertEqual(len(session.catalogue.entries), counts["entry"] - 1)
        self.assertEqual(len(library.set_aside), 4)
        self.assertIn("4 records cannot be read", session.problem)
        self.assertIn("is damaged", library.set_aside[f"machine {uids[0]}"])

    def test_a_family_that_is_not_known_counts_as_unknown(self):
        row = next(one for one in self.open("demo").rows()["stock"] if one["uid"] == BIRCH.uid)
        body = json.loads(row["body"]) | {"family": "polycarbonate"}
        with sqlite3.connect(self.place / "demo" / "almanac.db") as raw:
            raw.execute("UPDATE stock SET body = ? WHERE uid = ?", (json.dumps(body), BIRCH.uid))
        session = Session()
        session.attach(self.open("demo"))
        stock = session.catalogue.stock(BIRCH.uid)
        self.assertEqual(stock.family, "unknown")
        session.choose(machine=LONG.uid, stock=BIRCH.uid, task="cut")
        self.assertFalse(session.permission.allowed)
        self.assertTrue(find_entries(session.catalogue, "birch", session.today(), most=50))

    def test_a_reading_and_a_run_that_cannot_be_read_leave_the_others(self):
        before = self.open("demo")
        kept = len(before.readings("coupon-0001"))
        before.close()
        self.poison("reading", "coupon-0001/A1")
        self.poison("run", "coupon-0001")
        library = self.open("demo")
        self.assertEqual(len(library.readings("coupon-0001")), kept - 1)
        self.assertIsNone(library.run_of("coupon-0001"))
        self.assertEqual(len(library.set_aside), 2)

    def test_the_command_line_finds_the_others_and_says_so(self):
        uid = self.poison("entry")
        done = subprocess.run(
            [sys.executable, "-m", "olive_almanac", "--library", self.place / "demo", "book"],
            capture_output=True,
            text=True,
            cwd=ROOT,
            check=False,
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn(f"entry {uid} is damaged", done.stderr)
        self.assertEqual(len(done.stdout.splitlines()), 2)

    def test_words(self):
        self.assertEqual(set_aside_words({}), "")
        one = set_aside_words({"entry e1": "entry e1: power is missing."})
        self.assertIn("1 record cannot be read and is set aside: entry e1: power is missing.", one)
        many = set_aside_words({f"entry e{n}": "no" for n in range(8)})
        self.assertIn("8 records cannot be read", many)
        self.assertIn("entry e5 and 2 more.", many)
