"""The book in and out through the steps: notes with undo, files by suffix, labels and cards,
carrying over, the demo's measured trials.
"""

import csv
import io
import json
import tempfile
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime
from pathlib import Path

import numpy as np
import pypdf

from olive_almanac.core.deciding.carry import carry_entry
from olive_almanac.core.errors import AlmanacError, BadFile, Barred
from olive_almanac.core.fitting.tone import areal_energy_of
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.records.entry import Evidence, Margins
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.formats.book_csv import write_book_csv
from olive_almanac.formats.book_pdf import write_book, write_label, write_wall_card
from olive_almanac.formats.tone_csv import write_tone_csv
from olive_almanac.steps.book import clip_text
from olive_almanac.steps.decide import Basis, question_of, work_out
from olive_almanac.steps.session import Session, read_all
from olive_almanac.steps.share import (
    NotesDesk,
    book_lines,
    label_work,
    merge_work,
    take_in_work,
    write_book_work,
    write_wall_card_work,
)
from olive_almanac.storage.library import Library
from tests.core.test_words_and_numbers import german
from tests.demo_shop import copy_demo
from tests.samples import (
    ALLOWED,
    BIRCH,
    DAY,
    LEATHER,
    LONG,
    NORTH,
    VINYL,
    cut_trial,
    kind_plan,
    sample_entry,
)

TODAY = date.fromisoformat(DAY)


class StepsCase(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.place = Path(holder.name)
        self.library = self.open("library")
        for machine in (LONG, NORTH):
            self.library.save_machine(machine, "set up")
        for stock in (BIRCH, LEATHER):
            self.library.save_stock(stock, "set up")
        self.library.save_entry(sample_entry(), "chosen")
        self.session = Session(today=lambda: TODAY)
        self.session.attach(self.library)
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid, task="cut")

    def open(self, name):
        library = Library.open(
            self.place / name, clock=lambda: datetime(2026, 4, 14, tzinfo=UTC), who="Ada"
        )
        self.addCleanup(library.close)
        return library

    def done(self, work):
        return "\n".join(str(one) for one in work)


class NotesDeskTest(StepsCase):
    def test_notes_come_in_and_go_out_as_one_act_and_every_revision_stays(self):
        active = NotesDesk(self.session)
        active.paste("Material,Thickness mm,Power %,Speed mm/s\nOak,5,90,10\nLeather,2,40,20\n")
        self.assertIsNone(active.question)
        self.assertTrue(active.keep())
        self.assertEqual(len(self.library.entries()), 3)
        self.assertEqual(
            {e.origin for e in self.session.catalogue.entries if e.uid != "e1"}, {"guess"}
        )
        self.session.undo_stack.undo()
        self.assertEqual([e.uid for e in self.library.entries()], ["e1"])
        self.assertNotIn("Oak", {stock.name for stock in self.session.catalogue.stocks})
        self.session.undo_stack.redo()
        self.assertEqual(len(self.session.catalogue.entries), 3)
        oak = next(one.uid for one in self.library.entries() if one.uid != "e1")
        self.assertEqual(
            [why for *_, why, _ in self.library.entry_history(oak)][1:],
            ["undone: brought in from pasted notes", "brought in from pasted notes"],
        )

    def test_what_is_asked_of_several_rows_is_answered_once(self):
        active = NotesDesk(self.session)
        active.paste(
            "machine;stock;thickness;power;speed\nold one;cork;3;40;30\nold one;felt;3;20;30\n"
            "other;pine;3;40;30\n"
        )
        self.assertEqual(len(active.brought.entries), 0)
        active.edit(0, active.heads.index("machine"), NORTH.name)
        self.assertEqual([e.machine_uid for e in active.brought.entries], [NORTH.uid] * 2)
        self.assertIn("which machine", active.fate(2)[0].lower())

    def test_the_answer_to_the_question_changes_every_speed(self):
        active = NotesDesk(self.session)
        active.paste("Material,Thickness,Power,Speed\nOak,5,90,600\n")
        speeds = {}
        for unit in active.question.units:
            active.answer(unit)
            speeds[unit] = (
                active.brought.entries[0].setting.speed_mm_s if active.brought.entries else None
            )
        self.assertAlmostEqual(speeds["mm/min"], 10.0)
        self.assertAlmostEqual(speeds["in/min"], 254.0)
        self.assertAlmostEqual(speeds["mm/s"], 600.0)

    def test_without_a_machine_or_a_table_it_says_so_and_keeps_nothing(self):
        active = NotesDesk(self.session)
        active.paste("")
        self.assertIn("holds no rows", active.problem)
        self.assertFalse(active.keep())
        self.session.subject = replace(self.session.subject, machine=None)
        active.paste("Material,Thickness,Power,Speed mm/s\nOak,5,90,6\n")
        self.assertIn("Choose the machine first", active.problem)
        with self.assertRaises(AlmanacError):
            next(iter(write_wall_card_work(self.session, self.place / "card.pdf")))


