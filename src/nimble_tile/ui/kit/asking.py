"""Asking where a file goes, and what is to be done."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from PySide6.QtWidgets import QDialog, QFileDialog, QMessageBox, QWidget

from nimble_tile.core.language import tr


def save_path(
    parent: QWidget, title: str, start: Path | str, kinds: str, suffixes: Sequence[str]
) -> Path | None:
    """Ask for a name to save under.

    The dialog asks before it replaces the file that was typed; where a suffix has to be
    added, that is another file, which is asked about here.

    Parameters
    ----------
    parent : QWidget
    title : str
    start : path
        Folder and name that are offered.
    kinds : str
        The dialog's list of file types.
    suffixes : sequence of str
        With their dot; the first is added where none of them was typed.

    Returns
    -------
    Path or None
        None: called off.
    """
    typed, _ = QFileDialog.getSaveFileName(parent, title, str(start), kinds)
    if not typed:
        return None
    path = Path(typed)
    if path.suffix.lower() in suffixes:
        return path
    path = path.with_name(path.name + suffixes[0])
    return None if path.exists() and not may_replace(parent, path) else path


def may_replace(parent: QWidget, path: Path) -> bool:
    """Ask whether a file that exists may be replaced."""
    answer = QMessageBox.question(
        parent, tr("Replace"), tr("{name} exists. Replace it?", name=path.name)
    )
    return answer == QMessageBox.StandardButton.Yes


def choose(
    parent: QWidget,
    title: str,
    text: str,
    more: str,
    choices: Sequence[tuple[str, str]],
    usual: str = "",
    loses: str = "",
) -> str:
    """Ask with some buttons.

    Parameters
    ----------
    parent : QWidget
    title, text, more : str
        The question, and a smaller line under it.
    choices : sequence of (str, str)
        Labels, and the words that stand for them. The last changes nothing: it is what closing
        the question means.
    usual : str
        Word of the button that Enter presses; the last if left out.
    loses : str
        Word of the button that gives something away.

    Returns
    -------
    str
        The word that was chosen.
    """
    box = QMessageBox(parent)
    box.setWindowTitle(title)
    box.setText(text)
    box.setInformativeText(more)
    role, last = QMessageBox.ButtonRole, choices[-1][1]
    roles = {loses: role.DestructiveRole, last: role.RejectRole}
    buttons = {
        word: box.addButton(label, roles.get(word, role.AcceptRole)) for label, word in choices
    }
    box.setDefaultButton(buttons[usual or last])
    box.setEscapeButton(buttons[last])
    with passing(box):
        box.exec()
        clicked = box.clickedButton()
        return next((word for word, button in buttons.items() if button is clicked), last)


@contextmanager
def passing(dialog: QDialog) -> Iterator[QDialog]:
    """A dialog that goes once it was answered: its parent would keep it as long as itself."""
    try:
        yield dialog
    finally:
        dialog.deleteLater()
