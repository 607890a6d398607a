"""Rectangles of a picture, as it is looked at and as it is stored."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Rectangle:
    """A rectangle in full-size pixels, unoriented."""

    x: int
    y: int
    width: int
    height: int


def stored_rect(rect: Rectangle, orientation: int, size: tuple[int, int]) -> Rectangle:
    """Return a rectangle of the oriented picture in unoriented pixels; `size` is the unoriented (width, height).

    Parameters
    ----------
    rect
        Rectangle in output pixels.
    orientation
        Exif orientation, 1 to 8.
    size
        Width and height, pixels.

    Returns
    -------
    Rectangle
        A rectangle of the oriented picture in unoriented pixels.
    """
    w, h = size

    def stored(x: int, y: int) -> tuple[int, int]:
        if orientation in (6, 7):  # turned clockwise
            x, y = y, h - 1 - x
        elif orientation in (5, 8):
            x, y = w - 1 - y, x
        elif orientation in (3, 4):
            x, y = w - 1 - x, h - 1 - y
        if orientation in (2, 4, 5, 7):
            x = w - 1 - x
        return x, y

    x0, y0 = stored(rect.x, rect.y)
    x1, y1 = stored(rect.x + rect.width - 1, rect.y + rect.height - 1)
    return Rectangle(min(x0, x1), min(y0, y1), abs(x1 - x0) + 1, abs(y1 - y0) + 1)
