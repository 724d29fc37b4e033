"""The standing answer, always in sight under the menu."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import (
    QAccessible,
    QAccessibleEvent,
    QColor,
    QFont,
    QFontMetricsF,
    QPainter,
    QPaintEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QWidget

from nimble_tile.core.errors import UserError
from nimble_tile.core.language import figure, tr
from nimble_tile.core.message import kinds
from nimble_tile.core.scan.readers import READER_NAMES
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.marks import paint_reader, paint_verdict

if TYPE_CHECKING:
    from nimble_tile.core.scan.verdict import Verdict

HEIGHT = 72


class _Part(QWidget):
    """One field of the band, painted."""

    def __init__(self, name: str, width: int, stretch: bool = False) -> None:
        super().__init__()
        self.theme = themes.LIGHT
        self.stale = False
        self.setMinimumWidth(width)
        policy = QSizePolicy.Policy.Expanding if stretch else QSizePolicy.Policy.Fixed
        self.setSizePolicy(policy, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(HEIGHT)
        self.setAccessibleName(name)
        self._width = width

    def sizeHint(self) -> QSize:
        return QSize(self._width, HEIGHT)

    def colour(self, name: str) -> QColor:
        """A colour of the theme, washed out while the answer is stale."""
        colour = QColor(name)
        if self.stale:
            colour = QColor(self.theme.soft)
            colour.setAlphaF(0.75)
        return colour

    def caption(self, painter: QPainter, text: str) -> None:
        """The field's name, small, on top."""
        painter.setFont(themes.font(13))
        painter.setPen(QColor(self.theme.soft))
        painter.drawText(QRectF(0, 12, self.width(), 18), Qt.AlignmentFlag.AlignVCenter, text)

    def line(
        self,
        painter: QPainter,
        text: str,
        area: QRectF,
        size: int = 15,
        weight: QFont.Weight = QFont.Weight.Normal,
    ) -> None:
        """One line of text, shortened to fit."""
        font = themes.font(size, weight)
        painter.setFont(font)
        shown = QFontMetricsF(font).elidedText(text, Qt.TextElideMode.ElideRight, area.width())
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, shown)


class _Words(_Part):
    """Shape, verdict in words, first reason."""

    def __init__(self) -> None:
        super().__init__(tr("Verdict"), 300, stretch=True)
        self.state, self.title, self.reason = "empty", tr("Nothing to judge yet"), ""

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        colour = self.colour(themes.verdict_colour(self.theme, self.state))
        paint_verdict(
            painter, QRectF(0, 20, 32, 32), "" if self.stale else self.state, colour,
            QColor(self.theme.panel),
        )  # fmt: skip
        painter.setPen(colour)
        width = self.width() - 48
        title_area = QRectF(44, 13, width, 24)
        self.line(painter, self.title, title_area, 20, QFont.Weight.Bold)
        painter.setPen(QColor(self.theme.soft))
        self.line(painter, self.reason, QRectF(44, 38, width, 20), 14)


