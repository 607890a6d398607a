"""Compare: the raw against the phone's picture, seen and measured."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from bruto.app.host import Host
from bruto.app.stage.compare_stage import MODES, CompareStage
from bruto.app.stage.stage_bar import StageBar
from bruto.app.widgets.panel import surface
from bruto.app.widgets.plain import Label
from bruto.compare.metrics import Comparison, sentences


class ComparePanel(QWidget):
    """The measured table, a plain sentence under each line."""

    push_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(334)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        title = Label("What it shows")
        title.setObjectName("heading")
        layout.addWidget(title)
        self.note = Label("")
        self.note.setObjectName("quiet")
        self.note.setWordWrap(True)
        layout.addWidget(self.note)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.body = QWidget()
        self.body.setObjectName("panelBody")
        self.grid = QGridLayout(self.body)
        self.grid.setContentsMargins(0, 0, 8, 0)
        self.grid.setHorizontalSpacing(10)
        self.grid.setVerticalSpacing(1)
        self.grid.setColumnStretch(0, 1)
        scroll.setWidget(self.body)
        layout.addWidget(scroll, 1)
        self.values: dict[str, tuple[str, str]] = {}

    def set_comparison(self, c: Comparison | None, note: str, columns: tuple[str, str] = ("raw", "phone")) -> None:
        """Fill the table, or empty it and say why."""
        self.note.setText(note)
        while self.grid.count():
            item = self.grid.takeAt(0)
            if item is not None and item.widget() is not None:
                item.widget().setParent(None)  # gone at once, not when the event loop comes round
        self.values = {}
        if c is None:
            return
        for k, text in enumerate(columns):
            label = Label(text)
            label.setObjectName("quiet")
            self.grid.addWidget(label, 0, k + 1, Qt.AlignmentFlag.AlignRight)
        row = 1
        for name, a, b, sentence in sentences(c):
            self.values[name] = (a, b)
            title = Label(name)
            title.setStyleSheet("font-weight: bold;")
            self.grid.addWidget(title, row, 0)
            for k, value in enumerate((a, b)):
                self.grid.addWidget(Label(value), row, k + 1, Qt.AlignmentFlag.AlignRight)
            words = Label(sentence)
            words.setObjectName("quiet")
            words.setWordWrap(True)
            self.grid.addWidget(words, row + 1, 0, 1, 3)
            line = surface("rule")
            line.setFixedHeight(1)
            self.grid.addWidget(line, row + 2, 0, 1, 3)
            row += 3
        self.grid.setRowStretch(row, 1)


class ComparePage(QWidget):
    """Stage with its bar, and the panel."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.comparing = host.session.comparing
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        bar = StageBar("COMPARE")
        self.tag = bar.tag
        self.stage = CompareStage()
        self.buttons: dict[str, QPushButton] = {}
        for k, mode in enumerate(MODES):
            button = bar.add(mode, mode, left=True, checkable=True, shortcut=f"Alt+{k + 1}")
            button.clicked.connect(lambda _, m=mode: self.set_mode(m))
            self.buttons[mode] = button
        bar.add("Fit", "Whole picture (Z)").clicked.connect(self.stage.set_fit)
        bar.add("1:1", "One pixel of the raw on one of the screen (Z)").clicked.connect(self.stage.set_one_to_one)
        middle.addWidget(bar)
        middle.addWidget(self.stage, 1)
        layout.addLayout(middle, 1)
        self.panel = ComparePanel()
        layout.addWidget(self.panel)
        self.set_mode("Curtain")
        self.stage.view_changed.connect(self._ask_piece)
        self.comparing.changed.connect(self._show)
        self.comparing.piece_made.connect(self.stage.set_pieces)
        host.session.opened.shown.connect(self._shot_changed)
        host.session.opened.decoded.connect(self._shot_changed)

    def set_mode(self, mode: str) -> None:
        for name, button in self.buttons.items():
            button.setChecked(name == mode)
        self.stage.set_mode(mode)

    def turned_to(self) -> None:
        """The task was chosen: compare the shot as it is developed now."""
        self.comparing.show()

    def _shot_changed(self) -> None:
        if self.isVisible():
            self.comparing.show()

    def _show(self) -> None:
        """What there is for the shot, or why there is none."""
        found = self.comparing.state
        if isinstance(found, str):
            self.tag.setText("COMPARE")
            self.stage.message = found
            self.stage.set_comparison(None)
            self.panel.set_comparison(None, "")
            return
        c = found.comparison
        self.tag.setText(f"ALIGNED within {max(c.alignment.model_px, 0.05):.2f} px")
        self.tag.setToolTip(f"{c.alignment.tracks} places tracked; error left in the fitted model")
        self.stage.set_comparison(c, found.full_size, ("raw, developed", "phone's picture"))
        self.panel.set_comparison(
            c, "Both at equal size, the phone's picture brought onto the raw. Values of flat and busy places."
        )
        self._ask_piece()

    def _ask_piece(self) -> None:
        self.comparing.piece(self.stage.wanted_piece())
