"""A newcomer's whole day by mouse and keyboard in a real window on a virtual display; see `day`."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from bruto.simphone.optics import Mishap
from tests.app.test_xvfb import TOOLS
from tests.extent import long
from tests.shots import SMALL, taken

LONGEST_S = 300
LARGE = (2016, 1512)
"""Pixels of a capture whose movement is seen."""


@unittest.skipUnless(all(shutil.which(t) for t in (*TOOLS, "xvfb-run")), "needs Xvfb and xdotool")
class Day(unittest.TestCase):
    @long
    def test_from_the_start_page_to_a_delivered_set(self) -> None:
        base = Path(self.enterContext(TemporaryDirectory()))
        folder = base / "Salt works"
        folder.mkdir()
        for name, scene, settings in (
            ("good", "pans", {"size": SMALL}),
            ("other", "sluice", {"size": SMALL, "iso": 400.0, "seed": 60}),
            ("still", "crystals", {"size": SMALL, "seed": 2}),
            ("card", "card", {"size": SMALL, "seed": 3}),
            ("clipped", "pans", {"size": SMALL, "ev": 2.5, "seed": 5}),
            ("shaken", "boiling-house", {"size": LARGE, "mishap": Mishap(motion_px=9, motion_deg=20), "seed": 30}),
        ):
            self.put(folder, name, taken(scene, **settings)[0]["files"])
        shutil.copy2(taken("crystals", size=SMALL)[0]["files"][-1], folder / "alone.jpg")
        for kind, shots in (
            ("burst", taken("sluice", size=SMALL, count=4, iso=800.0)),
            ("bracket", taken("boiling-house", size=SMALL, bracket=(-2.0, 0.0, 2.0))),
        ):
            for k, shot in enumerate(shots):
                self.put(folder, f"{kind}-0{k + 1}", shot["files"][:1])
        originals = {p: p.read_bytes() for p in folder.iterdir()}
        environment = {
            **os.environ, "QT_QPA_PLATFORM": "xcb", "XDG_STATE_HOME": str(base / "state"),
            "XDG_DATA_HOME": str(base / "data"), "HOME": str(base),
        }  # fmt: skip
        for part in ("first", "second"):
            done = subprocess.run(
                ["xvfb-run", "-a", "-s", "-screen 0 1400x900x24", sys.executable, "-m", "tests.app.day", folder, part],
                env=environment, capture_output=True, text=True, timeout=LONGEST_S,
            )  # fmt: skip
            self.assertEqual(done.returncode, 0, f"{part}: {done.stderr[-3000:]}")
        self.assertEqual({p: p.read_bytes() for p in originals}, originals)

    @staticmethod
    def put(folder: Path, name: str, files: list) -> None:
        for file in files:
            shutil.copy2(file, folder / f"{name}{Path(file).suffix}")
