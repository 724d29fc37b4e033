"""What the rung Message says of short links."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QPushButton

from nimble_tile.core.language import tr
from nimble_tile.ui.kit.controls import Fold, row, soft

if TYPE_CHECKING:
    from nimble_tile.ui.work.short import ShortNews


class ShortFold(Fold):
    """Offers a short link, or says where the message's own one leads.

    Signals
    -------
    wanted
        The message is to become a short link.
    unwanted
        It is to be the long link again.
    desk_wanted
        The desk is to be shown.
    """

    wanted, unwanted, desk_wanted = Signal(), Signal(), Signal()

    def __init__(self) -> None:
        super().__init__(tr("Short link"))
        self.told = soft()
        self.told.setTextFormat(Qt.TextFormat.PlainText)
        self.use = QPushButton(tr("Use a short link of the desk"))
        self.use.clicked.connect(self.wanted)
        self.back = QPushButton(tr("Take the long link again"))
        self.back.clicked.connect(self.unwanted)
        self.desk = QPushButton(tr("Link desk\u2026"))
        self.desk.setProperty("flat", True)
        self.desk.clicked.connect(self.desk_wanted)
        self.inside.addWidget(self.told)
        self.inside.addLayout(row(self.use, self.back, 1))
        self.inside.addLayout(row(self.desk, 1))

    def show_news(self, news: ShortNews, written: bool) -> None:
        """Follow what the desk knows; `written`: whether there is a message."""
        self.use.setVisible(not news.own)
        self.use.setEnabled(written)
        self.back.setVisible(news.own and bool(news.target))
        off = ""
        if not news.public:
            off = tr(
                " No phone can follow it until the link desk has an address of your own: this "
                "machine alone answers now."
            )
        if news.own:
            where = (
                tr("Leads to {target} now.", target=news.target)
                if news.target
                else tr("Leads nowhere any more.")
            )
            self.told.setText(where + off)
            self.set_note("" if news.public else tr("not for phones"))
        else:
            self.told.setText(
                tr("It takes less room, and can lead elsewhere after printing.") + off
            )
            self.set_note(news.gain)
