"""The Plan station: choices as sentences at the left, the coupon to scale, and in short what it will cost."""

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from olive_almanac.core.records.setting import AIRS
from olive_almanac.core.units import duration_text, lengths_text, number_text, percent_text, speed_in
from olive_almanac.steps.plan import PlanPresenter
from olive_almanac.views.disputed import DisputedQuestion
from olive_almanac.views.marks import Mark
from olive_almanac.views.parts import (
    Heading,
    Number,
    Page,
    Segments,
    Word,
    WordPicker,
    box,
    button,
    clear_layout,
    col,
    hair,
    head,
    label,
    page_margins,
    row,
)
from olive_almanac.views.plan.sheet import EnergyKey, PlanSheet
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import close, px

FIELD_OF = {                                             # the presenter's words for a bad field -> the fields to mark
    "Power": ("power_from", "power_to"), "Steps of power": ("power_steps",), "Speed": ("speed_from", "speed_to"),
    "Steps of speed": ("speed_steps",), "Passes": ("passes",), "Focus": ("focus",), "Line pitch": ("pitch",), "Cell side": ("cell",),
    "Gap between cells": ("gap",), "Rest": ("rest",), "Place along X": ("x",), "Place along Y": ("y",), "Place of the coupon": ("x", "y"),
}  # fmt: skip


class Choices(Page):
    """The left column: one sentence a factor."""

    def __init__(self, page) -> None:
        super().__init__()
        self._page = page
        self.setFixedWidth(px(close(322, 352)))
        self.title = label("", "h1")
        self.fields: dict[str, Number] = {}
        self.levels = {"power": label("", "ui"), "speed": label("", "ui", wrap=True)}
        self.speed_unit = Word("", "ui")
        self.air = WordPicker("ui_b", name="Air")
        self.air.picked.connect(lambda key: page.change("air", key))
        layout = QVBoxLayout(self)
        page_margins(layout, right=close(14, 20))
        layout.addLayout(head(self.title, None))
        gap = close(4, 6)
        layout.addSpacing(px(gap))
        layout.addLayout(self._varied("power", "Power", "up the side", "% in"))
        self._rule(layout, gap)
        layout.addLayout(self._varied("speed", "Speed", "along the foot", "in"))
        self._rule(layout, gap)
        layout.addLayout(self._held("Passes", "held at", self._number("passes", "Passes", 48)))
        self._rule(layout, close(2, 3))
        layout.addLayout(
            self._held("Focus", "held at", self._number("focus", "Focus in mm below the top face", 58), "mm below the face")
        )
        self._rule(layout, close(2, 3))
        self.pitch_row = box(self._held("Line pitch", "held at", self._number("pitch", "Line pitch in mm", 68), "mm"))
        layout.addWidget(self.pitch_row)
        self.pitch_rule = box(col(close(2, 3), hair(), close(2, 3), gap=0))
        layout.addWidget(self.pitch_rule)
        layout.addLayout(self._held("Air", "held at", self.air))
        layout.addSpacing(px(close(3, 6)))
        layout.addWidget(Heading("The coupon"))
        layout.addSpacing(px(2))
        layout.addLayout(
            row(
                Word("Squares of", "ui"),
                self._number("cell", "Cell side in mm", 48),
                Word("mm,", "ui"),
                self._number("gap", "Gap between cells in mm", 44),
                Word("mm apart", "ui"),
                None,
                gap=close(5, 7),
            )
        )
        layout.addLayout(
            row(
                Word("at", "ui"),
                self._number("x", "Place along X in mm", 54),
                Word("×", "ui"),
                self._number("y", "Place along Y in mm", 54),
                Word("mm on the bed", "ui"),
                None,
                gap=7,
            )
        )
        layout.addLayout(
            row(
                Word("Low energy first, rest", "ui"),
                self._number("rest", "Rest between cells in s", 44),
                Word("s", "ui"),
                None,
                gap=7,
            )
        )
        layout.addStretch(1)

    def _rule(self, layout, gap: int) -> None:
        layout.addSpacing(px(gap))
        layout.addWidget(hair())
        layout.addSpacing(px(gap))

    def _number(self, key: str, name: str, width: int = 58) -> Number:
        made = Number(name, width)
        made.textEdited.connect(lambda text: self._page.change(key, text))
        self.fields[key] = made
        return made

    def _varied(self, key: str, name: str, where: str, before_steps: str):
        middle = [Word(before_steps, "ui")]
        if key == "speed":
            self.unit_label = label("", "small", "second")
        first = row(label(name, "h3"), label(where, "small", "second"), None, *([self.unit_label] if key == "speed" else []), gap=8)
        sentence = row(
            Word("from", "ui"),
            self._number(f"{key}_from", f"{name} from"),
            Word("to", "ui"),
            self._number(f"{key}_to", f"{name} to"),
            *middle,
            self._number(f"{key}_steps", f"Steps of {name.lower()}", 44),
            Word("steps", "ui"),
            None,
            gap=close(5, 7),
        )
        return col(first, sentence, self.levels[key], gap=4)

    def _held(self, name: str, words: str, part: QWidget, unit: str = ""):
        return row(label(name, "h3"), 2, Word(words, "ui"), part, Word(unit, "ui"), None, gap=close(4, 7))

    def show_texts(self, texts: dict[str, str], unit: str, *, engrave: bool, name: str) -> None:
        for key, field in self.fields.items():
            if field.text() != texts[key]:
                field.setText(texts[key])
        self.air.set_choices([(air, air) for air in AIRS], texts["air"])
        self.unit_label.setText(unit)
        self.pitch_row.setVisible(engrave)
        self.pitch_rule.setVisible(engrave)
        self.title.setText(f"Plan {name[0].lower()}{name[1:]}" if name else "Plan")

    def mark_bad(self, field: str) -> None:
        keys = FIELD_OF.get(field, ())
        for key, part in self.fields.items():
            part.set_bad(key in keys)


