"""Pages as they will be printed."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from olive_almanac.steps.files import read_bytes, write_file

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

__all__ = ["PRINT_DPI", "SCREEN_DPI", "PagePicture", "copy_page", "pictures_of"]

SCREEN_DPI = 110.0
PRINT_DPI = 300.0


class PagePicture(NamedTuple):
    """A page of a PDF: its number from 1, of how many, what they are called together, and its
    pixels [h, w, 3] RGB.
    """

    number: int
    pages: int
    title: str
    pixels: NDArray[np.uint8]


def pictures_of(path: Path, dpi: float) -> Iterator[PagePicture]:
    """Yield each page of a PDF, for a worker; one without a title is called as its file.  Raises
    BadFile.
    """
    from olive_almanac.formats.pdf_pictures import page_pictures, pages_and_title

    data = read_bytes(path)
    count, title = pages_and_title(data)
    for n, picture in enumerate(page_pictures(data, dpi)):
        yield PagePicture(n + 1, count, title or path.stem, picture)


def copy_page(path: Path, target: Path) -> None:
    """Write a copy of a page elsewhere.  Raises BadFile and CannotWrite."""
    write_file(target, read_bytes(path))
