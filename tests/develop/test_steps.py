"""Each step of the pipeline against closed formulas, other libraries and known scenes."""

from __future__ import annotations

import math
import unittest
import warnings
from dataclasses import replace
from itertools import pairwise

import cv2
import numpy as np
from numba import njit
from scipy.fft import dct
from skimage import data, restoration
from skimage.color import lab2xyz

from bruto.color.spaces import (
    D65_XYZ,
    OKLAB_FROM_LMS,
    OKLAB_LMS_FROM_XYZ,
    decode_srgb,
    encode_srgb,
    lightness,
    space,
    working_to,
    xyz_to_lab,
)
from bruto.develop.demosaic import color_offsets, demosaic
from bruto.develop.noise_coefficients import coefficient_noise
from bruto.develop.quads import bin_quads
from bruto.develop.recipe_values import HANDLE_NAMES, Handle, SplitTint, Tone
from bruto.develop.steps import noise, sharpness
from bruto.develop.steps.base_layer import Base, base_of
from bruto.develop.steps.color import lab_stage
from bruto.develop.steps.dct import backward, denoise_plane, forward
from bruto.develop.steps.fast_math import exp2_of, log2_of, root_of
from bruto.develop.steps.tone import color_table, curve, tables
from bruto.develop.steps.working_light import to_working
from tests.develop.point import PointParams, neutral_tables, placed, point_pass

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    from colour_demosaicing import demosaicing_CFA_Bayer_Menon2007

CFAS = ("RGGB", "BGGR", "GRBG", "GBRG")


