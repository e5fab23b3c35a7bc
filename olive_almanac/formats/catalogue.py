"""Load the catalogue of stocks that ships with the program (catalogue.json beside this file), and
the recipes that are proposed for them (recipes.json).

A verdict is written there as "works", "works with ...", "poor: why", "cannot: why" or "barred".
"""

from __future__ import annotations

import functools
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from olive_almanac.core.deciding.causes import Cause
from olive_almanac.core.materials.catalogue import Catalogue
from olive_almanac.core.materials.proposals import Proposal
from olive_almanac.core.records.plain import from_plain
from olive_almanac.core.records.recipe import Recipe
from olive_almanac.core.words import tr

__all__ = ["load_catalogue", "load_causes", "load_proposals", "words_in"]


NO_WORDS = {"id", "format", "source", "sources", "tasks", "families", "kind", "side", "state"}
NO_WORDS |= {"group", "groups", "needs", "tells", "suits"}
LEVELS = ("works", "poor", "cannot", "barred")


def words_in(written: Any) -> Iterator[str]:
    """Yield the words of a shipped table that are shown, verdicts without their level."""
    if isinstance(written, str):
        level, words = _parted(written)
        if level not in LEVELS:
            yield written
        elif words:
            yield words
    elif isinstance(written, list):
        for one in written:
            yield from words_in(one)
    elif isinstance(written, dict):
        for key, one in written.items():
            if key not in NO_WORDS:
                yield from words_in(one)


def _told(written: Any) -> Any:
    """The same table with its words in the language of the shop."""
    if isinstance(written, str):
        level, words = _parted(written)
        if level not in LEVELS:
            return tr(written)
        return written.removesuffix(words) + tr(words)
    if isinstance(written, list):
        return [_told(one) for one in written]
    if isinstance(written, dict):
        return {key: one if key in NO_WORDS else _told(one) for key, one in written.items()}
    return written


def _parted(text: str) -> tuple[str, str]:
    """The level and the words of a verdict; other words have no level."""
    if text == "works" or text.startswith("works "):
        return "works", text.removeprefix("works").strip()
    level, _, words = text.partition(": ")
    return level, words


def _table(name: str) -> Any:
    return _told(json.loads(Path(__file__).with_name(name).read_text(encoding="utf-8")))


@functools.cache
def load_catalogue() -> Catalogue:
    """Return the catalogue; it is read once and never changed."""
    written = _table("catalogue.json")
    stocks = [_with_verdicts(stock) for stock in written["stocks"]]
    return from_plain(Catalogue, {**written, "stocks": stocks}, "catalogue.json: ")


@functools.cache
def load_causes() -> tuple[Cause, ...]:
    """Return what can go wrong; read once and never changed."""
    written = _table("causes.json")["causes"]
    return tuple(from_plain(Cause, one, "causes.json: ") for one in written)


@functools.cache
def load_proposals() -> tuple[Proposal, ...]:
    """Return the recipes that shops commonly use; read once and never changed."""
    return tuple(_proposal(one) for one in _table("recipes.json")["proposals"])


def _proposal(written: dict[str, Any]) -> Proposal:
    plain = {key: written[key] for key in ("name", "before", "after")}
    plain |= {"origin": written["id"], "ln_energy": written.get("ln_energy", 0.0)}
    recipe = from_plain(Recipe, plain, "recipes.json: ")
    families, sources, tasks = (tuple(written[key]) for key in ("families", "sources", "tasks"))
    suits = written.get("suits", "")
    return Proposal(recipe, families, sources, tasks, written["reason"], suits)


def _with_verdicts(stock: dict[str, Any]) -> dict[str, Any]:
    """A stock with its verdicts as level and words."""
    told = {}
    for name in ("verdicts", "clear", "light", "mirror"):
        told[name] = {
            source: {task: _verdict(words) for task, words in tasks.items()}
            for source, tasks in stock.get(name, {}).items()
        }
    return {**stock, **told}


def _verdict(text: str) -> dict[str, str]:
    level, words = _parted(text)
    return {"level": level, "words": words}
