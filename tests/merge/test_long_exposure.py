"""Long exposures of many frames: still things, water, and who passes by, against what is known by making."""

from __future__ import annotations

import json
import math
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np
from skimage import data
from typer.testing import CliRunner

from bruto.cli import app
from bruto.cli.merge import add_merges
from bruto.color.spaces import decode_srgb
from bruto.container.dng_reader import read_dng
from bruto.merge.merger import merge
from bruto.merge.methods import METHODS
from bruto.merge.methods.long_exposure import longer_by, without_passing
from bruto.merge.methods.method import MergeSteps
from tests.again import write_dng
from tests.container.test_dng import PREVIEW, tags
from tests.truth import plain_linear

SIZE = (720, 480)
FRAMES = 24
NOISE = np.tile([[2e-4, 4e-6]], (3, 1))
WATER = slice(330, 460)
LAMP = (80, 60)


def scenes(seed: int = 0) -> list[np.ndarray]:
    """Light (H, W, 3) of frames: a photograph that stands still, water below, a passer-by in three of them."""
    random = np.random.default_rng(seed)
    w, h = SIZE
    still = decode_srgb(cv2.resize(data.coffee()[..., :3], SIZE, interpolation=cv2.INTER_AREA) / 255.0) * 0.4 + 0.02
    found = []
    for k in range(FRAMES):
        frame = still.copy()
        waves = cv2.GaussianBlur(random.normal(0, 1, (h, w)), (0, 0), 3)
        frame[WATER] = (0.12 * np.exp(0.45 * waves / waves.std()))[WATER, :, None] * [0.8, 1.0, 1.1]
        if 10 <= k < 13:
            x = 60 + 140 * (k - 10)
            frame[100:400, x : x + 90] = [0.5, 0.3, 0.1]
        if 5 <= k < 8:  # a light that moves
            frame[LAMP[1] : LAMP[1] + 3, LAMP[0] + 40 * (k - 5) : LAMP[0] + 40 * (k - 5) + 40] = 0.9
        found.append(frame)
    return found


def written(folder: Path, frames: list[np.ndarray], seed: int = 1) -> list[Path]:
    random = np.random.default_rng(seed)
    files = []
    for k, light in enumerate(frames):
        spread = np.sqrt(NOISE[:, 0] * light + NOISE[:, 1])
        noisy = light + random.normal(0, 1, light.shape) * spread
        codes = np.clip(np.rint(noisy * (65535 - 2048) + 2048), 0, 65535).astype(np.uint16)
        path = folder / f"f{k:02d}.dng"
        notice = tags(cfa="", noise_profile=NOISE, black=np.full(3, 2048.0), white=np.full(3, 65535.0), bits=16,
                    iso=100.0, exposure_s=0.5, taken=f"2026:06:21 20:00:{k:02d}", gain_maps=())  # fmt: skip
        write_dng(path, codes, notice, PREVIEW)
        files.append(path)
    return files


