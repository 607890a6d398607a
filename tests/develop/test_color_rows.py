"""Colour in OKLab, curves, channels, tints, edge light and grain, each against its own definition."""

from __future__ import annotations

import unittest

import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import (
    OKLAB_FROM_LMS,
    OKLAB_LMS_FROM_XYZ,
    decode_srgb,
    encode_srgb,
    lightness,
    luminance_of,
    space,
    working_to,
)
from bruto.develop.recipe_values import SWAP_RED_BLUE, Curves, HueNode, SplitTint, Zone
from bruto.develop.steps.color import lab_stage, node_weight
from bruto.develop.steps.curves import curve_tables
from bruto.develop.steps.output import grain_pattern
from tests.develop.point import PointParams, neutral_tables, placed, point_pass

H, W = 40, 60
NO_CLIP = np.zeros((H // 2, W // 2), np.uint8)


def oklab(codes: NDArray) -> NDArray[np.float64]:
    """OKLab of encoded sRGB, 0..1."""
    lms = decode_srgb(codes) @ (OKLAB_LMS_FROM_XYZ @ space("srgb").to_xyz()).T
    return np.cbrt(lms) @ OKLAB_FROM_LMS.T


def polar(lab: NDArray) -> tuple[NDArray, NDArray, NDArray]:
    hue = np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) % 360
    return lab[..., 0], np.hypot(lab[..., 1], lab[..., 2]), hue


def away(a: NDArray, b: NDArray) -> NDArray:
    return np.abs((a - b + 180) % 360 - 180)


def colors(chroma: float = 0.07, light: float = 0.62) -> NDArray[np.float32]:
    """sRGB codes of all hues at one lightness and chroma, (H, W, 3)."""
    hue = np.linspace(0, 2 * np.pi, W, endpoint=False)
    lab = np.stack([np.full(W, light), chroma * np.cos(hue), chroma * np.sin(hue)], axis=1)
    lms = (lab @ np.linalg.inv(OKLAB_FROM_LMS).T) ** 3
    rgb = lms @ np.linalg.inv(OKLAB_LMS_FROM_XYZ @ space("srgb").to_xyz()).T
    assert rgb.min() > 0 and rgb.max() < 1
    return np.repeat(encode_srgb(rgb)[None], H, axis=0).astype(np.float32)


def done(codes: NDArray, size: tuple[int, int] = (W, H), factor: float = 1, **params: object) -> NDArray[np.float64]:
    """Encoded sRGB through the pass without tone, 16 bit."""
    working = decode_srgb(codes) @ np.linalg.inv(working_to("srgb")).T
    p = PointParams(np.eye(3), 0.0, *neutral_tables(), "srgb", tone=False, **params)  # type: ignore[arg-type]
    out = point_pass(working.astype(np.float32), NO_CLIP, None, p, placed(factor, (0, 0), size), bits=16)
    return out / 65535.0


def stage(
    chroma: float = 1.0, quiet: float = 1.0, mono: bool = False, nodes: tuple[HueNode, ...] = (), **zones: Zone
) -> object:
    return lab_stage(chroma, quiet, mono, nodes, SplitTint(**zones))


class InLab(unittest.TestCase):
    def test_nothing_asked_changes_nothing(self) -> None:
        codes = colors()
        np.testing.assert_allclose(done(codes, lab=stage()), codes, atol=2e-4)

    def test_chroma_keeps_hue_and_lightness(self) -> None:
        codes = colors()
        for gain in (0.4, 1.3):
            l0, c0, h0 = polar(oklab(codes))
            l1, c1, h1 = polar(oklab(done(codes, lab=stage(chroma=gain))))
            np.testing.assert_allclose(l1, l0, atol=1e-3)
            np.testing.assert_allclose(c1, gain * c0, rtol=0.01)
            self.assertLess(away(h0, h1).max(), 0.6)

    def test_quiet_colors_rise_more_than_full_ones(self) -> None:
        gains = []
        for chroma in (0.02, 0.05, 0.08):
            codes = colors(chroma)
            gains.append(float((polar(oklab(done(codes, lab=stage(quiet=1.5))))[1] / chroma).mean()))
            self.assertAlmostEqual(gains[-1], 1 + 0.5 * np.exp(-chroma / 0.06), delta=0.02)
        self.assertEqual(gains, sorted(gains, reverse=True))

    def test_a_hue_node_turns_its_hues_and_no_others(self) -> None:
        codes = colors()
        node = HueNode(hue=140, width=50, shift=25, chroma=0.6, lightness=0)
        l0, c0, h0 = polar(oklab(codes))
        l1, c1, h1 = polar(oklab(done(codes, lab=stage(nodes=(node,)))))
        weight = node_weight(node, h0)
        self.assertLess(away(h1, (h0 + 25 * weight) % 360).max(), 1.0)
        np.testing.assert_allclose(c1, c0 * (1 - 0.4 * weight), rtol=0.02)
        np.testing.assert_allclose(l1, l0, atol=1e-3)
        self.assertGreater(float(weight.max()), 0.99)
        far = away(h0, np.array(140.0)) > 50
        np.testing.assert_allclose(done(codes, lab=stage(nodes=(node,)))[far], codes[far], atol=1e-3)

    def test_a_nodes_lightness_moves_full_colors_by_as_much(self) -> None:
        codes = colors(chroma=0.08, light=0.62)
        node = HueNode(hue=30, width=60, lightness=-12)
        before, after = (
            lightness(decode_srgb(c) @ space("srgb").to_xyz()[1])
            for c in (codes, done(codes, lab=stage(nodes=(node,))))
        )
        _, _, hue = polar(oklab(codes))
        at = away(hue, np.array(30.0)) < 4
        # 0.08 of a full colour's 0.2: four tenths of the step
        self.assertAlmostEqual(float((after - before)[at].mean()), -4.8, delta=0.6)

    def test_monochrome_is_neutral_and_follows_nodes(self) -> None:
        codes = colors(chroma=0.08, light=0.62)
        plain = done(codes, lab=stage(mono=True))
        self.assertLess(float(np.ptp(plain, axis=2).max()), 2e-3)
        darker = done(codes, lab=stage(mono=True, nodes=(HueNode(hue=250, width=60, lightness=-20),)))
        _, _, hue = polar(oklab(codes))
        blue, red = away(hue, np.array(250.0)) < 8, away(hue, np.array(20.0)) < 8
        self.assertLess(float(darker[blue].mean()), float(plain[blue].mean()) - 0.05)
        np.testing.assert_allclose(darker[red], plain[red], atol=1e-3)

    def test_tints_act_on_their_zone(self) -> None:
        greys = np.repeat(np.linspace(0.02, 0.98, W, dtype=np.float32)[None, :, None], 3, axis=2).repeat(H, axis=0)
        for zone, at in (("shadows", 12), ("midtones", 29), ("highlights", 47)):
            lab = oklab(done(greys, lab=stage(**{zone: Zone(hue=90, amount=0.03)})))
            lean = lab[0, :, 2]
            with self.subTest(zone):
                self.assertGreater(lean[at], 0.01)
                self.assertLess(abs(lean[0]), 0.006)
                self.assertLess(abs(lean[-1]), 0.011)
                others = {12, 29, 47} - {at}
                self.assertTrue(all(lean[k] < 0.75 * lean[at] for k in others))

    def test_values_without_a_hue_or_below_zero_stay_finite(self) -> None:
        light = np.array([[[-0.2, 0.1, 0.0], [0, 0, 0], [5.0, 4.0, 3.0], [1e-9, 0, 0]]], np.float32).repeat(2, axis=0)
        p = PointParams(
            np.eye(3), 0.0, *neutral_tables(), "srgb", tone=False,
            lab=stage(1.4, 1.3, False, (HueNode(hue=20, shift=40, lightness=10),), shadows=Zone(hue=1, amount=0.05)),
        )  # type: ignore[arg-type]  # fmt: skip
        out = point_pass(light, np.zeros((1, 2), np.uint8), None, p, placed(1, (0, 0), (4, 2)), bits=16)
        self.assertEqual(out.shape, (2, 4, 3))
        self.assertTrue((out[:, 2] == 65535).all())


class CurvesAndChannels(unittest.TestCase):
    def test_curves_say_code_to_code(self) -> None:
        greys = np.repeat(np.linspace(0.02, 0.98, W, dtype=np.float32)[None, :, None], 3, axis=2).repeat(H, axis=0)
        curves = Curves(joint=((0, 0), (0.5, 0.62), (1, 1)), blue=((0, 0.1), (1, 0.9)))
        # the curves act in the working space, whose greys are the output's greys
        out = done(greys, curves=curve_tables(curves))[0]
        at = int(np.abs(greys[0, :, 0] - 0.5).argmin())
        x = float(greys[0, at, 0])
        self.assertAlmostEqual(float(out[at, 1]), 0.62 + (x - 0.5) * 1.0, delta=0.02)
        self.assertLess(float(out[-1, 2]), float(out[-1, 1]) - 0.03)
        self.assertIsNone(curve_tables(Curves()))

    def test_red_and_blue_exchanged(self) -> None:
        codes = colors()
        working = decode_srgb(codes) @ np.linalg.inv(working_to("srgb")).T
        want = encode_srgb(np.clip(working[..., ::-1] @ working_to("srgb").T, 0, 1))
        np.testing.assert_allclose(done(codes, channel_matrix=SWAP_RED_BLUE), want, atol=2e-3)


class EdgesAndGrain(unittest.TestCase):
    def test_edge_light_is_told_in_the_corner(self) -> None:
        grey = np.full((H, W, 3), encode_srgb(np.array(0.18)), np.float32)
        light = decode_srgb(done(grey, vignette=-2.0))[..., 1]
        self.assertAlmostEqual(float(np.log2(light[H // 2, W // 2] / 0.18)), 0, delta=0.02)
        self.assertAlmostEqual(float(np.log2(light[0, 0] / 0.18)), -2, delta=0.15)
        np.testing.assert_allclose(light, light[::-1, ::-1], rtol=2e-3)

    def test_grain_has_its_size_and_strength_and_averages_away(self) -> None:
        grey = np.full((H, W, 3), encode_srgb(luminance_of(50.0)), np.float32)
        star = lightness(decode_srgb(done(grey, grain=1.0, grain_size=1.0))[..., 1])
        self.assertAlmostEqual(float(star.std()), 3.0, delta=0.7)
        self.assertAlmostEqual(float(star.mean()), 50, delta=0.7)
        fine, coarse = grain_pattern(1.0, 1), grain_pattern(1.0, 4)
        mean = fine.reshape(128, 4, 128, 4).mean(axis=(1, 3))
        np.testing.assert_allclose(coarse, mean, atol=1e-4)
        self.assertLess(float(coarse.std()), 0.75)
        wide = grain_pattern(3.0, 1)
        along = [float((p[:, 1:] * p[:, :-1]).mean()) for p in (fine, wide)]
        self.assertGreater(along[1], along[0] + 0.1)


if __name__ == "__main__":
    unittest.main()
