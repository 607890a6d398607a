"""The bar over a stage: a tag that says what is on screen, a line of facts, and buttons."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QPainter, QPaintEvent, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr

LEAST = 56
"""Pixels below which a line of text is left away."""


class ElidedLabel(Label):
    """A line of text that takes what room is left and ends in "…" where that is too little; the tip has all of it."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.width() < LEAST:  # a letter or two say nothing
            return
        painter = QPainter(self)
        painter.setPen(self.palette().windowText().color())
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)


KINDS = {
    "mosaic": (tr("RAW, developed"), "mosaic"),
    "linear": (tr("PROCESSED RAW, developed"), "linear"),
    "picture": (tr("PICTURE ONLY, developed"), tr("8-bit picture")),
}
"""What is said of each kind of source: above the stage, and behind its size."""


class StageBar(QWidget):
    """`tag` says what is on screen, `facts` a little about it; buttons are added left or right of the gap."""

    def __init__(self, tag: str) -> None:
        super().__init__()
        self.setObjectName("stageBar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(36)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(10, 0, 10, 0)
        self._row.setSpacing(6)
        self.tag = Label(tag)
        self.tag.setObjectName("tag")
        self._row.addWidget(self.tag, 0, Qt.AlignmentFlag.AlignVCenter)
        self.facts = ElidedLabel()
        self.facts.setObjectName("onStage")
        self._gap = self._row.count()
        self._row.addWidget(self.facts, 1)

    def add(
        self, text: str, tip: str, *, left: bool = False, checkable: bool = False, shortcut: str = ""
    ) -> QPushButton:
        """A new button; `left` puts it before the gap."""
        button = QPushButton(text)
        button.setObjectName("onStage")
        button.setToolTip(f"{tip} ({shortcut})" if shortcut else tip)
        button.setCheckable(checkable)
        if shortcut:
            # a button's own shortcut shows a press first and acts a tenth of a second later
            QShortcut(QKeySequence(shortcut), button).activated.connect(button.click)
        if left:
            self._row.insertWidget(self._gap, button)
            self._gap += 1
        else:
            self._row.addWidget(button)
        return button

    def add_widget(self, widget: QWidget) -> None:
        """Something else at the right end."""
        self._row.addWidget(widget)
