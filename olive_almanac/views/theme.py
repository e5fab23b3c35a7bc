"""Colours, type and scale: every view takes them from here.

Fonts are set in code, never in the style sheet, so that lining tabular figures are not lost.
Painted widgets draw in logical px (scale 1) under a scaled painter; laid-out widgets take their
sizes through `px` and `scaled_font`.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPainter, QPaintEvent, QPalette
from PySide6.QtWidgets import QApplication, QWidget

DAY = {
    "name": "day",
    "desk": "#E8E1CF",
    "page": "#F8F3E7",
    "field": "#FFFDF6",
    "wash": "#EEE7D5",
    "rule": "#CFC5AB",
    "edge": "#6F6546",
    "ink": "#22231A",
    "ink2": "#423F2B",
    "ink3": "#504B36",
    "olive": "#47541A",
    "olive_deep": "#323C0E",
    "olive_wash": "#D9DFB4",
    "on_olive": "#FBF8EC",
    "brass": "#674400",
    "brass_fill": "#E0AE3C",
    "brass_wash": "#F6E5B4",
    "on_brass": "#22231A",
    "ember": "#6C1602",
    "ember_fill": "#7A1B05",
    "ember_wash": "#F4D3C4",
    "on_ember": "#FFF8F0",
    "stock": "#E3C896",
    "stock_edge": "#B08A4C",
    "on_stock": "#22190D",
    "hatch": "#6F6546",
    "shadow": "#3A341F",
}
WORKSHOP = {
    "name": "workshop",
    "desk": "#13140E",
    "page": "#1D1F16",
    "field": "#282B1E",
    "wash": "#25281C",
    "rule": "#3F432F",
    "edge": "#A5A688",
    "ink": "#F5EEDD",
    "ink2": "#DAD3BE",
    "ink3": "#C8C1AB",
    "olive": "#B7C56A",
    "olive_deep": "#D3DE92",
    "olive_wash": "#3A421E",
    "on_olive": "#14160B",
    "brass": "#F0C365",
    "brass_fill": "#E9B64A",
    "brass_wash": "#4A3A12",
    "on_brass": "#171407",
    "ember": "#FF9B78",
    "ember_fill": "#F07C52",
    "ember_wash": "#4E2415",
    "on_ember": "#1B0B04",
    "stock": "#BCA273",
    "stock_edge": "#DCC492",
    "on_stock": "#120B05",
    "hatch": "#A5A688",
    "shadow": "#000000",
}
RAMP = (
    "#E9D3A4",
    "#C99C5C",
    "#8F5F2E",
    "#573414",
    "#24150A",
)  # energy: darker is hotter, in both themes
SERIF, SANS = "Vollkorn", "Source Sans 3"
W = QFont.Weight
ROLES = {  # family, px, weight, italic
    "honour": (SERIF, 58, W.DemiBold, False),  # the three numbers to set
    "num2": (SERIF, 30, W.DemiBold, False),
    "card": (SERIF, 26, W.DemiBold, False),
    "num3": (SERIF, 22, W.DemiBold, False),
    "num4": (SERIF, 18, W.DemiBold, False),
    "h1": (SERIF, 27, W.DemiBold, False),
    "h2": (SERIF, 20, W.DemiBold, False),
    "h3": (SERIF, 17, W.DemiBold, False),
    "sent": (SERIF, 20, W.Normal, False),
    "sent_b": (SERIF, 20, W.DemiBold, False),
    "note": (SERIF, 16, W.Normal, True),
    "station": (SANS, 17, W.DemiBold, False),
    "ui": (SANS, 16, W.Normal, False),
    "ui_b": (SANS, 16, W.DemiBold, False),
    "field": (SANS, 17, W.DemiBold, False),
    "row": (SANS, 15, W.Normal, False),
    "row_b": (SANS, 15, W.DemiBold, False),
    "small": (SANS, 14, W.Normal, False),
    "small_b": (SANS, 14, W.DemiBold, False),
    "cap": (SANS, 13, W.DemiBold, False),
}
CLOSE_BELOW = (1200, 790)  # logical window size under which the close setting is on
LEAST_WINDOW = (1024, 700)  # logical size at which every key is in view without scrolling
SCALE_STEP = 5  # percent


class _Live:
    """The theme, the scale and the setting in force."""

    def __init__(self) -> None:
        self.colours = DAY
        self.scale = 1.0
        self.compact = False


LIVE = _Live()


def set_theme(name: str) -> None:
    if name == "workshop":
        LIVE.colours = WORKSHOP
    else:
        LIVE.colours = DAY


def set_scale(percent: int) -> None:
    LIVE.scale = percent / 100


def fitting_scale(percent: int, width: int, height: int) -> int:
    """Return the scale, percent, that a window of this size (device px) can show with every key in
    view: the chosen one or less, never under 100.
    """
    most = 100 * min(width / LEAST_WINDOW[0], height / LEAST_WINDOW[1])
    return max(100, min(percent, SCALE_STEP * int(most // SCALE_STEP)))


def is_compact_size(width: int, height: int) -> bool:
    """True when a window of this size (device px) gets the close setting: fewer words, the same
    type and targets.
    """
    return width / LIVE.scale < CLOSE_BELOW[0] or height / LIVE.scale < CLOSE_BELOW[1]


def compact(when_compact: Any, otherwise: Any) -> Any:
    """Pick the first value in the close setting, the second otherwise."""
    if LIVE.compact:
        return when_compact
    return otherwise


def px(logical: float) -> int:
    return round(logical * LIVE.scale)


def C(token: str, alpha: float | None = None) -> QColor:
    """Return a colour of the live theme by its token."""
    colour = QColor(LIVE.colours[token])
    if alpha is not None:
        colour.setAlphaF(alpha)
    return colour


def F(role: str, size: int | None = None) -> QFont:
    """Return a font by its role at scale 1, for painting."""
    family, pixels, weight, italic = ROLES[role]
    font = QFont(family)
    font.setPixelSize(size or pixels)
    font.setWeight(weight)
    font.setItalic(italic)
    font.setFeature(QFont.Tag("lnum"), 1)
    font.setFeature(QFont.Tag("tnum"), 1)
    font.setHintingPreference(QFont.HintingPreference.PreferVerticalHinting)
    return font


def scaled_font(role: str, size: int | None = None) -> QFont:
    """Return a font by its role at the live scale, for laid-out widgets."""
    font = F(role, size)
    font.setPixelSize(px(font.pixelSize()))
    return font


def load_fonts() -> None:
    for file in sorted((Path(__file__).parents[1] / "fonts").iterdir()):
        if file.name.endswith(".ttf"):
            QFontDatabase.addApplicationFont(str(file))


def ramp(share: float) -> QColor:
    """Return the energy colour at a share 0 (coolest) to 1 (hottest)."""
    at = min(max(share, 0.0), 1.0) * (len(RAMP) - 1)
    low = min(int(at), len(RAMP) - 2)
    a, b, t = QColor(RAMP[low]), QColor(RAMP[low + 1]), at - low
    return QColor(
        *(round(x * (1 - t) + y * t) for x, y in zip(a.getRgb()[:3], b.getRgb()[:3], strict=True))
    )


def ink_on(colour: QColor) -> QColor:
    """Return dark or light ink, whichever reads better on a drawn material."""
    if colour.lightnessF() > 0.45:
        return QColor("#22190D")
    return QColor("#FFF8E4")


def apply_theme() -> None:
    """Give the application the present theme's style, font and colours.

    Nothing is done where it has them: every widget would be laid out anew.
    """
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    style_sheet, font = _style_sheet(), scaled_font("ui")
    look = f"{font.toString()} {style_sheet}"
    if app.property("look") == look:
        return
    if app.property("look") is None:
        app.setStyle("Fusion")
    app.setProperty("look", look)
    app.setFont(font)
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, token in (
        (roles.Window, "desk"),
        (roles.Base, "field"),
        (roles.Text, "ink"),
        (roles.WindowText, "ink"),
        (roles.Button, "page"),
        (roles.ButtonText, "ink"),
        (roles.Highlight, "olive"),
        (roles.HighlightedText, "on_olive"),
        (roles.PlaceholderText, "ink3"),
        (roles.AlternateBase, "wash"),
        (roles.ToolTipBase, "ink"),
        (roles.ToolTipText, "page"),
    ):
        palette.setColor(role, C(token))
    app.setPalette(palette)
    app.setStyleSheet(style_sheet)


def _style_sheet() -> str:
    import re

    text = Path(__file__).with_name("style.qss").read_text(encoding="utf-8")
    text = re.sub(r"@(\w+)@", lambda found: LIVE.colours[found[1]], text)
    return re.sub(
        r"(\d+)px",
        lambda found: f"{max(1, px(int(found[1])))}px" if found[1] != "1" else "1px",
        text,
    )


class Painted(QWidget):
    """A widget that draws itself: `paint` gets a painter in logical px and the logical size."""

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        try:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.scale(LIVE.scale, LIVE.scale)
            self.paint(painter, self.width() / LIVE.scale, self.height() / LIVE.scale)
        finally:
            painter.end()  # also where painting failed

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        raise NotImplementedError

    def logical(self, event: QEvent) -> tuple[float, float]:
        """Where a mouse event happened, in logical px."""
        return event.position().x() / LIVE.scale, event.position().y() / LIVE.scale


NO_BRUSH, NO_PEN = Qt.BrushStyle.NoBrush, Qt.PenStyle.NoPen
