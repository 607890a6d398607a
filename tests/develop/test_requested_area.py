"""Quarter turns, and the area outside of the default crop."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from PIL import Image

from bruto.container.dng_reader import read_dng
from bruto.container.dng_writer import DngTags
from bruto.container.orientation import orient, turned
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import has_more, is_as_asked, open_source
from bruto.export.preset import ExportPreset
from bruto.export.queue import export_shot
from tests.again import write_dng
from tests.shots import SMALL, raw_of


class QuarterTurns(unittest.TestCase):
    def test_every_orientation_turns_as_its_picture_does(self) -> None:
        picture = np.arange(24).reshape(4, 6)
        for orientation in range(1, 9):
            for quarters in range(4):
                np.testing.assert_array_equal(
                    orient(picture, turned(orientation, quarters)), np.rot90(orient(picture, orientation), -quarters)
                )

    def test_turned_files_are_the_turned_picture(self) -> None:
        """Of raws and of finished pictures, with and without a crop that was turned along."""
        plain = raw_of("pans", size=SMALL)
        crop, turned_crop = (-0.3, -0.2, 0.1, 0.25), (-0.25, -0.3, 0.2, 0.1)
        with TemporaryDirectory() as folder:
            picture = Path(folder) / "phone.jpg"
            Image.fromarray(Developer(open_source(plain)).render(Recipe())).save(picture)
            for path in (plain, picture):
                developer = Developer(open_source(path))
                for before, after in ((None, None), (crop, turned_crop)):
                    unturned = developer.render(Recipe(crop=before, grain=0.0))
                    recipe = Recipe(crop=after, turns=1)
                    other = developer.asked(recipe)
                    self.assertTrue(is_as_asked(other.source, recipe))
                    np.testing.assert_array_equal(other.render(recipe), np.rot90(unturned, -1), str(path))
                self.assertIs(developer.asked(Recipe()), developer)
                back = developer.asked(Recipe(turns=3)).asked(Recipe())
                self.assertEqual(back.source.meta.orientation, developer.source.meta.orientation)

    def test_delivered_as_asked(self) -> None:
        path = raw_of("pans", size=SMALL)
        with TemporaryDirectory() as folder:
            for turns, size in ((0, SMALL), (1, SMALL[::-1]), (2, SMALL)):
                out = Path(folder) / f"{turns}.jpg"
                export_shot(path, out, Recipe(turns=turns), ExportPreset())
                with Image.open(out) as picture:
                    self.assertEqual(picture.size, SMALL if turns == 0 else size)

    def test_left_out_turns_do_not_turn(self) -> None:
        developer = Developer(open_source(raw_of("pans", size=SMALL)))
        self.assertIs(developer.asked(Recipe(turns=1, bypassed=("turns",))), developer)


class RecordedArea(unittest.TestCase):
    MARGIN = (18, 12, 26, 22)
    """Left, top, right and bottom, of which the crop's corner keeps the pattern of colours."""

    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "cropped.dng"
        frame = read_dng(raw_of("pans", size=SMALL))
        m = frame.meta
        left, top, right, bottom = self.MARGIN
        w, h = SMALL
        crop = (left, top, w - left - right, h - top - bottom)
        tags = DngTags(
            black=m.black, white=m.white, bits=12, calibrations=m.calibrations, as_shot_neutral=m.as_shot_neutral,
            cfa=m.cfa, noise_profile=m.noise_profile, gain_maps=m.gain_maps, iso=m.iso, exposure_s=m.exposure_s,
            default_crop=crop,
        )  # fmt: skip
        write_dng(self.path, frame.codes, tags, np.zeros((120, 160, 3), np.uint8))
        self.crop = crop

    def test_more_is_shown_when_asked_for(self) -> None:
        developer = Developer(open_source(self.path))
        self.assertTrue(has_more(developer.source))
        self.assertEqual(developer.source.size, self.crop[2:])
        recipe = Recipe(whole_area=True)
        self.assertFalse(is_as_asked(developer.source, recipe))
        whole = developer.asked(recipe)
        self.assertEqual(whole.source.size, SMALL)
        wide, narrow = whole.render(Recipe(sharpness=0.0)), developer.render(Recipe(sharpness=0.0))
        self.assertEqual(wide.shape[1::-1], SMALL)
        left, top, width, height = self.crop
        inner = wide[top : top + height, left : left + width].astype(float)
        self.assertLess(np.abs(inner - narrow)[20:-20, 20:-20].mean(), 1.5)  # the same places have the same light
        again = whole.asked(Recipe())
        np.testing.assert_array_equal(again.render(Recipe(sharpness=0.0)), narrow)

    def test_a_file_without_more_has_none(self) -> None:
        developer = Developer(open_source(raw_of("pans", size=SMALL)))
        self.assertFalse(has_more(developer.source))
        self.assertIs(developer.asked(Recipe(whole_area=True)), developer)


if __name__ == "__main__":
    unittest.main()
