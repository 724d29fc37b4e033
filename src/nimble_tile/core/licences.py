"""Python packages that the program needs, and their licences, from what is installed."""

from __future__ import annotations

import re
from importlib.metadata import PackageNotFoundError, distribution, requires


def packages(root: str = "nimble-tile") -> list[tuple[str, str, str]]:
    """Name, version and licence of each package that is needed, by name; extras left out."""
    found: dict[str, tuple[str, str, str]] = {}
    _collect(root, found)
    return sorted(found.values(), key=lambda entry: entry[0].lower())


def _collect(name: str, found: dict[str, tuple[str, str, str]]) -> None:
    try:
        needed = requires(name) or []
    except PackageNotFoundError:  # the program runs from its sources
        return
    for line in needed:
        if "extra ==" in line:
            continue
        other = re.match(r"[A-Za-z0-9_.-]+", line)[0]
        if other.lower() in found:
            continue
        try:
            about = distribution(other)
        except PackageNotFoundError:  # not for this system
            continue
        told = about.metadata
        found[other.lower()] = told["Name"], about.version, _licence(told)
        _collect(other, found)


def _licence(told) -> str:
    """What a package says of its licence, in a line."""
    if told.get("License-Expression"):
        return told["License-Expression"]
    kinds = [c.split(" :: ")[-1] for c in told.get_all("Classifier") or () if "License ::" in c]
    first = (told.get("License") or "").strip().splitlines()
    return ", ".join(kinds) or (first[0] if first else "see its files")
