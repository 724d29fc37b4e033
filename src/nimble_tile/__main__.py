"""``python -m nimble_tile``: the same as the installed command."""

from nimble_tile.cli import main

if __name__ == "__main__":
    main()
