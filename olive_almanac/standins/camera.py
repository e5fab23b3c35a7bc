"""The stand-in camera: a phone that photographs a burnt coupon, with all that goes wrong when a
person holds it.

Perspective, lens distortion, uneven light, shadow, glare, something lying over the coupon, a cast
of colour, the phone's own tone curve, blur, noise, JPEG, and EXIF that tells how the phone was
held.  Twelve megapixels.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from PIL.ExifTags import IFD, Base

from olive_almanac.core.placing.fiducials import CARD_IDS, modules_of
from olive_almanac.core.placing.labels import Lettering
from olive_almanac.core.records.trial import Trial
from olive_almanac.standins.bench import BurntCell
from olive_almanac.standins.face import FULL, Face, light_of_lab, paint_face
from olive_almanac.standins.material import Hidden

__all__ = ["CARD_L", "Shot", "Snap", "photograph", "shot_of", "shot_of_place"]

WIDE, HIGH = 4032, 3024
LATTICE = 16
BAND = 378  # rows photographed at a time
BLUR_REACH = 12
NOISE_ROWS = 512
CARD_MM = (44.0, 14.0)  # a grey card: a mark at each end and three patches between them
CARD_L = (82.0, 52.0, 24.0)
CARD_SIZE_MM = 9.0
CARELESS = 0.3  # share of the photos of small places into which shadow or glare gets
CURVE_VARIES = 0.25  # of a phone's own, from picture to picture of like scenes
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Shot:
    """How a photo is taken: angles in degrees, k1 of the lens (normalised coordinates), light and
    faults.
    """

    f35: float = 26.0
    fill: float = 0.72  # share of the frame that the coupon takes
    tilt_deg: float = 0.0
    tilt_way_deg: float = 0.0
    roll_deg: float = 0.0
    shift: tuple[float, float] = (0.0, 0.0)  # of the coupon's middle, as shares of the frame
    k1: float = 0.0
    bow_mm: float = 0.0  # how far the middle of the coupon stands up
    slope: tuple[float, float] = (
        0.0,
        0.0,
    )  # change of light over the coupon, as a fraction across and up
    vignette: float = 0.15
    cast: tuple[float, float, float] = (1.0, 1.0, 1.0)
    exposure: float = 0.8
    curve: tuple[float, float] = (
        0.0,
        0.0,
    )  # the phone's own tone curve: contrast, lift of the shadows
    blur_px: float = 0.8
    noise: float = 0.006
    quality: int = 93
    orientation: int = 1  # EXIF
    shadow: tuple[float, float, float, float] | None = (
        None  # edge through (x, y) of the frame, its angle, how dark
    )
    glare: tuple[float, float, float, float] | None = (
        None  # x, y of the frame, radius as a share, strength
    )
    cover: tuple[tuple[float, float, float, float], tuple[float, float, float]] | None = (
        None  # box in coupon mm, Lab
    )
    ground: str = "table"
    card: bool = False
    light_table: bool = False


@dataclass(frozen=True)
class Snap:
    """A photo and the truth about it: where each place of the coupon lies in the stored picture."""

    jpeg: bytes
    shot: Shot
    lens: _Lens

    def pixel(self, x_mm: float, y_mm: float) -> tuple[float, float]:
        """Return the pixel, in the grid as stored, at which a place of the coupon (mm, seen from
        the front) lies.
        """
        x, y = self.lens.project(np.array([[x_mm, y_mm]]))[0]
        turned = {6: (y, WIDE - 1 - x), 8: (HIGH - 1 - y, x), 3: (WIDE - 1 - x, HIGH - 1 - y)}
        return turned.get(self.shot.orientation, (x, y))


def shot_of(
    seed: int, *, nuisances: bool, coupon_mm: tuple[float, float], shiny: bool = False
) -> Shot:
    """Return a way of taking the photo, as careful or careless as people are; `nuisances` adds
    shadow, glare, cover.
    """
    rng = np.random.default_rng([seed, 77])
    warm = rng.normal(0, 0.08)
    shadow = glare = cover = None
    if nuisances:
        kind = rng.choice(["shadow", "glare", "cover", "shadow", "two"])
        if kind in ("shadow", "two"):
            shadow = (
                float(rng.uniform(0.2, 0.8)),
                float(rng.uniform(0.2, 0.8)),
                float(rng.uniform(0, 360)),
                float(rng.uniform(0.35, 0.7)),
            )
        if kind in ("glare", "two") or (shiny and kind == "cover"):
            glare = (
                float(rng.uniform(0.25, 0.75)),
                float(rng.uniform(0.25, 0.75)),
                float(rng.uniform(0.05, 0.14)),
                float(rng.uniform(0.5, 2.5)),
            )
        if kind == "cover":
            x, y = rng.uniform(0.1, 0.75) * coupon_mm[0], rng.uniform(0.1, 0.75) * coupon_mm[1]
            if rng.random() < 0.5:
                colour = (62.0, 14.0, 16.0)
            else:
                colour = (24.0, 0.0, 0.0)
            cover = (
                (float(x), float(y), float(x + rng.uniform(8, 16)), float(y + rng.uniform(8, 30))),
                colour,
            )
    return Shot(
        f35=float(rng.choice([24.0, 26.0, 28.0])),
        fill=float(rng.uniform(0.58, 0.85)),
        tilt_deg=float(rng.uniform(0, 24)),
        tilt_way_deg=float(rng.uniform(0, 360)),
        roll_deg=float(rng.normal(0, 9) + rng.choice([0, 0, 0, 90, 180, 270])),
        shift=(float(rng.uniform(-0.05, 0.05)), float(rng.uniform(-0.05, 0.05))),
        k1=float(rng.uniform(-0.06, 0.04)),
        slope=(float(rng.normal(0, 0.14)), float(rng.normal(0, 0.14))),
        vignette=float(rng.uniform(0.05, 0.3)),
        cast=(1 + warm, 1.0, 1 - warm + float(rng.normal(0, 0.02))),
        exposure=float(rng.uniform(0.62, 0.92)),
        curve=(float(rng.normal(0, 0.06)), float(rng.normal(0, 0.02))),
        blur_px=float(rng.uniform(0.6, 1.5)),
        noise=float(rng.uniform(0.003, 0.010)),
        quality=int(rng.integers(86, 96)),
        orientation=int(rng.choice([1, 1, 3, 6, 8])),
        shadow=shadow,
        glare=glare,
        cover=cover,
    )


def shot_of_place(
    seed: int, phone: int, *, nuisances: bool, coupon_mm: tuple[float, float], shiny: bool = False
) -> Shot:
    """Return a way of taking one of several photos in a row: all by one phone (by its number),
    whose curve is its own and differs little from picture to picture.  `nuisances` get into few.
    """
    careless = np.random.default_rng([seed, 80]).random() < CARELESS
    shot = shot_of(seed, nuisances=nuisances and careless, coupon_mm=coupon_mm, shiny=shiny)
    own = np.random.default_rng([phone, 79])
    f35, contrast, lift = own.choice([24.0, 26.0, 28.0]), own.normal(0, 0.06), own.normal(0, 0.02)
    curve = (
        float(contrast + CURVE_VARIES * shot.curve[0]),
        float(lift + CURVE_VARIES * shot.curve[1]),
    )
    return replace(shot, f35=float(f35), curve=curve)


class _Lens:
    """From coupon mm to pixels: the coupon lies in a plane, perhaps bowed; the camera looks down at
    its middle.
    """

    def __init__(self, shot: Shot, size_mm: tuple[float, float], side: str) -> None:
        self.shot, self.size, self.side = shot, size_mm, side
        self.f = shot.f35 / 36 * WIDE
        turn, tilt, way = (
            math.radians(v) for v in (shot.roll_deg, shot.tilt_deg, shot.tilt_way_deg)
        )

        def about_z(angle: float) -> Floats:
            return np.array(
                [
                    [math.cos(angle), -math.sin(angle), 0],
                    [math.sin(angle), math.cos(angle), 0],
                    [0, 0, 1],
                ]
            )

        about_x = np.array(
            [[1, 0, 0], [0, math.cos(tilt), -math.sin(tilt)], [0, math.sin(tilt), math.cos(tilt)]]
        )
        flip = np.diag([1.0, -1.0, -1.0])  # the camera's y goes down, its z into the scene
        self.turned = about_z(turn) @ about_z(way) @ about_x @ about_z(-way) @ flip
        span = np.array([[x, y, 0.0] for x in (-0.5, 0.5) for y in (-0.5, 0.5)]) * (*size_mm, 0)
        seen = span @ self.turned.T
        reach = max(np.abs(seen[:, 0]).max() / (WIDE / 2), np.abs(seen[:, 1]).max() / (HIGH / 2))
        self.far = self.f * reach / shot.fill + abs(seen[:, 2]).max() * 0.5
        self.middle = np.array(
            [(WIDE - 1) / 2 + shot.shift[0] * WIDE, (HIGH - 1) / 2 + shot.shift[1] * HIGH]
        )

    @property
    def eye_mm(self) -> tuple[float, float, float]:
        """Where the camera stands, coupon mm seen on this side, and its height."""
        at = self.turned.T @ np.array([0, 0, -self.far])
        return (float(at[0] + self.size[0] / 2), float(at[1] + self.size[1] / 2), float(abs(at[2])))

    def project(self, mm: Floats) -> Floats:
        """Return the pixel of places in coupon mm as counted from the front, [n, 2]."""
        if self.side == "back":
            x = self.size[0] - mm[:, 0]
        else:
            x = mm[:, 0]
        return self.project_face(np.column_stack([x, mm[:, 1]]))

    def project_face(self, mm: Floats) -> Floats:
        u = (mm - np.array(self.size) / 2) / (np.array(self.size) / 2)
        up = self.shot.bow_mm * np.clip(1 - (u**2).sum(1) / 2, -1, 1)
        points = np.column_stack([mm - np.array(self.size) / 2, up]) @ self.turned.T
        flat = points[:, :2] / (points[:, 2:] + self.far)
        r2 = (flat**2).sum(1, keepdims=True)
        return np.asarray(flat * (1 + self.shot.k1 * r2) * self.f + self.middle, float)

    def face_mm(self, pixels: Floats) -> Floats:
        """Return the place on the face (mm, as seen on this side) at each pixel: project_face
        turned round by steps.
        """
        mm = np.tile(np.array(self.size) / 2, (len(pixels), 1))
        flat = (pixels - self.middle) / self.f
        straight = flat.copy()
        for _ in range(4):
            straight = flat / (1 + self.shot.k1 * (straight**2).sum(1, keepdims=True))
        height = np.zeros(len(pixels))
        for _ in range(3 if self.shot.bow_mm else 1):
            rays = np.column_stack([straight, np.ones(len(pixels))]) @ self.turned
            centre = -self.far * (self.turned.T @ np.array([0.0, 0.0, 1.0]))
            t = (height - centre[2]) / rays[:, 2]
            mm = centre[:2] + t[:, None] * rays[:, :2] + np.array(self.size) / 2
            u = (mm - np.array(self.size) / 2) / (np.array(self.size) / 2)
            height = self.shot.bow_mm * np.clip(1 - (u**2).sum(1) / 2, -1, 1)
        return mm


def photograph(
    trial: Trial,
    burnt: tuple[BurntCell, ...],
    hidden: Hidden,
    lettering: Lettering,
    *,
    seed: int,
    side: str = "front",
    nuisances: bool = True,
    shot: Shot | None = None,
) -> Snap:
    """Photograph a burnt coupon; the same seed gives the same bytes."""
    size = (trial.coupon.width_mm, trial.coupon.height_mm)
    rng = np.random.default_rng([seed, 78])
    if shot is None:
        shot = shot_of(
            seed, nuisances=nuisances, coupon_mm=size, shiny="gloss" in trial.stock.finish
        )
    if side == "back" and shot.ground == "table":
        shot = replace(shot, ground="paper")
    elif side not in ("front", "back"):  # one place of a sheet, with the sheet around it
        side, shot = "front", replace(shot, ground="sheet")
    lens = _Lens(shot, size, side)
    face = paint_face(
        trial, burnt, hidden, lettering, ground=shot.ground, side=side, eye_mm=lens.eye_mm, rng=rng
    )
    return Snap(_with_exif(_developed(face, shot, lens, rng), shot), shot, lens)


def _developed(face: Face, shot: Shot, lens: _Lens, rng: np.random.Generator) -> NDArray[np.uint8]:
    """The 8-bit picture, upright as the sensor sees it (BGR)."""
    nx, ny = WIDE // LATTICE + 2, HIGH // LATTICE + 2
    gx, gy = np.meshgrid(np.arange(nx) * LATTICE, np.arange(ny) * LATTICE)
    if shot.card:
        face = _with_card(face)
    mm = lens.face_mm(np.column_stack([gx.ravel(), gy.ravel()]).astype(float)).reshape(ny, nx, 2)
    spots = np.stack(
        [
            (mm[..., 0] - face.left_mm) * face.px_mm - 0.5,
            (face.top_mm - mm[..., 1]) * face.px_mm - 0.5,
        ],
        -1,
    ).astype(np.float32)
    if shot.cover is not None:
        face = _with_cover(face, shot)
    flat = (np.stack([gx, gy], -1) - lens.middle) / WIDE
    shine = _shine(shot, mm, flat, lens).astype(np.float32)
    curve = _curve(shot)
    out = np.empty((HIGH, WIDE, 3), np.uint8)
    rough = rng.standard_normal((NOISE_ROWS, NOISE_ROWS, 3)) * (
        255 * 0.9 * shot.noise
    )  # after the curve noise is nearly even
    noise = np.tile(np.round(rough).astype(np.int16), (1, WIDE // NOISE_ROWS + 1, 1))[:, :WIDE]
    ground = tuple(v * FULL for v in face.ground)
    gains = [np.float32(c * shot.exposure) for c in shot.cast]
    for top in range(0, HIGH, BAND):
        y0, y1 = max(0, top - BLUR_REACH), min(HIGH, top + BAND + BLUR_REACH)
        where, lit = _fine(spots, y0, y1), _fine(shine, y0, y1)
        seen = cv2.remap(
            face.light,
            where,
            None,
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=ground,
        )
        band = cv2.multiply(
            seen, cv2.merge([lit[..., 0] * gain for gain in gains]), dtype=cv2.CV_16U
        )
        if shot.glare is not None:
            band = cv2.add(
                band, cv2.merge([lit[..., 1] * (gain * FULL) for gain in gains]), dtype=cv2.CV_16U
            )
        band = cv2.GaussianBlur(band, (0, 0), shot.blur_px)
        band = band[top - y0 : top - y0 + min(BAND, HIGH - top)]
        codes = curve.take(band, mode="clip").astype(np.int16)
        codes += noise[(np.arange(top, top + len(band)) * 7 // 5) % NOISE_ROWS]
        out[top : top + len(band)] = np.clip(codes, 0, 255)[..., ::-1]
    return out


def _fine(lattice: NDArray[np.float32], y0: int, y1: int) -> NDArray[np.float32]:
    """The lattice's values at every pixel of rows y0 to y1, between its knots by straight lines."""
    x, y = (
        np.arange(WIDE, dtype=np.float32) / LATTICE,
        np.arange(y0, y1, dtype=np.float32) / LATTICE,
    )
    first = int(y[0])
    part = lattice[first : int(y[-1]) + 2]
    gx, gy = np.meshgrid(x, y - first)
    return np.asarray(cv2.remap(part, gx, gy, cv2.INTER_LINEAR), np.float32)


