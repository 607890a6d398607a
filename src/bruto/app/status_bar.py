"""The status line: long tasks, how far measuring is, what the pointer is at, and messages."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

from bruto.app.widgets.build import across
from bruto.app.widgets.messages import MessageDrawer, MessageLine
from bruto.app.widgets.plain_text import Label
from bruto.app.widgets.task_line import TaskLines
from bruto.session.long_tasks import LongTasks


class StatusBar(QWidget):
    """`drawer`: the messages of the last while, to be laid out above it."""

    def __init__(self, tasks: LongTasks) -> None:
        super().__init__()
        self.setObjectName("statusBar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(30)
        row = across(self, margins=(14, 0, 14, 0), gap=18)
        self.pointer, self.timing, self.saved = Label(""), Label(""), Label("")
        self.messages = MessageLine()
        self.message = self.messages.text
        self.measured = Label("")
        self.line = TaskLines(tasks)
        row.addWidget(self.line)
        for label in (self.measured, self.timing, self.saved, self.pointer):
            label.setObjectName("quiet")
            row.addWidget(label)
        row.addWidget(self.messages, 1)
        self.drawer = MessageDrawer(self.messages)
        self.messages.wanted.connect(self.drawer.toggle)

    def say(self, text: str) -> None:
        """Tell of a problem, in the status line and the drawer."""
        self.messages.show_message(text, good=False)

    def tell(self, text: str) -> None:
        """Tell good news; it goes by itself."""
        self.messages.show_message(text, good=True)

    def status(self, pointer: str, timing: str, saved: str) -> None:
        for label, text in ((self.pointer, pointer), (self.timing, timing), (self.saved, saved)):
            if text:
                label.setText(text.strip())
