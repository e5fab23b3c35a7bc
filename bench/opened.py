"""A window on a library, to measure in."""

__all__ = ["opened"]


def opened(folder):
    """Return a window on the library in a folder, once it is open; its preferences lie beside."""
    from olive_almanac import __main__ as program
    from olive_almanac.views.application import make_application
    from olive_almanac.views.headless import wait_until
    from olive_almanac.views.window import MainWindow

    make_application()
    window = MainWindow(folder, program.make_services(folder.parent / "p.json"))
    window.resize(1280, 800)
    window.show()
    window.open_library()
    wait_until(lambda: window.session.library is not None)
    return window
