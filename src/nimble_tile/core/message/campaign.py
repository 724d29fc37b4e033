"""Campaign tags of a link, added and removed without touching the rest.

The names ``utm_source`` … are common practice of web statistics.

References
----------
RFC 3986: query and fragment.
"""

from __future__ import annotations

from urllib.parse import quote, unquote_plus

from nimble_tile.core.language import tr

TAGS = ("source", "medium", "campaign", "term", "content")
TAG_NAMES = {
    "source": tr("Source"),
    "medium": tr("Medium"),
    "campaign": tr("Campaign"),
    "term": tr("Term"),
    "content": tr("Content"),
}
"""Tags in their usual order; in the link they are called ``utm_source`` and so on."""


def _cut(link: str) -> tuple[str, str | None, str]:
    """Everything before the query, the query or None, the fragment with its #."""
    head, mark, fragment = link.partition("#")
    base, sign, query = head.partition("?")
    return base, query if sign else None, mark + fragment


def _tag_of(part: str) -> str | None:
    name = unquote_plus(part.partition("=")[0]).lower()
    tag = name.removeprefix("utm_")
    return tag if name.startswith("utm_") and tag in TAGS else None


def tags_of(link: str) -> dict[str, str]:
    """Campaign tags that a link carries, by name without ``utm_``."""
    query = _cut(link)[1] or ""
    found: dict[str, str] = {}
    for part in query.split("&"):
        tag = _tag_of(part)
        if tag is not None:
            found.setdefault(tag, unquote_plus(part.partition("=")[2]))
    return found


def with_tags(link: str, tags: dict[str, str]) -> str:
    """A link with exactly these campaign tags.

    Parameters
    ----------
    link : str
    tags : dict of str to str
        Values by name; an empty value leaves the tag out.

    Returns
    -------
    str
        Path, other parts of the query and fragment as they were, to the
        letter; tags that stay keep their place, new ones come last.
    """
    base, query, fragment = _cut(link)
    wanted = {tag: tags[tag] for tag in TAGS if tags.get(tag)}
    if tags_of(link) == wanted:
        return link

    def written(tag: str) -> str:
        return f"utm_{tag}={quote(wanted[tag], safe='-._~')}"

    parts, left = [], dict(wanted)
    for part in [] if query is None else query.split("&"):
        tag = _tag_of(part)
        if tag is None:
            parts.append(part)
        elif left.pop(tag, None) is not None:
            parts.append(written(tag))
    had_only_tags = query is not None and query != "" and not any(parts)
    added = [written(tag) for tag in left]
    if added and parts == [""]:
        parts = []
    whole = "&".join([*parts, *added])
    if not whole and (query is None or had_only_tags):
        return base + fragment
    return f"{base}?{whole}{fragment}"
