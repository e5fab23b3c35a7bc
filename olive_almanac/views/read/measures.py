"""Beside the photo: what was measured on a cell in words, fields for a gauge, and the page on which
corners are picked.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QBuffer, QIODevice, Qt, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QVBoxLayout, QWidget

from olive_almanac.core.lengths import length_unit
from olive_almanac.core.records.reading import DEFECT_WORDS, FLAG_WORDS
from olive_almanac.core.records.trial import is_gauged
from olive_almanac.core.units import capital, number_text
from olive_almanac.core.words import tr
from olive_almanac.views.marks import Mark
from olive_almanac.views.parts import Number, button, col, label, row
from olive_almanac.views.read.photo_view import CORNERS, CornerPicker

if TYPE_CHECKING:
    from olive_almanac.core.records.reading import Reading
    from olive_almanac.core.records.trial import Cell


def flag_words(flags: Any) -> list[str]:
    """Return why a cell is not judged, in words; what the back adds is said to be of the back."""
    words = []
    for flag in flags:
        plain = flag.removeprefix("back_")
        text = FLAG_WORDS.get(plain, plain.replace("_", " "))
        if plain != flag:
            words.append(tr("on the back {text}", text=text))
        else:
            words.append(text)
    return list(dict.fromkeys(words))


def measured_words(
    reading: Reading | None, photo: Reading | None, differs: str, kerf: float | None
) -> str:
    """What is known of a cell besides its verdict, in one line."""
    if reading is not None and (reading.lightness is not None or reading.kerf_mm is not None):
        source = reading
    else:
        source = photo
    parts = []
    if source is not None and not source.flags:
        if source.delta_l is not None:
            parts.append(
                tr(
                    "{delta_l:.0f} L* {tone} than the stock",
                    delta_l=abs(source.delta_l),
                    tone=tr("darker") if source.delta_l < 0 else tr("lighter"),
                )
            )
        if source.evenness is not None:
            parts.append(tr("spread {evenness} L*", evenness=number_text(source.evenness, 2)))
        if source.halo_mm:
            parts.append(tr("halo {halo_mm:.1f} mm", halo_mm=source.halo_mm))
    if kerf is not None:
        parts.append(tr("kerf {kerf:.2f} mm", kerf=kerf))
    if reading is not None and reading.depth_mm is not None:
        parts.append(tr("{depth_mm} mm deep", depth_mm=number_text(reading.depth_mm)))
    if reading is not None:
        parts += [DEFECT_WORDS.get(one, one) for one in reading.defects if one != "flare"]
    if differs:
        parts.append(differs)
    return capital(", ".join(parts))


def png_of(image: QImage) -> bytes:
    """Return a pasted picture as PNG bytes."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return bytes(buffer.data())


