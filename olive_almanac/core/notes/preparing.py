"""How a piece was prepared, out of the words of a note: "taped, on pins; then peel and brush"."""

from __future__ import annotations

import re

from olive_almanac.core.records.recipe import AS_IT_LIES, Recipe, RecipeStep

__all__ = ["recipe_of_words"]

NOTHING = ("", "-", "–", "no", "none", "bare", "nothing", "as it lies", "n/a")
#       words that a part of the note may hold, in the order in which they are looked for
BEFORE: tuple[tuple[str, str], ...] = (
    (r"\bpins?\b|slats?|comb|grid|bridged|raised|air gap|coins?", "support"),
    (r"magnets?|weights?|weighed|clamp|pinned|stretched", "hold"),
    (r"paint|spray|paste|marking|\bwet\b|soap|moly|dark(ened)?\b", "medium"),
    (r"tape|mask|paper|film", "mask"),
    (r"face down|from (the )?back|back up|upside", "face"),
    (r"nozzle|soft air", "nozzle"),
    (r"clean|alcohol|wiped?|degreased?|damp|dust", "clean"),
)
AFTER: tuple[tuple[str, str], ...] = (
    (r"peel", "peel"),
    (r"wash|rinse|water", "wash"),
    (r"brush|sand", "brush"),
    (r"paint|fill", "fill"),
    (r"oil|seal|shellac|varnish|wax", "seal"),
    (r"glue", "glue"),
)
THEN = re.compile(r"[;.]\s*(?:and\s+)?then\b|\bthen\b|\bafter(?:wards)?\b", re.IGNORECASE)
PARTS = re.compile(r",|\+|;|\band\b", re.IGNORECASE)
MOST_LETTERS = 120
MOST_NAME = 60


def recipe_of_words(text: str) -> Recipe | None:
    """Return the recipe that words say: as it lies where they say nothing is done, None where they
    say no step that is known.
    """
    told = " ".join(text.split())
    if told.casefold() in NOTHING:
        return AS_IT_LIES
    first, *rest = THEN.split(told, maxsplit=1)
    before = _steps(first, BEFORE)
    after = _steps(rest[0] if rest else "", AFTER)
    if not rest and not before:
        after = _steps(first, AFTER)
    if not (before or after):
        return None
    return Recipe(told[:MOST_NAME].strip(), before, after)


def _steps(text: str, kinds: tuple[tuple[str, str], ...]) -> tuple[RecipeStep, ...]:
    steps = []
    for part in PARTS.split(text):
        words = part.strip(" .;:")[:MOST_LETTERS]
        kind = next((kind for found, kind in kinds if re.search(found, words.casefold())), "")
        if kind:
            steps.append(RecipeStep(kind, "" if words.casefold() == kind else words))
    return tuple(steps)
