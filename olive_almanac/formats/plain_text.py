"""Names and notes on their way out of the program: nothing in them may act in the file they go to.

Whatever writes texts that people typed into a file takes them through here.
"""

from __future__ import annotations

import unicodedata

__all__ = ["cell_text", "printable"]

# what a spreadsheet may take for a formula's start, as typed and in full width
FORMULA_STARTS = tuple("=+-@|%\uff1d\uff0b\uff0d\uff20\uff5c\uff05\u2212")
_ACTING = {"Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"}  # control, direction, halves, not assigned


def printable(text: str) -> str:
    """Return the text without signs that are not printed: control signs, changes of direction,
    halves of characters, byte order marks; tabs and ends of line become spaces.
    """
    if text.isascii() and text.isprintable():
        return text
    spaced = " ".join(text.replace("\t", " ").splitlines())
    return "".join(sign for sign in spaced if unicodedata.category(sign) not in _ACTING)


def cell_text(text: str) -> str:
    """Return the text for a cell of a table, with an apostrophe before it where a spreadsheet could
    take it for a formula.
    """
    plain = printable(text)
    started = plain.lstrip().startswith(FORMULA_STARTS)
    if started or text[:1] in ("\t", "\r", "\n"):
        return "'" + plain
    return plain
