"""Printed pages: the cell key that goes to the bench with a trial, and the card of a book entry."""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from importlib.resources import files
from typing import Any

from olive_almanac.core.burn.pulses import overlaps_text
from olive_almanac.core.dates import day_text
from olive_almanac.core.placing.fiducials import burnt_boxes
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.factors import further_factors, further_words
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import SHORT_TASK_WORDS, TASK_WORDS, air_text
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.core.units import (
    capital,
    count_text,
    duration_text,
    length_number,
    length_text,
    lengths_text,
    number_text,
    percent_text,
    speed_in,
    speed_text,
)
from olive_almanac.core.words import tr
from olive_almanac.formats.codes import code_rows
from olive_almanac.formats.plain_text import printable

__all__ = [
    "CAUTION",
    "CODE_PREFIX",
    "ENTRY_PREFIX",
    "PAGES_MM",
    "SANS",
    "SANS_BOLD",
    "SERIF",
    "Sheet",
    "draw_code",
    "entry_code",
    "trial_code",
    "write_card",
    "write_key",
    "write_safety",
]

MM = 72 / 25.4
SERIF, SANS, SANS_BOLD = tr("Serif"), tr("Sans"), "SansBold"
FONT_FILES = {
    SERIF: "Vollkorn-SemiBold.ttf",
    SANS: "SourceSans3-Regular.ttf",
    SANS_BOLD: "SourceSans3-Semibold.ttf",
}
_FIGURES = re.compile(r"(\d[\d.,]*)")
PAGES_MM = {"a4": (210.0, 297.0), "letter": (215.9, 279.4)}
INK = (0.133, 0.137, 0.102)
CAUTION = tr(
    "An aid, not a certification: the machine's manual, local codes and a qualified laser "
    "safety officer come first."
)


def _faces(words: str, font: str) -> list[tuple[str, str]]:
    """Words in runs of one face: within the serif figures are taken from the other one."""
    if font != SERIF:
        return [(font, words)]
    runs = _FIGURES.split(words)
    return [(SANS_BOLD if n % 2 else SERIF, run) for n, run in enumerate(runs) if run]


class Sheet:
    """A page drawn in mm from its upper left corner."""

    def __init__(self, width_mm: float, height_mm: float, title: str) -> None:
        from reportlab.pdfbase import pdfmetrics
        from reportlab.pdfbase.ttfonts import TTFont
        from reportlab.pdfgen.canvas import Canvas

        for name, file in FONT_FILES.items():
            if name not in pdfmetrics.getRegisteredFontNames():
                font = io.BytesIO((files("olive_almanac") / "fonts" / file).read_bytes())
                pdfmetrics.registerFont(TTFont(name, font))
        self.width, self.height = width_mm, height_mm
        self.buffer = io.BytesIO()
        self.canvas: Any = Canvas(
            self.buffer, pagesize=(width_mm * MM, height_mm * MM), invariant=1
        )
        self.canvas.setTitle(printable(title))
        self.canvas.setAuthor("Olive Almanac")
        self.new_page(first=True)

    def new_page(self, *, first: bool = False) -> None:
        if not first:
            self.canvas.showPage()
        self.canvas.setFillColorRGB(*INK)
        self.canvas.setStrokeColorRGB(*INK)

    def text(
        self,
        x: float,
        y: float,
        words: str,
        size: float = 10,
        font: str = SANS,
        align: str = "left",
    ) -> None:
        """Draw words on one line; figures within the serif are lining ones of the other face: its
        own 1 reads as a capital I.
        """
        words = printable(words)
        at = x * MM - {"left": 0.0, "centre": 0.5, "right": 1.0}[align] * self._wide(
            words, size, font
        )
        drawn = self.canvas.beginText(at, (self.height - y) * MM)
        for face, part in _faces(words, font):
            drawn.setFont(face, size)
            drawn.textOut(part)
        self.canvas.drawText(drawn)

    def _wide(self, words: str, size: float, font: str) -> float:
        """How wide words are drawn, pt."""
        runs = _faces(words, font)
        return float(sum(self.canvas.stringWidth(part, face, size) for face, part in runs))

    def width_mm(self, words: str, size: float, font: str) -> float:
        """Return how wide words are drawn, mm."""
        return self._wide(printable(words), size, font) / MM

    def fitted(
        self, x: float, y: float, words: str, most_mm: float, size: float, font: str
    ) -> None:
        """Text made smaller until it is no wider than `most_mm`."""
        while size > 6 and self.width_mm(words, size, font) > most_mm:
            size -= 0.5
        self.text(x, y, words, size, font)

    def wrapped(self, words: str, most_mm: float, size: float) -> list[str]:
        """Words broken into lines no wider than `most_mm`."""
        lines, line = [], ""
        for word in words.split():
            longer = f"{line} {word}".strip()
            if line and self.canvas.stringWidth(longer, SANS, size) > most_mm * MM:
                lines.append(line)
                longer = word
            line = longer
        return [*lines, line]

    def line(self, x0: float, y0: float, x1: float, y1: float, width_pt: float = 0.5) -> None:
        self.canvas.setLineWidth(width_pt)
        self.canvas.line(x0 * MM, (self.height - y0) * MM, x1 * MM, (self.height - y1) * MM)

    def box(self, x: float, y: float, w: float, h: float, width_pt: float = 0.6) -> None:
        self.canvas.setLineWidth(width_pt)
        self.canvas.rect(x * MM, (self.height - y - h) * MM, w * MM, h * MM)

    def fill(self, x: float, y: float, w: float, h: float) -> None:
        self.canvas.rect(x * MM, (self.height - y - h) * MM, w * MM, h * MM, 0, 1)

    def done(self) -> bytes:
        self.canvas.save()
        return self.buffer.getvalue()


