"""The sheet of keys: every command with its shortcut, from the list that the menu reads; a word finds them."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from bruto.app.host import Host
from bruto.app.widgets.plain import Label

TITLES = dict(file="Files", values="Values and picture", view="View and shots", tasks="Tasks", window="Window")  # noqa: C408
COLUMNS = 2


class KeysPage(QWidget):
    """Commands by group, in columns."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        from bruto.app.pages.pages import all_commands  # the list of pages makes this one

        self.commands = all_commands()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 16, 24, 16)
        title = Label("Keys")
        title.setObjectName("heading")
        column.addWidget(title)
        self.words = QLineEdit()
        self.words.setPlaceholderText("find a command")
        self.words.setAccessibleName("Find a command")
        self.words.setMaximumWidth(420)
        self.words.textChanged.connect(self.fill)
        column.addWidget(self.words)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        body = QWidget()
        body.setObjectName("panelBody")
        self.grid = QGridLayout(body)
        self.grid.setHorizontalSpacing(14)
        self.grid.setVerticalSpacing(4)
        scroll.setWidget(body)
        column.addWidget(scroll, 1)
        self.shown: list[str] = []
        self.fill()

    def turned_to(self) -> None:
        """The page was chosen: a word can be typed at once."""
        self.words.setFocus()

    def fill(self) -> None:
        """Show the commands that hold the words."""
        while self.grid.count():
            item = self.grid.takeAt(0)
            if item is not None and item.widget() is not None:
                item.widget().setParent(None)
        wanted = [c for c in self.commands if self.words.text().lower() in f"{c.title} {c.keys}".lower()]
        self.shown = [c.id for c in wanted]
        cells: list[tuple[str, str, bool]] = []
        for group, name in TITLES.items():
            mine = [(c.title.rstrip("…"), c.keys, False) for c in wanted if c.group == group]
            cells += [(name, "", True), *mine] if mine else []
        rows = -(-len(cells) // COLUMNS)
        if rows < len(cells) and cells[rows - 1][2]:  # a heading stays with what it is over
            cells.insert(rows - 1, ("", "", False))
        for k, (text, keys, heading) in enumerate(cells):
            place = 3 * min(k // rows, COLUMNS - 1)
            label, chord = Label(text), Label(keys)
            label.setObjectName("heading" if heading else "")
            chord.setObjectName("quiet")
            self.grid.addWidget(label, k - place // 3 * rows, place)
            self.grid.addWidget(chord, k - place // 3 * rows, place + 1)
        for k in range(COLUMNS):
            self.grid.setColumnStretch(3 * k + 2, 1)
        self.grid.setRowStretch(rows + 1, 1)
