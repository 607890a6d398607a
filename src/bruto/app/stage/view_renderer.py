"""What a stage shows of the open shot: the coarse whole first, then the sharp piece; the latest request wins."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from bruto.app.stage.stage import Stage
from bruto.catalog import tr
from bruto.container.orientation import orient
from bruto.develop.analysis.soft_proof import hatched, out_of_gamut
from bruto.develop.frame_geometry import Rectangle, stored_rect
from bruto.develop.sensor_image import COARSEST
from bruto.session.session import Session

FOLLOWING_MS = 60.0
"""A picture that takes longer is made coarser while a value is dragged, and sharp once it is let go."""
COARSER = (1.5, 2.0, 3.0)
PIECE_FACTOR = 4.0
"""How many times smaller the whole is at least while a piece is on its way: it is seen no longer than that."""
PROOFS = {"": "", "srgb": "sRGB", "display-p3": tr("Display P3")}
"""Spaces whose limits can be marked, and their titles."""


class ViewRenderer(QObject):
    """Asks for pictures of the open shot at the zoom of a stage and puts them there.

    `framing`: while all that the frame covers is shown. Emits `rendered` when the whole is there, and `status(text)`.
    """

    rendered = Signal()
    status = Signal(str)

    def __init__(self, session: Session, stage: Stage) -> None:
        super().__init__()
        self.session, self.opened, self.stage = session, session.opened, stage
        render = session.render
        self._piece, self._base = render.channel("piece", 20), render.channel("picture", 30)
        self._proofs = render.channel("proof", 130)
        self.framing = False
        self.last_render_ms = self.change_to_screen_ms = self.whole_ms = 0.0
        """How long the last picture took to make, from the change to the screen, and a whole at the stage's size."""
        self.proof = ""
        """Space whose limits are marked, a key of `PROOFS`."""

    def turn_to(self, key: Any) -> None:
        """Only pictures of this shot are wanted from now on."""
        for channel in (self._piece, self._base, self._proofs):
            channel.turn_to(key)

    def factor(self) -> float:
        """How many times smaller than the full size the whole is shown, within what views are made at."""
        return self.stage.viewport.factor(COARSEST)

    def needs_piece(self) -> bool:
        """Whether what is seen asks for pixels at full size."""
        return self.stage.viewport.wants_piece()

    def _coarser(self) -> float:
        """How many times coarser a picture is made while a value is dragged, so that it follows the hand."""
        edit = self.opened.edit
        if edit is None or not edit.dragging or self.whole_ms <= FOLLOWING_MS:
            return 1.0
        return next((c for c in COARSER if c * c * FOLLOWING_MS >= self.whole_ms), COARSER[-1])

    def ask(self) -> None:
        """Ask for what the stage shows now."""
        opened = self.opened
        developer, edit, shown = opened.developer, opened.edit, opened.geometry(self.framing)
        if developer is None or edit is None or shown is None or opened.shot is None:
            return
        key, recipe, factor, framing = opened.shot.main, edit.recipe, self.factor(), self.framing
        orientation = developer.source.meta.orientation
        began, dropped = time.perf_counter(), self._base.dropped

        def view(at: float, rect: Rectangle | None = None) -> Callable[[], Any]:
            def run() -> Any:
                start = time.perf_counter()
                picture = orient(developer.view(recipe, at, rect, uncropped=framing, cancelled=dropped), orientation)
                return picture, (time.perf_counter() - start) * 1e3

            return run

        coarser, say = 1.0, self.session.say
        if self.needs_piece():
            x, y, w, h = self.stage.visible()
            rect = stored_rect(Rectangle(x, y, w, h), orientation, shown.size)
            self._piece.ask(key, view(1, rect), lambda found: self._got_piece(found, (x, y, w, h)), say)
            factor = max(factor, PIECE_FACTOR)
        else:
            self._piece.forget()
            self.stage.set_piece(None)
            coarser = self._coarser()
        self._base.ask(
            key, view(min(factor * coarser, float(COARSEST))), lambda found: self._got_base(found, began, coarser), say
        )

    def _got_base(self, found: tuple[Any, float], began: float, coarser: float) -> None:
        picture, ms = found
        self.whole_ms = ms * coarser**2
        self.stage.set_base(picture)
        self.last_render_ms = ms
        self.change_to_screen_ms = (time.perf_counter() - began) * 1e3
        self.status.emit(tr("rendered in {ms:.0f} ms", ms=ms))
        self._ask_proof()
        self.rendered.emit()

    def _got_piece(self, found: tuple[Any, float], rect: tuple[int, int, int, int]) -> None:
        picture, ms = found
        if rect == self.stage.visible() or self.stage.piece is None:
            self.stage.set_piece(picture, rect)
        self.status.emit(tr("rendered in {ms:.0f} ms at 1:1", ms=ms))

    # -- what a colour space cannot hold

    def next_proof(self) -> None:
        """Mark what sRGB cannot hold, then what Display P3 cannot, then nothing."""
        spaces = tuple(PROOFS)
        self.proof = spaces[(spaces.index(self.proof) + 1) % len(spaces)]
        self.stage.set_marks(None)
        if self.proof:
            self._ask_proof()
        else:
            self.status.emit(tr("out-of-range colours no longer marked"))

    def _ask_proof(self) -> None:
        opened, name = self.opened, self.proof
        developer, edit, shot = opened.developer, opened.edit, opened.shot
        if developer is None or edit is None or shot is None or not name:
            return
        recipe, factor, framing = edit.recipe, max(self.factor(), PIECE_FACTOR), self.framing
        orientation = developer.source.meta.orientation

        def work() -> Any:
            return orient(out_of_gamut(developer, recipe, factor, name, framing), orientation)

        def done(mask: Any) -> None:
            if self.proof == name:
                self.stage.set_marks(hatched(mask))
                share = 100 * float(mask.mean())
                self.status.emit(tr("hatched: {share:.2f} % are outside {space}", share=share, space=PROOFS[name]))

        self._proofs.ask(shot.main, work, done, self.session.say)
