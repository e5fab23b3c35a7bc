"""The layers of a job that are glued on each other: what is picked of them, as a changed job."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from olive_almanac.core.quoting.layers import guide_inset, layers_of
from olive_almanac.core.records.job import GUIDES, LEAVE_OUT, GroupTask, Job, group_words
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.stack import Stack
from olive_almanac.core.units import read_number
from olive_almanac.core.words import tr

__all__ = ["can_stack", "inset_words", "layer_words", "stack_from", "stacked"]


def _burnt_groups(job: Job) -> list[str]:
    return [one.group for one in job.groups if one.task != LEAVE_OUT and one.group != GUIDES]


def can_stack(job: Job) -> bool:
    """Whether a job's drawing has named layers that could lie on each other."""
    named = [one.group for one in job.groups if one.task == "cut" and " / " in one.group]
    return len(layers_of(named, Stack())) > 1


def layer_words(job: Job, stack: Stack) -> tuple[str, ...]:
    """Return the layers of a job from the base up, as they are told."""
    return tuple(group_words(name) for name in layers_of(_burnt_groups(job), stack))


def stack_from(base: str, place: str, taped: str) -> Stack:
    """Return how layers lie on each other, as it was picked and typed.  Raises OutOfRange."""
    place_mm = read_number(place, tr("How true a layer is placed"))
    return Stack(base == "first", place_mm, taped == "tape")


def inset_words(stack: Stack, machine: Machine) -> str:
    """Return how far inside an outline its guide is scored, in words."""
    inset = guide_inset(machine.spot_longer_mm, stack.place_mm)
    return tr(
        "Each layer is scored {inset:.2f} mm inside the outline of the next one.", inset=inset
    )


def stacked(job: Job, stack: Stack | None, by_book: Callable[[GroupTask], GroupTask]) -> Job:
    """Return the job with its layers on each other and a group for their guides, or side by side
    again.
    """
    groups = tuple(one for one in job.groups if one.group != GUIDES)
    if stack is not None:
        before = next((one for one in job.groups if one.group == GUIDES), None)
        groups = (*groups, before or by_book(GroupTask(GUIDES, "score")))
    return replace(job, groups=groups, stack=stack, placed=(), apart=False, names=(), jig=None)
