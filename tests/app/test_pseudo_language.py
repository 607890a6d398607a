"""Every text of the window comes through the catalogue, and a longer language fits."""

from __future__ import annotations

import os
import subprocess
import sys
import unittest

from bruto.catalog import pseudo

LONGEST_S = 300


class PseudoLanguage(unittest.TestCase):
    def test_names_of_parts_stay(self) -> None:
        template = "{n:d} frames of {{second}}, {share:.1f} %"
        text = pseudo(template).format(n=3, share=0.5).format(second="B")
        self.assertTrue(text.startswith("⟦3 frámés óf B, 0.5 %"), text)
        self.assertGreater(len(text), 1.3 * len("3 frames of B, 0.5 %"))

    def test_nothing_is_cut_or_missed(self) -> None:
        """In a process of its own: texts are looked up when their modules are imported."""
        environment = {**os.environ, "BRUTO_LANGUAGE": "pseudo", "QT_QPA_PLATFORM": "offscreen"}
        done = subprocess.run(
            [sys.executable, "-m", "unittest", "tests.app.pseudo_walk"],
            env=environment, capture_output=True, text=True, timeout=LONGEST_S,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr[-6000:])


if __name__ == "__main__":
    unittest.main()
