"""The engine: views agree with whole files, bands with each other, neutral development with the scene."""

from __future__ import annotations

import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import cv2
import numpy as np
from PIL import Image

from bruto.color.difference import delta_e00
from bruto.color.spaces import decode_srgb, encode_srgb, picture_to_lab
from bruto.container.orientation import orient
from bruto.container.raw_frame import RawFrame
from bruto.develop import tiles
from bruto.develop.analysis.scene_light import scene_light
from bruto.develop.bands import StepFailed
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, unframed
from bruto.develop.rectangle import Rectangle, stored_rect
from bruto.develop.source import open_source, source_of_raw
from bruto.develop.steps.step_order import POINT_STEPS, RAW_STEPS
from bruto.develop.suggest.suggester import suggest_all, take_all
from bruto.errors import Cancelled, FileProblem
from bruto.simphone.capture import Phone
from tests.extent import share
from tests.shots import MIDDLE, SMALL, raw_of, taken
from tests.truth import chart_error, patch_masks


def developer_of(scene: str, **settings) -> Developer:
    return Developer(open_source(raw_of(scene, **settings)))


def reduced(picture: np.ndarray, factor: float) -> np.ndarray:
    """Averages of pixels in linear light, encoded again."""
    h, w = (int(n / factor) for n in picture.shape[:2])
    inner = picture[: round(h * factor), : round(w * factor)]
    light = decode_srgb(inner / 255.0).astype(np.float32)
    return np.round(255 * encode_srgb(cv2.resize(light, (w, h), interpolation=cv2.INTER_AREA))).astype(np.uint8)


class Views(unittest.TestCase):
    def test_a_view_is_the_reduced_file(self) -> None:
        """Equal in brightness, and in colour beyond the finest detail (these small captures are all finest detail)."""
        for scene, settings in share((("pans", {}), ("card", {"iso": 400.0}), ("sluice", {"iso": 400.0})), 2):
            developer = developer_of(scene, size=MIDDLE, seed=31, **settings)
            suggested = take_all(Recipe(), suggest_all(developer))
            # resampling for a turned frame blurs the finest detail of a view a little more than that of the file
            for recipe, most in ((Recipe(), 1.0), (unframed(suggested), 1.0), (suggested, 1.05)):
                whole = developer.render(recipe)
                for factor in (2, 2.8, 4, 5.25):
                    small = reduced(whole, factor)
                    view = developer.view(recipe, factor)
                    self.assertLess(np.abs(np.subtract(view.shape, small.shape)).max(), 2)
                    view = view[: small.shape[0], : small.shape[1]]
                    labs = [picture_to_lab(cv2.GaussianBlur(p, (0, 0), 1.5)) for p in (view, small)]
                    with self.subTest(scene=scene, factor=factor):
                        self.assertLess(abs(float((labs[0] - labs[1])[..., 0].mean())), 0.3)
                        between = 0.0 if factor in (2, 4) else 0.1  # pixels made of parts of pixels
                        self.assertLess(delta_e00(*labs).mean(), most + between)

    def test_a_step_that_fails_is_left_out_and_named(self) -> None:
        recipe = Recipe(haze=20.0, local_contrast_fine=1.2, vignette=0.3, chroma=1.3)
        good = developer_of("pans", size=SMALL).view(recipe, 2).astype(int)
        tried = 0
        for step in (*RAW_STEPS, *POINT_STEPS[1:-1]):
            for part in ("prepare", "apply"):
                developer = developer_of("pans", size=SMALL)
                with mock.patch.object(type(step), part, side_effect=ZeroDivisionError("odd")) as failing:
                    view = developer.view(recipe, 2)
                    if not failing.called:  # not part of this picture
                        continue
                    tried += 1
                    self.assertEqual(list(developer.problems), [step.name])
                    self.assertRegex(developer.problems[step.name], f"while making {step.name}.*errors.log")
                    self.assertLess(float(np.abs(view - good).mean()), 60 if step.name == "tone" else 12)
                    with self.assertRaises((ZeroDivisionError, StepFailed)):
                        developer.render(recipe)
                developer.view(recipe.changed(exposure=0.1, sharpness=0.5, luminance_noise=0.5), 2)
                self.assertEqual(developer.problems, {}, step.name)
        self.assertGreater(tried, 13)

    def test_a_rectangle_at_full_size_is_exact(self) -> None:
        developer = developer_of("pans", size=MIDDLE, seed=31)
        recipe = Recipe(exposure=0.7, sharpness=0.9, luminance_noise=0.6)
        whole = developer.render(recipe)
        for rect in (
            Rectangle(300, 200, 220, 160),
            Rectangle(0, 0, 100, 90),
            Rectangle(908, 656, 100, 100),
            Rectangle(301, 203, 51, 33),
        ):
            part = developer.view(recipe, 1, rect)
            expected = whole[rect.y : rect.y + rect.height, rect.x : rect.x + rect.width]
            difference = np.abs(part.astype(int) - expected)
            self.assertLess(np.mean(difference), 0.6, rect)
            self.assertLessEqual(np.percentile(difference, 99.9), 4, rect)

    def test_tiles_leave_no_seam(self) -> None:
        developer = developer_of("pans", size=MIDDLE, seed=31)
        whole = developer.render(Recipe(), bits=16)
        tile, tiles.TILE = tiles.TILE, 200
        try:
            pieces = Developer(developer.source).render(Recipe(), bits=16)
        finally:
            tiles.TILE = tile
        difference = np.abs(whole.astype(int) - pieces)[..., 1]
        self.assertLess(float(difference.mean()), 20)  # of 65535
        for seam in (200, 400, 600):
            self.assertLess(float(difference[seam - 2 : seam + 2].mean()), 60)

    def test_every_value_changes_the_picture(self) -> None:
        developer = developer_of("sluice", size=SMALL, iso=800.0)
        plain = developer.render(Recipe(), bits=16).astype(int)
        for change in (
            {"exposure": 0.5}, {"temperature": 4000.0}, {"tint": 0.02}, {"luminance_noise": 0.0},
            {"chroma_noise": 0.0}, {"sharpness": -0.5}, {"sharpness_radius": 1.4}, {"chroma": 0.5},
        ):  # fmt: skip
            difference = np.abs(developer.render(Recipe().changed(**change), bits=16).astype(int) - plain).mean()
            self.assertGreater(difference, 30, change)

    def test_exposure_is_in_stops(self) -> None:
        developer = developer_of("card", size=SMALL)
        one, two = (developer.luminance(4), developer.luminance(4) * 2)
        np.testing.assert_allclose(two / one, 2)
        linear = developer.render(Recipe(), space="linear")
        self.assertEqual(linear.dtype, np.float32)
        bright = developer.render(Recipe(exposure=1.0), space="linear")
        np.testing.assert_array_equal(linear, bright)  # scene-linear output is of the raw, not of the edit


