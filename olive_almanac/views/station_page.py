"""What every station's page shares: the window, the session, and what the keys ask of a page."""

from olive_almanac.views.parts import Page


class StationPage(Page):
    """Base of the six pages.

    The window calls `enter` when the page comes up, `leave` before it is thrown away, `heard` when
    the session has changed, and the key actions below; each does nothing where a station has
    nothing of the kind.
    """

    def __init__(self, window) -> None:
        super().__init__()
        self.main_window = window
        self.session = window.session

    def enter(self) -> None: ...

    def leave(self) -> None: ...

    def heard(self, what: str) -> None: ...

    def main_action(self) -> None: ...

    def print_page(self) -> None: ...

    def copy_numbers(self) -> None: ...

    def focus_filter(self) -> None: ...
