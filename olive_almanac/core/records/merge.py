"""Two changes of one record, made at the same time from the same state, put together."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from typing import Any, TypeVar

__all__ = ["merge_changes"]

R = TypeVar("R")


def merge_changes(base: R, mine: R, theirs: R) -> tuple[R, tuple[str, ...]]:
    """Return the record with both changes in it, and the names of the fields that both changed and
    that cannot be put together; in those `theirs` stands.

    Lists and groups are put together item by item: what either added is there, what either took
    away is not.
    """
    changes: dict[str, Any] = {}
    clashes: list[str] = []
    for field in dataclasses.fields(mine):  # type: ignore[arg-type]
        was, ours, other = (getattr(one, field.name) for one in (base, mine, theirs))
        changes[field.name], inner = _together(was, ours, other)
        clashes += [".".join(filter(None, (field.name, name))) for name in inner]
    return dataclasses.replace(theirs, **changes), tuple(clashes)  # type: ignore[type-var]


def _together(was: Any, ours: Any, other: Any) -> tuple[Any, tuple[str, ...]]:
    """One value with both changes, and where in it they clash ("" for the whole of it)."""
    if ours in (was, other):
        return other, ()
    if other == was:
        return ours, ()
    if isinstance(ours, tuple) and isinstance(other, tuple):
        return _joined_list(was or (), ours, other), ()
    if isinstance(ours, Mapping) and isinstance(other, Mapping):
        return _joined_group(was or {}, ours, other), ()
    if dataclasses.is_dataclass(ours) and type(ours) is type(other) is type(was):
        return merge_changes(was, ours, other)
    return other, ("",)


def _joined_list(
    was: tuple[Any, ...], ours: tuple[Any, ...], other: tuple[Any, ...]
) -> tuple[Any, ...]:
    gone = [item for item in was if item not in ours]
    added = [item for item in ours if item not in was and item not in other]
    return (*(item for item in other if item not in gone), *added)


def _joined_group(
    was: Mapping[str, Any], ours: Mapping[str, Any], other: Mapping[str, Any]
) -> dict[str, Any]:
    kept = {key: value for key, value in other.items() if key in ours or key not in was}
    changed = {key: value for key, value in ours.items() if key not in was or was[key] != value}
    return {**kept, **changed}
