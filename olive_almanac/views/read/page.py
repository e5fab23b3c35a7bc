"""The Read station: one key a verdict, the coupon at the left, all cells at the right, the cell in
hand below.
"""

from __future__ import annotations

import zlib
from collections import deque
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QMimeData, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import (
    QAbstractButton,
    QFileDialog,
    QHBoxLayout,
    QMenu,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.placing.places import part_seen, parts_seen, side_of, side_words
from olive_almanac.core.records.reading import (
    CHAR_WORDS,
    DEFECT_WORDS,
    DEFECTS,
    HOLDS,
    VERDICT_WORDS,
    Reading,
)
from olive_almanac.core.records.run import photos_of, side_shown
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.core.units import (
    capital,
    count_text,
    number_text,
    passes_text,
    percent_text,
    speed_in,
)
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.files import name_of, read_bytes
from olive_almanac.steps.lettering import letters
from olive_almanac.steps.photo import places_told, together_told
from olive_almanac.steps.read import KEYS, ReadPresenter, axis_texts
from olive_almanac.steps.requests import LookAtCell, Request
from olive_almanac.views.big_type import InHand, numbers_of
from olive_almanac.views.coupon import CellPicture, CouponPicture
from olive_almanac.views.marks import draw_verdict
from olive_almanac.views.parts import (
    ARROWS,
    CENTRE,
    MIDDLE_LEFT,
    Segments,
    box,
    button,
    clear_layout,
    col,
    draw_keycap,
    hair,
    head,
    label,
    page_margins,
    row,
    set_kind,
)
from olive_almanac.views.read.cell_grid import CellGrid, shown_verdict
from olive_almanac.views.read.measures import (
    CornerPage,
    GaugeFields,
    flag_words,
    measured_words,
    png_of,
)
from olive_almanac.views.read.photo_view import CellCrop, PhotoPicture
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import (
    LIVE,
    NO_BRUSH,
    NO_PEN,
    C,
    F,
    Painted,
    compact,
    px,
    scaled_font,
)
from olive_almanac.views.window import MainWindow
from olive_almanac.views.worker import once

EDGE_KEYS = ("1", "2", "3")
EDGE_PAUSE_MS = 30
MOST_PHOTOS = 97  # of one side by the stand-in, told apart
NO_BACK = tr(
    "There is no photo of the back yet.\nIt tells what hangs from what did not get through."
)
KEYS_WIDTH = (552, 620)  # of the keys, logical px: in a small window and in a large one


class Progress(Painted):
    """How many cells are read, one bar each; many cells become one bar."""

    def __init__(self) -> None:
        super().__init__()
        self.done = self.total = 0
        self.setFixedSize(px(270), px(22))

    def show_count(self, done: int, total: int) -> None:
        self.done, self.total = done, total
        self.setAccessibleName(tr("{done} of {total} read", done=done, total=total))
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if not self.total:
            return
        step = width / self.total
        if step < 5:
            painter.fillRect(QRectF(0, 3, width * self.done / self.total, 16), C("olive"))
            painter.setPen(QPen(C("edge"), 1))
            painter.drawRect(QRectF(0.5, 3.5, width - 1, 15))
            return
        for i in range(self.total):
            bar = QRectF(i * step, 3, step - 2, 16)
            if i < self.done:
                painter.fillRect(bar, C("olive"))
            else:
                painter.setPen(QPen(C("edge"), 1))
                painter.setBrush(NO_BRUSH)
                painter.drawRect(bar.adjusted(0.5, 0.5, -0.5, -0.5))


class _Key(QAbstractButton):
    """A key of the keyboard on screen, for a gloved finger: its cap, its word, and a frame that
    says whether it is chosen, has the focus or lies under the mouse.
    """

    def __init__(self, key: str, word: str, height: int) -> None:
        super().__init__()
        self.key, self.chosen = key, False
        self.setText(word)
        self.setAccessibleName(word)
        self.setAccessibleDescription(tr("key {key}", key=key))
        self.setFixedHeight(px(height))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def draw_frame(self, painter: QPainter, rect: QRectF, *, marked: bool) -> QColor:
        """Draw the frame, on brass where it is `marked`; return the colour of its ground."""
        pen, ground = QPen(C("edge"), 1), C("field")
        if self.hasFocus():
            pen = QPen(C("olive"), 2)
        if self.chosen:
            pen = QPen(C("ink"), 2.4)
        if self.underMouse() or self.isDown():
            ground = C("wash")
        if marked:
            ground = C("brass_wash")
        painter.setPen(pen)
        painter.setBrush(ground)
        painter.drawRoundedRect(rect, 4, 4)
        return ground


class VerdictKey(_Key):
    """A verdict: mark, word, key cap."""

    def __init__(self, verdict: str, key: str) -> None:
        super().__init__(key, VERDICT_WORDS[verdict], compact(76, 88))
        self.verdict, self.hinted = verdict, False
        self.setMinimumWidth(px(96))

    def sizeHint(self) -> QSize:
        return QSize(px(118), px(88))

    def show_chosen(self, chosen: bool, hinted: bool = False) -> None:
        """`hinted`: the photo suggests it, Enter agrees."""
        self.chosen, self.hinted = chosen, hinted
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter, w, h = _begin(self)
        rect = QRectF(1, 1, w - 2, h - 2)
        ground = self.draw_frame(painter, rect, marked=self.chosen or self.hinted)
        if self.hinted:
            draw_keycap(painter, QRectF(w - 56, h - 34, 46, 22), tr("Enter"))
        draw_verdict(
            painter, QRectF(13, 12, compact(26, 34), compact(26, 34)), self.verdict, ground=ground
        )
        draw_keycap(painter, QRectF(w - 34, 10, 24, 22), self.key)
        painter.setFont(F(compact("small_b", "ui_b")))
        painter.setPen(C("ink"))
        painter.drawText(QRectF(13, h - 34, w - 16, 24), MIDDLE_LEFT, self.text())


class EdgeKey(_Key):
    """An edge grade, skip or take back: key cap and word."""

    def __init__(self, key: str, word: str) -> None:
        super().__init__(key, word, 44)

    def sizeHint(self) -> QSize:
        return QSize(px(compact(84, 104)), px(44))

    def show_chosen(self, chosen: bool) -> None:
        self.chosen = chosen
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter, w, h = _begin(self)
        self.draw_frame(painter, QRectF(1, 1, w - 2, h - 2), marked=self.chosen)
        cap = 30
        if len(self.key) == 1:
            cap = 22
        draw_keycap(painter, QRectF(8, 11, cap, 22), self.key)
        painter.setFont(F("small_b" if self.chosen else "small"))
        painter.setPen(C("ink"))
        painter.drawText(QRectF(cap + 14, 0, w - cap - 14, h), MIDDLE_LEFT, self.text())


def _begin(widget: QWidget) -> Any:
    painter = QPainter(widget)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(LIVE.scale, LIVE.scale)
    painter.setPen(NO_PEN)
    return painter, widget.width() / LIVE.scale, widget.height() / LIVE.scale


class ReadPage(StationPage):
    """Joins picture, grid and keys; the presenter records each verdict at once.

    A photo can be chosen, dropped on the page or pasted; while its corners are picked by hand the
    picker takes the page.
    """

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.presenter = ReadPresenter(self.session, self)
        self.title, self.count, self.by = (
            label("", "h1"),
            label("", "ui_b"),
            label("", "ui", "second"),
        )
        self.progress = Progress()
        self.picture, self.photo, self.grid, self.cell_picture = (
            CouponPicture(),
            PhotoPicture(),
            CellGrid(),
            CellPicture(),
        )
        self.crops = {side: CellCrop(side) for side in ("front", "back")}
        for part in (self.cell_picture, *self.crops.values()):
            part.setFixedSize(px(compact(84, 122)), px(compact(84, 122)))
        self.nothing = label("", "h2", wrap=True)
        self.to_decide = button(tr("Decide"), "main", tip="Ctrl+Enter")
        self.to_decide.clicked.connect(self.main_action)
        stays = self.to_decide.sizePolicy()
        stays.setRetainSizeWhenHidden(True)  # nothing moves when it comes
        self.to_decide.setSizePolicy(stays)
        self._reading: Any = None
        # photos that wait: of which trial, bytes, source, side
        self._coming: deque[tuple[str, bytes, str, str]] = deque()
        self._edge_worker: Any = None
        self._edge_pause = QTimer(
            self
        )  # the verdict is drawn first; who types fast is not held up by every fit
        self._edge_pause.setSingleShot(True)
        self._edge_pause.setInterval(EDGE_PAUSE_MS)
        self._edge_pause.timeout.connect(self._find_edge)
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(
            head(self.title, 8, self.progress, self.count, None, self.by, gap=12, topic="read")
        )
        layout.addSpacing(px(6))
        layout.addWidget(self.nothing)
        self.says = label("", "small", "second", wrap=True)
        layout.addWidget(self.says)
        self.corner_page = CornerPage()
        self.corner_page.done.connect(self._read_with_corners)
        self.corner_page.left.connect(self._leave_corners)
        layout.addWidget(self.corner_page, 1)
        self.corner_page.hide()
        self.upper = self._build_upper()
        layout.addWidget(self.upper, 1)
        layout.addSpacing(px(6))
        self.lower = self._build_lower()
        layout.addWidget(self.lower)
        for part in (self.picture, self.photo, self.grid):
            part.cell_clicked.connect(self.presenter.choose)

    def _build_upper(self) -> Any:
        self.view = Segments([tr("drawing"), tr("photo"), tr("back")], 0, tr("What is shown"))
        self.view.chosen.connect(lambda _: self.show_reading())
        self.add_photo = button(
            tr("Add a photo"),
            "plain",
            tip=tr("JPEG, PNG or HEIC; also dropped on this page or pasted (Ctrl+V)"),
        )
        self.add_photo.clicked.connect(lambda: self._choose_photo("front"))
        self.add_back = button(
            tr("Add the back"), "plain", tip=tr("tells what hangs from what was not cut through")
        )
        self.add_back.clicked.connect(lambda: self._choose_photo("back"))
        tip = tr("the stand-in’s phone takes a photo of this side")
        self.shoot = button(tr("Photograph it"), "plain", tip=tip)
        self.shoot.clicked.connect(self._photograph)
        self.phone = button(tr("Phone"), "plain", tip=tr("its camera sends the photos here"))
        self.phone.clicked.connect(self.ask_phone)
        self.which = button("", "plain", tip=tr("the next of the photos of this side"))
        self.which.clicked.connect(self._look_at_next)
        self.take_away = button(
            tr("Take it away"), "plain", tip=tr("this photo does not count any more")
        )
        self.take_away.clicked.connect(
            lambda: self.presenter.take_away(self.presenter.photo_shown(self._side_in_view))
        )
        self.no_back = label(NO_BACK, "ui", "second", wrap=True)
        self.no_back.setAlignment(CENTRE)
        left = col(
            row(self.view, None, self.shoot, self.phone, self.add_photo, self.add_back, gap=2),
            self.picture,
            self.photo,
            self.no_back,
            row(self.which, self.take_away, None, gap=6),
            gap=6,
        )
        for place in (1, 2, 3):
            left.setStretch(place, 1)
        self.grid_words = label("", "small", "second")
        self.reader = Segments([tr("first reader"), tr("second")], 0, tr("Whose eyes read"))
        self.reader.chosen.connect(lambda at: self._read_as(at == 1))
        right = col(
            row(
                label(tr("Cells"), "h3"), self.grid_words, None, self.reader, self.to_decide, gap=10
            ),
            self.grid,
            gap=6,
        )
        right.setStretch(1, 1)
        across = QHBoxLayout()
        across.setSpacing(px(24))
        across.addLayout(left, 45)
        across.addLayout(right, 55)
        return box(across)

    def _build_lower(self) -> Any:
        self.now = label("", "h2")
        self.setting = label("", "ui", "second", wrap=True)
        self.measured = label("", "small", wrap=True)
        self.suggests = label("", "ui_b", wrap=True)
        self.keys: dict[str, VerdictKey] = {}
        self.key_row = QHBoxLayout()
        self.key_row.setSpacing(px(8))
        self.edges = []
        self.edge_of = label(tr("Edge"), "ui_b")
        edge_row: list[Any] = [self.edge_of]
        for grade, key in enumerate(EDGE_KEYS):
            edge = EdgeKey(key, CHAR_WORDS[grade])
            edge.clicked.connect(lambda _=False, grade=grade: self.presenter.pick_edge(grade))
            self.edges.append(edge)
            edge_row.append(edge)
        self.edge_part = box(row(*edge_row, gap=8))
        self.defects = button(tr("Defects"), tip=tr("X: what else there is to note of this cell"))
        self.defects.clicked.connect(self._ask_defects)
        self.gauge = GaugeFields()
        self.gauge.measured.connect(self._measure)
        skip, back = EdgeKey("S", tr("skip")), EdgeKey("⌫", tr("take back"))
        skip.clicked.connect(self.presenter.skip)
        back.clicked.connect(self.presenter.take_back)
        self.agree_all = button(
            tr("Agree with all"),
            tip=tr("take the photo’s verdict for every unread cell it is sure of"),
        )
        self.agree_all.clicked.connect(self.presenter.agree_all)
        words = col(self.now, self.setting, self.suggests, self.measured, None, gap=2)
        self.wrong = button(compact(tr("Wrong?"), tr("What went wrong?")), "plain", tip="Ctrl+W")
        self.wrong.clicked.connect(lambda: self.main_window.ask_wrong())
        above = row(None, self.gauge, self.agree_all, self.wrong, self.defects, gap=8)
        self.question = label("", "h2", wrap=True)
        self.answer_with = label("", "ui", "second", wrap=True)
        keys = box(
            col(
                above,
                self.key_row,
                self.question,
                self.answer_with,
                row(self.edge_part, 4, skip, back, gap=8),
                gap=6,
            )
        )
        keys.setFixedWidth(px(compact(KEYS_WIDTH[0], KEYS_WIDTH[1])))  # the same for each cell
        line = row(
            self.cell_picture, self.crops["front"], self.crops["back"], 4, words, 6, keys, gap=8
        )
        line.setStretch(4, 1)
        return box(col(hair("bold"), 6, line, gap=0))

    # -- state -------------------------------------------------------------------------------------

    def enter(self) -> None:
        self.presenter.start()
        self._show_keys()
        if self.presenter.second:
            self.reader.set_at(1)
        else:
            self.reader.set_at(0)
        self._leave_corners()
        self._reopen()
        self.main_window.work(once(self.presenter.make_ready), lambda _: None)
        self.setFocus()

    def subject_changed(self) -> None:
        self.enter()

    def trials_changed(self) -> None:
        if self._other_trial():
            self.enter()
        else:
            self.show_reading()

    def take(self, request: Request) -> None:
        if isinstance(request, LookAtCell):
            self.presenter.choose(request.cell)

    def _other_trial(self) -> bool:
        active, cell = self.session.active, self.presenter.cell
        return active is None or cell is None or cell not in active.trial.cells

    def _show_keys(self) -> None:
        clear_layout(self.key_row)
        self.keys = {}
        task = self.session.subject.task
        for key, verdict in KEYS[task]:
            made = VerdictKey(verdict, key)
            made.clicked.connect(lambda _=False, verdict=verdict: self.presenter.verdict(verdict))
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self.key_row.addWidget(made)
            self.keys[key] = made
        self.edge_part.setVisible(task == "cut")

    def show_reading(self) -> None:
        active, cell = self.session.active, self.presenter.cell
        ready = active is not None and cell is not None
        picking = not self.corner_page.isHidden()
        for part in (self.upper, self.lower):
            part.setVisible(ready and not picking)
        self.progress.setVisible(ready)
        self.says.setVisible(ready)
        self.nothing.setVisible(not ready)
        if not ready:
            self.title.setText(tr("Read"))
            self.count.setText("")
            self.by.setText("")
            self.nothing.setText(
                tr("No coupon is planned for this stock yet.")
                if active is None
                else tr("This coupon has not been burnt yet.")
            )
            return
        presenter = self.presenter
        burnt, unread = len(presenter.readable), presenter.left
        self.title.setText(tr("Read {trial}", trial=mid_sentence(active.trial.name)))
        self.progress.show_count(burnt - unread, burnt)
        differ = len(presenter.differences)
        self.count.setText(
            (
                tr("{burnt} read, {unread} left", burnt=burnt - unread, unread=unread)
                if unread
                else tr("all {burnt} read", burnt=burnt)
            )
            + (tr(", {differ} differ", differ=differ) if differ else "")
        )
        self.by.setText(compact("", self._told_by(active)))
        unit = self.session.preferences.speed_unit
        (up, _), (along, _) = axis_texts(active.trial, unit)
        words = [tr("{up} up the side", up=up)] * bool(up) + [
            tr("{along} across", along=along)
        ] * bool(along)
        self.grid_words.setText(compact("", ", ".join(words)))
        self._show_pictures(active, cell)
        self.grid.show_cells(
            active, cell.id, unit, presenter.readings, presenter.suggested, presenter.differences
        )
        self._show_cell(active, cell, unit)
        self._edge_pause.start()
        self.to_decide.setVisible(len(active.readings) > 0)
        set_kind(self.to_decide, "main" if unread == 0 else "")

    def _find_edge(self) -> None:
        """Work out the edge from what is read so far, off this thread; when that is done, again if
        more was read since.
        """
        if self._edge_worker is not None:
            return
        work = self.presenter.edge_work()
        self._show_edge()
        if work is not None:
            self._edge_worker = self.main_window.work(work, self.presenter.take_edge)
            self._edge_worker.finished.connect(self._edge_found)

    def _edge_found(self) -> None:
        self._edge_worker = None
        self._find_edge()

    @property
    def edge_is_drawn(self) -> bool:
        """Whether the edge drawn is that of everything read so far."""
        return self._edge_worker is None and not self._edge_pause.isActive()

    def _show_edge(self) -> None:
        outlook = self.presenter.outlook
        if outlook is not None:
            self.grid.show_chance(outlook.chance)
        else:
            self.grid.show_chance({})

    def leave(self) -> None:
        self._edge_pause.stop()
        if self._edge_worker is not None:
            self._edge_worker.finished.disconnect(self._edge_found)
            self._edge_worker.halt()
            self._edge_worker = None

    def _told_by(self, active: ActiveTrial) -> str:
        photos, places = active.run.photos, parts_seen(active.trial)
        if photos and places:
            at, seen = max(one.at for one in photos.values()), sum(one in photos for one in places)
            return tr("photos of {n} of {places} places, {at}", n=seen, places=len(places), at=at)
        if photos:
            sides = [side for side in ("front", "back") if side in photos]
            if len(photos) > len(sides):
                return tr(
                    "{photos} of the {sides}, {at}",
                    photos=count_text(len(photos), "photo"),
                    sides=" and ".join(sides),
                    at=max(one.at for one in photos.values()),
                )
            return tr(
                "photo of the {sides}, {at}", sides=" and ".join(sides), at=photos[sides[0]].at
            )
        if active.run.on_stand_in:
            return tr("burnt on the stand-in bench")
        return tr("burnt on the machine")

    def _show_pictures(self, active: ActiveTrial, cell: Cell) -> None:
        presenter, rectified = self.presenter, self.presenter.rectified
        front = presenter.side_in_hand
        side = "back" if self.view.at == 2 else front
        name = presenter.photo_shown(side)
        shows = self.view.at > 0 and bool(name)
        part = replace(active, trial=part_seen(active.trial, side))
        self.photo.setVisible(shows)
        self.no_back.setVisible(side == "back" and not shows)
        self.picture.setVisible(side != "back" and not shows)
        if shows:
            self.photo.show_photo(
                part, rectified[name], side, cell.id, presenter.readings, presenter.suggested
            )
        else:
            self.picture.show_desk(active, cell.id)
        self._show_which(side, name if shows else "")
        stand_in = active.run.on_stand_in and self._reading is None
        self.shoot.setVisible(stand_in)
        self.shoot.setText(
            compact(
                tr("Photo"), tr("Photograph the back") if self.view.at == 2 else tr("Photograph it")
            )
            if front == "front"
            else compact(tr("Photos"), tr("Photograph them"))
        )
        free = self._reading is None and not (stand_in and compact(True, False))
        turned = self.view.at == 2
        self.add_photo.setVisible(free and not turned)
        self.add_back.setVisible(
            free
            and active.trial.task == "cut"
            and (turned or (not stand_in and "front" in active.run.photos))
        )
        of_front, of_back = presenter.photo_shown(front), presenter.photo_shown("back")
        self.cell_picture.setVisible(not of_front)
        self.cell_picture.show_cell(active, cell)
        part = replace(active, trial=part_seen(active.trial, front))
        seen = part.trial.cell(cell.id)
        self.crops["front"].show_cell(part, seen, "front", rectified.get(of_front))
        self.crops["back"].show_cell(active, cell, "back", rectified.get(of_back))
        if self._reading is None:
            self._tell_of_photos(active, side, (of_front, of_back))

    def _tell_of_photos(self, active: ActiveTrial, side: str, shown: tuple[str, str]) -> None:
        """What is to be said of the photos looked at, and of those of one side together."""
        kept = active.run.photos
        told = [*places_told(active), together_told(active, side)]
        told += [word for name in shown if name for word in kept[name].says]
        self.says.setText(" ".join(filter(None, dict.fromkeys(told))))
        self.says.setVisible(any(told))

    def _show_which(self, side: str, name: str) -> None:
        """Of several photos of a side, which one is looked at."""
        names = self.presenter.photos_of(side)
        several = bool(name) and len(names) > 1
        self.which.setVisible(several)
        self.take_away.setVisible(several)
        if several:
            at = names.index(name) + 1
            self.which.setText(tr("Photo {at} of {photos}", at=at, photos=len(names)))

    def _look_at_next(self) -> None:
        side = self._side_in_view
        names = self.presenter.photos_of(side)
        if names:
            at = names.index(self.presenter.photo_shown(side))
            self.presenter.look_at(names[at - 1])

    @property
    def _side_in_view(self) -> str:
        return "back" if self.view.at == 2 else self.presenter.side_in_hand

    @staticmethod
    def _name_of(active: ActiveTrial, cell: Cell) -> str:
        """The cell, and how it is prepared where several recipes lie side by side, or where it lies
        on a bed that is photographed place by place.
        """
        trial, side = active.trial, side_of(active.trial, cell.id)
        if side != "front":
            return tr("Cell {id}: {name}", id=cell.id, name=side_words(trial, side))
        if len(trial.recipes) < 2:
            return tr("Cell {id}", id=cell.id)
        return tr("Cell {id}: {name}", id=cell.id, name=trial.recipe_of(cell).name)

    def _show_cell(self, active: ActiveTrial, cell: Cell, unit: str) -> None:
        presenter = self.presenter
        setting, reading, photo = (
            cell.setting,
            presenter.readings.get(cell.id),
            presenter.suggestion,
        )
        self.now.setText(self._name_of(active, cell))
        passes = passes_text(setting.passes)
        self.setting.setText(
            f"{percent_text(setting.power)} %, {number_text(speed_in(setting.speed_mm_s, unit))} "
            f"{unit}, {passes}"
        )
        self.measured.setText(
            measured_words(
                reading, photo, presenter.differences.get(cell.id, ""), presenter.kerf_of(cell)
            )
        )
        self._show_question(presenter.question(cell), photo)
        suggested = None
        if photo is not None and not photo.flags:
            suggested = photo.verdict
        self.suggests.setText(self._suggestion_words(active, photo))
        for made in self.keys.values():
            made.show_chosen(
                made.verdict == shown_verdict(reading),
                made.verdict == suggested and reading is None,
            )
        self.edge_of.setText(
            tr("Edge of {edge_of}", edge_of=presenter.edge_of) if presenter.edge_of else tr("Edge")
        )
        for grade, edge in enumerate(self.edges):
            edge.show_chosen(presenter.edge == grade)
        if reading:
            noted = [one for one in reading.defects if one != "flare"]
        else:
            noted = []
        if not noted:
            self.defects.setText(tr("Defects"))
        else:
            self.defects.setText(tr("Defects: {noted}", noted=len(noted)))
        self.gauge.show_fields(cell, reading, active.trial.task)
        kerfs = ""
        if kind_of(active.trial.kind).tells_kerf:
            kerfs = presenter.kerf_words()
        if kerfs:
            self.suggests.setText(capital(kerfs))
        self.suggests.setVisible(bool(self.suggests.text()) or not presenter.question(cell))
        agreeable = len(presenter.agreeable)
        self.agree_all.setVisible(agreeable > 1 and not presenter.second)
        self.agree_all.setText(tr("Agree with all {agreeable}", agreeable=agreeable))

    def _show_question(self, question: str, photo: Reading | None) -> None:
        """A cell that is read with a gauge asks for its width; the others have verdict keys."""
        self.question.setText(question)
        for part in (self.question, self.answer_with):
            part.setVisible(bool(question))
        told = tr("Type it, Enter keeps it and goes on.")
        if photo is not None and photo.kerf_mm is not None and not photo.flags:
            told = tr(
                "Type it, or Enter takes the photo’s {kerf_mm:.2f} mm.", kerf_mm=photo.kerf_mm
            )
        elif self.presenter.by_tone:
            told = self._told_of_tone(photo)
        self.answer_with.setText(told)
        for made in self.keys.values():
            made.setVisible(not question)
        self.edge_part.setVisible(not question and self.session.subject.task == "cut")

    def _told_of_tone(self, photo: Reading | None) -> str:
        """How the tone of a patch is told: by a photo of its place, or by a meter."""
        if photo is None:
            return tr("Photograph its place, or type the L* of a meter; Enter keeps it.")
        if photo.flags or photo.lightness is None:
            return tr("Photograph its place once more, or type the L* of a meter.")
        tone = number_text(photo.lightness, 3)
        return tr("Type the L* of a meter, or Enter takes the photo’s {tone}.", tone=tone)

    def _suggestion_words(self, active: ActiveTrial, photo: Reading | None) -> str:
        if photo is None or (photo.kerf_mm is not None and not photo.flags):
            return ""
        if photo.flags == (HOLDS,):
            return tr("The piece is still in: the back tells whether it hangs.")
        if photo.flags:
            return (
                tr("The photo does not judge this cell: ")
                + "; ".join(flag_words(photo.flags))
                + "."
            )
        if photo.verdict is None:
            if self.presenter.by_tone:
                return ""
            return tr("The photo has no opinion on this cell.")
        sure = tr(", not sure")
        if photo.confidence >= 0.6:
            sure = ""
        taught = self.presenter.limits.taught
        learned = ""
        if taught:
            learned = tr(" (from {taught} of your readings)", taught=taught)
        return tr(
            "The photo suggests: {verdict_words}{sure}{learned}.",
            verdict_words=mid_sentence(VERDICT_WORDS[photo.verdict]),
            sure=sure,
            learned=learned,
        )

    # -- photos ------------------------------------------------------------------------------------

    def _choose_photo(self, side: str) -> None:
        kinds = tr("Photos (*.jpg *.jpeg *.png *.heic *.heif *.webp)")
        title = tr("Photos of the {side}", side=side)
        if side == "front" and self._parts:
            title = tr("Photos of the places")
        names, _ = QFileDialog.getOpenFileNames(self, title, "", kinds)
        self.read_files(names, side)

    @property
    def _parts(self) -> dict[str, Trial]:
        """The places of the active trial that are photographed by themselves."""
        return parts_seen(self.presenter.trial) if self.presenter.trial is not None else {}

    def read_files(self, names: Sequence[str], side: str = "front") -> None:
        """Read photos of a side, or of places, one after the other."""
        for name in names:
            self.read_file(name, side)

    def read_file(self, name: str, side: str = "front") -> None:
        """Read a photo from a file, in a worker."""

        def load() -> None:
            self.read_bytes(read_bytes(Path(name)), name_of(Path(name)), side)

        self.session.attempt(load)

    def read_bytes(self, data: bytes, source: str, side: str, corners: Any = ()) -> None:
        if self._reading is not None:
            self._coming.append((self._trial_id, data, source, side))
            return
        work = self.presenter.photo_work(data, source, side, corners)
        if work is None:
            return
        self.says.setText(tr("Reading {source} ...", source=source))
        self.says.show()
        self._reading = self.main_window.work(work, self.presenter.take_photo, self._photo_failed)
        self._reading.finished.connect(self._photo_done)
        if side == "back":
            self.view.set_at(2)
        else:
            self.view.set_at(1)
        self.show_reading()

    def _photo_done(self) -> None:
        self._reading = None
        self.show_reading()
        if self.corner_page.isHidden():
            self._read_next()

    @property
    def _trial_id(self) -> str:
        return self.presenter.trial.id if self.presenter.trial is not None else ""

    def _read_next(self) -> None:
        """Read the photo that waits, if it is of the coupon that lies on the desk."""
        while self._coming and self._reading is None:
            of, data, source, side = self._coming.popleft()
            if of == self._trial_id:
                self.read_bytes(data, source, side)

    def _photo_failed(self, problem: Exception) -> None:
        code = getattr(problem, "code", "")
        if not isinstance(problem, AlmanacError):
            raise problem
        if (
            code in ("no_marks", "bad_fit", "two", "bad_corners")
            and self.presenter.picture is not None
        ):
            picture, scale = self.presenter.picture
            waiting = self.presenter.waiting
            self.upper.hide()
            self.lower.hide()
            side = waiting[2] if waiting else "front"
            place = ""
            if side == "front" and self._parts:
                place = side_words(self.presenter.trial, self.presenter.side_in_hand)
            self.corner_page.show_photo(picture, scale, str(problem), side, place)
        else:
            self.session.tell(str(problem))

    def _read_with_corners(self, corners: Any) -> None:
        waiting = self.presenter.waiting
        self.corner_page.hide()
        if waiting is not None:
            self.read_bytes(*waiting, corners)
        self._leave_corners()

    def _leave_corners(self) -> None:
        self.corner_page.hide()
        self.show_reading()
        self.setFocus()
        self._read_next()

    def _photograph(self) -> None:
        """Have the stand-in's phone take a photo of the side shown, or of each place that has none
        yet (of the one in hand where all have), then read them.
        """
        active, bench = self.session.active, self.main_window.make_bench()
        photos = active.run.photos
        sides = ["back" if self.view.at == 2 else "front"]
        if self._parts:
            sides = [side for side in self._parts if side not in photos]
            sides = sides or [self.presenter.side_in_hand]

        def shoot() -> Iterator[tuple[str, bytes]]:
            for side in sides:
                number = 1
                taken = photos_of(photos, side)
                if self._parts or taken:
                    before = photos[taken[-1]].name if taken else ""
                    number += zlib.crc32(f"{side} {before}".encode()) % MOST_PHOTOS
                yield (
                    side,
                    bench.photograph(
                        active.trial,
                        letters(),
                        number=number,
                        side=side,
                        burnt=frozenset(active.burnt),
                    ),
                )

        self.says.setText(tr("The stand-in’s phone takes a photo ..."))
        self.says.show()
        taken: list[tuple[str, bytes]] = []
        self._reading = self.main_window.work(shoot(), taken.append)
        self._reading.finished.connect(lambda: self._photographed(taken, active.trial))
        self.show_reading()

    def _photographed(self, taken: Sequence[tuple[str, bytes]], trial: Trial) -> None:
        self._reading = None
        if self.session.active is None or self.session.active.trial.id != trial.id:
            self.show_reading()
            return  # another coupon is open by now
        for side, data in taken:
            told = tr("stand-in photo of the {side}", side=side_words(trial, side))
            self.read_bytes(data, told, side)
        self.show_reading()

    def _reopen(self) -> None:
        """Show the kept photos again after a start."""
        work: list = []
        if (
            self._reading is None
            and self.session.attempt(lambda: work.append(self.presenter.reopen_work()))
            and work[0] is not None
        ):
            trial_id = self._trial_id
            self.main_window.work(work[0], lambda item: self._shown_again(item, trial_id))

    def _shown_again(self, item: Any, trial_id: str) -> None:
        if self.presenter.trial is None or self.presenter.trial.id != trial_id:
            return  # another coupon is open by now
        if self.view.at == 0:
            self.view.set_at(1)
        self.presenter.show_again(item)

    def ask_phone(self) -> None:
        """Open the panel through which a phone, or a watched folder, sends photos."""
        from olive_almanac.views.read.phone import PhonePanel  # start-up: opened seldom

        if self.session.active is not None and self.session.active.burnt:
            panel = PhonePanel(self)
            panel.finished.connect(panel.deleteLater)
            panel.show()

    @property
    def is_reading_photo(self) -> bool:
        """Whether a photo is being read just now; another waits until it is done."""
        return self._reading is not None

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls() or event.mimeData().hasImage():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self._take_mime(event.mimeData())
        event.acceptProposedAction()

    def _take_mime(self, mime: QMimeData) -> None:
        """A file or a picture that was dropped or pasted; it goes to the side that is shown."""
        side = "front"
        if self.view.at == 2:
            side = "back"
        files = [url.toLocalFile() for url in mime.urls() if url.isLocalFile()]
        if files:
            self.read_files(files, side)
        elif mime.hasImage():
            self.read_bytes(png_of(mime.imageData()), tr("the pasted picture"), side)

    # -- notes and gauges --------------------------------------------------------------------------

    def _read_as(self, second: bool) -> None:
        self.presenter.read_as(second=second)
        self.setFocus()

    def _ask_defects(self) -> None:
        cell = self.presenter.cell
        if cell is None:
            return
        reading = self.presenter.readings.get(cell.id)
        menu = QMenu(self)
        menu.setFont(scaled_font("ui"))
        for defect in DEFECTS[self.session.subject.task]:
            action = menu.addAction(DEFECT_WORDS[defect])
            action.setCheckable(True)
            action.setChecked(reading is not None and defect in reading.defects)
            action.triggered.connect(
                lambda _=False, defect=defect: self.presenter.toggle_defect(defect)
            )
        menu.popup(self.defects.mapToGlobal(self.defects.rect().topLeft()))

    def _measure(self, what: str, text: str) -> None:
        if not self.presenter.measure(what, text):
            return
        cell = self.presenter.cell
        if cell is not None and self.presenter.question(cell) and self.presenter.left:
            self.gauge.focus_first()  # the next one is typed at once
        else:
            self.setFocus()

    # -- keys --------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        text, key = event.text().upper(), event.key()
        if event.matches(QKeySequence.StandardKey.Paste):
            self._take_mime(QGuiApplication.clipboard().mimeData())
        elif event.modifiers() & (
            Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
        ):
            super().keyPressEvent(event)
        elif self._asks_width and (text.isdigit() or text in (".", ",")) and text:
            self.gauge.begin(text)
        elif text in self.keys and not self._asks_width:
            self.presenter.verdict(self.keys[text].verdict)
        elif text in EDGE_KEYS and self.session.subject.task == "cut":
            self.presenter.pick_edge(EDGE_KEYS.index(text))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.presenter.agree()
        elif key == Qt.Key.Key_Space:
            self._turn_over()
        elif text == "S":
            self.presenter.skip()
        elif text == "X":
            self._ask_defects()
        elif text == "G":
            self.gauge.focus_first()
        elif key == Qt.Key.Key_Backspace:
            self.presenter.take_back()
        elif key in ARROWS:
            along, up = ARROWS[Qt.Key(key)]
            self.presenter.move(up, along)
        else:
            super().keyPressEvent(event)

    @property
    def cell_in_hand(self) -> str:
        return self.presenter.cell.id if self.presenter.cell else ""

    def in_hand(self) -> InHand:
        active, cell = self.session.active, self.presenter.cell
        if active is None or cell is None:
            return super().in_hand()
        unit = self.session.preferences.speed_unit
        question = self.presenter.question(cell)
        reading = self.presenter.readings.get(cell.id)
        told = question or tr("not read yet")
        if reading is not None and reading.verdict:
            told = tr(
                "read: {verdict_words}", verdict_words=mid_sentence(VERDICT_WORDS[reading.verdict])
            )
        keys = "" if question else ", ".join(f"{k} {one.text()}" for k, one in self.keys.items())
        where = tr(
            "{trial}: {left} left to read", trial=active.trial.name, left=self.presenter.left
        )
        return InHand(
            where, self._name_of(active, cell), numbers_of(cell.setting, unit), told, keys
        )

    @property
    def _asks_width(self) -> bool:
        cell = self.presenter.cell
        return cell is not None and bool(self.presenter.question(cell))

    def _turn_over(self) -> None:
        """Front, back, drawing: the next of those there are."""
        there = [
            0,
            *[1] * any(side_shown(one) != "back" for one in self.presenter.rectified),
            *[2] * ("back" in self.presenter.rectified),
        ]
        self.view.set_at(
            there[(there.index(self.view.at) + 1) % len(there)] if self.view.at in there else 0
        )
        self.show_reading()

    def main_action(self) -> None:
        if not self.corner_page.isHidden():
            self.corner_page.finish()
        elif self.session.active is not None and self.session.active.readings:
            self.main_window.navigate("decide")
