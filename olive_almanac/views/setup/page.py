"""The Set up station: the machine at the left, the stock at the right, as sentences with fields."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from olive_almanac.core.words import tr
from olive_almanac.steps.requests import AddRecord, OpenForm, Request
from olive_almanac.steps.set_up import (
    SetUpPresenter,
    controller_fields,
    lens_and_since,
    machine_facts,
    machine_fields,
    power_fields,
    rack_words,
    stock_fields,
)
from olive_almanac.views.big_type import InHand
from olive_almanac.views.form import Form
from olive_almanac.views.parts import button, hair, label, row
from olive_almanac.views.setup.checklist import ChecklistPage
from olive_almanac.views.setup.dialogs import FocusDialog, MaterialDialog, StateDialog
from olive_almanac.views.setup.drawn import MachinePicture, StockPicture
from olive_almanac.views.setup.rack import RackPage, Shelf
from olive_almanac.views.setup.verdicts import VerdictPanel
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import compact, px

if TYPE_CHECKING:
    from olive_almanac.core.records.machine import Machine
    from olive_almanac.views.window import MainWindow


SHELF_FROM = 800  # height of the page, logical px, from which on there is room for the shelf


class SetUpPage(StationPage):
    """Shows both forms and saves them through the presenter."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        parts = (tr("basics"), tr("power and lens"), tr("controller"))
        self.machine_form = Form(
            tr("machine"), parts, MachinePicture(lambda: self.session.subject.stock)
        )
        self.stock_form = Form(tr("stock"), picture=StockPicture())
        self.forms = QWidget()
        across = QHBoxLayout(self.forms)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self.machine_form, 1)
        across.addWidget(hair("vhair"))
        across.addWidget(self.stock_form, 1)
        self.verdicts = VerdictPanel(self.session)
        self.stock_form.extra.addWidget(self.verdicts)
        self.shelf = Shelf()
        self.stock_form.extra.addWidget(self.shelf)
        self.facts = label("", "small", "second", wrap=True)
        self.machine_form.extra.addWidget(self.facts)
        self.changed = button(
            tr("Something has changed"),
            tip=tr("lens, air, tube, alignment or module: starts a new machine state"),
        )
        self.changed.clicked.connect(lambda: self._ask(StateDialog, self.changed))
        self.focus_test = button(
            tr("Focus test"), tip=tr("line widths at heights, the caustic through them")
        )
        self.focus_test.clicked.connect(lambda: self._ask(FocusDialog, self.focus_test))
        self.safety = button(
            tr("Safety page"), tip=tr("eyes, fume, fire for this machine and stock, as PDF")
        )
        self.safety.clicked.connect(self._print_safety)
        self.machine_form.extra.addSpacing(px(4))
        self.machine_form.extra.addLayout(
            row(self.changed, self.focus_test, self.safety, None, gap=compact(5, 8))
        )
        self.checklist = ChecklistPage(self.session, window.services.now)
        self.checklist.forms_asked.connect(lambda: self.show_part(self.forms))
        self.checklist.done_asked.connect(self._go_on)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.forms)
        whole.addWidget(self.checklist)
        self.rack = RackPage(self.session)
        self.rack.back_asked.connect(lambda: self.show_part(self.forms))
        whole.addWidget(self.rack)
        self.checklist.hide()
        self.rack.hide()
        self.to_checklist = button(
            tr("Checklist at the machine"),
            tip=tr("focus, square, level, frame, exhaust, look round, stay"),
        )
        self.to_checklist.clicked.connect(lambda: self.show_part(self.checklist))
        self.machine_form.foot.addWidget(self.to_checklist)
        self.to_rack = button(tr("Rack"), tip=tr("its sheets and offcuts, drawn to scale"))
        self.to_rack.clicked.connect(lambda: self.show_part(self.rack))
        self.stock_form.foot.addWidget(self.to_rack)
        self.shelf.chosen.connect(self._choose_sheet)
        self.shelf.opened.connect(lambda: self.show_part(self.rack))
        self.presenter = SetUpPresenter(self.session, self)
        self._source = "diode"
        self._resumes: QWidget | None = None  # the part that the last look showed
        self._held = ("", "")  # the field of each form that had the focus in it
        self._notes_next = False
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
        resumes, self._resumes = self._resumes, None
        if resumes is not None:
            self.show_part(resumes)
            for form, key in zip((self.machine_form, self.stock_form), self._held, strict=True):
                form.hold(key)
            return
        ready = self.session.subject.complete and not (
            self.presenter.new_machine or self.presenter.new_stock
        )
        if ready:
            self.show_part(self.checklist)
        else:
            self.show_part(self.forms)

    def kept(self) -> Any:
        presenter, parts = self.presenter, (self.forms, self.checklist, self.rack)
        return {
            "typed": (self.machine_form.typed, self.stock_form.typed),
            "new": (presenter.new_machine, presenter.new_stock, self._source, self._notes_next),
            "shown": next((n for n, part in enumerate(parts) if not part.isHidden()), 0),
            "leaf": self.machine_form.parts.at,
            "tools": self.checklist.presenter.texts,
            "held": (self.machine_form.held, self.stock_form.held),
        }

    def take_up(self, kept: Any) -> None:
        self.machine_form.take_typed(kept["typed"][0])
        self.stock_form.take_typed(kept["typed"][1])
        new = kept["new"]
        self.presenter.new_machine, self.presenter.new_stock, self._source, self._notes_next = new
        self.machine_form.parts.set_at(kept["leaf"])
        self.checklist.presenter.texts = kept["tools"]
        self._resumes, self._held = (
            (self.forms, self.checklist, self.rack)[kept["shown"]],
            kept["held"],
        )
        self.show_forms()

    def show_part(self, part: QWidget) -> None:
        """Show the forms, the checklist or the rack."""
        for one in (self.forms, self.checklist, self.rack):
            one.setVisible(part is one)
        self.to_checklist.setVisible(self.session.subject.complete)
        if part is self.checklist:
            self.checklist.presenter.resume()
            self.checklist.show_checklist()
            self.checklist.setFocus()
        elif part is self.rack:
            self.rack.open()
        else:
            (self.machine_form if self.presenter.new_machine else self.stock_form).focus_first()

    def catalogue_changed(self) -> None:
        if not self.rack.isHidden():
            self.rack.presenter.show()
        asked = self.verdicts.question.isVisible()
        self.verdicts.refresh()
        if asked and self.session.permission.allowed:
            self.show_part(self.checklist)  # the shop has just decided

    def subject_changed(self) -> None:
        if self.session.subject.machine and not self.presenter.new_machine:
            self.presenter.leave_new("machine")
        self.show_forms()
        self.trials_changed()

    def trials_changed(self) -> None:
        if not self.checklist.isHidden():
            self.checklist.show_checklist()

    def take(self, request: Request) -> None:
        if isinstance(request, AddRecord):
            self.begin_new(request.form)
            if request.then_notes:  # once the machine is kept, go on to the notes that are for it
                self._notes_next = True
                self.machine_form.say(tr("Your notes come next."))
        elif isinstance(request, OpenForm):
            self.show_part(self.forms)
            self.presenter.leave_new(request.form)
            self._form(request.form).focus_first()

    def begin_new(self, form: str) -> None:
        self._notes_next = False
        self.machine_form.say("")
        self.show_part(self.forms)
        self.presenter.begin_new(form)
        self._form(form).focus_first()

    def _form(self, form: str) -> Any:
        if form == "machine":
            return self.machine_form
        return self.stock_form

    def show_forms(self) -> None:
        machine, stock, catalogue = (
            self.presenter.machine,
            self.presenter.stock,
            self.session.catalogue,
        )
        for form, record in ((self.machine_form, machine), (self.stock_form, stock)):
            if form.picture is not None:
                form.picture.before = record
        self.machine_form.show_fields(
            self._machine_fields(machine),
            machine.name
            if machine
            else tr("Your machine")
            if not catalogue.machines
            else tr("Another machine"),
            tr("Keep these changes") if machine else tr("Add this machine"),
            can_leave=self.presenter.new_machine and bool(catalogue.machines),
            can_add=machine is not None,
            of=machine.uid if machine else "",
        )
        self.stock_form.show_fields(
            stock_fields(stock),
            stock.short_name
            if stock
            else tr("Your first stock")
            if not catalogue.stocks
            else tr("Another stock"),
            tr("Keep these changes") if stock else tr("Add this stock"),
            can_leave=self.presenter.new_stock and bool(catalogue.stocks),
            can_add=stock is not None,
            of=stock.uid if stock else "",
        )
        self.verdicts.tells_thickness = not self.stock_form.is_drawn
        self.verdicts.refresh(shown=stock is not None)
        self._show_shelf()
        self.to_rack.setVisible(stock is not None)
        self.to_rack.setText(rack_words(stock) if stock else tr("Rack"))
        facts = lens_and_since if self.machine_form.is_drawn else machine_facts
        self.facts.setText(facts(machine) if machine else "")
        self.facts.setVisible(bool(self.facts.text()))
        for part in (self.changed, self.focus_test):
            part.setVisible(machine is not None)
        self.safety.setVisible(self.session.subject.complete)

    def _machine_fields(self, machine: Machine) -> Any:
        self.machine_form.parts.setVisible(machine is not None)
        part = 0
        if machine is not None:
            part = self.machine_form.parts.at
        if part == 1:
            return power_fields(machine)
        if part == 2:
            return controller_fields(machine)
        return machine_fields(machine, self._source, self.session.preferences.speed_unit)

    def _choose_sheet(self, at: int) -> None:
        self.rack.presenter.choose_sheet(at)
        self._show_shelf()

    def _show_shelf(self) -> None:
        """The sheets of the stock to scale, where there is room for them."""
        stock = self.presenter.stock
        roomy = self.height() >= px(SHELF_FROM)
        self.shelf.setVisible(roomy and stock is not None and bool(stock.sheets))
        if stock is not None:
            self.shelf.show_screen(self.rack.presenter.screen(), stock)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._show_shelf()

    def show_bad_field(self, form: str, field: str, problem: str) -> None:
        (self.machine_form if form == "machine" else self.stock_form).show_bad(field, problem)

    def _renew_source(self, source: str) -> None:
        """A new machine of another source gets that source's usual values where nothing was typed;
        a known machine keeps its own.
        """
        if self.presenter.machine is None:
            self._source = source
            self.show_forms()

    def _save_machine(self) -> None:
        if self._kept(self.machine_form, self.presenter.save_machine):
            if self._notes_next:
                self._notes_next = False
                self.main_window.bring_in_notes()
            elif self.presenter.new_stock:
                self.stock_form.focus_first()

    def _kept(self, form: Form, save: Callable[[dict[str, str]], bool]) -> bool:
        """Keep what a form says; what was typed is then what the record says."""
        of = form.of
        if not save(form.texts()):
            return False
        form.forget_typed(of)
        self.show_forms()
        form.say(tr("Kept."))
        return True

    def _save_stock(self) -> None:
        other = self.presenter.entries_of_another_material(self.stock_form.texts())
        stock = self.presenter.stock
        if other and stock is not None:
            dialog = MaterialDialog(stock.short_name, other, self)
            dialog.answered.connect(self._keep_stock)
            dialog.finished.connect(dialog.deleteLater)
            dialog.open()
        else:
            self._keep_stock("change")

    def _keep_stock(self, how: str) -> None:
        """Keep the stock's form: as a change of it, or as another stock ("new")."""
        save = self.presenter.save_stock
        if how == "new":
            save = self.presenter.add_stock
        if self._kept(self.stock_form, save):
            self._lead_on()

    def _ask(self, kind: Any, asker: Any) -> None:
        dialog = kind(self.presenter, self)
        dialog.finished.connect(lambda _: asker.setFocus())
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _print_safety(self) -> None:
        path = self.presenter.write_safety_page()
        if path is not None:
            self.machine_form.say(
                tr("In {parent}/{path}.", parent=path.parent.name, path=path.name)
            )
            self.main_window.show_pages(path)

    def print_page(self) -> None:
        self._print_safety()

    def _lead_on(self) -> None:
        """After a stock was kept: ask what is disputed, stay where it must not burn, else on to the
        machine.
        """
        if self.session.permission.ask:
            self.verdicts.question.burn.setFocus()
        elif self.session.permission.allowed and self.session.entry is None:
            self.show_part(self.checklist)

    def _go_on(self) -> None:
        active = self.session.active
        if active is None or active.stage == "book":
            self.main_window.navigate("plan")
        else:
            self.main_window.navigate("burn")

    def in_hand(self) -> InHand:
        if self.checklist.isHidden():
            return super().in_hand()
        presenter = self.checklist.presenter
        check, result = presenter.check, presenter.result()
        told = tr(
            "{at} of {checks}, {left} left",
            at=presenter.at + 1,
            checks=len(presenter.checks),
            left=presenter.left,
        )
        keys = tr("Space ticks, up and down choose")
        return InHand(told, check.words, (presenter.number(check),), result.main, keys)

    def main_action(self) -> None:
        if not self.checklist.isHidden():
            self.checklist.main_action()
        elif self.presenter.new_machine:
            self._save_machine()
        else:
            self._save_stock()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Keys that reach the page itself are for the checklist where it is shown."""
        if self.checklist.isHidden():
            super().keyPressEvent(event)
        else:
            self.checklist.keyPressEvent(event)
