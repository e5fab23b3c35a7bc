"""A library shared by two programs, merged with another, written out and read back; kills in
mid-write lose nothing.
"""

import contextlib
import json
import os
import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from olive_almanac.core.errors import BadFile
from olive_almanac.core.records.entry import Proof
from olive_almanac.core.records.reading import VERDICTS, Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.formats.library_json import read_library, write_library
from olive_almanac.storage.engines import name_server
from olive_almanac.storage.library import Library
from tests.demo_shop import copy_demo
from tests.formats.test_station_files import validate
from tests.samples import BIRCH, LONG, NORTH, cut_trial, sample_entry
from tests.storage.server import new_database

ROOT = Path(__file__).parents[2]
WRITER = """
import sys
from pathlib import Path
from dataclasses import replace
from olive_almanac.core.records.entry import Proof
from olive_almanac.core.records.reading import Reading
from olive_almanac.storage.library import Library
library = Library.open(Path(sys.argv[1]), who=sys.argv[2])
(entry,) = library.entries()
for n in range(int(sys.argv[3]), int(sys.argv[4])):
    library.save_reading(f"t{sys.argv[2]}", Reading(f"A{n}", "free"), "read")
    if n % 5 == 0:
        proof = Proof("2026-04-14", "passed", note=f"{sys.argv[2]} {n}")
        entry = library.save_entry(replace(entry, proofs=(*entry.proofs, proof)), "turn")
    print(n, flush=True)
"""


