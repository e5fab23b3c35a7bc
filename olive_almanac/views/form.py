"""A form of sentences with fields, made from `Field` records: the machine, the stock, the serial
port.
"""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.lengths import length_unit
from olive_almanac.core.units import SPEED_UNITS, length_number, read_lengths_mm, shown_unit
from olive_almanac.core.words import tr
from olive_almanac.steps.set_up import Field
from olive_almanac.views.field_picture import FieldPicture
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
    tip_text,
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


PLAIN_NUMBER = re.compile(r"\s*\d*[.,]?\d+\s*")


def _grid() -> tuple[QWidget, QGridLayout]:
    """A holder with a grid of lines: words, field, half a line of help."""
    holder = QWidget()
    holder.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
    grid = QGridLayout(holder)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setHorizontalSpacing(px(10))
    grid.setVerticalSpacing(0)
    grid.setColumnStretch(2, 1)
    return holder, grid


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

    def __init__(
        self, noun: str, parts: tuple[str, ...] = (), picture: FieldPicture | None = None
    ) -> None:
        super().__init__()
        self.noun, self.picture = noun, picture
        self._help = ""
        self.title = label("", "h1")
        if parts:
            self.parts = Segments(parts, 0, tr("Part of the {noun}", noun=noun))
        else:
            self.parts: Any = None
        self.add = button(tr("Add a {noun}", noun=noun), "plain", tip=tr("beside the one shown"))
        self.add.clicked.connect(self.new_asked)
        self.back = button(tr("Back"), "plain", tip=tr("nothing of it is kept"))
        self.back.clicked.connect(self.left)
        self.save = button("", "main", tip=tr("Enter in a field does the same"))
        self.save.clicked.connect(self.saved)
        self.problem = label("", "ui", "ember", wrap=True)
        self.done = label("", "small", "second", wrap=True)
        self.done.hide()
        above, self._above = _grid()
        below, self._below = _grid()
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(head(self.title, None, self.back, self.add, topic=HELP.get(noun, "")))
        layout.addSpacing(px(6))
        if self.parts is not None:
            layout.addWidget(self.parts)
            layout.addSpacing(px(4))
        layout.addWidget(above)
        if picture is not None:
            layout.addSpacing(px(4))
            layout.addWidget(picture, 50)  # it grows before anything else does
        layout.addWidget(below)
        layout.addSpacing(px(6))
        layout.addWidget(self.problem)
        self.extra = QVBoxLayout()
        layout.addLayout(self.extra)
        layout.addStretch(1)
        layout.addWidget(self.done)
        self.foot = row(self.save, None, gap=12)
        layout.addLayout(self.foot)
        self.fields: dict[str, QLineEdit | WordPicker] = {}
        self._words: dict[str, str] = {}
        self._shown: dict[str, Field] = {}
        self._of = ""
        self._asked: tuple[object, ...] = ()
        self._typed: dict[
            str, dict[str, str]
        ] = {}  # of which record: what was typed in which field

    def say(self, words: str) -> None:
        """Say in a line above the keys what was done; nothing takes it away."""
        self.done.setText(words)
        self.done.setVisible(bool(words))

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
            self.say(self.done.text() or told)
            return
        held = self.held if of == self._of else ""
        self._asked = asked
        self._of = of
        self._shown = {one.key: one for one in fields}
        fields = tuple(replace(one, text=typed.get(one.key, one.text)) for one in fields)
        if told:
            self.say(told)
        clear_layout(self._above)
        clear_layout(self._below)
        self.fields, self._words = {}, {}
        self.title.setText(title)
        self.save.setText(save)
        self.back.setVisible(can_leave)
        self.add.setVisible(can_add)
        self._say_problem("")
        drawn = self._show_picture(fields)
        self._grid = self._above
        for number, field in enumerate(fields):
            part = self._made(field)
            if field.key in drawn and self.picture is not None:
                self.picture.hold(field, part)
                self._grid = self._below
                continue
            beside = [one.beside for one in fields[number + 1 : number + 2] if one.key not in drawn]
            self._add_field(number, field, part, paired=any(beside))
        self._draw()
        self.hold(held)

    @property
    def held(self) -> str:
        """The key of the field that has the focus, empty where none has."""
        return next((key for key, part in self.fields.items() if part.hasFocus()), "")

    def hold(self, key: str) -> None:
        """Give the focus to the field of a key, where there is one: the eye stays where it is."""
        if key in self.fields:
            self.fields[key].show()  # at once: a field that is not shown takes no focus
            self.fields[key].setFocus()

    def _show_picture(self, fields: tuple[Field, ...]) -> set[str]:
        """Show the picture where it has a place for these fields; returns the keys it takes."""
        if self.picture is None:
            return set()
        self.picture.clear()
        keys = {field.key for field in fields} & set(self.picture.PLACES)
        drawn = compact(set[str](), keys)  # a small window has no room for it
        self.picture.setVisible(bool(drawn))
        return drawn

    def _draw(self) -> None:
        """Draw the picture as the fields say."""
        if self.is_drawn and self.picture is not None:
            self.picture.show_texts(self.texts())

    def _made(self, field: Field) -> Any:
        """The part in which a field is typed or chosen."""
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
            if part.sizeHint().width() < part.fontMetrics().horizontalAdvance(field.text):
                part.setCursorPosition(0)  # a long text shows where it begins
        self._help = field.help or self._help  # what stands beside a field shares its line
        part.setAccessibleDescription(self._help)
        part.setToolTip(tip_text(field.help))
        self.fields[field.key], self._words[field.key] = part, field.words
        return part

    def _add_field(self, number: int, field: Field, part: QWidget, *, paired: bool) -> None:
        """Put a field into its line: words before it, unit and half a line of help behind."""
        words = label(field.words, "ui", "second")
        words.setBuddy(part)
        unit = [label(shown_unit(field.unit), "ui", "second")] if field.unit else []
        if field.beside:
            words.setText(field.beside)
            for widget in (words, part, *unit):
                self._line.insertWidget(self._line.count() - 1, widget)
            return
        self._line = row(part, *unit, None, gap=8)
        self._grid.addWidget(words, number, 0)
        self._grid.addLayout(
            self._line, number, 1, 1, 2 if paired else 1, Qt.AlignmentFlag.AlignLeft
        )
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
        typed = self._typed.setdefault(self._of, {})
        typed[key] = text
        if text == self._shown[key].text:
            del typed[key]  # as it is kept
        self._draw()

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
            self.say(f"{typed} = {understood} {length_unit()}")

    @property
    def is_drawn(self) -> bool:
        """Whether the numbers stand at a drawing now."""
        return self.picture is not None and bool(self.picture.parts)

    @property
    def typed(self) -> dict[str, dict[str, str]]:
        """What was typed and not kept, of each record."""
        return self._typed

    def take_typed(self, typed: dict[str, dict[str, str]]) -> None:
        """Go on with what was typed in this form's last look; it is seen when it is shown next."""
        self._typed, self._asked = typed, ()

    @property
    def of(self) -> str:
        """The id of the record that is shown, empty for a new one."""
        return self._of

    def forget_typed(self, of: str) -> None:
        """What was typed of a record is kept now, or given up."""
        self._typed.pop(of, None)
        self._asked = ()

    def texts(self) -> dict[str, str]:
        """What stands in the fields, in the program's own units or with a unit behind it."""
        return {key: self._text_of(key, part) for key, part in self.fields.items()}

    def _text_of(self, key: str, part: Any) -> str:
        if isinstance(part, WordPicker):
            return part.key
        text, field = str(part.text()), self._shown[key]
        if field.given and text == field.text:
            return field.given  # not one digit is lost on the way through another unit
        if field.unit in SPEED_UNITS and PLAIN_NUMBER.fullmatch(text):
            return f"{text} {field.unit}"
        return text

    def show_bad(self, words: str, problem: str) -> None:
        """Mark the field concerned, named by its key or its words, and say what is wrong."""
        self._say_problem(problem)
        self.say("")
        named = self._named(words)
        for key, part in self.fields.items():
            bad = key == named
            if isinstance(part, QLineEdit):
                part.setProperty("bad", bad)
                part.style().unpolish(part)
                part.style().polish(part)
                if bad:
                    part.setFocus()

    def _say_problem(self, problem: str) -> None:
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))

    def _named(self, words: str) -> str:
        """The key of the field that is named: by key, by its words, or by how they end."""
        if words in self.fields:
            return words
        exact = [key for key, told in self._words.items() if words and told == words]
        ends = [key for key, told in self._words.items() if words.endswith(told.lower())]
        return next(iter([*exact, *(ends if words else [])]), "")

    def focus_first(self) -> None:
        next(iter(self.fields.values())).setFocus()
