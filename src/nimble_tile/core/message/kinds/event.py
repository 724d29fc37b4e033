"""A calendar event as iCalendar.

Times with a zone are written in UTC, the form of the standard that needs no
description of the zone; a phone shows them in its own time. Times without a
zone are written as local times, all-day events as dates.

References
----------
RFC 5545 (iCalendar): VCALENDAR with VERSION and PRODID, VEVENT with UID and
DTSTAMP; DTEND is not part of the event, so that an all-day event ends on the
day after its last.
"""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache

from nimble_tile.core.details import Event
from nimble_tile.core.language import tr
from nimble_tile.core.message.kinds.base import Kind
from nimble_tile.core.message.kinds.lines import (
    CRLF,
    ContentLine,
    begun,
    content_lines,
    escaped,
    unescaped,
)
from nimble_tile.core.message.remarks import Remark

MAKER = "-//Nimble Tile//EN"


@lru_cache(maxsize=1)
def zones() -> tuple[str, ...]:
    """Names of all time zones, UTC first (IANA time zone database)."""
    from zoneinfo import available_timezones

    named = {zone for zone in available_timezones() if re.match(r"[A-Z][a-z]+/", zone)}
    return ("UTC", *sorted(zone for zone in named if not zone.startswith(("Etc/", "System"))))


def _moment(text: str) -> datetime | None:
    try:
        return datetime.strptime(text.strip(), "%Y-%m-%dT%H:%M")
    except ValueError:
        return None


def _day(text: str) -> date | None:
    try:
        return date.fromisoformat(text.strip()[:10])
    except ValueError:
        return None


def _in_utc(moment: datetime, zone: str) -> datetime:
    from zoneinfo import ZoneInfo

    return moment.replace(tzinfo=ZoneInfo(zone)).astimezone(UTC)


def _time(text: str, zone: str) -> str:
    moment = _moment(text)
    if zone:
        return f"{_in_utc(moment, zone):%Y%m%dT%H%M%SZ}"
    return f"{moment:%Y%m%dT%H%M%S}"


def _stamp(form: Event) -> str:
    """DTSTAMP: the start in UTC, so that one form always makes one text."""
    if form.all_day:
        return f"{_day(form.start):%Y%m%d}T000000Z"
    return f"{_in_utc(_moment(form.start), form.zone or 'UTC'):%Y%m%dT%H%M%SZ}"


def _write(form: Event) -> str:
    lines = ["BEGIN:VEVENT"]
    if form.whole:
        import hashlib

        seed = "\n".join((form.title, form.start, form.zone, form.place))
        uid = form.uid or hashlib.sha256(seed.encode()).hexdigest()[:12]
        lines += [f"UID:{uid}", f"DTSTAMP:{_stamp(form)}"]
    if form.all_day:
        first, last = _day(form.start), _day(form.end) or _day(form.start)
        lines.append(f"DTSTART;VALUE=DATE:{first:%Y%m%d}")
        if last != first:
            lines.append(f"DTEND;VALUE=DATE:{last + timedelta(days=1):%Y%m%d}")
    else:
        lines.append(f"DTSTART:{_time(form.start, form.zone)}")
        if form.end.strip():
            lines.append(f"DTEND:{_time(form.end, form.zone)}")
    for name, value in (
        ("SUMMARY", form.title), ("LOCATION", form.place), ("DESCRIPTION", form.note)
    ):  # fmt: skip
        if value.strip():
            lines.append(f"{name}:{escaped(value)}")
    lines += [*form.extra, "END:VEVENT"]
    if form.whole:
        lines = ["BEGIN:VCALENDAR", "VERSION:2.0", f"PRODID:{MAKER}", *lines, "END:VCALENDAR"]
    return CRLF.join(lines) + CRLF


