"""The left side of the plan: which plan, where and when, and its shots as a list."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QDate, QStringListModel, Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QCompleter,
    QDateEdit,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QWidget,
)

from bruto.app.widgets.build import across, build, down
from bruto.app.widgets.panel import surface
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.app.widgets.value_box import ValueBox
from bruto.catalog import tr
from bruto.plan.plan_vs_actual import PlanMatch
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.plan.shot_kinds import KINDS
from bruto.sensor.advice import time_text
from bruto.session.plan_editor import PlanEditor

WIDTH = 250
"""Pixels."""
UNKNOWN = 9.9
"""Stands for a darkness that is unknown, magnitudes."""
STATES = {"done": "✓", "differently": "≠", "missing": "–"}


def settings_text(planned: PlannedShot) -> str:
    """What is set of a planned shot, in a line."""
    parts = [
        tr("{focal_35mm:.0f} mm", focal_35mm=planned.focal_35mm) if planned.focal_35mm else "",
        tr("ISO {iso:.0f}", iso=planned.iso) if planned.iso else "",
    ]
    if planned.seconds:
        parts.append(time_text(planned.seconds) + (f" × {planned.frames}" if planned.frames > 1 else ""))
    return " · ".join(p for p in parts if p)


class PlanSide(QWidget):
    """Follows a `PlanEditor`; `wanted` asks the page to do something, by a word: "new",
    "delete", "paper", "night", "darkness"."""

    wanted = Signal(str)

    def __init__(self, plan_editor: PlanEditor) -> None:
        super().__init__()
        self.plan_editor = plan_editor
        self.document, self.calculation = self.plan_editor.document, self.plan_editor.calculation
        outer = down(self, margins=0)
        holder = surface()
        holder.setFixedWidth(WIDTH)
        outer.addWidget(holder)
        column = down(holder, margins=(10, 8, 6, 8), gap=5)
        row = QHBoxLayout()
        self.plans = build(
            QComboBox, accessibleName=tr("Plan"), toolTip=tr("The plan shown; the list holds the others")
        )
        self.plans.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.plans.setMinimumContentsLength(10)
        self.plans.activated.connect(lambda k: plan_editor.document.open(Path(self.plans.itemData(k))))
        row.addWidget(self.plans, 1)
        self.new = build(
            QPushButton,
            tr("New"),
            toolTip=tr("Start another plan for today at this place"),
            clicked=lambda: self.wanted.emit("new"),
        )
        row.addWidget(self.new)
        column.addLayout(row)
        column.addLayout(self._where())
        heading = Label(tr("Shots"), objectName="heading")
        column.addWidget(heading)
        self.list = build(QListWidget, accessibleName=tr("Shots of the plan"))
        self.list.currentRowChanged.connect(self._chosen)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.list, 1)
        self.taken = Label("", objectName="quiet", wordWrap=True)
        column.addWidget(self.taken)
        buttons = QHBoxLayout()
        self.add = build(QPushButton, tr("Add a shot"), objectName="primary")
        kinds = QMenu(self.add)
        for key, kind in KINDS.items():
            kinds.addAction(kind.title).triggered.connect(partial(plan_editor.add, key))
        self.add.setMenu(kinds)
        self.paper = build(QPushButton, tr("Shot list"), toolTip=tr("The plan on one page, to print or to carry along"))
        papers = QMenu(self.paper)
        papers.addAction(tr("Black on white…")).triggered.connect(lambda: self.wanted.emit("paper"))
        papers.addAction(tr("Red on black, for the night…")).triggered.connect(lambda: self.wanted.emit("night"))
        papers.addSeparator()
        papers.addAction(tr("Delete this plan…")).triggered.connect(lambda: self.wanted.emit("delete"))
        self.paper.setMenu(papers)
        buttons.addWidget(self.add, 1)
        buttons.addWidget(self.paper, 1)
        column.addLayout(buttons)

    def _where(self) -> QFormLayout:
        """Name, place, date, phone."""
        form = QFormLayout()
        form.setHorizontalSpacing(6)
        form.setVerticalSpacing(4)
        self.texts: dict[str, QLineEdit] = {}
        for name, title, tip in (
            ("name", tr("Name"), tr("Name of the plan")),
            ("place", tr("Place"), tr("Name of the place; it stays on this computer")),
        ):
            field = build(
                QLineEdit, maxLength=200, accessibleName=title, toolTip=tip, editingFinished=partial(self._text, name)
            )
            self.texts[name] = field
            form.addRow(title, field)
        self.known = QStringListModel()
        completer = QCompleter(self.known, self)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.activated.connect(self.plan_editor.go_to)
        self.texts["place"].setCompleter(completer)
        self.numbers: dict[str, ValueBox] = {}
        spot = across(gap=4)
        for name, title, most in (("latitude", tr("Latitude"), 90.0), ("longitude", tr("Longitude"), 180.0)):
            box = ValueBox()
            box.setRange(-most, most)
            box.setDecimals(3)
            box.setSingleStep(0.1)
            box.setSuffix("°")
            box.setAccessibleName(title)
            box.setToolTip(
                tr(
                    "{title} in degrees; {value} is positive",
                    title=title,
                    value=tr("north") if most == 90 else tr("east"),
                )
            )
            box.valueChanged.connect(partial(self._number, name))
            spot.addWidget(box, 1)
            self.numbers[name] = box
        form.addRow("N, E", spot)
        when = across(gap=4)
        self.date = QDateEdit()
        self.date.setDisplayFormat("yyyy-MM-dd")
        self.date.setCalendarPopup(True)
        self.date.setDateRange(QDate(1900, 1, 1), QDate(2100, 12, 30))
        self.date.setAccessibleName(tr("Date"))
        self.date.setToolTip(tr("The day; its night is the one that follows"))
        self.date.setKeyboardTracking(False)
        self.date.dateChanged.connect(lambda d: planning_change(self.plan_editor, date=d.toString("yyyy-MM-dd")))
        self.zone = build(
            QLineEdit,
            placeholderText=tr("time zone"),
            accessibleName=tr("Time zone"),
            toolTip=tr("Name of the time zone, for example CET; empty for the zone of the longitude"),
        )
        self.zone.setFixedWidth(58)
        self.date.setMinimumWidth(116)
        self.zone.editingFinished.connect(partial(self._text, "zone"))
        self.texts["zone"] = self.zone
        when.addWidget(self.date, 1)
        when.addWidget(self.zone)
        form.addRow(tr("Date"), when)
        sky = across(gap=4)
        self.dark = ValueBox()
        self.dark.setRange(UNKNOWN, 23.0)
        self.dark.setDecimals(1)
        self.dark.setSingleStep(0.1)
        self.dark.setSpecialValueText("natural")
        self.dark.setAccessibleName(tr("Sky brightness"))
        self.dark.setToolTip(
            tr("Sky brightness without a moon, magnitudes per square arc second: 22 natural, 20 countryside, 18 town")
        )
        self.dark.valueChanged.connect(
            lambda v: planning_change(self.plan_editor, darkness=None if v <= UNKNOWN else max(v, 10.0))
        )
        self.measure = build(
            QPushButton,
            tr("Measure"),
            objectName="inLine",
            toolTip=tr("From a raw of the sky: the open shot, or a file you choose"),
            clicked=lambda: self.wanted.emit("darkness"),
        )
        sky.addWidget(self.dark, 1)
        sky.addWidget(self.measure)
        form.addRow(tr("Sky"), sky)
        self.free = ValueBox()
        self.free.setRange(0.0, 9999.0)
        self.free.setDecimals(0)
        self.free.setSuffix(" GB")
        self.free.setSpecialValueText(tr("not known"))
        self.free.setAccessibleName(tr("Free storage on the phone"))
        self.free.setToolTip(tr("Free storage on the phone in gigabytes, compared with what the shots need"))
        self.free.valueChanged.connect(lambda v: planning_change(self.plan_editor, free_mb=1000 * v if v > 0 else None))
        form.addRow(tr("Free"), self.free)
        self.phone = build(
            QComboBox,
            accessibleName=tr("Phone"),
            toolTip=tr(
                "The phone whose lenses, times, noise and speed are used; a phone is known once its raws were opened"
            ),
        )
        self.phone.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.phone.setMinimumContentsLength(8)
        self.phone.activated.connect(self._phone_chosen)
        form.addRow(tr("Phone"), self.phone)
        return form

    # -- what is shown

    def show_plan(self, matches: list[PlanMatch]) -> None:
        """Show the plan that is open, and what became of it."""
        plan = self.document.plan
        self.setVisible(plan is not None)
        if plan is None:
            return
        self._list_plans(plan)
        for name, field in self.texts.items():
            if not (field.hasFocus() and field.isModified()):
                field.setText(getattr(plan, name))
                field.setModified(False)
        for name, box in self.numbers.items():
            if not (box.hasFocus() and box.lineEdit().isModified()):
                box.blockSignals(True)
                box.setValue(getattr(plan, name))
                box.blockSignals(False)
        for box, value in (
            (self.dark, UNKNOWN if plan.darkness is None else plan.darkness), (self.free, (plan.free_mb or 0) / 1000),
        ):  # fmt: skip
            if not (box.hasFocus() and box.lineEdit().isModified()):
                box.blockSignals(True)
                box.setValue(value)
                box.blockSignals(False)
        self.date.blockSignals(True)
        self.date.setDate(QDate.fromString(plan.date, "yyyy-MM-dd"))
        self.date.blockSignals(False)
        self._list_phones(plan)
        self.known.setStringList(sorted(self.plan_editor.places))
        self._list_shots(plan, matches)
        done = sum(b.state == "done" for b in matches)
        self.taken.setText(
            tr("Open shoot: {done} of {matches_count} done.", done=done, matches_count=len(matches)) if matches else ""
        )
        self.taken.setVisible(bool(matches))

    def _list_plans(self, plan: Plan) -> None:
        path = self.document.file.path
        there = self.document.file.plans()
        if path is not None and path not in there:
            there = [path, *there]
        self.plans.blockSignals(True)
        self.plans.clear()
        for p in there:
            self.plans.addItem(plan.name if p == path else p.stem, str(p))
        self.plans.setCurrentIndex(there.index(path) if path in there else -1)
        self.plans.blockSignals(False)

    def _list_phones(self, plan: Plan) -> None:
        own = (plan.make, plan.model)
        some = [p for p in self.plan_editor.phones if p != own]
        every = [*([own] if plan.model else []), *some, ("", "")]
        self.phone.blockSignals(True)
        self.phone.clear()
        for make, model in every:
            title = model if model.startswith(make) else f"{make} {model}".strip()
            self.phone.addItem(title or tr("none: typical values"), (make, model))
        self.phone.setCurrentIndex(every.index(own))
        self.phone.blockSignals(False)

    def _list_shots(self, plan: Plan, matches: list[PlanMatch]) -> None:
        self.list.blockSignals(True)
        for k, planned in enumerate(plan.planned_shots):
            item = self.list.item(k) or QListWidgetItem(self.list)
            at = planned.at[11:16]
            first = f"{at}  {planned.title}" if at else planned.title
            second = settings_text(planned)
            if matches:
                b = matches[k]
                first = f"{STATES[b.state]} {first}"
                second = {
                    "done": tr("done: {shots_count} taken", shots_count=len(b.shots)),
                    "missing": tr("missing · {second}", second=second),
                    "differently": b.note,
                }[b.state]
                second = f"{second}. {b.pace}" if b.pace else second
            item.setText(f"{first}\n{second}")
            item.setToolTip(plain_tooltip(f"{planned.title}: {settings_text(planned)}. {second}"))
        while self.list.count() > len(plan.planned_shots):
            self.list.takeItem(self.list.count() - 1)
        self.list.setCurrentRow(self.document.chosen if plan.planned_shots else -1)
        self.list.blockSignals(False)

    # -- what is done

    def _chosen(self, row: int) -> None:
        if row >= 0:
            self.document.choose(row)

    def _text(self, name: str) -> None:
        field = self.texts[name]
        if field.isModified():
            field.setModified(False)
            planning_change(self.plan_editor, **{name: field.text().strip()})

    def _phone_chosen(self, row: int) -> None:
        make, model = self.phone.itemData(row)
        planning_change(self.plan_editor, make=make, model=model)

    def _number(self, name: str, value: float) -> None:
        planning_change(self.plan_editor, **{name: value})


def planning_change(plan_editor: PlanEditor, **fields: Any) -> None:
    """Change the plan, a step of its own."""
    plan_editor.document.settle()
    plan_editor.document.change(**fields)
