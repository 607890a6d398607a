"""Merged frames against the noise-free scene: gain, radiance, moving things, and files that do not fit."""

from __future__ import annotations

import dataclasses
import json
import shutil
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import cv2
import numpy as np
import rawpy

from bruto.container.dng_reader import read_dng
from bruto.container.merge_record import merged_of
from bruto.container.quick_metadata import read_quick_metadata
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.errors import BrutoError, Cancelled
from bruto.merge.frames import load_frame
from bruto.merge.merger import merge
from bruto.merge.methods.bracket import bracket_variance
from bruto.merge.planes import color_band
from bruto.simphone.capture import Exposure, Phone
from tests.again import write_dng
from tests.container.test_dng import PREVIEW, tags
from tests.shots import MIDDLE, SMALL, raws_of, taken
from tests.truth import ideal_rgb, plain_linear

BURST = {"size": MIDDLE, "count": 8, "iso": 1600.0, "seed": 6}
STEPS = (-3.0, 0.0, 3.0)
BRACKET = {"size": MIDDLE, "bracket": STEPS, "seed": 6}


def ideal_of(scene: str, shot: dict, seed: int) -> np.ndarray:
    """Noise-free camera RGB of a recorded shot, through the same demosaicing."""
    phone = Phone(scene, size=MIDDLE)
    return ideal_rgb(phone.shoot(Exposure(shot["iso"], shot["exposure_s"]), seed=seed))


def residual(data: np.ndarray, ideal: np.ndarray, border: int = 40) -> np.ndarray:
    """Difference from the scene where nothing is clipped, (N, 3)."""
    inner = (slice(border, -border), slice(border, -border))
    good = (ideal[inner].max(axis=2) < 0.8) & (ideal[inner].min(axis=2) > 0.01)
    return (data[inner] - ideal[inner])[good]


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.out = self.folder / "merged.dng"


class Burst(Folder):
    def gain(self, method: str, static: bool) -> tuple[float, float, object]:
        """How much lower the error is than one frame's, and what the merge says of itself."""
        settings = {**BURST, "static": static}
        shots = taken("card", **settings)
        files = raws_of("card", **settings)
        result = merge(method, files, self.out)
        ideal = ideal_of("card", shots[0], 6000)
        frame = load_frame(files[0])
        one = residual(color_band(frame, 0, MIDDLE[1]), ideal)
        many = residual(plain_linear(read_dng(self.out)), ideal)
        return float(one.std() / many.std()), result.noise_gain, result

    def test_static_frames(self) -> None:
        gain, stated, _ = self.gain("mean", True)
        self.assertGreater(gain, 0.95 * 8**0.5)
        self.assertAlmostEqual(stated / gain, 1, delta=0.06)

    def test_handheld_frames(self) -> None:
        gain, _, result = self.gain("mean", False)
        self.assertGreater(gain, 0.85 * 8**0.5)
        self.assertLess(result.rms_px, 0.15)  # type: ignore[attr-defined]

    def test_clipped_mean(self) -> None:
        gain, stated, _ = self.gain("clipped", True)
        self.assertGreater(gain, 0.92 * 8**0.5)
        self.assertAlmostEqual(stated / gain, 1, delta=0.06)

    def test_median(self) -> None:
        gain, stated, _ = self.gain("median", True)
        self.assertGreater(gain, 0.75 * 8**0.5)
        self.assertAlmostEqual(stated / gain, 1, delta=0.08)

    def test_motion_is_the_hands(self) -> None:
        shots = taken("card", **BURST)
        result = merge("mean", raws_of("card", **BURST), self.out)
        w, h = MIDDLE
        for shot, frame in zip(shots[1:], result.frames[1:], strict=True):
            matrix = np.array(shot["transform"])
            centre = np.array([(w - 1) / 2, (h - 1) / 2])
            expected = matrix[:, :2] @ centre + matrix[:, 2] - centre
            np.testing.assert_allclose(frame.shift_px, expected, atol=0.15)

    def test_moving_things_leave_no_ghost(self) -> None:
        """A bright disc that wanders over static frames stays where the first frame has it."""
        files = raws_of("card", **{**BURST, "static": True})
        yy, xx = np.mgrid[0 : MIDDLE[1], 0 : MIDDLE[0]]
        painted = []
        for k, file in enumerate(files):
            frame = read_dng(file)
            codes = frame.codes.copy()
            codes[(yy - 300) ** 2 + (xx - 200 - 60 * k) ** 2 < 24**2] = 3200
            path = self.folder / f"{k}.dng"
            m = frame.meta
            write_dng(
                path,
                codes,
                tags(black=m.black, as_shot_neutral=m.as_shot_neutral, noise_profile=m.noise_profile),
                PREVIEW,
            )
            painted.append(path)
        merge("mean", painted, self.out)
        merged = plain_linear(read_dng(self.out))
        first = color_band(load_frame(painted[0]), 0, MIDDLE[1])
        for k in (2, 4, 6):
            spot = (slice(290, 310), slice(190 + 60 * k, 210 + 60 * k))
            self.assertLess(
                abs(float(merged[spot].mean() - first[spot].mean())), 0.03 * float(first[spot].mean()) + 0.002
            )

    def test_result_is_a_raw_for_everyone(self) -> None:
        files = raws_of("card", **BURST)
        result = merge("mean", files, self.out)
        frame = read_dng(self.out)
        self.assertEqual((frame.meta.kind, frame.codes.shape), ("linear", (MIDDLE[1], MIDDLE[0], 3)))
        one = read_dng(files[0]).meta
        assert frame.meta.noise_profile is not None and one.noise_profile is not None
        np.testing.assert_allclose(frame.meta.noise_profile, one.noise_profile / result.noise_gain**2, rtol=1e-5)
        np.testing.assert_allclose(frame.meta.as_shot_neutral, one.as_shot_neutral, rtol=1e-4)
        self.assertIn("mean of 8 frames", frame.meta.description)
        with rawpy.imread(str(self.out)) as raw:
            other = raw.postprocess(use_camera_wb=True, no_auto_bright=True)
        mine = Developer(open_source(self.out)).render(Recipe())
        self.assertEqual(other.shape, mine.shape)
        self.assertGreater(np.corrcoef(other[::7, ::7].ravel(), mine[::7, ::7].ravel())[0, 1], 0.9)
        json.dumps(result.as_json())


