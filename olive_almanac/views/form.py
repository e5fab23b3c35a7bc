"""A form of sentences with fields, made from `Field` records: the machine, the stock, the serial
port.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.lengths import length_unit
from olive_almanac.core.units import length_number, read_lengths_mm, shown_unit
from olive_almanac.core.words import tr
from olive_almanac.steps.set_up import Field
from olive_almanac.views.parts import (
    Page,
    Segments,
    TextField,
    WordPicker,
    button,
    clear_layout,
    head,
    label,
    page_margins,
    row,
)
from olive_almanac.views.theme import compact, px, scaled_font


def _field_width(field: Field) -> int:
    if field.wide:
        return compact(170, 210)
    if field.short or (field.unit == "mm" or field.beside):
        return compact(84, 92)
    if field.unit:
        return compact(96, 120)
    return compact(150, 190)


HELP = {tr("machine"): "set_up/The machine", tr("stock"): "set_up/What must not burn"}


class Form(Page):
    """A form made from `Field`s: words, field, unit, half a line of help.

    What is typed and not kept yet comes back whenever the form of the same record is shown again.

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
        if parts:
            self.parts = Segments(parts, 0, tr("Part of the {noun}", noun=noun))
        else:
            self.parts: Any = None
        self.add = button(tr("Add a {noun}", noun=noun), "plain")
        self.add.clicked.connect(self.new_asked)
        self.back = button(tr("Back"), "plain")
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
        layout.addLayout(head(self.title, None, self.back, self.add, topic=HELP.get(noun, "")))
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
        self._of = ""
        self._asked: tuple[object, ...] = ()
        self._typed: dict[
            str, dict[str, str]
        ] = {}  # of which record: what was typed in which field

    def show_fields(
        self,
        fields: tuple[Field, ...],
        title: str,
        save: str,
        *,
        can_leave: bool,
        can_add: bool,
        of: str = "",
    ) -> None:
        """Show the fields of a record (`of` is its id), with what was typed and not kept.

        Where they are shown already they are left alone: somebody may be typing.
        """
        asked = (fields, title, save, can_leave, can_add, of)
        typed = self._typed.get(of, {})
        told = tr("Not kept yet.") if any(one.key in typed for one in fields) else ""
        if asked == self._asked:
            self.done.setText(self.done.text() or told)
            return
        self._asked = asked
        self._of = of
        fields = tuple(replace(one, text=typed.get(one.key, one.text)) for one in fields)
        if told:
            self.done.setText(told)
        clear_layout(self._grid)
        self.fields, self._words = {}, {}
        self.title.setText(title)
        self.save.setText(save)
        self.back.setVisible(can_leave)
        self.add.setVisible(can_add)
        self.problem.setText("")
        for number, field in enumerate(fields):
            self._add_field(
                number, field, paired=number + 1 < len(fields) and bool(fields[number + 1].beside)
            )
        self._grid.setColumnStretch(2, 1)

    def _add_field(self, number: int, field: Field, *, paired: bool) -> None:
        words = label(field.words, "ui", "second")
        if field.choices:
            part = WordPicker("ui_b", name=field.words)
            part.set_choices(field.choices, field.text)
            part.picked.connect(lambda key, part=part, field=field: self._picked(part, field, key))
        else:
            part = TextField(field.text, lengths=field.lengths)
            part.setFont(scaled_font("field", 16))
            part.setAccessibleName(field.words)
            part.returnPressed.connect(self.saved)
            part.edited.connect(lambda text, field=field: self._note(field.key, text))
            part.edited.connect(lambda _, field=field, part=part: self._echo(field, part))
            part.setFixedHeight(px(34))
            part.setFixedWidth(px(_field_width(field)))
        part.setAccessibleDescription(field.help)
        words.setBuddy(part)
        self.fields[field.key], self._words[field.key] = part, field.words
        if field.beside:
            self._line.addWidget(label(field.beside, "ui", "second"))
            self._line.addWidget(part)
            self._line.addWidget(label(shown_unit(field.unit), "ui", "second"))
            return
        self._line = row(part, label(shown_unit(field.unit), "ui", "second"), gap=8)
        self._grid.addWidget(words, number, 0)
        self._grid.addLayout(
            self._line, number, 1, 1, 2 if paired else 1, Qt.AlignmentFlag.AlignLeft
        )
        part.setToolTip(field.help)
        self._grid.setRowMinimumHeight(number, px(37))
        if paired:
            return
        help_line = label(field.help, "small", "second", wrap=True)
        self._grid.addWidget(help_line, number, 2)
        help_line.setVisible(not compact(True, False))

    def _picked(self, part: WordPicker, field: Field, key: str) -> None:
        part.show_key(key)
        self._note(field.key, key)
        if field.key_change:
            self.source_changed.emit(key)

    def _note(self, key: str, text: str) -> None:
        self._typed.setdefault(self._of, {})[key] = text

    def _echo(self, field: Field, part: TextField) -> None:
        """Say what is understood of a length that is not written as a plain number."""
        typed = part.typed().strip()
        if field.unit != "mm" or not typed or typed.isdigit():
            return
        try:
            read = read_lengths_mm(part.text(), field.words)
        except OutOfRange:
            return
        understood = ", ".join(length_number(mm, 4) for mm in read)
        if understood != typed:
            self.done.setText(f"{typed} = {understood} {length_unit()}")

    @property
    def of(self) -> str:
        """The id of the record that is shown, empty for a new one."""
        return self._of

    def forget_typed(self, of: str) -> None:
        """What was typed of a record is kept now, or given up."""
        self._typed.pop(of, None)
        self._asked = ()

    def texts(self) -> dict[str, str]:
        return {
            key: part.key if isinstance(part, WordPicker) else part.text()
            for key, part in self.fields.items()
        }

    def show_bad(self, words: str, problem: str) -> None:
        """Mark the field concerned, named by its key or its words, and say what is wrong."""
        self.problem.setText(problem)
        self.done.setText("")
        named = self._named(words)
        for key, part in self.fields.items():
            bad = key == named
            if isinstance(part, QLineEdit):
                part.setProperty("bad", bad)
                part.style().unpolish(part)
                part.style().polish(part)
                if bad:
                    part.setFocus()

    def _named(self, words: str) -> str:
        """The key of the field that is named: by key, by its words, or by how they end."""
        if words in self.fields:
            return words
        exact = [key for key, told in self._words.items() if words and told == words]
        ends = [key for key, told in self._words.items() if words.endswith(told.lower())]
        return next(iter([*exact, *(ends if words else [])]), "")

    def focus_first(self) -> None:
        next(iter(self.fields.values())).setFocus()
