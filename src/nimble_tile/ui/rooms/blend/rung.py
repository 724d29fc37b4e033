"""Rung 4: how code and picture become one."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QHideEvent, QImage, QPainter, QShowEvent
from PySide6.QtWidgets import QCheckBox, QLabel

from nimble_tile.core.blend.unused import LOOKLESS, unused
from nimble_tile.core.language import tr, within
from nimble_tile.core.piece import METHOD_LABELS, Blend, Piece
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import (
    Fold,
    Segments,
    Slider,
    set_checked,
    set_rank,
    soft,
)
from nimble_tile.ui.kit.pickers import PictureGrid, paint_image
from nimble_tile.ui.ladder.rung import Rung
from nimble_tile.ui.rooms.blend.gentlest import GentlestBox
from nimble_tile.ui.rooms.blend.marks_box import BorderRow
from nimble_tile.ui.rooms.blend.method_box import ABOUT, MethodBox
from nimble_tile.ui.rooms.blend.proposals import ProposalsBox
from nimble_tile.ui.work.session import Session

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.ui.bench.hands.brush import BrushHand
    from nimble_tile.ui.bench.hands.brush_box import BrushBox
    from nimble_tile.ui.work.engine import Shown


class BlendRung(Rung):
    """Method, strength, its own settings, finders and quiet zone, guard.

    Signals
    -------
    work : str
        ``"guard"`` while the guard is painted, else ``""``.
    methods_wanted : bool
        Small pictures of the methods are in sight, or no longer.
    guard_cleared, guard_inverted
        The guard is to be forgotten, or turned round.
    pass_wanted : float
        The gentlest pass for this reach is wanted.
    pass_stopped
        The best so far is good enough.
    map_dropped
        All modules are to have one strength again.
    matter_wanted
        Another picture is to be chosen to weave of.
    sweep_wanted : str
        All values of a setting are to be tried; its key, see `nimble_tile.core.tune.sweep`.
    completed
        All of it is made.
    """

    title, rung = tr("Blend"), "blend"
    work = Signal(str)
    methods_wanted = Signal(bool)
    guard_cleared = Signal()
    guard_inverted = Signal()
    pass_wanted = Signal(float)
    pass_stopped = Signal()
    map_dropped = Signal()
    matter_wanted = Signal()
    sweep_wanted = Signal(str)
    completed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.hand: BrushHand | None = None
        self._images: dict[str, QImage] = {}
        self._brush: BrushBox | None = None
        self._complete = False
        self._map_fits = True
        self._theme = themes.LIGHT
        self.method = PictureGrid(
            tr("Blend method"),
            list(METHOD_LABELS.items()),
            self._paint_method, columns=5, cell=45, captions=True,
        )  # fmt: skip
        self.method.set_notes({"cut": tr("Two-tone")})
        self.method.chosen.connect(self._choose_method)
        self.about = soft()
        self.holds = soft()
        self.holds.setParent(self)
        self.holds.hide()
        self.strength = self._slider(tr("Strength"), "strength", 0, 1, Blend().strength)
        self.fidelity = soft()
        self.fidelity.setToolTip(
            tr(
                "Structural similarity and mean colour difference (CIEDE2000) of the code's "
                "square, seen from viewing distance"
            )
        )
        self.why = QLabel()
        self.why.setWordWrap(True)
        self.why.hide()
        self.none = soft(tr("Bring in a picture first: there is nothing to blend with."))
        for widget in (self.none, self.method, self.about, self.strength, self.fidelity,
                       self.why):  # fmt: skip
            self.body.addWidget(widget)

    def complete(self) -> None:
        """Make what is needed when the rung is first opened, so that the window opens sooner."""
        if self._complete:
            return
        self._complete = True
        self.proposals = ProposalsBox()
        self.body.insertWidget(self.body.indexOf(self.method), self.proposals)
        self.by_hand = soft(tr("Or by hand:"))
        self.body.insertWidget(self.body.indexOf(self.method), self.by_hand)
        self.own = MethodBox(self.session)
        self.own.matter_wanted.connect(self.matter_wanted)
        self.own.sweep_wanted.connect(self.sweep_wanted)
        self.body.insertWidget(self.body.indexOf(self.strength) + 1, self.own)
        self.colours = Segments(
            tr("Colours"),
            [
                ("look", tr("The look's colours"),
                 tr("Hues of the look, at the tones that readers need")),
                ("picture", tr("The picture's"), tr("Hues of the picture alone")),
            ],
        )  # fmt: skip
        self.colours.chosen.connect(
            lambda whose: self.session.edit("blend", tr("Choose the colours"), colours=whose)
        )
        self.body.insertWidget(self.body.indexOf(self.strength) + 2, self.colours)
        self.gentlest = GentlestBox(self.proposals.reach)
        self.gentlest.wanted.connect(self.pass_wanted)
        self.gentlest.stopped.connect(self.pass_stopped)
        self.gentlest.map_dropped.connect(self.map_dropped)
        self.body.addWidget(self.gentlest)
        self.body.addWidget(self._finders_fold())
        self.body.addWidget(self._guard_fold())
        self.body.addWidget(self.holds)
        self.dress(self._theme)
        self.show_piece(self.session.piece)
        self.completed.emit()

    def _choose_method(self, method: str) -> None:
        piece = self.session.piece
        if method == "weave" and piece.code.steer == "off":
            # The symbol that the matter can say most easily: in the same step of undo.
            piece = piece.edited("code", steer="padding")
        turned = piece.model_copy(update={"blend": piece.blend.turned(method)})
        name = tr("Blend by {method}", method=within(METHOD_LABELS[method]))
        self.session.put(turned, name)

    def _choose_border(self, kind: str) -> None:
        marks = self.session.piece.blend.marks.model_copy(update={"border": kind})
        self.session.edit("blend", tr("Choose the border"), marks=marks)

    def _slider(self, name: str, field: str, low: float, high: float, default: float) -> Slider:
        slider = Slider(name, low, high, default, "%", factor=100)
        slider.edited.connect(
            lambda value: self.session.edit(
                "blend",
                tr("Change the {name}", name=within(name)),
                field,
                **{field: round(value, 4)},
            )
        )
        slider.released.connect(self.session.part)
        return slider

    def _finders_fold(self) -> Fold:
        fold = Fold(tr("Finders and quiet zone"))
        self.finders_own = QCheckBox(tr("Finders: a strength of their own"))
        self.finders = self._slider(tr("Finders"), "finders", 0, 1, 0.7)
        self.quiet = Segments(
            tr("Quiet zone"),
            [
                ("lightened", tr("Lightened"), tr("The picture goes on, lighter")),
                ("soft", tr("Soft edge"), tr("Light next to the code, fading into the picture")),
                ("border", tr("Border"), tr("The picture as it is, and a crisp border")),
                ("plain", tr("Plain"), tr("The look's light colour")),
            ],
        )
        self.border_row = BorderRow()
        self.border = self.border_row.kind
        self.border_row.chosen.connect(self._choose_border)
        self.border_row.costs_wanted.connect(lambda: self.sweep_wanted.emit("blend.marks.border"))
        self.quiet.chosen.connect(
            lambda kind: self.session.edit("blend", tr("Choose the quiet zone"), quiet=kind)
        )
        self.quiet_own = QCheckBox(tr("Quiet zone: a strength of its own"))
        self.quiet_strength = self._slider(tr("Quiet zone"), "quiet_strength", 0, 1, 0.7)
        for box, field, name in (
            (self.finders_own, "finders", tr("finders")),
            (self.quiet_own, "quiet_strength", tr("quiet zone")),
        ):
            box.toggled.connect(
                lambda on, f=field, n=name: self.session.edit(
                    "blend", tr("A strength for the {n}", n=n),
                    **{f: self.session.piece.blend.strength if on else None},
                )
            )  # fmt: skip
        fold.inside.addWidget(self.finders_own)
        fold.inside.addWidget(self.finders)
        fold.inside.addWidget(QLabel(tr("Quiet zone")))
        fold.inside.addWidget(self.quiet)
        fold.inside.addWidget(self.border_row)
        fold.inside.addWidget(self.quiet_own)
        fold.inside.addWidget(self.quiet_strength)
        self.finders_fold = fold
        return fold

    def _guard_fold(self) -> Fold:
        fold = Fold(tr("Guard"))
        self.guard_fold = fold
        self.guard_note = soft(tr("Paint on the bench where the picture must stay."))
        self.guarding = self._slider(tr("Guard kept"), "guarding", 0, 1, Blend().guarding)
        fold.inside.addWidget(self.guard_note)
        fold.inside.addWidget(self.guarding)
        fold.head.toggled.connect(lambda _: self._tell())
        return fold

    def _guard_brush(self) -> None:
        """The brush's settings, made when the guard is first opened."""
        if self._brush is None and self.hand is not None:
            from nimble_tile.ui.bench.hands.brush_box import BrushBox

            self._brush = BrushBox(
                self.hand,
                (tr("Guard"), tr("What is painted stays as it is")),
                (tr("Free"), tr("What is painted may be changed again")),
                tr("Remove the guard"),
            )
            self._brush.clear.clicked.connect(self.guard_cleared)
            self._brush.invert.clicked.connect(self.guard_inverted)
            self.guard_fold.inside.insertWidget(1, self._brush)
            for slider in self._brush.findChildren(Slider):
                slider.dress(self._theme)
        if self._brush is not None:
            self._brush.show_hand()
            self._brush.show_mask(self.session.piece.picture.guard is not None)

    def _tell(self) -> None:
        there = self.isVisible() and self.session.piece.picture.digest is not None
        guards = there and self._complete and self.guard_fold.is_open
        if guards:
            self._guard_brush()
        self.work.emit("guard" if guards else "")
        self.methods_wanted.emit(there)

    def showEvent(self, event: QShowEvent) -> None:
        self.complete()
        super().showEvent(event)
        self._tell()
        self._tell_guarantee()

    def _tell_guarantee(self) -> None:
        """What the method holds; its module is loaded no sooner than it is needed."""
        if self.isVisible():
            from nimble_tile.core.blend import GUARANTEES

            self.holds.setText(GUARANTEES[self.session.piece.blend.method])

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._tell()

    # Showing ---------------------------------------------------------------

    def _paint_method(
        self, painter: QPainter, area: QRectF, method: object, theme: themes.Theme
    ) -> None:
        image = self._images.get(str(method))
        if image is not None and self.method.isEnabled():
            paint_image(painter, area, image)
            return
        painter.setPen(QColor(theme.soft))
        painter.setFont(themes.font(20))
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, METHOD_LABELS[str(method)][0])

    def show_method(self, method: str, image: QImage) -> None:
        """A small picture of a method with the current settings, or of the picture itself."""
        if method == "picture":
            self.complete()
            self.own.show_picture(image)
            return
        self._images[method] = image
        self.method.update()

    def summary(self, piece: Piece, shown: Shown | None) -> str:
        if piece.picture.digest is None:
            return tr("No picture to blend with")
        blend = piece.blend
        mode = f", {blend.mode}" if blend.method == "overlay" else ""
        guard = tr(", guarded") if piece.picture.guard else ""
        return tr(
            "{method_labels}{mode}, strength {strength:.0%}{guard}",
            method_labels=METHOD_LABELS[blend.method],
            mode=mode,
            strength=blend.strength,
            guard=guard,
        )

    def show_piece(self, piece: Piece) -> None:
        blend, there = piece.blend, piece.picture.digest is not None
        self.none.setVisible(not there)
        why = "" if there else tr("Bring in a picture first")
        for control in (self.method, self.strength):
            control.setEnabled(there)
            control.setToolTip(why)
        self.about.setVisible(there)
        if not there:
            self._images.clear()
            self.fidelity.setText("")
        self.method.set_value(blend.method)
        left = unused(piece)
        self.about.setText(f"{ABOUT[blend.method]} {left}".rstrip())
        self._tell_guarantee()
        self.strength.set_value(blend.strength)
        if not self._complete:
            return
        self.gentlest.show_piece(piece, self._map_fits)
        for part in (self.proposals, self.by_hand, self.gentlest, self.own, self.finders_fold,
                     self.guard_fold, self.holds):  # fmt: skip
            part.setVisible(there)
        self.own.show_blend(blend, piece.look)
        self.colours.setVisible(there and blend.method in LOOKLESS and piece.look.coloured)
        self.colours.set_value(blend.colours)
        own: tuple[tuple[Any, ...], ...] = (
            (self.finders_own, self.finders, blend.finders),
            (self.quiet_own, self.quiet_strength, blend.quiet_strength),
        )
        for box, slider, value in own:
            set_checked(box, value is not None)
            slider.setVisible(value is not None)
            slider.set_value(blend.strength if value is None else value)
        # What draws a border by itself has no lightened quiet zone.
        for kind in ("lightened", "soft"):
            self.quiet.button(kind).setVisible(not blend.bordered)
        drawn = blend.bordered and blend.quiet != "plain"
        self.quiet.set_value("border" if drawn else blend.quiet)
        self.border.set_value(blend.marks.border)
        # Marks have the choice among their own settings.
        bordered = blend.quiet != "plain" if blend.bordered else blend.quiet == "border"
        self.border_row.setVisible(bordered and not blend.by_marks)
        changed = blend.finders is not None or blend.quiet_strength is not None
        own_quiet = blend.quiet == "plain" or (not drawn and blend.quiet != "lightened")
        self.finders_fold.set_note(tr("own") if changed or own_quiet else "")
        guarded = piece.picture.guard is not None
        self.guard_fold.set_note(tr("painted") if guarded else "")
        self.guarding.setEnabled(guarded)
        self.guarding.setToolTip("" if guarded else tr("Nothing is guarded yet"))
        self.guarding.set_value(blend.guarding)
        if self._brush is not None:
            self._brush.show_mask(guarded)

    def show_verdict(self, verdict: Verdict) -> None:
        fidelity = verdict.fidelity
        self.fidelity.setText(
            ""
            if fidelity is None
            else tr(
                "Fidelity {ssim_view:.2f} of 1\nMean colour difference {delta_e_mean:.1f}",
                ssim_view=fidelity.ssim_view,
                delta_e_mean=fidelity.delta_e_mean,
            )
        )
        # All reasons are listed here, because the strength slider answers most of them.
        reasons = [f"{reason.text} {reason.way_out}".strip() for reason in verdict.reasons]
        if verdict.state != "well" and self.session.piece.picture.guard is not None:
            reasons.insert(
                0, tr("The guard may take too much: keep it less, or free a part of it.")
            )
        self.why.setText("\n\n".join(reasons))
        self.why.setVisible(bool(reasons))
        set_rank(self.why, "error" if verdict.state == "fails" else "warn")

    def show_rendering(self, shown: Shown) -> None:
        super().show_rendering(shown)
        rendering, digest = shown.rendering, shown.piece.blend.map
        if rendering is None or digest is None or not self._complete:
            return
        side = self.session.pictures.about(digest).size[0]
        self._map_fits = side == rendering.modules
        self.gentlest.show_piece(self.session.piece, self._map_fits)

    def show_pass(self, running: bool) -> None:
        """The gentlest pass has begun or ended."""
        self.complete()
        self.gentlest.show_running(running)

    def tell_pass(self, text: str) -> None:
        """What the gentlest pass has to say."""
        self.complete()
        self.gentlest.tell(text)

    def dress(self, theme: themes.Theme) -> None:
        super().dress(theme)
        self._theme = theme
        self.method.dress(theme)
        if self._complete:
            self.own.dress(theme)
            self.proposals.dress(theme)
        for fold in self.findChildren(Fold):
            fold.dress(theme)
