"""Thumbnails: of what the phone left in the files, and of what was made of a shot."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage

from bruto.app.stage.image_pyramid import to_qimage
from bruto.app.widgets.shot_list import ShotModel
from bruto.errors import BrutoError
from bruto.session.workers import Worker
from bruto.shoot.shots import Shot, small_view

THUMB_EDGE = 192
"""Longest side of a thumbnail that is kept, pixels."""
DEVELOPED = "developed"
BATCH_S = 0.12
"""Time for which thumbnails are made in one go, seconds."""


class Thumbnails:
    """Fills the thumbnails of the list and of the board: first what the phone left, then what is made of it."""

    def __init__(self, worker: Worker, listed: ShotModel, board: ShotModel, say: Callable[[str], None]) -> None:
        self.listed, self.board, self.say = listed, board, say
        self._channel = worker.channel("thumbnails", 140)
        self._todo: list[Shot] = []

    def make(self, shots: Iterable[Shot]) -> None:
        """Make the thumbnails of a shoot that are not there, a handful at a time, so that neither thread waits long for
        the other.
        """
        self._todo = list(shots)
        self._next()

    def _next(self) -> None:
        self._todo = [s for s in self._todo if str(s.main) not in self.listed.thumbs]
        if not self._todo:
            return
        todo = tuple(self._todo)

        def work() -> list[tuple[Shot, Any, str]]:
            made: list[tuple[Shot, Any, str]] = []
            end = time.perf_counter() + BATCH_S
            for shot in todo:
                try:
                    made.append((shot, *small_view(shot, THUMB_EDGE)))
                except BrutoError:
                    made.append((shot, None, ""))
                if time.perf_counter() > end:
                    break
            return made

        def done(made: list[tuple[Shot, Any, str]]) -> None:
            for shot, picture, kind in made:
                if picture is None:
                    continue
                image = to_qimage(picture)
                if str(shot.main) not in self.listed.thumbs:  # what was made of it meanwhile stays
                    self._set(shot, image, kind)
            tried = {str(shot.main) for shot, _, _ in made}
            self._todo = [s for s in self._todo if str(s.main) not in tried]
            self._next()

        self._channel.ask(None, work, done, self.say)

    def forget(self, paths: Iterable[Any]) -> None:
        """Files that came new or changed."""
        for path in paths:
            for model in (self.listed, self.board):
                model.thumbs.pop(str(path), None)

    def developed(self, shot: Shot, picture: QImage) -> None:
        """What was made of a shot, as it stands on the stage."""
        size = QSize(THUMB_EDGE, THUMB_EDGE)
        small = picture.scaled(size, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
        self._set(shot, small, DEVELOPED)

    def made(self, shot: Shot, picture: Any) -> None:
        """The same, made behind the window: (h, w, 3) uint8."""
        self._set(shot, to_qimage(picture), DEVELOPED)

    def _set(self, shot: Shot, image: QImage, kind: str) -> None:
        for model in (self.listed, self.board):
            model.set_thumb(shot, image, kind)
