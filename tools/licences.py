"""Prints names and licences of all that ships with the program, or that it needs."""

from __future__ import annotations

from nimble_tile.core.licences import packages

if __name__ == "__main__":
    print("Font: Alegreya Sans, SIL Open Font License 1.1. Icons: Phosphor, MIT.")
    print("All pictures, materials, looks and layouts are the program's own, MIT.\n")
    for name, version, licence in packages():
        print(f"{name} {version}: {licence}")
