"""The serial port of the machine at this computer: its settings as typed, and how its controller
speaks.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr
from olive_almanac.steps.preferences import Preferences
from olive_almanac.steps.set_up import Field
from olive_almanac.steps.stream import LinkWords

__all__ = ["port_fields", "preferences_with_port", "words_of"]

LINES_HELD = 40  # by a controller that tells none: common practice, no source
BAUDS = (9600, 19200, 38400, 57600, 115200, 230400, 250000)
_CODES = ("asks", "holds", "goes_on", "stops")


def words_of(preferences: Preferences) -> LinkWords:
    """Return how the controller on the port speaks; its answers do not tell which line is done
    unless they look like ours.
    """
    usual = LinkWords()
    if len(preferences.port_words) != 7:
        return usual
    takes, refuses, tells, *codes = preferences.port_words
    asks, holds, goes_on, stops = (
        _bytes(code, name) for name, code in zip(_CODES, codes, strict=True)
    )
    ours = tells == usual.tells
    return replace(
        usual,
        takes=takes,
        refuses=refuses,
        tells=tells,
        numbers=ours,
        done_lines=ours,
        lines_ahead=LINES_HELD if not ours else usual.lines_ahead,
        bytes_ahead=120 if not ours else usual.bytes_ahead,
        patience_s=usual.patience_s if asks else 120.0,
        asks=asks,
        holds=holds,
        goes_on=goes_on,
        stops=stops,
    )


def _bytes(code: str, name: str) -> bytes:
    """A single character as it is, or its number: 24, 0x18."""
    if not code:
        return b""
    if len(code) == 1 and not code.isdigit():
        return code.encode("ascii", "replace")
    try:
        value = int(code, 0)
    except ValueError:
        value = -1
    if not 0 <= value <= 255:
        raise OutOfRange(
            name.replace("_", " ").capitalize(),
            f"“{code}”",
            tr("one character, or its number from 0 to 255"),
        )
    return bytes([value])


def port_fields(preferences: Preferences) -> tuple[Field, ...]:
    """Return the form of the port; the controller's manual says what to type."""
    usual = LinkWords()
    words = preferences.port_words
    if len(words) != 7:
        words = (
            usual.takes,
            usual.refuses,
            usual.tells,
            *(str(getattr(usual, name)[0]) for name in _CODES),
        )
    return (
        Field(
            "port",
            tr("Serial port"),
            preferences.port,
            help=tr("such as /dev/ttyUSB0; empty: no port at this computer"),
            wide=True,
        ),
        Field(
            "baud",
            tr("Speed"),
            str(preferences.port_baud),
            "baud",
            tr("by the controller’s manual"),
            choices=tuple((str(b), str(b)) for b in BAUDS),
        ),
        Field("takes", tr("A line is taken"), words[0], help=tr("the word its answer begins with")),
        Field(
            "refuses", tr("A line is refused"), words[1], help=tr("the word its answer begins with")
        ),
        Field(
            "tells", tr("It tells its place"), words[2], help=tr("the word its answer begins with")
        ),
        Field(
            "asks",
            tr("Ask for its place"),
            words[3],
            help=tr("a character or its number; empty: it cannot be asked"),
            short=True,
        ),
        Field("holds", tr("Hold"), words[4], beside=tr("hold"), short=True),
        Field(
            "goes_on",
            tr("Go on"),
            words[5],
            help=tr("act at once; try whether a hold puts the beam out"),
            beside=tr("go on"),
            short=True,
        ),
        Field(
            "stops",
            tr("Stop"),
            words[6],
            help=tr("a character that stops it and forgets all lines"),
            short=True,
        ),
    )


def preferences_with_port(preferences: Preferences, texts: Mapping[str, str]) -> Preferences:
    """Return the preferences with the port as typed; raises OutOfRange with the field."""
    for key, words in (
        ("takes", tr("A line is taken")),
        ("refuses", tr("A line is refused")),
        ("holds", tr("Hold")),
        ("goes_on", tr("Go on")),
        ("stops", tr("Stop")),
    ):
        if texts["port"].strip() and not texts[key].strip():
            raise OutOfRange(
                words,
                tr("empty"),
                tr("filled in: without it a run could not be watched or stopped"),
            )
    for name in _CODES:
        _bytes(texts[name].strip(), name)
    return replace(
        preferences,
        port=texts["port"].strip(),
        port_baud=int(texts["baud"]),
        port_words=tuple(texts[key].strip() for key in ("takes", "refuses", "tells", *_CODES)),
    )
