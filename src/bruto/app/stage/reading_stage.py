"""The stage of Intake: a raw without any look, with patterns where it is clipped."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPaintEvent

from bruto.app.stage.clip_overlay import draw_legend, overlay
from bruto.app.stage.stage import Stage


class ReadingStage(Stage):
    """A stage that draws where the raw is clipped, as patterns."""

    def __init__(self) -> None:
        super().__init__()
        self.counts: NDArray[np.uint8] | None = None
        self.shares: dict[str, float] = {}
        self.show_clipped = False

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self.show_clipped or self.counts is None or self.base is None:
            return
        ratio = self.devicePixelRatioF()
        r = self.frame_rect()
        image = overlay(
            self.counts,
            QRectF(r.left() * ratio, r.top() * ratio, r.width() * ratio, r.height() * ratio),
            round(self.width() * ratio),
            round(self.height() * ratio),
        )
        image.setDevicePixelRatio(ratio)
        p = QPainter(self)
        p.drawImage(QPointF(0, 0), image)
        if self.shares:
            draw_legend(p, self.width(), self.height(), self.shares)
