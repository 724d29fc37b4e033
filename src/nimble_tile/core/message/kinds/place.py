"""A place on the map.

References
----------
RFC 5870 (geo URI): latitude, longitude, altitude in WGS 84. It has no label;
the query ``q=`` with a label in brackets is common practice of maps on phones.
"""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation

from nimble_tile.core.details import Place
from nimble_tile.core.language import tr
from nimble_tile.core.message.kinds.base import Kind, percent, plain, query
from nimble_tile.core.message.remarks import Remark

_GEO = re.compile(
    r"geo:(-?[\d.]+),(-?[\d.]+)(?:,(-?[\d.]+))?(?:;crs=wgs84)?(?:\?(.*))?", re.IGNORECASE
)
_DMS = re.compile(
    r"(?P<sign>[+-]?)(?P<deg>\d+)\s*°\s*(?:(?P<min>[\d.]+)\s*[′'’]\s*)?"
    r"(?:(?P<sec>[\d.]+)\s*[″\"”]\s*)?(?P<side>[NSEW]?)",
    re.IGNORECASE,
)
MOST_DECIMALS = 7
"""A step of the seventh decimal is 11 mm."""


def degrees(text: str) -> Decimal | None:
    """Degrees from ``51.5``, ``51,5``, ``51.5 N`` or ``51° 30′ 0″ N``; None if it is none."""
    text = text.strip()
    match = _DMS.fullmatch(text)
    try:
        if match:
            value = (
                Decimal(match["deg"])
                + Decimal(match["min"] or 0) / 60
                + Decimal(match["sec"] or 0) / 3600
            )
            negative = match["sign"] == "-" or match["side"].upper() in ("S", "W")
            return (-value if negative else value).normalize()
        simple = re.fullmatch(r"([+-]?\d+(?:[.,]\d+)?)\s*([NSEWnsew]?)", text)
        if simple is None:
            return None
        value = Decimal(simple[1].replace(",", "."))
        return -value if simple[2].upper() in ("S", "W") else value
    except InvalidOperation:
        return None


def _number(value: Decimal) -> str:
    rounded = round(value, MOST_DECIMALS)
    text = f"{rounded:f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text in ("-0", "") else text


def _write(form: Place) -> str:
    at = f"{_number(degrees(form.latitude))},{_number(degrees(form.longitude))}"
    height = f",{_number(degrees(form.altitude))}" if form.altitude.strip() else ""
    label = f"?q={at}({percent(form.label.strip())})" if form.label.strip() else ""
    return f"geo:{at}{height}{label}"


def _read(text: str) -> Place | None:
    match = _GEO.fullmatch(text)
    if match is None:
        return None
    latitude, longitude, altitude, tail = match.groups()
    label = ""
    if tail:
        q = re.fullmatch(r"-?[\d.]+,-?[\d.]+\((.*)\)", query(tail).get("q", ""), re.DOTALL)
        if q is None or "&" in tail:
            return None
        label = plain(q[1])
    form = Place(latitude=latitude, longitude=longitude, altitude=altitude or "", label=label)
    return None if any(remark.stops for remark in _remarks(form)) else form


def _remarks(form: Place) -> list[Remark]:
    found = []
    for field, most, name in (("latitude", 90, tr("north")), ("longitude", 180, tr("east"))):
        text = getattr(form, field)
        value = degrees(text)
        if not text.strip():
            found.append(Remark(field, "missing", tr("Write the degrees {name}.", name=name)))
        elif value is None:
            found.append(
                Remark(field, "wrong", tr("Write degrees {name}, such as 54.9731.", name=name))
            )
        elif abs(value) > most:
            found.append(
                Remark(
                    field,
                    "wrong",
                    tr("A latitude lies between -90 and 90.")
                    if field == "latitude"
                    else tr("A longitude lies between -180 and 180."),
                )
            )
        elif -value.as_tuple().exponent > MOST_DECIMALS:
            found.append(Remark(field, "note", tr("Rounded to 7 decimals, about a centimetre.")))
    if form.altitude.strip() and degrees(form.altitude) is None:
        found.append(Remark("altitude", "wrong", tr("Write the altitude in metres.")))
    if form.label.strip():
        found.append(
            Remark("label", "note", tr("The standard has no label; most maps on phones show it."))
        )
    return found


PLACE = Kind("place", _write, _read, _remarks)
