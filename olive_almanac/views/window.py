"""The window: the frame, one page a station, the keys, and opening the library behind the first
picture.
"""

import sys
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QMessageBox,
    QVBoxLayout,
    QWidget,
)

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.machine import Machine
from olive_almanac.steps.ports import Bench, Library, Wire
from olive_almanac.steps.preferences import SCALES, load_preferences, save_preferences
from olive_almanac.steps.session import STATIONS, Held, Session, read_all
from olive_almanac.steps.snapshot import load_snapshot
from olive_almanac.views import theme
from olive_almanac.views.frame import MarginNote, ProblemStrip, Rail, SubjectLine
from olive_almanac.views.parts import scrolling
from olive_almanac.views.practise.strip import PracticeStrip
from olive_almanac.views.theme import px
from olive_almanac.views.worker import Worker, once

LEAST_PAGE = (880, 560)  # logical px; a smaller window scrolls


@dataclass(frozen=True)
class Outside:
    """What the window needs from outside the views; __main__ hands it in."""

    open_library: Callable[[Path], Library]
    restore_library: Callable[[Path], tuple[Path, Path]]
    make_bench: Callable[..., Bench]  # with a seed, or with its own
    make_demo: Callable[[], Path]
    now: Callable[[], datetime]
    preferences_file: Path
    connect: Callable[[Machine, float], Wire]  # to a stand-in controller at a pace
    open_port: Callable[[str, int], Wire]  # a serial port at a baud rate
    seconds: Callable[[], float] = time.monotonic


NEWS_MS = 20_000  # how often a shared library is asked what others wrote
NEWS_LATER_MS = 500  # how soon it is asked again when other work was under way
SWITCH_S = 0.0005  # how long one thread may hold on while another waits
MANY_ENTRIES = 1000  # from which on the finder's index is made beforehand


