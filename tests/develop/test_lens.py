"""Warps and vignettes of the file, against closed formulas; the raw without a look; three illuminants."""

from __future__ import annotations

import unittest
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import decode_srgb
from bruto.container.color_model import camera_to_working, xy_to_neutral
from bruto.container.dng_reader import read_dng
from bruto.container.linearisation import linearise
from bruto.container.raw_frame import RawFrame, RawMeta
from bruto.container.warps import WARP_FISHEYE, WARP_RECTILINEAR, Vignette, Warp, source_places
from bruto.develop.frame_geometry import clipped_or_near, geometry_of
from bruto.develop.linear_preview import plain_view
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.rectangle import Rectangle
from bruto.develop.source import source_of_raw
from tests.shots import MIDDLE, raw_of

W, H = 640, 480
WHOLE = Rectangle(0, 0, W, H)
WARPS = {
    "barrel": Warp(WARP_RECTILINEAR, np.array([[1.0, -0.08, 0.02, 0.0]]), np.zeros((1, 2)), (0.5, 0.5)),
    "off centre, tangential": Warp(
        WARP_RECTILINEAR, np.array([[0.98, 0.03, 0.0, 0.0]]), np.array([[0.004, -0.003]]), (0.46, 0.53)
    ),
    "three planes": Warp(
        WARP_RECTILINEAR,
        np.array([[1.003, 0, 0, 0], [1.0, 0, 0, 0], [0.998, 0.001, 0, 0]]),
        np.zeros((3, 2)),
        (0.5, 0.5),
    ),
    "fisheye": Warp(WARP_FISHEYE, np.array([[1.0, 0.05, 0.0, 0.0]]), np.zeros((1, 2)), (0.5, 0.5)),
}


def meta(kind: str = "linear", **changes: object) -> RawMeta:
    base = RawMeta(
        kind, W, H, 16, "none", "" if kind == "linear" else "RGGB", np.zeros(3 if kind == "linear" else (2, 2)),
        np.array([65535.0]), (0, 0, W, H), (0, 0, W, H),
    )  # fmt: skip
    return replace(base, **changes)  # type: ignore[arg-type]


def dots(centres: NDArray) -> NDArray[np.float32]:
    """Soft round dots at (x, y) centres."""
    yy, xx = np.mgrid[0:H, 0:W].astype(np.float32)
    image = np.full((H, W), 0.05, np.float32)
    for x, y in centres:
        image += 0.8 * np.exp(-((xx - x) ** 2 + (yy - y) ** 2) / (2 * 2.5**2))
    return image


def centroid(image: NDArray, x: float, y: float) -> tuple[float, float]:
    r = 12
    x0, y0 = round(x) - r, round(y) - r
    part = np.maximum(image[y0 : y0 + 2 * r + 1, x0 : x0 + 2 * r + 1].astype(float) - 0.08, 0)
    yy, xx = np.mgrid[0 : 2 * r + 1, 0 : 2 * r + 1]
    return x0 + float((part * xx).sum() / part.sum()), y0 + float((part * yy).sum() / part.sum())


PLACES = np.array([(x, y) for x in (70, 190, 320, 450, 570) for y in (60, 170, 240, 330, 420)], float)


