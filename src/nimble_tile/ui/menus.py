"""The menus of the window, and the keys of its rungs."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from PySide6.QtGui import QAction, QActionGroup, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QLineEdit,
    QMessageBox,
    QPlainTextEdit,
    QWidget,
)

from nimble_tile import __version__
from nimble_tile.core.language import tr, tr_as
from nimble_tile.ui.bench.foot import LENSES
from nimble_tile.ui.bench.lenses import Lens
from nimble_tile.ui.kit.asking import passing
from nimble_tile.ui.work.jobs import Latest

if TYPE_CHECKING:
    from PySide6.QtWidgets import QMenu

    from nimble_tile.core.piece import Piece
    from nimble_tile.ui.bench.bench import Bench
    from nimble_tile.ui.bench.foot import Foot
    from nimble_tile.ui.bench.looking import Looking
    from nimble_tile.ui.ladder.ladder import Ladder
    from nimble_tile.ui.rooms.batch.desk import BatchDesk
    from nimble_tile.ui.rooms.check.desk import CheckDesk
    from nimble_tile.ui.rooms.drafts.desk import DraftDesk
    from nimble_tile.ui.rooms.drawn.desk import DrawnDesk
    from nimble_tile.ui.rooms.files.desk import FilesDesk
    from nimble_tile.ui.rooms.help.desk import HelpDesk
    from nimble_tile.ui.rooms.links.desk import LinksDesk
    from nimble_tile.ui.rooms.logo.desk import LogoDesk
    from nimble_tile.ui.rooms.mend.desk import MendDesk
    from nimble_tile.ui.rooms.pixels.desk import PixelsDesk
    from nimble_tile.ui.rooms.press.desk import PressDesk
    from nimble_tile.ui.rooms.proof.desk import ProofDesk
    from nimble_tile.ui.rooms.studio.desk import StudioDesk
    from nimble_tile.ui.rooms.sweep.desk import SweepDesk
    from nimble_tile.ui.work.session import Session

TYPED = (QLineEdit, QPlainTextEdit, QAbstractSpinBox)
"""Where single keys are letters."""


class MenuWindow(Protocol):
    """The window that gets menus; the actions are what it keeps of them."""

    session: Session
    bench: Bench
    foot: Foot
    sight: Looking
    ladder: Ladder
    files: FilesDesk
    logo_desk: LogoDesk
    draft_desk: DraftDesk
    check_desk: CheckDesk
    mend_desk: MendDesk
    sweep_desk: SweepDesk
    links_desk: LinksDesk
    studio_desk: StudioDesk
    drawn_desk: DrawnDesk
    pixels_desk: PixelsDesk
    press_desk: PressDesk
    batch_desk: BatchDesk
    help: HelpDesk
    proof: ProofDesk
    theme_name: str
    recent_menu: QMenu
    lens_actions: dict[Lens, QAction]
    demo_actions: dict[str, QAction]
    artwork_actions: dict[str, QAction]


def build_menus(window: MenuWindow) -> None:
    """Give a window its menus; what it needs later it gets as attributes."""
    bar = window.menuBar()
    file = bar.addMenu(tr("&File"))
    keys = QKeySequence.StandardKey
    window.act_new = _action(file, tr("&New piece"), window.files.new_piece, keys.New)
    window.act_open = _action(file, tr("&Open project…"), window.files.choose_project, keys.Open)
    window.recent_menu = file.addMenu(tr("Open &recent"))
    window.recent_menu.aboutToShow.connect(lambda: window.files.fill_recent(window.recent_menu))
    file.addSeparator()
    window.act_save = _action(file, tr("&Save"), window.files.save, keys.Save)
    window.act_save_as = _action(file, tr("Save &as…"), window.files.save_as, keys.SaveAs)
    file.addSeparator()
    window.act_bring = _action(
        file, tr("Bring in a &picture…"), window.files.choose_picture, "Ctrl+I"
    )
    window.act_logo = _action(
        file, tr("Bring in a &logo…"), window.logo_desk.choose_logo, "Ctrl+Shift+I"
    )
    window.act_export = _action(
        file, tr("&Export and check…"), window.files.exporting.choose_export, "Ctrl+E"
    )
    _action(file, tr("Many &codes at once…"), window.batch_desk.open, "Ctrl+Shift+B")
    _action(file, tr("As pr&inted, and a test sheet…"), window.press_desk.open, "Ctrl+Alt+P")
    window.act_print = _action(file, tr("Prin&t…"), window.files.handing.choose_printer, keys.Print)
    _action(file, tr("Take the &message from an image…"), window.files.choose_scan)
    file.addSeparator()
    _action(file, tr("&Quit"), window.close, keys.Quit)

    edit = bar.addMenu(tr("&Edit"))
    window.act_undo = _action(edit, tr("&Undo"), window.session.undo, keys.Undo)
    window.act_redo = _action(edit, tr("&Redo"), window.session.redo, keys.Redo)
    edit.addSeparator()
    window.act_copy = _action(
        edit, tr("&Copy the finished image"), window.files.copy_image, "Ctrl+Shift+C"
    )
    window.act_paste = _action(
        edit, tr("&Paste a picture"), window.files.paste_picture, "Ctrl+Shift+V"
    )
    edit.addSeparator()
    _action(edit, tr("&Steps…"), window.help.show_steps, "Ctrl+Alt+Z")
    _action(
        edit, tr("Pre&ferences…"), lambda: window.help.show_preferences(window.theme_name), "Ctrl+,"
    )

    view = bar.addMenu(tr("&View"))
    window.lens_actions: dict[Lens, QAction] = {}
    group = QActionGroup(window)
    for index, (lens, label, _) in enumerate(LENSES):
        action = _action(
            view,
            tr("{label} lens", label=label),
            lambda ln=lens: window.sight.look_through(ln),
            f"Alt+{index + 1}",
        )
        action.setCheckable(True)
        group.addAction(action)
        window.lens_actions[lens] = action
    window.lens_actions[Lens.FINISHED].setChecked(True)
    view.addSeparator()
    _action(view, tr("Zoom &in"), lambda: window.bench.zoom(1.25), keys.ZoomIn)
    _action(view, tr("Zoom &out"), lambda: window.bench.zoom(0.8), keys.ZoomOut)
    _action(view, tr("&Whole piece"), window.bench.fit, "Ctrl+0")
    _action(view, tr("&Code close up"), window.bench.close_up, "Ctrl+1")
    view.addSeparator()
    window.act_split = _action(view, tr("&Split view"), window.sight.toggle_split, "Ctrl+2")
    window.act_split.setCheckable(True)
    window.sight.split_changed.connect(window.act_split.setChecked)
    window.sight.lens_changed.connect(lambda lens: window.lens_actions[lens].setChecked(True))
    hint = _action(view, tr("Before: hold the key B"), window.bench.glance_before)
    hint.setToolTip(tr("The picture without the code, for as long as the key is held"))
    view.addSeparator()
    themes_menu = view.addMenu(tr("&Theme"))
    theme_group = QActionGroup(window)
    for name, label in (
        ("desktop", tr("As the desktop")), ("light", tr_as("tone", "Light")), ("dark", tr("Dark")),
    ):  # fmt: skip
        action = _action(themes_menu, label, lambda n=name: window.choose_theme(n))
        action.setCheckable(True)
        action.setChecked(name == window.theme_name)
        theme_group.addAction(action)

    drafts = bar.addMenu(tr("&Drafts"))
    _action(drafts, tr("&Keep as a draft"), lambda: window.draft_desk.keep(), "Ctrl+D")
    window.act_shelf = _action(
        drafts, tr("&Draft shelf"),
        lambda: window.draft_desk.show_shelf(not window.shelf.isVisible()), "Ctrl+Shift+D",
    )  # fmt: skip
    window.act_shelf.setCheckable(True)
    drafts.addSeparator()
    _action(drafts, tr("All drafts as &PDF…"), window.draft_desk.choose_pages)
    _action(drafts, tr("&Sweep a setting…"), window.sweep_desk.open, "Ctrl+Shift+W")

    artwork = bar.addMenu(tr("&Artwork"))
    _action(artwork, tr("&Paint and choose…"), window.studio_desk.open, "Ctrl+J")
    _action(artwork, tr("Pictures made &elsewhere…"), window.studio_desk.open_elsewhere)
    artwork.addSeparator()
    _action(artwork, tr("Drawing &template…"), window.drawn_desk.open, "Ctrl+Shift+T")
    _action(artwork, tr("Bring a drawing &back…"), window.drawn_desk.open_back)
    artwork.addSeparator()
    _action(artwork, tr("Pi&xel art…"), window.pixels_desk.open, "Ctrl+Shift+P")
    _action(artwork, tr("Begin pixel art &anew…"), window.pixels_desk.begin)

    check = bar.addMenu(tr("&Check"))
    desk = window.check_desk
    _action(check, tr("&Images…"), desk.choose_files, "Ctrl+K")
    _action(check, tr("A &folder…"), desk.choose_folder)
    _action(check, tr("&Watch a folder…"), desk.watch)
    _action(check, tr("The &clipboard"), desk.paste, "Ctrl+Shift+K")
    window.act_region = _action(check, tr("A &rectangle of the bench"), desk.drag_region)
    _action(check, tr("&Show the check window"), desk.open)
    check.addSeparator()
    _action(check, tr("&Mend a picture…"), window.mend_desk.open, "Ctrl+M")
    check.addSeparator()
    _action(check, tr("&Link desk…"), window.links_desk.open, "Ctrl+L")
    window.act_phone = _action(check, tr("&Phone test…"), desk.phone_test, "Ctrl+T")
    check.addSeparator()
    window.act_trials = _action(check, tr("Edit the &trials…"), window.proof.edit)

    help_menu = bar.addMenu(tr("&Help"))
    _action(help_menu, tr("&Find an action…"), window.help.find_action, "F3")
    _action(help_menu, tr("&Handbook"), window.help.show_handbook, keys.HelpContents)
    _action(help_menu, tr("&Keys"), window.help.show_keys, "Ctrl+F1")
    _action(help_menu, tr("&Tour in five steps"), window.help.begin_tour)
    help_menu.addSeparator()
    _demo_menus(window, help_menu)
    help_menu.addSeparator()
    _action(help_menu, tr("&About Nimble Tile"), lambda: about(window))

    for index in range(len(window.ladder.rungs)):
        shortcut = QShortcut(QKeySequence(str(index + 1)), window)
        shortcut.activated.connect(lambda i=index: window.ladder.open(i))
        window._single_keys = [*getattr(window, "_single_keys", []), shortcut]
    QApplication.instance().focusChanged.connect(window._focus_moved)


def _demo_menus(window: MenuWindow, menu: QMenu) -> None:
    """The demo pieces, and the pictures that ship, to try things on."""
    from nimble_tile.demo import ARTWORKS, PIECE_TITLES

    pieces = menu.addMenu(tr("Open a &demo piece"))
    window.demo_actions = {
        name: _action(pieces, title, lambda n=name: window.files.open_demo(n))
        for name, title in PIECE_TITLES.items()
    }
    pictures = menu.addMenu(tr("Bring in a demo &picture"))
    window.artwork_actions = {
        name: _action(pictures, title, lambda n=name: window.files.bring_artwork(n))
        for name, (_, title) in ARTWORKS.items()
    }


def _action(menu, text: str, slot, keys=None) -> QAction:
    action = menu.addAction(text)
    if keys is not None:
        action.setShortcut(QKeySequence(keys))
    action.triggered.connect(lambda _=False: slot())
    return action


def about(window: MenuWindow) -> None:
    """What this is, and under which licences."""
    box = QMessageBox(window)
    box.setWindowTitle(tr("About Nimble Tile"))
    box.setIconPixmap(QApplication.windowIcon().pixmap(64, 64))
    box.setText(
        f"<p><b>Nimble Tile {__version__}</b></p><p>"
        + tr("Blends QR codes into artwork and proves that they scan.")
        + "</p><p>"
        + tr(
            "MIT licence. Font: Alegreya Sans, SIL Open Font License. Icons: Phosphor, MIT "
            "licence. Readers: zxing-cpp, OpenCV, quirc and qrdec."
        )
        + "</p>"
    )
    # Asking every package takes a moment; the button for the list comes when it is known.
    found = Latest("licences")  # which may still be at it when the box has gone
    found.answered.connect(box.setDetailedText)
    found.ask(licences)
    with passing(box):
        box.exec()
        found.stop(wait=False)


def licences() -> str:
    """Every Python package that is used, with its version and licence."""
    from nimble_tile.core.licences import packages

    return "\n".join(f"{name} {version}: {licence}" for name, version, licence in packages())


def offer_lenses(window: MenuWindow, piece: Piece) -> None:
    """Some lenses need a picture, and so does the split view."""
    there = piece.picture.digest is not None
    for lens, _, told in LENSES:
        if lens not in (Lens.PICTURE, Lens.PLACES):
            continue
        button = window.foot.lens.button(lens)
        for control in (button, window.lens_actions[lens]):
            control.setEnabled(there)
        button.setToolTip(told if there else tr("There is no picture yet"))
        if not there and window.bench.lens is lens:
            window.sight.look_through(Lens.FINISHED)
    steers = there and piece.code.steer != "off"
    for control in (window.foot.lens.button(Lens.STEERING), window.lens_actions[Lens.STEERING]):
        control.setEnabled(steers)
        told = next(told for lens, _, told in LENSES if lens is Lens.STEERING)
        control.setToolTip(told if steers else tr("The code is not steered; see rung 2, Symbol"))
    if not steers and window.bench.lens is Lens.STEERING:
        window.sight.look_through(Lens.FINISHED)
    for control in (window.foot.split, window.act_split):
        control.setEnabled(there)
    if not there:
        window.foot.split.setChecked(False)


def focus_moved(window: MenuWindow, new: QWidget | None) -> None:
    """Single keys open rungs, but not while something is being typed."""
    typing = isinstance(new, TYPED)
    for shortcut in window._single_keys:
        shortcut.setEnabled(not typing)
