"""The frame tool of Develop: the whole straightened frame on the stage, with the crop on it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from bruto.app.stage.crop_tool import CropTool
from bruto.develop.frame import largest_inside

if TYPE_CHECKING:
    from bruto.app.pages.develop import DevelopPage


class Framing:
    """Connects the ledger's frame part, the stage and the edit; `on` while the whole frame is shown."""

    def __init__(self, page: DevelopPage) -> None:
        self.page = page
        self.on = False
        self.crop = CropTool()
        part = page.ledger.frame_part
        part.framing.connect(self.set)
        part.by_line.connect(self._by_line)
        part.aspect_chosen.connect(self._aspect)
        part.turned.connect(self.turn)
        part.area.connect(self._area)
        page.stage.cropped.connect(self._cropped)
        page.stage.leaned.connect(self._leaned)

    def set(self, on: bool) -> None:
        """Show all that the frame covers, with the crop on it, or the picture again."""
        page = self.page
        self.on = on and page.developer is not None
        page.ledger.frame_part.frame_button.setChecked(self.on)
        if self.on:
            page.ledger.unfold("frame")
            page.stop_picking()
            page.stage.set_fit()
        page.stage.set_crop(self.crop if self.on else None)
        self.show()
        page.refresh_view()

    def _by_line(self, on: bool) -> None:
        self.crop.by_line = on

    def show(self) -> None:
        """The stage's frame and the crop on it, as the recipe has them now."""
        page = self.page
        developer, edit = page.developer, page.edit
        if developer is None or edit is None:
            return
        shown, kept = developer.geometry(edit.recipe, self.on), developer.geometry(edit.recipe)
        page.stage.resize_frame(*shown.oriented_size)
        page.ledger.frame_part.show_size(kept.oriented_size, developer.source.meta.oriented_size)
        if self.on:
            w, h = kept.oriented_size
            edge = max(developer.source.meta.square_size)
            x, y = kept.origin
            self.crop.crop = shown.relative_crop(
                ((x - w / 2) / edge, (y - h / 2) / edge, (x + w / 2) / edge, (y + h / 2) / edge)
            )
            corners = [shown.relative_crop((cx / edge, cy / edge, cx / edge, cy / edge)) for cx, cy in kept.outline]
            self.crop.outline = np.array([c[:2] for c in corners])
            sw, sh = shown.oriented_size
            self.crop.ratio = edit.recipe.effective().aspect * sh / sw
            page.stage.update()

    def _cropped(self, final: bool) -> None:
        developer, edit = self.page.developer, self.page.edit
        if developer is not None and edit is not None:
            crop = developer.geometry(edit.recipe, self.on).crop_of(*self.crop.crop)
            edit.change("crop", final=final, crop=crop)

    def _aspect(self, ratio: float) -> None:
        """Another aspect ratio: the largest of it within what is kept now."""
        edit = self.page.edit
        if edit is None:
            return
        crop = edit.recipe.crop
        if crop is not None and ratio:
            corners = np.array([[crop[0], crop[1]], [crop[2], crop[1]], [crop[2], crop[3]], [crop[0], crop[3]]])
            middle = corners.mean(axis=0)
            x0, y0, x1, y1 = largest_inside(corners - middle, ratio)
            crop = (
                round(x0 + middle[0], 5), round(y0 + middle[1], 5), round(x1 + middle[0], 5), round(y1 + middle[1], 5)
            )  # fmt: skip
        edit.change("aspect ratio", aspect=ratio, crop=crop)

    def turn(self, quarters: int) -> None:
        """Turn the picture clockwise by quarters, with its crop and tilts."""
        edit = self.page.edit
        if edit is None:
            return
        recipe = edit.recipe
        crop, aspect, up, right = recipe.crop, recipe.aspect, recipe.verticals, recipe.horizontals
        for _ in range(quarters % 4):
            if crop is not None:
                crop = (-crop[3], crop[0], -crop[1], crop[2])
            aspect = round(1 / aspect, 6) if aspect else 0.0
            up, right = -right, up
        turns = (recipe.turns + quarters) % 4
        edit.change("quarter turn", turns=turns, crop=crop, aspect=aspect, verticals=up, horizontals=right)

    def _area(self, on: bool) -> None:
        edit = self.page.edit
        if edit is not None:
            edit.change("recorded area", whole_area=on)

    def _leaned(self, angle: float) -> None:
        edit = self.page.edit
        if edit is not None:
            edit.change("horizon", horizon=round(min(max(edit.recipe.horizon + angle, -45.0), 45.0), 2))
            self.page.ledger.frame_part.line_button.setChecked(False)
