"""Starting the application: fonts, the one window, and what happens to a fault of our own."""

from __future__ import annotations

import builtins
import gc
import sys
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QLibraryInfo, QTimer, QTranslator
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from olive_almanac.core.words import spoken, tr
from olive_almanac.views import theme
from olive_almanac.views.from_outside import hand_over
from olive_almanac.views.services import WindowServices
from olive_almanac.views.window import MainWindow

__all__ = ["make_application", "run_window"]

SWITCH_S = 0.00001  # how long one thread may hold on while another waits


def make_application() -> QApplication:
    """Return the application with our fonts loaded."""
    sys.setswitchinterval(SWITCH_S)  # a worker gives way to the window at once
    import_plainly()
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(["olive-almanac"])
    app.setApplicationName("olive-almanac")
    app.setApplicationDisplayName("Olive Almanac")
    app.setDesktopFileName("olive-almanac")
    app.setWindowIcon(QIcon(str(Path(__file__).with_name("icon.svg"))))
    theme.load_fonts()
    if spoken() != "en":
        translator = QTranslator(app)  # what Qt says by itself: keys of its dialogs
        folder = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
        if translator.load(f"qtbase_{spoken()}", folder):
            app.installTranslator(translator)
    gc.freeze()  # what is loaded now stays: a collection does not walk it again
    return app


def import_plainly() -> None:
    """Take the hook away that Qt's binding has put before every import.

    It reads the source of each module, to learn whether another spelling of Qt's names is asked for
    there, and keeps it: 60 MB with all that the program computes with, which loads a fifth slower.
    """
    builtins.__import__ = getattr(builtins, "__orig_import__", builtins.__import__)


def run_window(folder: Path, services: WindowServices, file: Path | None = None) -> int:
    """Open the window on a library, and on a file from outside, and run until it is closed; where
    a window is open on the library it shows the file instead.
    """
    if file is not None and hand_over(folder, file):
        print(tr("{file} is shown in the window that is open.", file=file.name))
        return 0
    app = make_application()
    window = MainWindow(folder, services)

    def caught(
        kind: type[BaseException], value: BaseException, trace: TracebackType | None
    ) -> None:
        from olive_almanac.steps.fault_report import fault_words  # start-up is measured without

        window.session.tell(fault_words(services.fault_file(), value))

    sys.excepthook = caught
    window.show()
    QTimer.singleShot(0, lambda: window.open_library(file))
    return app.exec()