class MainWindow(QMainWindow):
    """Builds pages when they are first shown; builds all anew when theme, scale or the close
    setting changes.
    """

    def __init__(self, folder: Path, outside: Outside) -> None:
        super().__init__()
        self.folder, self.outside = folder, outside
        self.home = folder  # where practice results are kept, and where one comes back to
        self.session = Session(
            load_preferences(outside.preferences_file), today=lambda: outside.now().date()
        )
        if self.session.preferences.station in STATIONS:
            self.station = self.session.preferences.station
        else:
            self.station = "Book"
        self.pages: dict[str, QWidget] = {}
        self._workers: list[Worker] = []
        self._build_when_open = False
        self._before_practice = self.session.preferences
        self._strip_action: tuple[str, Callable[[], None]] = (
            "Understood",
            lambda: self.session.tell(""),
        )
        self._news = QTimer(self)
        self._news.setInterval(NEWS_MS)
        self._news.timeout.connect(self._ask_for_news)
        self.title = "Olive Almanac"
        self.setWindowTitle(self.title)
        self.setMinimumSize(760, 480)
        self._place_window()
        self._apply_look()
        snapshot = load_snapshot(folder)
        if snapshot is not None:
            self.session.show_shelf(snapshot)
        elif not (folder / "almanac.db").exists():
            self.station = "Book"
        self._build()
        self._bind_keys()

    # -- look --------------------------------------------------------------------------------------

    def _place_window(self) -> None:
        screen = self.screen().availableGeometry()
        known = self.session.preferences.window
        if known and screen.contains(known[0] + 40, known[1] + 40):
            self.setGeometry(
                known[0], known[1], min(known[2], screen.width()), min(known[3], screen.height())
            )
        else:
            self.resize(min(1280, screen.width()), min(800, screen.height()))

    def _apply_look(self) -> None:
        theme.set_theme(self.session.preferences.theme)
        theme.set_scale(self.session.preferences.scale_percent)
        theme.LIVE.close = theme.is_close_size(self.width(), self.height())
        theme.apply_theme(QApplication.instance())

    def _build(self) -> None:
        """Build the frame and the present page from the session."""
        self.session.forget_listeners()
        self._leave_pages()
        self.pages = {}
        centre = QWidget()
        centre.setObjectName("desk")
        layout = QVBoxLayout(centre)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.subject_line, self.strip = SubjectLine(self.session), ProblemStrip()
        self.rail, self.margin = Rail(self.session), MarginNote(self.session)
        self.practice_strip = PracticeStrip()
        self._holder = QHBoxLayout()
        self._holder.setSpacing(0)
        self._holder.addWidget(self.rail)
        layout.addWidget(self.subject_line)
        layout.addWidget(self.strip)
        layout.addWidget(self.practice_strip)
        layout.addLayout(self._holder, 1)
        layout.addWidget(self.margin)
        self.setCentralWidget(centre)
        self._area = None
        self.rail.station_asked.connect(self.go)
        self.practice_strip.finish_asked.connect(self._score_practice)
        self.practice_strip.leave_asked.connect(self.leave_practice)
        self.strip.action_asked.connect(lambda: self._strip_action[1]())
        self.subject_line.add_asked.connect(self.add)
        self.subject_line.find_asked.connect(self.find)
        self.session.listen(self._heard)
        self._show_practice()
        self.go(self.station)
        self._show_problem()

    def _leave_pages(self) -> None:
        for page in self.pages.values():
            page.leave()

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        if theme.LIVE.close != theme.is_close_size(self.width(), self.height()) and hasattr(
            self, "rail"
        ):
            theme.LIVE.close = not theme.LIVE.close
            QTimer.singleShot(0, self._build)

    def switch_theme(self) -> None:
        self.session.remember(
            theme="day" if self.session.preferences.theme == "workshop" else "workshop"
        )
        self._apply_look()
        self._build()

    def change_scale(self, step: int) -> None:
        """Step the scale of the whole interface; 0 goes back to 100 %."""
        at = SCALES.index(self.session.preferences.scale_percent)
        if step:
            percent = SCALES[min(max(at + step, 0), len(SCALES) - 1)]
        else:
            percent = SCALES[0]
        self.session.remember(scale_percent=percent)
        self._apply_look()
        self._build()

    def make_bench(self) -> Bench:
        """The stand-in bench of what is open: a hidden stock while practising, else its own."""
        practice = self.session.practice
        if practice is not None:
            return self.outside.make_bench(practice.seed)
        return self.outside.make_bench()

    # -- stations ----------------------------------------------------------------------------------

    def page(self, name: str):
        """Return the page of a station, made when first asked for."""
        if name not in self.pages:
            self.pages[name] = _PAGES[name](self)
        return self.pages[name]

    def go(self, name: str) -> None:
        """Show a station."""
        page = self.page(name)
        if self._area is not None:
            self._area.takeWidget()
            self._holder.removeWidget(self._area)
            self._area.deleteLater()
        self._area = scrolling(page, LEAST_PAGE)
        self._holder.addWidget(self._area, 1)
        self.station = name
        page.show()
        page.enter()
        self.rail.refresh(name)
        if self.session.preferences.station != name and name in STATIONS:
            self.session.remember(station=name)

    def add(self, form: str) -> None:
        self.go("Set up")
        self.page("Set up").begin_new(form)

    def bring_in_notes(self) -> None:
        """Open the dialog for old notes; where there is no machine yet, its form comes first."""
        if self.session.shelf.machines:
            self.go("Book")
            self.page("Book").bring_in_notes()
        else:
            self.add("machine")
            self.page("Set up").lead_to_notes()

    def find(self) -> None:
        from olive_almanac.views.finder import Finder

        finder = Finder(self.session, self)
        finder.opened.connect(self._open_found)
        finder.trial_asked.connect(lambda trial: self._open_trial(trial, finder))
        finder.move(
            self.mapToGlobal(self.rect().center()).x() - finder.width() // 2,
            self.mapToGlobal(self.rect().topLeft()).y() + px(80),
        )
        finder.open()
        finder.field.setFocus()

    def _open_trial(self, trial_id: str, finder) -> None:
        """Open the trial of a scanned code at the station that is next for it; say so where it is
        not known.
        """
        if self.session.open_trial(trial_id):
            finder.accept()
            self.go(self.session.desk.stage.capitalize() if self.session.desk else "Plan")
        else:
            finder.nothing.setText(
                "This library holds no trial with that code. It may have been planned on another "
                "machine."
            )

    def plan_confirm_run(self) -> None:
        """Plan the run that confirms the entry of the present subject."""
        self.go("Plan")
        self.page("Plan").presenter.choose_kind("confirm")

    def _open_found(self, hit) -> None:
        self.session.choose(machine=hit.machine.uid, stock=hit.stock.uid, task=hit.entry.task)
        self.go("Book")

    # -- what was heard ----------------------------------------------------------------------------

    def _heard(self, what: str) -> None:
        if what == "problem":
            self._show_problem()
        elif what == "preferences":
            try:
                save_preferences(self.outside.preferences_file, self.session.preferences)
            except AlmanacError as problem:
                print(f"olive-almanac: {problem}", file=sys.stderr)
        else:
            if what in ("shelf", "subject"):
                self.subject_line.refresh()
            self.margin.refresh()
            self.rail.refresh(self.station)
        if what in ("desk", "shelf"):
            self._show_practice()
        if what == "shelf":
            self._ready_to_find()
        page = self.pages.get(self.station)
        if page is not None and what != "preferences":
            page.heard(what)

    def _show_problem(
        self, action: str = "Understood", do: Callable[[], None] | None = None
    ) -> None:
        self._strip_action = (action, do or (lambda: self.session.tell("")))
        self.strip.show_problem(self.session.problem, action)

    # -- the library -------------------------------------------------------------------------------

    def open_library(self) -> None:
        """Open the library in a worker; the window stays usable meanwhile."""
        self.work(once(self._open_and_read), self._attach, self._opening_failed)

    def _open_and_read(self) -> tuple[Library, Held]:
        """In a worker: the opened library with all that it holds."""
        library = self.outside.open_library(self.folder)
        try:
            return library, read_all(library)
        except AlmanacError:
            library.close()
            raise

    def _attach(self, opened: tuple[Library, Held]) -> None:
        library, held = opened
        try:
            self.session.attach(library, held)
        except AlmanacError as problem:
            self._opening_failed(problem)
            return
        if self._build_when_open:  # another library: every page is made anew
            self._build_when_open = False
            self._build()
        self.work(once(library.backup), lambda _: None)
        if library.server:
            self._news.start()
        else:
            self._news.stop()

    def _ask_for_news(self) -> None:
        """Read a shared library again, off this thread: others write into it too."""
        library = self.session.library
        if library is None or not library.server:
            return
        before = self.session.shelf  # what is written here meanwhile must not be taken back

        def ask_later() -> None:
            QTimer.singleShot(NEWS_LATER_MS, self, self._ask_for_news)

        def take(held: Held) -> None:
            if self.session.shelf is before:
                self.session.take_news(held)
            else:
                ask_later()

        if self._workers:
            ask_later()
        else:
            self.work(once(lambda: read_all(library)), take)

    def _ready_to_find(self) -> None:
        """Make the finder's index of a large book beforehand, off this thread."""
        shelf, today = self.session.shelf, self.session.today()
        if self.session.library is not None and len(shelf.entries) > MANY_ENTRIES:
            from olive_almanac.steps.find import index_of

            self.work(once(lambda: index_of(shelf, today)), lambda _: None)

    def _opening_failed(self, problem: Exception) -> None:
        if not isinstance(problem, AlmanacError):
            raise problem
        self.session.tell(str(problem))
        if "damaged" in str(problem) and "olive-almanac restore" in str(problem):
            self._show_problem("Restore the backup", self._restore)
        else:
            self._show_problem("Try again", self._try_again)

    def _try_again(self) -> None:
        self.session.tell("")
        self.open_library()

    def _restore(self) -> None:
        try:
            self.outside.restore_library(self.folder)
        except AlmanacError as problem:
            self.session.tell(str(problem))
        else:
            self._try_again()

    def open_demo(self) -> None:
        """Open the demo shop in place of the empty library; the real one is not touched."""
        self.session.tell("")
        self.page("Book").show_building()
        self.work(once(self.outside.make_demo), self._show_demo)

    def _show_demo(self, folder: Path) -> None:
        if self.session.library is not None:
            self.session.library.close()
        self.folder = folder
        self.session.undo_stack.clear()
        self.session.remember(machine_uid="north-bench", stock_uid="birch-3", task="cut")
        self.title = "Olive Almanac, demo shop"
        self.setWindowTitle(self.title)
        self.open_library()

    # -- practising --------------------------------------------------------------------------------

    def begin_practice(self, exercise) -> None:
        """Open an exercise in a library of its own; the real one is closed and not touched."""
        from olive_almanac.steps.exercises import Practice
        from olive_almanac.steps.practise import begin

        started = self.outside.now()
        seed = int(started.timestamp()) % 1_000_000
        folder = self.home / "practice" / f"{exercise.id}-{seed}"

        def make() -> None:
            library = self.outside.open_library(folder)
            try:
                begin(library, exercise)
            finally:
                library.close()

        if self.session.attempt(make):
            self._before_practice = self.session.preferences
            self._open_other(
                folder,
                Practice(exercise, seed, started.isoformat(timespec="seconds")),
                f"Practice: {exercise.title}",
            )
            self.session.remember(
                machine_uid=exercise.machine.uid, stock_uid=exercise.stock.uid, task=exercise.task
            )
            self.session.subject = replace(self.session.subject, task=exercise.task)
            self.station = "Set up"

    def leave_practice(self) -> None:
        """Go back to one's own library."""
        known = self._before_practice
        self._open_other(self.home, None, "Olive Almanac")
        self.session.remember(
            machine_uid=known.machine_uid, stock_uid=known.stock_uid, task=known.task
        )
        self.session.subject = replace(self.session.subject, task=known.task)
        self.station = "Practise"

    def _open_other(self, folder: Path, practice, title: str) -> None:
        if self.session.library is not None:
            self.session.library.close()
            self.session.library = None
        self.folder, self.session.practice, self.title = folder, practice, title
        self.session.desk = None
        self.session.undo_stack.clear()
        self.setWindowTitle(title)
        self._build_when_open = True
        self.open_library()

    def _show_practice(self) -> None:
        practice = self.session.practice
        self.practice_strip.setVisible(practice is not None)
        if practice is not None and self.session.library is not None:
            from olive_almanac.steps.practise import cells_left

            self.practice_strip.show_practice(practice.exercise, cells_left(self.session))

    def _score_practice(self) -> None:
        """Reckon the score in a worker, keep it, and go back."""
        from olive_almanac.steps.practise import keep_score, score_work

        self.practice_strip.show_scoring(True)

        def take(score) -> None:
            if self.session.attempt(lambda: keep_score(self.home, score)):
                self.leave_practice()

        worker = self.work(score_work(self.session, self.make_bench()), take)
        worker.finished.connect(lambda: self.practice_strip.show_scoring(False))

    def work(
        self, items, take: Callable[[object], None], fail: Callable[[Exception], None] | None = None
    ) -> Worker:
        """Run work in a thread; results come back here.

        Faults of the world are told, ours are raised.
        """
        worker = Worker(items, self)
        worker.item.connect(take)
        worker.failed.connect(fail or self.work_failed)
        worker.finished.connect(
            lambda: self._workers.remove(worker) if worker in self._workers else None
        )
        self._workers.append(worker)
        worker.start()
        return worker

    def work_failed(self, problem: Exception) -> None:
        if not isinstance(problem, AlmanacError):
            raise problem
        self.session.tell(str(problem))

    def _book_menu(self) -> None:
        self.go("Book")
        self.page("Book").show_menu()

    # -- keys and leaving --------------------------------------------------------------------------

    def _bind_keys(self) -> None:
        def bind(keys: str, action: Callable[[], object]) -> None:
            shortcut = QShortcut(QKeySequence(keys), self)
            shortcut.setContext(Qt.ShortcutContext.WindowShortcut)
            shortcut.activated.connect(action)

        for number, name in enumerate(STATIONS, 1):
            bind(f"Alt+{number}", lambda name=name: self.go(name))
        bind("Ctrl+B", self._book_menu)
        bind("Alt+9", lambda: self.go("Practise"))
        bind("Ctrl+K", self.find)
        bind("Ctrl+1", lambda: self.subject_line.machine.open_list())
        bind("Ctrl+2", lambda: self.subject_line.stock.open_list())
        bind("Ctrl+3", lambda: self.subject_line.task.open_list())
        bind("Ctrl+L", self.switch_theme)
        bind("Ctrl+=", lambda: self.change_scale(1))
        bind("Ctrl++", lambda: self.change_scale(1))
        bind("Ctrl+-", lambda: self.change_scale(-1))
        bind("Ctrl+0", lambda: self.change_scale(0))
        bind("Ctrl+Z", self.undo)
        bind("Ctrl+Shift+Z", self.redo)
        bind("Ctrl+Return", lambda: self.page(self.station).main_action())
        bind("Ctrl+P", lambda: self.page(self.station).print_page())
        bind("Ctrl+Shift+C", lambda: self.page(self.station).copy_numbers())
        bind("PgUp", lambda: self._turn(-1))
        bind("PgDown", lambda: self._turn(1))
        bind("/", lambda: self.page(self.station).focus_filter())

    def _turn(self, step: int) -> None:
        if self.station in STATIONS:
            at = STATIONS.index(self.station) + step
        else:
            at = -1
        if 0 <= at < len(STATIONS):
            self.go(STATIONS[at])

    def undo(self) -> None:
        self.session.attempt(self.session.undo_stack.undo)

    def redo(self) -> None:
        self.session.attempt(self.session.undo_stack.redo)

    def closeEvent(self, event) -> None:
        burn = self.pages.get("Burn")
        if burn is not None and burn.is_running() and not self._may_leave_run():
            event.ignore()
            return
        for worker in self.findChildren(
            Worker
        ):  # also one that has told its end but whose thread is still winding up
            worker.halt()
        self._leave_pages()
        box = self.geometry()
        self.session.remember(window=(box.x(), box.y(), box.width(), box.height()))
        if self.session.library is not None:
            self.session.library.close()
        event.accept()

    def _may_leave_run(self) -> bool:
        answer = QMessageBox.question(
            self,
            "A run is going on",
            (
                "The coupon is still burning. Stop the run, beam off, and leave? What has burnt is "
                "kept."
            ),
        )
        if answer == QMessageBox.StandardButton.Yes:
            self.pages["Burn"].stop()
            return True
        return False


