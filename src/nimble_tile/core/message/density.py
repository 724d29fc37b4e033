"""How dense the code is, what other levels would give, and ways to a smaller one.

Nothing here changes the message: each offer is a new message or new settings
of the code, to be applied as one edit.

References
----------
RFC 3986, section 6.2 (equivalent URIs: case of scheme and host, default port,
empty path, percent-encoding of unreserved characters).
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from itertools import combinations

from nimble_tile.core.details import Contact, Event
from nimble_tile.core.language import tr, within
from nimble_tile.core.message import kinds
from nimble_tile.core.message.campaign import tags_of, with_tags
from nimble_tile.core.message.kinds.money import LEVEL, MOST_VERSION
from nimble_tile.core.piece import Code, Message
from nimble_tile.core.symbol import tables
from nimble_tile.core.symbol.encode import Symbol, fitting
from nimble_tile.core.symbol.segments import bits, capacity_bits

TYPICAL_LINK = "https://lanternwalk.example/dusk"
"""A short link, as a measure of how much simpler a code with a link would be."""

MOST_CHANGES = 3
"""Changes that are offered together at most."""


@dataclass(frozen=True)
class Offer:
    """A way to a smaller or sturdier code.

    Attributes
    ----------
    label : str
        What would be done: ``"Drop www."``.
    gain : str
        What it gives: ``"version 4 → 3"``.
    note : str
        What to think of before; may be empty.
    message : Message or None
        The new message.
    code : dict
        New settings of the code rung.
    """

    label: str
    gain: str
    note: str = ""
    message: Message | None = None
    code: dict[str, object] = field(default_factory=dict)


@dataclass(frozen=True)
class Density:
    """The standing of a message.

    Attributes
    ----------
    characters, octets : int
        Length of the text, and of its data in the symbol's own encoding.
    mode : str
        Encoding modes in words.
    version, level : str
    modules : int
        Modules a side.
    fill : float
        Share of the data bits that the message takes, 0 to 1.
    versions : dict of str to str or None
        Smallest version at each level, None where the message does not fit.
    offers : tuple of Offer
        Best first.
    """

    characters: int
    octets: int
    mode: str
    version: str
    level: str
    modules: int
    fill: float
    versions: dict[str, str | None]
    offers: tuple[Offer, ...]


def density(message: Message, code: Code, symbol: Symbol) -> Density:
    """The standing of a message and the offers for it.

    Parameters
    ----------
    message : Message
    code : Code
    symbol : Symbol
        What they make.
    """
    used = bits(symbol.segments, symbol.version)
    free = code.model_copy(update={"version": "auto", "raise_level": False})
    versions = {level: _version(message.text, free, level=level) for level in tables.LEVELS}
    return Density(
        characters=len(message.text),
        octets=-(-used // 8),
        mode=symbol.mode,
        version=symbol.version,
        level=symbol.level,
        modules=symbol.side,
        fill=used / capacity_bits(symbol.version, symbol.level),
        versions=versions,
        offers=tuple(offers(message, code)),
    )


def _version(text: str, code: Code, **changes: object) -> str | None:
    found = fitting(text, code.model_copy(update=changes)) if text else None
    return None if found is None else found[0]


def offers(message: Message, code: Code) -> list[Offer]:
    """Ways to a smaller version at the asked-for level, and Micro QR where it fits."""
    plain = code.model_copy(update={"version": "auto", "raise_level": False})
    now = _version(message.text, plain)
    found: list[Offer] = []
    if now is None:
        now = "41"  # too long for any: whatever fits is smaller
    steps = list(_steps(message))
    best = int(now)
    for count in range(1, min(MOST_CHANGES, len(steps)) + 1):
        tried: list[tuple[int, Offer]] = []
        for chosen in combinations(steps, count):
            changed = _apply(message, chosen)
            if changed is None or not changed.text or changed.text == message.text:
                continue
            version = _version(changed.text, plain)
            if version is None or int(version) >= best:
                continue
            tried.append((int(version), _together(chosen, now, version, changed)))
        tried.sort(key=lambda entry: entry[0])
        found += [offer for _, offer in tried[: 3 if count == 1 else 1]]
        if tried:
            best = tried[0][0]
    found += _bank(message, code)
    found += _micro(message, code)
    found += _short_link(message, plain, now)
    return found


@dataclass(frozen=True)
class _Step:
    label: str
    change: Callable[[Message], Message | None]
    note: str = ""


def _apply(message: Message, steps: Iterable[_Step]) -> Message | None:
    for step in steps:
        changed = step.change(message)
        if changed is None:
            return None
        message = changed
    return message


def _together(steps: tuple[_Step, ...], now: str, version: str, changed: Message) -> Offer:
    labels = [steps[0].label, *(within(step.label) for step in steps[1:])]
    label = tr(" and ").join([", ".join(labels[:-1]), labels[-1]] if len(labels) > 1 else labels)
    notes = [step.note for step in steps if step.note]
    side = tables.side(version)
    was = tr("too long") if now == "41" else tr("version {now}", now=now)
    return Offer(
        label,
        tr("{was} → {version}, {side} modules", was=was, version=version, side=side),
        " ".join(notes),
        changed,
    )


def _steps(message: Message) -> Iterator[_Step]:
    if message.kind == "link":
        yield from _link_steps(message.text)
    elif isinstance(message.details, Contact):
        yield from _contact_steps(message.details)
    elif isinstance(message.details, Event):
        yield from _event_steps(message.details)
    elif message.details is None:
        yield from _text_steps(message.text)


def _text_change(change: Callable[[str], str]) -> Callable[[Message], Message | None]:
    def apply(message: Message) -> Message | None:
        text = change(message.text)
        return None if text == message.text else message.model_copy(update={"text": text})

    return apply


_HOST = re.compile(r"(https?://)((?:[^/?#@]*@)?)([^/?#]*)(.*)", re.IGNORECASE | re.DOTALL)


def _rest(text: str, change: Callable[[str, str, str, str], str]) -> str:
    """Change a link by its scheme, user part, host with port, and the rest."""
    match = _HOST.fullmatch(text)
    return text if match is None else change(*match.groups())


def host_in_capitals(link: str) -> str:
    """Scheme and host in capitals, which mean the same (RFC 3986, 6.2.2.1)."""
    return _rest(link, lambda s, u, h, r: s.upper() + u + (h.upper() if h.isascii() else h) + r)


def without_www(link: str) -> str:
    """The link without ``www.``."""
    return _rest(link, lambda s, u, h, r: s + u + re.sub(r"^www\.", "", h, flags=re.I) + r)


def without_slash(link: str) -> str:
    """The link without a slash at the end of its path."""

    def change(scheme: str, user: str, host: str, rest: str) -> str:
        path = re.match(r"[^?#]*", rest)[0]
        return scheme + user + host + path.rstrip("/") + rest[len(path) :]

    return _rest(link, change)


def without_port(link: str) -> str:
    """The link without the port that its scheme has anyway (RFC 3986, 6.2.3)."""

    def change(scheme: str, user: str, host: str, rest: str) -> str:
        usual = ":443" if scheme.lower() == "https://" else ":80"
        return scheme + user + host.removesuffix(usual) + rest

    return _rest(link, change)


def percent_decoded(link: str) -> str:
    """Unreserved characters written out instead of %XX (RFC 3986, 6.2.2.2)."""

    def change(match: re.Match[str]) -> str:
        character = chr(int(match[1], 16))
        return character if re.fullmatch(r"[A-Za-z0-9\-._~]", character) else match[0]

    return re.sub(r"%([0-9A-Fa-f]{2})", change, link)


def without_empty_tail(link: str) -> str:
    """The link without a ? or # that nothing follows."""
    return re.sub(r"[?#]+$", "", link)


