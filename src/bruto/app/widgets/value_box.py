"""Fields for a number with its unit: a click selects it, comma and point are both decimal marks, and what is refused
says why.
"""

from __future__ import annotations

import re
from typing import Any

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QFocusEvent, QKeyEvent, QValidator
from PySide6.QtWidgets import QDoubleSpinBox, QToolTip

from bruto.app.widgets.plain_text import plain_tooltip
from bruto.catalog import tr

_WHOLE = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)")
_BEGUN = re.compile(r"[+-]?\d*\.?\d*")


SETTLED_MS, SHOWN_MS = 40, 6000
"""After which the focus stands, and how long the reason for a refusal is shown."""


def plain_number(text: str) -> str:
    """A number as people write it, as programs do: the last comma or point is the decimal mark.

    >>> plain_number(" −0,8 "), plain_number("1.234,5"), plain_number("+5 600")
    ('-0.8', '1234.5', '5600')
    """
    text = re.sub(r"[\s\u2009\u202f']", "", text).replace("−", "-").removeprefix("+").replace(",", ".")
    whole, mark, part = text.rpartition(".")
    return whole.replace(".", "") + mark + part


class ValueBox(QDoubleSpinBox):
    """A number with its unit; minus is written as a minus sign, typed as either; `signed` ones tell a plus too.

    Escape puts back what was there. What cannot be taken is reported at the field, and kept from being something else.
    """

    def __init__(self, signed: bool = False, **properties: Any) -> None:
        super().__init__()
        self._signed = signed
        self.refused = ""
        """Why the last thing typed was not taken, for a moment at the field."""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setKeyboardTracking(False)
        self.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)  # the arrow keys step
        for name, value in properties.items():  # they ask for the text, which needs what is set above
            self.setProperty(name, value)

    def textFromValue(self, val: float) -> str:
        text = f"{val:.{self.decimals()}f}"
        if float(text) == 0:
            text = text.removeprefix("-")
        text = text.replace("-", "−")
        return f"+{text}" if self._signed and val > 0 else text

    def valueFromText(self, text: str) -> float:
        try:
            value = float(plain_number(self._bare(text)))
        except ValueError:
            return self.value()
        return min(self.maximum(), max(self.minimum(), value))

    def validate(self, input: str, pos: int) -> object:
        text = plain_number(self._bare(input))
        if _WHOLE.fullmatch(text):
            inside = self.minimum() <= float(text) <= self.maximum()
            return (QValidator.State.Acceptable if inside else QValidator.State.Intermediate), input, pos
        if _BEGUN.fullmatch(text):
            return QValidator.State.Intermediate, input, pos
        self.refuse(
            tr(
                "Type a number, for example {textFromValue}.",
                textFromValue=self.textFromValue(self.minimum() / 2 + self.maximum() / 3),
            )
        )
        return QValidator.State.Invalid, input, pos

    def fixup(self, input: str) -> str:
        text = plain_number(self._bare(input))
        if not _WHOLE.fullmatch(text):
            return self._dressed(self.value())
        least = self.minimum() + (self.singleStep() if self.specialValueText() else 0.0)
        low, high = (self.textFromValue(v) + self.suffix() for v in (least, self.maximum()))
        name = self.accessibleName() or tr("This")
        self.refuse(
            tr(
                "{name} must be between {low} and {high}; you typed {replace}.",
                name=name,
                low=low,
                high=high,
                replace=text.replace("-", "−"),
            )
        )
        return self._dressed(min(self.maximum(), max(self.minimum(), float(text))))

    def refuse(self, why: str) -> None:
        """Tell at the field why something was not taken."""
        self.refused = why
        QTimer.singleShot(SETTLED_MS, self._show_refusal)  # a change of focus takes such words away

    def _show_refusal(self) -> None:
        place = self.mapToGlobal(QPoint(0, self.height()))
        QToolTip.showText(place, plain_tooltip(self.refused), self, self.rect(), SHOWN_MS)

    def _bare(self, text: str) -> str:
        return text.strip().removesuffix(self.suffix().strip()).strip()

    def _dressed(self, value: float) -> str:
        return self.textFromValue(value) + self.suffix()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.text() != self._dressed(self.value()):
            self.lineEdit().setText(self._dressed(self.value()))
            self.selectAll()
            return
        super().keyPressEvent(event)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            event.accept()  # it ends the number, and nothing else
            if self.hasFocus():
                self.selectAll()

    def focusInEvent(self, event: QFocusEvent) -> None:
        """The click that comes into the field selects the number, as Tab does; the next one sets the cursor."""
        super().focusInEvent(event)
        QTimer.singleShot(0, self._select_if_untouched)

    def _select_if_untouched(self) -> None:
        if not self.lineEdit().isModified():
            self.selectAll()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """What is left is not selected any more: that would look like the focus."""
        super().focusOutEvent(event)
        if event.reason() != Qt.FocusReason.PopupFocusReason:
            self.lineEdit().deselect()