class Bracket(Folder):
    def radiance(self, static: bool) -> tuple[np.ndarray, np.ndarray, dict]:
        shots = taken("boiling-house", **{**BRACKET, "static": static})
        merge("bracket", raws_of("boiling-house", **{**BRACKET, "static": static}), self.out)
        merged = plain_linear(read_dng(self.out))
        reference = next(s for s in shots if s["ev"] == 0.0)
        phone = Phone("boiling-house", size=MIDDLE)
        transform = np.array(reference["transform"])
        capture = phone.shoot(Exposure(reference["iso"], reference["exposure_s"]), seed=6001, transform=transform)
        return merged, ideal_rgb(capture) / 8, shots[0]  # the shortest has an eighth of the light

    def test_radiance_is_the_scenes(self) -> None:
        """Against the least variance possible (Cramer-Rao), static frames; demosaicing averages, so it may be less."""
        merged, ideal, shot = self.radiance(True)
        a, b = shot["noise"]["a"], shot["noise"]["b"]
        exposures = np.array([1.0, 8.0, 64.0])
        light = ideal[40:-40, 40:-40].max(axis=2)
        kernel = np.ones((13, 13), np.uint8)
        # beside a window's edge the long frames are full, and the bound is that of the short one
        smooth = cv2.dilate(light, kernel) < 1.6 * np.maximum(cv2.erode(light, kernel), 1e-5)
        tested = 0
        # between these signals a frame's weight is fading out; the bound counts it whole or not at all
        for low, high in ((2e-4, 6e-4), (6e-4, 2e-3), (2e-3, 1.2e-2), (1.6e-2, 0.1), (0.13, 0.8)):
            green = ideal[40:-40, 40:-40, 1]
            here = smooth & (green > low) & (green < high)
            if here.sum() < 300:
                continue
            tested += 1
            x = green[here].astype(float)
            error = merged[40:-40, 40:-40, 1][here] - x
            bound = bracket_variance(x, exposures, np.full(3, a), np.full(3, b))
            self.assertLess(float(np.sqrt(np.mean(error**2 / bound))), 1.1, f"signal {low} to {high}")
            self.assertLess(abs(float(np.mean(error / x))), 0.005)
        self.assertGreaterEqual(tested, 3)

    def test_handheld_stays_close(self) -> None:
        merged, ideal, _ = self.radiance(False)
        good = (ideal[40:-40, 40:-40, 1] > 3e-4) & (ideal[40:-40, 40:-40, 1] < 0.5)
        ratio = merged[40:-40, 40:-40, 1][good] / ideal[40:-40, 40:-40, 1][good]
        self.assertLess(float(np.median(np.abs(np.log2(np.maximum(ratio, 1e-3))))), 0.06)

    def test_what_moves_is_seen_once(self) -> None:
        """A post that wanders over a tripod's bracket: where the middle frame has it, and nowhere else."""
        files = raws_of("card", size=MIDDLE, bracket=(-2.0, 0.0, 2.0), static=True)
        middles = (300, 480, 660)
        yy, xx = np.mgrid[0 : MIDDLE[1], 0 : MIDDLE[0]]
        painted = []
        for k, file in enumerate(files):
            frame = read_dng(file)
            codes, m = frame.codes.copy(), frame.meta
            black = float(np.mean(m.black))
            post = (abs(xx - middles[k]) < 14) & (abs(yy - 430) < 120)
            codes[post] = (black + 0.12 * (codes[post].astype(float) - black)).astype(np.uint16)
            path = self.folder / f"{k}.dng"
            notice = tags(black=m.black, as_shot_neutral=m.as_shot_neutral, noise_profile=m.noise_profile)
            write_dng(path, codes, dataclasses.replace(notice, exposure_s=m.exposure_s, iso=m.iso), PREVIEW)
            painted.append(path)
        merge("bracket", painted, self.out)
        whole = self.folder / "whole.dng"
        merge("bracket", list(files), whole)
        merged, clean = plain_linear(read_dng(self.out)), plain_linear(read_dng(whole))
        for k, x in enumerate(middles):
            spot = (slice(340, 520), slice(x - 10, x + 10))
            share = float(np.median(merged[spot][..., 1] / np.maximum(clean[spot][..., 1], 1e-6)))
            self.assertAlmostEqual(share, 0.12 if k == 1 else 1.0, delta=0.03 if k == 1 else 0.06)

    def test_range_grows(self) -> None:
        files = raws_of("boiling-house", **BRACKET)
        result = merge("bracket", files, self.out)
        frame = read_dng(self.out)
        self.assertEqual(frame.codes.dtype, np.float16)
        self.assertAlmostEqual(frame.meta.baseline_exposure, 3.0, places=2)
        self.assertGreater(result.range_ev, 14)
        self.assertEqual({Path(f.file).name for f in result.frames}, {Path(f).name for f in files})
        picture = Developer(open_source(self.out)).render(Recipe())
        middle = Developer(open_source(files[1])).render(Recipe())
        self.assertLess(abs(float(np.median(picture)) - float(np.median(middle))), 6)

    def test_order_does_not_matter(self) -> None:
        files = raws_of("boiling-house", **BRACKET)
        merge("bracket", files, self.out)
        other = self.folder / "other.dng"
        merge("bracket", files[::-1], other)
        np.testing.assert_array_equal(read_dng(self.out).codes, read_dng(other).codes)


