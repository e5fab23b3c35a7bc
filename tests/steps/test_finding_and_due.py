"""The finder's index against a plain search, the due list, comparing, and the shelf that keeps what
it was told.
"""

import unittest
from dataclasses import replace
from datetime import date, timedelta

from hypothesis import given, settings
from hypothesis import strategies as st

from olive_almanac.core.records.entry import Margins, Proof
from olive_almanac.core.records.setting import TASK_WORDS, Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.formats.pdf import entry_code, trial_code
from olive_almanac.steps.book import STATE_WORDS, index_rows
from olive_almanac.steps.catalogue import ShopCatalogue, subject_state
from olive_almanac.steps.due import compare, due_list, energy_sentence, same_stock
from olive_almanac.steps.find import FindIndex, entry_of_code, find_entries, index_of, trial_of_code
from olive_almanac.steps.permission import word_of
from olive_almanac.steps.session import Session
from olive_almanac.steps.snapshot import load_snapshot, save_snapshot
from tests.samples import BIRCH, DAY, LEATHER, LONG, MARKER, NORTH, VINYL, sample_entry

TODAY = date.fromisoformat(DAY)
OAK = Stock("Oak", "hardwood", 9.0, lot="2", uid="oak-9", colour="brown")
EIGHTH = Stock("Birch ply", "plywood", 3.2, lot="8", uid="birch-32")
STOCKS = (BIRCH, EIGHTH, LEATHER, OAK)


def proved(day=DAY, count=3, lot="7"):
    return tuple(Proof(day, "passed", lot) for _ in range(count))


def catalogue(*entries):
    return ShopCatalogue((LONG, NORTH, MARKER), (*STOCKS, VINYL), entries)


BOOK = catalogue(
    sample_entry(uid="a", proofs=proved()),
    sample_entry(uid="b", machine_uid=NORTH.uid, setting=Setting(1.0, 4.0, 2)),
    sample_entry(
        uid="c",
        stock_uid=LEATHER.uid,
        task="engrave",
        lot="9",
        setting=Setting(0.3, 200.0, pitch_mm=0.1),
    ),
    sample_entry(uid="d", stock_uid=OAK.uid, lot="2", origin="guess"),
    sample_entry(uid="e", stock_uid=EIGHTH.uid, lot="8"),
)


def found(text, most=8):
    return [one.entry.uid for one in find_entries(BOOK, text, TODAY, most)]


class FindTest(unittest.TestCase):
    def test_words_sizes_and_units_in_any_order(self):
        self.assertEqual(found("3 mm birch cut 60w"), ["a"])
        self.assertEqual(found("eighth inch birch cut"), ["e"])
        self.assertEqual(found('1/8" birch'), ["e"])
        self.assertEqual(found("an eighth of an inch birch"), ["e"])
        self.assertEqual(found("leather engrave"), ["c"])
        self.assertEqual(found("brown 9mm"), ["d"])
        self.assertEqual(set(found("birch")), {"a", "b", "e"})
        self.assertEqual(found("birch vinyl"), [])

    def test_what_is_proven_comes_first_and_nothing_typed_shows_all(self):
        self.assertEqual(found("birch")[0], "a")
        self.assertEqual(len(found("", 20)), 5)
        self.assertEqual(found("", 2), found("", 20)[:2])
        self.assertEqual(found("guess"), ["d"])

    def test_beginnings_and_slips_are_found_after_whole_words(self):
        self.assertEqual(found("leath"), ["c"])
        self.assertEqual(found("lethaer"), ["c"])
        self.assertEqual(found("brich cut 10w"), ["b"])
        scores = [one.score for one in find_entries(BOOK, "oak", TODAY)] + [
            one.score for one in find_entries(BOOK, "oakk", TODAY)
        ]
        self.assertEqual(scores, [1.0, 0.7])

    def test_codes_of_labels_and_key_sheets(self):
        self.assertEqual(found(entry_code("d")), ["d"])
        self.assertEqual(entry_of_code("  " + entry_code("x y ")), "x y")
        self.assertEqual(
            (trial_of_code(trial_code("t1")), trial_of_code("birch"), entry_of_code("birch")),
            ("t1", "", ""),
        )

    def test_the_index_is_made_once_for_a_shelf_and_day(self):
        self.assertIs(index_of(BOOK, TODAY), index_of(BOOK, TODAY))
        self.assertIsNot(index_of(BOOK, TODAY), index_of(BOOK, TODAY + timedelta(days=1)))

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(
            st.sampled_from(
                (
                    "birch",
                    "cut",
                    "leather",
                    "60w",
                    "10w",
                    "engrave",
                    "lot",
                    "7",
                    "oak",
                    "proven",
                    "ply",
                )
            ),
            max_size=3,
        )
    )
    def test_whole_words_find_what_a_plain_search_finds(self, words):
        hits = {entry.uid for entry, _ in FindIndex(BOOK, TODAY).search(words, [], 50)}
        for entry in BOOK.entries:
            machine, stock = BOOK.machine(entry.machine_uid), BOOK.stock(entry.stock_uid)
            state = subject_state(BOOK, machine, stock, entry.task, TODAY)[0]
            text = (
                f"{stock.label} {word_of(stock)} {stock.colour} {stock.finish} {machine.label} "
                f"{machine.source} {machine.optical_power_w:g}w"
            )
            there = (
                f"{text} {TASK_WORDS[entry.task]} {entry.task} {STATE_WORDS[state][0]}".casefold()
                .replace(",", " ")
                .split()
            )
            holds = all(any(other.startswith(word) for other in there) for word in words)
            self.assertEqual(entry.uid in hits, holds, (words, entry.uid))


