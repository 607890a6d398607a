"""The bar over a stage: a tag that says what is on screen, a line of facts, and buttons."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QResizeEvent, QShortcut
from PySide6.QtWidgets import QPushButton, QWidget

from bruto.app.widgets.build import across, build
from bruto.app.widgets.plain_text import ElidedLabel, Label
from bruto.catalog import tr

KINDS = {
    "mosaic": (tr("RAW, developed"), "mosaic"),
    "linear": (tr("PROCESSED RAW, developed"), "linear"),
    "picture": (tr("PICTURE ONLY, developed"), tr("8-bit picture")),
}
"""Description of each kind of source: above the stage, and behind its size."""


GAP = 5
"""Between buttons, pixels."""


class StageBar(QWidget):
    """`tag` says what is on screen, `facts` a little about it; buttons are added left or right of the gap."""

    def __init__(self, tag: str) -> None:
        super().__init__()
        self.setObjectName("stageBar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(36)
        self._row = across(self, margins=(6, 0, 6, 0), gap=GAP)
        self.tag_wanted = True
        self.tag = Label(tag, objectName="tag")
        self._row.addWidget(self.tag, 0, Qt.AlignmentFlag.AlignVCenter)
        self.facts = ElidedLabel(objectName="onStage")
        self._gap = self._row.count()
        self._row.addWidget(self.facts, 1)

    def fit_tag(self) -> None:
        """Show the tag where it is wanted and fits beside the buttons."""
        buttons = [b for b in self.findChildren(QPushButton) if not b.isHidden()]
        self._tighten(buttons, False)
        needs = sum(b.sizeHint().width() + GAP for b in buttons) + 12
        self._tighten(buttons, needs > self.width())
        needs += self.tag.sizeHint().width() + 14
        self.tag.setVisible(self.tag_wanted and needs <= self.width())

    @staticmethod
    def _tighten(buttons: list[QPushButton], tight: bool) -> None:
        """Buttons with less space beside their words, where they would be cut otherwise."""
        for button in buttons:
            if bool(button.property("tight")) != tight:
                button.setProperty("tight", tight)
                button.style().unpolish(button)
                button.style().polish(button)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The tag gives way to the buttons where there is little room."""
        super().resizeEvent(event)
        self.fit_tag()

    def add(
        self, text: str, tip: str, *, left: bool = False, checkable: bool = False, shortcut: str = ""
    ) -> QPushButton:
        """A new button; `left` puts it before the gap."""
        button = build(
            QPushButton,
            text,
            objectName="onStage",
            toolTip=f"{tip} ({shortcut})" if shortcut else tip,
            checkable=checkable,
        )
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
