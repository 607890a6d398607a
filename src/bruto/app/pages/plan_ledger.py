"""The ledger of a planned shot: each value with what is proposed and why, what it all costs, gear, notes and
cautions."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QWidget,
)

from bruto.app.pages.plan_question import PlanQuestion
from bruto.app.pages.plan_rows import PlanRow, rows_for
from bruto.app.widgets.build import build, down, fill
from bruto.app.widgets.panel import clear, scrolled, side_panel
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.app.widgets.wheel_guard import WheelGuard
from bruto.catalog import clauses, tr
from bruto.plan.planned_shots import PlannedShot
from bruto.plan.recommendation import Recommendation
from bruto.plan.recommendations import moment_of
from bruto.plan.shot_kinds import CAUTIONS, KINDS, kind_of
from bruto.session.plan_editor import PlanEditor
from bruto.session.simulated_preview import Axis

SAME_SHARE, SAME_S, SAME_DEGREES = 0.02, 240.0, 1.5
"""How near a value is to what is proposed to be the same: a share, seconds of the clock, degrees."""
SUPPORTS = {"": tr("usual support"), "tripod": tr("on a tripod"), "hand": tr("handheld")}


def same(name: str, value: float, offered: float) -> bool:
    """Whether a value is what is proposed."""
    if name == "at":
        return abs(value - offered) < SAME_S
    if name in ("altitude", "azimuth"):
        return abs((value - offered + 180) % 360 - 180) < SAME_DEGREES
    return abs(value / offered - 1) < SAME_SHARE if offered else value == offered


class PlanLedger(QWidget):
    """Follows a `PlanEditor`; `manners` are taught to rows, which are made as they are needed."""

    def __init__(self, plan_editor: PlanEditor, manners: WheelGuard) -> None:
        super().__init__()
        self.manners = manners
        self.plan_editor = plan_editor
        self.document, self.calculation = self.plan_editor.document, self.plan_editor.calculation
        self.rows: dict[str, PlanRow] = {}
        self._made_for: tuple = ()
        layout = down(self, margins=0)
        panel, column = side_panel(tr("This shot"), 4)
        layout.addWidget(panel)
        self.panel = panel
        head = QHBoxLayout()
        self.title = build(
            QLineEdit,
            accessibleName=tr("Title of the shot"),
            maxLength=200,
            editingFinished=partial(self._words, "title"),
        )
        head.addWidget(self.title, 1)
        self.kind = build(QComboBox, accessibleName=tr("Kind of shot"))
        for key, kind in KINDS.items():
            self.kind.addItem(kind.title, key)
        self.kind.activated.connect(lambda _: plan_editor.turn_into(str(self.kind.currentData())))
        column.addLayout(head)
        kinds = QHBoxLayout()
        kinds.addWidget(self.kind, 1)
        self.support = build(QComboBox, accessibleName=tr("Support"))
        for key, text in SUPPORTS.items():
            self.support.addItem(text, key)
        self.support.activated.connect(lambda _: plan_editor.document.change_shot(support=self.support.currentData()))
        kinds.addWidget(self.support)
        scroll, body = scrolled(2)
        fill(column, kinds, (scroll, 1))
        self.rows_column = down(gap=0)
        body.addLayout(self.rows_column)
        self.question = PlanQuestion(plan_editor)
        body.addWidget(self.question)
        heading = Label(tr("Cost"), objectName="heading")
        body.addSpacing(4)
        self.facts = QGridLayout()
        self.facts.setHorizontalSpacing(8)
        self.facts.setVerticalSpacing(0)
        self.facts.setColumnStretch(1, 1)
        fill(body, heading, self.facts)
        self.alternatives_heading = Label(tr("Alternatives"), objectName="heading")
        body.addSpacing(4)
        self.alternatives = QGridLayout()
        self.alternatives.setHorizontalSpacing(8)
        self.alternatives.setVerticalSpacing(2)
        self.alternatives.setColumnStretch(0, 1)
        fill(body, self.alternatives_heading, self.alternatives)
        self.fields: dict[str, QLineEdit] = {}
        for name, title, tip in (
            ("gear", tr("Gear"), tr("Gear to bring for this shot")),
            ("note", tr("Note"), tr("What to remember there")),
        ):
            row = QHBoxLayout()
            label = Label(title)
            label.setFixedWidth(48)
            field = build(
                QLineEdit, maxLength=400, accessibleName=title, toolTip=tip, editingFinished=partial(self._words, name)
            )
            row.addWidget(label)
            row.addWidget(field)
            body.addLayout(row)
            self.fields[name] = field
        self.cautions = QGridLayout()
        self.cautions.setHorizontalSpacing(6)
        self.cautions.setVerticalSpacing(2)
        self.cautions.setColumnStretch(1, 1)
        fill(body, self.cautions, 1)
        buttons = QHBoxLayout()
        self.take_all = build(
            QPushButton,
            tr("Apply all"),
            toolTip=tr("Apply every recommended value to this shot"),
            clicked=plan_editor.take_all,
        )
        self.remove = build(
            QPushButton,
            tr("Remove"),
            toolTip=tr("Remove this shot from the plan; Ctrl+Z brings it back"),
            clicked=plan_editor.document.remove,
        )
        fill(buttons, self.take_all, self.remove, 1)
        column.addLayout(buttons)

    # -- what is shown

    def show_shot(self, axis: Axis | None) -> None:
        """Show the chosen shot; `axis`: the one on which its time is set."""
        planned, plan = self.document.planned, self.document.plan
        self.panel.setVisible(planned is not None)
        if planned is None or plan is None:
            return
        for name, field in (("title", self.title), *self.fields.items()):
            if not (field.hasFocus() and field.isModified()):
                field.setText(getattr(planned, name))
                field.setModified(False)
        self.kind.setCurrentIndex(self.kind.findData(planned.kind if planned.kind in KINDS else "other"))
        self.support.setCurrentIndex(self.support.findData(planned.support))
        offered = self.calculation.recommendations()
        if axis is not None:
            self._make_rows(planned, axis, tuple(offered))
            self._show_rows(planned, offered)
        elif self.rows:
            clear(self.rows_column)
            self.rows, self._made_for = {}, ()
        self.question.show_for(offered.values())
        self._show_forecast()
        self._show_alternatives(planned)
        self._show_cautions(planned)

    def _make_rows(self, planned: PlannedShot, axis: Axis, names: tuple[str, ...]) -> None:
        means, plan = self.calculation.equipment, self.document.plan
        assert plan is not None
        made_for = (
            names, tuple(means.isos), tuple(means.seconds), tuple(means.lenses), axis.begin, axis.end, plan.where,
            planned.seconds if "interval_s" in names else 0,
        )  # fmt: skip
        if made_for == self._made_for:
            return
        focus = next((n for n, r in self.rows.items() if r.hasFocus() or r.spin.hasFocus()), None)
        self._made_for = made_for
        clear(self.rows_column)
        self.rows = {}
        for row in rows_for(planned, means, axis, plan.where, names):
            row.changed.connect(self._changed)
            row.taken.connect(self.plan_editor.take)
            row.reset.connect(self.plan_editor.take)
            self.rows_column.addWidget(row)
            self.rows[row.field] = row
            self.manners.attach(row)
        if focus in self.rows:
            self.rows[focus].setFocus(Qt.FocusReason.OtherFocusReason)

    def _show_rows(self, planned: PlannedShot, offered: dict[str, Recommendation]) -> None:
        plan = self.document.plan
        assert plan is not None
        for name, row in self.rows.items():
            recommendation = offered.get(name)
            if recommendation is None:
                continue
            if name == "at":
                moment = moment_of(planned, plan.where)
                value = recommendation.value if moment is None else moment.timestamp()
            else:
                own = getattr(planned, name)
                value = recommendation.value if own is None else float(own)
            is_same = same(name, value, recommendation.value)
            assumed = recommendation.assumes.text if recommendation.assumes is not None else ""
            row.show_values(
                value,
                value,
                recommendation.value,
                clauses(recommendation.reason[:1].upper() + recommendation.reason[1:], assumed),
                is_same,
                recommendation.assumes is None,
            )

    def _show_forecast(self) -> None:
        clear(self.facts)
        forecast = self.calculation.forecast()
        for k, (name, value_text, minded) in enumerate(forecast.lines() if forecast is not None else ()):
            left, right = Label(name), Label(value_text)
            left.setObjectName("factName")
            right.setObjectName("fact")
            right.setWordWrap(True)
            if minded:
                right.setText(f"▲ {value_text}")
                right.setStyleSheet("font-weight: bold;")
            self.facts.addWidget(left, k, 0)
            self.facts.addWidget(right, k, 1)

    def _show_alternatives(self, planned: PlannedShot) -> None:
        """What else would do, with a button that takes it."""
        clear(self.alternatives)
        alternatives = self.calculation.alternatives()
        self.alternatives_heading.setVisible(bool(alternatives))
        for k, alternative in enumerate(alternatives):
            text = Label(f"{alternative.name}: {alternative.text}", wordWrap=True)
            here = alternative.taken_by(planned)
            take = build(QPushButton, "✓" if here else tr("Apply"), objectName="inLine")
            take.setEnabled(not here)
            take.setAccessibleName(tr("Apply: {name}", name=alternative.name))
            take.setToolTip(plain_tooltip(f"{alternative.name}: {alternative.text}"))
            take.clicked.connect(lambda _=False, fields=alternative.fields: self._take_alternative(fields))
            self.alternatives.addWidget(text, k, 0)
            self.alternatives.addWidget(take, k, 1)

    def _show_cautions(self, planned: PlannedShot) -> None:
        names = kind_of(planned.kind).cautions
        clear(self.cautions)
        for k, name in enumerate(names):
            tick = build(QCheckBox, checked=name not in planned.dismissed)
            tick.setToolTip(tr("Untick to leave it off the list"))
            tick.setAccessibleName(tr("Caution: {CAUTIONS}", CAUTIONS=CAUTIONS[name]))
            tick.clicked.connect(lambda on, name=name: self._dismiss(name, on))
            text = Label(CAUTIONS[name], wordWrap=True)
            if name in planned.dismissed:
                text.setObjectName("quiet")
            self.cautions.addWidget(tick, k, 0, Qt.AlignmentFlag.AlignTop)
            self.cautions.addWidget(text, k, 1)

    # -- what is done

    def _changed(self, name: str, value: float, final: bool) -> None:
        """A drag is one step, which its end closes; so is a key or a number that is typed."""
        if self.document.planned is not None:
            self.document.change_shot(True, **{name: self.plan_editor.stored(name, value)})
            if final:
                self.document.settle()

    def _take_alternative(self, fields: dict[str, Any]) -> None:
        self.document.settle()
        self.document.change_shot(**fields)

    def _words(self, name: str) -> None:
        field = self.title if name == "title" else self.fields[name]
        planned = self.document.planned
        if field.isModified() and planned is not None:
            field.setModified(False)
            words = field.text().strip()
            fields: dict[str, Any] = {name: words or (kind_of(planned.kind).title if name == "title" else "")}
            self.document.change_shot(**fields)

    def _dismiss(self, name: str, shown: bool) -> None:
        planned = self.document.planned
        if planned is not None:
            dismissed = tuple(d for d in planned.dismissed if d != name)
            self.document.change_shot(dismissed=dismissed if shown else (*dismissed, name))
