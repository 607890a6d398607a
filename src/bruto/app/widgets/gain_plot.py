"""How much lower the noise becomes with the number of frames: what is to be had, and what was reached."""

from __future__ import annotations

import math
from collections.abc import Callable

from bruto.app.widgets.plot import Plot, Scale
from bruto.catalog import items, tr

HEIGHT = 122
MOST_DOTS = 24
"""Most dots that can be told apart."""


class GainPlot(Plot):
    """Gain over the number of frames: the root of their number as a dashed line, what the method should reach for the
    chosen ones as an open ring, and what was reached as dots.
    """

    def __init__(self) -> None:
        super().__init__(joined=True)
        self.setFixedHeight(HEIGHT)
        self.setAccessibleName(tr("Noise by number of frames"))

    def show_gain(
        self, count: int, expected: Callable[[int], float] | None, reached: tuple[tuple[int, float], ...] = ()
    ) -> None:
        """So many chosen frames, what a method should gain of a number of them, and what was gained of how many."""
        shown = expected is not None and count >= 2
        self.setVisible(shown)
        if expected is None or not shown:
            return
        most = max(count, *(n for n, _ in reached), 2)
        top = math.sqrt(most)
        across = Scale(1, most, ((1, tr("1 frame")), (most, str(most))), even=True)
        upward = Scale(1, 1.08 * top, tuple((gain, f"{gain} ×") for gain in sorted({1, math.floor(top)})), even=True)
        roots = [(n, math.sqrt(n)) for n in (1 + (most - 1) * k / 40 for k in range(41))]
        legend = tr("dashed: √N · ring: expected · dots: reached") if reached else tr("dashed: √N · ring: expected")
        text = tr("expect {expected:.1f} × less noise from {count} frames", expected=expected(count), count=count)
        every = max(1, math.ceil(len(reached) / MOST_DOTS))
        self.show_plot(
            across,
            upward,
            ("", legend),
            [(n, gain, True) for n, gain in reached[::-1][::every][::-1]],
            [(), roots],
            items(text, tr("{reached:.1f} × reached", reached=reached[-1][1]) if reached else ""),
            rings=((count, expected(count)),),
        )
