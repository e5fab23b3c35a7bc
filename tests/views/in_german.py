"""The window in German, run by test_german.py in a process of its own: words are made as modules
load.
"""

import dataclasses
import importlib
import pkgutil
import re
import shutil
import unittest
from dataclasses import replace
from datetime import date
from unittest import mock

import olive_almanac.language  # first: it sets the words of all modules

# isort: split
import ezdxf
from babel.messages.pofile import read_po
from PySide6.QtCore import Qt
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QAbstractButton, QDialog, QFileDialog, QLabel

import olive_almanac.core
import olive_almanac.steps
from olive_almanac.core.dates import day_month_text, day_text, short_month_text, weekday_text
from olive_almanac.core.materials.catalogue import judge
from olive_almanac.core.materials.names import family_named
from olive_almanac.core.materials.proposals import proposals_for
from olive_almanac.core.photo.reader import bare_lightness
from olive_almanac.core.placing.labels import marks_show
from olive_almanac.core.records import job
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import number_text, read_number, split_list
from olive_almanac.core.words import spoken, tr
from olive_almanac.formats.catalogue import load_proposals
from olive_almanac.language import CATALOGUES
from olive_almanac.steps.stations import STATIONS
from olive_almanac.views.parts import HelpKey
from olive_almanac.views.shop.page import MACHINE, MIRRORS, SERVICES
from tests.core.test_names import CATALOGUE, GERMAN_NAMES, NAMES, TANNINGS
from tests.demo_shop import copy_demo
from tests.samples import BIRCH, LEATHER, LONG, cut_trial
from tests.views.painted import written_on
from tests.views.qt_case import WindowCase
from tests.views.test_whole_path import WholePathTest

ENGLISH = re.compile(
    r"\b(the|of|is|and|to|by|with|not|for|are|from|yet|read|burnt|cells?|stock|sheet|proven|until"
    r"|power|speed|passes|focus|margin|chosen|none|over|under|now|soon|low|full|unclear)\b"
)
GERMAN = CATALOGUES / "de/LC_MESSAGES/olive-almanac.po"
SENTENCES = ("words", "title", "told", "help", "doing")  # fields that are shown as they stand
WORKS = re.compile(r"(?i)stopp|beginnen|brennen|simul|telefon|schreiben|einspielen|übernehmen")
AS_IT_IS = re.compile(  # paths, names, files, what the demo shop noted
    r"^/|Birch|\.json|\.nc|Coupon|olive-almanac |read off its counter"
)


def told_in(value, place):
    """Yield each sentence that a table shows, and where: tables in tables too."""
    if isinstance(value, dict):
        for key, one in value.items():
            yield from told_in(one, f"{place}[{key!r}]")
    elif isinstance(value, (tuple, list)):
        for at, one in enumerate(value):
            yield from told_in(one, f"{place}[{at}]")
    elif dataclasses.is_dataclass(value) and not isinstance(value, type):
        for field in dataclasses.fields(value):
            one = getattr(value, field.name)
            if isinstance(one, str) and field.name in SENTENCES:
                yield f"{place}.{field.name}", one
            yield from told_in(one, f"{place}.{field.name}")


