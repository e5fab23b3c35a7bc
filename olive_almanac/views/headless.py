"""The demo without a screen: works through one job, from plan to entry, and saves a picture of each
page.
"""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QEventLoop, QTimer

from olive_almanac.core.words import tr

if TYPE_CHECKING:
    from olive_almanac.views.services import WindowServices

__all__ = ["settle", "use_virtual_screen", "wait_until", "work_through_demo"]

PATIENCE_MS = 120_000


def use_virtual_screen(width: int = 1280, height: int = 800, folder: Path | None = None) -> None:
    """Choose Qt's offscreen platform with a screen of this size; call before the application is
    made.
    """
    target = folder or Path(tempfile.mkdtemp(prefix="olive-almanac-screen-"))
    screen = {
        "name": "s1",
        "x": 0,
        "y": 0,
        "width": width,
        "height": height,
        "logicalDpi": 96,
        "logicalBaseDpi": 96,
        "dpr": 1,
    }
    (target / "screen.json").write_text(json.dumps({"screens": [screen]}))
    os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={target / 'screen.json'}"


def wait_until(done: Callable[[], bool], most_ms: int = PATIENCE_MS) -> None:
    """Run the event loop until done() is true; raises TimeoutError at the limit."""
    waited = 0
    while not done():
        if waited >= most_ms:
            raise TimeoutError(tr("not done after {most_ms:.0f} s", most_ms=most_ms / 1000))
        loop = QEventLoop()
        QTimer.singleShot(20, loop.quit)
        loop.exec()
        waited += 20


def settle(milliseconds: int = 150) -> None:
    """Let the window lay itself out and paint."""
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def work_through_demo(
    folder: Path,
    outside: WindowServices,
    pictures: Path,
    *,
    say: Callable[[str], None],
    theme: str = "day",
) -> None:
    """Plan, burn, read, decide and write an entry on the demo library through the real window; tell
    what came out.
    """
    use_virtual_screen()
    from olive_almanac.views.application import make_application
    from olive_almanac.views.window import MainWindow

    make_application()
    window = MainWindow(folder, outside)
    window.resize(1280, 800)
    window.show()
    window.open_library()
    wait_until(lambda: window.session.library is not None)
    session = window.session
    if session.preferences.theme != theme:
        window.switch_theme()
    pictures.mkdir(parents=True, exist_ok=True)

    def picture(name: str) -> None:
        settle()
        window.grab().save(str(pictures / f"{name}.png"))
        say(tr("  picture: {pictures}.png", pictures=pictures / name))

    session.choose(machine="long-bed", stock="poplar-4", task="cut")
    say(
        tr(
            "On {machine} with {stock}: cut through. So far: {state}.",
            machine=session.subject.machine.label,
            stock=session.subject.stock.label,
            state=session.state[0],
        )
    )
    window.navigate("set_up")
    picture("set-up")
    for _ in range(4):
        decided = _one_coupon(window, picture, say)
        if decided:
            break
    page = window.page("decide")
    pick = page.presenter.pick
    if pick is None:
        say(
            tr("No setting was safe enough after four coupons: ")
            + (page.presenter.decision.says if page.presenter.decision else "")
        )
    else:
        window.page("decide").main_action()
        for sheet in ("1", "2", "3"):
            window.page("book").presenter.confirm(passed=True, piece=tr("test cut"), sheet=sheet)
        state, reason = session.state
        say(
            tr(
                "Written into the book and confirmed three times: {state}, {reason}.",
                state=state,
                reason=reason,
            )
        )
        say("  " + window.page("book").presenter.clip())
    window.navigate("book")
    picture("book")
    window.close()


def _one_coupon(window: Any, picture: Any, say: Callable[[str], None]) -> bool:
    window.navigate("plan") if window.station != "plan" else None
    planning = window.page("plan").presenter
    wait_until(lambda: planning.plan is not None)
    plan = planning.plan
    low, high = plan.energy_range
    say(
        tr(
            "Planned {trial}: {cells} cells, {low:.2g} to {high:.2g} J/mm.",
            trial=plan.trial.name,
            cells=len(plan.trial.cells),
            low=low,
            high=high,
        )
    )
    picture("plan")
    window.page("plan").main_action()
    wait_until(lambda: window.station == "burn")
    burn = window.page("burn")
    burn.pace.set_at(2)
    burn.main_action()
    wait_until(lambda: len(window.session.active.burnt) >= len(plan.trial.cells) // 2)
    picture("burn")
    wait_until(lambda: burn.presenter.state == "done")
    window.navigate("read")
    read = window.page("read").presenter
    _read_what_the_bench_shows(window, read, count=len(read.readable) // 2)
    picture("read")
    _read_what_the_bench_shows(window, read, count=len(read.readable))
    say(
        tr(
            "Read {readings} cells as the stand-in shows them.",
            readings=len(window.session.active.readings),
        )
    )
    window.navigate("decide")
    page = window.page("decide")
    wait_until(lambda: page.presenter.map is not None)
    picture("decide")
    say(tr("Decided: ") + page.presenter.decision.says)
    if page.presenter.pick is None and page.presenter.decision.next_cells:
        page.main_action()
        return False
    return True


def _read_what_the_bench_shows(window: Any, read: Any, *, count: int) -> None:
    """Give the verdicts that the stand-in's coupon shows, through the presenter as the keys do."""
    for cell in read.readable[:count]:
        if cell.id in window.session.active.readings:
            continue
        seen = window.session.active.burnt[cell.id].seen
        read.choose(cell.id)
        if seen.char == 3:
            read.verdict("flare")
            continue
        if seen.char is not None:
            read.pick_edge(seen.char)
        read.verdict({"push": "hangs"}.get(seen.verdict, seen.verdict))
