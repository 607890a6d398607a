"""The picture that is forecast for a planned shot: the whole frame, and a piece of it at 1:1."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from bruto.app.stage.image_pyramid import to_qimage
from bruto.app.widgets import theme
from bruto.catalog import tr

GAP, TAG, LEAST = 8.0, 22.0, 120
"""Pixels: between the two, of a line of text, least height."""


class PreviewView(QWidget):
    """On the neutral surround, with a line that says what is seen."""

    def __init__(self) -> None:
        super().__init__()
        self.whole: QImage | None = None
        self.piece: QImage | None = None
        self.caption, self.piece_text, self.empty = "", "", ""
        self.waiting = False
        self.setMinimumSize(240, LEAST)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Simulated preview"))

    def show_picture(self, whole: NDArray[np.uint8], piece: NDArray[np.uint8], caption: str, piece_text: str) -> None:
        """Show both; `caption`: what stands under each."""
        self.whole, self.piece = to_qimage(whole), to_qimage(piece)
        self.caption, self.piece_text, self.empty, self.waiting = caption, piece_text, "", False
        self.setAccessibleDescription(f"{caption}. {piece_text}")
        self.update()

    def show_waiting(self) -> None:
        """Another picture is being made; the old one stays until it is there."""
        self.waiting = True
        self.update()

    def show_nothing(self, why: str) -> None:
        """Say why there is none."""
        self.whole = self.piece = None
        self.empty, self.waiting = why, False
        self.setAccessibleDescription(why)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), t.color("surround"))
        p.setFont(theme.font(12))
        p.setPen(t.color("on_surround"))
        if self.whole is None or self.piece is None:
            words = Qt.AlignmentFlag.AlignCenter.value | Qt.TextFlag.TextWordWrap.value
            p.drawText(QRectF(self.rect()).adjusted(24, 8, -24, -8), words, self.empty or tr("simulating…"))
            return
        height = self.height() - 2 * GAP - TAG
        part = min(float(self.piece.width()), max(120.0, 0.29 * self.width()))
        free = self.width() - part - 3 * GAP
        scale = min(free / self.whole.width(), height / self.whole.height())
        w, h = self.whole.width() * scale, self.whole.height() * scale
        left = max(GAP, (self.width() - w - part - GAP) / 2)
        box = QRectF(left, GAP + (height - h) / 2, w, h)
        p.drawImage(box, self.whole)
        tall = min(h, float(self.piece.height()))
        aside = QRectF(box.right() + GAP, box.top(), part, tall)
        source = QRectF((self.piece.width() - part) / 2, (self.piece.height() - tall) / 2, part, tall)
        p.drawImage(aside, self.piece, source)
        under = QRectF(aside.left(), aside.bottom() + 2, part, max(box.bottom() - aside.bottom() - 2, TAG))
        if under.height() >= 2 * TAG:
            p.drawText(under, Qt.TextFlag.TextWordWrap.value, self.piece_text)
        line = p.fontMetrics().elidedText(self.caption, Qt.TextElideMode.ElideRight, int(self.width() - 2 * GAP))
        p.drawText(QRectF(box.left(), box.bottom() + 2, self.width() - box.left() - GAP, TAG), line)
        if self.waiting:
            tag_words = tr("updating…")
            width = p.fontMetrics().horizontalAdvance(tag_words) + 12
            tag = QRectF(box.right() - width - 4, box.top() + 4, width, 20)
            p.fillRect(tag, t.color("surround"))
            p.drawText(tag, Qt.AlignmentFlag.AlignCenter.value, tag_words)
