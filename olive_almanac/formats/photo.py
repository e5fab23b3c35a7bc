"""A phone's photo as bytes to pixels: what kind of file, how large, how much of it has arrived.

Opens no path by itself.

EXIF never turns the pixels: the marks on the coupon say which way is up.
"""

from __future__ import annotations

import io
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.errors import BadFile
from olive_almanac.core.words import tr

__all__ = ["Photo", "decode_photo", "suffix_of"]

HALF_FROM_MP, QUARTER_FROM_MP = 34, 136
MOST_MP_JPEG, MOST_MP_OTHER = 400, 120
LEAST_PX = 300
SOFTWARE = 0x0131  # the EXIF tag that names what made the picture
_HEIC = (b"heic", b"heix", b"hevc", b"mif1", b"msf1", b"avif")


@dataclass(frozen=True)
class Photo:
    """The pixels, BGR from the top row down, as stored; `size` is the whole picture's, `reduced` by
    how much it was decoded smaller; rows from `missing_from` on never arrived.
    """

    pixels: NDArray[np.uint8]
    size: tuple[int, int]
    reduced: int = 1
    f35: float | None = None
    missing_from: int | None = None
    simulated: bool = False  # taken by the stand-in's phone

    @property
    def says(self) -> tuple[str, ...]:
        if self.missing_from is None:
            return ()
        return (
            (
                tr(
                    "The file was cut off while it was copied: its lower part is missing. What "
                    "arrived is read; copy it again for the rest."
                )
            ),
        )


def _kind(data: bytes) -> str:
    if data[:3] == b"\xff\xd8\xff":
        return "jpeg"
    if data[:8] == b"\x89PNG\r\n\x1a\n":
        return "png"
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return "webp"
    if data[4:8] == b"ftyp" and data[8:12] in _HEIC:
        return "heic"
    return ""


def suffix_of(data: bytes) -> str:
    """Return the file ending that fits what the bytes are, "" for none that is known."""
    return {"jpeg": ".jpg", "png": ".png", "webp": ".webp", "heic": ".heic"}.get(_kind(data), "")


def decode_photo(data: bytes, name: str = tr("This file")) -> Photo:
    """Return the pixels of a photo.  Raises BadFile with what it is and what to do."""
    kind = _kind(data)
    if not kind:
        raise BadFile(
            tr(
                "{name} is not a picture that can be read (JPEG, PNG, WebP or HEIC). Choose "
                "the photo itself.",
                name=name,
            )
        )
    size, f35, image, simulated = _header(data, name, kind)
    megapixels = size[0] * size[1] / 1e6
    if kind == "jpeg":
        most = MOST_MP_JPEG
    else:
        most = MOST_MP_OTHER
    if megapixels > most:
        raise BadFile(
            tr(
                "{name} has {megapixels:.0f} megapixels; up to {most} are read. Save it smaller.",
                name=name,
                megapixels=megapixels,
                most=most,
            )
        )
    if min(size) < LEAST_PX:
        raise BadFile(
            tr(
                "{name} is only {size} × {size2} pixels: too small to read. Take the photo "
                "file, not its preview.",
                name=name,
                size=size[0],
                size2=size[1],
            )
        )
    if megapixels > QUARTER_FROM_MP:
        reduced = 4
    elif megapixels > HALF_FROM_MP:
        reduced = 2
    else:
        reduced = 1
    if kind == "heic":
        return Photo(_heic(image, name), size, 1, f35, simulated=simulated)
    cut_off = kind == "jpeg" and _is_cut_off(data)
    pixels = _quick(data, reduced)
    if pixels is None or cut_off:
        pixels = _patient(data, reduced, name)
    missing_from = _rows_there(pixels) if cut_off else None
    return Photo(pixels, size, reduced, f35, missing_from, simulated)


def _header(
    data: bytes, name: str, kind: str
) -> tuple[tuple[int, int], float | None, object, bool]:
    from PIL import Image

    if kind == "heic":
        import pillow_heif

        pillow_heif.register_heif_opener()
    Image.MAX_IMAGE_PIXELS = None  # the size is judged here, before anything is decoded
    try:
        image = Image.open(io.BytesIO(data))
        f35, simulated = None, False
        if kind in ("jpeg", "heic"):  # asking a PNG would decode it
            tags = image.getexif()
            simulated = "stand-in" in str(tags.get(SOFTWARE, ""))
            value = tags.get_ifd(0x8769).get(0xA405)
            if value:
                f35 = float(value)
    except Exception as problem:  # whatever a damaged header makes the decoder raise
        raise BadFile(
            tr(
                "{name} is damaged at its beginning and cannot be opened. Copy it from the "
                "phone again.",
                name=name,
            )
        ) from problem
    return image.size, f35, image, simulated


def _is_cut_off(data: bytes) -> bool:
    """True where a JPEG lacks its end mark; in coded data that mark can only be the end."""
    at = 2
    while at + 4 < len(data) and data[at] == 0xFF and data[at + 1] != 0xDA:
        at += 2 + int.from_bytes(data[at + 2 : at + 4], "big")
    return data.find(b"\xff\xd9", at) < 0


def _quick(data: bytes, reduced: int) -> NDArray[np.uint8] | None:
    import cv2

    flags = {1: cv2.IMREAD_COLOR, 2: cv2.IMREAD_REDUCED_COLOR_2, 4: cv2.IMREAD_REDUCED_COLOR_4}[
        reduced
    ]
    decoded = cv2.imdecode(np.frombuffer(data, np.uint8), flags | cv2.IMREAD_IGNORE_ORIENTATION)
    if decoded is None:
        return None
    return np.asarray(decoded, np.uint8)


def _patient(data: bytes, reduced: int, name: str) -> NDArray[np.uint8]:
    """Decode what has arrived of a file that is cut off; the rest is one flat grey."""
    from PIL import Image, ImageFile

    before = ImageFile.LOAD_TRUNCATED_IMAGES
    try:
        ImageFile.LOAD_TRUNCATED_IMAGES = True
        image = Image.open(io.BytesIO(data))
        if reduced > 1:
            image.draft("RGB", (image.width // reduced, image.height // reduced))
        return np.ascontiguousarray(np.asarray(image.convert("RGB"))[..., ::-1])
    except Exception as problem:
        raise BadFile(
            tr("{name} is damaged and cannot be decoded. Copy it from the phone again.", name=name)
        ) from problem
    finally:
        ImageFile.LOAD_TRUNCATED_IMAGES = before


def _heic(image: object, name: str) -> NDArray[np.uint8]:
    try:
        pixels = np.asarray(image.convert("RGB"))  # type: ignore[attr-defined]
        return np.ascontiguousarray(pixels[..., ::-1])
    except Exception as problem:
        raise BadFile(
            tr("{name} is damaged and cannot be decoded. Copy it from the phone again.", name=name)
        ) from problem


def _rows_there(pixels: NDArray[np.uint8]) -> int:
    """The first row from which on all is one flat colour."""
    flat = np.abs(np.diff(pixels[:, ::16].astype(np.int16), axis=1)).max(axis=(1, 2)) == 0
    if flat.all():
        return 0
    return int(len(flat) - np.argmin(flat[::-1]))
