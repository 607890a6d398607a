"""The sky of a plan on an axis of time: its night or its day, what is followed, and when shots are taken."""

from __future__ import annotations

from datetime import UTC, datetime

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QButtonGroup, QComboBox, QLineEdit, QPushButton, QWidget

from bruto.app.pages.plan_rows import read_bearing
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.plain_text import ElidedLabel
from bruto.app.widgets.time_axis import Block, TimeAxis
from bruto.catalog import tr
from bruto.plan.planned_shots import Plan
from bruto.plan.shot_kinds import TARGETS, kind_of
from bruto.session.plan_editor import PlanEditor
from bruto.session.plan_texts import sky_summary
from bruto.session.simulated_preview import Axis

OTHER = tr("Other position in the sky…")


class PlanSky(QWidget):
    """Shows and changes the plan of an editor; `by_day`: whether its day is shown."""

    def __init__(self, plan_editor: PlanEditor) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.plan_editor = plan_editor
        self.document, self.calculation = plan_editor.document, plan_editor.calculation
        self.by_day = False
        lower = down(self, margins=(0, 4, 0, 0), gap=2)
        row = across(margins=(10, 0, 10, 0))
        self.spans = QButtonGroup(self)
        self.night, self.day = QPushButton(tr("Night")), QPushButton(tr("Day"))
        for button in (self.day, self.night):
            button.setCheckable(True)
            button.setObjectName("inLine")
            self.spans.addButton(button)
            row.addWidget(button)
        self.night.setChecked(True)
        self.night.clicked.connect(lambda: self.turn_to(False))
        self.day.clicked.connect(lambda: self.turn_to(True))
        self.target = build(
            QComboBox,
            accessibleName=tr("Target of the night"),
            toolTip=tr("What is followed through the night and what shots of the sky point at"),
        )
        for key, (name, _) in TARGETS.items():
            self.target.addItem(name, key)
        self.target.addItem(OTHER, None)
        self.target.activated.connect(self._target_chosen)
        self.other = build(
            QLineEdit,
            placeholderText=tr("right ascension, declination in degrees"),
            accessibleName=tr("Position in the sky"),
            toolTip=tr("Right ascension and declination in degrees, for example 83.8, -5.4"),
            editingFinished=self._other_typed,
        )
        self.other.hide()
        self.wall = build(
            QLineEdit,
            placeholderText=tr("wall faces…°"),
            accessibleName=tr("Direction a wall faces"),
            toolTip=tr("Direction a wall faces, degrees clockwise from north; marks when the sun shines on it"),
        )
        self.wall.setFixedWidth(110)
        self.wall.editingFinished.connect(self._wall_typed)
        self.wall.hide()
        self.status = ElidedLabel("", objectName="quiet")
        fill(row, self.target, (self.other, 1), self.wall, (self.status, 1))
        self.axis = TimeAxis()
        self.axis.moved.connect(self._moved)
        self.axis.chosen.connect(self.document.choose)
        fill(lower, row, (self.axis, 1))

    @property
    def shown(self) -> Axis | None:
        """The night or the day that is shown, None while it is calculated."""
        sky = self.calculation.sky
        return None if sky is None else (sky.day if self.by_day else sky.night)

    def follow_shot(self) -> None:
        """The axis is the one on which the chosen shot is."""
        planned, sky = self.document.planned, self.calculation.sky
        if planned is None or sky is None or self.axis.dragging:
            return
        span = self.calculation.span_of(planned)
        if span is None:
            return
        by_night = kind_of(planned.kind).light == "sky"
        first, second = (sky.night, sky.day) if by_night else (sky.day, sky.night)
        if first.begin <= span[0] < first.end:
            self.turn_to(not by_night, show=False)
        elif second.begin <= span[0] < second.end:
            self.turn_to(by_night, show=False)

    def show_plan(self, plan: Plan) -> None:
        """Show its target, wall, sky and shots."""
        key = plan.target if plan.target in TARGETS else None
        self.target.setCurrentIndex(self.target.findData(key) if key is not None else len(TARGETS))
        self.target.setVisible(not self.by_day)
        self.other.setVisible(not self.by_day and key is None)
        self.wall.setVisible(self.by_day)
        for field, text in (
            (self.other, plan.target if key is None else ""),
            (self.wall, "" if plan.facade is None else f"{plan.facade:.0f}°"),
        ):
            if not (field.hasFocus() and field.isModified()):
                field.setText(text)
                field.setModified(False)
        blocks = []
        for k, planned in enumerate(plan.planned_shots):
            span = self.calculation.span_of(planned)
            forecast = self.calculation.forecast(planned)
            axis = self.shown
            if span is not None and axis is not None and span[1] > axis.begin and span[0] < axis.end:
                minded = forecast is not None and (forecast.full or forecast.fits is False)
                blocks.append(Block(k, planned.title, *span, minded=minded))
        self.axis.empty = "" if self.calculation.problem else tr("calculating the sky…")
        clock = plan.where.clock if plan.placed else UTC
        self.axis.show_axis(self.shown, clock, blocks, self.document.chosen)
        self.status.setText(self.calculation.problem or sky_summary(self.document, self.calculation, self.by_day))

    def turn_to(self, by_day: bool, show: bool = True) -> None:
        self.by_day = by_day
        (self.day if by_day else self.night).setChecked(True)
        if show:
            self.plan_editor.changed.emit()

    def _moved(self, index: int, begin: datetime | None, final: bool) -> None:
        if begin is not None:
            self.document.choose(index)
            self.document.change_shot(True, at=self.plan_editor.stored("at", begin.astimezone(UTC).timestamp()))
        if final:
            self.document.settle()

    def _target_chosen(self, _: int) -> None:
        key = self.target.currentData()
        if key is not None:
            self.document.change(target=str(key))
        else:
            self.other.show()
            self.other.setFocus()

    def _other_typed(self) -> None:
        if self.other.isModified():
            self.other.setModified(False)
            self.document.change(target=self.other.text().strip())

    def _wall_typed(self) -> None:
        if not self.wall.isModified():
            return
        self.wall.setModified(False)
        text = self.wall.text().strip()
        value = read_bearing(text) if text else None
        if text and (value is None or not 0 <= value <= 360):
            self.plan_editor.message.emit(
                tr("A direction is 0 to 360 degrees or a compass point such as SW, not '{text}'.", text=text)
            )
            return
        self.document.change(facade=value)
