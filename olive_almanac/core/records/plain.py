"""Records as plain dicts and lists, and back, driven by the records' own type hints.

Everything that leaves memory (files between stations, the library, the snapshot) passes through
here, so that one wording tells the operator what is wrong in a file and where.  What a type needs
is found out once; a place is only worked out where something is wrong.
"""

from __future__ import annotations

import dataclasses
import functools
import math
import types
import typing
from collections.abc import Callable, Mapping
from typing import Any, Literal, NoReturn, TypeVar, Union, get_args, get_origin

from olive_almanac.core.errors import AlmanacError, BadFile
from olive_almanac.core.words import tr

__all__ = ["from_plain", "to_plain"]

R = TypeVar("R")
Reader = Callable[[Any], Any]
LARGEST = 1e12  # no length, time, power or price of a shop; its square is still a number
_WRITERS: dict[type, Callable[[Any], Any]] = {}
_PLAIN = frozenset((str, int, float, bool, type(None)))
_EXPECTED = {
    bool: tr("true or false"),
    int: tr("a whole number"),
    float: tr("a number"),
    str: tr("a text"),
}


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
        return typing.cast(R, _reader(typing.cast(typing.Hashable, kind))(plain))
    except _Wrong as wrong:
        raise BadFile(wrong.sentence(where)) from wrong.__cause__


# -- writing ---------------------------------------------------------------------------------------


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
    # fields that came later are written only where they say something, so that files stay the same
    only_if_set = {
        field.name: field.default
        for field in dataclasses.fields(kind)
        if field.metadata.get("written") == "if set"
    }

    def write(record: Any) -> dict[str, Any]:
        fields = record.__dict__
        plain: dict[str, Any] = {}
        for name in names:
            value = fields[name]
            if name in only_if_set and value == only_if_set[name]:
                continue
            if type(value) not in _PLAIN:
                value = _writer_for(value)(value)
            plain[name] = value
        extra: dict[str, Any] = plain.pop("extra", {})
        return plain | extra

    return write


# -- reading ---------------------------------------------------------------------------------------


class _Wrong(Exception):
    """Something is wrong at a place: `path` leads there from the outermost record, names and
    numbers; `subject` stands for it where it has no name.
    """

    def __init__(self, text: str, subject: str = "") -> None:
        super().__init__(text)
        self.text, self.subject = text, subject
        self.path: list[str | int] = []

    def below(self, step: str | int) -> _Wrong:
        """The same, seen from one level higher."""
        self.path.insert(0, step)
        return self

    def sentence(self, where: str) -> str:
        place = where
        for step in self.path:
            if isinstance(step, int):
                place += f"[{step}]"
            elif place and not place.endswith(": "):
                place += f".{step}"
            else:
                place += step
        return f"{place or self.subject}{self.text}"


def _is_not(plain: object, expected: str, subject: str = "") -> NoReturn:
    text = repr(plain)
    if len(text) > 40:
        text = text[:37] + "..."
    raise _Wrong(tr(" is {text}: {expected} is expected.", text=text, expected=expected), subject)


@functools.cache
def _reader(kind: Any) -> Reader:
    """The reader of one type; it raises _Wrong."""
    origin = get_origin(kind)
    if kind is Any or kind is object:
        return lambda plain: plain
    if dataclasses.is_dataclass(kind):
        return _record_reader(typing.cast(type, kind))
    if origin in (Union, types.UnionType):
        return _optional_reader(get_args(kind))
    if origin is Literal:
        return _choice_reader(get_args(kind))
    if origin is tuple:
        return _tuple_reader(get_args(kind))
    if origin is dict:
        return _dict_reader(_reader(get_args(kind)[1]))
    if kind is float:
        return _read_float
    if kind is int:
        return _read_int
    if kind is str:
        return _read_text
    return _exact_reader(kind)


def _optional_reader(options: tuple[Any, ...]) -> Reader:
    others = [option for option in options if option is not type(None)]
    read, may_be_none = _reader(others[0]), len(others) < len(options)

    def optional(plain: Any) -> Any:
        if plain is None and may_be_none:
            return None
        return read(plain)

    return optional


def _choice_reader(words: tuple[Any, ...]) -> Reader:
    known = frozenset(words)

    def choice(plain: Any) -> Any:
        if isinstance(plain, (str, int)) and plain in known:
            return plain
        _is_not(plain, tr("one of {str}", str=", ".join(map(str, words))))

    return choice


