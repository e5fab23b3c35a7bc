"""The rack of a stock: its sheets and offcuts, and the clamps and used areas that lie on each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal, Protocol

from olive_almanac.core.errors import AlmanacError, OutOfRange
from olive_almanac.core.placing.room import Room, free_share, largest_piece
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.units import length_number, read_number, read_sides_mm, sides_number
from olive_almanac.core.words import tr

if TYPE_CHECKING:
    from olive_almanac.steps.session import Session

__all__ = ["RackPresenter", "RackScreen", "Thing"]

Box = tuple[float, float, float, float]
ThingKind = Literal["clamp", "used"]
WORDS: dict[ThingKind, str] = {"clamp": tr("clamp"), "used": tr("used area")}
NEW_MM: dict[ThingKind, tuple[float, float]] = {"clamp": (14.0, 40.0), "used": (60.0, 40.0)}
LEAST_MM = 1.0  # a thing is never dragged smaller


@dataclass(frozen=True)
class Thing:
    """A clamp or a used area of a sheet; `number` counts things of its kind from 0."""

    kind: ThingKind
    number: int
    box_mm: Box

    @property
    def name(self) -> str:
        return f"{WORDS[self.kind]} {self.number + 1}"

    @property
    def place(self) -> str:
        """Its size and where it lies: "14 × 40 at 586, 130"."""
        left, low, right, high = self.box_mm
        at = f"{length_number(left, 4)}, {length_number(low, 4)}"
        return tr("{right} at {at}", right=sides_number(right - left, high - low), at=at)


@dataclass(frozen=True)
class RackScreen:
    """What the rack's page shows."""

    title: str
    sheets: tuple[Sheet, ...]
    at: int
    things: tuple[Thing, ...]
    held: Thing | None
    free_words: str
    largest_mm: Box | None

    @property
    def sheet(self) -> Sheet | None:
        """The sheet that is shown large; None in an empty rack."""
        return self.sheets[self.at] if self.sheets else None


class ShowsRack(Protocol):
    def show_rack(self, screen: RackScreen) -> None: ...
    def show_bad_field(self, key: str, problem: str) -> None: ...


def things_of(sheet: Sheet) -> tuple[Thing, ...]:
    """Return the clamps of a sheet, then its used areas."""
    return (
        *(Thing("clamp", n, box) for n, box in enumerate(sheet.clamps_mm)),
        *(Thing("used", n, box) for n, box in enumerate(sheet.used_mm)),
    )


def _boxes(sheet: Sheet, kind: ThingKind) -> list[Box]:
    return list(sheet.clamps_mm if kind == "clamp" else sheet.used_mm)


def _with_boxes(sheet: Sheet, kind: ThingKind, boxes: Sequence[Box]) -> Sheet:
    if kind == "clamp":
        return replace(sheet, clamps_mm=tuple(boxes))
    return replace(sheet, used_mm=tuple(boxes))