class Warps(unittest.TestCase):
    def recorded(self, warp: Warp) -> NDArray[np.float32]:
        """The picture as the lens recorded it: dots where the file says their light went."""
        planes = []
        for k in range(3):
            x, y = source_places(warp, PLACES[:, 0], PLACES[:, 1], W, H, k)
            planes.append(dots(np.stack([x, y], axis=1)))
        return np.stack(planes, axis=2)

    def test_dots_come_back_to_their_places(self) -> None:
        for name, warp in WARPS.items():
            found = geometry_of(meta(warps=(warp,)), Recipe()).resampled(self.recorded(warp), WHOLE, 1)
            for k in range(3):
                off = [np.hypot(*(np.array(centroid(found[..., k], x, y)) - (x, y))) for x, y in PLACES]
                self.assertLess(max(off), 0.08, f"{name}, plane {k}")

    def test_full_places_move_with_the_light(self) -> None:
        warp = WARPS["barrel"]
        clipped = np.zeros((H // 2, W // 2), np.uint8)
        x, y = source_places(warp, np.array([570.0]), np.array([420.0]), W, H, 0)
        cv2.circle(clipped, (round(x[0] / 2), round(y[0] / 2)), 4, 5, -1)
        found = geometry_of(meta(warps=(warp,)), Recipe()).clipped(clipped_or_near(clipped), WHOLE, 2)
        cy, cx = np.argwhere(found == 5).mean(axis=0)
        self.assertAlmostEqual(cx, 285, delta=0.8)
        self.assertAlmostEqual(cy, 210, delta=0.8)

    def test_the_coarse_grid_is_fine_enough(self) -> None:
        for warp in WARPS.values():
            x, y = geometry_of(meta(warps=(warp,)), Recipe()).maps(WHOLE, 1, 0)
            gx, gy = np.meshgrid(np.arange(W, dtype=float), np.arange(H, dtype=float))
            sx, sy = source_places(warp, gx, gy, W, H, 0)
            inner = (slice(8, -8), slice(8, -8))
            self.assertLess(float(np.abs(x - sx)[inner].max()), 0.02)
            self.assertLess(float(np.abs(y - sy)[inner].max()), 0.02)

    def test_a_crop_is_warped_as_part_of_the_whole(self) -> None:
        warp = WARPS["off centre, tangential"]
        whole = geometry_of(meta(warps=(warp,)), Recipe()).maps(WHOLE, 1, 0)
        part = meta(default_crop=(40, 32, 500, 400), warps=(warp,))
        crop = geometry_of(part, Recipe()).maps(Rectangle(0, 0, 500, 400), 1, 0)
        np.testing.assert_allclose(crop[0][50:350, 50:450] + 40, whole[0][82:382, 90:490], atol=0.02)

    def test_a_file_with_a_warp_is_developed_straight(self) -> None:
        frame = read_dng(raw_of("card", size=MIDDLE))
        warp = Warp(WARP_RECTILINEAR, np.array([[1.0, -0.05, 0.0, 0.0]]), np.zeros((1, 2)), (0.5, 0.5))
        plain, straight = (
            Developer(source_of_raw(Path("a.dng"), RawFrame(frame.codes, m)))
            for m in (frame.meta, replace(frame.meta, warps=(warp,)))
        )
        a, b = plain.level(2)[..., 1], straight.light(Recipe(), 2)[..., 1]
        h, w = a.shape
        x, y = np.meshgrid(np.arange(w) * 2 + 0.5, np.arange(h) * 2 + 0.5)
        sx, sy = source_places(warp, x, y, *MIDDLE, 1)
        expected = cv2.remap(
            a, ((sx - 0.5) / 2).astype(np.float32), ((sy - 0.5) / 2).astype(np.float32), cv2.INTER_CUBIC
        )
        inner = (slice(20, -20), slice(20, -20))
        self.assertGreater(float(np.corrcoef(b[inner].ravel(), expected[inner].ravel())[0, 1]), 0.995)
        self.assertLess(float(np.corrcoef(b[inner].ravel(), a[inner].ravel())[0, 1]), 0.98)


class SquarePixels(unittest.TestCase):
    def test_pixels_twice_as_high_as_wide_make_a_picture_twice_as_high(self) -> None:
        facts = meta(default_scale=(1.0, 2.0))
        image = np.repeat(dots(np.array([[300.0, 200.0]]))[..., None], 3, axis=2)
        clipped = np.zeros((H // 2, W // 2), np.uint8)
        clipped[100, 150] = 7
        shape = geometry_of(facts, Recipe())
        area = Rectangle(0, 0, *shape.size)
        straight = shape.resampled(image, area, 1)
        self.assertEqual(straight.shape, (2 * H, W, 3))
        self.assertEqual(facts.oriented_size, (W, 2 * H))
        x, y = centroid(straight[..., 1], 300, 400)
        self.assertAlmostEqual(x, 300, delta=0.05)
        self.assertAlmostEqual(y, 400.5, delta=0.05)  # the middle of row 200 lies 200.5 rows down
        full = np.argwhere(shape.clipped(clipped_or_near(clipped), area, 2) == 7)
        self.assertEqual(full.mean(axis=0).round().tolist(), [200, 150])  # and one quad around, which takes from it


class Vignettes(unittest.TestCase):
    def test_gain_by_the_formula(self) -> None:
        """1 + k0 r^2 + k1 r^4 at relative radii, 1 in the farthest corner."""
        frame = RawFrame(
            np.full((H, W, 3), 6553, np.uint16), meta(vignettes=(Vignette((0.3, 0.1, 0, 0, 0), (0.5, 0.5)),))
        )
        light = linearise(frame)
        value = 6553 / 65535
        for y, x in ((0, 0), (H // 2, W // 2), (100, 500)):
            r2 = (((x + 0.5) / W - 0.5) ** 2 * (W / H) ** 2 + ((y + 0.5) / H - 0.5) ** 2) / ((0.5 * W / H) ** 2 + 0.25)
            self.assertAlmostEqual(float(light.data[y, x, 1]) / value, 1 + 0.3 * r2 + 0.1 * r2**2, places=3)


class Illuminants(unittest.TestCase):
    def test_at_each_of_three_lights_its_own_matrix_holds(self) -> None:
        frame = read_dng(raw_of("card", size=MIDDLE))
        first, second = frame.meta.calibrations
        middle = replace(second, illuminant=23, color=0.6 * second.color + 0.4 * first.color, forward=None)
        three = replace(frame.meta, calibrations=(replace(first, forward=None), replace(second, forward=None), middle))
        whites = {17: (0.44757, 0.40745), 21: (0.31272, 0.32903), 23: (0.34567, 0.35850)}
        for calibration in three.calibrations:
            xy = whites[calibration.illuminant]
            alone = replace(three, calibrations=(calibration,))
            neutral = xy_to_neutral(alone, *xy)
            np.testing.assert_allclose(xy_to_neutral(three, *xy), neutral, rtol=0.01)
            np.testing.assert_allclose(camera_to_working(three, neutral), camera_to_working(alone, neutral), atol=0.02)


class Plain(unittest.TestCase):
    def test_no_look_means_light_only(self) -> None:
        """A view at +1 EV holds twice the light of one at 0, and that of `--neutral` at 0."""
        developer = Developer(source_of_raw(Path("a.dng"), read_dng(raw_of("card", size=MIDDLE))))
        zero, one = (decode_srgb(plain_view(developer, ev, 4) / 255.0) for ev in (0.0, 1.0))
        middle = (zero > 0.05) & (zero < 0.4)
        self.assertAlmostEqual(float(np.median(one[middle] / zero[middle])), 2, delta=0.05)
        neutral = decode_srgb(developer.render(Recipe(), neutral_look=True) / 255.0)
        small = cv2.resize(neutral, zero.shape[1::-1], interpolation=cv2.INTER_AREA)
        self.assertLess(float(np.median(np.abs(small - zero))), 0.01)

    def test_full_places_have_no_magenta(self) -> None:
        developer = Developer(source_of_raw(Path("a.dng"), read_dng(raw_of("pans", size=MIDDLE, ev=3.0))))
        view = plain_view(developer, -1.0, 2).astype(int)
        full = (
            cv2.resize(
                (developer.source.linear.clipped == 7).astype(np.uint8),
                view.shape[1::-1],
                interpolation=cv2.INTER_NEAREST,
            )
            > 0
        )
        self.assertGreater(int(full.sum()), 500)
        self.assertLess(float(np.median(np.ptp(view[full], axis=1))), 12)
