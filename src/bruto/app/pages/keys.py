"""The sheet of keys: every command with its shortcut, from the list that the menus read; a word finds them, and a click
on a key changes it.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QKeySequenceEdit,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QWidget,
)

from bruto.app.commands import GROUPS, Command
from bruto.app.host import Host
from bruto.app.widgets.build import build, down, fill
from bruto.app.widgets.panel import clear
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr

COLUMNS = 3


class KeyDialog(QDialog):
    """Asks for another key of a command."""

    def __init__(self, parent: QWidget, host: Host, command: Command) -> None:
        super().__init__(parent)
        self.host, self.command = host, command
        self.setWindowTitle(tr("Change shortcut"))
        self.setObjectName("question")
        column = down(self, margins=(20, 16, 20, 16), gap=10)
        heading = Label(command.title.rstrip("…"), objectName="heading")
        self.field = QKeySequenceEdit()
        self.field.setMaximumSequenceLength(1)
        self.field.setAccessibleName(tr("Shortcut of {title}", title=command.title))
        self.why = Label("", objectName="warning", wordWrap=True, minimumWidth=340)
        fill(column, heading, Label(tr("Press the new shortcut.")), self.field, self.why)
        row = QHBoxLayout()
        for text, call in (
            (tr("No shortcut"), partial(self.use, "")),
            (tr("Default"), partial(self.use, command.keys)),
            (tr("Cancel"), self.reject),
        ):
            button = build(QPushButton, text, autoDefault=False, clicked=call)
            row.addWidget(button)
        self.yes = build(
            QPushButton,
            tr("Use it"),
            objectName="primary",
            clicked=lambda: self.use(self.field.keySequence().toString()),
        )
        row.addWidget(self.yes)
        column.addLayout(row)

    def use(self, keys: str, *_: object) -> None:
        """Use the keys, or say why they cannot be."""
        self.why.setText(self.host.commands.set_keys(self.command.id, keys))
        if not self.why.text():
            self.accept()


class KeysPage(QWidget):
    """Commands by subject, in columns."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        from bruto.app.pages.pages import all_commands  # the list of pages makes this one

        self.host = host
        self.commands = all_commands()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = down(self, margins=(24, 16, 24, 16))
        head = QHBoxLayout()
        title = Label(tr("Keys"), objectName="heading")
        self.words = build(
            QLineEdit,
            placeholderText=tr("find a command"),
            accessibleName=tr("Find a command"),
            maximumWidth=420,
            textChanged=self.fill,
        )
        hint = Label(tr("Click a shortcut to change it."), objectName="quiet")
        fill(head, title, (self.words, 1), hint, 1)
        scroll = build(QScrollArea, widgetResizable=True, focusPolicy=Qt.FocusPolicy.NoFocus)
        body = build(QWidget, objectName="panelBody")
        self.grid = QGridLayout(body)
        self.grid.setHorizontalSpacing(14)
        self.grid.setVerticalSpacing(2)
        scroll.setWidget(body)
        fill(column, head, (scroll, 1))
        self.shown: list[str] = []
        self.buttons: dict[str, QPushButton] = {}
        self.fill()

    def turned_to(self) -> None:
        """The page was chosen: a word can be typed at once."""
        self.words.setFocus()

    def change(self, command: Command) -> KeyDialog:
        """Ask for another key."""
        dialog = KeyDialog(self, self.host, command)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(self.fill)
        dialog.open()
        dialog.field.setFocus()
        return dialog

    def fill(self) -> None:
        """Show the commands that hold the words."""
        clear(self.grid)
        keys = {c.id: self.host.commands.keys_of(c.id) for c in self.commands}
        wanted = [c for c in self.commands if self.words.text().lower() in f"{c.title} {keys[c.id]}".lower()]
        self.shown = [c.id for c in wanted]
        self.buttons = {}
        cells: list[Command | str] = []
        for group, name in GROUPS.items():
            mine = [c for c in wanted if c.group == group]
            cells += [name, *mine] if mine else []
        rows = -(-len(cells) // COLUMNS)
        if rows < len(cells) and isinstance(cells[rows - 1], str):  # a heading stays with what it is over
            cells.insert(rows - 1, "")
        for k, cell in enumerate(cells):
            place = 3 * min(k // rows, COLUMNS - 1)
            row = k - place // 3 * rows
            if isinstance(cell, str):
                label = Label(cell, objectName="heading", minimumHeight=30)
                self.grid.addWidget(label, row, place, 1, 2)
                continue
            self.grid.addWidget(Label(cell.title.rstrip("…")), row, place)
            button = self.buttons[cell.id] = build(QPushButton, keys[cell.id] or tr("no shortcut"), objectName="inLine")
            button.setFixedHeight(24)
            button.setAccessibleName(tr("Shortcut of {title}", title=cell.title))
            button.clicked.connect(lambda _=False, c=cell: self.change(c))
            self.grid.addWidget(button, row, place + 1, Qt.AlignmentFlag.AlignLeft)
        for k in range(COLUMNS):
            self.grid.setColumnStretch(3 * k + 2, 1)
        self.grid.setRowStretch(rows + 1, 1)
