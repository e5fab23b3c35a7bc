"""The language of the words, chosen as this module loads: import it before all that has words.

In order: OLIVE_ALMANAC_LANGUAGE, what was chosen in the window, the desktop's own; English where
none of them has a catalogue here.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from pathlib import Path

from olive_almanac.core.errors import CannotWrite
from olive_almanac.core.words import LANGUAGES, speak, tr

__all__ = ["LANGUAGES", "choose_language", "chosen_language"]

DOMAIN = "olive-almanac"
CATALOGUES = Path(__file__).parent / "locale"
DESKTOP = ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG")


def language_file() -> Path:
    """Return where the language lies that was chosen in the window."""
    import platformdirs

    return platformdirs.user_config_path("olive-almanac") / "language"


def _wanted() -> Iterator[str]:
    yield os.environ.get("OLIVE_ALMANAC_LANGUAGE", "")
    with contextlib.suppress(OSError, UnicodeDecodeError):  # not chosen, or not readable
        yield language_file().read_text(encoding="utf-8")[:40].strip()
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


def choose_language(language: str) -> None:
    """Keep the language that the next start speaks: a key of LANGUAGES.

    Raises CannotWrite where the folder of the settings cannot be written.
    """
    path = language_file()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(language + "\n", encoding="utf-8")
    except OSError as problem:
        raise CannotWrite(
            tr("The language cannot be kept in {path}: {why}.", path=path, why=problem.strerror)
        ) from problem


def _begin() -> None:
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
