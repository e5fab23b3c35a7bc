"""The guide that is shipped with the program: its pages, the page of a station, finding in it."""

from __future__ import annotations

import re
import sys
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from olive_almanac.core.errors import BadFile
from olive_almanac.core.words import spoken, tr
from olive_almanac.steps.files import read_text

__all__ = [
    "FIRST_JOB",
    "Found",
    "GuidePage",
    "find_in",
    "guide_folder",
    "guide_pages",
    "linked_text",
    "page_of",
    "topic_words",
]

FIRST_JOB = "first-job"
MOST_FOUND = 30
NEAR = 78  # of 100: how alike a word is that was typed nearly right
OF_STATION = {"set_up": "set-up"}  # where a page is not called as its station
PLACES = (  # beside the program when it is installed or packed, else in the source
    Path(__file__).parents[1] / "guide",
    Path(sys.prefix) / "share" / "olive-almanac",
    Path(__file__).parents[2] / "docs",
)
PLAIN = re.compile(r"!\[[^\]]*\]\([^)]*\)|\[([^\]]*)\]\([^)]*\)|[*`|]")


@dataclass(frozen=True)
class GuidePage:
    """A page of the guide: its name, its title, its text as Markdown, its sections as heading and
    plain text.
    """

    name: str
    title: str
    text: str
    sections: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Found:
    """A section in which words were found: the page's name and title, the section's heading (empty
    before the first).
    """

    page: str
    title: str
    heading: str


def guide_folder() -> Path:
    """Return the folder of the guide's pages; raises BadFile where the program came without it."""
    for place in PLACES:
        if (place / "guide" / "index.md").exists():
            return place / "guide"
    raise BadFile(tr("The guide is not there: the program was installed without its pages."))


@cache
def guide_pages() -> dict[str, GuidePage]:
    """Return the pages by their names, the contents first, each in the language of the words where
    it is there in it; raises BadFile.
    """
    own, folder = _english_pages(), guide_folder() / spoken()
    for name in own:
        path = folder / f"{name}.md"
        if path.exists():
            own[name] = _page(name, read_text(path).replace("../../", "../"))
    return own


def _english_pages() -> dict[str, GuidePage]:
    folder = guide_folder()
    names = sorted(path.stem for path in folder.glob("*.md"))
    contents = read_text(folder / "index.md")  # its pages stand in the order in which it names them
    names.sort(key=lambda name: (name != "index", contents.find(f"({name}.md)")))
    return {name: _page(name, read_text(folder / f"{name}.md")) for name in names}


@cache
def _headings(name: str) -> dict[str, str]:
    """The headings of an English page, and what each is in the language of the words."""
    pairs = zip(_english_pages()[name].sections, guide_pages()[name].sections, strict=False)
    return {english: shown for (english, _), (shown, _) in pairs}


def _page(name: str, text: str) -> GuidePage:
    title, _, rest = text.partition("\n")
    sections = []
    for part in re.split(r"^(?=##+ )", rest, flags=re.MULTILINE):
        heading, body = "", part
        if part.startswith("#"):
            heading, _, body = part.partition("\n")
        sections.append((heading.strip("# "), " ".join(PLAIN.sub(r"\1", body).split())))
    return GuidePage(name, title.strip("# "), text, tuple(sections))


def linked_text(name: str) -> str:
    """Return the text of a page that the guide names beside its own ("../methods.md"), empty where
    it is none.
    """
    path = (guide_folder() / name).resolve()
    if path.suffix != ".md" or path.parent != guide_folder().resolve().parent:
        return ""
    return read_text(path) if path.exists() else ""


def page_of(topic: str) -> tuple[str, str]:
    """Return page and heading of a topic, "page" or "page/heading" with the heading in English or
    as it is shown; a station's id is its page.
    """
    page, _, heading = topic.partition("/")
    page = OF_STATION.get(page, page)
    if page not in guide_pages():
        return "index", ""
    return page, _headings(page).get(heading, heading)


def topic_words(topic: str) -> str:
    """Return what a topic is called: its heading, or the title of its page."""
    try:
        page, heading = page_of(topic)
        return heading or guide_pages()[page].title
    except BadFile:
        return topic.partition("/")[2]  # a program without its guide


def find_in(pages: dict[str, GuidePage], words: str) -> list[Found]:
    """Return the sections that hold all words, or their beginnings, the likeliest first; where
    none does, those that hold words like them.
    """
    wanted = words.casefold().split()
    if not wanted:
        return []
    scored: list[tuple[float, int, Found]] = []
    for page in pages.values():
        for heading, text in page.sections:
            score = _score(wanted, page.title, heading, text)
            if score:
                scored.append((-score, len(scored), Found(page.name, page.title, heading)))
    if not scored:
        scored = _nearly(pages, wanted)
    return [found for _, _, found in sorted(scored, key=lambda one: one[:2])[:MOST_FOUND]]


def _score(wanted: list[str], title: str, heading: str, text: str) -> float:
    """How well a section fits: words of title and heading count most; 0 where one is missing."""
    score = 0.0
    titled = 4.0 if heading else 12.0  # the page as a whole before a section of another
    places = ((title.casefold(), titled), (heading.casefold(), 8.0), (text.casefold(), 1.0))
    for word in wanted:
        begins = re.compile(rf"(?<!\w){re.escape(word)}")
        hits = [(weight, len(begins.findall(place))) for place, weight in places]
        if not any(count for _, count in hits):
            return 0.0
        score += sum(weight * min(count, 4) for weight, count in hits)
    return score


def _nearly(pages: dict[str, GuidePage], wanted: list[str]) -> list[tuple[float, int, Found]]:
    from rapidfuzz import fuzz, process

    scored: list[tuple[float, int, Found]] = []
    for page in pages.values():
        for heading, text in page.sections:
            known = set(re.findall(r"\w{3,}", f"{page.title} {heading} {text}".casefold()))
            near = [
                process.extractOne(word, known, scorer=fuzz.ratio, score_cutoff=NEAR)
                for word in wanted
            ]
            if known and all(near):
                total = sum(one[1] for one in near if one)
                scored.append((-total, len(scored), Found(page.name, page.title, heading)))
    return scored
