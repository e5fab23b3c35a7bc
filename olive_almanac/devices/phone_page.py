"""One page on the local network through which a phone sends photos of one coupon.

Plain http, one address that cannot be guessed, closed after its time, after so many pictures, after
so many wrong tries, or by hand.  Nothing else can be reached, nothing is stored here: a picture's
bytes go to `judge`, which tells whether it will do, and then to `took`.
"""

from __future__ import annotations

import hmac
import io
import secrets
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from html import escape
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

from multipart import MultipartError, MultipartParser, parse_options_header

from olive_almanac.core.errors import AlmanacError, CannotWrite
from olive_almanac.core.units import capital
from olive_almanac.core.words import spoken, tr

__all__ = ["SIDES", "PhonePage", "Sent"]

SIDES = ("front", "back")
OPEN_S = 15 * 60.0
MOST_BYTES = 30_000_000  # of one picture
MOST_PICTURES = 20
MOST_WRONG = 60  # requests for what is not there, until the page closes
AT_ONCE = 3  # pictures taken at the same time
MOST_LINES = 12  # connections open at the same time
QUIET_S = 20.0  # a phone that sends nothing for so long is let go
SENDING_S = 120.0  # one picture may take so long in all
WORD = "abcdefghjkmnpqrstuvwxyz23456789"  # no sign that reads like another
WORD_LONG = 12
CHUNK = 65536
SIDE_WORDS = {"front": tr("front"), "back": tr("back")}
_ENOUGH = tr("That is enough for one coupon: ask for a new code.")


@dataclass(frozen=True)
class Sent:
    """A picture that came: which side, its bytes, whether it will do, and what is said of it."""

    side: str
    data: bytes
    will_do: bool
    says: str


class PhonePage:
    """Serves the page from when it is made until `close`.

    `judge` gets a side and the bytes of a picture and returns whether it will do, with a sentence;
    it may raise AlmanacError.  `took` gets what was sent, in a thread of the page.  `places`: the
    coupon has no back, its places are photographed one by one.  Raises CannotWrite where the
    address cannot be opened.
    """

    def __init__(
        self,
        host: str,
        coupon: str,
        judge: Callable[[str, bytes], tuple[bool, str]],
        took: Callable[[Sent], object],
        *,
        places: bool = False,
        port: int = 0,
        open_s: float = OPEN_S,
    ) -> None:
        self.coupon, self.sides, self.places = coupon, SIDES[: 1 if places else None], places
        self.word = "".join(secrets.choice(WORD) for _ in range(WORD_LONG))
        self._judge, self._took = judge, took
        self._pictures = self._wrong = 0
        self._closed = False
        self._lock, self._room = threading.Lock(), threading.BoundedSemaphore(AT_ONCE)
        self._sent: dict[str, Sent] = {}
        self.seen = False  # whether a phone has opened the page
        self.fault: BaseException | None = None  # of our own, in a thread of the page
        try:
            self._server = _Server((host, port), _Handler)
        except OSError as problem:
            raise CannotWrite(
                tr(
                    "The page for the phone cannot be opened on {host}: {strerror}.",
                    host=host,
                    strerror=problem.strerror,
                )
            ) from problem
        self._server.page = self
        self.place = f"{host}:{self._server.server_address[1]}"
        self._ends = time.monotonic() + open_s
        self._timer = threading.Timer(open_s, self.close)
        self._timer.daemon = True
        self._timer.start()
        self._thread = threading.Thread(target=self._server.serve_forever, args=(0.1,), daemon=True)
        self._thread.start()

    @property
    def address(self) -> str:
        """What the phone opens."""
        return f"http://{self.place}/{self.word}"

    @property
    def left_s(self) -> float:
        """How long it is still open, s; 0 once it is closed."""
        return 0.0 if self._closed else max(0.0, self._ends - time.monotonic())

    def close(self) -> None:
        """Close the page; nothing answers at its address any more."""
        with self._lock:
            if self._closed:
                return
            self._closed = True
        self._timer.cancel()
        threading.Thread(target=self._shut, daemon=True).start()

    def _shut(self) -> None:
        self._server.shutdown()
        self._server.server_close()

    # -- for its handler ---------------------------------------------------------------------------

    def is_asked(self, path: str) -> bool:
        """Whether a path is this page's, compared in a time that tells nothing of it."""
        return hmac.compare_digest(path.encode(), f"/{self.word}".encode())

    def count_wrong(self) -> None:
        """Count a request for what is not there; too many close the page."""
        with self._lock:
            self._wrong += 1
            too_many = self._wrong >= MOST_WRONG
        if too_many:
            self.close()

    def take(self, side: str, data: bytes) -> Sent:
        """Judge a picture, hand it on, and return what is said of it."""
        with self._lock:
            self._pictures += 1
            if self._pictures > MOST_PICTURES:
                return Sent(side, b"", False, _ENOUGH)
        try:
            will_do, says = self._judge(side, data)
        except AlmanacError as problem:
            return Sent(side, b"", False, str(problem))
        sent = Sent(side, data, will_do, says)
        with self._lock:
            self._sent[side] = sent
        self._took(sent)
        return sent

    def html(self, side: str, said: Sent | None = None) -> str:
        """The page as it stands for a side."""
        with self._lock:
            done = {one for one, sent in self._sent.items() if sent.will_do}
        tabs = "".join(
            f'<a class="{"on" if one == side else ""}" href="/{self.word}?side={one}">'
            f"{escape(_tab(one, sent=one in done))}</a>"
            for one in self.sides
            if not self.places
        )
        told = ""
        if said is not None:
            told = f'<p class="{"good" if said.will_do else "bad"}">{escape(said.says)}</p>'
        nonce = secrets.token_urlsafe(12)
        return PAGE.format(
            coupon=escape(self.coupon),
            tabs=tabs,
            told=told,
            action=f"/{self.word}/{side}",
            **{name: escape(words) for name, words in _words(side, self.places).items()},
            open_for=escape(tr("Open for {minutes} min.", minutes=max(1, round(self.left_s / 60)))),
            nonce=nonce,
        )


