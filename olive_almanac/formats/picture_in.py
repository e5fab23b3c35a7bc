"""Read a picture that is to be engraved: its linear luminance, and how large it is meant to be."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.errors import BadFile
from olive_almanac.core.light import light_of_codes
from olive_almanac.core.records.drawing import Drawing, DrawingFinding, Picture
from olive_almanac.core.words import tr

__all__ = ["PICTURE_GROUP", "is_picture", "luminance_of", "read_picture_file", "size_px"]

MOST_PIXELS = 60_000_000
PX_MM = 25.4 / 96
KINDS = {b"\x89PNG\r\n\x1a\n": "PNG", b"\xff\xd8\xff": "JPEG"}
WEIGHTS = np.array([0.2126, 0.7152, 0.0722])  # of red, green and blue (Rec. 709)
PICTURE_GROUP = "picture"


def is_picture(data: bytes) -> bool:
    """Whether bytes begin as a PNG or a JPEG does."""
    return any(data.startswith(mark) for mark in KINDS)


def _opened(data: bytes, name: str) -> Any:
    from PIL import Image, UnidentifiedImageError

    try:
        image = Image.open(io.BytesIO(data), formats=tuple(KINDS.values()))
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError) as problem:
        raise BadFile(tr("{name} holds a picture that cannot be read.", name=name)) from problem
    if image.width * image.height > MOST_PIXELS:
        most = MOST_PIXELS // 1_000_000
        raise BadFile(
            tr(
                "{name} holds a picture of more than {most} million dots. Make it smaller.",
                name=name,
                most=most,
            )
        )
    return image


def _loaded(data: bytes, name: str) -> Any:
    """A picture whose every dot is there."""
    image = _opened(data, name)
    try:
        image.load()
    except (OSError, ValueError, SyntaxError, MemoryError) as problem:
        raise BadFile(tr("{name} holds a damaged picture. Save it again.", name=name)) from problem
    return image


def size_px(data: bytes, name: str) -> tuple[int, int]:
    """Return width and height of a picture, px.  Raises BadFile."""
    image = _loaded(data, name)
    return (int(image.width), int(image.height))


def luminance_of(data: bytes, name: str) -> NDArray[np.float32]:
    """Return the linear luminance [rows from above, columns], 0 to 1, clear parts as white.

    sRGB (IEC 61966-2-1).  Raises BadFile.
    """
    from PIL import Image

    whole = _loaded(data, name).convert("RGBA")
    ground = Image.new("RGBA", whole.size, "white")
    rgb = np.asarray(Image.alpha_composite(ground, whole).convert("RGB"))
    table = (light_of_codes(np.arange(256))[:, None] * WEIGHTS).astype(np.float32)
    return np.asarray(sum(table[rgb[..., n], n] for n in range(3)), dtype=np.float32)


def read_picture_file(data: bytes, name: str) -> Drawing:
    """Return a drawing that is one picture; without a resolution in the file its size is asked for.
    Raises BadFile.
    """
    image = _loaded(data, name)
    dpi = image.info.get("dpi") or (0, 0)
    known = all(isinstance(one, (int, float)) and 20 < one < 5000 for one in dpi) and len(dpi) == 2
    kx, ky = (25.4 / float(one) for one in dpi) if known else (PX_MM, PX_MM)
    size = (image.width * kx, image.height * ky)
    findings: tuple[DrawingFinding, ...] = ()
    if not known:
        says = tr(
            "It names no resolution: its dots are taken as px at 96 an inch. Check its width."
        )
        findings = (DrawingFinding("no size", says),)
    picture = Picture(PICTURE_GROUP, data, (0.0, 0.0), size)
    unit_mm = 0.0 if known else PX_MM
    return Drawing(name, "px", size, (), findings, unit_mm=unit_mm, pictures=(picture,))
