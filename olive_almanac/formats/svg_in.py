"""Read an SVG drawing: shapes and path data to exact lines in mm, y up, by layer and colour.

Names, units and rules are those of SVG 1.1 (W3C Recommendation, 16 August 2011).  Nothing outside
the file is ever looked at; entities are refused.
"""

from __future__ import annotations

import base64
import itertools
import math
import re
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from xml.etree import ElementTree
from xml.parsers import expat

from olive_almanac.core.errors import BadFile
from olive_almanac.core.quoting.paths import (
    IDENTITY,
    Affine,
    arc_through,
    is_finite,
    mapped,
    on,
    raised,
    times,
)
from olive_almanac.core.records.drawing import (
    Arc,
    ContourPath,
    Cubic,
    Drawing,
    DrawingFinding,
    FindingKind,
    Picture,
    Piece,
    Polyline,
)
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.formats.drawing_tally import DrawingTally
from olive_almanac.formats.picture_in import PICTURE_GROUP, size_px

__all__ = ["colour_of", "read_svg"]

Point = tuple[float, float]
Chain = tuple[tuple[Piece, ...], bool]  # pieces, closed
PX_MM = 25.4 / 96
UNIT_MM = {
    "": PX_MM,
    "px": PX_MM,
    "mm": 1.0,
    "cm": 10.0,
    "in": 25.4,
    "pt": 25.4 / 72,
    "pc": 25.4 / 6,
    "q": 0.25,
}
# none goes back over what it has taken or begins anew amid it: long rubbish takes no longer
NUMBER = r"[-+]?(?:\d++\.?\d*+|\.\d++)(?:[eE][-+]?\d++)?"
NUMBERS = re.compile(NUMBER)
LENGTH = re.compile(rf"\s*+({NUMBER})\s*+(mm|cm|in|pt|pc|px|q|%)?\s*+$", re.IGNORECASE)
TOKENS = re.compile(rf"([MmZzLlHhVvCcSsQqTtAa])|({NUMBER})")
TRANSFORMS = re.compile(r"(?<!\w)(\w++)\s*+\(([^()]*+)\)")
RULES = re.compile(r"(?<![^{}])([^{}]++)\{([^{}]*+)\}")
TAKES = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "T": 2, "A": 7}
PAINT = ("stroke", "fill", "display", "visibility")
NOT_DRAWN = {
    *("defs", "clipPath", "mask", "symbol", "marker", "pattern", "metadata", "style", "title"),
    *("desc", "linearGradient", "radialGradient", "filter", "script", "namedview"),
}
NAMED = {
    "black": "#000000",
    "white": "#ffffff",
    "red": "#ff0000",
    "lime": "#00ff00",
    "green": "#008000",
    "blue": "#0000ff",
    "yellow": "#ffff00",
    "cyan": "#00ffff",
    "aqua": "#00ffff",
    "magenta": "#ff00ff",
    "fuchsia": "#ff00ff",
    "orange": "#ffa500",
    "purple": "#800080",
    "grey": "#808080",
    "gray": "#808080",
    "navy": "#000080",
    "maroon": "#800000",
    "teal": "#008080",
    "olive": "#808000",
    "silver": "#c0c0c0",
}
DEEPEST = 60  # groups in groups, and uses of uses
PARSED_AT_ONCE = 100_000  # bytes


def read_svg(data: bytes, name: str) -> Drawing:
    """Return the drawing in the bytes of an SVG file, without a hash.

    Raises BadFile where nothing can be read or the file is not safe to read.
    """
    _refuse_entities(data, name)
    try:
        root = _parsed(data)
    except ElementTree.ParseError as problem:
        line, column = problem.position
        raise BadFile(
            tr(
                "{name} is not whole: line {line}, column {column} cannot be read. Save it again.",
                name=name,
                line=line,
                column=column,
            )
        ) from problem
    except (ValueError, LookupError, RecursionError) as problem:
        raise BadFile(
            tr("{name} cannot be read as a drawing. Save it again as SVG.", name=name)
        ) from problem
    if _tag(root) != "svg":
        raise BadFile(
            tr(
                "{name} is no SVG drawing: it begins with “{root}”.",
                name=name,
                root=_tag(root)[:40],
            )
        )
    return _Reader(root, name).read()


