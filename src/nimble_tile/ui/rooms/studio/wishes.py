"""What is asked for in the studio: words and guide, remembered, and what a painting begins from."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import TYPE_CHECKING

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import tr
from nimble_tile.studio.board import BoardFile
from nimble_tile.studio.recipes import Recipe
from nimble_tile.ui.rooms.studio.parts import Asking

if TYPE_CHECKING:
    from nimble_tile.ui.work.tools import Tools


class Wishes:
    """Recipes from the left column, whose words are those of the last time at first."""

    def __init__(self, asking: Asking, board: BoardFile, tools: Tools) -> None:
        self.describe, self.guides = asking.describe, asking.guides
        self.board, self.tools = board, tools
        told = tools.settings.get("painted last", {})
        if isinstance(told, dict) and all(isinstance(v, str) for v in told.values()):
            self.describe.avoid.setText(told.get("avoid", ""))
            self.describe.set_text(told.get("words", ""))

    def recipe(self, chosen: Sequence[int]) -> Recipe:
        """The recipe as it is set.

        Parameters
        ----------
        chosen : sequence of int
            Numbers of the chosen candidates, of which one may be begun from.

        Raises
        ------
        UserError
            Nothing is described, or there is nothing to begin from.
        """
        if not self.describe.words:
            raise UserError(
                tr("Nothing is described yet."), tr("Write a keyword, and let it describe.")
            )
        words, avoid = self.describe.words, self.describe.avoided
        self.tools.settings.set("painted last", {"words": words, "avoid": avoid})
        return self.guides.recipe(words, avoid, self._start_key(chosen))

    def _start_key(self, chosen: Sequence[int]) -> str:
        """The picture that a painting begins from, kept on the board."""
        kind, data = self.guides.start.value, None
        if kind == "picture":
            digest = self.tools.session.piece.picture.digest
            if digest is None:
                raise UserError(
                    tr("The piece has no picture to begin from."), tr("Bring one in first.")
                )
            data = self.tools.pictures.file(digest)
        elif kind == "chosen":
            data = self.board.image(chosen[0]) if len(chosen) == 1 else None
            if data is None:
                raise UserError(tr("No candidate is chosen to begin from."), tr("Choose one."))
        if data is None:
            return ""
        key = hashlib.sha256(data).hexdigest()
        self.board.keep(key, data)
        return key