CODE_PREFIX, ENTRY_PREFIX = "olive-almanac:trial:", "olive-almanac:entry:"


def trial_code(trial_id: str) -> str:
    """Return what the code on a key sheet says; typed or scanned into the finder, it opens the
    trial.
    """
    return CODE_PREFIX + trial_id


def entry_code(entry_uid: str) -> str:
    """Return what the code on a label says; typed or scanned into the finder, it opens the
    entry.
    """
    return ENTRY_PREFIX + entry_uid


def write_key(trial: Trial, *, speed_unit: str = "mm/s", paper: str = "a4") -> bytes:
    """Return the key sheet as PDF: the map of cells with their ids and a machine-readable code that
    opens the trial, then each setting with an empty box for its verdict.  `paper` is "a4" or
    "letter".
    """
    page = Sheet(*PAGES_MM[paper], title=tr("Cell key, {trial}", trial=trial.name))
    left, right = 18.0, page.width - 18.0
    page.text(left, 22, trial.name, 18, SERIF)
    page.text(right, 22, day_text(trial.made), 10, align="right")
    page.line(left, 25, right, 25, 1.4)
    code = 24.0
    draw_code(page, trial_code(trial.id), right - code, 28, code)
    most = right - left - code - 4
    page.fitted(
        left,
        31,
        f"{trial.machine.label}   {trial.stock.label}   {SHORT_TASK_WORDS[trial.task]}",
        most,
        11,
        SANS_BOLD,
    )
    size = lengths_text(trial.coupon.width_mm, trial.coupon.height_mm)
    turned = tr(" The L marks the lower left corner.")
    if trial.fiducials:
        turned = ""
    page.fitted(
        left,
        36.5,
        (
            tr(
                "{cells}, listed as they burn; {seconds}, coupon {size} mm.{turned}",
                cells=count_text(len(trial.cells), "cell"),
                seconds=duration_text(trial.seconds),
                size=size,
                turned=turned,
            )
        ),
        most,
        10,
        SANS,
    )
    page.fitted(left, 41.5, _held(trial, speed_unit), most, 10, SANS)
    page.fitted(left, 52.5, _prepared(trial), right - left, 10, SANS)
    for words, x, end in ((tr("Read by"), 0, 60), (tr("Burnt on"), 66, 120)):
        page.text(left + x, 47, words, 10)
        page.line(left + x + page.width_mm(words, 10, SANS) + 2, 47.5, left + end, 47.5)
    bottom = _draw_map(page, trial, left, 55, right - left, 88)
    _draw_table(page, trial, left, right, bottom + 8, speed_unit)
    return page.done()


def draw_code(page: Sheet, words: str, left: float, top: float, side: float) -> None:
    rows = code_rows(words)
    step = side / len(rows)
    for r, row in enumerate(rows):
        for c, dark in enumerate(row):
            if dark:
                page.fill(left + c * step, top + r * step, step, step)


def _held(trial: Trial, unit: str) -> str:
    """What is the same in every cell, in words."""
    settings = [cell.setting for cell in trial.cells]
    words = []
    told: list[tuple[str, set[str]]] = [
        (tr("power"), {f"{percent_text(s.power)} %" for s in settings}),
        (tr("speed"), {speed_text(s.speed_mm_s, unit) for s in settings}),
        (tr("passes"), {str(s.passes) for s in settings}),
        (tr("focus"), {length_text(s.focus_mm) for s in settings}),
        (tr("air"), {air_text(s.air) for s in settings}),
        (tr("beam"), {s.beam.replace("-", " ") for s in settings}),
    ]
    for factor in further_factors(settings):
        told.append((factor.word, {factor.told(factor.of(s), unit) for s in settings}))
    for name, texts in told:
        if len(texts) == 1:
            words.append(f"{name} {texts.pop()}")
    overlap = overlaps_text(trial.machine, settings)
    if overlap:
        words.append(tr("overlap of the pulses {overlap}", overlap=overlap))
    return tr("In every cell: ") + ", ".join(words) + "."