def _tuple_reader(items: tuple[Any, ...]) -> Reader:
    if len(items) == 2 and items[1] is Ellipsis:
        return _list_reader(_reader(items[0]))
    readers = [_reader(item) for item in items]

    def fixed(plain: Any) -> tuple[Any, ...]:
        if not isinstance(plain, (list, tuple)):
            _is_not(plain, tr("a list"))
        if len(plain) != len(readers):
            raise _Wrong(
                tr(
                    " holds {plain} values: {readers} are expected.",
                    plain=len(plain),
                    readers=len(readers),
                )
            )
        pairs = enumerate(zip(readers, plain, strict=True))
        return tuple(_item(read, one, at) for at, (read, one) in pairs)

    return fixed


def _list_reader(read: Reader) -> Reader:
    def items(plain: Any) -> tuple[Any, ...]:
        if not isinstance(plain, (list, tuple)):
            _is_not(plain, tr("a list"))
        return tuple(_item(read, one, at) for at, one in enumerate(plain))

    return items


def _item(read: Reader, plain: Any, at: int) -> Any:
    try:
        return read(plain)
    except _Wrong as wrong:
        raise wrong.below(at) from wrong.__cause__


def _dict_reader(read: Reader) -> Reader:
    def group(plain: Any) -> dict[str, Any]:
        if not isinstance(plain, Mapping):
            _is_not(plain, tr("a group of fields"))
        values = {}
        for name, value in plain.items():
            try:
                values[name] = read(value)
            except _Wrong as wrong:
                raise wrong.below(str(name)) from wrong.__cause__
        return values

    return group


def _read_float(plain: Any) -> float:
    if type(plain) is float:
        if -LARGEST <= plain <= LARGEST:
            return plain
        if plain - plain != 0:
            raise _Wrong(tr(" is {plain}: a finite number is expected.", plain=plain))
    elif not isinstance(plain, int) or isinstance(plain, bool):
        _is_not(plain, _EXPECTED[float])
    elif -LARGEST <= plain <= LARGEST:
        return float(plain)
    raise _Wrong(tr(" is larger than any number here: a finite number is expected."))


def _read_int(plain: Any) -> int:
    if isinstance(plain, int) and not isinstance(plain, bool):
        return plain
    if isinstance(plain, float):
        if not math.isfinite(plain):
            raise _Wrong(tr(" is {plain}: a finite number is expected.", plain=plain))
        if int(plain) == plain:
            return int(plain)
    _is_not(plain, _EXPECTED[int])


def _read_text(plain: Any) -> str:
    if not isinstance(plain, str):
        _is_not(plain, _EXPECTED[str])
    if not plain.isascii():
        try:
            plain.encode()
        except UnicodeEncodeError:
            raise _Wrong(tr(" holds half a character: a whole text is expected.")) from None
    return plain


def _exact_reader(kind: Any) -> Reader:
    def exact(plain: Any) -> Any:
        if type(plain) is kind:
            return plain
        _is_not(plain, _EXPECTED.get(kind, str(kind)))

    return exact


def _record_reader(kind: type) -> Reader:
    hints = typing.get_type_hints(kind)
    fields = [field for field in dataclasses.fields(kind) if field.name != "extra"]
    readers = [(field.name, _reader(hints[field.name])) for field in fields]
    known = frozenset((*(name for name, _ in readers), "extra"))
    needed = [
        field.name
        for field in fields
        if field.default is dataclasses.MISSING and field.default_factory is dataclasses.MISSING
    ]

    def read(plain: Any) -> Any:
        if not isinstance(plain, Mapping):
            _is_not(plain, tr("a group of fields"), kind.__name__)
        values: dict[str, Any] = {}
        for name, read_field in readers:
            if name in plain:
                try:
                    values[name] = read_field(plain[name])
                except _Wrong as wrong:
                    raise wrong.below(name) from wrong.__cause__
        for name in needed:
            if name not in values:
                raise _Wrong(tr(" is missing.")).below(name)
        if "extra" in hints:
            values["extra"] = {str(key): plain[key] for key in plain if key not in known}
        try:
            return kind(**values)
        except AlmanacError as problem:
            raise _Wrong(f": {problem}", kind.__name__) from problem

    return read