def _link_steps(link: str) -> Iterator[_Step]:
    match = _HOST.fullmatch(link)
    if match is None:
        return
    path = re.match(r"[^?#]*", match[4])[0]
    yield _Step(tr("Write https and the host in capitals"), _text_change(host_in_capitals),
                tr("They mean the same; the path stays as it is."))  # fmt: skip
    if match[3].lower().startswith("www."):
        yield _Step(
            tr("Drop www."), _text_change(without_www), tr("Check that the link still opens.")
        )
    if path.endswith("/"):
        # An empty path means the same as / (RFC 3986, 6.2.3); any other may not.
        note = "" if path == "/" else tr("Check that the link still opens.")
        yield _Step(tr("Drop the trailing slash"), _text_change(without_slash), note)
    if without_port(link) != link:
        yield _Step(tr("Drop the port, which is the usual one"), _text_change(without_port))
    if percent_decoded(link) != link:
        yield _Step(tr("Write needless %-codes out"), _text_change(percent_decoded))
    if without_empty_tail(link) != link:
        yield _Step(tr("Drop the empty end"), _text_change(without_empty_tail))
    if tags_of(link):
        yield _Step(tr("Leave the campaign tags out"), _text_change(lambda t: with_tags(t, {})),
                    tr("Visits are no longer told apart."))  # fmt: skip
    if "#" in link and not link.endswith("#"):
        yield _Step(tr("Drop the part after #"), _text_change(lambda t: t.partition("#")[0]),
                    tr("The page opens at its top."))  # fmt: skip


