"""Names and licences of all Python packages that the program needs, and of what ships with it."""

from __future__ import annotations

import re
from importlib.metadata import PackageNotFoundError, distribution, requires


def wanted(name: str, found: dict[str, None]) -> None:
    """Collect a package and what it needs, extras left out."""
    for line in requires(name) or ():
        if "extra ==" in line:
            continue
        needed = re.match(r"[A-Za-z0-9_.-]+", line)[0]
        if needed.lower() in found:
            continue
        try:
            distribution(needed)
        except PackageNotFoundError:
            continue
        found[needed.lower()] = None
        wanted(needed, found)


def licence(name: str) -> str:
    """What a package says of its licence, in a line."""
    about = distribution(name).metadata
    told = about.get("License-Expression") or ""
    if not told:
        kinds = [c.split(" :: ")[-1] for c in about.get_all("Classifier") or () if "License" in c]
        told = ", ".join(kinds)
    if not told:
        told = (about.get("License") or "").strip().splitlines()[0:1]
        told = told[0] if told else "see its files"
    return told


def main() -> None:
    found: dict[str, None] = {}
    wanted("nimble-tile", found)
    print("Font: Alegreya Sans, SIL Open Font License 1.1. Icons: Phosphor, MIT.")
    print("All pictures, materials, looks and layouts are the program's own, MIT.\n")
    for name in sorted(found):
        about = distribution(name)
        print(f"{about.metadata['Name']} {about.version}: {licence(name)}")


if __name__ == "__main__":
    main()
