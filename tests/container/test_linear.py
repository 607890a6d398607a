"""From stored codes to linear light and to the working space, against closed formulas and the simulated scene."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from bruto.color.spaces import working_to_xyz, xyz_to_lab
from bruto.container.color_model import camera_to_working, neutral_to_xy, xy_to_neutral
from bruto.container.linearisation import linearise
from bruto.container.opcodes import parse_gain_map, parse_opcodes, write_gain_maps
from bruto.container.profile import Calibration
from bruto.container.raw_frame import GainMap, RawFrame, RawMeta, shifted_cfa
from bruto.errors import FileProblem
from bruto.simphone import spectral
from bruto.simphone.capture import calibrations


def meta(**values) -> RawMeta:
    base = RawMeta(
        "mosaic", 12, 8, 16, "none", "RGGB", np.array([[10.0, 20.0], [30.0, 40.0]]), np.array([1010.0]), (0, 0, 12, 8),
        (0, 0, 12, 8),
    )  # fmt: skip
    return replace(base, **values)


class Linearise(unittest.TestCase):
    def test_black_and_white_of_each_site(self) -> None:
        codes = np.full((8, 12), 510, np.uint16)
        data = linearise(RawFrame(codes, meta())).data
        for (r, c), black in {(0, 0): 10, (0, 1): 20, (1, 0): 30, (1, 1): 40}.items():
            np.testing.assert_allclose(data[r::2, c::2], (510 - black) / (1010 - black), rtol=1e-6)

    def test_clip_mask_by_color(self) -> None:
        codes = np.full((8, 12), 500, np.uint16)
        codes[0, 0] = 1010  # red of the first quad
        codes[0, 3] = codes[1, 2] = 1200  # both greens of the second
        codes[2:4, 4:6] = 1010  # all of one quad
        clipped = linearise(RawFrame(codes, meta())).clipped
        expected = np.zeros((4, 6), np.uint8)
        expected[0, 0], expected[0, 1], expected[1, 2] = 1, 2, 7
        np.testing.assert_array_equal(clipped, expected)

    def test_active_area_shifts_the_pattern(self) -> None:
        codes = np.arange(96, dtype=np.uint16).reshape(8, 12) + 100
        whole = meta(active_area=(1, 0, 11, 8), default_crop=(1, 0, 10, 8), cfa="GRBG", black=np.full((2, 2), 0.0))
        linear = linearise(RawFrame(codes, whole))
        self.assertEqual(linear.cfa, "GRBG")  # the active area starts with the pattern
        np.testing.assert_allclose(linear.data[0, 0], 101 / 1010, rtol=1e-6)
        moved = meta(default_crop=(1, 1, 10, 6))
        self.assertEqual(linearise(RawFrame(codes, moved)).cfa, shifted_cfa("RGGB", 1, 1))

    def test_gain_map_follows_the_formula(self) -> None:
        gains = np.array([[1.0, 2.0, 3.0], [2.0, 3.0, 4.0]], np.float32)[..., None]
        maps = tuple(GainMap(s // 2, s % 2, 8, 12, 0, 1, 2, 2, (1.0, 0.5), (0.0, 0.0), gains) for s in range(4))
        flat = meta(black=np.zeros((2, 2)), white=np.array([1000.0]), gain_maps=maps)
        found = linearise(RawFrame(np.full((8, 12), 100, np.uint16), flat))
        y, x = np.mgrid[0:8, 0:12]
        expected = 0.1 * (1 + (y + 0.5) / 8 + (x + 0.5) / 12 * 2)  # the grid is a plane: bilinear is exact
        np.testing.assert_allclose(found.data, expected, rtol=1e-5)
        self.assertEqual(found.gain, 4.0)

    def test_linearisation_table(self) -> None:
        table = (np.arange(256, dtype=np.uint16) ** 2 // 64).astype(np.uint16)
        codes = np.full((8, 12), 200, np.uint16)
        flat = meta(black=np.zeros((2, 2)), white=np.array([1000.0]), linearisation=table)
        np.testing.assert_allclose(linearise(RawFrame(codes, flat)).data, table[200] / 1000, rtol=1e-6)

    def test_float_frames_lose_their_nans(self) -> None:
        codes = np.full((8, 12, 3), 0.5, np.float16)
        codes[0, 0] = np.nan
        codes[1, 1] = np.inf
        flat = meta(kind="linear", cfa="", black=np.zeros(3), white=np.ones(3))
        data = linearise(RawFrame(codes, flat)).data
        self.assertTrue(np.isfinite(data).all())
        self.assertEqual(data[0, 0, 0], 0.0)


class Opcodes(unittest.TestCase):
    def setUp(self) -> None:
        gains = np.linspace(1, 2, 12, dtype=np.float32).reshape(3, 4, 1)
        self.map = GainMap(0, 1, 8, 12, 0, 1, 2, 2, (0.5, 1 / 3), (0.0, 0.0), gains)
        self.data = write_gain_maps((self.map, self.map))

    def test_round_trip(self) -> None:
        found = parse_opcodes(self.data, "list 2")
        self.assertEqual([n for n, _, _ in found], [9, 9])
        back = parse_gain_map(found[1][2], "list 2")
        np.testing.assert_array_equal(back.gains, self.map.gains)
        self.assertEqual((back.top, back.left, back.row_pitch), (0, 1, 2))

    def test_damage_is_named(self) -> None:
        for size in range(0, len(self.data) - 1, 7):
            with self.assertRaisesRegex(FileProblem, "list 2"):
                for _, _, body in parse_opcodes(self.data[:size], "list 2"):
                    parse_gain_map(body, "list 2")
        with self.assertRaisesRegex(FileProblem, "claims 4294967295 operations"):
            parse_opcodes(b"\xff" * 8, "list 3")
        body = bytearray(parse_opcodes(self.data, "x")[0][2])
        body[32:40] = b"\x7f\xff\xff\xff\x7f\xff\xff\xff"
        with self.assertRaisesRegex(FileProblem, "gain map claims"):
            parse_gain_map(bytes(body), "list 2")


class ColorModel(unittest.TestCase):
    def camera(self, **values) -> RawMeta:
        return meta(calibrations=calibrations(), **values)

    def test_white_of_each_illuminant_is_found_again(self) -> None:
        for kelvin, tungsten in ((2856, True), (4500, False), (5500, False), (7500, False)):
            light = spectral.illuminant(kelvin, tungsten)
            white = spectral.camera_response(np.ones((81, 1)), light)[0]
            xyz = spectral.tristimulus(np.ones((81, 1)), light)[0]
            x, y = neutral_to_xy(self.camera(), white / white[1])
            np.testing.assert_allclose((x, y), xyz[:2] / xyz.sum(), atol=0.004, err_msg=str(kelvin))

    def test_neutral_round_trip(self) -> None:
        for xy in ((0.3127, 0.3290), (0.4476, 0.4074), (0.36, 0.38), (0.29, 0.30)):
            neutral = xy_to_neutral(self.camera(), *xy)
            np.testing.assert_allclose(neutral_to_xy(self.camera(), neutral), xy, atol=1e-4)

    def test_neutral_becomes_grey_and_one(self) -> None:
        neutral = np.array([0.47, 1.0, 0.66])
        np.testing.assert_allclose(camera_to_working(self.camera(), neutral) @ neutral, 1.0, atol=1e-9)

    def test_without_forward_matrices_nearly_the_same(self) -> None:
        plain = tuple(Calibration(c.illuminant, c.color) for c in calibrations())
        light = spectral.illuminant(5500)
        colors = spectral.camera_response(spectral.chart(), light)
        neutral = spectral.camera_response(np.ones((81, 1)), light)[0]
        results = []
        for use in (calibrations(), plain):
            rgb = colors @ camera_to_working(meta(calibrations=use), neutral / neutral[1]).T
            results.append(xyz_to_lab(rgb @ working_to_xyz().T))
        self.assertLess(np.median(np.linalg.norm(results[0] - results[1], axis=1)), 4)

    def test_chart_under_daylight(self) -> None:
        from bruto.color.adaptation import bradford
        from bruto.color.difference import delta_e00
        from bruto.color.spaces import D65_XYZ

        for kelvin, tungsten in ((5500, False), (6500, False), (2856, True)):
            light = spectral.illuminant(kelvin, tungsten)
            colors, xyz = (
                spectral.camera_response(spectral.chart(), light),
                spectral.tristimulus(spectral.chart(), light),
            )
            white = spectral.tristimulus(np.ones((81, 1)), light)[0]
            neutral = spectral.camera_response(np.ones((81, 1)), light)[0]
            matrix = camera_to_working(self.camera(), neutral / neutral[1])
            found = (colors / neutral[1]) @ matrix.T @ working_to_xyz().T
            truth = xyz @ bradford(white, D65_XYZ).T
            found *= np.median(truth[:, 1] / found[:, 1])
            errors = delta_e00(xyz_to_lab(found), xyz_to_lab(truth))
            self.assertLess(np.median(errors), 2.0, f"{kelvin} K")
            self.assertGreater(np.median(errors), 0.05, "a sensor without error of its own would prove nothing")

    def test_analog_balance_is_undone(self) -> None:
        balance = np.array([1.3, 1.0, 0.8])
        plain, scaled = self.camera(), self.camera(analog_balance=balance)
        neutral, color = np.array([0.5, 1.0, 0.6]), np.array([0.2, 0.3, 0.1])
        first = camera_to_working(plain, neutral) @ color
        second = camera_to_working(scaled, neutral * balance) @ (color * balance)
        np.testing.assert_allclose(first, second, atol=1e-3)
