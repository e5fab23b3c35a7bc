"""Records as plain dicts and lists, and back, driven by the records' own type hints.

Everything that leaves memory (files between stations, the library, the snapshot) passes through
here, so that one wording tells the operator what is wrong in a file and where.
"""

from __future__ import annotations

import dataclasses
import functools
import math
import types
import typing
from collections.abc import Callable, Mapping
from typing import Any, Literal, TypeVar, Union, get_args, get_origin

from olive_almanac.core.errors import AlmanacError, BadFile

__all__ = ["from_plain", "to_plain"]

R = TypeVar("R")
_WRITERS: dict[type, Callable[[Any], Any]] = {}
_PLAIN = frozenset((str, int, float, bool, type(None)))


def to_plain(record: Any) -> Any:
    """Return a record as dicts, lists, numbers, texts and None; fields kept in `extra` return to
    their level.
    """
    return _writer_for(record)(record)


def from_plain(kind: type[R], plain: object, where: str = "") -> R:
    """Return the record of class `kind` that `plain` describes.

    Unknown fields are kept in the record's `extra` where it has one, and dropped elsewhere.  Raises
    BadFile with the place (`where` names the file) and what is wrong.
    """
    try:
        return typing.cast(R, _quick(typing.cast(typing.Hashable, kind))(plain))
    except (_Unsure, AlmanacError):  # the slow way finds out what is wrong, and where
        return typing.cast(R, _read(kind, plain, where))


def _writer_for(value: Any) -> Callable[[Any], Any]:
    """How values of this one's type become plain; found out once for a type, since every act of the
    operator waits for it.
    """
    kind = type(value)
    if kind not in _WRITERS:
        _WRITERS[kind] = _writer(kind)
    return _WRITERS[kind]


def _writer(kind: type) -> Callable[[Any], Any]:
    if dataclasses.is_dataclass(kind):
        return _record_writer(kind)
    if issubclass(kind, (tuple, list)):
        return lambda record: [_writer_for(item)(item) for item in record]
    if issubclass(kind, Mapping):
        return lambda record: {str(key): _writer_for(value)(value) for key, value in record.items()}
    return lambda record: record


def _record_writer(kind: Any) -> Callable[[Any], Any]:
    names = tuple(field.name for field in dataclasses.fields(kind))

    def write(record: Any) -> dict[str, Any]:
        fields = record.__dict__
        plain: dict[str, Any] = {}
        for name in names:
            value = fields[name]
            plain[name] = value if type(value) in _PLAIN else _writer_for(value)(value)
        extra: dict[str, Any] = plain.pop("extra", {})
        return plain | extra

    return write


class _Unsure(Exception):
    """The quick way met something that it does not know."""


def _refuse(_plain: object) -> Any:
    raise _Unsure


@functools.cache
def _quick(kind: Any) -> Callable[[Any], Any]:
    """A reader of one type for what is written as we write it; raises _Unsure for anything else."""
    origin = get_origin(kind)
    if dataclasses.is_dataclass(kind):
        return _quick_record(typing.cast(type, kind))
    if origin in (Union, types.UnionType):
        options = [option for option in get_args(kind) if option is not type(None)]
        other, may_be_none = _quick(options[0]), len(options) < len(get_args(kind))
        return lambda plain: None if plain is None and may_be_none else other(plain)
    if origin is Literal:
        words = frozenset(get_args(kind))
        return lambda plain: (
            plain if type(plain) in (str, int) and plain in words else _refuse(plain)
        )
    if origin is tuple and len(get_args(kind)) == 2 and get_args(kind)[1] is Ellipsis:
        item = _quick(get_args(kind)[0])
        return lambda plain: (
            tuple([item(one) for one in plain]) if type(plain) is list else _refuse(plain)
        )
    if kind is float:
        return lambda plain: (
            plain
            if type(plain) is float and plain - plain == 0
            else float(plain)
            if type(plain) is int
            else _refuse(plain)
        )
    if kind in (str, int, bool):
        return lambda plain: plain if type(plain) is kind else _refuse(plain)
    return _refuse


