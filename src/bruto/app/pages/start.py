"""Start: open a folder, go on with a shoot, take files in, or try the demo shoot."""

from __future__ import annotations

from datetime import datetime
from functools import partial
from pathlib import Path

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QWidget

from bruto.app.host import Host
from bruto.app.pages.pages import title_of
from bruto.app.stage.image_pyramid import to_qimage
from bruto.app.widgets import theme
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.panel import clear, scrolled
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.catalog import tr, trn
from bruto.errors import BrutoError
from bruto.shoot.shots import read_shot, small_view
from bruto.storage.settings import RecentShoot
from bruto.tasks import Task

WIDTH = 760
"""Of the column, pixels."""
PICTURE = QSize(96, 72)
WHAT = (
    tr("Shows what a raw really holds: what is clipped, how much headroom is left, how far shadows can be lifted."),
    tr("Corrects it with a reason behind every value, and compares it with the phone's own picture on equal terms."),
    tr("Merges several frames into one better raw. Your originals are never changed."),
)

DAY = (
    (
        Task.INTAKE,
        tr("Pairs raws with pictures, finds bursts and brackets, and says what is clipped, shaken or underexposed."),
    ),
    (
        Task.CORRECT,
        tr("Every correction comes with the value measured for it. New shots start with these; change what you like."),
    ),
    (Task.SIDE_BY_SIDE, tr("Two to four takes at the same place and size, to find the sharpest.")),
    (Task.COMPARE, tr("The raw beside the phone's picture, aligned, with the same push on both.")),
    (Task.MERGE, tr("A burst for less noise, a bracket for more range. The result is a raw again.")),
    (Task.PLAN, tr("Sun, moon and stars of a place, the shots of a night or a day, and what each will look like.")),
    (Task.LOGBOOK, tr("What your phone and your hands can do, learnt from every measured shot.")),
    (Task.EXPORT, tr("Which pictures, how large and where to. Unfinished exports continue at the next start.")),
)
"""Tasks, and what they are for."""


def when(text: str, now: datetime) -> str:
    """How long ago a moment (ISO 8601) was, in words.

    >>> when("2026-03-01T10:00:00", datetime(2026, 3, 2, 9))
    'yesterday'
    """
    try:
        then = datetime.fromisoformat(text)
    except ValueError:
        return ""
    days = (now.date() - then.date()).days
    return (
        tr("today")
        if days <= 0
        else tr("yesterday")
        if days == 1
        else trn("{days} day ago", "{days} days ago", days=days)
        if days < 60
        else f"{then:%Y-%m-%d}"
    )


class RecentCard(QPushButton):
    """One shoot that was opened before: picture, name, state, place."""

    def __init__(self, recent: RecentShoot) -> None:
        super().__init__()
        self.recent = recent
        self.setObjectName("recent")
        self.setFixedHeight(PICTURE.height() + 16)
        self.picture: QImage | None = None
        selected = tr(", {selected} Keep or Best", selected=recent.selected) if recent.selected else ""
        count = trn("{shots} shot{selected}", "{shots} shots{selected}", shots=recent.shots, selected=selected)
        state = tr("{count} · opened {when}", count=count, when=when(recent.opened, datetime.now()))
        self.lines = [recent.title, state, recent.paths[0] if recent.paths else ""]
        self.setToolTip(plain_tooltip(self.lines[2]))
        self.there = True
        self.show_there(True, None)

    def show_there(self, there: bool, picture: QImage | None) -> None:
        """Whether its folder was found, and the picture of its last shot."""
        self.there, self.picture = there, picture
        if not there:
            self.lines[1] = tr("not found: is its card or disk connected?")
        self.setAccessibleName(", ".join(self.lines))
        self.setEnabled(there)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = QRect(8, 8, PICTURE.width(), PICTURE.height())
        p.fillRect(box, t.color("surround"))
        if self.picture is not None:
            size = self.picture.size().scaled(box.size(), Qt.AspectRatioMode.KeepAspectRatio)
            place = QRect(0, 0, size.width(), size.height())
            place.moveCenter(box.center())
            p.drawImage(place, self.picture)
        x, width = box.right() + 14, self.width() - box.right() - 26
        for k, text in enumerate(self.lines):
            p.setFont(theme.font(13 if k == 0 else 12, bold=k == 0))
            p.setPen(t.color("ink" if k == 0 else "quiet" if self.there or k != 1 else "warning"))
            mode = Qt.TextElideMode.ElideMiddle if k == 2 else Qt.TextElideMode.ElideRight
            line = QRect(x, 12 + 22 * k, width, 20)
            p.drawText(line, Qt.AlignmentFlag.AlignVCenter, p.fontMetrics().elidedText(text, mode, width))


