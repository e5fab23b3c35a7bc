"""Five shops' old notes, each in its own style, come into the book with at most one question."""

import io
import itertools
import unittest
from pathlib import Path

import openpyxl

from olive_almanac.core.errors import BadFile
from olive_almanac.core.notes.columns import unit_question
from olive_almanac.core.notes.entries import bring_in
from olive_almanac.core.notes.preparing import recipe_of_words
from olive_almanac.core.records.setting import Setting
from olive_almanac.formats.notes import read_notes, read_pasted
from tests.samples import BIRCH, DAY, LONG, MARKER, NORTH, sample_entry

TIDY = """Material,Thickness (mm),Power (%),Speed (mm/s),Passes,Notes
Birch ply,3,85,12,1,good
Poplar ply,4.0,100,9,1,
Cork,3,40,30,1,"smells, but fine"
Birch ply,3,85,12,1,written twice
Birch ply,3,60,20,2,another day
"""
GERMAN = (
    "Notes of the small bench\n\nmachine;what;thick;power;feed mm/min;times\nNorth "
    "Bench;Leather;2,0 mm;700;300;2\nNorth Bench;Felt;3 mm;450;900;1\n"
)
IMPERIAL = (
    'Job\tStock\tPwr\tFeed\tRuns\nengrave\t1/8" walnut\t35 W\t600 ipm\t1\ncut\t1/4" '
    "black acrylic\t55W\t24 ipm\t1\ncut\tgarden chair\t\t20 ipm\t1\n"
)
IDS = (f"id-{number}" for number in itertools.count())
ALL_GERMAN = """Maschine;Material;Stärke (mm);Vorgang;Leistung (%);Tempo mm/min;Durchgänge;Luft
North Bench;Birkensperrholz;3;Schneiden;90;480;2;voll
North Bench;schwarzes Acryl;3,2;gravieren;35;1.800;1;aus
Long Bed;klares Acryl;5;schneiden;80;600;1;wenig
Long Bed;Graupappe;1,5;ritzen;20;9000;1;ohne
"""
LINES = (
    "3mm birch ply cut 80% 14mm/s x1\n2 mm leather - engrave 25 % 200mm/s 300dpi\nboard 1.5mm "
    "cut 30% 1800 mm/min 1 pass\n\n"
)


def brought(notes, unit="mm/s", entries=(), stocks=(BIRCH,)):
    return bring_in(
        notes,
        machine=LONG,
        machines=(LONG, NORTH, MARKER),
        stocks=stocks,
        entries=entries,
        speed_unit=unit,
        day=DAY,
        new_id=lambda: next(IDS),
    )


def asked(notes):
    return unit_question(notes.heads, notes.rows, notes.columns, LONG.max_speed_mm_s)


