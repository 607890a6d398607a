"""The list of commands: each has one key, and is found on the sheet, in the menu and by its key."""

from __future__ import annotations

import unittest

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest

from bruto.app.pages.pages import PAGES, all_commands
from bruto.tasks import Task
from tests.app.windows import WindowTest


class Lists(unittest.TestCase):
    def test_ids_and_keys_are_used_once(self) -> None:
        commands = all_commands()
        for values in ([c.id for c in commands], [c.keys for c in commands if c.keys], [p.title for p in PAGES]):
            self.assertEqual(len(values), len(set(values)))
        self.assertGreater(len(commands), 30)


class Keys(WindowTest):
    def test_the_sheet_lists_and_finds_commands(self) -> None:
        QTest.keyClick(self.window, Qt.Key.Key_F1)
        self.assertEqual(self.window.task(), Task.KEYS)
        self.assertFalse(self.window.shots.isVisible())
        page = self.window.page(Task.KEYS)
        self.assertEqual(set(page.shown), {c.id for c in all_commands()})
        QTest.keyClicks(page.words, "undo")
        self.assertIn("undo", page.shown)
        self.assertLess(len(page.shown), 5)
        QTest.keyClick(self.window, Qt.Key.Key_2, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.window.task(), Task.CORRECT)
        self.assertTrue(self.window.top.task_buttons[Task.CORRECT].isChecked())

    def test_the_menu_says_what_can_be_done_and_keys_go_on_after_it(self) -> None:
        self.window.shoot.select(None)
        menu = self.window.top.menu_button.menu()
        menu.aboutToShow.emit()
        self.assertFalse(self.window.commands.actions["apply-all"].isEnabled())
        menu.aboutToHide.emit()
        self.choose("card-003")
        steps = len(self.window.correct.edit.sidecar.history)
        QTest.keyClick(self.window, Qt.Key.Key_A, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(len(self.window.correct.edit.sidecar.history), steps + 1)

    def test_the_path_of_a_shot_is_copied(self) -> None:
        self.choose("card-003")
        self.window.commands.actions["copy-path"].trigger()
        self.assertEqual(QGuiApplication.clipboard().text(), str(self.folder / "card-003.dng"))


if __name__ == "__main__":
    unittest.main()