class Long(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.place = TemporaryDirectory()
        cls.folder = Path(cls.place.name)
        cls.frames = scenes()
        cls.files = written(cls.folder, cls.frames)
        cls.made = {m.key: cls.merged(m.key) for m in METHODS if m.command == "long"}

    @classmethod
    def tearDownClass(cls) -> None:
        cls.place.cleanup()

    @classmethod
    def merged(cls, key: str) -> tuple[np.ndarray, object]:
        out = cls.folder / f"{key}.dng"
        result = merge(key, cls.files, out)
        return plain_linear(read_dng(out)), result

    def still(self) -> np.ndarray:
        """Where nothing ever moves."""
        all_of = np.stack(self.frames)
        return np.ptp(all_of, axis=0).max(axis=2) < 1e-9

    def test_still_parts_gain_nearly_all(self) -> None:
        light, result = self.made["long"]
        still = self.still()
        error = (light - self.frames[0])[still]
        one = plain_linear(read_dng(self.files[0]))
        gain = (one - self.frames[0])[still].std() / error.std()
        self.assertGreater(gain, 0.9 * math.sqrt(FRAMES))
        self.assertAlmostEqual(result.noise_gain / gain, 1, delta=0.08)  # type: ignore[attr-defined]
        self.assertAlmostEqual(result.equivalent_stops, math.log2(FRAMES), places=3)  # type: ignore[attr-defined]

    def test_who_passes_leaves_less_than_a_twentieth(self) -> None:
        light, _ = self.made["long"]
        kept, _ = self.made["long-all"]
        passing = np.zeros(SIZE[::-1], bool)
        for k in range(3):
            passing[100:320, 60 + 140 * k : 150 + 140 * k] = True
        person, clean = np.array([0.5, 0.3, 0.1]), self.frames[0]
        room = np.abs(person - clean)[passing].mean()
        left = np.abs((light - clean)[passing].mean(axis=0)).max()
        self.assertLess(left, 0.05 * room / FRAMES * 3)
        self.assertLess(float(np.abs(light - clean)[passing].mean()), 0.05 * room)
        self.assertGreater(float(np.abs(kept - clean)[passing].mean()), 0.6 * room / FRAMES)  # there where it is kept

    def test_water_is_as_smooth_as_in_the_mean(self) -> None:
        light, _ = self.made["long"]
        truth = np.mean([f for k, f in enumerate(self.frames) if not 10 <= k < 13], axis=0)
        water = (slice(410, 450), slice(20, -20))
        spread = light[water].std() / truth[water].std()
        self.assertLess(spread, 1.2)
        self.assertAlmostEqual(float(light[water].mean() / truth[water].mean()), 1, delta=0.06)

    def test_traces_of_light(self) -> None:
        light, _ = self.made["lighten"]
        line = light[LAMP[1] + 1, LAMP[0] : LAMP[0] + 120].mean(axis=1)
        np.testing.assert_allclose(line, 0.9, atol=0.05)
        mean, _ = self.made["long-all"]
        self.assertLess(float(mean[LAMP[1] + 1, LAMP[0] : LAMP[0] + 120].mean()), 0.4)

    def test_stacks_with_holes(self) -> None:
        random = np.random.default_rng(0)
        stack = random.normal(0.2, 0.01, (12, 8, 9, 3)).astype(np.float32)
        stack[3:, :2] = np.nan  # three frames only
        stack[:, 2] = np.nan
        found = without_passing(stack, NOISE)
        np.testing.assert_allclose(found[:2], stack[:3, :2].mean(axis=0), atol=1e-6)
        np.testing.assert_array_equal(found[2], 0)
        np.testing.assert_allclose(found[3:].mean(), 0.2, atol=0.002)

    def test_what_it_says_before(self) -> None:
        notice = longer_by([MergeSteps(2.0, 100)] * 64)
        self.assertEqual(notice, "Like one exposure of 2.1 min, 6.0 stops longer than each frame.")
        self.assertIn("3.0 stops", longer_by([MergeSteps(None, None)] * 8))

    def test_the_command_line(self) -> None:
        add_merges()
        run = CliRunner().invoke(
            app,
            [
                "merge",
                "long",
                *map(str, self.files[:6]),
                "-o",
                str(self.folder / "c.dng"),
                "--light",
                "lighten",
                "--json",
            ],
        )
        self.assertEqual(run.exit_code, 0, run.output)
        self.assertAlmostEqual(json.loads(run.stdout)["equivalent_stops"], math.log2(6), places=2)
        for option, value in (("--light", "dark"), ("--passers-by", "some")):
            run = CliRunner().invoke(
                app, ["merge", "long", *map(str, self.files[:2]), "-o", str(self.folder / "d.dng"), option, value]
            )
            self.assertIn(f"{option} must be", str(run.exception))
            self.assertFalse((self.folder / "d.dng").exists())
