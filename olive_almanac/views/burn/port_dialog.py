"""The serial port of the machine at this computer, as a form; the controller's manual says what to
type.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QDialog, QWidget

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr
from olive_almanac.steps.serial_port import port_fields, preferences_with_port
from olive_almanac.views.form import Form
from olive_almanac.views.parts import col
from olive_almanac.views.theme import px

if TYPE_CHECKING:
    from olive_almanac.steps.session import Session


class PortDialog(QDialog):
    """Keeps the port in the preferences; an empty port takes it away."""

    def __init__(self, session: Session, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle(tr("Serial port of the machine"))
        self.form = Form("port")
        self.form.show_fields(
            port_fields(session.preferences),
            tr("Serial port"),
            tr("Keep this port"),
            can_leave=True,
            can_add=False,
        )
        self.form.saved.connect(self._keep)
        self.form.left.connect(self.reject)
        self.setLayout(col(self.form, gap=0))
        self.resize(px(760), px(560))
        self.form.focus_first()

    def _keep(self) -> None:
        try:
            preferences = preferences_with_port(self.session.preferences, self.form.texts())
        except OutOfRange as problem:
            self.form.show_bad(problem.field, str(problem))
            return
        self.session.remember(
            port=preferences.port,
            port_baud=preferences.port_baud,
            port_words=preferences.port_words,
        )
        self.accept()
