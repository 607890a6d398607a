"""The frame tool of Develop: the whole straightened frame on the stage, with the crop on it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, Signal

from bruto.app.ledger.frame_part import FramePart
from bruto.app.stage.crop_tool import CropTool
from bruto.app.stage.stage import Stage
from bruto.develop.crop import crop_of, relative_crop
from bruto.develop.perspective import largest_inside
from bruto.session.open_shots import OpenShots


class FrameTool(QObject):
    """Connects the ledger's frame part, the stage and the edit; `on` while the whole frame is shown. Emits `turned(on)`
    when it is turned on or off.
    """

    turned = Signal(bool)

    def __init__(self, opened: OpenShots, stage: Stage, part: FramePart) -> None:
        super().__init__()
        self.opened, self.stage, self.part = opened, stage, part
        self.on = False
        self.crop = CropTool()
        part.framing.connect(self.set)
        part.by_line.connect(self._by_line)
        part.aspect_chosen.connect(self._aspect)
        part.turned.connect(self.turn)
        part.area.connect(self._area)
        stage.cropped.connect(self._cropped)
        stage.leaned.connect(self._leaned)

    def set(self, on: bool) -> None:
        """Show all that the frame covers, with the crop on it, or the picture again."""
        self.on = on and self.opened.developer is not None
        self.part.frame_button.setChecked(self.on)
        if self.on:
            self.stage.set_fit()
        self.stage.set_crop(self.crop if self.on else None)
        self.show()
        self.turned.emit(self.on)

    def _by_line(self, on: bool) -> None:
        self.crop.by_line = on

    def show(self) -> None:
        """The stage's frame and the crop on it, as the recipe has them now."""
        developer, shown, geometry = self.opened.developer, self.opened.geometry(self.on), self.opened.geometry()
        if developer is None or shown is None or geometry is None:
            return
        self.stage.resize_frame(*shown.oriented_size)
        self.part.show_size(geometry.oriented_size, developer.source.meta.oriented_size)
        if self.on:
            w, h = geometry.oriented_size
            edge = max(developer.source.meta.square_size)
            x, y = geometry.origin
            self.crop.crop = relative_crop(
                shown, ((x - w / 2) / edge, (y - h / 2) / edge, (x + w / 2) / edge, (y + h / 2) / edge)
            )
            corners = [
                relative_crop(shown, (cx / edge, cy / edge, cx / edge, cy / edge)) for cx, cy in geometry.outline
            ]
            self.crop.outline = np.array([c[:2] for c in corners])
            sw, sh = shown.oriented_size
            self.crop.ratio = self.opened.recipe.effective().aspect * sh / sw
            self.stage.update()

    def _cropped(self, final: bool) -> None:
        shown, edit = self.opened.geometry(self.on), self.opened.edit
        if shown is not None and edit is not None:
            edit.change("crop", final=final, crop=crop_of(shown, *self.crop.crop))

    def _aspect(self, ratio: float) -> None:
        """Another aspect ratio: the largest of it within what is kept now."""
        edit = self.opened.edit
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
        edit.change("aspect", aspect=ratio, crop=crop)

    def turn(self, quarters: int) -> None:
        """Turn the picture clockwise by quarters, with its crop and tilts."""
        edit = self.opened.edit
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
        edit.change("turns", turns=turns, crop=crop, aspect=aspect, verticals=up, horizontals=right)

    def _area(self, on: bool) -> None:
        edit = self.opened.edit
        if edit is not None:
            edit.change("whole_area", whole_area=on)

    def _leaned(self, angle: float) -> None:
        edit = self.opened.edit
        if edit is not None:
            edit.change("horizon", horizon=round(min(max(edit.recipe.horizon + angle, -45.0), 45.0), 2))
            self.part.line_button.setChecked(False)
