"""olive-almanac stock: the stocks of the shop, listed, added, changed, written."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from pathlib import Path

from olive_almanac.cli.console import load_stock
from olive_almanac.cli.services import CommandServices
from olive_almanac.cli.shelf import Shelf, add_shelf_arguments, run_shelf
from olive_almanac.core.errors import BadFile
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import count_text, number_text
from olive_almanac.core.words import tr
from olive_almanac.formats.station_files import write_stock
from olive_almanac.steps.permission import families
from olive_almanac.steps.set_up import Field, stock_fields

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ("stock", tr("Lists the stocks with their ids.")),
    (
        'stock add --set name="Birch ply" --set family=plywood --set thickness_mm=1/8in',
        tr("Adds one; lengths are typed as in the window."),
    ),
    (
        tr('stock change birch-3 --set measured="3.02, 3.05, 2.98"'),
        tr("Notes what the caliper read."),
    ),
    ("stock write birch-3 --out birch.json", tr("Writes it for `plan --stock`.")),
)


def _words(stock: Stock) -> str:
    sheets = count_text(len(stock.sheets), "sheet") if stock.sheets else tr("no sheet")
    measured = (
        tr(
            ", measured {true_thickness_mm} mm",
            true_thickness_mm=number_text(stock.true_thickness_mm),
        )
        if stock.measured_mm
        else ""
    )
    return tr(
        "{stock}: {family}{measured}, {sheets} in the rack",
        stock=stock.label,
        family=stock.family,
        measured=measured,
        sheets=sheets,
    )


def _fields(stock: Stock | None, wanted: Mapping[str, str]) -> Sequence[Field]:
    known = [one.id for one in families()]
    family = wanted.get("family", known[0])
    if family not in known:
        raise BadFile(
            tr(
                "There is no family “{family}”. There are: {known}.",
                family=family,
                known=", ".join(known),
            )
        )
    return stock_fields(stock)


SHELF = Shelf(
    "stock",
    lambda session: session.catalogue.stocks,
    load_stock,
    write_stock,
    _words,
    _fields,
    tuple(field.key for field in stock_fields(None)),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    add_shelf_arguments(parser, SHELF)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """List the stocks, or add, change or write one."""
    return run_shelf(arguments, services, library, SHELF)
