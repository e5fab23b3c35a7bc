"""What every station's page shares: the window, the session, and what the keys ask of a page."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from olive_almanac.core.records.factors import setting_words
from olive_almanac.core.records.setting import TASK_WORDS
from olive_almanac.core.words import tr
from olive_almanac.steps.requests import Request
from olive_almanac.views.big_type import InHand, numbers_of
from olive_almanac.views.parts import Page

if TYPE_CHECKING:
    from olive_almanac.views.window import MainWindow

__all__ = ["StationPage"]


class StationPage(Page):
    """Base of the stations' pages.

    The window calls `enter` when the page comes up, `leave` before it is thrown away, the
    `..._changed` methods when the session has changed while it is shown, `take` with what another
    station asks, and the key actions below; each does nothing where a station has nothing of the
    kind.
    """

    def __init__(self, window: MainWindow) -> None:
        super().__init__()
        self.main_window = window
        self.session = window.session

    def enter(self) -> None:
        """The page is shown."""

    def leave(self) -> None:
        """The page is thrown away."""

    def kept(self) -> Any:
        """What is typed here and not kept in the library yet, for this page in another look."""
        return None

    def take_up(self, kept: Any) -> None:
        """Go on with what the page held in its last look, before it is shown."""

    def catalogue_changed(self) -> None:
        """Machines, stocks, entries or rules are others now."""

    def drift_told(self) -> None:
        """Something else is told of how true a machine is."""

    def subject_changed(self) -> None:
        """Another machine, stock or task is the subject."""

    def trials_changed(self) -> None:
        """Another trial is active, or more is known of it."""

    def preferences_changed(self) -> None:
        """A preference is another one now."""

    def take(self, request: Request) -> None:
        """Do what another station asks."""

    def is_running(self) -> bool:
        """Whether a machine is at work that must not be left alone."""
        return False

    def in_hand(self) -> InHand:
        """What the page has in hand, for type that is read from afar: where there is nothing else,
        the setting that the book has for the subject.
        """
        entry, subject = self.session.entry, self.session.subject
        where = " · ".join(
            words.label if hasattr(words, "label") else words.name
            for words in (subject.machine, subject.stock)
            if words is not None
        )
        if entry is None:
            return InHand(where, tr("Nothing is in the book for this yet"))
        unit = self.session.preferences.speed_unit
        more = ", ".join(setting_words(entry.setting, unit)[1:])
        return InHand(where, TASK_WORDS[entry.task], numbers_of(entry.setting, unit), more)

    @property
    def cell_in_hand(self) -> str:
        """The id of the cell that the page is about, empty where it is about none."""
        return ""

    def main_action(self) -> None:
        """Ctrl+Enter."""

    def print_page(self) -> None:
        """Ctrl+P."""

    def copy_numbers(self) -> None:
        """Ctrl+Shift+C."""

    def focus_filter(self) -> None:
        """The key /."""
