"""Pictures of a merge that runs."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

import numpy as np

from bruto.merge import live_preview
from bruto.merge.merger import merge
from bruto.session.merge_jobs import LiveView, _Developing
from bruto.simphone.capture_files import simulate
from tests.extent import share


class TestLive(unittest.TestCase):
    def test_every_method_shows_the_scene(self) -> None:
        """What is shown looks like the scene, whichever frames are in it, and grows frame by frame."""
        with TemporaryDirectory() as name:
            folder = Path(name)
            simulate("sluice", folder, size=(1008, 756), count=4, iso=800.0, seed=2)
            files = sorted(folder.glob("*.dng"))
            for method, summed in share((("mean", True), ("long-all", True), ("median", False), ("lighten", True)), 2):
                with self.subTest(method), patch.object(live_preview, "EVERY_S", 0.0):
                    developed, looks = _Developing(), []

                    def see(
                        picture: live_preview.LivePicture, looks: list[LiveView] = looks, d: _Developing = developed
                    ):
                        looks.append(d(picture))

                    merge(method, files, folder / f"{method}.out.dng", seen=see)
                    self.assertEqual([k.count for k in looks], list(range(5 - len(looks), 5)))
                    self.assertGreaterEqual(len(looks), 3)
                    for look in looks:
                        self.assertEqual((look.summed, look.size), (summed, (1008, 756)))
                        self.assertEqual(look.picture.shape, (378, 504, 3))
                    # the same scene in all of them: only noise, the hand and what moves differ
                    first, last = (k.picture.astype(float) for k in (looks[0], looks[-1]))
                    self.assertLess(np.abs(first - last).mean(), 12.0)
                    self.assertGreater(last.std(), 30.0)

    def test_not_too_often(self) -> None:
        seen: list[live_preview.LivePicture] = []
        one = live_preview.Live(seen.append)
        for k in range(50):
            one.show(lambda: self.fail("it was made, too early"), None, k)  # type: ignore[arg-type, return-value]
        self.assertEqual(seen, [])


if __name__ == "__main__":
    unittest.main()
