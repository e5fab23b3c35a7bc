"""Gather the words of the program, bring the catalogues up to date and make them ready to load.

`python scripts/words.py` writes olive_almanac/locale/LANGUAGE/LC_MESSAGES/olive-almanac.po with
every message the program has now (what is new stays empty, what has gone is dropped), the .mo
beside it, and says how many are not translated.  `--check` writes nothing and fails where a file is
behind or a message is not translated.
"""

from __future__ import annotations

import ast
import io
import json
import sys
from collections.abc import Iterator
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))
PACKAGE = ROOT / "olive_almanac"
DOMAIN = "olive-almanac"
LANGUAGES = ("de",)
TABLES = ("catalogue.json", "causes.json", "recipes.json")

OF_THE_COMMAND_LINE = (  # what argparse says by itself
    "usage: ",
    "positional arguments",
    "options",
    "show this help message and exit",
    "show program's version number and exit",
    "%(prog)s: error: %(message)s\n",
    "argument %(argument_name)s: %(message)s",
    "the following arguments are required: %s",
    "unrecognized arguments: %s",
    "invalid choice: %(value)r (choose from %(choices)s)",
    "invalid %(type)s value: %(value)r",
    "expected one argument",
    "expected at least one argument",
)

Message = str | tuple[str, str]


def called(node: ast.Call) -> str:
    """Return the name that is called."""
    return getattr(node.func, "id", "") or getattr(node.func, "attr", "")


def text_of(node: ast.expr) -> str:
    """Return a text written in the source, "" for anything else."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    return ""


def message_of(node: ast.Call) -> Message | None:
    """Return what a call asks the catalogue for: words, or one and more of something."""
    name = called(node)
    if name == "tr" and node.args:
        return text_of(node.args[0]) or None
    at = {"trn": 0, "count_text": 1}.get(name)
    if at is None or len(node.args) <= at:
        return None
    one, *more = (text_of(each) for each in node.args[at : at + 2])
    if not one:
        return None
    return one, (more and more[0]) or one + "s"


def in_code() -> Iterator[tuple[Message, str]]:
    """Yield the messages of the source, and where each is."""
    for file in (*sorted(PACKAGE.rglob("*.py")), ROOT / "scripts" / "guide_pages.py"):
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            message = message_of(node) if isinstance(node, ast.Call) else None
            if message:
                yield message, str(file.relative_to(ROOT))


def in_tables() -> Iterator[tuple[Message, str]]:
    """Yield the words of the tables that are shipped."""
    from olive_almanac.formats.catalogue import words_in

    for name in TABLES:
        file = PACKAGE / "formats" / name
        for words in words_in(json.loads(file.read_text(encoding="utf-8"))):
            yield words, str(file.relative_to(ROOT))


def gathered() -> Catalog:
    """Return a catalogue of all messages, none translated."""
    catalogue = Catalog(project="Olive Almanac", fuzzy=False)
    from_argparse = ((words, "argparse") for words in OF_THE_COMMAND_LINE)
    for messages in (in_code(), in_tables(), from_argparse):
        for message, where in messages:
            catalogue.add(message, locations=[(where, 0)])
    return catalogue


def file_of(language: str, suffix: str) -> Path:
    """Return a file of a language's catalogue."""
    return PACKAGE / "locale" / language / "LC_MESSAGES" / f"{DOMAIN}{suffix}"


def brought_up(language: str) -> tuple[bytes, bytes, list[str]]:
    """Return the .po and .mo of a language as they should be, and what is not translated yet."""
    wanted = gathered()
    old = Catalog(locale=language)
    if file_of(language, ".po").exists():
        old = read_po(io.BytesIO(file_of(language, ".po").read_bytes()), locale=language)
    new = Catalog(locale=language, project="Olive Almanac", fuzzy=False)
    new.creation_date = new.revision_date = old.creation_date
    for message in wanted:
        if not message.id:
            continue
        before = old.get(message.id if isinstance(message.id, str) else message.id[0])
        told = before.string if before is not None else ""
        new.add(message.id, told, locations=sorted(set(message.locations)))
    lacking = [str(one.id) for one in new if one.id and not one.string]
    po, mo = io.BytesIO(), io.BytesIO()
    write_po(po, new, sort_output=True, include_lineno=False, width=100)
    write_mo(mo, new)
    return po.getvalue(), mo.getvalue(), lacking


def main() -> int:
    behind = 0
    for language in LANGUAGES:
        po, mo, lacking = brought_up(language)
        for suffix, content in ((".po", po), (".mo", mo)):
            file = file_of(language, suffix)
            if file.exists() and file.read_bytes() == content:
                continue
            behind += 1
            if "--check" not in sys.argv:
                file.parent.mkdir(parents=True, exist_ok=True)
                file.write_bytes(content)
        print(f"{language}: {len(lacking)} not translated")
        behind += bool(lacking)
    return 1 if behind and "--check" in sys.argv else 0


if __name__ == "__main__":
    sys.exit(main())
