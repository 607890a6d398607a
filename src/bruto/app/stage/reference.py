"""What the picture of Develop is compared with: shown while a key is held, or in the left half of the stage."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from bruto.app.stage.versions_menu import RESIDUAL_GAIN, Pinned, VersionsMenu
from bruto.container.orientation import orient
from bruto.develop.frame import Rectangle, stored_rect
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import FRAME_FIELDS, Recipe
from bruto.develop.source import open_source

if TYPE_CHECKING:
    from bruto.app.pages.develop import DevelopPage


class Reference:
    """Develops the default values, a version, the noise or a pinned shot as the menu of versions says."""

    def __init__(self, page: DevelopPage, menu: VersionsMenu) -> None:
        self.page, self.menu = page, menu
        self._pinned_developer: Developer | None = None
        menu.chosen.connect(self._chosen)
        menu.pin.connect(self._pin)

    def hold(self, on: bool) -> None:
        """Show it instead of the picture."""
        self.page.stage.show_before = on
        if on:
            self.ask()
        self.page.stage.update()

    def set_beside(self, on: bool) -> None:
        """Show it in the left half of the stage."""
        self.page.beside_button.setChecked(on)
        self.page.stage.set_beside(self.title() if on else "")
        if on:
            self.ask()

    def shot_changed(self) -> None:
        """Another shot: a version of the one before is not meant any more."""
        self.menu.show_edit(self.page.edit)
        if self.page.stage.beside:
            self.page.stage.set_beside(self.title())

    def _chosen(self, *_: str) -> None:
        if self.page.stage.beside:
            self.page.stage.set_beside(self.title())
        self.ask()

    def title(self) -> str:
        kind, name = self.menu.reference
        if kind == "shot" and self.menu.pinned is not None:
            return f"PINNED: {self.menu.pinned.title}"
        return {
            "version": f"VERSION {name}",
            "noisy": "NO NOISE REDUCTION",
            "residual": f"TAKEN OUT BY NOISE REDUCTION, {RESIDUAL_GAIN:.0f} ×",
        }.get(kind, "BEFORE, default values")

    def _pin(self) -> None:
        """Other shots will be compared with this one as it is now."""
        shot, edit = self.page.shot, self.page.edit
        if shot is not None and edit is not None:
            self._pinned_developer = self.page.developer
            self.menu.pinned = Pinned(f"{shot.name}, as pinned", shot.main, edit.recipe)
            self.menu.choose("shot", str(shot.main))

    def _recipe(self, pinned: Pinned | None) -> Recipe:
        """Its values; but for a pinned shot in the frame of the picture, so that places can be compared."""
        kind, name = self.menu.reference
        edit = self.page.edit
        assert edit is not None
        if pinned is not None:
            return pinned.recipe
        if kind in ("noisy", "residual"):
            return edit.recipe.model_copy(update={"brightness_noise": 0.0, "colour_noise": 0.0})
        found = (edit.version(name) if kind == "version" else None) or Recipe()
        return found.model_copy(update={k: getattr(edit.recipe, k) for k in FRAME_FIELDS})

    def ask(self) -> None:
        """Develop it at the stage's zoom."""
        page = self.page
        developer, edit, stage = page.developer, page.edit, page.stage
        if developer is None or edit is None:
            return
        kind = self.menu.reference[0]
        pinned = self.menu.pinned if kind == "shot" else None
        recipe, now, framing = self._recipe(pinned), edit.recipe, page.framing and pinned is None
        factor, wanted = page.factor(), stage.visible() if page.needs_piece() else None
        shown = stage.frame_size
        known = developer if pinned is None else page.opened(pinned.path) or self._pinned_developer

        def work() -> tuple[Any, Any]:
            other = (known or Developer(open_source(pinned.path))).asked(recipe)  # type: ignore[union-attr]
            orientation = other.source.meta.orientation
            shape = other.geometry(recipe, framing)

            def seen(at: float, rect: Rectangle | None = None) -> Any:
                picture = other.view(recipe, at, rect, uncropped=framing)
                if kind == "residual":  # what is left of it is seen about grey
                    change = picture.astype(np.float32) - other.view(now, at, rect, uncropped=framing)
                    picture = np.clip(np.rint(128 + RESIDUAL_GAIN * change), 0, 255).astype(np.uint8)
                return orient(picture, orientation)

            piece = None
            if wanted is not None and shape.oriented_size == shown:
                piece = seen(1, stored_rect(Rectangle(*wanted), orientation, shape.size))
            return seen(max(factor, 4) if piece is not None else factor), piece

        def done(found: tuple[Any, Any]) -> None:
            stage.set_before(found[0])
            if found[1] is not None and wanted is not None:
                stage.set_before(found[1], wanted)

        page.worker.ask("before", work, done, page.problem.emit)