def _prepared(trial: Trial) -> str:
    """How the piece is prepared; several recipes with the rows that they burn in."""
    if not trial.recipes:
        return ""
    if len(trial.recipes) == 1:
        return tr("Prepared: {line}.", line=trial.recipe.line)
    told = []
    for at, recipe in enumerate(trial.recipes):
        rows = dict.fromkeys(cell.id[0] for cell in trial.cells if cell.recipe == at)
        told.append(tr("rows {rows}: {line}", rows=", ".join(rows), line=recipe.line))
    return tr("Prepared: ") + "; ".join(told) + "."


def _draw_map(
    page: Sheet, trial: Trial, left: float, top: float, most_w: float, most_h: float
) -> float:
    scale = min(most_w / trial.coupon.width_mm, most_h / trial.coupon.height_mm, 1.4)
    width, height = scale * trial.coupon.width_mm, scale * trial.coupon.height_mm
    page.box(left, top, width, height, 1.0)
    corner = top + height - 3 * scale
    if not trial.fiducials:
        page.line(left + 3 * scale, corner, left + 3 * scale, corner - 5 * scale, 1.2)
        page.line(left + 3 * scale, corner, left + 6 * scale, corner, 1.2)
    for mark in trial.fiducials:
        for x0, y0, x1, y1 in (tuple(scale * side for side in box) for box in burnt_boxes(mark)):
            page.fill(left + x0, top + height - y1, x1 - x0, y1 - y0)
    for cell in trial.cells:
        x, y, w, h = (scale * side for side in cell.rect_mm)
        page.box(left + x, top + height - y - h, w, h)
        page.text(
            left + x + w / 2,
            top + height - y - h / 2 + 1.1,
            cell.id,
            min(9.0, w * 0.9),
            SANS_BOLD,
            "centre",
        )
    return top + height


def _draw_table(
    page: Sheet, trial: Trial, left: float, right: float, top: float, unit: str
) -> None:
    heads = (
        tr("Cell"),
        tr("Power"),
        tr("Speed, {unit}", unit=unit),
        tr("Passes"),
        tr("Focus, mm"),
        tr("Pitch, mm"),
        tr("Verdict"),
        tr("Edge"),
    )
    xs = [left + share * (right - left) for share in (0, 0.09, 0.19, 0.35, 0.45, 0.58, 0.70, 0.88)]
    y = top
    for number, cell in enumerate(trial.in_order):
        if number == 0 or y > page.height - 22:
            if number:
                page.new_page()
                y = 20.0
            for x, head in zip(xs, heads, strict=True):
                page.text(x, y, head, 9, SANS_BOLD)
            page.line(left, y + 1.5, right, y + 1.5, 1.0)
            y += 6.5
        for x, words in zip(xs, _row(cell, unit), strict=False):
            page.text(x, y, words, 10)
        page.box(xs[6], y - 4, 0.16 * (right - left), 5.2)
        page.box(xs[7], y - 4, 0.12 * (right - left), 5.2)
        y += 6.6
    page.text(left, page.height - 12, CAUTION, 8)


def _row(cell: Cell, unit: str) -> tuple[str, ...]:
    setting = cell.setting
    return (
        cell.id,
        f"{percent_text(setting.power)} %",
        number_text(speed_in(setting.speed_mm_s, unit), 4),
        str(setting.passes),
        length_number(setting.focus_mm),
        length_number(setting.pitch_mm) if setting.pitch_mm else tr("none"),
    )