class FiveStylesTest(unittest.TestCase):
    def test_many_rows_that_disagree_are_named_up_to_a_few(self):
        rows = "\n".join(f"Birch ply,3,{40 + n},12,1," for n in range(30))
        found = brought(
            read_pasted(f"stock,thickness,power,speed,passes,notes\n{rows}\n", "old.csv")
        )
        (entry,) = found.entries
        self.assertEqual(entry.notes.count("also noted in"), 6)
        self.assertTrue(entry.notes.endswith("; and in further rows of old.csv"))
        self.assertEqual(len(found.told("otherwise")), 29)

    def test_a_tidy_table_needs_no_question_and_lists_what_stands_twice(self):
        notes = read_pasted(TIDY, "old.csv")
        self.assertIsNone(asked(notes))
        found = brought(notes)
        names = {stock.uid: stock.name for stock in (BIRCH, *found.stocks)}
        self.assertEqual(
            [(names[e.stock_uid], e.task) for e in found.entries],
            [("Birch ply", "cut"), ("Poplar ply", "cut"), ("Cork", "cut")],
        )
        self.assertEqual(found.entries[0].setting, Setting(0.85, 12.0, 1))
        self.assertEqual([stock.family for stock in found.stocks], ["plywood", "cork"])
        self.assertEqual(
            [one.becomes for one in found.fates], ["guess"] * 3 + ["twice", "otherwise"]
        )
        self.assertIn("row 6", found.told("otherwise")[0])
        self.assertIn("60 %, 20 mm/s, 2 x", found.entries[0].notes)
        for entry in found.entries:
            self.assertEqual((entry.origin, entry.evidence.cells_read), ("guess", 0))
            self.assertIn("old.csv, row", entry.evidence.says)

    def test_a_machine_is_known_by_its_name_its_source_or_its_watts(self):
        rows = (
            ("North Bench", NORTH),
            ("north", NORTH),
            ("CO2 sixty", LONG),
            ("the 60 W tube", LONG),
            ("fiber", MARKER),
            ("diode 10w", NORTH),
            ("", LONG),  # none is named
        )
        for named, machine in rows:
            notes = read_pasted(f"machine;stock;thickness;power;speed\n{named};cork;3;40;30\n")
            found = brought(notes)
            self.assertEqual([e.machine_uid for e in found.entries], [machine.uid], named)
        for named in ("CO2 forty", "the old one", "be", "nor"):
            notes = read_pasted(f"machine;stock;thickness;power;speed\n{named};cork;3;40;30\n")
            (left_out,) = brought(notes).told("left out")
            self.assertIn(f"which machine is “{named}”", left_out)
            self.assertIn("North Bench", left_out)

    def test_whether_acrylic_is_clear_is_asked_where_no_word_tells(self):
        told = ("clear acrylic", "frosted acrylic", "acrylic black", "Acrylic, solid red")
        for name in told:
            notes = read_pasted(f"stock;thickness;power;speed\n{name};3;40;30\n")
            self.assertEqual(brought(notes).told("left out"), (), name)
        notes = read_pasted("stock;thickness;power;speed\ncast acrylic;3;40;30\n")
        (left_out,) = brought(notes).told("left out")
        self.assertIn("clear or opaque", left_out)

    def test_semicolons_decimal_commas_s_values_and_a_title(self):
        notes = read_notes(GERMAN.encode("cp1252"), "klein.csv")
        self.assertIsNone(asked(notes))
        first, second = brought(notes).entries
        self.assertEqual((first.machine_uid, first.setting), ("north-bench", Setting(0.7, 5.0, 2)))
        self.assertEqual(second.setting.speed_mm_s, 15.0)
        self.assertIn(
            "klein.csv, row 4;", first.evidence.says
        )  # below the title, an empty line and the heads

    def test_a_table_in_german_words(self):
        notes = read_pasted(ALL_GERMAN)
        self.assertIsNone(asked(notes))
        found = brought(notes)
        self.assertEqual(found.told("left out"), ())
        told = [
            (e.machine_uid, e.task, e.setting.power, e.setting.speed_mm_s, e.setting.passes)
            for e in found.entries
        ]
        self.assertEqual(
            told,
            [
                ("north-bench", "cut", 0.9, 8.0, 2),
                ("north-bench", "engrave", 0.35, 30.0, 1),
                ("long-bed", "cut", 0.8, 10.0, 1),
                ("long-bed", "score", 0.2, 150.0, 1),
            ],
        )
        self.assertEqual([e.setting.air for e in found.entries], ["full", "off", "low", "off"])
        self.assertEqual(
            [(one.family, one.opacity) for one in found.stocks],
            [
                ("plywood", "opaque"),
                ("acrylic", "opaque"),
                ("acrylic", "clear"),
                ("board", "opaque"),
            ],
        )
        lines = read_pasted("3mm Birkensperrholz schneiden 80% 14mm/s 2 Durchgänge\n")
        self.assertEqual(brought(lines).entries[0].setting, Setting(0.8, 14.0, 2))

    def test_fractions_of_an_inch_watts_and_inches_a_minute(self):
        found = brought(read_pasted(IMPERIAL))
        walnut, acrylic = found.entries
        self.assertEqual(
            (walnut.task, found.stocks[0].thickness_mm, found.stocks[0].family),
            ("engrave", 3.175, "hardwood"),
        )
        self.assertAlmostEqual(walnut.setting.speed_mm_s, 254.0)
        self.assertAlmostEqual(acrylic.setting.power, 55 / 60)
        self.assertEqual(len(found.told("left out")), 1)
        self.assertIn("row 4: no power", found.told("left out")[0])

    def test_free_lines_are_taken_apart(self):
        found = brought(read_pasted(LINES))
        birch, leather, board = found.entries
        self.assertEqual((birch.stock_uid, birch.setting), ("birch-3", Setting(0.8, 14.0, 1)))
        self.assertEqual((leather.task, leather.setting.pitch_mm), ("engrave", 0.0847))
        self.assertAlmostEqual(board.setting.speed_mm_s, 30.0)
        self.assertEqual(
            [e.evidence.says.split(", ")[1].split(";")[0] for e in found.entries],
            ["row 1", "row 2", "row 3"],
        )

    def speeds(self, *cells, unit="mm/s", machine="Long Bed", head="speed"):
        """The speed in mm/s of each cell of a column, or the sentence that leaves it out."""
        rows = "".join(
            f"{machine}\tbirch ply\t{11 + n}\t80\t{cell}\n" for n, cell in enumerate(cells)
        )
        notes = read_pasted(f"machine\tstock\tthickness\tpower\t{head}\n{rows}")
        found = brought(notes, unit)
        if found.told("left out"):
            return found.told("left out")
        return [round(one.setting.speed_mm_s, 3) for one in found.entries]

    def test_signs_that_part_thousands_are_no_decimals(self):
        for cell in ("1,200", "1.200", "1 200", "1'200", "1\u202f200", "1,200.0", "1.200,0"):
            with self.subTest(cell):
                self.assertEqual(self.speeds(f"{cell} mm/min"), [20.0])
                self.assertEqual(self.speeds(cell, unit="mm/min"), [20.0])
        self.assertEqual(self.speeds("12.000", "8.500", "1.250"), [12.0, 8.5, 1.25])
        self.assertEqual(self.speeds("1.250", "12.5", machine="Marker"), [1.25, 12.5])
        (left_out,) = self.speeds("1,250 mm/s", machine="Marker")  # a scan head does either
        self.assertIn("“1,250 mm/s” may be 1.25 or 1250", left_out)
        self.assertEqual(self.speeds("1,200 mm/min", "900 mm/min"), [20.0, 15.0])
        lines = read_pasted("3mm birch ply cut 80% 1,200 mm/min x1\n")
        self.assertEqual(brought(lines).entries[0].setting, Setting(0.8, 20.0, 1))

    def test_s_values_with_a_sign_for_thousands(self):
        table = "stock\tthickness\tpower\tspeed\ncork\t3\t{}\t20\nfelt\t3\t{}\t20\n"
        for powers in (("1,000", "600"), ("S 1.000", "S 600"), ("1000", "600")):
            found = brought(read_pasted(table.format(*powers))).entries
            self.assertEqual([one.setting.power for one in found], [1.0, 0.6])
        for powers in (("0.850", "1.000"), ("85.0", "100.000")):
            found = brought(read_pasted(table.format(*powers))).entries
            self.assertEqual([one.setting.power for one in found], [0.85, 1.0])

    def test_a_sheet_keeps_percent_as_shares(self):
        table = "stock\tthickness\tpower (%)\tspeed\ncork\t3\t{}\t20\nfelt\t3\t{}\t20\n"
        for powers, wanted in (
            (("0.85", "1"), [0.85, 1.0]),  # cells that showed 85 % and 100 %
            (("85", "1"), [0.85, 0.01]),
            (("0.85 %", "1 %"), [0.0085, 0.01]),
            (("1", "2"), [0.01, 0.02]),
        ):
            found = brought(read_pasted(table.format(*powers))).entries
            self.assertEqual([round(one.setting.power, 6) for one in found], wanted)

    def test_units_in_words(self):
        for cell in ("600 mm per min", "600 mm/minute", "10 mm per sec", "10mm/s"):
            self.assertEqual(self.speeds(cell, unit="in/s"), [10.0])
        self.assertEqual(self.speeds("15 inches per minute"), [6.35])
        lines = read_pasted("3mm birch ply cut 80% 600 mm per min x1\n")
        self.assertEqual(brought(lines).entries[0].setting, Setting(0.8, 10.0, 1))

    def test_speeds_in_units_that_tell_none_are_left_out(self):
        for cell, unit in (("20 %", "%"), ("2 m/s", "m/s"), ("5 cm per sec", "cm per sec")):
            (left_out,) = self.speeds(cell)
            self.assertIn(f"“{unit}” tells no speed of this machine", left_out)
        heads = "stock\tthickness\tpower\tSpeed (%)\n"
        notes = read_pasted(f"{heads}cork\t3\t80\t20\nfelt\t3\t80\t12 mm/s\n")
        self.assertIsNone(asked(notes))
        found = brought(notes)
        self.assertEqual([one.setting.speed_mm_s for one in found.entries], [12.0])
        self.assertIn("row 2: “%” tells", found.told("left out")[0])

    def test_a_board_thinner_than_any_asks_for_its_unit(self):
        table = "stock\tthickness\tpower\tspeed\n{}\t{}\t80\t20\n"
        for stock, thickness, wanted in (
            ("birch ply", "0.25 in", 6.35),
            ("birch ply", "1/4", 6.35),
            ("card", "0.25", 0.25),
            ("birch ply", "0.4", 0.4),
        ):
            (found,) = brought(read_pasted(table.format(stock, thickness))).stocks
            self.assertEqual(found.thickness_mm, wanted)
        for stock in ("birch ply", "walnut", "black acrylic"):
            (left_out,) = brought(read_pasted(table.format(stock, "0.25"))).told("left out")
            self.assertIn("“0.25” in millimetres or in inches", left_out)

    def test_metres_a_minute(self):
        self.assertEqual(self.speeds("1.2 m/min", "3m/min"), [20.0, 50.0])
        self.assertEqual(self.speeds("1.2", unit="m/min"), [20.0])
        self.assertEqual(self.speeds("1.2", unit="", head="speed_m_min"), [20.0])
        lines = read_pasted("3mm birch ply cut 80% 1.2 m/min x1\n")
        self.assertEqual(brought(lines).entries[0].setting, Setting(0.8, 20.0, 1))

    def test_a_table_that_the_program_saved_names_its_units_in_its_heads(self):
        saved = "stock,thickness_mm,task,power_percent,{},passes\nBirch ply,3.0,cut,85.0,12,1\n"
        for head, speed in (("speed_mm_s", 12.0), ("speed_in_min", 12 * 25.4 / 60)):
            notes = read_notes(saved.format(head).encode(), "book.csv")
            self.assertIsNone(asked(notes))
            self.assertAlmostEqual(brought(notes, "").entries[0].setting.speed_mm_s, speed, 6)

    def test_a_sheet_without_units_asks_one_question_with_examples(self):
        book = openpyxl.Workbook()
        for row in (
            ("Wood", "Thickness", "Power", "Speed", "Passes"),
            ("Oak", 5, 90, 600, 2),
            ("Pine", 4, 70, 900, 1),
        ):
            book.active.append(row)
        book.active.insert_rows(1, 2)
        stream = io.BytesIO()
        book.save(stream)
        notes = read_notes(stream.getvalue(), "notes.xlsx")
        question = asked(notes)
        self.assertEqual((question.role, question.units[0]), ("speed", "mm/min"))
        self.assertIn("600 is 10 mm/s", question.examples[0])
        oak, pine = brought(notes, unit=question.units[0]).entries
        self.assertEqual((oak.setting, pine.setting.speed_mm_s), (Setting(0.9, 10.0, 2), 15.0))
        self.assertIn("notes.xlsx, row 4;", oak.evidence.says)


