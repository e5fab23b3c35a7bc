"""How a piece was prepared, out of the words of a note: "taped, on pins; then peel and brush", in
English and German.
"""

from __future__ import annotations

import re

from olive_almanac.core.records.recipe import AS_IT_LIES, Recipe, RecipeStep

__all__ = ["recipe_of_words"]

NOTHING = (
    *("", "-", "–", "no", "none", "bare", "nothing", "as it lies", "n/a"),
    *("nein", "keine", "ohne", "nichts", "blank", "unbehandelt"),
)
#       words that a part of the note may hold, in the order in which they are looked for
BEFORE: tuple[tuple[str, str], ...] = (
    (r"\bpins?\b|slats?|comb|grid|bridged|raised|air gap|coins?|stifte|waben|lamellen", "support"),
    (r"magnete?|weights?|weighed|clamp|pinned|stretched|gewichte?|geklemmt|gespannt", "hold"),
    (r"paint|spray|paste|marking|\bwet\b|soap|moly|dark(ened)?\b|farbe|seife", "medium"),
    (r"tape|mask|paper|film|klebeband|malerband|beklebt|papier|folie", "mask"),
    (r"face down|from (the )?back|back up|upside|von hinten|seite unten", "face"),
    (r"nozzle|soft air|düse", "nozzle"),
    (r"clean|alcohol|wiped?|degreased?|damp|dust|gereinigt|alkohol|entfettet|feucht", "clean"),
)
AFTER: tuple[tuple[str, str], ...] = (
    (r"peel|abzieh|abgezogen", "peel"),
    (r"wash|rinse|water|wasch|wasser", "wash"),
    (r"brush|sand|bürst|schleif", "brush"),
    (r"paint|fill|farbe|füll", "fill"),
    (r"oil|seal|shellac|varnish|wax|ölen|schellack|wachs|versiegel", "seal"),
    (r"glue|kleben|leim", "glue"),
)
THEN = re.compile(
    r"[;.]\s*(?:and\s+|und\s+)?(?:then|dann)\b|\b(?:then|dann|danach)\b|\bafter(?:wards)?\b",
    re.IGNORECASE,
)
PARTS = re.compile(r",|\+|;|\b(?:and|und)\b", re.IGNORECASE)
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
