"""What would fit where a coupon has no room: changes of the form, tried one by one."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.factors import NUMBER_FACTORS
from olive_almanac.core.records.stock import Sheet
from olive_almanac.core.units import lengths_text, read_length_mm
from olive_almanac.core.words import tr
from olive_almanac.steps.plan.form import slots_of

__all__ = ["AS_EXPECTED", "HOTTER", "Fix", "what_fits"]

MOST_FIXES = 3
SMALLER_CELLS_MM = (30, 25, 20, 16, 14, 12, 10, 9, 8, 7, 6, 5, 4)
Texts = Mapping[str, str]


@dataclass(frozen=True)
class Fix:
    """Something that would fit, and the fields that lead to it."""

    words: str
    texts: dict[str, str]


HOTTER = Fix(tr("hotter, low energy first"), {"hotter": "yes", "order": "energy"})

AS_EXPECTED = Fix(tr("leave out what is expected to flare"), {"hotter": ""})


def what_fits(
    texts: Texts, sheets: Sequence[Sheet], would_fit: Callable[[Fix], bool]
) -> tuple[Fix, ...]:
    """Return changes after which the coupon has room: turned, smaller cells, another sheet, fewer
    levels, the bare bed; of each sort the first that fits.
    """
    sorts = (
        _turned(texts),
        _smaller_cells(texts),
        _other_sheets(texts, sheets),
        _fewer_levels(texts),
        _bare_bed(texts),
    )
    found = (next(filter(would_fit, fixes), None) for fixes in sorts)
    return tuple(fix for fix in found if fix is not None)[:MOST_FIXES]


def _turned(texts: Texts) -> Iterator[Fix]:
    other = "yes"
    if texts["turned"]:
        other = ""
    yield Fix(tr("turned by 90°"), {"turned": other})


def _smaller_cells(texts: Texts) -> Iterator[Fix]:
    """The larger cells first: the first that fits is offered."""
    try:
        side = read_length_mm(texts["cell"], tr("Cell side"))
    except AlmanacError:
        return
    for mm in SMALLER_CELLS_MM:
        if mm < side:
            yield Fix(tr("cells of {mm} mm", mm=mm), {"cell": str(mm)})


def _other_sheets(texts: Texts, sheets: Sequence[Sheet]) -> Iterator[Fix]:
    for number, sheet in enumerate(sheets):
        if str(number) != texts["sheet"]:
            size = lengths_text(sheet.width_mm, sheet.height_mm)
            yield Fix(
                tr("on the sheet of {size} mm", size=size), {"sheet": str(number), "clamps": ""}
            )


def _fewer_levels(texts: Texts) -> Iterator[Fix]:
    for factor in NUMBER_FACTORS:
        steps = texts[f"{factor.id}_steps"]
        counted = factor.id in slots_of(texts) and texts[f"{factor.id}_space"] != "list"
        if not counted or not steps.isdigit():
            continue
        for fewer in (int(steps) - 1, int(steps) - 2, int(steps) // 2):
            if fewer > 1:
                change = {f"{factor.id}_steps": str(fewer)}
                yield Fix(tr("{fewer} steps of {factor}", fewer=fewer, factor=factor.word), change)


def _bare_bed(texts: Texts) -> Iterator[Fix]:
    if texts["sheet"]:
        yield Fix(tr("on the bare bed"), {"sheet": ""})
