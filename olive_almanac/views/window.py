"""The window: the frame around the stations' pages, the keys, and the work in its threads."""

from __future__ import annotations

import importlib
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, cast

from PySide6.QtCore import QDeadlineTimer, Qt, QThread, QTimer
from PySide6.QtGui import QCloseEvent, QKeySequence, QResizeEvent, QShortcut, QShowEvent
from PySide6.QtWidgets import QDialog, QHBoxLayout, QMainWindow, QMessageBox, QVBoxLayout, QWidget

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.units import LENGTHS_NEXT_START
from olive_almanac.core.words import FROM_NEXT_START, tr
from olive_almanac.steps.find import entry_of_code, trial_of_code
from olive_almanac.steps.ports import Bench
from olive_almanac.steps.preferences import SCALES, load_preferences, save_preferences
from olive_almanac.steps.requests import (
    AddRecord,
    BringInNotes,
    OpenJob,
    PlanKind,
    Request,
    ShowMenu,
)
from olive_almanac.steps.session import Session
from olive_almanac.steps.snapshot import load_snapshot
from olive_almanac.steps.stations import STATIONS, station_of
from olive_almanac.views import theme
from olive_almanac.views.big_type import BIG_TYPE_KEY, BigType
from olive_almanac.views.collecting import Collector
from olive_almanac.views.following import Following
from olive_almanac.views.frame import MarginNote, ProblemStrip, Rail, SubjectLine
from olive_almanac.views.from_outside import FromOutside
from olive_almanac.views.opening import Opening
from olive_almanac.views.parts import scroll_in, scrolling
from olive_almanac.views.practising import Practising
from olive_almanac.views.scanner import CodeScanner
from olive_almanac.views.services import WindowServices
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import px
from olive_almanac.views.worker import Worker, once

__all__ = ["MainWindow"]

LEAST_PAGE = (880, 560)  # logical px; a smaller window scrolls
RESIZE_PAUSE_MS = 150
STOP_WITHIN_MS = 1500  # in which a stop has gone out, or the line is told as dead
USUAL_SIZE = (1280, 800)
LEAST_TITLE = 8  # px of a frame that a desktop draws; without a screen there are four
FRAMED_MS = 200  # until the desktop has put its frame around a window
UNKNOWN_TRIAL = tr(
    "This library holds no trial with that code. It may have been planned on another machine."
)
THREAD = [station.id for station in STATIONS if station.thread]


