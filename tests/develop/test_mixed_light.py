"""The hint at mixed light: found where two lights meet, not where one light falls on coloured things."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import datetime
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from bruto.develop.analysis.mixed_light import TwoLights, two_lights
from bruto.develop.analysis.white_estimate import grey_places
from bruto.develop.pipeline import Developer
from bruto.develop.source import open_source
from bruto.develop.suggest.white import suggest_white
from bruto.simphone.capture import Phone
from bruto.simphone.capture_files import save
from tests.extent import share
from tests.shots import SMALL

SCENES = share(("crystals", "pans", "boiling-house"), 3)


@cache
def under(scene: str, kelvin: float) -> Developer:
    """The scene under one light."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "light.dng"
        save(Phone(scene, size=SMALL, kelvin=kelvin).shoot(seed=21), path, datetime(2026, 5, 1), picture=False)
        return Developer(open_source(path))


class MixedLight(unittest.TestCase):
    def found(self, developer: Developer, camera: np.ndarray) -> TwoLights | None:
        balanced = np.ascontiguousarray(camera * developer.balance, np.float32)
        return two_lights(grey_places(balanced), developer.source.meta, developer.balance)

    def test_one_light_is_one(self) -> None:
        for scene in SCENES:
            for kelvin in (2856.0, 5500.0):
                developer = under(scene, kelvin)
                self.assertIsNone(self.found(developer, developer.level(2) / developer.balance), f"{scene} {kelvin}")

    def test_two_lights_are_told_with_their_place(self) -> None:
        for scene in SCENES:
            warm, cold = (under(scene, k) for k in (2856.0, 5500.0))
            camera, other = (d.level(2) / d.balance for d in (warm, cold))
            half = camera.shape[1] // 2
            camera[:, :half] = other[:, :half]
            found = self.found(warm, camera)
            assert found is not None, scene
            self.assertEqual(found.side, "right")
            self.assertAlmostEqual(1e6 / found.warm, 1e6 / 2856, delta=60)
            self.assertAlmostEqual(1e6 / found.cold, 1e6 / 5500, delta=75)

    def test_the_suggestion_says_so(self) -> None:
        warm, cold = (under("crystals", k) for k in (2856.0, 5500.0))
        plain = suggest_white(warm, warm.level(4))[0].evidence
        self.assertNotIn("two lights", plain)
        mixed = Developer(warm.source)
        level = warm.level(2).copy()
        level[: level.shape[0] // 2] = (cold.level(2) / cold.balance * warm.balance)[: level.shape[0] // 2]
        mixed._levels[2] = level
        text = suggest_white(mixed, mixed.level(4))[0].evidence
        self.assertIn("two lights", text)
        self.assertIn("K below", text)
        turned = Developer(replace(warm.source, meta=replace(warm.source.meta, orientation=3)))  # held upside down
        turned._levels[2] = level
        self.assertIn("K above", suggest_white(turned, turned.level(4))[0].evidence)


if __name__ == "__main__":
    unittest.main()
