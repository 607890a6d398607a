"""Comparing a shot's raw with the phone's picture: what is computed, for which shot and which values."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from psygnal import Signal

from bruto.align.registration import Alignment
from bruto.compare.metrics import COMPARE_EDGE, Comparison, compare
from bruto.compare.rendering import sharp_pair
from bruto.container.orientation import orient
from bruto.container.picture import read_picture
from bruto.develop.frame import Rectangle
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, unframed
from bruto.session.open_shots import OpenShots
from bruto.session.work import Worker


@dataclass(frozen=True)
class Compared:
    """A comparison with what its sharp pieces are made from; `full_width`, `full_height` of the raw, pixels."""

    comparison: Comparison
    developer: Developer
    recipe: Recipe
    picture: NDArray[np.uint8]
    full_size: tuple[int, int]

    @property
    def alignment(self) -> Alignment:
        return self.comparison.alignment


class Comparing:
    """`state`: what there is for the shot that is shown, a `Compared` or a sentence why there is none (yet)."""

    changed = Signal()
    piece_made = Signal(object)
    """A sharp pair, None to take it away."""
    message = Signal(str)

    def __init__(self, opened: OpenShots, render: Worker) -> None:
        self.opened = opened
        self.state: Compared | str = "Choose a shot to compare."
        self._channel = render.channel("comparing", 110)
        self._pieces = render.channel("compared piece", 120)
        self._key: Any = None

    def show(self) -> None:
        """Compare the shown shot as it is developed now, unless that is done or on its way."""
        shot, edit, developer = self.opened.shot, self.opened.edit, self.opened.developer
        if shot is None or shot.problem:
            self._say("Choose a shot to compare.")
            return
        if shot.raw is None or shot.picture is None:
            self._say("This shot has only one file. A shot with raw and phone picture can be compared.")
            return
        if developer is None or edit is None:  # still opening: whoever shows it asks again when it is decoded
            self._say("Reading …")
            return
        key = (shot.main, edit.recipe)
        if key == self._key:
            return
        recipe, path = edit.recipe, shot.picture
        self._say("Developing and aligning both …")
        self._key = key

        def work() -> Compared:
            picture = read_picture(path).pixels
            found = compare(_for_grid(developer, recipe), picture)
            return Compared(found, developer, recipe, picture, developer.source.meta.oriented_size)

        self._channel.ask(key, work, self._compared, self._failed)

    def _say(self, text: str) -> None:
        self._key = None
        self._channel.forget()
        self._pieces.forget()
        self.state = text
        self.changed.emit()

    def _compared(self, found: Compared) -> None:
        self.state = found
        self.changed.emit()

    def _failed(self, text: str) -> None:
        self.state = text
        self.changed.emit()

    def piece(self, wanted: tuple[int, int, int, int] | None) -> None:
        """Sharp pixels of a rectangle (x, y, width, height; oriented pixels of the raw), or of none."""
        found = self.state
        if wanted is None or isinstance(found, str):
            self._pieces.forget()
            return
        self._pieces.ask(
            (self._key, wanted),
            lambda: sharp_pair(found.developer, found.recipe, found.picture, found.alignment, Rectangle(*wanted)),
            self.piece_made.emit,
            self.message.emit,
        )


def _for_grid(developer: Developer, recipe: Recipe) -> Any:
    """The developed frame, oriented, at about the size on which comparisons are made."""
    recipe = unframed(recipe)
    factor = 1
    while max(developer.source.size) / (factor * 2) >= COMPARE_EDGE:
        factor *= 2
    return orient(developer.view(recipe, factor), developer.source.meta.orientation)
