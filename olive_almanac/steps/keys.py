"""The keys, once: the guide's page of keys is made from this list."""

from __future__ import annotations

__all__ = ["KEYS", "OF_THE_WINDOW"]

Keys = tuple[tuple[str, str], ...]

OF_THE_WINDOW: Keys = (  # bound by the window itself
    ("Alt+1 … Alt+9", "stations: Set up, Plan, Burn, Read, Decide, Book, Jobs, Shop, Practise"),
    ("PgUp PgDown", "station back, on"),
    ("Ctrl+1 Ctrl+2 Ctrl+3", "machine, stock, task"),
    ("Ctrl+K", "find anything: settings, jobs, coupons, machines, what the program does, help"),
    ("/", "filter the index"),
    ("Ctrl+Return", "the page’s main button"),
    ("Ctrl+Z Ctrl+Shift+Z", "undo, redo"),
    ("Ctrl+B", "the book: due, compare, old notes, the library"),
    ("Ctrl+M", "where and with what: machines, thickness, kinds"),
    ("Ctrl+W", "what went wrong"),
    ("Ctrl+P", "the card or the key sheet, to look at and print"),
    ("Ctrl+Shift+C", "copy the numbers"),
    ("F1", "help on this station"),
    ("F11", "what is in hand, in type read from across the shop"),
    ("Ctrl+L", "Day or Workshop theme"),
    ("Ctrl+= Ctrl++ Ctrl+- Ctrl+0", "scale"),
)
KEYS: dict[str, Keys] = {
    "Everywhere": OF_THE_WINDOW,
    "At the machine (Set up)": (("Space", "tick the line in hand"), ("1 … 7", "choose a line")),
    "Plan": (
        ("arrows", "move the coupon 1 mm, with Shift 10 mm (drawing)"),
        ("R", "turn it by a quarter (drawing)"),
    ),
    "Rack": (
        ("arrows", "move what is in hand 1 mm, with Shift 0.1 mm"),
        (". ,", "next thing, the one before"),
        ("C U Del", "add a clamp, a used area; take away"),
    ),
    "Burn and Jobs, while it runs": (("Space", "hold, go on"), ("Escape", "stop")),
    "Read": (
        ("T H N F", "through, hangs, not through, flared (cut)"),
        ("L R D N", "too light, right, too dark, no mark (engrave)"),
        ("1 2 3", "edge clean, brown, charred"),
        ("S Backspace", "skip, take back"),
        ("X G", "defects, gauge"),
        ("Enter Space", "agree with the photo, turn over"),
        ("Ctrl+V", "paste a photo"),
    ),
    "Decide": (
        ("A B C", "take a pick"),
        ("M S O", "map, slices, disbelieved readings (cut)"),
        ("M P", "map, photo (engraved)"),
    ),
    "Jobs": (
        ("O", "bring in a drawing"),
        ("A", "answer the first finding"),
        (". ,", "next copy or piece, the one before"),
        ("R", "turn the copy"),
        ("1 2 3", "pace: by the book, least cost, surest"),
        ("H K S F", "a piece hangs, hangs at a knot, is spoilt, fell free"),
    ),
}
