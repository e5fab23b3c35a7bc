"""Outlines of letters from a font file that the user chose (TrueType or OpenType)."""

from __future__ import annotations

import io
import struct
from functools import lru_cache
from typing import Any

import numpy as np

from olive_almanac.core.errors import BadFile
from olive_almanac.core.placing.strokes import Polyline
from olive_almanac.core.words import tr

__all__ = ["FontLetters"]

CURVE_POINTS = 8
USUAL_CAPITAL = 0.7  # of an em, where a font does not say


class FontLetters:
    """Widths and outlines of a text at a height of the capitals in mm; kerning of pairs is left
    out.  Raises BadFile where the bytes are no font.
    """

    is_outline = True

    def __init__(self, data: bytes, name: str) -> None:
        from fontTools.ttLib import TTFont, TTLibError

        try:
            font = TTFont(io.BytesIO(data), fontNumber=0, lazy=True)
            self._letters: dict[int, str] = font.getBestCmap() or {}
            self._glyphs: Any = font.getGlyphSet()
            units = float(font["head"].unitsPerEm)
            capital = float(getattr(font["OS/2"], "sCapHeight", 0) or 0) if "OS/2" in font else 0.0
        except (TTLibError, KeyError, AttributeError, ValueError, OSError, EOFError) as problem:
            raise BadFile(
                tr("{name} is no font that can be read ({problem}).", name=name, problem=problem)
            ) from problem
        except (AssertionError, IndexError, TypeError, struct_error()) as problem:
            raise BadFile(tr("{name} is a damaged font.", name=name)) from problem
        self._capital = USUAL_CAPITAL * units
        tall = [y for ring in self._glyph("H")[0] for _, y in ring]
        self._capital = capital or max(tall, default=self._capital)

    def lacking(self, text: str) -> str:
        """Return the letters of a text that the font has no shape for."""
        known = self._letters
        lacks = (letter for letter in text if ord(letter) not in known and not letter.isspace())
        return "".join(dict.fromkeys(lacks))

    def width(self, text: str, height_mm: float) -> float:
        """Return the width of a text, mm."""
        return sum(self._glyph(letter)[1] for letter in text) * height_mm / self._capital

    def strokes(self, text: str, height_mm: float) -> tuple[Polyline, ...]:
        """Return the closed outlines of a text from its lower left corner, mm; one that lies in
        another is a hole.
        """
        scale, at = height_mm / self._capital, 0.0
        found: list[Polyline] = []
        for letter in text:
            rings, wide = self._glyph(letter)
            for ring in rings:
                found.append(
                    tuple((round((x + at) * scale, 3), round(y * scale, 3)) for x, y in ring)
                )
            at += wide
        return tuple(found)

    @lru_cache(maxsize=2000)  # noqa: B019 (lives as long as a job is in hand)
    def _glyph(self, letter: str) -> tuple[tuple[Polyline, ...], float]:
        """The outlines of one letter in the font's units, and how far the next one stands off."""
        from fontTools.pens.recordingPen import DecomposingRecordingPen

        name = self._letters.get(ord(letter), ".notdef")
        if name not in self._glyphs:
            return (), 0.5 * self._capital
        pen = DecomposingRecordingPen(self._glyphs)
        glyph = self._glyphs[name]
        glyph.draw(pen)
        return tuple(_rings(pen.value)), float(glyph.width)


def struct_error() -> type[Exception]:
    """Return the error of data that ends too early."""
    return struct.error


def _rings(drawn: list[tuple[str, Any]]) -> list[Polyline]:
    """The closed lines of a drawn glyph, curves as points."""
    rings: list[list[tuple[float, float]]] = []
    for act, points in drawn:
        if act == "moveTo":
            rings.append([points[0]])
        elif act == "lineTo":
            rings[-1].append(points[0])
        elif act == "curveTo":
            rings[-1] += _curve([rings[-1][-1], *points])
        elif act == "qCurveTo":
            rings[-1] += _quadratics(rings[-1][-1] if rings and rings[-1] else None, points)
    return [tuple(ring) for ring in rings if len(ring) > 2]


def _quadratics(start: tuple[float, float] | None, points: Any) -> list[tuple[float, float]]:
    """Quadratic curves with on-curve points left out between controls, as TrueType has them."""
    *controls, end = points
    at = start if start is not None else controls[0]
    found: list[tuple[float, float]] = []
    for n, control in enumerate(controls):
        last = n + 1 == len(controls)
        then = controls[n + 1] if not last else None
        stop = end if then is None else ((control[0] + then[0]) / 2, (control[1] + then[1]) / 2)
        if stop is None:  # a ring without any point on it
            stop = controls[0]
        found += _curve([at, control, stop])
        at = stop
    return found


def _curve(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Points along a Bezier curve of any degree, without its first one."""
    level = np.array(points)[None] * np.ones((CURVE_POINTS, 1, 1))
    t = (np.arange(1, CURVE_POINTS + 1) / CURVE_POINTS)[:, None, None]
    while level.shape[1] > 1:
        level = (1 - t) * level[:, :-1] + t * level[:, 1:]
    return [(float(x), float(y)) for x, y in level[:, 0]]