def _quick_record(kind: type) -> Callable[[Any], Any]:
    hints = _hints(kind)
    readers = {
        field.name: _quick(hints[field.name])
        for field in dataclasses.fields(kind)
        if field.name != "extra"
    }
    needed = {
        field.name
        for field in dataclasses.fields(kind)
        if field.default is dataclasses.MISSING and field.default_factory is dataclasses.MISSING
    }

    def read(plain: Any) -> Any:
        if (
            type(plain) is not dict
            or not needed <= plain.keys()
            or not plain.keys() <= readers.keys()
        ):
            raise _Unsure  # also where fields are unknown: the slow way keeps or drops them
        return kind(**{name: readers[name](value) for name, value in plain.items()})

    return read


@functools.cache
def _hints(kind: type) -> dict[str, Any]:
    return typing.get_type_hints(kind)


def _read(kind: Any, plain: object, where: str) -> Any:
    origin = get_origin(kind)
    if dataclasses.is_dataclass(kind):
        return _read_record(typing.cast(type, kind), plain, where)
    if origin in (Union, types.UnionType):
        options = [option for option in get_args(kind) if option is not type(None)]
        if plain is None and len(options) < len(get_args(kind)):
            return None
        return _read(options[0], plain, where)
    if origin is Literal:
        if plain not in get_args(kind):
            raise BadFile(
                f"{where} is {_shown(plain)}: one of {', '.join(map(str, get_args(kind)))} is "
                "expected."
            )
        return plain
    if origin is tuple:
        return _read_tuple(get_args(kind), plain, where)
    if origin is dict:
        if not isinstance(plain, Mapping):
            raise BadFile(f"{where} is {_shown(plain)}: a group of fields is expected.")
        return dict(plain)
    return _read_scalar(kind, plain, where)


def _read_record(kind: type, plain: object, where: str) -> Any:
    if not isinstance(plain, Mapping):
        raise BadFile(
            f"{where or kind.__name__} is {_shown(plain)}: a group of fields is expected."
        )
    hints = _hints(kind)
    values: dict[str, Any] = {}
    for field in dataclasses.fields(kind):
        if field.name == "extra":
            continue
        if field.name in plain:
            values[field.name] = _read(
                hints[field.name], plain[field.name], _below(where, field.name)
            )
        elif field.default is dataclasses.MISSING and field.default_factory is dataclasses.MISSING:
            raise BadFile(f"{_below(where, field.name)} is missing.")
    unknown = {str(key): value for key, value in plain.items() if key not in hints}
    if "extra" in hints:
        values["extra"] = unknown
    try:
        return kind(**values)
    except BadFile:
        raise
    except AlmanacError as problem:
        raise BadFile(f"{where or kind.__name__}: {problem}") from problem


def _read_tuple(items: tuple[Any, ...], plain: object, where: str) -> tuple[Any, ...]:
    if not isinstance(plain, (list, tuple)):
        raise BadFile(f"{where} is {_shown(plain)}: a list is expected.")
    if len(items) == 2 and items[1] is Ellipsis:
        return tuple(_read(items[0], item, f"{where}[{i}]") for i, item in enumerate(plain))
    if len(plain) != len(items):
        raise BadFile(f"{where} holds {len(plain)} values: {len(items)} are expected.")
    return tuple(
        _read(kind, item, f"{where}[{i}]")
        for i, (kind, item) in enumerate(zip(items, plain, strict=True))
    )


def _read_scalar(kind: Any, plain: object, where: str) -> Any:
    if kind is bool and isinstance(plain, bool):
        return plain
    if kind in (int, float) and isinstance(plain, (int, float)) and not isinstance(plain, bool):
        if not math.isfinite(plain):
            raise BadFile(f"{where} is {plain}: a finite number is expected.")
        if kind is float:
            return float(plain)
        if int(plain) == plain:
            return int(plain)
    if kind is str and isinstance(plain, str):
        return plain
    expected = {bool: "true or false", int: "a whole number", float: "a number", str: "a text"}.get(
        kind, str(kind)
    )
    raise BadFile(f"{where} is {_shown(plain)}: {expected} is expected.")


def _below(where: str, name: str) -> str:
    if where and not where.endswith(": "):
        return f"{where}.{name}"
    return f"{where}{name}"


def _shown(value: object) -> str:
    text = repr(value)
    if len(text) <= 40:
        return text
    return text[:37] + "..."
