"""The steps of a recipe: what is done before the burn and after it, one row each."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QDialog, QGridLayout, QLineEdit, QVBoxLayout

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.recipe import AFTER, BEFORE, KIND_WORDS, MOST_STEPS, Recipe
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.steps.preparing import (
    SIDE_WORDS,
    StepTexts,
    recipe_from,
    recipe_line,
    texts_of_steps,
)
from olive_almanac.views.parts import (
    Heading,
    Number,
    Page,
    button,
    clear_layout,
    col,
    hair,
    label,
    own_picker,
    row,
    scrolling,
)
from olive_almanac.views.theme import px

if TYPE_CHECKING:
    from olive_almanac.views.window import MainWindow

__all__ = ["RecipeDialog"]

FRESH: StepTexts = {
    "kind": "",
    "what": "",
    "amount": "",
    "side": "top",
    "tool": "",
    "minutes": "",
    "needed": "",
    "reason": "",
}
NEEDED = {"": tr("if wanted"), "yes": tr("needed")}
WIDTHS = {"what": 210, "amount": 130, "tool": 80}
HINTS = {"what": tr("what"), "amount": tr("how much"), "tool": tr("tool")}
COLUMNS = 7


class RecipeDialog(QDialog):
    """The steps of a recipe as rows; what they come to is told below in one line.  `recipe` is the
    one that was kept.
    """

    def __init__(self, window: MainWindow, recipe: Recipe) -> None:
        super().__init__(window)
        self._base = self.recipe = recipe
        self.setWindowTitle(tr("Steps of a recipe"))
        self.name = QLineEdit(recipe.name)
        self.name.setAccessibleName(tr("Name of the recipe"))
        self.name.setMaxLength(60)
        self.name.textEdited.connect(lambda _: self._try())
        self.before, self.after = (list(part) for part in texts_of_steps(recipe))
        self.rows = QVBoxLayout()
        self.rows.setSpacing(px(4))
        inside = Page()
        inside.setLayout(self.rows)
        self.told = label("", "ui_b", wrap=True)
        self.keep = button(tr("Take these steps"), "main")
        self.keep.clicked.connect(self._keep)
        leave = button(tr("Leave it"))
        leave.clicked.connect(self.reject)
        self.setLayout(
            col(
                row(label(tr("Steps of"), "h2"), self.name, gap=10),
                hair("bold"),
                scrolling(inside, (px(300), px(200))),
                self.told,
                row(self.keep, leave, None, gap=10),
                gap=8,
                margins=(20, 16, 20, 16),
            )
        )
        self.resize(px(940), px(560))
        self._lay()

    def _lay(self) -> None:
        clear_layout(self.rows)
        self._lay_part(tr("Before the burn"), self.before, BEFORE)
        self._lay_part(tr("After the burn"), self.after, AFTER)
        self.rows.addStretch(1)
        self._try()

    def _lay_part(self, words: str, steps: list[StepTexts], kinds: Sequence[str]) -> None:
        self.rows.addWidget(Heading(words))
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(8))
        grid.setVerticalSpacing(px(3))
        for at in range(len(steps)):
            self._lay_step(grid, at, steps, kinds)
        self.rows.addLayout(grid)
        add = button(tr("Add a step"), "plain")
        add.setAccessibleName(tr("Add a step {words}", words=mid_sentence(words)))
        add.clicked.connect(lambda: self._add(steps, kinds))
        add.setEnabled(len(steps) < MOST_STEPS)
        self.rows.addLayout(row(add, None))

    def _lay_step(
        self, grid: QGridLayout, at: int, steps: list[StepTexts], kinds: Sequence[str]
    ) -> None:
        step, number = steps[at], tr("step {at}", at=at + 1)
        kind = own_picker(
            tr("Kind of {number}", number=number),
            {one: KIND_WORDS[one] for one in kinds},
            step["kind"],
        )
        kind.picked.connect(lambda key: self._change(step, "kind", key))
        grid.addWidget(kind, at, 0)
        for n, key in enumerate(WIDTHS, 1):
            field = QLineEdit(step[key])
            field.setPlaceholderText(HINTS[key])
            field.setAccessibleName(tr("{hints} of {number}", hints=HINTS[key], number=number))
            field.setMinimumWidth(px(WIDTHS[key]))
            field.textEdited.connect(lambda text, key=key: self._change(step, key, text))
            grid.addWidget(field, at, n)
        side = own_picker(tr("Side of {number}", number=number), SIDE_WORDS, step["side"])
        side.picked.connect(lambda key: self._change(step, "side", key))
        minutes = Number(tr("Minutes of {number}", number=number), 44)
        minutes.setText(step["minutes"])
        minutes.textEdited.connect(lambda text: self._change(step, "minutes", text))
        grid.addLayout(row(side, minutes, label("min", "ui", "second"), gap=6), at, 4)
        if kinds is BEFORE:
            needed = own_picker(tr("Is {number} needed", number=number), NEEDED, step["needed"])
            needed.picked.connect(lambda key: self._change(step, "needed", key))
            grid.addWidget(needed, at, 5)
        up = button(tr("Up"), "plain")
        up.setAccessibleName(tr("Move {number} up", number=number))
        up.setEnabled(at > 0)
        up.clicked.connect(lambda: self._move(steps, at))
        drop = button(tr("Drop"), "plain")
        drop.setAccessibleName(tr("Drop {number}", number=number))
        drop.clicked.connect(lambda: self._drop(steps, at))
        grid.addLayout(row(up, drop, gap=4), at, COLUMNS - 1)
        grid.setColumnStretch(1, 1)

    def _change(self, step: StepTexts, key: str, text: str) -> None:
        step[key] = text
        self._try()

    def _add(self, steps: list[StepTexts], kinds: Sequence[str]) -> None:
        steps.append({**FRESH, "kind": kinds[1]})
        self._lay()

    def _move(self, steps: list[StepTexts], at: int) -> None:
        steps[at - 1], steps[at] = steps[at], steps[at - 1]
        self._lay()

    def _drop(self, steps: list[StepTexts], at: int) -> None:
        del steps[at]
        self._lay()

    def _try(self) -> bool:
        try:
            self.recipe = recipe_from(self.name.text(), self.before, self.after, self._base)
        except AlmanacError as problem:
            self.told.setText(str(problem))
            self.keep.setEnabled(False)
            return False
        self.told.setText(recipe_line(self.recipe))
        self.keep.setEnabled(True)
        return True

    def _keep(self) -> None:
        if self._try():
            self.accept()
