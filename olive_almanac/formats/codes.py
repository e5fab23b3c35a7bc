"""Codes that a camera reads, as rows of dark and light."""

from __future__ import annotations

__all__ = ["code_rows"]


def code_rows(words: str) -> list[list[bool]]:
    """Return the code of some words: True where it is dark."""
    import segno  # start-up: drawn seldom

    return [
        [bool(dark) for dark in row] for row in segno.make(words, error="m", micro=False).matrix
    ]