class StartPage(QWidget):
    """Emits `demo_wanted`: whether its night is meant."""

    demo_wanted = Signal(bool)

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host = host
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._pictures = host.session.places.channel("shoots")
        outer = across(self, margins=(24, 28, 24, 16))
        holder = build(QWidget, maximumWidth=WIDTH, minimumWidth=min(WIDTH, 480))
        column = down(holder, margins=0, gap=10)
        fill(outer, 1, (holder, 10), 1)
        for text in WHAT:
            line = Label(text, wordWrap=True)
            column.addWidget(line)
        column.addSpacing(8)
        row = QHBoxLayout()
        self.open = build(QPushButton, tr("Open a folder…"), objectName="primary", clicked=host.opener.choose_folder)
        self.demo = build(
            QPushButton,
            tr("Try the demo shoot"),
            toolTip=tr("One day at a made-up salt works, photographed by a simulated phone"),
            clicked=lambda: self.demo_wanted.emit(False),
        )
        self.night = build(
            QPushButton,
            tr("Demo night"),
            toolTip=tr(
                "A ladder of settings, a star field, running water and a sky of 240 frames, taken while you watch"
            ),
            clicked=lambda: self.demo_wanted.emit(True),
        )
        self.take = build(
            QPushButton,
            tr("Import from a phone or card…"),
            toolTip=tr("Choose the phone or card, then the folder to copy its files to"),
            clicked=lambda: host.asking.import_files(),
        )
        for button in (self.open, self.take, self.demo, self.night):
            button.setMinimumHeight(32)
            row.addWidget(button)
        row.addStretch(1)
        hint = Label(tr("Or drop a folder or a raw on this window."), objectName="quiet")
        fill(column, row, hint)
        column.addSpacing(8)
        self.heading = Label(tr("Continue with"), objectName="heading")
        self.day = self._day()
        self.recent_area, self.column = scrolled(8)
        fill(column, self.heading, self.day, (self.recent_area, 1), 0)
        self.cards: list[RecentCard] = []
        self.fill()

    @staticmethod
    def _day() -> QWidget:
        """What each task is for, until there are shoots to go on with."""
        day = QWidget()
        grid = QGridLayout(day)
        grid.setContentsMargins(0, 8, 0, 0)
        grid.setHorizontalSpacing(24)
        grid.setVerticalSpacing(14)
        for k, (task, text) in enumerate(DAY):
            holder = QWidget()
            part = down(holder, margins=0, gap=3)
            for words, name in ((title_of(task), "heading"), (text, "quiet")):
                label = Label(words, objectName=name, wordWrap=True)
                part.addWidget(label)
            grid.addWidget(holder, k // 2, k % 2)
        for side in (0, 1):
            grid.setColumnStretch(side, 1)
        return day

    def turned_to(self) -> None:
        """The page was chosen."""
        self.fill()
        (self.cards[0] if self.cards else self.open).setFocus()

    def fill(self) -> None:
        """The shoots that were opened before."""
        clear(self.column)
        self.cards = [RecentCard(r) for r in self.host.session.settings.recent if r.paths]
        self.heading.setVisible(bool(self.cards))
        self.recent_area.setVisible(bool(self.cards))
        for card in self.cards:
            card.clicked.connect(partial(self._open, card.recent))
            self.column.addWidget(card)
        self.column.addStretch(1)
        self.day.setVisible(not self.cards)
        self._look(0)

    def _open(self, recent: RecentShoot) -> None:
        self.host.open_shoot(list(recent.paths), recent.title)

    def _look(self, k: int) -> None:
        """Look for one shoot after the other, and for its picture."""
        cards = self.cards
        if k >= len(cards):
            return
        recent = cards[k].recent

        def done(found: tuple[bool, QImage | None]) -> None:
            if cards is self.cards:
                cards[k].show_there(*found)
                self._look(k + 1)

        def work() -> tuple[bool, QImage | None]:
            if not all(Path(p).exists() for p in recent.paths):
                return False, None
            try:
                shot = read_shot(Path(recent.shot), None) if recent.shot else None
                return True, None if shot is None else to_qimage(small_view(shot, 2 * PICTURE.width())[0])
            except BrutoError:
                return True, None

        self._pictures.ask(None, work, done, lambda _: None)
