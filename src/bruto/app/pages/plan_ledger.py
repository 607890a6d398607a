"""The ledger of a wish: each value with what is proposed and why, what it all costs, gear, notes and cautions."""

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
    QVBoxLayout,
    QWidget,
)

from bruto.app.pages.plan_rows import PlanRow, rows_for
from bruto.app.widgets.manners import Manners
from bruto.app.widgets.panel import clear, scrolled, side_panel
from bruto.app.widgets.plain import Label, plain_tooltip
from bruto.plan.kinds import CAUTIONS, KINDS, kind_of
from bruto.plan.proposing import Proposal, moment_of
from bruto.plan.wishes import Wish
from bruto.session.foreseeing import Axis
from bruto.session.planning import Planning

SAME_SHARE, SAME_S, SAME_DEGREES = 0.02, 240.0, 1.5
"""How near a value is to what is proposed to be the same: a share, seconds of the clock, degrees."""
HELD = {"": "held as usual", "tripod": "on a tripod", "hand": "in the hand"}


def same(name: str, value: float, offered: float) -> bool:
    """Whether a value is what is proposed."""
    if name == "at":
        return abs(value - offered) < SAME_S
    if name in ("altitude", "azimuth"):
        return abs((value - offered + 180) % 360 - 180) < SAME_DEGREES
    return abs(value / offered - 1) < SAME_SHARE if offered else value == offered


