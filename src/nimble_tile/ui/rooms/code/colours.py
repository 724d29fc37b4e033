"""Fills of modules, finders and ground, and their contrast."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from nimble_tile.core.blend.unused import LOOKLESS
from nimble_tile.core.language import tr, within
from nimble_tile.core.look import Fill
from nimble_tile.core.piece import METHOD_LABELS, Piece
from nimble_tile.core.scan.contrast import ASKED, swapped
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Fold, Segments, row, set_rank, soft
from nimble_tile.ui.kit.gauges import ContrastGauge
from nimble_tile.ui.rooms.code.fills import FillEditor, fill_words
from nimble_tile.ui.work.colour_desk import ColourDesk
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.study import Study

PARTS = (
    ("fill", tr("Modules"), ""), ("ring_fill", tr("Finder ring"), tr("As the modules")),
    ("eye_fill", tr("Finder eye"), tr("As the modules")),
    ("ground", tr("Ground"), tr("Transparent")),
)  # fmt: skip


class ColoursPage(QWidget):
    """One fill open at a time, and what their contrast means.

    Signals
    -------
    picture_wanted : str
        A picture is wanted for the fill of this name.
    """

    picture_wanted = Signal(str)

    def __init__(self, session: Session, desk: ColourDesk) -> None:
        super().__init__()
        self.session = session
        self._asked = ASKED
        self._study: Study | None = None
        self._readers: tuple[int, int] | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.tone_note = soft()
        layout.addWidget(self.tone_note)
        self.folds: dict[str, Fold] = {}
        self.editors: dict[str, FillEditor] = {}
        for field, title, none in PARTS:
            fold = Fold(title, is_open=field == "fill")
            editor = FillEditor(title, none, desk)
            editor.changed.connect(
                lambda fill, key, f=field, t=title: self._change(f, t, fill, key)
            )
            editor.settled.connect(session.part)
            editor.picture_wanted.connect(lambda f=field: self.picture_wanted.emit(f))
            fold.opened.connect(lambda f=field: self._close_others(f))
            fold.inside.addWidget(editor)
            layout.addWidget(fold)
            self.folds[field], self.editors[field] = fold, editor
        self.swap = QPushButton(tr("Swap modules and ground"))
        self.swap.clicked.connect(self._swap)
        layout.addLayout(row(self.swap, 1))
        head = QLabel(tr("Contrast"))
        head.setProperty("head", True)
        head.setToolTip(
            tr("Grades after ISO/IEC 15415, symbol contrast; thresholds written down from memory")
        )
        layout.addWidget(head)
        self.gauge = ContrastGauge()
        layout.addWidget(self.gauge)
        self.note = soft()
        layout.addWidget(self.note)
        self.grade = Segments(
            tr("Asked-for grade"),
            [("A", "A", tr("Difference of reflectance at least 0.70")),
             ("B", "B", tr("At least 0.55")),
             ("C", "C", tr("At least 0.40"))],
        )  # fmt: skip
        self.grade.set_value(self._asked)
        self.grade.chosen.connect(self._ask)
        asked = QWidget()
        asked.setLayout(row(QLabel(tr("Asked-for grade")), self.grade))
        layout.addWidget(asked)
        self._offers = QVBoxLayout()
        self._offers.setSpacing(4)
        layout.addLayout(self._offers)

    def _close_others(self, field: str) -> None:
        for other, fold in self.folds.items():
            if other != field:
                fold.set_open(False)

    def _change(self, field: str, title: str, fill: Fill | None, key: str) -> None:
        if field == "fill" and fill is None:
            return
        self.session.edit(
            "look",
            tr("Fill the {title}", title=within(title)),
            f"{field} {key}" if key else "",
            **{field: fill},
        )

    def _swap(self) -> None:
        piece = self.session.piece
        self.session.put(
            piece.model_copy(update={"look": swapped(piece.look)}), tr("Swap modules and ground")
        )

    def _ask(self, grade: str) -> None:
        self._asked = grade
        if self._study is not None:
            self.show_study(self._study)

    def take_picture(self, field: str, digest: str, name: str) -> None:
        """Fill a part with a picture of the store."""
        self.editors[field].take_picture(digest, name)

    def show_piece(self, piece: Piece) -> None:
        look = piece.look
        self._readers = None
        for field, _, none in PARTS:
            fill = getattr(look, field)
            self.editors[field].show_fill(fill)
            self.folds[field].set_note(fill_words(fill, within(none)))
        keeps = piece.picture.digest is not None and piece.blend.method in LOOKLESS
        method = within(METHOD_LABELS[piece.blend.method])
        self.tone_note.setText(
            tr("The blend {method} takes the hues of these, at the tones that readers need.",
               method=method)
            if piece.blend.colours == "look"
            else tr(
                "The blend {method} keeps the picture's colours: these here count in overlay and "
                "ink, and where there is no picture.",
                method=method,
            )
        )  # fmt: skip
        self.tone_note.setVisible(keeps)

    def show_study(self, study: Study) -> None:
        self._study = study
        found = study.contrast
        self.gauge.show_contrast(found, study.views)
        while (item := self._offers.takeAt(0)) is not None:
            item.widget().hide()
            item.widget().deleteLater()
        if found is None:
            return
        look = self.session.piece.look
        said, rank = _said(found, self._asked)
        if found.inverted and self._readers is not None:
            right, able = self._readers
            said = (
                tr(
                    "Light on dark: {right} of {able} readers read this piece. ",
                    right=right,
                    able=able,
                )
                + said
            )
        self.note.setText(said)
        self.note.setVisible(bool(said))
        set_rank(self.note, rank)
        for offer in study.better[self._asked]:
            changed = ", ".join(
                getattr(offer.look, field).colour
                for field, _, _ in PARTS
                if getattr(offer.look, field) != getattr(look, field)
                and getattr(offer.look, field).kind == "solid"
            )
            button = QPushButton(f"{offer.label}{': ' + changed if changed else ''}")
            button.setProperty("flat", True)
            button.setCursor(Qt.CursorShape.PointingHandCursor)
            button.clicked.connect(lambda _=False, o=offer: self._take(o))
            self._offers.addWidget(button)

    def _take(self, offer) -> None:
        piece = self.session.piece
        self.session.put(piece.model_copy(update={"look": offer.look}), offer.label)

    def show_verdict(self, verdict: Verdict) -> None:
        """How many readers read this piece; of light on dark it is told here."""
        self._readers = verdict.readers_right

    def dress(self, theme: themes.Theme) -> None:
        for fold in self.folds.values():
            fold.dress(theme)
        for editor in self.editors.values():
            editor.dress(theme)
        self.gauge.theme = theme
        self.gauge.update()
        self.swap.setIcon(themes.icon("arrows-left-right", theme.ink))


def _said(found, asked: str) -> tuple[str, str]:
    """What the contrast means, and its rank."""
    if found.inverted:
        return tr("Most readers look for dark modules on a light ground."), "error"
    parts = []
    rank = "soft"
    if found.grade > asked:
        parts.append(
            tr("Grade {grade} is below the asked-for {asked}.", grade=found.grade, asked=asked)
        )
        rank = "warn"
    if found.red_grade in ("D", "F"):
        parts.append(tr("A scanner with red light hardly tells these colours apart."))
        rank = "warn"
    if found.clear:
        parts.append(tr("The ground is transparent; this holds on white."))
    return " ".join(parts), rank
