"""What a camera profile brings, against the standard library's HSV, SciPy's interpolators and closed formulas."""

from __future__ import annotations

import colorsys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicSpline, RegularGridInterpolator

from bruto.color.spaces import decode_srgb, encode_srgb, lightness, luminance_of, xyz_d50_to_working
from bruto.container.color_model import camera_to_working, xy_to_neutral
from bruto.container.profile import Calibration, CameraProfile, GainTableMap, HueSatMap
from bruto.container.raw_frame import RawFrame, RawMeta
from bruto.develop.pipeline import Developer
from bruto.develop.profiles import MATRIX, choices, chosen, hue_sat_for, with_profile
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import Handle, Tone
from bruto.develop.source import source_of_raw
from bruto.develop.steps.profile_look import ROMM_TO_XYZ_D50, look_of, look_row
from bruto.develop.steps.tone import curve
from tests.again import write_profile

W, H = 96, 64
FROM_ROMM = xyz_d50_to_working() @ ROMM_TO_XYZ_D50
FROM_ROMM /= FROM_ROMM.sum(axis=1, keepdims=True)


def meta(**changes: object) -> RawMeta:
    base = RawMeta(
        "linear", W, H, 16, "none", "", np.zeros(3), np.array([65535.0]), (0, 0, W, H), (0, 0, W, H),
        noise_profile=np.array([[1e-6, 1e-9]]),
    )  # fmt: skip
    return replace(base, **changes)  # type: ignore[arg-type]


def through(
    profile: CameraProfile, romm: NDArray, *, v: float = 0.0, raw_scale: float = 1.0, baseline_scale: float = 1.0
) -> NDArray:
    """ROMM light (N, 3) through a profile's look, as a row of the frame at height `v`; back in ROMM."""
    look = look_of(profile, profile.hue_sat[0] if profile.hue_sat else None, meta(), True)
    assert look is not None
    x, y, z = (np.ascontiguousarray(c) for c in (romm @ FROM_ROMM.T).astype(np.float32).T)
    step = np.float32(1 / len(x))
    look_row(x, y, z, np.float32(v), step / 2, step, look, np.float32(raw_scale), np.float32(baseline_scale))
    return np.stack([x, y, z], axis=1) @ np.linalg.inv(FROM_ROMM).T


def random_table(values: int, seed: int = 3) -> NDArray[np.float32]:
    random = np.random.default_rng(seed)
    shape = (values, 12, 5)
    return np.stack(
        [random.uniform(-25, 25, shape), random.uniform(0.6, 1.3, shape), random.uniform(0.7, 1.2, shape)], axis=-1
    ).astype(np.float32)


def expected(romm: NDArray, found: HueSatMap, scale: float) -> NDArray:
    """The same by `colorsys` and a grid interpolator."""
    values, hues, saturations = found.table.shape[:3]
    around = np.concatenate([found.table, found.table[:, :1]], axis=1)
    if values == 1:
        around = np.concatenate([around, around])
    axes = (np.linspace(0, 1, max(values, 2)), np.linspace(0, 1, hues + 1), np.linspace(0, 1, saturations))
    grid = RegularGridInterpolator(axes, around)
    out = []
    for pixel in romm:
        h, s, v = colorsys.rgb_to_hsv(*(float(c) for c in pixel))
        held = min(v * scale, 1.0)
        place = float(encode_srgb(np.array(held))) if found.encoding == 1 and values > 1 else held
        turn, s_gain, v_gain = grid((place, h, s))
        if found.encoding == 1 and values > 1:
            v *= float(decode_srgb(np.array(min(place * v_gain, 1.0)))) / held
        else:
            v *= v_gain
        out.append(colorsys.hsv_to_rgb((h + turn / 360) % 1.0, min(s * s_gain, 1.0), v))
    return np.array(out)


