"""A stage of its own for any shot: its file is opened behind the window, and it is shown as it is developed."""

from __future__ import annotations

from PySide6.QtCore import Signal

from bruto.app.stage.stage import Stage
from bruto.app.stage.stage_feed import StageFeed, oriented
from bruto.catalog import tr
from bruto.develop.frame_geometry import geometry_of
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.session.initial_edits import find_start
from bruto.session.session import Session
from bruto.shoot.shots import Shot


class ShotStage(Stage):
    """Emits `opened` when the file of its shot is there; its owner then calls `ask` for what is seen."""

    opened = Signal()

    def __init__(self, session: Session, name: str, urgency: int) -> None:
        """`urgency` of the pictures; opening a file comes 20 after it."""
        super().__init__()
        self.session = session
        self.shot: Shot | None = None
        self.developer: Developer | None = None
        self.recipe: Recipe | None = None
        """Its values; None: those of its suggestions, not known yet."""
        self._opening = session.render.channel(f"{name}: file", urgency + 20)
        self._feed = StageFeed(session.render, name, urgency, self)

    def show_shot(self, shot: Shot | None) -> None:
        """Another shot, or none."""
        self.shot, self.developer = shot, None
        key = None if shot is None else shot.main
        self._opening.turn_to(key)
        self._feed.turn_to(key)
        if shot is None:
            self.message = ""
            self.set_frame(0, 0)
            return
        self.message = tr("Reading…")
        self.recipe = self.session.opened.values()(shot.main)
        if shot.meta is not None:
            self.set_frame(*shot.meta.oriented_size)
        values, decoded = self.recipe, self.session.opened.opened(shot.main)

        def work() -> tuple[Developer, Recipe]:
            recipe = find_start(shot.main) if values is None else values
            return (decoded or Developer(open_source(shot.main))).asked(recipe), recipe

        self._opening.ask(shot.main, work, self._there, self._failed)

    def _there(self, found: tuple[Developer, Recipe]) -> None:
        self.developer, self.recipe = found
        shown = geometry_of(self.developer.source.meta, self.recipe.effective())
        self.message = ""
        self.resize_frame(*shown.oriented_size)
        self.opened.emit()

    def _failed(self, why: str) -> None:
        self.message = why
        self.update()

    def ask(self) -> None:
        """Have what is seen made."""
        developer, recipe = self.developer, self.recipe
        if self.shot is None or developer is None or recipe is None:
            return
        meta = developer.source.meta
        size = geometry_of(meta, recipe.effective()).size
        source = oriented(lambda factor, rect: developer.view(recipe, factor, rect), meta.orientation, size)
        self._feed.ask(self.shot.main, source, self._failed)