def tables():
    """Yield the constants of each module of core and steps, and their place."""
    for room in (olive_almanac.core, olive_almanac.steps):
        for module in pkgutil.walk_packages(room.__path__, room.__name__ + "."):
            for name, value in vars(importlib.import_module(module.name)).items():
                if name.isupper():
                    yield f"{module.name}.{name}", value


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
        yield from (text for text, _, _ in written_on(self.window))

    def test_every_page_is_german_fits_and_keeps_its_keys(self):
        for size in ((1280, 800), (1024, 700)):
            self.window.resize(*size)
            self.settle(300)
            for station in STATIONS:
                self.window.navigate(station.id)
                self.settle(500)
                self.until_suggested()
                self.wait_for(lambda: not self.window.is_busy)
                self.settle(200)
                views = (MACHINE, SERVICES, MIRRORS) if station.id == "shop" else (None,)
                for view in views:
                    if view is not None:
                        self.page().show_view(view)
                    with self.subTest(size=size, station=station.id, view=view):
                        self.look_at_it()
                        if station.id != "practise":  # its exercises are a list that scrolls
                            self.assertEqual(self.hidden_keys(), [])

    def look_at_it(self):
        english = [
            text for text in self.shown() if ENGLISH.search(text) and not AS_IT_IS.search(text)
        ]
        self.assertEqual(english, [])
        self.assertEqual(self.clipped(), [])

    def test_plans_of_other_kinds_and_what_set_up_keeps_are_german_and_fit(self):
        kinds = (("cut", "bed"), ("engrave", "grid"), ("engrave", "pitch"), ("engrave", "air"))
        for size in ((1280, 800), (1024, 700)):
            self.window.resize(*size)
            self.settle(300)
            for task, kind in kinds:
                with self.subTest(size=size, kind=kind):
                    self.session.choose(task=task)
                    self.window.navigate("plan")
                    self.until_suggested()
                    self.page().presenter.suggest(kind)
                    self.until_suggested()
                    self.look_at_it()
            self.window.navigate("set_up")
            for part in ("forms", "rack"):
                with self.subTest(size=size, part=part):
                    self.page().show_part(getattr(self.page(), part))
                    self.look_at_it()

    def test_the_air_is_chosen_by_german_words(self):
        self.session.choose(task="engrave")
        self.window.navigate("plan")
        self.page().presenter.suggest("grid")
        self.until_suggested()
        self.choose_word(self.page().choices.pickers["air"], "aus, wenig, voll")
        presenter = self.page().presenter
        self.wait_for(lambda: presenter.plan is not None)
        airs = {cell.setting.air for cell in presenter.plan.trial.cells}
        self.assertEqual(airs, {"off", "low", "full"})

    def test_a_written_job_is_german_and_fits(self):
        self.window.navigate("jobs")
        page = self.page()
        self.wait_for(lambda: page.presenter.is_current and page.presenter.result.paces)
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.job.written)
        for size in ((1280, 800), (1024, 700)):
            with self.subTest(size=size):
                self.window.resize(*size)
                self.settle(300)
                self.wait_for(lambda: self.page().presenter.is_current)
                self.look_at_it()
                self.assertEqual(self.hidden_keys(), [])
                self.page().to_machine.click()
                self.look_at_it()
                self.page().at_machine.back.click()

    def test_what_each_key_opens_is_german_and_fits(self):
        for size, task in (((1280, 800), "cut"), ((1024, 700), "engrave")):
            self.window.resize(*size)
            self.settle(300)
            self.session.choose(task=task)
            for station in ("set_up", "plan", "read", "decide", "book", "jobs", "shop"):
                for key in list(self.keys_of(station)):
                    found = self.keys_of(station).get(key)  # the last one may have led elsewhere
                    if found is None or WORKS.search(key):
                        continue
                    with (
                        self.subTest(size=size, station=station, key=key),
                        mock.patch.object(QFileDialog, "getOpenFileName", return_value=("", "")),
                        mock.patch.object(QFileDialog, "getSaveFileName", return_value=("", "")),
                        mock.patch.object(QFileDialog, "getExistingDirectory", return_value=""),
                        mock.patch.object(QDesktopServices, "openUrl"),
                    ):
                        found.click()
                        self.settle(100)
                        self.wait_for(lambda: not self.window.is_busy)
                        self.look_at_it()
                        self.close_what_opened()

    def keys_of(self, station):
        """The keys of a page by their words."""
        if self.window.station != station:
            self.window.navigate(station)
            self.settle(200)
            self.until_suggested()
        keys = self.page().findChildren(QAbstractButton)
        return {
            key.text(): key for key in keys if key.isVisible() and key.isEnabled() and key.text()
        }

    def close_what_opened(self):
        popup = self.app.activePopupWidget()
        if popup is not None:
            popup.close()
        for panel in self.window.findChildren(QDialog):
            if panel.isVisible():
                panel.reject()
        self.settle(20)

    def opened_by(self, key, modifier):
        """Press a key on Decide; return the texts that were not shown before it."""
        self.window.navigate("decide")
        self.settle(300)
        self.wait_for(lambda: not self.window.is_busy)
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        before = set(self.shown())
        self.key(key, modifier, self.window)
        self.wait_for(lambda: set(self.shown()) - before)
        self.settle(200)
        return set(self.shown()) - before

    def test_what_opens_by_keys_is_german_and_fits(self):
        keys = (Qt.Key.Key_K, Qt.Key.Key_M, Qt.Key.Key_W)  # find, where and with what, what failed
        for size in ((1280, 800), (1024, 700)):
            self.window.resize(*size)
            for key in keys:
                with self.subTest(size=size, key=key.name):
                    opened = self.opened_by(key, Qt.KeyboardModifier.ControlModifier)
                    english = [text for text in opened if ENGLISH.search(text)]
                    self.assertEqual([one for one in english if not AS_IT_IS.search(one)], [])
                    self.assertEqual(self.clipped(), [])
                for panel in self.window.findChildren(QDialog):
                    panel.close()
                self.key(Qt.Key.Key_Escape, widget=self.window)