class PreparedTest(unittest.TestCase):
    def test_words_of_a_note_as_steps(self):
        for words, line in (
            ("taped, on pins; then peel and brush", "taped, on pins; then peel, brush"),
            ("wet paper", "wet paper"),
            ("magnets + raised 10 mm", "magnets, raised 10 mm"),
            ("marking spray, then wash", "marking spray; then wash"),
            ("peel, oil", "as it lies; then peel, seal"),
            ("bare", "as it lies"),
            ("", "as it lies"),
        ):
            with self.subTest(words):
                self.assertEqual(recipe_of_words(words).line, line)
        self.assertEqual(recipe_of_words("wet paper").before[0].kind, "medium")
        for words, kinds in (
            ("Klebeband, auf Stiften; dann abziehen und bürsten", "mask support peel brush"),
            ("Gewichte + feucht", "hold clean"),
            ("schwarze Farbe, danach abwaschen", "medium wash"),
            ("unbehandelt", ""),
        ):
            found = recipe_of_words(words)
            steps = (*found.before, *found.after)
            self.assertEqual(" ".join(step.kind for step in steps), kinds)
        self.assertEqual(recipe_of_words("magnets").before[0].kind, "hold")
        self.assertIsNone(recipe_of_words("as Ben does it"))

    def test_a_column_of_them_comes_into_the_book(self):
        found = brought(
            read_pasted(
                "Material,Thickness (mm),Power (%),Speed (mm/s),Mask,Notes\n"
                "Birch ply,3,85,12,taped,good\nCork,3,40,30,as Ben does it,fine\nFelt,3,30,60,,\n",
                "old.csv",
            )
        )
        recipes = [entry.recipe for entry in found.entries]
        self.assertEqual([one.line for one in recipes], ["taped", "as it lies", "as it lies"])
        self.assertEqual(found.entries[1].notes, "fine; prepared: as Ben does it")


