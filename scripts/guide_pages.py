"""What is made of the program's own data: docs/guide/keys.md and docs/guide/symptoms.md.  Usage:
guide_pages.py [--check]; OLIVE_ALMANAC_LANGUAGE=de makes those of docs/guide/de.
"""

import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT))

import olive_almanac.language  # noqa: F401  first: it sets the words of all modules

# isort: split
from olive_almanac.core.deciding.causes import SIGNS
from olive_almanac.core.units import capital
from olive_almanac.core.words import spoken, tr
from olive_almanac.formats.catalogue import load_causes
from olive_almanac.steps.keys import KEYS

GUIDE = ROOT / "docs" / "guide" / ("" if spoken() == "en" else spoken())
MOST = 4  # causes named for a symptom
LEAST = 0.2  # how often a cause shows a sign, from which it is named
PAGES = {  # symptoms that a page of the guide is about
    "hangs": ("hangs", tr("A piece hangs")),
    "charred": ("edge-chars", tr("The edge chars")),
    "one_side": ("one-side", tr("One side does not cut")),
    "lighter_all": ("tones", tr("Too dark or too light")),
    "darker_all": ("tones", tr("Too dark or too light")),
    "no_mark": ("tones", tr("Too dark or too light")),
}


def keys_page() -> str:
    """The page of keys."""
    lines = [f"# {tr('Keys')}", ""]
    for where, keys in KEYS.items():
        lines += [f"## {where}", f"| {tr('keys')} | {tr('do')} |", "|---|---|"]
        lines += [f"| {shown(pressed)} | {does} |" for pressed, does in keys]
        lines.append("")
    lines += [
        f"## {tr('A code scanner')}",
        tr(
            "It types what it reads: from any page it opens the coupon of a key sheet and the "
            "entry of a label."
        ),
    ]
    return "\n".join(lines) + "\n"


def shown(keys: str) -> str:
    return keys.replace("PgUp", "Page up").replace("PgDown", "Page down").replace("Return", "Enter")


def ended(words: str) -> str:
    return words if words.endswith("?") else f"{words}."


def symptoms_page() -> str:
    """The page of symptoms: for each the likeliest causes by what is usual, with their checks."""
    lines = [
        f"# {tr('Symptoms')}",
        "",
        tr(
            "What is usual, before anything is known of this machine and this stock. **What went "
            "wrong** (Ctrl+W) weighs the same causes by your own readings and records."
        ),
        "",
    ]
    causes = load_causes()
    for key, sign in SIGNS.items():
        if not sign.told:
            continue
        scored = [(cause.prior * cause.tells.get(key, 0), cause) for cause in causes]
        scored = [one for one in scored if one[1].tells.get(key, 0) >= LEAST]
        scored.sort(key=lambda one: -one[0])
        lines.append(f"## {capital(sign.words)}")
        for _, cause in scored[:MOST]:
            then = tr("Then: {mend}.", mend=cause.mend)
            lines.append(f"- **{cause.name}**: {ended(cause.check)} {then}")
        if key in PAGES:
            page, title = PAGES[key]
            lines.append("\n" + tr("See {page}.", page=f"[{title}]({page}.md)"))
        lines.append("")
    return "\n".join(lines).rstrip() + "\n"


MADE = {"keys.md": keys_page, "symptoms.md": symptoms_page}

if __name__ == "__main__":
    made = {GUIDE / name: make() for name, make in MADE.items()}
    if "--check" in sys.argv:
        sys.exit(any(path.read_text(encoding="utf-8") != text for path, text in made.items()))
    for path, text in made.items():
        path.write_text(text, encoding="utf-8")
