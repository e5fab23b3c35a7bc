"""The window in German, run by test_german.py in a process of its own: words are made as modules
load.
"""

import re
import shutil

import olive_almanac.language  # noqa: F401  first: it sets the words of all modules

# isort: split
import ezdxf
from PySide6.QtWidgets import QAbstractButton, QLabel

from olive_almanac.core.units import number_text, read_number, split_list
from olive_almanac.core.words import spoken, tr
from olive_almanac.steps.stations import STATIONS
from olive_almanac.views.parts import HelpKey
from tests.demo_shop import copy_demo
from tests.views.qt_case import WindowCase
from tests.views.test_whole_path import WholePathTest

ENGLISH = re.compile(
    r"\b(the|of|is|and|to|by|with|not|for|are|from|yet|read|burnt|cells?|stock|sheet|proven|until"
    r"|power|speed|passes|focus|margin|chosen|none|over|under)\b"
)
AS_IT_IS = re.compile(r"^/|Birch|\.json|\.nc|Coupon|olive-almanac ")  # paths, names, files


class InGermanTest(WholePathTest):
    """The tests of the whole path are run by name; keys are found by their German words."""

    def press(self, words, *args):
        super().press(tr(words), *args)

    def test_what_is_written_in_german_reads_as_it_should(self):
        self.assertEqual(spoken(), "de")
        self.open()
        self.add_machine_and_stock()
        self.press("Plan a trial")
        self.write_burn_file()
        (folder,) = {path.parent for path in self.folder.rglob("coupon.nc")}
        (folder / "coupon.nc").read_bytes().decode("ascii")
        layers = [layer.dxf.name for layer in ezdxf.readfile(folder / "coupon.dxf").layers]
        self.assertTrue(any("Fotomarken" in name for name in layers), layers)
        self.assertEqual(number_text(3.25), "3,25")
        self.assertEqual([read_number(part, "x") for part in split_list("3,2, 4,5")], [3.2, 4.5])


class PagesInGermanTest(WindowCase):
    def setUp(self):
        super().setUp()
        shutil.rmtree(self.folder, ignore_errors=True)
        copy_demo(self.folder)
        self.open()

    def shown(self):
        for widget in self.window.findChildren(QLabel) + self.window.findChildren(QAbstractButton):
            if widget.isVisible() and widget.text():
                yield widget.text()

    def test_every_page_is_german_fits_and_keeps_its_keys(self):
        for size in ((1280, 800), (1024, 700)):
            self.window.resize(*size)
            self.settle(300)
            for station in STATIONS:
                self.window.navigate(station.id)
                self.settle(500)
                self.wait_for(lambda: not self.window.is_busy)
                self.settle(200)
                with self.subTest(size=size, station=station.id):
                    english = [
                        text
                        for text in self.shown()
                        if ENGLISH.search(text) and not AS_IT_IS.search(text)
                    ]
                    self.assertEqual(english, [])
                    self.assertEqual(self.clipped(), [])
                    if station.id != "practise":  # its exercises are a list that scrolls
                        self.assertEqual(self.hidden_keys(), [])


class WordsInGermanTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.open()

    def test_help_opens_the_german_page_at_the_german_heading(self):
        from olive_almanac.steps.guide import find_in, guide_pages, page_of, topic_words

        self.assertEqual(page_of("plan/The kind of trial"), ("plan", "Die Art des Versuchs"))
        self.assertEqual(page_of("plan/Die Art des Versuchs"), ("plan", "Die Art des Versuchs"))
        self.assertEqual(topic_words("set_up"), guide_pages()["set-up"].title)
        self.assertEqual(topic_words("plan/Levels"), "Stufen")
        self.assertEqual(find_in(guide_pages(), "graukarte")[0].page, "read")
        for key in self.window.findChildren(HelpKey):
            self.assertNotRegex(key.accessibleName(), r"\b(the|of|and)\b")

    def test_qt_speaks_german_by_itself(self):
        from PySide6.QtCore import QCoreApplication

        self.assertEqual(QCoreApplication.translate("QPlatformTheme", "Cancel"), "Abbrechen")

    def test_the_page_for_the_phone_is_german(self):
        from olive_almanac.devices.phone_page import PhonePage

        page = PhonePage(
            "127.0.0.1", "Probe 0001 <b>", lambda side, data: (True, "gut"), lambda sent: None
        )
        self.addCleanup(page.close)
        told = page.html("back")
        self.assertIn('<html lang="de">', told)
        self.assertIn("Rückseite fotografieren", told)
        self.assertIn("Alle vier Marken im Bild", told)
        self.assertIn("Probe 0001 &lt;b&gt;", told)
        self.assertNotRegex(told, r">[^<]*\b(the|From|Send|Open)\b[^<]*<")
