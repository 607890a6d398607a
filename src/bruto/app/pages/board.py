"""The shoot as a board of cards: thumbnail with its tag, name, files, and the fact that matters most."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPen, QPixmap, QResizeEvent
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from bruto.app.shot_facts import card_text, set_fact, set_title, shot_fact, tag_text
from bruto.app.widgets import theme
from bruto.app.widgets.shot_list import ShotModel
from bruto.app.widgets.shot_view import ShotView
from bruto.catalog import tr
from bruto.session.shoot import Shoot
from bruto.shoot.shots import Shot, ShotSet
from bruto.shoot.verdicts import BY_ID, KEEP_OR_BEST

CARD_WIDTH = 158
"""Least width of a card, pixels; cards grow until their columns fill the board."""
MOST_CARDS = 160
"""Drawn cards that are kept, about 20 MB."""
TEXT = 66
"""Height of the three lines under a thumbnail."""

SORTS: dict[str, str] = {
    "time": tr("Time taken"),
    "name": tr("Name"),
    "headroom": tr("Headroom, most first"),
    "clipped": tr("Clipped in all channels, most first"),
    "sharp": tr("Fine detail, most first"),
    "noise": tr("Noise at mid-grey, most first"),
}
FILTERS: dict[str, str] = {
    "all": tr("All shots"),
    "undecided": tr("No verdict yet"),
    "keep_or_best": tr("Keep and Best"),
    "best": tr("Best"),
    "spare": tr("Spare"),
    "discard": tr("Discard"),
    "warned": tr("With a warning"),
    "no-raw": tr("Without a raw"),
    "sets": tr("Sets"),
}


class BoardModel(ShotModel):
    """Rows of the board, sorted and filtered by measured facts; sets are taken apart when not in order of time."""

    def __init__(self, shoot: Shoot) -> None:
        super().__init__(shoot)
        self.sort_by, self.only = "time", "all"

    def rebuild(self) -> None:
        super().rebuild()
        if self.sort_by == "time" and self.only == "all":
            return
        self.beginResetModel()
        if self.only == "sets":
            self.rows = [r for r in self.rows if r[0].kind != "single"]
        else:
            self.rows = [(g, s, False) for g in self.shoot.sets for s in (*g.tests, *g.shots) if self._fits(s)]
        key = self._key()
        if key is not None:
            self.rows.sort(key=lambda r: key(r[1]))
        self._places = None
        self.endResetModel()

    def _fits(self, shot: Shot) -> bool:
        verdict = self.shoot.verdicts.get(str(shot.main), "")
        return {
            "all": True,
            "undecided": verdict == "",
            "keep_or_best": verdict in KEEP_OR_BEST,
            "best": verdict == "best",
            "spare": verdict == "spare",
            "discard": verdict == "discard",
            "warned": self.fact(shot)[1] == "warning",
            "no-raw": shot.raw is None,
            "sets": True,
        }[self.only]

    def _key(self) -> Callable[[Shot], Any] | None:
        reports = self.shoot.reports

        def by(value: Callable[[Any], float]) -> Callable[[Shot], Any]:
            return lambda s: (
                str(s.main) not in reports,
                -value(reports[str(s.main)]) if str(s.main) in reports else 0.0,
            )

        return {
            "time": None,
            "name": lambda s: s.name.lower(),
            "headroom": by(lambda r: r.headroom_ev),
            "clipped": by(lambda r: r.clipped_percent["all"]),
            "sharp": by(lambda r: r.sharpest),
            "noise": by(lambda r: (r.noise[0] * 0.18 + r.noise[1]) ** 0.5),
        }[self.sort_by]

    def fact(self, shot: Shot) -> tuple[str, str]:
        """(text, role) of one shot."""
        return shot_fact(shot, self.shoot.reports.get(str(shot.main)), self.shoot.findings(shot))

    def data(self, index: QModelIndex | QPersistentModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.AccessibleTextRole:
            _group, shot, _first = self.rows[index.row()]
            return ", ".join([shot.name, card_text(shot), self.fact(shot)[0]])
        return super().data(index, role)


class _Card(QStyledItemDelegate):
    def __init__(self, model: BoardModel) -> None:
        super().__init__()
        self.model = model
        self.size = QSize(CARD_WIDTH, 186)
        self._drawn: OrderedDict[tuple, QPixmap] = OrderedDict()

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return self.size

    def paint(self, p: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        group, shot, first = self.model.rows[index.row()]
        folded = first and group.kind != "single" and group.shots[0].name not in self.model.open_sets
        state: Any = option.state  # type: ignore[attr-defined]
        selected = bool(state & QStyle.StateFlag.State_Selected)
        focus, current = bool(state & QStyle.StateFlag.State_HasFocus), shot is self.model.shoot.current
        box: QRect = option.rect  # type: ignore[attr-defined]
        fact = set_fact(group, self.model.shoot.reports) if folded else self.model.fact(shot)
        thumb = self.model.thumbs.get(str(shot.main))
        ratio = p.device().devicePixelRatioF()
        verdict = self.model.shoot.verdicts.get(str(shot.main), "")
        key = (
            str(shot.main), id(thumb), fact, verdict, selected, current, folded, first, box.width(), box.height(),
            ratio, theme.current().name, len(group.shots),
        )  # fmt: skip
        if key in self._drawn:  # drawing a card takes a millisecond: scrolling must not do it for all
            self._drawn.move_to_end(key)
        else:
            card = QPixmap(round(box.width() * ratio), round(box.height() * ratio))
            card.setDevicePixelRatio(ratio)
            card.fill(Qt.GlobalColor.transparent)
            painter = QPainter(card)
            self._draw(
                painter, QRect(0, 0, box.width(), box.height()), group, shot, first, folded, selected, current, fact
            )
            painter.end()
            self._drawn[key] = card
            while len(self._drawn) > MOST_CARDS:
                self._drawn.popitem(last=False)
        p.drawPixmap(box.topLeft(), self._drawn[key])
        if focus:
            p.save()
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            theme.ring(p, QRectF(box))
            p.restore()

    def _draw(
        self, p: QPainter, whole: QRect, group: ShotSet, shot: Shot, first: bool, folded: bool, selected: bool,
        current: bool, fact: tuple[str, str],
    ) -> None:  # fmt: skip
        t = theme.current()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = whole.adjusted(4, 4, -4, -4)
        if folded:  # further cards under the first
            p.setPen(QPen(t.color("line")))
            p.setBrush(t.color("panel"))
            p.drawRoundedRect(box.adjusted(4, 4, 3, 3), 5, 5)
        p.setPen(QPen(t.color("accent" if selected else "line"), 1))
        p.setBrush(t.color("chosen" if selected else "raised"))
        p.drawRoundedRect(box, 5, 5)
        if selected:  # a bar below, thick for the one that is shown
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(t.color("accent"))
            thick = 5 if current else 2
            p.drawRoundedRect(QRect(box.left(), box.bottom() - thick + 1, box.width(), thick), 2, 2)
        self._picture(p, box, shot, folded, len(group.shots))
        x, width, y = box.left() + 7, box.width() - 14, box.bottom() - TEXT + 4
        second = set_title(group) if folded else card_text(shot)
        p.setFont(theme.font(12, bold=True))
        for k, (text, color) in enumerate(((shot.name, "ink"), (second, "quiet"), fact)):
            if k:
                p.setFont(theme.font(12))
            p.setPen(t.color(color))
            p.drawText(
                QRect(x, y + 18 * k, width, 18),
                Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
                p.fontMetrics().elidedText(
                    text, Qt.TextElideMode.ElideRight if k else Qt.TextElideMode.ElideMiddle, width
                ),
            )

    def _picture(self, p: QPainter, box: QRect, shot: Shot, folded: bool, count: int) -> None:
        t = theme.current()
        thumb = QRect(box.left() + 7, box.top() + 7, box.width() - 14, box.height() - TEXT - 10)
        p.fillRect(thumb, t.color("surround"))
        found = self.model.thumbs.get(str(shot.main))
        kind = (
            tr("no preview") if shot.problem else "…" if found is None else "preview" if found[1] == "preview" else ""
        )
        if found is not None:
            image, _ = found
            size = image.size().scaled(thumb.size(), Qt.AspectRatioMode.KeepAspectRatio)
            place = QRect(0, 0, size.width(), size.height())
            place.moveCenter(thumb.center())
            p.drawImage(place, image)
        p.setFont(theme.font(12))
        kind = kind or tag_text(shot)
        if kind:
            self._label(p, thumb.left() + 4, thumb.bottom() - 21, kind, dark=True)
        verdict = self.model.shoot.verdicts.get(str(shot.main), "")
        if verdict in BY_ID:
            text = BY_ID[verdict].text
            width = p.fontMetrics().horizontalAdvance(text) + 12
            self._label(p, thumb.right() - width - 3, thumb.top() + 4, text, dark=False)
        if folded:
            width = p.fontMetrics().horizontalAdvance(f"▸ {count}") + 12
            self._label(p, thumb.right() - width - 3, thumb.bottom() - 21, f"▸ {count}", dark=True)

    def _label(self, p: QPainter, x: int, y: int, text: str, *, dark: bool) -> None:
        t = theme.current()
        box = QRect(x, y, p.fontMetrics().horizontalAdvance(text) + 12, 18)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(Qt.GlobalColor.black if dark else t.color("raised"))
        p.setOpacity(0.78 if dark else 1.0)
        p.drawRoundedRect(box, 3, 3)
        p.setOpacity(1.0)
        p.setPen(Qt.GlobalColor.white if dark else t.color("ink"))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


class Board(ShotView):
    """Emits `chosen` with the shot under the cursor, `opened` on a double click or Return."""

    opened = Signal(object)

    def __init__(self, shoot: Shoot) -> None:
        super().__init__(shoot, BoardModel(shoot))
        self.setAccessibleName(tr("Board of shots"))
        self._delegate = _Card(self.cards)
        self.setItemDelegate(self._delegate)
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setMovement(QListView.Movement.Static)
        self.setSelectionRectVisible(True)
        self.setSpacing(0)
        self.setLayoutMode(QListView.LayoutMode.Batched)
        self.setBatchSize(200)
        self.doubleClicked.connect(self._activated)
        shoot.current_changed.connect(lambda: self.viewport().update())

    def resizeEvent(self, event: QResizeEvent) -> None:
        available = self.width() - 14  # the scroll bar, always counted so that cards do not jump
        columns = max(1, available // CARD_WIDTH)
        width = available // columns
        self._delegate.size = QSize(width, (width - 22) * 3 // 4 + TEXT + 18)
        self.setGridSize(self._delegate.size)
        super().resizeEvent(event)

    def _activated(self, index: QModelIndex) -> None:
        group, shot, first = self.cards.rows[index.row()]
        if first and group.kind != "single":
            self.toggle(group.shots[0])
        else:
            self.opened.emit(shot)

    def toggle(self, shot: Shot) -> None:
        """Unfold or fold the set that begins with a shot."""
        self.cards.open_sets ^= {shot.name}
        self.refresh()

    def refresh(self) -> None:
        """Rows anew, with the current shot and the selection kept."""
        shot = self.shot_at(self.currentIndex()) or self.shoot.current
        self.quiet = True
        self.cards.rebuild()
        self.quiet = False
        if shot is not None:
            self.select(shot)

    def select(self, shot: Shot) -> None:
        """Make a shot current, or the first of its folded set, without telling."""
        row = self.row_of(shot)
        if row is not None:
            self.make_current(row, announce=False)
        else:
            self.follow()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            self._activated(self.currentIndex())
        else:
            super().keyPressEvent(event)