class Tables(unittest.TestCase):
    def setUp(self) -> None:
        self.light = np.random.default_rng(1).uniform(0.002, 0.98, (400, 3))

    def test_a_table_that_changes_nothing_changes_nothing(self) -> None:
        table = np.zeros((1, 6, 3, 3), np.float32)
        table[..., 1:] = 1
        found = through(CameraProfile("p", hue_sat=(HueSatMap(table),)), self.light)
        np.testing.assert_allclose(found, self.light, atol=3e-6)

    def test_hue_and_saturation_maps_of_two_and_three_dimensions(self) -> None:
        for values, encoding, scale in ((1, 0, 1.0), (4, 0, 1.0), (4, 0, 0.4), (4, 1, 1.0), (4, 1, 0.25)):
            found = HueSatMap(random_table(values), encoding)
            got = through(CameraProfile("p", hue_sat=(found,)), self.light, raw_scale=scale)
            with self.subTest(values=values, encoding=encoding, scale=scale):
                np.testing.assert_allclose(got, expected(self.light, found, scale), atol=2e-4)

    def test_the_look_table_follows_the_map_and_reads_exposed_light(self) -> None:
        first, second = HueSatMap(random_table(1, 5)), HueSatMap(random_table(3, 6), 1)
        got = through(CameraProfile("p", hue_sat=(first,), look=second), self.light, raw_scale=0.3)
        want = expected(expected(self.light, first, 0.3), second, 1.0)
        np.testing.assert_allclose(got, want, atol=3e-4)

    def test_light_beyond_white_and_negative_light_stay_finite_and_in_order(self) -> None:
        light = np.array([[3.0, 2.0, 1.0], [-0.01, 0.02, 0.01], [-0.02, -0.01, -0.03], [0, 0, 0]])
        got = through(CameraProfile("p", hue_sat=(HueSatMap(random_table(1)),)), light)
        self.assertTrue(np.isfinite(got).all())
        self.assertGreater(got[0].max(), 1.5)
        np.testing.assert_allclose(got[2], light[2], atol=1e-6)

    def test_gains_by_place_and_brightness(self) -> None:
        random = np.random.default_rng(8)
        gains = random.uniform(0.25, 4, (4, 5, 9)).astype(np.float32)
        weights = (0.16, 0.28, 0.08, 0.05, 0.16)
        profile = CameraProfile("p", gain_table=GainTableMap((0.3, 0.22), (0.02, 0.05), weights, gains, 0.7))
        v, scale = 0.43, 0.5
        got = through(profile, self.light, v=v, baseline_scale=scale) / self.light
        r, g, b = self.light.T
        level = np.stack([r, g, b, self.light.min(axis=1), self.light.max(axis=1)], axis=1) @ np.array(weights)
        at = np.minimum(np.clip(level * scale, 0, 1) ** 0.7 * 9, 8)
        u = (np.arange(400) + 0.5) / 400
        x = np.clip((u - 0.05) / 0.22, 0, 4)
        y = np.full(400, np.clip((v - 0.02) / 0.3, 0, 3))
        want = RegularGridInterpolator((np.arange(4), np.arange(5), np.arange(9)), gains)(np.stack([y, x, at], axis=1))
        np.testing.assert_allclose(got, np.repeat(want[:, None], 3, axis=1), rtol=2e-3)

    def test_the_curve_keeps_hue_and_takes_the_largest_and_the_smallest(self) -> None:
        x = np.linspace(0, 1, 17)
        points = np.stack([x, x**0.6 * (1 - 0.15 * np.sin(np.pi * x))], axis=1)
        got = through(CameraProfile("p", tone_curve=points), self.light)
        spline = CubicSpline(points[:, 0], points[:, 1], bc_type="natural")
        np.testing.assert_allclose(got.max(axis=1), spline(self.light.max(axis=1)), atol=2e-3)
        np.testing.assert_allclose(got.min(axis=1), spline(self.light.min(axis=1)), atol=2e-3)
        hues = [[colorsys.rgb_to_hsv(*p)[0] for p in side] for side in (self.light, got)]
        turned = np.abs((np.array(hues[0]) - hues[1] + 0.5) % 1 - 0.5)
        self.assertLess(turned.max(), 1e-3)