class RackPresenter:
    """Holds which sheet and which thing on it are in hand.

    What is dragged is a draft until `settle`, which keeps it with the stock as one undoable change.
    """

    def __init__(self, session: Session, view: ShowsRack) -> None:
        self.session, self.view = session, view
        self.at = 0
        self._held: tuple[ThingKind, int] | None = None
        self._draft: Sheet | None = None

    @property
    def stock(self) -> Stock | None:
        return self.session.subject.stock

    @property
    def sheets(self) -> tuple[Sheet, ...]:
        """The sheets as they would be kept now."""
        kept = list(self.stock.sheets) if self.stock else []
        if self._draft is not None and self.at < len(kept):
            kept[self.at] = self._draft
        return tuple(kept)

    @property
    def sheet(self) -> Sheet | None:
        return self.sheets[self.at] if self.at < len(self.sheets) else None

    @property
    def held(self) -> Thing | None:
        """The thing in hand, if there is one and it is still on the sheet."""
        if self.sheet is None:
            return None
        return next(
            (one for one in things_of(self.sheet) if (one.kind, one.number) == self._held), None
        )

    def screen(self) -> RackScreen:
        stock, sheet = self.stock, self.sheet
        free_words, largest = "", None
        if stock and sheet:
            share = free_share(sheet)
            free_words = tr("{share:.0f} % free", share=100 * share)
            if stock.price_m2:
                whole = stock.price_m2 * sheet.width_mm * sheet.height_mm / 1e6
                free_words += tr(
                    ", worth {share:.2f} of {whole:.2f}", share=share * whole, whole=whole
                )
            machine = self.session.subject.machine
            largest = largest_piece(sheet, machine.head_clearance_mm if machine else 0.0)
        return RackScreen(
            stock.label if stock else "",
            self.sheets,
            self.at,
            things_of(sheet) if sheet else (),
            self.held,
            free_words,
            largest,
        )

    def show(self) -> None:
        self.at = min(self.at, max(0, len(self.sheets) - 1))
        self.view.show_rack(self.screen())

    # -- choosing ----------------------------------------------------------------------------------

    def choose_sheet(self, at: int) -> None:
        """Show another sheet of the rack; nothing on it is in hand."""
        if 0 <= at < len(self.sheets):
            self.settle()
            self.at, self._held = at, None
            self.show()

    def take(self, thing: Thing | None) -> None:
        """Take a thing in hand, or lay it down."""
        self._held = (thing.kind, thing.number) if thing else None
        self.show()

    def take_next(self, step: int) -> None:
        """Take the next or the one before in hand."""
        things = things_of(self.sheet) if self.sheet else ()
        if things:
            at = things.index(self.held) + step if self.held else 0
            self.take(things[at % len(things)])

    # -- changing ----------------------------------------------------------------------------------

    def move(self, along_mm: float, up_mm: float) -> None:
        """Move the thing in hand; a used area stays on the sheet, a clamp may stand over its edge,
        yet not beside it.
        """
        thing, sheet = self.held, self.sheet
        if thing is None or sheet is None:
            return
        left, low, right, high = thing.box_mm
        over_x = over_y = 0.0
        if thing.kind == "clamp":
            over_x, over_y = right - left - LEAST_MM, high - low - LEAST_MM
        dx = min(max(along_mm, -left - over_x), sheet.width_mm + over_x - right)
        dy = min(max(up_mm, -low - over_y), sheet.height_mm + over_y - high)
        self._put((left + dx, low + dy, right + dx, high + dy))

    def stretch(self, corner: tuple[int, int], to_mm: tuple[float, float]) -> None:
        """Drag a corner of the thing in hand to a place: (0, 0) is its lower left, (1, 1) its upper
        right.
        """
        thing, sheet = self.held, self.sheet
        if thing is None or sheet is None:
            return
        box = list(thing.box_mm)
        for axis, far in enumerate(corner):
            side = (sheet.width_mm, sheet.height_mm)[axis]
            at = float(round(min(max(to_mm[axis], 0.0), side)))
            if far:
                box[axis + 2] = max(at, box[axis] + LEAST_MM)
            else:
                box[axis] = min(at, box[axis + 2] - LEAST_MM)
        self._put((box[0], box[1], box[2], box[3]))

    def _put(self, box: Box) -> None:
        thing, sheet = self.held, self.sheet
        if thing is None or sheet is None:
            return
        boxes = _boxes(sheet, thing.kind)
        boxes[thing.number] = (
            round(box[0], 3),
            round(box[1], 3),
            round(box[2], 3),
            round(box[3], 3),
        )
        self._draft = _with_boxes(sheet, thing.kind, boxes)
        self.show()

    def settle(self) -> None:
        """Keep what was dragged."""
        if self._draft is not None:
            sheets = self.sheets
            self._draft = None
            self._keep(sheets, tr("sheet changed"))

    def type_place(self, texts: dict[str, str]) -> None:
        """Put the thing in hand where its fields say: left, low, wide, high in mm."""
        try:
            left, low = (read_number(texts[key], tr("Place"), "mm") for key in ("left", "low"))
            wide, high = (read_number(texts[key], tr("Size"), "mm") for key in ("wide", "high"))
            for key, side in (("wide", wide), ("high", high)):
                if side < LEAST_MM:
                    raise OutOfRange(tr("Size"), side, tr("at least 1 mm"), "mm", key=key)
        except AlmanacError as problem:
            key = problem.key if isinstance(problem, OutOfRange) else ""
            self.view.show_bad_field(key, str(problem))
            return
        self._put((left, low, left + wide, low + high))
        self.settle()
        self.show()

    def type_size(self, text: str) -> None:
        """Give the shown sheet another size, as "600 x 300"."""
        sheet = self.sheet
        if sheet is None:
            return
        try:
            wide, high = read_sides_mm(text, tr("Size of the sheet"))
            changed = replace(sheet, width_mm=wide, height_mm=high)
        except AlmanacError as problem:
            self.view.show_bad_field("size", str(problem))
            return
        sheets = list(self.sheets)
        sheets[self.at] = changed
        self._keep(tuple(sheets), tr("size of a sheet"))
        self.show()

    def add_thing(self, kind: ThingKind) -> None:
        """Add a clamp by the left edge or a used area, where there is room; it is in hand."""
        sheet = self.sheet
        if sheet is None:
            return
        wide, high = NEW_MM[kind]
        wide, high = min(wide, sheet.width_mm / 2), min(high, sheet.height_mm / 2)
        low = (sheet.height_mm - high) / 2
        room = Room((0.0, 0.0, sheet.width_mm, sheet.height_mm), (*sheet.clamps_mm, *sheet.used_mm))
        wish = (0.0, low) if kind == "clamp" else (sheet.width_mm - wide, sheet.height_mm - high)
        left, low = room.nearest(wide, high, wish) or wish
        box = (left, low, round(left + wide, 3), round(low + high, 3))
        boxes = [*_boxes(sheet, kind), box]
        self._held = (kind, len(boxes) - 1)
        sheets = list(self.sheets)
        sheets[self.at] = _with_boxes(sheet, kind, boxes)
        self._keep(tuple(sheets), tr("{words} added", words=WORDS[kind]))
        self.show()

    def remove_thing(self) -> None:
        """Take the thing in hand off the sheet."""
        thing, sheet = self.held, self.sheet
        if thing is None or sheet is None:
            return
        boxes = _boxes(sheet, thing.kind)
        del boxes[thing.number]
        self._held, self._draft = None, None
        sheets = list(self.sheets)
        sheets[self.at] = _with_boxes(sheet, thing.kind, boxes)
        self._keep(tuple(sheets), tr("{words} taken away", words=WORDS[thing.kind]))
        self.show()

    def add_sheet(self, text: str) -> bool:
        """Put a sheet of the size that is typed into the rack and show it."""
        try:
            wide, high = read_sides_mm(text, tr("Size of the sheet"))
            sheet = Sheet(wide, high)
        except AlmanacError as problem:
            self.view.show_bad_field("new", str(problem))
            return False
        self.keep_sheet(sheet)
        return True

    def keep_sheet(self, sheet: Sheet) -> None:
        """Put a sheet into the rack and show it."""
        self.settle()
        self._held = None
        self._keep((*self.sheets, sheet), tr("sheet added"))
        self.at = len(self.sheets) - 1
        self.show()

    def remove_sheet(self) -> None:
        """Take the shown sheet out of the rack."""
        if self.sheet is None:
            return
        self._draft, self._held = None, None
        sheets = list(self.sheets)
        del sheets[self.at]
        self._keep(tuple(sheets), tr("sheet taken out of the rack"))
        self.show()

    def _keep(self, sheets: tuple[Sheet, ...], why: str) -> None:
        stock = self.stock
        if stock is not None and sheets != stock.sheets:
            changed = replace(stock, sheets=sheets)
            self.session.attempt(lambda: self.session.shop.change_stock(changed, why))
