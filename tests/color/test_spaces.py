"""Spaces, differences and spectra against colour-science and published values."""

from __future__ import annotations

import unittest
import warnings

import numpy as np

from bruto.color import spaces, spectra, temperature
from bruto.color.adaptation import bradford
from bruto.color.difference import delta_e00
from bruto.errors import BrutoError

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

SHARMA = (
    (50.0, 2.6772, -79.7751, 50.0, 0.0, -82.7485, 2.0425),
    (50.0, 2.5, 0.0, 50.0, 0.0, -2.5, 4.3065),
    (50.0, 2.5, 0.0, 73.0, 25.0, -18.0, 27.1492),
    (50.0, 2.5, 0.0, 56.0, -27.0, -3.0, 31.9030),
    (60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644),
    (22.7233, 20.0904, -46.6940, 23.0331, 14.9730, -42.5619, 2.0373),
    (90.8027, -2.0831, 1.4410, 91.1528, -1.6435, 0.0447, 1.4441),
    (2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082),
)
"""Test pairs of Sharma, Wu, Dalal 2005, table 1."""


class Difference(unittest.TestCase):
    def test_published_pairs(self) -> None:
        for l1, a1, b1, l2, a2, b2, expected in SHARMA:
            found = float(delta_e00(np.array([l1, a1, b1]), np.array([l2, a2, b2])))
            self.assertAlmostEqual(found, expected, places=4)

    def test_random_pairs_agree_with_another_library(self) -> None:
        random = np.random.default_rng(1)
        first = random.uniform((0, -100, -100), (100, 100, 100), (4000, 3))
        second = first + random.normal(0, 6, (4000, 3))
        expected = colour.delta_E(first, second, method="CIE 2000")
        np.testing.assert_allclose(delta_e00(first, second), expected, atol=1e-9)

    def test_greys_and_equals_are_zero(self) -> None:
        grey = np.array([[50.0, 0, 0], [0.0, 0, 0], [100.0, 0, 0]])
        np.testing.assert_array_equal(delta_e00(grey, grey), 0)


class Spaces(unittest.TestCase):
    def test_matrices(self) -> None:
        for name, title in (("srgb", "sRGB"), ("display-p3", "Display P3"), ("rec2020", "ITU-R BT.2020")):
            expected = colour.RGB_COLOURSPACES[title].matrix_RGB_to_XYZ
            np.testing.assert_allclose(spaces.space(name).to_xyz(), expected, atol=2e-4)

    def test_white_stays_white_between_spaces(self) -> None:
        for name in spaces.SPACES:
            np.testing.assert_allclose(spaces.working_to(name) @ np.ones(3), 1, atol=1e-12)

    def test_luminance_weights_are_the_middle_row(self) -> None:
        np.testing.assert_allclose(spaces.LUMINANCE_2020, spaces.working_to_xyz()[1], atol=1e-7)

    def test_curve_and_its_inverse(self) -> None:
        linear = np.linspace(0, 1, 5001)
        np.testing.assert_allclose(
            spaces.encode_srgb(linear), colour.cctf_encoding(linear, function="sRGB"), atol=1e-12
        )
        np.testing.assert_allclose(spaces.decode_srgb(spaces.encode_srgb(linear)), linear, atol=1e-7)

    def test_lab(self) -> None:
        xyz = np.random.default_rng(2).uniform(0, 1, (500, 3))
        expected = colour.XYZ_to_Lab(xyz, np.array(spaces.D65_XY))
        np.testing.assert_allclose(spaces.xyz_to_lab(xyz), expected, atol=1e-9)

    def test_lightness_and_its_inverse(self) -> None:
        y = np.linspace(0, 1, 2001)
        np.testing.assert_allclose(spaces.luminance_of(spaces.lightness(y)), y, atol=1e-9)
        self.assertAlmostEqual(float(spaces.lightness(0.18)), 49.496, places=2)

    def test_oklab_matrices(self) -> None:
        xyz = np.random.default_rng(3).uniform(0.05, 1, (200, 3))
        mine = np.cbrt(xyz @ spaces.OKLAB_LMS_FROM_XYZ.T) @ spaces.OKLAB_FROM_LMS.T
        np.testing.assert_allclose(mine, colour.XYZ_to_Oklab(xyz), atol=1e-6)

    def test_unknown_space_says_which_exist(self) -> None:
        with self.assertRaisesRegex(BrutoError, "srgb, display-p3, rec2020"):
            spaces.space("widest")

    def test_bradford(self) -> None:
        a, d65 = np.array([1.0985, 1.0, 0.3558]), spaces.D65_XYZ
        expected = colour.adaptation.matrix_chromatic_adaptation_VonKries(a, d65, transform="Bradford")
        np.testing.assert_allclose(bradford(a, d65), expected, atol=1e-6)
        np.testing.assert_allclose(bradford(a, d65) @ a, d65, atol=1e-12)


class Light(unittest.TestCase):
    def test_observer_and_daylight_tables(self) -> None:
        shape = colour.SpectralShape(380, 780, 5)
        cmfs = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape)
        np.testing.assert_allclose(spectra.observer(), cmfs.values, atol=1e-9)
        d65 = colour.SDS_ILLUMINANTS["D65"].copy().align(shape).values
        mine = spectra.daylight(6503.6)
        np.testing.assert_allclose(mine / mine[36], d65 / d65[36], rtol=0.01)

    def test_planck(self) -> None:
        shape = colour.SpectralShape(380, 780, 5)
        expected = colour.sd_blackbody(2856, shape).values
        np.testing.assert_allclose(spectra.planck(2856), expected / expected[36], rtol=1e-4)

    def test_temperature_of_known_illuminants(self) -> None:
        kelvin, duv = temperature.kelvin_duv_of(0.44758, 0.40745)
        self.assertAlmostEqual(kelvin, 2856, delta=3)
        self.assertAlmostEqual(duv, 0, delta=2e-4)
        kelvin, duv = temperature.kelvin_duv_of(*spaces.D65_XY)
        self.assertAlmostEqual(kelvin, 6504, delta=6)
        self.assertAlmostEqual(duv, 0.0032, delta=2e-4)

    def test_round_trip(self) -> None:
        for kelvin in (1600, 2500, 4000, 6500, 12000, 40000):
            for duv in (-0.03, -0.005, 0.0, 0.01, 0.04):
                back, off = temperature.kelvin_duv_of(*temperature.xy_of(kelvin, duv))
                self.assertAlmostEqual(1e6 / back, 1e6 / kelvin, delta=1.2, msg=f"{kelvin} K, {duv}")
                self.assertAlmostEqual(off, duv, delta=2e-4)

    def test_agrees_with_another_method(self) -> None:
        random = np.random.default_rng(5)
        for kelvin, duv in zip(random.uniform(2000, 12000, 30), random.uniform(-0.02, 0.02, 30), strict=True):
            uv = colour.CCT_to_uv(np.array([kelvin, duv]), method="Ohno 2013")
            x, y = colour.UCS_uv_to_xy(uv)
            found, off = temperature.kelvin_duv_of(float(x), float(y))
            self.assertAlmostEqual(1e6 / found, 1e6 / kelvin, delta=1.0)
            self.assertAlmostEqual(off, duv, delta=2e-4)

    def test_positive_duv_is_greenish(self) -> None:
        _, on = temperature.xy_of(5000, 0.0)
        _, above = temperature.xy_of(5000, 0.02)
        self.assertGreater(above, on)