class MainWindow(QMainWindow):
    """Builds pages when they are first shown; builds all anew when theme, scale or the close
    setting changes.
    """

    def __init__(self, folder: Path, services: WindowServices) -> None:
        super().__init__()
        self.folder, self.services = folder, services
        self.home = folder  # where practice results are kept, and where one comes back to
        self.session = Session(
            load_preferences(services.preferences_file), today=lambda: services.now().date()
        )
        self.station = station_of(self.session.preferences.station).id
        self.pages: dict[str, StationPage] = {}
        self._kept: dict[str, Any] = {}  # what pages held before they were built anew
        self._kept_of: Any = None  # of which library
        self._area: Any = None
        self._workers: list[Worker] = []
        self._retired: list[StationPage] = []  # pages of an earlier look, until no work needs them
        self._closed = False
        self._help: Any = None
        self._offered: Callable[[], None] = self._understood
        self.opening = Opening(self)
        self.following = Following(self)
        self.outside = FromOutside(self)
        self.practising = Practising(self)
        self.title = "Olive Almanac"  # of the library that is open; a run adds how far it is
        self.setWindowTitle(self.title)
        self.setMinimumSize(760, 480)
        self._place_window()
        self._resized = QTimer(self)
        self._resized.setSingleShot(True)
        self._resized.setInterval(RESIZE_PAUSE_MS)
        self._resized.timeout.connect(self._fit)
        self._apply_look()
        snapshot = load_snapshot(folder)
        if snapshot is not None:
            self.session.show_snapshot(snapshot)
        elif not (folder / "almanac.db").exists():
            self.station = "book"
        self.big_type = BigType(self, lambda: self._present.in_hand(), lambda: self._present)
        self._build()
        self._bind_keys()
        self.collector = Collector(self)
        self.scanner = CodeScanner(self)
        self.scanner.scanned.connect(self._open_code)

    # -- look --------------------------------------------------------------------------------------

    def _place_window(self) -> None:
        screen = self.screen().availableGeometry()
        known = self.session.preferences.window
        if known and screen.contains(known[0] + 40, known[1] + 40):
            left, top, width, height = known
            self.setGeometry(left, top, min(width, screen.width()), min(height, screen.height()))
        else:
            self.resize(min(USUAL_SIZE[0], screen.width()), min(USUAL_SIZE[1], screen.height()))

    def _apply_look(self) -> None:
        theme.set_theme(self.session.preferences.theme)
        theme.set_scale(self._fitting_scale)
        theme.LIVE.compact = theme.is_compact_size(self.width(), self.height())
        theme.apply_theme()

    @property
    def _fitting_scale(self) -> int:
        chosen = self.session.preferences.scale_percent
        return theme.fitting_scale(chosen, self.width(), self.height())

    def _build(self) -> None:
        """Build the frame and the present page from the session."""
        if self._closed:
            return  # asked for before the window went
        self.session.forget_listeners()
        self._retire_pages()
        self.subject_line, self.strip = SubjectLine(self.session), ProblemStrip()
        self.rail, self.margin = Rail(self.session), MarginNote(self.session)
        self._lay_out()
        self.practising.show()
        self.rail.station_asked.connect(self.navigate)
        self.strip.action_asked.connect(lambda: self._offered())
        self.subject_line.add_asked.connect(self.add)
        self.subject_line.find_asked.connect(self.find)
        self._listen()
        self.navigate(self.station)
        self._show_problem()
        self._build_help()
        self._sweep_pages()

    def _lay_out(self) -> None:
        centre = QWidget()
        centre.setObjectName("desk")
        layout = QVBoxLayout(centre)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self._holder = QHBoxLayout()
        self._holder.setSpacing(0)
        self._holder.addWidget(self.rail)
        layout.addWidget(self.subject_line)
        layout.addWidget(self.strip)
        layout.addWidget(self.practising.make_strip())
        layout.addLayout(self._holder, 1)
        layout.addWidget(self.margin)
        self.setCentralWidget(centre)

    def _leave_pages(self) -> None:
        for page in self.pages.values():
            page.leave()

    def _retire_pages(self) -> None:
        """Leave every page; one that burns is kept as it is, for its run must go on."""
        burning = {name: page for name, page in self.pages.items() if page.is_running()}
        kept = {name: page.kept() for name, page in self.pages.items() if name not in burning}
        self._kept, self._kept_of = {**self._kept, **kept}, self.session.library
        if self._area is not None:
            self._area.takeWidget()
            self._area = None
        for name, page in self.pages.items():
            if name not in burning:
                page.leave()
                page.hide()
                self._retired.append(page)
        self.pages = burning

    def _sweep_pages(self) -> None:
        """Let go of retired pages once no work can come back to them."""
        if not self._workers:
            for page in self._retired:
                page.deleteLater()
            self._retired = []

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if not hasattr(self, "rail"):
            return
        if round(100 * theme.LIVE.scale) != self._fitting_scale:
            self._resized.start()
        elif theme.LIVE.compact != theme.is_compact_size(self.width(), self.height()):
            theme.LIVE.compact = not theme.LIVE.compact
            QTimer.singleShot(0, self._build)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        QTimer.singleShot(FRAMED_MS, self._take_in_frame)

    def _take_in_frame(self) -> None:
        """Give way to the desktop's frame where both together are larger than the screen."""
        if self._closed or self.isMaximized() or self.isFullScreen():
            return
        screen, frame = self.screen().availableGeometry(), self.frameGeometry()
        beside, above = frame.width() - self.width(), frame.height() - self.height()
        if above < LEAST_TITLE:
            return
        over_x = min(beside, max(0, frame.width() - screen.width()))
        over_y = min(above, max(0, frame.height() - screen.height()))
        if over_x or over_y:
            self.resize(self.width() - over_x, self.height() - over_y)

    def _fit(self) -> None:
        """Build anew at the scale that the window can show, once it has stopped changing."""
        if round(100 * theme.LIVE.scale) != self._fitting_scale:
            self._apply_look()
            self._build()

    def switch_theme(self) -> None:
        """Day or Workshop."""
        other = "workshop"
        if self.session.preferences.theme == "workshop":
            other = "day"
        self.session.remember(theme=other)
        self._apply_look()
        self._build()

    def change_scale(self, step: int) -> None:
        """Step the scale of the whole interface; 0 goes back to 100 %."""
        at = 0
        if step:
            at = SCALES.index(self.session.preferences.scale_percent) + step
        self.set_scale(SCALES[min(max(at, 0), len(SCALES) - 1)])

    def set_scale(self, percent: int) -> None:
        """Show the whole interface at a scale, or as near to it as every key stays in view."""
        self.session.remember(scale_percent=percent)
        self._apply_look()
        self._build()
        chosen, shown = self.session.preferences.scale_percent, self._fitting_scale
        if shown < chosen:
            width, height = (round(side * chosen / 100) for side in theme.LEAST_WINDOW)
            self.session.tell(
                tr(
                    "{chosen} % takes a window of {width} × {height}; here {shown} % keeps every "
                    "key in view.",
                    chosen=chosen,
                    width=width,
                    height=height,
                    shown=shown,
                )
            )

    def choose_language(self, language: str) -> None:
        """Keep the language of the next start, and say so in it."""
        if self.session.attempt(lambda: self.services.choose_language(language)):
            self.session.tell(FROM_NEXT_START[language])

    def choose_lengths(self, unit: str) -> None:
        """Keep the unit of lengths of the next start, and say so; speeds follow at once."""
        if not self.session.attempt(lambda: self.services.choose_lengths(unit)):
            return
        if self.session.preferences.speed_unit.startswith("in") != (unit == "in"):
            self.set_speed_unit(f"{unit}/min")
        self.session.tell(LENGTHS_NEXT_START[unit])

    def set_speed_unit(self, unit: str) -> None:
        """Show every speed in another unit."""
        self.session.remember(speed_unit=unit)
        self._build()

    def make_bench(self) -> Bench:
        """Return the stand-in bench of what is open: a hidden stock while practising, else its
        own.
        """
        practice = self.session.practice
        if practice is not None:
            return self.services.make_bench(practice.seed)
        return self.services.make_bench()

    # -- stations ----------------------------------------------------------------------------------

    def page(self, station: str) -> Any:
        """Return the page of a station, made when first asked for."""
        if station not in self.pages:
            module, _, name = station_of(station).page.partition(":")
            made = getattr(importlib.import_module(f"olive_almanac.views.{module}"), name)
            self.pages[station] = made(self)
            kept = self._kept.pop(station, None)
            if kept is not None and self._kept_of is self.session.library:
                self.pages[station].take_up(kept)
        return self.pages[station]

    def navigate(self, station: str, request: Request | None = None) -> None:
        """Show a station, and hand its page what is asked of it."""
        page = self.page(station)
        if self._area is None:
            self._area = scrolling(page, LEAST_PAGE)
            self._holder.addWidget(self._area, 1)
        elif self._area.widget() is not page:  # a new area would leave a kilobyte each time
            self._area.takeWidget()
            scroll_in(self._area, page, LEAST_PAGE)
        self.station = station
        page.show()
        page.enter()
        self.rail.refresh(station)
        if station in THREAD and self.session.preferences.station != station:
            self.session.remember(station=station)
        if request is not None:
            page.take(request)

    def add(self, form: str) -> None:
        """Begin a new machine or stock."""
        self.navigate("set_up", AddRecord(cast(Any, form)))

    def bring_in_notes(self, path: Path | None = None) -> None:
        """Open the dialog for old notes; where there is no machine yet, its form comes first."""
        if self.session.catalogue.machines:
            self.navigate("book", BringInNotes(path))
        else:
            self.navigate("set_up", AddRecord("machine", then_notes=True))

    def plan_confirm_run(self) -> None:
        """Plan the run that confirms the entry of the present subject."""
        self.navigate("plan", PlanKind("confirm"))

    def find(self) -> None:
        """Open the finder over the window."""
        from olive_almanac.views.finder import Finder  # start-up: opened seldom

        finder = Finder(self.session, self)
        finder.finished.connect(finder.deleteLater)
        finder.opened.connect(self.open_found)
        finder.trial_asked.connect(self._open_trial)
        middle, top = self.rect().center().x(), self.rect().top()
        left = self.mapToGlobal(self.rect().topLeft()).x() + middle - finder.width() // 2
        finder.move(left, self.mapToGlobal(self.rect().topLeft()).y() + top + px(80))
        finder.open()
        finder.field.setFocus()

    def _open_trial(self, trial_id: str) -> None:
        """Open the trial of a code that was typed into the finder; say so where it is not known."""
        finder: Any = self.sender()
        if self.show_trial(trial_id):
            finder.accept()
        else:
            finder.nothing.setText(UNKNOWN_TRIAL)

    def show_trial(self, trial_id: str) -> bool:
        """Open a trial at the station that is next for it; False where the library has none."""
        if not self.session.trials.open(trial_id):
            return False
        station = "plan"
        if self.session.active is not None:
            station = self.session.active.stage
        self.navigate(station)
        return True

    def open_record(self, kind: str, name: str) -> None:
        """Open a trial, an entry or a job by its id."""
        if kind == "trial" and not self.show_trial(name):
            self.session.tell(UNKNOWN_TRIAL)
        elif kind == "entry":
            self._open_entry(name)
        elif kind == "job":
            self.navigate("jobs", OpenJob(name))

    def _open_code(self, code: str) -> None:
        """Open what a scanned code names: the trial of a key sheet, the entry of a label."""
        if self.is_burning:
            return
        trial, entry_uid = trial_of_code(code), entry_of_code(code)
        if trial:
            if not self.show_trial(trial):
                self.session.tell(UNKNOWN_TRIAL)
            return
        self._open_entry(entry_uid)

    def _open_entry(self, uid: str) -> None:
        entry = self.session.catalogue.entry_by_uid.get(uid)
        if entry is None:
            self.session.tell(tr("This library holds no entry with that code."))
            return
        self.session.choose(machine=entry.machine_uid, stock=entry.stock_uid, task=entry.task)
        self.navigate("book")

    def open_found(self, hit: Any) -> None:
        """Go to a `Found`, a `FoundJob` or a `FoundPlace`."""
        from olive_almanac.steps.find import FoundJob
        from olive_almanac.steps.find_places import FoundPlace
        from olive_almanac.views.places import open_place

        if isinstance(hit, FoundJob):
            self.session.choose(machine=hit.machine.uid, stock=hit.stock.uid)
            self.navigate("jobs", OpenJob(hit.job.uid))
        elif isinstance(hit, FoundPlace):
            open_place(self, hit.kind, hit.key)
        else:
            self.session.choose(machine=hit.machine.uid, stock=hit.stock.uid, task=hit.entry.task)
            self.navigate("book")

    # -- what the session tells --------------------------------------------------------------------

    def _listen(self) -> None:
        session = self.session
        session.shop.changed.connect(self._catalogue_changed)
        session.subject_changed.connect(self._subject_changed)
        session.trials.changed.connect(self._trials_changed)
        session.preferences_changed.connect(self._preferences_changed)
        session.problem_changed.connect(self._show_problem)
        session.shop.watch.changed.connect(self._drift_told)

    @property
    def _present(self) -> StationPage:
        page: StationPage = self.page(self.station)
        return page

    def _refresh_frame(self) -> None:
        self._refresh_help()
        self.margin.refresh()
        self.rail.refresh(self.station)

    def _catalogue_changed(self) -> None:
        self.subject_line.refresh()
        self._refresh_frame()
        self.practising.show()
        self.opening.ready_to_find()
        self._present.catalogue_changed()
        self.following.soon()

    def _drift_told(self) -> None:
        self._refresh_frame()
        self._present.drift_told()

    def _subject_changed(self) -> None:
        self.subject_line.refresh()
        self._refresh_frame()
        self._present.subject_changed()

    def _trials_changed(self) -> None:
        self._refresh_frame()
        self.practising.show()
        self._present.trials_changed()

    def _preferences_changed(self) -> None:
        try:
            save_preferences(self.services.preferences_file, self.session.preferences)
        except AlmanacError as problem:
            print(tr("olive-almanac: {problem}", problem=problem), file=sys.stderr)

    def _show_problem(self) -> None:
        self.offer(tr("Understood"), self._understood)

    def _understood(self) -> None:
        self.session.understood()

    def offer(self, action: str, do: Callable[[], None]) -> None:
        """Show the present problem with one button, and what it does."""
        self._offered = do
        self.strip.show_problem(self.session.problem, action)

    # -- the library -------------------------------------------------------------------------------

    def open_library(self, file: Path | None = None) -> None:
        """Open the library of the folder in a worker, and then a file from outside."""
        self.collector.start()  # nothing is collected until the first picture is there
        if file is None:
            self.opening.open()
        else:
            self.opening.open(lambda: self.outside.show(file))

    def open_other(self, folder: Path, title: str, station: str) -> None:
        """Open another library in place of the present one; every page is made anew for it."""
        self.folder, self.title, self.station = folder, title, station
        self.setWindowTitle(title)
        self.opening.open(self._build)

    def open_demo(self) -> None:
        """Open the demo shop in place of the empty library; the real one is not touched."""
        if self.is_burning:
            return
        self.session.tell("")
        self.page("book").show_building()
        self.work(once(self.services.make_demo), self._show_demo)

    def _show_demo(self, folder: Path) -> None:
        self.session.close_library()
        self.folder, self.title = folder, tr("Olive Almanac, demo shop")
        self.session.remember(machine_uid="north-bench", stock_uid="birch-3", task="cut")
        self.setWindowTitle(self.title)
        self.open_library()

    # -- work in threads ---------------------------------------------------------------------------

    @property
    def is_burning(self) -> bool:
        """Whether a run is going on; says so, for whoever would leave it alone."""
        if not any(page.is_running() for page in self.pages.values()):
            return False
        self.session.tell(tr("A run is going on. Stop it first, then do it again."))
        return True

    @property
    def is_busy(self) -> bool:
        """Whether work is under way."""
        return bool(self._workers)

    def work(
        self,
        items: Iterator[Any],
        take: Callable[[Any], object],
        fail: Callable[[Exception], None] | None = None,
    ) -> Worker:
        """Run work in a thread; results come back here.

        Faults of the world are told, ours are raised.
        """
        worker = Worker(items, self)
        worker.tell(take, fail or self.work_failed, lambda: self._forget(worker))
        if not self._closed:  # a thread must not outlive the window
            self._workers.append(worker)
            worker.start()
        return worker

    def work_at_rest(
        self, key: QWidget, action: Callable[[], object], take: Callable[[Any], object]
    ) -> None:
        """Do one thing in a thread; the key that began it rests until the result is taken.

        It is back before `take` writes words on it: they ask for the next press.
        """

        def back(then: Callable[[Any], object]) -> Callable[[Any], None]:
            def with_key(found: Any) -> None:
                key.setEnabled(True)
                then(found)

            return with_key

        key.setEnabled(False)
        self.work(once(action), back(take), back(self.work_failed))

    def _forget(self, worker: Worker) -> None:
        if worker in self._workers:
            self._workers.remove(worker)
        worker.wait()  # it has told its end; its thread may still be winding up
        worker.setParent(None)  # so that it goes when nobody looks at it any more
        worker.let_go()
        self._sweep_pages()

    def work_failed(self, problem: Exception) -> None:
        """Tell a fault of the world; raise one of ours."""
        if not isinstance(problem, AlmanacError):
            raise problem
        self.session.tell(str(problem))

    # -- keys and leaving --------------------------------------------------------------------------

    def _bind(self, keys: str, action: Callable[[], object]) -> None:
        shortcut = QShortcut(QKeySequence(keys), self)
        shortcut.setContext(Qt.ShortcutContext.WindowShortcut)
        shortcut.activated.connect(action)

    def _bind_keys(self) -> None:
        for station in STATIONS:
            self._bind(station.key, lambda name=station.id: self.navigate(name))
        for keys, action in (
            ("Ctrl+B", lambda: self.navigate("book", ShowMenu())),
            ("F1", self.show_help),
            ("Ctrl+K", self.find),
            ("Ctrl+1", lambda: self.subject_line.machine.open_list()),
            ("Ctrl+2", lambda: self.subject_line.stock.open_list()),
            ("Ctrl+3", lambda: self.subject_line.task.open_list()),
            ("Ctrl+W", self.ask_wrong),
            ("Ctrl+M", self.ask_where),
            ("Ctrl+L", self.switch_theme),
            ("Ctrl+=", lambda: self.change_scale(1)),
            ("Ctrl++", lambda: self.change_scale(1)),
            ("Ctrl+-", lambda: self.change_scale(-1)),
            ("Ctrl+0", lambda: self.change_scale(0)),
            ("Ctrl+Z", self.undo),
            ("Ctrl+Shift+Z", self.redo),
            ("Ctrl+Return", lambda: self._present.main_action()),
            ("Ctrl+P", lambda: self._present.print_page()),
            ("Ctrl+Shift+C", lambda: self._present.copy_numbers()),
            (BIG_TYPE_KEY, lambda: self.big_type.toggle()),
            ("PgUp", lambda: self._turn(-1)),
            ("PgDown", lambda: self._turn(1)),
            ("/", lambda: self._present.focus_filter()),
        ):
            self._bind(keys, action)

    def ask_wrong(self) -> None:
        """Ask what went wrong with the coupon on the desk, or with a piece of the present entry."""
        from olive_almanac.views.wrong import WrongDialog  # start-up: opened seldom

        self._open_over(WrongDialog(self, self._present.cell_in_hand))

    def show_pages(self, path: Path) -> None:
        """Show a PDF that was written as it will be printed."""
        from olive_almanac.views.preview import PreviewDialog  # start-up: opened seldom

        self._open_over(PreviewDialog(self, path))

    def ask_library(self) -> None:
        """Show where the library lies, its copies and its backups."""
        from olive_almanac.views.book.library_dialog import LibraryDialog

        if self.session.attempt(lambda: self.session.store):
            self._open_over(LibraryDialog(self))

    def ask_where(self) -> None:
        """Lay the machines of the shop side by side for the present stock."""
        from olive_almanac.views.book.where import WhereDialog  # start-up: opened seldom

        self._open_over(WhereDialog(self))

    def show_help(self, topic: str = "") -> None:
        """Show a page of the guide beside the window: "page/heading", or that of the station."""
        from olive_almanac.views.help_window import HelpWindow  # start-up: opened seldom

        if self._help is None:
            self._help = HelpWindow(self)
        self._help.show()  # first: a page is laid out for the width that it has
        self.session.attempt(lambda: self._help.show_topic(topic or self.station))
        self._help.raise_()
        self._help.activateWindow()

    def _refresh_help(self) -> None:
        """Show anew how far the first job is, where the help is open."""
        if self._help is not None and self._help.isVisible():
            self._help.show_way()

    def _build_help(self) -> None:
        """Make the help anew in the present look, where it is open."""
        before, self._help = self._help, None
        if before is not None:
            shown, topic = before.isVisible(), before.page
            before.close()
            before.deleteLater()
            if shown:
                self.show_help(topic)

    def _open_over(self, dialog: QDialog) -> None:
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _turn(self, step: int) -> None:
        if self.station not in THREAD:
            return
        at = THREAD.index(self.station) + step
        if 0 <= at < len(THREAD):
            self.navigate(THREAD[at])

    def undo(self) -> None:
        """Take the last act back."""
        self.session.attempt(self.session.undo_stack.undo)

    def redo(self) -> None:
        """Do again what was taken back."""
        self.session.attempt(self.session.undo_stack.redo)

    def closeEvent(self, event: QCloseEvent) -> None:
        burning = [page for page in self.pages.values() if page.is_running()]
        if not all(self._may_leave_run(page) for page in burning):
            event.ignore()
            return
        self._closed = True
        # also those that have told their end but whose thread is still winding up
        for worker in self.findChildren(Worker):
            worker.halt()
        self._leave_pages()
        box = self.geometry()
        self.session.remember(window=(box.x(), box.y(), box.width(), box.height()))
        if self.session.library is not None:
            self.session.library.close()
        self.opening.release()
        self.practising.close()
        self.collector.stop()
        event.accept()

    def _may_leave_run(self, page: Any) -> bool:
        answer = QMessageBox.question(
            self,
            tr("A run is going on"),
            tr(
                "The machine is still burning. Stop the run, beam off, "
                "and leave? What has burnt is "
                "kept."
            ),
            QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No,
            QMessageBox.StandardButton.No,
        )
        if answer != QMessageBox.StandardButton.Yes:
            return False
        page.stop()
        patience = QDeadlineTimer(STOP_WITHIN_MS)
        while page.is_running() and not patience.hasExpired():
            QThread.msleep(10)
            page.stop()  # a busy line takes the stop a little later
        return True
