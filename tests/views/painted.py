"""What painters write while a window is grabbed, and whether it has room: such texts are no labels
that a test could look at.
"""

from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter

SPARE_PX = 1.5
_draw_text = QPainter.drawText
_written = None  # (text, wide, room) of each, while somebody looks


def _watched(painter, *args):
    if _written is not None:
        text = next((one for one in args if isinstance(one, str)), "")
        wide = QFontMetricsF(painter.font()).horizontalAdvance(text)
        room = float("inf")
        if isinstance(args[0], (QRect, QRectF)) and not _wraps(args):
            room = args[0].width()
        _written.append((text, round(wide, 1), room))
    return _draw_text(painter, *args)


def _wraps(args):
    """Whether a text in a box may take several lines, or run over its edge."""
    free = Qt.TextFlag.TextWordWrap.value | Qt.TextFlag.TextDontClip.value
    return any(
        int(getattr(one, "value", one)) & free for one in args[1:2] if not isinstance(one, str)
    )


QPainter.drawText = _watched


def written_on(widget):
    """Return each text that is painted when a widget is drawn: (text, how wide it is, its room)."""
    global _written
    _written = []
    try:
        widget.grab()
        return _written
    finally:
        _written = None


def cut_on(widget):
    """Return the painted texts that are wider than their room."""
    return [
        ("painted", text[:40], wide, room)
        for text, wide, room in written_on(widget)
        if wide > room + SPARE_PX
    ]
