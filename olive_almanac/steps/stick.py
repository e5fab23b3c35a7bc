"""What is taken to a machine on a stick, under names that say what they burn."""

from __future__ import annotations

import itertools
import re
import unicodedata
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from olive_almanac.core.errors import BadFile
from olive_almanac.core.quoting.job_plan import SheetRun
from olive_almanac.core.records.job import Job
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr
from olive_almanac.steps.files import below, write_file
from olive_almanac.steps.job_work import sheet_file
from olive_almanac.steps.jobs import job_folder
from olive_almanac.steps.trial_files import burn_folder

__all__ = ["coupon_to", "job_to"]

MOST_SIGNS = 24  # of a name: what a machine's own list shows in a line
SIGNS_OF_ID = 4  # so that two of one name do not take each other's place
PIECE_BYTES = 1_000_000
FOR_A_MACHINE = (".nc", ".svg")


def coupon_to(folder: Path, library: Path, trial: Trial) -> Iterator[str]:
    """Copy the program and the drawing of a coupon into a folder; yields how far it is, in words.

    Raises AlmanacError with a sentence.
    """
    called = _called(trial.name, tr("coupon"), trial.id)
    yield from _copied(burn_folder(library, trial), folder, {"coupon": called})


def job_to(folder: Path, library: Path, job: Job, runs: Sequence[SheetRun]) -> Iterator[str]:
    """Copy the program and the drawing of each run of a job into a folder; yields how far it is, in
    words.

    Raises AlmanacError with a sentence.
    """
    called = _called(job.name, tr("job"), job.uid)
    sheets = [sheet_file(job, run) for run in runs]
    yield from _copied(
        job_folder(library, job), folder, {sheet: f"{called}-{sheet}" for sheet in sheets}
    )


def _called(name: str, without: str, uid: str) -> str:
    """A name that any controller's list can show: small letters and digits of ASCII."""
    letters = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    words = re.sub("[^a-z0-9]+", "-", letters)[:MOST_SIGNS].strip("-")
    return f"{words or without}-{uid[:SIGNS_OF_ID]}"


def _copied(source: Path, folder: Path, called: Mapping[str, str]) -> Iterator[str]:
    """Copy files that get other names there, each for itself whole."""
    files = list(itertools.product(called, FOR_A_MACHINE))
    for number, (name, suffix) in enumerate(files, start=1):
        target = below(folder, f"{called[name]}{suffix}")
        write_file(target, _pieces(source / f"{name}{suffix}"))
        yield tr(
            "{number} of {count} files are in {folder}: {name}",
            number=number,
            count=len(files),
            folder=folder,
            name=target.name,
        )


def _pieces(path: Path) -> Iterator[bytes]:
    try:
        with path.open("rb") as file:
            yield from iter(lambda: file.read(PIECE_BYTES), b"")
    except OSError as problem:
        raise BadFile(
            tr(
                "{path} cannot be read ({strerror}). Write the files again.",
                path=path,
                strerror=problem.strerror,
            )
        ) from problem
