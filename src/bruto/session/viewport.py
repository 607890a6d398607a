"""Which part of a frame is seen, and how large: fit, zoom and pan, and what pixels that asks for. One for every stage.

Coordinates of the frame are full-size pixels of the oriented picture; those of the pane are the screen's, of which
`ratio` physical pixels make one.
"""

from __future__ import annotations

import math

MOST_ZOOM, LEAST_ZOOM = 8.0, 0.02
"""Screen pixels a frame pixel."""
PADDING = 16
"""Pixels left free around a picture that is fitted."""
SHARP_FROM = 0.62
"""Physical screen pixels a frame pixel from which a view made at half the size is too coarse."""
MOST_PIECE = 8_000_000
"""Pixels of a sharp piece at most."""


class Viewport:
    """`frame`: width and height; `pane`: of the widget, `ratio` of its screen; `centre`.

    The place of the frame in the pane's middle.
    """

    def __init__(self) -> None:
        self.frame = (0, 0)
        self.pane = (200.0, 150.0)
        self.ratio = 1.0
        self.padding = PADDING
        self.fit = True
        self.zoom = 1.0
        self.centre = (0.0, 0.0)

    def set_pane(self, width: float, height: float, ratio: float = 1.0) -> None:
        """Follow the widget, which has this size now.

        Parameters
        ----------
        width
            Width, pixels.
        height
            Height, pixels.
        ratio
            Ratio.
        """
        self.pane, self.ratio = (width, height), ratio
        if self.fit:
            self._fit()

    def set_frame(self, width: int, height: int) -> None:
        """Show another picture of a full size; the zoom is kept when sizes agree.

        Parameters
        ----------
        width
            Width, pixels.
        height
            Height, pixels.
        """
        if (width, height) != self.frame:
            self.frame = (width, height)
            self.fit = True
        if self.fit:
            self._fit()

    def resize_frame(self, width: int, height: int) -> None:
        """Put the same picture into another frame: what is in the middle stays there.

        Parameters
        ----------
        width
            Width, pixels.
        height
            Height, pixels.
        """
        w, h = self.frame
        self.frame = (width, height)
        if self.fit or not w:
            self._fit()
        else:
            self.centre = (self.centre[0] + (width - w) / 2, self.centre[1] + (height - h) / 2)

    def _fit(self) -> None:
        w, h = self.frame
        if w and h:
            free_w, free_h = (max(20.0, n - 2 * self.padding) for n in self.pane)
            self.zoom = min(free_w / w, free_h / h, MOST_ZOOM)
            self.centre = (w / 2, h / 2)

    def set_fit(self) -> None:
        """Show the whole frame."""
        self.fit = True
        self._fit()

    def zoom_to(self, zoom: float, x: float | None = None, y: float | None = None) -> None:
        """Zoom; the place of the frame under (x, y) of the pane, or its middle, stays there.

        Parameters
        ----------
        zoom
            Magnification.
        x
            Horizontal position, pixels.
        y
            Vertical position, pixels.
        """
        x, y = (n / 2 if v is None else v for v, n in zip((x, y), self.pane, strict=True))
        place = self.to_frame(x, y)
        least = min(LEAST_ZOOM, self.zoom if self.fit else LEAST_ZOOM)
        self.fit = False
        self.zoom = min(max(zoom, least), MOST_ZOOM)
        self.centre = (place[0] - (x - self.pane[0] / 2) / self.zoom, place[1] - (y - self.pane[1] / 2) / self.zoom)
        self._hold()

    def one_to_one(self, x: float | None = None, y: float | None = None) -> None:
        """Show one pixel of the frame on one pixel of the screen.

        Parameters
        ----------
        x
            Horizontal position, pixels.
        y
            Vertical position, pixels.
        """
        self.zoom_to(1 / self.ratio, x, y)

    def pan(self, dx: float, dy: float) -> None:
        """Move the picture by pixels of the pane; one that is shown whole stays where it is.

        Parameters
        ----------
        dx
            Horizontal distance, screen pixels.
        dy
            Vertical distance, screen pixels.
        """
        if self.fit:
            return
        self.centre = (self.centre[0] - dx / self.zoom, self.centre[1] - dy / self.zoom)
        self._hold()

    def _hold(self) -> None:
        self.centre = tuple(min(max(c, 0.0), float(n)) for c, n in zip(self.centre, self.frame, strict=True))  # type: ignore[assignment]

    def to_frame(self, x: float, y: float) -> tuple[float, float]:
        """Compute a place of the pane in the frame.

        Parameters
        ----------
        x
            Horizontal position, pixels.
        y
            Vertical position, pixels.

        Returns
        -------
        tuple[float, float]
            A place of the pane in the frame.
        """
        return (x - self.pane[0] / 2) / self.zoom + self.centre[0], (y - self.pane[1] / 2) / self.zoom + self.centre[1]

    def to_pane(self, x: float, y: float) -> tuple[float, float]:
        """Compute a place of the frame in the pane.

        Parameters
        ----------
        x
            Horizontal position, pixels.
        y
            Vertical position, pixels.

        Returns
        -------
        tuple[float, float]
            A place of the frame in the pane.
        """
        return (x - self.centre[0]) * self.zoom + self.pane[0] / 2, (y - self.centre[1]) * self.zoom + self.pane[1] / 2

    def visible(self) -> tuple[int, int, int, int]:
        """Visible part of the frame (x, y, width, height) in whole pixels, one at least.

        >>> v = Viewport(); v.set_frame(4000, 3000); v.set_pane(832, 632); v.visible(), v.zoom
        ((0, 0, 4000, 3000), 0.2)
        """
        (w, h), (pane_w, pane_h) = self.frame, self.pane
        (ax, ay), (bx, by) = self.to_frame(0, 0), self.to_frame(pane_w, pane_h)
        x0, y0 = max(0, math.floor(ax)), max(0, math.floor(ay))
        x1, y1 = min(w, math.ceil(bx)), min(h, math.ceil(by))
        return x0, y0, max(1, x1 - x0), max(1, y1 - y0)

    @property
    def at_one(self) -> bool:
        """Whether one frame pixel lies on one of the screen."""
        return abs(self.zoom * self.ratio - 1) < 1e-3

    def factor(self, coarsest: float) -> float:
        """Find how many times smaller than the full size the whole is shown, from 2 to `coarsest`.

        Parameters
        ----------
        coarsest
            Coarsest scale allowed.

        Returns
        -------
        float
            How many times smaller than the full size the whole is shown, from 2 to `coarsest`.
        """
        return min(max(1 / (self.zoom * self.ratio), 2.0), coarsest)

    def wants_piece(self, sharp_from: float = SHARP_FROM, most: int = MOST_PIECE) -> bool:
        """Check whether what is visible asks for pixels at full size, and is not too much of them.

        Parameters
        ----------
        sharp_from
            Zoom from which a sharp piece pays.
        most
            Upper limit.

        Returns
        -------
        bool
            True where what is visible asks for pixels at full size, and is not too much of them.
        """
        _, _, w, h = self.visible()
        return self.zoom * self.ratio > sharp_from and w * h <= most
