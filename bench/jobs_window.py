"""How long the interface thread stands still while a drawing of 5,000 paths is opened in Jobs, and
how quickly the sheet follows while one copy among 500 is dragged.
"""

import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.opened import opened

PATHS, COPIES, STEPS = 5000, 500, 120
FRAME_MS = 1000 / 60


def _drawing(count):
    draw = np.random.default_rng(5)
    turns = np.linspace(0, 2 * np.pi, 41)[:-1]
    rings = [
        np.column_stack([x + 3 * np.cos(turns), y + 3 * np.sin(turns)])
        for x, y in draw.uniform(4, 596, (count, 2))
    ]
    shapes = [
        '<path stroke="red" fill="none" d="M'
        + " ".join(f"{x:.3f},{y:.3f}" for x, y in ring.tolist())
        + 'z"/>'
        for ring in rings
    ]
    size = 'width="600mm" height="600mm" viewBox="0 0 600 600"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size}>{"".join(shapes)}</svg>'


PLATE = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="20mm" viewBox="0 0 20 20">'
    '<rect width="20" height="20" fill="none" stroke="red"/>'
    '<circle cx="10" cy="10" r="4" fill="none" stroke="red"/></svg>'
)


def measure():
    from olive_almanac.views.headless import settle, use_virtual_screen, wait_until

    use_virtual_screen()
    from PySide6.QtCore import QPoint, Qt
    from PySide6.QtTest import QTest

    from olive_almanac.core.records.setting import Setting
    from olive_almanac.core.records.stock import Sheet
    from olive_almanac.demo.shop import MACHINES, STOCKS
    from olive_almanac.storage.library import Library
    from tests.samples import sample_entry

    machine = replace(MACHINES[0], bed_mm=(1200.0, 900.0))
    stock = replace(STOCKS[0], sheets=(Sheet(1200.0, 900.0),))
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "library"
        library = Library.open(folder)
        library.save_machine(machine, "set up")
        library.save_stock(stock, "set up")
        entry = sample_entry(uid="cut", task="cut", setting=Setting(0.9, 12.5, 2))
        entry = replace(entry, machine_uid=machine.uid, stock_uid=stock.uid)
        library.save_entry(entry, "chosen")
        library.close()
        window = opened(folder)
        window.session.choose(machine=machine.uid, stock=stock.uid, task="cut")
        window.navigate("jobs")
        settle(800)  # the program loads what it needs
        page = window.page("jobs")
        large, plate = Path(scratch) / "large.svg", Path(scratch) / "plate.svg"
        large.write_text(_drawing(PATHS))
        plate.write_text(PLATE)
        with _Beat() as beat:
            page.read_file(large)
            wait_until(lambda: page.presenter.job is not None)
            wait_until(lambda: page.presenter.is_current and page.presenter.result is not None)
            settle(500)
        yield f"longest stand-still while {PATHS:,} paths are opened, ms", beat.longest_ms, 50.0
        page.read_file(plate)
        wait_until(lambda: page.presenter.job.name == "plate")
        page.copies.selectAll()
        QTest.keyClicks(page.copies, str(COPIES))
        QTest.keyClick(page.copies, Qt.Key.Key_Return)
        wait_until(lambda: page.presenter.result and page.presenter.result.plan.copies == COPIES)
        settle(1000)
        sheet = page.sheet
        taken = []
        left, low, right, high = sheet._run.used_mm[COPIES // 2]
        start = sheet._point((left + right) / 2, (low + high) / 2).toPoint()
        QTest.mousePress(sheet, Qt.MouseButton.LeftButton, pos=start)
        for n in range(STEPS):
            at = start + QPoint(int(60 * np.sin(n / 9)), int(40 * np.sin(n / 7)))
            began = time.perf_counter()
            QTest.mouseMove(sheet, at)
            sheet.repaint()
            taken.append(1000 * (time.perf_counter() - began))
        assert sheet.held is not None, "no copy was taken"
        QTest.mouseRelease(sheet, Qt.MouseButton.LeftButton, pos=start)
        window.close()
    print(f"      a frame while a copy is dragged: {np.median(taken):.1f} ms in the median")
    yield (
        f"a frame while one copy among {COPIES} is dragged, p95, ms",
        float(np.quantile(taken, 0.95)),
        FRAME_MS,
    )


class _Beat:
    """How long the interface thread stood still at most."""

    def __enter__(self):
        from PySide6.QtCore import QTimer

        self.longest_ms, self._last = 0.0, time.perf_counter()
        self._timer = QTimer()
        self._timer.timeout.connect(self._tick)
        self._timer.start(1)
        return self

    def _tick(self):
        now = time.perf_counter()
        self.longest_ms, self._last = max(self.longest_ms, 1000 * (now - self._last)), now

    def __exit__(self, *_):
        self._timer.stop()
