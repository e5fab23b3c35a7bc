"""Read: one key a verdict; each reading is in the library before the next cell is shown."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import Any, Protocol, cast

from olive_almanac.core.deciding.outlook import Outlook, expect
from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.fitting.kerf import check_gauged, kerf_figures, kerf_of, square_error
from olive_almanac.core.photo.judge import Limits, Taught
from olive_almanac.core.placing.places import parts_seen, side_of
from olive_almanac.core.records.factors import FACTORS, Factor
from olive_almanac.core.records.reading import VERDICT_WORDS, Reading, Verdict
from olive_almanac.core.records.run import (
    RunRecord,
    photos_of,
    side_shown,
    with_photo,
    without_photo,
)
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Cell, Trial, is_gauged
from olive_almanac.core.units import (
    count_text,
    number_text,
    percent_text,
    read_length_mm,
    read_number,
)
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.formats.photo import suffix_of
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.commands import Change
from olive_almanac.steps.photo import (
    PHOTO,
    PhotoRead,
    asks_for_tones,
    kept_photo,
    limits_from,
    photo_work,
    pieces_out,
    shown_again_work,
    suggestions,
    taught_by,
)
from olive_almanac.steps.session import Session

__all__ = ["KEYS", "SECOND", "ReadPresenter", "ShowsReading", "axis_texts"]

WITH_EDGE = ("free", "push", "hangs")  # verdicts whose edge shows well enough to be graded
SECOND = "second"  # under this name a second person's readings stand beside those that count
SURE_ENOUGH = 0.6
MEASURES = {  # what a gauge says: the field of a reading, in words
    "depth": ("depth_mm", tr("Depth")),
    "kerf": ("kerf_mm", tr("Measured width")),
    "back": ("kerf_bottom_mm", tr("Width at the back")),
    "tone": ("lightness", "L*"),
}

_TONE_KEYS = (("L", "too_light"), ("R", "right"), ("D", "too_dark"), ("N", "no_mark"))
KEYS: dict[
    str, tuple[tuple[str, str], ...]
] = {  # task: (key, verdict); "flare" is a verdict of the screen only
    "cut": (("T", "free"), ("H", "hangs"), ("N", "not_through"), ("F", "flare")),
    "score": _TONE_KEYS,
    "engrave": _TONE_KEYS,
    "mark": _TONE_KEYS,
}


def axis_texts(
    trial: Trial, unit: str
) -> tuple[tuple[str, dict[int, str]], tuple[str, dict[int, str]]]:
    """Return for rows and for columns what changes along them, in words, and the text of each row
    or column.

    A row whose cells have nothing of their own in common gets no text.
    """
    return _axis([(cell.row, cell.setting) for cell in trial.cells], unit), _axis(
        [(cell.col, cell.setting) for cell in trial.cells], unit
    )


def _teller(factor: Factor, unit: str) -> Callable[[Setting], str]:
    """Return how a factor of a setting is told beside a photo."""
    return lambda setting: factor.shown(factor.of(setting), unit)


def _axis(cells: list[tuple[int, Setting]], unit: str) -> tuple[str, dict[int, str]]:
    tellers: list[tuple[str, Callable[[Setting], str]]] = [
        (mid_sentence(tr("Power")), lambda s: f"{percent_text(s.power)} %")
    ]
    tellers += [(factor.short_axis(unit), _teller(factor, unit)) for factor in FACTORS[1:]]
    tellers += [
        (tr("direction"), lambda s: s.direction.upper()),
        (tr("lines"), lambda s: tr("crossed") if s.crosshatch else tr("one way")),
    ]
    for words, tell in tellers:
        texts: dict[int, set[str]] = {}
        for at, setting in cells:
            texts.setdefault(at, set()).add(tell(setting))
        alike = all(len(found) == 1 for found in texts.values())
        if alike and (
            len(set.union(*texts.values())) > 1 or (len(texts) == 1 and words == "power")
        ):
            return words, {at: next(iter(found)) for at, found in texts.items()}
    return "", {}


def _tells(cell: Cell, photo: Reading, *, by_tone: bool) -> bool:
    """Whether a photo answers what is asked of a cell: a verdict, a line's width, or its tone."""
    answered = photo.verdict is not None or (cell.mark == "line" and photo.kerf_mm is not None)
    answered |= by_tone and photo.lightness is not None
    return answered and not photo.flags


