"""The pages of a PDF that this program wrote, as pictures: to look at, and to print."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from olive_almanac.core.errors import BadFile
from olive_almanac.core.words import tr

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

__all__ = ["page_pictures", "pages_and_title"]

POINTS_PER_INCH = 72.0


def pages_and_title(data: bytes) -> tuple[int, str]:
    """Return how many pages a PDF has and what it is called, or nothing.  Raises BadFile."""
    import pypdfium2

    try:
        with pypdfium2.PdfDocument(data) as document:
            return len(document), document.get_metadata_value("Title")
    except pypdfium2.PdfiumError as problem:
        raise BadFile(tr("The page cannot be shown: {problem}.", problem=problem)) from problem


def page_pictures(data: bytes, dpi: float) -> Iterator[NDArray[np.uint8]]:
    """Yield each page as pixels, height x width x 3, RGB, at so many dots an inch.

    Raises BadFile.
    """
    import pypdfium2

    try:
        with pypdfium2.PdfDocument(data) as document:
            for page in document:
                drawn = page.render(scale=dpi / POINTS_PER_INCH, rev_byteorder=True)
                yield drawn.to_numpy()[:, :, :3].copy()
    except pypdfium2.PdfiumError as problem:
        raise BadFile(tr("The page cannot be shown: {problem}.", problem=problem)) from problem
