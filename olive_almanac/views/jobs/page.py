"""The Jobs station: a finished drawing at the left as groups, on its sheet in the middle, how sure
and how long at the right.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, QTimer, QUrl
from PySide6.QtGui import QDesktopServices, QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from olive_almanac.core.dates import day_text
from olive_almanac.core.quoting.spend import Pace
from olive_almanac.core.records.job import CAUSES, HANGS
from olive_almanac.core.units import (
    count_text,
    duration_text,
    fixed_text,
    lengths_text,
    number_text,
    sides_text,
    speed_text,
)
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.steps.find import open_jobs
from olive_almanac.steps.job_glow import can_glow
from olive_almanac.steps.job_layers import can_stack
from olive_almanac.steps.jobs import (
    JobScreen,
    JobsPresenter,
    ReadFile,
    job_folder,
    job_words,
    outcome_words,
)
from olive_almanac.steps.requests import OpenDrawing, OpenJob, PlanCells, PlanKind, Request
from olive_almanac.views.big_type import InHand
from olive_almanac.views.jobs.glow import GlowDialog
from olive_almanac.views.jobs.groups import GroupList
from olive_almanac.views.jobs.jig import JigDialog
from olive_almanac.views.jobs.layers import LayersDialog
from olive_almanac.views.jobs.lie import LiePanel
from olive_almanac.views.jobs.run import RunPanel
from olive_almanac.views.jobs.sheet import JobSheet, PictureWish, picture_of
from olive_almanac.views.jobs.sides import SidesDialog
from olive_almanac.views.parts import (
    Number,
    Page,
    Segments,
    WordPicker,
    box,
    button,
    clear_layout,
    col,
    fact,
    hair,
    head,
    label,
    own_picker,
    page_margins,
    row,
    scrolling,
    set_kind,
    tip_text,
)
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.stick import stick_key
from olive_almanac.views.theme import compact, px
from olive_almanac.views.worker import LatestWork, Worker, once

if TYPE_CHECKING:
    from olive_almanac.core.quoting.job_plan import SheetRun
    from olive_almanac.core.records.drawing import Drawing
    from olive_almanac.core.records.job import Job
    from olive_almanac.steps.job_questions import Question
    from olive_almanac.steps.job_work import JobResult
    from olive_almanac.views.window import MainWindow

DRAWINGS = tr(
    "Drawings and pictures (*.svg *.dxf *.png *.jpg *.jpeg *.SVG *.DXF *.PNG *.JPG *.JPEG)"
)
LAID = {"": tr("as drawn"), "apart": tr("piece by piece")}
RULES = {"book": tr("By the book"), "least": tr("Least cost"), "surest": tr("Surest")}
PAUSE_MS = 150
MOST_SEGMENTS = 5
MOST_REMARKS, SHOWN_RUNS, MOST_ELSEWHERE = 20, 6, 4
BRING_TIP = tr("SVG or DXF; it can be dropped here too")
MOST_SIGNS = 28  # of a job's name on a key
LIKELY = 0.5  # chance that all falls free below which a job is not to be begun


class JobsPage(StationPage):
    """Shows the job in hand and runs its work in threads."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.setAcceptDrops(True)
        self.presenter = JobsPresenter(self.session, self, window.services.now)
        self._working_out = LatestWork(self.main_window.work)
        self._reading: Worker | None = None
        self._writing: Worker | None = None
        self._nesting: Worker | None = None
        self._subject: object = None
        self._writes_next = False
        self.spoilt = 0  # pieces that were tapped as spoilt
        self.asks = QTimer(self)
        self.asks.setSingleShot(True)
        self.asks.setInterval(PAUSE_MS)
        self.asks.timeout.connect(self._work)
        self.title = label(tr("Jobs"), "h1")
        self.picker = WordPicker("h2", name=tr("Job"))
        self.picker.picked.connect(self.presenter.choose)
        self.picker.extra_chosen.connect(self.bring_in)
        self.bring = button(tr("Bring in a drawing"), "plain", tip=BRING_TIP)
        self.bring.clicked.connect(self.bring_in)
        self.changed = button(tr("The drawing has changed: take it"), "main")
        self.changed.clicked.connect(self._take_changed)
        self.away = button(tr("Take out"), "plain", tip=tr("out of the list; the library keeps it"))
        self.away.clicked.connect(self.presenter.remove)
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(
            head(
                self.title,
                self.picker,
                None,
                self.changed,
                self.away,
                self.bring,
                gap=14,
                topic="jobs",
            )
        )
        layout.addSpacing(px(6))
        self.nothing = self._build_nothing()
        self.desk = self._build_desk()
        layout.addWidget(self.nothing, 1)
        layout.addWidget(self.desk, 1)

    def _build_nothing(self) -> QWidget:
        words = label(
            tr("A job is a finished drawing on a real sheet, by the settings of the book."), "h2"
        )
        more = label(
            tr(
                "Drop an SVG or DXF here. Its layers or colours become "
                "groups; each gets a task, the "
                "numbers come from the book. Then you see how long it "
                "takes, how sure it is that all "
                "of it falls free, and what to burn first."
            ),
            "ui",
            "second",
            wrap=True,
        )
        self.first = button(tr("Bring in a drawing"), "main", tip=BRING_TIP)
        self.first.clicked.connect(self.bring_in)
        self.elsewhere = QVBoxLayout()
        self.elsewhere.setSpacing(px(2))
        self.bare = JobSheet()
        beside = row(self.elsewhere, self.bare, gap=16)
        beside.setStretch(1, 1)
        upper = col(words, more, row(self.first, None), 8, beside, gap=10)
        upper.setStretch(4, 1)
        return box(upper)

    def _show_elsewhere(self) -> None:
        """The open jobs of other machines and stocks: the subject above tells which are here."""
        clear_layout(self.elsewhere)
        found = open_jobs(self.session.catalogue)[:MOST_ELSEWHERE]
        if found:
            self.elsewhere.addWidget(label(tr("Open on other machines and stocks"), "small_b"))
        for hit in found:
            name = hit.job.name
            if len(name) > MOST_SIGNS:
                name = f"{name[: MOST_SIGNS - 1]}…"
            made = button(name, tip=f"{hit.job.name}: {hit.came_of_it}")
            made.clicked.connect(partial(self.main_window.open_found, hit))
            told = f"{hit.machine.name}, {hit.stock.short_name}"
            self.elsewhere.addSpacing(px(8))
            self.elsewhere.addWidget(made, 0, Qt.AlignmentFlag.AlignLeft)
            self.elsewhere.addWidget(label(told, "small", "second"))
        self.elsewhere.addStretch(1)

    def _build_desk(self) -> QWidget:
        self.groups = GroupList()
        self.groups.task_picked.connect(self.presenter.set_task)
        self.groups.plan_asked.connect(self._plan_trial)
        self.groups.dots_picked.connect(self.presenter.set_dots)
        self.remarks = QVBoxLayout()
        self.remarks.setSpacing(px(8))
        self.names = button(tr("Names"), "plain", tip=tr("of a list, one on each copy"))
        self.names.clicked.connect(self._ask_names)
        told = Page()
        self.jig = button(tr("Jig"), "plain", tip=tr("blanks at an even pitch, load by load"))
        self.jig.clicked.connect(self._ask_jig)
        self.two = button(
            tr("Sides"), "plain", tip=tr("front and back, the sheet turned over between")
        )
        self.two.clicked.connect(self._ask_sides)
        self.layers = button(
            tr("Layers"), "plain", tip=tr("glued on each other, each with its guide")
        )
        self.layers.clicked.connect(self._ask_layers)
        first = row(self.names, self.jig, self.two, None, gap=0)
        self.glow = button(tr("Dots"), "plain", tip=tr("for a panel that is lit from its edge"))
        self.glow.clicked.connect(self._ask_glow)
        ways = col(first, row(self.layers, self.glow, None, gap=0), gap=0)
        told.setLayout(col(self.groups, ways, self.remarks, None, gap=10))
        left = scrolling(told, (compact(218, 250), 100))
        left.setFixedWidth(px(compact(232, 270)))
        self.sheet = JobSheet()
        self.sheet.moved.connect(self.presenter.move)
        self.sheet.turned.connect(self.presenter.turn)
        self.sheet.picture_asked.connect(self._draw)
        self.sheets = QHBoxLayout()
        self.laid_anew = button(tr("In rows"), "plain", tip=tr("lays all out again, in rows"))
        self.laid_anew.clicked.connect(self.presenter.lay_out_again)
        self.closer = button(
            tr("Closer"), "plain", tip=tr("by their outlines, turned where they may be")
        )
        self.closer.clicked.connect(self._lay_closer)
        copies = self._build_copies()
        self.outcome = self._build_outcome()
        self.wrong = label("", "small", "ember", wrap=True)
        middle = col(copies, self.wrong, box(self.sheets), self.sheet, self.outcome, gap=6)
        middle.setStretch(3, 1)
        self.right = box(self._build_right())
        self.at_machine = RunPanel(self.main_window, self.presenter)
        self.at_machine.left.connect(self._leave_machine)
        self.at_machine.done.connect(self._sheet_done)
        self.at_machine.moved.connect(self._show_moved)
        for part in (self.right, self.at_machine):
            part.setFixedWidth(px(compact(258, 296)))
        self.at_machine.hide()
        across = QHBoxLayout()
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(px(compact(10, 16)))
        across.addWidget(left)
        across.addWidget(hair("vhair"))
        across.addLayout(middle, 1)
        across.addWidget(hair("vhair"))
        across.addWidget(self.right)
        across.addWidget(self.at_machine)
        desk = QWidget()
        desk.setLayout(across)
        return desk

    def _build_copies(self) -> Any:
        self.copies = Number(tr("Copies"), 56)
        self.gap = Number(tr("Gap between copies, mm"), 56, lengths="one")
        for key, field in (("copies", self.copies), ("gap_mm", self.gap)):
            field.editingFinished.connect(lambda key=key, field=field: self._typed(key, field))
        self.laid = WordPicker("ui_b", name=tr("How the drawing is laid"))
        self.laid.picked.connect(lambda key: self.presenter.set_apart(key == "apart"))
        self.gap_part = box(row(self.gap, label(tr("mm apart"), "ui", "second"), gap=6))
        many = row(self.copies, label(tr("copies"), "ui", "second"), self.gap_part, None, gap=6)
        self.laid_words = label(tr("Laid"), "ui", "second")
        ways = row(self.laid_words, self.laid, None, self.closer, self.laid_anew, gap=6)
        return col(many, ways, gap=2)

    def _build_right(self) -> Any:
        self.facts = QVBoxLayout()
        self.facts.setSpacing(0)
        self.chance = label("", "h2", wrap=True)
        self.why = label("", "small", "second", wrap=True)
        self.paces = QVBoxLayout()
        self.paces.setSpacing(px(4))
        self.hang = WordPicker("ui_b", name=tr("Where a piece hangs"))
        self.hang.picked.connect(self.presenter.set_hang)
        self.hang_row = box(row(label(tr("If one hangs,"), "ui", "second"), self.hang, None, gap=6))
        self.lies = LiePanel(self.presenter)
        self.offer = label("", "small", wrap=True)
        self.cells = button(
            tr("Plan these cells first"), "plain", tip=tr("on this very sheet, then read them")
        )
        self.cells.clicked.connect(self._plan_cells)
        self.done = label("", "small", "second", wrap=True)
        self.write = button(tr("Write the job"), "main", tip="Ctrl+Enter")
        self.write.clicked.connect(self.main_action)
        self.open_folder = button(compact(tr("Its folder"), tr("Open the folder")), "plain")
        self.open_folder.clicked.connect(self._open_folder)
        self.copy = stick_key(self.main_window, self._copies, self.done.setText)
        self.to_machine = button(
            tr("At the machine"), tip=tr("the checklist, then the run, sheet by sheet")
        )
        self.to_machine.clicked.connect(self._go_to_machine)
        keys = row(self.write, self.to_machine, None, gap=8)
        return col(
            self.facts,
            4,
            self.chance,
            self.why,
            self.paces,
            self.hang_row,
            self.offer,
            row(self.cells, None),
            self.lies,
            None,
            self.done,
            row(self.open_folder, self.copy, None, gap=6),
            keys,
            gap=5,
        )

    def _build_outcome(self) -> QWidget:
        self.pieces, self.hung = (
            Number(tr("Pieces"), compact(36, 44)),
            Number(tr("Pieces that hung"), compact(36, 44)),
        )
        self.knots = Number(tr("Hung at a knot"), compact(36, 44))
        self.lie = label("", "small", "second", wrap=True)
        self.hung.textChanged.connect(self._say_once_more)
        self.tap = button(
            compact(tr("Tap them"), tr("Tap what hangs")), tip=tr("on the sheet, or . , H K S F")
        )
        self.tap.setCheckable(True)
        self.tap.toggled.connect(self._set_tapping)
        self.sheet.told.connect(self._count_taps)
        self.cause = WordPicker("ui_b", name=tr("Why something hangs"))
        self.cause.picked.connect(self._pick_cause)
        self.cause.set_choices(CAUSES.items(), "")
        self.cause_row = box(row(label(tr("Because"), "ui", "second"), self.cause, None, gap=6))
        self.tell = button(
            tr("Keep it"), tip=tr("marks the sheet as used; a good job proves the entry")
        )
        self.tell.clicked.connect(self._tell)
        self.offcut = button("", "plain", tip=tr("the rack keeps it as a sheet of its own size"))
        self.offcut.clicked.connect(self._keep_offcut)
        self.rehearse = button(compact(tr("Stand-in"), tr("Burn on stand-in")))
        self.rehearse.setToolTip(tr("burn it on the stand-in: its hidden stock tells what hangs"))
        self.rehearse.clicked.connect(self._rehearse)
        words = [
            label(text, "ui", "second")
            for text in (
                compact(tr("cut,"), tr("pieces,")),
                tr("hung,"),
                compact(tr("knots"), tr("at a knot")),
            )
        ]
        counts = (self.pieces, words[0], self.hung, words[1], self.knots, words[2])
        told = row(*counts, None, self.tell, gap=compact(3, 5))
        top = row(label(tr("What came of it"), "h3"), None, self.tap, self.rehearse, gap=8)
        return box(
            col(
                hair(),
                top,
                told,
                row(self.cause_row, None),
                self.lie,
                row(self.offcut, None),
                gap=4,
            )
        )

    # -- the window asks ---------------------------------------------------------------------------

    def enter(self) -> None:
        if self.is_running():
            return
        self._subject = self._of_subject()
        self.presenter.resume()
        if self.presenter.job is None:
            QTimer.singleShot(0, self, lambda: self.first.setFocus())

    def kept(self) -> Any:
        return self.presenter.kept()

    def take_up(self, kept: Any) -> None:
        self.presenter.go_on(kept)

    def take(self, request: Request) -> None:
        if isinstance(request, OpenJob) and not self.is_running():
            self.presenter.choose(request.uid)
            QTimer.singleShot(0, self, lambda: self.picker.setFocus())
        elif isinstance(request, OpenDrawing) and not self.is_running():
            self.read_file(request.path)

    def leave(self) -> None:
        if not self.is_running():
            self.at_machine.timer.stop()
        self._working_out.stop()
        for worker in (self._reading, self._writing, self._nesting):
            if worker is not None:
                worker.requestInterruption()
        self.asks.stop()

    def _of_subject(self) -> object:
        subject, catalogue = self.session.subject, self.session.catalogue
        return (subject.machine, subject.stock, catalogue.entries, tuple(catalogue.rules.items()))

    def subject_changed(self) -> None:
        if self.is_running():
            return  # what burns stays in hand
        if self._of_subject() != self._subject and self.isVisible():
            self._subject = self._of_subject()
            self.presenter.resume()

    def preferences_changed(self) -> None:
        if self.isVisible():
            self.presenter.show()

    def in_hand(self) -> InHand:
        job, result, stock = self.presenter.job, self.presenter.result, self.session.subject.stock
        if job is None or result is None or stock is None:
            return super().in_hand()
        plan = result.plan
        numbers = (plan.copies_words, duration_text(plan.seconds))
        more = ""
        if result.paces:
            more = tr(
                "{all_free:.0f} % that all falls free",
                all_free=100 * self._pace(result.paces).risk.all_free,
            )
        return InHand(stock.label, job.name, numbers, more)

    # -- what is shown -----------------------------------------------------------------------------

    def show_job(self, screen: JobScreen) -> None:
        there = screen.job is not None
        self.nothing.setVisible(not there)
        self.desk.setVisible(there)
        for part in (self.picker, self.away, self.bring):
            part.setVisible(there)
        self.changed.setVisible(there and self.presenter.is_changed_on_disk())
        if screen.job is None:
            self._show_elsewhere()
            self.bare.show_screen(screen, self.session.subject.stock, self.session.subject.machine)
            return
        choices = [(job.uid, job_words(job)) for job in screen.others]
        self.picker.set_choices(choices, screen.job.uid, extra=tr("Bring in a drawing"))
        self.picker.setText(screen.job.name)
        self.groups.show_lines(screen.groups)
        count = len(screen.job.names)
        words = count_text(count, "name") if count else tr("Names")
        self.names.setText(words)
        self.names.setVisible(screen.result is not None and not screen.job.apart)
        jig = screen.job.jig
        words = (
            tr("Jig {columns} × {rows}", columns=jig.columns, rows=jig.rows)
            if jig is not None
            else tr("Jig")
        )
        self.jig.setText(words)
        self.jig.setVisible(screen.result is not None)
        self.gap_part.setVisible(jig is None)
        stack = screen.job.stack
        self.layers.setVisible(stack is not None or can_stack(screen.job))
        self.glow.setVisible(can_glow(screen.job, self.session.subject.stock))
        self.names.setEnabled(stack is None)
        self.two.setText(tr("2 sides") if screen.job.sides is not None else tr("Sides"))
        self.two.setVisible(screen.result is not None)
        self.jig.setEnabled(stack is None)
        self.sheet.show_screen(screen, self.session.subject.stock, self.session.subject.machine)
        for field, text in (
            (self.copies, str(screen.job.copies)),
            (self.gap, number_text(screen.job.gap_mm)),
        ):
            if not field.isModified():
                field.setText(text)
            field.set_bad(bool(screen.problem) and field.isModified())
        self.laid_anew.setVisible(bool(screen.job.placed))
        self._show_layout(screen)
        self._show_sheets(screen)
        self._show_remarks(screen)
        self._show_right(screen)

    def _show_sheets(self, screen: JobScreen) -> None:
        clear_layout(self.sheets)
        runs = screen.result.plan.runs if screen.result is not None else ()
        if len(runs) > 1:
            assert screen.job is not None
            words = [mid_sentence(screen.job.sheet_words(run.sheet, run.side)) for run in runs]
            at = min(self.sheet.at, len(runs) - 1)
            if len(runs) <= MOST_SEGMENTS:
                segments = Segments(words, at, tr("Sheets"))
                segments.chosen.connect(self.sheet.show_run)
                self.sheets.addWidget(segments)
            else:
                picker = own_picker(
                    tr("Sheets"), {str(n): one for n, one in enumerate(words)}, str(at)
                )
                picker.picked.connect(lambda key: self.sheet.show_run(int(key)))
                self.sheets.addWidget(picker)
            self.sheets.addStretch(1)

    def _show_layout(self, screen: JobScreen) -> None:
        job, result = screen.job, screen.result
        assert job is not None
        several = result is not None and len(result.plan.pattern.outlines) > 1
        for part in (self.laid_words, self.laid):
            part.setVisible((several or job.apart) and job.jig is None and job.stack is None)
        self.laid.set_choices(LAID.items(), "apart" if job.apart else "")
        more = result is not None and (result.plan.copies > 1 or result.plan.without_room > 0)
        self.closer.setVisible(more and job.jig is None)
        self.closer.setEnabled(self._nesting is None)

    def _show_remarks(self, screen: JobScreen) -> None:
        """What is told of the drawing and the layout: each a line, with the keys that answer it and
        one that rings its place.
        """
        clear_layout(self.remarks)
        self.wrong.setText(screen.problem)
        self.wrong.setVisible(bool(screen.problem))
        self.sheet.pin(None)
        told = sorted(screen.questions, key=lambda one: (one.is_answered, not one.choices))
        lines = [self._question_line(one) for one in told if not one.is_answered]
        if screen.result is not None:
            remarks = screen.result.plan.remarks[:MOST_REMARKS]
            lines += [label(words, "small", "", wrap=True) for words in remarks]
        lines += [self._question_line(one) for one in told if one.is_answered]
        assert screen.job is not None
        if screen.job.outcomes:
            lines.append(label(tr("Run before"), "h3"))
        for outcome in screen.job.outcomes[: -SHOWN_RUNS - 1 : -1]:
            lines.append(label(outcome_words(outcome), "small", "second", wrap=True))
        for line in lines:
            self.remarks.addWidget(line)

    def _question_line(self, one: Question) -> QWidget:
        words = label(one.says, "small", "second" if one.is_answered else "", wrap=True)
        keys: list[QWidget] = []
        for choice, said in one.choices[:2] if len(one.choices) < 3 else one.choices[:1]:
            key = button(said, "plain", tip="A" if not one.is_answered else "")
            key.clicked.connect(partial(self.presenter.answer, one.about, choice))
            keys.append(key)
        if len(one.choices) > 2:
            other = WordPicker("ui", name=tr("Another unit"))
            other.set_choices(one.choices[1:], "", none_text=tr("another unit"))
            other.picked.connect(partial(self.presenter.answer, one.about))
            keys.append(other)
        if one.at_mm is not None:
            ring = button(tr("Where"), "plain", tip=tr("ring the place on the sheet"))
            ring.clicked.connect(partial(self.sheet.pin, one.at_mm))
            keys.append(ring)
        return box(col(words, row(*keys, None, gap=4), gap=0))

    def _answer_first(self) -> bool:
        """Answer the first open question by its first choice."""
        open_ones = [one for one in self.presenter.questions() if one.choices]
        first = next((one for one in open_ones if not one.is_answered), None)
        if first is None:
            return False
        self.presenter.answer(first.about, first.choices[0][0])
        return True

    def _show_right(self, screen: JobScreen) -> None:
        job, result = screen.job, screen.result
        assert job is not None
        clear_layout(self.facts)
        ready = result is not None and bool(result.plan.runs) and self.presenter.is_current
        self._show_paces(screen)
        self.hang_row.setVisible(bool(result and result.paces))
        self.hang.set_choices(tuple(HANGS.items()), job.hang)
        runs = result.plan.runs if result is not None else ()
        self.lies.show_job(job, runs[0].ground if runs else None)
        if result is not None and result.plan.runs:
            plan = result.plan
            told = plan.copies_words
            if plan.without_room:
                told += tr(", {without_room} without room", without_room=plan.without_room)
            self.facts.addWidget(fact(tr("Laid out"), told))
            size = sides_text(*plan.pattern.size_mm)
            self.facts.addWidget(fact(tr("Drawing") if plan.parts else tr("Size of one"), size))
            self.facts.addWidget(fact(tr("Time"), duration_text(plan.seconds)))
            by_hand = self.presenter.by_hand_words
            if by_hand:
                self.facts.addWidget(fact(tr("By hand"), by_hand))
            done = self.presenter.done_words()
            if done:
                self.facts.addWidget(fact(tr("Burnt"), done))
            cut = plan.cut_mm / 1000
            if cut:
                self.facts.addWidget(fact(tr("Cut"), f"{fixed_text(cut, 2)} m"))
        waits = self.presenter.waits_for
        self.write.setEnabled(ready and not waits)
        set_kind(self.write, "main" if ready and not waits else "")
        if waits and not screen.working and not ready:
            self.done.setText(waits)
        elif job.written:
            self.done.setText(
                tr(
                    "Written {written} at {written2}.",
                    written=day_text(job.written[:10]),
                    written2=job.written[11:16],
                )
            )
        else:
            self.done.setText("")
        self.open_folder.setVisible(bool(job.written))
        self.copy.setVisible(bool(job.written) and ready)
        self.to_machine.setVisible(bool(job.written) and ready)
        self.outcome.setVisible(bool(job.written) and ready)
        self.rehearse.setVisible(bool(job.written) and ready and self.presenter.can_rehearse)
        self.cause_row.setVisible(self.hung.text().strip() not in ("", "0"))
        rest = self._rest()
        self.offcut.setVisible(rest is not None)
        if rest is not None:
            size = lengths_text(rest[2] - rest[0], rest[3] - rest[1])
            self.offcut.setText(tr("The rest, {size} mm, becomes an offcut", size=size))
        if result is not None and not self.pieces.isModified():
            pieces = len(result.plan.pieces_mm) or max(1, result.plan.copies)
            self.pieces.setText(str(pieces))
            self.hung.setText("0")
            self.knots.setText("0")

    def _pace(self, paces: tuple[Pace, ...]) -> Pace:
        """The pace at which the job's cuts are set now."""
        job = self.presenter.job
        cuts = [task.setting for task in job.groups if task.task == "cut"] if job else []
        return next((pace for pace in paces if pace.setting in cuts), paces[0])

    def _show_paces(self, screen: JobScreen) -> None:
        result = screen.result
        clear_layout(self.paces)
        offer = result.offer if result is not None else None
        of_cells = offer is not None or bool(result and result.first)
        self.offer.setVisible(of_cells)
        self.cells.setVisible(offer is not None)
        # where there is little room the tip of the line above says it
        self.why.setVisible(compact(False, True) and not of_cells)
        if result is None or not result.paces:
            self.chance.setText("")
            cuts = any(line.task.task == "cut" and line.numbers for line in screen.groups)
            told = tr("How sure it is cannot be told: no coupon stands behind the cut’s entry.")
            self.why.setText(told if cuts and not screen.working and result else "")
            return
        now = self._pace(result.paces)
        self.chance.setText(tr("All falls free: {all_free}", all_free=_percent(now.risk.all_free)))
        told = tr(
            "One cell alone {cell}; over {length_mm:.1f} m of cut {hangs} hang. Sheet "
            "and day are shared, so pieces fall free or hang together.",
            cell=_percent(now.risk.cell),
            length_mm=now.risk.length_mm / 1000,
            hangs=_places(now.risk.hangs),
        )
        self.why.setText(told)
        self.chance.setToolTip(tip_text(told))
        unit = self.session.preferences.speed_unit
        for n, pace in enumerate(result.paces, 1):
            setting = pace.setting
            words = tr(
                "{n}  {rules}: {speed_mm_s} × {passes}\n{seconds}, {all_free}, costs "
                "{expected_cost:.2f}",
                n=n,
                rules=RULES[pace.rule],
                speed_mm_s=speed_text(setting.speed_mm_s, unit),
                passes=setting.passes,
                seconds=duration_text(pace.seconds),
                all_free=_percent(pace.risk.all_free),
                expected_cost=pace.expected_cost,
            )
            made = button(words, "pace-chosen" if pace is now else "pace")
            made.clicked.connect(lambda _=False, rule=pace.rule: self.presenter.take_pace(rule))
            made.setAccessibleName(words.replace("\n", ", "))
            self.paces.addWidget(made)
        if result.first:
            self.offer.setText(_counted(result))
        if offer is not None:
            self.offer.setText(
                tr(
                    "Burn {cells} in a free corner first: {seconds} and {cost:.2f}; saves "
                    "{saves:.2f} in the mean.",
                    cells=count_text(len(offer.settings), "cell"),
                    seconds=duration_text(offer.seconds),
                    cost=offer.cost,
                    saves=offer.saves,
                )
            )

    # -- work --------------------------------------------------------------------------------------

    def work_asked(self) -> None:
        self._writes_next = False
        self.asks.start()

    def _work(self) -> None:
        self._working_out.stop()
        reading, items = self.presenter.reading_kept(), self.presenter.work()
        if reading is not None:
            self._working_out.start(reading, self._take_read, self._failed)
        elif items is not None:
            self._working_out.start(items, self._take, self._failed)

    def _take(self, result: JobResult | str) -> None:
        if isinstance(result, str):
            self._show_told(result)
            return
        self.presenter.take(result)
        self._renew_sheet(result.plan.runs)
        if self._writes_next and self.presenter.is_current:
            self._writes_next = False
            self.main_action()

    def _take_read(self, found: tuple[Job, Drawing] | str) -> None:
        if isinstance(found, str):
            self._show_told(found)
        else:
            self.presenter.take_read(*found)

    def _take_drawing(self, found: ReadFile | str) -> None:
        if isinstance(found, str):
            self._show_told(found)
        else:
            self.presenter.take_drawing(found)

    def _show_told(self, words: str) -> None:
        """Show how far a work is, where it takes long."""
        if words:
            self.done.setText(words)

    def _lay_closer(self) -> None:
        items = self.presenter.nesting()
        if items is None:
            return
        self.closer.setEnabled(False)
        self.done.setText(tr("Seeking closer places"))
        take = self.presenter.take_nested
        self._nesting = self.main_window.work(items, lambda found: take(*found), self._not_laid)
        self._nesting.finished.connect(self._laid_closer)

    def _laid_closer(self) -> None:
        self._nesting = None
        self.closer.setEnabled(True)
        self.done.setText("")

    def _not_laid(self, problem: Exception) -> None:
        self.main_window.work_failed(problem)

    def _draw(self, wish: PictureWish) -> None:
        """Make the picture of a large drawing in a thread."""
        self.main_window.work(
            once(lambda: picture_of(wish)), lambda image: self.sheet.take_picture(wish, image)
        )

    def _failed(self, problem: Exception) -> None:
        self._writes_next = False
        self._working_out.stop()
        self.presenter.show()
        self.main_window.work_failed(problem)

    def bring_in(self) -> None:
        """Choose a drawing from the disk."""
        name, _ = QFileDialog.getOpenFileName(self, tr("A drawing"), "", DRAWINGS)
        if name:
            self.read_file(Path(name))

    def read_file(self, path: Path) -> None:
        """Read a drawing in a thread and take it."""
        self.done.setText(tr("Reading {path}", path=path.name))
        self._reading = self.main_window.work(self.presenter.reading(path), self._take_drawing)

    def _ask_names(self) -> None:
        """Open the list of names over the window."""
        from olive_almanac.views.jobs.names import NamesDialog

        if self.presenter.result is None:
            return
        dialog = NamesDialog(self.main_window, self.presenter)
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _ask_jig(self) -> None:
        if self.presenter.result is None:
            return
        dialog = JigDialog(self.main_window, self.presenter)
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _ask_layers(self) -> None:
        dialog = LayersDialog(self.main_window, self.presenter)
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _ask_glow(self) -> None:
        dialog = GlowDialog(self.main_window, self.presenter)
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _ask_sides(self) -> None:
        dialog = SidesDialog(self.main_window, self.presenter)
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _take_changed(self) -> None:
        if self.presenter.source is not None:
            self.read_file(self.presenter.source)

    def _typed(self, key: str, field: Number) -> None:
        if field.isModified():
            self.presenter.set_number(key, field.text())
            if not self.presenter.problem:
                field.setModified(False)
                self.presenter.show()

    def _plan_trial(self, task: Any, kind: str) -> None:
        self.session.choose(task=task)
        if kind:
            self.main_window.navigate("plan", PlanKind(kind))
        else:
            self.main_window.navigate("plan")

    def _plan_cells(self) -> None:
        result = self.presenter.result
        if result is not None and result.offer is not None:
            self.session.choose(task="cut")
            on_rack = result.plan.runs and result.wish.sheets and result.wish.job.jig is None
            run = result.plan.runs[0] if on_rack else None
            sheet = run.sheet if run is not None else None
            clear = run.used_mm if run is not None else ()
            self.main_window.navigate("plan", PlanCells(result.offer.settings, sheet, clear))

    def main_action(self) -> None:
        if self.at_machine.isVisible():
            self.at_machine.main_action()
            return
        self.subject_changed()  # what changed while a sheet burnt
        if self.presenter.job is None:
            self.bring_in()
            return
        if self._writing is not None:
            return
        working = self._working_out.is_begun or self.asks.isActive()
        if working and not self.presenter.is_current:
            self._writes_next = True  # as soon as it is worked out
            self.done.setText(tr("Working it out, then writing"))
            return
        items = self.presenter.writing()
        if items is None:
            return
        self._writing = self.main_window.work(items, self._say_writing, self._not_written)

    def _say_writing(self, step: tuple[JobResult, str]) -> None:
        result, words = step
        if words == "written":
            self._writing = None
            self.presenter.written(result)
        else:
            self.done.setText(tr("Writing: {words}", words=words))

    def _not_written(self, problem: Exception) -> None:
        self._writing = None
        self.done.setText("")
        self.main_window.work_failed(problem)

    def _open_folder(self) -> None:
        if self.presenter.job is not None:
            folder = job_folder(self.session.store.folder, self.presenter.job)
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))

    def _copies(self, folder: Path) -> Iterator[str]:
        """Work that copies the files of all sheets of the job in hand into a folder."""
        from olive_almanac.steps.stick import job_to  # start-up is measured without

        job, result = self.presenter.job, self.presenter.result
        if job is None or result is None or not job.written:
            return iter(())
        return job_to(folder, self.session.store.folder, job, result.plan.runs)

    def _say_once_more(self, text: str) -> None:
        """What a further pass would free of what hangs, before anything is lifted."""
        result = self.presenter.result
        hangs = text.strip().isdigit() and int(text) > 0
        self.cause_row.setVisible(hangs)
        if not hangs or result is None or not result.once_more:
            self.lie.setText("")
            return
        one, two = result.once_more[:2]
        told = tr("Leave it lie: one more pass frees {one} of what hangs", one=_percent(one))
        if one < 0.95 < two:
            told += tr(", two {two}", two=_percent(two))
        self.lie.setText(f"{told}.")

    def _rehearse(self) -> None:
        items, job = self.presenter.rehearsing(self.main_window.make_bench()), self.presenter.job
        if items is not None:
            self.main_window.work(items, lambda fates: self._came_out(job, fates))

    def _came_out(self, job: Job | None, fates: tuple[str, ...]) -> None:
        """Fill in what the stand-in says of the job in hand; the operator keeps it."""
        if job != self.presenter.job:
            return
        knots = fates.count("knot")
        hung = fates.count("hangs") + knots
        self._fill_counts(len(fates), hung, knots)
        self.tap.setChecked(True)
        self.sheet.take_fates(fates)
        self.done.setText(
            tr("Burnt on the stand-in: {hung} of {fates} hang.", hung=hung, fates=len(fates))
        )

    def _fill_counts(self, pieces: int, hung: int, knots: int) -> None:
        for field, count in ((self.pieces, pieces), (self.hung, hung), (self.knots, knots)):
            field.setText(str(count))
            field.setModified(True)

    def _set_tapping(self, on: bool) -> None:
        self.sheet.set_tapping(on)
        set_kind(self.tap, "pace-chosen" if on else "")
        self.spoilt = 0
        if on:
            self.sheet.setFocus()

    def _count_taps(self) -> None:
        """Count what was tapped on the sheet."""
        result = self.presenter.result
        fates = list(self.sheet.fates.values())
        if result is None:
            return
        knots = fates.count("knot")
        self.spoilt = fates.count("spoilt")
        pieces = len(result.plan.pieces_mm) or result.plan.copies
        self._fill_counts(pieces, fates.count("hangs") + knots, knots)

    def _rest(self) -> tuple[float, float, float, float] | None:
        """What is left of the sheet that is shown, once it was told what came of the job."""
        job, result = self.presenter.job, self.presenter.result
        if job is None or result is None or not job.outcomes or not result.plan.runs:
            return None
        run = result.plan.runs[min(self.sheet.at, len(result.plan.runs) - 1)]
        return self.presenter.rest_of(run.sheet)

    def _keep_offcut(self) -> None:
        result = self.presenter.result
        if result is not None and result.plan.runs:
            run = result.plan.runs[min(self.sheet.at, len(result.plan.runs) - 1)]
            self.presenter.make_offcut(run.sheet)

    def _pick_cause(self, cause: str) -> None:
        self.cause.set_choices(CAUSES.items(), cause)

    def _tell(self) -> None:
        numbers = []
        for field in (self.pieces, self.hung, self.knots):
            text = field.text().strip()
            field.set_bad(not text.isdigit())
            if not text.isdigit():
                field.setFocus()
                return
            numbers.append(int(text))
        cause = self.cause.key if numbers[1] else ""
        if self.presenter.tell_outcome(*numbers, spoilt=self.spoilt, cause=cause):
            self.done.setText(tr("Kept: the sheet is marked as used."))
            self.tap.setChecked(False)
            self.cause.set_choices(CAUSES.items(), "")
            for field in (self.pieces, self.hung, self.knots):
                field.setModified(False)

    # -- at the machine ----------------------------------------------------------------------------

    def is_running(self) -> bool:
        return self.at_machine.runner.is_going

    def stop(self) -> None:
        """Stop the run of a sheet, beam off."""
        self.at_machine.stop()

    def _go_to_machine(self) -> None:
        result = self.presenter.result
        if result is None or not result.plan.runs:
            return
        run = result.plan.runs[min(self.sheet.at, len(result.plan.runs) - 1)]
        self.right.hide()
        self.at_machine.show()
        self.at_machine.show_sheet(run)

    def _renew_sheet(self, runs: Sequence[SheetRun]) -> None:
        """Show the sheet at the machine as it is laid out now, unless it burns."""
        stands = self.is_running() or not self.at_machine.isVisible()
        if not stands and all(one is not self.at_machine.run for one in runs):
            self._leave_machine()
            self._go_to_machine()

    def _leave_machine(self) -> None:
        self.at_machine.hide()
        self.sheet.show_burnt(0)
        self.right.show()
        self.to_machine.setFocus()

    def _show_moved(self) -> None:
        """The run has come further: nothing else is changed meanwhile."""
        going = self.is_running()
        for part in (self.groups, self.picker, self.away, self.bring, self.outcome):
            part.setEnabled(not going)
        burnt = begun = 0
        if self.at_machine.isVisible():
            burnt = self.at_machine.progress.burnt
            begun = self.at_machine.progress.begun if self.at_machine.broke_off else 0
        self.sheet.show_burnt(burnt, begun)

    def _sheet_done(self, by: str) -> None:
        """A sheet was burnt: what came of it is told next."""
        self._leave_machine()
        if by == "stand-in":
            self._rehearse()
        else:
            self.tap.setChecked(True)

    # -- keys and drops ----------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        result = self.presenter.result
        text = event.text()
        if result is not None and text.isdigit() and 1 <= int(text) <= len(result.paces):
            self.presenter.take_pace(result.paces[int(text) - 1].rule)
        elif event.key() == Qt.Key.Key_A and not event.modifiers() and self._answer_first():
            return
        elif event.key() == Qt.Key.Key_O and not event.modifiers():
            self.bring_in()
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        urls = [url for url in event.mimeData().urls() if url.isLocalFile()]
        if urls:
            self.read_file(Path(urls[0].toLocalFile()))


def _counted(result: JobResult) -> str:
    """What the cells burnt first told."""
    told = tr(
        "Of {cells} burnt first on this sheet {free} fell free: counted.",
        cells=count_text(len(result.first), "cell"),
        free=sum(cell.free for cell in result.first),
    )
    if max(pace.risk.all_free for pace in result.paces) < LIKELY:
        told += " " + tr("Decide anew first: this sheet needs more than the entry knows.")
    return told


def _places(mean: float) -> str:
    """How many places hang in the mean, as one says it."""
    if mean < 0.05:
        return tr("next to no place may")
    return tr("about {mean} places", mean=number_text(round(mean, 1)))


def _percent(chance: float) -> str:
    """A chance as one says it: never 100 % where it is not."""
    if chance >= 0.995:
        return tr("over 99 %")
    if chance < 0.005:
        return tr("under 1 %")
    return f"{100 * chance:.0f} %"
