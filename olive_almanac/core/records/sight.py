"""What a photo showed of one cell."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["CellSight"]


@dataclass(frozen=True)
class CellSight:
    """What is seen of one cell; parts that do not apply are None.

    `flags` say why it is not judged.
    """

    cell: str
    confidence: float
    flags: tuple[str, ...]
    delta_l: float | None = None
    lightness: float | None = None
    evenness: float | None = None
    halo_mm: float | None = None
    line_mm: float | None = None
    out: bool | None = None
    open: bool | None = None
    near_l: float | None = None
    sd_l: float | None = None
