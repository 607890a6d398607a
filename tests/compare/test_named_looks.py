"""Looks that have a name are named, and no other picture is."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np

from bruto.align.registration import register_codes
from bruto.compare.match.named_looks import looks_of
from bruto.compare.match.pair import pair_of
from bruto.compare.match.tone import match_exposure
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from tests.photographs import KINDS, LIGHT, light_of, source_of
from tests.processing import Processing, finished


def named(name: str, change: str = "", stops: float = 0.0) -> list[str]:
    """What is said of a photograph's picture after a change of it, its raw exposed by so much less."""
    light = light_of(name)
    picture = finished(light, Processing())
    if change == "grey":
        picture = np.repeat(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)[..., None], 3, axis=2)
    elif change == "blurred around":
        h, w = picture.shape[:2]
        y, x = np.mgrid[:h, :w]
        inside = (((x - w / 2) / (0.28 * w)) ** 2 + ((y - h / 2) / (0.42 * h)) ** 2 < 1).astype(np.float32)
        inside = cv2.GaussianBlur(inside, (0, 0), 6)[..., None]
        picture = np.uint8(picture * inside + cv2.GaussianBlur(picture, (0, 0), 9) * (1 - inside))
    with TemporaryDirectory() as folder:
        developer = Developer(source_of(Path(folder), light, KINDS[1], scale=LIGHT * 2.0**-stops))
        pair = pair_of(developer, picture, register_codes(developer.render(Recipe()), picture), Recipe())
    return [look.what for look in looks_of(pair, Recipe(), match_exposure(pair, Recipe())[0])]


class NamedLooks(unittest.TestCase):
    def test_usual_pictures_have_no_name(self) -> None:
        for name in ("coffee", "astronaut"):
            self.assertEqual(named(name), [], name)

    def test_each_is_named(self) -> None:
        self.assertEqual(named("coffee", "grey"), ["black and white"])
        self.assertEqual(named("astronaut", "blurred around"), ["blurred surroundings"])
        self.assertEqual(named("coffee", stops=3.5), ["night"])

    def test_a_grey_scene_is_not_called_black_and_white(self) -> None:
        self.assertEqual(named("grey chelsea", "grey"), [])


if __name__ == "__main__":
    unittest.main()
