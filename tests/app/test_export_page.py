"""Export's presets by the hand: saved under a name, chosen again, deleted."""

from __future__ import annotations

import unittest

from PySide6.QtTest import QTest

from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest


class Presets(WindowTest):
    def test_a_preset_is_saved_chosen_again_and_deleted(self) -> None:
        self.choose("card-003")
        self.task(Task.EXPORT)
        page = self.window.export
        fields, saved = page.form.widgets, page.form.widgets["saved"]
        fields["format"].setCurrentText("PNG, 16 bit")
        fields["exif"].setChecked(False)
        QTest.keyClicks(page.name, "Archive")
        QTest.mouseClick(page.save, LEFT)
        self.assertEqual(saved.currentText(), "Archive")
        fields["format"].setCurrentText("JPEG")
        self.assertEqual(saved.currentText(), "none")  # it is not that one any more
        saved.setCurrentIndex(saved.findData("Archive"))
        self.assertEqual((page.preset().bits, page.preset().keep_exif), (16, False))
        QTest.mouseClick(page.delete, LEFT)
        self.task(Task.CORRECT)
        self.assertIsNone(page.stage.developer)  # behind other pages nothing is held
        self.task(Task.EXPORT)
        self.wait(lambda: page.stage.base is not None)
        self.assertEqual([saved.itemText(k) for k in range(saved.count())], ["none"])


if __name__ == "__main__":
    unittest.main()
