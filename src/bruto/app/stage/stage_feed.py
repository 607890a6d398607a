"""What every stage shows of a frame: the coarse whole first, then the sharp piece; the latest request wins."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from bruto.app.stage.stage import Stage
from bruto.container.orientation import orient
from bruto.develop.rectangle import Rectangle, stored_rect
from bruto.develop.sensor_image import COARSEST
from bruto.session.workers import Worker

PIECE_FACTOR = 4.0
"""How many times smaller the whole is at least while a piece is on its way: it is seen no longer than that."""
Source = Callable[[float, Rectangle | None], Any]
"""Pixels of the frame as it is held: the whole that many times smaller, or a rectangle of it at full size; None where
there is none."""


def oriented(view: Source, orientation: int, size: tuple[int, int]) -> Source:
    """The source of a frame that is stored otherwise than it is held: `size` as stored, `orientation` of Exif."""

    def seen(factor: float, rect: Rectangle | None = None) -> Any:
        stored = None if rect is None else stored_rect(rect, orientation, size)
        return orient(view(factor, stored), orientation)

    return seen


class StageFeed:
    """Asks for pictures at the zoom of a stage and puts them there, or where `whole` and `piece` do."""

    def __init__(self, worker: Worker, name: str, urgency: int, stage: Stage) -> None:
        """`urgency` of the piece; the whole comes 10 after it."""
        self.stage = stage
        self._piece = worker.channel(f"{name}, sharp", urgency)
        self._whole = worker.channel(name, urgency + 10)

    def turn_to(self, key: Any) -> None:
        """Only pictures of this subject are wanted from now on."""
        self._piece.turn_to(key)
        self._whole.turn_to(key)

    def dropped(self) -> bool:
        """Whether nobody wants the running whole any more."""
        return self._whole.dropped()

    def factor(self) -> float:
        """How many times smaller than the full size the whole is shown, within what views are made at."""
        return self.stage.viewport.factor(COARSEST)

    def needs_piece(self) -> bool:
        """Whether what is seen asks for pixels at full size."""
        return self.stage.viewport.wants_piece()

    def ask(
        self,
        key: Any,
        source: Source,
        failed: Callable[[str], None],
        *,
        whole: Callable[[Any, float], Any] | None = None,
        piece: Callable[[Any, tuple[int, int, int, int], float], Any] | None = None,
        coarser: float = 1.0,
        in_halves: bool = False,
    ) -> None:
        """Ask for what the stage shows now.

        `whole(picture, ms)` and `piece(picture, rect, ms)` show what was made in so many milliseconds. `coarser`: how
        many times smaller than it is seen the whole will do, where no piece follows; `in_halves`: it is made at powers
        of two alone.
        """
        factor = self.factor()

        def timed(at: float, rect: Rectangle | None = None) -> Callable[[], tuple[Any, float]]:
            def run() -> tuple[Any, float]:
                start = time.perf_counter()
                return source(at, rect), (time.perf_counter() - start) * 1e3

            return run

        if self.needs_piece():
            rect = self.stage.visible()

            def sharp(found: tuple[Any, float]) -> None:
                (piece or self.show_piece)(found[0], rect, found[1])

            self._piece.ask(key, timed(1, Rectangle(*rect)), sharp, failed)
            factor = max(factor, PIECE_FACTOR)
        else:
            self._piece.forget()
            self.clear_piece()
            factor = min(factor * coarser, float(COARSEST))
        if in_halves:
            factor = 2 ** int(factor).bit_length() // 2
        self._whole.ask(key, timed(factor), lambda found: (whole or self.show_whole)(*found), failed)

    def clear_piece(self) -> None:
        """Take the piece from the stage."""
        self.stage.set_piece(None)

    def show_whole(self, picture: Any, ms: float = 0.0) -> None:
        """Put a whole on the stage."""
        self.stage.set_base(picture)

    def show_piece(self, picture: Any, rect: tuple[int, int, int, int], ms: float = 0.0) -> None:
        """Put a piece on the stage, where it is still what is seen, or better than nothing."""
        if picture is not None and (rect == self.stage.visible() or self.stage.piece is None):
            self.stage.set_piece(picture, rect)
