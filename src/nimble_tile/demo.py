"""The demo pieces: the Saltmarsh Lantern Walk of the Redshank Marsh Trust."""

from __future__ import annotations

import tempfile
from importlib.resources import files
from pathlib import Path

import numpy as np

from nimble_tile.core.additions import Backing, Caption, Captions, Logo, Logos, Surround
from nimble_tile.core.artwork import Pixels
from nimble_tile.core.details import Event
from nimble_tile.core.errors import ProjectError
from nimble_tile.core.language import tr
from nimble_tile.core.message.kinds import compose
from nimble_tile.core.picture.gestures import on_quad
from nimble_tile.core.picture.opening import open_picture
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import (
    SOFTLY,
    TESSERAE,
    Blend,
    Code,
    Finish,
    Ink,
    Marks,
    Message,
    Picture,
    Piece,
    Region,
    Weave,
)
from nimble_tile.core.project.archive import SUFFIX, save
from nimble_tile.core.project.looks import shipped
from nimble_tile.core.tune.finished import finished_piece, place_of
from nimble_tile.standins.linkdesk.links import PORT

LINK = "https://lanternwalk.example/dusk"

DRAWN_MARGIN = 6.5
"""Modules of paper round the drawn code."""

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
        frame, without a picture, for print;
        ``"painted-harbour"``: a painting that was guided by the code, and mended;
        ``"drawn-heron"``: drawn by hand, brought back from a photo;
        ``"pixel-heron"``: pixel art with a Micro QR code;
        ``"gate-tag"``: a short link of the link desk, whose target can change.
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
            blend=Blend(
                method="weave", strength=0.55, weave=Weave(motif=0.5, seed=2), marks=TESSERAE
            ),
        ),
        "lantern-walk-poster": Piece(
            message=message,
            code=Code(level="M", steer="padding"),
            picture=picture("poster.jpg", 640, 500, 1010),
            blend=Blend(method="gentle", strength=0.6),
        ),
        "morning-mist": Piece(
            message=message,
            code=Code(level="M", steer="padding"),
            picture=picture("mist.jpg", 700, 560, 420),
            blend=Blend(method="light", strength=0.6),
            finish=Finish(format="jpeg"),
        ),
        "heron-mark": Piece(
            message=message,
            code=Code(level="Q", steer="padding"),
            picture=picture("heron.png", 640, 0, 0, "#f4ead6"),
            blend=Blend(
                method="gentle",
                strength=0.6,
                marks=Marks(shape="rounded", size=0.92, texture=0.8, border="none"),
            ),
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
    look = next(look for look in shipped() if look.name == tr("Lantern"))
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
    pieces |= _stand_ins(pictures)
    return pieces, pictures


def _stand_ins(pictures: PictureStore) -> dict[str, Piece]:
    """What painter, pen and pixels have made, and a short link."""
    from nimble_tile.core.symbol.encode import encode

    message, code = Message(text=LINK), Code(level="H", raise_level=False)
    symbol = encode(message, code)

    def asset(name: str) -> tuple[str, tuple[int, int]]:
        data = files("nimble_tile.assets").joinpath(f"demo/{name}").read_bytes()
        digest = pictures.add(data, name)
        return digest, pictures.about(digest).size

    digest, size = asset("painted.jpg")
    base = Piece(message=message)
    pieces = {
        "painted-harbour": finished_piece(base, digest, "painted.jpg", size, symbol, None)
    }  # fmt: skip
    digest, size = asset("drawn.jpg")
    side = size[0]
    module = side / (symbol.side + 2 * DRAWN_MARGIN)
    low, high = DRAWN_MARGIN * module, side - DRAWN_MARGIN * module
    corners = np.array([[low, low], [high, low], [high, high], [low, high]])
    place, quiet = place_of(corners, symbol.side, size)
    pieces["drawn-heron"] = finished_piece(base, digest, "drawn.jpg", size, symbol, place, quiet)
    pieces["pixel-heron"] = _pixel_heron(pictures)
    tag = Message(text=f"HTTP://127.0.0.1:{PORT}/GTMRK")
    ink = "#1d2a24"
    pieces["gate-tag"] = Piece(
        message=tag,
        code=Code(level="M"),
        caption=Captions(
            items=(
                Caption(text="Tonight on the marsh", place="above", size=0.11, colour=ink),
                Caption(text="Gate 2", size=0.08, weight=500, colour=ink),
            )
        ),
        surround=Surround(kind="tag", paper=PAPER, line_colour="#1d5740", gap=2.5),
        finish=Finish(size=1000, format="pdf"),
    )
    return pieces


def _pixel_heron(pictures: PictureStore) -> Piece:
    """The heron mark in pixels, with a Micro QR code."""
    from nimble_tile.core.picture.opening import on_ground
    from nimble_tile.core.pixelart import PALETTES, art_of, whole_size
    from nimble_tile.core.symbol.encode import encode

    message = Message(kind="text", text="RED HIDE 7")
    symbol = encode(message, Code(level="L", version="micro"))
    mark = open_picture.here(
        files("nimble_tile.assets").joinpath("demo/heron.png").read_bytes(), "heron.png"
    )
    image = on_ground(mark.rgb, mark.alpha, "#f4ead6")
    art = art_of(symbol, PALETTES["Marsh"], 6, 3, image)
    side = art.pixels.shape[0]
    inner = side - 2 * art.first[0]
    return Piece(
        message=message,
        code=Code(level=symbol.level, version=symbol.version, mask=symbol.mask,
                  raise_level=False, quiet_zone=2),
        picture=Picture(
            digest=pictures.add_own(art.file(), "Pixel heron"), name="Pixel heron",
            region=Region(x=art.first[0], y=art.first[1], width=inner, height=inner),
            pixels=Pixels(module=art.module, palette=art.palette),
        ),
        blend=Blend(method="gentle", strength=0, marks=SOFTLY),
        finish=Finish(size=whole_size(side, 960)),
    )  # fmt: skip


PIECE_TITLES = {
    "woven-poster": tr("Woven poster"),
    "lantern-walk-poster": tr("Lantern walk poster"),
    "morning-mist": tr("Morning mist"),
    "heron-mark": tr("Heron mark"),
    "path-sign": tr("Path sign"),
    "walk-ticket": tr("Walk ticket"),
    "painted-harbour": tr("Painted harbour"),
    "drawn-heron": tr("Heron drawn by hand"),
    "pixel-heron": tr("Pixel heron"),
    "gate-tag": tr("Gate tag with a short link"),
}
"""The demo pieces' names for people."""

ARTWORKS = {
    "poster": ("demo/poster.jpg", tr("Poster of the walk")),
    "mist": ("demo/mist.jpg", tr("Morning mist")),
    "mask": ("artwork/mask.jpg", tr("Feathered mask")),
    "sill": ("artwork/sill.jpg", tr("Still life on a windowsill")),
    "street": ("artwork/street.jpg", tr("Street of boat sheds")),
    "night": ("artwork/night.jpg", tr("Night over the reeds")),
    "print": ("artwork/print.jpg", tr("Block print")),
    "waders": ("artwork/waders.jpg", tr("Waders, a watercolour")),
    "drawing": ("demo/drawing.jpg", tr("Photo of a drawing")),
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