class Refusals(Folder):
    def test_a_frame_given_twice_counts_once(self) -> None:
        first, second = raws_of("card", size=SMALL, count=2)
        copied = Path(shutil.copy2(first, self.folder / "copy.dng"))
        link = self.folder / "link.dng"
        link.symlink_to(first)
        with self.assertRaisesRegex(BrutoError, "two different"):
            merge("mean", [first, first, copied, link], self.folder / "m.dng")
        found = merge("mean", [first, copied, second, link], self.folder / "m.dng")
        self.assertEqual(sum(f.used for f in found.frames), 2)
        self.assertLess(found.noise_gain, 1.45)
        reasons = [f.reason for f in found.frames if not f.used]
        self.assertEqual(reasons, [f"the same picture as {Path(first).name}"] * 2)

    def test_too_few_or_unlike(self) -> None:
        files = raws_of("card", size=SMALL, count=2)
        with self.assertRaisesRegex(BrutoError, "at least two"):
            merge("mean", files[:1], self.out)
        with self.assertRaisesRegex(BrutoError, "same exposure"):
            merge("bracket", files, self.out)
        with self.assertRaisesRegex(BrutoError, "mean or median"):
            merge("mode", files, self.out)
        with self.assertRaisesRegex(BrutoError, "different size"):
            merge("mean", [files[0], raws_of("card", size=MIDDLE)[0]], self.out)
        self.assertFalse(self.out.exists())

    def test_one_broken_frame_is_named_and_left_out(self) -> None:
        files = [Path(shutil.copy2(f, self.folder)) for f in raws_of("card", size=SMALL, count=4)]
        files[2].write_bytes(files[2].read_bytes()[:5000])
        result = merge("mean", list(files), self.out)
        self.assertEqual([f.used for f in result.frames], [True, True, False, True])
        self.assertIn(files[2].name, result.frames[2].reason)
        self.assertEqual(len(result.as_json()["frames_rejected"]), 1)

    def test_another_scene_is_left_out(self) -> None:
        files = [*raws_of("card", size=SMALL, count=2), raws_of("pans", size=SMALL)[0]]
        result = merge("mean", files, self.out)
        self.assertEqual([f.used for f in result.frames], [True, True, False])

    def test_stopping_writes_nothing(self) -> None:
        burst = raws_of("card", size=SMALL, count=4)
        bracket = raws_of("card", size=SMALL, bracket=(-1.0, 0.0, 1.0))
        for method, files in (("mean", burst), ("median", burst), ("clipped", burst), ("bracket", bracket)):
            seen: list[str] = []
            with self.assertRaises(Cancelled):
                merge(
                    method, files, self.out, progress=lambda _, s, to=seen: to.append(s),
                    cancelled=lambda notice=seen: len(notice) >= 3,
                )  # fmt: skip
            self.assertEqual(len(seen), 3, method)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_every_frame_is_decoded_once(self) -> None:
        burst = raws_of("card", size=SMALL, count=4)
        bracket = raws_of("card", size=SMALL, bracket=(-1.0, 0.0, 1.0))
        for method, files in (("mean", burst), ("median", burst), ("clipped", burst), ("bracket", bracket)):
            with mock.patch("bruto.merge.frames.read_dng", wraps=read_dng) as decoded:
                merge(method, files, self.out, overwrite=True)
            self.assertEqual(
                sorted(Path(c.args[0]).name for c in decoded.call_args_list), sorted(f.name for f in files)
            )

    def test_an_unreadable_frame_of_a_bracket_is_named_and_left_out(self) -> None:
        files = [*raws_of("card", size=SMALL, bracket=(-1.0, 0.0, 1.0))]
        for data in (b"", files[0].read_bytes()[:3000]):
            damaged = self.folder / "damaged.dng"
            damaged.write_bytes(data)
            result = merge("bracket", [*files, damaged], self.out, overwrite=True)
            out = [f for f in result.frames if not f.used]
            self.assertEqual([Path(f.file).name for f in out], ["damaged.dng"])
            self.assertTrue(out[0].reason)
            self.assertEqual(len(result.frames), 4)

    def test_the_file_says_how_it_was_merged(self) -> None:
        merge("median", raws_of("card", size=SMALL, count=4), self.out)
        self.assertEqual(read_dng(self.out).meta.merged, "median of 4 frames")
        self.assertEqual(read_quick_metadata(self.out).merged, "median of 4 frames")
        self.assertEqual(read_quick_metadata(raws_of("card", size=SMALL, count=4)[0]).merged, "")
        self.assertEqual(merged_of(None, "Bruto 0.1", "bracket of 3 frames: a.dng"), "bracket of 3 frames")
        self.assertEqual(merged_of(None, "another program", "mean of all"), "")

    def test_finished_pictures_merge_too_and_it_is_said_that_they_hold_less(self) -> None:
        pictures = [s["files"][1] for s in taken("card", size=SMALL, count=4, iso=1600.0)]
        result = merge("mean", pictures, self.out)
        self.assertEqual(sum(f.used for f in result.frames), 4)
        self.assertIn("not raws", result.warnings[0])
        merged, one = Developer(open_source(self.out)), Developer(open_source(pictures[0]))
        self.assertEqual(merged.source.meta.kind, "linear")
        a, b = (d.render(Recipe()).astype(float) for d in (merged, one))
        self.assertLess(float(np.abs(a - b).mean()), 4.0)
        with rawpy.imread(str(self.out)) as raw:
            self.assertEqual(raw.postprocess().shape[:2], (SMALL[1], SMALL[0]))
        with self.assertRaisesRegex(BrutoError, "different size or kind"):
            merge("mean", [pictures[0], raws_of("card", size=SMALL, count=2)[0]], self.folder / "mixed.dng")

    def test_originals_stay_as_they_are(self) -> None:
        files = raws_of("card", size=SMALL, count=4)
        before = [(Path(f).read_bytes(), Path(f).stat().st_mtime_ns) for f in files]
        merge("mean", files, self.out)
        self.assertEqual([(Path(f).read_bytes(), Path(f).stat().st_mtime_ns) for f in files], before)