class Orientation(unittest.TestCase):
    def test_as_pillow_turns(self) -> None:
        picture = np.random.default_rng(1).integers(0, 255, (6, 9, 3), np.uint8)
        from PIL import ImageOps

        for orientation in range(1, 9):
            exif = Image.Exif()
            exif[274] = orientation
            with TemporaryDirectory() as folder:
                path = Path(folder) / "a.png"
                Image.fromarray(picture).save(path, exif=exif)
                expected = np.asarray(ImageOps.exif_transpose(Image.open(path)))
            np.testing.assert_array_equal(orient(picture, orientation), expected, err_msg=str(orientation))

    def test_rectangles_of_the_oriented_picture(self) -> None:
        stored = np.arange(6 * 9 * 3).reshape(6, 9, 3).astype(np.uint8)
        for orientation in range(1, 9):
            oriented = orient(stored, orientation)
            rect = Rectangle(1, 2, 3, 2)
            inside = stored_rect(rect, orientation, (9, 6))
            part = stored[inside.y : inside.y + inside.height, inside.x : inside.x + inside.width]
            np.testing.assert_array_equal(orient(part, orientation), oriented[2:4, 1:4], err_msg=str(orientation))

    def test_a_turned_raw_is_rendered_the_right_way_up(self) -> None:
        developer = developer_of("card", size=SMALL)
        frame = developer.source.frame
        assert frame is not None
        turned = source_of_raw(Path("a.dng"), RawFrame(frame.codes, replace(frame.meta, orientation=6)))
        np.testing.assert_array_equal(Developer(turned).render(Recipe()), orient(developer.render(Recipe()), 6))