class _Spare(_Part):
    """One segment a block, filled by what is not used up."""

    def __init__(self) -> None:
        super().__init__(tr("Spare"), 148)
        self.spare: float | None = None
        self.blocks: tuple[float, ...] = ()
        self.setToolTip(
            tr(
                "Spare: error correction that is not used up, one segment a block. "
                "The weakest block counts."
            )
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        self.caption(painter, tr("Spare"))
        painter.setPen(self.colour(self.theme.ink))
        text = "–" if self.spare is None else figure(self.spare, ".0%")
        painter.setFont(themes.font(15, QFont.Weight.Bold))
        painter.drawText(
            QRectF(0, 12, self.width(), 18),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            text,
        )
        if not self.blocks:
            return
        gap = 2 if len(self.blocks) <= 24 else 1
        step = (self.width() + gap) / len(self.blocks)
        for index, share in enumerate(self.blocks):
            slot = QRectF(index * step, 36, max(1.0, step - gap), 22)
            painter.fillRect(slot, QColor(self.theme.rule))
            state = "well" if share >= 0.37 else "thin" if share > 0 else "fails"
            filled = QRectF(slot)
            filled.setTop(slot.bottom() - max(3.0, slot.height() * share))
            painter.fillRect(filled, self.colour(themes.verdict_colour(self.theme, state)))


class _Readers(_Part):
    """Four readers, each with its mark."""

    def __init__(self) -> None:
        super().__init__(tr("Readers"), 184)
        self.marks: dict[str, bool | None] = {}

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(themes.font(14))
        for index, name in enumerate(READER_NAMES):
            x, y = (index % 2) * 96, 14 + (index // 2) * 24
            read = self.marks.get(name, False) if self.marks else None
            colour = self.colour(self.theme.well if read else self.theme.fails)
            if read is None:
                colour = QColor(self.theme.soft)
            paint_reader(painter, QRectF(x, y + 4, 12, 12), read, colour)
            painter.setPen(self.colour(self.theme.ink))
            painter.drawText(QRectF(x + 18, y, 78, 20), Qt.AlignmentFlag.AlignVCenter, name)


class _Said(_Part):
    """The message as it was actually read."""

    def __init__(self) -> None:
        super().__init__(tr("Reads as"), 140, stretch=True)
        self.text: str | None = None
        self.shown = ""
        self.matches: bool | None = None

    def take(self, text: str | None) -> None:
        """A text that was read; kinds with a form show what they are."""
        self.text = text
        self.shown = "" if text is None else kinds.in_words(kinds.understand(text))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        self.caption(painter, tr("Reads as"))
        if self.text is None:
            painter.setPen(QColor(self.theme.soft))
            self.line(painter, tr("nothing"), QRectF(0, 36, self.width(), 22))
            return
        x = 0.0
        if self.matches is not None:
            state = "well" if self.matches else "fails"
            colour = self.colour(themes.verdict_colour(self.theme, state))
            shape = QRectF(0, 40, 14, 14)
            paint_verdict(painter, shape, state, colour, QColor(self.theme.panel))
            x = 20.0
        painter.setPen(self.colour(self.theme.ink))
        self.line(painter, self.shown, QRectF(x, 36, self.width() - x, 22))


class _Print(_Part):
    """How large the code comes out on paper."""

    def __init__(self) -> None:
        super().__init__(tr("Size on paper"), 148)
        self.first, self.second, self.small = "", "", False
        self.smallest: float | None = None
        self.side: float | None = None

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        self.caption(painter, tr("Code on paper"))
        painter.setPen(self.colour(self.theme.thin if self.small else self.theme.ink))
        self.line(painter, self.first, QRectF(0, 32, self.width(), 18), 15)
        painter.setPen(QColor(self.theme.soft))
        second = self.second
        if self.smallest is not None:
            second = tr("reads down to {smallest:.0f} mm", smallest=self.smallest)
            if self.side is not None and self.side < self.smallest:
                painter.setPen(self.colour(self.theme.thin))
        self.line(painter, second, QRectF(0, 50, self.width(), 16), 13)


class VerdictBand(QWidget):
    """Verdict, spare, readers, message read, size on paper."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("band")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(HEIGHT)
        self.verdict: Verdict | None = None
        self._words, self._spare = _Words(), _Spare()
        self._readers, self._said, self._print = _Readers(), _Said(), _Print()
        self._parts: list[_Part] = [
            self._words, self._spare, self._readers, self._said, self._print,
        ]  # fmt: skip
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 0, 20, 0)
        layout.setSpacing(24)
        for part in self._parts:
            layout.addWidget(part, 3 if part is self._words else 2 if part is self._said else 0)

    @property
    def stale(self) -> bool:
        """Whether what is shown belongs to an older piece."""
        return self._words.stale

    @property
    def words(self) -> str:
        """The verdict as it stands there."""
        return self._words.title

    def dress(self, theme: themes.Theme) -> None:
        """Follow the theme."""
        for part in self._parts:
            part.theme = theme
            part.update()

    def set_stale(self, stale: bool) -> None:
        """Grey the answer while a newer one is being worked out."""
        if stale != self.stale:
            for part in self._parts:
                part.stale = stale
                part.update()

    def show_verdict(self, verdict: Verdict) -> None:
        """Show a current answer."""
        self.verdict = verdict
        right, able = verdict.readers_right
        self._words.state, self._words.title = verdict.state, verdict.words
        reasons = [f"{reason.text} {reason.way_out}".strip() for reason in verdict.reasons]
        self._words.reason = (
            verdict.reasons[0].text
            if verdict.reasons
            else tr("{right} of {able} readers read it.", right=right, able=able)
        )
        if verdict.warnings and verdict.scans:
            # It reads, and leads nowhere: that is what must not be found out in print.
            self._words.state = "thin" if verdict.state == "well" else verdict.state
            self._words.title = tr("Reads, but no phone can follow it")
            self._words.reason = verdict.warnings[0]
        reasons = [*verdict.warnings, *reasons]
        self._words.setToolTip(themes.plain_tip("\n".join(reasons)).replace("\n", "<br>"))
        self._spare.spare = verdict.spare
        self._spare.blocks = verdict.sample.block_spare if verdict.sample else ()
        self._readers.marks = {
            mark.name: (mark.read and mark.text == verdict.expected) if mark.able else None
            for mark in verdict.marks
        }
        self._readers.setToolTip("\n".join(_reader_line(mark) for mark in verdict.marks))
        texts = [code.text for code in verdict.found]
        said = verdict.expected if verdict.matches else (texts[0] if texts else None)
        self._said.take(said)
        self._said.matches = None if said is None else verdict.matches
        self._said.setToolTip(themes.plain_tip(said or ""))
        self.set_stale(False)
        self._describe()
        self._announce(
            tr("{words}. {right} of {able} readers. ", words=verdict.words, right=right, able=able)
            + ("" if verdict.spare is None else tr("Spare {spare:.0%}. ", spare=verdict.spare))
            + " ".join(reasons)
        )

    def show_error(self, error: UserError) -> None:
        """There is no code to judge."""
        self.verdict = None
        self._words.state, self._words.title = "empty", tr("No code yet")
        self._words.reason = error.way_out or error.what
        self._words.setToolTip(str(error))
        self._spare.spare, self._spare.blocks = None, ()
        self._readers.marks = {}
        self._readers.setToolTip("")
        self._said.take(None)
        self.set_stale(False)
        self._describe()
        self._announce(tr("No code yet. {error}", error=error))

    def _describe(self) -> None:
        """The painted fields in words, for screen readers."""
        spare = self._spare.spare
        self._spare.setAccessibleDescription(tr("unknown") if spare is None else f"{spare:.0%}")
        states = {
            True: tr("read it"),
            False: tr("did not read it"),
            None: tr("cannot read this kind"),
        }
        self._readers.setAccessibleDescription(
            ", ".join(f"{name} {states[read]}" for name, read in self._readers.marks.items())
        )
        self._said.setAccessibleDescription(self._said.text or tr("nothing"))

    def show_print(self, first: str, second: str, small: bool, side: float | None = None) -> None:
        """Show the size on paper, `side` in mm; `small` when it is under what is dependable."""
        self._print.side = side
        self._print.first, self._print.second, self._print.small = first, second, small
        self._print.setAccessibleDescription(f"{first}. {second}")
        self._print.update()

    def show_smallest(self, smallest: float | None, distance: float = 0) -> None:
        """Show the smallest print that is read, in mm, quiet zone included; None: not known."""
        part = self._print
        part.smallest = smallest
        told = f"{part.first}, {part.second}"
        if smallest is not None:
            told += tr(
                "\nThree of four readers read it down to {smallest:.0f} mm from {distance:g} mm",
                smallest=smallest,
                distance=distance,
            )
        part.setToolTip(told)
        part.setAccessibleDescription(told.replace("\n", ". "))
        part.update()

    def _announce(self, text: str) -> None:
        """Tell screen readers, when the answer is another one."""
        for part in self._parts:
            part.update()
        if text != self._words.accessibleDescription():
            self._words.setAccessibleDescription(text)
            change = QAccessible.Event.DescriptionChanged
            QAccessible.updateAccessibility(QAccessibleEvent(self._words, change))


def _reader_line(mark) -> str:
    if not mark.able:
        return tr("{name} does not know Micro QR codes", name=mark.name)
    if mark.trouble:
        return f"{mark.name} {mark.trouble}"
    return (
        tr("{name} read it", name=mark.name)
        if mark.read
        else tr("{name} did not read it", name=mark.name)
    )
