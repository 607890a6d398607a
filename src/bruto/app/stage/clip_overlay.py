"""Where a raw is clipped, drawn over the picture as patterns: one channel, two, or all; they differ without colour."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter

from bruto.app.widgets import theme
from bruto.catalog import tr

PERIOD = 8
"""Pixels of the screen after which a pattern repeats."""
INKS = {1: (11, 94, 85), 2: (61, 63, 143), 3: (168, 52, 26)}
"""Verdigris for one channel, indigo for two, vermilion for all; each on a white edge, so that it is seen on any ground.
"""


def patterns() -> NDArray[np.uint8]:
    """Tiles (4, PERIOD, PERIOD, 4) of RGBA: none, rising lines, a lattice, full with holes."""
    y, x = np.mgrid[0:PERIOD, 0:PERIOD]
    rising = (x + y) % PERIOD
    falling = (x - y) % PERIOD
    tiles = np.zeros((4, PERIOD, PERIOD, 4), np.uint8)
    ink = {1: rising < 2, 2: (rising < 2) | (falling < 2), 3: ~((x % 4 == 1) & (y % 4 == 1))}
    edge = {1: (rising == 2) | (rising == 3), 2: ((rising == 2) | (falling == 2)) & ~ink[2], 3: ~ink[3]}
    for k, color in INKS.items():
        tiles[k][ink[k]] = (*color, 255)
        tiles[k][edge[k]] = (255, 255, 255, 225)
    return tiles


_TILES = patterns()


def overlay(counts: NDArray[np.uint8], rect: QRectF, width: int, height: int) -> QImage:
    """Patterns for a widget of a size in device pixels. `counts` (h, w): clipped channels of each quad, oriented;
    `rect`: where the frame lies in the widget, device pixels. Where several quads share a pixel, the most count.
    """
    h, w = counts.shape
    xs = (np.arange(width) + 0.5 - rect.left()) / max(rect.width(), 1e-6) * w
    ys = (np.arange(height) + 0.5 - rect.top()) / max(rect.height(), 1e-6) * h
    seen = _most(counts, xs, ys, w / max(rect.width(), 1e-6))
    rgba = _TILES[seen, (np.arange(height) % PERIOD)[:, None], (np.arange(width) % PERIOD)[None]]
    data = np.ascontiguousarray(rgba)
    return QImage(data.data, width, height, 4 * width, QImage.Format.Format_RGBA8888).copy()


def _most(counts: NDArray[np.uint8], xs: NDArray, ys: NDArray, scale: float) -> NDArray[np.uint8]:
    """The highest count under each pixel, 0 outside."""
    step = max(1, int(scale))
    if step > 1:
        h, w = counts.shape[0] // step * step, counts.shape[1] // step * step
        counts = counts[:h, :w].reshape(h // step, step, w // step, step).max(axis=(1, 3))
        xs, ys = xs / step, ys / step
    inside_x, inside_y = (xs >= 0) & (xs < counts.shape[1]), (ys >= 0) & (ys < counts.shape[0])
    ix = np.clip(xs.astype(int), 0, counts.shape[1] - 1)
    iy = np.clip(ys.astype(int), 0, counts.shape[0] - 1)
    seen = counts[iy[:, None], ix[None]]
    seen[~inside_y] = 0
    seen[:, ~inside_x] = 0
    return seen


def draw_legend(p: QPainter, right: float, bottom: float, shares: dict[str, float]) -> None:
    """What the patterns mean and how much of the picture each covers, in the corner above `right`, `bottom`."""
    rows = [
        (1, tr("one channel clipped, {one:.2f} %", one=shares["one"])),
        (2, tr("two, {two:.2f} %", two=shares["two"])),
        (3, tr("all, {all:.2f} %", all=shares["all"])),
    ]
    p.setFont(theme.font(12))
    width = max(p.fontMetrics().horizontalAdvance(text) for _, text in rows) + 36
    box = QRectF(right - width - 8, bottom - 18 * len(rows) - 16, width, 18 * len(rows) + 8)
    p.fillRect(box, theme.current().color("raised"))
    for k, (n, text) in enumerate(rows):
        y = box.top() + 4 + 18 * k
        tile = np.tile(_TILES[n], (2, 2, 1))
        image = QImage(np.ascontiguousarray(tile).data, 16, 16, 64, QImage.Format.Format_RGBA8888).copy()
        p.fillRect(QRectF(box.left() + 6, y + 1, 16, 16), theme.current().color("surround"))
        p.drawImage(QRectF(box.left() + 6, y + 1, 16, 16), image)
        p.setPen(theme.current().color("ink"))
        p.drawText(QRectF(box.left() + 28, y, width - 30, 18), text)
