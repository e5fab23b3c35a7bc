"""Texts that people typed on their way into files: nothing in them acts there."""

import csv
import io
import unittest
from dataclasses import replace
from xml.etree import ElementTree

import ezdxf
from hypothesis import given
from hypothesis import strategies as st
from pypdf import PdfReader

from olive_almanac.formats.book_csv import write_book_csv
from olive_almanac.formats.cells_csv import write_cells
from olive_almanac.formats.drawing import write_dxf, write_svg
from olive_almanac.formats.letters import letters
from olive_almanac.formats.pdf import write_card
from olive_almanac.formats.plain_text import FORMULA_STARTS, cell_text, printable
from tests.samples import BIRCH, LONG, cut_trial, sample_entry

HOSTILE = (
    "=cmd()",
    "+1",
    "-2",
    "@x",
    "\t=1",
    "  =1",
    "|x",
    "\0=1",
    "\ufeff=1",
    "\uff1d1",
    "\u202e=1",
)
NAME = "Bed\0\x1b[31m\x0b<b>&\ufffe]]> \ud800\u202e"


class PlainTextTest(unittest.TestCase):
    def test_what_a_spreadsheet_could_run_gets_an_apostrophe(self):
        for text in HOSTILE:
            self.assertEqual(cell_text(text)[0], "'", ascii(text))
        for text in ("Birch 3 mm", "Grüner Filz", "樫 5 mm"):
            self.assertEqual((cell_text(text), printable(text)), (text, text))

    @given(st.text())
    def test_no_text_starts_a_formula_or_holds_what_is_not_printed(self, text):
        cell = cell_text(text)
        self.assertFalse(cell.lstrip().startswith(FORMULA_STARTS))
        self.assertFalse({sign for sign in cell if ord(sign) < 32 or 0x7F <= ord(sign) < 0xA0})
        cell.encode()

    def test_every_table_keeps_to_it(self):
        for text in HOSTILE:
            entry = sample_entry(notes=text, lot=text)
            machine, stock = replace(LONG, name=text), replace(BIRCH, name=text, lot=text)
            book = write_book_csv([(entry, machine, stock, text, text)])
            trial = cut_trial()
            trial = replace(trial, cells=(replace(trial.cells[0], id=text),))
            for table in (book, write_cells(trial)):
                for row in csv.reader(io.StringIO(table)):
                    for cell in row:
                        if cell.lstrip()[:1] in FORMULA_STARTS:
                            float(cell)  # a figure may be negative, nothing else may

    def test_drawings_and_pages_are_whole_whatever_a_name_holds(self):
        machine, stock = replace(LONG, name=NAME), replace(BIRCH, name=NAME)
        trial = replace(cut_trial(), name=NAME, machine=machine, stock=stock)
        root = ElementTree.fromstring(write_svg(trial, letters()))
        self.assertIn("Bed[31m", root[0].text)
        ezdxf.read(io.StringIO(write_dxf(trial, letters())))
        card = write_card(sample_entry(lot=NAME), machine, stock, "on trial", NAME)
        self.assertEqual(len(PdfReader(io.BytesIO(card)).pages), 1)


if __name__ == "__main__":
    unittest.main()