def _read_time(line: ContentLine) -> tuple[str, str, bool] | None:
    """(text of the form, zone, all day) of a DTSTART or DTEND."""
    value = line.value.strip()
    if re.fullmatch(r"\d{8}", value):
        return f"{value[:4]}-{value[4:6]}-{value[6:]}", "", True
    match = re.fullmatch(r"(\d{4})(\d\d)(\d\d)T(\d\d)(\d\d)\d\d(Z?)", value)
    if match is None:
        return None
    year, month, day, hour, minute, utc = match.groups()
    given = line.parameters.get("TZID", [""])[0]
    zone = "UTC" if utc else next((z for z in zones() if z.upper() == given), "")
    if given and not zone:
        return None
    return f"{year}-{month}-{day}T{hour}:{minute}", zone, False


def _read(text: str) -> Event | None:
    start = text.strip().upper()
    whole = start.startswith("BEGIN:VCALENDAR")
    if not (whole or start.startswith("BEGIN:VEVENT")) or begun(text, "VEVENT") != 1:
        return None
    fields: dict[str, str] = {}
    times: dict[str, tuple[str, str, bool]] = {}
    extra, inside = [], 0
    for line in content_lines(text):
        if line.name in ("BEGIN", "END"):
            if line.value.strip().upper() not in ("VCALENDAR", "VEVENT"):
                return None  # alarms, zone descriptions: a form would lose them
            if line.value.strip().upper() == "VEVENT":
                inside += 1 if line.name == "BEGIN" else -1
        elif line.name in ("DTSTART", "DTEND"):
            read = _read_time(line)
            if read is None:
                return None
            times[line.name] = read
        elif line.name in ("SUMMARY", "LOCATION", "DESCRIPTION"):
            fields[line.name] = unescaped(line.value)
        elif line.name == "UID":
            fields["UID"] = line.value
        elif inside and line.name != "DTSTAMP":
            extra.append(line.whole)
    if "DTSTART" not in times:
        return None
    begin, zone, all_day = times["DTSTART"]
    end = times.get("DTEND", ("", zone, all_day))
    if end[1] != zone or end[2] != all_day:
        return None
    last = end[0]
    if all_day and last:
        day = _day(last)
        if day is None or day == date.min:
            return None
        last = str(day - timedelta(days=1))
        last = "" if last == begin else last
    try:
        return Event(
            title=fields.get("SUMMARY", ""), all_day=all_day, start=begin, end=last,
            zone=zone if not all_day else "UTC", place=fields.get("LOCATION", ""),
            note=fields.get("DESCRIPTION", ""), whole=whole, uid=fields.get("UID", ""),
            extra=tuple(extra),
        )  # fmt: skip
    except ValueError:
        return None


def _remarks(form: Event) -> list[Remark]:
    found = []
    if not form.title.strip():
        found.append(Remark("title", "missing", tr("Write what the event is called.")))
    read = _day if form.all_day else _moment
    start, end = read(form.start), read(form.end)
    if not form.start.strip():
        found.append(Remark("start", "missing", tr("Say when it begins.")))
    elif start is None:
        found.append(Remark("start", "wrong", tr("This is not a date and time.")))
    if form.end.strip() and end is None:
        found.append(Remark("end", "wrong", tr("This is not a date and time.")))
    elif start is not None and end is not None and end < start:
        found.append(Remark("end", "wrong", tr("It ends before it begins.")))
    if not form.all_day and form.zone and form.zone not in zones():
        found.append(Remark("zone", "wrong", tr("There is no such time zone.")))
    elif not form.all_day and not form.zone:
        found.append(Remark("zone", "note", tr("It is this time wherever the phone is.")))
    elif not form.all_day and start is not None and form.zone != "UTC":
        utc = _in_utc(start, form.zone)
        found.append(
            Remark(
                "zone", "note", tr("Written as {utc:%H:%M} UTC; phones show their own.", utc=utc)
            )
        )
    if not form.whole:
        text = tr(
            "Short form: most phones take it, though the standard asks for the whole calendar."
        )
        found.append(Remark("whole", "note", text))
    return found


EVENT = Kind("event", _write, _read, _remarks)
