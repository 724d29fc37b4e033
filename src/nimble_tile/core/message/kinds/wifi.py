"""A wireless network to join.

References
----------
Wi-Fi Alliance, WPA3 Specification, URI format: fields T, R, S, P, H, order and
``R:1`` for networks without the older WPA2 (memory). Backslashes before
``\\ ; , : "`` are common practice and what phones undo. IEEE 802.11: a name has
1 to 32 bytes, a passphrase 8 to 63 printable ASCII characters, a key 64
hexadecimal digits.
"""

from __future__ import annotations

import re

from nimble_tile.core.details import Wifi
from nimble_tile.core.language import tr
from nimble_tile.core.message.kinds.base import Kind
from nimble_tile.core.message.kinds.lines import split
from nimble_tile.core.message.remarks import Remark


def _escaped(text: str) -> str:
    return re.sub(r'([\\;,:"])', r"\\\1", text)


def _write(form: Wifi) -> str:
    parts = []
    if form.security != "open":
        parts.append("T:WPA")
    if form.security == "wpa3":
        parts.append("R:1")
    parts.append(f"S:{_escaped(form.name)}")
    if form.security != "open":
        parts.append(f"P:{_escaped(form.password)}")
    if form.hidden:
        parts.append("H:true")
    return "WIFI:" + "".join(f"{part};" for part in parts) + ";"


def _read(text: str) -> Wifi | None:
    if text[:5].upper() != "WIFI:":
        return None
    fields: dict[str, str] = {}
    for part in split(text[5:])[:-1]:  # each field ends in a semicolon
        name, sign, value = part.partition(":")
        if sign:
            fields.setdefault(name.upper(), re.sub(r"\\(.)", r"\1", value, flags=re.DOTALL))
    type_ = fields.get("T", "nopass").upper()
    if set(fields) - {"T", "S", "P", "H", "R"} or type_ not in ("WPA", "WPA2", "SAE", "NOPASS", ""):
        return None
    security = "open" if type_ in ("NOPASS", "") else "wpa"
    if type_ == "SAE" or (security == "wpa" and fields.get("R") == "1"):
        security = "wpa3"
    return Wifi(
        name=fields.get("S", ""),
        security=security,
        password=fields.get("P", ""),
        hidden=fields.get("H", "").lower() in ("true", "1"),
    )


def _remarks(form: Wifi) -> list[Remark]:
    found = []
    size = len(form.name.encode("utf-8"))
    if not form.name:
        found.append(Remark("name", "missing", tr("Write the network's name (SSID).")))
    elif size > 32:
        found.append(
            Remark(
                "name", "wrong", tr("A name has at most 32 bytes; this one has {size}.", size=size)
            )
        )
    elif form.name != form.name.strip():
        found.append(Remark("name", "note", tr("The name begins or ends with a space.")))
    if form.security == "open":
        if form.password:
            found.append(Remark("password", "note", tr("An open network needs no password.")))
        else:
            found.append(
                Remark("security", "note", tr("Anyone near can listen in on this network."))
            )
        return found
    word = form.password
    if not word:
        found.append(Remark("password", "missing", tr("Write the password, or choose open.")))
    elif not all(" " <= c <= "~" for c in word):
        found.append(
            Remark("password", "warn", tr("Passwords of Wi-Fi hold ASCII characters only."))
        )
    elif len(word) < 8:
        found.append(Remark("password", "warn", tr("A password has at least 8 characters.")))
    elif len(word) > 63 and not re.fullmatch("[0-9A-Fa-f]{64}", word):
        found.append(Remark("password", "warn", tr("A password has at most 63 characters.")))
    if form.security == "wpa3":
        found.append(
            Remark("security", "note", tr("Older phones cannot join a network of WPA3 only."))
        )
    return found


WIFI = Kind("wifi", _write, _read, _remarks)
