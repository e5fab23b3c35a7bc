"""Names from files and pasted lines."""

import io
import unittest

from openpyxl import Workbook

from olive_almanac.core.errors import BadFile
from olive_almanac.formats.font_letters import FontLetters
from olive_almanac.formats.name_list import names_of_text, read_name_table


class NameListTest(unittest.TestCase):
    def test_columns_of_tables_and_plain_lines(self):
        table = read_name_table(b"No;Hive\n1;Linden\n2;Acacia, old\n", "hives.csv")
        self.assertEqual(table.columns, ("1: No", "2: Hive"))
        self.assertEqual(table.column(1)[1:], ("Linden", "Acacia, old"))
        plain = read_name_table("Müller\r\nWeiß\r\n\r\nO’Hara\r\n".encode("cp1252"), "n.txt")
        self.assertEqual(plain.column(0), ("Müller", "Weiß", "O’Hara"))
        book, data = Workbook(), io.BytesIO()
        for row in (("Hive", "Queen"), (17, "blue"), (18, None)):
            book.active.append(row)
        book.save(data)
        table = read_name_table(data.getvalue(), "hives.xlsx")
        self.assertEqual(table.column(0), ("Hive", "17", "18"))
        self.assertEqual(table.column(1)[2], "")

    def test_a_file_without_names_is_told(self):
        for data in (b"", b"\n\n ;; \n", b"\xd0\xcf\x11\xe0old", b"PK\x03\x04broken"):
            with self.subTest(data=data), self.assertRaises(BadFile):
                read_name_table(data, "hives.csv")
        with self.assertRaises(BadFile):
            read_name_table(b"a\n" * 3000, "hives.csv")
        with self.assertRaises(BadFile):
            names_of_text("a\n" * 3000)

    def test_pasted_lines_keep_empty_ones_in_between(self):
        self.assertEqual(names_of_text(" 7 \n\n9\n\n"), ("7", "", "9"))

    def test_what_is_no_font_is_told(self):
        for data in (b"", b"no font at all", b"\x00\x01\x00\x00" + bytes(200), b"OTTO" + bytes(9)):
            with self.subTest(data=data[:8]), self.assertRaises(BadFile):
                FontLetters(data, "letters.ttf")
