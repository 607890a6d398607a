"""Relief, haze and rebuilt highlights: no halos at steps, structure scaled as asked, airlight and colour recovered."""

from __future__ import annotations

import math
import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import LUMINANCE_2020, decode_srgb
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import Handle, Tone
from bruto.develop.source import open_source
from bruto.develop.steps.base_layer import base_of
from bruto.develop.steps.haze import haze_of
from bruto.develop.steps.highlights import no_ratios, ratios_of, rebuilt
from bruto.develop.steps.local_contrast import DIAGONAL_12MP, fine_local_contrast, medium_base
from bruto.develop.steps.tone import tables
from tests.develop.point import PointParams, placed, point_pass
from tests.shots import MIDDLE, raw_of

SIDE = 504
DIAGONAL = math.hypot(SIDE, SIDE)
STRAIGHT = Tone(
    black=Handle(ev=-6, lightness=3.0), shadow=Handle(ev=-3, lightness=15.8), grey=Handle(ev=0, lightness=49.5),
    bright=Handle(ev=1, lightness=66.7), white=Handle(ev=2.4, lightness=99.0),
)  # fmt: skip
"""Near to light as it is."""


def toned(light: NDArray[np.float32], tone: Tone = STRAIGHT, relief: tuple[float, float] = (1.0, 1.0)) -> NDArray:
    """Displayed light of grey scene light (h, w)."""
    rgb = np.repeat(light[..., None], 3, axis=2)
    diagonal = math.hypot(*light.shape)
    p = PointParams(np.eye(3), 0.0, *tables(tone), "srgb", medium=medium_base(light, diagonal), relief=relief)
    h, w = light.shape
    out = point_pass(rgb, np.zeros((h // 2, w // 2), np.uint8), base_of(light), p, placed(1, (0, 0), (w, h)), bits=16)
    return decode_srgb(out[..., 1] / 65535.0)


def step(stops: float) -> NDArray[np.float32]:
    """A vertical edge of that many stops about grey, blurred by a lens (0.7 px)."""
    light = np.full((SIDE, SIDE), 0.18 * 2 ** (-stops / 2), np.float32)
    light[:, SIDE // 2 :] = 0.18 * 2 ** (stops / 2)
    return cv2.GaussianBlur(light, (0, 0), 0.7)


def overshoot(row: NDArray) -> float:
    """Largest excursion beyond the plateaus, as a share of the step, in stops."""
    ev = np.log2(np.maximum(row, 1e-6))
    low, high = float(np.median(ev[:60])), float(np.median(ev[-60:]))
    inner = ev[40:-40]
    return max(float(inner.max()) - high, low - float(inner.min())) / (high - low)


class StepEdges(unittest.TestCase):
    """Edges of 2 and 4 EV keep their plateaus within 3 %."""

    LIFT = Tone(
        black=Handle(ev=-6, lightness=8.0), shadow=Handle(ev=-3, lightness=34.0), grey=Handle(ev=0, lightness=56.0),
        bright=Handle(ev=1, lightness=66.0), white=Handle(ev=2.4, lightness=84.0),
    )  # fmt: skip

    def test_tone_that_lifts_and_presses(self) -> None:
        for stops in (2.0, 4.0):
            for tone in (STRAIGHT, self.LIFT):
                with self.subTest(stops=stops):
                    self.assertLess(overshoot(toned(step(stops), tone)[SIDE // 2]), 0.03)

    def test_relief_at_its_strongest(self) -> None:
        for stops in (2.0, 4.0):
            for relief in ((2.5, 1.0), (1.0, 2.5), (0.0, 1.0), (1.0, 0.0)):
                with self.subTest(stops=stops, relief=relief):
                    self.assertLess(overshoot(toned(step(stops), relief=relief)[SIDE // 2]), 0.03)

    def test_fine_relief(self) -> None:
        for stops in (2.0, 4.0):
            rgb = np.repeat(step(stops)[..., None], 3, axis=2)
            for gain in (0.0, 2.5):
                out = fine_local_contrast(rgb, gain, DIAGONAL_12MP, (1e-7, 1e-9))
                with self.subTest(stops=stops, gain=gain):
                    self.assertLess(overshoot(out[SIDE // 2, :, 1]), 0.03)


def waves(period: float, stops: float) -> NDArray[np.float32]:
    """Grey light with a wave of a period in pixels and an amplitude in stops."""
    x = np.arange(SIDE)
    return np.repeat((0.18 * 2 ** (stops * np.sin(2 * np.pi * x / period)))[None], SIDE, axis=0).astype(np.float32)


def amplitude(light: NDArray) -> float:
    ev = np.log2(light[SIDE // 2, 100:-100])
    return float(ev.max() - ev.min()) / 2


class Structure(unittest.TestCase):
    def test_each_scale_is_raised_by_its_own_gain(self) -> None:
        """Weak waves of the middle of each scale; scales are told at the diagonal of 12 MP."""
        share = DIAGONAL / DIAGONAL_12MP
        for period, which in ((2 * 64 * share, "broad"), (max(5.0, 2 * 8 * share), "medium")):
            light = waves(period, 0.1)
            plain = amplitude(toned(light))
            gain = {
                name: amplitude(toned(light, relief=r)) / plain
                for name, r in (("broad", (2.0, 1.0)), ("medium", (1.0, 2.0)))
            }
            other = "medium" if which == "broad" else "broad"
            with self.subTest(which):
                self.assertGreater(gain[which], 1.5)
                self.assertLess(gain[other], 1.25)

    def test_fine_structure_is_raised_and_softened(self) -> None:
        rgb = np.repeat(waves(5.0, 0.1)[..., None], 3, axis=2)
        plain = amplitude(rgb[..., 1])
        for gain in (0.5, 2.0):
            out = fine_local_contrast(rgb, gain, DIAGONAL_12MP, (1e-7, 1e-9))
            self.assertAlmostEqual(amplitude(out[..., 1]) / plain, gain, delta=0.2)
        wide = np.repeat(waves(60.0, 0.1)[..., None], 3, axis=2)
        self.assertAlmostEqual(
            amplitude(fine_local_contrast(wide, 2.0, DIAGONAL_12MP, (1e-7, 1e-9))[..., 1]) / plain, 1, delta=0.1
        )

    def test_noise_is_not_raised(self) -> None:
        random = np.random.default_rng(4)
        a, b = 2e-3, 1e-5
        light = np.full((SIDE, SIDE), 0.1, np.float32)
        noisy = light + random.normal(0, math.sqrt(a * 0.1 + b), light.shape).astype(np.float32)
        rgb = np.repeat(noisy[..., None], 3, axis=2)
        out = fine_local_contrast(rgb, 2.5, DIAGONAL_12MP, (a, b))
        self.assertLess(float(out[..., 1].std() / noisy.std()), 1.45)

    def test_views_agree_with_the_file(self) -> None:
        developer = Developer(open_source(raw_of("pans", size=MIDDLE)))
        recipe = Recipe(
            local_contrast_fine=1.3, local_contrast_medium=1.5, local_contrast_broad=1.4, haze=30, chroma=1.0
        )
        whole = developer.render(recipe)
        small = cv2.resize(decode_srgb(whole / 255.0), (MIDDLE[0] // 2, MIDDLE[1] // 2), interpolation=cv2.INTER_AREA)
        view = decode_srgb(developer.view(recipe, 2) / 255.0)
        self.assertLess(float(np.abs(np.cbrt(small) - np.cbrt(view)).mean()), 0.012)


class Airlight(unittest.TestCase):
    def test_known_haze_is_found_and_taken_out(self) -> None:
        """A patterned scene behind air that thickens to the top: I = J t + A (1 - t)."""
        random = np.random.default_rng(3)
        small = random.uniform(0.0, 1.0, (40, 52, 3)).astype(np.float32) ** 2
        small[random.random((40, 52)) < 0.4] *= 0.03  # dark places, as scenes have
        scene = cv2.resize(small, (624, 480), interpolation=cv2.INTER_NEAREST) * 0.4
        air = np.array([0.5, 0.52, 0.55], np.float32)
        t = np.linspace(0.35, 1.0, 480, dtype=np.float32)[:, None, None]
        hazy = scene * t + air * (1 - t)
        found = haze_of(hazy)
        np.testing.assert_allclose(found.light / found.light.mean(), air / air.mean(), atol=0.06)
        p = PointParams(np.eye(3), 0.0, *tables(STRAIGHT), "rec2020", haze=found, haze_amount=1.0)
        plain = PointParams(np.eye(3), 0.0, *tables(STRAIGHT), "rec2020")
        quads = np.zeros((240, 312), np.uint8)
        y = np.ascontiguousarray(hazy @ LUMINANCE_2020.astype(np.float32))

        def contrast(params: PointParams) -> float:
            out = point_pass(hazy, quads, base_of(y), params, placed(1, (0, 0), (624, 480)), bits=16)
            top = decode_srgb(out[20:140] / 65535.0) @ LUMINANCE_2020
            return float(np.percentile(top, 5) / np.percentile(top, 95))

        self.assertLess(contrast(p), 0.55 * contrast(plain))
        self.assertGreater(found.typical, 0.35)

    def test_a_clear_scene_has_little(self) -> None:
        random = np.random.default_rng(3)
        scene = cv2.resize(random.uniform(0.0, 1.0, (40, 52, 3)).astype(np.float32) ** 2, (624, 480)) * 0.6
        scene[::7] *= 0.02
        self.assertLess(haze_of(scene).typical, 0.2)


class Highlights(unittest.TestCase):
    def setUp(self) -> None:
        """A warm surface that grows brighter to the right, recorded by channels that are full at 1."""
        x = np.linspace(0.25, 1.6, 256, dtype=np.float32)
        self.truth = np.stack([1.25 * x, x, 0.55 * x], axis=1)[None].repeat(96, axis=0)
        self.recorded = np.minimum(self.truth, 1.0)
        full = self.recorded >= 1.0
        bits = (full * np.array([1, 2, 4])).sum(axis=2).astype(np.uint8)
        self.bits = bits
        self.quads = bits[::2, ::2]

    def test_channels_follow_the_color_around(self) -> None:
        ratios = ratios_of(cv2.resize(self.recorded, (128, 48), interpolation=cv2.INTER_AREA), self.quads, 2)
        errors, naive = [], []
        for j in range(0, 256, 5):
            bits = int(self.bits[40, j])
            if bits in (0, 7):
                continue
            pixel = [float(v) for v in self.recorded[40, j]]
            for store, how in ((errors, ratios), (naive, no_ratios())):
                found = np.array(
                    rebuilt(*(np.float32(v) for v in pixel), bits, how, np.float32(10.0), np.float32(j / 4))[:3]
                )
                store.append(float(np.abs(found / self.truth[40, j] - 1).max()))
        self.assertGreater(len(errors), 10)
        self.assertLess(max(errors), 0.12)
        self.assertGreater(max(naive), 0.25)

    def test_nothing_full_needs_nothing(self) -> None:
        self.assertEqual(ratios_of(self.recorded, np.zeros((48, 128), np.uint8)).red.shape, (0, 0))

    def test_a_shot_with_full_green_has_no_magenta(self) -> None:
        developer = Developer(open_source(raw_of("pans", size=MIDDLE, ev=1.5)))
        clipped = developer.source.linear.clipped
        self.assertGreater(int(((clipped > 0) & (clipped < 7)).sum()), 300)
        picture = developer.render(Recipe(exposure=-1.5, chroma=1.0)).astype(int)
        some = cv2.resize(((clipped > 0) & (clipped < 7)).astype(np.uint8), MIDDLE, interpolation=cv2.INTER_NEAREST) > 0
        magenta = picture[some][:, [0, 2]].min(axis=1) - picture[some][:, 1]
        self.assertLess(float(np.percentile(magenta, 99)), 14)


if __name__ == "__main__":
    unittest.main()
