"""The book: its index of stocks by machine and task, an entry's page, confirming burns, cards."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date
from functools import cached_property, partial
from pathlib import Path

from olive_almanac.core.burn.pulses import overlaps_text
from olive_almanac.core.dates import day_text
from olive_almanac.core.errors import AlmanacError, BadFile
from olive_almanac.core.lengths import length_unit
from olive_almanac.core.records.entry import (
    PROOFS_NEEDED,
    Entry,
    Proof,
    State,
    Subject,
    proved_chance,
    said_state,
)
from olive_almanac.core.records.factors import setting_words
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import char_word
from olive_almanac.core.records.recipe import Recipe, key_of
from olive_almanac.core.records.setting import SHORT_TASK_WORDS, TASKS, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import (
    chance_text,
    count_text,
    duration_text,
    fixed_length_number,
    length_text,
    number_text,
    percent_text,
    speed_text,
)
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.steps.catalogue import ShopCatalogue, subject_state
from olive_almanac.steps.files import below, write_file
from olive_almanac.steps.permission import GROUP_WORDS, group_of, groups, word_of
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
    "proven": (tr("Proven"), tr("confirming burns passed, proof in date")),
    "trial": (tr("On trial"), tr("chosen from a test, not confirmed yet")),
    "due": (
        tr("Due again"),
        tr("was proven; date, lot or machine has changed, it drifts, or it failed"),
    ),
    "guess": (tr("Guess"), tr("reckoned, never burnt")),
    "untried": (tr("Untried"), tr("nothing known yet")),
    "cannot": (tr("Cannot"), tr("does not work on this machine")),
    "barred": (tr("Barred"), tr("must not be burnt")),
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
    "family": tr("Group by family"),
    "state": tr("Group by state, for the machine and task chosen"),
    "newest": tr("Newest first"),
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
            name = GROUP_WORDS[group_of(stock)]
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
    setting, task = entry.setting, SHORT_TASK_WORDS[entry.task]
    parts = (
        f"{machine.label}, {stock.label}, {task}: {percent_text(setting.power)} %",
        speed_text(setting.speed_mm_s, unit),
        *setting_words(setting, unit),
    )
    told = said_state(entry, mid_sentence(STATE_WORDS[state][0]))
    return f"{', '.join(parts)} ({told})"


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
            where = (
                tr("On sheet {sheet}", sheet=proof.sheet) if proof.sheet else tr("On this sheet")
            )
            self.session.tell(
                tr(
                    "{where} a burn was noted today already: one a day and sheet counts. Name "
                    "the sheet where it was another one.",
                    where=where,
                )
            )
            return False
        changed = replace(
            entry, proofs=(*entry.proofs, proof), lot=stock.lot, machine_state=machine.state
        )
        label = tr("failure")
        if passed:
            label = tr("confirming burn")
        return self.session.attempt(
            lambda: self.session.shop.keep_entry(changed, tr("{label} noted", label=label), label)
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
        why = tr("prepared: {recipe}", recipe=recipe.name)
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
            self.session.shop.keep_entry(entry, tr("reckoned from the family"), "guess")

        return self.session.attempt(action)

    def confirmations_text(self) -> str:
        """Return how many confirming burns passed in a row: "2 of 3", or "5 in a row"."""
        passed = 0
        if self.entry:
            passed = len(self.entry.passed_in_a_row)
        if passed > PROOFS_NEEDED:
            return tr("{passed} in a row", passed=passed)
        return tr("{passed} of {proofs_needed}", passed=passed, proofs_needed=PROOFS_NEEDED)

    def confirm_note(self) -> str:
        """Return what the read confirm run on the desk means for the entry, in one sentence."""
        active, entry = self.session.active, self.entry
        if active is None or entry is None:
            return tr("There is no entry of this subject that it could confirm.")
        if not any(proof.trial_id == active.trial.id for proof in entry.proofs):
            if active.run.is_simulated and not self.session.store.playground:
                return tr("Burnt on the stand-in bench: a rehearsal, which confirms nothing.")
            return tr("The entry has another setting by now: these burns do not confirm it.")
        state, reason = self.session.state
        return tr(
            "The entry is {state_words}: {reason}.",
            state_words=STATE_WORDS[state][0],
            reason=reason,
        )

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
        raise BadFile(tr("There is no entry here to write a card of."))
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
    sheets = dict.fromkeys(
        tr("sheet {sheet}", sheet=proof.sheet) for proof in newest if proof.sheet
    )
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
    return tr(
        "By themselves {burns} in a row only show that it works at least {good:.0f} "
        "times in 100; the rest of the certainty comes from the coupon.",
        burns=burns,
        good=100 * proved_chance(good),
    )


def facts_of(
    entry: Entry, confirmations: str, machine: Machine | None = None, unit: str = "mm/s"
) -> tuple[tuple[str, str], ...]:
    """Return the small facts of an entry's page, label and value, only those that are known."""
    evidence, facts = entry.evidence, []
    if evidence.probability is not None:
        facts.append(
            (
                tr("Sure to fall free") if entry.task == "cut" else tr("Sure of the tone"),
                chance_text(evidence.probability),
            )
        )
    even = evidence.margins.even_speed
    if even is not None and evidence.margins.is_sure:
        word = tr("Half hang at") if entry.task == "cut" else tr("Half come out wrong at")
        facts.append((word, speed_text(entry.setting.speed_mm_s * even, unit)))
    if evidence.seconds_per_m is not None:
        facts.append((tr("Time per metre"), duration_text(evidence.seconds_per_m)))
    if evidence.seconds_per_100cm2 is not None:
        facts.append((tr("Time per 100 cm²"), duration_text(evidence.seconds_per_100cm2)))
    if evidence.char is not None:
        facts.append((tr("Edge expected"), char_word(evidence.char)))
    if evidence.margins.thickness_mm is not None:
        end = tr("at most") if evidence.margins.is_sure else tr("and it hangs")
        facts.append((tr("Thicker by"), f"{length_text(evidence.margins.thickness_mm, 2)} {end}"))
    if evidence.margins.focus_down_mm is not None and evidence.margins.focus_up_mm is not None:
        up, down = (
            number_text(mm, 2)
            for mm in (evidence.margins.focus_up_mm, evidence.margins.focus_down_mm)
        )
        facts.append((tr("Focus off by"), tr("{up} mm up, {down} mm down", up=up, down=down)))
    conditions = [tr("machine state {machine_state}", machine_state=entry.machine_state)]
    if machine is not None and machine.lens_focal_mm and machine.state == entry.machine_state:
        conditions.append(
            tr("{lens_focal_mm} mm lens", lens_focal_mm=number_text(machine.lens_focal_mm))
        )
    if entry.lot:
        conditions.append(tr("lot {lot}", lot=entry.lot))
    facts.append((tr("Holds for"), ", ".join(conditions)))
    if evidence.room.words:
        facts.append((tr("Room when tested"), evidence.room.words))
    facts.append((tr("Confirming burns"), confirmations))
    if entry.proofs:
        facts.append((tr("Last burnt"), burns_text(entry.proofs)))
    if machine is not None and (overlap := overlaps_text(machine, [entry.setting])):
        facts.append((tr("Pulse overlap"), overlap))
    kerfs = [
        f"{axis} {fixed_length_number(kerf, 3)}"
        for axis, kerf in (("X", entry.kerf_x_mm), ("Y", entry.kerf_y_mm))
        if kerf is not None
    ]
    if kerfs:
        facts.append((tr("Kerf"), f"{', '.join(kerfs)} {length_unit()}"))
    facts.append(
        (tr("Cells read"), str(evidence.cells_read) if evidence.cells_read else tr("none"))
    )
    return tuple(facts)
