"""Single-stroke letters for labels that are burnt or drawn, from the Hershey outlines of a font
library.
"""

from __future__ import annotations

import functools
import unicodedata
from typing import Any

from olive_almanac.core.placing.strokes import Polyline

__all__ = ["HersheyLetters", "letters"]

FACE = "futural"  # one stroke wide, without serifs
CAPITAL_UNITS, BASE_UNITS = (
    21,
    9,
)  # height of a capital and depth of the base line in the font's own units
PLAIN = str.maketrans(
    {"²": "2", "×": "x", "−": "-", "°": " ", "µ": "u", "₂": "2", "’": "'", "–": "-"}
)


class HersheyLetters:
    """Widths and strokes of a text at a height of the capitals in mm
    (core.placing.labels.Lettering).
    """

    is_outline = False

    def lacking(self, text: str) -> str:
        """Return the letters of a text that this font writes otherwise: without their accent, or
        as a question mark.
        """
        plain = text.translate(PLAIN)
        return "".join(dict.fromkeys(letter for letter in plain if not letter.isascii()))

    def width(self, text: str, height_mm: float) -> float:
        """Return the width of a text, mm, from the left edge of its first stroke's cell to the end
        of the last.
        """
        return _unit_width(text) * height_mm / CAPITAL_UNITS

    @functools.lru_cache(maxsize=4000)  # noqa: B019 (one instance lives as long as the program)
    def strokes(self, text: str, height_mm: float) -> tuple[Polyline, ...]:
        """Return the strokes of a text from its lower left corner (0, 0), to the right and up, mm
        to 3 decimals.
        """
        scale = height_mm / CAPITAL_UNITS
        return tuple(
            tuple((round(x * scale, 3), round(y * scale, 3)) for x, y in stroke)
            for stroke in _unit_strokes(text)
        )


@functools.cache
def _font() -> Any:
    from HersheyFonts import HersheyFonts  # type: ignore[import-untyped]

    font = HersheyFonts()
    font.load_default_font(FACE)
    font.render_options.update(xofs=0, yofs=BASE_UNITS, scalex=1, scaley=-1, spacing=0)
    return font


@functools.cache
def _glyph(letter: str) -> tuple[tuple[Polyline, ...], float]:
    """The strokes of one letter in the font's units, and how far the next one stands from it."""
    strokes = tuple(
        tuple((float(x), float(y)) for x, y in stroke)
        for stroke in _font().strokes_for_text(letter)
    )
    followed = list(_font().strokes_for_text(letter + "I"))[len(strokes) :]
    alone = list(_font().strokes_for_text("I"))
    wide = min(x for stroke in followed for x, _ in stroke) - min(
        x for stroke in alone for x, _ in stroke
    )
    return tuple(stroke for stroke in strokes if len(stroke) > 1), float(wide)


def _plain(text: str) -> str:
    """A text in the letters of the font: accents are left away, what is unknown becomes "?"."""
    apart = unicodedata.normalize("NFKD", text.translate(PLAIN))
    bare = "".join(letter for letter in apart if not unicodedata.combining(letter))
    return bare.encode("ascii", "replace").decode()


@functools.lru_cache(maxsize=4000)
def _unit_strokes(text: str) -> tuple[Polyline, ...]:
    at: float = 0.0
    strokes: list[Polyline] = []
    for letter in _plain(text):
        drawn, wide = _glyph(letter)
        strokes += [tuple((x + at, y) for x, y in stroke) for stroke in drawn]
        at += wide
    left = min((x for stroke in strokes for x, _ in stroke), default=0.0)
    return tuple(tuple((x - left, y) for x, y in stroke) for stroke in strokes)


@functools.lru_cache(maxsize=4000)
def _unit_width(text: str) -> float:
    return max((x for stroke in _unit_strokes(text) for x, _ in stroke), default=0.0)


@functools.cache
def letters() -> HersheyLetters:
    """Return the lettering of the program; the font is read when the first text is set."""
    return HersheyLetters()
