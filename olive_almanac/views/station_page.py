"""What every station's page shares: the window, the session, and what the keys ask of a page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from olive_almanac.steps.requests import Request
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

    def catalogue_changed(self) -> None:
        """Machines, stocks, entries or rules are others now."""

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

    def main_action(self) -> None:
        """Ctrl+Enter."""

    def print_page(self) -> None:
        """Ctrl+P."""

    def copy_numbers(self) -> None:
        """Ctrl+Shift+C."""

    def focus_filter(self) -> None:
        """The key /."""
