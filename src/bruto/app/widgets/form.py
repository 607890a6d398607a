"""Forms by description: a row says which field it holds, what it is called and how it is edited; `Form` builds it.

An editor is made by one of the functions below (`number`, `line`, `lines`, `choice`, `tick`, `day`). A form tells
each change by `changed(field, value)`, and `show` puts values in without telling; a field in which somebody types is
left alone.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QDate, QObject, Signal, SignalInstance
from PySide6.QtWidgets import (
    QBoxLayout,
    QCheckBox,
    QComboBox,
    QDateEdit,
    QFormLayout,
    QLineEdit,
    QPlainTextEdit,
    QWidget,
)

from bruto.app.widgets.build import across, build, fill
from bruto.app.widgets.plain_text import Label
from bruto.app.widgets.value_box import ValueBox

Values = Mapping[str, Any]
DATE = "yyyy-MM-dd"
"""ISO 8601, as plans store it."""


@dataclass(frozen=True)
class Editor:
    """A widget with what reads its value, what puts one in, and what tells that its user changed it."""

    widget: QWidget
    value: Callable[[], Any]
    put: Callable[[Any], object]
    changed: SignalInstance
    typing: Callable[[], bool] = lambda: False
    """Whether somebody is typing in it."""


def number(
    low: float, high: float, unit: str = "", decimals: int = 0, step: float = 1.0, unknown: str = ""
) -> Callable[[], Editor]:
    """A number with its unit; with `unknown`, its lowest value reads as that word and means None."""

    def make() -> Editor:
        box = build(ValueBox, decimals=decimals, range=(low, high), singleStep=step, suffix=unit)
        if unknown:
            box.setSpecialValueText(unknown)
        return Editor(
            box,
            lambda: None if unknown and box.value() <= low else box.value(),
            lambda value: box.setValue(low if value is None else value),
            box.valueChanged,
            lambda: box.hasFocus() and box.lineEdit().isModified(),
        )

    return make


class FinishedLine(QLineEdit):
    """A line of text that tells by `finished` when something else was typed, and not whenever the focus leaves it."""

    finished = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.editingFinished.connect(self._finish)

    def _finish(self) -> None:
        if self.isModified():
            self.setModified(False)
            self.finished.emit()


def line(hint: str = "", most: int = 200, live: bool = False) -> Callable[[], Editor]:
    """One line of text; changed when it is finished, or with `live` at every letter."""

    def make() -> Editor:
        edit = build(FinishedLine, maxLength=most, placeholderText=hint)

        def put(text: str) -> None:
            edit.setText(text)
            edit.setModified(False)
            edit.setCursorPosition(0)

        changed = edit.textChanged if live else edit.finished
        return Editor(edit, lambda: edit.text().strip(), put, changed, lambda: edit.hasFocus() and edit.isModified())

    return make


def lines(height: int) -> Callable[[], Editor]:
    """Several lines of text."""

    def make() -> Editor:
        edit = build(QPlainTextEdit, fixedHeight=height)
        return Editor(edit, edit.toPlainText, edit.setPlainText, edit.textChanged)

    return make


def choice(entries: Sequence[tuple[str, Any]] = (), short: int = 0) -> Callable[[], Editor]:
    """One of several titles, each with its value; with `short`, so many characters are room enough."""

    def make() -> Editor:
        box = QComboBox()
        for title, value in entries:
            box.addItem(title, value)
        if short:
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(short)

        def put(value: Any) -> None:
            k = next((k for k in range(box.count()) if box.itemData(k) == value), -1)
            if k >= 0:
                box.setCurrentIndex(k)

        return Editor(box, box.currentData, put, box.currentIndexChanged)

    return make


def tick() -> Callable[[], Editor]:
    """Yes or no; its label stands beside its box."""

    def make() -> Editor:
        box = QCheckBox()
        return Editor(box, box.isChecked, lambda value: box.setChecked(bool(value)), box.toggled)

    return make


def day(first: str, last: str) -> Callable[[], Editor]:
    """A date between two, as ISO 8601."""

    def make() -> Editor:
        edit = build(
            QDateEdit,
            displayFormat=DATE,
            calendarPopup=True,
            dateRange=(QDate.fromString(first, DATE), QDate.fromString(last, DATE)),
            keyboardTracking=False,
        )
        return Editor(
            edit,
            lambda: edit.date().toString(DATE),
            lambda value: edit.setDate(QDate.fromString(value, DATE)),
            edit.dateChanged,
        )

    return make


def _always(_: Values) -> bool:
    return True


@dataclass(frozen=True)
class FormRow:
    """A field of a form."""

    field: str
    label: str
    editor: Callable[[], Editor]
    tip: str = ""
    enabled_when: Callable[[Values], bool] = _always
    shown_when: Callable[[Values], bool] = _always
    beside: bool = False
    """In the line of the row before."""
    caption: str = ""
    """What stands at the field where its label, which screen readers tell, is too long for that."""
    also: Sequence[QWidget] = ()
    """What stands behind it in its line, such as a button that fills it."""


class Form(QObject):
    """Rows in a column: labels above their fields, or beside them where the column is a `QFormLayout`."""

    changed = Signal(str, object)

    def __init__(self, column: QBoxLayout | QFormLayout, rows: Sequence[FormRow]) -> None:
        super().__init__()
        self.rows = {row.field: row for row in rows}
        self.editors: dict[str, Editor] = {}
        self.widgets: dict[str, Any] = {}
        self._lines: dict[str, QWidget] = {}
        self._usable = True
        place: QBoxLayout | None = None
        for row in rows:
            editor = self.editors[row.field] = row.editor()
            widget = self.widgets[row.field] = editor.widget
            widget.setAccessibleName(row.label)
            widget.setToolTip(row.tip)
            editor.changed.connect(lambda *_, name=row.field: self._told(name))
            if row.beside and place is not None:
                fill(place, (widget, 1), *row.also)
                continue
            whole = QWidget()
            place = across(whole, margins=0, gap=6)
            self._lines[row.field] = whole
            if isinstance(widget, QCheckBox):
                widget.setText(row.label)
                fill(column, whole) if isinstance(column, QBoxLayout) else column.addRow("", whole)
            elif isinstance(column, QFormLayout):
                column.addRow(row.caption or row.label, whole)
            else:
                if isinstance(widget, ValueBox):
                    place.addWidget(Label(row.caption or row.label))
                else:
                    column.addWidget(Label(row.caption or row.label))
                column.addWidget(whole)
            fill(place, (widget, 1), *row.also)
        self.refresh()

    def _told(self, name: str) -> None:
        self.refresh()
        self.changed.emit(name, self.editors[name].value())

    def values(self) -> dict[str, Any]:
        """All values by their fields."""
        return {name: editor.value() for name, editor in self.editors.items()}

    def show(self, values: Values) -> None:
        """Put values in, those that are given, without telling; where somebody types, nothing changes."""
        for name, value in values.items():
            editor = self.editors[name]
            if not editor.typing():
                blocked = editor.widget.blockSignals(True)
                editor.put(value)
                editor.widget.blockSignals(blocked)
        self.refresh()

    def set_usable(self, usable: bool) -> None:
        """Whether there is anything that the values are of."""
        self._usable = usable
        self.refresh()

    def refresh(self) -> None:
        """Enable and show what the values ask for."""
        values = self.values()
        for name, row in self.rows.items():
            self.widgets[name].setEnabled(self._usable and row.enabled_when(values))
            if name in self._lines and row.shown_when is not _always:
                self._lines[name].setVisible(row.shown_when(values))


def form_layout(parent: QWidget | None = None) -> QFormLayout:
    """A layout with labels beside their fields."""
    layout = QFormLayout() if parent is None else QFormLayout(parent)
    layout.setHorizontalSpacing(6)
    layout.setVerticalSpacing(4)
    return layout