class InShort(Page):
    """The right column: cells, time, area, energy, what to mind, and the buttons."""

    def __init__(self, page) -> None:
        super().__init__()
        self.setFixedWidth(px(close(236, 268)))
        layout = QVBoxLayout(self)
        page_margins(layout, left=close(16, 20))
        layout.addLayout(head(label("In short", "h2"), None))
        layout.addSpacing(px(4))
        self.values = {}
        for name, unit in (("Cells", ""), ("Burning", ""), ("Area", "mm"), ("Energy", "")):
            value, unit_label = label("", "num4"), label(unit, "ui", "second")
            self.values[name] = (value, unit_label)
            layout.addLayout(row(label(name, "ui", "second"), None, value, unit_label, gap=5))
            layout.addSpacing(px(1))
            layout.addWidget(hair())
            layout.addSpacing(px(2))
        self.mind = QVBoxLayout()
        self.mind.setSpacing(px(6))
        layout.addSpacing(px(10))
        layout.addLayout(self.mind)
        layout.addStretch(1)
        self.suggest = button("Suggest levels again", "plain", tip="from the family of the stock, the beam and the thickness")
        self.suggest.clicked.connect(page.suggest)
        self.key = button("Print the cell key", tip="writes the files and opens the key as PDF, Ctrl+P")
        self.key.clicked.connect(page.print_page)
        self.write = button("Write the burn file", "main", tip="Ctrl+Enter")
        self.write.clicked.connect(page.main_action)
        for part in (self.suggest, self.write, self.key):
            layout.addWidget(part)
            layout.addSpacing(px(close(3, 8)))

    def show_plan(self, plan, energy_unit: str) -> None:
        trial = plan.trial
        low, high = plan.energy_range
        texts = {
            "Cells": str(len(trial.cells)),
            "Burning": duration_text(trial.seconds),
            "Area": lengths_text(trial.coupon.width_mm, trial.coupon.height_mm),
            "Energy": f"{number_text(low, 2)} to {number_text(high, 2)}",
        }
        for name, text in texts.items():
            self.values[name][0].setText(text)
        self.values["Energy"][1].setText(energy_unit)
        notes = [("stop", "act", f"{len(plan.refused)} cells left out", plan.refused[0].why)] if plan.refused else []
        notes += [("stop", "mind", "Mind the speed", remark) for remark in plan.remarks]
        self._show_notes(notes)
        self.write.setEnabled(True)
        self.key.setEnabled(True)

    def show_problem(self, text: str) -> None:
        for value, _ in self.values.values():
            value.setText("none")
        self._show_notes([("stop", "act", "Not possible so", text)])
        self.write.setEnabled(False)
        self.key.setEnabled(False)

    def _show_notes(self, notes) -> None:
        clear_layout(self.mind)
        if notes:
            self.mind.addWidget(Heading("Mind this"))
        for kind, level, words, detail in notes:
            text = col(label(words, "ui_b", wrap=True), label(detail, "small", "second", wrap=True), gap=0)
            line = row(col(Mark(kind, level, 28), None), text, gap=10)
            line.setStretch(1, 1)
            self.mind.addWidget(box(line))