def _parsed(data: bytes) -> ElementTree.Element:
    """The document, parsed in pieces: a thread that does it lets others come in between."""
    parser = ElementTree.XMLParser()
    for at in range(0, len(data), PARSED_AT_ONCE):
        parser.feed(data[at : at + PARSED_AT_ONCE])
    root: ElementTree.Element = parser.close()
    return root


class _Refused(Exception):
    """Entities are declared."""


def _refuse_entities(data: bytes, name: str) -> None:
    """Look at what comes before the first element: declared entities can grow without end, or pull
    in other files.
    """

    def declared(*_: object) -> None:
        raise _Refused

    def begun(*_: object) -> None:
        raise StopIteration

    parser = expat.ParserCreate()
    parser.EntityDeclHandler = declared
    parser.StartElementHandler = begun
    try:
        parser.Parse(data, True)
    except _Refused:
        raise BadFile(
            tr("{name} declares entities, which are not followed. Save it as plain SVG.", name=name)
        ) from None
    except (StopIteration, expat.ExpatError, ValueError, LookupError):
        return  # what is wrong is told by the reader itself


def _tag(element: ElementTree.Element) -> str:
    return element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""


def _length(text: str | None, unit_mm: float = PX_MM) -> float | None:
    """Return a length in units of `unit_mm` each, or None where it is none or relative."""
    found = LENGTH.match(text or "")
    if not found or found[2] == "%":
        return None
    value = float(found[1]) * UNIT_MM[(found[2] or "").lower()] / unit_mm
    return value if math.isfinite(value) and abs(value) < 1e7 else None


def _transform(text: str | None) -> Affine:
    """Return the map of a transform attribute; what is unknown or incomplete changes nothing."""
    whole = IDENTITY
    for name, words in TRANSFORMS.findall(text or ""):
        values = [float(word) for word in NUMBERS.findall(words)]
        step = _one_transform(name, values)
        if step is not None and all(map(math.isfinite, step)):
            whole = times(whole, step)
    return whole


def _one_transform(name: str, a: list[float]) -> Affine | None:
    if name == "matrix" and len(a) == 6:
        return (a[0], a[1], a[2], a[3], a[4], a[5])
    if not a:
        return None
    if name == "translate":
        return (1, 0, 0, 1, a[0], a[1] if len(a) > 1 else 0.0)
    if name == "scale":
        return (a[0], 0, 0, a[1] if len(a) > 1 else a[0], 0, 0)
    if name == "rotate":
        c, s = math.cos(math.radians(a[0])), math.sin(math.radians(a[0]))
        x, y = (a[1], a[2]) if len(a) > 2 else (0.0, 0.0)
        return (c, s, -s, c, x - c * x + s * y, y - s * x - c * y)
    if name == "skewX":
        return (1, 0, math.tan(math.radians(a[0])), 1, 0, 0)
    if name == "skewY":
        return (1, math.tan(math.radians(a[0])), 0, 1, 0, 0)
    return None


def _counted(key: str, count: int) -> str:
    """How many of what was met, in words."""
    if key == "text":
        return count_text(count, "line")
    if key == "image":
        return count_text(count, "picture")
    if key == "use":
        return count_text(count, "copy", "copies")
    return count_text(count, "object")


def _declarations(text: str) -> dict[str, str]:
    """Return "stroke:red;fill:none" as what is painted."""
    pairs = (part.partition(":") for part in text.split(";"))
    return {
        key.strip(): value.replace("!important", "").strip()
        for key, _, value in pairs
        if key.strip() in PAINT and value.strip()
    }


def colour_of(text: str) -> str:
    """Return a colour as "#rrggbb", or the words as they are."""
    plain = text.lower().replace(" ", "")
    if re.fullmatch(r"#[0-9a-f]{3}", plain):
        return "#" + "".join(2 * letter for letter in plain[1:])
    parts = re.fullmatch(r"rgb\(([\d.]+%?),([\d.]+%?),([\d.]+%?)\)", plain)
    if parts:
        return "#" + "".join(f"{_level(part):02x}" for part in parts.groups())
    return NAMED.get(plain, plain)


def _level(text: str) -> int:
    """Return "128" or "50%" as a level of 0 to 255."""
    number = NUMBERS.match(text)
    value = float(number[0]) if number else 0.0
    return round(min(255.0, 2.55 * value if text.endswith("%") else value))