def _shine(shot: Shot, mm: Floats, flat: Floats, lens: _Lens) -> Floats:
    """How strongly each place is lit, and what glare adds, on the lattice."""
    u = (mm - np.array(lens.size) / 2) / np.array(lens.size)
    lit = np.exp(np.clip(shot.slope[0] * u[..., 0] + shot.slope[1] * u[..., 1], -1, 1))
    lit *= 1 - shot.vignette * (flat**2).sum(-1) / 0.39
    added = np.zeros(lit.shape)
    place = flat + 0.5
    if shot.shadow is not None:
        x, y, angle, dark = shot.shadow
        side = (place[..., 0] - x) * math.cos(math.radians(angle)) + (
            place[..., 1] - y * 0.75
        ) * math.sin(math.radians(angle))
        lit *= 1 - dark / (1 + np.exp(-side / 0.012))
    if shot.glare is not None:
        x, y, radius, strong = shot.glare
        d2 = (place[..., 0] - x) ** 2 + (place[..., 1] - 0.125 - y * 0.75) ** 2
        added += strong * np.exp(-d2 / (2 * (radius / 2) ** 2))
    if shot.light_table:
        lit *= 0.25
    return np.stack([np.maximum(lit, 0.02), added], -1)


def _curve(shot: Shot) -> NDArray[np.uint8]:
    """8-bit code of each linear value (0 to 65535): sRGB, bent as a phone bends it."""
    x = np.arange(FULL + 1) / FULL
    code = np.where(x <= 0.0031308, 12.92 * x, 1.055 * x ** (1 / 2.4) - 0.055)
    contrast, lift = shot.curve
    code = code + contrast * np.sin(2 * np.pi * (code - 0.5)) * -0.16 + lift * (1 - code) ** 3
    return np.asarray(np.clip(np.round(255 * np.maximum.accumulate(code)), 0, 255), np.uint8)


