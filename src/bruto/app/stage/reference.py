"""What the picture of Develop is compared with: shown while a key is held, or in the left half of the stage."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from bruto.app.stage.stage import Stage
from bruto.app.stage.stage_feed import StageFeed, oriented
from bruto.app.stage.versions_menu import RESIDUAL_GAIN, Pinned, VersionsMenu
from bruto.catalog import tr
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import FRAME_FIELDS, Recipe
from bruto.develop.rectangle import Rectangle
from bruto.develop.source import open_source
from bruto.session.session import Session


class ReferenceFeed(StageFeed):
    """Puts pictures where the stage holds what is compared with."""

    def clear_piece(self) -> None:
        """Take the piece away."""
        self.stage.before_piece = None

    def show_whole(self, picture: Any, ms: float = 0.0) -> None:
        """Put a whole there."""
        self.stage.set_before(picture)

    def show_piece(self, picture: Any, rect: tuple[int, int, int, int], ms: float = 0.0) -> None:
        """Put a piece there."""
        if picture is not None:
            self.stage.set_before(picture, rect)


class Reference(QObject):
    """Develops the default values, a version, the noise or a pinned shot as the menu of versions says. `framing`: while
    the whole frame is shown. Emits `beside_changed(on)`.
    """

    beside_changed = Signal(bool)

    def __init__(self, session: Session, stage: Stage, menu: VersionsMenu) -> None:
        super().__init__()
        self.session, self.opened, self.stage, self.menu = session, session.opened, stage, menu
        self.framing = False
        self._feed = ReferenceFeed(session.render, "before", 40, stage)
        self._pinned_developer: Developer | None = None
        menu.chosen.connect(self._chosen)
        menu.pin.connect(self._pin)

    def hold(self, on: bool) -> None:
        """Show it instead of the picture."""
        self.stage.show_before = on
        if on:
            self.ask()
        self.stage.update()

    def set_beside(self, on: bool) -> None:
        """Show it in the left half of the stage."""
        self.stage.set_beside(self.title() if on else "")
        self.beside_changed.emit(on)
        if on:
            self.ask()

    def shot_changed(self) -> None:
        """Another shot: a version of the one before is not meant any more."""
        self.menu.show_edit(self.opened.edit)
        if self.stage.beside:
            self.stage.set_beside(self.title())

    def _chosen(self, *_: str) -> None:
        if self.stage.beside:
            self.stage.set_beside(self.title())
        self.ask()

    def title(self) -> str:
        kind, name = self.menu.reference
        if kind == "shot" and self.menu.pinned is not None:
            return tr("PINNED: {title}", title=self.menu.pinned.title)
        return {
            "version": tr("VERSION {name}", name=name),
            "noisy": tr("NO NOISE REDUCTION"),
            "residual": tr("REMOVED BY NOISE REDUCTION, {RESIDUAL_GAIN:.0f} ×", RESIDUAL_GAIN=RESIDUAL_GAIN),
        }.get(kind, tr("BEFORE, default values"))

    def _pin(self) -> None:
        """Other shots will be compared with this one as it is now."""
        shot, edit = self.opened.shot, self.opened.edit
        if shot is not None and edit is not None:
            self._pinned_developer = self.opened.developer
            self.menu.pinned = Pinned(tr("{name}, as pinned", name=shot.name), shot.main, edit.recipe)
            self.menu.choose("shot", str(shot.main))

    def _recipe(self, pinned: Pinned | None) -> Recipe:
        """Its values; but for a pinned shot in the frame of the picture, so that places can be compared."""
        kind, name = self.menu.reference
        edit = self.opened.edit
        assert edit is not None
        if pinned is not None:
            return pinned.recipe
        if kind in ("noisy", "residual"):
            return edit.recipe.model_copy(update={"luminance_noise": 0.0, "chroma_noise": 0.0})
        found = (edit.versions.get(name) if kind == "version" else None) or Recipe()
        return found.model_copy(update={k: getattr(edit.recipe, k) for k in FRAME_FIELDS})

    def ask(self) -> None:
        """Develop it at the stage's zoom."""
        developer, edit = self.opened.developer, self.opened.edit
        if developer is None or edit is None or self.opened.shot is None:
            return
        kind, shown = self.menu.reference[0], self.stage.frame_size
        pinned = self.menu.pinned if kind == "shot" else None
        recipe, now, framing = self._recipe(pinned), edit.recipe, self.framing and pinned is None
        known = developer if pinned is None else self.opened.opened(pinned.path) or self._pinned_developer

        def source(factor: float, rect: Rectangle | None) -> Any:
            other = (known or Developer(open_source(pinned.path))).asked(recipe)  # type: ignore[union-attr]
            shape = other.geometry(recipe, framing)
            if rect is not None and shape.oriented_size != shown:
                return None

            def view(at: float, part: Rectangle | None) -> Any:
                picture = other.view(recipe, at, part, uncropped=framing)
                if kind != "residual":
                    return picture
                change = picture.astype(np.float32) - other.view(now, at, part, uncropped=framing)
                return np.clip(np.rint(128 + RESIDUAL_GAIN * change), 0, 255).astype(np.uint8)  # seen about grey

            return oriented(view, other.source.meta.orientation, shape.size)(factor, rect)

        self._feed.ask(self.opened.shot.main, source, self.session.say)
