"""The desk's answers: a redirect for each short link, and a count that is kept before it goes out.

References
----------
RFC 9110: 302 is not remembered by browsers, so that a link may lead elsewhere tomorrow; 404 was
never there, 410 is there no longer. RFC 9111, section 5.2: `no-store`, or a browser's second
visit would not be counted.
"""

from __future__ import annotations

import asyncio
import contextlib
import html
import queue
import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime
from pathlib import Path

from aiohttp import web

from nimble_tile import log
from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.standins.linkdesk.links import HOST, PORT, tag_of
from nimble_tile.standins.linkdesk.store import DeskStore

MOST_AT_ONCE = 500
"""Visits that are kept in one change."""

LONGEST_LINE = 2048
"""Bytes of a request's first line, and of each of its headers."""

LONGEST_WAIT = 2.0
"""Seconds that a visitor waits at most for being counted: as long as that takes, as a rule
milliseconds, unless another program holds the file."""

START_LIMIT = 10.0
"""Seconds after which a server that does not begin is given up."""

PAGE = (
    '<!doctype html><html lang="en"><meta charset="utf-8"><title>{title}</title>'
    '<body style="font-family: sans-serif; margin: 3em auto; max-width: 30em">'
    "<h1>{title}</h1><p>{text}</p></body></html>"
)

HEADERS = {
    "Cache-Control": "no-store",
    "Referrer-Policy": "no-referrer",
    "X-Content-Type-Options": "nosniff",
    "X-Robots-Tag": "noindex",
    "Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'",
}


class Tally:
    """Keeps visits in a thread of its own: many that come at once in one change.

    Parameters
    ----------
    store : DeskStore
    """

    def __init__(self, store: DeskStore) -> None:
        self._store = store
        self._waiting: queue.Queue = queue.Queue()
        self.late: list[tuple[str, date, str]] = []  # could not be written yet
        self._thread = threading.Thread(target=self._work, name="tally", daemon=True)
        self._thread.start()

    async def add(self, key: str, day: date, tag: str) -> None:
        """Count a visit; returns once it is kept, or after a moment where the file is in use:
        it is kept as soon as that is possible."""
        loop = asyncio.get_running_loop()
        kept = loop.create_future()
        self._waiting.put(((key, day, tag), loop, kept))
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(kept, LONGEST_WAIT)

    def close(self) -> None:
        """Keep what waits, and end."""
        self._waiting.put(None)
        self._thread.join()

    def _work(self) -> None:
        while True:
            taken = [self._waiting.get()]
            while len(taken) < MOST_AT_ONCE:
                try:
                    taken.append(self._waiting.get_nowait())
                except queue.Empty:
                    break
            visits = [one for one in taken if one is not None]
            if visits or self.late:
                self._keep(visits)
            if None in taken:
                return

    def _keep(self, visits: list[tuple]) -> None:
        rows = [*self.late, *(row for row, _, _ in visits)]
        try:
            self._store.count(rows)
            self.late = []
        except Exception as error:
            # A full disk must not make a printed code dead: visits are kept with the next ones.
            log.fault(f"{len(rows)} visits could not be kept yet.", error)
            self.late = rows
        for _, loop, kept in visits:
            loop.call_soon_threadsafe(_done, kept)


def _done(kept: asyncio.Future) -> None:
    if not kept.done():  # the visitor may have gone meanwhile
        kept.set_result(None)


def _page(status: int, title: str, text: str) -> web.Response:
    body = PAGE.format(title=html.escape(title), text=html.escape(text))
    return web.Response(status=status, text=body, content_type="text/html", headers=HEADERS)


