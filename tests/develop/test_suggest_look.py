"""Rows judged by the developed picture and by the residual: contrast, relief, chroma, noise that would remove
detail."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import picture_to_lab
from bruto.develop.analysis.lines import facade_turn, find_lines
from bruto.develop.perspective import rotation
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import Source
from bruto.develop.suggest.picture_statistics import suggest_spread
from bruto.develop.suggest.suggester import suggest_all
from tests.develop.test_suggest import source_of
from tests.photographs import KINDS, light_of
from tests.photographs import source_of as source_of_photograph


def veiled(source: Source, share: float) -> Source:
    """The scene behind a grey veil that adds as much light everywhere as the brightest tenth has, times a share."""
    data = source.linear.data
    quads = data.reshape(data.shape[0] // 2, 2, data.shape[1] // 2, 2)
    light = np.quantile(quads, 0.9, axis=(0, 2), keepdims=True) * np.ones_like(quads)
    mixed = ((1 - share) * quads + share * light).reshape(data.shape).astype(np.float32)
    return replace(source, linear=replace(source.linear, data=mixed))


def boards(yaw: float, pitch: float, seed: int, size: tuple[int, int] = (1008, 756), focal: float = 757.0) -> NDArray:
    """Light of a wall of level boards, as a phone sees it that looks to the right and up by so many degrees."""
    random = np.random.default_rng(seed)
    w, h = size
    image, r = np.full((h, w), 0.3, np.float32), rotation(0.0, pitch, yaw)
    for _ in range(26):
        y, left, high = random.uniform(-4, 4), random.uniform(-5, -1), random.uniform(0.1, 0.4)
        right = left + random.uniform(3, 7)
        box = np.array([[left, y, 6], [right, y, 6], [right, y + high, 6], [left, y + high, 6]]) @ r.T
        corners = box[:, :2] / box[:, 2:] * focal + [(w - 1) / 2, (h - 1) / 2]
        cv2.fillConvexPoly(image, (corners * 16).astype(np.int32), random.uniform(0.05, 0.8), cv2.LINE_AA, 4)
    return np.maximum(cv2.GaussianBlur(image, (0, 0), 0.7) + random.normal(0, 0.01, (h, w)).astype(np.float32), 0)


class Look(unittest.TestCase):
    def rows(self, source: Source) -> dict:
        developer = Developer(source)
        return {s.field: s for s in suggest_spread(developer, Recipe(), 0.5)}

    def test_a_veil_raises_contrast_and_relief(self) -> None:
        source = source_of("pans")
        clear, thin, thick = (self.rows(veiled(source, share)) for share in (0.0, 0.5, 0.8))
        for row in ("contrast", "local_contrast_medium", "local_contrast_broad"):
            numbers = [r[row].number for r in (clear, thin, thick)]
            self.assertGreater(numbers[0], numbers[1], row)
            self.assertGreater(numbers[1], numbers[2], row)
            self.assertEqual(clear[row].value, 1.0, row)
            self.assertGreater(thick[row].value, 1.03, row)

    def test_taking_them_comes_nearer_to_the_clear_scene(self) -> None:
        source = source_of("pans")
        clear, hidden = Developer(source), Developer(veiled(source, 0.7))
        found = {s.field: s for s in suggest_spread(hidden, Recipe(), 0.5)}
        taken = Recipe().changed(
            **{k: found[k].value for k in ("contrast", "local_contrast_medium", "local_contrast_broad")}
        )

        def light(developer: Developer, recipe: Recipe) -> NDArray:
            """L* about its mean: what was lit brighter altogether does not count."""
            found = picture_to_lab(developer.view(recipe, 2))[..., 0]
            return found - found.mean()

        target = light(clear, Recipe())
        before, after = (np.abs(light(hidden, r) - target).mean() for r in (Recipe(), taken))
        self.assertLess(after, 0.97 * before)

    def test_colors_that_do_not_fit_are_raised_less(self) -> None:
        source = source_of("card")
        vivid = Developer(source).asked(Recipe())
        usual = {s.field: s for s in suggest_spread(vivid, Recipe(), 0.5)}["chroma"]
        full = {s.field: s for s in suggest_spread(vivid, Recipe(chroma=1.9), 0.5)}["chroma"]
        self.assertGreater(full.number, usual.number)
        self.assertLess(full.value, usual.value)

    def test_a_flat_frame_is_left_alone(self) -> None:
        source = source_of("card")
        flat = replace(source, linear=replace(source.linear, data=np.full_like(source.linear.data, 0.2)))
        rows = self.rows(flat)
        self.assertEqual(
            [rows[k].value for k in ("contrast", "local_contrast_medium", "local_contrast_broad")], [1.0] * 3
        )


class CleanShots(unittest.TestCase):
    def test_noise_reduction_errs_less_than_without_and_than_weaker(self) -> None:
        """In good light, too, on fur and on a plain cup: what is taken out is noise, not the photograph."""
        sensor = replace(KINDS[0], a=2e-5, b=1e-7)
        for name in ("coffee", "chelsea"):
            with tempfile.TemporaryDirectory() as folder:
                noisy, clean = (
                    Developer(source_of_photograph(Path(folder), light_of(name), sensor, seed))
                    for seed in (1, -1)  # -1: without noise
                )
                strength = suggest_all(noisy)["luminance_noise"].value
                base = Recipe(sharpness=0.0, chroma_noise=1.0)
                target = clean.render(base.changed(luminance_noise=0.0, chroma_noise=0.0)).mean(axis=2)
                errors = [
                    float(np.square(noisy.render(base.changed(luminance_noise=s)).mean(axis=2) - target).mean())
                    for s in (strength, strength - 0.2, 0.0)
                ]
                self.assertLess(errors[0], 0.99 * errors[1], name)
                self.assertLess(errors[0], 0.98 * errors[2], name)


class Facades(unittest.TestCase):
    def test_how_a_facade_was_faced(self) -> None:
        random = np.random.default_rng(9)
        off = []
        for seed in range(12):
            yaw = random.uniform(-9, 9)
            turn = facade_turn(find_lines(boards(yaw, 0.0, seed)), 757.0, 1008)
            if turn is not None:
                off.append(abs(turn - yaw))
        self.assertGreaterEqual(len(off), 10)
        self.assertLess(max(off), 0.6)

    def test_nothing_to_face(self) -> None:
        self.assertIsNone(facade_turn(np.zeros((0, 4)), 757.0, 1008))


if __name__ == "__main__":
    unittest.main()
