"""Comparing a shot's raw with the phone's picture: what is computed for the Compare page, and when."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QTimer

from bruto.align.registration import Alignment
from bruto.app.models import Shoot
from bruto.app.pages.compare import ComparePage
from bruto.app.pages.develop import DevelopPage
from bruto.app.worker import Worker
from bruto.compare.metrics import COMPARE_EDGE, Comparison, compare
from bruto.compare.rendering import sharp_pair
from bruto.container.orientation import orient
from bruto.container.picture import read_picture
from bruto.develop.frame import Rectangle
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, unframed


class Comparing:
    """Keeps the Compare page at the shot that is chosen, while the page is seen."""

    def __init__(
        self, page: ComparePage, worker: Worker, shoot: Shoot, develop: DevelopPage, say: Callable[[str], None]
    ) -> None:
        self.page, self.worker, self.shoot, self.develop, self.say = page, worker, shoot, develop, say
        self._key: tuple | None = None
        self._compared: tuple[Developer, Recipe, Any, Alignment] | None = None
        page.stage.view_changed.connect(self.piece)

    def shot_changed(self) -> None:
        """Another shot is chosen."""
        self._key = None
        self.show_if_seen()

    def show_if_seen(self) -> None:
        if self.page.isVisible():
            self.show()

    def show(self) -> None:
        """Compare the chosen shot as it is developed now."""
        shot, edit = self.shoot.current, self.develop.edit
        if shot is None or shot.problem:
            self.page.show_waiting("Choose a shot to compare.")
            return
        if shot.raw is None or shot.picture is None:
            self.page.show_waiting("This shot has only one file. A shot with raw and phone picture can be compared.")
            return
        assert edit is not None
        developer, recipe = self.develop.developer, edit.recipe
        key = (shot.name, recipe)
        if key == self._key:
            return
        if developer is None:  # still opening
            QTimer.singleShot(60, self.show_if_seen)
            self.page.show_waiting("Reading …")
            return
        self.page.show_waiting("Developing and aligning both …")
        picture_path = shot.picture

        def work() -> tuple[Comparison, Any]:
            picture = read_picture(picture_path).pixels
            return compare(_for_grid(developer, recipe), picture), picture

        def done(found: tuple[Comparison, Any]) -> None:
            self._key = key
            self._compared = (developer, recipe, found[1], found[0].alignment)
            width = developer.source.meta.oriented_size[0]
            self.page.show_comparison(found[0], ("raw, developed", "phone's picture"), width)
            self.piece()

        self._compared = None
        self.worker.forget("compare_piece")
        self.worker.ask("compare", work, done, self.page.show_waiting)

    def piece(self) -> None:
        """Sharp pixels of what is visible, where the compared grid is too coarse for the zoom."""
        wanted, compared = self.page.stage.wanted_piece(), self._compared
        if wanted is None or compared is None:
            self.worker.forget("compare_piece")
            return
        developer, recipe, picture, alignment = compared
        self.worker.ask(
            "compare_piece",
            lambda: sharp_pair(developer, recipe, picture, alignment, Rectangle(*wanted)),
            self.page.stage.set_pieces,
            self.say,
        )


def _for_grid(developer: Developer, recipe: Recipe) -> Any:
    """The developed frame, oriented, at about the size on which comparisons are made."""
    recipe = unframed(recipe)
    factor = 1
    while max(developer.source.size) / (factor * 2) >= COMPARE_EDGE:
        factor *= 2
    return orient(developer.view(recipe, factor), developer.source.meta.orientation)
