"""The stations of the work, once: window, rail, keys, pictures and command line are built from it.

A station names its page and its verbs by their places, for neither is loaded before it is needed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr

if TYPE_CHECKING:
    from olive_almanac.steps.session import Session

__all__ = ["PRACTISE", "STATIONS", "Progress", "Station", "Verb", "progress_of", "station_of"]

Status = Literal["done", "now", "todo"]


@dataclass(frozen=True)
class Verb:
    """A verb of the command line: `olive_almanac.cli.<name>` holds it."""

    name: str
    help: str


@dataclass(frozen=True)
class Progress:
    """How far a station is for the present subject: its status, and its word on the rail, four
    words at most, a number first.
    """

    status: Status
    word: str
    short: str = ""  # where the rail is narrow


@dataclass(frozen=True)
class Station:
    """One station: its id, its title on screen, its key, how far it is, its page, its verbs, and
    the name of its picture in docs/screenshots.

    `thread` is True for the stations through which a trial goes, in their order.
    """

    id: str
    title: str
    key: str
    page: str  # module:class, below olive_almanac.views
    progress: Callable[[Session], Progress]
    verbs: tuple[Verb, ...] = ()
    picture: str = ""
    thread: bool = True


# -- how far each is -------------------------------------------------------------------------------


def _stage(session: Session) -> str:
    """The id of the station that is next for the subject."""
    if session.subject.machine is None or session.subject.stock is None:
        return "set_up"
    if session.active is None:
        return "plan"
    return session.active.stage


def _status(session: Session, station: str) -> Status:
    order = [one.id for one in STATIONS if one.thread]
    at, here = order.index(_stage(session)), order.index(station)
    if here < at:
        return "done"
    if here == at:
        return "now"
    return "todo"


def _set_up(session: Session) -> Progress:
    word = tr("not yet")
    if session.subject.machine is not None and session.subject.stock is not None:
        word = count_text(len(session.catalogue.machines), "machine")
    return Progress(_status(session, "set_up"), word)


def _plan(session: Session) -> Progress:
    word = tr("not yet")
    if session.active is not None:
        word = tr("{cells} cells", cells=len(session.active.trial.cells))
    return Progress(_status(session, "plan"), word)


def _burn(session: Session) -> Progress:
    word, active = tr("not yet"), session.active
    if active is not None and active.burnt:
        word = _share(len(active.burnt), len(active.trial.cells), tr("burnt"))
    elif active is not None and active.run.started:
        word = tr("begun")
    elif active is not None:
        word = tr("waiting")
    return Progress(_status(session, "burn"), word)


def _read(session: Session) -> Progress:
    word, active = tr("nothing yet"), session.active
    if active is not None and active.readings:
        word = _share(len(active.readings), len(active.trial.cells), tr("read"))
    return Progress(_status(session, "read"), word)


def _decide(session: Session) -> Progress:
    word, active = tr("nothing yet"), session.active
    if active is not None and active.stage == "book":
        word = tr("chosen")
    elif active is not None and active.stage == "decide":
        word = tr("waiting")
    return Progress(_status(session, "decide"), word)


def _book(session: Session) -> Progress:
    word = tr("no entry yet")
    if session.catalogue.entries:
        word = count_text(len(session.catalogue.entries), "entry", "entries")
    due = session.shop.due_count()
    if due:
        word += tr(", {due} due", due=due)
    return Progress(_status(session, "book"), word)


def _jobs(session: Session) -> Progress:
    machine, stock = session.subject.machine, session.subject.stock
    jobs = session.catalogue.jobs
    waiting = [job for job in jobs if not job.outcomes]
    if not jobs or machine is None or stock is None:
        return Progress("todo", tr("no drawing yet"), tr("no job"))
    return Progress("todo", tr("{waiting} open", waiting=len(waiting)))


def _shop(session: Session) -> Progress:
    if not session.catalogue.machines:
        return Progress("todo", tr("no machine yet"), tr("no machine"))
    if session.library is None:  # the first picture does not wait for what is due
        return Progress("todo", tr("services"))
    from olive_almanac.steps.upkeep import due_now

    due, weak = due_now(session), session.shop.watch.weak
    if weak is not None:
        return Progress("todo", tr("{weak} weaker", weak=weak.name), tr("weaker"))
    return Progress("todo", tr("{due} due", due=due) if due else tr("nothing due"))


def _practise(session: Session) -> Progress:
    return Progress("todo", tr("on hidden stock"), tr("hidden stock"))


def _share(done: int, of: int, word: str) -> str:
    if done >= of:
        return f"{done} {word}"
    return tr("{done} of {of} {word}", done=done, of=of, word=word)


# -- the stations ----------------------------------------------------------------------------------

STATIONS: tuple[Station, ...] = (
    Station(
        "set_up",
        tr("Set up"),
        "Alt+1",
        "setup.page:SetUpPage",
        _set_up,
        (
            Verb("machine", tr("the machines of the shop: list, add, change, write one")),
            Verb("stock", tr("the stocks of the shop: list, add, change, write one")),
        ),
        "set-up",
    ),
    Station(
        "plan",
        tr("Plan"),
        "Alt+2",
        "plan.page:PlanPage",
        _plan,
        (
            Verb("plan", tr("plan a trial and write its files")),
            Verb("recipes", tr("how pieces of a stock are commonly prepared and finished")),
        ),
        "plan",
    ),
    Station(
        "burn",
        tr("Burn"),
        "Alt+3",
        "burn.page:BurnPage",
        _burn,
        (
            Verb("burn", tr("burn a trial on the stand-in bench")),
            Verb("check", tr("check a G-code file before it goes to the machine")),
        ),
        "burn",
    ),
    Station(
        "read",
        tr("Read"),
        "Alt+4",
        "read.page:ReadPage",
        _read,
        (
            Verb(
                "read",
                tr(
                    "read a photo of the burnt coupon, or check "
                    "readings by eye and write them clean"
                ),
            ),
        ),
        "read-cut",
    ),
    Station(
        "decide",
        tr("Decide"),
        "Alt+5",
        "decide.page:DecidePage",
        _decide,
        (
            Verb("decide", tr("decide from one or more trials with their readings")),
            Verb("carry", tr("carry an entry over to another machine or stock, as a guess")),
            Verb("wrong", tr("the likeliest causes of what went wrong with a coupon")),
        ),
        "decide-cut",
    ),
    Station(
        "book",
        tr("Book"),
        "Alt+6",
        "book.page:BookPage",
        _book,
        (
            Verb("book", tr("find settings in the book")),
            Verb("notes", tr("bring old notes into the book, as guesses")),
            Verb("print", tr("cards, labels, key sheets and wall cards as PDF")),
            Verb("where", tr("machines side by side for a stock, or how thick one cuts")),
        ),
        "book",
    ),
    Station(
        "jobs",
        tr("Jobs"),
        "Alt+7",
        "jobs.page:JobsPage",
        _jobs,
        (Verb("job", tr("a drawing to files for the machine, by the entries of the book")),),
        "jobs",
        thread=False,
    ),
    Station(
        "shop",
        tr("Shop"),
        "Alt+8",
        "shop.page:ShopPage",
        _shop,
        (Verb("shop", tr("how true the machines are, what is due, noting what was done")),),
        "shop",
        thread=False,
    ),
    Station(
        "practise",
        tr("Practise"),
        "Alt+9",
        "practise.page:PractisePage",
        _practise,
        picture="practise",
        thread=False,
    ),
)
PRACTISE = STATIONS[-1]
_BY_ID = {station.id: station for station in STATIONS}


def station_of(station_id: str) -> Station:
    """Return a station by its id, or by its title as older preferences name it; else the Book."""
    known = station_id.casefold().replace(" ", "_")
    return _BY_ID.get(known, _BY_ID["book"])


def progress_of(session: Session, station: Station) -> Progress:
    """Return how far a station is."""
    return station.progress(session)
