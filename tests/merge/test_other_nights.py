"""Nights of another generator, of which the judge knows nothing: bad frames are found, no good one is lost."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import cv2
import numpy as np
from benchmarks.other_nights import KINDS, trial

from bruto.container.dng_reader import read_dng
from bruto.errors import BrutoError
from bruto.merge.merger import merge
from bruto.merge.sky.night_judge import CLOUD_SHARE, _coarse, _fine, _uneven, contrasts_of
from tests.extent import long, share
from tests.other_nights import Night, Sky, save
from tests.photographs import light_of
from tests.truth import plain_linear

SMALL = {"size": (1008, 756), "focal_px": 770.0}
HARD = (
    Night(frames=20, pushed=(5,), dewed=(16, 17), clouded={10: 0.9, 11: 0.8}, twilight=3.0, seed=51, **SMALL),
    Night(frames=20, moonrise=3.0, pole=(0.5, 0.4), clock="equal", clouded={7: 0.95, 8: 0.95}, seed=52, **SMALL),
    Night(frames=12, ground=False, clock="none", distortion=0.06, stars=2500, seed=53, **SMALL),
    Night(frames=6, pole=(0.5, 0.4), lamp=True, clock="no exif", seed=54, **SMALL),
)


class OtherNights(unittest.TestCase):
    def test_bad_frames_are_found_and_no_good_one_is_lost(self) -> None:
        for night in share(HARD, 2):
            with self.subTest(seed=night.seed):
                self.assertEqual(trial(night), (set(), {}, ""))

    @long
    def test_every_kind_at_full_size(self) -> None:
        for name, night in KINDS.items():
            with self.subTest(name):
                self.assertEqual(trial(night), (set(), {}, ""))

    def test_three_frames_make_trails_or_say_why_not(self) -> None:
        with TemporaryDirectory() as folder:
            files = list(
                save(replace(HARD[0], frames=3, dewed=(), pushed=(), clouded=None, twilight=0.0), Path(folder))
            )
            try:
                result = merge("trails", files, Path(folder) / "out.dng")
            except BrutoError as error:
                self.fail(str(error))
            self.assertEqual(sum(f.used for f in result.frames), 3)


class Odd(unittest.TestCase):
    """Frames that no night has."""

    def merged(self, change: Callable[[int, np.ndarray], np.ndarray]) -> list[str]:
        """Reasons of the frames of trails, "" of those that are used."""
        whole = Sky.frame
        with (
            TemporaryDirectory() as folder,
            mock.patch.object(Sky, "frame", lambda sky, k: change(k, whole(sky, k))),
        ):
            files = list(save(Night(frames=8, seed=61, **SMALL), Path(folder)))
            return [f.reason for f in merge("trails", files, Path(folder) / "out.dng").frames]

    def test_another_scene_and_a_tripod_that_was_turned_are_named(self) -> None:
        other = cv2.resize(light_of("chelsea"), SMALL["size"]) * np.float32(0.05)

        def change(k: int, frame: np.ndarray) -> np.ndarray:
            return other if k == 4 else np.roll(frame, (9, 14), (0, 1)) if k == 6 else frame

        reasons = self.merged(change)
        self.assertEqual([k for k, why in enumerate(reasons) if why], [4, 6])
        self.assertIn("nothing stands where it does in the others", reasons[4])

    def test_a_cap_on_the_lens_is_no_cloud(self) -> None:
        self.assertEqual(self.merged(lambda k, frame: np.zeros_like(frame)), [""] * 8)


class StarFields(unittest.TestCase):
    def test_every_good_frame_is_used_and_noise_falls_by_their_root(self) -> None:
        night = Night(frames=8, ground=False, distortion=0.06, lamp=True, pushed=(5,), seed=55, **SMALL)
        with TemporaryDirectory() as folder:
            files = list(save(night, Path(folder)))
            result = merge("sky", files, Path(folder) / "field.dng")
            self.assertEqual({Path(f.file).name for f in result.frames if not f.used}, {files[5].name})
            one, merged = (plain_linear(read_dng(path)) for path in (files[3], result.output))
        green = (one[0::2, 1::2] + one[1::2, 0::2]) / 2
        half = cv2.resize(merged[..., 1], green.shape[::-1], interpolation=cv2.INTER_AREA)
        noise = [
            float(np.median(np.abs(p - cv2.GaussianBlur(p, (0, 0), 4))[20:180, 20:450]))
            for p in (green.astype(np.float32), half.astype(np.float32))
        ]
        self.assertGreater(noise[0] / noise[1], 0.95 * 7**0.5)


class Measures(unittest.TestCase):
    def setUp(self) -> None:
        random = np.random.default_rng(2)
        still = np.zeros((200, 300), np.float32)
        for _ in range(60):
            x, y = random.integers(10, 190, 2)
            cv2.rectangle(still, (int(x), int(y)), (int(x) + 20, int(y) + 9), float(random.uniform(0.3, 1)), -1)
        self.still, self.random = still, random
        edges = np.abs(_fine(still))
        self.places = np.nonzero((edges > np.percentile(edges, 95)).ravel())[0]

    def contrasts(self, frames: list[np.ndarray]) -> list[float]:
        return contrasts_of(frames, _fine(self.still), _coarse(self.still), self.places)

    def test_light_does_not_change_the_contrast_and_a_push_does(self) -> None:
        frames = [self.still * light for light in (1.0, 0.5, 3.0, 1.2, 1.0, 0.9)]
        frames.append(cv2.blur(self.still, (7, 7)))
        found = self.contrasts(frames)
        np.testing.assert_allclose(found[:-1], 1.0, atol=0.03)
        self.assertLess(found[-1], 0.8)

    def test_a_bright_star_on_an_edge_changes_nothing(self) -> None:
        frames = [self.still.copy() for _ in range(8)]
        for k, frame in enumerate(frames):
            cv2.circle(frame, (60 + 3 * k, 80), 4, 40.0, -1)
        np.testing.assert_allclose(self.contrasts(frames), 1.0, atol=0.03)

    def test_twilight_is_even_and_clouds_are_not(self) -> None:
        y, x = np.mgrid[:18, :24] / np.array([18.0, 24.0])[:, None, None]
        usual, sky = (0.03 + 0.02 * x).astype(np.float32), np.ones((18, 24), bool)
        for even in (usual * 4, usual + 0.1, usual * 2 + (0.03 * y).astype(np.float32)):
            self.assertEqual(_uneven(even.astype(np.float32), usual, sky), 0.0)
        clouded = usual.copy()
        clouded[:9, :12] *= 1.5
        self.assertGreater(_uneven(clouded, usual, sky), CLOUD_SHARE)


if __name__ == "__main__":
    unittest.main()
