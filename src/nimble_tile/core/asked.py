"""From settings by name to a piece: what the command line, batches and scripts ask for.

Names are those of the command line's options with an underscore for a dash.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.core.picture.store import Lease
from nimble_tile.core.piece import (
    MARKED,
    MATERIAL_LABELS,
    SEEDS,
    Blend,
    Code,
    Finish,
    Marks,
    Message,
    Picture,
    Piece,
    Region,
    Strokes,
    Weave,
)
from nimble_tile.core.symbol import tables
from nimble_tile.core.tune.first import STRENGTH, untouched

FARTHEST = 1e6
"""Largest coordinate on a picture that is accepted, in pixels."""

FRAMES = ("none", "rule", "card", "ticket", "tag", "pointer", "ring")

FINISH_FIELDS = (
    "size", "mm", "dpi", "quality", "chroma", "lossless", "depth", "inks", "profile", "ink",
    "ink_name", "alone", "square", "about", "bleed", "marks", "sheet", "gap",
)  # fmt: skip


def _whole(text: str) -> int:
    number = float(text)
    if number != int(number):
        raise ValueError
    return int(number)


def _number(text: str) -> float:
    # Half the world writes a comma, and spreadsheets follow.
    number = float(text.replace(",", ".") if text.count(",") == 1 and "." not in text else text)
    if not math.isfinite(number):
        raise ValueError
    return number


def _yes(text: str) -> bool:
    told = {"yes": True, "true": True, "1": True, "no": False, "false": False, "0": False}
    return told[text.lower()]


def region_of(text: str) -> Region:
    """``X,Y,W,H`` in picture pixels; `ValueError` where it is not that."""
    x, y, width, height = (_pixels(part) for part in text.split(","))
    if min(x, y) < 0:
        raise ValueError("negative")
    return Region(x=x, y=y, width=width, height=height)


def _pixels(text: str) -> float:
    number = float(text)
    if not abs(number) <= FARTHEST:
        raise ValueError("beyond every picture")
    return number


def corners_of(text: str) -> Region:
    """Four corners, ``X,Y`` each, clockwise from the top left; `ValueError` with a reason."""
    import numpy as np

    from nimble_tile.core.picture.gestures import on_quad
    from nimble_tile.core.picture.placing import possible

    try:
        quad = np.array([_pixels(part) for part in text.split(",")]).reshape(4, 2)
    except ValueError:
        raise ValueError(f"“{text}” is not four corners: eight numbers in pixels.") from None
    if not possible(quad):
        raise ValueError("the corners are crossed, folded or not clockwise from the top left.")
    return on_quad(quad)


SETTINGS: dict[str, Callable[[str], Any]] = {
    "level": str, "steer": str, "keep_spare": _number, "raise_level": _yes, "version": str,
    "mask": str, "quiet_zone": _whole, "look": str, "picture": str, "region": region_of,
    "corners": corners_of, "blend": str, "matter": str, "motif": _number, "seed": _whole,
    "mark": str, "mark_by": str, "mark_size": _number, "texture": _number, "border": str,
    "colours": str, "mode": str, "strength": _number, "logo": str, "logo_share": _number,
    "caption": str, "frame": str,
    "size": _whole, "mm": _number, "dpi": _whole, "quality": _whole, "chroma": str,
    "lossless": _yes, "depth": _whole,
    "inks": str, "profile": str, "ink": str, "ink_name": str, "alone": _yes, "square": _yes,
    "about": _yes, "bleed": _number, "marks": _yes, "sheet": str, "gap": _number,
}  # fmt: skip
"""All settings, each with what turns text into its value (`ValueError` or `KeyError`)."""


def from_text(name: str, text: str) -> Any:
    """A setting's value from text; `UserError` where it is none of that setting."""
    try:
        return SETTINGS[name](text.strip())
    except (ValueError, KeyError, OverflowError):
        shown = text if len(text) <= 60 else text[:59] + "…"
        raise UserError(
            tr("{name} “{shown}” is not possible.", name=name.replace("_", "-"), shown=shown)
        ) from None


