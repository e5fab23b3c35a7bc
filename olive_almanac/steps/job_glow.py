"""The dots of a panel that is lit from its edge: what is typed of them, as a changed job."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, cast

from olive_almanac.core.records.glow import Edge, Glow
from olive_almanac.core.records.job import Job
from olive_almanac.core.units import count_text, number_text, read_number
from olive_almanac.core.words import tr

if TYPE_CHECKING:
    from olive_almanac.core.records.drawing import Drawing
    from olive_almanac.core.records.stock import Stock

__all__ = [
    "GLOW_FIELDS",
    "can_glow",
    "dots_words",
    "glow_groups",
    "glow_of",
    "glow_texts",
    "with_glow",
]

GLOW_FIELDS: dict[str, str] = {
    "pitch": tr("Pitch of the dots"),
    "most": tr("Largest share covered"),
    "even": tr("Share of the strip covered"),
    "even_mm": tr("Length of the strip"),
    "fell": tr("Share to which its glow fell"),
}
IN_PERCENT = ("most", "even", "fell")


def glow_groups(job: Job) -> tuple[str, ...]:
    """Return the groups that may become dots: what is engraved or marked."""
    return tuple(one.group for one in job.groups if one.task in ("engrave", "mark"))


def can_glow(job: Job, stock: Stock | None) -> bool:
    """Whether light runs in the stock, and something is engraved into it."""
    return stock is not None and stock.opacity == "clear" and bool(glow_groups(job))


def glow_texts(glow: Glow) -> dict[str, str]:
    """Return dots as they are typed: shares in percent."""
    values = (glow.pitch_mm, glow.most, glow.even, glow.even_mm, glow.fell)
    return {
        key: number_text(100 * value if key in IN_PERCENT else value, 5)
        for key, value in zip(GLOW_FIELDS, values, strict=True)
    }


def glow_of(group: str, lit: str, texts: Mapping[str, str]) -> Glow:
    """Return the dots that were typed.  Raises OutOfRange."""
    values = {}
    for key, name in GLOW_FIELDS.items():
        value = read_number(texts[key], name)
        values[key] = value / 100 if key in IN_PERCENT else value
    edge = cast(Edge, lit)
    more = (values["most"], values["even"], values["even_mm"], values["fell"])
    return Glow(group, edge, values["pitch"], *more)


def dots_words(drawing: Drawing, glow: Glow) -> str:
    """Return how many dots there would be, and how large, in words.  Raises OutOfRange."""
    from olive_almanac.core.quoting.glow import dots_of

    dots = dots_of(drawing, glow)
    small, large = 2 * dots.radii_mm.min(), 2 * dots.radii_mm.max()
    return tr(
        "{dots} of {small} to {large} mm; {left_over:.0f} % of the light is left at the far edge.",
        dots=count_text(len(dots.radii_mm), "dot"),
        small=number_text(small, 2),
        large=number_text(large, 2),
        left_over=100 * dots.left_over,
    )


def with_glow(job: Job, glow: Glow | None) -> Job:
    """Return the job with a group as dots, or as it is drawn."""
    return replace(job, glow=glow)
