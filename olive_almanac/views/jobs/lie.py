"""Where the sheet lies on the bed: at a stop, where the head stands, or by two touched places."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QWidget

from olive_almanac.core.lengths import length_unit
from olive_almanac.core.motion.program import Ground
from olive_almanac.core.records.job import ORIGINS, Job
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr
from olive_almanac.steps.job_lie import (
    anchors,
    lies_like,
    references,
    touch_texts,
    with_anchor,
    with_lie_of,
    with_origin,
    with_reference,
    with_stop,
    with_touched,
)
from olive_almanac.views.parts import Number, Page, WordPicker, box, col, label, row
from olive_almanac.views.theme import px

if TYPE_CHECKING:
    from olive_almanac.steps.jobs import JobsPresenter

FIELD_PX = 56


class LiePanel(Page):
    """One line with the way, and below it what that way needs."""

    def __init__(self, presenter: JobsPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self.origin = WordPicker("ui_b", name=tr("How the sheet lies on the bed"))
        self.origin.picked.connect(
            lambda key: presenter.edit(lambda job: with_origin(job, key), tr("how the sheet lies"))
        )
        self.anchor = WordPicker("ui_b", name=tr("Where the head stands"))
        self.anchor.picked.connect(
            lambda key: presenter.edit(
                lambda job: with_anchor(job, key), tr("where the head stands")
            )
        )
        self.reference = WordPicker("ui_b", name=tr("What was touched"))
        self.reference.picked.connect(
            lambda key: presenter.edit(lambda job: with_reference(job, key), tr("what was touched"))
        )
        self.like = WordPicker("small_b", name=tr("As the sheet of another job lies"))
        self.like.picked.connect(self._take_other)
        self.like_row = box(row(label(tr("as in"), "small", "second"), self.like, None, gap=4))
        self.stop = [
            Number(tr("{axis} of the stop, mm", axis=axis), FIELD_PX, lengths="one")
            for axis in "XY"
        ]
        self.touched = [
            Number(
                tr("{axis} of the {which} touched place, mm", axis=axis, which=which),
                FIELD_PX,
                lengths="one",
            )
            for which in ("first", "second")
            for axis in "XY"
        ]
        for field in self.stop:
            field.editingFinished.connect(self._take_stop)
        for field in self.touched:
            field.editingFinished.connect(self._take_touched)
        self.turn = label("", "small", "second", wrap=True)
        self.stop_row = box(
            row(label(tr("corner at"), "small", "second"), *self.stop, _mm(), None, gap=4)
        )
        self.anchor_row = box(row(label(tr("it stands at"), "small", "second"), self.anchor, None))
        self.touched_rows = box(
            col(
                row(self.reference, None),
                row(_at("left"), *self.touched[:2], _mm(), None, gap=4),
                row(_at("right"), *self.touched[2:], _mm(), None, gap=4),
                self.turn,
                gap=2,
            )
        )
        self.setLayout(
            col(
                row(label(tr("Lies"), "ui", "second"), self.origin, None, gap=6),
                self.stop_row,
                self.anchor_row,
                self.touched_rows,
                self.like_row,
                gap=2,
            )
        )

    def _take_other(self, uid: str) -> None:
        other = next((one for one in self.presenter.jobs if one.uid == uid), None)
        if other is not None:
            self.presenter.edit(lambda job: with_lie_of(job, other), tr("as in another job"))

    def show_job(self, job: Job, ground: Ground | None) -> None:
        turn = math.degrees(ground.turn_rad) if ground is not None else 0.0
        way = tr("left") if turn > 0 else tr("right")
        self.turn.setText(
            tr("turned {turn:.2f}° to the {way}", turn=abs(turn), way=way) if turn else ""
        )
        others = lies_like(job, self.presenter.jobs)
        self.like_row.setVisible(bool(others))
        names = [(one.uid, one.name) for one in others]
        self.like.set_choices(names, "", none_text=tr("another job"))
        self.origin.set_choices(tuple(ORIGINS.items()), job.origin)
        self.anchor.set_choices(anchors(), job.anchor)
        self.reference.set_choices(references(job), job.reference)
        self.stop_row.setVisible(job.origin == "bed")
        self.anchor_row.setVisible(job.origin == "head")
        self.touched_rows.setVisible(job.origin == "touched")
        _fill(self.stop, tuple(number_text(mm, 6) for mm in job.stop_mm))
        _fill(self.touched, touch_texts(job))

    def _take_stop(self) -> None:
        if any(field.isModified() for field in self.stop):
            x, y = (field.text() for field in self.stop)
            self._take(self.stop, lambda job: with_stop(job, x, y))

    def _take_touched(self) -> None:
        texts = tuple(field.text() for field in self.touched)
        if any(field.isModified() for field in self.touched) and all(texts):
            self._take(self.touched, lambda job: with_touched(job, texts))

    def _take(self, fields: list[Number], change: Callable[[Job], Job]) -> None:
        if self.presenter.edit(change, tr("where the sheet lies")):
            for field in fields:
                field.setModified(False)


def _at(words: str) -> QWidget:
    one = label(words, "small", "second")
    one.setFixedWidth(px(34))
    return one


def _mm() -> QWidget:
    return label(length_unit(), "small", "second")


def _fill(fields: list[Number], texts: tuple[str, ...]) -> None:
    """Show what is kept, but never over what is being typed."""
    for field, text in zip(fields, texts, strict=True):
        if not field.isModified():
            field.setText(text)
