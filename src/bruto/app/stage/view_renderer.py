"""The open shot as it is developed, on a stage, and what a colour space cannot hold of it."""

from __future__ import annotations

import time
from typing import Any

from PySide6.QtCore import QObject, Signal

from bruto.app.stage.stage import Stage
from bruto.app.stage.stage_feed import PIECE_FACTOR, StageFeed, oriented
from bruto.catalog import tr
from bruto.container.orientation import orient
from bruto.develop.analysis.soft_proof import hatched, out_of_gamut
from bruto.develop.rectangle import Rectangle
from bruto.session.session import Session

FOLLOWING_MS = 60.0
"""A picture that takes longer is made coarser while a value is dragged, and sharp once it is let go."""
COARSER = (1.5, 2.0, 3.0)
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
        self.feed = StageFeed(session.render, "picture", 20, stage)
        self._proofs = session.render.channel("proof", 130)
        self.framing = False
        self.last_render_ms = self.change_to_screen_ms = self.whole_ms = 0.0
        """How long the last picture took to make, from the change to the screen, and a whole at the stage's size."""
        self.proof = ""
        """Space whose limits are marked, a key of `PROOFS`."""

    def turn_to(self, key: Any) -> None:
        """Only pictures of this shot are wanted from now on."""
        self.feed.turn_to(key)
        self._proofs.turn_to(key)

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
        recipe, framing = edit.recipe, self.framing
        began, coarser, dropped = time.perf_counter(), self._coarser(), self.feed.dropped

        def view(factor: float, rect: Rectangle | None) -> Any:
            return developer.view(recipe, factor, rect, uncropped=framing, cancelled=dropped)

        def whole(picture: Any, ms: float) -> None:
            self.whole_ms = ms * (1.0 if self.feed.needs_piece() else coarser**2)
            self.feed.show_whole(picture)
            self.last_render_ms = ms
            self.change_to_screen_ms = (time.perf_counter() - began) * 1e3
            self.status.emit(tr("rendered in {ms:.0f} ms", ms=ms))
            self._ask_proof()
            self.rendered.emit()

        source = oriented(view, developer.source.meta.orientation, shown.size)
        self.feed.ask(opened.shot.main, source, self.session.say, whole=whole, piece=self._got_piece, coarser=coarser)

    def _got_piece(self, picture: Any, rect: tuple[int, int, int, int], ms: float) -> None:
        self.feed.show_piece(picture, rect)
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
        recipe, factor, framing = edit.recipe, max(self.feed.factor(), PIECE_FACTOR), self.framing
        orientation = developer.source.meta.orientation

        def work() -> Any:
            return orient(out_of_gamut(developer, recipe, factor, name, framing), orientation)

        def done(mask: Any) -> None:
            if self.proof == name:
                self.stage.set_marks(hatched(mask))
                share = 100 * float(mask.mean())
                self.status.emit(tr("hatched: {share:.2f} % are outside {space}", share=share, space=PROOFS[name]))

        self._proofs.ask(shot.main, work, done, self.session.say)
