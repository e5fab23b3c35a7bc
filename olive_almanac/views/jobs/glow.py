"""Dots for a panel that is lit from one edge: which group, from where, and what an even strip
showed.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QDialog

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.glow import EDGES, Glow
from olive_almanac.core.records.job import group_words
from olive_almanac.core.words import tr
from olive_almanac.steps.job_glow import (
    GLOW_FIELDS,
    dots_words,
    glow_groups,
    glow_of,
    glow_texts,
    with_glow,
)
from olive_almanac.views.parts import Number, button, col, hair, label, own_picker, row
from olive_almanac.views.theme import px

if TYPE_CHECKING:
    from olive_almanac.steps.jobs import JobsPresenter
    from olive_almanac.views.window import MainWindow

__all__ = ["GlowDialog"]

PAUSE_MS = 200
STRIP = tr(
    "How quickly dots use the light up comes from a strip with dots of one size: light it from one "
    "end, and say how bright its far end is against the lit one."
)


class GlowDialog(QDialog):
    """A few words and numbers; below them the dots that come of it."""

    def __init__(self, window: MainWindow, presenter: JobsPresenter) -> None:
        super().__init__(window)
        self.presenter = presenter
        self.setWindowTitle(tr("Dots for a lit edge"))
        job = presenter.job
        assert job is not None
        groups = glow_groups(job)
        now = job.glow if job.glow is not None and job.glow.group in groups else Glow(groups[0])
        named = {group: group_words(group) for group in groups}
        self.group = own_picker(tr("Group of the dots"), named, now.group)
        self.lit = own_picker(tr("Lit edge"), EDGES, now.lit)
        for picker in (self.group, self.lit):
            picker.picked.connect(lambda _: self._try())
        self.fields = {key: Number(name, 56) for key, name in GLOW_FIELDS.items()}
        for key in ("pitch", "even_mm"):
            self.fields[key].set_lengths("one")
        self.told = label("", "ui_b", wrap=True)
        self.keep = button(tr("Fill it with dots"), "main")
        self.keep.clicked.connect(self._keep)
        leave = button(tr("Leave it"))
        leave.clicked.connect(self.reject)
        away = button(tr("No dots"), "plain", tip=tr("the group is engraved as it is drawn"))
        away.clicked.connect(self._take_away)
        away.setVisible(job.glow is not None)
        self.asks = QTimer(self)
        self.asks.setSingleShot(True)
        self.asks.setInterval(PAUSE_MS)
        self.asks.timeout.connect(self._try)
        for key, text in glow_texts(now).items():
            self.fields[key].setText(text)
            self.fields[key].textEdited.connect(lambda _: self.asks.start())
        f = self.fields

        def words(text: str) -> object:
            return label(text, "ui", "second")

        self.setLayout(
            col(
                label(tr("Dots for a lit edge"), "h2"),
                hair("bold"),
                row(words(tr("Dots fill")), self.group, None, gap=6),
                row(words(tr("lit")), self.lit, None, gap=6),
                row(
                    words(tr("one every")),
                    f["pitch"],
                    words(tr("mm, covering up to")),
                    f["most"],
                    words("%"),
                    None,
                    gap=6,
                ),
                label(STRIP, "small", "second", wrap=True),
                row(
                    words(tr("Strip:")),
                    f["even"],
                    words(tr("% covered, over")),
                    f["even_mm"],
                    words(tr("mm down to")),
                    f["fell"],
                    words("%"),
                    None,
                    gap=6,
                ),
                hair(),
                self.told,
                None,
                row(self.keep, leave, None, away, gap=10),
                gap=8,
                margins=(20, 16, 20, 16),
            )
        )
        self.resize(px(600), px(430))
        self._try()

    def _glow(self) -> Glow:
        texts = {key: field.text() for key, field in self.fields.items()}
        return glow_of(self.group.key, self.lit.key, texts)

    def _try(self) -> None:
        drawing = self.presenter.drawing
        if drawing is None:
            return
        try:
            self.told.setText(dots_words(drawing, self._glow()))
        except AlmanacError as problem:
            self.told.setText(str(problem))
            self.keep.setEnabled(False)
            return
        self.keep.setEnabled(True)

    def _keep(self) -> None:
        self._try()
        if self.keep.isEnabled():
            glow = self._glow()
            self.presenter.edit(lambda job: with_glow(job, glow), tr("dots for a lit edge"))
            self.accept()

    def _take_away(self) -> None:
        self.presenter.edit(lambda job: with_glow(job, None), tr("no dots"))
        self.accept()
