"""The right page of the book: the numbers to set, the margin, the evidence, and what to do with
them.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QEvent, QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QLinearGradient,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from olive_almanac.core.dates import day_text
from olive_almanac.core.lengths import length_unit
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.factors import further_words, unlikeness
from olive_almanac.core.records.recipe import Recipe
from olive_almanac.core.records.setting import TASK_WORDS
from olive_almanac.core.units import (
    dpi_from_pitch,
    length_number,
    number_text,
    percent_text,
    speed_in,
    speed_text,
)
from olive_almanac.core.words import tr
from olive_almanac.steps.book import STATE_WORDS, BookPresenter, facts_of, proofs_tip
from olive_almanac.steps.photo import shown_again_work
from olive_almanac.steps.preparing import recipe_line
from olive_almanac.views.coupon import CouponPicture
from olive_almanac.views.disputed import DisputedQuestion
from olive_almanac.views.marks import Mark, dots, hatch
from olive_almanac.views.parts import (
    Figure,
    Heading,
    Page,
    Refilled,
    WordPicker,
    box,
    button,
    clear_layout,
    col,
    fact,
    hair,
    head,
    label,
    page_margins,
    row,
    tip_text,
)
from olive_almanac.views.read.photo_view import PhotoPicture
from olive_almanac.views.theme import NO_BRUSH, NO_PEN, C, F, Painted, compact, px

if TYPE_CHECKING:
    from olive_almanac.steps.active import ActiveTrial

WIDE_PAGE = 1060  # logical px from which the history stands beside the entry
AIR_WORDS = {"off": tr("Off"), "low": tr("Low"), "full": tr("Full")}


STEPS = "steps"
HONOUR_COLUMNS = (29, 52, 19)  # shares of the width; a speed has up to five digits and its unit
ROOMY = 820  # height of the page from which "as it lies" has a line


class MarginGauge(Painted):
    """How much quicker the entry could run before it fails its target, to scale."""

    def __init__(self) -> None:
        super().__init__()
        self.entry: Entry | None = None
        self.unit, self.fastest_mm_s = "mm/s", math.inf
        self.setFixedHeight(px(92))

    def show_entry(self, entry: Entry, unit: str, fastest_mm_s: float) -> None:
        """Show an entry's margin; a machine runs no faster than `fastest_mm_s`."""
        self.entry, self.unit, self.fastest_mm_s = entry, unit, fastest_mm_s
        speed = entry.evidence.margins.speed
        self.setAccessibleName(
            tr("Margin {speed:.0f} percent in speed", speed=100 * (speed - 1))
            if speed
            else tr("Margin not known")
        )
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.entry is None or self.entry.evidence.margins.speed is None:
            return
        margins, setting = self.entry.evidence.margins, self.entry.setting
        share = margins.speed - 1
        low, high = -0.28 * max(share, 0.1), share + 0.75 * max(share, 0.1)
        at = lambda value: (value - low) / (high - low) * (width - 2) + 1  # noqa: E731
        top, tall = 26.0, 22.0
        self._draw_zones(painter, at, low, share, high, top, tall)
        cut = self.entry.task == "cut"
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        hotter = tr("darker")
        if cut:
            hotter = tr("more char")
        if painter.fontMetrics().horizontalAdvance(hotter) + 8 < at(0) - at(low):
            painter.drawText(QPointF(at(low), top - 10), hotter)
        painter.setFont(F("small_b"))
        painter.setPen(C("ink"))
        painter.drawText(QPointF(at(0) - 3, top - 10), tr("set here"))
        beyond = tr("too light")
        if cut:
            beyond = tr("some begin to hang") if margins.is_sure else tr("starts to hang")
        painter.drawText(QPointF(at(share) - 2, top - 10), beyond)
        y = top + tall + 17
        painter.drawText(QPointF(at(0) + 12, y), speed_text(setting.speed_mm_s, self.unit))
        limit = tr(
            "at {speed_mm_s}", speed_mm_s=speed_text(setting.speed_mm_s * margins.speed, self.unit)
        )
        if setting.speed_mm_s * margins.speed > self.fastest_mm_s:
            limit = tr(
                "past its fastest, {fastest_mm_s}",
                fastest_mm_s=speed_text(self.fastest_mm_s, self.unit),
            )
        painter.drawText(QPointF(at(share) + 2, y), limit)
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(
            QPointF(at(0) + 12, y + 17), tr("{power} % power", power=percent_text(setting.power))
        )
        if margins.power is not None:
            painter.drawText(
                QPointF(at(share) + 2, y + 17),
                tr("or at {power} % power", power=percent_text(setting.power * margins.power)),
            )

    def _draw_zones(
        self,
        painter: QPainter,
        at: float,
        low: float,
        share: Any,
        high: float,
        top: float,
        tall: float,
    ) -> None:
        before, after = QPainterPath(), QPainterPath()
        before.addRect(QRectF(at(low), top, at(0) - at(low), tall))
        after.addRect(QRectF(at(share), top, at(high) - at(share), tall))
        painter.fillPath(before, C("field"))
        dots(painter, before, C("hatch"), 8, 1.2)
        painter.fillRect(QRectF(at(0), top, at(share) - at(0), tall), C("olive"))
        hatch(painter, after, C("ember"), 6, 45, 1.5)
        painter.setBrush(NO_BRUSH)
        painter.setPen(QPen(C("ink"), 1.2))
        painter.drawRect(QRectF(at(low), top, at(high) - at(low), tall))
        painter.setPen(QPen(C("ink"), 2.4))
        painter.drawLine(QPointF(at(share), top - 6), QPointF(at(share), top + tall + 5))
        painter.drawLine(QPointF(at(0), top - 6), QPointF(at(0), top + tall))
        pin = QPainterPath(QPointF(at(0), top + tall + 1))
        pin.lineTo(at(0) - 7, top + tall + 12)
        pin.lineTo(at(0) + 7, top + tall + 12)
        pin.closeSubpath()
        painter.setPen(NO_PEN)
        painter.setBrush(C("ink"))
        painter.drawPath(pin)


