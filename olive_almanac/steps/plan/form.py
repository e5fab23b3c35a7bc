"""The choices of a trial as texts: what the fields of Plan and the words of the command line say.

Each factor has fields for its ends, its steps, its spacing and its list while it varies, and one
for where it is held.  What cannot be read names its field: `OutOfRange.key`.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import FREE, kind_of
from olive_almanac.core.design.levels import even_levels, ratio_levels, read_levels
from olive_almanac.core.errors import OutOfRange, field_key
from olive_almanac.core.records.factors import FACTORS, Factor, Value
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.units import (
    lengths_text,
    number_text,
    percent_text,
    read_length_mm,
    read_lengths_mm,
    read_number,
    read_sides_mm,
    read_speed_mm_s,
    speed_in,
    split_list,
)
from olive_almanac.core.words import tr

__all__ = [
    "choice_from",
    "choices_from",
    "clamps_text",
    "levels_from",
    "levels_text",
    "slots_of",
    "texts_of",
]

Texts = Mapping[str, str]
Box = tuple[float, float, float, float]


def slots_of(texts: Texts) -> tuple[str, str]:
    """Return which factor varies up the side and which along the foot; an empty text for none."""
    kind = kind_of(texts["kind"])
    up, across = kind.up, kind.across
    if up == FREE:
        up = texts["up"]
    if across == FREE:
        across = texts["across"]
    return up, across


# -- fields that are no factors --------------------------------------------------------------------


@dataclass(frozen=True)
class _Field:
    """One field: its key, the choice that it holds, and how that is read and written."""

    key: str
    choice: str
    read: Callable[[str], Any]
    write: Callable[[Any], str]


def _whole(name: str) -> Callable[[str], int]:
    def read(text: str) -> int:
        value = read_number(text, name)
        if value != int(value):
            raise OutOfRange(name, text, tr("a whole number"))
        return int(value)

    return read


def _length(name: str) -> Callable[[str], float]:
    return lambda text: read_length_mm(text, name)


def _number(name: str, unit: str = "") -> Callable[[str], float]:
    return lambda text: read_number(text, name, unit)


def _lengths(name: str) -> Callable[[str], tuple[float, ...]]:
    return lambda text: read_lengths_mm(text, name)


def _lengths_text(lengths_mm: Sequence[float]) -> str:
    return ", ".join(number_text(one) for one in lengths_mm)


def _yes(value: object) -> str:
    if value:
        return "yes"
    return ""


SAME_SHEET_MM = 1.0
_FIELDS = (
    _Field("kind", "kind", str, str),
    _Field("up", "up", str, str),
    _Field("across", "across", str, str),
    _Field("order", "burn_order", str, str),
    _Field("beam", "beam", str, str),
    _Field("cell", "cell_mm", _length(tr("Cell side")), number_text),
    _Field("gap", "gap_mm", _length(tr("Gap between cells")), number_text),
    _Field("rest", "rest_s", _number(tr("Rest"), "s"), number_text),
    _Field("turned", "turned", bool, _yes),
    _Field("anchor", "anchor", str, str),
    _Field("hotter", "hotter", bool, _yes),
    _Field("repeats", "repeats", _whole(tr("Repeats")), str),
    _Field("slope", "slope", _number(tr("Slope")), number_text),
    _Field("slots", "slots_mm", _lengths(tr("Slot widths")), _lengths_text),
    _Field("crosshatch", "crosshatch", bool, _yes),
    _Field("direction", "direction", str, str),
    _Field("focus_step", "focus_step_mm", _length(tr("Focus step")), number_text),
    _Field("labels", "labels", bool, _yes),
    _Field("marks", "fiducials", bool, _yes),
    _Field("edge", "edge_mm", _length(tr("Free edge")), number_text),
)
_PAIRS = (
    ("place", ("x", tr("Place along X")), ("y", tr("Place along Y"))),
    ("sheet_at_mm", ("sheet_x", tr("Sheet along X")), ("sheet_y", tr("Sheet along Y"))),
)


# -- factors ---------------------------------------------------------------------------------------


def levels_text(factor: Factor, levels: Sequence[Value], unit: str) -> str:
    """Return levels as a list: "40, 70, 100"."""
    return ", ".join(factor.write(level, unit) for level in levels)


def _spacing(values: Sequence[float]) -> str:
    """How levels are spaced: "even", by "ratio", or neither ("list")."""
    if len(values) < 3:
        return "even"
    steps = [b - a for a, b in itertools.pairwise(values)]
    if max(steps) - min(steps) <= 1e-6 * max(map(abs, values)):
        return "even"
    if min(values) > 0:
        ratios = [b / a for a, b in itertools.pairwise(values)]
        if max(ratios) - min(ratios) <= 1e-4 * max(ratios):
            return "ratio"
    return "list"


def _factor_texts(factor: Factor, choices: TrialChoices, unit: str) -> dict[str, str]:
    levels, key = choices.levels(factor.id), factor.id
    joined = levels_text(factor, levels, unit)
    if not factor.is_number:
        return {key: joined}
    held = joined
    if factor.optional and levels == (0,):
        held = ""
    return {
        f"{key}_from": factor.write(levels[0], unit),
        f"{key}_to": factor.write(levels[-1], unit),
        f"{key}_steps": str(len(levels)),
        f"{key}_space": _spacing([float(level) for level in levels]),
        f"{key}_list": joined,
        key: held,
    }


def levels_from(texts: Texts, factor: Factor, unit: str, *, varied: bool) -> tuple[Value, ...]:
    """Return the levels of a factor from its fields; raises OutOfRange naming factor and field."""
    if not factor.is_number:
        words = list(filter(str.strip, split_list(texts[factor.id])))
        with field_key(factor.id):
            return tuple(factor.read(word, unit) for word in words)
    levels = _number_levels(texts, factor, unit, varied=varied)
    with field_key(factor.id):
        return tuple(factor.check(level, unit) for level in levels)


def _number_levels(texts: Texts, factor: Factor, unit: str, *, varied: bool) -> tuple[Value, ...]:
    def read(text: str) -> float:
        return float(factor.read(text, unit))

    key = factor.id
    if factor.optional and not varied and not texts[key].strip():
        return (0.0,)
    spacing = texts.get(f"{key}_space", "list")
    if not varied or spacing == "list":
        where = f"{key}_list" if varied else key
        with field_key(where):
            return _kept(factor, read_levels(texts[where], factor.name, read, factor.unit))
    with field_key(f"{key}_from"):
        low = read(texts[f"{key}_from"])
    with field_key(f"{key}_to"):
        high = read(texts[f"{key}_to"])
    if not factor.spacings:
        return tuple(range(int(low), int(high) + 1))
    name = tr("Steps of {factor}", factor=factor.word)
    with field_key(f"{key}_steps"):
        steps = _whole(name)(texts[f"{key}_steps"])
    make = even_levels
    if spacing == "ratio":
        make = ratio_levels
    try:
        return make(low, high, steps, factor.name)
    except OutOfRange as problem:
        problem.key = f"{key}_{problem.key}".removesuffix("_")
        raise


def _kept(factor: Factor, levels: Sequence[float]) -> tuple[Value, ...]:
    """Levels of the kind that the factor's field holds: whole where they are counted."""
    if factor.spacings:
        return tuple(levels)
    return tuple(int(level) for level in levels)


