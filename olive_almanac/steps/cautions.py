"""The margin note: what can hurt someone with the present subject.

Cautions, never a certification.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import flared
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.safety.eyes import EDITION, eyewear_od
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr
from olive_almanac.steps.permission import group_of, judged_stock
from olive_almanac.steps.session import Session

__all__ = ["FULL_CAUTION", "Caution", "cautions_of", "safety_lines"]
HOW_KNOWN = re.compile(r" \(from memory\)|[;,] from memory")  # what a limit never stands beside

FULL_CAUTION = tr(
    "This program is an aid. The machine’s manual, the maker’s safety sheet, local codes and a "
    "qualified laser safety officer come first."
)
_SMOKE = {
    "Wood": tr("wood and glue smoke"),
    "Card and board": tr("paper smoke, it lights easily"),
    "Plastic": tr("plastic vapour"),
    "Foam and rubber": tr("foam and rubber vapour"),
    "Leather and textile": tr("leather and fibre smoke"),
    "Glass and stone": tr("fine dust"),
    "Metal": tr("metal and coating fume"),
    "Not known": tr("nobody knows what"),
}


@dataclass(frozen=True)
class Caution:
    """One note: its glyph, how pressing it is, a few words, and the evidence or advice."""

    kind: Literal["fire", "fume", "eyes", "glare", "stop"]
    level: Literal["act", "mind", "clear"]
    words: str
    detail: str


def cautions_of(session: Session) -> tuple[Caution, ...]:
    """Return the notes for the present subject, the most pressing first; none before a subject is
    chosen.
    """
    machine, stock = session.subject.machine, session.subject.stock
    if machine is None or stock is None:
        return ()
    first: tuple[Caution, ...] = ()
    if not session.permission.allowed:
        barred = session.permission.barred
        if barred:
            words = tr("Barred: do not burn it")
        elif session.permission.ask:
            words = tr("Decide first")
        else:
            words = tr("Will not work here")
        first = (Caution("stop", "act" if barred else "mind", words, session.permission.reason),)
    elif session.permission.mind:
        first = (Caution("stop", "mind", tr("Mind the stock"), session.permission.mind),)
    return (*first, _fire(session, machine), _fume(stock), _eyes(machine), _glare(stock))[:4]


def _fire(session: Session, machine: Machine) -> Caution:
    active, detail = session.active, tr("never leave it while it burns")
    if active is not None:
        hot = [active.trial.cell(r.cell).setting for r in active.readings.values() if flared(r)]
        if hot:
            least = min(machine.watts(s.power) * s.passes / s.speed_mm_s for s in hot)
            detail = tr(
                "{trial} flared from {least} J/mm",
                trial=active.trial.name,
                least=number_text(least, 2),
            )
    return Caution("fire", "act", tr("Fire: stay within reach"), detail)


def _fume(stock: Stock) -> Caution:
    return Caution("fume", "mind", tr("Fume: exhaust on"), _SMOKE.get(group_of(stock), "smoke"))


def _eyes(machine: Machine) -> Caution:
    density = eyewear_od(
        power_w=machine.optical_power_w, wavelength_nm=machine.wavelength_nm, seconds=10
    )
    detail = tr("OD from the manual, everyone in the room")
    if density is not None:
        detail = tr("OD {density:.1f} or more, everyone in the room", density=density)
    return Caution(
        "eyes",
        "mind",
        tr("Eyes: {wavelength_nm:.0f} nm goggles", wavelength_nm=machine.wavelength_nm),
        detail,
    )


def _glare(stock: Stock) -> Caution:
    shiny = (
        (group_of(stock) == "Metal" and stock.family != "coated_metal")
        or stock.family == "mirror"
        or stock.opacity == "mirror"
    )
    if shiny:
        return Caution(
            "glare", "mind", tr("Reflection: shiny face"), tr("keep it off the lens axis")
        )
    return Caution("glare", "clear", tr("Reflection: little"), tr("a dull face"))


def safety_lines(session: Session) -> tuple[tuple[str, str], ...]:
    """Return the full safety page of the subject: heading and text, in the order in which to read
    them.
    """
    machine, stock = session.subject.machine, session.subject.stock
    if machine is None or stock is None:
        return ()
    judged, permission = judged_stock(stock), session.permission
    densities = ", ".join(
        tr("OD {density:.1f} for {words}", density=density, words=words)
        for seconds, words in ((0.25, tr("a blink")), (10.0, "10 s"), (100.0, tr("100 s and more")))
        if (
            density := eyewear_od(
                power_w=machine.optical_power_w,
                wavelength_nm=machine.wavelength_nm,
                seconds=seconds,
            )
        )
        is not None
    )
    unknown = tr("no formula here covers this wavelength")
    needed = tr("take its optical density from the machine’s manual, {unknown}", unknown=unknown)
    if densities:
        needed = tr(
            "{densities}, for {optical_power_w:g} W inside the eye's aperture ({edition})",
            densities=densities,
            optical_power_w=machine.optical_power_w,
            edition=EDITION,
        )
    gives_off = tr("It is not known what it gives off.")
    if judged:
        gives_off = tr(
            "{stock} gives off {gives_off}.", stock=stock.name, gives_off=judged.entry.gives_off
        )
        if judged.entry.source:
            source = HOW_KNOWN.sub("", judged.entry.source)
            gives_off += tr(" Source: {source}; look it up there.", source=source)
        if judged.entry.id in ("mdf", "hdf"):
            gives_off += f" {judged.entry.advice}"
    lines = [
        (
            tr("May it burn"),
            permission.sentence
            if not permission.allowed
            else tr("Yes, on this machine. {mind}", mind=permission.mind).strip(),
        ),
        (
            tr("Eyes"),
            (
                tr(
                    "Eyewear marked for {wavelength_nm:.0f} nm: {needed}. Everybody in the room "
                    "wears it, also when a shield is fitted.",
                    wavelength_nm=machine.wavelength_nm,
                    needed=needed,
                )
            ),
        ),
        (
            tr("Fume"),
            gives_off
            + (
                tr(
                    " Exhaust outdoors or through a filter made for it; wait until the room has "
                    "cleared before you open it."
                )
            ),
        ),
        (
            tr("Fire"),
            tr(
                "Never leave the machine while it burns. Extinguisher at hand, bed clean, air on, "
                "above all for foam, paper and thin stock. A flare: "
                "pause, and open the lid only when it is out."
            ),
        ),
        (
            tr("Reflection"),
            (
                tr(
                    "Polished metal throws the beam back at the head: dull it or leave it. A glass "
                    "mirror is silvered at its back: face down, the beam goes into the coating."
                )
            ),
        ),
        (
            tr("Stock of unknown make"),
            tr("Do not burn what nobody can name. Ask the supplier for the safety sheet."),
        ),
    ]
    return (*lines, (tr("Who decides"), FULL_CAUTION))
