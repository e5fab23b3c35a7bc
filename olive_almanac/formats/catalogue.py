"""Load the catalogue of stocks that ships with the program (catalogue.json beside this file), and
the recipes that are proposed for them (recipes.json).

A verdict is written there as "works", "works with ...", "poor: why", "cannot: why" or "barred".
"""

from __future__ import annotations

import functools
import json
from pathlib import Path
from typing import Any

from olive_almanac.core.deciding.causes import Cause
from olive_almanac.core.materials.catalogue import Catalogue
from olive_almanac.core.materials.proposals import Proposal
from olive_almanac.core.records.plain import from_plain
from olive_almanac.core.records.recipe import Recipe

__all__ = ["load_catalogue", "load_causes", "load_proposals"]


@functools.cache
def load_catalogue() -> Catalogue:
    """Return the catalogue; it is read once and never changed."""
    text = Path(__file__).with_name("catalogue.json").read_text(encoding="utf-8")
    written = json.loads(text)
    stocks = [_with_verdicts(stock) for stock in written["stocks"]]
    return from_plain(Catalogue, {**written, "stocks": stocks}, "catalogue.json: ")


@functools.cache
def load_causes() -> tuple[Cause, ...]:
    """Return what can go wrong; read once and never changed."""
    text = Path(__file__).with_name("causes.json").read_text(encoding="utf-8")
    return tuple(from_plain(Cause, one, "causes.json: ") for one in json.loads(text)["causes"])


@functools.cache
def load_proposals() -> tuple[Proposal, ...]:
    """Return the recipes that shops commonly use; read once and never changed."""
    text = Path(__file__).with_name("recipes.json").read_text(encoding="utf-8")
    return tuple(_proposal(one) for one in json.loads(text)["proposals"])


def _proposal(written: dict[str, Any]) -> Proposal:
    plain = {key: written[key] for key in ("name", "before", "after")}
    plain |= {"origin": written["id"], "ln_energy": written.get("ln_energy", 0.0)}
    recipe = from_plain(Recipe, plain, "recipes.json: ")
    families, sources, tasks = (tuple(written[key]) for key in ("families", "sources", "tasks"))
    return Proposal(recipe, families, sources, tasks, written["reason"])


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
    if text == "works" or text.startswith("works "):
        return {"level": "works", "words": text.removeprefix("works").strip()}
    level, _, words = text.partition(": ")
    return {"level": level, "words": words}
