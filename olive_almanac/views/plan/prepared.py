"""How the piece is prepared: in Plan one line for each recipe that is burnt."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QVBoxLayout, QWidget

from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.records.recipe import Recipe, key_of
from olive_almanac.core.records.trial import MOST_RECIPES
from olive_almanac.core.words import tr
from olive_almanac.steps.preparing import LETTERS, recipe_line
from olive_almanac.views.parts import (
    Word,
    WordPicker,
    box,
    button,
    clear_layout,
    label,
    row,
    tip_text,
)
from olive_almanac.views.recipe_dialog import RecipeDialog
from olive_almanac.views.theme import compact, px

if TYPE_CHECKING:
    from olive_almanac.views.plan.page import PlanPage

__all__ = ["Prepared"]

STEPS = "steps"
DROP = "drop"


class Prepared(QWidget):
    """A word to choose for each recipe, its steps below; where recipes are compared, a key to add
    one.
    """

    def __init__(self, page: PlanPage) -> None:
        super().__init__()
        self._page = page
        self.rows = QVBoxLayout(self)
        self.rows.setContentsMargins(0, 0, 0, 0)
        self.rows.setSpacing(px(compact(0, 2)))
        self.pickers: list[WordPicker] = []
        self._shown: object = None

    def show_recipes(self) -> None:
        """Show how the pieces are prepared now."""
        presenter = self._page.presenter
        choices, recipes = presenter.recipe_choices, presenter.shown_recipes
        compares = kind_of(presenter.texts["kind"]).compares_recipes
        now = (choices, recipes, compares)
        if now == self._shown:
            return
        self._shown = now
        clear_layout(self.rows)
        self.pickers = []
        for at, recipe in enumerate(recipes):
            self._add_row(at, recipe, compares=compares, several=len(recipes) > 2)
        if compares and len(recipes) < MOST_RECIPES:
            self._offer_another(recipes)

    def _add_row(self, at: int, recipe: Recipe, *, compares: bool, several: bool) -> None:
        presenter = self._page.presenter
        known = [one.recipe for one in presenter.recipe_choices]
        if recipe not in known:
            known.append(recipe)
        names = [(str(n), one.name) for n, one in enumerate(known)]
        extra = [(STEPS, tr("change its steps …"))]
        if several:
            extra.append((DROP, tr("leave it out")))
        name = (
            tr("How piece {letters} is prepared", letters=LETTERS[at])
            if compares
            else tr("How the piece is prepared")
        )
        picker = WordPicker("ui_b", name=name)
        picker.set_choices([*names, *extra], str(known.index(recipe)))
        picker.picked.connect(lambda key: self._picked(at, key, known))
        line = "" if recipe.is_plain else recipe_line(recipe)
        picker.setToolTip(tip_text(line or tr("Nothing is done to the piece.")))
        self.pickers.append(picker)
        words = f"{LETTERS[at]}:" if compares else tr("Prepared:")
        self.rows.addWidget(box(row(Word(words, "ui"), picker, None, gap=6)))
        if line and compares:
            self.rows.addWidget(label(line, "small", "second", wrap=True))

    def _offer_another(self, recipes: tuple[Recipe, ...]) -> None:
        taken = {key_of(one) for one in recipes}
        choices = self._page.presenter.recipe_choices
        left = [one.recipe for one in choices if key_of(one.recipe) not in taken]
        if not left:
            return
        add = button(tr("Compare one more"), "plain", tip=tr("up to four, side by side"))
        add.clicked.connect(lambda: self._page.presenter.prepare(len(recipes), left[0]))
        self.rows.addWidget(box(row(add, None)))

    def _picked(self, at: int, key: str, known: list[Recipe]) -> None:
        presenter = self._page.presenter
        if key == DROP:
            presenter.prepare(at, None)
        elif key != STEPS:
            presenter.prepare(at, known[int(key)])
        else:
            self._shown = None  # the word goes back to the recipe
            self.show_recipes()
            self._edit(at)

    def _edit(self, at: int) -> None:
        presenter = self._page.presenter
        dialog = RecipeDialog(self._page.main_window, presenter.shown_recipes[at])
        dialog.accepted.connect(lambda: presenter.prepare(at, dialog.recipe))
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()
