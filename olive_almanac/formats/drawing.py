"""Coupons as drawings for machines that take no G-code: SVG and DXF, to scale in mm, one named
layer per setting.
"""

from __future__ import annotations

import colorsys
import io
import xml.etree.ElementTree as ET
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from olive_almanac.core.motion.program import Lines, Strokes, mark_steps
from olive_almanac.core.placing.dots import burnt_runs, flat_dots
from olive_almanac.core.placing.fiducials import burnt_boxes
from olive_almanac.core.placing.labels import Lettering
from olive_almanac.core.placing.strokes import Polyline, detail_boxes, strokes_of
from olive_almanac.core.records.factors import further_words
from olive_almanac.core.records.setting import Setting, air_text
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.core.units import number_text, passes_text, percent_text
from olive_almanac.core.words import tr
from olive_almanac.formats.plain_text import printable

__all__ = [
    "Layer",
    "dxf_of_layers",
    "layer_name",
    "layers_of",
    "svg_of_layers",
    "svg_of_rings",
    "write_dxf",
    "write_svg",
]

HAIRLINE_MM = 0.1
Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class Layer:
    """What is burnt with one setting: lines (each N x 2), and boxes to fill (left, low, right,
    high), coupon mm, y up.
    """

    name: str
    setting: Setting
    lines: tuple[ArrayLike, ...]
    fills: tuple[Box, ...]
    cells: tuple[str, ...] = ()
    areas: tuple[ArrayLike, ...] = ()  # filled, an area in an area being a hole
    is_mark: bool = False  # it belongs to no cell


def layer_name(setting: Setting) -> str:
    """Return what is dialled in for a layer: "85 %, 8 mm/s, 2 passes, pitch 0.1 mm"."""
    words = [
        f"{percent_text(setting.power)} %",
        f"{number_text(setting.speed_mm_s, 4)} mm/s",
        passes_text(setting.passes),
    ]
    if setting.pitch_mm:
        words += [tr("pitch {pitch_mm} mm", pitch_mm=number_text(setting.pitch_mm))]
    if setting.pitch_mm and setting.crosshatch:
        words += [tr("crossed")]
    if setting.pitch_mm and setting.direction == "y":
        words += [tr("lines along {direction}", direction=setting.direction.upper())]
    if setting.focus_mm:
        words += [tr("focus {focus_mm} mm", focus_mm=number_text(setting.focus_mm))]
    if setting.focus_step_mm:
        words += [
            tr("focus step {focus_step_mm} mm", focus_step_mm=number_text(setting.focus_step_mm))
        ]
    if setting.air != "full":
        words += [tr("air {air}", air=air_text(setting.air))]
    if setting.beam == "follows-speed":
        words += [tr("power follows speed")]
    return ", ".join((*words, *further_words(setting)))


def layers_of(trial: Trial, lettering: Lettering | None = None) -> Iterator[Layer]:
    """Yield the layers in the order in which they burn: photo marks, labels, then one for each
    setting.
    """
    lines: list[Polyline] = []
    for step in mark_steps(trial, lettering):
        if isinstance(step, Strokes):
            dx, dy = step.at_mm
            lines += [tuple((x + dx, y + dy) for x, y in path) for path in step.paths]
        assert isinstance(step, (Strokes, Lines))
    if trial.fiducial_setting is not None and trial.fiducials:
        boxes = tuple(box for mark in trial.fiducials for box in burnt_boxes(mark))
        name = tr(
            "photo marks: {fiducial_setting}", fiducial_setting=layer_name(trial.fiducial_setting)
        )
        yield Layer(name, trial.fiducial_setting, (), boxes, is_mark=True)
    if trial.label_setting is not None and lines:
        name = tr("labels: {label_setting}", label_setting=layer_name(trial.label_setting))
        yield Layer(name, trial.label_setting, tuple(lines), (), is_mark=True)
    groups: dict[Setting, list[Cell]] = {}
    for cell in trial.in_order:
        groups.setdefault(_drawn(cell.setting), []).append(cell)
    taken: set[str] = set()
    for setting, cells in groups.items():
        name, number = layer_name(setting), 2
        while name in taken:  # two settings that differ beyond the digits shown
            name, number = f"{layer_name(setting)} ({number})", number + 1
        taken.add(name)
        strokes = tuple(path for cell in cells for path in (*strokes_of(cell), *_dot_lines(cell)))
        fills = tuple(box for cell in cells for box in _fills(cell))
        yield Layer(name, setting, strokes, fills, tuple(cell.id for cell in cells))


def _drawn(setting: Setting) -> Setting:
    """The setting without what only says where a line lies: a drawing shows that itself."""
    if setting.pitch_mm:
        return setting
    return replace(setting, direction="xy", crosshatch=False)


def _dot_lines(cell: Cell) -> Iterator[Polyline]:
    """A patch of dots as the short lines that it is burnt in."""
    if cell.dots and cell.setting.pitch_mm:
        x, y, w, h = cell.rect_mm
        dots = flat_dots(w, h, cell.setting.pitch_mm, cell.dots)
        for height, runs in burnt_runs(dots, (x, y, x + w, y + h)):
            for start, end in runs:
                yield ((start, height), (end, height))


def _fills(cell: Cell) -> tuple[Box, ...]:
    if not cell.setting.pitch_mm or cell.dots:
        return ()
    if cell.mark == "detail":
        return detail_boxes(cell)
    x, y, w, h = cell.rect_mm
    return ((x, y, x + w, y + h),)


