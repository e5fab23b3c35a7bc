"""Pages as they will be printed."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from olive_almanac.steps.files import read_bytes, write_file

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

__all__ = ["PRINT_DPI", "SCREEN_DPI", "copy_page", "pictures_of"]

SCREEN_DPI = 110.0
PRINT_DPI = 300.0


def pictures_of(path: Path, dpi: float) -> Iterator[tuple[int, int, NDArray[np.uint8]]]:
    """Yield each page of a PDF: its number from 1, of how many, its pixels [h, w, 3] RGB: for a
    worker.  Raises BadFile.
    """
    from olive_almanac.formats.pdf_pictures import page_pictures, pages_in

    data = read_bytes(path)
    count = pages_in(data)
    for n, picture in enumerate(page_pictures(data, dpi)):
        yield n + 1, count, picture


def copy_page(path: Path, target: Path) -> None:
    """Write a copy of a page elsewhere.  Raises BadFile and CannotWrite."""
    write_file(target, read_bytes(path))
