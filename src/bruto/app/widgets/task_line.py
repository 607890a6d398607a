"""Long tasks in the status line: what each is, how far it is, time left, and a button that stops it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QPushButton, QWidget

from bruto.app.widgets.build import across
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr, trn
from bruto.session.long_tasks import LongTask, LongTasks

LINES = 2
"""Tasks shown at once."""
MOST_LETTERS = 40
"""Letters of the name of what a task is at."""


class TaskLine(QWidget):
    """One task, or an offer to go on with one; hidden while there is none."""

    def __init__(self) -> None:
        super().__init__()
        row = across(self, margins=0, gap=6)
        self.text, self.button, self.leave = Label(""), QPushButton(), QPushButton(tr("Discard"))
        self.leave.setToolTip(tr("Do not continue; finished files stay"))
        row.addWidget(self.text)
        for button in (self.button, self.leave):
            button.setObjectName("inLine")
            button.setFixedHeight(24)
            row.addWidget(button)
        self.hide()

    def show_task(self, task: LongTask, waiting: int) -> None:
        """Show a task, and how many of its kind wait for it."""
        name = task.doing if len(task.doing) <= MOST_LETTERS else task.doing[: MOST_LETTERS - 1] + "…"
        parts = [f"{task.title}: {100 * task.share:.0f} %{task.time_left}", name] if task.doing else [f"{task.title} …"]
        parts += [trn("{count} waiting", "{count} waiting", count=waiting)] if waiting else []
        self._show(" · ".join(parts), tr("Stop"), tr("Stop; what is finished stays"), not task.stopped())

    def show_offer(self, text: str) -> None:
        """Offer to go on with what did not finish."""
        self._show(text, tr("Continue"), tr("Continue this now"), True)
        self.leave.show()

    def _show(self, text: str, button: str, tip: str, enabled: bool) -> None:
        self.text.setText(text)
        self.button.setText(button)
        self.button.setToolTip(tip)
        self.button.setEnabled(enabled)
        self.leave.hide()
        self.show()


class TaskLines(QWidget):
    """The tasks that run, the first ones of them; before them, what the last start has not finished."""

    def __init__(self, tasks: LongTasks) -> None:
        super().__init__()
        self.tasks = tasks
        row = across(self, margins=0, gap=18)
        self.lines = [TaskLine() for _ in range(LINES)]
        self._offers: list[tuple[str, Callable[[], Any]]] = []
        for k, line in enumerate(self.lines):
            row.addWidget(line)
            line.button.clicked.connect(lambda _=False, k=k: self._pressed(k))
            line.leave.clicked.connect(self._leave)
        tasks.changed.connect(lambda task: self.refresh())
        self.refresh()

    @property
    def running(self) -> bool:
        """Whether anything is in progress."""
        return bool(self.tasks.tasks)

    def offer(self, text: str, go_on: Callable[[], Any]) -> None:
        """Offer to go on with what the last start has not finished."""
        self._offers.append((text, go_on))
        self.refresh()

    def refresh(self) -> None:
        """Show what runs now."""
        shown: list[str | LongTask] = [text for text, _ in self._offers[:1]]
        shown += [t for t in self.tasks.tasks if t.running]
        self._shown = shown[:LINES]
        for k, line in enumerate(self.lines):
            one = self._shown[k] if k < len(self._shown) else None
            if one is None:
                line.hide()
            elif isinstance(one, str):
                line.show_offer(one)
            else:
                line.show_task(one, sum(not t.running for t in self.tasks.of(one.kind)))
        self.setVisible(bool(self._shown))

    def _pressed(self, k: int) -> None:
        one = self._shown[k]
        if isinstance(one, str):
            _, go_on = self._offers.pop(0)
            self.refresh()
            go_on()
        else:
            self.lines[k].button.setEnabled(False)
            self.tasks.stop(one)

    def _leave(self) -> None:
        self._offers.pop(0)
        self.refresh()
