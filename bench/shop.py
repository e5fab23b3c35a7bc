"""Opening Shop on a machine with three years of history: the first picture, following it for the
first time, and again after one more reading.
"""

import math
import tempfile
import time
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np

EVENTS, DAYS, SEED = 3000, 1095, 31
NOON = datetime(2026, 4, 14, 12, 0).astimezone()


def _fill(library, machine):
    from olive_almanac.core.records.service import Counters, ServiceAct

    rng = np.random.default_rng(SEED)
    library.save_machine(machine, "set up")
    for n in range(EVENTS):
        day = NOON - timedelta(days=DAYS * (1 - n / EVENTS))
        at, uid = day.replace(tzinfo=None).isoformat(timespec="seconds"), f"a{n}"
        act = ServiceAct(uid, machine.uid, "lens", "clean", at)
        if n % 10 == 5:
            act = ServiceAct(uid, machine.uid, "hours", "correct", at, added=Counters(8, 5))
        elif n % 10 != 9:
            watts = 58 * math.exp(0.02 * rng.standard_normal())
            act = ServiceAct(uid, machine.uid, "power", "check", at, watts=watts, at_percent=100)
        library.save_act(act, "noted")


def measure():
    from olive_almanac.views.headless import settle, use_virtual_screen, wait_until

    use_virtual_screen()
    from olive_almanac import __main__ as program
    from olive_almanac.core.records.service import ServiceAct
    from olive_almanac.demo.shop import MACHINES
    from olive_almanac.storage.library import Library
    from olive_almanac.views.application import make_application
    from olive_almanac.views.window import MainWindow

    machine = MACHINES[1]
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "library"
        library = Library.open(folder)
        _fill(library, machine)
        library.close()
        app = make_application()
        outside = program.make_services(Path(scratch) / "preferences.json", now=lambda: NOON)
        window = MainWindow(folder, outside)
        window.resize(1280, 800)
        window.show()
        window.open_library()
        wait_until(lambda: window.session.library is not None)
        settle(1000)
        window.navigate("shop")  # what is loaded once is loaded
        began = time.perf_counter()
        watch = window.session.shop.watch
        wait_until(lambda: machine.uid in watch.counted)
        yield "3,000 events followed for the first time, s", time.perf_counter() - began, 10
        window.navigate("book")
        settle(300)
        began = time.perf_counter()
        window.navigate("shop")
        app.processEvents()
        yield "first picture of Shop, ms", 1000 * (time.perf_counter() - began), 150
        wait_until(lambda: not window.is_busy)
        at = NOON.replace(tzinfo=None).isoformat()
        act = ServiceAct("new", machine.uid, "power", "check", at, watts=55, at_percent=100)
        window.session.shop.keep_act(act, "noted")
        window.following.follow()
        wait_until(lambda: not window.is_busy)
        again = ServiceAct("new2", machine.uid, "power", "check", at, watts=55, at_percent=100)
        window.session.shop.keep_act(again, "noted")
        began = time.perf_counter()
        for _ in watch.work(machine.uid):
            pass
        yield "followed again after one more reading, ms", 1000 * (time.perf_counter() - began), 100
        window.close()