def photo(name: str) -> np.ndarray:
    """A real photograph, linear float32 (H, W, 3), even sides."""
    picture = {"coffee": data.coffee, "cat": data.chelsea, "astronaut": data.astronaut}[name]()
    linear = decode_srgb(picture / 255.0).astype(np.float32)
    return np.ascontiguousarray(linear[: linear.shape[0] // 2 * 2, : linear.shape[1] // 2 * 2])


def mosaic_of(rgb: np.ndarray, cfa: str) -> np.ndarray:
    out = np.empty(rgb.shape[:2], np.float32)
    for k, c in enumerate(cfa):
        out[k // 2 :: 2, k % 2 :: 2] = rgb[k // 2 :: 2, k % 2 :: 2, "RGB".index(c)]
    return out


def psnr(a: np.ndarray, b: np.ndarray, border: int = 12) -> float:
    d = (np.asarray(a, float) - b)[border:-border, border:-border]
    return float(10 * np.log10(1 / np.mean(d**2)))


class Demosaic(unittest.TestCase):
    def test_as_good_as_the_published_method(self) -> None:
        for name in ("coffee", "cat", "astronaut"):
            rgb = photo(name)
            mosaic = mosaic_of(rgb, "RGGB")
            theirs = psnr(demosaicing_CFA_Bayer_Menon2007(mosaic, "RGGB"), rgb)
            mine = psnr(demosaic(mosaic, "RGGB"), rgb)
            self.assertGreaterEqual(mine, theirs - 0.1, name)

    def test_all_phases_are_equally_good(self) -> None:
        rgb = photo("coffee")
        found = [psnr(demosaic(mosaic_of(rgb, cfa), cfa), rgb) for cfa in CFAS]
        self.assertLess(max(found) - min(found), 0.4)

    def test_flat_color_is_exact_and_samples_are_kept(self) -> None:
        flat = np.broadcast_to(np.float32([0.3, 0.5, 0.2]), (40, 52, 3))
        np.testing.assert_allclose(demosaic(mosaic_of(flat, "GBRG"), "GBRG"), flat, atol=1e-6)
        rgb = photo("cat")
        for cfa in CFAS:
            mosaic = mosaic_of(rgb, cfa)
            np.testing.assert_allclose(mosaic_of(demosaic(mosaic, cfa), cfa)[1:-1, 1:-1], mosaic[1:-1, 1:-1], atol=1e-6)

    def test_odd_sizes(self) -> None:
        self.assertEqual(demosaic(np.full((37, 51), 0.2, np.float32), "RGGB").shape, (37, 51, 3))

    def test_not_a_bayer_pattern(self) -> None:
        with self.assertRaisesRegex(ValueError, "RGBW"):
            demosaic(np.zeros((32, 32), np.float32), "RGBW")

    def test_binning_averages_greens(self) -> None:
        for cfa in CFAS:
            quad = np.float32([1, 2, 3, 4]).reshape(2, 2)
            values = dict(zip(("first", "second", "third", "fourth"), quad.ravel(), strict=True))
            found = bin_quads(np.tile(quad, (3, 4)), cfa, np.array([1.0, 1.0, 10.0]))
            greens = [v for v, c in zip(values.values(), cfa, strict=True) if c == "G"]
            red, blue = (quad.ravel()[cfa.index(c)] for c in "RB")
            np.testing.assert_allclose(found, np.broadcast_to([red, np.mean(greens), 10 * blue], (3, 4, 3)))
            self.assertEqual(color_offsets(cfa), divmod(cfa.index("R"), 2))


class NoiseStep(unittest.TestCase):
    def reduced(self, noisy, a, b, brightness=1.0, colour=1.0, kind="plain"):
        levels = np.array([[a, b]] * 3)
        return noise.reduce_noise(noisy, levels, brightness, colour, kind, np.ones((1, 1), np.float32))

    def test_better_than_wavelets(self) -> None:
        """Shot and read noise at two levels, on photographs: at least 1.5 dB over BayesShrink in the same domain."""
        random = np.random.default_rng(7)
        gains = []
        for name in ("coffee", "cat"):
            rgb = photo(name)
            for a, b in ((2e-3, 1e-5), (1e-2, 1e-4)):
                noisy = (rgb + random.normal(0, 1, rgb.shape) * np.sqrt(a * rgb + b)).astype(np.float32)
                mine = self.reduced(noisy, a, b)
                stable = 2 / a * np.sqrt(np.maximum(a * noisy + 0.375 * a * a + b, 0))
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    clean = restoration.denoise_wavelet(
                        stable, channel_axis=2, convert2ycbcr=True, method="BayesShrink", rescale_sigma=True
                    )
                theirs = a * clean * clean / 4 - (0.125 * a + b / a)
                gains.append(psnr(mine, rgb) - psnr(theirs, rgb))
                self.assertGreater(psnr(mine, rgb), psnr(noisy, rgb) + (1.5 if a < 5e-3 else 4))
        self.assertGreater(float(np.mean(gains)), 1.5)

    def test_flat_light_keeps_its_level(self) -> None:
        random = np.random.default_rng(8)
        for level in (0.004, 0.02, 0.2, 0.7):
            a, b = 2e-3, 2e-6
            flat = (level + random.normal(0, 1, (400, 400, 3)) * np.sqrt(a * level + b)).astype(np.float32)
            clean = self.reduced(flat, a, b)
            self.assertAlmostEqual(float(clean.mean()) / level, 1, delta=0.02, msg=str(level))
            self.assertLess(float(clean.std()), 0.35 * float(flat.std()))

    def test_strength_counts_in_measured_sigmas(self) -> None:
        random = np.random.default_rng(9)
        a, b = 1e-3, 1e-5
        flat = (0.2 + random.normal(0, 1, (300, 300, 3)) * np.sqrt(a * 0.2 + b)).astype(np.float32)
        left = [self.reduced(flat, a, b, s, s).std() for s in (0.0, 0.5, 1.0, 1.5)]
        self.assertEqual(left[0], flat.std())
        self.assertTrue(all(x > y for x, y in pairwise(left)))

    def test_color_alone_keeps_brightness(self) -> None:
        random = np.random.default_rng(10)
        flat = (0.2 + random.normal(0, 0.02, (300, 300, 3))).astype(np.float32)
        clean = self.reduced(flat, 1e-3, 2e-4, 0.0, 1.5)
        weights = np.float32([1 / 3, 1 / 3, 1 / 3])  # of pictures all channels count alike
        self.assertAlmostEqual((clean @ weights).std() / (flat @ weights).std(), 1, delta=0.05)
        self.assertLess((clean[..., 0] - clean[..., 1]).std(), 0.3 * (flat[..., 0] - flat[..., 1]).std())

    def test_shading_gain_raises_the_threshold(self) -> None:
        random = np.random.default_rng(11)
        a, b = 1e-3, 1e-5
        sigma = np.sqrt(a * 0.2 + b) * np.linspace(1, 2, 400)[None, :, None] ** 0.5
        flat = (0.2 + random.normal(0, 1, (300, 400, 3)) * sigma).astype(np.float32)
        levels, gain = np.array([[a, b]] * 3), np.linspace(1, 2, 48, dtype=np.float32)[None]
        clean = noise.reduce_noise(flat, levels, 1.0, 1.0, "plain", np.ascontiguousarray(gain))
        self.assertLess(clean[:, 300:].std() / flat[:, 300:].std(), 1.25 * clean[:, :100].std() / flat[:, :100].std())

    def test_noise_by_coefficient_is_that_of_the_kind(self) -> None:
        """Equal and independent channels: white; binned green has half the variance; demosaicing spreads noise to
        coarser scales.
        """
        plain, binned, mosaic = (
            coefficient_noise(k, h)[0] for k, h in (("plain", False), ("binned", False), ("mosaic", True))
        )
        np.testing.assert_allclose(plain[0], np.sqrt(1 / 3), rtol=0.05)
        np.testing.assert_allclose(plain[1], np.sqrt(0.5), rtol=0.05)
        self.assertTrue((binned[0] < plain[0]).all())
        self.assertGreater(mosaic[1, 0, 1], 1.3 * mosaic[1, 7, 7])

    def test_best_grade_is_better(self) -> None:
        random = np.random.default_rng(12)
        rgb = photo("cat")
        noisy = (rgb + random.normal(0, 1, rgb.shape) * np.sqrt(4e-3 * rgb + 1e-4)).astype(np.float32)
        levels, one = np.array([[4e-3, 1e-4]] * 3), np.ones((1, 1), np.float32)
        quick, best = (noise.reduce_noise(noisy, levels, 1.0, 1.0, "plain", one, b) for b in (False, True))
        self.assertGreater(psnr(best, rgb), psnr(quick, rgb) + 0.3)

    def test_pieces_on_the_grid_agree_with_the_whole(self) -> None:
        random = np.random.default_rng(13)
        rgb = (photo("cat") + random.normal(0, 0.03, photo("cat").shape)).astype(np.float32)
        levels, one = np.array([[1e-3, 9e-4]] * 3), np.ones((1, 1), np.float32)
        whole = noise.reduce_noise(rgb, levels, 1.0, 1.0, "plain", one)
        piece = noise.reduce_noise(np.ascontiguousarray(rgb[32:, 64:]), levels, 1.0, 1.0, "plain", one)
        inner = (slice(96, -96), slice(96, -96))
        np.testing.assert_allclose(piece[inner], whole[32:, 64:][inner], atol=1e-4)


class Transform(unittest.TestCase):
    def test_forward_is_the_orthonormal_cosine_transform(self) -> None:
        x = np.random.default_rng(1).normal(0, 1, (8, 37)).astype(np.float32)
        found = x.copy()
        forward(found)
        np.testing.assert_allclose(found, dct(x, axis=0, norm="ortho"), atol=2e-6)
        backward(found)
        np.testing.assert_allclose(found, x, atol=2e-6)

    def test_without_noise_nothing_is_changed(self) -> None:
        plane = cv2.GaussianBlur(np.random.default_rng(2).normal(0, 1, (75, 101)).astype(np.float32), (0, 0), 1.5)
        for stride in (2, 4):
            out = denoise_plane(plane, np.full((8, 8), 1e-7), 1.0, np.ones((1, 101), np.float32), stride)
            np.testing.assert_allclose(out, plane, atol=2e-5)

    def test_the_threshold_is_that_of_each_coefficient(self) -> None:
        """A wave of one coefficient is kept where its noise is small and goes where it is large."""
        x = np.arange(64)
        wave = np.repeat(np.cos((2 * x + 1) * 4 * np.pi / 16)[None], 64, axis=0).astype(np.float32)
        sigma = np.full((8, 8), 1e-3, np.float32)
        kept = denoise_plane(wave, sigma, 1.0, np.ones((1, 64), np.float32), 4)
        sigma[0, 3:6] = 50
        gone = denoise_plane(wave, sigma, 1.0, np.ones((1, 64), np.float32), 4)
        self.assertGreater(float(kept[24:40, 24:40].std()), 0.9 * float(wave.std()))
        self.assertLess(float(gone[24:40, 24:40].std()), 0.2 * float(wave.std()))


class Sharpen(unittest.TestCase):
    def blurred_photo(self, sigma: float) -> tuple[np.ndarray, np.ndarray]:
        rgb = photo("coffee")
        return rgb, cv2.GaussianBlur(rgb, (0, 0), sigma)

    def test_takes_known_blur_back(self) -> None:
        for sigma in (0.6, 0.8, 1.2):
            rgb, soft = self.blurred_photo(sigma)
            sharp = sharpness.sharpen(soft, 1.0, sigma, 1e-4)
            self.assertGreater(psnr(sharp, rgb), psnr(soft, rgb) + 1.0, f"blur {sigma}")

    def test_half_the_amount_is_between(self) -> None:
        rgb, soft = self.blurred_photo(0.9)
        errors = [psnr(sharpness.sharpen(soft, a, 0.9, 1e-4), rgb) for a in (0.0, 0.5, 1.0)]
        self.assertLess(errors[0], errors[1])
        self.assertLess(errors[1], errors[2])

    def test_noise_is_not_raised_where_there_is_only_noise(self) -> None:
        random = np.random.default_rng(3)
        a = 1e-3
        flat = (0.2 + random.normal(0, 1, (300, 300, 1)) * np.sqrt(a * 0.2)).astype(np.float32).repeat(3, 2)
        sharp = sharpness.sharpen(flat, 1.0, 0.8, float(np.sqrt(a)) / 2)
        raised = sharpness.sharpen(flat, 1.0, 0.8, 1e-6)
        self.assertLess(sharp.std() / flat.std(), 1.35)
        self.assertGreater(raised.std() / flat.std(), sharp.std() / flat.std() + 0.1)

    def test_halos_stay_small(self) -> None:
        step = np.full((60, 80, 3), 0.1, np.float32)
        step[:, 40:] = 0.6
        soft = cv2.GaussianBlur(step, (0, 0), 1.0)
        sharp = sharpness.sharpen(soft, 1.5, 1.0, 1e-4)
        self.assertLess(np.sqrt(sharp.max()) - np.sqrt(0.6), 0.15 * (np.sqrt(0.6) - np.sqrt(0.1)))

    def test_negative_softens(self) -> None:
        rgb = photo("cat")
        soft = sharpness.sharpen(rgb, -1.0, 1.0, 1e-4)
        fine = [float((p - cv2.GaussianBlur(p, (0, 0), 1.5)).std()) for p in (rgb, soft)]
        self.assertLess(fine[1], 0.6 * fine[0])

    def test_zero_changes_nothing(self) -> None:
        rgb = photo("cat")
        self.assertIs(sharpness.sharpen(rgb, 0.0, 1.0, 1e-4), rgb)


@njit
def _logs(x, out):
    for i in range(len(x)):
        out[i] = log2_of(x[i])


@njit
def _exps(x, out):
    for i in range(len(x)):
        out[i] = exp2_of(x[i])


@njit
def _roots(x, out):
    for i in range(len(x)):
        out[i] = root_of(x[i])


class Approximations(unittest.TestCase):
    def test_cube_root(self) -> None:
        x = np.concatenate([-np.geomspace(1e-6, 1e3, 2001), [0], np.geomspace(1e-6, 1e3, 2001)]).astype(np.float32)
        out = np.empty_like(x)
        _roots(x, out)
        np.testing.assert_allclose(out, np.cbrt(x.astype(float)), rtol=3e-6, atol=2e-4)

    def test_logarithm(self) -> None:
        x = np.geomspace(1e-6, 1e4, 20001).astype(np.float32)
        out = np.empty_like(x)
        _logs(x, out)
        np.testing.assert_allclose(out, np.log2(x.astype(float)), atol=4e-6)

    def test_power(self) -> None:
        x = np.linspace(-30, 20, 20001).astype(np.float32)
        out = np.empty_like(x)
        _exps(x, out)
        np.testing.assert_allclose(out, 2.0 ** x.astype(float), rtol=2e-6)
        _exps(np.float32([-1e9, 1e9]), out[:2])
        self.assertTrue(np.isfinite(out[:2]).all())


def params(tone: Tone | None = None, chroma: float = 1.0, name: str = "srgb", matrix=None) -> PointParams:
    log, keep = neutral_tables() if tone is None else tables(tone)
    lab = lab_stage(chroma, 1.0, False, (), SplitTint()) if chroma != 1 else None
    eye = np.eye(3) if matrix is None else matrix
    return PointParams(eye, 0.0, log, keep, name, tone=tone is not None, lab=lab)


def pass_of(rgb: np.ndarray, p: PointParams, *, bits: int = 16, clipped=None, base: Base | None = None) -> np.ndarray:
    h, w = rgb.shape[:2]
    quads = np.zeros(((h + 1) // 2, (w + 1) // 2), np.uint8) if clipped is None else clipped
    return point_pass(np.ascontiguousarray(rgb, np.float32), quads, base, p, placed(1, (0, 0), (w, h)), bits=bits)


def lab_of(code: np.ndarray, name: str = "srgb") -> np.ndarray:
    top = np.iinfo(code.dtype).max
    return xyz_to_lab(decode_srgb(code / top) @ space(name).to_xyz().T)


class ToneStep(unittest.TestCase):
    tone = Tone(
        black=Handle(ev=-6, lightness=2), shadow=Handle(ev=-3, lightness=20), grey=Handle(ev=0, lightness=52),
        bright=Handle(ev=1.5, lightness=79), white=Handle(ev=2.9, lightness=98),
    )  # fmt: skip

    def test_handles_land_where_they_say(self) -> None:
        """A flat grey of each handle's light comes out at the handle's lightness."""
        for name in HANDLE_NAMES:
            handle = getattr(self.tone, name)
            flat = np.full((64, 80, 3), 0.18 * 2.0**handle.ev, np.float32)
            out = pass_of(flat, params(self.tone), base=base_of(flat[..., 0]))
            self.assertAlmostEqual(float(lab_of(out)[..., 0].mean()), handle.lightness, delta=0.15, msg=name)

    def test_curve_rises_everywhere(self) -> None:
        x = np.linspace(-10, 5, 3001)
        for tone in (Tone(), self.tone):
            c = curve(tone)
            inside = np.clip(x, c.x[0], c.x[-1])
            self.assertTrue((np.diff(c(inside)) >= -1e-9).all())

    def test_local_detail_survives_a_large_lift(self) -> None:
        """Texture in a lifted shadow keeps most of its contrast; the curve alone would leave less than half."""
        random = np.random.default_rng(5)
        texture = cv2.GaussianBlur(random.normal(0, 1, (256, 320)).astype(np.float32), (0, 0), 1.5)
        texture *= 0.25 / texture.std()
        light = 0.18 * 2.0 ** (np.where(np.arange(320)[None] < 160, -5.0, 1.0) + texture)
        lifted = Tone(
            black=Handle(ev=-9, lightness=2), shadow=Handle(ev=-5, lightness=38), grey=Handle(ev=0, lightness=55),
            bright=Handle(ev=1.5, lightness=75), white=Handle(ev=3, lightness=98),
        )  # fmt: skip
        rgb = np.repeat(light[..., None], 3, 2).astype(np.float32)
        out = pass_of(rgb, params(lifted), base=base_of(rgb[..., 0]))
        y = decode_srgb(out / 65535.0)[..., 1]
        kept = float(np.log2(y[60:200, 40:120] + 1e-6).std()) / 0.25
        steps = [
            float(v)
            for v in np.log2(
                np.interp([-5.2, -4.8], np.linspace(-16, 10, len(tables(lifted)[0])), 2.0 ** tables(lifted)[0])
            )
        ]
        self.assertLess((steps[1] - steps[0]) / 0.4, 0.5)  # what the curve alone would leave
        self.assertGreater(kept, 0.62)

    def test_no_halo_beside_an_edge(self) -> None:
        light = np.full((240, 480), 0.18 * 2.0**-4, np.float32)
        light[:, 240:] = 0.18 * 2.0**2
        rgb = np.repeat(light[..., None], 3, 2)
        y = lab_of(pass_of(rgb, params(self.tone), base=base_of(light)))[120, :, 0]
        self.assertLess(y[:236].max() - y[:200].min(), 4)
        self.assertLess(y[244:].max() - y[244:].min(), 4)

    def test_nothing_above_white_breaks(self) -> None:
        ramp = np.geomspace(0.18, 12, 800, dtype=np.float32)[None].repeat(64, 0)
        out = pass_of(np.repeat(ramp[..., None], 3, 2), params(self.tone), base=base_of(ramp))
        self.assertTrue((np.diff(out[32, :, 1].astype(int)) >= 0).all())


def _oklab_hue(lab: np.ndarray) -> float:
    """Return the OKLab hue of a CIELAB colour (another library's way to light), degrees."""
    a, b = (OKLAB_FROM_LMS @ np.cbrt(OKLAB_LMS_FROM_XYZ @ lab2xyz(lab)))[1:]
    return math.degrees(math.atan2(b, a))


class PaleHighlights(unittest.TestCase):
    """Colour near white under a curve that presses many stops into few tones."""

    pressed = Tone(
        black=Handle(ev=-6, lightness=2), shadow=Handle(ev=-3, lightness=20), grey=Handle(ev=0, lightness=52),
        bright=Handle(ev=2.2, lightness=88), white=Handle(ev=5.7, lightness=99),
    )  # fmt: skip

    def shown(self, tone: Tone, ev: float, colour: tuple[float, float, float], pale: bool = True) -> np.ndarray:
        """L*, a*, b* of a flat of that light and colour (relative to its luminance)."""
        light = np.array(colour) / (np.array(colour) @ [0.2627, 0.678, 0.0593])
        flat = np.broadcast_to(light * 0.18 * 2.0**ev, (64, 80, 3)).astype(np.float32)
        p = params(tone)
        p = replace(p, color_table=color_table(tone)) if pale else p
        base = base_of(np.full((64, 80), 0.18 * 2.0**ev, np.float32))
        return lab_of(pass_of(flat, p, base=base)).mean((0, 1))

    def test_pressed_light_pales_and_keeps_lightness(self) -> None:
        for colour in ((1.2, 1.0, 0.7), (0.8, 1.0, 1.3)):
            kept, pale = self.shown(self.pressed, 5, colour, False), self.shown(self.pressed, 5, colour)
            self.assertLess(math.hypot(*pale[1:]), 0.5 * math.hypot(*kept[1:]))
            self.assertGreaterEqual(pale[0], kept[0] - 0.5)

    def test_light_keeps_its_hue_on_the_way_to_white(self) -> None:
        """Mixed with white in linear light, orange would turn by 9 degrees and yellow by 8."""
        for colour in ((1.9, 0.8, 0.25), (1.5, 1.0, 0.15), (0.7, 1.0, 1.5)):
            kept, pale = (_oklab_hue(self.shown(self.pressed, 4.5, colour, p)) for p in (False, True))
            self.assertLess(abs(kept - pale), 0.5)

    def test_greys_stay_and_what_is_not_bright_is_left_alone(self) -> None:
        np.testing.assert_allclose(self.shown(self.pressed, 4, (1, 1, 1))[1:], 0, atol=0.1)
        for ev in (-4, 0, 1):
            kept = self.shown(self.pressed, ev, (1.3, 1.0, 0.6), False)
            np.testing.assert_allclose(self.shown(self.pressed, ev, (1.3, 1.0, 0.6)), kept, atol=0.3)

    def test_an_evening_sky_under_a_plain_curve_stays_warm(self) -> None:
        for tone in (Tone(), ToneStep.tone):
            kept, pale = self.shown(tone, 1.8, (1.2, 1.0, 0.7), False), self.shown(tone, 1.8, (1.2, 1.0, 0.7))
            self.assertGreater(math.hypot(*pale[1:]), 0.85 * math.hypot(*kept[1:]))


class Point(unittest.TestCase):
    def test_neutral_pass_is_the_curve_of_the_space(self) -> None:
        ramp = np.linspace(0, 1, 4096, dtype=np.float32).reshape(1, -1).repeat(2, 0)
        out = pass_of(np.repeat(ramp[..., None], 3, 2), params())
        expected = np.round(65535 * encode_srgb(ramp))
        self.assertLess(np.abs(out[..., 1].astype(float) - expected).max(), 6)

    def test_eight_bits_are_the_same_within_the_dither(self) -> None:
        random = np.random.default_rng(1)
        rgb = random.uniform(0, 0.6, (200, 300, 3)).astype(np.float32)
        fine, coarse = pass_of(rgb, params()), pass_of(rgb, params(), bits=8)
        difference = coarse.astype(float) - fine / 257.0
        self.assertLess(np.abs(difference).max(), 1.01)
        self.assertLess(abs(difference.mean()), 0.02)

    def test_dither_removes_banding(self) -> None:
        ramp = np.linspace(0.2, 0.21, 3000, dtype=np.float32)[None].repeat(400, 0)
        out = pass_of(np.repeat(ramp[..., None], 3, 2), params(), bits=8)[..., 1].astype(float)
        expected = 255 * encode_srgb(ramp[0])
        self.assertLess(np.abs(out.mean(axis=0) - expected).max(), 0.12)

    def test_spaces_hold_the_same_color(self) -> None:
        rgb = np.random.default_rng(2).uniform(0.1, 0.4, (20, 30, 3)).astype(np.float32)
        labs = [lab_of(pass_of(rgb, params(name=n)), n) for n in ("srgb", "display-p3", "rec2020")]
        np.testing.assert_allclose(labs[1], labs[2], atol=0.05)
        inside = (rgb @ working_to("srgb").T > 0).all(axis=2) & (rgb @ working_to("srgb").T < 1).all(axis=2)
        np.testing.assert_allclose(labs[0][inside], labs[2][inside], atol=0.05)

    def test_gamut_keeps_lightness_and_hue(self) -> None:
        colors = np.float32([[[0.02, 0.5, 0.02], [0.6, 0.02, 0.02], [0.02, 0.02, 0.5], [0.02, 0.5, 0.6]]])
        srgb, wide = (lab_of(pass_of(colors, params(name=n)), n) for n in ("srgb", "rec2020"))
        for a, b in zip(srgb[0], wide[0], strict=True):
            self.assertLess(np.hypot(*a[1:]), np.hypot(*b[1:]))
            self.assertLess(abs(a[0] - b[0]), 7)
            turn = np.degrees(np.arctan2(a[2], a[1]) - np.arctan2(b[2], b[1]))
            self.assertLess(abs((turn + 180) % 360 - 180), 22)

    def test_clipped_channels_are_rebuilt_never_lowered(self) -> None:
        rgb = np.full((4, 4, 3), 1.0, np.float32) * np.float32([0.9, 0.5, 0.8])  # green is full: neutral is brighter
        plain = pass_of(rgb, params())
        rebuilt = pass_of(rgb, params(), clipped=np.full((2, 2), 2, np.uint8))
        self.assertGreater(int(rebuilt[0, 0, 1]), int(plain[0, 0, 1]))
        all_full = pass_of(rgb, params(), clipped=np.full((2, 2), 7, np.uint8))
        self.assertLess(np.ptp(all_full[0, 0].astype(int)), 3)

    def test_chroma_moves_away_from_grey(self) -> None:
        rgb = np.full((8, 8, 3), 1.0, np.float32) * np.float32([0.22, 0.18, 0.15])
        grey, more = (lab_of(pass_of(rgb, params(chroma=c)))[0, 0] for c in (0.0, 1.5))
        plain = lab_of(pass_of(rgb, params()))[0, 0]
        self.assertLess(np.hypot(*grey[1:]), 0.2)
        self.assertGreater(np.hypot(*more[1:]), 1.3 * np.hypot(*plain[1:]))
        self.assertAlmostEqual(float(more[0]), float(plain[0]), delta=0.4)

    def test_matrix_alone(self) -> None:
        rgb = np.random.default_rng(3).uniform(0, 1, (9, 11, 3)).astype(np.float32)
        matrix = np.array([[0.8, 0.1, 0.1], [0.2, 0.7, 0.1], [0.0, 0.1, 0.9]])
        np.testing.assert_allclose(to_working(rgb, matrix), rgb @ matrix.T, atol=1e-6)
        self.assertAlmostEqual(float(lightness(D65_XYZ[1])), 100.0)
