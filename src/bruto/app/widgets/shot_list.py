"""The list of shots at the left: thumbnail with its kind, name, facts; sets folded under their first shot."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QMimeData,
    QModelIndex,
    QPersistentModelIndex,
    QRect,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QImage, QPainter, QPen
from PySide6.QtWidgets import (
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from bruto.app.shot_facts import count_text, set_title
from bruto.app.widgets import theme
from bruto.app.widgets.build import across, down, fill
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.app.widgets.shot_view import ShotView
from bruto.app.widgets.source_selector import DRAGGED, dragged
from bruto.catalog import tr
from bruto.session.shoot import Shoot, shot_facts
from bruto.shoot.shots import Shot, ShotSet
from bruto.shoot.verdicts import BY_ID

ROW = 82
THUMB = QSize(72, 54)
FOLD = 20
"""Pixels at the right of a name for the triangle of a set."""


class ShotModel(QAbstractListModel):
    """Rows: the first shot of each set; an open set shows its other shots below."""

    def __init__(self, shoot: Shoot) -> None:
        super().__init__()
        self.shoot = shoot
        self.rows: list[tuple[ShotSet, Shot, bool]] = []
        self.open_sets: set[str] = set()
        self.thumbs: dict[str, tuple[QImage, str]] = {}
        self._places: dict[str, int] | None = None

    def rebuild(self) -> None:
        self.beginResetModel()
        self._places = None
        self.rows = []
        for group in self.shoot.sets:
            self.rows.append((group, group.shots[0], True))
            if group.kind != "single" and group.shots[0].name in self.open_sets:
                self.rows += [(group, shot, False) for shot in (*group.shots[1:], *group.tests)]
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | QPersistentModelIndex | None = None) -> int:
        return len(self.rows)

    def data(self, index: QModelIndex | QPersistentModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        _group, shot, _first = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return shot.name
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return ", ".join([shot.name, *shot_facts(shot)])
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tooltip(shot.problem or str(shot.main))
        if role == Qt.ItemDataRole.UserRole:
            return shot
        return None

    def flags(self, index: QModelIndex | QPersistentModelIndex) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsDragEnabled

    def mimeTypes(self) -> list[str]:
        return [DRAGGED]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        return dragged(self.rows[indexes[0].row()][1])

    def set_thumb(self, shot: Shot, image: QImage, kind: str) -> None:
        """The small picture of a shot and what it is."""
        self.thumbs[str(shot.main)] = (image, kind)
        self.changed(shot)

    def changed(self, shot: Shot) -> None:
        """Draw the row of a shot anew."""
        if self._places is None:
            self._places = {str(s.main): k for k, (_, s, _) in enumerate(self.rows)}
        k = self._places.get(str(shot.main))
        if k is not None:
            self.dataChanged.emit(self.index(k), self.index(k))


class _Delegate(QStyledItemDelegate):
    def __init__(self, model: ShotModel) -> None:
        super().__init__()
        self.model = model

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(190, ROW)

    def paint(self, p: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        t = theme.current()
        group, shot, first = self.model.rows[index.row()]
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box: QRect = option.rect.adjusted(6 if first else 18, 3, -6, -3)  # type: ignore[attr-defined]
        state: Any = option.state  # type: ignore[attr-defined]
        current = shot is self.model.shoot.current
        if state & QStyle.StateFlag.State_Selected:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(t.color("raised" if current else "chosen"))
            p.drawRoundedRect(box, 5, 5)
            p.setBrush(t.color("accent"))
            p.drawRoundedRect(QRect(box.left(), box.top(), 4, box.height()), 2, 2)
        elif state & QStyle.StateFlag.State_MouseOver:
            p.setPen(QPen(t.color("line")))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(box, 5, 5)
        if state & QStyle.StateFlag.State_HasFocus:
            theme.ring(p, QRectF(box))
        thumb = QRect(box.left() + 9, box.top() + 8, THUMB.width(), THUMB.height())
        found = self.model.thumbs.get(str(shot.main))
        p.fillRect(thumb, t.color("surround"))
        if found is not None:
            image, kind = found
            size = image.size().scaled(thumb.size(), Qt.AspectRatioMode.KeepAspectRatio)
            place = QRect(
                thumb.center().x() - size.width() // 2,
                thumb.center().y() - size.height() // 2,
                size.width(),
                size.height(),
            )
            p.drawImage(place, image)
            p.setFont(theme.font(12))
            label = QRect(thumb.left(), thumb.bottom() + 1, thumb.width(), 14)
            p.setPen(t.color("quiet"))
            if kind == "preview":  # until it is developed
                p.drawText(label, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, kind)
        x = thumb.right() + 9
        width = box.right() - x - 4
        p.setFont(theme.font(12, bold=True))
        p.setPen(t.color("ink"))
        folds = first and group.kind != "single"
        room = width - (FOLD if folds else 0)  # a set has its triangle at the right of the name
        p.drawText(
            QRect(x, box.top() + 5, room, 16),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
            p.fontMetrics().elidedText(shot.name, Qt.TextElideMode.ElideMiddle, room),
        )
        p.setFont(theme.font(12))
        facts = shot_facts(shot)
        count = set_title(group) if folds else facts[1]
        verdict = BY_ID.get(self.model.shoot.verdicts.get(str(shot.main), ""))
        if verdict is not None:
            text = p.fontMetrics().elidedText(verdict.text, Qt.TextElideMode.ElideRight, width)
            p.setPen(t.color("ink"))
            place = QRect(x, box.bottom() - 18, width, 16)
            p.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        for k, text in enumerate((facts[0], count)):
            p.setPen(t.color("warning") if shot.problem else t.color("quiet"))
            p.drawText(
                QRect(x, box.top() + 22 + 17 * k, width, 34 if k else 16),
                Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap,
                text,
            )
        if folds:
            p.setPen(t.color("accent"))
            p.drawText(
                QRect(box.right() - 22, box.top() + 5, 16, 16),
                Qt.AlignmentFlag.AlignCenter,
                "▾" if group.shots[0].name in self.model.open_sets else "▸",
            )
        p.restore()


class ShotList(QWidget):
    """Emits `chosen` with the shot the user selects."""

    chosen = Signal(object)

    def __init__(self, shoot: Shoot) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(222)
        layout = down(self, margins=(0, 8, 0, 0))
        head = across(margins=(10, 0, 10, 0))
        title = Label(tr("Shots"), objectName="heading")
        self.count = Label("", objectName="quiet")
        fill(head, title, 1, self.count)
        self.model = ShotModel(shoot)
        self.view = ShotView(shoot, self.model)
        self.view.setAccessibleName(tr("Shots"))
        self.view.setDragEnabled(True)
        self._delegate = _Delegate(self.model)
        self.view.setItemDelegate(self._delegate)
        self.view.chosen.connect(self.chosen)
        self.view.doubleClicked.connect(self._toggle)
        self.view.clicked.connect(self._clicked)
        shoot.current_changed.connect(lambda: self.view.viewport().update())
        shoot.selection_changed.connect(self._count)
        shoot.judged.connect(self.model.changed)
        fill(layout, head, self.view)
        shoot.opened.connect(self._opened)

    def _opened(self) -> None:
        self.model.rebuild()
        self._count()
        self._restore()

    def _count(self) -> None:
        shoot = self.model.shoot
        shots, sets, chosen = len(shoot.shots), sum(s.kind != "single" for s in shoot.sets), len(shoot.selection)
        text = count_text(shots, sets)
        self.count.setText(tr("{chosen} of {shots} selected", chosen=chosen, shots=shots) if chosen > 1 else text)

    def _restore(self) -> None:
        """The current shot and the selection are those of the shoot, whatever rows there are now."""
        shot = self.model.shoot.current
        row = None if shot is None else self.view.row_of(shot)
        if row is not None:
            self.view.make_current(row, announce=False)
        else:
            self.view.follow()

    def _clicked(self, index: QModelIndex) -> None:
        box = self.view.visualRect(index)
        if self.view.mapFromGlobal(self.cursor().pos()).x() > box.right() - 30:
            self._toggle(index)

    def _toggle(self, index: QModelIndex) -> None:
        group, shot, first = self.model.rows[index.row()]
        if not first or group.kind == "single":
            return
        self.model.open_sets ^= {shot.name}
        self.model.rebuild()
        self._restore()

    def select(self, shot: Shot) -> None:
        """Make a shot current, and all that is selected."""
        row = next((k for k, (_, s, _) in enumerate(self.model.rows) if s is shot or s.main == shot.main), None)
        if row is not None:
            self.model.shoot.choose(self.view.stands_for(row))
            self.view.make_current(row, announce=True)