@dataclass(frozen=True)
class Asker:
    """Makes pieces of settings.

    Attributes
    ----------
    pictures : Lease
        Where their pictures go.
    dash : str
        What stands before a setting's name in messages.
    folder : Path or None
        To which files are relative.
    files : mapping of str to bytes
        Pictures that are in memory, by the names that stand for them.
    """

    pictures: Lease
    dash: str = ""
    folder: Path | None = None
    files: Mapping[str, bytes] = field(default_factory=dict)

    def piece(
        self, message: str, settings: Mapping[str, Any], base: Piece | None = None
    ) -> Piece:  # fmt: skip
        """The piece that was asked for.

        Parameters
        ----------
        message : str
        settings : mapping
            Keys of `SETTINGS`; None counts as not given.
        base : Piece, optional
            What holds where nothing is asked for.

        Raises
        ------
        UserError
            A setting is not known, not possible, or needs another one.
        """
        asked = {name: value for name, value in settings.items() if value is not None}
        unknown = [name for name in asked if name not in SETTINGS]
        if unknown:
            raise UserError(tr("{name} is no setting.", name=self._name(unknown[0])))
        if "region" in asked and "corners" in asked:
            raise self._twice("region", "corners", "where")
        own = base if base is not None else Piece()
        if "picture" in asked and "blend" not in asked and untouched(own):
            # What a new piece begins with; a blend mode is one of the overlay.
            asked["blend"] = "overlay" if "mode" in asked else "gentle"
            if asked["blend"] == "gentle":
                asked.setdefault("strength", STRENGTH)
                if not str(asked.get("version", own.code.version)).lower().startswith("m"):
                    asked.setdefault("steer", "padding")
        piece = own.model_copy(
            update={
                "message": self.valid(Message, {"kind": "text", "text": message}),
                "code": self.code(asked, own.code),
                "blend": self.blend(asked, own.blend),
                "finish": self.finish(asked, own.finish),
            }
        )
        if "look" in asked:
            from nimble_tile.core.project.looks import by_name

            piece = piece.model_copy(update={"look": by_name(asked["look"], self.pictures)})
        piece = self._with_picture(piece, asked)
        piece = self._with_matter(piece, asked)
        piece = self._with_marks(piece, asked)
        piece = self._with_logo(piece, asked)
        return self._with_words(piece, asked)

    # Rungs ----------------------------------------------------------------------

    def code(self, asked: Mapping[str, Any], base: Code) -> Code:
        """Rung 2."""
        mask: Any = asked.get("mask")
        if mask is not None and str(mask) not in ("auto", *"01234567"):
            raise UserError(tr("{name} {mask} is no mask.", name=self._name('mask'),
                               mask=str(mask)[:20]),
                            tr("Give 0 to 7, or auto."))  # fmt: skip
        values = dict(base)
        if mask is not None:
            values["mask"] = mask if mask == "auto" else int(mask)
        values |= _given(asked, "level", "quiet_zone", "version", "steer")
        if "raise_level" in asked:
            values["raise_level"] = asked["raise_level"]
        elif "level" in asked:
            values["raise_level"] = False
        if str(asked.get("version", "")).lower().startswith("m"):
            values.setdefault("quiet_zone", tables.QUIET_ZONE_MICRO)
            if "quiet_zone" not in asked:
                values["quiet_zone"] = tables.QUIET_ZONE_MICRO
            if "level" not in asked:
                values["level"] = "L"
        weaves = asked.get("blend") == "weave" and base.steer == "off"
        if weaves and "steer" not in asked:
            values["steer"] = "padding"  # the symbol that the matter can say most easily
        if "keep_spare" in asked:
            values["keep"] = asked["keep_spare"] / 100
        return self.valid(Code, values)

    def blend(self, asked: Mapping[str, Any], base: Blend) -> Blend:
        """Rung 4, without the weave's own settings."""
        if "blend" in asked:
            base = base.turned(asked["blend"])
        return self.valid(Blend, dict(base) | _given(asked, "mode", "strength", "colours"))

    def finish(self, asked: Mapping[str, Any], base: Finish) -> Finish:
        """Rung 6's file."""
        if "size" in asked and "mm" in asked:
            raise self._twice("size", "mm", tr("how large"))
        values = _given(asked, *FINISH_FIELDS)
        if "depth" in values:
            values["depth"] = int(values["depth"])
        if "size" in values:
            values["mm"] = None
        return self.valid(Finish, {**dict(base), **values})

    def _with_picture(self, piece: Piece, asked: Mapping[str, Any]) -> Piece:
        place = asked.get("region", asked.get("corners"))
        if "picture" in asked:
            data, name = self._file(asked["picture"])
            digest = self.pictures.add(data, name)
            placed = Picture(digest=digest, name=name, region=place)
            return piece.model_copy(update={"picture": placed})
        if place is None:
            return piece
        if piece.picture.digest is None:
            option = self._name("region" if "region" in asked else "corners")
            raise UserError(tr("{option} says where on a picture.", option=option),
                            tr("Give {name} too.", name=self._name('picture')))  # fmt: skip
        return piece.edited("picture", region=place)

    def _with_matter(self, piece: Piece, asked: Mapping[str, Any]) -> Piece:
        """The piece woven of a material by its name, or of a picture in a file."""
        matter, motif, seed = (asked.get(name) for name in ("matter", "motif", "seed"))
        if seed is not None:
            # Whatever is scattered in a piece is scattered by it, woven or not.
            piece = piece.edited(
                "blend",
                weave=self.valid(Weave, {**dict(piece.blend.weave), "seed": seed % SEEDS}),
                strokes=self.valid(Strokes, {**dict(piece.blend.strokes), "seed": seed % SEEDS}),
            )
        if piece.blend.method != "weave":
            if matter is not None or motif is not None:
                option = self._name("matter" if matter is not None else "motif")
                raise UserError(tr("{option} is for weaving.", option=option),
                                tr("Give {name} weave too.", name=self._name('blend')))  # fmt: skip
            return piece
        values: dict[str, Any] = dict(piece.blend.weave)
        if motif is not None:
            values["motif"] = motif
        if matter is not None:
            known = matter == "picture" or matter in MATERIAL_LABELS
            if not known and str(matter) not in self.files and not self._path(matter).exists():
                names = ", ".join(MATERIAL_LABELS)
                raise UserError(
                    tr("{matter} is no material and no file.", matter=str(matter)[:60]),
                    tr("Materials: picture, {names}.", names=names),
                )
            values["matter"] = matter if known else self.pictures.add(*self._file(matter))
        return piece.edited("blend", weave=self.valid(Weave, values))

    def _with_marks(self, piece: Piece, asked: Mapping[str, Any]) -> Piece:
        """The piece with its marks, or its border alone, as they were asked for."""
        fields = {"mark": "shape", "mark_by": "by", "mark_size": "size", "texture": "texture",
                  "border": "border"}  # fmt: skip
        given = {name: asked[name] for name in fields if asked.get(name) is not None}
        values = {fields[name]: value for name, value in given.items()}
        if not values:
            return piece
        blend, option = piece.blend, self._name(next(iter(given)))
        if blend.method not in MARKED and not (blend.bordered and set(given) == {"border"}):
            told = tr("{option} is for the blends gentle and weave.", option=option)
            if set(given) == {"border"}:
                told = tr("{option} is for the blends gentle, weave and light.", option=option)
            raise UserError(told, tr("Give {name} gentle too.", name=self._name("blend")))
        marked = piece.edited(
            "blend", marks=self.valid(Marks, {**dict(piece.blend.marks), **values})
        )
        if not marked.blend.bordered and set(given) != {"mark"}:
            option = self._name(next(name for name in given if name != "mark"))
            raise UserError(tr("{option} is for marks; soft blends have none.", option=option),
                            tr("Give {name} disc too.", name=self._name('mark')))  # fmt: skip
        return marked

    def _with_logo(self, piece: Piece, asked: Mapping[str, Any]) -> Piece:
        """The piece with a logo in the middle of its code."""
        from nimble_tile.core.additions import Logo, Logos
        from nimble_tile.core.logo.lay import size_for
        from nimble_tile.core.picture.drawings import kind_of, one_page

        share = asked.get("logo_share")
        if "logo" not in asked:
            if share is None:
                return piece
            if not piece.logo.items:
                raise UserError(tr("{name} says how large a logo is.",
                                   name=self._name('logo_share')),
                                tr("Give {name} too.", name=self._name('logo')))  # fmt: skip
            first = piece.logo.items[0]
            size = size_for(share / 100, self.pictures.about(first.digest).size)
            items = (first.model_copy(update={"size": size}), *piece.logo.items[1:])
            return piece.edited("logo", items=items)
        data, name = self._file(asked["logo"])
        if kind_of(data) == "pdf":
            data = one_page(data, 0, name)
        digest = self.pictures.add(data, name, drawings=True)
        size = size_for((share or 5) / 100, self.pictures.about(digest).size)
        logo = self.valid(Logo, {"digest": digest, "name": name, "size": size})
        if piece.logo.items:  # in the place of the one that is there
            old = piece.logo.items[0]
            kept = {"digest": digest, "name": name}
            if share is not None:
                kept["size"] = size
            logo = old.model_copy(update=kept)
        return piece.model_copy(update={"logo": Logos(items=(logo, *piece.logo.items[1:]))})

    def _with_words(self, piece: Piece, asked: Mapping[str, Any]) -> Piece:
        """Caption and frame."""
        from nimble_tile.core.additions import Caption, Captions

        if "caption" in asked:
            text = asked["caption"].replace("\\n", "\n")
            old = dict(piece.caption.items[0]) if piece.caption.items else {}
            said = self.valid(Caption, {**old, "text": text}, text="caption")
            items = (said, *piece.caption.items[1:])
            piece = piece.model_copy(update={"caption": Captions(items=items)})
        if "frame" in asked:
            kind = asked["frame"]
            if kind not in FRAMES:
                raise UserError(tr("{name} {kind} is no frame.", name=self._name('frame'),
                                   kind=str(kind)[:40]),
                                tr("Frames: {frames}.", frames=', '.join(FRAMES)))  # fmt: skip
            side = "above" if kind == "tag" else "below"
            piece = piece.edited("surround", kind=kind, side=side)
        return piece

    # Helpers ----------------------------------------------------------------------

    def _file(self, given: Any) -> tuple[bytes, str]:
        """Bytes and name of a file."""
        from nimble_tile.core.picture.opening import read_file

        if str(given) in self.files:
            return self.files[str(given)], str(given)
        path = self._path(given)
        return read_file(path), path.name

    def _path(self, given: Any) -> Path:
        path = Path(given)
        return path if self.folder is None or path.is_absolute() else self.folder / path

    def _name(self, name: str) -> str:
        return f"{self.dash}{name.replace('_', '-')}"

    def _twice(self, one: str, other: str, what: str) -> UserError:
        return UserError(
            tr(
                "{name} and {name2} both say {what}.",
                name=self._name(one),
                name2=self._name(other),
                what=what,
            ),
            tr("Give one of them."),
        )

    def valid(self, model: Callable[..., Any], values: dict[str, Any], **names: str) -> Any:
        """The model, or one line that says which setting is wrong; `names`: those of fields."""
        from pydantic import ValidationError

        validate = getattr(model, "model_validate", None)
        try:
            return model(**values) if validate is None else validate(values)
        except ValidationError as error:
            first = error.errors()[0]
            where = str(first["loc"][0]) if first["loc"] else ""
            known = {"method": "blend", "text": "message"} | names
            option = self._name(known.get(where, where))
            what = first["msg"].removeprefix("Value error, ").removeprefix("Input ")
            given = str(first["input"])
            given = given if len(given) <= 60 else given[:59] + "…"
            raise UserError(f"{option} {given}: {what}.") from None


def _given(asked: Mapping[str, Any], *names: str) -> dict[str, Any]:
    return {name: asked[name] for name in names if asked.get(name) is not None}