@dataclass
class _Reader:
    """Walks one document."""

    root: ElementTree.Element
    name: str
    paths: list[ContourPath] = field(default_factory=list)
    pictures: list[Picture] = field(default_factory=list)
    findings: list[DrawingFinding] = field(default_factory=list)
    counts: Counter[str] = field(default_factory=Counter)
    rules: dict[str, dict[str, str]] = field(default_factory=dict)
    tally: DrawingTally = field(default_factory=DrawingTally)
    shapes: dict[int, list[Chain]] = field(default_factory=dict)  # by element: copies share it

    def read(self) -> Drawing:
        size, unit, page = self._page()
        self.ids = {one.get("id", ""): one for one in self.root.iter() if one.get("id") is not None}
        for element in self.root.iter():
            if _tag(element) == "style":
                self._take_rules(element.text or "")
        self._walk(self.root, page, {}, "", 0, True)
        self._tell_counts()
        if not self.paths and not self.counts and not self.pictures:
            raise BadFile(tr("{name} holds no lines.", name=self.name))
        asked = any(one.kind in ("pixels", "no size") for one in self.findings)
        paths, findings = tuple(self.paths), tuple(self.findings)
        unit_mm = PX_MM if asked else 0.0
        pictures = tuple(self.pictures)
        return Drawing(self.name, unit, size, paths, findings, unit_mm=unit_mm, pictures=pictures)

    def _page(self) -> tuple[Point | None, str, Affine]:
        """The size of the page in mm, how lengths are written, and the map of its units into mm
        with y up.
        """
        root = self.root
        width, height = (_length(root.get(side), 1.0) for side in ("width", "height"))
        box = [float(word) for word in NUMBERS.findall(root.get("viewBox") or "")]
        if len(box) != 4 or not (0 < box[2] < 1e7 and 0 < box[3] < 1e7):
            self._find(
                "pixels", tr("Its lengths are in px, taken at 96 an inch: check one length.")
            )
            high = height or 0.0
            size = (width, height) if width and height else None
            return size, tr("px at 96 an inch"), (PX_MM, 0, 0, -PX_MM, 0, high)
        if not width and not height:
            says = tr(
                "It gives no size: its units are taken as px at 96 an inch. Check one length."
            )
            self._find("no size", says)
            width, height = box[2] * PX_MM, box[3] * PX_MM
        width = width or (height or 0.0) * box[2] / box[3]
        height = height or width * box[3] / box[2]
        kx, ky = width / box[2], height / box[3]
        left, low = -kx * box[0], height + ky * box[1]
        fit = (root.get("preserveAspectRatio") or "").split(" ")[0]
        if abs(kx - ky) > 1e-6 * kx and fit != "none":
            k = min(kx, ky)
            left = (width - k * box[2]) / 2 - k * box[0]
            low = height - (height - k * box[3]) / 2 + k * box[1]
            kx = ky = k
        unit = "mm" if abs(kx - 1) < 1e-9 else tr("{kx:.6g} mm a unit", kx=kx)
        return (width, height), unit, (kx, 0, 0, -ky, left, low)

    def _find(self, kind: FindingKind, says: str) -> None:
        self.findings.append(DrawingFinding(kind, says))

    def _tell_counts(self) -> None:
        if self.tally.says:
            self._find("left out", self.tally.says)
        told: tuple[tuple[str, FindingKind, str], ...] = (
            ("text", "text", tr("{} of text: not outlines, so they are left out.")),
            ("image", "picture", tr("{} left out: turned, or not in the file itself.")),
            ("hidden", "hidden", tr("{} hidden and left out.")),
            ("invisible", "left out", tr("{} without line or fill left out.")),
            ("foreignObject", "left out", tr("{} of another kind left out.")),
            ("use", "left out", tr("{} of something that is not there, or of itself, left out.")),
            (
                "number",
                "damaged",
                tr("{} with numbers that cannot be read, left out from there on."),
            ),
        )
        for key, kind, says in told:
            count = self.counts[key]
            if count:
                self._find(kind, says.format(_counted(key, count)))

    def _take_rules(self, text: str) -> None:
        """Keep what a style sheet says of classes, ids and elements; other selectors are not
        followed.
        """
        first, *others = text.split("/*")
        bare = first + "".join(other.partition("*/")[2] for other in others)
        for selectors, words in RULES.findall(bare):
            said = _declarations(words)
            for selector in selectors.split(","):
                self.rules.setdefault(selector.strip(), {}).update(said)

    def _style(self, element: ElementTree.Element, inherited: Mapping[str, str]) -> dict[str, str]:
        style = dict(inherited)
        style.pop("display", None)  # it is not inherited: a hidden group is not walked at all
        for key in PAINT:
            if element.get(key):
                style[key] = (element.get(key) or "").strip()
        if self.rules:
            classes = (element.get("class") or "").split()
            keys = (_tag(element), *(f".{one}" for one in classes), f"#{element.get('id')}")
            for key in keys:
                style |= self.rules.get(key, {})
        return style | _declarations(element.get("style") or "")

    def _walk(
        self,
        element: ElementTree.Element,
        m: Affine,
        style: Mapping[str, str],
        layer: str,
        depth: int,
        is_root: bool = False,
    ) -> None:
        tag = _tag(element)
        if self.tally.is_full:
            return
        self.tally.add_object()
        if depth > DEEPEST:
            self.counts["use"] += 1
            return
        if tag in NOT_DRAWN:
            return
        own = self._style(element, style)
        if own.get("display") == "none" or own.get("visibility") in ("hidden", "collapse"):
            self.counts["hidden"] += 1
            return
        m = times(m, _transform(element.get("transform")))
        if tag in ("svg", "g", "a", "switch"):
            if tag == "svg" and not is_root:
                x, y = (_length(element.get(key)) or 0.0 for key in ("x", "y"))
                m = times(m, (1, 0, 0, 1, x, y))
            if tag == "g":
                layer = _layer_name(element) or layer
            for child in element:
                self._walk(child, m, own, layer, depth + 1)
        elif tag == "use":
            self._use(element, m, own, layer, depth)
        elif tag == "image":
            self._take_image(element, m, layer)
        elif tag in ("text", "foreignObject"):
            self.counts[tag] += 1
        else:
            self._take(element, tag, m, own, layer)

    def _take_image(self, element: ElementTree.Element, m: Affine, layer: str) -> None:
        """A picture that lies in the file itself and is not turned; others are left out."""
        href = next((v for k, v in element.attrib.items() if k.rpartition("}")[2] == "href"), "")
        head, _, text = href.partition(",")
        kept = head.startswith("data:image/") and head.endswith(";base64")
        wide, high = (_length(element.get(key)) for key in ("width", "height"))
        upright = abs(m[1]) < 1e-9 and abs(m[2]) < 1e-9 and m[0] > 0 > m[3]
        if not (kept and wide and high and upright):
            self.counts["image"] += 1
            return
        try:
            data = base64.b64decode(text, validate=False)
            pixels = size_px(data, self.name)
        except (ValueError, BadFile):
            self.counts["image"] += 1
            return
        x, y = (_length(element.get(key)) or 0.0 for key in ("x", "y"))
        if (element.get("preserveAspectRatio") or "").split(" ")[0] != "none":
            scale = min(wide / pixels[0], high / pixels[1])
            x, y = x + (wide - scale * pixels[0]) / 2, y + (high - scale * pixels[1]) / 2
            wide, high = scale * pixels[0], scale * pixels[1]
        corner = on(m, (x, y + high))
        size = (m[0] * wide, -m[3] * high)
        if all(map(math.isfinite, (*corner, *size))) and min(size) > 0:
            self.pictures.append(Picture(layer or PICTURE_GROUP, data, corner, size))

    def _use(
        self,
        element: ElementTree.Element,
        m: Affine,
        style: Mapping[str, str],
        layer: str,
        depth: int,
    ) -> None:
        ref = next((v for k, v in element.attrib.items() if k.rpartition("}")[2] == "href"), "")
        target = self.ids.get(ref[1:]) if ref.startswith("#") else None
        if target is None:
            self.counts["use"] += 1
            return
        x, y = (_length(element.get(key)) or 0.0 for key in ("x", "y"))
        m = times(m, (1, 0, 0, 1, x, y))
        with self.tally.copy():
            if _tag(target) == "symbol":
                for child in target:
                    self._walk(child, m, style, layer, depth + 1)
            else:
                self._walk(target, m, style, layer, depth + 5)

    def _take(
        self,
        element: ElementTree.Element,
        tag: str,
        m: Affine,
        style: Mapping[str, str],
        layer: str,
    ) -> None:
        try:
            chains = self._chains(tag, element)
        except (ValueError, OverflowError):
            self.counts["number"] += 1
            return
        if not chains:
            return
        fill, stroke = style.get("fill", "#000000"), style.get("stroke", "none")
        drawn = stroke not in ("none", "transparent")
        painted = fill not in ("none", "transparent")
        if not drawn and not painted:
            self.counts["invisible"] += 1
            return
        colour = colour_of(stroke if drawn else fill)
        group = f"{layer} / {colour}" if layer else colour
        for pieces, closed in chains:
            if not all(map(is_finite, pieces)):
                self.counts["number"] += 1
                continue
            lines = tuple(mapped(piece, m) for piece in pieces)
            if all(map(is_finite, lines)):
                filled = painted and not drawn
                self.paths.append(ContourPath(group, lines, closed, filled, element.get("id", tag)))
                self.tally.add_path(lines)

    def _chains(self, tag: str, element: ElementTree.Element) -> list[Chain]:
        """The chains of a shape, in its own units."""
        if not self.tally.in_copy:
            return list(_shape(tag, element))
        known = self.shapes.get(id(element))
        if known is None:
            known = self.shapes[id(element)] = list(_shape(tag, element))
        return known