class SharingCase(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.place = Path(holder.name)
        self.day = datetime(2026, 4, 14, 9, 0, tzinfo=UTC)

    def open(self, name, who="Ada"):
        library = Library.open(
            name if isinstance(name, Path) else self.place / name, clock=lambda: self.day, who=who
        )
        self.addCleanup(library.close)
        return library

    def write(self, folder, who, first, last):
        return subprocess.Popen(
            [sys.executable, "-c", WRITER, str(folder), who, str(first), str(last)],
            stdout=subprocess.PIPE,
            text=True,
            env={**os.environ, "PYTHONPATH": str(ROOT)},
        )


class TwoProgramsTest(SharingCase):
    def check_both_write_at_once(self, folder):
        library = self.open(folder)
        library.save_entry(sample_entry(proofs=()), "chosen")
        library.close()
        writers = [self.write(folder, who, 0, 60) for who in ("Ada", "Ben")]
        for writer in writers:
            writer.communicate()
            self.assertEqual(writer.returncode, 0)
        library = self.open(folder)
        for who in ("Ada", "Ben"):
            self.assertEqual(
                {r.cell for r in library.readings(f"t{who}")}, {f"A{n}" for n in range(60)}
            )
        (entry,) = library.entries()
        self.assertEqual(
            sorted(proof.note for proof in entry.proofs),
            sorted(f"{who} {n}" for who in ("Ada", "Ben") for n in range(0, 60, 5)),
        )
        history = library.entry_history("e1")
        self.assertEqual(len(history), 25)
        self.assertTrue({who for *_, who in history} >= {"Ada", "Ben"})

    def test_in_one_folder(self):
        self.check_both_write_at_once(self.place / "library")

    def test_on_one_server(self):
        self.check_both_write_at_once(name_server(new_database("twoprograms"), self.place))


class KillsTest(SharingCase):
    """Each kill falls into the midst of a burst of writes; every printed write must be there, and
    the library opens.
    """

    def test_three_hundred_kills_lose_nothing_committed(self):
        folder = self.place / "library"
        self.open(folder).close()
        killer = (
            "import os,sys\nfrom pathlib import Path\nfrom olive_almanac.core.records.reading "
            "import Reading\nfrom olive_almanac.storage.library import Library\nimport "
            "random,signal,threading,time\n"
            "folder=Path(sys.argv[1])\nfor kill in range(int(sys.argv[2]),int(sys.argv[3])):\n"
            "    read,write=os.pipe()\n    child=os.fork()\n    if child==0:\n"
            "        library=Library.open(folder)\n        for n in range(100000):\n"
            "            library.save_reading(f't{kill}',Reading(f'A{n}','free'),'read')\n"
            "            os.write(write,b'%d\\n'%n)\n"
            "    os.close(write)\n    chance=random.Random(kill)\n"
            "    told,wanted=b'',chance.randrange(1,7)\n    while told.count(b'\\n')<wanted:\n"
            "        part=os.read(read,65536)\n        told+=part\n"
            "        if not part: break\n    time.sleep(0.006*chance.random())\n"
            "    os.kill(child,signal.SIGKILL)\n    while (part:=os.read(read,65536)):\n"
            "        told+=part\n    os.close(read); os.waitpid(child,0)\n"
            "    print(kill, told.count(b'\\n'), flush=True)\n"
        )
        run = subprocess.run(
            [sys.executable, "-c", killer, str(folder), "0", "300"],
            capture_output=True,
            text=True,
            check=True,
            env={**os.environ, "PYTHONPATH": str(ROOT)},
        )
        told = dict(tuple(map(int, line.split())) for line in run.stdout.splitlines())
        self.assertEqual(len(told), 300)
        self.assertGreater(sum(told.values()), 300)
        library = self.open(folder)
        lost = {
            kill: count for kill, count in told.items() if len(library.readings(f"t{kill}")) < count
        }
        self.assertEqual(lost, {})


class MergeTest(SharingCase):
    def setUp(self):
        super().setUp()
        self.ours, self.theirs = self.open("ours"), self.open("theirs", "Ben")

    def merge(self, into=None, source=None):
        into, source = into or self.ours, source or self.theirs
        return into.take_in(source.rows(), source.photo, source.photo_names())

    def test_what_only_they_have_comes_over_with_its_photos_and_a_second_time_brings_nothing(self):
        self.theirs.save_machine(LONG, "set up")
        self.theirs.save_entry(sample_entry(), "chosen")
        self.theirs.save_entry(sample_entry(notes="again"), "note added")
        name = self.theirs.keep_photo(b"photo", ".jpg")
        merged = self.merge()
        self.assertEqual((merged.revisions, merged.photos, merged.conflicts), (3, 1, ()))
        self.assertEqual(self.ours.photo(name), b"photo")
        self.assertEqual(
            [(e.notes, who) for e, _, _, who in self.ours.entry_history("e1")],
            [("", "Ben"), ("again", "Ben")],
        )
        self.assertIn("Nothing new", self.merge().says)

    def test_a_record_changed_on_both_sides_keeps_every_revision_and_the_newer_is_in_force(self):
        self.ours.save_entry(sample_entry(), "chosen")
        self.merge(self.theirs, self.ours)
        self.day += timedelta(hours=1)
        self.theirs.save_entry(sample_entry(notes="theirs"), "note")
        self.day += timedelta(hours=1)
        self.ours.save_entry(sample_entry(notes="ours, later"), "note")
        merged = self.merge()
        self.assertEqual([(one.uid, one.kept) for one in merged.conflicts], [("e1", "ours")])
        self.assertEqual(self.ours.entries()[0].notes, "ours, later")
        self.assertEqual(
            {e.notes for e, *_ in self.ours.entry_history("e1")}, {"", "theirs", "ours, later"}
        )
        back = self.merge(self.theirs, self.ours)
        self.assertEqual(self.theirs.entries()[0].notes, "ours, later")
        self.assertEqual(back.conflicts, ())
        self.assertIn("Nothing new", self.merge().says)

    def test_a_folder_and_a_server_exchange_everything(self):
        shared = self.open(name_server(new_database("merge"), self.place))
        self.ours.save_stock(BIRCH, "set up")
        name = self.ours.keep_photo(b"photo", ".jpg")
        self.merge(shared, self.ours)
        shared.remove("stock", BIRCH.uid, "used up")
        self.assertEqual(shared.photo(name), b"photo")
        self.merge(self.ours, shared)
        self.assertEqual(self.ours.stocks(), ())


text = st.text(
    st.characters(codec="utf-8", exclude_characters="\x00", exclude_categories=("Cs",)), max_size=30
)
names = text.filter(
    lambda word: word.strip() == word and word and all(c.isprintable() for c in word)
)
entry_strategy = st.builds(
    lambda notes, power, speed, passes, lot, proofs: sample_entry(
        notes=notes,
        setting=Setting(power, speed, passes),
        lot=lot,
        proofs=tuple(Proof("2026-04-14", p, lot) for p in proofs),
    ),
    text,
    st.floats(0.01, 1),
    st.floats(0.1, 5000),
    st.integers(1, 30),
    text,
    st.lists(st.sampled_from(("passed", "failed")), max_size=4),
)
reading_strategy = st.builds(
    Reading,
    st.sampled_from(("A1", "B2", "C3")),
    st.sampled_from(VERDICTS["cut"]),
    char=st.none() | st.integers(0, 2),
    lightness=st.none() | st.floats(0, 100),
)


class RoundTripTest(SharingCase):
    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        Library.open(Path(holder.name)).close()
        cls.empty = (Path(holder.name) / "almanac.db").read_bytes()

    def fresh(self, folder):
        """An empty library, its tables made beforehand: making them takes longer than the test."""
        folder.mkdir()
        (folder / "almanac.db").write_bytes(self.empty)
        return Library.open(folder, who="Ada")

    def check(self, library, copy):
        document = write_library(
            library.rows(), ((name, library.photo(name)) for name in library.photo_names())
        )
        rows, photos = read_library(document, "library.json")
        copy.take_in(rows, photos.__getitem__, tuple(photos))
        self.assertEqual(copy.rows(), library.rows())
        self.assertEqual({name: copy.photo(name) for name in copy.photo_names()}, photos)
        return document

    def test_the_demo_library_comes_back_exactly_and_fits_the_schema(self):
        copy_demo(self.place / "demo")
        library = self.open("demo")
        library.keep_photo(b"\xff\xd8 a photo", ".jpg")
        other = self.open("copy")
        other.make_playground()
        validate("library", self.check(library, other))

    def test_nothing_simulated_comes_into_a_real_library(self):
        copy_demo(self.place / "demo")
        demo, real = self.open("demo"), self.open("real")
        told = real.take_in(demo.rows(), demo.photo, demo.photo_names())
        self.assertEqual(len(real.machines()), len(demo.machines()))
        self.assertEqual([real.run_of(trial.id) for trial, _, _ in real.trials()], [None] * 2)
        self.assertEqual({one.origin for one in real.entries()}, {"guess"})
        self.assertRegex(
            told.left_out[-1], r"\d+ simulated trials and \d+ entries .* stand-in bench"
        )

    @settings(max_examples=80, deadline=None, suppress_health_check=list(HealthCheck))
    @given(
        st.lists(entry_strategy, max_size=4),
        st.lists(reading_strategy, max_size=4),
        st.lists(st.binary(max_size=20), max_size=2),
        text,
    )
    def test_generated_libraries_come_back_exactly(self, entries, readings, photos, why):
        with tempfile.TemporaryDirectory() as folder:
            opened = [self.fresh(Path(folder) / name) for name in ("one", "two")]
            with contextlib.ExitStack() as closing:
                for library in opened:
                    closing.callback(library.close)
                one, two = opened
                one.save_machine(replace(NORTH, notes=why), why)
                for entry in entries:
                    one.save_entry(entry, why)
                for reading in readings:
                    one.save_reading("t", reading, why)
                one.save_trial(cut_trial(), "read", why)
                for photo in photos:
                    one.keep_photo(photo, ".png")
                self.check(one, two)

    def test_damaged_files_are_told(self):
        self.ours = self.open("ours")
        self.ours.save_stock(BIRCH, "set up")
        good = json.loads(write_library(self.ours.rows(), ()))
        for change, words in (
            (lambda d: d.update(format="x"), "no library file"),
            (lambda d: d.update(version=9), "version 9"),
            (lambda d: d["tables"]["stock"][0].update(revision="1"), "stock\\[0\\]: revision"),
            (lambda d: d["photos"].update(a="%%"), "photo a is damaged"),
        ):
            broken = json.loads(json.dumps(good))
            change(broken)
            with self.assertRaisesRegex(BadFile, words):
                read_library(json.dumps(broken), "library.json")
        with self.assertRaisesRegex(BadFile, "not JSON"):
            read_library("{", "library.json")