_PLAINER = str.maketrans(
    {"‘": "'", "’": "'", "“": '"', "”": '"', "–": "-", "—": "-", "…": "...", "\u00a0": " "}
)


def _text_steps(text: str) -> Iterator[_Step]:
    if unicodedata.normalize("NFC", text) != text:
        yield _Step(tr("Join letters and their accents"),
                    _text_change(lambda t: unicodedata.normalize("NFC", t)),
                    tr("It looks the same."))  # fmt: skip
    if text.translate(_PLAINER) != text:
        yield _Step(
            tr("Write plain quotes and dashes"), _text_change(lambda t: t.translate(_PLAINER))
        )
    if re.search(r"[ \t]{2,}|[ \t]+$|\n{3,}|\s+\Z", text, re.MULTILINE):
        yield _Step(tr("Drop doubled white space"), _text_change(_tidy))
    if text.upper() != text and set(text.upper()) <= set(
        "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ $%*+-./:"
    ):
        yield _Step(tr("Write it in capitals"), _text_change(str.upper), tr("It reads louder."))


def _tidy(text: str) -> str:
    text = re.sub(r"[ \t]+$", "", re.sub(r"[ \t]{2,}", " ", text), flags=re.MULTILINE)
    return re.sub(r"\n{3,}", "\n\n", text).strip()


def _form_change(**changes: object) -> Callable[[Message], Message | None]:
    def apply(message: Message) -> Message | None:
        return kinds.compose(message.details.model_copy(update=changes))

    return apply


def _contact_steps(form: Contact) -> Iterator[_Step]:
    for name, empty, label in (
        ("note", "", tr("the note")), ("addresses", (), tr("the addresses")),
        ("role", "", tr("the role")),
        ("web", "", tr("the web page")), ("extra", (), tr("the further lines")),
    ):  # fmt: skip
        if getattr(form, name):
            yield _Step(tr("Leave out {label}", label=label), _form_change(**{name: empty}))
    if len([phone for phone in form.phones if phone.number.strip()]) > 1:
        yield _Step(tr("Keep the first number only"), _form_change(phones=form.phones[:1]))


def _event_steps(form: Event) -> Iterator[_Step]:
    if form.whole:
        yield _Step(tr("Write the event alone"), _form_change(whole=False),
                    tr("Most phones take it, though the standard asks for all."))  # fmt: skip
    if form.note:
        yield _Step(tr("Leave out the note"), _form_change(note=""))
    if form.end:
        yield _Step(tr("Leave out the end"), _form_change(end=""))


def _bank(message: Message, code: Code) -> list[Offer]:
    """EPC069-12 asks for level M exactly, and for version 13 at most."""
    if message.kind != "transfer" or (code.level == LEVEL and not code.raise_level):
        return []
    return [
        Offer(
            tr("Keep to level {level}", level=LEVEL),
            tr("as banks expect it"),
            tr(
                "The standard of bank transfers asks for level {level} and version "
                "{most_version} at most.",
                level=LEVEL,
                most_version=MOST_VERSION,
            ),
            code={"level": LEVEL, "raise_level": False},
        )
    ]


def _micro(message: Message, code: Code) -> list[Offer]:
    if code.version == "micro" or tables.is_micro(code.version):
        return []
    for level in (code.level, "M", "L"):
        if level == "H":
            continue
        version = _version(message.text, code, version="micro", level=level, raise_level=False)
        if version is not None:
            changes: dict[str, object] = {"version": "micro", "level": level}
            if code.quiet_zone == tables.QUIET_ZONE:
                changes["quiet_zone"] = tables.QUIET_ZONE_MICRO
            if code.mask != "auto" and code.mask > 3:
                changes["mask"] = "auto"
            return [
                Offer(
                    tr("Use Micro QR"),
                    tr(
                        "version {version}, {side} modules",
                        version=version,
                        side=tables.side(version),
                    ),
                    tr("Few phones read Micro QR: of our four readers only zxing-cpp does."),
                    code=changes,
                )
            ]
    return []


def _short_link(message: Message, code: Code, now: str) -> list[Offer]:
    """For a contact or an event: what a link to it would give, as a new message to fill in."""
    if not isinstance(message.details, Contact | Event) or not message.text:
        return []
    version = _version(TYPICAL_LINK, code)
    if version is None or int(version) >= int(now):
        return []
    what = tr("contact") if isinstance(message.details, Contact) else tr("event")
    web = message.details.web.strip() if isinstance(message.details, Contact) else ""
    link = web if web.lower().startswith("http") else "https://"
    return [
        Offer(
            tr("Use a link to the {what} instead", what=what),
            tr("version {now} → about {version}", now=now, version=version),
            tr("Put the {what} on a page of yours; it can be corrected after printing.", what=what),
            message=Message(kind="link", text=link),
        )
    ]
