"""The bar at the top: the tasks in working order, what is open, and buttons for the whole window."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton, QWidget

from bruto.app.pages.pages import PAGES
from bruto.app.widgets import theme
from bruto.app.widgets.build import across, build
from bruto.app.widgets.plain_text import ElidedLabel, Label
from bruto.catalog import tr
from bruto.tasks import Task


class TopBar(QWidget):
    """Turns its window to tasks, and folds its list."""

    def __init__(self, window: Any) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(42)
        row = across(self, margins=(14, 0, 10, 0), gap=2)
        brand = Label("bruto", objectName="brand")
        row.addWidget(brand)
        row.addSpacing(16)
        self.task_buttons: dict[Task, QPushButton] = {}
        for page in PAGES:
            if not page.in_bar:
                continue
            button = build(
                QPushButton,
                page.title,
                objectName="task",
                checkable=True,
                toolTip=f"{page.title} ({page.keys})",
                clicked=lambda _, t=page.task: window.set_task(t),
            )
            self.task_buttons[page.task] = button
            row.addWidget(button)
        self.title = ElidedLabel("", objectName="quiet", alignment=Qt.AlignmentFlag.AlignRight)
        row.addWidget(self.title, 1)
        row.addSpacing(8)
        self.list_button = build(
            QPushButton,
            tr("Shots"),
            toolTip=tr("Show or hide the shot list (F9)"),
            clicked=lambda: window.fold("shots"),
        )
        self.theme_button = build(
            QPushButton,
            tr("Dim"),
            toolTip=tr("Dim theme for the night, light theme for the day (Ctrl+D)"),
            clicked=self.toggle_theme,
        )
        self.menu_button = build(QPushButton, tr("Menu"), minimumWidth=76)
        for button in (self.list_button, self.theme_button, self.menu_button):
            row.addWidget(button)
            row.addSpacing(4)

    def show_task(self, task: Task) -> None:
        """Mark the task that is shown."""
        for name, button in self.task_buttons.items():
            button.setChecked(name == task)

    def toggle_theme(self) -> None:
        """Light by day, dim by night."""
        theme.change(self.window(), theme.DIM if theme.current() is theme.LIGHT else theme.LIGHT)
        self.theme_button.setText(tr("Light") if theme.current() is theme.DIM else tr("Dim"))
