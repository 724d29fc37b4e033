"""The changed places of a mended picture: which may change, and which must stay."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from nimble_tile.core.language import tr
from nimble_tile.core.trials.reach import percent
from nimble_tile.ui.kit.images import to_qimage

if TYPE_CHECKING:
    import numpy as np

    from nimble_tile.core.tune.areas import Area
    from nimble_tile.core.tune.mend import Attempt

NAME = Qt.ItemDataRole.UserRole


class ChangedPlaces(QListWidget):
    """A line for each changed place; without its tick it must stay as it was.

    Signals
    -------
    vetoed
        A tick was set or taken away.
    """

    vetoed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.attempt: Attempt | None = None
        self.stays: set[str] = set()
        self._areas: list[Area] = []
        self.setAccessibleName(tr("Changed places"))
        self.setToolTip(tr("Untick a place that must stay as it was, then mend again"))
        self.itemChanged.connect(self._ticked)

    def forget(self) -> None:
        """Nothing is known any more."""
        self.attempt, self.stays, self._areas = None, set(), []
        self.clear()

    def show_attempt(self, attempt: Attempt) -> None:
        """List the places that a result changes, and those that were vetoed."""
        from nimble_tile.core.tune.areas import changed_areas

        self.attempt, self._areas = attempt, changed_areas(attempt)
        self.blockSignals(True)
        self.clear()
        for area in self._areas:
            self._add(
                area.name,
                tr(
                    "{name}: {changed}, by {by:.0f}",
                    name=area.name,
                    changed=area.changed,
                    by=area.by,
                ),
            )
        for name in sorted(self.stays - {area.name for area in self._areas}):
            self._add(name, tr("{name}: stays", name=name))
        self.blockSignals(False)

    def _add(self, name: str, text: str) -> None:
        item = QListWidgetItem(text)
        item.setData(NAME, name)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        on = name not in self.stays
        item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
        self.addItem(item)

    def _ticked(self, item: QListWidgetItem) -> None:
        name = item.data(NAME)
        if item.checkState() == Qt.CheckState.Checked:
            self.stays.discard(name)
        else:
            self.stays.add(name)
        self.vetoed.emit()

    def toggle_at(self, at: QPointF) -> None:
        """Set or take away the tick of the place under a point of the picture."""
        from nimble_tile.core.tune.areas import on_image

        x, y = int(at.x()), int(at.y())
        for area in self._areas:
            seen = on_image(area.modules, self.attempt)
            if 0 <= y < seen.shape[0] and 0 <= x < seen.shape[1] and seen[y, x]:
                for index in range(self.count()):
                    item = self.item(index)
                    if item.data(NAME) == area.name:
                        on = item.checkState() == Qt.CheckState.Checked
                        item.setCheckState(Qt.CheckState.Unchecked if on else Qt.CheckState.Checked)
                return

    def veto(self, shape: tuple[int, int], drawn: list[QRectF]) -> np.ndarray | None:
        """Where the picture must stay (bool H × W), drawn rectangles included; None: nowhere."""
        import numpy as np

        from nimble_tile.core.tune.areas import named_areas, on_image

        if not (drawn or self.stays):
            return None
        mask = np.zeros(shape, bool)
        for area in drawn:
            spot = area.toAlignedRect()
            rows = slice(max(0, spot.top()), spot.bottom() + 1)
            mask[rows, max(0, spot.left()) : spot.right() + 1] = True
        if self.attempt is not None:
            for name, modules in named_areas(self.attempt).items():
                if name in self.stays:
                    mask |= on_image(modules, self.attempt)
        return mask

    def stays_image(self) -> QImage | None:
        """Places that stay, as a picture of one pixel a module."""
        import numpy as np

        from nimble_tile.core.tune.areas import named_areas

        if self.attempt is None or not self.stays:
            return None
        chosen = [m for name, m in named_areas(self.attempt).items() if name in self.stays]
        where = np.logical_or.reduce(chosen)
        rows, columns = np.indices(where.shape)
        made = np.zeros((*where.shape, 4), np.uint8)
        made[where] = (255, 255, 255, 90)
        made[where & ((rows + columns) % 2 == 0)] = (29, 87, 64, 150)
        return to_qimage(made)


def in_words(attempt: Attempt) -> str:
    """What a result costs and holds."""
    read, of = sum(attempt.read.values()), len(attempt.read)
    touched, whole = attempt.touched, attempt.changed.size
    return tr(
        "{read} of {of} readers read it, reach {reach}. {touched} of {whole} "
        "modules changed ({touched2:.0%}); mean colour difference "
        "{delta_e_mean:.1f}, likeness to before {ssim_view:.2f}.",
        read=read,
        of=of,
        reach=percent(attempt.reach),
        touched=touched,
        whole=whole,
        touched2=touched / whole,
        delta_e_mean=attempt.change.delta_e_mean,
        ssim_view=attempt.change.ssim_view,
    )


def changes_image(attempt: Attempt) -> QImage:
    """What was made lighter (green) and darker (red), as a picture of one pixel a module."""
    import numpy as np

    from nimble_tile.core.tune.mend import SEEN

    changed = attempt.changed
    made = np.zeros((*changed.shape, 4), np.uint8)
    size = np.abs(changed)
    made[changed > 0, :3] = (60, 190, 130)
    made[changed < 0, :3] = (190, 60, 40)
    made[..., 3] = np.where(size >= SEEN, np.clip(70 + 1.6 * size, 0, 220), 0)
    return to_qimage(made)
