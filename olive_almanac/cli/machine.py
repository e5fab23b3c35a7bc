"""olive-almanac machine: the machines of the shop, listed, added, changed, written."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from pathlib import Path

from olive_almanac.cli.console import load_machine
from olive_almanac.cli.services import CommandServices
from olive_almanac.cli.shelf import Shelf, add_shelf_arguments, run_shelf
from olive_almanac.core.errors import BadFile
from olive_almanac.core.records.machine import SOURCES, Machine
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr
from olive_almanac.formats.station_files import write_machine
from olive_almanac.steps.set_up import Field, controller_fields, machine_fields, power_fields

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ("machine", tr("Lists the machines with their ids.")),
    (
        tr('machine add --set name="Long Bed" --set source=co2 --set optical_power_w=60'),
        tr("Adds one; what is not said has the usual value of its source."),
    ),
    (tr('machine change "Long Bed" --set optical_power_w=55'), tr("Changes it, as Set up does.")),
    (tr('machine write "Long Bed" --out long-bed.json'), tr("Writes it for `plan --machine`.")),
)


def _words(machine: Machine) -> str:
    return tr(
        "{machine}: {sources}, {optical_power_w} W optical, {wavelength_nm} nm, bed "
        "{bed_mm} x {bed_mm2} mm",
        machine=machine.name,
        sources=SOURCES[machine.source][0],
        optical_power_w=number_text(machine.optical_power_w),
        wavelength_nm=number_text(machine.wavelength_nm, 6),
        bed_mm=number_text(machine.bed_mm[0]),
        bed_mm2=number_text(machine.bed_mm[1]),
    )


def _fields(machine: Machine | None, wanted: Mapping[str, str]) -> Sequence[Field]:
    source = wanted.get("source", machine.source if machine else "diode")
    if source not in SOURCES:
        raise BadFile(
            tr(
                "There is no source “{source}”. There are: {sources}.",
                source=source,
                sources=", ".join(SOURCES),
            )
        )
    fields = machine_fields(machine, source)
    if machine is None:
        return fields
    for further in (power_fields(machine), controller_fields(machine)):
        if any(field.key in wanted for field in further):
            fields = (*fields, *further)
    return fields


SHELF = Shelf(
    "machine",
    lambda session: session.catalogue.machines,
    load_machine,
    write_machine,
    _words,
    _fields,
    (
        *(field.key for field in machine_fields(None)),
        tr("and more of a known one, as Set up has it"),
    ),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    add_shelf_arguments(parser, SHELF)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """List the machines, or add, change or write one."""
    return run_shelf(arguments, services, library, SHELF)
