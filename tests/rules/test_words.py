"""The words of the program: what the source asks for, the catalogues have, whole and in step."""

import ast
import gettext
import os
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from string import Formatter
from unittest import mock

from babel.messages.pofile import read_po

from olive_almanac import language
from olive_almanac.core import words as door
from olive_almanac.core.errors import CannotWrite, OutOfRange
from olive_almanac.core.records.ranges import check_number

ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(ROOT / "scripts"))

import words  # noqa: E402

GUIDE = ROOT / "docs" / "guide"


def named(text):
    """The names in braces of a template, each once."""
    return {name for _, name, _, _ in Formatter().parse(text) if name}


class CatalogueTest(unittest.TestCase):
    def test_each_catalogue_is_whole_and_as_the_source_has_it(self):
        for one in words.LANGUAGES:
            po, mo, lacking = words.brought_up(one)
            self.assertEqual(lacking, [], f"{one}: translate them, then run make words")
            self.assertEqual(words.file_of(one, ".po").read_bytes(), po, "run make words")
            self.assertEqual(words.file_of(one, ".mo").read_bytes(), mo, "run make words")

    def test_each_script_runs_as_the_makefile_calls_it_from_any_folder(self):
        bare = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}
        calls = (
            ("words.py", "--check"),
            ("guide_pages.py", "--check"),
            ("command_pages.py", "--check"),
        )
        for script, *rest in calls:
            told = subprocess.run(
                [sys.executable, str(ROOT / "scripts" / script), *rest],
                cwd="/",
                env=bare,
                capture_output=True,
                text=True,
                timeout=120,
            )
            with self.subTest(script):
                self.assertEqual(told.returncode, 0, told.stdout + told.stderr)

    def test_a_translation_keeps_the_names_in_braces_and_the_spaces_at_its_ends(self):
        for one in words.LANGUAGES:
            with words.file_of(one, ".po").open("rb") as file:
                catalogue = read_po(file, locale=one)
            for message in catalogue:
                if not message.id:
                    continue
                ids, told = message.id, message.string
                pairs = zip(ids, told, strict=True) if isinstance(ids, tuple) else [(ids, told)]
                for english, other in pairs:
                    if "{" in english and "}" in english:
                        self.assertEqual(named(other), named(english), english)
                    ends = (english[:1] == " ", english[-1:] == " ")
                    self.assertEqual((other[:1] == " ", other[-1:] == " "), ends, english)

    def test_each_call_gives_the_names_that_its_words_ask_for(self):
        for file in sorted((ROOT / "olive_almanac").rglob("*.py")):
            for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
                if not isinstance(node, ast.Call) or words.called(node) not in ("tr", "trn"):
                    continue
                text = words.text_of(node.args[0])
                if text and (node.keywords or words.called(node) == "trn"):
                    given = {keyword.arg for keyword in node.keywords}
                    if words.called(node) == "trn":
                        given.add("count")
                    self.assertLessEqual(named(text), given, f"{file}:{node.lineno}")
                    self.assertLessEqual(given - {"count"}, named(text), f"{file}:{node.lineno}")

    def test_the_guide_has_the_same_pages_headings_and_pictures(self):
        for one in words.LANGUAGES:
            for page in sorted(GUIDE.glob("*.md")):
                own, other = page.read_text("utf-8"), (GUIDE / one / page.name).read_text("utf-8")
                for pattern in (r"^#+ ", r"\]\([^)]*?([\w-]+\.(?:md|png))\)"):
                    found = [re.findall(pattern, text, re.MULTILINE) for text in (own, other)]
                    self.assertEqual(found[0], found[1], f"{one}: {page.name}")
            made = subprocess.run(
                [sys.executable, "scripts/guide_pages.py", "--check"],
                cwd=ROOT,
                env={**os.environ, "OLIVE_ALMANAC_LANGUAGE": one},
                check=False,
            )
            self.assertEqual(made.returncode, 0, "run make pages")


class LanguageTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        env = {"XDG_CONFIG_HOME": holder.name, "PATH": os.environ["PATH"]}
        patch = mock.patch.dict(os.environ, env, clear=True)
        patch.start()
        self.addCleanup(patch.stop)

    def test_the_desktop_speaks_then_what_was_chosen_then_the_variable(self):
        self.assertEqual(language.chosen_language(), "en")
        os.environ["LANG"] = "de_AT.UTF-8"
        self.assertEqual(language.chosen_language(), "de")
        os.environ["LANGUAGE"] = "nl:en:de"
        self.assertEqual(language.chosen_language(), "en")
        language.choose_language("de")
        self.assertEqual(language.chosen_language(), "de")
        os.environ["OLIVE_ALMANAC_LANGUAGE"] = "en"
        self.assertEqual(language.chosen_language(), "en")

    def test_lengths_are_in_mm_then_as_chosen_then_as_the_variable_says(self):
        self.assertEqual(language.chosen_lengths(), "mm")
        language.choose_lengths("in")
        self.assertEqual(language.chosen_lengths(), "in")
        os.environ["OLIVE_ALMANAC_LENGTHS"] = "mm"
        self.assertEqual(language.chosen_lengths(), "mm")
        os.environ["OLIVE_ALMANAC_LENGTHS"] = "ell"
        self.assertEqual(language.chosen_lengths(), "in")

    def test_a_choice_that_cannot_be_kept_or_read_is_told_or_passed_over(self):
        (self.folder / "olive-almanac").write_text("in the way")
        with self.assertRaisesRegex(CannotWrite, "cannot be kept in"):
            language.choose_language("de")
        self.assertEqual(language.chosen_language(), "en")
        (self.folder / "olive-almanac").unlink()
        language.choose_language("de")
        language.language_file().write_bytes(b"\xff\xfe")
        self.assertEqual(language.chosen_language(), "en")

    def test_words_numbers_and_plurals_follow_the_language(self):
        german = gettext.translation("olive-almanac", language.CATALOGUES, ["de"])
        self.addCleanup(door.speak)
        door.speak("de", german, ",")
        self.assertEqual(door.tr("Kerf, mm"), "Fuge, mm")
        self.assertEqual(door.tr("halo {halo_mm:.1f} mm", halo_mm=0.25), "Hof 0,2 mm")
        self.assertEqual([door.trn("cell", "cells", n) for n in (1, 3)], ["Zelle", "Zellen"])
        self.assertEqual((door.tr(""), door.tr("{not} a name")), ("", "{not} a name"))
        with self.assertRaises(OutOfRange) as caught:
            check_number("Dicke", 0.25, "mm", low=1)
        self.assertEqual(
            str(caught.exception), "Dicke: erwartet wird mindestens 1 mm, nicht 0,25 mm."
        )