class TablesInGermanTest(unittest.TestCase):
    def test_no_sentence_of_a_table_was_left_english(self):
        found = dict(sentence for place, value in tables() for sentence in told_in(value, place))
        self.assertGreater(len(found), 100)
        with GERMAN.open("rb") as file:
            german = {one.string for one in read_po(file)}
        left = {place: one for place, one in found.items() if one and one not in german}
        self.assertEqual(left, {})

    def test_what_bounds_from_above_does_so_in_german(self):
        bounds = {"at most ": "höchstens ", "at least ": "mindestens ", "above ": "über "}
        with GERMAN.open("rb") as file:
            told = [(one.id, one.string) for one in read_po(file) if isinstance(one.id, str)]
        for begins, wanted in bounds.items():
            found = [(words, german) for words, german in told if words.startswith(begins)]
            self.assertGreater(len(found), 5)
            for words, german in found:
                with self.subTest(words):
                    self.assertTrue(german.startswith(wanted), german)

    def test_a_day_of_each_month_is_told_in_german(self):
        days = [date(2026, month, 4) for month in range(1, 13)]
        self.assertEqual(day_text(days[2]), "4. März 2026")
        self.assertEqual(day_month_text(days[4], short=True), "4. Mai")
        self.assertEqual(short_month_text(days[11]), "Dez")
        self.assertEqual(weekday_text(days[2]), "Mittwoch")
        self.assertEqual(len({day_month_text(one, short=True) for one in days}), 12)


class RecordsInGermanTest(unittest.TestCase):
    """What records keep is the same in each language: a library may be opened in another."""

    def test_what_a_job_keeps_of_its_groups(self):
        kept = (job.LEAVE_OUT, job.NAMES, job.GUIDES, job.EVERYTHING)
        once = ("leave out", "names of the list", "guides of the next layer", "everything")
        self.assertEqual(kept, once)
        self.assertEqual(job.GroupTask("red").task, "leave out")
        told = [job.LEAVE_OUT_WORDS, *map(job.group_words, kept[1:])]
        self.assertEqual(
            told, ["weglassen", "Namen der Liste", "Hilfslinien der nächsten Lage", "alles"]
        )

    def test_what_was_kept_in_german_once_is_understood(self):
        self.assertEqual(job.GroupTask("red", "weglassen"), job.GroupTask("red", "leave out"))
        self.assertEqual(job.GroupTask("Namen der Liste", "cut").group, job.NAMES)


class JudgedInGermanTest(unittest.TestCase):
    """What a stock is and how it is prepared does not hang on the language of the program."""

    def test_tanning_is_judged_alike(self):
        for tanning, state in TANNINGS.items():
            with self.subTest(tanning):
                judged = judge(CATALOGUE, replace(LEATHER, tanning=tanning))
                self.assertEqual(judged.entry.state, state)

    def test_a_name_is_judged_alike(self):
        for table in (NAMES, GERMAN_NAMES):
            for family, names in table.items():
                for name in names.split("|"):
                    self.assertEqual(family_named(name.strip()), family)

    def test_the_same_recipes_are_proposed(self):
        stock = Stock("Acryl", "acrylic", 3.0)
        for more, wanted in (
            ({"opacity": "mirror"}, {"acrylic-paper", "mirror-acrylic"}),
            ({"opacity": "opaque"}, {"acrylic-paper"}),
            ({"opacity": "opaque", "mask": "Folie"}, set()),
        ):
            found = proposals_for(load_proposals(), LONG, replace(stock, **more), "cut")
            origins = {one.recipe.origin for one in found} & {"acrylic-paper", "mirror-acrylic"}
            self.assertEqual(origins, wanted)

    def test_a_colour_tells_how_light_a_stock_is(self):
        trial = cut_trial()
        for german, english in (("schwarz", "black"), ("weiß", "white"), ("dunkel", "dark")):
            told = [
                bare_lightness(replace(trial, stock=replace(BIRCH, colour=colour)))
                for colour in (german, english, "")
            ]
            self.assertEqual(told[0], told[1])
            self.assertNotEqual(told[0], told[2])
        self.assertFalse(marks_show(replace(BIRCH, colour="schwarz"), engraves=True))


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
