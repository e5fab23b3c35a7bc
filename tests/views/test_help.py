"""Help: the page of each station by F1, question marks that lead to pages that exist, finding,
links, the first job, and a page as PDF.
"""

from pypdf import PdfReader
from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QKeySequence, QShortcut

from olive_almanac.steps.guide import find_in, guide_folder, guide_pages, page_of
from olive_almanac.steps.keys import OF_THE_WINDOW
from olive_almanac.steps.stations import STATIONS
from olive_almanac.views.parts import HelpKey
from tests.samples import BIRCH, LONG, cut_trial
from tests.views.qt_case import WindowCase


class HelpTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.open()
        self.session.store.save_machine(LONG, "test")
        self.session.store.save_stock(BIRCH, "test")
        self.session.read_again()
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid)

    @property
    def help(self):
        return self.window._help

    def test_f1_shows_the_page_of_each_station(self):
        for station in STATIONS:
            self.window.navigate(station.id)
            self.window.activateWindow()
            self.wait_for(self.window.isActiveWindow)
            self.key(Qt.Key.Key_F1, widget=self.window)
            with self.subTest(station.id):
                self.assertEqual(self.help.page, page_of(station.id)[0])
                self.assertEqual(self.help.page.replace("-", "_"), station.id)
                self.assertIn(station.title, self.help.text.toPlainText().splitlines()[0])
                self.key(Qt.Key.Key_F1, widget=self.help)
                self.assertFalse(self.help.isVisible())

    def test_every_question_mark_leads_to_a_section_that_exists(self):
        pages, seen = guide_pages(), 0
        for station in STATIONS:
            self.window.navigate(station.id)
            for key in self.window.findChildren(HelpKey):
                name, heading = page_of(key.topic)
                seen += 1
                with self.subTest(key.topic):
                    self.assertNotEqual(name, "index")
                    if heading:
                        self.assertIn(heading, [one for one, _ in pages[name].sections])
        self.assertGreater(seen, 14)

    def test_a_question_mark_scrolls_to_its_section(self):
        self.window.navigate("plan")
        keys = self.window.page("plan").findChildren(HelpKey)
        (key,) = [one for one in keys if one.topic == "plan/Outlook"]
        self.wait_for(key.isVisible)
        self.click(key)
        self.assertEqual(self.help.page, "plan")
        self.assertGreater(self.help.text.verticalScrollBar().value(), 100)

    def test_words_are_found_and_opened_by_keys(self):
        self.window.show_help()
        self.type("shims", self.help.field)
        found = [self.help.list.item(n).text() for n in range(self.help.list.count())]
        self.assertTrue(any("The map of the bed" in one for one in found), found)
        self.key(Qt.Key.Key_Return, widget=self.help.field)
        self.assertIn(self.help.text.toPlainText().splitlines()[0], found[0])
        self.retype(self.help.field, "xyzzyq")
        self.assertIn("Nothing in the guide", self.help.list.item(0).text())

    def test_links_lead_to_pages_and_back(self):
        self.window.show_help("index")
        self.help.text.anchorClicked.emit(QUrl("new-lot.md"))
        self.assertEqual(self.help.page, "new-lot")
        self.click(self.help.back)
        self.assertEqual(self.help.page, "index")
        self.help.text.anchorClicked.emit(QUrl("../methods.md"))
        self.assertIn("line energy", self.help.text.toPlainText().casefold())
        before = self.help.text.toPlainText()
        self.help.text.anchorClicked.emit(QUrl("../../pyproject.md"))
        self.assertEqual(self.help.text.toPlainText(), before)

    def test_the_first_job_follows_what_is_recorded(self):
        self.window.show_help("first-job")
        self.assertIn("Step 2 of 6", self.help.step.text())
        self.click(self.help.go)
        self.assertEqual(self.window.station, "plan")
        self.session.trials.keep(cut_trial(), "burn", "test")
        self.session.trials.changed.emit()
        self.settle()
        self.assertIn("Step 3 of 6: Tick the lines and burn", self.help.step.text())
        self.click(self.help.go)
        self.assertEqual(self.window.station, "burn")

    def test_a_page_is_saved_as_pdf(self):
        self.window.show_help("keys")
        path = self.folder / "keys.pdf"
        self.help.save_page(path)
        text = " ".join(page.extract_text() for page in PdfReader(path).pages)
        self.assertIn("what went wrong", " ".join(text.split()))
        self.help.save_page(self.folder / "no such folder" / "\0.pdf")
        self.assertIn("cannot", self.session.problem)

    def test_help_is_made_anew_with_the_look(self):
        self.window.show_help("read")
        self.window.switch_theme()
        self.settle()
        self.assertTrue(self.help.isVisible())
        self.assertEqual(self.help.page, "read")


class GuideTest(WindowCase):
    def test_pages_link_only_to_what_exists_and_show_a_picture(self):
        import re

        for name, page in guide_pages().items():
            for link in re.findall(r"\]\(([^)]+)\)", page.text):
                with self.subTest(page=name, link=link):
                    self.assertTrue((guide_folder() / link).exists())
            if name not in ("index", "keys", "symptoms"):
                with self.subTest(name):
                    self.assertIn("](../screenshots/", page.text)

    def test_what_is_typed_nearly_right_is_found(self):
        pages = guide_pages()
        self.assertEqual(find_in(pages, "lot new")[0].page, "new-lot")
        self.assertEqual(find_in(pages, "edge chars")[0].page, "edge-chars")
        self.assertIn("shop", {one.page for one in find_in(pages, "mirrrors")})
        self.assertEqual(find_in(pages, "  "), [])

    def test_the_list_of_keys_is_what_the_window_binds(self):
        window = self.open()
        bound = {one.key() for one in window.findChildren(QShortcut)}
        listed = {
            QKeySequence(keys)
            for words, _ in OF_THE_WINDOW
            for keys in words.replace(
                "Alt+1 … Alt+9", " ".join(f"Alt+{n}" for n in range(1, 10))
            ).split()
        }
        self.assertEqual(bound, listed)
