"""The left column of Plan: what varies and what is held, and on its second leaf where and how the
coupon is laid.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QBoxLayout, QLabel, QStackedWidget, QVBoxLayout, QWidget

from olive_almanac.core.design.kinds.kind import FREE, kind_of, kinds_for
from olive_almanac.core.lengths import length_unit
from olive_almanac.core.placing.room import CORNERS
from olive_almanac.core.records.anchors import ANCHOR_WORDS
from olive_almanac.core.records.factors import FACTORS, Factor, factor_of
from olive_almanac.core.records.setting import AIRS, air_text, rasters
from olive_almanac.core.units import capital, lengths_text, split_list
from olive_almanac.core.words import tr
from olive_almanac.steps.plan.form import slots_of
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
    tip_text,
)
from olive_almanac.views.plan.prepared import Prepared
from olive_almanac.views.theme import compact, px

if TYPE_CHECKING:
    from olive_almanac.core.records.stock import Sheet
    from olive_almanac.views.plan.page import PlanPage

# a field that has no widget of its own name -> the fields to mark
FIELDS_OF = {"place": ("x", "y")}
ENDS = ("from", "to", "steps", "list")
SPACINGS = (("even", tr("evenly")), ("ratio", tr("by ratio of energy")), ("list", tr("as a list")))
AIR_CHOICES = (*((air, air_text(air)) for air in AIRS), (", ".join(AIRS), tr("off, low, full")))
ANCHOR_CHOICES = (
    ("", tr("in its place on the bed")),
    *((key, tr("head at the {place}", place=place)) for key, place in ANCHOR_WORDS.items()),
)
ORDER_CHOICES = (
    ("energy", tr("low energy first")),
    ("rows", tr("row by row")),
    ("columns", tr("column by column")),
)
BEAM_CHOICES = (("constant", tr("constant power")), ("follows-speed", tr("power follows speed")))
FURTHER = ("focus_step", "crosshatch", "slope", "slots", "sheet_size", "repeats", "beam")
LENGTHS = {  # the fields that hold lengths, one or several
    **dict.fromkeys(("focus", "pitch", "focus_step", "cell", "gap", "edge"), "one"),
    **dict.fromkeys(("sheet_x", "sheet_y", "x", "y"), "one"),
    **dict.fromkeys(("slots", "sheet_size", "clamps"), "several"),
}
BESIDE, BELOW = QBoxLayout.Direction.LeftToRight, QBoxLayout.Direction.TopToBottom
LONGEST = (120, 180)  # px of a number beside its name, in a small window and else
SHORT = {"pitch": tr("Pitch")}  # it shares a line
YES_NO = (("yes", tr("yes")), ("", tr("no")))


class Slot(QWidget):
    """One factor that varies: its name, its ends and steps (or a list), how they are spaced, and
    the levels that come out.
    """

    def __init__(self, page: PlanPage, slot: str, where: str) -> None:
        super().__init__()
        self._page, self._slot, self.factor = page, slot, ""
        self.name = WordPicker("h3", name=tr("Factor {where}", where=where))
        self.name.picked.connect(lambda factor: page.presenter.choose_factor(slot, factor))
        self.plain_name = label("", "h3")
        self.unit = label("", "small", "second")
        self.spacing = WordPicker("small_b", name=tr("Spacing of the levels {where}", where=where))
        self.spacing.picked.connect(lambda key: page.presenter.choose_spacing(self.factor, key))
        self.levels = label("", "small", "second", wrap=True)
        self.from_, self.to = (
            Number(tr("{slot} from", slot=slot), 56),
            Number(tr("{slot} to", slot=slot), 56),
        )
        self.steps, self.list = (
            Number(tr("{slot} steps", slot=slot), 40),
            Number(tr("{slot} levels", slot=slot), 230, grows=False),
        )
        for part, end in (
            (self.from_, "from"),
            (self.to, "to"),
            (self.steps, "steps"),
            (self.list, "list"),
        ):
            part.edited.connect(lambda text, end=end: page.change(f"{self.factor}_{end}", text))
        self.counted = (Word(tr("in"), "ui"), self.steps, Word(tr("steps"), "ui"))
        self.ends = box(
            row(
                Word(tr("from"), "ui"),
                self.from_,
                Word(tr("to"), "ui"),
                self.to,
                *self.counted,
                None,
                gap=compact(4, 6),
            )
        )
        self.listed = box(row(self.list, None))
        self.setLayout(
            col(
                row(
                    self.name,
                    self.plain_name,
                    label(where, "small", "second"),
                    None,
                    self.unit,
                    gap=8,
                ),
                self.ends,
                self.listed,
                row(self.levels, self.spacing, gap=6),
                gap=2,
            )
        )
        self.layout().itemAt(3).layout().setStretch(0, 1)

    def fields(self) -> dict[str, Number]:
        return {
            f"{self.factor}_{end}": part
            for part, end in zip((self.from_, self.to, self.steps, self.list), ENDS, strict=True)
        }

    def show_texts(self, factor_id: str, texts: dict[str, str], unit: str, *, choices: Any) -> None:
        self.factor = factor_id
        self.setVisible(bool(factor_id))
        if not factor_id:
            return
        factor = factor_of(factor_id)
        self.name.setVisible(bool(choices))
        self.plain_name.setVisible(not choices)
        self.name.set_choices([(one.id, one.name) for one in choices], factor_id)
        self.plain_name.setText(factor.name)
        self.unit.setText(factor.shown_unit(unit))
        as_list = factor.is_number and texts[f"{factor_id}_space"] == "list"
        self.ends.setVisible(factor.is_number and not as_list)
        self.listed.setVisible(as_list)
        self.spacing.setVisible(bool(factor.spacings))
        for part in self.counted:
            part.setVisible(bool(factor.spacings))
        if factor.is_number:
            self._show_ends(factor, texts)
        else:
            self.levels.setText(texts[factor_id])

    def _show_ends(self, factor: Factor, texts: dict[str, str]) -> None:
        self.spacing.set_choices(SPACINGS, texts[f"{factor.id}_space"])
        self.list.set_lengths("several" if factor.unit == "mm" else "")
        for part in (self.from_, self.to):
            part.set_lengths("one" if factor.unit == "mm" else "")
        for key, part in self.fields().items():
            part.setAccessibleName(f"{factor.name} {key.rpartition('_')[2]}")
            if part.text() != texts[key] and not (part.hasFocus() and part.isModified()):
                part.setText(texts[key])

    def show_levels(self, words: str) -> None:
        self.levels.setText(words)


class Choices(Page):
    """The left column with its two leaves.

    Signals:
        turned(), corner_chosen(str), sheet_chosen(str), kind_chosen(str): what the operator did.
    """

    turned = Signal()
    corner_chosen = Signal(str)
    sheet_chosen = Signal(str)
    kind_chosen = Signal(str)

    def __init__(self, page: PlanPage) -> None:
        super().__init__()
        self._page = page
        self.setFixedWidth(px(compact(330, 360)))
        self.title = label("", "h1")
        self.own: dict[str, Number] = {}
        self.pickers: dict[str, WordPicker] = {}
        self.rows: dict[str, QWidget] = {}
        self.shop_units: list[QLabel] = []  # where the shop's own unit of speed stands
        self.leaf = Segments([tr("levels"), tr("layout")], 0, tr("Levels or layout"))
        self.leaves = QStackedWidget()
        self.leaf.chosen.connect(self.leaves.setCurrentIndex)
        self.leaves.addWidget(self._levels_leaf())
        self.leaves.addWidget(self._layout_leaf())
        layout = QVBoxLayout(self)
        page_margins(layout, right=compact(12, 18))
        layout.addLayout(head(self.title, None, self.leaf))
        layout.addSpacing(px(compact(2, 4)))
        layout.addWidget(self.leaves, 1)

    # -- building ----------------------------------------------------------------------------------

    def _number(self, key: str, name: str, width: int = 58, *, grows: bool = True) -> Number:
        made = Number(name, width, grows=grows, lengths=LENGTHS.get(key, ""))
        made.edited.connect(lambda text: self._page.change(key, text))
        self.own[key] = made
        return made

    def _picker(self, key: str, name: str, role: str = "ui_b") -> WordPicker:
        made = WordPicker(role, name=name)
        made.picked.connect(lambda value: self._page.presenter.change(key, value))
        self.pickers[key] = made
        return made

    def _line(self, key: str, name: str, *parts: Any) -> QWidget:
        made = box(row(label(name, "h3"), 2, *parts, None, gap=compact(4, 6)))
        self.rows[key] = made
        return made

    def _folding_line(self, key: str, name: str, number: Number, *behind: QWidget) -> QWidget:
        """A line whose number goes below its name where it holds so many that it would run out."""
        begun = row(label(name, "h3"), 2, Word(tr("at"), "ui"), None, gap=compact(4, 6))
        rest = row(number, *behind, None, gap=compact(4, 6))
        layout = row(begun, rest, gap=compact(4, 6))
        layout.setStretch(1, 1)
        longest = px(compact(*LONGEST))
        self.rows[key] = box(layout)
        number.textChanged.connect(
            lambda: layout.setDirection(BELOW if number.width() > longest else BESIDE)
        )
        return self.rows[key]

    def _levels_leaf(self) -> QWidget:
        self.kind = WordPicker("sent_b", 18, name=tr("Kind of trial"))
        self.kind.picked.connect(self.kind_chosen)
        self.about = label("", "small", "second", wrap=True)
        self.prepared = Prepared(self._page)
        self.up, self.across = (
            Slot(self._page, "up", tr("up the side")),
            Slot(self._page, "across", tr("along the foot")),
        )
        self.held_heading = Heading(tr("Held"), "plan/Levels")
        self.cells_heading, self.cells = Heading(tr("Burns"), "plan/Levels"), QVBoxLayout()
        self.cells.setSpacing(px(compact(3, 6)))
        # what few sources have shares a line, and so do air and beam: screens keep their height
        rare = list(self._rare_lines())
        lines: list[QWidget] = []
        for factor in FACTORS:
            if factor.is_number and not factor.optional:
                lines += self._held_lines(factor, SHORT.get(factor.id, ""))
        shared = [self.rows["passes"], self.rows["pitch"]]  # a line for both: screens keep height
        both = row(*shared, gap=compact(4, 14))
        both.setStretch(1, 1)
        lines = [box(both), *(line for line in lines if line not in shared)]
        lines += [
            self._line(
                "slope",
                tr("Slope"),
                self._number("slope", tr("Rise of the ramp, mm per mm"), 58),
                Word(tr("mm up per mm along X"), "ui"),
            ),
            self._line(
                "slots",
                tr("Slots"),
                self._number("slots", tr("Widths of the slots, mm"), 210, grows=False),
                Word(length_unit(), "ui"),
            ),
            self._line(
                "sheet_size",
                tr("Sheet"),
                self._number("sheet_size", tr("Size of the sheet, mm"), 110),
                Word(length_unit(), "ui"),
            ),
            self._line(
                "repeats",
                tr("Repeats"),
                self._number("repeats", tr("Repeats"), 48),
                Word(tr("over the sheet"), "ui"),
            ),
            box(row(*rare)),
            box(
                row(
                    self._line(
                        "air", tr("Air"), Word(tr("at"), "ui"), self._picker("air", tr("Air"))
                    ),
                    self._line("beam", tr("Beam"), self._picker("beam", tr("Beam mode"))),
                )
            ),
        ]
        leaf = QWidget()
        layout = QVBoxLayout(leaf)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(px(compact(0, 3)))
        for part in (
            self.kind,
            self.about,
            self.prepared,
            hair(),
            self.up,
            self.across,
            self.held_heading,
            *lines,
            self.cells_heading,
        ):
            layout.addWidget(part)
        layout.addLayout(self.cells)
        layout.addStretch(1)
        return leaf

    def _rare_lines(self) -> Iterator[QWidget]:
        """The lines of what few sources have; a word that they share is told once: "Pulse rate",
        "width".
        """
        told = ""
        for factor in FACTORS:
            if factor.optional:
                yield from self._held_lines(factor, factor.name.removeprefix(told))
                told = factor.name.split()[0] + " "

    def _held_lines(self, factor: Factor, name: str = "") -> list[QWidget]:
        """The line of a factor while it is held, and the one that only makes sense beside it."""
        number = self._number(factor.id, factor.tip, factor.width)
        number.setPlaceholderText(factor.without)
        parts: list[QWidget] = [number]
        if factor.behind:
            parts.append(Word(factor.behind, "ui"))
        elif factor.unit:
            self.shop_units.append(label("", "ui", "second"))
            parts.append(self.shop_units[-1])
        if factor.optional:  # they share a line
            lines = [self._line(factor.id, name or factor.name, *parts)]
        else:
            lines = [self._folding_line(factor.id, name or factor.name, *parts)]
        if factor.id == "focus":
            lines.append(
                self._line(
                    "focus_step",
                    tr("Refocus"),
                    self._number("focus_step", tr("Lower the focus after each pass, mm"), 48),
                    Word(tr("mm lower each pass"), "ui"),
                )
            )
        if factor.id == "pitch":
            lines.append(
                self._line(
                    "crosshatch",
                    tr("Crossed"),
                    self._picker("crosshatch", tr("Second raster, turned by 90 degrees")),
                    Word(tr("a second raster across"), "ui"),
                )
            )
        return lines

    def _layout_leaf(self) -> QWidget:
        self.sheet = WordPicker("ui_b", name=tr("Sheet"))
        self.sheet.picked.connect(self.sheet_chosen)
        self.corner = WordPicker("ui_b", name=tr("Corner of the sheet"))
        self.corner.set_choices(
            [(corner, ANCHOR_WORDS[corner]) for corner in CORNERS], "", none_text=tr("a corner")
        )
        self.corner.picked.connect(self.corner_chosen)
        self.turn = button(
            tr("Turn by 90°"),
            "plain",
            tip=tr("the long side lies the other way; letters stay upright (R on the drawing)"),
        )
        self.turn.clicked.connect(self.turned)
        self.no_sheets = label(
            tr("No sheet is known of this stock. Set up adds sheets and offcuts with their sizes."),
            "small",
            "second",
            wrap=True,
        )
        leaf = QWidget()
        layout = QVBoxLayout(leaf)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(px(compact(0, 2)))
        parts = [
            self._line(
                "cell",
                tr("Cells"),
                self._number("cell", tr("Cell side in mm"), 48),
                Word(f"{length_unit()},", "ui"),
                self._number("gap", tr("Gap between cells in mm"), 44),
                Word(tr("mm apart"), "ui"),
            ),
            Heading(tr("Where it lies"), "plan/Where it lies"),
            self._line("sheet", tr("On"), self.sheet),
            self.no_sheets,
            self._line(
                "sheet_at",
                tr("Sheet"),
                Word(tr("at"), "ui"),
                self._number("sheet_x", tr("Sheet along X on the bed, mm"), 54),
                Word("×", "ui"),
                self._number("sheet_y", tr("Sheet along Y on the bed, mm"), 54),
                Word(compact(length_unit(), tr("mm on bed")), "ui"),
            ),
            self._line(
                "clamps",
                tr("Clamps"),
                self._number(
                    "clamps",
                    tr("Clamps on the sheet, from X, Y to X, Y in mm"),
                    compact(192, 216),
                    grows=False,
                ),
                Word(length_unit(), "ui"),
            ),
            self._line(
                "edge",
                tr("Edges"),
                Word(tr("keep"), "ui"),
                self._number("edge", tr("Free along the edges of the sheet, mm"), 44),
                Word(tr("mm free"), "ui"),
            ),
            self._line(
                "place",
                tr("Coupon"),
                Word(tr("at"), "ui"),
                self._number("x", tr("Place along X in mm"), 54),
                Word("×", "ui"),
                self._number("y", tr("Place along Y in mm"), 54),
                Word(compact(length_unit(), tr("mm on bed")), "ui"),
            ),
            box(row(Word(tr("Move it to"), "ui"), self.corner, None, self.turn, gap=6)),
            self._line(
                "anchor", tr("File"), self._picker("anchor", tr("Where the file counts from"))
            ),
            Heading(tr("How it burns"), "plan/How it burns"),
            self._line(
                "order",
                tr("Order"),
                self._picker("order", tr("Order of burning")),
                Word(tr("rest"), "ui"),
                self._number("rest", tr("Rest between cells in s"), 44),
                Word("s", "ui"),
            ),
            self._line(
                "marks",
                tr("Photo marks"),
                self._picker("marks", tr("Photo marks")),
                Word(tr("in the corners"), "ui"),
            ),
            self._line(
                "labels",
                tr("Labels"),
                self._picker("labels", tr("Labels")),
                self._number("label_power", tr("Power of the labels, %"), 44),
                Word("%", "ui"),
                self._number("label_speed", tr("Speed of the labels"), 70),
                label("", "small", "second"),
            ),
        ]
        self.label_unit = parts[-1].findChildren(QWidget)[-1]
        for part in parts:
            layout.addWidget(part)
        layout.addStretch(1)
        return leaf

    # -- showing -----------------------------------------------------------------------------------

    @property
    def fields(self) -> dict[str, Number]:
        """Every number field by its key; the fields of a factor that varies stand in its slot."""
        return {**self.own, **self.up.fields(), **self.across.fields()}

    def show_texts(
        self,
        texts: dict[str, str],
        unit: str,
        *,
        task: str,
        source: str,
        name: str,
        sheets: Sequence[Sheet],
        focus_by_hand: bool,
    ) -> None:
        kind, slots = kind_of(texts["kind"]), slots_of(texts)
        factors = [factor for factor in FACTORS if factor.applies(task, source)]
        free = ()
        if kind.up == FREE:
            free = factors
        choices = [(one.id, one.name) for one in kinds_for(task, focus_by_hand=focus_by_hand)]
        self.kind.set_choices(choices, kind.id, none_text=kind.name)
        about = f"{capital(kind.finds_out)}."
        self.about.setText(about)
        self.about.setVisible(compact(False, True))
        self.kind.setToolTip(tip_text(about))
        self.up.show_texts(slots[0], texts, unit, choices=free)
        self.across.show_texts(slots[1], texts, unit, choices=free)
        shown = self._shown_lines(texts, task, [factor.id for factor in factors])
        for key in (*(factor.id for factor in FACTORS), *FURTHER):
            self.rows[key].setVisible(key in shown)
        self.held_heading.setVisible(bool(shown))
        for key, part in self.own.items():
            if part.text() != texts[key] and not (part.hasFocus() and part.isModified()):
                part.setText(texts[key])
        for part in self.shop_units:
            part.setText(unit)
        self.label_unit.setText(unit)
        airs = ", ".join(air_text(air.strip()) for air in split_list(texts["air"]))
        self.pickers["air"].set_choices(AIR_CHOICES, texts["air"], none_text=airs)
        self.pickers["beam"].set_choices(BEAM_CHOICES, texts["beam"])
        self.pickers["anchor"].set_choices(ANCHOR_CHOICES, texts["anchor"])
        self.pickers["order"].set_choices(ORDER_CHOICES, texts["order"])
        for key in ("labels", "marks", "crosshatch"):
            self.pickers[key].set_choices(YES_NO, texts[key])
        on_sheet = bool(texts["sheet"]) and bool(sheets)
        self.sheet.set_choices(
            [
                ("", tr("the bare bed")),
                *(
                    (
                        str(n),
                        tr(
                            "sheet {n}: {width_mm} mm",
                            n=n + 1,
                            width_mm=lengths_text(s.width_mm, s.height_mm),
                        ),
                    )
                    for n, s in enumerate(sheets)
                ),
            ],
            texts["sheet"] if on_sheet else "",
        )
        self.no_sheets.setVisible(not sheets)
        for key in ("sheet_at", "clamps", "edge"):
            self.rows[key].setVisible(on_sheet)
        self.rows["place"].setVisible(not kind.spread)
        self.title.setText(name or tr("Plan"))

    def _shown_lines(self, texts: dict[str, str], task: str, factors: list[str]) -> set[str]:
        """The keys of the lines that this kind of trial has."""
        kind, slots = kind_of(texts["kind"]), slots_of(texts)
        shown = set(kind.fields)
        if kind.holds:
            shown |= set(factors) - set(slots)
        if kind.lines:
            shown.discard("pitch")
        if not rasters(task):
            shown.discard("crosshatch")
        if kind.holds and ("passes" in slots or texts["passes"] not in ("1", "")):
            shown.add("focus_step")
        return shown

    def show_cells(self, groups: Sequence[tuple[str, str]]) -> None:
        """The cells of a trial whose settings are given one by one: what a group of them shares,
        and what differs.
        """
        clear_layout(self.cells)
        self.cells_heading.setVisible(bool(groups))
        for shared, differs in groups:
            self.cells.addWidget(
                box(col(label(shared, "h3"), label(differs, "ui", "second", wrap=True), gap=0))
            )

    def show_quiet(self, power: str, speed: str) -> None:
        """What labels burn at where the operator has said nothing: shown as a hint in the empty
        fields.
        """
        self.own["label_power"].setPlaceholderText(power)
        self.own["label_speed"].setPlaceholderText(speed)

    def mark_bad(self, key: str) -> None:
        """Mark the field of that key, or all fields of a factor."""
        wanted = {key, *FIELDS_OF.get(key, ()), *(f"{key}_{end}" for end in ENDS if end != "steps")}
        for name, part in self.fields.items():
            part.set_bad(name in wanted)