class GaugeFields(QWidget):
    """Fields for what a gauge says of the cell in hand: the depth of a cut that is not through, a
    measured width, the width at the back; the tone of a filled cell.

    Signals:
        measured(str, str): which of "depth", "kerf", "back", "tone", and the text as typed.
    """

    measured = Signal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.fields = {
            "depth": Number(tr("Depth by gauge, mm"), 62, lengths="one"),
            "kerf": Number(tr("Measured width, mm"), 62, lengths="one"),
            "back": Number(tr("Width at the back, mm"), 62, lengths="one"),
            "tone": Number(tr("L* by a colour meter"), 62),
        }
        self.words = {
            "depth": label(tr("Depth"), "small", "second"),
            "kerf": label(tr("Width"), "small", "second"),
            "back": label(tr("back"), "small", "second"),
            "tone": label(tr("L* by a meter"), "small", "second"),
        }
        parts = []
        for what, field in self.fields.items():
            field.editingFinished.connect(lambda what=what, field=field: self._typed(what, field))
            parts += [self.words[what], field]
        self._shown: dict[str, str] = {}
        self.unit = label(length_unit(), "small", "second")
        self.setLayout(row(*parts, self.unit, gap=4))
        self.setToolTip(tr("G: type what the gauge says, Enter keeps it"))

    def show_fields(self, cell: Cell, reading: Reading | None, task: str) -> None:
        gauged = cell.mark in ("comb", "stack")
        wanted = {
            "depth": task in ("cut", "score")
            and not is_gauged(cell)
            and (task == "score" or reading is None or reading.verdict in (None, "not_through")),
            "kerf": gauged
            or cell.mark == "line"
            or (
                task == "cut"
                and reading is not None
                and reading.verdict in ("free", "push", "hangs")
            ),
            "back": task == "cut"
            and not gauged
            and reading is not None
            and reading.verdict in ("free", "push", "hangs"),
            "tone": cell.mark == "fill",
        }
        values = {
            "depth": reading.depth_mm if reading else None,
            "kerf": reading.kerf_mm if reading else None,
            "back": reading.kerf_bottom_mm if reading else None,
            "tone": reading.lightness if reading else None,
        }
        for what, field in self.fields.items():
            if values[what] is None:
                self._shown[what] = ""
            else:
                self._shown[what] = number_text(values[what], 4)
            if not field.hasFocus():
                field.setText(self._shown[what])
            field.setVisible(wanted[what])
            self.words[what].setVisible(wanted[what])
        if gauged:
            self.words["kerf"].setText(tr("Measured"))
        else:
            self.words["kerf"].setText(tr("Width"))
        self.unit.setVisible(not wanted["tone"])
        self.setVisible(any(wanted.values()))

    def _typed(self, what: str, field: Any) -> None:
        if field.text() != self._shown.get(what, ""):
            self._shown[what] = field.text()
            self.measured.emit(what, field.text())

    def begin(self, text: str) -> None:
        """Begin to type the measured width, or the tone where that is asked."""
        field = self.fields["kerf"]
        if not field.isVisible():
            field = self.fields["tone"]
        field.setFocus()
        field.type(text)

    def focus_first(self) -> None:
        for field in self.fields.values():
            if field.isVisible():
                field.setFocus()
                field.selectAll()
                return


class CornerPage(QWidget):
    """The picker with what went wrong above it and its keys below.

    Signals:
        done(list): the four corners in pixels of the photo.
        left(): the photo is left unread.
    """

    done = Signal(object)
    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.why = label("", "ui", wrap=True)
        self.hint = label("", "small", "second", wrap=True)
        self.picker = CornerPicker()
        self.picker.moved.connect(self._say)
        read, leave = (
            button(tr("Read with these corners"), "main", tip="Ctrl+Enter"),
            button(tr("Leave this photo"), "plain"),
        )
        read.clicked.connect(self.finish)
        leave.clicked.connect(self.left)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        line = row(Mark("stop", "mind", 26), col(self.why, self.hint, gap=2), gap=10)
        line.setStretch(1, 1)
        layout.addLayout(line)
        layout.addWidget(self.picker, 1)
        layout.addLayout(row(None, leave, read, gap=8))

    def show_photo(self, picture: Any, scale: float, why: str, side: str, place: str = "") -> None:
        """Show a photo of a side, or of a place (in words), with what went wrong."""
        what = tr("box around all cells, as the labels read")
        if place:
            what = tr("box around the cells of the place {place}, as the labels read", place=place)
        if side == "back":
            what = tr("box around the holes, as seen from the back")
        self.why.setText(why)
        self.hint.setText(
            tr(
                "Drag 1 to 4 onto the corners of the {what}: {corners}. Keys 1 to 4 choose "
                "one, arrows move it.",
                what=what,
                corners=", ".join(CORNERS),
            )
        )
        self.picker.show_picture(picture, scale)
        self.show()
        self.picker.setFocus(Qt.FocusReason.OtherFocusReason)

    def _say(self) -> None:
        self.picker.setAccessibleDescription(
            ", ".join(f"{x:.0f}, {y:.0f}" for x, y in self.picker.corners_px())
        )

    def finish(self) -> None:
        self.done.emit(self.picker.corners_px())