class ShowsReading(Protocol):
    def show_reading(self) -> None: ...


class ReadPresenter:
    """Knows the cell in hand, the edge grade picked for it, and whose eyes are reading.

    `second` is True while a second person reads the same coupon: their readings stand beside the
    first.
    """

    def __init__(self, session: Session, view: ShowsReading) -> None:
        self.session, self._view = session, view
        self.cell: Cell | None = None
        self.edge: int | None = None
        self._ungraded: Cell | None = None  # just read without a grade: the next grade is its own
        self._grades_first = False  # this reader picks the grade before the verdict
        self.second = False
        self.rectified: dict[
            str, Any
        ] = {}  # the squared-up picture of each side that is open, BGR with its padding
        self.waiting: tuple[bytes, str, str] | None = (
            None  # a photo that wants its corners: bytes, source, side
        )
        self.picture: tuple[Any, float] | None = None  # the whole photo made small, and its scale
        self._taught_before: list[Taught] | None = None
        self._trial_id = ""
        self._looked_at: dict[str, str] = {}  # of several photos of a side, the one turned to
        self.outlook: Outlook | None = None  # what the readings so far say of every cell
        self._edge_for: tuple[str, Any] | None = None
        self.start()

    # -- what is known -----------------------------------------------------------------------------

    @property
    def trial(self) -> Trial | None:
        if self.session.active:
            return self.session.active.trial
        return None

    @property
    def by_tone(self) -> bool:
        """Whether the active trial asks for the L* of each patch, not for a verdict."""
        return self.trial is not None and asks_for_tones(self.trial)

    @property
    def side_in_hand(self) -> str:
        """The side on which the cell in hand is photographed: the front, or its place."""
        if self.cell is None or self.trial is None:
            return "front"
        return side_of(self.trial, self.cell.id)

    @property
    def readable(self) -> list[Cell]:
        """Burnt cells in reading order: from the top row down, each from the left."""
        active = self.session.active
        if active is None:
            return []
        return sorted(
            (cell for cell in active.trial.cells if cell.id in active.burnt),
            key=lambda cell: (-cell.row, cell.col),
        )

    @property
    def readings(self) -> dict[str, Reading]:
        """The readings of whoever reads now."""
        active = self.session.active
        if active is None:
            return {}
        if self.second:
            return active.others.get(SECOND, {})
        return active.readings

    @property
    def left(self) -> int:
        return sum(cell.id not in self.readings for cell in self.readable)

    @property
    def suggested(self) -> dict[str, Reading]:
        """What the photo says of each cell."""
        active = self.session.active
        if active:
            return active.others.get(PHOTO, {})
        return {}

    @property
    def suggestion(self) -> Reading | None:
        if self.cell:
            return self.suggested.get(self.cell.id)
        return None

    @property
    def agreeable(self) -> list[str]:
        """Unread cells whose verdict the photo is sure enough of to be agreed with at once."""
        known = self.readings
        return [
            cell.id
            for cell in self.readable
            if cell.id not in known
            and (one := self.suggested.get(cell.id))
            and _tells(cell, one, by_tone=self.by_tone)
            and (is_gauged(cell) or self.by_tone or one.confidence >= SURE_ENOUGH)
        ]

    def question(self, cell: Cell) -> str:
        """Return what is asked of a cell that is read with a gauge, empty for one that gets a
        verdict.
        """
        way = cell.setting.direction.upper()
        if cell.mark == "comb":
            return tr(
                "Slot along {way}, drawn {nominal_mm:.2f} mm: how wide is it?",
                way=way,
                nominal_mm=cell.nominal_mm,
            )
        if cell.mark == "stack":
            pieces = max(1, round(cell.longest_side_mm / cell.nominal_mm))
            drawn = tr(
                "{pieces} pieces of {nominal_mm} mm along {way}",
                pieces=pieces,
                nominal_mm=number_text(cell.nominal_mm),
                way=way,
            )
            return tr("{drawn}: how long pushed together?", drawn=drawn)
        if cell.mark == "line":
            below = number_text(abs(cell.setting.mean_focus_mm))
            side = tr("below") if cell.setting.mean_focus_mm >= 0 else tr("above")
            return tr(
                "Line with the focus {below} mm {side} the face: how wide is it?",
                below=below,
                side=side,
            )
        if self.by_tone:
            return tr("Patch {cell}: how light is it?", cell=cell.id)
        return ""

    @property
    def differences(self) -> dict[str, str]:
        """Cells on which the eye and the photo, or two people, do not agree, with who says what."""
        active = self.session.active
        found: dict[str, str] = {}
        if active is None:
            return found
        for who, word in ((PHOTO, tr("the photo")), (SECOND, tr("the second reader"))):
            for cell, other in active.others.get(who, {}).items():
                first = active.readings.get(cell)
                if (
                    first is None
                    or first.verdict is None
                    or other.verdict is None
                    or (who == PHOTO and first.by == "photo")
                ):
                    continue
                if {first.verdict, other.verdict} not in ({first.verdict}, {"push", "hangs"}):
                    found[cell] = tr(
                        "{word} says {verdict_words}",
                        word=word,
                        verdict_words=mid_sentence(VERDICT_WORDS[other.verdict]),
                    )
        return found

    @property
    def limits(self) -> Limits:
        """The photo's limits for this stock, learned from what the eye said of measured cells."""
        active = self.session.active
        if self._taught_before is None:
            self._taught_before = self._taught_elsewhere()
        return limits_from(
            [*self._taught_before, *(taught_by(active) if active is not None else [])]
        )

    def _taught_elsewhere(self) -> list[Taught]:
        """What other coupons of this stock and task have taught."""
        active, taught = self.session.active, []
        if active is None or self.session.library is None:
            return []
        for trial in self.session.trials.every:
            if trial.id != active.trial.id and (trial.stock.uid, trial.task) == (
                active.trial.stock.uid,
                active.trial.task,
            ):
                run = self.session.library.run_of(trial.id) or RunRecord()
                if run.photos and (self.session.library.playground or not run.is_simulated):
                    known = {one.cell: one for one in self.session.library.readings(trial.id)}
                    taught += taught_by(ActiveTrial(trial, "book", known, run))
        return taught

    # -- the cell in hand --------------------------------------------------------------------------

    def start(self) -> None:
        """Take the first unread cell in hand."""
        trial = self.trial
        if trial is None or trial.id != self._trial_id:
            if trial:
                self._trial_id = trial.id
            else:
                self._trial_id = ""
            self._ungraded, self._grades_first = None, False
            self._looked_at = {}
            self.rectified, self.waiting, self.picture, self._taught_before, self.second = (
                {},
                None,
                None,
                None,
                False,
            )
        unread = [cell for cell in self.readable if cell.id not in self.readings]
        if unread:
            self.cell = unread[0]
        elif self.readable:
            self.cell = self.readable[0]
        else:
            self.cell = None
        self.edge = None

    @property
    def edge_of(self) -> str:
        """The cell that was just read and still takes the edge's grade, empty for the one in
        hand.
        """
        if self._ungraded is None:
            return ""
        return self._ungraded.id

    def read_as(self, *, second: bool) -> None:
        """Whose eyes read from now on."""
        self.second = second
        self.start()
        self._view.show_reading()

    def verdict(self, verdict: str) -> None:
        """Record the verdict of the cell in hand with the edge picked, and go to the next unread
        cell.
        """
        if self.cell is None:
            return
        self._ungraded = None
        if verdict == "flare":
            reading = self._seen(self.cell.id, None, 3, ("flare",))
        else:
            old = self.readings.get(self.cell.id)
            if old:
                defects = tuple(one for one in old.defects if one != "flare")
            else:
                defects = ()
            reading = self._seen(self.cell.id, cast(Verdict, verdict), self.edge, defects)
        if self.edge is not None and self.cell.id not in self.readings:
            self._grades_first = True
        done = self.cell
        self._record(done, reading)
        graded = reading.char is not None or self.session.subject.task != "cut"
        if verdict in WITH_EDGE and not (graded or self._grades_first) and self.cell != done:
            self._ungraded = done
            self._view.show_reading()

    def _seen(
        self, cell_id: str, verdict: Verdict | None, char: int | None, defects: tuple[str, ...] = ()
    ) -> Reading:
        """A reading by eye, with what photo and gauge have measured on the cell."""
        old, photo = self.readings.get(cell_id), self.suggested.get(cell_id)
        measured = None
        if photo is not None and not photo.flags:
            measured = photo
        base = old or measured or Reading(cell_id)
        if measured is not None and old is not None and old.lightness is None:
            base = replace(
                old,
                lightness=measured.lightness,
                delta_l=measured.delta_l,
                evenness=measured.evenness,
                halo_mm=measured.halo_mm,
            )
        return replace(
            base, verdict=verdict, char=char, defects=defects, by="eye", confidence=1.0, flags=()
        )

    def agree(self) -> None:
        """Take the photo's suggestion for the cell in hand."""
        one = self.suggestion
        if (
            self.cell is not None
            and one is not None
            and _tells(self.cell, one, by_tone=self.by_tone)
        ):
            self._record(
                self.cell, replace(one, char=self.edge if self.edge is not None else one.char)
            )

    def agree_all(self) -> None:
        """Take the photo's verdict for every unread cell it is sure of, as one act that can be
        undone.
        """
        active, cells = self.session.active, self.agreeable
        if active is None or not cells or self.second:
            return
        taken, trial_id = [self.suggested[cell] for cell in cells], active.trial.id

        def put(*, back: bool) -> None:
            if self.session.active is None or self.session.active.trial.id != trial_id:
                return
            for one in taken:
                self.session.trials.keep_reading(one.cell, None if back else one)
            self._after(self.cell)

        self.session.attempt(
            lambda: self.session.undo_stack.push(
                Change(
                    tr("{readings} by photo", readings=count_text(len(cells), "reading")),
                    lambda: put(back=False),
                    lambda: put(back=True),
                )
            )
        )
        self.start()
        self._view.show_reading()

    def pick_edge(self, grade: int) -> None:
        """Pick the edge grade for the cell in hand; a cell that is read already takes it at once.

        So does one that was just read without a grade, where this reader grades after the verdict.
        """
        if self._ungraded is not None and self.cell is not None:
            just_read, self._ungraded = self._ungraded, None
            old = self.readings.get(just_read.id)
            if old is not None:
                self._record(just_read, replace(old, char=grade), go_to=self.cell)
                return
        if self.edge == grade:
            self.edge = None
        else:
            self.edge = grade
        old = None
        if self.cell:
            old = self.readings.get(self.cell.id)
        if old is not None and self.cell is not None and old.verdict is not None:
            self._record(
                self.cell, replace(old, char=self.edge, by="eye", confidence=1.0), stay=True
            )
        else:
            self._view.show_reading()

    def toggle_defect(self, defect: str) -> None:
        """Note a defect of the cell in hand, or take it away; the verdict stays as it is."""
        if self.cell is None:
            return
        old = self.readings.get(self.cell.id) or Reading(self.cell.id, char=self.edge)
        if defect in old.defects:
            defects = tuple(one for one in old.defects if one != defect)
        else:
            defects = (*old.defects, defect)
        self._record(self.cell, replace(old, defects=defects), stay=True)

    def measure(self, what: str, text: str) -> bool:
        """Keep what a gauge says of the cell in hand: "depth", "kerf" or "back", mm, or "tone", L*;
        an empty text takes it away.

        A comb's slot or a stack is typed as measured; the kerf is reckoned.  Returns whether it
        could be read.
        """
        cell = self.cell
        if cell is None:
            return False
        field, words = MEASURES[what]

        def keep() -> None:
            value = None
            if text.strip() and what == "tone":
                value = read_number(text, words)
            elif text.strip():
                value = read_length_mm(text, words)
                if what == "kerf" and is_gauged(cell):
                    check_gauged(cell, value)
            old = self.readings.get(cell.id) or Reading(cell.id, char=self.edge)
            by = old.by
            if old.verdict is None:
                by = "gauge"
            changes: dict[str, Any] = {field: value, "by": by}
            if what == "tone":
                changes["flags"] = ()  # what the photo could not tell is told
            goes_on = is_gauged(cell) or (self.by_tone and what == "tone")
            self._record(cell, replace(old, **changes), stay=not goes_on)

        return self.session.attempt(keep)

    def kerf_of(self, cell: Cell) -> float | None:
        """Return the kerf that the reading of a comb's slot or a stack tells, mm."""
        reading = self.readings.get(cell.id)
        if reading is not None:
            return kerf_of(cell, reading)
        return None

    def kerf_words(self) -> str:
        """Return kerf along X and along Y as measured so far, with what the gauge leaves open."""
        by_way: dict[str, list[float]] = {"x": [], "y": []}
        for cell in self.readable:
            kerf = self.kerf_of(cell)
            if kerf is not None and cell.setting.direction in by_way:
                by_way[cell.setting.direction].append(kerf)
        resolution, parts, means = self.session.preferences.caliper_mm, [], []
        for way, kerfs in by_way.items():
            figures = kerf_figures(kerfs, resolution)
            if figures is not None:
                means.append(figures.mean_mm)
                parts.append(
                    tr(
                        "kerf {way} {mean_mm:.3f} ± {error_mm:.3f} mm from {count}",
                        way=way.upper(),
                        mean_mm=figures.mean_mm,
                        error_mm=figures.error_mm,
                        count=figures.count,
                    )
                )
        if len(means) == 2:
            parts.append(
                tr(
                    "a square comes out {means:.3f} mm off",
                    means=abs(square_error(means[1], means[0])),
                )
            )
        return ", ".join(parts)

    # -- the edge, while it is read ----------------------------------------------------------------

    def edge_work(self) -> Iterator[tuple[object, Any]] | None:
        """Return the work that finds the chance of each cell from what is read so far, or None
        where there is nothing new.

        It yields (what it was worked out for, Outlook): for a worker.
        """
        active = self.session.active
        if active is None or not active.readings or not kind_of(active.trial.kind).ordered:
            self.outlook = self._edge_for = None
            return None
        wanted = (active.trial.id, tuple(active.pairs))
        if wanted == self._edge_for:
            return None
        same = self._edge_for is not None and self._edge_for[0] == active.trial.id
        self._edge_for = wanted
        trial, pairs, previous = (
            active.trial,
            active.pairs,
            self.outlook.known if self.outlook and same else None,
        )

        def work() -> Iterator[tuple[object, Any]]:
            yield wanted, expect(trial, pairs, previous=previous)

        return work()

    @staticmethod
    def make_ready() -> None:
        """Load what the edge needs, in a worker, before the first verdict asks for it."""

    def take_edge(self, item: tuple[object, Any]) -> None:
        """Take the outlook, unless the readings have changed since."""
        worked_for, outlook = item
        if worked_for == self._edge_for:
            self.outlook = outlook

    # -- keeping -----------------------------------------------------------------------------------

    def _record(
        self, cell: Cell, reading: Reading, *, stay: bool = False, go_to: Cell | None = None
    ) -> None:
        active, second = self.session.active, self.second
        assert active is not None
        before, trial_id = self.readings.get(cell.id), active.trial.id

        def put(value: Reading | None, *, forward: bool) -> None:
            if self.session.active is None or self.session.active.trial.id != trial_id:
                return  # another coupon lies on the desk now
            if second:
                self._keep_second(cell.id, value)
            else:
                self.session.trials.keep_reading(cell.id, value)
            if forward and go_to is not None:
                self.cell, self.edge = go_to, None
            elif forward and not stay:
                self._go_on(cell)
            else:
                self.cell, self.edge = cell, value.char if value else None
            self._after(self.cell)
            self._view.show_reading()

        change = Change(
            tr("reading of {id}", id=cell.id),
            lambda: put(reading, forward=True),
            lambda: put(before, forward=False),
        )
        self.session.attempt(lambda: self.session.undo_stack.push(change))

    def _keep_second(self, cell_id: str, value: Reading | None) -> None:
        active = self.session.active
        assert active is not None
        if value is not None:
            self.session.trials.keep_others(SECOND, (value,), tr("read by a second person"))
            return
        self.session.store.take_back_reading(active.trial.id, cell_id, who=SECOND)
        seen = {cell: one for cell, one in active.others.get(SECOND, {}).items() if cell != cell_id}
        self.session.trials.show(replace(active, others={**active.others, SECOND: seen}))

    def _after(self, cell: Cell | None) -> None:
        self.cell = cell
        self._set_stage()
        self._teach()
        self.session.trials.changed.emit()

    def _teach(self) -> None:
        """What the eye has just said moves the photo's limits for the cells that are not
        read yet.
        """
        active = self.session.active
        if active is None or not active.run.photos:
            return
        fresh = {one.cell: one for one in suggestions(active, self.limits)}
        self.session.trials.show(replace(active, others={**active.others, PHOTO: fresh}))

    def _go_on(self, cell: Cell) -> None:
        cells, known = self.readable, self.readings
        at = cells.index(cell)
        following = cells[at + 1 :] + cells[:at]
        self.cell = next((c for c in following if c.id not in known), cell)
        reading = known.get(self.cell.id)
        if reading:
            self.edge = reading.char
        else:
            self.edge = None

    def _set_stage(self) -> None:
        active = self.session.active
        if active is None or active.stage == "book" or self.second:
            return
        stage = "read"
        if self.left == 0:
            stage = "decide"
        if stage != active.stage:
            self.session.trials.keep(
                active.trial, stage, tr("all read") if stage == "decide" else tr("being read")
            )

    def take_back(self) -> None:
        """Take the newest change back."""
        self._ungraded = None
        self.session.attempt(self.session.undo_stack.undo)

    def skip(self) -> None:
        if self.cell is not None and self.readable:
            cells = self.readable
            self.choose(cells[(cells.index(self.cell) + 1) % len(cells)].id)

    def choose(self, cell_id: str) -> None:
        found = next((cell for cell in self.readable if cell.id == cell_id), None)
        if found is not None:
            self.cell, self._ungraded = found, None
            known = self.readings.get(found.id)
            if known:
                self.edge = known.char
            else:
                self.edge = None
            self._view.show_reading()

    def move(self, rows: int, cols: int) -> None:
        """Move to the burnt cell that lies next in a direction; rows count upward."""
        here = self.cell
        if here is None:
            return
        ahead = [
            cell
            for cell in self.readable
            if (cell.row - here.row) * rows + (cell.col - here.col) * cols > 0
        ]
        if ahead:
            nearest = min(
                ahead,
                key=lambda c: (
                    10 * abs((c.row - here.row) * cols)
                    + 10 * abs((c.col - here.col) * rows)
                    + abs(c.row - here.row)
                    + abs(c.col - here.col)
                ),
            )
            self.choose(nearest.id)

    # -- photos ------------------------------------------------------------------------------------

    def photo_work(
        self, data: bytes, source: str, side: str, corners_px: Sequence[tuple[float, float]] = ()
    ) -> Iterator[tuple[str, Any]] | None:
        """Return the work of reading a photo, for a worker; None where no coupon lies on
        the desk.
        """
        active = self.session.active
        if active is None or not active.burnt:
            return None
        if corners_px and side == "front":
            side = self.side_in_hand
        self.waiting = (data, source, side)
        return photo_work(
            active.trial,
            data,
            source,
            side,
            corners_px=corners_px,
            curves=self.session.preferences.phone_curves,
            burnt=frozenset(active.burnt),
            out=pieces_out(active),
        )

    def take_photo(self, item: tuple[str, Any]) -> None:
        """Take one result of the work: the small picture first, then what was read, which is kept
        at once.
        """
        kind, value = item
        if kind == "picture":
            self.picture = value
            return
        self.session.attempt(lambda: self._keep_photo(value))
        self.waiting = None
        self.start()
        self._show_place(value.side)
        self._view.show_reading()

    def _show_place(self, side: str) -> None:
        """Take a cell of the place in hand that was photographed by itself."""
        part = parts_seen(self.trial).get(side) if self.trial is not None else None
        if part is not None:
            there = {cell.id for cell in part.cells}
            self.cell = next((one for one in self.readable if one.id in there), self.cell)

    def _keep_photo(self, read: PhotoRead) -> None:
        active = self.session.active
        if active is None or active.trial.id != read.trial_id:
            return  # another coupon is open by now: the photo is none of it
        name = self.session.store.keep_photo(read.data, suffix_of(read.data))
        kept = kept_photo(name, read, self.session.today().isoformat())
        photos, key = with_photo(active.run.photos, read.side, kept)
        run = replace(active.run, photos=photos)
        self.session.trials.keep_run(run, tr("photo of the {side}", side=read.side))
        self.rectified[key] = read.seen.rectified.codes
        self._looked_at.pop(read.side, None)  # the newest is shown
        if read.seen.by_card:
            self.session.remember(
                phone_curves={
                    **self.session.preferences.phone_curves,
                    read.phone: [read.seen.curve.slope, read.seen.curve.bend],
                }
            )
            stock = self.session.subject.stock
            if stock is not None and stock.lightness is None and stock.opacity == "opaque":
                self.session.shop.keep_stock(
                    replace(stock, lightness=round(read.seen.stock_l, 1)),
                    tr("lightness by the grey card"),
                )
        self._suggest_anew()

    def _suggest_anew(self) -> None:
        active = self.session.active
        assert active is not None
        readings = suggestions(active, self.limits)
        if readings:
            self.session.trials.keep_others(PHOTO, readings, tr("read by photo"))

    def photos_of(self, side: str) -> tuple[str, ...]:
        """Return the names of the photos of a side that can be shown, in the order taken."""
        active = self.session.active
        if active is None:
            return ()
        return tuple(one for one in photos_of(active.run.photos, side) if one in self.rectified)

    def photo_shown(self, side: str) -> str:
        """Return the name of the photo of a side that is looked at: the newest, or the one turned
        to; empty where there is none.
        """
        names = self.photos_of(side)
        if self._looked_at.get(side) in names:
            return self._looked_at[side]
        return names[-1] if names else ""

    def look_at(self, name: str) -> None:
        """Look at one of several photos of a side."""
        self._looked_at[side_shown(name)] = name
        self._view.show_reading()

    def take_away(self, name: str) -> None:
        """Take one of several photos of a side away; what was read stays."""
        active = self.session.active
        if active is None or name not in active.run.photos:
            return
        side = side_shown(name)
        shown = [self.rectified.pop(one, None) for one in photos_of(active.run.photos, side)]
        at = photos_of(active.run.photos, side).index(name)
        run = replace(active.run, photos=without_photo(active.run.photos, name))

        def keep() -> None:
            self.session.trials.keep_run(run, tr("a photo taken away"))
            self._suggest_anew()

        if self.session.attempt(keep):
            del shown[at]
        photos = self.session.active.run.photos if self.session.active else {}
        for one, codes in zip(photos_of(photos, side), shown, strict=True):
            if codes is not None:
                self.rectified[one] = codes
        self._looked_at.pop(side, None)
        self._view.show_reading()

    def reopen_work(self) -> Iterator[tuple[str, Any]] | None:
        """Return the work of showing the kept photos again after a start; nothing is read anew or
        written.
        """
        active = self.session.active
        if active is None:
            return None
        wanted = [side for side in active.run.photos if side not in self.rectified]
        if not wanted:
            return None
        return shown_again_work(self.session.store, active, wanted)

    def show_again(self, item: tuple[str, Any]) -> None:
        side, codes = item
        self.rectified[side] = codes
        self._view.show_reading()
