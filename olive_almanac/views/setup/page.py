"""The Set up station: the machine at the left, the stock at the right, as sentences with fields."""

from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from olive_almanac.steps.set_up import (
    Field,
    SetUpPresenter,
    controller_fields,
    machine_facts,
    machine_fields,
    power_fields,
    stock_fields,
)
from olive_almanac.views.parts import Page, Segments, WordPicker, button, clear_layout, hair, head, label, page_margins, row
from olive_almanac.views.setup.checklist import ChecklistPage
from olive_almanac.views.setup.dialogs import FocusDialog, StateDialog
from olive_almanac.views.setup.verdicts import VerdictPanel
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import close, px, scaled_font


def _field_width(field: Field) -> int:
    if field.wide:
        return close(170, 210)
    if field.short or (field.unit == "mm" or field.beside):
        return close(84, 92)
    return close(96, 120) if field.unit else close(150, 190)


class Form(Page):
    """A form made from `Field`s: words, field, unit, half a line of help.

    Signals:
        saved(): the main button was pressed or Enter typed.
        left(): back from a new form.
        new_asked(): the operator wants another one.
        source_changed(str): a choice that renews the other defaults was made.
    """

    saved = Signal()
    left = Signal()
    new_asked = Signal()
    source_changed = Signal(str)

    def __init__(self, noun: str, parts: tuple[str, ...] = ()) -> None:
        super().__init__()
        self.noun = noun
        self.title = label("", "h1")
        self.parts = Segments(parts, 0, f"Part of the {noun}") if parts else None
        self.add = button(f"Add a {noun}", "plain")
        self.add.clicked.connect(self.new_asked)
        self.back = button("Back", "plain")
        self.back.clicked.connect(self.left)
        self.save = button("", "main")
        self.save.clicked.connect(self.saved)
        self.problem = label("", "ui", "ember", wrap=True)
        self.done = label("", "small", "second")
        self._grid_holder = QWidget()
        self._grid = QGridLayout(self._grid_holder)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(px(10))
        self._grid.setVerticalSpacing(0)
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(head(self.title, None, self.back, self.add))
        layout.addSpacing(px(6))
        if self.parts is not None:
            layout.addWidget(self.parts)
            layout.addSpacing(px(4))
        layout.addWidget(self._grid_holder)
        layout.addSpacing(px(6))
        layout.addWidget(self.problem)
        self.extra = QVBoxLayout()
        layout.addLayout(self.extra)
        layout.addStretch(1)
        self.foot = row(self.save, self.done, None, gap=12)
        layout.addLayout(self.foot)
        self.fields: dict[str, QLineEdit | WordPicker] = {}
        self._words: dict[str, str] = {}

    def show_fields(self, fields: tuple[Field, ...], title: str, save: str, *, can_leave: bool, can_add: bool) -> None:
        clear_layout(self._grid)
        self.fields, self._words = {}, {}
        self.title.setText(title)
        self.save.setText(save)
        self.back.setVisible(can_leave)
        self.add.setVisible(can_add)
        self.problem.setText("")
        for number, field in enumerate(fields):
            self._add_field(number, field, paired=number + 1 < len(fields) and bool(fields[number + 1].beside))
        self._grid.setColumnStretch(2, 1)

    def _add_field(self, number: int, field: Field, *, paired: bool) -> None:
        words = label(field.words, "ui", "second")
        if field.choices:
            part = WordPicker("ui_b", name=field.words)
            part.set_choices(field.choices, field.text)
            part.picked.connect(lambda key, part=part, field=field: self._picked(part, field, key))
        else:
            part = QLineEdit(field.text)
            part.setFont(scaled_font("field", 16))
            part.setAccessibleName(field.words)
            part.returnPressed.connect(self.saved)
            part.setFixedHeight(px(34))
            part.setFixedWidth(px(_field_width(field)))
        part.setAccessibleDescription(field.help)
        words.setBuddy(part)
        self.fields[field.key], self._words[field.key] = part, field.words
        if field.beside:
            self._line.addWidget(label(field.beside, "ui", "second"))
            self._line.addWidget(part)
            self._line.addWidget(label(field.unit, "ui", "second"))
            return
        self._line = row(part, label(field.unit, "ui", "second"), gap=8)
        self._grid.addWidget(words, number, 0)
        self._grid.addLayout(self._line, number, 1, 1, 2 if paired else 1, Qt.AlignmentFlag.AlignLeft)
        part.setToolTip(field.help)
        self._grid.setRowMinimumHeight(number, px(37))
        if paired:
            return
        help_line = label(field.help, "small", "second", wrap=True)
        self._grid.addWidget(help_line, number, 2)
        help_line.setVisible(not close(True, False))

    def _picked(self, part: WordPicker, field: Field, key: str) -> None:
        part.set_choices(field.choices, key)
        if field.key_change:
            self.source_changed.emit(key)

    def texts(self) -> dict[str, str]:
        return {key: part.key if isinstance(part, WordPicker) else part.text() for key, part in self.fields.items()}

    def show_bad(self, words: str, problem: str) -> None:
        """Mark the field concerned and say what is wrong."""
        self.problem.setText(problem)
        self.done.setText("")
        for key, part in self.fields.items():
            bad = bool(words) and (self._words[key] == words or words.endswith(self._words[key].lower()))
            if isinstance(part, QLineEdit):
                part.setProperty("bad", bad)
                part.style().unpolish(part)
                part.style().polish(part)
                if bad:
                    part.setFocus()

    def focus_first(self) -> None:
        next(iter(self.fields.values())).setFocus()