class _Opens(QObject):
    """Lets a picture be opened by a click, Space or Enter.

    Signals:
        opened(): that happened.
    """

    opened = Signal()

    def __init__(self, picture: QWidget) -> None:
        super().__init__(picture)
        picture.setCursor(Qt.CursorShape.PointingHandCursor)
        picture.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        picture.setToolTip(tr("Open large"))
        picture.installEventFilter(self)

    def eventFilter(self, _picture: Any, event: QEvent) -> bool:
        keys = (Qt.Key.Key_Space, Qt.Key.Key_Return)
        opens = event.type() == QEvent.Type.MouseButtonPress or (
            event.type() == QEvent.Type.KeyPress and event.key() in keys
        )
        if opens:
            self.opened.emit()
        return opens


class Evidence(CouponPicture):
    """The coupon behind the entry as a drawing, the nearest cell ringed; `opens` tells when it is
    wanted large.
    """

    def __init__(self) -> None:
        super().__init__(ring=True)
        self.opens = _Opens(self)

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        super().paint(painter, width, height)
        if self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(QRectF(1, 1, width - 2, height - 2))


class PhotoEvidence(PhotoPicture):
    """The photo of the coupon behind the entry, the nearest cell ringed; `opens` tells when it is
    wanted large.
    """

    def __init__(self) -> None:
        super().__init__()
        self.ring = True
        self.opens = _Opens(self)


