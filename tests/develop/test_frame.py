"""Frame: the mapping against pinhole cameras, crops against slices, levels against another library's turn, and
suggestions against how the simulated phone was held."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from bruto.color.difference import delta_e00
from bruto.color.spaces import picture_to_lab
from bruto.container.dng_reader import read_dng
from bruto.container.orientation import orient
from bruto.container.raw_frame import RawFrame
from bruto.develop.analysis.lines import camera_pose, find_lines
from bruto.develop.frame_geometry import geometry_of
from bruto.develop.perspective import focal_px, largest_inside, rotation, shrunk_inside
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, recipe_from
from bruto.develop.rectangle import Rectangle
from bruto.develop.source import source_of_raw
from bruto.develop.suggest.frame import lines_view, suggest_frame
from bruto.errors import BrutoError
from bruto.export.encoders import resize_linear
from tests.shots import MIDDLE, raw_of
from tests.truth import scene_tilt

ANGLES = st.floats(-12, 12)


def developer_of(scene: str = "sluice", orientation: int = 1, **shot: object) -> Developer:
    frame = read_dng(raw_of(scene, size=MIDDLE, **shot))  # type: ignore[arg-type]
    meta = replace(frame.meta, orientation=orientation)
    return Developer(source_of_raw(Path("a.dng"), RawFrame(frame.codes, meta)))


class Mapping(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.meta = read_dng(raw_of("card", size=MIDDLE)).meta

    @settings(max_examples=40, deadline=None)
    @given(ANGLES, ANGLES, ANGLES)
    def test_columns_are_plumb_and_rows_level_in_the_scene(self, level: float, up: float, right: float) -> None:
        """Each column of the corrected picture lies in a vertical plane through the lens, each row in one that holds
        the facade's level direction.
        """
        meta = self.meta
        shape = geometry_of(meta, Recipe(horizon=level, verticals=up, horizontals=right))
        w, h = shape.size
        focal = focal_px(meta)
        r = rotation(level, up, right)

        def rays(x: NDArray, y: NDArray) -> NDArray:
            sx, sy = shape.places(x, y)
            recorded = np.stack([sx - (MIDDLE[0] - 1) / 2, sy - (MIDDLE[1] - 1) / 2, np.full(len(sx), focal)], axis=1)
            return recorded @ r  # the inverse of a rotation

        t = np.linspace(0, 1, 9)
        for share in (0.0, 0.3, 1.0):
            column = rays(np.full(9, share * (w - 1)), t * (h - 1))
            slope = column[:, 0] / column[:, 2]
            self.assertLess(float(np.ptp(slope)), 1e-6)
            row = rays(t * (w - 1), np.full(9, share * (h - 1)))
            self.assertLess(float(np.ptp(row[:, 1] / row[:, 2])), 1e-6)

    @settings(max_examples=60, deadline=None)
    @given(
        st.floats(-45, 45), st.floats(-40, 40), st.floats(-40, 40), st.sampled_from([0.0, 1.0, 0.8, 1.7777]),
        st.integers(1, 8), st.sampled_from([15.0, 26.0, 68.0, None, 0.0, 1e-9, 1e12, math.nan]),
    )  # fmt: skip
    def test_nothing_but_picture_is_kept(
        self, level: float, up: float, right: float, aspect: float, orientation: int, focal: float | None
    ) -> None:
        """Whatever the angles, and whatever focal length a file claims."""
        meta = replace(self.meta, orientation=orientation, focal_35mm=focal)
        shape = geometry_of(meta, Recipe(horizon=level, verticals=up, horizontals=right, aspect=aspect))
        w, h = shape.size
        x, y = np.meshgrid(np.linspace(0, w - 1, 12), np.linspace(0, h - 1, 12))
        sx, sy = shape.places(x, y)
        # the rectangle is put on whole pixels
        self.assertGreater(min(float(sx.min()), float(sy.min())), -1.5)
        self.assertLess(float(sx.max()), MIDDLE[0] + 0.5)
        self.assertLess(float(sy.max()), MIDDLE[1] + 0.5)
        up_w, up_h = shape.oriented_size
        wanted = aspect or meta.oriented_size[0] / meta.oriented_size[1]
        self.assertAlmostEqual(up_w / up_h, wanted, delta=3 * wanted / min(up_w, up_h) * max(1, wanted))

    def test_the_middle_keeps_its_place_and_scale(self) -> None:
        shape = geometry_of(self.meta, Recipe(verticals=15.0), uncropped=True)
        w, h = shape.size
        middle = (np.array([(w - 1) / 2 - shape.origin[0]]), np.array([(h - 1) / 2 - shape.origin[1]]))
        x, y = shape.places(*middle)
        self.assertAlmostEqual(float(x[0]), (MIDDLE[0] - 1) / 2, places=3)
        self.assertAlmostEqual(float(y[0]), (MIDDLE[1] - 1) / 2, places=3)
        x1, _ = shape.places(middle[0] + 1, middle[1])
        _, y1 = shape.places(middle[0], middle[1] + 1)
        self.assertAlmostEqual(float((x1 - x)[0] * (y1 - y)[0]), 1.0, delta=0.003)

    def test_largest_rectangle_of_a_turned_square(self) -> None:
        """In a square standing on its corner (diagonal 2) the largest level square has side 1."""
        diamond = np.array([[0, -1], [1, 0], [0, 1], [-1, 0]], float)
        np.testing.assert_allclose(largest_inside(diamond, 1.0), (-0.5, -0.5, 0.5, 0.5), atol=1e-6)
        x0, y0, x1, y1 = largest_inside(diamond, 3.0)
        self.assertAlmostEqual((x1 - x0) / 2 + (y1 - y0) / 2, 1.0, places=6)
        self.assertIsNone(shrunk_inside((2, 2, 3, 3), diamond))
        np.testing.assert_allclose(shrunk_inside((-1, -1, 1, 1), diamond), (-0.5, -0.5, 0.5, 0.5), atol=1e-9)

    def test_impossible_crops_are_refused(self) -> None:
        for crop in ([0.2, 0, 0.1, 0.5], [0, 0, 0.001, 0.5], [0, 0, 1e9, 1], [0, 0, 1]):
            with self.assertRaises(BrutoError, msg=str(crop)):
                recipe_from({"crop": crop})
        with self.assertRaises(BrutoError):
            recipe_from({"aspect": 0.01})


class Pictures(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.developer = developer_of()
        cls.plain = cls.developer.render(Recipe())

    def test_a_crop_takes_pixels_as_they_are(self) -> None:
        recipe = Recipe(crop=(-0.25, -0.2, 0.3, 0.21))
        shape = self.developer.geometry(recipe)
        x, y = shape.offset  # type: ignore[misc]
        w, h = shape.size
        self.assertAlmostEqual(w / MIDDLE[0], 0.55, delta=0.005)
        off = np.abs(self.developer.render(recipe).astype(int) - self.plain[y : y + h, x : x + w])
        self.assertLess(float(off.mean()), 0.4)  # dither alone
        self.assertLessEqual(float(np.percentile(off, 99.9)), 2)
        part = self.developer.view(recipe, 1, Rectangle(16, 8, 200, 100))
        same = self.developer.view(Recipe(), 1, Rectangle(16 + x, 8 + y, 200, 100))
        self.assertLess(float(np.mean(part != same)), 0.01)

    def test_crops_belong_to_the_picture_that_is_looked_at(self) -> None:
        """The left part of the oriented picture, whatever way the phone was held."""
        recipe = Recipe(crop=(-0.3, -0.3, 0.0, 0.2))
        for orientation in (1, 3, 6, 8, 2, 5):
            developer = developer_of(orientation=orientation)
            w, h = developer.source.meta.oriented_size
            whole = orient(developer.view(Recipe(), 4), orientation)
            part = orient(developer.view(recipe, 4), orientation)
            edge = max(w, h)
            y, x = round((h / 2 - 0.3 * edge) / 4), round((w / 2 - 0.3 * edge) / 4)
            y, x = max(y, 0), max(x, 0)
            same = whole[y : y + part.shape[0], x : x + part.shape[1]].astype(float)
            found = part[: same.shape[0], : same.shape[1]].astype(float)
            best = min(
                float(np.abs(np.roll(found, (dy, dx), (0, 1)) - same)[4:-4, 4:-4].mean())
                for dy in (-1, 0, 1) for dx in (-1, 0, 1)
            )  # fmt: skip
            self.assertLess(best, 3.0, orientation)

    def test_a_level_turns_the_picture_clockwise(self) -> None:
        recipe = Recipe(horizon=5.0, grain=0.0)
        turned = self.developer.render(recipe).astype(np.float32)
        h, w = turned.shape[:2]
        matrix = cv2.getRotationMatrix2D(((MIDDLE[0] - 1) / 2, (MIDDLE[1] - 1) / 2), -5.0, 1.0)  # anticlockwise is +
        expected = cv2.warpAffine(self.plain, matrix, MIDDLE, flags=cv2.INTER_CUBIC)
        shape = self.developer.geometry(recipe)
        x = round(MIDDLE[0] / 2 + shape.origin[0] - w / 2)
        y = round(MIDDLE[1] / 2 + shape.origin[1] - h / 2)
        expected = expected[y : y + h, x : x + w].astype(np.float32)
        self.assertLess(float(np.abs(turned - expected).mean()), 2.2)
        wrong = cv2.warpAffine(
            self.plain, cv2.getRotationMatrix2D((MIDDLE[0] / 2, MIDDLE[1] / 2), 5.0, 1.0), MIDDLE
        )[y : y + h, x : x + w]  # fmt: skip
        self.assertGreater(float(np.abs(turned - wrong).mean()), 8)

    def test_views_and_pieces_of_a_turned_picture_agree_with_the_file(self) -> None:
        recipe = Recipe(horizon=-3.0, verticals=4.0, crop=(-0.4, -0.3, 0.4, 0.3))
        whole = self.developer.render(recipe)
        rect = Rectangle(100, 60, 300, 200)
        piece = self.developer.view(recipe, 1, rect)
        off = np.abs(piece.astype(int) - whole[60:260, 100:400])
        self.assertLessEqual(float(np.percentile(off, 99.9)), 1)  # dither
        self.assertLessEqual(int(off.max()), 4)
        small = self.developer.view(recipe, 4)
        h, w = small.shape[:2]
        reduced = resize_linear(whole[: h * 4, : w * 4], w)
        difference = delta_e00(picture_to_lab(small), picture_to_lab(reduced))[2:-2, 2:-2]
        same = self.developer.view(Recipe(), 4)
        whole_difference = delta_e00(picture_to_lab(same), picture_to_lab(resize_linear(self.plain, same.shape[1])))
        self.assertLess(float(difference.mean()), float(whole_difference.mean()) + 0.9)  # a dusk at high ISO

    def test_tone_and_full_places_follow_the_picture(self) -> None:
        """Local tone and rebuilt highlights of a turned picture are those of the picture turned afterwards."""
        developer = developer_of("pans", ev=2.0)
        recipe = Recipe(horizon=8.0, exposure=-1.0, haze=40.0, local_contrast_medium=1.5)
        plain = developer.view(recipe.changed(horizon=0.0), 2)
        turned = developer.view(recipe, 2)
        h, w = turned.shape[:2]
        mx, my = developer.geometry(recipe).maps(Rectangle(0, 0, *developer.size(recipe)), 2)
        expected = cv2.remap(plain, mx[:h, :w], my[:h, :w], cv2.INTER_LANCZOS4).astype(float)
        off = np.abs(turned - expected)
        self.assertLess(float(off.mean()), 2.0)
        # clipped places: no pink rims that a map left behind would make
        self.assertLess(float(np.percentile(off, 99.5)), 60)

    def test_outside_of_the_frame_is_surround(self) -> None:
        view = self.developer.view(Recipe(horizon=10.0), 4, uncropped=True)
        np.testing.assert_array_equal(view[0, 0], (0x6C,) * 3)
        self.assertFalse((view[view.shape[0] // 2, view.shape[1] // 2] == 0x6C).all())

    def test_linear_files_are_framed_too(self) -> None:
        recipe = Recipe(crop=(-0.2, -0.2, 0.2, 0.2))
        light = self.developer.render(recipe, space="linear")
        self.assertEqual(light.shape[:2], self.developer.size(recipe)[::-1])
        self.assertEqual(self.developer.render(recipe, neutral_look=True).shape[:2], MIDDLE[::-1])


def facade(roll: float, pitch: float, focal: float, size: tuple[int, int], seed: int) -> NDArray[np.float32]:
    """Light of a street front with plumb posts and boards, as a phone with a roll (the picture must be turned
    clockwise by it) and a pitch up sees it; windows and slanting roofs between.
    """
    random = np.random.default_rng(seed)
    w, h = size
    image = np.full((h, w), 0.3, np.float32)
    r = rotation(roll, pitch, 0.0)

    def project(points: NDArray) -> NDArray:
        seen = points @ r.T
        return seen[:, :2] / seen[:, 2:] * focal + [(w - 1) / 2, (h - 1) / 2]

    for _ in range(26):
        x, top = random.uniform(-6, 6), random.uniform(-4, -1)
        box = np.array([[x, top, 6], [x + random.uniform(0.1, 0.5), top, 6], [x + 0.3, 2, 6], [x, 2, 6]])
        box[2, 0] = box[1, 0]
        cv2.fillConvexPoly(image, (project(box) * 16).astype(np.int32), random.uniform(0.05, 0.8), cv2.LINE_AA, 4)
    for _ in range(8):  # roofs and ropes lean as they like
        ends = np.c_[random.uniform(-5, 5, (2, 1)), random.uniform(-5, 0, (2, 1)), [[6], [6]]]
        a, b = (project(ends) * 16).astype(int)
        cv2.line(image, a.tolist(), b.tolist(), 0.9, 1, cv2.LINE_AA, 4)
    return np.maximum(cv2.GaussianBlur(image, (0, 0), 0.7) + random.normal(0, 0.01, (h, w)).astype(np.float32), 0)


class HowHeld(unittest.TestCase):
    def test_roll_and_pitch_of_street_fronts(self) -> None:
        """Of 24 seeded street fronts nearly all are told, and those within half a degree (level) and 1.2 (tilt)."""
        size, focal = (1008, 756), 757.0
        notice, level_off, tilt_off = 0, [], []
        random = np.random.default_rng(1)
        for seed in range(24):
            roll, pitch = random.uniform(-7, 7), random.uniform(-11, 11)
            held = camera_pose(find_lines(facade(roll, pitch, focal, size, seed)), focal, size[0])
            if held is None:
                continue
            notice += 1
            level_off.append(abs(held.roll - roll))
            if held.verticals is not None:
                tilt_off.append(abs(held.verticals - pitch))
        self.assertGreaterEqual(notice, 20)
        self.assertGreaterEqual(len(tilt_off), 18)
        self.assertLess(float(np.median(level_off)), 0.15)
        self.assertLess(max(level_off), 0.5)
        self.assertLess(float(np.median(tilt_off)), 0.4)
        self.assertLess(max(tilt_off), 1.5)

    def test_pictures_without_lines_say_nothing(self) -> None:
        random = np.random.default_rng(2)
        cloud = cv2.GaussianBlur(random.uniform(0, 1, (756, 1008)).astype(np.float32), (0, 0), 12)
        self.assertIsNone(camera_pose(find_lines(cloud), 757.0, 1008))
        noise = random.uniform(0.1, 0.2, (756, 1008)).astype(np.float32)
        self.assertIsNone(camera_pose(find_lines(noise), 757.0, 1008))

    def test_the_scenes_are_seen_as_the_phone_was_held(self) -> None:
        for scene in ("boiling-house", "sluice", "pans"):
            found = {s.field: s for s in suggest_frame(*lines_view(developer_of(scene, seed=41)))}
            if scene == "pans" and "no lines" in found["verticals"].evidence:
                continue  # heaps and water: few lines, and none of them sure
            self.assertAlmostEqual(found["verticals"].number, scene_tilt(scene), delta=0.7, msg=scene)
            self.assertEqual(found["horizon"].value, 0.0, scene)

    def test_taking_the_level_straightens_a_leaning_shot(self) -> None:
        """A shot turned by 3 degrees is suggested those back; what is left is less than a tenth of it."""
        frame = read_dng(raw_of("sluice", size=MIDDLE, seed=43))
        developer = Developer(source_of_raw(Path("a.dng"), frame))
        straight = developer.render(Recipe(), space="linear")[..., 1]
        lean = cv2.warpAffine(
            straight, cv2.getRotationMatrix2D((MIDDLE[0] / 2, MIDDLE[1] / 2), -3.0, 1.12), MIDDLE,
            flags=cv2.INTER_AREA,
        )  # fmt: skip
        held = camera_pose(find_lines(np.maximum(lean, 0)), focal_px(frame.meta) * 1.12, MIDDLE[0])
        assert held is not None
        self.assertAlmostEqual(held.roll, -3.0, delta=0.3)


if __name__ == "__main__":
    unittest.main()