def _layer_name(element: ElementTree.Element) -> str:
    """A layer's own name: its label, whoever's it is, or its title."""
    for key, value in element.attrib.items():
        if key.endswith("}label") and value.strip():
            return value.strip()[:60]
    title = next((child.text for child in element if _tag(child) == "title"), None)
    return (title or "").strip()[:60]


# -- shapes ----------------------------------------------------------------------------------------


def _shape(tag: str, element: ElementTree.Element) -> Iterator[Chain]:
    """Yield the chains of pieces of one shape, in its own units."""

    def value(key: str) -> float:
        return _length(element.get(key)) or 0.0

    if tag == "path":
        yield from _PathData(element.get("d") or "").chains()
    elif tag == "rect":
        yield from _rectangle(element)
    elif tag in ("circle", "ellipse"):
        rx, ry = (value("r"), value("r")) if tag == "circle" else (value("rx"), value("ry"))
        if rx > 0 and ry > 0:
            turn = Arc((value("cx"), value("cy")), (rx, 0.0), (0.0, ry), 0.0, 2 * math.pi)
            yield (turn,), True
    elif tag == "line":
        start, end = (value("x1"), value("y1")), (value("x2"), value("y2"))
        if start != end:
            yield (Polyline((start, end)),), False
    elif tag in ("polyline", "polygon"):
        yield from _corners(element.get("points") or "", closed=tag == "polygon")


