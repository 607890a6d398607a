"""Areas against whole pictures of the same values, and what each step says that it reads against what it reads."""

from __future__ import annotations

import unittest

import numpy as np

from bruto.develop.areas import Area
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import FRAME_FIELDS, Recipe
from bruto.develop.rectangle import Rectangle
from bruto.develop.source import open_source
from bruto.develop.steps.step_order import POINT_STEPS, RAW_STEPS
from tests.shots import SMALL, raw_of

UNREAD = {"schema_version", "engine", "bypassed", *FRAME_FIELDS}
"""Fields of the recipe that no step reads: what it says of itself, and the frame's."""
OTHER = Recipe(
    exposure=0.8, temperature=4200.0, haze=25.0, sharpness=0.2, luminance_noise=1.6, local_contrast_fine=1.4,
    local_contrast_medium=1.2, chroma=1.0, vignette=0.4, tone={"shadow": {"ev": -3.0, "lightness": 20.0}},
)  # fmt: skip


def half(w: int = 64, h: int = 48) -> np.ndarray:
    """The right half of the frame."""
    mask = np.zeros((h, w), np.float32)
    mask[:, w // 2 :] = 1
    return mask


class Areas(unittest.TestCase):
    def setUp(self) -> None:
        self.developer = Developer(open_source(raw_of("pans", size=SMALL)))

    def test_an_area_over_everything_is_the_picture_of_its_values(self) -> None:
        area = Area(np.ones((4, 5), np.float32), OTHER)
        for recipe in (Recipe(), Recipe(chroma=1.0)):  # with and without a colour step of its own
            found = self.developer.view(recipe, 2, areas=[area]).astype(int)
            wanted = self.developer.view(OTHER, 2).astype(int)
            self.assertLessEqual(int(np.abs(found - wanted).max()), 1)
        found, wanted = self.developer.render(Recipe(), areas=[area]).astype(int), self.developer.render(OTHER)
        self.assertLessEqual(int(np.abs(found - wanted).max()), 1)

    def test_half_an_area(self) -> None:
        base, other = (self.developer.view(r, 2).astype(int) for r in (Recipe(), OTHER))
        self.assertGreater(float(np.abs(base - other).mean()), 10)
        found = self.developer.view(Recipe(), 2, areas=[Area(half(), OTHER)]).astype(int)
        w = base.shape[1]
        left, right = slice(0, w // 2 - 12), slice(w // 2 + 12, w)
        np.testing.assert_array_equal(found[:, left], base[:, left])
        self.assertLessEqual(int(np.abs(found - other)[:, right].max()), 1)

    def test_an_area_stays_in_its_place_at_1_to_1_and_in_a_turned_picture(self) -> None:
        area = [Area(half(), Recipe(exposure=2.0))]
        w, h = self.developer.source.size
        part = Rectangle(w // 2 - 100, h // 4, 200, 100)
        rise = self.developer.view(Recipe(), 1, part, areas=area) / 1.0 - self.developer.view(Recipe(), 1, part)
        self.assertEqual(float(np.abs(rise[:, :80]).max()), 0)
        self.assertGreater(float(rise[:, 120:].mean()), 20)
        tilted = Recipe(horizon=5.0)
        file = self.developer.render(tilted, areas=area) / 1.0 - self.developer.render(tilted)
        n = file.shape[1]
        self.assertEqual(float(np.abs(file[:, : n // 2 - 60]).max()), 0)
        self.assertGreater(float(file[:, n // 2 + 60 :].mean()), 20)

    def test_what_an_area_leaves_alone_is_kept(self) -> None:
        """Only steps whose fields differ run for an area."""
        ran = []
        for step in RAW_STEPS:
            step.apply = lambda rgb, p, place, s=step: ran.append(s.name) or type(s).apply(s, rgb, p, place)
        try:
            self.developer.view(Recipe(), 2, areas=[Area(half(), Recipe(exposure=1.0))])
        finally:
            for step in RAW_STEPS:
                del step.apply
        self.assertEqual(ran, ["noise reduction", "sharpness"])


class Fields(unittest.TestCase):
    def test_every_field_is_read_by_a_step_or_by_the_frame(self) -> None:
        read = {name for step in (*RAW_STEPS, *POINT_STEPS) for name in step.fields}
        self.assertEqual(read | UNREAD, set(Recipe.model_fields))
        self.assertFalse(read & UNREAD)

    def test_a_step_reads_no_field_that_it_does_not_say(self) -> None:
        """Else what is kept of earlier work would be shown for other values."""
        developer = Developer(open_source(raw_of("pans", size=SMALL)))
        scene = developer._scene(Recipe(), developer.geometry(Recipe()), "srgb", 8)

        class Watched:
            def __init__(self) -> None:
                self.seen: set[str] = set()

            def __getattr__(self, name: str) -> object:
                self.__dict__["seen"].add(name)
                return getattr(OTHER, name)

        for step in (*RAW_STEPS, *POINT_STEPS):
            watched = Watched()
            raw = step in RAW_STEPS
            step.prepare(watched, developer, 2.0, True) if raw else step.prepare(watched, scene)  # type: ignore[arg-type]
            self.assertLessEqual(watched.seen, set(step.fields), step.name)


if __name__ == "__main__":
    unittest.main()
