"""Where images to be checked come from: files, pages of a PDF, folders."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from nimble_tile.core.channels import colours_of
from nimble_tile.core.errors import PictureError
from nimble_tile.core.language import tr
from nimble_tile.core.picture.drawings import draw, kind_of, one_page, pages
from nimble_tile.core.picture.opening import open_picture, read_file

ENDINGS = (".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff", ".svg", ".pdf")
"""Files in a folder that are looked at."""

DRAWN = 2400
"""Longer side, in pixels, at which vector files are drawn."""

MOST_FILES = 500
MOST_PAGES = 60


@dataclass(frozen=True, eq=False)
class Source:
    """One image to be checked.

    Attributes
    ----------
    name : str
        File name, with the page where there are several.
    path : Path or None
    page : int or None
        Counted from 0, of a PDF with several pages.
    image : ndarray of uint8, H × W × 3 sRGB, or None
    error : PictureError or None
        Why there is no image.
    """

    name: str
    path: Path | None = None
    page: int | None = None
    image: np.ndarray | None = None
    error: PictureError | None = None


def listed(path: Path) -> list[Path]:
    """The images of a folder by name, or the file itself.

    Raises
    ------
    PictureError
        It does not exist, or the folder cannot be read or holds too many.
    """
    path = Path(path)
    if not path.is_dir():
        return [path]
    try:
        found = sorted(
            (p for p in path.iterdir() if p.suffix.lower() in ENDINGS and p.is_file()),
            key=lambda p: p.name.lower(),
        )
    except OSError as error:
        raise PictureError(
            tr("The folder {name} cannot be read.", name=path.name), tr("Choose another.")
        ) from error
    if len(found) > MOST_FILES:
        raise PictureError(
            tr("{name} holds {found} images.", name=path.name, found=len(found)),
            tr("Choose a folder with {most_files} at most.", most_files=MOST_FILES),
        )
    return found


def images(path: Path) -> Iterator[Source]:
    """Every image in a file: one, or each page of a PDF. Errors become a source too."""
    path = Path(path)
    try:
        data = read_file(path)
        if kind_of(data) == "pdf":
            yield from _pages(data, path)
            return
        if kind_of(data) == "svg":
            rgba = draw(data, path.name, DRAWN)
            yield Source(path.name, path, None, _on_white(rgba))
            return
        yield Source(path.name, path, None, open_picture(data, path.name).over("#ffffff"))
    except PictureError as error:
        yield Source(path.name, path, error=error)


def nth(sources: Callable[[], Iterable[Source]], number: int) -> Source:
    """One of a file's images, opened anew; one with an error where that fails.

    Parameters
    ----------
    sources : callable
        Opens them all, one after another.
    number : int
        Counted from 0.
    """
    for at, source in enumerate(sources()):
        if at == number or source.image is None:
            return source
    return Source(
        "", error=PictureError(tr("The image is no longer in its file."), tr("Check it again."))
    )


def _pages(data: bytes, path: Path) -> Iterator[Source]:
    count = pages(data, path.name)
    for index in range(min(count, MOST_PAGES)):
        name = (
            path.name if count == 1 else tr("{name}, page {index}", name=path.name, index=index + 1)
        )
        page = None if count == 1 else index
        try:
            alone = data if count == 1 else one_page(data, index, path.name)
            yield Source(name, path, page, _on_white(draw(alone, name, DRAWN)))
        except PictureError as error:
            yield Source(name, path, page, error=error)
    if count > MOST_PAGES:
        left = PictureError(
            tr("{name} has {count} pages.", name=path.name, count=count),
            tr("The first {most_pages} were read.", most_pages=MOST_PAGES),
        )
        yield Source(tr("{name}, the rest", name=path.name), path, error=left)


def _on_white(rgba: np.ndarray) -> np.ndarray:
    from nimble_tile.core.picture.opening import on_ground

    return on_ground(colours_of(rgba), rgba[..., 3], "#ffffff")
