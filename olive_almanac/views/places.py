"""Opening what Ctrl+K finds beside settings and jobs."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Literal, cast

from olive_almanac.core.records.setting import Task
from olive_almanac.steps.requests import OpenForm, ShowMenu

if TYPE_CHECKING:
    from olive_almanac.views.window import MainWindow

__all__ = ["open_place"]


def open_place(window: MainWindow, kind: str, key: str) -> None:
    """Open a place by its kind and key (`find_places.FoundPlace`)."""
    if kind == "recent":
        machine, stock, task = key.split("|")
        window.session.choose(machine=machine, stock=stock, task=cast(Task, task))
        window.navigate("book")
    elif kind == "trial":
        window.show_trial(key)
    elif kind == "help":
        window.show_help(key)
    elif kind == "act":
        _do(window, *key.partition(":")[::2])
    else:
        chosen = {"machine": "", "stock": "", kind: key}
        window.session.choose(machine=chosen["machine"], stock=chosen["stock"])
        window.navigate("set_up", OpenForm(cast(Literal["machine", "stock"], kind)))


def _do(window: MainWindow, act: str, of: str) -> None:
    """Do one of `find_places.acts`, on what is named behind its colon."""
    simple: dict[str, Callable[[], object]] = {
        "menu": lambda: window.navigate("book", ShowMenu()),
        "notes": window.bring_in_notes,
        "library": window.ask_library,
        "where": window.ask_where,
        "wrong": window.ask_wrong,
        "demo": window.open_demo,
        "keys": lambda: window.show_help("keys"),
        "station": lambda: window.navigate(of),
        "add": lambda: window.add(of),
        "scale": lambda: window.set_scale(int(of)),
        "language": lambda: window.choose_language(of),
        "lengths": lambda: window.choose_lengths(of),
        "unit": lambda: window.set_speed_unit(of),
    }
    if act in simple:
        simple[act]()
    elif act == "theme" and of != window.session.preferences.theme:
        window.switch_theme()
