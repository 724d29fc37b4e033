"""The program on the desktop: thumbnails of projects, and menu entries for one's own account."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
from collections.abc import Iterator
from importlib.resources import files
from pathlib import Path

import click

from nimble_tile import DESKTOP_ID as ID

ICON_SIZES = (16, 24, 32, 48, 64, 128, 256, 512)


def desktop_files() -> Iterator[tuple[str, str]]:
    """What belongs on a desktop: name among the assets, and place below a data folder."""
    yield f"{ID}.desktop", f"applications/{ID}.desktop"
    yield f"{ID}.metainfo.xml", f"metainfo/{ID}.metainfo.xml"
    yield "nimble-tile.xml", "mime/packages/nimble-tile.xml"
    yield "nimble-tile.thumbnailer", "thumbnailers/nimble-tile.thumbnailer"
    yield "icon.svg", f"icons/hicolor/scalable/apps/{ID}.svg"
    yield "icon-symbolic.svg", f"icons/hicolor/symbolic/apps/{ID}-symbolic.svg"
    for size in ICON_SIZES:
        yield f"icon-{size}.png", f"icons/hicolor/{size}x{size}/apps/{ID}.png"


def data_folder() -> Path:
    """The person's own data folder (XDG Base Directory Specification)."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local/share")


@click.command()
@click.argument("project", type=click.Path(path_type=Path))
@click.argument("out", type=click.Path(path_type=Path))
@click.option("--size", type=click.IntRange(16, 2048), default=256, show_default=True)
def thumbnail(project: Path, out: Path, size: int) -> None:
    """Write a small PNG of a project, for file managers."""
    from PIL import Image

    from nimble_tile import library
    from nimble_tile.cli_options import kept_apart
    from nimble_tile.core.errors import OutputError
    from nimble_tile.core.files import write_atomically

    kept_apart(out, project)
    image = Image.fromarray(library.render(library.load(project), max(size, 128)))
    image.thumbnail((size, size))
    write_atomically(out, lambda file: image.save(file, "PNG"), OutputError, "write")


@click.group()
def desktop() -> None:
    """Put the program into the menus of your desktop, or take it out.

    For installations of your own, by pipx or pip; packages of a distribution do this by
    themselves.
    """


@desktop.command()
def install() -> None:
    """Menu entry, icons, file type and thumbnails for your account."""
    from nimble_tile.core.errors import OutputError, file_error

    here, program = files("nimble_tile.assets").joinpath("desktop"), shutil.which("nimble-tile")
    target = data_folder()
    for name, place in desktop_files():
        data = here.joinpath(name).read_bytes()
        if program and name.endswith((".desktop", ".thumbnailer")):
            # The desktop may not look where pipx puts programs.
            quoted = f'"{program}"' if " " in program else program
            data = data.replace(b"Exec=nimble-tile", b"Exec=" + quoted.encode())
        try:
            (target / place).parent.mkdir(parents=True, exist_ok=True)
            (target / place).write_bytes(data)
        except OSError as error:
            raise file_error(OutputError, "write", target / place, error) from error
    _refresh(target)
    click.echo(f"Nimble Tile is in the menus now, by files in {target}.")


@desktop.command()
def remove() -> None:
    """Take them away again."""
    from nimble_tile.core.errors import OutputError, file_error

    target = data_folder()
    for _, place in desktop_files():
        try:
            (target / place).unlink(missing_ok=True)
        except OSError as error:
            raise file_error(OutputError, "remove", target / place, error) from error
    _refresh(target)
    _sweep(target)
    click.echo("Nimble Tile is out of the menus; its settings stay.")


CACHES = {
    "applications": ("mimeinfo.cache",),
    "icons/hicolor": ("icon-theme.cache",),
    "mime": (
        "XMLnamespaces", "aliases", "generic-icons", "globs", "globs2", "icons", "magic",
        "mime.cache", "subclasses", "treemagic", "types", "version",
    ),
}  # fmt: skip
"""What the desktop's tools make of the files in a folder."""


def _sweep(target: Path) -> None:
    """Remove caches of folders where nothing else is left, and folders that are empty."""
    for folder, names in CACHES.items():
        caches = [target / folder / name for name in names]
        there = [path for path in (target / folder).rglob("*") if path.is_file()]
        if all(path in caches for path in there):
            for path in there:
                path.unlink(missing_ok=True)
            for path in sorted((target / folder).rglob("*"), reverse=True):
                with contextlib.suppress(OSError):
                    path.rmdir()
    for _, place in desktop_files():
        folder = (target / place).parent
        while folder != target:
            with contextlib.suppress(OSError):  # something else is in it
                folder.rmdir()
            folder = folder.parent


def _refresh(target: Path) -> None:
    """Let the desktop's caches follow, as far as their tools are there."""
    for call in (
        ["update-desktop-database", target / "applications"],
        ["update-mime-database", target / "mime"],
        ["gtk-update-icon-cache", "-q", "-t", "-f", target / "icons/hicolor"],
    ):
        if shutil.which(str(call[0])):
            subprocess.run(call, check=False, capture_output=True)
