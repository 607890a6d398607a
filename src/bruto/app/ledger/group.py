"""A group of the ledger: open it shows its rows, folded a sentence that says what they do now."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QPushButton, QWidget

from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr


class LedgerGroup(QWidget):
    """Add rows to `body`; emits `toggled(open)`, and `bypassed(on)` where it has a bypass."""

    toggled = Signal(bool)
    bypassed = Signal(bool)

    def __init__(self, name: str, title: str, opened: bool = False, bypass: bool = True) -> None:
        super().__init__()
        self.name, self.title = name, title
        layout = down(self, margins=0, gap=2)
        head = across(gap=4)
        self.button = build(QPushButton, "", objectName="fold", clicked=lambda: self.set_open(not self.opened))
        self.bypass = build(QPushButton, tr("on"), objectName="bypass", checkable=True)
        self.bypass.setChecked(True)
        self.bypass.setToolTip(tr("Switch {title} off for now; the values are kept", title=title.lower()))
        self.bypass.setAccessibleName(tr("{title} on", title=title))
        self.bypass.clicked.connect(lambda on: self.bypassed.emit(not on))
        self.bypass.setVisible(bypass)
        fill(head, (self.button, 1), self.bypass)
        self.sentence = Label("", objectName="quiet", wordWrap=True)
        self.sentence.setContentsMargins(22, 0, 6, 4)
        self.sentence.setTextInteractionFlags(Qt.TextInteractionFlag.NoTextInteraction)
        self.content = QWidget()
        self.body = down(self.content, margins=(0, 0, 0, 2), gap=0)
        fill(layout, head, self.sentence, self.content)
        self._open_count = 0
        self.opened: bool = not opened
        self.set_open(opened)

    def set_open(self, on: bool) -> None:
        """Show the rows or the sentence."""
        changed = on != self.opened
        self.opened = on
        self.content.setVisible(on)
        self.sentence.setVisible(not on)
        self._label()
        if changed:
            self.toggled.emit(on)

    def show_state(self, sentence: str, open_suggestions: int, bypassed: bool) -> None:
        """What the group does now, how many suggestions are open in it, whether it is left out."""
        self.sentence.setText(tr("off") if bypassed else sentence)
        self._open_count = open_suggestions
        self.bypass.setChecked(not bypassed)
        self.bypass.setText(tr("off") if bypassed else tr("on"))
        self.content.setEnabled(not bypassed)
        self._label()

    def _label(self) -> None:
        mark = "▾" if self.opened else "▸"
        count = f"  ◇ {self._open_count}" if self._open_count else ""
        self.button.setText(f"{mark}  {self.title}{count}")
        state = tr("unfolded") if self.opened else tr("folded")
        self.button.setAccessibleName(
            tr(
                "{title}, {state}, {_open_count} suggestions open",
                title=self.title,
                state=state,
                _open_count=self._open_count,
            )
        )
        self.button.setToolTip(tr("Fold") if self.opened else tr("Unfold"))
