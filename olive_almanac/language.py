"""The language of the words and the unit of lengths, chosen as this module loads: import it before
all that has words.

Language, in order: OLIVE_ALMANAC_LANGUAGE, what was chosen in the window, the desktop's own;
English where none of them has a catalogue here.  Lengths: OLIVE_ALMANAC_LENGTHS, what was chosen in
the window; millimetres where neither says inches.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from pathlib import Path

from olive_almanac.core.errors import CannotWrite
from olive_almanac.core.lengths import SHOWN_UNITS, measure_in
from olive_almanac.core.words import LANGUAGES, speak, tr

__all__ = ["LANGUAGES", "choose_language", "choose_lengths", "chosen_language", "chosen_lengths"]

DOMAIN = "olive-almanac"
CATALOGUES = Path(__file__).parent / "locale"
DESKTOP = ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG")


def language_file() -> Path:
    """Return where the language lies that was chosen in the window."""
    return _file("language")


def _file(name: str) -> Path:
    import platformdirs

    return platformdirs.user_config_path("olive-almanac") / name


def _chosen(name: str) -> Iterator[str]:
    yield os.environ.get(f"OLIVE_ALMANAC_{name.upper()}", "")
    with contextlib.suppress(OSError, UnicodeDecodeError):  # not chosen, or not readable
        yield _file(name).read_text(encoding="utf-8")[:40].strip()


def _wanted() -> Iterator[str]:
    yield from _chosen("language")
    for name in DESKTOP:
        said = os.environ.get(name, "")
        if said:
            yield from said.split(":")
            return


def chosen_language() -> str:
    """Return the language of the words: a key of LANGUAGES."""
    for words in _wanted():
        short = words.replace("_", "-").split("-")[0].split(".")[0].lower()
        if short in LANGUAGES:
            return short
    return "en"


def chosen_lengths() -> str:
    """Return the unit of lengths: a key of SHOWN_UNITS."""
    return next((unit for unit in _chosen("lengths") if unit in SHOWN_UNITS), "mm")


def choose_language(language: str) -> None:
    """Keep the language that the next start speaks: a key of LANGUAGES.

    Raises CannotWrite where the folder of the settings cannot be written.
    """
    _keep("language", language, tr("The language cannot be kept in {path}: {why}."))


def choose_lengths(unit: str) -> None:
    """Keep the unit in which the next start shows lengths: a key of SHOWN_UNITS.

    Raises CannotWrite where the folder of the settings cannot be written.
    """
    _keep("lengths", unit, tr("The unit of lengths cannot be kept in {path}: {why}."))


def _keep(name: str, chosen: str, trouble: str) -> None:
    path = _file(name)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(chosen + "\n", encoding="utf-8")
    except OSError as problem:
        raise CannotWrite(trouble.format(path=path, why=problem.strerror)) from problem


def _begin() -> None:
    measure_in(chosen_lengths())
    language = chosen_language()
    if language == "en":
        return
    import gettext  # not at an English start

    speak(language, gettext.translation(DOMAIN, CATALOGUES, [language]), decimal=",")
    # the command line's own words ("usage") come from the standard library, which asks these
    gettext.bindtextdomain(DOMAIN, str(CATALOGUES))
    gettext.textdomain(DOMAIN)
    os.environ["LANGUAGE"] = language


_begin()