class Choice(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = str(Path(folder.name) / "blue.dcp")
        color = np.array([[0.9, -0.2, -0.1], [-0.4, 1.2, 0.2], [0.0, 0.1, 0.7]])
        self.warm = Calibration(17, color + 0.05 * np.eye(3))
        self.day = Calibration(21, color)
        self.other = CameraProfile("Blue", (Calibration(21, color @ np.diag([1.1, 1.0, 0.8])),), baseline_offset=0.4)
        write_profile(self.path, self.other)
        x = np.linspace(0, 1, 33)
        self.own = CameraProfile("Own", (self.warm, self.day), tone_curve=np.stack([x, x**0.5], axis=1))
        self.facts = meta(calibrations=self.own.calibrations, profiles=(self.own, replace(self.other, name="Second")))

    def developer(self, level: float, facts: RawMeta | None = None) -> Developer:
        """A uniform grey raw at a level, balanced."""
        facts = facts or self.facts
        neutral = xy_to_neutral(facts, 0.3127, 0.3290)
        codes = np.tile(np.rint(neutral * level * 65535).astype(np.uint16), (H, W, 1))
        return Developer(source_of_raw(Path("x.dng"), RawFrame(codes, replace(facts, as_shot_neutral=neutral))))

    def code(self, developer: Developer, recipe: Recipe) -> float:
        return float(developer.render(recipe, bits=16)[H // 2, W // 2].mean()) / 65535

    def test_every_profile_is_offered_and_found(self) -> None:
        values = [value for value, _ in choices(self.facts)]
        self.assertEqual(values, ["own", "matrix", "Second"])
        self.assertIs(chosen(self.facts, "own")[0], self.own)
        self.assertIsNone(chosen(self.facts, MATRIX)[0])
        self.assertEqual(chosen(self.facts, "Second")[0].name, "Second")  # type: ignore[union-attr]
        found, problem = chosen(self.facts, self.path)
        self.assertEqual((found.name, problem), ("Blue", ""))  # type: ignore[union-attr]

    def test_a_lost_or_damaged_profile_falls_back_and_says_so(self) -> None:
        found, problem = chosen(self.facts, self.path + "x")
        self.assertIs(found, self.own)
        self.assertIn("no longer exists", problem)
        Path(self.path).write_bytes(b"II\x2a\0\x08\0\0\0")
        found, problem = chosen(self.facts, self.path)
        self.assertIs(found, self.own)
        self.assertIn("not a camera profile", problem)
        for no_file in ("/dev/zero", str(Path(self.path).parent)):
            found, problem = chosen(self.facts, no_file)
            self.assertIs(found, self.own)
            self.assertRegex(problem, "not a regular file|is a folder")

    def test_matrices_and_baseline_of_another_profile_are_used(self) -> None:
        profile, _ = chosen(self.facts, self.path)
        under = with_profile(self.facts, profile)
        self.assertAlmostEqual(under.baseline_exposure, 0.4, places=5)
        neutral = np.array([0.6, 1.0, 0.5])
        direct = camera_to_working(replace(self.facts, calibrations=self.other.calibrations), neutral)
        np.testing.assert_allclose(camera_to_working(under, neutral), direct, atol=1e-5)

    def test_default_handles_leave_the_curve_as_it_is(self) -> None:
        """Grey light at 0.2 through a square root is 0.447, whose code is known."""
        got = self.code(self.developer(0.2), Recipe(luminance_noise=0, chroma_noise=0, sharpness=0, chroma=1))
        self.assertAlmostEqual(got, float(encode_srgb(np.array(0.2**0.5))), delta=0.002)

    def test_moved_handles_act_on_top_of_the_curve(self) -> None:
        tone = Tone(grey=Handle(ev=0.0, lightness=58.0))
        level = 0.18
        recipe = Recipe(luminance_noise=0, chroma_noise=0, sharpness=0, chroma=1)
        plain = decode_srgb(np.array(self.code(self.developer(level), recipe)))
        moved = decode_srgb(np.array(self.code(self.developer(level), recipe.changed(tone=tone.model_dump()))))
        want = luminance_of(float(curve(tone)(0.0))) / luminance_of(float(curve(Tone())(0.0)))
        self.assertAlmostEqual(float(moved / plain), float(want), delta=0.01)

    def test_dropped_or_by_matrix_alone_the_handles_say_the_lightness(self) -> None:
        for recipe in (Recipe(base_look=False), Recipe(profile=MATRIX)):
            recipe = recipe.changed(luminance_noise=0, chroma_noise=0, sharpness=0, chroma=1)
            got = lightness(decode_srgb(np.array(self.code(self.developer(0.18), recipe))))
            self.assertAlmostEqual(float(got), Tone().grey.lightness, delta=0.3)

    def test_local_gains_do_not_follow_the_exposure_of_the_recipe(self) -> None:
        ramp = np.linspace(4, 0.25, 64, dtype=np.float32).reshape(1, 1, 64)
        table = GainTableMap((1.0, 1.0), (0.0, 0.0), (0.0, 1.0, 0.0, 0.0, 0.0), ramp)
        facts = replace(self.facts, profiles=(replace(self.own, gain_table=table, tone_curve=None),))
        recipe = Recipe(luminance_noise=0, chroma_noise=0, sharpness=0, chroma=1)
        tone = Tone().model_dump()
        at = 0.05
        gain = np.interp(at * 64, np.arange(64), ramp.ravel())
        for exposure in (0.0, -1.0):
            got = decode_srgb(np.array(self.code(self.developer(at, facts), recipe.changed(exposure=exposure))))
            ev = np.log2(at / 0.18) + exposure
            want = float(luminance_of(float(curve(Tone.model_validate(tone))(ev)))) * gain
            self.assertAlmostEqual(float(got) / want, 1.0, delta=0.02)

    def test_maps_of_two_lights_are_mixed_as_the_matrices_are(self) -> None:
        cold, warm = np.zeros((1, 6, 3, 3), np.float32), np.zeros((1, 6, 3, 3), np.float32)
        cold[..., 0], warm[..., 0] = 10, 20
        profile = replace(self.own, hue_sat=(HueSatMap(warm), HueSatMap(cold)))
        for xy, low, high in (((0.3127, 0.3290), 10.0, 10.2), ((0.4476, 0.4074), 19.8, 20.0), ((0.38, 0.377), 12, 18)):
            found = hue_sat_for(profile, self.facts, xy_to_neutral(self.facts, *xy))
            self.assertTrue(low <= float(found.table[0, 0, 0, 0]) <= high)  # type: ignore[union-attr]


if __name__ == "__main__":
    unittest.main()
