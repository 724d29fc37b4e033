"""The demo pieces: the Saltmarsh Lantern Walk of the Redshank Marsh Trust."""

from __future__ import annotations

import tempfile
from importlib.resources import files
from pathlib import Path

from nimble_tile.core.additions import Backing, Caption, Captions, Logo, Logos, Surround
from nimble_tile.core.details import Event
from nimble_tile.core.errors import ProjectError
from nimble_tile.core.message.kinds import compose
from nimble_tile.core.picture.gestures import on_quad
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Blend, Code, Finish, Ink, Message, Picture, Piece, Region, Weave
from nimble_tile.core.project.archive import SUFFIX, save
from nimble_tile.core.project.looks import shipped

LINK = "https://lanternwalk.example/dusk"

PAPER = "#f6efdf"
"""Paper of the walk's ticket."""


def demo_pieces() -> tuple[dict[str, Piece], PictureStore]:
    """The demo pieces by name, and their pictures.

    Returns
    -------
    dict of str to Piece
        ``"woven-poster"``: the code woven of the poster's own reeds, water and lantern light;
        ``"lantern-walk-poster"``: the code on the water of the poster;
        ``"morning-mist"``: on the photograph-like picture;
        ``"heron-mark"``: on the mark with its transparent ground;
        ``"path-sign"``: in perspective on the board beside the boardwalk;
        ``"walk-ticket"``: a calendar event with the heron mark, captions and a ticket's
        frame, without a picture, for print.
    PictureStore
    """
    pictures = PictureStore()

    def picture(name: str, side: float, x: float, y: float, ground: str = "#ffffff") -> Picture:
        data = files("nimble_tile.assets").joinpath(f"demo/{name}").read_bytes()
        region = Region(x=x, y=y, width=side, height=side)
        return Picture(digest=pictures.add(data, name), name=name, ground=ground, region=region)

    message = Message(text=LINK)
    pieces = {
        "woven-poster": Piece(
            message=message,
            code=Code(level="M", steer="padding"),
            picture=picture("poster.jpg", 780, 660, 1080),
            blend=Blend(method="weave", strength=0.66, weave=Weave(motif=0.5, seed=2)),
        ),
        "lantern-walk-poster": Piece(
            message=message,
            code=Code(level="M"),
            picture=picture("poster.jpg", 640, 500, 1010),
            blend=Blend(strength=0.6),
        ),
        "morning-mist": Piece(
            message=message,
            code=Code(level="M"),
            picture=picture("mist.jpg", 700, 560, 420),
            blend=Blend(strength=0.6),
            finish=Finish(format="jpeg"),
        ),
        "heron-mark": Piece(
            message=message,
            code=Code(level="Q"),
            picture=picture("heron.png", 640, 0, 0, "#f4ead6"),
            blend=Blend(strength=0.7),
            finish=Finish(size=1200),
        ),
    }
    # The board's pale panel: its corners, as a person would pull them.
    corners = ((1089, 478), (1473, 449), (1479, 858), (1086, 828))
    sign = picture("sign.jpg", 100, 0, 0)
    pieces["path-sign"] = Piece(
        message=Message(text="https://lanternwalk.example/path/7"),
        code=Code(level="M"),
        picture=sign.model_copy(update={"region": on_quad(corners)}),
        blend=Blend(method="ink", strength=0.7, ink=Ink(where="tint")),
        finish=Finish(format="jpeg"),
    )
    walk = Event(
        title="Saltmarsh Lantern Walk",
        start="2027-10-30T18:30",
        end="2027-10-30T20:30",
        zone="UTC",
        place="Redshank Marsh, gate 2",
        whole=False,
    )
    look = next(look for look in shipped() if look.name == "Lantern")
    mark = files("nimble_tile.assets").joinpath("demo/heron.svg").read_bytes()
    heron = Logo(digest=pictures.add(mark, "heron.svg", drawings=True), name="heron.svg", size=0.22)
    ink = "#1d2a24"
    pieces["walk-ticket"] = Piece(
        message=compose(walk),
        code=Code(level="Q"),
        look=look,
        logo=Logos(items=(heron.model_copy(update={"backing": Backing(colour=PAPER)}),)),
        caption=Captions(
            items=(
                Caption(text="Saltmarsh Lantern Walk", place="above", size=0.085, colour=ink),
                Caption(text="Scan to put it in your calendar", size=0.06, weight=500, colour=ink),
            )
        ),
        surround=Surround(kind="ticket", paper=PAPER, line_colour="#1d5740", gap=2.5),
        finish=Finish(size=1500, format="pdf"),
    )
    return pieces, pictures


PIECE_TITLES = {
    "woven-poster": "Woven poster",
    "lantern-walk-poster": "Lantern walk poster",
    "morning-mist": "Morning mist",
    "heron-mark": "Heron mark",
    "path-sign": "Path sign",
    "walk-ticket": "Walk ticket",
}
"""The demo pieces' names for people."""

ARTWORKS = {
    "poster": ("demo/poster.jpg", "Poster of the walk"),
    "mist": ("demo/mist.jpg", "Morning mist"),
    "mask": ("artwork/mask.jpg", "Feathered mask"),
    "sill": ("artwork/sill.jpg", "Still life on a windowsill"),
    "street": ("artwork/street.jpg", "Street of boat sheds"),
    "night": ("artwork/night.jpg", "Night over the reeds"),
    "print": ("artwork/print.jpg", "Block print"),
    "waders": ("artwork/waders.jpg", "Waders, a watercolour"),
}
"""Pictures to try things on: file among the assets, and name for people."""


def artwork(name: str) -> bytes:
    """A picture of `ARTWORKS` as a file."""
    return files("nimble_tile.assets").joinpath(ARTWORKS[name][0]).read_bytes()


def demo_project(name: str = "woven-poster") -> Path:
    """A demo piece as a project file in the user's cache, made anew."""
    from platformdirs import user_cache_path

    pieces, pictures = demo_pieces()
    folder = user_cache_path("nimble-tile")
    try:
        folder.mkdir(parents=True, exist_ok=True)
        path = folder / f"{PIECE_TITLES[name]}{SUFFIX}"
        save(pieces[name], pictures, path)
    except (OSError, ProjectError):
        path = Path(tempfile.mkdtemp(prefix="nimble-tile-")) / f"{PIECE_TITLES[name]}{SUFFIX}"
        save(pieces[name], pictures, path)
    return path
