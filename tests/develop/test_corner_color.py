"""The tint of the corners: where it acts, which way, and what it keeps."""

from __future__ import annotations

import unittest

import numpy as np

from bruto.color.spaces import picture_to_lab
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from tests.shots import SMALL, raw_of


class CornerColor(unittest.TestCase):
    def test_corners_change_color_and_keep_their_lightness(self) -> None:
        developer = Developer(open_source(raw_of("pans", size=SMALL)))
        plain = Recipe(chroma=1.0, exposure=-1.0)
        before, green, magenta = (
            picture_to_lab(developer.view(plain.changed(corner_color=t), 2)) for t in (0.0, 0.3, -0.3)
        )  # fmt: skip
        h, w = before.shape[:2]
        corner, middle = np.s_[:12, :12], np.s_[h // 2 - 5 : h // 2 + 5, w // 2 - 5 : w // 2 + 5]
        self.assertLess(float((green - before)[corner][..., 1].mean()), -4)
        self.assertGreater(float((magenta - before)[corner][..., 1].mean()), 4)
        self.assertLess(abs(float((green - before)[corner][..., 0].mean())), 1.5)
        self.assertLess(float(np.abs((green - before)[middle]).mean()), 1.0)

    def test_views_and_files_agree(self) -> None:
        developer = Developer(open_source(raw_of("card", size=SMALL)))
        recipe = Recipe(corner_color=0.4)
        file = developer.render(recipe).astype(int)
        plain = developer.render(Recipe()).astype(int)
        seen = developer.view(recipe, 2).astype(int) - developer.view(Recipe(), 2)
        change = (file - plain)[: 2 * seen.shape[0], : 2 * seen.shape[1]].reshape(seen.shape[0], 2, seen.shape[1], 2, 3)
        self.assertGreater(float(np.abs(seen).mean()), 1)
        self.assertLess(float(np.abs(change.mean(axis=(1, 3)) - seen).mean()), 1.0)


if __name__ == "__main__":
    unittest.main()
