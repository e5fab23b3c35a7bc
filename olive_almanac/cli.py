"""The stations without a window: plan, burn, read, decide, book, check.  JSON in and out.

Exit 0 done; 1 could not (one sentence on stderr); 2 wrong usage.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

from olive_almanac import __version__
from olive_almanac.core.errors import AlmanacError, BadFile, Finding
from olive_almanac.core.records.setting import AIRS, TASKS, Task
from olive_almanac.core.records.trial import KINDS, ORDERS
from olive_almanac.core.units import (
    count_text,
    duration_text,
    number_text,
    percent_text,
    read_length_mm,
    read_number,
)
from olive_almanac.steps.files import read_bytes, read_text, write_file
from olive_almanac.steps.ports import Bench, Library

if TYPE_CHECKING:
    from olive_almanac.core.records.machine import Machine
    from olive_almanac.core.records.stock import Stock
    from olive_almanac.core.records.trial import Trial

__all__ = ["Doors", "main", "parser"]

USUAL_BATCH = 8  # cells that a decision proposes to burn next


@dataclass(frozen=True)
class Doors:
    """What the command line needs from outside the stations; __main__ hands it in."""

    open_library: Callable[[Path], Library]
    restore_library: Callable[[Path], tuple[Path, Path]]
    make_bench: Callable[[int], Bench]
    open_window: Callable[[Path], int]
    open_demo: Callable[[Path | None], int]
    default_library: Callable[[], Path]
    place_of: Callable[[str], Path]  # the folder of a library named by its folder or its server
    today: Callable[[], date]


def parser() -> argparse.ArgumentParser:
    """Return the parser of every verb."""
    top = argparse.ArgumentParser(
        prog="olive-almanac",
        description=(
            "Plan laser test coupons, read them, decide, keep the book. Without a verb "
            "the window opens."
        ),
    )
    top.add_argument("--version", action="version", version=f"olive-almanac {__version__}")
    top.add_argument(
        "--library",
        type=str,
        metavar="PLACE",
        help=(
            "folder of the library, or postgresql://user@host/name of a shared one (default: the "
            "data folder of the desktop)"
        ),
    )
    verbs = top.add_subparsers(dest="verb", metavar="VERB")

    demo = verbs.add_parser(
        "demo",
        help="open the window on a fresh copy of the demo shop; without a screen, work through it",
    )
    demo.add_argument("--out", type=Path, help="folder for the pictures when there is no screen")

    plan = verbs.add_parser("plan", help="plan a trial and write its files")
    plan.add_argument(
        "--kind",
        choices=KINDS[:-1],
        default="grid",
        help="kind of trial (default: a power x speed grid)",
    )
    plan.add_argument("--machine", type=Path, required=True)
    plan.add_argument("--stock", type=Path, required=True)
    plan.add_argument("--task", choices=TASKS, required=True)
    plan.add_argument("--power", help="percent, from:to:steps or a list")
    plan.add_argument("--speed", help="mm/s unless a unit is written, from:to:steps or a list")
    plan.add_argument("--passes", help="a number or a list")
    plan.add_argument("--focus", help="mm below the top face, from:to:steps or a list")
    plan.add_argument("--pitch", help="mm, a number or a list (engrave and mark)")
    plan.add_argument("--air", help="off, low, full, or a list of them")
    plan.add_argument("--repeats", type=int, help="repeats of a confirm run")
    plan.add_argument("--cell", help="side of a cell, mm")
    plan.add_argument("--gap", help="gap between cells, mm")
    plan.add_argument("--rest", type=float, help="rest between cells, s")
    plan.add_argument(
        "--order",
        choices=ORDERS,
        help="low energy first (default), or row by row, or column by column",
    )
    plan.add_argument("--turn", action="store_true", help="lay the long side the other way")
    plan.add_argument(
        "--sheet",
        help="size of the sheet, WxH in mm: the coupon is laid into its lower left corner",
    )
    plan.add_argument(
        "--clamp",
        action="append",
        default=[],
        help="a clamp on the sheet, from X,Y to X,Y: X,Y,X,Y in mm",
    )
    plan.add_argument("--no-labels", action="store_true", help="burn no labels")
    plan.add_argument("--no-marks", action="store_true", help="burn no photo marks")
    plan.add_argument("--at", help="place of the coupon on the bed, X,Y in mm")
    plan.add_argument("--name", default="", help="name of the coupon")
    plan.add_argument(
        "--we-burn-it", action="store_true", help="the shop has decided to burn this disputed stock"
    )
    plan.add_argument("--out", type=Path, required=True)

    burn = verbs.add_parser("burn", help="burn a trial on the stand-in bench")
    burn.add_argument("trial", type=Path)
    burn.add_argument("--bench", default="stand-in", choices=("stand-in",))
    burn.add_argument("--seed", type=int, default=1)
    burn.add_argument("--no-photo", action="store_true", help="take no photo of the burnt coupon")
    burn.add_argument("--out", type=Path, required=True)

    read = verbs.add_parser(
        "read",
        help="read a photo of the burnt coupon, or check readings by eye and write them clean",
    )
    read.add_argument("trial", type=Path)
    read.add_argument(
        "source",
        type=Path,
        metavar="PHOTO|READINGS",
        help="a photo of the front, or readings.json as written by hand or by the bench",
    )
    read.add_argument(
        "--back",
        type=Path,
        help="a photo of the back: tells what hangs from what was not cut through",
    )
    read.add_argument(
        "--corners",
        nargs=4,
        metavar="X,Y",
        help="corners of the box around all cells in the photo, pixels: upper left, "
        "upper right, lower right, lower left",
    )
    read.add_argument("--out", type=Path, required=True)

    decide = verbs.add_parser("decide", help="decide from one or more trials with their readings")
    decide.add_argument("files", type=Path, nargs="+", metavar="TRIAL READINGS")
    decide.add_argument("--aim", choices=("quickest", "cleanest", "widest"), default="quickest")
    decide.add_argument(
        "--target", type=float, help="cut: probability 0.5 to 0.999; else: wanted lightness L*"
    )
    decide.add_argument(
        "--next",
        type=int,
        metavar="K",
        help="name up to K cells to burn next, also when there is a pick",
    )
    decide.add_argument("--enter", action="store_true", help="write the pick into the book")

    book = verbs.add_parser("book", help="find settings in the book")
    book.add_argument("--find", default="", help="any words, sizes, units")
    book.add_argument("--confirm", metavar="ENTRY", help="note a confirming burn of this entry")
    book.add_argument("--failed", metavar="ENTRY", help="note that this entry failed")

    book.add_argument(
        "--write", metavar="ENTRY", help="write this entry with its machine and stock into a file"
    )
    book.add_argument("--out", type=Path, help="the file of --write")
    book.add_argument(
        "--save",
        type=Path,
        metavar="FILE",
        help="save the book: .pdf printed, .csv a table, .json the whole library",
    )
    book.add_argument(
        "--take-in",
        type=Path,
        metavar="FILE",
        help="merge another library: a .json file, or its folder",
    )

    carry = verbs.add_parser(
        "carry", help="carry an entry over to another machine or stock, as a guess"
    )
    carry.add_argument(
        "--from",
        dest="entry",
        type=Path,
        required=True,
        metavar="ENTRY.json",
        help="a file of book --write",
    )
    carry.add_argument("--to-machine", type=Path, required=True)
    carry.add_argument("--to-stock", type=Path, required=True)

    check = verbs.add_parser("check", help="check a G-code file before it goes to the machine")
    check.add_argument("file", type=Path)
    check.add_argument("--machine", type=Path, required=True)
    check.add_argument("--area", help="X,Y,W,H in mm that the file must stay inside")

    verbs.add_parser("restore", help="put the newest good backup of a damaged library in place")
    for verb in (plan, burn, read, decide, book, carry, check):
        verb.add_argument(
            "--json", action="store_true", help="one JSON document on standard output"
        )
    for verb in (decide, book):
        verb.add_argument("--library", type=str, default=argparse.SUPPRESS, help=argparse.SUPPRESS)
    return top


def main(argv: Sequence[str], doors: Doors) -> int:
    """Run one verb and return the exit status."""
    try:
        arguments = parser().parse_args(_with_negative_levels(argv))
    except SystemExit as leaving:
        return int(leaving.code or 0)
    library = Path()
    try:
        if arguments.library:
            library = doors.place_of(arguments.library)
        else:
            library = doors.default_library()
        if arguments.verb is None:
            return doors.open_window(library)
        if arguments.verb == "demo":
            return doors.open_demo(arguments.out)
        run = {
            "plan": _plan,
            "burn": _burn,
            "read": _read,
            "decide": _decide,
            "book": _book,
            "carry": _carry,
            "check": _check,
            "restore": _restore,
        }
        return run[arguments.verb](arguments, doors, library)
    except AlmanacError as problem:
        print(f"olive-almanac: {problem}", file=sys.stderr)
        return 1
    except BrokenPipeError:
        return 1


def _with_negative_levels(argv: Sequence[str]) -> list[str]:
    """Join `--focus -2:2:5` into one word, for argparse takes what begins with a minus for an
    option.
    """
    joined: list[str] = []
    for word in argv:
        if (
            joined
            and joined[-1].startswith("--")
            and "=" not in joined[-1]
            and word[:1] in "-−"
            and word[1:2].isdigit()
        ):
            joined[-1] += f"={word}"
        else:
            joined.append(word)
    return joined


def _say(arguments: argparse.Namespace, words: str, document: str | dict[str, Any]) -> None:
    if not arguments.json:
        print(words)
    elif isinstance(document, str):
        print(document, end="")
    else:
        print(json.dumps(document, ensure_ascii=False, indent=1))


def _warn(findings: Sequence[Finding]) -> None:
    for finding in findings:
        print(f"olive-almanac: note: {finding.text}", file=sys.stderr)


def _load_trial(path: Path) -> Trial:
    from olive_almanac.formats.station_files import read_trial

    trial, findings = read_trial(read_text(path), path.name)
    _warn(findings)
    return trial


def _load_machine(path: Path) -> Machine:
    from olive_almanac.formats.station_files import read_machine

    machine, findings = read_machine(read_text(path), path.name)
    _warn(findings)
    return machine


def _load_stock(path: Path) -> Stock:
    from olive_almanac.formats.station_files import read_stock

    stock, findings = read_stock(read_text(path), path.name)
    _warn(findings)
    return stock


def _plan(arguments: argparse.Namespace, doors: Doors, library: Path) -> int:
    from dataclasses import replace

    from olive_almanac.core.design.levels import read_levels, speed_reader
    from olive_almanac.core.design.plan import energy_unit, plan_trial
    from olive_almanac.core.design.suggest import flare_limit_of, suggest_levels
    from olive_almanac.core.records.ranges import check_choice
    from olive_almanac.core.records.stock import Sheet
    from olive_almanac.formats.station_files import write_trial
    from olive_almanac.steps.lettering import letters
    from olive_almanac.steps.permission import permission_for, verdict_for
    from olive_almanac.steps.trial_files import write_trial_files

    machine, stock = _load_machine(arguments.machine), _load_stock(arguments.stock)
    task = cast(Task, arguments.task)
    changes: dict[str, Any] = {}
    if arguments.power:
        levels = read_levels(
            arguments.power, "Power", lambda text: read_number(text, "Power", "%"), "%"
        )
        changes["power"] = tuple(level / 100 for level in levels)
    if arguments.speed:
        changes["speed_mm_s"] = read_levels(arguments.speed, "Speed", speed_reader())
    if arguments.passes:
        changes["passes"] = tuple(
            int(v)
            for v in read_levels(
                arguments.passes, "Passes", lambda text: read_number(text, "Passes")
            )
        )
    if arguments.focus:
        changes["focus_mm"] = read_levels(
            arguments.focus, "Focus", lambda text: read_length_mm(text, "Focus"), "mm"
        )
    if arguments.pitch:
        changes["pitch_mm"] = read_levels(
            arguments.pitch, "Line pitch", lambda text: read_length_mm(text, "Line pitch"), "mm"
        )
    if arguments.cell:
        changes["cell_mm"] = read_length_mm(arguments.cell, "Cell side")
    if arguments.gap:
        changes["gap_mm"] = read_length_mm(arguments.gap, "Gap between cells")
    if arguments.air:
        airs = tuple(arguments.air.split(","))
        for air in airs:
            check_choice("Air", air, AIRS)
        changes["air"] = airs
    for name, value in (
        ("rest_s", arguments.rest),
        ("burn_order", arguments.order),
        ("repeats", arguments.repeats),
    ):
        if value is not None:
            changes[name] = value
    changes |= {
        "turned": arguments.turn,
        "labels": not arguments.no_labels,
        "fiducials": not arguments.no_marks,
    }
    if arguments.sheet:
        width, height = _numbers(arguments.sheet.replace("×", "x").replace("x", ","), "Sheet", 2)
        clamps = tuple(_numbers(clamp, "Clamp", 4) for clamp in arguments.clamp)
        changes |= {
            "sheet": Sheet(width, height, clamps_mm=clamps),
            "sheet_number": 0,
            "place": (0.0, 0.0),
        }
    if arguments.at:
        changes["place"] = _numbers(arguments.at, "Place", 2)
    engraving = verdict_for(machine, stock, "engrave")
    suggested = suggest_levels(
        machine, stock, task, kind=arguments.kind, lettering=letters(), engraving=engraving
    )
    choices = replace(suggested.choices, **changes)
    made = doors.today().isoformat()
    name = arguments.name or f"Coupon of {made}"
    permission = permission_for(
        machine, stock, task, {stock.family: True} if arguments.we_burn_it else {}
    )
    plan = plan_trial(
        machine,
        stock,
        task,
        choices,
        permission=permission,
        trial_id=_trial_id(name, made, choices),
        name=name,
        made=made,
        lettering=letters(),
        engraving=engraving,
        limit=flare_limit_of(stock),
        settle=not arguments.at,
    )
    for _ in write_trial_files(plan.trial, arguments.out):
        pass  # only a window shows how far it is
    _warn(
        [
            Finding("refused", one.cell.id, f"{one.cell.id} is left out. {one.why}")
            for one in plan.refused
        ]
    )
    _warn([Finding("mind", stock.name, permission.mind)] if permission.mind else [])
    _warn([Finding("mind", one, one) for one in plan.remarks])
    low, high = plan.energy_range
    coupon = plan.trial.coupon
    _say(
        arguments,
        f"{count_text(len(plan.trial.cells), 'cell')}, {duration_text(plan.trial.seconds)}, "
        f"{coupon.width_mm:g} x {coupon.height_mm:g} mm, "
        f"{number_text(low, 2)} to {number_text(high, 2)} {energy_unit(task)}. Written into "
        f"{arguments.out}.",
        write_trial(plan.trial),
    )
    return 0


def _trial_id(name: str, made: str, choices: object) -> str:
    """An id that is the same for the same plan on the same day."""
    import hashlib

    return f"coupon-{made}-{hashlib.sha256(f'{name}{choices}'.encode()).hexdigest()[:8]}"


def _numbers(text: str, field: str, count: int) -> tuple[Any, ...]:
    from olive_almanac.core.errors import OutOfRange

    parts = text.split(",")
    if len(parts) != count:
        raise OutOfRange(field, f"“{text}”", f"{count} numbers with commas between them")
    return tuple(read_length_mm(part, field) for part in parts)


def _burn(arguments: argparse.Namespace, doors: Doors, library: Path) -> int:
    from olive_almanac.formats.station_files import write_readings
    from olive_almanac.steps.lettering import letters

    trial = _load_trial(arguments.trial)
    bench = doors.make_bench(arguments.seed)
    burnt = list(bench.burn(trial))
    clock, log = 0.0, []
    for one in burnt:
        clock += one.seconds
        log.append(f"{clock:10.2f} s  {one.cell} burnt" + (", flared up" if one.flared else ""))
    seen = write_readings(trial.id, [one.seen for one in burnt])
    write_file(arguments.out / "seen.json", seen)
    write_file(arguments.out / "truth.json", json.dumps(bench.truth(trial), indent=1) + "\n")
    write_file(arguments.out / "log.txt", "\n".join(log) + "\n")
    if not arguments.no_photo:
        write_file(arguments.out / "photo.jpg", bench.photograph(trial, letters()))
    flares = sum(one.flared for one in burnt)
    _say(
        arguments,
        f"{count_text(len(burnt), 'cell')} burnt in {duration_text(clock)}, {flares} flared up. "
        f"What an eye would see is in {arguments.out / 'seen.json'}."
        + ("" if arguments.no_photo else f" A phone’s photo is in {arguments.out / 'photo.jpg'}."),
        seen,
    )
    return 0


def _read(arguments: argparse.Namespace, doors: Doors, library: Path) -> int:
    from olive_almanac.formats.station_files import read_readings, write_readings

    trial = _load_trial(arguments.trial)
    if read_bytes(arguments.source)[:1].strip() == b"{":
        readings, findings = read_readings(
            read_text(arguments.source), arguments.source.name, trial
        )
    else:
        readings, findings = _read_photos(arguments, trial)
    _warn(findings)
    document = write_readings(trial.id, readings)
    write_file(arguments.out, document)
    left = len(trial.cells) - len(readings)
    _say(
        arguments,
        f"{count_text(len(readings), 'cell')} read, {left} not read. Written to {arguments.out}.",
        document,
    )
    return 0


def _read_photos(
    arguments: argparse.Namespace, trial: Trial
) -> tuple[tuple[Any, ...], list[Finding]]:
    """Readings by photo of the front and, where one is given, the back; each cell that is not
    judged is told with its reason.
    """
    from olive_almanac.core.photo.judge import Limits, joined_sides, suggest
    from olive_almanac.core.records.reading import FLAG_WORDS
    from olive_almanac.steps.photo import photo_work

    corners = [
        tuple(float(v) for v in _numbers(one, "Corner", 2)) for one in arguments.corners or ()
    ]
    work = photo_work(
        trial,
        read_bytes(arguments.source),
        arguments.source.name,
        "front",
        corners_px=cast(Any, corners),
    )
    front = next(value for kind, value in work if kind == "read").seen
    says, cells = [*front.says], front.cells
    if arguments.back:
        out = frozenset(cell.cell for cell in cells if cell.out and not cell.flags)
        work = photo_work(trial, read_bytes(arguments.back), arguments.back.name, "back", out=out)
        back = next(value for kind, value in work if kind == "read").seen
        says, cells = [*says, *back.says], joined_sides(cells, back.cells)
    findings = [Finding("photo", arguments.source.name, word) for word in says]
    for cell in cells:
        words = [FLAG_WORDS.get(flag.removeprefix("back_"), flag) for flag in cell.flags]
        if words:
            findings.append(
                Finding("not-judged", cell.cell, f"{cell.cell} is not judged: {'; '.join(words)}.")
            )
    return suggest(cells, trial.task, Limits(), back_seen=bool(arguments.back)), findings


def _decide(arguments: argparse.Namespace, doors: Doors, library: Path) -> int:
    from dataclasses import replace

    from olive_almanac.core.deciding.decision import aim_word
    from olive_almanac.core.errors import OutOfRange
    from olive_almanac.formats.station_files import read_readings, write_decision
    from olive_almanac.steps.decide import decide_trial

    files: list[Path] = arguments.files
    if len(files) % 2:
        raise BadFile("Give a trial and its readings in turn: TRIAL READINGS [TRIAL READINGS ...].")
    pairs = []
    for trial_path, readings_path in zip(files[::2], files[1::2], strict=True):
        trial = _load_trial(trial_path)
        readings, findings = read_readings(read_text(readings_path), readings_path.name, trial)
        _warn(findings)
        pairs.append((trial, readings))
    first = pairs[0][0]
    for trial, _ in pairs[1:]:
        if (trial.machine.name, trial.stock.label, trial.task) != (
            first.machine.name,
            first.stock.label,
            first.task,
        ):
            raise BadFile(
                f"{trial.name} is about another machine, stock or task than {first.name}."
            )
    target = arguments.target
    if target is not None and first.task == "cut" and not 0.5 <= target <= 0.999:
        raise OutOfRange("Target", target, "a probability from 0.5 to 0.999")
    if target is not None and first.task != "cut" and not 0 <= target <= 100:
        raise OutOfRange("Target", target, "a lightness L* from 0 to 100")
    lightness = None
    if first.task != "cut":
        lightness = target
    told = _other_decision(pairs)
    if told is not None:
        _say(arguments, *told)
        return 0
    wanted = None
    if first.task == "cut":
        wanted = target
    decision, _ = decide_trial(
        pairs, target=wanted, lightness=lightness, count=max(1, arguments.next or USUAL_BATCH)
    )
    if arguments.next is not None:
        decision = replace(decision, next_cells=decision.next_cells[: max(0, arguments.next)])
    pick = decision.pick(arguments.aim)
    words = decision.says
    if pick is not None:
        setting = pick.setting
        words += (
            f"\n{aim_word(pick.aim, first.task)}: {percent_text(setting.power)} %, "
            f"{number_text(setting.speed_mm_s)} mm/s, {setting.passes} x, "
            f"{100 * pick.probability:.0f} % sure, margin {100 * pick.margin:.0f} % in speed."
        )
    if arguments.next:
        words += "".join(
            (
                f"\nNext: {percent_text(s.power)} %, {number_text(s.speed_mm_s)} mm/s, "
                f"{s.passes} x, focus {number_text(s.focus_mm)} mm"
            )
            for s in decision.next_cells
        )
    if arguments.enter and pick is not None:
        words += "\n" + _enter(doors, library, pick, decision, pairs)
    _say(arguments, words, write_decision(decision))
    return 0


def _other_decision(pairs: Any) -> tuple[str, str] | None:
    """Return what a focus, kerf or greyscale trial decides, in words and as JSON; None where a
    setting is asked for.
    """
    from olive_almanac.formats.station_files import write_figures
    from olive_almanac.steps.decide import Basis, question_of, work_out

    question = question_of(pairs[-1][0])
    if question == "setting":
        return None
    _, found = next(iter(work_out(Basis(pairs))))
    if isinstance(found, str):
        return f"Not decided yet: {found}", write_figures(question, found)
    return found.says, write_figures(question, found)


def _carry(arguments: argparse.Namespace, _doors: Doors, _library: Path) -> int:
    import numpy as np

    from olive_almanac.core.deciding.carry import carry_entry
    from olive_almanac.formats.station_files import (
        read_entry,
        read_machine,
        read_stock,
        write_guess,
    )
    from olive_almanac.steps.permission import permission_for

    entry, machine, stock = read_entry(read_text(arguments.entry), arguments.entry.name)
    to_machine, findings = read_machine(read_text(arguments.to_machine), arguments.to_machine.name)
    to_stock, more = read_stock(read_text(arguments.to_stock), arguments.to_stock.name)
    _warn([*findings, *more])
    permission = permission_for(to_machine, to_stock, entry.task, {})
    setting, evidence = carry_entry(
        entry,
        machine,
        stock,
        to_machine=to_machine,
        to_stock=to_stock,
        permission=permission,
        rng=np.random.default_rng(0),
    )
    words = (
        f"{evidence.says} A guess: {percent_text(setting.power)} %, "
        f"{number_text(setting.speed_mm_s)} mm/s, {setting.passes} x, "
        f"focus {number_text(setting.focus_mm)} mm. Burn a confirm run before you trust it."
    )
    _say(arguments, words, write_guess(setting, evidence))
    return 0


def _enter(doors: Doors, folder: Path, pick: Any, decision: Any, pairs: Any) -> str:
    """Write a pick into the book, with machine and stock where the library lacks them; returns what
    was done.
    """
    from dataclasses import replace

    from olive_almanac.steps.decide import entry_of

    trial: Trial = pairs[-1][0]
    library = doors.open_library(folder)
    try:
        machine = next((m for m in library.machines() if m.name == trial.machine.name), None)
        stock = next((s for s in library.stocks() if s.label == trial.stock.label), None)
        if machine is None:
            machine = replace(trial.machine, uid=trial.machine.uid or _slug(trial.machine.name))
            library.save_machine(machine, "came with a decision")
        if stock is None:
            stock = replace(trial.stock, uid=trial.stock.uid or _slug(trial.stock.label))
            library.save_stock(stock, "came with a decision")
        uid = f"{machine.uid}-{stock.uid}-{trial.task}"
        entry = entry_of(
            pick,
            decision,
            pairs,
            uid=uid,
            written=doors.today().isoformat(),
            machine=machine,
            stock=stock,
        )
        library.save_entry(entry, f"chosen from {trial.name}")
    finally:
        library.close()
    return f"Written into the book as {uid}: on trial until 3 confirming burns pass."


def _slug(text: str) -> str:
    return "-".join("".join(c if c.isalnum() else " " for c in text.casefold()).split())


def _book(arguments: argparse.Namespace, doors: Doors, library: Path) -> int:
    from olive_almanac.formats.station_files import write_entries
    from olive_almanac.steps.book import STATE_WORDS, clip_text
    from olive_almanac.steps.find import find_entries
    from olive_almanac.steps.session import Session

    session = Session(today=doors.today)
    store = doors.open_library(library)
    try:
        session.attach(store)
        for uid, passed in ((arguments.confirm, True), (arguments.failed, False)):
            if uid:
                _note_proof(session, uid, passed=passed)
        if arguments.take_in:
            print(_taken_in(store, arguments.take_in, doors))
            return 0
        if arguments.save:
            from olive_almanac.steps.share import write_book_work

            print("\n".join(write_book_work(session, arguments.save)))
            return 0
        found = find_entries(session.shelf, arguments.find, doors.today(), most=50)
        if arguments.write:
            return _write_entry(session, arguments.write, arguments.out)
    finally:
        store.close()
    lines = [
        clip_text(one.entry, one.machine, one.stock, one.state, "mm/s") + f"  [{one.entry.uid}]"
        for one in found
    ]
    words = "Nothing in the book fits these words."
    if lines:
        words = "\n".join(lines)
    document = write_entries(
        [
            (one.entry, one.machine, one.stock, STATE_WORDS[one.state][0].lower(), one.reason)
            for one in found
        ]
    )
    _say(arguments, words, document)
    return 0


def _taken_in(store: Library, path: Path, doors: Doors) -> str:
    """Merge another library and return what was taken in, in words."""
    from olive_almanac.steps.share import merge_work, take_in_work

    if path.is_dir():
        work = merge_work(store, lambda: doors.open_library(path))
    else:
        work = take_in_work(store, path)
    (merged,) = work
    return "\n".join(
        [merged.says, *(f"{one.table} {one.uid}: {one.kept} in force" for one in merged.conflicts)]
    )


def _write_entry(session: Any, uid: str, out: Path | None) -> int:
    from olive_almanac.formats.station_files import write_entry

    entry = next((one for one in session.shelf.entries if one.uid == uid), None)
    if entry is None or out is None:
        raise BadFile(
            f"The book has no entry “{uid}”."
            if entry is None
            else "Name the file to write with --out."
        )
    text = write_entry(
        entry, session.shelf.machine(entry.machine_uid), session.shelf.stock(entry.stock_uid)
    )
    write_file(out, text.encode())
    print(f"Written: {out}")
    return 0


def _note_proof(session: Any, uid: str, *, passed: bool) -> None:
    from olive_almanac.steps.book import BookPresenter

    entry = next((one for one in session.shelf.entries if one.uid == uid), None)
    if entry is None:
        raise BadFile(f"The book has no entry “{uid}”. olive-almanac book --find lists them.")
    session.choose(machine=entry.machine_uid, stock=entry.stock_uid, task=entry.task)
    if not BookPresenter(session).confirm(passed=passed):
        raise BadFile(session.problem)


def _check(arguments: argparse.Namespace, doors: Doors, library: Path) -> int:
    from olive_almanac.formats.gcode_check import CheckLimits, check_gcode

    machine = _load_machine(arguments.machine)
    area = None
    if arguments.area:
        area = _numbers(arguments.area, "Area", 4)
    limits = CheckLimits(
        machine.bed_mm, machine.max_speed_mm_s, machine.power_scale, cast(Any, area)
    )
    report = check_gcode(read_text(arguments.file), limits)
    document = {
        "format": "olive-almanac/check",
        "version": 1,
        "safe": report.safe,
        "moves": report.moves,
        "findings": [{"code": f.code, "where": f.where, "text": f.text} for f in report.findings],
    }
    if report.findings:
        words = "\n".join(f.text for f in report.findings)
    else:
        words = (
            f"{report.moves} moves followed, nothing unsafe found. The machine’s manual comes "
            "first."
        )
    _say(arguments, words, document)
    if report.safe:
        return 0
    return 1


def _restore(arguments: argparse.Namespace, doors: Doors, library: Path) -> int:
    backup, aside = doors.restore_library(library)
    print(f"Restored {backup.name}. The damaged file is kept as {aside.name}.")
    return 0