def write_svg(trial: Trial, lettering: Lettering | None = None) -> str:
    """Return the SVG text; y runs down there, so the coupon's upper edge is y = 0.

    Each layer is a group whose title is the layer's name; what is rastered is a filled box, lines
    are lines.
    """
    title = f"{trial.name}, {trial.machine.name}, {trial.stock.label}"
    size = (trial.coupon.width_mm, trial.coupon.height_mm)
    return svg_of_layers(title, size, layers_of(trial, lettering))


def svg_of_rings(title: str, size_mm: tuple[float, float], rings: Iterable[Any]) -> str:
    """Return closed lines [n, 2] in mm, Y up, as SVG text: all in red, on a page of a size."""
    width, height = size_mm
    root = _page(title, width, height)
    style = {"fill": "none", "stroke": "#ff0000", "stroke-width": str(HAIRLINE_MM)}
    group = ET.SubElement(root, "g", style)
    for ring in rings:
        points = " ".join(_places(ring, height, ","))
        ET.SubElement(group, "polygon", points=points)
    return ET.tostring(root, encoding="unicode") + "\n"


def _page(title: str, width: float, height: float) -> ET.Element:
    """An SVG page of a size in mm, with its title."""
    root = ET.Element(
        "svg",
        xmlns="http://www.w3.org/2000/svg",
        version="1.1",
        width=f"{width:g}mm",
        height=f"{height:g}mm",
        viewBox=f"0 0 {width:g} {height:g}",
    )
    ET.SubElement(root, "title").text = printable(title)
    return root


def svg_of_layers(title: str, size_mm: tuple[float, float], layers: Iterable[Layer]) -> str:
    """Return layers as SVG text, each a group with a title, on a page of the given size."""
    width, height = size_mm
    root = _page(title, width, height)
    for number, layer in enumerate(layers):
        colour = "#555555" if layer.is_mark else _colour(number)
        group = ET.SubElement(
            root,
            "g",
            {
                "id": f"layer-{number + 1}",
                "fill": "none",
                "stroke": colour,
                "stroke-width": str(HAIRLINE_MM),
            },
        )
        ET.SubElement(group, "title").text = layer.name
        if layer.cells:
            ET.SubElement(group, "desc").text = printable("cells " + " ".join(layer.cells))
        for left, low, right, high in layer.fills:
            ET.SubElement(
                group,
                "rect",
                x=_mm(left),
                y=_mm(height - high),
                width=_mm(right - left),
                height=_mm(high - low),
                fill=colour,
                stroke="none",
            )
        if layer.areas:
            data = " ".join(_area_data(area, height) for area in layer.areas)
            style = {"fill": colour, "fill-rule": "evenodd", "stroke": "none"}
            ET.SubElement(group, "path", {"d": data, **style})
        for path in layer.lines:
            places = np.asarray(path, float)
            closed = bool((places[0] == places[-1]).all())
            points = " ".join(_places(places[:-1] if closed else places, height, ","))
            ET.SubElement(group, "polygon" if closed else "polyline", points=points)
    ET.indent(root)
    return ET.tostring(root, encoding="unicode", xml_declaration=False) + "\n"


def _area_data(area: ArrayLike, height: float) -> str:
    return "M" + "L".join(_places(area, height, " ")) + "Z"


def _places(points: ArrayLike, height: float, between: str) -> list[str]:
    """The places of points as the page counts them, y down, made in one go."""
    number = "{:z.4f}".format
    return [
        f"{number(x).rstrip('0').rstrip('.')}{between}{number(height - y).rstrip('0').rstrip('.')}"
        for x, y in np.asarray(points, float).tolist()
    ]


def _mm(value: float) -> str:
    return f"{value:z.4f}".rstrip("0").rstrip(".")


def _colour(number: int) -> str:
    red, green, blue = colorsys.hls_to_rgb(number * 0.618034 % 1.0, 0.42, 0.6)
    return f"#{round(255 * red):02x}{round(255 * green):02x}{round(255 * blue):02x}"


def write_dxf(trial: Trial, lettering: Lettering | None = None) -> str:
    """Return the DXF text in mm, y up: a layer per setting, lines as polylines, what is rastered as
    solid hatches.
    """
    return dxf_of_layers(layers_of(trial, lettering))


def dxf_of_layers(layers: Iterable[Layer]) -> str:
    """Return layers as DXF text in mm."""
    from olive_almanac.formats.dxf_lines import add_line, new_document

    document = new_document()
    space = document.modelspace()
    for number, layer in enumerate(layers):
        name = _layer_of_dxf(layer.name)
        colour = tuple(int(_colour(number)[i : i + 2], 16) for i in (1, 3, 5))
        document.layers.add(name).rgb = (colour[0], colour[1], colour[2])
        for path in layer.lines:
            add_line(space, path, name)
        for left, low, right, high in layer.fills:
            corners = [(left, low), (right, low), (right, high), (left, high)]
            space.add_hatch(dxfattribs={"layer": name}).paths.add_polyline_path(
                corners, is_closed=True
            )
        if layer.areas:
            hatch = space.add_hatch(dxfattribs={"layer": name})
            for area in layer.areas:
                hatch.paths.add_polyline_path(np.asarray(area).tolist(), is_closed=True)
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue()


def _layer_of_dxf(name: str) -> str:
    """Layer names there may hold none of <>/\\":;?*|=`, so the words are kept and the signs written
    out.
    """
    for sign, word in (("/", " per "), (":", ","), ("%", "pc"), ("×", "x"), ("−", "-")):
        name = name.replace(sign, word)
    return name
