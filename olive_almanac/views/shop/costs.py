"""What an hour of a machine costs: a few fields, and the parts that come of them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QDialog, QGridLayout

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.words import tr
from olive_almanac.steps.hour_costs import COST_FIELDS, cost_texts, cost_words, with_costs
from olive_almanac.views.parts import Number, button, col, hair, label, row
from olive_almanac.views.theme import px

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from olive_almanac.steps.upkeep import UpkeepPresenter

__all__ = ["CostsDialog"]

SERVICES = tr(
    "Services are reckoned from the minutes and parts that were noted, at this wage, over their "
    "intervals. A rate of the shop's own, in the machine's form, wins over all of it."
)


class CostsDialog(QDialog):
    """The fields of COST_FIELDS, and below them the sum."""

    def __init__(self, parent: QWidget, presenter: UpkeepPresenter) -> None:
        super().__init__(parent)
        self.presenter = presenter
        self.setWindowTitle(tr("What an hour costs"))
        machine = presenter.machine
        assert machine is not None
        self.fields: dict[str, Number] = {}
        grid = QGridLayout()
        grid.setVerticalSpacing(px(6))
        for n, (key, text) in enumerate(cost_texts(machine.costs).items()):
            field = Number(COST_FIELDS[key], 150 if key == "filters" else 80, grows=False)
            field.setText(text)
            field.textEdited.connect(lambda _: self._try())
            self.fields[key] = field
            grid.addWidget(label(COST_FIELDS[key], "ui", "second"), n, 0)
            grid.addWidget(field, n, 1)
        self.fields["filters"].setPlaceholderText("90 / 150; 35 / 40")
        self.told = label("", "ui_b", wrap=True)
        self.keep = button(tr("Keep it"), "main")
        self.keep.clicked.connect(self._keep)
        leave = button(tr("Leave it"))
        leave.clicked.connect(self.reject)
        self.setLayout(
            col(
                label(tr("What an hour costs"), "h2"),
                hair("bold"),
                grid,
                label(SERVICES, "small", "second", wrap=True),
                self.told,
                None,
                row(self.keep, leave, None, gap=10),
                gap=8,
                margins=(20, 16, 20, 16),
            )
        )
        self.resize(px(520), px(520))
        self._try()

    def _texts(self) -> dict[str, str]:
        return {key: field.text() for key, field in self.fields.items()}

    def _try(self) -> None:
        machine = self.presenter.machine
        if machine is None:
            return
        try:
            costs = self.presenter.costs_typed(self._texts())
        except AlmanacError as problem:
            self.told.setText(str(problem))
            self.keep.setEnabled(False)
            return
        self.keep.setEnabled(True)
        self.told.setText(cost_words(with_costs(machine, costs)))

    def _keep(self) -> None:
        self._try()
        if self.keep.isEnabled() and self.presenter.keep_costs(self._texts()):
            self.accept()