def _tab(side: str, *, sent: bool) -> str:
    name = capital(SIDE_WORDS[side])
    return tr("{side}: sent", side=name) if sent else name


def _words(side: str, places: bool) -> dict[str, str]:
    """What the page says, by its places in PAGE."""
    asked = tr("Photograph the {side}", side=SIDE_WORDS[side])
    marks = tr("All four marks in the picture")
    if places:
        asked = tr("Photograph a place")
        marks = tr("One place after the other, its four marks in the picture")
    return {
        "language": spoken(),
        "above": tr("From above, as flat as you can"),
        "marks": marks,
        "lamp": tr("Lamp from the side, no shine on it"),
        "photograph": asked,
        "send": tr("Send it"),
        "sending": tr("Sending …"),
        "straight": tr("Straight to the computer in the shop, nowhere else."),
    }


class _Server(ThreadingHTTPServer):
    daemon_threads = True
    allow_reuse_address = False
    page: PhonePage

    def __init__(self, place: tuple[str, int], handler: type[BaseHTTPRequestHandler]) -> None:
        super().__init__(place, handler)
        self._lines = threading.BoundedSemaphore(MOST_LINES)

    def process_request(self, request: Any, client_address: Any) -> None:
        if self._lines.acquire(blocking=False):
            super().process_request(request, client_address)
        else:
            self.shutdown_request(request)

    def process_request_thread(self, request: Any, client_address: Any) -> None:
        try:
            super().process_request_thread(request, client_address)
        finally:
            self._lines.release()

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A phone that goes away while it is answered is no news; a fault of ours is kept for the
        window.
        """
        problem = sys.exc_info()[1]
        if not isinstance(problem, OSError):
            self.page.fault = problem


class _Handler(BaseHTTPRequestHandler):
    timeout = QUIET_S
    protocol_version = "HTTP/1.0"

    def log_message(self, format: str, *args: Any) -> None:
        pass

    def version_string(self) -> str:
        return "phone page"

    def send_error(self, code: int, message: str | None = None, explain: str | None = None) -> None:
        """Whatever is wrong with a request: an empty answer."""
        self._refuse(404 if code == 501 else code)

    @property
    def _page(self) -> PhonePage:
        page: PhonePage = self.server.page  # type: ignore[attr-defined]
        return page

    @property
    def _asked(self) -> tuple[str, str]:
        """The path and the query that are asked for; both empty where the address is none."""
        try:
            parts = urlsplit(self.path)
        except ValueError:
            return "", ""
        return parts.path, parts.query

    def do_GET(self) -> None:
        path, query = self._asked
        if not self._is_ours() or not self._page.is_asked(path):
            self._refuse(404)
            return
        side = parse_qs(query).get("side", ["front"])[0]
        self._page.seen = True
        self._answer(self._page.html(side if side in self._page.sides else "front"))

    def do_POST(self) -> None:
        path, _, side = self._asked[0].rpartition("/")
        if not self._is_ours() or not self._page.is_asked(path) or side not in self._page.sides:
            self._refuse(404)
            return
        if self.headers.get("Origin", f"http://{self._page.place}") != f"http://{self._page.place}":
            self._refuse(403)
            return
        if not self._page._room.acquire(blocking=False):
            self._refuse(503)
            return
        try:
            told = self._taken(side)
        finally:  # before the answer: who has it may ask again at once
            self._page._room.release()
        if isinstance(told, int):
            self._refuse(told)
        else:
            self._answer(told)

    def _taken(self, side: str) -> int | str:
        """Take the picture in; return the page that answers, or the code of the refusal."""
        kind, options = parse_options_header(self.headers.get("Content-Type", ""))
        long = self.headers.get("Content-Length", "")
        if kind != "multipart/form-data" or not options.get("boundary") or not long.isdecimal():
            return 400
        size = int(long[:12])
        if size > MOST_BYTES:
            return 413
        try:
            data = _picture(self._body(size), options["boundary"])
        except (MultipartError, OSError, ValueError):
            return 400
        said = self._page.take(side, data)
        asked = side
        if said.will_do and side == "front" and not self._page.places:
            asked = "back"
        return self._page.html(asked, said)

    def _body(self, size: int) -> bytes:
        """The body, read within its time; raises OSError where it does not come."""
        ends, pieces, left = time.monotonic() + SENDING_S, [], size
        while left:
            piece = self.rfile.read1(min(left, CHUNK))
            if not piece or time.monotonic() > ends:
                raise OSError(tr("the phone went away"))
            pieces.append(piece)
            left -= len(piece)
        return b"".join(pieces)

    def _is_ours(self) -> bool:
        """Whether the request names this very place: another name would be another's page."""
        return self.headers.get("Host", "") == self._page.place

    def _refuse(self, code: int) -> None:
        self._page.count_wrong()
        self.send_response_only(code)
        self.send_header("Content-Length", "0")
        self.send_header("Connection", "close")
        self.end_headers()

    def _answer(self, html: str) -> None:
        nonce = html.partition('nonce="')[2].partition('"')[0]
        body = html.encode()
        self.send_response_only(200)
        for name, value in (
            ("Content-Type", "text/html; charset=utf-8"),
            ("Content-Length", str(len(body))),
            ("Cache-Control", "no-store"),
            ("Referrer-Policy", "same-origin"),  # under a stricter one a form names no origin
            ("X-Content-Type-Options", "nosniff"),
            (
                "Content-Security-Policy",
                f"default-src 'none'; style-src 'unsafe-inline'; script-src 'nonce-{nonce}'; "
                "form-action 'self'; frame-ancestors 'none'; base-uri 'none'",
            ),
        ):
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(body)


