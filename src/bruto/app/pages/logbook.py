"""Logbook: shoots over the years at the left, what is learnt of the phone in the middle, one shoot at the right."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.pages.logbook_plots import LearntPlots
from bruto.app.widgets.build import across, build, down
from bruto.app.widgets.empty_state import EmptyState
from bruto.app.widgets.panel import side_panel, surface
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.app.widgets.question import ask_user
from bruto.app.widgets.value_box import ValueBox
from bruto.catalog import tr, trn
from bruto.logbook.questions import QUESTIONS, LogbookContent
from bruto.logbook.records import LogRecord
from bruto.sensor.advice import time_text
from bruto.shoot.verdicts import BY_ID

LEFT_WIDTH = 224
"""Pixels."""
COLUMNS = (tr("Shot"), "ISO", tr("Time"), tr("Verdict"))
EXPORTS = {"Table (*.csv)": ".csv", "JSON (*.json)": ".json"}
MADE_UP = tr("Made-up shots of the simulated phone, separate from yours.")
EMPTY = tr(
    "The logbook is empty. Open a folder of raws: every shot that is measured adds a record with its "
    "settings, noise, sharpness and verdict. No picture is stored in it."
)


class LogbookPage(QWidget):
    """All of it follows `session.looking`."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.session = host, host.session
        self.looking = self.session.looking
        self._listed: tuple[LogRecord, ...] = ()
        layout = across(self, margins=0, gap=0)
        self.left, self.right = self._shoots_side(), self._shots_side()
        layout.addWidget(self.left)
        layout.addWidget(self._middle(), 1)
        layout.addWidget(self.right)
        self.looking.changed.connect(self._show)
        self.session.shoot.opened.connect(self._folder_opened)
        self._show()

    # -- parts

    def _shoots_side(self) -> QWidget:
        holder = surface()
        holder.setFixedWidth(LEFT_WIDTH)
        column = down(holder, margins=(10, 8, 6, 8))
        heading = Label(tr("Shoots"), objectName="heading")
        column.addWidget(heading)
        self.made_up = Label("", objectName="quiet", wordWrap=True)
        column.addWidget(self.made_up)
        self.list = build(
            QListWidget, accessibleName=tr("Shoots"), itemClicked=self._choose, itemActivated=self._choose
        )
        column.addWidget(self.list, 1)
        self.phone: QComboBox = build(
            QComboBox,
            accessibleName=tr("Phone"),
            activated=lambda _: self.looking.ask(self.looking.question, phone=self.phone.currentText()),
        )
        column.addWidget(self.phone)
        self.asked: dict[str, QPushButton] = {}
        for key, text in QUESTIONS.items():
            button = build(QPushButton, text, checkable=True, clicked=partial(self._ask, key))
            column.addWidget(button)
            self.asked[key] = button
        self.export = build(
            QPushButton,
            tr("Export all…"),
            toolTip=tr("Export the whole logbook as a table (CSV) or as JSON"),
            clicked=self._ask_export,
        )
        column.addWidget(self.export)
        return holder

    def _middle(self) -> QWidget:
        holder = surface()
        column = down(holder, margins=(14, 8, 14, 8), gap=6)
        self.problem = Label("", objectName="warning", alignment=Qt.AlignmentFlag.AlignTop, wordWrap=True)
        column.addWidget(self.problem)
        self.nothing = EmptyState(EMPTY, (tr("Open a folder…"), self.host.opener.choose_folder))
        column.addWidget(self.nothing, 1)
        self.plots = LearntPlots()
        column.addWidget(self.plots, 1)
        return holder

    def _shots_side(self) -> QWidget:
        panel, column = side_panel(tr("Shots"), 6)
        self.title = Label("", objectName="heading")
        column.addWidget(self.title)
        self.answer = Label("", wordWrap=True)
        column.addWidget(self.answer)
        self.table = build(QTableWidget, 0, len(COLUMNS), accessibleName=tr("Shots"))
        self.table.setHorizontalHeaderLabels(COLUMNS)
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        for k, width in enumerate((112, 48, 62)):
            self.table.setColumnWidth(k, width)
        self.table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.verticalHeader().setDefaultSectionSize(24)
        self.table.itemSelectionChanged.connect(self._enable_support)
        column.addWidget(self.table, 1)
        self.fields: dict[str, QLineEdit] = {}
        for key, name, tip in (
            ("place", tr("Place"), tr("Where this shoot was; saved with all its shots")),
            ("gear", tr("Gear"), tr("Tripod, clamp, filters and so on")),
            ("note", tr("Note"), tr("What to remember about this shoot")),
        ):
            row = QHBoxLayout()
            label = Label(name, minimumWidth=44)
            field = build(
                QLineEdit, accessibleName=name, toolTip=tip, editingFinished=partial(self._field_changed, key)
            )
            row.addWidget(label)
            row.addWidget(field)
            column.addLayout(row)
            self.fields[key] = field
        row = across(gap=4)
        label = Label(tr("Battery"), minimumWidth=44)
        row.addWidget(label)
        self.charge: list[ValueBox] = []
        for name, empty, unit, most, tip in (
            (tr("Charge before"), tr("before"), " %", 100, tr("Battery charge when the shoot began")),
            (tr("Charge after"), tr("after"), " %", 100, tr("Battery charge when it ended")),
            (tr("Hours"), tr("hours"), " h", 48, tr("Hours between; the drain per hour is learnt from all shoots")),
        ):
            box = ValueBox()
            box.setRange(0, most)
            box.setDecimals(0 if most == 100 else 1)
            box.setSuffix(unit)
            box.setSpecialValueText(empty)
            box.setAccessibleName(name)
            box.setToolTip(tip)
            box.valueChanged.connect(self._charge_changed)
            row.addWidget(box, 1)
            self.charge.append(box)
        column.addLayout(row)
        row = QHBoxLayout()
        self.by_hand, self.tripod = QPushButton(tr("Handheld")), QPushButton(tr("On a tripod"))
        for button, support in ((self.by_hand, "hand"), (self.tripod, "tripod")):
            button.setToolTip(tr("How the selected shots were taken, or the whole shoot where none is selected"))
            button.clicked.connect(
                lambda _=False, support=support: self.looking.set_values(self._selected(), support=support)
            )
            row.addWidget(button)
        column.addLayout(row)
        self.forget = build(QPushButton, tr("Delete these records…"), clicked=self._ask_forget)
        column.addWidget(self.forget)
        return panel

    # -- what is shown

    def turned_to(self) -> None:
        """The task is chosen: read what there is."""
        self.looking.wanted = True
        self.looking.again()

    def _folder_opened(self) -> None:
        if self.isVisible():
            self.looking.again()

    def _show(self) -> None:
        state = self.looking.state
        there = bool(state.count)
        self.made_up.setText(MADE_UP if state.made_up else "")
        self.made_up.setVisible(state.made_up)
        self.problem.setText(state.problem)
        self.problem.setVisible(bool(state.problem))
        self.nothing.setVisible(not there and not state.problem)
        shown: tuple[QWidget, ...] = (self.left, self.right, self.plots)
        for part in shown:
            part.setVisible(there)
        # what is reported, and what is deleted, is of the shoot that is shown; answers gather shots of many
        self.forget.setEnabled(bool(state.shoot))
        for field in (*self.fields.values(), *self.charge):
            field.setEnabled(bool(state.shoot))
        charge = (state.charges or {}).get(state.shoot, (0.0, 0.0, 0.0))
        if not any(box.hasFocus() for box in self.charge):  # what is being typed stays
            for box, value in zip(self.charge, charge, strict=True):
                box.blockSignals(True)
                box.setValue(value)
                box.blockSignals(False)
        for key, button in self.asked.items():
            button.setChecked(key == self.looking.question)
        self._list_phones(state)
        self._list_shoots(state)
        self._list_shots(state)
        self._enable_support()
        if there:
            self.plots.show_state(state)

    def _list_phones(self, state: LogbookContent) -> None:
        names = [self.phone.itemText(k) for k in range(self.phone.count())]
        if names != list(state.phones):
            self.phone.clear()
            self.phone.addItems(list(state.phones))
        self.phone.setCurrentText(state.phone)

    def _list_shoots(self, state: LogbookContent) -> None:
        """Shoots are measured while one looks: rows that stay are not made anew, so that nothing jumps."""
        for k, shoot in enumerate(state.shoots):
            size = (
                tr("{bytes:.1f} GB", bytes=shoot.bytes / 1000000000.0)
                if shoot.bytes >= 1e8
                else tr("{bytes:.0f} MB", bytes=shoot.bytes / 1000000.0)
            )
            count = trn("{shots} shot", "{shots} shots", shots=shoot.shots)
            item = self.list.item(k) or QListWidgetItem(self.list)
            item.setText(f"{shoot.end[:10] or 'no date'}\n{shoot.name}\n{count} · {size}")
            item.setData(Qt.ItemDataRole.UserRole, shoot.name)
        while self.list.count() > len(state.shoots):
            self.list.takeItem(self.list.count() - 1)
        names = [s.name for s in state.shoots]
        shown = names.index(state.shoot) if state.shoot in names and not self.looking.question else -1
        self.list.setCurrentRow(shown)

    def _list_shots(self, state: LogbookContent) -> None:
        self.title.setText(state.title)
        self.answer.setText(state.answer)
        if state.shots != self._listed:
            self._fill_table(state)
        for key, field in self.fields.items():
            if not (field.hasFocus() and field.isModified()):  # what is being typed stays
                field.setText(self._common(state, key))
                field.setModified(False)

    def _fill_table(self, state: LogbookContent) -> None:
        chosen = {r.key for r in self._selected()}
        self._listed = state.shots
        self.table.clearSelection()
        self.table.setRowCount(len(state.shots))
        for k, r in enumerate(state.shots):
            verdict = BY_ID[r.verdict].text if r.verdict in BY_ID else ""
            for c, text in enumerate((r.name, f"{r.iso:.0f}" if r.iso else "–", time_text(r.exposure_s), verdict)):
                item = QTableWidgetItem(text)
                item.setToolTip(plain_tooltip(self._about(r)))
                self.table.setItem(k, c, item)
                item.setSelected(r.key in chosen)

    @staticmethod
    def _about(r: LogRecord) -> str:
        facts = [
            r.taken.replace("T", " "),
            tr("{focal_35mm:.0f} mm", focal_35mm=r.focal_35mm) if r.focal_35mm else "",
            r.kind,
            r.place,
            r.gear,
        ]
        if r.blur_px is not None:
            facts.append(tr("moved {blur_px:.1f} px", blur_px=r.blur_px))
        return " · ".join(f for f in facts if f)

    @staticmethod
    def _common(state: LogbookContent, key: str) -> str:
        if key == "note":
            return next((s.note for s in state.shoots if s.name == state.shoot), "")
        values = {getattr(r, key) for r in state.shots}
        return str(values.pop()) if len(values) == 1 else ""

    # -- what is done

    def _choose(self, item: QListWidgetItem) -> None:
        self.looking.ask("", shoot=str(item.data(Qt.ItemDataRole.UserRole)))

    def _ask(self, key: str) -> None:
        self.looking.ask("" if self.looking.question == key else key)

    def _selected(self) -> list[LogRecord]:
        rows = sorted({i.row() for i in self.table.selectedIndexes()})
        return [self._listed[k] for k in rows if k < len(self._listed)]

    def _enable_support(self) -> None:
        """How shots were held is reported of those that are selected, or of the shoot that is shown."""
        for button in (self.by_hand, self.tripod):
            button.setEnabled(bool(self.looking.state.shoot or self._selected()))

    def _field_changed(self, key: str) -> None:
        field = self.fields[key]
        if not field.isModified():
            return
        field.setModified(False)
        shoot = self.looking.state.shoot
        if not shoot:
            return
        if key == "note":
            self.looking.note(shoot, field.text())
        else:
            self.looking.set_values((), **{key: field.text()})

    def _charge_changed(self) -> None:
        """All three are needed: the charge fell over some time."""
        before, after, hours = (box.value() for box in self.charge)
        shoot = self.looking.state.shoot
        if shoot and hours > 0 and before > after:
            self.looking.note(shoot, battery=(before, after, hours))

    def _ask_forget(self) -> None:
        name = self.looking.state.shoot
        if name and ask_user(
            self,
            tr("Delete the records of {name}?", name=name),
            tr("Its files stay. What was learnt from these shots is lost."),
            tr("Delete records"),
            tr("Cancel"),
        ):
            self.looking.forget(name)

    def _ask_export(self) -> None:
        start = str(Path.home() / "logbook.csv")
        name, kind = QFileDialog.getSaveFileName(self, tr("The whole logbook"), start, ";;".join(EXPORTS))
        if name:
            path = Path(name)
            chosen = path.suffix.lower() in EXPORTS.values()
            self.looking.export(path if chosen else path.with_name(path.name + EXPORTS.get(kind, ".csv")), chosen)