class Answers:
    """What the desk says to each request.

    Parameters
    ----------
    store : DeskStore
        Its own, so that no look at a link waits for somebody who writes.
    tally : Tally
    """

    def __init__(self, store: DeskStore, tally: Tally) -> None:
        self.store, self.tally = store, tally
        self._looks = ThreadPoolExecutor(2, "links")

    def application(self) -> web.Application:
        """The web application."""
        made = web.Application(middlewares=[self._guarded], client_max_size=1)
        made.router.add_get("/", self._front)
        made.router.add_get("/{key}", self._follow)
        made.router.add_get("/{key}/{tag}", self._follow)
        return made

    @web.middleware
    async def _guarded(self, request: web.Request, handler) -> web.StreamResponse:
        if request.can_read_body:
            return _page(413, "Too much", "The link desk takes no data.")
        try:
            return await handler(request)
        except web.HTTPException as error:
            return _page(error.status, error.reason, "The link desk has no answer to that.")

    async def _front(self, request: web.Request) -> web.Response:
        return _page(200, "Link desk", "Short links of this machine are answered here.")

    async def _follow(self, request: web.Request) -> web.Response:
        key = request.match_info["key"].upper()
        loop = asyncio.get_running_loop()
        try:
            link = await loop.run_in_executor(self._looks, self.store.link, key)
        except UserError as error:
            log.fault("A link could not be looked up.", error)
            return _page(503, "Not now", "The link desk cannot answer now. Try again in a moment.")
        if link is None:
            return _page(404, "No such link", "Nothing at this desk has this name.")
        target = link.leads_to(datetime.now(UTC))
        if request.method == "GET":  # a look at the headers alone is no visit
            today = datetime.now().astimezone().date()
            await self.tally.add(key, today, tag_of(request.match_info.get("tag", "")))
        if target is None:
            return _page(410, "No longer there", "This link has come to its end.")
        return web.Response(status=302, headers={**HEADERS, "Location": target})


class DeskServer:
    """The desk, answering in a thread of its own.

    Parameters
    ----------
    path : Path
        The desk's file.
    port : int
        0: any that is free.
    """

    def __init__(self, path: Path, port: int = PORT) -> None:
        self.path, self.port = path, port
        self._loop: asyncio.AbstractEventLoop | None = None
        self._thread: threading.Thread | None = None
        self._over: asyncio.Event | None = None

    @property
    def running(self) -> bool:
        """Whether it answers."""
        return self._thread is not None and self._thread.is_alive()

    def start(self) -> None:
        """Begin to answer.

        Raises
        ------
        UserError
            The port is taken, or the file cannot be used.
        """
        if self.running:
            return
        begun = threading.Event()
        trouble: list[BaseException] = []

        def work() -> None:
            try:
                asyncio.run(self._serve(begun))
            except BaseException as error:
                trouble.append(error)
            finally:
                begun.set()

        self._thread = threading.Thread(target=work, name="link desk", daemon=True)
        self._thread.start()
        if not begun.wait(START_LIMIT):
            raise UserError(tr("The link desk did not begin to answer."))
        if trouble:
            self._thread.join()
            error = trouble[0]
            if isinstance(error, OSError):
                raise UserError(
                    tr(
                        "The link desk cannot answer at port {port}: another program does.",
                        port=self.port,
                    ),
                    tr("End that one, or is the desk open in another window?"),
                ) from None
            raise error

    def stop(self) -> None:
        """End; what is being answered is answered."""
        if self._loop is not None and self.running:
            self._loop.call_soon_threadsafe(self._over.set)
            self._thread.join()

    async def _serve(self, begun: threading.Event) -> None:
        self._loop, self._over = asyncio.get_running_loop(), asyncio.Event()
        store, looks = DeskStore(self.path, self.port), DeskStore(self.path, self.port)
        tally = Tally(store)
        runner = web.AppRunner(
            Answers(looks, tally).application(), access_log=None, handle_signals=False,
            logger=log.logger(), max_line_size=LONGEST_LINE, max_field_size=LONGEST_LINE,
            keepalive_timeout=15, shutdown_timeout=2,
        )  # fmt: skip
        try:
            await runner.setup()
            site = web.TCPSite(runner, HOST, self.port, backlog=1024)
            await site.start()
            self.port = store.port = looks.port = runner.addresses[0][1]
            begun.set()
            await self._over.wait()
        finally:
            await runner.cleanup()
            await asyncio.get_running_loop().run_in_executor(None, tally.close)
            store.close()
            looks.close()