class PlanLedger(QWidget):
    """Follows a `Planning`; `manners` are taught to rows, which are made as they are needed."""

    def __init__(self, planning: Planning, manners: Manners) -> None:
        super().__init__()
        self.manners = manners
        self.planning = planning
        self.rows: dict[str, PlanRow] = {}
        self._made_for: tuple = ()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        panel, column = side_panel("This shot", 4)
        layout.addWidget(panel)
        self.panel = panel
        head = QHBoxLayout()
        self.title = QLineEdit()
        self.title.setAccessibleName("Title of the shot")
        self.title.setMaxLength(200)
        self.title.editingFinished.connect(partial(self._words, "title"))
        head.addWidget(self.title, 1)
        self.kind = QComboBox()
        self.kind.setAccessibleName("Kind of shot")
        for key, kind in KINDS.items():
            self.kind.addItem(kind.title, key)
        self.kind.activated.connect(lambda _: planning.turn_into(str(self.kind.currentData())))
        column.addLayout(head)
        kinds = QHBoxLayout()
        kinds.addWidget(self.kind, 1)
        self.held = QComboBox()
        self.held.setAccessibleName("How it is held")
        for key, text in HELD.items():
            self.held.addItem(text, key)
        self.held.activated.connect(lambda _: planning.change_wish(held=self.held.currentData()))
        kinds.addWidget(self.held)
        column.addLayout(kinds)
        scroll, body = scrolled(2)
        column.addWidget(scroll, 1)
        self.rows_column = QVBoxLayout()
        self.rows_column.setSpacing(0)
        body.addLayout(self.rows_column)
        heading = Label("What it costs and gives")
        heading.setObjectName("heading")
        body.addSpacing(4)
        body.addWidget(heading)
        self.facts = QGridLayout()
        self.facts.setHorizontalSpacing(8)
        self.facts.setVerticalSpacing(0)
        self.facts.setColumnStretch(1, 1)
        body.addLayout(self.facts)
        self.ways_heading = Label("Other ways")
        self.ways_heading.setObjectName("heading")
        body.addSpacing(4)
        body.addWidget(self.ways_heading)
        self.ways = QGridLayout()
        self.ways.setHorizontalSpacing(8)
        self.ways.setVerticalSpacing(2)
        self.ways.setColumnStretch(0, 1)
        body.addLayout(self.ways)
        self.fields: dict[str, QLineEdit] = {}
        for name, title, tip in (
            ("gear", "Gear", "What is to be taken along for it"), ("note", "Note", "What is to be remembered there"),
        ):  # fmt: skip
            row = QHBoxLayout()
            label = Label(title)
            label.setFixedWidth(48)
            field = QLineEdit()
            field.setMaxLength(400)
            field.setAccessibleName(title)
            field.setToolTip(tip)
            field.editingFinished.connect(partial(self._words, name))
            row.addWidget(label)
            row.addWidget(field)
            body.addLayout(row)
            self.fields[name] = field
        self.cautions = QGridLayout()
        self.cautions.setHorizontalSpacing(6)
        self.cautions.setVerticalSpacing(2)
        self.cautions.setColumnStretch(1, 1)
        body.addLayout(self.cautions)
        body.addStretch(1)
        buttons = QHBoxLayout()
        self.take_all = QPushButton("Take all proposed")
        self.take_all.setToolTip("Every value of this shot as it is proposed")
        self.take_all.clicked.connect(planning.take_all)
        self.remove = QPushButton("Remove")
        self.remove.setToolTip("Take this shot out of the plan; Ctrl+Z brings it back")
        self.remove.clicked.connect(planning.remove)
        buttons.addWidget(self.take_all)
        buttons.addWidget(self.remove)
        buttons.addStretch(1)
        column.addLayout(buttons)

    # -- what is shown

    def show_wish(self, axis: Axis | None) -> None:
        """Show the chosen wish; `axis`: the one on which its time is set."""
        wish, plan = self.planning.wish, self.planning.plan
        self.panel.setVisible(wish is not None)
        if wish is None or plan is None:
            return
        for name, field in (("title", self.title), *self.fields.items()):
            if not (field.hasFocus() and field.isModified()):
                field.setText(getattr(wish, name))
                field.setModified(False)
        self.kind.setCurrentIndex(self.kind.findData(wish.kind if wish.kind in KINDS else "other"))
        self.held.setCurrentIndex(self.held.findData(wish.held))
        offered = self.planning.proposals()
        if axis is not None:
            self._make_rows(wish, axis, tuple(offered))
            self._show_rows(wish, offered)
        self._show_price()
        self._show_ways(wish)
        self._show_cautions(wish)

    def _make_rows(self, wish: Wish, axis: Axis, names: tuple[str, ...]) -> None:
        means, plan = self.planning.means, self.planning.plan
        assert plan is not None
        made_for = (
            names, tuple(means.isos), tuple(means.seconds), tuple(means.lenses), axis.begin, axis.end, plan.where,
            wish.seconds if "interval_s" in names else 0,
        )  # fmt: skip
        if made_for == self._made_for:
            return
        focus = next((n for n, r in self.rows.items() if r.hasFocus() or r.spin.hasFocus()), None)
        self._made_for = made_for
        clear(self.rows_column)
        self.rows = {}
        for row in rows_for(wish, means, axis, plan.where, names):
            row.changed.connect(self._changed)
            row.taken.connect(self.planning.take)
            row.reset.connect(self.planning.take)
            self.rows_column.addWidget(row)
            self.rows[row.field] = row
            self.manners.attach(row)
        if focus in self.rows:
            self.rows[focus].setFocus(Qt.FocusReason.OtherFocusReason)

    def _show_rows(self, wish: Wish, offered: dict[str, Proposal]) -> None:
        plan = self.planning.plan
        assert plan is not None
        for name, row in self.rows.items():
            proposal = offered.get(name)
            if proposal is None:
                continue
            if name == "at":
                moment = moment_of(wish, plan.where)
                value = proposal.value if moment is None else moment.timestamp()
            else:
                told = getattr(wish, name)
                value = proposal.value if told is None else float(told)
            is_same = same(name, value, proposal.value)
            row.show_values(value, value, proposal.value, proposal.reason[:1].upper() + proposal.reason[1:], is_same)

    def _show_price(self) -> None:
        clear(self.facts)
        price = self.planning.price()
        for k, (name, said, minded) in enumerate(price.lines() if price is not None else ()):
            left, right = Label(name), Label(said)
            left.setObjectName("factName")
            right.setObjectName("fact")
            right.setWordWrap(True)
            if minded:
                right.setText(f"▲ {said}")
                right.setStyleSheet("font-weight: bold;")
            self.facts.addWidget(left, k, 0)
            self.facts.addWidget(right, k, 1)

    def _show_ways(self, wish: Wish) -> None:
        """What else would do, with a button that takes it."""
        clear(self.ways)
        ways = self.planning.ways()
        self.ways_heading.setVisible(bool(ways))
        for k, way in enumerate(ways):
            text = Label(f"{way.name}: {way.said}")
            text.setWordWrap(True)
            here = way.taken_by(wish)
            take = QPushButton("✓" if here else "Take")
            take.setObjectName("inLine")
            take.setEnabled(not here)
            take.setAccessibleName(f"Take: {way.name}")
            take.setToolTip(plain_tooltip(f"{way.name}: {way.said}"))
            take.clicked.connect(lambda _=False, fields=way.fields: self._take_way(fields))
            self.ways.addWidget(text, k, 0)
            self.ways.addWidget(take, k, 1)

    def _show_cautions(self, wish: Wish) -> None:
        names = kind_of(wish.kind).cautions
        clear(self.cautions)
        for k, name in enumerate(names):
            tick = QCheckBox()
            tick.setChecked(name not in wish.dismissed)
            tick.setToolTip("Untick it to keep it off the list")
            tick.setAccessibleName(f"Caution: {CAUTIONS[name]}")
            tick.clicked.connect(lambda on, name=name: self._dismiss(name, on))
            text = Label(CAUTIONS[name])
            text.setWordWrap(True)
            if name in wish.dismissed:
                text.setObjectName("quiet")
            self.cautions.addWidget(tick, k, 0, Qt.AlignmentFlag.AlignTop)
            self.cautions.addWidget(text, k, 1)

    # -- what is done

    def _changed(self, name: str, value: float, final: bool) -> None:
        """A drag is one step, which its end closes; so is a key or a number that is typed."""
        if self.planning.wish is not None:
            self.planning.change_wish(True, **{name: self.planning.stored(name, value)})
            if final:
                self.planning.settle()

    def _take_way(self, fields: dict[str, Any]) -> None:
        self.planning.settle()
        self.planning.change_wish(**fields)

    def _words(self, name: str) -> None:
        field = self.title if name == "title" else self.fields[name]
        wish = self.planning.wish
        if field.isModified() and wish is not None:
            field.setModified(False)
            words = field.text().strip()
            fields: dict[str, Any] = {name: words or (kind_of(wish.kind).title if name == "title" else "")}
            self.planning.change_wish(**fields)

    def _dismiss(self, name: str, said: bool) -> None:
        wish = self.planning.wish
        if wish is not None:
            kept = tuple(d for d in wish.dismissed if d != name)
            self.planning.change_wish(dismissed=kept if said else (*kept, name))
