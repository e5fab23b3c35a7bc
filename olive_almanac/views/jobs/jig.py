"""The places of a jig: how many at which pitch, its board to scale, and a drawing of it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QPointF, QRectF, QTimer
from PySide6.QtGui import QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QDialog

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.lengths import length_unit
from olive_almanac.core.quoting.jig import pocket_rings
from olive_almanac.core.records.jig import Jig
from olive_almanac.core.units import count_text, lengths_text
from olive_almanac.core.words import tr
from olive_almanac.steps.job_jig import JIG_FIELDS, jig_like, jig_of, jig_texts, with_jig, write_jig
from olive_almanac.views.parts import Number, WordPicker, box, button, col, hair, label, row
from olive_almanac.views.theme import NO_BRUSH, C, Painted, px

if TYPE_CHECKING:
    from olive_almanac.core.records.job import Job
    from olive_almanac.steps.jobs import JobsPresenter
    from olive_almanac.views.window import MainWindow

__all__ = ["JigDialog"]

PAUSE_MS = 150


class JigPicture(Painted):
    """The board with its pockets, and the blanks in them."""

    def __init__(self) -> None:
        super().__init__()
        self.jig: Jig | None = None
        self.setMinimumSize(px(360), px(260))
        self.setAccessibleName(tr("The jig to scale"))

    def show_jig(self, jig: Jig | None) -> None:
        self.jig = jig
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.jig is None:
            return
        wide, high = self.jig.size_mm
        k = min((width - 8) / wide, (height - 8) / high)
        left, foot = (width - k * wide) / 2, (height + k * high) / 2
        *pockets, outline = pocket_rings(self.jig)
        painter.setPen(QPen(C("stock_edge"), 1.2))
        for ring, brush in ((outline, C("stock")), *((one, C("field")) for one in pockets)):
            painter.setBrush(brush)
            points = [QPointF(left + k * x, foot - k * y) for x, y in ring.tolist()]
            painter.drawPolygon(QPolygonF(points))
        painter.setPen(QPen(C("olive"), 1.6))
        painter.setBrush(NO_BRUSH)
        blank_w, blank_h = self.jig.blank_mm
        for x, y in self.jig.corners_mm():
            rect = QRectF(left + k * x, foot - k * (y + blank_h), k * blank_w, k * blank_h)
            painter.drawRect(rect)


class JigDialog(QDialog):
    """What the jig is, beside it its picture."""

    def __init__(self, window: MainWindow, presenter: JobsPresenter) -> None:
        super().__init__(window)
        self.presenter = presenter
        self.setWindowTitle(tr("Places of a jig"))
        job, result = presenter.job, presenter.result
        assert job is not None and result is not None
        self.jig: Jig | None = None
        size = result.plan.pattern.size_mm
        self.fields = {key: Number(name, 64) for key, name in JIG_FIELDS.items()}
        for key in self.fields.keys() - {"columns", "rows"}:
            self.fields[key].set_lengths("one")
        self.picture = JigPicture()
        self.told = label("", "ui_b", wrap=True)
        self.like = WordPicker("ui_b", name=tr("A jig of another job"))
        self.others = {one.uid: one for one in jig_like(job, presenter.jobs)}
        choices = [(uid, one.name) for uid, one in self.others.items()]
        self.like.set_choices(choices, "", none_text=tr("another job's jig"))
        self.like.picked.connect(self._take_other)
        self.keep = button(tr("Use these places"), "main", tip=tr("the copies lie in the jig"))
        self.keep.clicked.connect(self._keep)
        self.draw = button(
            tr("Save its drawing"), tip=tr("an SVG of the board, to cut it from scrap")
        )
        self.draw.clicked.connect(self._draw)
        self.away = button(tr("No jig"), "plain", tip=tr("lays the copies on sheets again"))
        self.away.clicked.connect(self._take_away)
        self.away.setVisible(job.jig is not None)
        self.asks = QTimer(self)
        self.asks.setSingleShot(True)
        self.asks.setInterval(PAUSE_MS)
        self.asks.timeout.connect(self._try)
        for key, text in jig_texts(job.jig, size).items():
            self.fields[key].setText(text)
            self.fields[key].textEdited.connect(lambda _: self.asks.start())
        self._build()
        self._try()

    def _build(self) -> None:
        leave = button(tr("Leave it"))
        leave.clicked.connect(self.reject)
        f = self.fields

        def line(name: str, first: str, between: str, second: str, unit: str = "") -> Any:
            head = label(name, "ui", "second")
            head.setFixedWidth(px(76))
            mid, end = label(between, "ui", "second"), label(unit or length_unit(), "ui", "second")
            return row(head, f[first], mid, f[second], end, None, gap=6)

        rim = tr("Clearance below zero: a rim carries the blank, what sticks out of it hangs free.")
        self.like_row = box(row(label(tr("As"), "ui", "second"), self.like, None, gap=6))
        left = col(
            line(tr("Blank"), "wide", "×", "high"),
            line(tr("Places"), "columns", "×", "rows", tr("columns, rows")),
            line(tr("Pitch"), "pitch_x", "×", "pitch_y"),
            line(tr("Clearance"), "clearance", tr("notch"), "notch"),
            label(rim, "small", "second", wrap=True),
            4,
            self.like_row,
            self.told,
            None,
            gap=8,
        )
        across = row(box(left), self.picture, gap=18)
        across.setStretch(1, 1)
        layout = col(
            label(tr("Places of a jig"), "h2"),
            hair("bold"),
            across,
            row(self.keep, self.draw, leave, None, self.away, gap=10),
            gap=10,
            margins=(20, 16, 20, 16),
        )
        layout.setStretch(2, 1)
        self.setLayout(layout)
        self.resize(px(860), px(480))
        self.like_row.setVisible(bool(self.others))

    def _try(self) -> None:
        """Take what is typed, and show it."""
        texts = {key: field.text() for key, field in self.fields.items()}
        try:
            self.jig = jig_of(texts)
        except AlmanacError as problem:
            self.jig = None
            self.told.setText(str(problem))
        else:
            size = lengths_text(*self.jig.size_mm)
            places = count_text(self.jig.places, "place")
            self.told.setText(
                tr(
                    "{places} on a board of {size} mm, its lower left at the stop.",
                    places=places,
                    size=size,
                )
            )
        self.picture.show_jig(self.jig)
        self.keep.setEnabled(self.jig is not None)
        self.draw.setEnabled(self.jig is not None)

    def _take_other(self, uid: str) -> None:
        other = self.others.get(uid)
        if other is None or other.jig is None:
            return
        for key, text in jig_texts(other.jig, other.jig.blank_mm).items():
            self.fields[key].setText(text)
        self.like.show_key(uid)
        self._try()

    def _keep(self) -> None:
        self._try()
        jig, like = self.jig, self.others.get(self.like.key)
        if jig is None:
            return

        def change(job: Job) -> Job:
            return with_jig(job, jig, like)

        if self.presenter.edit(change, tr("places of a jig")):
            self.accept()
        else:
            self.told.setText(self.presenter.problem)

    def _take_away(self) -> None:
        self.presenter.edit(lambda job: with_jig(job, None), tr("on sheets again"))
        self.accept()

    def _draw(self) -> None:
        job, jig, session = self.presenter.job, self.jig, self.presenter.session
        if job is None or jig is None:
            return
        try:
            path = write_jig(jig, session.store.folder / "jobs", job.name)
        except AlmanacError as problem:
            self.told.setText(str(problem))
            return
        words = tr("Choose the board it is cut from above, then bring it in as a job of its own.")
        self.told.setText(tr("Saved as {path}. {words}", path=path, words=words))
