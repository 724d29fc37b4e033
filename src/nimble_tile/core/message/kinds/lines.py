"""Content lines, which contacts and calendar events share.

References
----------
RFC 6350 and RFC 2426 (vCard), RFC 5545 (iCalendar): name, parameters, value;
lines end in CRLF; a line that begins with a space continues the one before;
``\\\\ ; ,`` and line breaks are escaped in text values.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

CRLF = "\r\n"


@dataclass(frozen=True)
class ContentLine:
    """One line, unfolded.

    Attributes
    ----------
    name : str
        In capitals, without a group.
    parameters : dict of str to list of str
        Names and values in capitals.
    value : str
        As it stands, escapes not undone.
    whole : str
        The line itself.
    """

    name: str
    parameters: dict[str, list[str]] = field(default_factory=dict)
    value: str = ""
    whole: str = ""


def escaped(text: str) -> str:
    """A text value."""
    text = re.sub(r"\r\n|\r|\n", "\n", text.strip())
    return re.sub(r"([\\;,])", r"\\\1", text).replace("\n", "\\n")


def unescaped(value: str) -> str:
    """The text of a value."""
    return re.sub(r"\\(.)", lambda m: "\n" if m[1] in "nN" else m[1], value, flags=re.DOTALL)


def split(value: str, separator: str = ";") -> list[str]:
    """A value cut at each separator that no backslash escapes; escapes are left as they are."""
    found, begun, escape = [], 0, False
    for index, character in enumerate(value):
        if escape:
            escape = False
        elif character == "\\":
            escape = True
        elif character == separator:
            found.append(value[begun:index])
            begun = index + 1
    return [*found, value[begun:]]


def parts(value: str, separator: str = ";") -> list[str]:
    """Components of a structured value, escapes undone."""
    return [unescaped(part) for part in split(value, separator)]


def content_lines(text: str) -> list[ContentLine]:
    """All lines of a text, unfolded; lines without a colon are left out."""
    found = []
    for line in re.sub(r"\r?\n[ \t]", "", text).splitlines():
        head, colon, value = _cut(line)
        if not colon:
            continue
        name, *given = head.split(";")
        parameters: dict[str, list[str]] = {}
        for parameter in given:
            key, sign, values = parameter.partition("=")
            if not sign:  # the oldest form: a bare type
                key, values = "TYPE", key
            listed = [value.strip('"').upper() for value in values.split(",")]
            parameters.setdefault(key.upper(), []).extend(listed)
        found.append(ContentLine(name.rpartition(".")[2].upper(), parameters, value, line))
    return found


def begun(text: str, what: str) -> int:
    """How many parts of a sort a text begins; in a note the same words are a note."""
    return sum(
        line.name == "BEGIN" and line.value.strip().upper() == what for line in content_lines(text)
    )


def _cut(line: str) -> tuple[str, str, str]:
    """Name with parameters, colon, value; a colon between quotes does not count."""
    quoted = False
    for index, character in enumerate(line):
        if character == '"':
            quoted = not quoted
        elif character == ":" and not quoted:
            return line[:index], ":", line[index + 1 :]
    return line, "", ""