class NotesTest(unittest.TestCase):
    def test_names_that_differ_only_in_signs_script_or_length_never_share_an_id(self):
        long = "Offcut of the seventh crate from the north wall of yard "
        names = ("липа", "дуб", "樫", long + "A", "!?")
        lines = [f"{name} 3mm cut 80% 20mm/s" for name in names]
        found = brought(read_pasted("\n".join(lines)), stocks=())
        self.assertEqual(len({stock.uid for stock in found.stocks}), 5)
        self.assertEqual(len({entry.uid for entry in found.entries}), 5)
        self.assertEqual({stock.family for stock in found.stocks}, {"unknown"})

    def test_what_the_book_says_stands_against_other_notes(self):
        mine = sample_entry()
        found = brought(read_pasted(TIDY), entries=(mine,))
        self.assertNotIn("birch-3", {entry.stock_uid for entry in found.entries})
        self.assertTrue(any("The book stands" in line for line in found.told("otherwise")))

    def test_files_that_are_no_tables_are_told(self):
        for data, name in (
            (b"", "empty.csv"),
            (b"PK\x03\x04broken", "broken.xlsx"),
            (b"\x00\x01\x02\x03", "odd.bin"),
        ):
            with self.assertRaises(BadFile, msg=name):
                read_notes(data, name)

    def test_an_open_document_sheet_is_read_too(self):
        notes = read_notes((Path(__file__).parent / "notes.ods").read_bytes(), "notes.ods")
        self.assertEqual(
            [entry.setting for entry in brought(notes).entries], [Setting(0.5, 20.0, 1)]
        )
