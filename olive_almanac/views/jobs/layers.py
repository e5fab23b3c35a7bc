"""Layers that are glued on each other: their order, and how true they are placed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QDialog

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.stack import Stack
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr
from olive_almanac.steps.job_layers import inset_words, layer_words, stack_from, stacked
from olive_almanac.views.parts import Number, button, col, hair, label, own_picker, row
from olive_almanac.views.theme import px

if TYPE_CHECKING:
    from olive_almanac.steps.jobs import JobsPresenter
    from olive_almanac.views.window import MainWindow

__all__ = ["LayersDialog"]

BASES = {"first": tr("first in the drawing"), "last": tr("last in the drawing")}
BACKS = {"bare": tr("bare: glue is brushed on"), "tape": tr("taped: it sticks where it touches")}


class LayersDialog(QDialog):
    """A few words and a number; below them the order of gluing."""

    def __init__(self, window: MainWindow, presenter: JobsPresenter) -> None:
        super().__init__(window)
        self.presenter = presenter
        self.setWindowTitle(tr("Layers on each other"))
        job = presenter.job
        assert job is not None
        now = job.stack or Stack()
        base = "first" if now.base_first else "last"
        self.base = own_picker(tr("Which layer is the base"), BASES, base)
        back = "tape" if now.taped else "bare"
        self.back = own_picker(tr("The back of the stock"), BACKS, back)
        for picker in (self.base, self.back):
            picker.picked.connect(lambda _: self._try())
        self.place = Number(tr("How true a layer is placed by hand, mm"), 56, lengths="one")
        self.place.setText(number_text(now.place_mm))
        self.place.textEdited.connect(lambda _: self._try())
        self.order = label("", "ui_b", wrap=True)
        self.told = label("", "small", "second", wrap=True)
        self.keep = button(
            tr("Score guides"), "main", tip=tr("each layer becomes a piece of its own")
        )
        self.keep.clicked.connect(self._keep)
        leave = button(tr("Leave it"))
        leave.clicked.connect(self.reject)
        away = button(tr("No layers"), "plain", tip=tr("the drawing is burnt as it is again"))
        away.clicked.connect(self._take_away)
        away.setVisible(job.stack is not None)
        true = (self.place, label(tr("mm true, by hand"), "ui", "second"))
        self.setLayout(
            col(
                label(tr("Layers on each other"), "h2"),
                hair("bold"),
                row(label(tr("The base comes"), "ui", "second"), self.base, None, gap=6),
                row(label(tr("placed"), "ui", "second"), *true, None, gap=6),
                row(label(tr("The back is"), "ui", "second"), self.back, None, gap=6),
                hair(),
                self.order,
                self.told,
                None,
                row(self.keep, leave, None, away, gap=10),
                gap=8,
                margins=(20, 16, 20, 16),
            )
        )
        self.resize(px(520), px(400))
        self._try()

    def _stack(self) -> Stack:
        return stack_from(self.base.key, self.place.text(), self.back.key)

    def _try(self) -> None:
        job, machine = self.presenter.job, self.presenter.session.subject.machine
        if job is None or machine is None:
            return
        try:
            stack = self._stack()
        except AlmanacError as problem:
            self.told.setText(str(problem))
            self.keep.setEnabled(False)
            return
        self.keep.setEnabled(True)
        self.order.setText(tr(", then ").join(layer_words(job, stack)))
        self.told.setText(inset_words(stack, machine))

    def _keep(self) -> None:
        try:
            stack = self._stack()
        except AlmanacError:
            return  # it is told
        by_book = self.presenter.by_book
        self.presenter.edit(lambda job: stacked(job, stack, by_book), tr("layers on each other"))
        self.accept()

    def _take_away(self) -> None:
        by_book = self.presenter.by_book
        self.presenter.edit(lambda job: stacked(job, None, by_book), tr("no layers"))
        self.accept()
