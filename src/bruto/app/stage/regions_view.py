"""The places where two pictures differ most: each as a pair of pieces at 1:1 with a sentence."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from bruto.app.stage.image_pyramid import to_qimage
from bruto.app.widgets import theme
from bruto.catalog import tr
from bruto.compare.regions import Region
from bruto.compare.sources import SharpPair

MARGIN, GAP, WORDS = 14.0, 12.0, 42.0
"""Pixels around and between places, and for their sentences."""


def short(title: str) -> str:
    """What a side is called in sentences.

    >>> short("the raw, as corrected")
    'raw'
    """
    return title.removeprefix("the ").split(",")[0]


class RegionsView(QWidget):
    """Emits `chosen` with the number of a place that is to be seen on the stage."""

    chosen = Signal(int)
    unwanted = Signal(int)
    """The number of a place of one's own that is to go."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Regions where the two differ most"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.places: tuple[Region, ...] = ()
        self.names = ("", "")
        self.pairs: dict[int, tuple[QImage, QImage]] = {}
        self.message = ""
        self.current = 0

    def show_places(self, places: tuple[Region, ...], names: tuple[str, str]) -> None:
        """Other places; their pieces follow."""
        self.places, self.names, self.pairs, self.current = places, names, {}, 0
        self.setAccessibleDescription(" ".join(self.sentence(k) for k in range(len(places))))
        self.update()

    def sentence(self, k: int) -> str:
        """What is to be seen in a place."""
        first, second = (short(n) for n in self.names)
        return self.places[k].sentence.format(first=first, second=second)

    def set_pair(self, k: int, pair: SharpPair) -> None:
        """The pieces of a place."""
        self.pairs[k] = (to_qimage(pair.first), to_qimage(pair.second, pair.valid))
        self.update()

    def cells(self) -> list[QRectF]:
        """Where each place stands: two columns, or one where that gives larger pieces."""
        count = len(self.places)
        if not count:
            return []
        columns = 1 if count == 1 or self.width() <= 620 else 2 if count <= 6 else 3
        rows = -(-count // columns)
        w = (self.width() - 2 * MARGIN - (columns - 1) * GAP) / columns
        h = (self.height() - 2 * MARGIN - (rows - 1) * GAP) / rows
        found = [
            QRectF(MARGIN + (k % columns) * (w + GAP), MARGIN + (k // columns) * (h + GAP), w, h) for k in range(count)
        ]
        if columns == 2 and count % 2:  # the last one has a row of its own
            found[-1].setWidth(2 * w + GAP)
        return found

    def _words(self, cell: QRectF) -> float:
        """Room under a place for the longest of the sentences."""
        metrics = QFontMetricsF(theme.font(12))
        how = Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap
        box = QRectF(0, 0, cell.width(), 1000)
        return max(
            WORDS, *(metrics.boundingRect(box, int(how), self._text(k)).height() + 8 for k in range(len(self.places)))
        )

    def _text(self, k: int) -> str:
        return f"{self.places[k].kind.capitalize()}: {self.sentence(k)}"

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.color("surround"))
        p.setPen(t.color("on_surround"))
        p.setFont(theme.font(13))
        if not self.places:
            words = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            p.drawText(QRectF(self.rect()).adjusted(60, 0, -60, 0), words, self.message)
            return
        for k, cell in enumerate(self.cells()):
            self._draw(p, k, cell)
            if self.hasFocus() and k == self.current:
                theme.ring(p, cell.adjusted(-4, -4, 4, 4))

    def _draw(self, p: QPainter, k: int, cell: QRectF) -> None:
        t = theme.current()
        half = (cell.width() - 2) / 2
        words = self._words(cell)
        high = cell.height() - words
        for side, name in enumerate(self.names):
            box = QRectF(cell.left() + side * (half + 2), cell.top(), half, high)
            p.fillRect(box, Qt.GlobalColor.black)
            if k in self.pairs:
                image = self.pairs[k][side]
                ratio = self.devicePixelRatioF()
                w, h = min(image.width(), half * ratio), min(image.height(), high * ratio)
                source = QRectF((image.width() - w) / 2, (image.height() - h) / 2, w, h)
                place = QRectF(0, 0, w / ratio, h / ratio)
                place.moveCenter(box.center())
                p.drawImage(place, image, source)
            p.setFont(theme.font(12))
            metrics = p.fontMetrics()
            if metrics.horizontalAdvance(name) + 12 > half:
                name = short(name)
            name = metrics.elidedText(name, Qt.TextElideMode.ElideRight, int(half) - 8)
            width = min(half, metrics.horizontalAdvance(name) + 12)
            tag = QRectF(box.left(), box.top(), width, 19)
            p.fillRect(tag, t.color("raised"))
            p.setPen(t.color("ink"))
            p.drawText(tag.adjusted(6, 0, -2, 0), Qt.AlignmentFlag.AlignVCenter, name)
        p.setPen(QPen(t.color("on_surround")))
        p.setFont(theme.font(12))
        text = self._text(k)
        how = Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap
        p.drawText(QRectF(cell.left(), cell.bottom() - words + 4, cell.width(), words - 4), how, text)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for k, cell in enumerate(self.cells()):
            if cell.contains(event.position()):
                self.current = k
                self.chosen.emit(k)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -2, Qt.Key.Key_Down: 2}
        if event.key() in by and self.places:
            self.current = max(0, min(len(self.places) - 1, self.current + by[Qt.Key(event.key())]))
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and self.places:
            self.chosen.emit(self.current)
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.places:
            self.unwanted.emit(self.current)
        else:
            super().keyPressEvent(event)
