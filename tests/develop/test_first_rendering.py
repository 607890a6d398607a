"""What a shot opens with, against finished photographs: as light as they are, nothing torn or washed out."""

from __future__ import annotations

import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np
from benchmarks.rendering import GEOMETRY, coarse
from skimage.color import deltaE_ciede2000

from bruto.color.spaces import encode_srgb
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import Tone
from bruto.develop.suggest.light import BEYOND_WHITE_EV, USUAL_EV, suggest_exposure
from bruto.develop.suggest.suggester import suggest_all, take_all
from tests.extent import share
from tests.hand import sensor_at
from tests.photographs import LIGHT, light_of, source_of


class Photographs(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))

    def opened(self, name: str, iso: float, stops: float, rendered: bool) -> tuple[np.ndarray, Developer]:
        """What it should look like; the raw, exposed by so many stops from what a meter says."""
        light = light_of(name)
        source = source_of(self.folder, light, sensor_at(iso), scale=LIGHT * 2.0**stops)
        if not rendered:
            assert source.frame is not None
            source = replace(source, frame=replace(source.frame, preview=None))
        return np.round(encode_srgb(light) * 255), Developer(source)

    def test_as_light_as_they_are_and_no_worse_than_the_default(self) -> None:
        for k, name in enumerate(share(("astronaut", "chelsea", "rocket", "coffee", "stereo_motorcycle"), 2)):
            for stops, allowed in ((0.0, 5.0), (-1.2, 9.0)):
                wanted, developer = self.opened(name, (50.0, 400.0, 1600.0)[k % 3], stops, k % 2 == 0)
                found = {f: s for f, s in suggest_all(developer).items() if f not in GEOMETRY}
                seen = coarse(wanted)
                pictures = [coarse(developer.view(r, 2)) for r in (Recipe(), take_all(Recipe(), found))]
                seen = cv2.resize(seen, pictures[0].shape[1::-1])
                default, suggested = (float(deltaE_ciede2000(seen, p).mean()) for p in pictures)
                lighter = float(pictures[1][..., 0].mean() - seen[..., 0].mean())
                self.assertLess(abs(lighter), allowed, f"{name} {stops}")
                self.assertLess(suggested, default + 0.5, f"{name} {stops}")

    def test_a_picture_that_the_phone_left_dark_stays_darker(self) -> None:
        """A low key of two stops: the phone's rendering says so, and is half believed."""
        light = light_of("chelsea") / 4
        source = source_of(self.folder, light, sensor_at(400.0))
        assert source.frame is not None
        plain = Developer(replace(source, frame=replace(source.frame, preview=None)))
        lifted, held = (suggest_all(d)["exposure"].value for d in (plain, Developer(source)))
        self.assertLess(held, lifted - 0.15)
        self.assertGreater(held, lifted - 0.35)

    def test_black_is_not_torn(self) -> None:
        """The slope that shows the noise of shadows stays below 10 L* per EV, whatever the picture."""
        for name in ("astronaut", "rocket"):
            tone = suggest_all(self.opened(name, 1600.0, -1.0, False)[1])["tone"].value
            assert isinstance(tone, Tone)
            self.assertLessEqual(tone.black.ev, -7.0)
            self.assertLessEqual(tone.shadow.lightness, 20.0)


class Light(unittest.TestCase):
    """Scenes as light alone, EV from grey."""

    @staticmethod
    def flower(petals: float, leaves: float, share: float = 0.12) -> np.ndarray:
        random = np.random.default_rng(1)
        ev = cv2.GaussianBlur(random.normal(0, 1, (300, 400)).astype(np.float32), (0, 0), 20) * 4 + leaves
        y, x = np.mgrid[:300, :400]
        inside = np.hypot(x - 200, y - 150) < np.sqrt(share * 300 * 400 / np.pi)
        ev[inside] = petals + 0.25 * np.sin(x[inside] / 2)
        return ev.astype(np.float32)

    def test_a_flower_before_dark_leaves_is_not_underexposed(self) -> None:
        found = suggest_exposure(self.flower(1.5, -3.5))
        self.assertLess(found.value, USUAL_EV + 0.15)
        self.assertIn("dark background is left dark", found.evidence)

    def test_an_underexposed_flower_is(self) -> None:
        self.assertGreater(suggest_exposure(self.flower(-0.5, -5.5)).value, USUAL_EV + 1.2)

    def test_petals_that_are_full_in_one_channel_hold_it(self) -> None:
        ev = self.flower(0.4, -3.5)
        free, held = suggest_exposure(ev).value, suggest_exposure(ev, peak=ev + 1.4).value
        self.assertLess(held, free - 0.4)

    def test_lamps_do_not_darken_the_rest(self) -> None:
        ev = self.flower(1.6, -1.0, share=0.3)
        ev[:8, :200] = 4.0
        self.assertGreater(suggest_exposure(ev).value, USUAL_EV - BEYOND_WHITE_EV)

    def test_what_the_file_states_is_not_given_twice(self) -> None:
        ev = self.flower(1.8, -2.0)
        self.assertAlmostEqual(suggest_exposure(ev, stated=0.5).value, 0.0, delta=0.15)

    def test_the_phones_rendering_counts_by_how_far_it_is_believed(self) -> None:
        ev = self.flower(1.5, -3.5)
        plain, *known = (suggest_exposure(ev, rendered=r).value for r in (None, (1.2, 0.0), (1.2, 1.0)))
        self.assertEqual(plain, known[0])
        self.assertGreater(known[1], plain + 0.25)

    def test_at_night_a_rendering_may_darken_but_not_lighten(self) -> None:
        """Phones render nights as days; one that they leave darker than that is meant to be dark."""
        ev, night = self.flower(1.5, -3.5), -2.0
        plain, bright, dark = (
            suggest_exposure(ev, value=night, rendered=r).value for r in (None, (2.0, 1.0), (-1.2, 1.0))
        )
        self.assertEqual(bright, plain)
        self.assertLess(dark, plain - 0.2)


if __name__ == "__main__":
    unittest.main()
