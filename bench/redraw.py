"""How long the interface thread stands still while verdicts are typed and the edge is worked out
and drawn again.
"""

import tempfile
import time
from pathlib import Path

import numpy as np

from bench.opened import opened

TYPED = 24
WARM_MS = 800


def measure():
    """A window on a read coupon of 24 cells after four earlier ones; each verdict typed as soon as
    the last one is drawn.
    """
    from olive_almanac.views.headless import settle, use_virtual_screen, wait_until

    use_virtual_screen()
    from dataclasses import replace

    from PySide6.QtCore import QEventLoop, Qt, QTimer
    from PySide6.QtTest import QTest

    from olive_almanac.core.design.plan import plan_trial
    from olive_almanac.core.design.suggest import suggest_levels
    from olive_almanac.core.materials.catalogue import Permission
    from olive_almanac.core.records.run import CellBurn, RunRecord
    from olive_almanac.demo.shop import MACHINES, STOCKS
    from olive_almanac.standins.bench import StandInBench
    from olive_almanac.storage.library import Library

    machine, stock = MACHINES[1], STOCKS[0]
    trial = plan_trial(
        machine,
        stock,
        "cut",
        suggest_levels(machine, stock, "cut").choices,
        permission=Permission(True),
        trial_id="last",
        name="Last",
        made="2026-04-14",
    ).trial
    burnt = {one.cell: one.seen for one in StandInBench(3).burn(trial)}
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "library"
        library = Library.open(folder)
        library.save_machine(machine, "set up")
        library.save_stock(stock, "set up")
        for n in range(4):
            earlier = replace(trial, id=f"early{n}", name=f"Early {n}")
            library.save_trial(earlier, "decide", "read")
            library.save_readings(earlier.id, tuple(burnt.values()), "read")
        library.save_trial(trial, "read", "burnt")
        library.save_run(
            trial.id,
            RunRecord(by="machine", cells={cell.id: CellBurn() for cell in trial.cells}),
            "burnt",
        )
        library.close()
        window = opened(folder)
        window.navigate("read")
        page = window.page("read")
        wait_until(lambda: page.edge_is_drawn)
        settle(WARM_MS)  # the program loads what it needs in a worker as soon as the page is open
        gaps, last = [], time.perf_counter()

        def tick():
            nonlocal last
            now = time.perf_counter()
            gaps.append(now - last)
            last = now

        beat = QTimer()
        beat.timeout.connect(tick)
        beat.start(1)
        keys = {
            "free": Qt.Key.Key_T,
            "push": Qt.Key.Key_H,
            "hangs": Qt.Key.Key_H,
            "not_through": Qt.Key.Key_N,
        }
        for _ in range(TYPED):
            if page.presenter.left == 0:
                break
            seen = burnt[page.presenter.cell.id]
            QTest.keyClick(page, Qt.Key.Key_F if seen.char == 3 else keys[seen.verdict])
            end = time.perf_counter() + 0.15  # as fast as anybody types
            while time.perf_counter() < end:
                loop = QEventLoop()
                QTimer.singleShot(2, loop.quit)
                loop.exec()
        wait_until(lambda: page.edge_is_drawn)
        beat.stop()
        drawn = len(page.grid.chance)
        window.close()
    print(
        f"      {TYPED} verdicts typed, the edge drawn over {drawn} cells; interface thread still "
        f"for {1000 * float(np.quantile(gaps, 0.99)):.0f} ms (p99)"
    )
    yield (
        "longest stand-still of the interface thread while verdicts are typed, ms",
        1000 * max(gaps),
        50.0,
    )
