"""The head of the ledger: history, all suggestions at once, a search for rows, and what new shots start with."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QMenu, QPushButton, QWidget

from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.catalog import tr
from bruto.develop.history_text import step_text, step_title
from bruto.session.edit import Edit

STEPS_SHOWN = 25
"""Steps of the history that can be gone back to."""
IN_FORCE = tr("Suggestions are in force. Nothing is saved until you change something.")


class LedgerHead(QWidget):
    """Acts on `edit`; emits `looked_for` with part of a row's name, `folded`, and `start_chosen` with whether new shots
    start with their suggestions.
    """

    looked_for = Signal(str)
    folded = Signal()
    start_chosen = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.edit: Edit | None = None
        rows = down(self, margins=0, gap=6)
        head = across()
        fill(head, Label(tr("Ledger"), objectName="heading"), 1)
        self.undo_button = build(QPushButton, "↶", accessibleName=tr("Undo"))
        self.redo_button = build(QPushButton, "↷", accessibleName=tr("Redo"))
        self.undo_button.clicked.connect(lambda: self.edit and self.edit.undo())
        self.redo_button.clicked.connect(lambda: self.edit and self.edit.redo())
        for button in (self.undo_button, self.redo_button):
            button.setFixedWidth(34)
            head.addWidget(button)
        self.history_menu = QMenu(self)
        self.history_menu.aboutToShow.connect(self._fill_history)
        self.history_button = build(
            QPushButton,
            tr("History"),
            toolTip=tr("Every step, newest first. Choose one to go back to before it."),
            minimumWidth=74,
        )
        self.history_button.setMenu(self.history_menu)
        self.all_button = build(
            QPushButton,
            tr("Apply all"),
            objectName="primary",
            toolTip=tr("Apply every suggestion (Alt+A)"),
            clicked=lambda: self.edit and self.edit.take_all(),
        )
        fill(head, self.history_button, self.all_button)
        head.addSpacing(6)
        finding = across()
        self.row_finder = build(
            QLineEdit,
            placeholderText=tr("find a correction"),
            accessibleName=tr("Find a correction"),
            toolTip=tr("Type part of a name to show its row; Escape shows all (Ctrl+F)"),
            textChanged=self.looked_for.emit,
        )
        self.fold_button = build(
            QPushButton,
            tr("Fold all"),
            toolTip=tr("Fold every group to one sentence, or unfold all"),
            clicked=lambda: self.folded.emit(),
        )
        fill(finding, (self.row_finder, 1), self._start_button(), self.fold_button)
        finding.addSpacing(6)
        fill(rows, head, finding)

    def _start_button(self) -> QPushButton:
        """Where shots start that were never edited."""
        button = build(
            QPushButton,
            tr("New shots"),
            toolTip=tr("Which values shots start with before you edit them"),
            minimumWidth=104,
        )
        menu = QMenu(button)
        self.starts = {}
        for on, text in ((True, tr("start with suggestions")), (False, tr("start with defaults"))):
            action = self.starts[on] = menu.addAction(tr("New shots {text}", text=text))
            action.setCheckable(True)
            action.triggered.connect(lambda _=False, on=on: self.start_chosen.emit(on))
        button.setMenu(menu)
        return button

    def show_start(self, on: bool) -> None:
        """Whether new shots start with their suggestions."""
        for key, action in self.starts.items():
            action.setChecked(key == on)

    def _fill_history(self) -> None:
        self.history_menu.clear()
        history = self.edit.sidecar.history if self.edit is not None else []
        if not history:
            self.history_menu.addAction(tr("No steps yet")).setEnabled(False)
        for index in range(len(history) - 1, max(-1, len(history) - 1 - STEPS_SHOWN), -1):
            assert self.edit is not None
            values = step_text(history, index, self.edit.recipe)
            title = step_title(history[index][0])
            action = self.history_menu.addAction(tr("before {title}{values}", title=title, values=values))
            action.triggered.connect(partial(self._back_to, index))

    def _back_to(self, index: int, *_: object) -> None:
        if self.edit is not None:
            self.edit.back_to(index)

    def show_none(self) -> None:
        """There is no shot."""
        self.all_button.setText(tr("Apply all"))

    def refresh(self, edit: Edit, still: int) -> None:
        """Show what can be undone, and how many suggestions are `still` open."""
        as_suggested = bool(edit.suggestions) and edit.untouched and edit.started
        done = tr("Suggested") if as_suggested else tr("All applied") if edit.suggestions else tr("Measuring…")
        self.all_button.setText(tr("Apply all {still}", still=still) if still else done)
        self.all_button.setEnabled(bool(still))
        in_force = as_suggested and not still
        self.all_button.setToolTip(IN_FORCE if in_force else tr("Apply every suggestion (Alt+A)"))
        self.undo_button.setEnabled(edit.can_undo)
        self.redo_button.setEnabled(edit.can_redo)
        undo, redo = (step_title(s[-1][0]) if s else "" for s in (edit.sidecar.history, edit.sidecar.future))
        self.undo_button.setToolTip(plain_tooltip(tr("Undo {step}", step=undo) if undo else tr("Nothing to undo")))
        self.redo_button.setToolTip(plain_tooltip(tr("Redo {step}", step=redo) if redo else tr("Nothing to redo")))
