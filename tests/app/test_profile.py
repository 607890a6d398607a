"""Profile and base look in the real window: a processed raw with a look of its own, and a profile from a file."""

from __future__ import annotations

from pathlib import Path
from unittest import mock

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from bruto.app.ledger.profile_row import FROM_FILE
from bruto.container.profile import CameraProfile, HueSatMap
from bruto.tasks import Task
from tests.again import write_profile
from tests.app.windows import LEFT, WindowTest
from tests.shots import SMALL, copy_of, taken


class ProfileRows(WindowTest):
    def fill(self) -> None:
        copy_of([taken("crystals", size=SMALL, kind="linear")[0]["files"][0]], self.folder)
        copy_of([taken("card", size=SMALL, seed=3)[0]["files"][0]], self.folder)
        copy_of([taken("pans", size=SMALL)[0]["files"][1]], self.folder)

    def setUp(self) -> None:
        super().setUp()
        self.task(Task.CORRECT)
        self.row = self.window.correct.ledger.profile

    def open_kind(self, kind: str) -> None:
        shot = next(s for s in self.window.shoot.shots if s.seen is not None and s.seen.kind == kind)
        self.choose(shot.name)

    def test_base_look_is_dropped_kept_and_taken(self) -> None:
        self.open_kind("linear")
        kept = self.picture()
        self.assertIn("the phone evens the light", self.row.brings.text())
        QTest.mouseClick(self.row.keep, LEFT)
        self.settle()
        dropped = self.picture()
        self.assertFalse(self.window.correct.edit.recipe.base_look)
        self.assertEqual(self.row.keep.text(), "Base look off")
        self.assertGreater(float(np.abs(kept.astype(int) - dropped).mean()), 3)
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.settle()
        np.testing.assert_array_equal(self.picture(), kept)
        self.assertTrue(self.row.take.isVisible())
        QTest.mouseClick(self.row.take, LEFT)
        self.settle()
        np.testing.assert_array_equal(self.picture(), dropped)
        self.assertFalse(self.row.take.isVisible())

    def test_a_profile_from_a_file_changes_color_and_a_lost_one_is_told(self) -> None:
        self.open_kind("mosaic")
        self.assertFalse(self.row.keep.isVisible())
        table = np.zeros((1, 6, 3, 3), np.float32)
        table[..., 0], table[..., 1:] = 30, 1  # every hue turned by 30 degrees
        path = self.folder / "turned.dcp"
        write_profile(path, CameraProfile("Turned", hue_sat=(HueSatMap(table),)))
        before = self.picture()
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            index = self.row.box.findData(FROM_FILE)
            self.row.box.setCurrentIndex(index)
            self.row.box.activated.emit(index)
        self.settle()
        self.assertEqual(self.window.correct.edit.recipe.profile, str(path))
        self.assertIn("hue and saturation map 6 × 3 × 1", self.row.brings.text())
        self.assertGreater(float(np.abs(before.astype(int) - self.picture()).mean()), 2)
        Path(path).unlink()
        self.window.correct.ledger.refresh()
        self.assertIn("no longer exists", self.row.brings.text())
        reset = next(b for b in self.row.findChildren(type(self.row.keep)) if b.accessibleName() == "Reset profile")
        QTest.mouseClick(reset, LEFT)
        self.settle()
        self.assertEqual(self.window.correct.edit.recipe.profile, "own")
        np.testing.assert_array_equal(self.picture(), before)

    def test_a_picture_has_no_profile_to_choose(self) -> None:
        self.open_kind("picture")
        self.assertFalse(self.row.isVisible())
