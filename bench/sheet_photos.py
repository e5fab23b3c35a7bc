"""The rack: how true the outline of an offcut comes out of a photo with four printed marks.

Photos are rendered here, by a camera of this file's own that shares nothing with the reader:
offcuts of several shapes with grain and burns on several grounds, seen at up to 20 degrees.
Run alone: python -m bench.sheet_photos [COUNT [FIRST]]
"""

import io
import math
import sys

import cv2
import numpy as np
import shapely
from PIL import Image
from shapely.affinity import rotate, translate

from olive_almanac.core.photo.sheet import SHEET_MARK_IDS, SHEET_MARK_MM, read_sheet
from olive_almanac.core.placing.fiducials import MODULES, modules_of

COUNT, BAR_MM = 8, 1.0
PX_MM, PLANE_MM = 5.0, 620.0
LONG_PX, SHORT_PX = 4000, 3000
F35 = 27.0


def offcut(draw):
    """An outline: a sheet with straight edges, corners cut off or bites taken out of it."""
    wide, high = draw.uniform(180, 320), draw.uniform(120, 220)
    shape = shapely.box(-wide / 2, -high / 2, wide / 2, high / 2)
    kind = draw.integers(4)
    if kind == 1:
        x, y = draw.uniform(0, wide / 4), draw.uniform(0, high / 4)
        shape = shape.difference(shapely.box(x, y, wide, high))
    elif kind == 2:
        corner = [(wide / 2, -high / 2), (wide / 2 - 60, -high / 2), (wide / 2, -high / 2 + 45)]
        shape = shape.difference(shapely.Polygon(corner))
    elif kind == 3:
        at = (draw.uniform(-wide / 4, wide / 4), high / 2)
        shape = shape.difference(shapely.Point(at).buffer(draw.uniform(20, 40)))
    return rotate(shape, draw.uniform(-12, 12), origin=(0, 0))


def _canvas():
    side = int(PLANE_MM * PX_MM)
    return np.zeros((side, side, 3), np.float32)


def _fill(image, points, light):
    """Fill a polygon of mm; OpenCV adds half a pixel all around, which is taken off before."""
    inner = shapely.Polygon(points).buffer(-0.5 / PX_MM, join_style="mitre")
    xy = (np.array(inner.exterior.coords) * (1, -1) + PLANE_MM / 2) * PX_MM - 0.5
    cv2.fillPoly(
        image, [np.round(xy * 16).astype(np.int32).reshape(-1, 1, 2)], light, cv2.LINE_AA, 4
    )


