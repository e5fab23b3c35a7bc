"""One question over the window: what would be done, the key that does it, the one that leaves
it.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QDialog, QWidget

from olive_almanac.core.words import tr
from olive_almanac.views.parts import button, col, hair, label, row
from olive_almanac.views.theme import px

__all__ = ["AskDialog"]


class AskDialog(QDialog):
    """Asks once; `do` is called where the key was pressed, Escape leaves all as it is."""

    def __init__(
        self, window: QWidget, title: str, words: str, key: str, do: Callable[[], object]
    ) -> None:
        super().__init__(window)
        self.setWindowTitle(title)
        self.agree = button(key, "main")
        self.agree.clicked.connect(self.accept)
        self.agree.setDefault(True)
        self.leave = button(tr("Leave it"))
        self.leave.setAutoDefault(False)
        self.leave.clicked.connect(self.reject)
        self.setLayout(
            col(
                label(title, "h2"),
                hair("bold"),
                label(words, "ui", wrap=True),
                None,
                row(self.agree, self.leave, None, gap=10),
                gap=12,
                margins=(20, 16, 20, 16),
            )
        )
        self.setMinimumWidth(px(520))
        self.accepted.connect(do)
        self.finished.connect(self.deleteLater)