# -- the whole form --------------------------------------------------------------------------------


def clamps_text(boxes: Sequence[Box]) -> str:
    """Return the clamps of a sheet as they are typed: four numbers each, semicolons between."""
    return "; ".join(", ".join(number_text(side, 4) for side in box) for box in boxes)


def choice_from(key: str, text: str) -> tuple[str, Any]:
    """Return the choice that the field of a key holds, by its name, and the value typed there.

    Raises OutOfRange naming the field.
    """
    field = next(one for one in _FIELDS if one.key == key)
    with field_key(key):
        return field.choice, field.read(text)


def texts_of(choices: TrialChoices, unit: str) -> dict[str, str]:
    """Return the fields of choices: of each factor its ends, steps, spacing and list, and what
    stands where it is held.
    """
    texts: dict[str, str] = {}
    for factor in FACTORS:
        texts |= _factor_texts(factor, choices, unit)
    for field in _FIELDS:
        texts[field.key] = field.write(getattr(choices, field.choice))
    for choice, (first, _), (second, _) in _PAIRS:
        pair = getattr(choices, choice)
        texts |= {first: number_text(pair[0], 4), second: number_text(pair[1], 4)}
    texts |= {"sheet": "", "clamps": "", "label_power": "", "label_speed": "", "sheet_size": ""}
    if choices.sheet_number is not None:
        texts["sheet"] = str(choices.sheet_number)
    if choices.sheet is not None:
        texts["clamps"] = clamps_text(choices.sheet.clamps_mm)
        texts["sheet_size"] = lengths_text(choices.sheet.width_mm, choices.sheet.height_mm)
    if choices.label_power is not None:
        texts["label_power"] = percent_text(choices.label_power)
    if choices.label_speed_mm_s is not None:
        texts["label_speed"] = number_text(speed_in(choices.label_speed_mm_s, unit), 4)
    return texts