class FilesTest(StepsCase):
    def test_the_suffix_says_what_is_written_and_others_are_refused(self):
        for name in ("book.json", "book.csv", "book.pdf"):
            self.assertIn(name, self.done(write_book_work(self.session, self.place / name)))
        self.assertEqual(
            len(list(csv.DictReader(io.StringIO((self.place / "book.csv").read_text())))), 1
        )
        self.assertEqual(
            json.loads((self.place / "book.json").read_text())["format"], "olive-almanac/library"
        )
        with self.assertRaises(BadFile):
            self.done(write_book_work(self.session, self.place / "book.xlsx"))

    def test_a_long_book_turns_its_pages_and_the_contents_know_them(self):
        entries = [sample_entry(uid=f"x{n}", stock_uid=f"s{n}") for n in range(90)]
        lines = [
            (
                e,
                (LONG, NORTH)[n % 2],
                Stock(f"Stock {n}", "cork", 3.0, uid=f"s{n}"),
                "Proven",
                "until then",
            )
            for n, e in enumerate(entries)
        ]
        pages = [
            page.extract_text()
            for page in pypdf.PdfReader(io.BytesIO(write_book(lines, day=DAY))).pages
        ]
        self.assertGreater(len(pages), 10)
        at = next(n for n, text in enumerate(pages, 1) if text.startswith("North Bench 10 W"))
        self.assertRegex(pages[1], rf"North Bench 10 W, 45 settings\s+{at}\b")
        with german():
            of_book = pypdf.PdfReader(io.BytesIO(write_book(lines, day=DAY))).pages
        self.assertRegex(of_book[1].extract_text(), rf"North Bench 10 W, 45 .*\s+{at}\b")
        card = pypdf.PdfReader(io.BytesIO(write_wall_card(LONG, lines, day=DAY, paper="letter")))
        self.assertGreater(len(card.pages), 3)
        self.assertAlmostEqual(float(card.pages[0].mediabox.width), 612, delta=0.5)

    def test_what_the_stand_in_burnt_says_so_on_every_page_and_line(self):
        entry = sample_entry()
        played = replace(entry, evidence=replace(entry.evidence, simulated=True))
        for one, said in ((entry, False), (played, True)):
            line = (one, LONG, BIRCH, "Proven", "until then")
            pages = {
                "book": write_book([line], day=DAY),
                "wall card": write_wall_card(LONG, [line], day=DAY),
                "label": write_label(one, LONG, BIRCH, "Proven"),
            }
            for name, data in pages.items():
                text = " ".join(
                    page.extract_text() for page in pypdf.PdfReader(io.BytesIO(data)).pages
                )
                with self.subTest(name, said=said):
                    self.assertEqual("Proven, simulated" in text, said)
                    self.assertEqual("not a certification" in text, name != "label")
            (row,) = csv.DictReader(io.StringIO(write_book_csv([line])))
            self.assertEqual(row["simulated"] == "yes", said)
            clip = clip_text(one, LONG, BIRCH, "proven", "mm/s")
            self.assertEqual(clip.endswith("(proven, simulated)"), said)

    def test_a_label_needs_an_entry(self):
        self.assertIn("label.pdf", self.done(label_work(self.session, self.place / "label.pdf")))
        self.session.choose(stock=LEATHER.uid)
        with self.assertRaisesRegex(BadFile, "no entry"):
            self.done(label_work(self.session, self.place / "label.pdf"))

    def test_a_library_goes_through_a_file_into_another_and_a_folder_back(self):
        self.done(write_book_work(self.session, self.place / "book.json"))
        other = self.open("other")
        (merged,) = take_in_work(other, self.place / "book.json")
        self.assertEqual(
            (merged.revisions, read_all(other)[0].entries), (5, self.session.catalogue.entries)
        )
        other.save_entry(sample_entry(notes="elsewhere"), "changed")
        other.close()
        (back,) = merge_work(self.library, lambda: Library.open(self.place / "other"))
        self.assertEqual(back.revisions, 1)
        self.session.read_again()
        self.assertEqual(self.session.entry.notes, "elsewhere")
        with self.assertRaises(BadFile):
            self.done(take_in_work(self.library, self.place / "other" / "almanac.db"))

    def test_lines_leave_out_entries_whose_machine_or_stock_is_gone(self):
        self.assertEqual(len(book_lines(self.session)), 1)
        self.session.shop.catalogue = replace(self.session.catalogue, stocks=())
        self.assertEqual(book_lines(self.session), [])