class SetUpPage(StationPage):
    """Shows both forms and saves them through the presenter."""

    def __init__(self, window) -> None:
        super().__init__(window)
        self.machine_form, self.stock_form = Form("machine", ("basics", "power and lens", "controller")), Form("stock")
        self.forms = QWidget()
        across = QHBoxLayout(self.forms)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self.machine_form, 1)
        across.addWidget(hair("vhair"))
        across.addWidget(self.stock_form, 1)
        self.verdicts = VerdictPanel(self.session)
        self.stock_form.extra.addWidget(self.verdicts)
        self.facts = label("", "small", "second", wrap=True)
        self.machine_form.extra.addWidget(self.facts)
        self.changed = button("Something has changed", tip="lens, air, tube, alignment or module: starts a new machine state")
        self.changed.clicked.connect(lambda: self._ask(StateDialog, self.changed))
        self.focus_test = button("Focus test", tip="line widths at heights, the caustic through them")
        self.focus_test.clicked.connect(lambda: self._ask(FocusDialog, self.focus_test))
        self.safety = button("Safety page", tip="eyes, fume, fire for this machine and stock, as PDF")
        self.safety.clicked.connect(self._print_safety)
        self.machine_form.extra.addSpacing(px(4))
        self.machine_form.extra.addLayout(row(self.changed, self.focus_test, self.safety, None, gap=close(5, 8)))
        self.checklist = ChecklistPage(self.session, window.outside.now)
        self.checklist.forms_asked.connect(lambda: self.show_part(self.forms))
        self.checklist.done_asked.connect(self._go_on)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.forms)
        whole.addWidget(self.checklist)
        self.checklist.hide()
        self.to_checklist = button("Checklist at the machine", tip="focus, square, level, frame, exhaust, look round, stay")
        self.to_checklist.clicked.connect(lambda: self.show_part(self.checklist))
        self.machine_form.foot.addWidget(self.to_checklist)
        self.presenter = SetUpPresenter(self.session, self)
        self._source = "diode"
        for form, name in ((self.machine_form, "machine"), (self.stock_form, "stock")):
            form.new_asked.connect(lambda name=name: self.begin_new(name))
            form.left.connect(lambda name=name: self.presenter.leave_new(name))
        self.machine_form.parts.chosen.connect(lambda _: self.show_forms())
        self.machine_form.saved.connect(self._save_machine)
        self.stock_form.saved.connect(self._save_stock)
        self.machine_form.source_changed.connect(self._renew_source)
        self.show_forms()

    def enter(self) -> None:
        self.show_forms()
        ready = self.session.subject.complete and not (self.presenter.new_machine or self.presenter.new_stock)
        self.show_part(self.checklist if ready else self.forms)

    def show_part(self, part: QWidget) -> None:
        """Show the forms or the checklist."""
        self.forms.setVisible(part is self.forms)
        self.checklist.setVisible(part is self.checklist)
        self.to_checklist.setVisible(self.session.subject.complete)
        if part is self.checklist:
            self.checklist.show_checklist()
            self.checklist.setFocus()
        else:
            (self.machine_form if self.presenter.new_machine else self.stock_form).focus_first()

    def heard(self, what: str) -> None:
        if what == "shelf":
            asked = self.verdicts.question.isVisible()
            self.verdicts.refresh()
            if asked and self.session.permission.allowed:
                self.show_part(self.checklist)  # the shop has just decided
        if what == "subject":
            if self.session.subject.machine and not self.presenter.new_machine:
                self.presenter.leave_new("machine")
            self.show_forms()
        if what in ("subject", "desk") and not self.checklist.isHidden():
            self.checklist.show_checklist()

    def begin_new(self, form: str) -> None:
        self.show_part(self.forms)
        self.presenter.begin_new(form)
        (self.machine_form if form == "machine" else self.stock_form).focus_first()

    def show_forms(self) -> None:
        machine, stock, shelf = self.presenter.machine, self.presenter.stock, self.session.shelf
        self.machine_form.show_fields(
            self._machine_fields(machine),
            machine.name if machine else "Your machine" if not shelf.machines else "Another machine",
            "Keep these changes" if machine else "Add this machine",
            can_leave=self.presenter.new_machine and bool(shelf.machines),
            can_add=machine is not None,
        )
        self.stock_form.show_fields(
            stock_fields(stock),
            stock.short_name if stock else "Your first stock" if not shelf.stocks else "Another stock",
            "Keep these changes" if stock else "Add this stock",
            can_leave=self.presenter.new_stock and bool(shelf.stocks),
            can_add=stock is not None,
        )
        self.verdicts.refresh(shown=stock is not None)
        self.facts.setText(machine_facts(machine) if machine else "")
        for part in (self.facts, self.changed, self.focus_test):
            part.setVisible(machine is not None)
        self.safety.setVisible(self.session.subject.complete)

    def _machine_fields(self, machine):
        self.machine_form.parts.setVisible(machine is not None)
        part = self.machine_form.parts.at if machine is not None else 0
        return (
            power_fields(machine)
            if part == 1
            else controller_fields(machine)
            if part == 2
            else machine_fields(machine, self._source)
        )

    def show_bad_field(self, form: str, field: str, problem: str) -> None:
        (self.machine_form if form == "machine" else self.stock_form).show_bad(field, problem)

    def _renew_source(self, source: str) -> None:
        """A new machine of another source gets that source's usual values; a known machine keeps its own."""
        if self.presenter.machine is None:
            name = self.machine_form.texts()["name"]
            self._source = source
            self.show_forms()
            self.machine_form.fields["name"].setText(name)

    def _save_machine(self) -> None:
        if self.presenter.save_machine(self.machine_form.texts()):
            self.machine_form.done.setText("Kept.")
            if self.presenter.new_stock:
                self.stock_form.focus_first()

    def _save_stock(self) -> None:
        if self.presenter.save_stock(self.stock_form.texts()):
            self.stock_form.done.setText("Kept.")
            self._lead_on()

    def _ask(self, kind, asker) -> None:
        dialog = kind(self.presenter, self)
        dialog.finished.connect(lambda _: asker.setFocus())
        dialog.open()

    def _print_safety(self) -> None:
        path = self.presenter.write_safety_page()
        if path is not None:
            self.machine_form.done.setText(f"In {path.parent.name}/{path.name}.")
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))

    def print_page(self) -> None:
        self._print_safety()

    def _lead_on(self) -> None:
        """After a stock was kept: ask what is disputed, stay where it must not burn, else on to the machine."""
        if self.session.permission.ask:
            self.verdicts.question.burn.setFocus()
        elif self.session.permission.allowed and self.session.entry is None:
            self.show_part(self.checklist)

    def _go_on(self) -> None:
        desk = self.session.desk
        self.main_window.go("Plan" if desk is None or desk.stage == "book" else "Burn")

    def main_action(self) -> None:
        if not self.checklist.isHidden():
            self.checklist.main_action()
        elif self.presenter.new_machine:
            self._save_machine()
        else:
            self._save_stock()
