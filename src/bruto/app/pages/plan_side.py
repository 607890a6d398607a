"""The left side of the plan: which plan, where and when, and its shots as a list."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QStringListModel, Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QCompleter,
    QFormLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QWidget,
)

from bruto.app.widgets.build import build, down, fill
from bruto.app.widgets.form import Form, FormRow, choice, day, form_layout, line, number
from bruto.app.widgets.panel import surface
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.catalog import tr
from bruto.plan.plan_vs_actual import PlanMatch
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.plan.shot_kinds import KINDS
from bruto.sensor.advice import time_text
from bruto.session.plan_editor import PlanEditor

MOST_PLACES = 12
"""Lines of that list without scrolling."""
WIDTH, PLACES_WIDTH = 250, 340
"""Pixels: of the side, and of the list of places at least."""
UNKNOWN = 9.9
"""Stands for a darkness that is unknown, magnitudes."""
PLACE_TIP = tr("A town of the world, or your own name for the place; it stays on this computer")
NIGHT_TIP = tr("The day; its night is the one that follows")
ZONE_TIP = tr("Name of the time zone, for example CET; empty for the zone in which the coordinates lie")
DARKNESS_TIP = tr(
    "Sky brightness without a moon, magnitudes per square arc second: 22 natural, 20 countryside, 18 town"
)
FREE_TIP = tr("Free storage on the phone in gigabytes, compared with what the shots need")
PHONE_TIP = tr("The phone whose lenses, times, noise and speed are used; a phone is known once its raws were opened")
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
        self.new = build(
            QPushButton,
            tr("New"),
            toolTip=tr("Start another plan for today at this place"),
            clicked=lambda: self.wanted.emit("new"),
        )
        fill(row, (self.plans, 1), self.new)
        heading = Label(tr("Shots"), objectName="heading")
        self.list = build(QListWidget, accessibleName=tr("Shots of the plan"), currentRowChanged=self._chosen)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.taken = Label("", objectName="quiet", wordWrap=True)
        fill(column, row, self._where(), heading, (self.list, 1), self.taken)
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
        fill(buttons, (self.add, 1), (self.paper, 1))
        column.addLayout(buttons)

    def _where(self) -> QFormLayout:
        """Name, place, date, phone."""
        column = form_layout()
        measure = build(
            QPushButton,
            tr("Measure"),
            objectName="inLine",
            toolTip=tr("From a raw of the sky: the open shot, or a file you choose"),
            clicked=lambda: self.wanted.emit("darkness"),
        )
        self.form = Form(
            column,
            (
                FormRow("name", tr("Name"), line(), tr("Name of the plan")),
                FormRow("place", tr("Place"), line(tr("type a town")), PLACE_TIP),
                FormRow(
                    "latitude", tr("Latitude"), number(-90.1, 90, "°", 3, 0.1, tr("not set")),
                    tr("Latitude in degrees; north is positive"), caption="N, E",
                ),
                FormRow(
                    "longitude", tr("Longitude"), number(-180.1, 180, "°", 3, 0.1, tr("not set")),
                    tr("Longitude in degrees; east is positive"), beside=True,
                ),
                FormRow("height_m", tr("Height"), number(-500, 9000, " m"), tr("Height above sea level in metres")),
                FormRow("date", tr("Date"), day("1900-01-01", "2100-12-30"), NIGHT_TIP),
                FormRow("zone", tr("Time zone"), line(tr("of the coordinates")), ZONE_TIP, caption=tr("Zone")),
                FormRow(
                    "darkness", tr("Sky brightness"), number(UNKNOWN, 23, "", 1, 0.1, tr("natural")), DARKNESS_TIP,
                    caption=tr("Sky"), also=(measure,),
                ),
                FormRow(
                    "free_gb", tr("Free storage on the phone"), number(0, 9999, " GB", unknown=tr("not known")),
                    FREE_TIP, caption=tr("Free"),
                ),
                FormRow("phone", tr("Phone"), choice(short=8), PHONE_TIP),
            ),
        )  # fmt: skip
        self.form.changed.connect(self._changed)
        self.form.widgets["date"].setMinimumWidth(116)
        self.known = QStringListModel()
        self.completer = QCompleter(self.known, self)
        self.completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        self.completer.setMaxVisibleItems(MOST_PLACES)
        self.completer.activated.connect(self._go_to)
        self.place = self.form.widgets["place"]
        self.place.setCompleter(self.completer)
        self.place.textEdited.connect(lambda text: self.plan_editor.places.find(text, self._offer_places))
        self.phone = self.form.widgets["phone"]
        return column

    # -- what is shown

    def show_plan(self, matches: list[PlanMatch]) -> None:
        """Show the plan that is open, and what became of it."""
        plan = self.document.plan
        self.setVisible(plan is not None)
        if plan is None:
            return
        self._list_plans(plan)
        self._list_phones(plan)
        free = None if plan.free_mb is None else plan.free_mb / 1000
        known = {name: getattr(plan, name) for name in self.form.rows if hasattr(plan, name)}
        self.form.show(known | {"free_gb": free})
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

    def _offer_places(self, labels: list[str]) -> None:
        self.known.setStringList(labels)
        if self.place.hasFocus() and self.place.isModified():
            self.completer.popup().setMinimumWidth(PLACES_WIDTH)
            self.completer.complete()

    def _go_to(self, label: str) -> None:
        """The line that was chosen stands in the field, and gives way to the place's name."""
        offered = self.plan_editor.places.offered
        if label in offered:
            place = offered[label]
            self.place.setText(place.name if place else label)
            self.place.setModified(False)
            self.plan_editor.go_to(label)

    def _changed(self, name: str, value: Any) -> None:
        if name == "phone":
            planning_change(self.plan_editor, make=value[0], model=value[1])
        elif name == "free_gb":
            planning_change(self.plan_editor, free_mb=None if value is None else 1000 * value)
        elif name == "place":
            self.plan_editor.name_place(value)
        else:
            lowest = 10.0 if name == "darkness" and value is not None else None
            planning_change(self.plan_editor, **{name: value if lowest is None else max(value, lowest)})


def planning_change(plan_editor: PlanEditor, **fields: Any) -> None:
    """Change the plan, a step of its own."""
    plan_editor.document.settle()
    plan_editor.document.change(**fields)
