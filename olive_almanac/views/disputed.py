"""Disputed stock: both practices side by side, and the shop's own rule, asked once and recorded."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QVBoxLayout, QWidget

from olive_almanac.core.words import tr
from olive_almanac.views.parts import button, label, row
from olive_almanac.views.theme import px

if TYPE_CHECKING:
    from olive_almanac.core.materials.catalogue import Permission
    from olive_almanac.steps.session import Session


class DisputedQuestion(QWidget):
    """Shows the two schools and asks; hidden where there is nothing to ask."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.practices = (label("", "ui", wrap=True), label("", "ui", wrap=True))
        self.burn = button(
            tr("We burn it"), tip=tr("recorded as the rule of this shop; Ctrl+Z takes it back")
        )
        self.refuse = button(
            tr("We do not burn it"),
            tip=tr("recorded as the rule of this shop; Ctrl+Z takes it back"),
        )
        self.burn.clicked.connect(lambda: self._decide(True))
        self.refuse.clicked.connect(lambda: self._decide(False))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(px(8))
        layout.addWidget(label(tr("Shops differ. What is the rule in yours?"), "h3"))
        for practice in self.practices:
            practice.setMaximumWidth(px(560))
            layout.addWidget(practice)
        layout.addLayout(row(self.burn, self.refuse, None, gap=10))

    def show_permission(self, permission: Permission) -> None:
        self.setVisible(permission.ask)
        for line, practice in zip(self.practices, permission.practices, strict=False):
            line.setText(practice)

    def _decide(self, burns: bool) -> None:
        family = self.session.permission.family
        if family:
            self.session.attempt(lambda: self.session.shop.keep_rule(family, burns=burns))
