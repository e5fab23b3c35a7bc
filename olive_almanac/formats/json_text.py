"""JSON as it comes from files, also of an editor that puts a mark before it."""

from __future__ import annotations

import json
from typing import Any

from olive_almanac.core.errors import BadFile
from olive_almanac.core.words import tr

__all__ = ["plain_of"]

BYTE_ORDER_MARK = "\ufeff"


def plain_of(text: str, where: str) -> Any:
    """Return what a JSON text holds.  Raises BadFile with what is wrong and what to do."""
    try:
        return json.loads(text.removeprefix(BYTE_ORDER_MARK))
    except (ValueError, RecursionError) as problem:
        raise BadFile(
            tr(
                "{where} is damaged or not JSON ({problem}). Write it again, or take it from "
                "a backup.",
                where=where,
                problem=problem,
            )
        ) from problem
