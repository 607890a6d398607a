"""The grid of Compare: what is shown in it, and the pictures."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from bruto.app.host import Host
from bruto.app.stage.grid_view import GridView
from bruto.app.widgets.build import across, down, fill
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.session.grid import MOST


class GridPart(QWidget):
    """Emits `chosen` with kind and name of a picture that is to stand beside the shown shot."""

    chosen = Signal(str, str)

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.grid = host.session.grid
        column = down(self, margins=0, gap=0)
        self.choice = QWidget()
        """What is shown, for the bar of the page."""
        row = across(self.choice, margins=0)
        self.pick = QPushButton(tr("Pictures shown"))
        self.menu = QMenu(self.pick)
        self.menu.aboutToShow.connect(self._fill)
        self.pick.setMenu(self.menu)
        self.hint = Label("", objectName="quiet")
        fill(row, self.pick, (self.hint, 1))
        self.view = GridView()
        self.view.setToolTip(tr("Double-click a picture to compare it with the first"))
        self.view.message = tr("Choose a shot to compare.")
        column.addWidget(self.view, 1)
        self.view.view_changed.connect(self._ask_pieces)
        self.view.chosen.connect(self._chosen)
        self.grid.changed.connect(self._changed)
        self.grid.made.connect(self.view.set_picture)
        self.grid.piece_made.connect(self.view.set_piece)
        self.grid.failed.connect(self.view.set_problem)

    def turned_to(self, on: bool) -> None:
        """It is on show, or no more."""
        if on:
            self.grid.show()

    def _fill(self) -> None:
        self.menu.clear()
        picked = self.grid.picked()
        for c in self.grid.choices():
            action = QAction(c.title.replace("&", "&&"), self.menu)
            action.setCheckable(True)
            action.setChecked((c.kind, c.name) in picked)
            action.setEnabled(action.isChecked() or len(picked) < MOST)
            action.toggled.connect(lambda on, c=c: self.grid.pick(c.kind, c.name, on))
            self.menu.addAction(action)

    def _changed(self) -> None:
        cells = self.grid.cells
        self.view.set_cells(cells)
        self.pick.setEnabled(bool(cells))
        self.hint.setText(
            tr(
                "{cells_count} of {choices_count}, at the size of the first. Selected shots appear here.",
                cells_count=len(cells),
                choices_count=len(self.grid.choices()),
            )
            if cells
            else ""
        )

    def _ask_pieces(self) -> None:
        self.grid.pieces(self.view.wanted_piece() if self.isVisible() else None)

    def _chosen(self, k: int) -> None:
        choice = self.grid.cells[k].choice
        self.chosen.emit(choice.kind, choice.name)
