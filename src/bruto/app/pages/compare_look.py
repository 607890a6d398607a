"""The phone's look on demand: found, told in words, taken in part, on the stage at once."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.stage.stage_bar import ElidedLabel
from bruto.app.widgets.plain_text import Label
from bruto.compare.match.parts import PARTS
from bruto.develop.history_text import PHONE_LOOK
from bruto.develop.recipe import sentence_of
from bruto.session.comparison import ComparisonSession


class PhoneLookBox(QWidget):
    """A button to find it, and rows to take it by."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host = host
        self.comparing: ComparisonSession = host.session.comparing
        self.phone = self.comparing.phone
        self._stop: Callable[[], None] | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 6)
        column.setSpacing(6)
        heading = Label("The phone's look")
        heading.setObjectName("heading")
        column.addWidget(heading)
        self.hint = Label("")
        self.hint.setObjectName("quiet")
        self.hint.setWordWrap(True)
        column.addWidget(self.hint)
        row = QHBoxLayout()
        self.find_button = QPushButton("Find the phone's look")
        self.find_button.setToolTip("Solve the values by which the raw looks like the phone's picture")
        self.find_button.clicked.connect(self._find)
        row.addWidget(self.find_button)
        self.progress = QProgressBar()
        self.progress.setRange(0, 100)
        self.progress.setAccessibleName("Finding the phone's look")
        row.addWidget(self.progress, 1)
        self.stop = QPushButton("Stop")
        self.stop.clicked.connect(self._give_up)
        row.addWidget(self.stop)
        row.addStretch(1)
        column.addLayout(row)
        self.found = QWidget()
        found = QVBoxLayout(self.found)
        found.setContentsMargins(0, 0, 0, 0)
        found.setSpacing(6)
        self.summary = Label("")
        self.summary.setWordWrap(True)
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
            notice = self.evidence[name] = Label("")
            notice.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(notice, 2 * k, 1)
            does = self.values[name] = ElidedLabel("")
            does.setObjectName("quiet")
            grid.addWidget(does, 2 * k + 1, 0, 1, 2)
        found.addLayout(grid)
        line = QHBoxLayout()
        line.addWidget(Label("How far"))
        self.strength = QSlider(Qt.Orientation.Horizontal)
        self.strength.setRange(0, 100)
        self.strength.setValue(100)
        self.strength.setSingleStep(5)
        self.strength.setMinimumHeight(26)
        self.strength.setAccessibleName("How far towards the phone's look, percent")
        self.strength.valueChanged.connect(lambda _: self._changed(not self.strength.isSliderDown()))
        self.strength.sliderReleased.connect(lambda: self._changed(True))
        line.addWidget(self.strength, 1)
        self.percent = Label("100 %")
        self.percent.setMinimumWidth(44)
        self.percent.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        line.addWidget(self.percent)
        found.addLayout(line)
        buttons = QHBoxLayout()
        self.use = QPushButton("Use on this shot")
        self.use.setObjectName("primary")
        self.use.setToolTip("As one step, that can be undone; recipes (Ctrl+E) take it to other shots")
        self.use.clicked.connect(self._use)
        self.others = QPushButton("And on the selection")
        self.others.setToolTip("The same values on all shots that are selected; local tone stays with this shot")
        self.others.clicked.connect(self._use_on_selection)
        for button in (self.use, self.others):
            buttons.addWidget(button)
        buttons.addStretch(1)
        found.addLayout(buttons)
        keeping = QHBoxLayout()
        self.keep = QPushButton("Keep as")
        self.keep.setToolTip(
            "A recipe of this name, for other shots and days (Ctrl+E); local tone stays with this shot"
        )
        self.keep.clicked.connect(self._keep)
        self.name = QLineEdit()
        self.name.setPlaceholderText("name of a recipe")
        self.name.setAccessibleName("Name of the recipe of the phone's look")
        self.name.returnPressed.connect(self._keep)
        keeping.addWidget(self.keep)
        keeping.addWidget(self.name, 1)
        found.addLayout(keeping)
        column.addWidget(self.found)
        self.phone.progress.connect(self._moved_on)
        self.refresh()

    def refresh(self) -> None:
        """Show what there is for the shown shot."""
        why, match = self.phone.why_not(), self.phone.matched
        running = self._stop is not None
        self.find_button.setVisible(match is None and not running)
        self.find_button.setEnabled(not why)
        self.progress.setVisible(running)
        self.stop.setVisible(running)
        self.found.setVisible(match is not None)
        if match is None:
            self.hint.setText(
                why or "Which values make the raw look like the phone's picture, and what did the phone do?"
            )
            return
        self.hint.setText(
            f"Half of all places differed by {match.before[0]:.1f} ΔE00 and differ by {match.after[0]:.1f} now, "
            f"95 % by less than {match.after[1]:.1f}: on {match.withheld} blocks that the search did not see."
        )
        self.summary.setText("The phone: " + ", ".join(d.text for d in match.did) + ".")
        for name, (_, fields) in PARTS.items():
            left = match.without.get(name)
            self.evidence[name].setText("matched at full size" if left is None else f"without it {left:.1f} ΔE00")
            self.evidence[name].setToolTip(
                "Sharpness and texture are finer than colours are compared at"
                if left is None
                else f"Median difference where this part is left out; {match.after[0]:.1f} with all of them"
            )
            does = sentence_of(fields, match.recipe)
            self.values[name].setText(does)
            self.values[name].setToolTip(does)

    def _find(self) -> None:
        self._stop = self.phone.find()
        self.progress.setValue(0)
        self.refresh()

    def _give_up(self) -> None:
        if self._stop is not None:
            self._stop()
            self.stop.setEnabled(False)

    def _moved_on(self, share: float) -> None:
        if share >= 1:
            self._stop = None
            self.stop.setEnabled(True)
            self.refresh()
        else:
            self.progress.setValue(round(100 * share))

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
            self.host.session.notice.emit(f"Kept as the recipe {name}: Ctrl+E uses it on other shots.")
            self.name.clear()
