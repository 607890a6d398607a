"""Local tone: what the field says is what light does, wherever the picture is turned to."""

from __future__ import annotations

import unittest

import numpy as np
from pydantic import ValidationError

from bruto.color.spaces import decode_srgb, space
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_text import sentence
from bruto.develop.recipe_values import LocalTone
from bruto.develop.source import open_source
from bruto.errors import BrutoError
from tests.shots import SMALL, raw_of

PLAIN = Recipe(chroma=1.0, exposure=-1.5)


def field(gains: np.ndarray) -> LocalTone:
    rows, columns, lights = gains.shape
    return LocalTone(rows=rows, columns=columns, lights=lights, gains=tuple(float(g) for g in gains.ravel()))


def with_field(gains: np.ndarray, **more: object) -> Recipe:
    return PLAIN.changed(local_tone=field(gains).model_dump(), **more)


def light(picture: np.ndarray) -> np.ndarray:
    return decode_srgb(picture / 255.0) @ space("srgb").to_xyz()[1]


class Field(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.developer = Developer(open_source(raw_of("pans", size=SMALL)))
        cls.before = light(cls.developer.view(PLAIN, 2))

    def stops(self, recipe: Recipe) -> np.ndarray:
        """Change of light, EV, where codes can tell it."""
        after = light(self.developer.view(recipe, 2))
        notice = (self.before > 0.02) & (after > 0.02) & (self.before < 0.8) & (after < 0.8)
        return np.where(notice, np.log2(np.maximum(after, 1e-4) / np.maximum(self.before, 1e-4)), np.nan)

    def test_the_same_gain_everywhere_is_that_gain(self) -> None:
        for gain in (0.5, -0.75):
            self.assertAlmostEqual(
                float(np.nanmedian(self.stops(with_field(np.full((9, 12, 8), gain))))), gain, delta=0.02
            )
        half = self.stops(with_field(np.full((2, 3, 4), 0.8), local_strength=0.5))
        self.assertAlmostEqual(float(np.nanmedian(half)), 0.4, delta=0.02)

    def test_gains_lie_at_their_places(self) -> None:
        """From left to right and from top to bottom, straight between the middles of cells."""
        gains = np.zeros((9, 12, 8)) + np.linspace(-0.6, 0.6, 12)[None, :, None]
        found = np.nanmedian(self.stops(with_field(gains)), axis=0)
        columns = found.size
        expected = np.interp(
            (np.arange(columns) + 0.5) / columns, (np.arange(12) + 0.5) / 12, np.linspace(-0.6, 0.6, 12)
        )
        self.assertLess(np.nanmax(np.abs(found - expected)), 0.05)
        down = np.nanmedian(self.stops(with_field(gains.transpose(1, 0, 2)[:9])), axis=1)
        self.assertLess(down[5], down[-5] - 0.5)

    def test_gains_follow_the_light(self) -> None:
        lights = 8
        gains = np.zeros((2, 2, lights)) + np.linspace(0.8, -0.4, lights)
        found = self.stops(with_field(gains))
        expected = np.interp(np.cbrt(self.before) * (lights - 1), np.arange(lights), np.linspace(0.8, -0.4, lights))
        self.assertLess(float(np.nanmedian(np.abs(found - expected))), 0.03)

    def test_it_turns_with_the_picture(self) -> None:
        gains = np.zeros((9, 12, 8)) + np.linspace(-0.6, 0.6, 12)[None, :, None]
        tilted = PLAIN.changed(horizon=12.0, exposure=-0.5)
        before = light(self.developer.view(tilted, 2))
        after = light(self.developer.view(tilted.changed(local_tone=field(gains).model_dump()), 2))
        notice = (before > 0.01) & (before < 0.7)
        change = np.where(notice, np.log2(np.maximum(after, 1e-4) / np.maximum(before, 1e-4)), np.nan)
        shape = self.developer.geometry(tilted)
        h, w = before.shape
        for y, x in ((0.3, 0.2), (0.7, 0.8), (0.25, 0.75)):
            there = np.s_[int(y * h) - 4 : int(y * h) + 4, int(x * w) - 4 : int(x * w) + 4]
            where, _ = shape.relative_place(x, y)
            expected = np.interp(where, (np.arange(12) + 0.5) / 12, np.linspace(-0.6, 0.6, 12))
            self.assertAlmostEqual(float(np.nanmedian(change[there])), float(expected), delta=0.06)

    def test_files_and_pieces_agree(self) -> None:
        recipe = with_field(np.random.default_rng(1).normal(0, 0.4, (9, 12, 8)))
        whole = self.developer.render(recipe)
        from bruto.develop.rectangle import Rectangle

        part = self.developer.view(recipe, 1, Rectangle(100, 80, 120, 90))
        self.assertLess(np.abs(whole[80:170, 100:220].astype(int) - part).mean(), 0.6)

    def test_a_field_that_cannot_be_is_refused(self) -> None:
        with self.assertRaises(ValidationError):
            LocalTone(columns=2, rows=2, lights=4, gains=(0.0,) * 15)
        with self.assertRaises(BrutoError):
            PLAIN.changed(local_tone={"columns": 40, "rows": 40, "lights": 8, "gains": []})
        with self.assertRaises(BrutoError):
            PLAIN.changed(local_tone={"columns": 1, "rows": 1, "lights": 2, "gains": [0.0, float("nan")]})

    def test_it_is_told_and_left_out(self) -> None:
        recipe = with_field(np.full((2, 2, 2), 0.5), local_strength=0.7)
        self.assertIn("local tone 0.70 ×", sentence("tone", recipe))
        self.assertNotIn("local tone", sentence("tone", PLAIN))
        np.testing.assert_array_equal(
            self.developer.view(recipe.changed(bypassed=["local_strength"]), 2), self.developer.view(PLAIN, 2)
        )


if __name__ == "__main__":
    unittest.main()
