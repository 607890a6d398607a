"""Deliver: a ticket (size, space, format) and the queue with progress, cancel and retry."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.posted import Posted
from bruto.app.widgets.panel import side_panel, surface
from bruto.app.widgets.plain import Label
from bruto.deliver import jobs
from bruto.deliver.formats import choices
from bruto.deliver.ticket import Ticket
from bruto.errors import BrutoError
from bruto.shoot.shots import Shot

SIZES = (("Full size", None), ("3840 px long edge", 3840), ("2048 px long edge", 2048), ("1280 px long edge", 1280))
SPACES = (
    ("sRGB: for anywhere", "srgb"),
    ("Display P3: wider, for newer screens", "display-p3"),
    ("Rec. 2020", "rec2020"),
)


class JobRow(QWidget):
    """One delivery in the queue."""

    cancel = Signal(object)
    retry = Signal(object)

    def __init__(self, job: jobs.Job) -> None:
        super().__init__()
        self.setObjectName("row")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.job = job
        layout = QGridLayout(self)
        layout.setContentsMargins(12, 7, 10, 7)
        name = Label(f"{job.source.name}  →  {job.output.name}")
        name.setStyleSheet("font-weight: bold;")
        layout.addWidget(name, 0, 0)
        self.state = Label("")
        self.state.setObjectName("quiet")
        self.state.setWordWrap(True)
        layout.addWidget(self.state, 1, 0)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(8)
        layout.addWidget(self.bar, 2, 0)
        self.button = QPushButton("Cancel")
        self.button.setFixedWidth(92)
        self.button.clicked.connect(self._pressed)
        layout.addWidget(self.button, 0, 1, 3, 1, Qt.AlignmentFlag.AlignVCenter)
        layout.setColumnStretch(0, 1)
        self.refresh()

    def _pressed(self) -> None:
        (self.retry if self.job.state in (jobs.FAILED, jobs.STOPPED) else self.cancel).emit(self.job)

    def refresh(self) -> None:
        j = self.job
        self.bar.setValue(round(100 * j.progress))
        self.bar.setVisible(j.state in (jobs.RUNNING, jobs.WAITING))
        self.state.setText(f"{j.state}{': ' + j.message if j.message else ''} · {j.output.parent}")
        self.state.setObjectName("warning" if j.state == jobs.FAILED else "quiet")
        self.state.style().polish(self.state)
        self.button.setText("Try again" if j.state in (jobs.FAILED, jobs.STOPPED) else "Cancel")
        self.button.setVisible(j.state != jobs.DONE)


class DeliverPage(QWidget):
    """The ticket, and the queue with what it does."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.session = host.session
        self.queue = self.session.queue
        self.rows: dict[int, JobRow] = {}
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        middle = QVBoxLayout()
        middle.setContentsMargins(18, 12, 18, 12)
        title = Label("Queue")
        title.setObjectName("heading")
        middle.addWidget(title)
        self.empty = Label(
            "Nothing is waiting. Set the ticket at the right and deliver this shot, or all of them; they are "
            "developed here in the background while you go on."
        )
        self.empty.setObjectName("quiet")
        self.empty.setWordWrap(True)
        middle.addWidget(self.empty)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        body = QWidget()
        body.setObjectName("panelBody")
        self.column = QVBoxLayout(body)
        self.column.setContentsMargins(0, 0, 6, 0)
        self.column.addStretch(1)
        scroll.setWidget(body)
        middle.addWidget(scroll, 1)
        holder = surface()
        holder.setLayout(middle)
        layout.addWidget(holder, 1)
        side, form = side_panel("Ticket", 5)
        self.format, self.size_box, self.space = QComboBox(), QComboBox(), QComboBox()
        for label, box, entries in (
            ("Format", self.format, choices()),
            ("Size", self.size_box, SIZES),
            ("Colour space", self.space, SPACES),
        ):
            form.addWidget(Label(label))
            for entry in entries:
                box.addItem(entry[0], entry)
            box.setAccessibleName(label)
            form.addWidget(box)
        form.addWidget(Label("Folder"))
        line = QHBoxLayout()
        self.folder = QLineEdit()
        self.folder.setAccessibleName("Folder")
        browse = QPushButton("Choose…")
        browse.clicked.connect(self._browse)
        line.addWidget(self.folder, 1)
        line.addWidget(browse)
        form.addLayout(line)
        self.exif = QCheckBox("Keep shooting data (Exif)")
        self.exif.setChecked(True)
        form.addWidget(self.exif)
        self.summary = Label("")
        self.summary.setWordWrap(True)
        form.addSpacing(4)
        form.addWidget(self.summary)
        form.addSpacing(4)
        self.this = QPushButton("Deliver this shot")
        self.this.setObjectName("primary")
        self.every = QPushButton("Deliver all shots")
        self.this.clicked.connect(lambda: self._send(False))
        self.every.clicked.connect(lambda: self._send(True))
        form.addWidget(self.this)
        form.addWidget(self.every)
        self.note = Label("Originals are never written. A file of the same name gets a number.")
        self.note.setObjectName("quiet")
        self.note.setWordWrap(True)
        form.addWidget(self.note)
        form.addStretch(1)
        layout.addWidget(side)
        self.shot: Shot | None = None
        for box in (self.format, self.size_box, self.space):
            box.currentIndexChanged.connect(self._summarise)
        self._threads = Posted()
        self.queue.changed.connect(lambda job: self._threads.post(lambda: self.job_changed(job)))
        self.session.opened.shown.connect(self._shot_changed)
        self.session.shoot.opened.connect(self._folder_opened)
        for job in self.queue.jobs:
            self.job_changed(job)
        self._folder_opened()
        self._shot_changed()

    def _folder_opened(self) -> None:
        if not self.folder.text() and self.session.shoot.paths:
            self.folder.setText(str(self.session.shoot.folder / "finished"))

    def _shot_changed(self) -> None:
        self.set_shot(self.session.shoot.current)

    def set_shot(self, shot: Shot | None) -> None:
        """The shot that would be delivered now."""
        self.shot = shot
        self.this.setEnabled(shot is not None and not shot.problem)
        self._summarise()

    def _summarise(self) -> None:
        """What will be written, before it is."""
        shot = self.shot
        if shot is None or shot.meta is None:
            self.summary.setText("")
            return
        w, h = shot.meta.oriented_size
        long_edge = self.size_box.currentData()[1]
        scale = min(1.0, long_edge / max(w, h)) if long_edge else 1.0
        space = self.space.currentData()[0].split(":")[0]
        self.summary.setText(
            f"{shot.name} becomes {round(w * scale)} × {round(h * scale)} px, "
            f"{self.format.currentData()[0]}, {space}, developed with its own values."
        )

    def _browse(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Folder for finished pictures", self.folder.text())
        if chosen:
            self.folder.setText(chosen)

    def _send(self, every: bool) -> None:
        _, suffix, bits = self.format.currentData()
        space, long_edge = self.space.currentData()[1], self.size_box.currentData()[1]
        ticket = Ticket(space, bits, long_edge, keep_exif=self.exif.isChecked())
        current = self.session.shoot.current
        shots = self.session.shoot.shots if every else [s for s in (current,) if s is not None]
        try:
            self.session.deliver(
                Path(self.folder.text()), suffix, ticket, [s for s in shots if not s.problem]
            )  # fmt: skip
        except BrutoError as error:
            self.session.say(str(error))

    def job_changed(self, job: jobs.Job) -> None:
        """A job was added or moved on (called on the interface thread)."""
        row = self.rows.get(job.number)
        if row is None:
            row = JobRow(job)
            row.cancel.connect(self.queue.cancel)
            row.retry.connect(self.queue.retry)
            self.rows[job.number] = row
            self.column.insertWidget(0, row)
            self.empty.hide()
        row.refresh()