def _picture(body: bytes, boundary: str) -> bytes:
    """The bytes of the one picture of a form; raises MultipartError and ValueError."""
    parser = MultipartParser(
        io.BytesIO(body),
        boundary,
        content_length=len(body),
        part_limit=4,
        memory_limit=2 * MOST_BYTES,
        spool_limit=2 * MOST_BYTES,
    )
    for part in parser:
        if part.name == "picture" and part.size:
            return bytes(part.file.read())
    raise ValueError(tr("no picture"))


PAGE = """<!doctype html>
<html lang="{language}"><head><meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{coupon}</title>
<style>
body {{ margin: 0; background: #F8F3E7; color: #22231A; font: 17px/1.4 sans-serif; }}
main {{ max-width: 30em; margin: 0 auto; padding: 0 20px 30px; }}
header {{ border-bottom: 4px double #22231A; padding: 12px 20px; font: bold 18px serif; }}
h1 {{ font: bold 28px serif; margin: 18px 0 12px; }}
nav {{ display: flex; border: 1px solid #47541A; border-radius: 5px; overflow: hidden; }}
nav a {{ flex: 1; padding: 11px; text-align: center; color: #22231A; font-weight: bold;
  text-decoration: none; background: #FFFDF5; }}
nav a.on {{ background: #47541A; color: #FFFDF5; }}
ol {{ padding-left: 1.4em; }} li {{ padding: 6px 0; }}
.good, .bad {{ padding: 12px 14px; border: 2px solid #22231A; border-radius: 5px; }}
.good {{ background: #D7DEB4; }} .bad {{ background: #F6D9CB; }}
input[type=file] {{ position: absolute; opacity: 0; width: 1px; height: 1px; }}
label, button {{ display: block; width: 100%; box-sizing: border-box; padding: 22px 10px;
  border-radius: 5px; text-align: center; font: bold 20px sans-serif; }}
label {{ background: #47541A; color: #FFFDF5; }}
input:focus + label {{ outline: 3px solid #22231A; outline-offset: 2px; }}
button {{ margin-top: 12px; padding: 14px; background: #FFFDF5; border: 1px solid #22231A;
  color: #22231A; }}
footer {{ padding-top: 18px; font-size: 14px; color: #4A4A38; }}
</style></head><body>
<header>Olive Almanac</header>
<main>
<h1>{coupon}</h1>
<nav>{tabs}</nav>
<ol><li>{above}</li><li>{marks}</li><li>{lamp}</li></ol>
{told}
<form method="post" enctype="multipart/form-data" action="{action}">
<input type="file" id="picture" name="picture" accept="image/*" capture="environment" required>
<label for="picture" id="key" data-sending="{sending}">{photograph}</label>
<button>{send}</button>
</form>
<footer>{straight} {open_for}</footer>
</main>
<script nonce="{nonce}">
const picture = document.getElementById("picture");
picture.addEventListener("change", () => {{
  const key = document.getElementById("key");
  key.textContent = key.dataset.sending;
  picture.form.submit();
}});
</script>
</body></html>
"""