def _grain(draw, base, strength):
    field = draw.standard_normal((40, 400)).astype(np.float32)
    side = int(PLANE_MM * PX_MM)
    lines = cv2.resize(field, (side, side), interpolation=cv2.INTER_CUBIC).T
    fine = draw.standard_normal((side // 2, side // 2)).astype(np.float32)
    fine = cv2.resize(fine, (side, side))
    light = 1 + strength * lines + 0.4 * strength * fine
    return np.ascontiguousarray(np.asarray(base, np.float32) * light[..., None], np.float32)


def _mark(image, mark_id, at, turn):
    """A printed mark on its piece of white paper."""
    half, paper = SHEET_MARK_MM / 2, SHEET_MARK_MM * 0.66
    c, s = math.cos(turn), math.sin(turn)
    world = np.array([[c, s], [-s, c]])
    square = np.array([(-paper, -paper), (paper, -paper), (paper, paper), (-paper, paper)])
    _fill(image, square @ world + at, (0.82,) * 3)
    fine = 40
    code = np.kron(~np.array(modules_of(mark_id)), np.ones((fine, fine))).astype(np.float32)
    code = np.pad(0.03 + 0.79 * code, fine, constant_values=0.82)
    px = SHEET_MARK_MM / MODULES / fine * PX_MM  # of the picture for one of the code
    corner = (np.array([(-half, half)]) @ world + at)[0]
    x0, y0 = (corner * (1, -1) + PLANE_MM / 2) * PX_MM - 0.5
    # code px (u, v), edges at whole numbers less a half, to picture px
    m = px * np.array([[c, s], [-s, c]])
    shift = np.array([x0, y0]) + m @ (0.5 - fine, 0.5 - fine)
    to = np.column_stack([m, shift])
    size = image.shape[1::-1]
    soft = cv2.GaussianBlur(code, (0, 0), 0.3 / px)
    seen = cv2.warpAffine(soft, to, size, flags=cv2.INTER_LINEAR, borderValue=-1)
    inside = cv2.warpAffine(np.ones_like(code), to, size, flags=cv2.INTER_LINEAR) > 0.999
    image[inside] = seen[inside][:, None]


def scene(seed):
    """Return a photo (JPEG bytes), the outline that is true, mm, and the thickness, mm."""
    draw = np.random.default_rng([5, seed])
    shape, thick = offcut(draw), draw.choice([1.5, 3.0, 6.0])
    grounds = ((0.10, 0.10, 0.11), (0.55, 0.56, 0.55), (0.22, 0.30, 0.20), (0.35, 0.2, 0.14))
    woods = ((0.35, 0.52, 0.66), (0.25, 0.42, 0.60), (0.55, 0.66, 0.74))
    ground = _grain(draw, grounds[draw.integers(4)], draw.uniform(0.01, 0.05))
    top = _grain(draw, woods[draw.integers(3)], draw.uniform(0.02, 0.06))
    middle = np.array(shape.centroid.coords[0])
    box = shapely.box(*shape.bounds)
    for n, mark_id in enumerate(SHEET_MARK_IDS):
        far = np.array(box.exterior.coords[n]) - middle
        at = middle + far * (1 + 62 / np.linalg.norm(far))
        _mark(ground, mark_id, at, draw.uniform(-0.4, 0.4))
    inner = shape.buffer(-25)
    for _ in range(draw.integers(0, 3)):
        x, y = inner.representative_point().coords[0]
        x, y = x + draw.uniform(-40, 40), y + draw.uniform(-20, 20)
        burn = shapely.box(x - 14, y - 9, x + 14, y + 9)
        if shape.buffer(-4).contains(burn):
            _fill(top, burn.exterior.coords, (0.05, 0.07, 0.09))
    mask = np.zeros(top.shape[:2], np.float32)
    _fill(mask, shape.exterior.coords, 1.0)
    shadow = cv2.GaussianBlur(np.roll(mask, (8, 10), (0, 1)), (0, 0), 6)
    ground *= (1 - draw.uniform(0.1, 0.45) * shadow)[..., None]
    picture = _seen(draw, ground, top, mask, thick)
    data = io.BytesIO()
    exif = Image.Exif()
    exif[0x8769] = {0xA405: round(F35)}
    Image.fromarray(picture[..., ::-1]).save(data, "JPEG", quality=88, exif=exif)
    return data.getvalue(), shape, float(thick)


def _seen(draw, ground, top, mask, thick):
    """The two planes through one pinhole with a little distortion of the corners' light."""
    focal = F35 / 43.267 * math.hypot(LONG_PX, SHORT_PX)
    tilt, pan, roll = draw.uniform(-0.3, 0.3), draw.uniform(-0.25, 0.25), draw.uniform(-0.2, 0.2)
    rx = np.array(
        [[1, 0, 0], [0, math.cos(tilt), -math.sin(tilt)], [0, math.sin(tilt), math.cos(tilt)]]
    )
    ry = np.array(
        [[math.cos(pan), 0, math.sin(pan)], [0, 1, 0], [-math.sin(pan), 0, math.cos(pan)]]
    )
    rz = np.array(
        [[math.cos(roll), -math.sin(roll), 0], [math.sin(roll), math.cos(roll), 0], [0, 0, 1]]
    )
    turn = rz @ rx @ ry
    far = draw.uniform(520, 640) * PLANE_MM / 620
    camera = np.array([[focal, 0, LONG_PX / 2], [0, focal, SHORT_PX / 2], [0, 0, 1]])
    size = (LONG_PX, SHORT_PX)

    def plane(height):
        """Texture px to photo px for a plane so high above the ground."""
        to_mm = np.array([[1 / PX_MM, 0, -PLANE_MM / 2], [0, 1 / PX_MM, -PLANE_MM / 2], [0, 0, 1]])
        pose = np.column_stack([turn[:, 0], turn[:, 1], turn @ (0, 0, -height) + (0, 0, far)])
        return camera @ pose @ to_mm

    seen = cv2.warpPerspective(ground, plane(0), size, flags=cv2.INTER_AREA)
    wall = cv2.warpPerspective(mask, plane(thick / 2), size, flags=cv2.INTER_AREA)
    cover = cv2.warpPerspective(mask, plane(thick), size, flags=cv2.INTER_AREA)
    face = cv2.warpPerspective(top, plane(thick), size, flags=cv2.INTER_AREA)
    seen = seen * (1 - 0.6 * wall)[..., None] + 0.6 * wall[..., None] * (0.1, 0.16, 0.22)
    seen = seen * (1 - cover[..., None]) + face * cover[..., None]
    y, x = np.mgrid[0:SHORT_PX, 0:LONG_PX].astype(np.float32)
    slope = (
        1
        + draw.uniform(-0.25, 0.25) * (x / LONG_PX - 0.5)
        + draw.uniform(-0.25, 0.25) * (y / SHORT_PX - 0.5)
    )
    r2 = ((x - LONG_PX / 2) ** 2 + (y - SHORT_PX / 2) ** 2) / (LONG_PX / 2) ** 2
    seen = seen * (slope * (1 - 0.18 * r2))[..., None]
    seen = cv2.GaussianBlur(seen.astype(np.float32), (0, 0), draw.uniform(0.7, 1.6))
    seen += 0.006 * draw.standard_normal(seen.shape, dtype=np.float32)
    linear = np.clip(seen, 0, 1)
    code = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    return np.round(255 * code).astype(np.uint8)


def off_mm(read, true):
    """The largest way between two outlines once they lie on each other as well as they can."""
    best = math.inf
    seen = shapely.Polygon(read)
    for turn in np.arange(4) * 90:
        placed = rotate(seen, turn, origin="centroid")
        placed = translate(placed, *(np.array(true.centroid.coords[0]) - placed.centroid.coords[0]))
        best = min(best, _fitted(placed, true))
    return best


def _fitted(seen, true):
    """Hausdorff distance after the best small turn and shift."""
    from scipy.optimize import minimize

    ring = np.array(seen.segmentize(3.0).exterior.coords)
    edge = true.exterior
    middle = np.array(seen.centroid.coords[0])

    def laid(p):
        c, s = math.cos(p[2] / 100), math.sin(p[2] / 100)
        return (ring - middle) @ np.array([[c, s], [-s, c]]) + middle + p[:2]

    def cost(p):
        return float((shapely.distance(shapely.points(laid(p)), edge) ** 2).mean())

    best = min(
        (minimize(cost, (0, 0, start), method="Nelder-Mead") for start in (-25, -12, 0, 12, 25)),
        key=lambda one: one.fun,
    )
    return shapely.Polygon(laid(best.x)).exterior.hausdorff_distance(edge)


def measure(count=COUNT, first=0, tell=None):
    from olive_almanac.formats.photo import decode_photo

    worst, unread = [], 0
    for seed in range(first, first + count):
        data, true, thick = scene(seed)
        picture = decode_photo(data)
        try:
            sight = read_sheet(picture.pixels, thickness_mm=thick, f35=picture.f35)
        except Exception as problem:
            if tell:
                tell(f"{seed}: {problem}")
            unread += 1
            continue
        off = off_mm(sight.outline_mm, true)
        if tell:
            tell(f"{seed}: {off:.2f} mm, {len(sight.used_mm)} used, thick {thick}, {sight.doubt}")
        worst.append(off)
    yield "outline of an offcut from a photo, worst place, mm (worst of all)", max(worst), BAR_MM
    yield "photos that were not read", float(unread), 0.5


if __name__ == "__main__":
    asked = [int(one) for one in sys.argv[1:]]
    for name, value, limit in measure(*asked, tell=lambda words: sys.stdout.write(f"{words}\n")):
        sys.stdout.write(f"{name}: {value:.3f} (limit {limit:g})\n")
