"""Regions of a comparison at 1:1: those found, and those of one's own."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from psygnal import Signal

from bruto.catalog import tr
from bruto.compare.metrics import Comparison
from bruto.compare.regions import OWN, Region, place_at
from bruto.compare.sources import sharp_pair
from bruto.develop.rectangle import Rectangle
from bruto.session.compared_pair import ComparedPair
from bruto.session.workers import Worker

MOST_PINS = 4
"""Regions of one's own at once."""
PIECE_SIDE = 360
"""Sides of the two pieces that a region is shown by, pixels of the first."""


class ComparedRegions:
    """`pins`: regions of one's own, as shares of the first's width and height."""

    place_made = Signal(int, object)
    """The number of a region, and its sharp pair."""
    moved = Signal()
    """Other regions of one's own."""
    message = Signal(str)

    def __init__(self, render: Worker) -> None:
        self.pins: list[tuple[float, float]] = []
        self._of: Path | None = None
        self._found: ComparedPair | None = None
        self._places = render.channel("places", 125)

    def turn_to(self, main: Path) -> None:
        """Forget the regions of another shot.

        Parameters
        ----------
        main
            File of the shot that is compared now.
        """
        if self._of != main:
            self.pins, self._of = [], main

    def forget(self) -> None:
        """Forget what was compared."""
        self._found = None
        self._places.forget()

    def show(self, found: ComparedPair, key: Any) -> None:
        """Make the sharp pieces of all regions, one after the other.

        Parameters
        ----------
        found
            What is compared.
        key
            Which comparison it is.
        """
        self._found = found
        self._next(found, key, 0)

    def _next(self, found: ComparedPair, key: Any, k: int) -> None:
        if k >= len(found.places):
            return
        width, height = found.first.size
        side = min(PIECE_SIDE, width, height)
        place = found.places[k]
        x, y = (int(np.clip(p * n - side / 2, 0, n - side)) for p, n in ((place.x, width), (place.y, height)))

        def done(pair: Any) -> None:
            self.place_made.emit(k, pair)
            self._next(found, key, k + 1)

        self._places.ask(
            (key, k),
            lambda: sharp_pair(found.first, found.second, found.alignment, Rectangle(x, y, side, side)),
            done,
            self.message.emit,
        )

    def pin(self, x: float, y: float) -> None:
        """Keep a place among those that are shown at 1:1.

        Parameters
        ----------
        x
            Horizontal position, share of the width.
        y
            Vertical position, share of the height.
        """
        if self._found is None:
            self.message.emit(tr("Wait until both are measured, then add regions."))
        elif len(self.pins) >= MOST_PINS:
            self.message.emit(
                tr(
                    "At most {MOST_PINS} regions of your own. Remove one first (Delete in the regions).",
                    MOST_PINS=MOST_PINS,
                )
            )
        else:
            self.pins.append((x, y))
            self.moved.emit()

    def unpin(self, k: int) -> None:
        """Take a region of one's own away, by its number among all regions.

        Parameters
        ----------
        k
            Its number.
        """
        places = () if self._found is None else self._found.places
        if 0 <= k < len(places) and places[k].kind == OWN:
            self.pins.remove((places[k].x, places[k].y))
            self.moved.emit()

    def own(self, comparison: Comparison) -> tuple[Region, ...]:
        """Measure the regions of one's own.

        Parameters
        ----------
        comparison
            What is compared.

        Returns
        -------
        tuple[Region, ...]
            The regions, as those that were found.
        """
        return tuple(place_at(*comparison.labs, x, y) for x, y in self.pins)
