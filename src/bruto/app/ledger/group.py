"""A group of the ledger: open it shows its rows, folded a sentence that says what they do now."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr


class LedgerGroup(QWidget):
    """Add rows to `body`; emits `toggled(open)`, and `bypassed(on)` where it has a bypass."""

    toggled = Signal(bool)
    bypassed = Signal(bool)

    def __init__(self, name: str, title: str, opened: bool = False, bypass: bool = True) -> None:
        super().__init__()
        self.name, self.title = name, title
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        head = QHBoxLayout()
        head.setSpacing(4)
        self.button = QPushButton("")
        self.button.setObjectName("fold")
        self.button.clicked.connect(lambda: self.set_open(not self.opened))
        head.addWidget(self.button, 1)
        self.bypass = QPushButton(tr("on"))
        self.bypass.setObjectName("bypass")
        self.bypass.setCheckable(True)
        self.bypass.setChecked(True)
        self.bypass.setToolTip(tr("Switch {title} off for now; the values are kept", title=title.lower()))
        self.bypass.setAccessibleName(tr("{title} on", title=title))
        self.bypass.clicked.connect(lambda on: self.bypassed.emit(not on))
        self.bypass.setVisible(bypass)
        head.addWidget(self.bypass)
        layout.addLayout(head)
        self.sentence = Label("")
        self.sentence.setObjectName("quiet")
        self.sentence.setWordWrap(True)
        self.sentence.setContentsMargins(22, 0, 6, 4)
        self.sentence.setTextInteractionFlags(Qt.TextInteractionFlag.NoTextInteraction)
        layout.addWidget(self.sentence)
        self.content = QWidget()
        self.body = QVBoxLayout(self.content)
        self.body.setContentsMargins(0, 0, 0, 2)
        self.body.setSpacing(0)
        layout.addWidget(self.content)
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
