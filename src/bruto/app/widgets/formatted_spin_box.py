"""A field for a value that is written in its own way: an exposure time, a time of day, a direction."""

from __future__ import annotations

import re
from collections.abc import Callable

from PySide6.QtGui import QValidator

from bruto.app.widgets.value_box import ValueBox
from bruto.catalog import tr

_SIGNS = re.compile(r"[\d\s.,:/°+−-]*[a-zA-Z]{0,4}")


class FormattedSpinBox(ValueBox):
    """`write`: a value as it is written; `read`: what is typed as a value, None where it is none; `next_to`: the value
    so many steps from one; `example`: what is typed, for a hint.
    """

    def __init__(
        self, write: Callable[[float], str], read: Callable[[str], float | None],
        next_to: Callable[[float, int], float], example: str,
    ) -> None:  # fmt: skip
        super().__init__()
        self._write, self._read, self._next_to, self._example = write, read, next_to, example

    def textFromValue(self, val: float) -> str:
        return self._write(val)

    def valueFromText(self, text: str) -> float:
        value = self._read(self._bare(text))
        return self.value() if value is None else min(self.maximum(), max(self.minimum(), value))

    def validate(self, input: str, pos: int) -> object:
        bare = self._bare(input)
        value = self._read(bare)
        if value is not None and self.minimum() <= value <= self.maximum():
            return QValidator.State.Acceptable, input, pos
        if _SIGNS.fullmatch(bare):
            return QValidator.State.Intermediate, input, pos
        if self.hasFocus():
            self.refuse(tr("Type it like {_example}.", _example=self._example))
        return QValidator.State.Invalid, input, pos

    def fixup(self, input: str) -> str:
        value = self._read(self._bare(input))
        name = self.accessibleName() or tr("This")
        if value is None:
            self.refuse(tr("Type {name} like {_example}.", name=name, _example=self._example))
            return self._dressed(self.value())
        low, high = self._write(self.minimum()), self._write(self.maximum())
        self.refuse(tr("{name} must be between {low} and {high}.", name=name, low=low, high=high))
        return self._dressed(min(self.maximum(), max(self.minimum(), value)))

    def stepBy(self, steps: int) -> None:
        self.setValue(self._next_to(self.value(), steps))
        self.selectAll()
