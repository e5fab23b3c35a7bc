"""What the name of a layer says of its task, in English and German words.

Common practice, no source: these are words that drawings use for their layers.
"""

from __future__ import annotations

import re

from olive_almanac.core.records.job import LEAVE_OUT

__all__ = ["task_named"]

# The first that fits decides: "do not cut" is left out, "cut marks" are cut.
TASK_WORDS: tuple[tuple[str, str], ...] = (
    (
        r"\b(?:not?|don t|never|nicht|keine?) (?:\w+ )?(?:laser ?)?"
        r"(?:cut|engrav|etch|scor|mark|burn|laser|schn|grav|ritz|brenn)|\buncut\b",
        LEAVE_OUT,
    ),
    (r"\bguides?\b|\bguide ?lines?\b|\bconstruction\b|\bdimensions?\b|\bannotations?\b", LEAVE_OUT),
    (r"hilfslinien?\b|\bkonstruktion|\bbemassung", LEAVE_OUT),
    (r"engrav|\betch(?:es|ed|ing)?\b|\braster|gravier|gravur", "engrave"),
    (r"\bscor(?:e|es|ed|ing)\b|\bscore ?lines?\b|\ban?ritz|\britz(?:en|linien?)?\b", "score"),
    (r"(?<!short)cut(?:s|ting|out|outs|lines?|layer)?\b|\bschneid|schnitt\w*\b", "cut"),
    (r"\bmark(?:s|ing|ings)?\b|\bmarkier", "mark"),
)


def task_named(layer: str) -> str:
    """Return the task that a layer's name says, "leave out" among them, or nothing."""
    plain = re.sub(r"[\W_\d]+", " ", layer.casefold()).strip()
    return next((task for words, task in TASK_WORDS if re.search(words, plain)), "")
