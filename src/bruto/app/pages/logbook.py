"""Logbook: shoots over the years at the left, what is learnt of the phone in the middle, one shoot at the right."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.pages.logbook_plots import LearntPlots
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.empty_state import EmptyState
from bruto.app.widgets.form import Form, FormRow, form_layout, line, number
from bruto.app.widgets.panel import side_panel, surface
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.app.widgets.question import ask_user
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

CHARGE = ("before", "after", "hours")
"""Fields of the battery."""
LONGEST = 32767
"""Letters of a note at most."""


class LogbookPage(QWidget):
    """All of it follows `session.looking`."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.session = host, host.session
        self.looking = self.session.looking
        self._listed: tuple[LogRecord, ...] = ()
        layout = across(self, margins=0, gap=0)
        self.left, self.right = self._shoots_side(), self._shots_side()
        fill(layout, self.left, (self._middle(), 1), self.right)
        self.looking.changed.connect(self._show)
        self.session.shoot.opened.connect(self._folder_opened)
        self._show()

    # -- parts

    def _shoots_side(self) -> QWidget:
        holder = surface()
        holder.setFixedWidth(LEFT_WIDTH)
        column = down(holder, margins=(10, 8, 6, 8))
        heading = Label(tr("Shoots"), objectName="heading")
        self.made_up = Label("", objectName="quiet", wordWrap=True)
        self.list = build(
            QListWidget, accessibleName=tr("Shoots"), itemClicked=self._choose, itemActivated=self._choose
        )
        self.phone: QComboBox = build(
            QComboBox,
            accessibleName=tr("Phone"),
            activated=lambda _: self.looking.ask(self.looking.question, phone=self.phone.currentText()),
        )
        fill(column, heading, self.made_up, (self.list, 1), self.phone)
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
        self.nothing = EmptyState(EMPTY, (tr("Open a folder…"), self.host.opener.choose_folder))
        self.plots = LearntPlots()
        fill(column, self.problem, (self.nothing, 1), (self.plots, 1))
        return holder

    def _shots_side(self) -> QWidget:
        panel, column = side_panel(tr("Shots"), 6)
        self.title = Label("", objectName="heading")
        self.answer = Label("", wordWrap=True)
        fill(column, self.title, self.answer)
        self.table = build(
            QTableWidget, 0, len(COLUMNS), accessibleName=tr("Shots"), horizontalHeaderLabels=list(COLUMNS)
        )
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
        rows = form_layout()
        self.form = Form(
            rows,
            (
                FormRow("place", tr("Place"), line(), tr("Where this shoot was; saved with all its shots")),
                FormRow("gear", tr("Gear"), line(), tr("Tripod, clamp, filters and so on")),
                FormRow("note", tr("Note"), line(most=LONGEST), tr("What to remember about this shoot")),
                FormRow(
                    "before", tr("Charge before"), number(0, 100, " %", unknown=tr("before")),
                    tr("Battery charge when the shoot began"), caption=tr("Battery"),
                ),
                FormRow(
                    "after", tr("Charge after"), number(0, 100, " %", unknown=tr("after")),
                    tr("Battery charge when it ended"), beside=True,
                ),
                FormRow(
                    "hours", tr("Hours"), number(0, 48, " h", 1, unknown=tr("hours")),
                    tr("Hours between; the drain per hour is learnt from all shoots"), beside=True,
                ),
            ),
        )  # fmt: skip
        self.form.changed.connect(self._field_changed)
        column.addLayout(rows)
        row = QHBoxLayout()
        self.by_hand, self.tripod = QPushButton(tr("Handheld")), QPushButton(tr("On a tripod"))
        for button, support in ((self.by_hand, "hand"), (self.tripod, "tripod")):
            button.setToolTip(tr("How the selected shots were taken, or the whole shoot where none is selected"))
            button.clicked.connect(
                lambda _=False, support=support: self.looking.set_values(self._selected(), support=support)
            )
            row.addWidget(button)
        self.forget = build(QPushButton, tr("Delete these records…"), clicked=self._ask_forget)
        fill(column, row, self.forget)
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
        self.form.set_usable(bool(state.shoot))
        if not any(self.form.widgets[name].hasFocus() for name in CHARGE):  # all three are typed before one counts
            charge = (state.charges or {}).get(state.shoot, (None, None, None))
            self.form.show(dict(zip(CHARGE, charge, strict=True)))
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
            item.setText(f"{shoot.day or tr('no date')}\n{shoot.name}\n{count} · {size}")
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
        self.form.show({key: self._common(state, key) for key in ("place", "gear", "note")})

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

    def _field_changed(self, name: str, value: Any) -> None:
        shoot = self.looking.state.shoot
        if not shoot:
            return
        if name == "note":
            self.looking.note(shoot, value)
        elif name not in CHARGE:
            self.looking.set_values((), **{name: value})
        else:  # all three are needed: the charge fell over some time
            before, after, hours = (self.form.editors[n].value() or 0.0 for n in CHARGE)
            if hours > 0 and before > after:
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
