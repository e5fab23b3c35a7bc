"""Files for a machine go to a stick: asks where, copies in a worker, says how far it is."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QPushButton

from olive_almanac.core.words import tr
from olive_almanac.views.parts import button
from olive_almanac.views.theme import compact

if TYPE_CHECKING:
    from olive_almanac.views.window import MainWindow

__all__ = ["stick_key"]


def stick_key(
    window: MainWindow, copies: Callable[[Path], Iterator[str]], tell: Callable[[str], None]
) -> QPushButton:
    """Return the key that asks for a folder and copies files there."""
    key = button(
        compact(tr("To a stick"), tr("Copy to a stick")),
        "plain",
        tip=tr("programs and drawings, each under a name that says what it burns"),
    )

    def ask() -> None:
        name = QFileDialog.getExistingDirectory(key, tr("Copy the files to"))
        if name:
            window.work(copies(Path(name)), tell)

    key.clicked.connect(ask)
    return key
