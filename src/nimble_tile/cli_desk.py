"""The link desk on the command line."""

from __future__ import annotations

import json
import threading
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from nimble_tile.cli_progress import working
from nimble_tile.core.errors import UserError

if TYPE_CHECKING:
    from nimble_tile.standins.linkdesk.links import Link
    from nimble_tile.standins.linkdesk.store import DeskStore

_file_option = click.option(
    "--file", "path", type=click.Path(path_type=Path, dir_okay=False),
    help="The desk\u2019s file, if it is not your own one.",
)  # fmt: skip
_port_option = click.option(
    "--port",
    type=click.IntRange(1, 65535),
    help="Where the desk answers, if not as usual.",
)
_json_option = click.option("--json", "as_json", is_flag=True, help="One JSON object.")


@click.group()
def desk() -> None:
    """Short links of this machine whose targets can be changed after printing."""


def _store(path: Path | None, port: int | None) -> DeskStore:
    from nimble_tile.standins.linkdesk.links import PORT
    from nimble_tile.standins.linkdesk.store import DeskStore, usual_file

    return DeskStore(path or usual_file(), port or PORT)


def _told(store: DeskStore, link: Link) -> dict[str, object]:
    counts = store.counts(link.key)
    return {
        "key": link.key, "link": store.address(link.key), "target": link.target,
        "now": link.leads_to(datetime.now(UTC)), "fallback": link.fallback, "note": link.note,
        "expires": link.expires.isoformat() if link.expires else None,
        "visits": sum(one.count for one in counts),
        "days": [
            {"day": one.day.isoformat(), "tag": one.tag, "count": one.count} for one in counts
        ],
        "history": [
            {"since": led.since.isoformat(), "target": led.target}
            for led in store.history(link.key)
        ],
    }  # fmt: skip


def _say(store: DeskStore, links: list[Link], as_json: bool) -> None:
    told = [_told(store, link) for link in links]
    if as_json:
        click.echo(json.dumps({"links": told}))
        return
    for one in told:
        now = one["now"] or "nowhere any more"
        note = f", {one['note']}" if one["note"] else ""
        visits = "1 visit" if one["visits"] == 1 else f"{one['visits']} visits"
        click.echo(f"{one['link']} leads to {now} ({visits}{note})")


def _known(store: DeskStore, key: str) -> Link:
    found = store.link(store.key_of(key) or key.upper())
    if found is None:
        raise UserError(f"There is no link {key} at the desk.")
    return found


@desk.command()
@click.argument("target")
@click.option("--expires", default="", help="Day or time from when on it leads to the fallback.")
@click.option("--fallback", default="", help="Where it leads then; without one, nowhere.")
@click.option("--note", default="", help="Your own words about it.")
@_file_option
@_port_option
@_json_option
def add(
    target: str,
    expires: str,
    fallback: str,
    note: str,
    path: Path | None,
    port: int | None,
    as_json: bool,
) -> None:
    """Make a short link to TARGET."""
    from nimble_tile.standins.linkdesk.store import expiry

    store = _store(path, port)
    try:
        _say(store, [store.add(target, expiry(expires), fallback, note)], as_json)
    finally:
        store.close()


@desk.command("list")
@_file_option
@_port_option
@_json_option
def list_(path: Path | None, port: int | None, as_json: bool) -> None:
    """All links, where they lead and how often they were followed."""
    store = _store(path, port)
    try:
        _say(store, store.links(), as_json)
    finally:
        store.close()


@desk.command()
@click.argument("link")
@click.argument("target")
@_file_option
@_port_option
@_json_option
def retarget(link: str, target: str, path: Path | None, port: int | None, as_json: bool) -> None:
    """Let LINK (or its key) lead to TARGET from now on."""
    store = _store(path, port)
    try:
        _say(store, [store.change(replace(_known(store, link), target=target))], as_json)
    finally:
        store.close()


@desk.command()
@click.argument("address", required=False)
@_file_option
@_port_option
def public(address: str | None, path: Path | None, port: int | None) -> None:
    """Print links at ADDRESS, your own domain and path; without one, say which it is.

    Write the table for the server there with table --rules. An empty ADDRESS takes it away.
    """
    store = _store(path, port)
    try:
        now = store.public if address is None else store.set_public(address)
        click.echo(now or "The desk has no address of your own: no phone can follow its links.")
    finally:
        store.close()


@desk.command()
@click.option(
    "--rules",
    nargs=2,
    type=(click.Choice(["nginx", "apache", "json"]), click.Path(dir_okay=False)),
    help="For the server at your own address: its kind, and the file.",
)
@click.option("--links", "links", type=click.Path(path_type=Path, dir_okay=False))
@click.option("--visits", "visits", type=click.Path(path_type=Path, dir_okay=False))
@click.option("--take", "taken", type=click.Path(path_type=Path, dir_okay=False))
@_file_option
@_port_option
def table(
    rules: tuple[str, str] | None,
    links: Path | None,
    visits: Path | None,
    taken: Path | None,
    path: Path | None,
    port: int | None,
) -> None:
    """Write the links or the visits as CSV, or take a table of links in."""
    from nimble_tile.core.errors import OutputError
    from nimble_tile.core.files import read_bytes, write_atomically
    from nimble_tile.standins.linkdesk.store import MOST_BYTES

    ruled = None if rules is None else Path(rules[1])
    every = [one for one in (links, visits, taken, ruled) if one is not None]
    if not every:
        raise UserError(
            "Say what is wanted: --links, --visits, --rules or --take with a file\u2019s name."
        )
    if len({one.resolve() for one in every}) < len(every):
        raise UserError("Each table needs a file of its own.")
    store = _store(path, port)
    try:
        if taken is not None:
            try:
                text = read_bytes(taken, MOST_BYTES, UserError).decode("utf-8-sig")
            except UnicodeDecodeError:
                raise UserError(f"{taken} is no table in UTF-8.") from None
            lines = 1 + text.count("\n")
            with working("Taking links in") as told:
                changed, added = store.take_csv(
                    text, lambda line: told.step("Taking links in", line / lines)
                )
            click.echo(f"{changed} links changed, {added} new")
        for name, made in (
            (links, store.as_csv), (visits, store.counts_as_csv),
            (ruled, lambda: store.rules(rules[0])),
        ):  # fmt: skip
            if name is not None:
                data = made().encode()
                write_atomically(name, lambda file, data=data: file.write(data), OutputError,
                                 "write")  # fmt: skip
                click.echo(f"Wrote {name}")
    finally:
        store.close()


@desk.command()
@_file_option
@_port_option
def serve(path: Path | None, port: int | None) -> None:
    """Answer on this machine\u2019s own address until it is interrupted."""
    from nimble_tile.standins.linkdesk.links import HOST, PORT
    from nimble_tile.standins.linkdesk.server import DeskServer
    from nimble_tile.standins.linkdesk.store import usual_file

    server = DeskServer(path or usual_file(), port or PORT)
    server.start()
    click.echo(f"The link desk answers at http://{HOST}:{server.port}. Ctrl+C ends it.")
    try:
        threading.Event().wait()
    finally:
        server.stop()