def _book(window):
    from olive_almanac.views.book.page import BookPage

    return BookPage(window)


def _set_up(window):
    from olive_almanac.views.setup.page import SetUpPage

    return SetUpPage(window)


def _plan(window):
    from olive_almanac.views.plan.page import PlanPage

    return PlanPage(window)


def _burn(window):
    from olive_almanac.views.burn.page import BurnPage

    return BurnPage(window)


def _read(window):
    from olive_almanac.views.read.page import ReadPage

    return ReadPage(window)


def _decide(window):
    from olive_almanac.views.decide.page import DecidePage

    return DecidePage(window)


def _practise(window):
    from olive_almanac.views.practise.page import PractisePage

    return PractisePage(window)


_PAGES = {
    "Set up": _set_up,
    "Plan": _plan,
    "Burn": _burn,
    "Read": _read,
    "Decide": _decide,
    "Book": _book,
    "Practise": _practise,
}


def make_application() -> QApplication:
    """Return the application with our fonts loaded."""
    sys.setswitchinterval(SWITCH_S)  # a worker gives way to the window at once
    app = QApplication.instance() or QApplication(["olive-almanac"])
    app.setApplicationName("olive-almanac")
    app.setApplicationDisplayName("Olive Almanac")
    theme.load_fonts()
    return app


def report_fault(folder: Path, kind, value, trace) -> Path:
    """Write our own fault into a report in the state folder and return where it lies."""
    path = folder / "fault.txt"
    folder.mkdir(parents=True, exist_ok=True)
    path.write_text("".join(traceback.format_exception(kind, value, trace)), encoding="utf-8")
    return path


def run_window(folder: Path, outside: Outside) -> int:
    """Open the window on a library and run until it is closed."""
    import platformdirs

    app = make_application()
    window = MainWindow(folder, outside)

    def caught(kind, value, trace) -> None:
        path = report_fault(platformdirs.user_state_path("olive-almanac"), kind, value, trace)
        window.session.tell(
            "Something went wrong in the program itself; what was recorded is safe. A report "
            f"lies in {path}."
        )

    sys.excepthook = caught
    window.show()
    QTimer.singleShot(0, window.open_library)
    return app.exec()
