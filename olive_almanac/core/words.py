"""The one door for words: each sentence of screen, files and print passes `tr` or `trn`.

There lengths become inches, too, where the shop measures so (olive_almanac.core.lengths).
Without a catalogue the words stay English, as the source has them.  The language is chosen once,
before other modules are loaded (olive_almanac.language): tables of words are made as they load.
"""

from __future__ import annotations

from typing import Protocol

from olive_almanac.core.lengths import in_inches, inch_number, length_unit, lengths_within

__all__ = [
    "FROM_NEXT_START",
    "LANGUAGES",
    "Catalogue",
    "decimal_sign",
    "mid_sentence",
    "speak",
    "spoken",
    "tr",
    "trn",
]


class Catalogue(Protocol):
    """The words of a language, as gettext keeps them."""

    def gettext(self, message: str) -> str:
        """Return a message in its language."""

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        """Return the message for a count in its language."""


class _LocalFloat(float):
    """A number that is written with the decimal sign of the language."""

    def __format__(self, format_spec: str) -> str:
        return format(float(self), format_spec).replace(".", _decimal)


LANGUAGES = {"en": "English", "de": "Deutsch"}
FROM_NEXT_START = {  # what is told when another one is chosen, in that language
    "en": "The words are English from the next start on.",
    "de": "Die Worte sind ab dem nächsten Start deutsch.",
}
_catalogue: Catalogue | None = None
_decimal = "."
_language = "en"


def speak(language: str = "en", catalogue: Catalogue | None = None, decimal: str = ".") -> None:
    """Choose the language of all words made from now on (a key of LANGUAGES), its catalogue, and
    its decimal sign; without a catalogue the words are English.
    """
    global _catalogue, _decimal, _language
    _catalogue, _decimal, _language = catalogue, decimal, language


def spoken() -> str:
    """Return the language of the words: a key of LANGUAGES."""
    return _language


def decimal_sign() -> str:
    """Return the sign between whole number and fraction: a point or a comma."""
    return _decimal


def tr(words: str, /, **values: object) -> str:
    """Return words in the language of the shop, each {name} in them filled with its value.

    Words without values are taken as they are: braces in them are braces.
    """
    if _catalogue is None:
        told = words
    elif not words:
        return ""  # there a catalogue keeps its own head
    else:
        told = _catalogue.gettext(words)
    if length_unit() == "in":
        told, values = _measured(told, values)
    if not values:
        return told
    return told.format(**(values if _catalogue is None else _local(values)))


def mid_sentence(words: str) -> str:
    """Return words as they stand inside a sentence: in English they begin small; elsewhere they
    stay as they are, for a noun may keep its capital.
    """
    return words[:1].lower() + words[1:] if _catalogue is None else words


def trn(one: str, more: str, count: int, /, **values: object) -> str:
    """Return the words for a count, by the plural rule of the language; {count} stands for it."""
    if _catalogue is None:
        told = one if count == 1 else more
    else:
        told = _catalogue.ngettext(one, more, count)
    if length_unit() == "in":
        told, values = _measured(told, values)
    return told.format(count=count, **_local(values))


def _measured(told: str, values: dict[str, object]) -> tuple[str, dict[str, object]]:
    """A sentence made for mm and its values, in inches."""
    told, lengths = in_inches(told, _decimal)
    return told, {
        name: _inches(value) if name in lengths else value for name, value in values.items()
    }


def _inches(length: object) -> str:
    if isinstance(length, (int, float)):
        return inch_number(length).replace(".", _decimal)
    return lengths_within(str(length), _decimal)


def _local(values: dict[str, object]) -> dict[str, object]:
    return {
        name: _LocalFloat(value) if isinstance(value, float) else value
        for name, value in values.items()
    }
