"""Lists in forms: phones, e-mails, addresses, each entry with a way to take it out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import (
    QLabel,
    QLineEdit,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nimble_tile.core.details import Address, Details, Number
from nimble_tile.core.language import marked, tr, tr_as, within
from nimble_tile.ui.kit import theme as themes
from nimble_tile.ui.kit.controls import Choice, row
from nimble_tile.ui.rooms.message.form_fields import FormField, Many, Single

ADD = {
    marked("phone"): tr("Add a phone"),
    marked("e-mail"): tr("Add an e-mail"),
    marked("address"): tr("Add an address"),
}
"""What the button says that adds an entry."""


class ManyField(FormField):
    """A list of entries, each with a way to take it out."""

    def __init__(self, part: Many) -> None:
        super().__init__(part)
        self._value: tuple[Any, ...] = ()
        self._rows: list[tuple[Any, QWidget]] = []
        self._theme = themes.LIGHT
        head = QLabel(part.label)
        self.add = QPushButton(ADD[part.what])
        self.add.setProperty("flat", True)
        self.add.clicked.connect(self._grow)
        self.box.addLayout(row(head, 1, self.add))
        self.entries = QVBoxLayout()
        self.entries.setSpacing(4)
        self.box.addLayout(self.entries)
        self.said.setContentsMargins(0, 0, 0, 0)
        self.box.addWidget(self.said)

    def dress(self, theme: themes.Theme) -> None:
        self._theme = theme
        for _, entry in self._rows:
            for button in entry.findChildren(QToolButton):
                button.setIcon(themes.icon("x", theme.soft))

    def _blank(self) -> Any:
        return {"phone": Number(), "e-mail": "", "address": Address()}[self.part.what]

    def _grow(self) -> None:
        self._set((*self._value, self._blank()))
        self._rows[-1][1].findChild(QLineEdit).setFocus()

    def _set(self, value: tuple[Any, ...]) -> None:
        self.edited.emit(value)
        self.show_value(value, None)

    def _change(self, index: int, entry: Any) -> None:
        value = (*self._value[:index], entry, *self._value[index + 1 :])
        self._value = value
        self.edited.emit(value)

    def show_value(self, value: Any, details: Details | None) -> None:
        if value == self._value and len(self._rows) == len(value):
            return
        same_shape = len(value) == len(self._rows)
        self._value = tuple(value)
        if same_shape:
            for (fill, _), entry in zip(self._rows, value, strict=True):
                fill(entry)
            return
        while self._rows:
            _, old = self._rows.pop()
            self.entries.removeWidget(old)
            old.hide()
            old.deleteLater()
        for index, entry in enumerate(value):
            fill, made = self._row(index)
            fill(entry)
            self.entries.addWidget(made)
            self._rows.append((fill, made))
        self.dress(self._theme)

    def _row(self, index: int) -> tuple[Callable[[Any], None], QWidget]:
        """An entry's controls, and how to fill them."""
        made = QWidget()
        away = QToolButton()
        away.setAccessibleName(
            tr("Take out {what} {index}", what=tr(self.part.what), index=index + 1)
        )
        away.setToolTip(tr("Take out this {what}", what=tr(self.part.what)))
        away.clicked.connect(lambda: self._set((*self._value[:index], *self._value[index + 1 :])))
        name = f"{tr(self.part.what).capitalize()} {index + 1}"

        def change(**changes: Any) -> None:
            self._change(index, self._value[index].model_copy(update=changes))

        def single(label: str, slot: Callable[[str], None], hint: str = "") -> Single:
            line = Single()
            line.setAccessibleName(label)
            line.setPlaceholderText(hint)
            line.textEdited.connect(slot)
            return line

        if self.part.what == "e-mail":
            line = single(name, lambda text: self._change(index, text), "name@lanternwalk.example")
            made.setLayout(row(line, away, spacing=4))
            return lambda entry: _show_line(line, entry), made
        uses = (
            [
                ("mobile", tr("Mobile")),
                ("work", tr("Work")),
                ("home", tr("Home")),
                ("fax", tr("Fax")),
            ]
            if self.part.what == "phone"
            else [("work", tr("Work")), ("home", tr("Home"))]
        )
        use = Choice(tr("{name}, use", name=name), uses)
        use.chosen.connect(lambda value: change(use=value))
        if self.part.what == "phone":
            line = single(name, lambda text: change(number=text), "+44 1632 960983")
            use.setFixedWidth(88)
            made.setLayout(row(use, line, away, spacing=4))

            def fill(entry: Number) -> None:
                use.set_value(entry.use)
                _show_line(line, entry.number)

            return fill, made
        box = QVBoxLayout(made)
        box.setContentsMargins(0, 0, 0, 4)
        box.setSpacing(4)
        box.addLayout(row(use, 1, away, spacing=4))
        lines = {}
        for field, hint in (
            ("street", tr("Street and number")), ("code", tr_as("postal", "Code")),
            ("city", tr("Town")),
            ("region", tr("Region")), ("country", tr("Country")),
        ):  # fmt: skip
            lines[field] = single(
                f"{name}, {within(hint)}", lambda text, f=field: change(**{f: text}), hint
            )
        lines["code"].setFixedWidth(84)
        box.addWidget(lines["street"])
        box.addLayout(row(lines["code"], lines["city"], spacing=4))
        box.addLayout(row(lines["region"], lines["country"], spacing=4))

        def fill_address(entry: Address) -> None:
            use.set_value(entry.use)
            for field, line in lines.items():
                _show_line(line, getattr(entry, field))

        return fill_address, made


def _show_line(line: QLineEdit, text: str) -> None:
    if line.text() != text:
        line.setText(text)
