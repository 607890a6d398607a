"""The panel of Compare: the phone's look, and the measured table."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QScrollArea, QWidget

from bruto.app.host import Host
from bruto.app.pages.compare_look import PhoneLookBox
from bruto.app.stage.regions_view import short
from bruto.app.widgets.build import build, down, fill
from bruto.app.widgets.panel import surface
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.compare.metrics import Comparison, sentences


class ComparePanel(QWidget):
    """The phone's look, and the measured table with a plain sentence under each line."""

    page_wanted = Signal()
    shoot_page_wanted = Signal()

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(334)
        layout = down(self, margins=(10, 8, 10, 8))
        self.look = PhoneLookBox(host)
        title = Label(tr("What it shows"), objectName="heading")
        self.note = Label("", objectName="quiet", wordWrap=True)
        scroll = build(
            QScrollArea, widgetResizable=True, horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        )
        self.body = build(QWidget, objectName="panelBody")
        self.grid = QGridLayout(self.body)
        self.grid.setContentsMargins(0, 0, 8, 0)
        self.grid.setHorizontalSpacing(10)
        self.grid.setVerticalSpacing(1)
        self.grid.setColumnStretch(0, 1)
        scroll.setWidget(self.body)
        self.page = build(
            QPushButton,
            tr("Save report…"),
            toolTip=tr("Pictures, regions, numbers and sentences as HTML, PDF or CSV"),
            clicked=lambda: self.page_wanted.emit(),
        )
        self.shoot_page = build(
            QPushButton,
            tr("Whole shoot…"),
            toolTip=tr("Each raw with its picture: which raws are worth their space, and why"),
            clicked=lambda: self.shoot_page_wanted.emit(),
        )
        row = QHBoxLayout()
        fill(row, self.page, self.shoot_page, 1)
        fill(layout, self.look, title, self.note, (scroll, 1), row)
        self.values: dict[str, tuple[str, str]] = {}

    def set_comparison(
        self,
        c: Comparison | None,
        note: str,
        columns: tuple[str, str] = (tr("first"), tr("second")),
        names: tuple[str, str] = (tr("first"), tr("second")),
    ) -> None:
        """Fill the table, or empty it and say why."""
        self.note.setText(note)
        while self.grid.count():
            item = self.grid.takeAt(0)
            if item is not None and item.widget() is not None:
                item.widget().setParent(None)  # gone at once, not when the event loop comes round
        self.values = {}
        self.page.setEnabled(c is not None)
        if c is None:
            return
        for k, text in enumerate(columns):
            label = Label(text, objectName="quiet")
            self.grid.addWidget(label, 0, k + 1, Qt.AlignmentFlag.AlignRight)
        row = 1
        for name, a, b, sentence in sentences(c, *(short(n) for n in names)):
            self.values[name] = (a, b)
            title = Label(name)
            title.setStyleSheet("font-weight: bold;")
            title.setWordWrap(True)
            self.grid.addWidget(title, row, 0)
            for k, value in enumerate((a, b)):
                self.grid.addWidget(Label(value), row, k + 1, Qt.AlignmentFlag.AlignRight)
            words = Label(sentence, objectName="quiet", wordWrap=True)
            self.grid.addWidget(words, row + 1, 0, 1, 3)
            line = surface("rule")
            line.setFixedHeight(1)
            self.grid.addWidget(line, row + 2, 0, 1, 3)
            row += 3
        self.grid.setRowStretch(row, 1)