class CarryTest(unittest.TestCase):
    def carried(
        self, entry, to_machine=LONG, to_stock=BIRCH, permission=ALLOWED, machine=LONG, stock=BIRCH
    ):
        return carry_entry(
            entry,
            machine,
            stock,
            to_machine=to_machine,
            to_stock=to_stock,
            permission=permission,
            rng=np.random.default_rng(2),
        )

    def cut(self, speed=12.0):
        return sample_entry(
            setting=Setting(1.0, speed, 1, 1.5), evidence=Evidence(margins=Margins(speed=1.3))
        )

    def test_the_same_subject_gets_nearly_the_same_setting_back(self):
        setting, evidence = self.carried(self.cut())
        self.assertAlmostEqual(setting.passes / setting.speed_mm_s / (1 / 14), 1.0, delta=0.35)
        self.assertIn("for the same", evidence.says)

    def test_a_weaker_machine_and_thicker_stock_take_longer(self):
        base = self.carried(self.cut())[0]
        weak = self.carried(
            self.cut(), to_machine=replace(LONG, optical_power_w=30.0, name="Old Bed", uid="old")
        )[0]
        thick = self.carried(
            self.cut(), to_stock=replace(BIRCH, thickness_mm=5.0, measured_mm=(), uid="birch-5")
        )[0]
        per_mm = [s.passes / s.speed_mm_s for s in (base, weak, thick)]
        self.assertGreater(per_mm[1], 1.5 * per_mm[0])
        self.assertGreater(per_mm[2], 1.3 * per_mm[0])

    def test_what_the_entry_knew_is_carried_and_not_only_the_family(self):
        hard, easy = (
            self.carried(self.cut(speed), to_stock=replace(BIRCH, lot="9"))[0]
            for speed in (5.0, 25.0)
        )
        self.assertGreater(hard.passes / hard.speed_mm_s, 1.8 * easy.passes / easy.speed_mm_s)

    def test_an_engraving_keeps_its_areal_energy(self):
        entry = sample_entry(
            task="engrave", setting=Setting(0.4, 300.0, pitch_mm=0.1, direction="x")
        )
        setting, evidence = self.carried(entry, to_stock=replace(BIRCH, lot="9"))
        wanted = areal_energy_of(entry.setting, LONG, 300.0)
        self.assertAlmostEqual(
            areal_energy_of(setting, LONG, setting.speed_mm_s) / wanted, 1.0, delta=0.03
        )
        self.assertIn("another lot", evidence.says)
        line = sample_entry(task="score", setting=Setting(0.3, 60.0))
        scored, _ = self.carried(
            line, to_machine=replace(LONG, spot_x_mm=0.1, spot_y_mm=0.1, uid="fine")
        )
        ratio = (scored.power / scored.speed_mm_s) / (0.3 / 60)
        self.assertAlmostEqual(ratio, 0.5, delta=0.05)  # half the spot, half the energy of a line

    def test_barred_stock_gets_nothing(self):
        with self.assertRaises(Barred):
            self.carried(self.cut(), to_stock=VINYL, permission=Permission(False, "it is vinyl"))


class QuestionsTest(unittest.TestCase):
    def test_each_kind_of_trial_has_its_question(self):
        kinds = {
            "grid": "setting",
            "confirm": "confirm",
            "focus": "focus",
            "ramp": "focus",
            "kerf": "kerf",
        }
        for kind, question in kinds.items():
            self.assertEqual(question_of(replace(cut_trial(), kind=kind)), question)
        self.assertEqual(question_of(kind_plan("grey", "engrave").trial), "tone")

    def test_what_cannot_be_decided_yet_is_said(self):
        for kind, task in (("focus", "cut"), ("kerf", "cut"), ("grey", "engrave")):
            ((name, found),) = work_out(Basis([(kind_plan(kind, task).trial, ())]))
            self.assertEqual(name, {"focus": "focus", "kerf": "kerf", "grey": "tone"}[kind])
            self.assertTrue(found if isinstance(found, str) else found.says)

    def test_the_demo_has_a_measured_trial_of_each_kind_and_they_decide(self):
        with tempfile.TemporaryDirectory() as place:
            copy_demo(Path(place) / "demo")
            library = Library.open(Path(place) / "demo", who="Ada")
            self.addCleanup(library.close)
            by_kind = {
                trial.kind: (trial, library.readings(trial.id)) for trial, _, _ in library.trials()
            }
            found = {
                kind: next(iter(work_out(Basis([by_kind[kind]]))))[1]
                for kind in ("focus", "kerf", "grey")
            }
        self.assertTrue(found["focus"].decided, found["focus"].says)
        self.assertLess(abs(found["focus"].fit.focus_mm), 1.0)
        self.assertEqual({row.axis for row in found["kerf"].rows}, {"x", "y"})
        rows = list(csv.DictReader(io.StringIO(write_tone_csv(found["grey"]))))
        self.assertEqual(len(rows), 256)
        self.assertEqual(float(rows[0]["power_percent"]), 0.0)
