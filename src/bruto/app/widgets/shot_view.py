"""What the list and the board of shots have in common: several shots are selected, one of them is current."""

from __future__ import annotations

from typing import Any, Protocol

from PySide6.QtCore import QItemSelection, QItemSelectionModel, QModelIndex, QPoint, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QDrag
from PySide6.QtWidgets import QListView

from bruto.session.shoot import Shoot
from bruto.shoot.shots import Shot, ShotSet


class Rows(Protocol):
    """A model of shots: rows of (set, shot, whether it stands for the set)."""

    rows: list[tuple[ShotSet, Shot, bool]]
    open_sets: set[str]

    def index(self, row: int) -> QModelIndex: ...


class ShotView(QListView):
    """Click, Ctrl, Shift and a drag over free ground select; the card of a folded set stands for all its shots.

    Emits `chosen` with the shot that became current, `menu_wanted` with the place where a menu is asked for.
    """

    chosen = Signal(object)
    menu_wanted = Signal(QPoint)

    def __init__(self, shoot: Shoot, cards: Any) -> None:
        super().__init__()
        self.shoot, self.cards = shoot, cards
        self.quiet = False
        """While it follows what was selected elsewhere."""
        self._pressed_from: tuple[Shot | None, list[Shot]] = (None, [])
        self.setModel(cards)
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setUniformItemSizes(True)
        self.setMouseTracking(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.selectionModel().currentChanged.connect(self._current)
        self.selectionModel().selectionChanged.connect(self._selected)
        shoot.selection_changed.connect(self.follow)

    def shot_at(self, index: QModelIndex) -> Shot | None:
        """The shot of a row."""
        return self.cards.rows[index.row()][1] if index.isValid() and index.row() < len(self.cards.rows) else None

    def stands_for(self, row: int) -> list[Shot]:
        """The shots that a row stands for."""
        group, shot, first = self.cards.rows[row]
        folded = first and group.kind != "single" and group.shots[0].name not in self.cards.open_sets
        return list(group.shots) if folded else [shot]

    def _current(self, index: QModelIndex) -> None:
        shot = self.shot_at(index)
        if shot is not None and not self.quiet:
            self.chosen.emit(shot)

    def _selected(self, *_: object) -> None:
        if not self.quiet:
            rows = {i.row() for i in self.selectionModel().selectedIndexes()}
            self.shoot.choose([s for row in sorted(rows) for s in self.stands_for(row)])

    def follow(self) -> None:
        """Show what is selected in the shoot, as far as it is on show."""
        wanted = {str(s.main) for s in self.shoot.selection}
        rows = [k for k in range(len(self.cards.rows)) if any(str(s.main) in wanted for s in self.stands_for(k))]
        if rows == sorted(i.row() for i in self.selectionModel().selectedIndexes()):
            return
        chosen = QItemSelection()
        for row in rows:
            index = self.cards.index(row)
            chosen.select(index, index)
        self.quiet = True
        self.selectionModel().select(chosen, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        self.quiet = False

    def make_current(self, row: int, announce: bool) -> None:
        """Let a row be the current one, with the selection as it is in the shoot; `announce`: whether `chosen` is
        sent."""
        self.quiet = True
        self.selectionModel().setCurrentIndex(self.cards.index(row), QItemSelectionModel.SelectionFlag.NoUpdate)
        self.quiet = False
        self.scrollTo(self.cards.index(row))
        shot = self.shot_at(self.cards.index(row))
        if announce and shot is not None:
            self.chosen.emit(shot)
        self.follow()

    def row_of(self, shot: Shot) -> int | None:
        """The row of a shot, or that of its folded set."""
        best = None
        for k, (group, s, _) in enumerate(self.cards.rows):
            if s.main == shot.main:
                return k
            if best is None and any(q.main == shot.main for q in group.shots):
                best = k
        return best

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        index = self.indexAt(event.pos())
        if event.reason() == QContextMenuEvent.Reason.Mouse:
            if not index.isValid():
                return
            if not self.selectionModel().isSelected(index):
                self.setCurrentIndex(index)
            self.menu_wanted.emit(event.globalPos())
        elif self.currentIndex().isValid():
            place = self.visualRect(self.currentIndex()).center()
            self.menu_wanted.emit(self.viewport().mapToGlobal(place))

    def mousePressEvent(self, event: Any) -> None:
        if event.button() == Qt.MouseButton.RightButton and self.selectionModel().isSelected(
            self.indexAt(event.position().toPoint())
        ):
            return  # a menu for all that is selected
        self._pressed_from = self.shoot.current, list(self.shoot.selection)
        super().mousePressEvent(event)

    def startDrag(self, supported: Qt.DropAction) -> None:
        """Take the pressed shot elsewhere; what was current before the press is current again where it is dropped."""
        index = self.currentIndex()
        if not index.isValid():
            return
        drag = QDrag(self)
        drag.setMimeData(self.cards.mimeData([index]))
        before, selection = self._pressed_from
        if before is not None and before is not self.shot_at(index):
            row = self.row_of(before)
            if row is not None:
                self.shoot.choose(selection)
                self.make_current(row, announce=True)
        drag.exec(Qt.DropAction.CopyAction)
