"""What is made from the command line's own parser: docs/commands.md, the man page, the completion
of shells.  Usage: command_pages.py [--check]
"""

import argparse
import importlib
import sys
from datetime import UTC, datetime
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT))

from olive_almanac import __version__
from olive_almanac.cli.command import VERBS, parser

PAGE = ROOT / "docs" / "commands.md"
WIDTH = 96  # of usage lines in docs/commands.md
BEGINS = """\
# The command line

Every station has its verb; none needs a window but `open` and `demo`. What is read and written
between stations are JSON files ([docs/formats](formats) holds their schemas). `--json` answers with
one document on standard output, remarks go to standard error. Exit 0: done; 1: could not, with one
sentence; 2: wrong usage. `--library PLACE` may stand before the verb: a folder, or
`postgresql://user@host/name`; without it the library is the one of the window.

This page is made from the program itself (`scripts/command_pages.py`).
"""
FILES = (
    ("almanac.db", "the library's records, below $XDG_DATA_HOME/olive-almanac"),
    ("backups/", "a copy of each day, fourteen kept"),
    ("preferences.json", "what the window remembers, below $XDG_CONFIG_HOME/olive-almanac"),
)


def verb_parsers() -> dict[str, argparse.ArgumentParser]:
    """The parser of each verb by its name, in the order of the help."""
    top = parser()
    group = next(one for one in top._actions if isinstance(one, argparse._SubParsersAction))
    return dict(group.choices)


def examples_of(verb: str) -> tuple[tuple[str, str], ...]:
    """Command lines of a verb, each with what it does."""
    return importlib.import_module(f"olive_almanac.cli.{verb}").EXAMPLES


def usage_of(made: argparse.ArgumentParser) -> str:
    made.formatter_class = lambda prog: argparse.HelpFormatter(prog, width=WIDTH)
    return made.format_usage().removeprefix("usage: ").strip()


def terms_of(action: argparse.Action) -> str:
    """How an argument is written."""
    value = action.metavar or (action.dest.upper() if action.option_strings else action.dest)
    if isinstance(value, tuple):
        value = " ".join(value)
    if action.choices is not None and not action.metavar:
        value = "{" + ",".join(map(str, action.choices)) + "}"
    if action.nargs == 0:
        return ", ".join(action.option_strings)
    if not action.option_strings:
        return value
    return ", ".join(f"{option} {value}" for option in action.option_strings)


def shown(made: argparse.ArgumentParser) -> list[tuple[str, str]]:
    """The arguments of a verb with their help, but for what every one has."""
    return [
        (terms_of(action), (action.help or "") % {"default": action.default, "prog": made.prog})
        for action in made._actions
        if action.help != argparse.SUPPRESS and "--help" not in action.option_strings
    ]


def commands_page() -> str:
    """The text of docs/commands.md."""
    lines = [BEGINS]
    helps = {verb.name: verb.help for verb in VERBS}
    for name, made in verb_parsers().items():
        lines.append(f"## {name}\n\n{helps[name][0].upper()}{helps[name][1:]}.\n")
        lines.append(f"```\n{usage_of(made)}\n```\n")
        lines += [f"- `{terms}`: {said}" if said else f"- `{terms}`" for terms, said in shown(made)]
        lines.append("")
        for command, does in examples_of(name):
            lines.append(f"    olive-almanac {command}\n\n{does}\n")
    return "\n".join(lines).rstrip() + "\n"


def roff(text: str) -> str:
    """Text as a line of a man page."""
    text = text.replace("\\", "\\e").replace("-", "\\-").replace("−", "\\-")
    return "\\&" + text if text[:1] in ".'" else text


def man_page() -> str:
    """The text of the man page."""
    top = parser()
    day = datetime.now(UTC).date()
    lines = [
        f'.TH OLIVE\\-ALMANAC 1 "{day}" "olive\\-almanac {__version__}" "User Commands"',
        ".SH NAME",
        "olive\\-almanac \\- plan, read and decide laser test coupons, keep a book of settings",
        ".SH SYNOPSIS",
        ".B olive\\-almanac",
        roff("[--library PLACE] [VERB ...]"),
        ".SH DESCRIPTION",
        roff(top.description or ""),
        ".SH OPTIONS",
    ]
    for action in top._actions:
        if action.option_strings:
            lines += [".TP", f".B {roff(terms_of(action))}", roff(action.help or "")]
    lines.append(".SH VERBS")
    helps = {verb.name: verb.help for verb in VERBS}
    for name, made in verb_parsers().items():
        lines += [f".SS {roff(name)}", roff(helps[name] + ".")]
        for terms, said in shown(made):
            lines += [".TP", f".B {roff(terms)}", roff(said or "as named")]
    lines.append(".SH EXAMPLES")
    for name in verb_parsers():
        for command, does in examples_of(name):
            lines += [".TP", f".B olive\\-almanac {roff(command)}", roff(does)]
    lines.append(".SH FILES")
    for file, what in FILES:
        lines += [".TP", f".I {roff(file)}", roff(what)]
    lines += [".SH EXIT STATUS", "0: done; 1: could not, one sentence says why; 2: wrong usage."]
    return "\n".join(lines) + "\n"


def completion(shell: str) -> str:
    """The completion script of a shell, bash or zsh."""
    import shtab

    return shtab.complete(parser(), shell)


if __name__ == "__main__":
    if "--check" in sys.argv:
        sys.exit(PAGE.read_text(encoding="utf-8") != commands_page())
    PAGE.write_text(commands_page(), encoding="utf-8")
