"""The keys, once: the guide's page of keys is made from this list."""

from __future__ import annotations

from olive_almanac.core.words import tr

__all__ = ["KEYS", "OF_THE_WINDOW"]

Keys = tuple[tuple[str, str], ...]

OF_THE_WINDOW: Keys = (  # bound by the window itself
    (
        tr("Alt+1 … Alt+9"),
        tr("stations: Set up, Plan, Burn, Read, Decide, Book, Jobs, Shop, Practise"),
    ),
    (tr("PgUp PgDown"), tr("station back, on")),
    (tr("Ctrl+1 Ctrl+2 Ctrl+3"), tr("machine, stock, task")),
    ("Ctrl+K", tr("find anything: settings, jobs, coupons, machines, what the program does, help")),
    ("/", tr("filter the index")),
    ("Ctrl+Return", tr("the page’s main button")),
    (tr("Ctrl+Z Ctrl+Shift+Z"), tr("undo, redo")),
    ("Ctrl+B", tr("the book: due, compare, old notes, the library")),
    ("Ctrl+M", tr("where and with what: machines, thickness, kinds")),
    ("Ctrl+W", tr("what went wrong")),
    ("Ctrl+P", tr("the card or the key sheet, to look at and print")),
    ("Ctrl+Shift+C", tr("copy the numbers")),
    ("F1", tr("help on this station")),
    ("F11", tr("what is in hand, in type read from across the shop")),
    ("Ctrl+L", tr("Day or Workshop theme")),
    (tr("Ctrl+= Ctrl++ Ctrl+- Ctrl+0"), tr("scale")),
)
KEYS: dict[str, Keys] = {
    tr("Everywhere"): OF_THE_WINDOW,
    tr("At the machine (Set up)"): (
        (tr("Space"), tr("tick the line in hand")),
        ("1 … 7", tr("choose a line")),
    ),
    tr("Plan"): (
        (tr("arrows"), tr("move the coupon 1 mm, with Shift 10 mm (drawing)")),
        ("R", tr("turn it by a quarter (drawing)")),
    ),
    tr("Rack"): (
        (tr("arrows"), tr("move what is in hand 1 mm, with Shift 0.1 mm")),
        (". ,", tr("next thing, the one before")),
        (tr("C U Del"), tr("add a clamp, a used area; take away")),
    ),
    tr("Burn and Jobs, while it runs"): (
        (tr("Space"), tr("hold, go on")),
        (tr("Escape"), tr("stop")),
    ),
    tr("Read"): (
        ("T H N F", tr("through, hangs, not through, flared (cut)")),
        ("L R D N", tr("too light, right, too dark, no mark (engrave)")),
        ("1 2 3", tr("edge clean, brown, charred")),
        (tr("S Backspace"), tr("skip, take back")),
        ("X G", tr("defects, gauge")),
        (tr("Enter Space"), tr("agree with the photo, turn over")),
        ("Ctrl+V", tr("paste a photo")),
    ),
    tr("Decide"): (
        ("A B C", tr("take a pick")),
        ("M S O", tr("map, slices, disbelieved readings (cut)")),
        ("M P", tr("map, photo (engraved)")),
    ),
    tr("Jobs"): (
        ("O", tr("bring in a drawing")),
        ("A", tr("answer the first finding")),
        (". ,", tr("next copy or piece, the one before")),
        ("R", tr("turn the copy")),
        ("1 2 3", tr("pace: by the book, least cost, surest")),
        ("H K S F", tr("a piece hangs, hangs at a knot, is spoilt, fell free")),
    ),
}