def choices_from(
    texts: Texts, unit: str, base: TrialChoices, stock: Stock | None = None
) -> TrialChoices:
    """Return the choices that the fields say; what no field holds stays as in `base`.

    Raises OutOfRange naming the field.
    """
    varied = slots_of(texts)
    said: dict[str, Any] = {"speed_unit": unit}
    for factor in FACTORS:
        said[factor.field] = levels_from(texts, factor, unit, varied=factor.id in varied)
    for field in _FIELDS:
        with field_key(field.key):
            said[field.choice] = field.read(texts[field.key])
    for choice, *ends in _PAIRS:
        said[choice] = tuple(_end(texts, key, name) for key, name in ends)
    with field_key("label_power"):
        said["label_power"] = _label_power(texts["label_power"])
    with field_key("label_speed"):
        said["label_speed_mm_s"] = _label_speed(texts["label_speed"], unit)
    said["sheet_number"], said["sheet"] = _sheet(texts, stock)
    return replace(base, **said)


def _end(texts: Texts, key: str, name: str) -> float:
    with field_key(key):
        return read_length_mm(texts[key], name)


def _sheet(texts: Texts, stock: Stock | None) -> tuple[int | None, Sheet | None]:
    """Which of the stock's sheets is chosen, and that sheet with the clamps that were typed; one
    past the last is a sheet that is not in the rack yet.
    """
    if stock is None:
        return None, None
    sheets = list(stock.sheets)
    number = _chosen(texts["sheet"], len(sheets))
    if "sheet_size" in kind_of(texts["kind"]).fields:
        with field_key("sheet_size"):
            number = _sheet_of_size(texts["sheet_size"], sheets, number)
    if number is None:
        return None, None
    with field_key("clamps"):
        clamps = tuple(_box(part) for part in filter(str.strip, texts["clamps"].split(";")))
    return number, replace(sheets[number], clamps_mm=clamps)


def _chosen(text: str, sheets: int) -> int | None:
    if text and int(text) < sheets:
        return int(text)
    return None


def _sheet_of_size(text: str, sheets: list[Sheet], chosen: int | None) -> int:
    """Which sheet has the size that was typed: the chosen one, another of the rack, or a new one,
    which is put last.
    """
    if not text.strip():
        raise OutOfRange(tr("The sheet"), tr("left open"), tr("told by its size, as 600 x 400 mm"))
    sides = read_sides_mm(text, tr("The sheet"))
    order = range(len(sheets)) if chosen is None else (chosen, *range(len(sheets)))
    for number in order:
        known = (sheets[number].width_mm, sheets[number].height_mm)
        if all(abs(a - b) < SAME_SHEET_MM for a, b in zip(known, sides, strict=True)):
            return number
    sheets.append(Sheet(sides[0], sides[1]))
    return len(sheets) - 1


def _box(text: str) -> Box:
    sides = [read_number(side, tr("Clamps"), "mm") for side in split_list(text)]
    if len(sides) != 4:
        raise OutOfRange(
            tr("Clamps"),
            f"“{text.strip()}”",
            tr("four numbers: from X, Y to X, Y; more behind a semicolon"),
        )
    return sides[0], sides[1], sides[2], sides[3]


def _label_power(text: str) -> float | None:
    if not text.strip():
        return None
    value = read_number(text, tr("Power of the labels"), "%") / 100
    if not 0 < value <= 1:
        raise OutOfRange(tr("Power of the labels"), 100 * value, tr("above 0 and at most 100"), "%")
    return value


def _label_speed(text: str, unit: str) -> float | None:
    if not text.strip():
        return None
    return read_speed_mm_s(text, tr("Speed of the labels"), unit)
