"""What the program has said: the last message in the status line, all of them with their time in a drawer."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from datetime import datetime

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.panel import clear, scrolled, surface
from bruto.app.widgets.plain_text import ElidedLabel, Label
from bruto.catalog import tr

MOST_MESSAGES = 200
"""Messages in the drawer."""
GOOD_MS = 9000
"""How long good news stays in the status line."""
HEIGHT = 210
"""Of the drawer, pixels."""


@dataclass(frozen=True)
class Message:
    """`good`: news rather than a problem."""

    at: datetime
    text: str
    good: bool


class MessageLine(QWidget):
    """The last message, and a button that opens the drawer."""

    wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        row = across(self, margins=0, gap=8)
        self.text = ElidedLabel("")
        self.button = build(QPushButton, tr("Messages"), objectName="inLine")
        self.button.setFixedHeight(24)
        self.button.setToolTip(tr("All messages so far, with times (Ctrl+M)"))
        self.button.clicked.connect(self.wanted)
        fill(row, (self.text, 1), self.button)
        self.history: deque[Message] = deque(maxlen=MOST_MESSAGES)
        self.unread = 0
        """Problems since the drawer was last open."""
        self._fade = QTimer(self)
        self._fade.setSingleShot(True)
        self._fade.setInterval(GOOD_MS)
        self._fade.timeout.connect(self.clear)

    def show_message(self, text: str, good: bool) -> None:
        """Tell something; an empty text takes away what is there."""
        self._fade.stop()
        if not text:
            self.clear()
            return
        last = self.history[-1].text if self.history else ""
        if text != last:
            self.history.append(Message(datetime.now(), text, good))
            self.unread += not good
        self.text.setObjectName("good" if good else "warning")
        self.text.style().unpolish(self.text)
        self.text.style().polish(self.text)
        self.text.setText(text)
        if good:
            self._fade.start()
        self._label()

    def clear(self) -> None:
        """The message is over; the drawer keeps it."""
        self.text.setText("")

    def read(self) -> None:
        """The drawer was opened."""
        self.unread = 0
        self._label()

    def _label(self) -> None:
        self.button.setText(tr("Messages {unread}", unread=self.unread) if self.unread else tr("Messages"))


class MessageDrawer(QWidget):
    """All messages, the newest first."""

    def __init__(self, line: MessageLine) -> None:
        super().__init__()
        self.line = line
        self.setFixedHeight(HEIGHT)
        outer = down(self, margins=0)
        holder = surface("bar")
        outer.addWidget(holder)
        column = down(holder, margins=(14, 8, 14, 8))
        head = QHBoxLayout()
        title = Label(tr("Messages"), objectName="heading")
        close = build(QPushButton, tr("Close"), clicked=self.hide)
        fill(head, title, 1, close)
        scroll, self.rows = scrolled(4)
        fill(column, head, (scroll, 1))
        self.hide()

    def toggle(self) -> None:
        """Open it with what was said until now, or close it."""
        if self.isVisible():
            self.hide()
            return
        self.fill()
        self.line.read()
        self.show()

    def fill(self) -> None:
        """Rows anew."""
        clear(self.rows)
        for entry in reversed(self.line.history):
            label = Label(
                f"{entry.at:%H:%M:%S}   {entry.text}", wordWrap=True, objectName="good" if entry.good else "warning"
            )
            self.rows.addWidget(label)
        if not self.line.history:
            quiet = Label(tr("No messages yet."), objectName="quiet")
            self.rows.addWidget(quiet)
        self.rows.addStretch(1)