def _with_cover(face: Face, shot: Shot) -> Face:
    """Something lies over the coupon: a finger, a strap."""
    assert shot.cover is not None
    (x0, y0, x1, y1), lab = shot.cover
    left, right = ((v - face.left_mm) * face.px_mm for v in (x0, x1))
    top, foot = ((face.top_mm - v) * face.px_mm for v in (y1, y0))
    mask = np.zeros(face.light.shape[:2], np.uint8)
    middle = (round((left + right) / 2), round((top + foot) / 2))
    cv2.ellipse(
        mask,
        middle,
        (max(1, round((right - left) / 2)), max(1, round((foot - top) / 2))),
        0,
        0,
        360,
        255,
        -1,
    )
    share = cv2.GaussianBlur(mask, (0, 0), 0.3 * face.px_mm).astype(np.float32)[..., None] / 255
    covered = face.light + share * (light_of_lab(*lab) * FULL - face.light)
    return replace(face, light=np.asarray(covered, np.uint16))


def _with_card(face: Face) -> Face:
    """A grey card laid along the upper edge of the sheet, on the ground beside it."""
    s = face.px_mm
    wide, high, gap = round(CARD_MM[0] * s), round(CARD_MM[1] * s), round(2.0 * s)
    size, inset = round(CARD_SIZE_MM * s), round((CARD_MM[1] - CARD_SIZE_MM) / 2 * s)
    card = np.full((high, wide, 3), 0.85 * FULL, np.float32)
    for mark, left in zip(CARD_IDS, (inset, wide - inset - size), strict=True):
        square = cv2.resize(
            np.array(modules_of(mark), np.uint8), (size, size), interpolation=cv2.INTER_NEAREST
        ).astype(bool)
        card[inset : inset + size, left : left + size][square] = 0.03 * FULL
    step = (wide - 2 * (2 * inset + size)) / len(CARD_L)
    for n, lightness in enumerate(CARD_L):
        left = round(2 * inset + size + n * step)
        card[inset : high - inset, left : round(left + step)] = light_of_lab(lightness) * FULL
    ground = tuple(v * FULL for v in face.ground)
    grown = cv2.copyMakeBorder(
        face.light,
        high + gap,
        0,
        0,
        max(0, wide - face.light.shape[1]),
        cv2.BORDER_CONSTANT,
        value=ground,
    )
    left = (grown.shape[1] - wide) // 2
    grown[:high, left : left + wide] = card
    return replace(face, light=grown, top_mm=face.top_mm + (high + gap) / s)


def _with_exif(picture: NDArray[np.uint8], shot: Shot) -> bytes:
    """JPEG with the orientation and the focal length; the pixels are stored as the phone
    was held.
    """
    turned = {6: cv2.ROTATE_90_COUNTERCLOCKWISE, 3: cv2.ROTATE_180, 8: cv2.ROTATE_90_CLOCKWISE}.get(
        shot.orientation
    )
    if turned is None:
        stored = picture
    else:
        stored = cv2.rotate(picture, turned)
    done, coded = cv2.imencode(".jpg", stored, [cv2.IMWRITE_JPEG_QUALITY, shot.quality])
    assert done
    exif = Image.Exif()
    exif[Base.Orientation] = shot.orientation
    exif[Base.Software] = "Olive Almanac stand-in"  # so that it never passes for a real photo
    exif.get_ifd(IFD.Exif)[Base.FocalLengthIn35mmFilm] = round(shot.f35)
    tags = exif.tobytes()
    raw: bytes = coded.tobytes()
    return raw[:2] + b"\xff\xe1" + (len(tags) + 2).to_bytes(2, "big") + tags + raw[2:]
