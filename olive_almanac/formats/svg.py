"""Write a coupon as a drawing for machines that take no G-code: one named layer per setting, to scale in mm."""

from __future__ import annotations

import colorsys
import xml.etree.ElementTree as ET

from olive_almanac.core.placing.corner import corner_lines
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import number_text, percent_text

__all__ = ["layer_name", "write_svg"]

HAIRLINE_MM = 0.1


def layer_name(cell_id: str, setting: Setting) -> str:
    """Return the name of a cell's layer: "A1: 85 %, 8 mm/s, 2 passes"."""
    passes = "1 pass" if setting.passes == 1 else f"{setting.passes} passes"
    pitch = f", pitch {number_text(setting.pitch_mm)} mm" if setting.pitch_mm else ""
    return f"{cell_id}: {percent_text(setting.power)} %, {number_text(setting.speed_mm_s, 4)} mm/s, {passes}{pitch}"


def write_svg(trial: Trial) -> str:
    """Return the SVG text; y runs down there, so the coupon's upper edge is y = 0.

    Each layer is a group whose id is the cell's and whose title is the layer's name; a fill (raster) is a filled
    rectangle, a cut an outline.
    """
    width, height = trial.coupon.width_mm, trial.coupon.height_mm
    root = ET.Element(
        "svg",
        xmlns="http://www.w3.org/2000/svg",
        version="1.1",
        width=f"{width:g}mm",
        height=f"{height:g}mm",
        viewBox=f"0 0 {width:g} {height:g}",
    )
    ET.SubElement(root, "title").text = f"{trial.name}, {trial.machine.name}, {trial.stock.label}"
    corner = _layer(root, "corner", "corner mark: lowest energy, lower left of the coupon", "#555555")
    for (x0, y0), (x1, y1) in corner_lines():
        ET.SubElement(corner, "line", x1=f"{x0:g}", y1=f"{height - y0:g}", x2=f"{x1:g}", y2=f"{height - y1:g}")
    for number, cell in enumerate(trial.in_order):
        layer = _layer(root, cell.id, layer_name(cell.id, cell.setting), _colour(number))
        x, y, w, h = cell.rect_mm
        rect = ET.SubElement(layer, "rect", x=f"{x:g}", y=f"{height - y - h:g}", width=f"{w:g}", height=f"{h:g}")
        if cell.mark == "fill":
            rect.set("fill", _colour(number))
            rect.set("stroke", "none")
    ET.indent(root)
    return ET.tostring(root, encoding="unicode", xml_declaration=False) + "\n"


def _layer(root: ET.Element, layer_id: str, name: str, colour: str) -> ET.Element:
    layer = ET.SubElement(root, "g", {"id": layer_id, "fill": "none", "stroke": colour, "stroke-width": str(HAIRLINE_MM)})
    ET.SubElement(layer, "title").text = name
    return layer


def _colour(number: int) -> str:
    """A colour of its own for each layer: hue by the golden angle, lightness in three turns; no meaning attached."""
    red, green, blue = colorsys.hls_to_rgb(number * 0.381966 % 1, 0.30 + 0.12 * (number % 3), 0.75)
    return f"#{round(255 * red):02x}{round(255 * green):02x}{round(255 * blue):02x}"
