"""The phone's look on demand: found, described in words, taken in part, on the stage at once."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSlider,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.widgets.build import build, down, fill
from bruto.app.widgets.plain_text import ElidedLabel, Label
from bruto.catalog import tr
from bruto.compare.match.parts import PARTS
from bruto.develop.history_text import PHONE_LOOK
from bruto.develop.recipe_text import sentence_of
from bruto.session.comparison import ComparisonSession
from bruto.session.long_tasks import LongTask
from bruto.session.phone_look import MATCH


class PhoneLookBox(QWidget):
    """A button to find it, and rows to take it by."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host = host
        self.comparing: ComparisonSession = host.session.comparing
        self.phone = self.comparing.phone
        column = down(self, margins=(0, 0, 0, 6), gap=6)
        heading = Label(tr("The phone's look"), objectName="heading")
        self.hint = Label("", objectName="quiet", wordWrap=True)
        row = QHBoxLayout()
        self.find_button = build(
            QPushButton,
            tr("Find the phone's look"),
            toolTip=tr("Find the values that make the raw look like the phone's picture"),
            clicked=self._find,
        )
        self.progress = build(
            QProgressBar, textVisible=False, range=(0, 100), accessibleName=tr("Finding the phone's look")
        )
        self.stop = build(QPushButton, tr("Stop"), clicked=self._give_up)
        fill(row, self.find_button, (self.progress, 1), self.stop, 1)
        fill(column, heading, self.hint, row)
        self.found = QWidget()
        found = down(self.found, margins=0, gap=6)
        self.summary = Label("", wordWrap=True)
        found.addWidget(self.summary)
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(0)
        grid.setColumnStretch(1, 1)
        self.ticks: dict[str, QCheckBox] = {}
        self.evidence: dict[str, Label] = {}
        self.values: dict[str, ElidedLabel] = {}
        for k, (name, (title, _)) in enumerate(PARTS.items()):
            tick = self.ticks[name] = QCheckBox(title)
            tick.setChecked(True)
            tick.toggled.connect(lambda _: self._changed(True))
            grid.addWidget(tick, 2 * k, 0)
            notice = self.evidence[name] = Label(
                "", alignment=Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            )
            grid.addWidget(notice, 2 * k, 1)
            does = self.values[name] = ElidedLabel("", objectName="quiet")
            grid.addWidget(does, 2 * k + 1, 0, 1, 2)
        line = QHBoxLayout()
        self.strength = QSlider(Qt.Orientation.Horizontal)
        self.strength.setRange(0, 100)
        self.strength.setValue(100)
        self.strength.setSingleStep(5)
        self.strength.setMinimumHeight(26)
        self.strength.setAccessibleName(tr("Strength of the phone's look, percent"))
        self.strength.valueChanged.connect(lambda _: self._changed(not self.strength.isSliderDown()))
        self.strength.sliderReleased.connect(lambda: self._changed(True))
        self.percent = Label(
            "100 %", minimumWidth=44, alignment=Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        )
        fill(line, Label(tr("Strength")), (self.strength, 1), self.percent)
        fill(found, grid, line)
        buttons = QHBoxLayout()
        self.use = build(
            QPushButton,
            tr("Apply to this shot"),
            objectName="primary",
            toolTip=tr("Applied in one step that you can undo; recipes (Ctrl+E) carry it to other shots"),
            clicked=self._use,
        )
        self.others = build(
            QPushButton,
            tr("Apply to selection"),
            toolTip=tr("The same values on all selected shots; local tone stays with this shot"),
            clicked=self._use_on_selection,
        )
        for button in (self.use, self.others):
            buttons.addWidget(button)
        buttons.addStretch(1)
        keeping = QHBoxLayout()
        self.keep = build(
            QPushButton,
            tr("Save as"),
            toolTip=tr("Save as a recipe for other shots (Ctrl+E); local tone stays with this shot"),
            clicked=self._keep,
        )
        self.name = build(
            QLineEdit,
            placeholderText=tr("name of the recipe"),
            accessibleName=tr("Name of the recipe for the phone's look"),
            returnPressed=self._keep,
        )
        fill(keeping, self.keep, (self.name, 1))
        fill(found, buttons, keeping)
        column.addWidget(self.found)
        self.phone.turned.connect(self.refresh)
        self.phone.tasks.changed.connect(self._moved_on)
        self.refresh()

    def refresh(self) -> None:
        """Show what there is for the shown shot."""
        why, match = self.phone.why_not(), self.phone.matched
        running = self.phone.running is not None
        self.find_button.setVisible(match is None and not running)
        self.find_button.setEnabled(not why)
        self.progress.setVisible(running)
        self.stop.setVisible(running)
        self.found.setVisible(match is not None)
        if match is None:
            self.hint.setText(
                why or tr("Which values make the raw look like the phone's picture, and what did the phone do?")
            )
            return
        self.hint.setText(
            tr(
                "Median difference {before:.1f} ΔE00 before, {after:.1f} now; 95 % below {after2:.1f}. Measured on "
                "{withheld} blocks that the search did not use.",
                before=match.before[0],
                after=match.after[0],
                after2=match.after[1],
                withheld=match.withheld,
            )
        )
        self.summary.setText(tr("The phone: ") + ", ".join(d.text for d in match.did) + ".")
        for name, (_, fields) in PARTS.items():
            left = match.without.get(name)
            self.evidence[name].setText(
                tr("matched at full size") if left is None else tr("without it {left:.1f} ΔE00", left=left)
            )
            self.evidence[name].setToolTip(
                tr("Sharpness and texture are finer than the size at which colours are compared")
                if left is None
                else tr("Median difference without this part; {after:.1f} with all parts", after=match.after[0])
            )
            does = sentence_of(fields, match.recipe)
            self.values[name].setText(does)
            self.values[name].setToolTip(does)

    def _find(self) -> None:
        self.phone.find()
        self.refresh()

    def _give_up(self) -> None:
        self.phone.stop()
        self.stop.setEnabled(False)

    def _moved_on(self, task: LongTask) -> None:
        if task.kind != MATCH:
            return
        self.progress.setValue(round(100 * task.share))
        self.stop.setEnabled(not task.stopped())
        self.refresh()

    def _changed(self, final: bool) -> None:
        self.percent.setText(f"{self.strength.value()} %")
        parts = tuple(name for name, tick in self.ticks.items() if tick.isChecked())
        self.comparing.take_part(parts, self.strength.value() / 100, final)

    def _use(self) -> None:
        self.phone.use()

    def _use_on_selection(self) -> None:
        session = self.host.session
        session.batch_edits.use(self.phone.values_for_others(), PHONE_LOOK, session.shoot.selection)

    def _keep(self) -> None:
        name = self.name.text().strip()
        if self.phone.keep_as(name):
            self.host.session.notice.emit(
                tr("Saved as the recipe {name}. Apply it to other shots with Ctrl+E.", name=name)
            )
            self.name.clear()
