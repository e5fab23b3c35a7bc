"""The book: its index of stocks by machine and task, an entry's page, confirming burns, cards."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date
from functools import cached_property, partial
from pathlib import Path

from olive_almanac.core.burn.pulses import overlaps_text
from olive_almanac.core.errors import AlmanacError, BadFile
from olive_almanac.core.records.entry import (
    PROOFS_NEEDED,
    Entry,
    Proof,
    State,
    Subject,
    day_text,
    proved_chance,
)
from olive_almanac.core.records.factors import setting_words
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import char_word
from olive_almanac.core.records.recipe import Recipe, key_of
from olive_almanac.core.records.setting import TASKS, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import (
    chance_text,
    count_text,
    duration_text,
    number_text,
    percent_text,
    speed_text,
)
from olive_almanac.steps.catalogue import ShopCatalogue, subject_state
from olive_almanac.steps.files import below, write_file
from olive_almanac.steps.permission import group_of, groups, word_of
from olive_almanac.steps.preparing import choices_for
from olive_almanac.steps.session import Session

__all__ = [
    "ORDERS",
    "STATE_WORDS",
    "BookPresenter",
    "Column",
    "IndexRow",
    "card_work",
    "clip_text",
    "index_columns",
    "index_rows",
]

STATE_WORDS: dict[str, tuple[str, str]] = {
    "proven": ("Proven", "confirming burns passed, proof in date"),
    "trial": ("On trial", "chosen from a test, not confirmed yet"),
    "due": ("Due again", "was proven; date, lot or machine has changed, it drifts, or it failed"),
    "guess": ("Guess", "reckoned, never burnt"),
    "untried": ("Untried", "nothing known yet"),
    "cannot": ("Cannot", "does not work on this machine"),
    "barred": ("Barred", "must not be burnt"),
}


@dataclass(frozen=True)
class Column:
    """One column of marks: a machine and a task."""

    machine: Machine
    task: Task


@dataclass(frozen=True)
class IndexRow:
    """One line of the index: a group's name (stock is None), or a stock with a mark a column, found
    when first asked for.
    """

    label: str
    stock: Stock | None = None
    find_states: Callable[[], tuple[State, ...]] = tuple

    @cached_property
    def states(self) -> tuple[State, ...]:
        return self.find_states()


def index_columns(catalogue: ShopCatalogue) -> tuple[Column, ...]:
    """Return the columns: cut and engrave of each machine, and the other tasks where the book holds
    an entry of them.
    """
    used = {(entry.machine_uid, entry.task) for entry in catalogue.entries}
    return tuple(
        Column(machine, task)
        for machine in catalogue.machines
        for task in TASKS
        if task in ("cut", "engrave") or (machine.uid, task) in used
    )


MOST_TOLD = 30  # letters of the pieces that fit beside a fact's name
ORDERS = {
    "family": "Group by family",
    "state": "Group by state, for the machine and task chosen",
    "newest": "Newest first",
}


def index_rows(
    catalogue: ShopCatalogue,
    today: date,
    words: str = "",
    *,
    order: str = "family",
    subject: Subject | None = None,
) -> tuple[IndexRow, ...]:
    """Return the lines of the index, those stocks that hold every word of `words`, in one of
    ORDERS.
    """
    columns, rows, group = index_columns(catalogue), [], None
    wanted = words.casefold().split()
    stocks = [
        s
        for s in catalogue.stocks
        if all(word in f"{s.label} {word_of(s)}".casefold() for word in wanted)
    ]
    if order == "newest":
        written: dict[str, str] = {}
        for entry in catalogue.entries:
            written[entry.stock_uid] = max(written.get(entry.stock_uid, ""), entry.written)
        stocks.sort(key=lambda s: (s.name.casefold(), s.thickness_mm))
        stocks.sort(key=lambda s: written.get(s.uid, ""), reverse=True)
    by_state: dict[str, str] = {}
    if order == "state" and subject is not None and subject.machine is not None:
        for stock in stocks:
            by_state[stock.uid] = subject_state(
                catalogue, subject.machine, stock, subject.task, today
            )[0]
        places = list(STATE_WORDS)
        stocks.sort(
            key=lambda s: (places.index(by_state[s.uid]), s.name.casefold(), s.thickness_mm, s.lot)
        )
    elif order != "newest":
        stocks.sort(key=lambda s: (_group_rank(s), s.name.casefold(), s.thickness_mm, s.lot))
    for stock in stocks:
        if order == "newest":
            name = None
        elif by_state:
            name = STATE_WORDS[by_state[stock.uid]][0]
        else:
            name = group_of(stock)
        if name is not None and name != group:
            group = name
            rows.append(IndexRow(name))
        rows.append(
            IndexRow(stock.short_name, stock, partial(_states_of, catalogue, stock, columns, today))
        )
    return tuple(rows)


def _states_of(
    catalogue: ShopCatalogue, stock: Stock, columns: tuple[Column, ...], today: date
) -> tuple[State, ...]:
    return tuple(subject_state(catalogue, c.machine, stock, c.task, today)[0] for c in columns)


def _group_rank(stock: Stock) -> int:
    return groups().index(group_of(stock))


def clip_text(entry: Entry, machine: Machine, stock: Stock, state: str, unit: str) -> str:
    """Return the numbers of an entry as one line, for the clipboard."""
    setting = entry.setting
    parts = (
        f"{machine.label}, {stock.label}, {entry.task}: {percent_text(setting.power)} %",
        speed_text(setting.speed_mm_s, unit),
        *setting_words(setting, unit),
    )
    return ", ".join(parts) + f" ({STATE_WORDS[state][0].lower()})"


class BookPresenter:
    """Acts on the entry of the present subject; each act is a revision and can be undone."""

    def __init__(self, session: Session, now: Callable[[], date] | None = None) -> None:
        self.session = session

    @property
    def entry(self) -> Entry | None:
        return self.session.entry

    def confirm(self, *, passed: bool, piece: str = "", sheet: str = "") -> bool:
        """Add a confirming burn that fell free (or was right), or a failure, to the present entry:
        which job or piece it was, on which sheet; one good burn a day and sheet counts.
        """
        entry, machine, stock = self.entry, self.session.subject.machine, self.session.subject.stock
        if entry is None or machine is None or stock is None:
            return False
        proof = Proof(
            self.session.today().isoformat(),
            "passed" if passed else "failed",
            stock.lot,
            machine.state,
            piece.strip(),
            sheet.strip(),
            recipe=key_of(entry.recipe),
        )
        if any(proof.repeats(other) for other in entry.proofs):
            where = f"On sheet {proof.sheet}" if proof.sheet else "On this sheet"
            self.session.tell(
                f"{where} a burn was noted today already: one a day and sheet counts. Name the "
                "sheet where it was another one."
            )
            return False
        changed = replace(
            entry, proofs=(*entry.proofs, proof), lot=stock.lot, machine_state=machine.state
        )
        label = "failure"
        if passed:
            label = "confirming burn"
        return self.session.attempt(
            lambda: self.session.shop.keep_entry(changed, f"{label} noted", label)
        )

    def recipes(self) -> tuple[Recipe, ...]:
        """Return the recipes that the present entry can be given, its own among them."""
        entry, machine, stock = self.entry, self.session.subject.machine, self.session.subject.stock
        if entry is None or machine is None or stock is None:
            return ()
        choices = choices_for(self.session, machine, stock, entry.task)
        return tuple(dict.fromkeys((*(one.recipe for one in choices), entry.recipe)))

    def prepare(self, recipe: Recipe) -> bool:
        """Say that the piece of the present entry is prepared by another recipe; burns by the old
        one prove nothing of it.
        """
        entry = self.entry
        if entry is None or entry.recipe == recipe:
            return False
        changed = replace(entry, recipe=recipe)
        why = f"prepared: {recipe.name}"
        return self.session.attempt(lambda: self.session.shop.keep_entry(changed, why, "recipe"))

    def reckon(self) -> bool:
        """Write a guess from physics for a subject of which nothing is known."""
        machine, stock, task = (
            self.session.subject.machine,
            self.session.subject.stock,
            self.session.subject.task,
        )
        if machine is None or stock is None or self.entry is not None:
            return False

        def action() -> None:
            import numpy as np

            from olive_almanac.core.deciding.guess import compute_guess

            setting, evidence = compute_guess(
                machine,
                stock,
                task,
                self.session.permission,
                rng=np.random.default_rng(0),
                related=self.session.trials.related_to(self.session.subject),
                kin=self.session.shop.kin.sds,
            )
            entry = Entry(
                self.session.new_id(),
                machine.uid,
                stock.uid,
                task,
                setting,
                "guess",
                self.session.today().isoformat(),
                stock.lot,
                machine.state,
                evidence,
            )
            self.session.shop.keep_entry(entry, "reckoned from the family", "guess")

        return self.session.attempt(action)

    def confirmations_text(self) -> str:
        """Return how many confirming burns passed in a row: "2 of 3", or "5 in a row"."""
        passed = 0
        if self.entry:
            passed = len(self.entry.passed_in_a_row)
        if passed > PROOFS_NEEDED:
            return f"{passed} in a row"
        return f"{passed} of {PROOFS_NEEDED}"

    def confirm_note(self) -> str:
        """Return what the read confirm run on the desk means for the entry, in one sentence."""
        active, entry = self.session.active, self.entry
        if active is None or entry is None:
            return "There is no entry of this subject that it could confirm."
        if not any(proof.trial_id == active.trial.id for proof in entry.proofs):
            if active.run.is_simulated and not self.session.store.playground:
                return "Burnt on the stand-in bench: a rehearsal, which confirms nothing."
            return "The entry has another setting by now: these burns do not confirm it."
        state, reason = self.session.state
        return f"The entry is {STATE_WORDS[state][0]}: {reason}."

    def history(self) -> tuple[tuple[str, str], ...]:
        """Return day with who, and reason, of each revision of the present entry, newest first."""
        entry = self.entry
        if entry is None or self.session.library is None:
            return ()
        try:
            revisions = self.session.store.entry_history(entry.uid)
        except AlmanacError:
            return ()  # the strip has told of the library already; the page stays
        return tuple(
            (day_text(at[:10]) + (f", {who}" if who else ""), why)
            for _, at, why, who in reversed(revisions)
        )

    def clip(self) -> str:
        entry, machine, stock = self.entry, self.session.subject.machine, self.session.subject.stock
        if entry is None or machine is None or stock is None:
            return ""
        return clip_text(
            entry, machine, stock, self.session.state[0], self.session.preferences.speed_unit
        )

    def write_card(self) -> Path | None:
        """Write the card of the present entry as PDF below the library and return where it lies."""
        entry = self.entry
        if entry is None:
            return None
        written: list[Path] = []

        def action() -> None:
            path = below(self.session.store.folder / "cards", f"{entry.uid}.pdf")
            written.extend(card_work(self.session, path))

        if self.session.attempt(action):
            return written[0]
        return None


def card_work(session: Session, path: Path) -> Iterator[Path]:
    """Write the card of the session's entry as PDF; yields where it lies.  Raises BadFile."""
    from olive_almanac.formats.pdf import write_card

    entry, machine, stock = session.entry, session.subject.machine, session.subject.stock
    if entry is None or machine is None or stock is None:
        raise BadFile("There is no entry here to write a card of.")
    state, reason = session.state
    unit = session.preferences.speed_unit
    word = STATE_WORDS[state][0]
    write_file(path, write_card(entry, machine, stock, word, reason, speed_unit=unit))
    yield path