class ShelfTest(unittest.TestCase):
    def test_entries_are_put_in_their_place_or_taken_out(self):
        changed = BOOK.with_entries(
            (sample_entry(uid="b", notes="new"), sample_entry(uid="z")), gone=(BOOK.entries[0],)
        )
        self.assertEqual([e.uid for e in changed.entries], ["b", "c", "d", "e", "z"])
        self.assertEqual(changed.entry_by_uid["b"].notes, "new")
        self.assertEqual(BOOK.entry_for(NORTH.uid, BIRCH.uid, "cut").uid, "b")
        self.assertIsNone(BOOK.entry_for(MARKER.uid, BIRCH.uid, "cut"))

    def test_the_snapshot_of_a_large_shelf_holds_the_newest_only(self):
        import tempfile
        from pathlib import Path

        stocks = tuple(replace(OAK, uid=f"s{n}", lot=str(n)) for n in range(400))
        entries = tuple(sample_entry(uid=f"e{n}", stock_uid=f"s{n}") for n in range(400))
        with tempfile.TemporaryDirectory() as folder:
            save_snapshot(Path(folder), ShopCatalogue((LONG,), stocks, entries))
            kept = load_snapshot(Path(folder))
            self.assertEqual((len(kept.entries), len(kept.stocks)), (300, 300))
            self.assertEqual(kept.entries[-1], entries[-1])
            self.assertIsNotNone(kept.stock(kept.entries[0].stock_uid))
            (Path(folder) / "shelf.json").write_text("{")
            self.assertIsNone(load_snapshot(Path(folder)))

    def test_states_of_the_index_are_found_when_asked_for(self):
        rows = [row for row in index_rows(BOOK, TODAY) if row.stock is BIRCH]
        self.assertNotIn("states", rows[0].__dict__)
        self.assertEqual(rows[0].states[0], "proven")
        self.assertIn("states", rows[0].__dict__)


class DueTest(unittest.TestCase):
    def due(self, *entries):
        session = Session(today=lambda: TODAY)
        session.shop.catalogue = catalogue(*entries)
        return [(one.entry.uid, one.risk) for one in due_list(session)]

    def test_the_most_pressing_and_the_most_used_come_first(self):
        old = str(TODAY - timedelta(days=400))
        soon = str(TODAY - timedelta(days=178))
        entries = (
            sample_entry(uid="fresh", proofs=proved()),
            sample_entry(uid="trial", stock_uid=OAK.uid, lot="2"),
            sample_entry(uid="ran out", stock_uid=EIGHTH.uid, lot="8", proofs=proved(old, lot="8")),
            sample_entry(uid="lot", stock_uid=LEATHER.uid, lot="8", proofs=proved(DAY, 5, lot="8")),
            sample_entry(
                uid="failed", machine_uid=NORTH.uid, proofs=(*proved(), Proof(DAY, "failed", "7"))
            ),
            sample_entry(
                uid="soon",
                machine_uid=NORTH.uid,
                stock_uid=OAK.uid,
                proofs=proved(soon, lot="2"),
                lot="2",
            ),
        )
        self.assertEqual(
            self.due(*entries),
            [("failed", 0), ("lot", 1), ("ran out", 2), ("soon", 3), ("trial", 4)],
        )
        self.assertEqual(self.due(), [])

    def test_of_two_entries_of_one_subject_only_the_newest_counts(self):
        self.assertEqual(self.due(sample_entry(uid="old"), sample_entry(uid="new")), [("new", 4)])


class CompareTest(unittest.TestCase):
    def test_lines_say_what_differs(self):
        lines = {
            line.name: line for line in compare(BOOK, BOOK.entries[0], BOOK.entries[1], "mm/min")
        }
        self.assertTrue(
            lines["Machine"].differs and lines["Speed"].differs and lines["Passes"].differs
        )
        self.assertFalse(lines["Stock"].differs or lines["Lot"].differs)
        self.assertEqual((lines["Speed"].left, lines["Speed"].right), ("720 mm/min", "240 mm/min"))

    def test_the_energy_sentence_names_the_likely_cause(self):
        seven = sample_entry(setting=Setting(1.0, 12.0))
        eight = replace(seven, uid="e8", lot="8", setting=Setting(1.0, 10.0))
        said = energy_sentence(BOOK, seven, eight)
        self.assertEqual(said, "The right one puts in 20 % more energy: another lot (7, 8).")
        self.assertIn("left one puts in 20 % more", energy_sentence(BOOK, eight, seven))
        self.assertEqual(
            energy_sentence(BOOK, seven, replace(seven, notes="x")), "Both put in the same energy."
        )
        self.assertEqual(
            energy_sentence(BOOK, seven, BOOK.entries[2]), ""
        )  # a cut and an engraving

    def test_the_nearest_others_come_first(self):
        others = same_stock(BOOK.entries, BOOK.entries[0])
        self.assertEqual([e.uid for e in others], ["b", "d", "e"])

    def test_margin_and_kerf_stand_in_the_comparison(self):
        entry = sample_entry(kerf_x_mm=0.2, kerf_y_mm=0.21)
        entry = replace(
            entry, evidence=replace(entry.evidence, margins=Margins(speed=1.3), seconds_per_m=80.0)
        )
        lines = {line.name: line.left for line in compare(BOOK, entry, entry, "mm/s")}
        self.assertEqual(
            (lines["Margin in speed"], lines["Kerf X, Y"]), ("30 %", "0.200 mm and 0.210 mm")
        )
