"""The searches of the command line: the gentlest pass."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from nimble_tile.core.piece import Piece
    from nimble_tile.core.render import Renderer
    from nimble_tile.core.scan.bay import ReaderBay
    from nimble_tile.core.tune.gentlest import Progress


def gentlest_pass(
    piece: Piece, renderer: Renderer, bay: ReaderBay, wanted: float, seed: int
) -> Progress:
    """Run the gentlest pass; on a terminal it says how far it is."""
    from nimble_tile.core.trials.room import Room
    from nimble_tile.core.trials.sets import own
    from nimble_tile.core.tune.gentlest import search

    last = None
    tells = sys.stderr.isatty()
    for last in search(piece, renderer, Room(bay), own(), wanted, seed):
        if tells:
            click.echo(f"\r{last.share:4.0%} {last.what:<45}", nl=False, err=True)
    if tells:
        click.echo(err=True)
    return last


def found_in_words(made: Progress, wanted: float) -> str:
    """What the gentlest pass bought, in a line."""
    before, best = made.before, made.best
    symbol = best.rendering.symbol
    short = "" if made.holds else f" The wanted {wanted:.0%} was not reached."
    return (
        f"Gentlest pass: version {symbol.version}-{symbol.level}, strength "
        f"{best.piece.blend.strength:.0%}; reach {before.reach:.0%} before, {best.reach:.0%} now; "
        f"fidelity {before.fidelity.ssim_view:.2f} before, {best.fidelity.ssim_view:.2f} now."
        f"{short}"
    )