class EntryPage(Page):
    """The entry of the present subject, or what to do where there is none.

    Signals:
        plan_asked(): the operator wants to plan a trial for this subject.
        confirm_asked(): the operator wants to burn the guess a few times before it is trusted.
        said(str): something worth a quiet word happened.
    """

    plan_asked = Signal()
    confirm_asked = Signal()

    def __init__(self, presenter: BookPresenter, work: Any) -> None:
        super().__init__()
        self._work = work  # runs work in a thread, see MainWindow.work
        self._rectified: tuple[str, object] = ("", None)  # the photo squared up last, by trial id
        self.presenter, self.session = presenter, presenter.session
        self.title = label("", "h1")
        self.lot = label("", "note", "second")
        self.mark = Mark("state", "untried", 20)
        self.state, self.reason = label("", "ui_b"), label("", "ui", "second", wrap=True)
        self.by = label("", "ui_b")
        self.body = QWidget()
        self.body_layout = Refilled(self.body)
        self.body_layout.setContentsMargins(0, 0, 0, 0)
        self.body_layout.setSpacing(0)
        layout = QVBoxLayout(self)
        page_margins(layout, left=32, right=24)
        self._recipes: tuple[Recipe, ...] = ()
        layout.addLayout(head(self.title, None, self.lot, topic="book/Proofs"))
        layout.addSpacing(px(7))
        stands = row(self.mark, self.state, self.reason, self.by, gap=7)
        stands.setStretch(2, 1)
        layout.addLayout(stands)
        layout.addSpacing(px(7))
        self.line = hair()
        layout.addWidget(self.line)
        self.history = QVBoxLayout()
        self.history.setSpacing(px(3))
        self.history_holder = box(col(self.history, None, gap=0))
        self.history_holder.setFixedWidth(px(300))
        self.history_holder.hide()
        across = row(self.body, self.history_holder, gap=28)
        across.setStretch(0, 1)
        layout.addLayout(across, 1)
        self.main_button: Any = None
        self.said = label("", "small", "second", wrap=True)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.fillRect(self.rect(), C("page"))
        gutter = QLinearGradient(0, 0, px(22), 0)
        for stop, alpha in ((0, 0.20), (0.35, 0.07), (1, 0.0)):
            gutter.setColorAt(stop, C("shadow", alpha))
        painter.fillRect(0, 0, px(22), self.height(), QBrush(gutter))
        painter.fillRect(0, 0, 1, self.height(), C("edge"))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._show_history()

    def _show_history(self) -> None:
        """On a wide page the room beside the entry tells what was written when, and why."""
        clear_layout(self.history)
        if self.width() >= px(WIDE_PAGE):
            lines = self.presenter.history()
        else:
            lines = ()
        self.history_holder.setVisible(bool(lines))
        if lines:
            self.history.addWidget(Heading(tr("History")))
        for day, why in lines[:12]:
            self.history.addWidget(label(day, "small", "second"))
            self.history.addWidget(label(why, "ui", wrap=True))
            self.history.addWidget(hair())

    def refresh(self) -> None:
        self._show_history()
        subject = self.session.subject
        clear_layout(self.body_layout)
        self.main_button = None
        self.said = label("", "small", "second", wrap=True)
        for part in (self.mark, self.state, self.reason, self.by, self.line):
            part.setVisible(subject.complete)
        if not subject.complete:
            self.title.setText(tr("Your book"))
            self.lot.setText("")
            self._show_way_in()
            return
        self.title.setText(f"{subject.stock.short_name}, {TASK_WORDS[subject.task]}")
        if subject.stock.lot:
            self.lot.setText(tr("lot {lot}", lot=subject.stock.lot))
        else:
            self.lot.setText("")
        state, reason = self.session.state
        self.mark.set_key(state)
        self.state.setText(STATE_WORDS[state][0])
        entry = self.session.entry
        by = None
        if entry and state == "proven":
            by = entry.prove_again_by
        self.reason.setText("" if by else reason if state not in ("barred", "cannot") else "")
        if by:
            self.by.setText(tr("prove again by {by}", by=day_text(by)))
        else:
            self.by.setText("")
        if not self.session.permission.allowed:
            self._show_refusal()
        elif entry is None:
            self._show_untried()
        else:
            self._show_entry(entry, state)

    def _add_prepared(self, entry: Entry) -> None:
        """How the piece of the entry is prepared, to be changed in place; "as it lies" only where
        there is room: else the menu of the book changes it.
        """
        plain = entry.recipe.is_plain
        if plain and self.height() < px(ROOMY):
            return
        self._recipes = self.presenter.recipes()
        names = [(str(at), one.name) for at, one in enumerate(self._recipes)]
        names.append((STEPS, tr("change its steps …")))
        prepared = WordPicker("ui_b", name=tr("How the piece is prepared"))
        prepared.set_choices(names, str(self._recipes.index(entry.recipe)))
        prepared.picked.connect(self._prepare)
        line = row(label(tr("With"), "h3"), prepared, None, gap=10)
        if not plain:
            prepared.setToolTip(tip_text(recipe_line(entry.recipe)))
        if not plain and compact(False, True):
            steps = label(recipe_line(entry.recipe), "small", "second", wrap=True)
            line = row(label(tr("With"), "h3"), prepared, steps, gap=10)
            line.setStretch(2, 1)
        self.body_layout.addLayout(line)

    def _prepare(self, key: str) -> None:
        if key != STEPS:
            self.presenter.prepare(self._recipes[int(key)])
        else:
            self.change_recipe()

    def change_recipe(self) -> None:
        """Open the steps of the entry's recipe."""
        entry = self.session.entry
        if entry is None:
            return
        from olive_almanac.views.recipe_dialog import RecipeDialog  # start-up: opened seldom

        dialog = RecipeDialog(self.window(), entry.recipe)
        dialog.accepted.connect(lambda: self.presenter.prepare(dialog.recipe))
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    # -- what stands where there is no entry -------------------------------------------------------

    def _paragraph(self, text: str, role: str = "ui", tone: str = "second") -> None:
        line = label(text, role, tone, wrap=True)
        line.setMaximumWidth(px(560))
        self.body_layout.addWidget(line)
        self.body_layout.addSpacing(px(10))

    def _end_page(self) -> None:
        """What is said stands below everything else."""
        self.body_layout.addWidget(self.said)
        self.body_layout.addStretch(1)

    def _show_way_in(self) -> None:
        self.body_layout.addSpacing(px(14))
        self._paragraph(
            tr(
                "Every page holds one setting: power, speed, passes, "
                "with the cells that were burnt "
                "to find it, how far it may "
                "drift before it fails, and the day by which it must be proved again."
            )
        )
        catalogue = self.session.catalogue
        have = (
            tr("Choose your machine at the top.")
            if catalogue.machines
            else tr("Add your machine: source, optical power, spot."),
            tr("Choose a stock in the index.")
            if catalogue.stocks
            else tr("Add a stock: family, thickness, lot."),
        )
        if not (catalogue.machines or catalogue.stocks):
            have = (tr("Say at the left what you have and what it is to do."),)
        to_do = (
            *have,
            tr("Plan a small coupon; the levels are suggested."),
            tr("Burn it, read it by eye with one key a cell."),
            tr("Decide, write it down, confirm it three times."),
        )
        for number, text in enumerate(to_do[1:] if self.session.subject.machine else to_do, 1):
            line = row(label(str(number), "num3"), label(text, "ui"), None, gap=14)
            self.body_layout.addLayout(line)
            self.body_layout.addSpacing(px(6))
        show = button(
            tr("The first job, step by step"), "plain", tip=tr("help beside the window, F1")
        )
        show.clicked.connect(lambda: self.window().show_help("first-job"))
        self.body_layout.addLayout(row(show, None))
        self._end_page()

    def _show_refusal(self) -> None:
        permission = self.session.permission
        self.body_layout.addSpacing(px(16))
        self._paragraph(permission.reason, "h2", "")
        self._paragraph(permission.instead)
        question = DisputedQuestion(self.session)
        question.show_permission(permission)
        self.body_layout.addWidget(question)
        self._paragraph(
            tr(
                "This is a caution from published properties, not a certification. The maker’s "
                "safety sheet, the machine’s manual, local codes and a qualified laser safety "
                "officer come first."
            )
        )
        self._end_page()

    def _show_untried(self) -> None:
        self.body_layout.addSpacing(px(16))
        self._paragraph(tr("Nothing is known of this stock on this machine yet."), "h2", "")
        self._paragraph(
            tr(
                "A few cells at a time usually decide it: they are "
                "suggested from the family of the "
                "stock, the beam and the thickness, and a plain grid can be burnt instead."
            )
        )
        self.main_button = button(tr("Plan a trial"), "main", tip="Ctrl+Enter")
        self.main_button.clicked.connect(self.plan_asked)
        guess = button(
            tr("Reckon a guess"),
            tip=tr("from the family of the stock; marked as a guess until it was burnt"),
        )
        guess.clicked.connect(self.presenter.reckon)
        self.body_layout.addLayout(row(self.main_button, guess, None, gap=10))
        self._end_page()

    # -- an entry ----------------------------------------------------------------------------------

    def _show_entry(self, entry: Entry, state: str) -> None:
        unit, add = self.session.preferences.speed_unit, self.body_layout
        add.addSpacing(px(8))
        self._add_honours(entry, unit)
        add.addWidget(hair())
        add.addSpacing(px(6))
        self._add_prepared(entry)
        self._add_margin(entry, unit)
        self._add_evidence(entry)
        add.addSpacing(px(6))
        self._add_buttons(entry, state)

    def _add_honours(self, entry: Entry, unit: str) -> None:
        setting = entry.setting
        power, speed, passes = Figure(tr("Power")), Figure(tr("Speed")), Figure(tr("Passes"))
        power.show_number(percent_text(setting.power), "%")
        speed.show_number(
            number_text(speed_in(setting.speed_mm_s, unit)),
            unit,
            "" if unit == "mm/s" else speed_text(setting.speed_mm_s),
        )
        passes.show_number(str(setting.passes))
        focus, air, pitch = (
            Figure(name, "num3") for name in (tr("Focus"), tr("Air"), tr("Line pitch"))
        )
        if setting.focus_mm > 0:
            below = tr("below the top face")
        elif setting.focus_mm < 0:
            below = tr("above the top face")
        else:
            below = tr("on the top face")
        focus.show_number(length_number(abs(setting.focus_mm)), length_unit(), below)
        air.show_number(AIR_WORDS[setting.air], "", ", ".join(further_words(setting, unit)))
        if setting.pitch_mm:
            pitch.show_number(
                length_number(setting.pitch_mm),
                length_unit(),
                f"{dpi_from_pitch(setting.pitch_mm):.0f} dpi",
            )
        else:
            pitch.show_number(tr("none"), "", tr("single line"))
        for number, figures in enumerate(((power, speed, passes), (focus, air, pitch))):
            line = QHBoxLayout()
            line.setSpacing(0)
            for figure, stretch in zip(figures, HONOUR_COLUMNS, strict=True):
                line.addWidget(figure, stretch)
            if number:
                self.body_layout.addWidget(hair())
                self.body_layout.addSpacing(px(6))
            self.body_layout.addLayout(line)

    def _add_margin(self, entry: Entry, unit: str) -> None:
        margins = entry.evidence.margins
        words = tr("quicker, and the tone is still right.")
        if entry.task == "cut":
            words = tr("It could run this much quicker and still fall free.")
            if margins.is_sure:
                words = tr(
                    "quicker, and {keeps} in 20 still fall free.", keeps=round(20 * margins.keeps)
                )
        if margins.speed is None:
            told = tr("no limit found up to twice the speed")
            if not entry.evidence.cells_read:
                told = tr("not known yet")
            self.body_layout.addLayout(
                row(label(tr("Margin"), "h3"), label(told, "ui", "second"), None, gap=10)
            )
            return
        share = f"{100 * (margins.speed - 1):.0f} %"
        self.body_layout.addLayout(
            row(
                label(tr("Margin"), "h3"),
                label(share, "num3"),
                label(words, "ui", "second"),
                None,
                gap=10,
            )
        )
        gauge = MarginGauge()
        machine = self.session.subject.machine
        gauge.show_entry(entry, unit, machine.max_speed_mm_s if machine else math.inf)
        self.body_layout.addWidget(gauge)

    def _add_evidence(self, entry: Entry) -> None:
        facts = facts_of(
            entry,
            self.presenter.confirmations_text(),
            self.session.subject.machine,
            self.session.preferences.speed_unit,
        )
        facts = facts[: compact(5 if entry.recipe.is_plain else 3, 10)]
        lines = []
        for name, value in facts:
            line = fact(name, value)
            if name == "Confirming burns":
                line.setToolTip(tip_text(proofs_tip(entry)))
            lines += [line, hair()]
        active = self.session.trials.evidence_of(entry)
        told = [text for text in ("" if active else entry.evidence.says, entry.notes) if text]
        table = box(
            col(*lines, *(label(text, "small", "second", wrap=True) for text in told), None, gap=1)
        )
        table.setMaximumWidth(px(460))
        if active is None:
            table.setMinimumWidth(
                px(compact(300, 420))
            )  # without a picture there is room for the words
            self.body_layout.addLayout(row(table, None, gap=22), 1)
            self.body_layout.addWidget(self.said)
            return
        picture = Evidence()
        nearest = min(active.trial.cells, key=lambda c: unlikeness(c.setting, entry.setting))
        picture.show_desk(active, nearest.id)
        picture.opens.opened.connect(lambda: self._open_large(active, nearest.id))
        picture.setMaximumHeight(px(260))
        caption = label(
            tr("{trial}, nearest cell {id}", trial=active.trial.name, id=nearest.id),
            "small",
            "second",
        )
        photo = PhotoEvidence()
        photo.opens.opened.connect(lambda: self._open_large(active, nearest.id))
        photo.setMaximumHeight(px(260))
        photo.hide()
        self._show_photo(active, nearest.id, picture, photo)
        line = QHBoxLayout()
        line.setSpacing(px(22))
        beside = col(
            picture, photo, caption, self.said, None, gap=3
        )  # what is said takes room from the picture, not from the page
        beside.setStretch(0, 20)
        beside.setStretch(1, 20)
        line.addLayout(beside, 1)
        line.addWidget(table, 1)
        self.body_layout.addLayout(line, 1)

    def _show_photo(
        self, active: ActiveTrial, cell: str, picture: Any, photo: PhotoEvidence
    ) -> None:
        """Put the kept photo in place of the drawing as soon as it is squared up: that takes a
        moment, in a worker.
        """
        if "front" not in active.run.photos:
            return

        def show(codes: Any) -> None:
            photo.show_photo(active, codes, "front", cell, active.readings, {})
            photo.show()
            picture.hide()

        def take(item: Any) -> None:
            self._rectified = (active.trial.id, item[1])
            if (
                self.session.entry is not None
                and active.trial.id in self.session.entry.evidence.trial_ids
            ):
                self.refresh()

        if self._rectified[0] == active.trial.id:
            show(self._rectified[1])
        else:
            self._work(shown_again_work(self.session.store, active, ("front",)), take)

    def _open_large(self, active: ActiveTrial, cell: str) -> None:
        dialog = QDialog(self.window())
        dialog.setWindowTitle(active.trial.name)
        if self._rectified[0] == active.trial.id:
            picture = PhotoPicture()
            picture.ring = True
            picture.show_photo(active, self._rectified[1], "front", cell, active.readings, {})
        else:
            picture = CouponPicture(ring=True)
            picture.show_desk(active, cell)
        leave = button(tr("Close"))
        leave.clicked.connect(dialog.accept)
        layout = col(
            label(f"{active.trial.name}, {active.trial.stock.label}", "h2"),
            hair("bold"),
            picture,
            row(None, leave),
            gap=10,
            margins=(18, 16, 18, 14),
        )
        layout.setStretch(2, 1)
        dialog.setLayout(layout)
        dialog.resize(px(900), px(640))
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _add_buttons(self, entry: Entry, state: str) -> None:
        good = tr("Tone is right")
        if entry.task == "cut":
            good = tr("It fell free")
        trial = None
        if state == "proven":
            self.main_button = button(good, "main", tip=tr("note a confirming burn, Ctrl+Enter"))
            self.main_button.clicked.connect(self.note_burn)
        else:
            words = tr("Confirm run")
            if state == "guess":
                words = compact(words, tr("Plan the confirm run"))
            tip = tr("plan three squares of this very setting; Ctrl+Enter")
            self.main_button = button(words, "main", tip=tip)
            self.main_button.clicked.connect(self.confirm_asked)
            if state == "guess":
                trial = button(compact(tr("Trial"), tr("Plan a trial")))
                trial.clicked.connect(self.plan_asked)
            else:
                trial = button(good, tip=tr("a job or piece that was burnt with this setting"))
                trial.clicked.connect(self.note_burn)
        short = trial is not None or entry.task != "cut"
        copy = button(
            tr("Copy") if short else compact(tr("Copy"), tr("Copy the numbers")), tip="Ctrl+Shift+C"
        )
        copy.clicked.connect(self.copy_numbers)
        card = button(
            tr("Card") if trial else compact(tr("Card"), tr("Print a card")),
            tip=tr("as PDF, Ctrl+P"),
        )
        card.clicked.connect(self.print_card)
        failed = button(
            tr("Failed today"), "fail", tip=tr("it is due again at once; Ctrl+Z takes it back")
        )
        failed.clicked.connect(lambda: self.presenter.confirm(passed=False))
        parts = [self.main_button, *([trial] if trial else []), copy, card, None]
        if state != "guess":
            parts.append(failed)
        self.body_layout.addLayout(row(*parts, gap=compact(6, 10)))

    def note_burn(self) -> None:
        """Ask which job or piece came out right, and note it as a confirming burn."""
        from olive_almanac.views.book.dialogs import BurnDialog  # start-up: opened seldom

        dialog = BurnDialog(self.presenter, self.window())
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def copy_numbers(self) -> None:
        from PySide6.QtGui import QGuiApplication

        text = self.presenter.clip()
        if text:
            QGuiApplication.clipboard().setText(text)
            self.said.setText(tr("Copied: ") + text)

    def say(self, words: str) -> None:
        """Say a quiet word below the entry."""
        self.said.setText(words)

    def print_card(self) -> None:
        """Write the card and show it as it will be printed."""
        path = self.presenter.write_card()
        if path is not None:
            self.said.setText(tr("The card is in {path}.", path=path))
            self.window().show_pages(path)
