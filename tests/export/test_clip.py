"""Sequences as clips: what flickers is evened out, what changes slowly stays; what cannot be read is named."""

from __future__ import annotations

import json
import math
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from typer.testing import CliRunner

from bruto.cli import app
from bruto.develop.recipe import Recipe
from bruto.errors import BrutoError, Cancelled
from bruto.export.clip import flicker, make_clip, usual_recipe
from bruto.simphone.capture import FIRST_SHOT, Exposure, Phone
from bruto.simphone.capture_files import save
from bruto.storage.atomic_write import Target

SIZE = (252, 188)
COUNT = 13


def shown(path: Path) -> tuple[list[np.ndarray], float]:
    """Pictures of a clip, and frames per second."""
    import av

    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        return [f.to_ndarray(format="rgb24") for f in container.decode(stream)], float(stream.average_rate or 0)


class ClipJobs(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.place = TemporaryDirectory()
        cls.addClassCleanup(cls.place.cleanup)
        folder = Path(cls.place.name)
        phone = Phone("sluice", size=SIZE)
        metered = phone.meter(-1.0)
        random = np.random.default_rng(5)
        cls.wrong = random.uniform(-0.25, 0.25, COUNT)
        cls.files = []
        for k in range(COUNT):
            slow = 0.05 * k  # it grows lighter
            exposure = Exposure(metered.iso, metered.seconds * 2 ** (float(cls.wrong[k]) + slow))
            path = folder / f"lapse-{k:02d}.dng"
            save(phone.shoot(exposure, seed=k), path, FIRST_SHOT)
            cls.files.append(path)

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.out = self.folder / "lapse.mp4"

    def test_flicker_goes_and_dawn_stays(self) -> None:
        clip = make_clip(self.files, Target(self.out), Recipe(), rate=12.0, long_edge=240)
        pictures, rate = shown(self.out)
        self.assertEqual((len(pictures), clip.frames, rate), (COUNT, COUNT, 12.0))
        self.assertEqual(pictures[0].shape[1::-1], clip.size)
        self.assertEqual(max(clip.size), 240)
        light = np.array([float(np.mean((p / 255.0) ** 2.2)) for p in pictures])
        ev = np.log2(light)
        steps = np.diff(ev[2:-2])  # at the ends there are few neighbours
        self.assertLess(float(np.abs(steps - steps.mean()).max()), 0.5 * float(np.abs(np.diff(self.wrong)).max()))
        self.assertGreater(ev[-3] - ev[2], 0.2)
        self.assertGreater(clip.flicker_ev, 0.1)

    def test_slow_changes_are_meant(self) -> None:
        self.assertLess(float(np.abs(flicker(np.linspace(0, 3, 40))).max()), 1e-9)
        self.assertLess(float(np.abs(flicker([math.sin(k / 30) for k in range(90)])).max()), 0.02)

    def test_an_unreadable_frame_is_named(self) -> None:
        broken = self.folder / "broken.dng"
        broken.write_bytes(self.files[0].read_bytes()[:3000])
        clip = make_clip([*self.files[:3], broken], Target(self.out), Recipe(), long_edge=128)
        self.assertEqual((clip.frames, [name for name, _ in clip.left_out]), (3, ["broken.dng"]))
        self.assertIsInstance(usual_recipe([broken, *self.files[:2]], lambda path: None), Recipe)

    def test_refusals_and_stopping_leave_nothing(self) -> None:
        with self.assertRaisesRegex(BrutoError, "MP4"):
            make_clip(self.files, Target(self.folder / "a.avi"), Recipe())
        with self.assertRaisesRegex(BrutoError, "frames per second"):
            make_clip(self.files, Target(self.out), Recipe(), rate=0.0)
        with self.assertRaisesRegex(BrutoError, "at least two"):
            make_clip(self.files[:1], Target(self.out), Recipe())
        asked = []

        def stop() -> bool:
            asked.append(1)
            return len(asked) > COUNT + 3

        with self.assertRaises(Cancelled):
            make_clip(self.files, Target(self.out), Recipe(), cancelled=stop)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_by_command(self) -> None:
        names = [str(f) for f in self.files[:4]]
        ran = CliRunner().invoke(app, ["clip", *names, "-o", str(self.out), "--long-edge", "128", "--json"])
        self.assertEqual(ran.exit_code, 0, ran.output)
        self.assertEqual(json.loads(ran.stdout)["frames"], 4)
        again = CliRunner().invoke(app, ["clip", *names, "-o", str(self.files[0])])
        self.assertNotEqual(again.exit_code, 0)
