"""Start: open a folder, go on with a shoot, take files in, or try the demo shoot."""

from __future__ import annotations

from datetime import datetime
from functools import partial
from pathlib import Path

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bruto.app.host import Host
from bruto.app.stage.stage import to_qimage
from bruto.app.widgets import theme
from bruto.app.widgets.panel import clear, scrolled
from bruto.app.widgets.plain import Label, plain_tooltip
from bruto.errors import BrutoError
from bruto.shoot.shots import read_shot, small_view
from bruto.storage.remembered import Recent

WIDTH = 640
"""Of the column, pixels."""
PICTURE = QSize(96, 72)
WHAT = (
    "Shows what a raw really holds: what is full, how much light was unused, how far shadows can be lifted.",
    "Corrects it with a reason behind every value, and puts it beside the phone's own picture on equal terms.",
    "Merges several frames into one better raw. Your originals are never written to.",
)


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
        "today" if days <= 0 else "yesterday" if days == 1 else f"{days} days ago" if days < 60 else f"{then:%Y-%m-%d}"
    )


class RecentCard(QPushButton):
    """One shoot that was opened before: picture, name, state, place."""

    def __init__(self, recent: Recent) -> None:
        super().__init__()
        self.recent = recent
        self.setObjectName("recent")
        self.setFixedHeight(PICTURE.height() + 16)
        self.picture: QImage | None = None
        self.there = all(Path(p).exists() for p in recent.paths)
        kept = f", {recent.kept} kept" if recent.kept else ""
        count = f"{recent.shots} shot{'s' if recent.shots != 1 else ''}{kept}"
        state = f"{count} · opened {when(recent.opened, datetime.now())}"
        self.lines = (recent.title, state if self.there else "not there now: is its card or disk connected?",
                      recent.paths[0] if recent.paths else "")  # fmt: skip
        self.setAccessibleName(", ".join(self.lines))
        self.setToolTip(plain_tooltip(self.lines[2]))
        self.setEnabled(self.there)

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
    """Emits `demo_wanted`."""

    demo_wanted = Signal()

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host = host
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._pictures = host.session.render.channel("pictures of shoots", 145)
        outer = QHBoxLayout(self)
        outer.setContentsMargins(24, 28, 24, 16)
        outer.addStretch(1)
        holder = QWidget()
        holder.setMaximumWidth(WIDTH)
        holder.setMinimumWidth(min(WIDTH, 480))
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        outer.addWidget(holder, 10)
        outer.addStretch(1)
        for text in WHAT:
            line = Label(text)
            line.setWordWrap(True)
            column.addWidget(line)
        column.addSpacing(8)
        row = QHBoxLayout()
        self.open = QPushButton("Open a folder of shots…")
        self.open.setObjectName("primary")
        self.open.clicked.connect(host.choose_folder)
        self.demo = QPushButton("Try the demo shoot")
        self.demo.setToolTip("One day at a made-up salt works, taken by a simulated phone")
        self.demo.clicked.connect(self.demo_wanted)
        self.take = QPushButton("Take in from a phone or card…")
        self.take.setToolTip("Choose the phone or card, then the folder that its files are copied to")
        self.take.clicked.connect(lambda: host.asking.take_in())
        for button in (self.open, self.take, self.demo):
            button.setMinimumHeight(32)
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        hint = Label("Or drop a folder, or a raw, on this window.")
        hint.setObjectName("quiet")
        column.addWidget(hint)
        column.addSpacing(8)
        self.heading = Label("Go on with")
        self.heading.setObjectName("heading")
        column.addWidget(self.heading)
        scroll, self.column = scrolled(8)
        column.addWidget(scroll, 1)
        self.cards: list[RecentCard] = []
        self.fill()

    def turned_to(self) -> None:
        """The page was chosen."""
        self.fill()
        (self.cards[0] if self.cards and self.cards[0].there else self.open).setFocus()

    def fill(self) -> None:
        """The shoots that were opened before."""
        clear(self.column)
        self.cards = [RecentCard(r) for r in self.host.session.remembered.recent if r.paths]
        self.heading.setVisible(bool(self.cards))
        for card in self.cards:
            card.clicked.connect(partial(self._open, card.recent))
            self.column.addWidget(card)
        self.column.addStretch(1)
        self._picture(0)

    def _open(self, recent: Recent) -> None:
        self.host.open_shoot(list(recent.paths), recent.title)

    def _picture(self, k: int) -> None:
        """The picture of one card after the other."""
        cards = self.cards
        while k < len(cards) and not (cards[k].there and cards[k].recent.shot):
            k += 1
        if k >= len(cards):
            return
        path = Path(cards[k].recent.shot)

        def done(found: QImage | None) -> None:
            if cards is self.cards:
                cards[k].picture = found
                cards[k].update()
                self._picture(k + 1)

        def work() -> QImage | None:
            try:
                return to_qimage(small_view(read_shot(path, None), 2 * PICTURE.width())[0])
            except BrutoError:
                return None

        self._pictures.ask(None, work, done, lambda _: None)