class ColorStep(unittest.TestCase):
    def test_neutral_development_of_the_chart(self) -> None:
        """Median difference from the scene: below 1.5 with the light's own white, below 3.2 with the phone's guess at
        it.
        """
        phone = Phone("card", size=MIDDLE)
        masks = patch_masks(phone, 3)
        self.assertGreaterEqual(len(masks), 24)
        for seed in (1, 2, 3):
            developer = developer_of("card", size=MIDDLE, seed=seed)
            errors = chart_error(phone, developer.render(Recipe(), space="linear", neutral_look=True), masks)
            self.assertLess(float(np.median(errors)), 3.2, f"seed {seed}")
            perfect = np.array(taken("card", size=MIDDLE, seed=seed)[0]["true_neutral"])
            source = replace(developer.source, meta=replace(developer.source.meta, as_shot_neutral=perfect))
            errors = chart_error(phone, Developer(source).render(Recipe(), space="linear", neutral_look=True), masks)
            self.assertLess(float(np.median(errors)), 1.5, f"seed {seed}, with the light's own white")

    def test_lower_temperature_of_the_light_makes_the_picture_colder(self) -> None:
        developer = developer_of("card", size=SMALL)
        warm, cold = (developer.render(Recipe(temperature=t)).reshape(-1, 3).mean(axis=0) for t in (9000.0, 3500.0))
        self.assertGreater(warm[0] / warm[2], 1.3 * cold[0] / cold[2])
        green, pink = (developer.render(Recipe(tint=d)).reshape(-1, 3).mean(axis=0) for d in (-0.02, 0.02))
        self.assertGreater(green[1] / green[0], pink[1] / pink[0])

    def test_as_shot_is_the_default(self) -> None:
        developer = developer_of("card", size=SMALL)
        kelvin, duv = developer.as_shot()
        same = developer.render(Recipe(temperature=kelvin, tint=duv)).astype(int)
        difference = np.abs(same - developer.render(Recipe()))
        self.assertLess(np.percentile(difference, 99.9), 2.5)
        self.assertLess(difference.max(), 6)


class Sources(unittest.TestCase):
    def test_a_picture_without_a_raw(self) -> None:
        shot = taken("card", size=SMALL)[0]
        source = open_source(shot["files"][1])
        self.assertEqual(source.kind, "picture")
        self.assertIn("finished picture", " ".join(source.meta.warnings))
        out = Developer(source).render(Recipe(exposure=1.0))
        self.assertEqual(out.shape, (SMALL[1], SMALL[0], 3))
        self.assertGreater(out.mean(), Developer(source).render(Recipe()).mean() + 8)

    def test_what_cannot_be_developed(self) -> None:
        with TemporaryDirectory() as folder:
            text = Path(folder) / "notes.txt"
            text.write_text("x")
            for path in (text, Path(folder), Path(folder) / "none.dng", Path(folder) / "none.jpg"):
                with self.assertRaises(FileProblem):
                    open_source(path)

    def test_cancelling_ends_a_render(self) -> None:
        developer = developer_of("card", size=SMALL)
        seen: list[float] = []
        with self.assertRaisesRegex(Cancelled, "nothing was written"):
            developer.render(Recipe(), progress=seen.append, cancelled=lambda: True)
        self.assertEqual(seen, [])
        developer.render(Recipe(), progress=seen.append)
        self.assertEqual(seen[-1], 1.0)

    def test_a_view_can_be_stopped_before_each_step(self) -> None:
        """Wherever it is stopped, the next one is the same as of a fresh developer."""
        recipe = Recipe(luminance_noise=1.0, sharpness=0.8)
        wanted = developer_of("card", size=SMALL).view(recipe, 2)
        for least in range(5):
            developer, asked = developer_of("card", size=SMALL), iter(range(100))
            with self.assertRaises(Cancelled):
                developer.view(recipe, 2, cancelled=lambda asked=asked, least=least: next(asked) >= least)
            np.testing.assert_array_equal(developer.view(recipe, 2, cancelled=lambda: False), wanted)
        self.assertEqual(developer.problems, {})

    def test_light_of_the_strip(self) -> None:
        """Floor and full points follow from noise and balance; the phone's picture keeps less than the raw holds."""
        developer = developer_of("boiling-house", size=MIDDLE, seed=31)
        light = scene_light(developer)
        np.testing.assert_allclose(light.clip_ev, np.log2(1 / developer.source.neutral / 0.18), atol=1e-6)
        self.assertLess(light.floor_ev, -8)
        self.assertEqual(light.histograms.shape[0], 3)
        assert light.picture_range_ev is not None
        self.assertLess(light.picture_range_ev[1], float(light.clip_ev.max()) + 0.3)
        self.assertGreater(light.picture_range_ev[1], light.picture_range_ev[0] + 3)
