"""First start: one sentence of a machine, a stock and what is wanted, answered at once with a
guess.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import cast

from olive_almanac.core.errors import AlmanacError, OutOfRange, field_key
from olive_almanac.core.records.machine import SOURCES, Machine
from olive_almanac.core.records.setting import TASK_WORDS, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import (
    capital,
    number_text,
    passes_text,
    percent_text,
    read_length_mm,
    read_number,
    speed_in,
    speed_text,
)
from olive_almanac.core.words import tr
from olive_almanac.steps.commands import Change
from olive_almanac.steps.permission import permission_for
from olive_almanac.steps.session import Session
from olive_almanac.steps.set_up import machine_fields, machine_from, stock_fields, stock_from

__all__ = ["FirstAnswer", "FirstStart", "source_choices", "stock_choices", "task_choices"]

BEGINNING = {"source": "diode", "watts": "10", "task": "cut", "thickness": "3", "family": "plywood"}
TWO_IN_THREE = (1 / 6, 5 / 6)  # quantiles; a normal's lie one standard deviation out
SOURCE_WATTS = {"diode": "10", "co2": "60", "fibre": "20"}


def source_choices() -> tuple[tuple[str, str], ...]:
    """Return what makes the light: key and word."""
    return tuple((key, word) for key, (word, _) in SOURCES.items())


def task_choices() -> tuple[tuple[str, str], ...]:
    """Return what a laser can be wanted for: key and words."""
    return tuple(TASK_WORDS.items())


def stock_choices() -> tuple[tuple[str, str], ...]:
    """Return the families of stock: key and word."""
    return next(field.choices for field in stock_fields(None) if field.key == "family")


@dataclass(frozen=True)
class FirstAnswer:
    """What is known before the first cell: a sentence, whether there is a guess, and whether cells
    can be planned.
    """

    says: str
    is_guess: bool = False
    goes_on: bool = False
    bad_field: str = ""


class FirstStart:
    """The sentence of an empty library: what its words are, what follows, and its first records."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.texts = dict(BEGINNING)
        self._typed: set[str] = set()

    def change(self, key: str, text: str) -> None:
        """Take another word; another source brings its usual power unless one was typed."""
        self.texts[key] = text
        self._typed.add(key)
        if key == "source" and "watts" not in self._typed:
            self.texts["watts"] = SOURCE_WATTS[text]

    @property
    def task(self) -> Task:
        return cast(Task, self.texts["task"])

    def records(self) -> tuple[Machine, Stock]:
        """Return the machine and the stock that the sentence names, the rest as is usual.

        Raises OutOfRange with the key of the word that cannot be read.
        """
        texts = self.texts
        with field_key("watts"):
            watts = read_number(texts["watts"], tr("Power"), "W")
            if not 0 < watts <= 100_000:
                raise OutOfRange(tr("Power"), watts, tr("above 0"), "W")
        with field_key("thickness"):
            thickness = read_length_mm(texts["thickness"], tr("Thickness"))
            if not thickness > 0:
                raise OutOfRange(tr("Thickness"), thickness, tr("above 0"), "mm")
        source = dict(source_choices())[texts["source"]]
        usual = {field.key: field.text for field in machine_fields(None, texts["source"])}
        named = {"name": f"{source} {number_text(watts)} W", "optical_power_w": f"{watts:g}"}
        machine = machine_from({**usual, **named}, None, self.session.new_id)
        family = texts["family"]
        word = dict(stock_choices())[family]
        plain = {field.key: field.text for field in stock_fields(None)}
        told = {"name": capital(word), "family": family, "thickness_mm": f"{thickness:g}"}
        return machine, stock_from({**plain, **told}, None, self.session.new_id)

    def work(self) -> Iterator[tuple[Mapping[str, str], FirstAnswer]]:
        """Yield the words that were asked about, and the answer: for a worker."""
        yield dict(self.texts), self._answer()

    def _answer(self) -> FirstAnswer:
        try:
            machine, stock = self.records()
        except OutOfRange as problem:
            return FirstAnswer(str(problem), bad_field=problem.key)
        permission = permission_for(machine, stock, self.task, self.session.catalogue.rules)
        if not permission.allowed:
            asks = bool(permission.ask)
            return FirstAnswer(f"{permission.reason} {permission.instead}".strip(), goes_on=asks)
        try:
            return self._guess(machine, stock)
        except AlmanacError as problem:
            return FirstAnswer(tr("{problem} The first cells tell.", problem=problem), goes_on=True)

    def _guess(self, machine: Machine, stock: Stock) -> FirstAnswer:
        """Where the right setting lies two times in three, by the family and the beam alone."""
        import numpy as np  # start-up: asked for in an empty library alone

        from olive_almanac.core.deciding.cut_knowledge import know_cut
        from olive_almanac.core.deciding.engrave import know_tone
        from olive_almanac.core.deciding.guess import compute_guess

        permission = permission_for(machine, stock, self.task, self.session.catalogue.rules)
        rng = np.random.default_rng(0)
        setting, _ = compute_guess(machine, stock, self.task, permission, rng=rng)
        unit = self.session.preferences.speed_unit
        if self.task == "cut":
            known = know_cut(machine, stock, (), rng=rng)
            edges = known.edges(
                power=setting.power, passes=setting.passes, focus_mm=setting.focus_mm
            )
            slow, quick = (float(np.exp(edge)) for edge in np.quantile(edges, TWO_IN_THREE))
            most = machine.max_speed_mm_s
            low, high = (number_text(speed_in(min(v, most), unit), 2) for v in (slow, quick))
            says = tr(
                "The quickest cut lies between {low} and {high} {unit} at {power} %, {passes}",
                low=low,
                high=high,
                unit=unit,
                power=percent_text(setting.power),
                passes=passes_text(setting.passes),
            )
        else:
            doubt = know_tone(machine, stock, (), task=self.task).posterior.centre_doubt
            reach = math.exp(doubt)
            low, high = (
                percent_text(float(f"{power:.2g}"))
                for power in (setting.power / reach, min(1.0, setting.power * reach))
            )
            says = tr(
                "The right power lies between {low} and {high} % at {speed_mm_s}",
                low=low,
                high=high,
                speed_mm_s=speed_text(setting.speed_mm_s, unit),
            )
        return FirstAnswer(
            tr(
                "{says}, two times in three: reckoned from the family and the beam alone.",
                says=says,
            ),
            is_guess=True,
            goes_on=True,
        )

    def begin(self) -> bool:
        """Keep machine and stock as one undoable change and make them, with the task, the
        subject.
        """
        session, store = self.session, self.session.store

        def keep() -> None:
            machine, stock = self.records()

            def do() -> None:
                store.save_machine(machine, tr("first start"))
                store.save_stock(stock, tr("first start"))
                session.shop.refresh()
                session.choose(machine=machine.uid, stock=stock.uid, task=self.task)

            def undo() -> None:
                store.remove("machine", machine.uid, tr("undone: first start"))
                store.remove("stock", stock.uid, tr("undone: first start"))
                session.shop.refresh()

            session.undo_stack.push(Change(tr("first start"), do, undo))

        return session.attempt(keep)