def write_card(
    entry: Entry,
    machine: Machine,
    stock: Stock,
    state: str,
    reason: str,
    *,
    speed_unit: str = "mm/s",
) -> bytes:
    """Return the card of an entry as PDF, A6 across: the numbers to set large, then margin, time
    and state.
    """
    page = Sheet(
        148.0, 105.0, title=f"{stock.label}, {SHORT_TASK_WORDS[entry.task]}, {machine.name}"
    )
    left, right = 9.0, 139.0
    page.fitted(left, 14, f"{stock.short_name}, {TASK_WORDS[entry.task]}", 95, 17, SERIF)
    page.text(right, 14, machine.label, 10, SANS_BOLD, "right")
    page.line(left, 17, right, 17, 1.4)
    page.fitted(
        left,
        22.5,
        f"{state}: {reason}" + (tr("   lot {lot}", lot=entry.lot) if entry.lot else ""),
        right - left,
        10,
        SANS,
    )
    setting = entry.setting
    for x, label, value, unit in (
        (left, tr("Power"), percent_text(setting.power), "%"),
        (left + 43, tr("Speed"), number_text(speed_in(setting.speed_mm_s, speed_unit)), speed_unit),
        (left + 104, tr("Passes"), str(setting.passes), ""),
    ):
        page.text(x, 31, label, 10, SANS_BOLD)
        page.text(x, 46, value, 38, SERIF)
        page.text(x + page.width_mm(value, 38, SERIF) + 2, 46, unit, 12, SERIF)
    page.line(left, 51, right, 51)
    pitch = tr("none")
    if setting.pitch_mm:
        pitch = length_text(setting.pitch_mm)
    rows = [
        tr("Focus {focus_mm} mm below the top face", focus_mm=number_text(setting.focus_mm)),
        tr("Air {air}", air=air_text(setting.air)),
        tr("Line pitch {pitch}", pitch=pitch),
        *(capital(words) for words in further_words(setting, speed_unit)),
    ]
    page.fitted(left, 57.5, "     ".join(rows), right - left, 10, SANS)
    page.fitted(left, 64, "     ".join(_evidence(entry)), right - left, 10, SANS)
    if speed_unit != "mm/s":
        page.text(
            left, 70.5, tr("Also {speed_mm_s}", speed_mm_s=speed_text(setting.speed_mm_s)), 10
        )
    if not entry.recipe.is_plain:
        words = f"{entry.recipe.name}: {entry.recipe.line}"
        page.fitted(left, 77, words, right - left, 10, SANS_BOLD)
    page.fitted(
        left,
        84,
        (
            tr(
                "Stay within reach while it burns. Eyewear for {wavelength_nm:.0f} nm. "
                "Exhaust on. Extinguisher at hand.",
                wavelength_nm=machine.wavelength_nm,
            )
        ),
        right - left,
        10,
        SANS_BOLD,
    )
    page.line(left, 96, right, 96)
    page.fitted(left, 100, CAUTION, right - left - 18, 7, SANS)
    page.text(right, 100, "Olive Almanac", 8, SERIF, "right")
    return page.done()


def _evidence(entry: Entry) -> list[str]:
    evidence, words = entry.evidence, []
    if evidence.margins.speed is not None:
        sure = (
            tr(", {keeps:.0f} % sure", keeps=100 * evidence.margins.keeps)
            if evidence.margins.is_sure
            else ""
        )
        words.append(
            tr(
                "Margin {speed:.0f} % in speed{sure}",
                speed=100 * (evidence.margins.speed - 1),
                sure=sure,
            )
        )
    if evidence.seconds_per_m is not None:
        words.append(
            tr("{seconds_per_m} per metre", seconds_per_m=duration_text(evidence.seconds_per_m))
        )
    if evidence.seconds_per_100cm2 is not None:
        words.append(
            tr(
                "{seconds_per_100cm2} per 100 cm²",
                seconds_per_100cm2=duration_text(evidence.seconds_per_100cm2),
            )
        )
    if evidence.cells_read:
        words.append(tr("from {cells_read} cells", cells_read=evidence.cells_read))
    else:
        words.append(tr("not yet burnt"))
    if evidence.simulated:
        words.insert(0, tr("Simulated, not burnt on a machine"))
    return words


def write_safety(
    machine: Machine, stock: Stock, lines: Sequence[tuple[str, str]], *, paper: str = "a4"
) -> bytes:
    """Return the safety page as PDF, to hang beside the machine: heading and text of each
    caution.
    """
    page = Sheet(
        *PAGES_MM[paper],
        title=tr(
            "Safety, {machine}, {short_name}", machine=machine.name, short_name=stock.short_name
        ),
    )
    left, right = 20.0, page.width - 20.0
    page.text(left, 24, tr("Before it burns"), 22, SERIF)
    page.line(left, 28, right, 28, 1.6)
    page.fitted(left, 35, f"{machine.label}   {stock.label}", right - left, 12, SANS_BOLD)
    y = 47.0
    for heading, text in lines:
        page.text(left, y, heading, 14, SERIF)
        y += 6.5
        for line in page.wrapped(text, right - left, 11):
            page.text(left, y, line, 11)
            y += 5.4
        y += 4.5
    return page.done()
