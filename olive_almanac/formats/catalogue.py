"""Load the catalogue of stocks that ships with the program (catalogue.json beside this file)."""

from __future__ import annotations

import functools
import json
from importlib.resources import files

from olive_almanac.core.materials.catalogue import Catalogue
from olive_almanac.core.records.plain import from_plain

__all__ = ["load_catalogue"]


@functools.cache
def load_catalogue() -> Catalogue:
    """Return the catalogue; it is read once and never changed."""
    text = (files("olive_almanac.formats") / "catalogue.json").read_text(encoding="utf-8")
    return from_plain(Catalogue, json.loads(text), "catalogue.json: ")