def burns_text(proofs: Sequence[Proof]) -> str:
    """Return the newest confirming burns, the good and the failed ones: day, pieces (squares of a
    confirm run by their cells) and sheets.
    """
    newest = [proof for proof in proofs if proof.on == proofs[-1].on]
    pieces = dict.fromkeys(proof.note for proof in newest if proof.note)
    sheets = dict.fromkeys(f"sheet {proof.sheet}" for proof in newest if proof.sheet)
    told = ", ".join([*pieces, *sheets])
    if len(told) > MOST_TOLD:
        told = told[: MOST_TOLD - 1].rstrip(" ,") + "…"
    return f"{day_text(newest[-1].on)}{': ' if told else ''}{told}"


def proofs_tip(entry: Entry) -> str:
    """Return in a sentence what the confirming burns prove by themselves; empty without any."""
    good = len(entry.passed_in_a_row)
    if not good:
        return ""
    burns = count_text(good, "good burn")
    return (
        f"By themselves {burns} in a row only show that it works at least "
        f"{100 * proved_chance(good):.0f} times in 100; the rest of the certainty comes from the "
        "coupon."
    )


def facts_of(
    entry: Entry, confirmations: str, machine: Machine | None = None, unit: str = "mm/s"
) -> tuple[tuple[str, str], ...]:
    """Return the small facts of an entry's page, label and value, only those that are known."""
    evidence, facts = entry.evidence, []
    if evidence.probability is not None:
        facts.append(
            (
                "Sure to fall free" if entry.task == "cut" else "Sure of the tone",
                chance_text(evidence.probability),
            )
        )
    even = evidence.margins.even_speed
    if even is not None and evidence.margins.is_sure:
        word = "Half hang at" if entry.task == "cut" else "Half come out wrong at"
        facts.append((word, speed_text(entry.setting.speed_mm_s * even, unit)))
    if evidence.seconds_per_m is not None:
        facts.append(("Time per metre", duration_text(evidence.seconds_per_m)))
    if evidence.seconds_per_100cm2 is not None:
        facts.append(("Time per 100 cm²", duration_text(evidence.seconds_per_100cm2)))
    if evidence.char is not None:
        facts.append(("Edge expected", char_word(evidence.char)))
    if evidence.margins.thickness_mm is not None:
        end = "at most" if evidence.margins.is_sure else "and it hangs"
        facts.append(("Thicker by", f"{number_text(evidence.margins.thickness_mm, 2)} mm {end}"))
    if evidence.margins.focus_down_mm is not None and evidence.margins.focus_up_mm is not None:
        up, down = (
            number_text(mm, 2)
            for mm in (evidence.margins.focus_up_mm, evidence.margins.focus_down_mm)
        )
        facts.append(("Focus off by", f"{up} mm up, {down} mm down"))
    conditions = [f"machine state {entry.machine_state}"]
    if machine is not None and machine.lens_focal_mm and machine.state == entry.machine_state:
        conditions.append(f"{number_text(machine.lens_focal_mm)} mm lens")
    if entry.lot:
        conditions.append(f"lot {entry.lot}")
    facts.append(("Holds for", ", ".join(conditions)))
    if evidence.room.words:
        facts.append(("Room when tested", evidence.room.words))
    facts.append(("Confirming burns", confirmations))
    if entry.proofs:
        facts.append(("Last burnt", burns_text(entry.proofs)))
    if machine is not None and (overlap := overlaps_text(machine, [entry.setting])):
        facts.append(("Pulse overlap", overlap))
    kerfs = [
        f"{axis} {kerf:.3f}"
        for axis, kerf in (("X", entry.kerf_x_mm), ("Y", entry.kerf_y_mm))
        if kerf is not None
    ]
    if kerfs:
        facts.append(("Kerf", f"{', '.join(kerfs)} mm"))
    facts.append(("Cells read", str(evidence.cells_read) if evidence.cells_read else "none"))
    return tuple(facts)