def _corners(text: str, *, closed: bool) -> Iterator[Chain]:
    values = [float(word) for word in NUMBERS.findall(text)]
    points = list(zip(values[::2], values[1::2], strict=False))
    if closed and points:
        points.append(points[0])
    run = tuple(point for point, _ in itertools.groupby(points))
    if len(run) > 1:
        yield (Polyline(run),), closed or (len(run) > 3 and run[0] == run[-1])


def _rectangle(element: ElementTree.Element) -> Iterator[Chain]:
    x, y, w, h = (_length(element.get(key)) or 0.0 for key in ("x", "y", "width", "height"))
    if w <= 0 or h <= 0:
        return
    given = [_length(element.get(key)) for key in ("rx", "ry")]
    rx = given[0] if given[0] is not None else (given[1] or 0.0)
    ry = given[1] if given[1] is not None else (given[0] or 0.0)
    rx, ry = min(max(rx, 0.0), w / 2), min(max(ry, 0.0), h / 2)
    if not rx or not ry:
        yield from _corners(f"{x},{y} {x + w},{y} {x + w},{y + h} {x},{y + h}", closed=True)
        return
    corner = f"A{rx},{ry},0,0,1,"
    yield from _PathData(
        f"M{x + rx},{y}H{x + w - rx}{corner}{x + w},{y + ry}V{y + h - ry}"
        f"{corner}{x + w - rx},{y + h}H{x + rx}{corner}{x},{y + h - ry}V{y + ry}"
        f"{corner}{x + rx},{y}Z"
    ).chains()


