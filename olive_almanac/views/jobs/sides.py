"""Which group is burnt on which side, and how the sheet is turned over between them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QDialog

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.lengths import length_unit
from olive_almanac.core.records.job import group_words
from olive_almanac.core.records.sides import ABOUT, BY, SIDES, TwoSides
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr
from olive_almanac.steps.job_sides import sided_groups, sides_from, two_sided
from olive_almanac.views.parts import (
    Number,
    Page,
    WordPicker,
    box,
    button,
    col,
    hair,
    label,
    own_picker,
    row,
    scrolling,
)
from olive_almanac.views.theme import px

if TYPE_CHECKING:
    from olive_almanac.steps.jobs import JobsPresenter
    from olive_almanac.views.window import MainWindow

__all__ = ["SidesDialog"]

MIRRORED = tr(
    "The drawing is seen from the front; what is burnt on the back is mirrored for it, so that it "
    "lies behind its place. What cuts comes last."
)


class SidesDialog(QDialog):
    """A line for each group, and below them how the sheet is turned."""

    def __init__(self, window: MainWindow, presenter: JobsPresenter) -> None:
        super().__init__(window)
        self.presenter = presenter
        self.setWindowTitle(tr("Both sides"))
        job = presenter.job
        assert job is not None
        now = job.sides or TwoSides()
        self.side_of = {one.group: one.side for one in job.groups}
        self.pickers: dict[str, WordPicker] = {}
        lines = []
        for group in sided_groups(job):
            picker = own_picker(
                tr("Side of {group}", group=group_words(group)), SIDES, self.side_of[group]
            )
            picker.picked.connect(lambda key, group=group: self._pick(group, key))
            self.pickers[group] = picker
            lines.append(row(label(group_words(group), "ui", wrap=True), None, picker, gap=8))
        self.about = own_picker(tr("How it is turned over"), ABOUT, now.about)
        self.by = own_picker(tr("How it finds its place"), BY, now.by)
        self.pin = Number(tr("Diameter of a pin, mm"), 56, lengths="one")
        self.pin.setText(number_text(now.pin_mm))
        words = (
            label(tr("pins of"), "ui", "second"),
            self.pin,
            label(length_unit(), "ui", "second"),
        )
        self.pin_row = box(row(*words, None, gap=6))
        self.pin_row.setVisible(now.by == "pins")
        self.by.picked.connect(lambda key: self.pin_row.setVisible(key == "pins"))
        self.between = Number(tr("What is done before it is turned over"), 260, grows=False)
        self.between.setText(now.between)
        self.between.setPlaceholderText(tr("fill with paint, let it dry, peel"))
        by_row = box(row(label(tr("laid by"), "ui", "second"), self.by, None, gap=6))
        told = MIRRORED
        if job.jig is not None:  # its pocket holds each blank
            by_row.hide()
            self.pin_row.hide()
            told = tr("{mirrored} Each blank is turned over in its own pocket.", mirrored=MIRRORED)
        before = row(label(tr("Before that"), "ui", "second"), self.between, None, gap=6)
        self.told = label(told, "small", "second", wrap=True)
        self.keep = button(tr("Burn both sides"), "main", tip=tr("each sheet is run twice"))
        self.keep.clicked.connect(self._keep)
        leave = button(tr("Leave it"))
        leave.clicked.connect(self.reject)
        away = button(tr("One side"), "plain", tip=tr("all groups on the front again"))
        away.clicked.connect(self._take_away)
        away.setVisible(job.sides is not None)
        groups = Page()
        groups.setLayout(col(*lines, None, gap=4))
        layout = col(
            label(tr("Both sides"), "h2"),
            hair("bold"),
            scrolling(groups, (380, 180)),
            hair(),
            row(label(tr("Turned"), "ui", "second"), self.about, None, gap=6),
            by_row,
            self.pin_row,
            before,
            self.told,
            row(self.keep, leave, None, away, gap=10),
            gap=8,
            margins=(20, 16, 20, 16),
        )
        layout.setStretch(2, 1)
        self.setLayout(layout)
        self.resize(px(500), px(580))

    def _pick(self, group: str, side: str) -> None:
        self.side_of[group] = side

    def _keep(self) -> None:
        try:
            sides = sides_from(self.about.key, self.by.key, self.pin.text(), self.between.text())
        except AlmanacError as problem:
            self.told.setText(str(problem))
            return
        if not set(self.side_of.values()) & {"back", "both"}:
            self.told.setText(tr("Give at least one group to the back."))
            return
        self.presenter.edit(lambda job: two_sided(job, sides, self.side_of), tr("both sides"))
        self.accept()

    def _take_away(self) -> None:
        self.presenter.edit(lambda job: two_sided(job, None, {}), tr("one side"))
        self.accept()
