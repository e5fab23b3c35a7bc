"""The Jobs station without a window: which job is in hand, its groups, its plan, and what came of
it.
"""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Generator, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol, cast

from olive_almanac.core.dates import day_text
from olive_almanac.core.errors import AlmanacError, BadFile, OutOfRange
from olive_almanac.core.records.drawing import Drawing
from olive_almanac.core.records.entry import Entry, Proof, State
from olive_almanac.core.records.factors import setting_words
from olive_almanac.core.records.job import (
    CAUSES,
    GUIDES,
    LEAVE_OUT,
    LEAVE_OUT_WORDS,
    NAMES,
    FindingAnswer,
    GroupTask,
    Hang,
    Job,
    JobOutcome,
    JobProgress,
    PlacedCopy,
    group_words,
)
from olive_almanac.core.records.recipe import Recipe, key_of
from olive_almanac.core.records.service import Counters
from olive_almanac.core.records.setting import TASK_WORDS, Task
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.stages import telling
from olive_almanac.core.units import (
    count_text,
    fixed_text,
    length_text,
    number_text,
    percent_text,
    read_large_number,
    read_number,
    speed_text,
)
from olive_almanac.core.words import tr
from olive_almanac.steps.files import below, name_of, read_bytes
from olive_almanac.steps.permission import permission_for
from olive_almanac.steps.preparing import finishing_words, preparing_lines
from olive_almanac.steps.trials import counted

if TYPE_CHECKING:
    from olive_almanac.core.fitting.dot_table import DotTable
    from olive_almanac.core.fitting.tone_table import ToneTable
    from olive_almanac.core.quoting.names import Box, Letters, NamePlan
    from olive_almanac.core.quoting.pattern import Stage
    from olive_almanac.core.quoting.risk import FirstCell
    from olive_almanac.core.quoting.shades import Shading
    from olive_almanac.core.records.trial import Trial
    from olive_almanac.formats.drawing_in import ReadStage
    from olive_almanac.formats.name_list import NameTable
    from olive_almanac.steps.job_questions import Question
    from olive_almanac.steps.job_work import JobResult, JobWish, Piecework
    from olive_almanac.steps.ports import Bench
    from olive_almanac.steps.session import Session

__all__ = [
    "GroupLine",
    "JobScreen",
    "JobsPresenter",
    "ReadFile",
    "ShowsJob",
    "job_folder",
    "job_words",
    "outcome_words",
]

MOST_COPIES = 2000
STRIPS = {False: ("grey", tr("greyscale strip")), True: ("dots", tr("dot strip"))}  # in dots or not
SAME_TIME_NS = 3_000_000_000  # within which a stick gives two files the same time
LONG_S = 1.0  # from which on it is told how far a job is worked out
STAGES: dict[Stage, str] = {
    "lines": tr("Lines are sorted …"),
    "holders": tr("Holes and outlines are told apart …"),
    "order": tr("An order is found …"),
    "kerf": tr("The kerf is taken off …"),
    "copy": tr("One copy is made …"),
}
READ_STAGES: dict[ReadStage, str] = {
    "file": tr("The file is read …"),
    "joined": tr("Ends that meet are joined …"),
    "flat": tr("Curves are measured …"),
    "faults": tr("The lines are looked over …"),
}
LEAST_OFFCUT_MM = 40.0  # of its narrower side


def job_folder(library_folder: Path, job: Job) -> Path:
    """Return where a job's files are written: below the library, one folder a job."""
    return below(library_folder / "jobs", job.uid)


def job_words(job: Job) -> str:
    """Return a job as a list names it: its name, and what came of it last."""
    if not job.outcomes:
        return tr("{job}, written", job=job.name) if job.written else job.name
    return f"{job.name}, {outcome_words(job.outcomes[-1])}"


def outcome_words(told: JobOutcome) -> str:
    """Return what came of a run, in a line: day, pieces, how many hung and why."""
    words = f"{day_text(told.on)}: {count_text(told.pieces, 'piece')}"
    words += tr(", {hung} hung", hung=told.hung) if told.hung else tr(", all free")
    if told.knots:
        words += tr(", {knots} at a knot", knots=told.knots)
    if told.spoilt:
        words += tr(", {spoilt} spoilt", spoilt=told.spoilt)
    if told.cause:
        words += f", {CAUSES[told.cause]}"
    return tr("{words}, lot {lot}", words=words, lot=told.lot) if told.lot else words


@dataclass(frozen=True)
class GroupLine:
    """One group as the station tells it: the task, the state of the book's entry and its reason,
    the numbers that are set, and why it cannot be burnt where it cannot.
    """

    task: GroupTask
    task_words: str
    state: State
    reason: str
    numbers: tuple[str, ...] = ()
    contours: int = 0
    length_mm: float = 0.0
    barred: str = ""
    is_picture: bool = False
    in_dots: bool = False  # a picture that is burnt in dots
    shadings: tuple[Shading, ...] = ()  # its pictures, where they were worked out

    @property
    def needs_entry(self) -> bool:
        """Whether it waits for an entry of the book."""
        return self.task.task != LEAVE_OUT and self.task.setting is None


@dataclass(frozen=True)
class JobScreen:
    """What the station shows of the job in hand."""

    job: Job | None
    others: tuple[Job, ...]
    drawing: Drawing | None
    groups: tuple[GroupLine, ...]
    result: JobResult | None
    working: bool
    problem: str = ""
    questions: tuple[Question, ...] = ()


@dataclass(frozen=True)
class ReadFile:
    """A drawing that was read from the disk, and for what: machine, stock, job, by their ids; time
    and size of the file then.
    """

    path: Path
    data: bytes
    drawing: Drawing
    begun_for: tuple[str, ...]
    seen: tuple[int, int]


class ShowsJob(Protocol):
    def show_job(self, screen: JobScreen) -> None: ...

    def work_asked(self) -> None:
        """The drawing is to be read, or the job worked out: see `reading_kept` and `work`."""


