"""The lettering of labels and names, for the views and the demo, which know no file formats."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

from olive_almanac.formats.letters import letters

if TYPE_CHECKING:
    from olive_almanac.formats.font_letters import FontLetters

__all__ = ["font_letters", "letters"]


@lru_cache(maxsize=4)
def font_letters(data: bytes, name: str) -> FontLetters:
    """Return the letters of a font file.  Raises BadFile."""
    from olive_almanac.formats.font_letters import FontLetters  # with NumPy

    return FontLetters(data, name)
