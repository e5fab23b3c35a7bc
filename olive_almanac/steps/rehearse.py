"""A rehearsal: a coupon burnt on the stand-in bench in a library of its own, thrown away after."""

from __future__ import annotations

import shutil
from pathlib import Path

from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr
from olive_almanac.steps.ports import Library

__all__ = ["begin_rehearsal", "rehearsal_folder", "sweep_rehearsal"]


def rehearsal_folder(home: Path) -> Path:
    """Return where the one rehearsal of a library lies."""
    return home / "rehearsal-to-throw-away"  # nobody calls a folder of their own so


def sweep_rehearsal(home: Path) -> None:
    """Delete the rehearsal of a library, where there is one.  Raises LibraryTrouble."""
    folder = rehearsal_folder(home)
    if not folder.exists():
        return
    try:
        shutil.rmtree(folder)
    except OSError as problem:
        raise LibraryTrouble(
            tr(
                "The last rehearsal in {folder} cannot be deleted ({strerror}). Delete the "
                "folder yourself; nothing of the book lies in it.",
                folder=folder,
                strerror=problem.strerror,
            ),
            "unwritable",
        ) from problem


def begin_rehearsal(library: Library, trial: Trial) -> None:
    """Fill an empty library with a trial, its machine and its stock, ready to be burnt.

    Raises LibraryTrouble.
    """
    library.make_playground()
    library.save_machine(trial.machine, "rehearsal")
    library.save_stock(trial.stock, "rehearsal")
    library.save_trial(trial, "burn", "rehearsal")
