"""Make the pictures of docs/screenshots anew from the demo data: usage: screenshots.py FOLDER"""

import sys
import tempfile
from datetime import date, datetime
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from olive_almanac import __main__ as program
from olive_almanac.views.headless import settle, use_virtual_screen, wait_until

DAY = date(2026, 4, 14)  # fixed, so that a picture changes only when its view does
NOON = datetime(2026, 4, 14, 12, 0).astimezone()


def photograph(window) -> None:
    """Have the stand-in's phone take a photo of the coupon on the desk, and wait until it is read
    or asks for its corners.
    """
    page, session = window.page("read"), window.session
    before = len(session.active.run.photos)
    page.view.set_at(1)
    page.shoot.click()
    wait_until(
        lambda: (
            page._reading is None
            and (len(session.active.run.photos) > before or page.corner_page.isVisible())
        )
    )


def main(target: Path) -> None:
    use_virtual_screen()
    from olive_almanac.views.application import make_application
    from olive_almanac.views.book.where import WhereDialog
    from olive_almanac.views.window import MainWindow
    from olive_almanac.views.wrong import WrongDialog

    make_application()
    target.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "demo"
        program.make_demo(folder, DAY)
        outside = program.make_services(Path(scratch) / "preferences.json", now=lambda: NOON)

        def take(window, name: str) -> None:
            settle(300)
            window.grab().save(str(target / f"{name}.png"))
            print(target / f"{name}.png")

        empty = MainWindow(Path(scratch) / "empty", outside)
        empty.resize(1280, 800)
        empty.show()
        empty.open_library()
        wait_until(lambda: empty.page("book").welcome.answer.text())
        take(empty, "first-start")
        empty.close()

        window = MainWindow(folder, outside)
        window.resize(1280, 800)
        window.show()
        window.open_library()
        wait_until(lambda: window.session.library is not None)
        told = window.session.shop.watch.told
        wait_until(lambda: len(dict(told)) == len(window.session.catalogue.machines))
        choose = window.session.choose
        window.navigate("book")
        choose(machine="north-bench", stock="glass-4", task="engrave")
        take(window, "book")
        window.navigate("set_up")
        checklist = window.page("set_up").checklist
        checklist.presenter.texts["level"] = {
            "ll": "0.05",
            "lr": "0.62",
            "ur": "0.84",
            "ul": "0.19",
            "c": "0.42",
        }
        checklist.presenter.tick()
        checklist.presenter.tick()
        checklist.presenter.choose(2)
        take(window, "set-up")
        window.page("set_up").show_part(window.page("set_up").forms)
        take(window, "machine-and-stock")
        choose(machine="long-bed", stock="birch-3", task="cut")
        window.navigate("plan")
        plan = window.page("plan")
        wait_until(lambda: plan.sheet.outlook is not None)
        take(window, "plan")
        plan.presenter.choose_kind("grid")
        window.switch_theme()
        plan = window.page("plan")
        plan.shade._choose(1)
        wait_until(lambda: plan.sheet.outlook is not None)
        take(window, "plan-outlook-workshop")
        window.switch_theme()
        choose(machine="long-bed", stock="plate-1", task="engrave")
        window.navigate("burn")
        burn = window.page("burn")
        burn.pace.set_at(1)  # slow enough to be held within a cell, on any machine
        burn.main_action()
        wait_until(lambda: len(window.session.active.burnt) >= 13)
        burn.presenter.pause()
        wait_until(lambda: burn.presenter.state == "held")
        take(window, "burn")
        burn.presenter.stop()
        choose(machine="long-bed", stock="birch-3", task="cut")
        window.navigate("jobs")
        jobs = window.page("jobs").presenter
        wait_until(lambda: jobs.result is not None and jobs.result.paces)
        take(window, "jobs")
        window.navigate("shop")
        wait_until(lambda: len(window.session.shop.watch.counted) == 3)
        wait_until(lambda: not window.is_busy)
        take(window, "shop")
        window.navigate("set_up")
        window.page("set_up").show_part(window.page("set_up").rack)
        take(window, "rack")
        window.navigate("practise")
        take(window, "practise")
        choose(machine="long-bed", stock="glass-4", task="engrave")
        window.navigate("read")
        choose(machine="north-bench", stock="poplar-4", task="cut")
        photograph(window)
        take(window, "read-cut")
        choose(machine="north-bench", stock="birch-3", task="engrave")
        photograph(window)
        photograph(window)  # a second one counts with the first
        take(window, "read-tones")
        choose(machine="long-bed", stock="glass-4", task="engrave")
        photograph(window)
        take(window, "read-corners")
        window.page("read").corner_page.left.emit()
        window.navigate("decide")
        for name, machine, stock, task in (
            ("decide-focus", "long-bed", "poplar-4", "score"),
            ("decide-cut", "long-bed", "birch-3", "cut"),
            ("decide-engrave", "long-bed", "birch-3", "engrave"),
        ):
            choose(machine=machine, stock=stock, task=task)
            wait_until(lambda: window.page("decide").presenter.finished)
            take(window, name)
        choose(machine="long-bed", stock="birch-3", task="cut")
        where = WhereDialog(window)
        where.open()
        wait_until(lambda: len(where.rows) == 4)
        where.much.setText("100")
        where.much.returnPressed.emit()
        wait_until(lambda: len(where.rows) == 5 and "Working" not in where.told.text())
        take(where, "where")
        where.accept()
        window.switch_theme()
        wait_until(lambda: window.page("decide").presenter.finished)
        wrong = WrongDialog(window)
        wrong.open()
        wait_until(lambda: wrong.answer is not None)
        wrong.boxes["hangs"].click()
        wait_until(lambda: wrong.answer.one_more is not None)
        take(wrong, "wrong-workshop")
        wrong.accept()
        window.navigate("book")
        window.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