class PlanPage(StationPage):
    """Joins the three columns; the presenter remakes the plan at every change."""

    def __init__(self, window) -> None:
        super().__init__(window)
        self.choices, self.short = Choices(self), InShort(self)
        self.sheet, self.key = PlanSheet(), EnergyKey()
        self.centre_title = label("", "h2")
        self.view = Segments(["coupon", "whole bed"], 0, "What the drawing shows")
        self.view.chosen.connect(lambda at: self.sheet.show_whole_bed(at == 1))
        self.sheet.dragged.connect(self._dragged)
        centre = Page()
        layout = QVBoxLayout(centre)
        page_margins(layout, left=close(14, 20), right=close(14, 20))
        layout.addLayout(head(self.centre_title, None, self.view))
        layout.addSpacing(px(8))
        layout.addWidget(self.sheet, 1)
        layout.addWidget(self.key)
        self.columns = QWidget()
        across = QHBoxLayout(self.columns)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        for part, stretch in ((self.choices, 0), (hair("vhair"), 0), (centre, 1), (hair("vhair"), 0), (self.short, 0)):
            across.addWidget(part, stretch)
        self.refusal = Page()
        refused = QVBoxLayout(self.refusal)
        page_margins(refused)
        refused.addLayout(head(label("Nothing to plan", "h1"), None))
        refused.addSpacing(px(18))
        self.refusal_text = label("", "h2", wrap=True)
        self.refusal_more = label("", "ui", "second", wrap=True)
        refused.addWidget(self.refusal_text)
        refused.addSpacing(px(8))
        refused.addWidget(self.refusal_more)
        refused.addSpacing(px(14))
        self.question = DisputedQuestion(self.session)
        refused.addWidget(self.question)
        refused.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.columns)
        whole.addWidget(self.refusal)
        self.presenter = PlanPresenter(self.session, self)
        self._basis: object = None
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.timeout.connect(self.presenter.remake)

    def enter(self) -> None:
        subject, permission = self.session.subject, self.session.permission
        self.columns.setVisible(permission.allowed)
        self.refusal.setVisible(not permission.allowed)
        self.refusal_text.setText(permission.reason)
        self.refusal_more.setText(permission.instead or ("" if permission.reason else "Set up adds them."))
        self.question.show_permission(permission)
        desk = self.session.desk
        basis = (subject, desk.trial.id if desk else "", self.session.preferences.speed_unit)
        if permission.allowed and basis != self._basis:
            self._basis = basis
            self.presenter.start()
        self.choices.fields["power_from"].setFocus()

    def heard(self, what: str) -> None:
        if what in ("subject", "desk"):
            self.enter()

    def change(self, key: str, text: str) -> None:
        """Take a field as typed; the plan is remade when the keys rest for a moment."""
        self.presenter.texts[key] = text
        self._pause.start(60)

    def suggest(self) -> None:
        self.presenter.suggest()

    def plan_next(self, cells) -> None:
        """Plan the cells that a decision asked for."""
        self.presenter.plan_next(cells)

    def _dragged(self, x: float, y: float) -> None:
        for key, value in (("x", x), ("y", y)):
            self.choices.fields[key].setText(number_text(value, 4))
            self.presenter.texts[key] = number_text(value, 4)
        self.presenter.remake()

    # -- what the presenter shows ------------------------------------------------------------------------------------

    def show_choices(self, texts: dict[str, str]) -> None:
        engrave = self.session.subject.task == "engrave"
        self.choices.show_texts(texts, self.session.preferences.speed_unit, engrave=engrave, name=self.presenter.name)

    def show_plan(self, plan) -> None:
        from olive_almanac.core.design.grid import energy_unit

        unit, trial = self.session.preferences.speed_unit, plan.trial
        self.show_choices(self.presenter.texts)
        self.choices.mark_bad("")
        levels = {factor.name: factor.levels for factor in trial.factors}
        self.choices.levels["power"].setText(_level_text(percent_text(p / 100) for p in levels["power"]) + " %")
        self.choices.levels["speed"].setText(_level_text(number_text(speed_in(v, unit)) for v in levels["speed"]) + f" {unit}")
        self.centre_title.setText(f"On {trial.machine.name}")
        self.sheet.show_plan(plan, unit)
        low, high = plan.energy_range
        words = ("Line energy, " if trial.task == "cut" else "Areal energy, ") + energy_unit(trial.task)
        self.key.show_range(low, high, words, refused=bool(plan.refused))
        self.short.show_plan(plan, energy_unit(trial.task))

    def show_problem(self, field: str, text: str) -> None:
        self.choices.mark_bad(field)
        self.sheet.show_plan(None, self.session.preferences.speed_unit)
        self.short.show_problem(text)

    # -- keys --------------------------------------------------------------------------------------------------------

    def main_action(self) -> None:
        if self._pause.isActive():
            self._pause.stop()
            self.presenter.remake()
        if self.presenter.write() is not None:
            self.main_window.go("Burn")

    def print_page(self) -> None:
        from PySide6.QtCore import QUrl
        from PySide6.QtGui import QDesktopServices

        files = self.presenter.write()
        if files is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(files.key)))


def _level_text(levels) -> str:
    levels = list(levels)
    if len(levels) > 8:
        levels = [*levels[:3], "…", *levels[-2:]]
    return " · ".join(levels)
