"""The queue of exports: each job with its progress, and what stops or resumes all of them."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QProgressBar, QPushButton, QWidget

from bruto.app.main_thread import MainThreadCalls
from bruto.app.widgets.build import build, down, fill
from bruto.app.widgets.panel import scrolled
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.export import queue


class JobRow(QWidget):
    """One delivery in the queue."""

    cancel = Signal(object)
    retry = Signal(object)

    def __init__(self, job: queue.Job) -> None:
        super().__init__()
        self.setObjectName("row")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.job = job
        layout = QGridLayout(self)
        layout.setContentsMargins(12, 7, 10, 7)
        name = Label(f"{job.source.name}  →  {job.output.name}")
        name.setStyleSheet("font-weight: bold;")
        layout.addWidget(name, 0, 0)
        self.state = Label("", objectName="quiet", wordWrap=True)
        layout.addWidget(self.state, 1, 0)
        self.bar = build(QProgressBar, textVisible=False, fixedHeight=8)
        layout.addWidget(self.bar, 2, 0)
        self.button = build(QPushButton, tr("Cancel"), fixedWidth=92, clicked=self._pressed)
        layout.addWidget(self.button, 0, 1, 3, 1, Qt.AlignmentFlag.AlignVCenter)
        layout.setColumnStretch(0, 1)
        self.refresh()

    def _pressed(self) -> None:
        (self.retry if self.job.state in (queue.FAILED, queue.STOPPED) else self.cancel).emit(self.job)

    def refresh(self) -> None:
        j = self.job
        self.shown_state = j.state
        self.bar.setValue(round(100 * j.progress))
        self.bar.setVisible(j.state in (queue.RUNNING, queue.WAITING))
        self.state.setText(f"{j.state}{': ' + j.message if j.message else ''} · {j.output.parent}")
        self.state.setObjectName("warning" if j.state == queue.FAILED else "quiet")
        self.state.style().polish(self.state)
        self.button.setText(tr("Try again") if j.state in (queue.FAILED, queue.STOPPED) else tr("Cancel"))
        self.button.setVisible(j.state != queue.DONE)


class QueueList(QWidget):
    """Follows a queue."""

    def __init__(self, exports: queue.Queue) -> None:
        super().__init__()
        self.queue = exports
        self.rows: dict[int, JobRow] = {}
        column = down(self, margins=0)
        head = QHBoxLayout()
        title = Label(tr("Queue"), objectName="heading")
        fill(head, title, 1)
        self.go_on, self.cancel_all = QPushButton(tr("Resume all")), QPushButton(tr("Cancel all"))
        self.go_on.setToolTip(tr("Queue stopped and failed exports again"))
        self.cancel_all.setToolTip(tr("Stop waiting and running exports; finished files stay"))
        self.go_on.clicked.connect(self._go_on_with_all)
        self.cancel_all.clicked.connect(self._cancel_all)
        for button in (self.go_on, self.cancel_all):
            head.addWidget(button)
        self.empty = Label(
            tr("The queue is empty. Pictures are exported in the background while you work."),
            objectName="quiet",
            wordWrap=True,
        )
        scroll, self.column = scrolled(6)
        self.column.addStretch(1)
        fill(column, head, self.empty, (scroll, 1))
        self._threads = MainThreadCalls()
        exports.changed.connect(lambda job: self._threads.post(lambda: self.job_changed(job)))
        for job in exports.jobs:
            self.job_changed(job)
        self._buttons()

    def _go_on_with_all(self) -> None:
        for job in list(self.queue.jobs):
            self.queue.retry(job)

    def _cancel_all(self) -> None:
        for job in self.queue.unfinished():
            self.queue.cancel(job)

    def _buttons(self) -> None:
        states = [j.state for j in self.queue.jobs]
        self.cancel_all.setVisible(any(s in (queue.WAITING, queue.RUNNING) for s in states))
        self.go_on.setVisible(any(s in (queue.STOPPED, queue.FAILED) for s in states))

    def job_changed(self, job: queue.Job) -> None:
        """A job was added or moved on (called on the interface thread)."""
        row = self.rows.get(job.number)
        before = None if row is None else row.shown_state
        if row is None:
            row = JobRow(job)
            row.cancel.connect(self.queue.cancel)
            row.retry.connect(self.queue.retry)
            self.rows[job.number] = row
            self.column.insertWidget(self.column.count() - 1, row)
            self.empty.hide()
        row.refresh()
        if job.state == queue.RUNNING and before != queue.RUNNING:  # what runs stands on top
            self.column.removeWidget(row)
            self.column.insertWidget(0, row)
        if before != job.state:
            self._buttons()
