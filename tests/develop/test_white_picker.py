"""White from surfaces that are known: a grey card, leaves, and what is full."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from bruto.color.spaces import picture_to_lab
from bruto.container.color_model import camera_to_working, xy_to_neutral
from bruto.container.raw_frame import RawMeta
from bruto.develop.analysis.white_picker import SIDES, SURFACES, WhitePick, neutral_from, white_at
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.errors import BrutoError
from bruto.simphone.capture import Phone
from tests.develop.test_pipeline import developer_of
from tests.shots import MIDDLE, taken
from tests.truth import patch_masks

FOLIAGE, GREY_CARD = 3, 24
"""Patches of the simulated chart."""


def angle(a: np.ndarray, b: np.ndarray) -> float:
    """Between two neutrals as colours of light, degrees."""
    u, v = 1 / np.asarray(a), 1 / np.asarray(b)
    return float(np.degrees(np.arccos(np.clip(u @ v / np.linalg.norm(u) / np.linalg.norm(v), -1, 1))))


class OnTheCard(unittest.TestCase):
    def setUp(self) -> None:
        self.masks = patch_masks(Phone("card", size=MIDDLE), 3)
        self.developer = developer_of("card", size=MIDDLE, seed=2)
        self.true = np.array(taken("card", size=MIDDLE, seed=2)[0]["true_neutral"])

    def picked(self, patch: int, kind: str, side: int) -> WhitePick:
        y, x = self.masks[patch].T
        return white_at(self.developer, float(x.mean()) / MIDDLE[0], float(y.mean()) / MIDDLE[1], kind, side)

    def error(self, picked: WhitePick) -> float:
        values = {"temperature": picked.kelvin, "tint": picked.duv} if picked.neutral is None else {}
        recipe = Recipe(raw_neutral=picked.neutral, **values)
        return angle(self.developer.neutral(recipe), self.true)

    def test_white_picked_on_grey_is_neutral(self) -> None:
        y, x = self.masks[GREY_CARD].T
        kelvin, duv, neutral = self.picked(GREY_CARD, "grey", 25)
        self.assertIsNone(neutral)
        recipe = Recipe(temperature=kelvin, tint=duv, chroma=1.0)
        picture = self.developer.render(recipe)[y, x].mean(axis=0)
        before = self.developer.render(Recipe(chroma=1.0))[y, x].mean(axis=0)
        after_lab, before_lab = (picture_to_lab(np.round(p).astype(np.uint8)[None])[0] for p in (picture, before))
        self.assertLess(np.hypot(*after_lab[1:]), 1.6)
        self.assertLess(np.hypot(*after_lab[1:]), np.hypot(*before_lab[1:]))

    def test_every_square_says_the_light(self) -> None:
        for kind in ("grey", "white"):
            for side in SIDES[:2]:
                self.assertLess(self.error(self.picked(GREY_CARD, kind, side)), 1.2, f"{kind}, {side} px")

    def test_leaves_are_not_taken_for_grey(self) -> None:
        as_leaves = self.error(self.picked(FOLIAGE, "leaves", 5))
        self.assertLess(as_leaves, 4.5)  # leaves differ by 8 %
        self.assertGreater(self.error(self.picked(FOLIAGE, "grey", 5)), 2.5 * as_leaves)

    def test_what_is_full_has_no_color(self) -> None:
        linear = self.developer.source.linear
        full = replace(self.developer.source, linear=replace(linear, clipped=np.full_like(linear.clipped, 2)))
        with self.assertRaisesRegex(BrutoError, "channel is clipped"):
            white_at(Developer(full), 0.5, 0.5)


class ByFormula(unittest.TestCase):
    def test_a_known_surface_gives_the_light_back(self) -> None:
        """Whatever the light: a surface that the matrices themselves render gives its neutral."""
        meta: RawMeta = developer_of("card", size=MIDDLE, seed=2).source.meta
        for xy in ((0.4476, 0.4074), (0.3127, 0.3290), (0.3457, 0.3585), (0.2807, 0.2884)):
            neutral = xy_to_neutral(meta, *xy)
            for kind, surface in SURFACES.items():
                seen = 0.4 * np.linalg.inv(camera_to_working(meta, neutral)) @ surface.color
                np.testing.assert_allclose(neutral_from(meta, seen, surface.color), neutral, rtol=2e-3, err_msg=kind)


if __name__ == "__main__":
    unittest.main()
