"""All rows of a library, out and in: a merge never loses a revision, and says where both sides had
changed the same thing.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr

__all__ = ["TABLES", "Conflict", "Merged", "merged_rows"]

TABLES = (
    "machine",
    "stock",
    "trial",
    "reading",
    "run",
    "entry",
    "rule",
    "job",
    "act",
)  # in the order in which they are taken in
Row = dict[str, Any]
NUMBERED = ("revision",)


@dataclass(frozen=True)
class Conflict:
    """A record that both libraries had changed since they parted; `kept` says which side's is in
    force ("ours", "theirs").
    """

    table: str
    uid: str
    kept: str
    ours_at: str
    theirs_at: str


@dataclass(frozen=True)
class Merged:
    """What a merge took in, where both sides had changed the same record, and what was left out
    because it could not be read.
    """

    revisions: int
    photos: int
    conflicts: tuple[Conflict, ...]
    left_out: tuple[str, ...] = ()

    @property
    def says(self) -> str:
        told = tr("Nothing new: everything that can be read was here already.")
        if not self.left_out:
            told = tr("Nothing new: everything was here already.")
        if self.revisions or self.photos:
            revisions, photos = count_text(self.revisions, "revision"), self.photos
            told = tr(
                "{revisions} and {photos} taken in.",
                revisions=revisions,
                photos=count_text(photos, "photo"),
            )
        if self.conflicts:
            told += tr(
                " {records} changed on both sides; the newer one is in force, the other is "
                "in the history.",
                records=count_text(len(self.conflicts), "record"),
            )
        if self.left_out:
            told += f" {_left_out_words(self.left_out)}"
        return told


def _left_out_words(left_out: Sequence[str]) -> str:
    """Which revisions were left out: the first with what is wrong in it."""
    if len(left_out) == 1:
        return tr("1 revision cannot be read and was left out: {left_out}", left_out=left_out[0])
    return tr(
        "{left_out} revisions cannot be read and were left out; the first: {left_out2}",
        left_out=len(left_out),
        left_out2=left_out[0],
    )


def _content(row: Mapping[str, Any]) -> tuple[tuple[str, Any], ...]:
    """What a revision says, without its number: equal ones are the same revision."""
    return tuple(sorted((key, value) for key, value in row.items() if key not in NUMBERED))


def merged_rows(
    table: str, ours: Sequence[Row], theirs: Sequence[Row]
) -> tuple[list[Row], list[Conflict]]:
    """Return the rows to add to ours, numbered on, so that every revision of theirs is there too;
    and the conflicts.

    Where both sides have revisions that the other lacks, theirs follow ours; what is the newer of
    both by its time is stated once more at the end where it would not stand last, so that it is in
    force.
    """
    added: list[Row] = []
    conflicts: list[Conflict] = []
    by_uid: dict[str, tuple[list[Row], list[Row]]] = {}
    for side, rows in enumerate((ours, theirs)):
        for row in sorted(rows, key=lambda one: int(one["revision"])):
            by_uid.setdefault(row["uid"], ([], []))[side].append(row)
    for uid, (here, there) in by_uid.items():
        known, brought = {_content(row) for row in here}, {_content(row) for row in there}
        fresh = [row for row in there if _content(row) not in known]
        own = [row for row in here if _content(row) not in brought]
        if not fresh:
            continue
        follow, in_force = list(fresh), there[-1]
        if own and (here[-1]["body"], here[-1]["removed"]) != (
            there[-1]["body"],
            there[-1]["removed"],
        ):
            newer_here = here[-1]["at"] > there[-1]["at"]
            conflicts.append(
                Conflict(
                    table, uid, "ours" if newer_here else "theirs", here[-1]["at"], there[-1]["at"]
                )
            )
            if newer_here:
                in_force = here[-1]
            else:
                in_force = there[-1]
        if _content(follow[-1]) != _content(in_force):
            follow.append(
                {**in_force, "why": tr("in force after a merge: the newest of both libraries")}
            )
        last = max((int(row["revision"]) for row in here), default=0)
        added += [{**row, "revision": last + n} for n, row in enumerate(follow, 1)]
    return added, conflicts
