"""Some hundred of the damaged files, kills and full disks that are tried by the thousand before a release."""

from __future__ import annotations

import os
import tempfile
import unittest
from pathlib import Path

from tests import kills, limits, mutations
from tests.extent import count


class Campaigns(unittest.TestCase):
    def test_damaged_files_of_every_kind(self) -> None:
        tried = count(2000, 150)
        found = mutations.run(tried, seed=11)
        self.assertEqual(found["bad"], [])
        self.assertEqual(found["tried"], tried)
        self.assertLess(found["slowest_s"], mutations.LONGEST_S)
        self.assertLess(found["most_mb"], mutations.MOST_MB)

    def test_a_damage_that_is_not_caught_is_told(self) -> None:
        from unittest import mock

        with tempfile.TemporaryDirectory() as name, mock.patch.dict(os.environ, {"XDG_DATA_HOME": name}):
            folder = Path(name)
            known = {kind: [b"any"] for kind in mutations.KINDS}
            with mock.patch.object(mutations, "_tried", side_effect=TypeError("int() argument")):
                kind, outcome = mutations.try_one(0, 1, known, folder)
            self.assertEqual(kind, "dng")
            self.assertIn("TypeError", outcome)

    def test_killed_at_any_moment(self) -> None:
        times = count(60, 6)
        self.assertEqual(sum(kills.run(times, seed=3).values()), times)

    @unittest.skipUnless(os.geteuid() == 0, "needs the rights of root")
    def test_without_the_right_to_read(self) -> None:
        before = dict(os.environ)
        try:
            with tempfile.TemporaryDirectory() as name:
                os.chmod(name, 0o777)
                self.assertGreater(limits.no_permission(Path(name)), 60)
        finally:
            os.environ.clear()
            os.environ.update(before)
