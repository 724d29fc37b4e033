"""The language in which the program speaks: every text that people read goes through `tr`.

The texts stand in English in the code; the catalogs of other languages (GNU gettext) ship in
``assets/locale``. Many texts are made when their module is loaded, so a process has one
language, chosen before anything else of the program is loaded; the environment hands it on to
the processes that it starts. The command line and the library always speak English, which
scripts rely on.
"""

from __future__ import annotations

import gettext
import os
import re
import string
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Iterable

VARIABLE = "NIMBLE_TILE_LANGUAGE"
"""Environment variable with the language of this process and of those that it starts."""

LANGUAGES = {"en": "English", "de": "Deutsch", "es": "Español"}
"""Languages by code, as those who speak them call them."""

PSEUDO = "pseudo"
"""No language: each text in brackets, accented and a third longer, to find what is not
translated and what has no room for longer words."""

GIVEN = VARIABLE in os.environ
"""Whether the process was started with a language."""

FOLDER = Path(__file__).parent.parent / "assets" / "locale"
DOMAIN = "nimble_tile"

_ACCENTED = str.maketrans("aceinouyACEINOUY", "áçéíñóúýÁÇÉÍÑÓÚÝ")

_KEPT = re.compile(r"(\{[^{}]*\}|<[^<>]*>|&\w+;|\.\w{2,5}\b)")
"""Parts of a text that are not words: fields, tags, entities, endings of files."""


class _Pseudo(gettext.NullTranslations):
    def pgettext(self, context: str, message: str) -> str:
        return self.gettext(message)

    def gettext(self, message: str) -> str:
        parts = _KEPT.split(message)
        parts[::2] = [part.translate(_ACCENTED) for part in parts[::2]]
        return f"⟦{''.join(parts)}{'~' * (len(message) // 3)}⟧"


class _CommaFormatter(string.Formatter):
    """Writes decimal fractions with a comma, thousands apart with a point, and ``7 %``."""

    def format_field(self, value: Any, format_spec: str) -> str:
        told = super().format_field(value, format_spec)
        if isinstance(value, int | float) and not isinstance(value, bool) and format_spec:
            return told.translate({ord("."): ",", ord(","): ".", ord("%"): "\N{NO-BREAK SPACE}%"})
        return told


_CATALOGS: dict[str, gettext.NullTranslations] = {}
_COMMA = _CommaFormatter()
_now = "en"


def use(code: str) -> None:
    """Speak a language from now on, in this process and in those that it starts.

    Parameters
    ----------
    code : str
        One of `LANGUAGES`, or `PSEUDO`; anything else counts as English.
    """
    global _now
    _now = code if code in LANGUAGES or code == PSEUDO else "en"
    os.environ[VARIABLE] = _now
    if _now == PSEUDO:
        _CATALOGS[_now] = _Pseudo()
    elif _now != "en" and _now not in _CATALOGS:
        _CATALOGS[_now] = gettext.translation(DOMAIN, FOLDER, [_now], fallback=True)


def current() -> str:
    """Code of the language that is spoken, one of `LANGUAGES` or `PSEUDO`."""
    return _now


def suited(wanted: Iterable[str]) -> str:
    """First language that is known of those that a person wants, such as ``de-AT``; or English."""
    for name in wanted:
        code = re.split(r"[-_.@]", name)[0].lower()
        if code in LANGUAGES:
            return code
    return "en"


def tr(text: str, /, **values: Any) -> str:
    """A text in the language that is spoken.

    Parameters
    ----------
    text : str
        In English, with ``{fields}`` as those of `str.format` where values are given. A text
        that the catalog does not know, such as a name that a person gave, stays as it is.
    **values
        What the fields say.
    """
    if _now == "en":
        return text.format(**values) if values else text
    # The empty text is the catalog's own head.
    said = _CATALOGS[_now].gettext(text) if text else text
    if not values:
        return said
    return _COMMA.vformat(said, (), values) if _now in ("de", "es") else said.format(**values)


def tr_as(sense: str, text: str) -> str:
    """A word with several senses that other languages have different words for.

    Parameters
    ----------
    sense : str
        What is meant, for translators.
    text : str
        In English.
    """
    return text if _now == "en" else _CATALOGS[_now].pgettext(sense, text)


def counted(one: str, many: str, count: int, /, **values: Any) -> str:
    """A text with a number in it, in the form that the language has for that number.

    Parameters
    ----------
    one, many : str
        The English text for one thing and for several; ``{count}`` is the number.
    count : int
    **values
        What further fields say.
    """
    if _now == "en":
        said = one if count == 1 else many
    elif _now == PSEUDO:
        said = _CATALOGS[_now].gettext(many)
    else:
        said = _CATALOGS[_now].ngettext(one, many, count)
    if _now in ("de", "es"):
        return _COMMA.vformat(said, (), {"count": count, **values})
    return said.format(count=count, **values)


def figure(value: float, form: str) -> str:
    """A number as the language writes it.

    Parameters
    ----------
    value : float
    form : str
        As for `format`: ``.2f``, ``.0%``.
    """
    return _COMMA.format_field(value, form) if _now in ("de", "es") else format(value, form)


def marked(name: str) -> str:
    """The name itself: a word that the code goes by and that `tr` says later."""
    return name


def within(name: str) -> str:
    """A name as it is written inside a sentence, where most languages begin it small."""
    if _now in ("de", PSEUDO) or name[1:2].isupper():
        return name
    return name[:1].lower() + name[1:]


SAID = {"tr": tr, "tr_as": tr_as, "counted": counted, "language": current}
"""What templates of documents call."""

use(os.environ.get(VARIABLE, "en"))