class _Telling:
    """What is told while a job is worked out: words where it takes long, else none; there it may be
    stopped either way.
    """

    def __init__(self) -> None:
        self.since = time.monotonic()

    def now(self, words: str) -> str:
        """Return the words if the last ones are long ago."""
        if time.monotonic() - self.since <= LONG_S:
            return ""
        self.since = time.monotonic()
        return words


def _time_and_size(path: Path) -> tuple[int, int]:
    """When a file was last written, ns, and its size; noughts where it is gone."""
    try:
        told = path.stat()
    except (OSError, ValueError):
        return 0, 0
    return told.st_mtime_ns, told.st_size


def _told_of(reading: Generator[ReadStage, None, Drawing]) -> Generator[str, None, Drawing]:
    """Yield what is told while a drawing is read; return it."""
    tell = _Telling()
    return telling(reading, lambda stage: tell.now(READ_STAGES[stage]))


class JobsPresenter:
    """Holds the job in hand.

    What is worked out comes from `work`, which a view runs in a thread and gives back to `take`.
    """

    def __init__(self, session: Session, view: ShowsJob, now: Callable[[], datetime]) -> None:
        self.session, self._view, self._now = session, view, now
        self.job: Job | None = None
        self.drawing: Drawing | None = None
        self.result: JobResult | None = None
        self.problem = ""
        self.source: Path | None = None  # where the file was taken from, while it is known
        self._source_sha = ""
        self._source_seen = ((0, 0), False)  # time and size of the file, and whether it was changed
        self._known: tuple[object, Any] | None = None
        self._font: tuple[str, Letters] | None = None
        self._tone: tuple[object, Trial, ToneTable | DotTable] | None = None
        self._work: tuple[object, Piecework] | None = None

    # -- which job ---------------------------------------------------------------------------------

    @property
    def jobs(self) -> tuple[Job, ...]:
        """The jobs of the present machine and stock, the newest first."""
        machine, stock = self.session.subject.machine, self.session.subject.stock
        if machine is None or stock is None:
            return ()
        wanted = (machine.uid, stock.uid)
        found = [j for j in self.session.catalogue.jobs if (j.machine_uid, j.stock_uid) == wanted]
        return tuple(reversed(found))

    def resume(self) -> None:
        """Take the newest job of the subject in hand, where the one in hand is not of it."""
        if self.job is None or self.job.uid not in {job.uid for job in self.jobs}:
            self.choose(self.jobs[0].uid if self.jobs else "")
        else:
            self._read_book_again()
            self.refresh()

    def kept(self) -> tuple[Any, ...] | None:
        """Return the job in hand with what was read and worked out of it, for another page."""
        if self.job is None:
            return None
        source = self.source, self._source_sha, self._source_seen
        return self.job.uid, self.drawing, source, self.result, self._work, self._known

    def go_on(self, kept: tuple[Any, ...]) -> None:
        """Take in hand again what another page had, where it is of the subject still."""
        uid, *rest = kept
        self.job = next((job for job in self.jobs if job.uid == uid), None)
        if self.job is not None:
            self.drawing, source, self.result, self._work, self._known = rest
            self.source, self._source_sha, self._source_seen = source

    def _read_book_again(self) -> None:
        """Give groups the numbers that the book has now; what was reckoned for the job stays."""
        if self.job is None or self.drawing is None:
            return  # what a group is, its drawing says
        groups = tuple(
            task if self._is_reckoned(task) else self.by_book(task) for task in self.job.groups
        )
        if groups != self.job.groups:
            self._keep(replace(self.job, groups=groups), tr("numbers of the book"))

    def _is_reckoned(self, task: GroupTask) -> bool:
        """Whether a group's numbers were reckoned for the job, not taken from the book."""
        picture = self._is_picture(task.group)
        return task.setting is not None and not task.entry_uid and not picture

    def choose(self, uid: str) -> None:
        """Take another job in hand; its drawing comes from the library."""
        self.job = next((job for job in self.jobs if job.uid == uid), None)
        self.drawing = self.result = self.source = None
        self.problem = ""
        self.refresh()

    def reading_kept(self) -> Iterator[tuple[Job, Drawing] | str] | None:
        """Return the work that reads the drawing of the job in hand, for a worker, with words where
        it takes long; None where it is read already.
        """
        job, machine = self.job, self.session.subject.machine
        if job is None or machine is None or self.drawing is not None:
            return None

        def work() -> Iterator[tuple[Job, Drawing] | str]:
            from olive_almanac.steps.job_work import reading_of

            data = self.session.store.photo(job.drawing_photo)
            reading = reading_of(data, job.drawing_name, machine, job.answers)
            yield job, (yield from _told_of(reading))

        return work()

    def take_read(self, job: Job, drawing: Drawing) -> None:
        """Take the drawing that was read, if it is still of the job in hand."""
        mine = self.job
        if mine is None:
            return
        same = (job.uid, job.answers, job.drawing_photo)
        if same == (mine.uid, mine.answers, mine.drawing_photo):
            self.drawing = drawing
            self._read_book_again()
            self.refresh()

    def reading(self, path: Path) -> Iterator[ReadFile | str]:
        """Return the work that reads a drawing from the disk, for a worker, with words where it
        takes long.  Raises BadFile.
        """
        machine = self.session.subject.machine
        again = self._of_source(path)
        answers = again.answers if again is not None else ()
        begun_for = self._reading_for(path)

        def work() -> Iterator[ReadFile | str]:
            from olive_almanac.steps.job_work import reading_of

            if machine is None:
                raise BadFile(tr("Choose the machine first that the job is for."))
            seen = _time_and_size(path)
            data = read_bytes(path)
            drawing = yield from _told_of(reading_of(data, name_of(path), machine, answers))
            yield ReadFile(path, data, drawing, begun_for, seen)

        return work()

    def _of_source(self, path: Path) -> Job | None:
        """The job in hand, where its drawing came from this file."""
        return self.job if path == self.source else None

    def _reading_for(self, path: Path) -> tuple[str, ...]:
        """What a file is read for now: machine, stock, and the job that it is of already."""
        subject, again = self.session.subject, self._of_source(path)
        return tuple(one.uid if one else "" for one in (subject.machine, subject.stock, again))

    def take_drawing(self, read: ReadFile) -> None:
        """Begin a job with a drawing, or take a changed drawing into the job that it is of; what
        was read for another subject is told and dropped.
        """
        from olive_almanac.steps.job_work import likely_tasks, new_job

        path, data, drawing = read.path, read.data, read.drawing
        machine, stock = self.session.subject.machine, self.session.subject.stock
        if machine is None or stock is None:
            self.session.tell(tr("Choose the machine and the stock first that the job is for."))
            return
        if read.begun_for != self._reading_for(path):
            self.session.tell(
                tr("{path} was read for something else: bring it in again here.", path=path.name)
            )
            return
        again = self._of_source(path)
        known = [task for job in reversed(self.jobs) for task in job.groups]
        if again is not None:
            known = [*known, *again.groups]
        before, self.drawing = self.drawing, drawing
        tasks = tuple(self.by_book(task) for task in likely_tasks(drawing, known))
        if again is not None:
            own = (NAMES, GUIDES)  # which no drawing holds
            tasks = (*tasks, *(one for one in again.groups if one.group in own))

        def keep() -> None:
            store = self.session.store
            photo = store.keep_photo(data, path.suffix.lower() or ".drawing")
            if again is not None:
                job = replace(
                    again,
                    drawing_photo=photo,
                    drawing_sha256=drawing.sha256,
                    groups=tasks,
                    placed=(),
                    written="",
                )
            else:
                made = self.session.today().isoformat()
                uid = self.session.new_id()
                job = new_job(drawing, tasks, machine, stock, uid=uid, made=made, photo=photo)
            self.job = self.session.shop.keep_job(job, tr("drawing taken"))

        if self.session.attempt(keep):
            self.source, self._source_sha = path, drawing.sha256
            self._source_seen = read.seen, False
            self.result = None
            self.refresh()
        else:
            self.drawing = before

    def is_changed_on_disk(self) -> bool:
        """Whether the file that the drawing came from says something else now.  It is read again
        where its time or size is another, or its time so new that both may have stayed.
        """
        if self.source is None:
            return False
        try:
            seen = _time_and_size(self.source)
            if seen != self._source_seen[0] or time.time_ns() - seen[0] < SAME_TIME_NS:
                sha = hashlib.sha256(read_bytes(self.source)).hexdigest()
                self._source_seen = seen, sha != self._source_sha
        except AlmanacError:
            return False  # gone, or a stick pulled out: the kept one stands
        return self._source_seen[1]

    def remove(self) -> None:
        """Take the job out of the list; its revisions stay in the library."""
        job = self.job
        if job is None:
            return

        def away() -> None:
            self.session.store.remove("job", job.uid, tr("taken out"))
            catalogue = self.session.catalogue
            kept = tuple(one for one in catalogue.jobs if one.uid != job.uid)
            self.session.shop.show(replace(catalogue, jobs=kept))

        if self.session.attempt(away):
            self.choose(self.jobs[0].uid if self.jobs else "")

    # -- groups ------------------------------------------------------------------------------------

    def _entry_for(self, task: str) -> Entry | None:
        machine, stock = self.session.subject.machine, self.session.subject.stock
        if machine is None or stock is None or task == LEAVE_OUT:
            return None
        return self.session.catalogue.entry_for(machine.uid, stock.uid, task)

    def by_book(self, task: GroupTask) -> GroupTask:
        """A group's task with the numbers that the book has for it now."""
        from olive_almanac.steps.job_work import task_with

        if self._is_picture(task.group) and task.task != LEAVE_OUT:
            return self._by_strip(task)
        return task_with(task, self._entry_for(task.task))

    def _is_picture(self, group: str) -> bool:
        return self.drawing is not None and group in self.drawing.picture_groups

    def _by_strip(self, task: GroupTask) -> GroupTask:
        """A picture's task with the numbers of the greyscale strip; without one it has none."""
        from olive_almanac.core.quoting.shades import picture_setting

        tone = self.tone()
        setting = picture_setting(tone[1]) if tone is not None else None
        return replace(task, entry_uid="", setting=setting, kerf_mm=None)

    @property
    def in_dots(self) -> bool:
        """Whether the pictures of the job are burnt in dots."""
        return self.job is not None and self.job.dots

    def set_dots(self, dots: bool) -> None:
        """Burn the pictures of the job in dots, or by the power along each line."""
        if self.job is None or self.job.dots == dots:
            return
        before, self.job = self.job, replace(self.job, dots=dots)  # the strip is looked up for it
        wanted = replace(self.job, groups=tuple(self.by_book(one) for one in self.job.groups))
        self.job = before
        self._keep(wanted, tr("in dots") if dots else tr("by power"))

    def tone(self) -> tuple[Trial, ToneTable | DotTable] | None:
        """Return the newest strip of the subject that was read, of greys or of dots as the job
        burns its pictures, and its tone curve.
        """
        from olive_almanac.core.fitting.dot_table import dot_table_of
        from olive_almanac.core.fitting.tone_table import tone_table_of

        machine, stock, store = (
            self.session.subject.machine,
            self.session.subject.stock,
            self.session.library,
        )
        if machine is None or stock is None or store is None:
            return None
        make: Callable[..., ToneTable | DotTable] = tone_table_of
        if self.in_dots:
            make = dot_table_of
        for trial in reversed(self.session.trials.every):
            mine = (trial.machine.uid, trial.stock.uid) == (machine.uid, stock.uid)
            if trial.kind != STRIPS[self.in_dots][0] or not mine:
                continue
            readings = counted(store, store.readings(trial.id))
            key = (trial.id, len(readings))
            if self._tone is None or self._tone[0] != key:
                try:
                    table = make(trial, readings)
                except AlmanacError:
                    continue  # it was not read to the end, or shows no tone
                self._tone = (key, trial, table)
            return self._tone[1], self._tone[2]
        return None

    def lines(self) -> tuple[GroupLine, ...]:
        """Return the groups of the job as they are told."""
        if self.job is None:
            return ()
        work = {}
        if self.result is not None:
            work = {one.task.group: one for one in self.result.plan.pattern.work}
        return tuple(self._line(task, work.get(task.group)) for task in self.job.groups)

    def _line(self, task: GroupTask, work: Any) -> GroupLine:
        machine, stock = self.session.subject.machine, self.session.subject.stock
        if task.task == LEAVE_OUT or machine is None or stock is None:
            return GroupLine(task, LEAVE_OUT_WORDS, "untried", "")
        words = TASK_WORDS[task.task]
        permission = permission_for(
            machine, stock, cast(Task, task.task), self.session.catalogue.rules
        )
        if not permission.allowed:
            return GroupLine(task, words, "barred", permission.reason, barred=permission.reason)
        if self._is_picture(task.group):
            return self._picture_line(task, words)
        entry = self._entry_for(task.task)
        if entry is None or task.setting is None:
            return GroupLine(task, words, "untried", tr("nothing known yet"))
        state, reason = self.session.catalogue.state_of(entry, machine, stock, self.session.today())
        unit = self.session.preferences.speed_unit
        numbers = (
            f"{percent_text(task.setting.power)} %",
            speed_text(task.setting.speed_mm_s, unit),
            *setting_words(task.setting, unit),
        )
        if not task.entry_uid:
            reason = tr("reckoned for this job")
        contours, length = (work.contours, work.length_mm) if work is not None else (0, 0.0)
        return GroupLine(task, words, state, reason, numbers, contours, length)

    def _picture_line(self, task: GroupTask, words: str) -> GroupLine:
        """A picture's group: its tones come from a strip, and nothing is guessed without one."""
        tone = self.tone()
        if tone is None or task.setting is None:
            lacks = tr("no {strips} was read", strips=STRIPS[self.in_dots][1])
            return GroupLine(task, words, "untried", lacks, is_picture=True, in_dots=self.in_dots)
        unit, setting = self.session.preferences.speed_unit, task.setting
        numbers = (
            f"{('' if self.in_dots else tr('up to '))}{percent_text(setting.power)} %",
            speed_text(setting.speed_mm_s, unit),
            *setting_words(setting, unit),
        )
        reason = tr("by the strip {name}", name=tone[0].name)
        shadings: tuple[Shading, ...] = ()
        if self.result is not None and self.is_current:
            every = self.result.plan.pattern.shadings
            shadings = tuple(one for one in every if one.group == task.group)
        return GroupLine(
            task,
            words,
            "trial",
            reason,
            numbers,
            is_picture=True,
            in_dots=self.in_dots,
            shadings=shadings,
        )

    def set_task(self, group: str, task: str) -> None:
        """Give a group another task; its numbers are the book's."""
        if self.job is None:
            return
        groups = tuple(
            self.by_book(GroupTask(one.group, task, side=one.side)) if one.group == group else one
            for one in self.job.groups
        )
        self._keep(replace(self.job, groups=groups), f"{group}: {task}")

    # -- what was told of the drawing --------------------------------------------------------------

    def questions(self) -> tuple[Question, ...]:
        """Return what is told of the drawing, with what can be answered."""
        from olive_almanac.steps.job_questions import questions_of

        if self.job is None or self.drawing is None:
            return ()
        joints = self.result.joints if self.result is not None else ()
        return tuple(questions_of(self.job, self.drawing, joints))

    def answer(self, about: str, choice: str) -> None:
        """Answer to something that was told of the drawing, or take an answer back by ""."""
        if self.job is None:
            return
        kept = [one for one in self.job.answers if one.about != about]
        if choice:
            kept.append(FindingAnswer(about, choice))
        if not about.startswith("joint "):
            self.drawing = None  # it is read anew with the answer
        job = replace(self.job, answers=tuple(kept), placed=())
        self._keep(job, f"{about}: {choice or tr('taken back')}")

    # -- names of a list ---------------------------------------------------------------------------

    def letters(self, font: str = "") -> Letters:
        """Return the letters of a font file that the library keeps, single strokes without one.
        Raises AlmanacError.
        """
        from olive_almanac.steps.lettering import font_letters, letters

        if not font:
            return letters()
        if self._font is None or self._font[0] != font:
            self._font = (font, font_letters(self.session.store.photo(font), font))
        return self._font[1]

    def read_names(self, path: Path) -> NameTable:
        """Return the table of names in a file.  Raises AlmanacError."""
        from olive_almanac.formats.name_list import read_name_table

        return read_name_table(read_bytes(path), name_of(path))

    def names_of(self, text: str) -> tuple[str, ...]:
        """Return the names of a text, one a line.  Raises AlmanacError."""
        from olive_almanac.formats.name_list import names_of_text

        return names_of_text(text)

    def keep_font(self, path: Path) -> str:
        """Keep a font file in the library, once it can be read; return under which name.  Raises
        AlmanacError.
        """
        from olive_almanac.steps.lettering import font_letters

        data = read_bytes(path)
        font_letters(data, name_of(path))
        return self.session.store.keep_photo(data, path.suffix.lower() or ".ttf")

    def try_names(self, names: Sequence[str], font: str, box: Box | None) -> NamePlan | None:
        """Return how names would come out on the part; None where there is no room, or no part."""
        from olive_almanac.core.quoting.names import free_box, lettered

        machine = self.session.subject.machine
        if self.result is None or machine is None or not names:
            return None
        letters = self.letters(font)
        chosen = box or free_box(self.result.plan.pattern, names, letters)
        if chosen is None:
            return None
        return lettered(names, chosen, letters, spot_mm=machine.spot_longer_mm)

    def set_names(self, names: Sequence[str], font: str, box: Box | None) -> None:
        """Letter a name on each copy: as many copies as names; none takes them away."""
        if self.job is None:
            return
        groups = [one for one in self.job.groups if one.group != NAMES]
        if names:
            before = next((one.task for one in self.job.groups if one.group == NAMES), "")
            known = [task for task in ("score", "mark", "engrave") if self._entry_for(task)]
            task = before or (known[0] if known else "score")
            groups.append(self.by_book(GroupTask(NAMES, task)))
        job = replace(
            self.job,
            names=tuple(names),
            name_font=font,
            name_box_mm=box or (),
            groups=tuple(groups),
            copies=len(names) or self.job.copies,
            placed=(),
            apart=self.job.apart and not names,
        )
        self._keep(job, tr("names of a list") if names else tr("names taken away"))

    # -- how many, where ---------------------------------------------------------------------------

    def set_number(self, key: str, text: str) -> None:
        """Take what was typed: copies, gap between them in mm, rounds.

        A wrong number is told and changes nothing.
        """
        if self.job is None:
            return
        try:
            read = {"copies": read_large_number, "gap_mm": read_number}[key]
            value = read(text, {"copies": tr("Copies"), "gap_mm": tr("Gap")}[key])
            if key == "copies":
                if value != int(value) or not 1 <= value <= MOST_COPIES:
                    raise OutOfRange(
                        tr("Copies"),
                        text.strip(),
                        tr("a whole number up to {most_copies}", most_copies=MOST_COPIES),
                    )
                job = replace(self.job, copies=int(value), placed=())
            else:
                job = replace(self.job, gap_mm=value, placed=())
        except AlmanacError as problem:
            self.problem = str(problem)
            self.show()
            return
        self._keep(job, key)

    def set_hang(self, hang: Hang) -> None:
        """Say what a hang costs in this job."""
        if self.job is not None:
            self._keep(replace(self.job, hang=hang), tr("what a hang costs"), in_files=False)

    def edit(self, change: Callable[[Job], Job], why: str) -> bool:
        """Change the job in hand; returns whether it could be: what is wrong is told."""
        if self.job is None:
            return False
        try:
            changed = change(self.job)
        except AlmanacError as problem:
            self.problem = str(problem)
            self.show()
            return False
        if changed != self.job:
            self._keep(changed, why)
        return True

    def done_words(self) -> str:
        """Return how many of several copies were burnt at the machine, "" where none was yet."""
        from olive_almanac.steps.job_jig import done_words
        from olive_almanac.steps.job_run import layout_key

        if self.job is None or self.result is None or not self.job.progress:
            return ""
        plan, begun = self.result.plan, {one.sheet for one in self.job.progress}
        last = {run.sheet: run for run in plan.runs if run.sheet in begun}  # of two sides
        known = {
            number: self.job.progress_on(number, layout_key(run), run.side)
            for number, run in last.items()
        }
        burnt = {number: one.burnt for number, one in known.items() if one.burnt}
        return done_words(plan, burnt) if burnt and plan.copies > 1 else ""

    def move(self, number: int, along_mm: float, up_mm: float) -> None:
        """Move a copy (counted over all sheets) by so much; it stays on its sheet, whole."""
        from olive_almanac.core.quoting.place import box_of

        if self.job is None or self.result is None or self.job.jig is not None:
            return
        plan = self.result.plan
        copies = list(self.job.placed or plan.placed)
        if not 0 <= number < len(copies):
            return
        copy = copies[number]
        box = box_of(plan.of(copy), copy)
        bed_w, bed_h = self._sheet_size(copy.sheet)
        left = min(max(0.0, box[0] + along_mm), max(0.0, bed_w - (box[2] - box[0])))
        low = min(max(0.0, box[1] + up_mm), max(0.0, bed_h - (box[3] - box[1])))
        x, y = copy.x_mm + left - box[0], copy.y_mm + low - box[1]
        copies[number] = replace(copy, x_mm=round(x, 2), y_mm=round(y, 2))
        self._keep(replace(self.job, placed=tuple(copies)), tr("copy moved"))

    def turn(self, number: int) -> None:
        """Turn a copy by a quarter; what is engraved is not turned, for tones hang on the direction
        of its lines.
        """
        if self.job is None or self.result is None or self.job.jig is not None:
            return
        plan = self.result.plan
        copies = list(self.job.placed or plan.placed)
        if not 0 <= number < len(copies):
            return
        if plan.of(copies[number]).is_engraved:
            self.session.tell(tr("It is not turned: tones hang on the direction of lines."))
        else:
            copies[number] = copies[number].quarter_on()
            self._keep(replace(self.job, placed=tuple(copies)), tr("copy turned"))

    def set_apart(self, apart: bool) -> None:
        """Place the pieces of the drawing one by one, or the drawing as it was drawn."""
        if self.job is not None:
            why = tr("pieces one by one") if apart else tr("as drawn")
            self._keep(replace(self.job, apart=apart, placed=()), why)

    def nesting(self) -> Iterator[tuple[Job, tuple[PlacedCopy, ...]]] | None:
        """Return the work that lays the copies closer, by their outlines: for a worker; None where
        nothing is laid out yet.
        """
        wish, made, job = self.wish(), self._work, self.job
        if wish is None or made is None or job is None or self.result is None:
            return None

        def work() -> Iterator[tuple[Job, tuple[PlacedCopy, ...]]]:
            from olive_almanac.steps.job_work import nesting

            for placed in nesting(wish, made[1]):
                yield job, placed

        return work()

    def take_nested(self, job: Job, placed: tuple[PlacedCopy, ...]) -> None:
        """Take the places that were found, if they are still of the job in hand."""
        if placed and job == self.job:
            self._keep(replace(job, placed=placed), tr("laid closer"))

    def lay_out_again(self) -> None:
        """Let the copies be laid out anew."""
        if self.job is not None and self.job.placed:
            self._keep(replace(self.job, placed=()), tr("laid out anew"))

    @property
    def sheets(self) -> tuple[Sheet, ...]:
        """What the job in hand is burnt on."""
        from olive_almanac.steps.job_work import sheets_for

        stock = self.session.subject.stock
        if stock is None or self.job is None:
            return ()
        return sheets_for(self.job, stock)

    def _sheet_size(self, number: int) -> tuple[float, float]:
        machine, sheets = self.session.subject.machine, self.sheets
        if number < len(sheets):
            return sheets[number].width_mm, sheets[number].height_mm
        return machine.bed_mm if machine is not None else (0.0, 0.0)

    def take_pace(self, rule: str) -> None:
        """Set the cuts of the job by the book, or by what was reckoned as least cost or surest."""
        if self.job is None or self.result is None:
            return
        pace = next((one for one in self.result.paces if one.rule == rule), None)
        if pace is None:
            return
        groups = []
        for task in self.job.groups:
            if task.task == "cut" and task.setting is not None:
                if rule == "book":
                    task = self.by_book(task)
                else:
                    task = replace(task, setting=pace.setting, entry_uid="")
            groups.append(task)
        self._keep(replace(self.job, groups=tuple(groups)), tr("pace: {rule}", rule=rule))

    def _keep(self, job: Job, why: str, *, in_files: bool = True) -> None:
        """Keep a change; files that were written before it are of another job than this."""
        if job == self.job:
            return
        if in_files:
            job = replace(job, written="")

        def keep() -> None:
            self.job = self.session.shop.keep_job(job, why)

        self.problem = ""
        if self.session.attempt(keep):
            self.refresh()

    # -- working out -------------------------------------------------------------------------------

    def wish(self) -> JobWish | None:
        """Return what is to be worked out, or None where nothing can be."""
        from olive_almanac.core.quoting.risk import earlier_jobs
        from olive_almanac.steps.job_work import JobWish

        machine, stock = self.session.subject.machine, self.session.subject.stock
        if self.job is None or self.drawing is None or machine is None or stock is None:
            return None
        lines = self.lines()
        tasks = tuple(line.task for line in lines if not line.barred)
        if not any(task.burns for task in tasks):
            return None
        pairs = self._pairs()
        return JobWish(
            self.drawing,
            tasks,
            machine,
            stock,
            self.job,
            self.sheets,
            self.job.placed or None,
            pairs=pairs,
            first=self._first(pairs),
            letters=self._letters_of_job(),
            tone=self._tone_of_job(),
            earlier=earlier_jobs([one for job in self.jobs for one in job.outcomes], stock.lot),
        )

    def _tone_of_job(self) -> ToneTable | DotTable | None:
        tone = self.tone() if self.drawing is not None and self.drawing.pictures else None
        return tone[1] if tone is not None else None

    def _letters_of_job(self) -> Letters | None:
        """The letters of the job's names; a font that is gone is told, and single strokes taken."""
        if self.job is None or not self.job.names:
            return None
        try:
            return self.letters(self.job.name_font)
        except AlmanacError as problem:
            self.problem = tr("{problem} Single strokes are taken.", problem=problem)
            return self.letters()

    def _pairs(self) -> tuple[Any, ...]:
        """The coupons behind the cut's entry, with their readings."""
        entry = self._entry_for("cut")
        if entry is None or self.session.library is None:
            return ()
        return self.session.trials.behind(entry)

    def _first(self, behind: Sequence[Any]) -> tuple[tuple[int | None, FirstCell], ...]:
        """The cells burnt today, each with its sheet, of the coupons that the entry does not rest
        on: a job of today shares more with them than any other.
        """
        from olive_almanac.steps.job_work import first_cells

        entry, counted_already = self._entry_for("cut"), {trial.id for trial, _ in behind}
        if entry is None or self.session.library is None:
            return ()
        return tuple(
            (trial.sheet.number if trial.sheet is not None else None, cell)
            for trial, readings in self.session.trials.burnt_today("cut")
            if trial.id not in counted_already and trial.recipes in ((), (entry.recipe,))
            for cell in first_cells(trial, readings)
        )

    def work(self) -> Iterator[JobResult | str] | None:
        """Return the work that works the job out, for a worker, with words where it takes long;
        None where there is nothing to do.
        """
        wish = self.wish()
        if wish is None:
            return None
        known = self._known

        def items() -> Iterator[JobResult | str]:
            from olive_almanac.steps.job_work import (
                knowledge_of,
                making_piecework,
                planning_of,
                result_of,
            )

            job = wish.job
            strip = self._tone[0] if self._tone is not None else None
            named = (strip, job.names, job.name_font, job.name_box_mm)
            apart = (job.apart, job.stack, job.jig is None, job.glow)
            handling = (job.rounds, apart, job.answers, wish.stock.thickness_mm, named)
            of = (wish.drawing, wish.tasks, wish.machine, *handling)
            made = self._work
            tell = _Telling()
            if made is not None and made[0] == of:
                piecework = made[1]
            else:
                piecework = yield from telling(
                    making_piecework(wish), lambda stage: tell.now(STAGES[stage])
                )
            self._work = (of, piecework)
            plan = None
            for plan in planning_of(wish, piecework):
                sheets = count_text(len(plan.runs), "sheet")
                yield tell.now(tr("{sheets} planned …", sheets=sheets))
            assert plan is not None
            key = (wish.machine, wish.stock, tuple(trial.id for trial, _ in wish.pairs))
            fitted = known[1] if known is not None and known[0] == key else None
            if fitted is None and wish.pairs:
                yield result_of(wish, piecework, plan)
                fitted = knowledge_of(wish.machine, wish.stock, wish.pairs)
            self._known = (key, fitted)
            yield result_of(wish, piecework, plan, fitted)

        return items()

    def take(self, result: JobResult) -> None:
        """Show what was worked out, if it is still of the job in hand."""
        if self.job is not None and result.wish.job == self.job:
            self.result = result
            self.show()

    def refresh(self) -> None:
        """Show the job, and have it worked out."""
        unread = self.job is not None and self.drawing is None
        self.show(working=unread or self.wish() is not None)
        self._view.work_asked()

    def show(self, *, working: bool = False) -> None:
        if self.wish() is None:
            self.result = None
        job, drawing, lines = self.job, self.drawing, self.lines()
        self._view.show_job(
            JobScreen(
                job, self.jobs, drawing, lines, self.result, working, self.problem, self.questions()
            )
        )

    # -- files, and what came of it ----------------------------------------------------------------

    @property
    def waits_for(self) -> str:
        """Why the job cannot be written yet, or nothing."""
        lines = self.lines()
        for line in lines:
            if line.barred:
                return f"{group_words(line.task.group)}: {line.barred}"
        lacking = [line for line in lines if line.needs_entry]
        if lacking:
            line = lacking[0]
            name = group_words(line.task.group)
            if line.is_picture:
                return tr(
                    "{name}: its greys need a {strips} that was read.",
                    name=name,
                    strips=STRIPS[line.in_dots][1],
                )
            return tr(
                "{name}: nothing is known yet to {task_words}.",
                name=name,
                task_words=line.task_words,
            )
        if not self.is_current:
            return tr("It is still being worked out.")
        if self.result is None or not self.result.plan.runs:
            return tr("There is nothing to burn yet.")
        return ""

    @property
    def is_current(self) -> bool:
        """Whether what was worked out is of the job, the machine and the sheets as they are now."""
        if self.result is None:
            return False
        wish, subject = self.result.wish, self.session.subject
        worked_for = (wish.job, wish.machine, wish.stock)
        return worked_for == (self.job, subject.machine, subject.stock)

    def writing(self) -> Iterator[tuple[JobResult, str]] | None:
        """Return the work that writes the files of the job, for a worker; None while it waits.

        It yields what is written, and in words what of it is in hand.
        """
        if self.waits_for or self.result is None or self.job is None:
            if self.waits_for:
                self.session.tell(self.waits_for)
            return None
        from olive_almanac.steps.job_work import write_job_files

        result, folder = self.result, job_folder(self.session.store.folder, self.job)
        checks = [
            tr(
                "{sheet}, {seconds} min: stay beside it",
                sheet=self.job.sheet_words(run.sheet, run.side),
                seconds=number_text(run.seconds / 60, 1),
            )
            for run in self.result.plan.runs
        ]
        focus = {task.setting.focus_mm for task in self.job.groups if task.burns and task.setting}
        heights = ", ".join(length_text(mm) for mm in sorted(focus))
        every = [
            tr("Focus {heights} below the top face", heights=heights),
            tr("Exhaust on, window open"),
            tr("Eyewear on"),
        ]
        unit = self.session.preferences.speed_unit
        before, after = self.recipe_checks
        lines = (*before, *every, *checks, *after)
        written = write_job_files(result, folder, checks=lines, speed_unit=unit, is_own=True)
        return ((result, words) for words in written)

    def written(self, result: JobResult) -> Path | None:
        """Note that the files were written of the job that they are of, in hand or not, and return
        where they lie; None where that job was changed meanwhile, which is told.
        """
        job = result.wish.job
        if self._job_now(job.uid) != job:
            self.session.tell(
                tr("{job} was changed while its files were written: write again.", job=job.name)
            )
            self.show()
            return None
        at = self._now().isoformat(timespec="seconds")
        plan = result.plan
        job = replace(job, written=at, seconds=plan.seconds, placed=plan.placed)

        def keep() -> None:
            kept = self.session.shop.keep_job(job, tr("files written"))
            if self.job is not None and self.job.uid == kept.uid:
                self.job = kept
                self.result = replace(result, wish=replace(result.wish, job=kept))

        self.session.attempt(keep)
        self.show()
        return job_folder(self.session.store.folder, job)

    def _job_now(self, uid: str) -> Job | None:
        """A job as it is now: the one in hand, or one of the library."""
        if self.job is not None and self.job.uid == uid:
            return self.job
        return next((one for one in self.session.catalogue.jobs if one.uid == uid), None)

    def keep_progress(self, uid: str, progress: JobProgress, why: str) -> None:
        """Keep how far the run of a sheet has come, of the job that it is of.  Raises
        AlmanacError.
        """
        job = self._job_now(uid)
        if job is None:
            return
        job = self.session.shop.keep_job(job.with_progress(progress), why)
        if self.job is not None and self.job.uid == uid:
            self.job = job
            if self.result is not None:
                self.result = replace(self.result, wish=replace(self.result.wish, job=job))

    @property
    def can_rehearse(self) -> bool:
        """Whether the stand-in bench may burn the job: in a library to play in."""
        library = self.session.library
        return library is not None and library.playground and self.is_current

    def rehearsing(self, bench: Bench) -> Iterator[tuple[str, ...]] | None:
        """Return the work in which the stand-in bench cuts the job: yields what becomes of each
        piece.
        """
        if not self.can_rehearse or self.result is None or self.job is None:
            return None
        wish, plan = self.result.wish, self.result.plan
        cut = next((one.setting for one in wish.tasks if one.task == "cut" and one.setting), None)
        if cut is None:
            return None
        every = plan.pieces_mm or (plan.cut_mm,)
        day = len(self.job.outcomes)

        def work() -> Iterator[tuple[str, ...]]:
            yield bench.cut_pieces(wish.machine, wish.stock, cut, every, day=day)

        return work()

    def tell_outcome(
        self, pieces: int, hung: int, knots: int = 0, *, spoilt: int = 0, cause: str = ""
    ) -> bool:
        """Keep what came of a run: the pieces told, the used areas marked on the sheets, and a good
        job as one proof of the entry that it was cut by.
        """
        if self.job is None or self.result is None or self.result.wish.job != self.job:
            return False
        try:
            told = JobOutcome(self.session.today().isoformat(), pieces, hung, knots)
            outcome = self._with_lesson(replace(told, spoilt=spoilt, cause=cause))
            outcome = replace(outcome, used=self._used_by_run())
        except AlmanacError as problem:
            self.problem = str(problem)
            self.show()
            return False
        job = self.job.with_outcome(outcome)

        def keep() -> None:
            self.job = self.session.shop.keep_job(job, tr("outcome told"))
            self._mark_used()
            self._prove(outcome)

        if not self.session.attempt(keep):
            return False
        self.refresh()
        return True

    def _used_by_run(self) -> Counters | None:
        """What the run used of the machine."""
        from olive_almanac.core.upkeep.usage import usage_of_plan

        if self.result is None:
            return None
        wish = self.result.wish
        return usage_of_plan(self.result.plan, wish.machine, wish.stock)

    def _with_lesson(self, told: JobOutcome) -> JobOutcome:
        """What was told, with what it teaches: the setting of the cuts and how much was cut."""
        stock = self.session.subject.stock
        groups = self.job.groups if self.job is not None else ()
        cuts = {one.setting for one in groups if one.task == "cut" and one.setting is not None}
        if self.result is None or stock is None or len(cuts) != 1:
            return told  # several settings: nobody knows which of them hung
        cut_mm = self.result.plan.cut_mm
        return replace(told, setting=cuts.pop(), cut_mm=cut_mm, lot=stock.lot)

    def _mark_used(self) -> None:
        """Mark what was burnt as used on the sheets of the rack, once."""
        stock = self.session.subject.stock
        in_jig = self.job is not None and self.job.jig is not None
        if stock is None or self.result is None or not stock.sheets or in_jig:
            return
        changed = _with_used(stock, self.result)
        if changed != stock:
            self.session.shop.keep_stock(changed, tr("burnt in a job"))

    def rest_of(self, number: int) -> tuple[float, float, float, float] | None:
        """Return the largest free piece of a sheet of the rack, mm of the sheet; None where it is
        too small to keep, or the whole sheet, or before what a written job burnt of it is marked.
        """
        from olive_almanac.core.placing.room import largest_piece

        stock = self.session.subject.stock
        if self.job is None or self.job.jig is not None:
            return None
        if stock is None or number >= len(stock.sheets) or not stock.sheets[number].used_mm:
            return None
        if self.job.written and self.result and _with_used(stock, self.result) != stock:
            return None
        sheet = replace(stock.sheets[number], clamps_mm=())
        rest = largest_piece(sheet, 0.0)
        if rest is None or min(rest[2] - rest[0], rest[3] - rest[1]) < LEAST_OFFCUT_MM:
            return None
        return rest

    def make_offcut(self, number: int) -> None:
        """Let the rack keep the rest of a sheet as a sheet of its own size, cut square."""
        stock, rest = self.session.subject.stock, self.rest_of(number)
        if stock is None or rest is None:
            return
        sheets = list(stock.sheets)
        sheets[number] = Sheet(round(rest[2] - rest[0], 1), round(rest[3] - rest[1], 1))
        changed = replace(stock, sheets=tuple(sheets))
        why = tr("the rest became an offcut")
        kept = self.session.attempt(lambda: self.session.shop.change_stock(changed, why))
        if kept and self.job is not None:
            self._keep(replace(self.job, placed=()), why)

    @property
    def recipes(self) -> tuple[Recipe, ...]:
        """How the pieces of the job are prepared: by the entries that its groups go by."""
        if self.job is None:
            return ()
        entries = self.session.catalogue.entry_by_uid
        used = [entries[one.entry_uid] for one in self.job.groups if one.entry_uid in entries]
        return tuple(dict.fromkeys(one.recipe for one in used if not one.recipe.is_plain))

    @property
    def by_hand_words(self) -> str:
        """How long preparing and finishing take, sheet by sheet, and what that costs at the hour of
        the machine; empty where nothing is done.
        """
        minutes = sum(recipe.minutes for recipe in self.recipes)
        machine = self.session.subject.machine
        if not minutes or self.result is None or machine is None:
            return ""
        whole = minutes * len({run.sheet for run in self.result.plan.runs})
        told = f"{number_text(whole, 3)} min"
        if machine.rate is None:
            return told
        cost = fixed_text(whole / 60 * machine.rate, 2)
        return f"{told}, {cost} {self.session.preferences.currency}"

    @property
    def recipe_checks(self) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """What is done to the pieces before and after the burn, as lines to tick."""
        before = tuple(f"{one.words}: {one.detail}" for one in preparing_lines(self.recipes))
        return before, tuple(
            tr("After it, {one}", one=one) for one in finishing_words(self.recipes)
        )

    def _prove(self, outcome: JobOutcome) -> None:
        """A job in which all fell free is one proof of the cut's entry, at most one a day and
        sheet, where it was cut no slower than by the entry; a hang off a knot is a failure.
        """
        entry, stock = self._entry_for("cut"), self.session.subject.stock
        machine, job = self.session.subject.machine, self.job
        if entry is None or stock is None or machine is None or job is None:
            return
        cuts = [task for task in job.groups if task.task == "cut" and task.setting is not None]
        if not cuts:
            return
        slower = any(not task.entry_uid for task in cuts)
        failed = outcome.hung > outcome.knots
        if slower and not failed:
            return
        proof = Proof(
            outcome.on,
            "failed" if failed else "passed",
            stock.lot,
            machine.state,
            tr("job {job}", job=job.name),
            tr("job {uid}", uid=job.uid[:8]),
            recipe=key_of(entry.recipe),
        )
        if any(proof.repeats(other) for other in entry.proofs):
            return
        why = tr("job {job}: {pieces} hung", job=job.name, pieces=count_text(outcome.hung, "piece"))
        changed = replace(entry, proofs=(*entry.proofs, proof))
        self.session.shop.keep_entry(changed, why, tr("what came of {job}", job=job.name))


def _with_used(stock: Stock, result: JobResult) -> Stock:
    sheets = list(stock.sheets)
    for run in result.plan.runs:
        if run.sheet >= len(sheets):
            continue
        sheet = sheets[run.sheet]
        fresh = tuple(box for box in run.used_mm if box not in sheet.used_mm)
        sheets[run.sheet] = replace(sheet, used_mm=(*sheet.used_mm, *fresh))
    return replace(stock, sheets=tuple(sheets))