class _PathData:
    """The data of a path element, command by command (SVG 1.1, 8.3)."""

    def __init__(self, data: str) -> None:
        self.tokens = TOKENS.findall(data)
        self.next = 0
        self.at: Point = (0.0, 0.0)
        self.start: Point = (0.0, 0.0)
        self.pieces: list[Piece] = []
        self.run: list[Point] = []  # of straight lines, not ended yet
        self.cubic: Point | None = None  # the last control point of a cubic, of a quadratic
        self.quadratic: Point | None = None

    def chains(self) -> Iterator[Chain]:
        """Yield each run of pieces and whether it is closed; what follows a fault is left out."""
        command = ""
        while self.next < len(self.tokens):
            if self.tokens[self.next][0]:
                command = self.tokens[self.next][0]
                self.next += 1
            elif not command or command in "Zz":
                break
            if command in "Zz":
                if math.dist(self.at, self.start) > 1e-9:
                    self._go_to(self.start)
                yield from self._flush(closed=True)
                self.at, self.cubic, self.quadratic = self.start, None, None
                continue
            values = self._numbers(command)
            if values is None:
                break
            if command in "Mm":
                yield from self._flush(closed=False)
                self.at = self.start = self._point(values, command)
                self.cubic = self.quadratic = None
                command = "l" if command == "m" else "L"
                continue
            self._draw(command, values)
        yield from self._flush(closed=False)

    def _go_to(self, end: Point) -> None:
        """A straight line to a point; lines that follow on each other are one piece."""
        if not self.run:
            self.run.append(self.at)
        self.run.append(end)

    def _end_run(self) -> None:
        if self.run:
            self.pieces.append(Polyline(tuple(self.run)))
            self.run = []

    def _add(self, piece: Piece) -> None:
        self._end_run()
        self.pieces.append(piece)

    def _flush(self, *, closed: bool) -> Iterator[Chain]:
        self._end_run()
        if self.pieces:
            yield tuple(self.pieces), closed
        self.pieces = []

    def _numbers(self, command: str) -> list[float] | None:
        """The numbers of a command; the two flags of an arc may be written without a space."""
        values: list[float] = []
        wanted = TAKES[command.upper()]
        while len(values) < wanted:
            if self.next >= len(self.tokens) or self.tokens[self.next][0]:
                return None
            word = self.tokens[self.next][1]
            if command in "Aa" and len(values) in (3, 4) and len(word) > 1 and word[0] in "01":
                values.append(float(word[0]))
                self.tokens[self.next] = ("", word[1:])
                continue
            values.append(float(word))
            self.next += 1
        return values

    def _point(self, values: list[float], command: str) -> Point:
        x, y = self.at if command.islower() else (0.0, 0.0)
        return (values[0] + x, values[1] + y)

    def _draw(self, command: str, values: list[float]) -> None:
        kind = command.upper()
        cubic, quadratic = self.cubic, self.quadratic
        self.cubic = self.quadratic = None
        if kind in "LHV":
            self._line(kind, values, relative=command.islower())
        elif kind == "A":
            end = self._point(values[5:], command)
            arc = arc_through(
                self.at,
                (values[0], values[1]),
                values[2],
                large=bool(values[3]),
                sweep=bool(values[4]),
                end=end,
            )
            if arc is not None:
                self._add(arc)
            self.at = end
        else:
            points = [self._point(values[n : n + 2], command) for n in range(0, len(values), 2)]
            if kind in "CS":
                first = points.pop(0) if kind == "C" else self._mirrored(cubic)
                self._add(Cubic(self.at, first, points[0], points[1]))
                self.cubic = points[0]
            else:
                control = points.pop(0) if kind == "Q" else self._mirrored(quadratic)
                self._add(raised(self.at, control, points[-1]))
                self.quadratic = control
            self.at = points[-1]

    def _mirrored(self, control: Point | None) -> Point:
        if control is None:
            return self.at
        return (2 * self.at[0] - control[0], 2 * self.at[1] - control[1])

    def _line(self, kind: str, values: list[float], *, relative: bool) -> None:
        x, y = self.at
        ox, oy = (x, y) if relative else (0.0, 0.0)
        end = {
            "L": lambda: (values[0] + ox, values[1] + oy),
            "H": lambda: (values[0] + ox, y),
            "V": lambda: (x, values[0] + oy),
        }[kind]()
        if end != self.at:
            self._go_to(end)
        self.at = end
