"""What was seen or measured on one cell."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.records.ranges import check_choice, check_number, check_text
from olive_almanac.core.words import tr

__all__ = [
    "CARD_FLAGS",
    "CHAR_WORDS",
    "DEFECTS",
    "DEFECT_WORDS",
    "FLAG_WORDS",
    "HOLDS",
    "VERDICTS",
    "VERDICT_WORDS",
    "By",
    "Reading",
    "Verdict",
    "char_word",
    "flared",
]

Verdict = Literal[
    "free", "push", "hangs", "not_through", "too_light", "right", "too_dark", "no_mark"
]
By = Literal["eye", "gauge", "photo"]
_TONES = ("too_light", "right", "too_dark", "no_mark")
VERDICTS: dict[str, tuple[str, ...]] = {
    "cut": ("free", "push", "hangs", "not_through"),
    "score": _TONES,
    "engrave": _TONES,
    "mark": _TONES,
}
VERDICT_WORDS = {
    "free": tr("Through"),
    "push": tr("Needs a push"),
    "hangs": tr("Hangs"),
    "not_through": tr("Not through"),
    "too_light": tr("Too light"),
    "right": tr("Right"),
    "too_dark": tr("Too dark"),
    "no_mark": tr("No mark"),
    "flare": tr("Flared"),
    "unread": tr("Not read"),
}
DEFECTS: dict[str, tuple[str, ...]] = {  # what can be noted of a cell besides its verdict
    "cut": ("reweld", "melt", "foam", "stripes", "back_scorch"),
    "score": ("uneven", "melt", "back_scorch"),
    "engrave": ("haze", "uneven", "crack", "melt", "melt_through"),
    "mark": ("rubs_off", "uneven", "haze", "crack"),
}
DEFECT_WORDS = {
    "reweld": tr("ran together again"),
    "melt": tr("melted edge"),
    "foam": tr("foam on the edge"),
    "stripes": tr("stripes"),
    "back_scorch": tr("scorched back"),
    "haze": tr("haze"),
    "uneven": tr("uneven"),
    "crack": tr("crack"),
    "melt_through": tr("melted through"),
    "rubs_off": tr("rubs off"),
    "flare": tr("flared up"),
}
HOLDS = "holds"  # a flag that tells something: the piece is still in, so it did not fall free
CARD_FLAGS = frozenset(("needs_card", "needs_lightness"))  # a grey card takes them away
FLAG_WORDS = {  # why a cell is not judged from a photo
    "off_frame": tr("it lies off the picture"),
    "uneven_light": tr("a shadow edge or reflection crosses it"),
    "reference_off": tr("the stock beside it is lit differently"),
    "odd_colour": tr("its colour does not fit the other cells: a reflection or dirt"),
    "bright_spot": tr("a bright spot lies on it"),
    "dark_spot": tr("a dark spot lies on it"),
    "gradient": tr("the light changes over it"),
    "clipped": tr("it is overexposed"),
    "too_dark": tr("it is too dark to tell"),
    "covered_or_tinted": tr("something covers or tints the stock beside it"),
    "covered_or_glare": tr("something covers it, or glare"),
    "impossible": tr("it would be lighter than white or darker than black"),
    "blur": tr("the photo is blurred"),
    "position": tr("its place is not sure"),
    "unsure": tr("it looks neither like stock nor like the ground"),
    "not_background": tr("what shows in it is not the ground"),
    "mixed": tr("light and dark lie mixed in it"),
    "too_thin": tr("the line is thinner than the blur"),
    "too_faint": tr("the line is too faint"),
    "ragged": tr("the line is ragged"),
    "poor_fit": tr("the line has no clear edges"),
    "photos_differ": tr("the photos contradict each other"),
    "out_of_line": tr("its tone does not fit the cells of like energy"),
    "needs_lightness": tr("how light the bare stock is has not been measured"),
    "needs_card": tr("without a grey card so light a mark on dark stock cannot be told exactly"),
    "holds": tr("the piece is still in, and the back tells whether it hangs"),
    "clear_stock": tr("darkness cannot be told on clear stock"),
    "gauge_only": tr("it is measured with a gauge"),
    "sides_differ": tr("front and back do not agree"),
}
CHAR_WORDS = (tr("clean"), tr("brown"), tr("charred"), tr("flared"))


def char_word(grade: float) -> str:
    """Return a grade of the edge, 0 clean to 3 flared, in a word."""
    return CHAR_WORDS[min(3, round(grade))]


@dataclass(frozen=True)
class Reading:
    """A reading of one cell; every part but the cell may be missing.

    `char` is 0 clean, 1 brown, 2 charred, 3 flared; `lightness` is L* 0..100 of the cell, `delta_l`
    its difference from the stock beside it; `confidence` is 0..1.
    `simulated` says that the stand-in bench burnt the cell, which proves nothing of a machine.
    """

    cell: str
    verdict: Verdict | None = None
    depth_mm: float | None = None
    kerf_mm: float | None = None
    kerf_bottom_mm: float | None = None
    lightness: float | None = None
    delta_l: float | None = None
    evenness: float | None = None
    halo_mm: float | None = None
    char: int | None = None
    defects: tuple[str, ...] = ()
    by: By = "eye"
    confidence: float = 1.0
    flags: tuple[str, ...] = ()
    simulated: bool = field(default=False, metadata={"written": "if set"})

    def __post_init__(self) -> None:
        check_text(tr("Cell of a reading"), self.cell, 40)
        if self.verdict is not None:
            check_choice(tr("Verdict"), self.verdict, VERDICTS["cut"] + VERDICTS["engrave"])
        for name, value in (
            (tr("Depth"), self.depth_mm),
            (tr("Kerf"), self.kerf_mm),
            (tr("Kerf at the bottom"), self.kerf_bottom_mm),
            (tr("Halo"), self.halo_mm),
        ):
            if value is not None:
                check_number(name, value, "mm", low=0, high=200)
        if self.lightness is not None:
            check_number(tr("Lightness"), self.lightness, low=0, high=100)
        if self.delta_l is not None:
            check_number(tr("Difference of lightness"), self.delta_l, low=-100, high=100)
        if self.char is not None:
            check_choice(tr("Char"), self.char, (0, 1, 2, 3))
        check_choice(tr("Read by"), self.by, ("eye", "gauge", "photo"))
        check_number(tr("Confidence"), self.confidence, low=0, high=1)

    @property
    def tells(self) -> bool:
        """Whether anything was read of the cell: one that a photo does not judge tells nothing."""
        measured = (self.depth_mm, self.kerf_mm, self.kerf_bottom_mm, self.lightness, self.delta_l)
        return bool(self.verdict or self.defects) or any(
            one is not None for one in (*measured, self.char)
        )


def flared(reading: Reading) -> bool:
    """True when the cell caught fire: it then says nothing of whether the cut fell free."""
    return reading.char == 3 or "flare" in reading.defects
