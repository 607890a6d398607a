"""A merged bracket in Develop: window and room in one picture, without outlines at the window's edges."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import lightness, luminance_of, picture_to_lab
from bruto.container.dng_reader import read_dng
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.develop.suggest.suggester import suggest_all, take_all
from bruto.merge.merger import merge
from bruto.merge.methods import bracket
from bruto.simphone.capture import Exposure, Phone
from tests.photographs import KINDS, write_photograph
from tests.shots import MIDDLE, raws_of, taken
from tests.truth import ideal_rgb

EXPOSURES = (1 / 64, 1 / 8, 1.0)
LONGEST_S = 0.05


def suggested_light(path: Path | str) -> NDArray[np.float64]:
    """Luminance (Y, 0..1) of the picture with the suggestions taken, in the recorded frame."""
    developer = Developer(open_source(path))
    recipe = take_all(Recipe(), suggest_all(developer)).changed(verticals=0.0, horizon=0.0)
    return luminance_of(picture_to_lab(developer.render(recipe))[..., 0])


def edges() -> NDArray[np.float32]:
    """Light of a dark room (a 256th of the windows') with slanting windows, behind a sharp lens."""
    h, w, fine = 480, 640, 4
    y, x = np.mgrid[: h * fine, : w * fine] / fine
    inside = np.zeros(y.shape, bool)
    for k in range(3):
        left = 70 + 200 * k + 0.06 * (y - 240) * (k - 1)
        inside |= (x > left) & (x < left + 90) & (y > 120 + 0.03 * x) & (y < 340)
    light = cv2.GaussianBlur(np.where(inside, 40.0, 40.0 / 256).astype(np.float32), (0, 0), 0.5 * fine)
    light = cv2.resize(light, (w, h), interpolation=cv2.INTER_AREA)
    return np.repeat(light[..., None], 3, axis=2) * np.array([1.0, 0.97, 0.9], np.float32)


class WindowAndRoom(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_both_show_their_detail(self) -> None:
        """Local contrast of the scene's own detail, in EV of the picture for one of the scene: in the window far
        more than the metered frame's (the short one is developed for its window alone), in the room no less than the
        long frame's.
        """
        settings = {"size": MIDDLE, "bracket": (-3.0, 0.0, 3.0), "seed": 6, "static": True}
        files, shot = raws_of("boiling-house", **settings), taken("boiling-house", **settings)[0]
        merge("bracket", files, self.folder / "merged.dng")
        phone = Phone("boiling-house", size=MIDDLE)
        ideal = ideal_rgb(phone.shoot(Exposure(shot["iso"], shot["exposure_s"]), seed=6001))[..., 1]
        scene = np.log2(np.maximum(ideal, 1e-6)).astype(np.float32)
        near = np.ones((15, 15), np.uint8)
        level = scene - np.median(scene)
        window, room = (cv2.erode(m.astype(np.uint8), near) > 0 for m in (level > 5, np.abs(level) < 2))
        detail = scene - cv2.GaussianBlur(scene, (0, 0), 6.0)
        found = []
        for path in (self.folder / "merged.dng", *files):
            light = np.log2(np.maximum(suggested_light(path), 1e-4)).astype(np.float32)
            fine = light - cv2.GaussianBlur(light, (0, 0), 6.0)
            found.append([float((fine * detail)[p].sum() / (detail * detail)[p].sum()) for p in (window, room)])
        merged, _, metered, long = found
        self.assertGreater(merged[0], 1.8 * metered[0], found)
        self.assertGreater(merged[0], 0.4, found)
        self.assertGreater(merged[1], long[1] / 1.2, found)

    def test_bands_do_not_show(self) -> None:
        files = raws_of("boiling-house", size=MIDDLE, bracket=(-3.0, 0.0, 3.0), seed=6, static=True)
        found = []
        for k, band in enumerate((384, 90)):
            with mock.patch.object(bracket, "BAND", band):
                merge("bracket", files, self.folder / f"{k}.dng")
            found.append(read_dng(self.folder / f"{k}.dng").codes.astype(np.float32))
        np.testing.assert_allclose(found[0], found[1], rtol=2e-3, atol=1e-6)  # half floats

    def test_no_outlines(self) -> None:
        """Next to edges of 8 EV nothing is darker than the room, nor brighter than the window."""
        files = []
        for k, exposure in enumerate(EXPOSURES):
            sensor = replace(KINDS[0], a=1.1e-4, b=2e-7, exposure_s=LONGEST_S * exposure)
            files.append(write_photograph(self.folder / f"{k}.dng", edges(), sensor, seed=k, scale=exposure))
        merge("bracket", files, self.folder / "merged.dng")
        star = lightness(suggested_light(self.folder / "merged.dng")[40:-40, 40:-40])
        light = edges()[40:-40, 40:-40, 1]
        kernel = np.ones((25, 25), np.uint8)
        beside = (cv2.dilate(light, kernel) > 30) & (cv2.erode(light, kernel) < 0.2)
        dark, bright = beside & (light < 0.16), beside & (light > 38)
        room, window = (float(np.median(star[place])) for place in (light < 0.157, light > 38.7))
        self.assertGreater(window, room + 20)
        self.assertGreater(float(np.percentile(star[dark], 0.5)), room - 3.0)
        self.assertLess(float(np.percentile(star[bright], 99.5)), window + 3.0)


if __name__ == "__main__":
    unittest.main()
