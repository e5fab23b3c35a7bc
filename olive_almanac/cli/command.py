"""The command line: one verb per act of a station, JSON in and out.

Exit 0 done; 1 could not (one sentence on stderr); 2 wrong usage.  Only the verb that is asked for
is loaded, so that the window opens as quickly as it can.
"""

from __future__ import annotations

import argparse
import gc
import importlib
import io
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from types import ModuleType

from olive_almanac import __version__
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import AlmanacError, BadFile
from olive_almanac.core.records.ranges import is_whole_text
from olive_almanac.core.words import tr
from olive_almanac.steps.stations import STATIONS, Verb

__all__ = ["main", "parser"]

OF_THE_PROGRAM = (
    Verb("open", tr("open the window, on a coupon, a library, a drawing or old notes")),
    Verb(
        "demo",
        tr("open the window on a fresh copy of the demo shop; without a screen, work through it"),
    ),
    Verb("copy", tr("the whole library into another folder, read back")),
    Verb("restore", tr("put a backup of the library in place, or list the backups")),
)
NAMES_OF_FILES = ("library", "of", "backup")  # may be bytes of another system, as any path
VERBS = (*(verb for station in STATIONS for verb in station.verbs), *OF_THE_PROGRAM)


def _module(verb: str) -> ModuleType:
    return importlib.import_module(f"olive_almanac.cli.{verb}")


def parser(*, only: Sequence[str] | None = None) -> argparse.ArgumentParser:
    """Return the parser; of the verbs not in `only` it knows no more than name and help."""
    top = argparse.ArgumentParser(
        prog="olive-almanac",
        description=(
            tr(
                "Plan laser test coupons, read them, decide, keep the book. Without a verb the "
                "window opens."
            )
        ),
    )
    top.add_argument("--version", action="version", version=f"olive-almanac {__version__}")
    top.add_argument(
        "--library",
        metavar="PLACE",
        help=tr(
            "folder of the library, or postgresql://user@host/name of a shared one (default: the "
            "data folder of the desktop)"
        ),
    )
    verbs = top.add_subparsers(dest="verb", metavar="VERB")
    for verb in VERBS:
        sub = verbs.add_parser(verb.name, help=verb.help)
        if only is None or verb.name in only:
            module = _module(verb.name)
            module.add_arguments(sub)
            sub.formatter_class = argparse.RawDescriptionHelpFormatter
            sub.add_argument_group(tr("examples"), _told(module.EXAMPLES))
    return top


def _told(examples: Sequence[tuple[str, str]]) -> str:
    return "\n".join(f"olive-almanac {command}\n    {does}" for command, does in examples)


def main(argv: Sequence[str], services: CommandServices) -> int:
    """Run one verb and return the exit status."""
    _speak_any_language()
    try:
        for word in argv:
            if word.startswith("--") and word.endswith("=--"):  # argparse drops such a value
                parser(only=()).error(tr("expected one argument") + f": {word}")
        arguments = parser(only=argv).parse_args(_with_negative_levels(argv))
    except SystemExit as leaving:
        return int(leaving.code or 0)
    try:
        _check_texts(arguments)
        status = _run(arguments, services)
        sys.stdout.flush()
        return status
    except AlmanacError as problem:
        print(f"olive-almanac: {problem}", file=sys.stderr)
        return 1
    except BrokenPipeError:
        return _close_output()
    except OSError as problem:  # of the output: what the verbs open tells its own faults
        print(
            tr("olive-almanac: the answer was cut off: {strerror}.", strerror=problem.strerror),
            file=sys.stderr,
        )
        return _close_output()


def _check_texts(arguments: argparse.Namespace) -> None:
    """Raise BadFile for a word that holds bytes which are no text: no record could keep it."""
    for name, value in vars(arguments).items():
        if name in NAMES_OF_FILES:
            continue
        for word in value if isinstance(value, list) else [value]:
            if isinstance(word, str) and not is_whole_text(word):
                raise BadFile(tr("{where} holds half a character.", where=f"--{name}"))


def _speak_any_language() -> None:
    """Let a terminal that lacks a sign show a question mark in its place."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")


def _close_output() -> int:
    """Drop what the output did not take, so that it is not tried once more at the end."""
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, sys.stdout.fileno())
    os.close(nowhere)
    return 1


def _run(arguments: argparse.Namespace, services: CommandServices) -> int:
    library: Path
    if arguments.library:
        library = services.place_of(arguments.library)
    else:
        library = services.default_library()
    if arguments.verb is None:
        return services.open_window(library, None)
    gc.enable()  # off while the program was loaded
    status: int = _module(arguments.verb).run(arguments, services, library)
    return status


def _with_negative_levels(argv: Sequence[str]) -> list[str]:
    """Join `--focus -2:2:5` into one word, for argparse takes what begins with a minus for an
    option.
    """
    joined: list[str] = []
    for word in argv:
        negative = word[:1] in "-−" and word[1:2].isdigit()
        if negative and joined and joined[-1].startswith("--") and "=" not in joined[-1]:
            joined[-1] += f"={word}"
        else:
            joined.append(word)
    return joined
