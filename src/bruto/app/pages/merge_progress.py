"""How far a merge is, what stops it, and which sets wait for it; whichever set is shown."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QProgressBar, QPushButton, QWidget

from bruto.app.widgets.build import build, down, fill
from bruto.app.widgets.panel import clear
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.session.long_tasks import LongTask, TaskState
from bruto.session.session import Session
from bruto.session.unfinished_jobs import MERGE


class MergeProgress(QWidget):
    """Emits `changed` when a merge began or ended, or others wait."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session, self.merging = session, session.merging
        self._listed: tuple[TaskState | None, int] = (None, 0)
        column = down(self, margins=0, gap=8)
        self.bar = build(QProgressBar, textVisible=False)
        self.doing = Label("", objectName="quiet", wordWrap=True)
        fill(column, self.bar, self.doing)
        self.keep = build(
            QPushButton,
            tr("Stop and merge so far"),
            toolTip=tr("Read no more frames and merge those already read"),
            clicked=self.merging.stop_and_keep,
        )
        self.stop = build(QPushButton, tr("Stop without saving"), clicked=self.merging.stop)
        for button in (self.keep, self.stop):
            column.addWidget(button)
        self.waiting = down(gap=4)
        column.addLayout(self.waiting)
        session.tasks.changed.connect(self._went_on)
        self.refresh()

    def _went_on(self, task: LongTask) -> None:
        if task.kind != MERGE:
            return
        if task.running:
            self.bar.setValue(round(task.share * 100))
            self.doing.setText(task.doing + task.time_left)
        if (task.state, len(self.merging.waiting)) != self._listed:
            self._listed = (task.state, len(self.merging.waiting))
            self._list_waiting()

    def _list_waiting(self) -> None:
        clear(self.waiting)
        for one in self.merging.waiting:
            button = build(
                QPushButton,
                tr("Waiting: {name}", name=one.subject.name),
                toolTip=tr("Remove it from the queue"),
                clicked=lambda _=False, one=one: self.session.tasks.stop(one),
            )
            self.waiting.addWidget(button)
        self.refresh()

    def refresh(self) -> None:
        """Show what there is to show."""
        running = self.merging.running is not None
        for widget in (self.bar, self.stop, self.keep):
            widget.setVisible(running)
        self.doing.setVisible(running)
        if not running:
            self.doing.setText("")
            self.bar.setValue(0)
        self.setVisible(running or bool(self.merging.waiting))
        self.changed.emit()
