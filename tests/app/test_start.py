"""The start page, what is remembered between windows, keys of one's own, the search for commands and the messages."""

from __future__ import annotations

import json
import subprocess
import sys
import unittest
from pathlib import Path

import platformdirs
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest

from bruto.app.widgets import theme
from bruto.app.widgets.command_search import CommandSearch
from bruto.app.widgets.plain_text import Label
from bruto.app.window import Window
from bruto.storage.settings import load_settings
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest

KEY = Qt.Key
CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


SLOW = ("scipy.stats", "scipy.optimize", "scipy.spatial", "scipy.sparse", "scipy.ndimage", "astropy", "jinja2", "rawpy")
"""Modules that take tenths of a second to import, and are wanted later if ever."""


class Imports(unittest.TestCase):
    def test_the_window_waits_for_nothing_it_does_not_need(self) -> None:
        code = f"import sys, bruto.app.window; print(*[m for m in {SLOW} if m in sys.modules])"
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
        self.assertEqual((done.stdout.strip(), done.returncode), ("", 0), done.stderr)


class Start(WindowTest):
    def again(self) -> None:
        """Close the window and open the next one."""
        self.window.close()
        self.window.deleteLater()
        self.app.processEvents()
        self.window = Window()
        self.window.confirm = lambda *_: True
        self.window.resize(1280, 800)
        self.window.show()
        self.app.processEvents()

    def test_nothing_open_shows_no_values(self) -> None:
        self.again()
        self.assertEqual(self.window.task(), Task.START)
        self.task(Task.CORRECT)
        self.assertFalse(self.window.correct.ledger.isVisible())
        self.assertFalse(self.window.correct.strip.isVisible())
        self.assertIn("Open a folder", self.window.correct.stage.message)

    def test_a_shoot_opens_where_one_was(self) -> None:
        self.window.open_shoot([str(self.folder)], "A day")
        self.settle()
        self.assertEqual(self.window.task(), Task.INTAKE)  # the first time
        self.choose_in_list("sluice-001-01")
        self.task(Task.COMPARE)
        self.window.correct.ledger.set_open_groups(["noise"])
        self.window.intake.use_order("name", "all")
        self.window.session.judge("keep")
        self.settle()
        self.again()
        start = self.window.page(Task.START)
        self.assertEqual([c.lines[0] for c in start.cards], ["A day"])
        self.assertIn("4 ", start.cards[0].lines[1])
        self.wait(lambda: start.cards[0].picture is not None)
        self.assertGreaterEqual(start.cards[0].height(), 80)
        self.assertTrue(start.cards[0].hasFocus())
        QTest.keyClick(start.cards[0], KEY.Key_Return)
        self.settle()
        self.assertEqual(self.window.task(), Task.COMPARE)
        self.assertEqual(self.window.shoot.current.name, "sluice-001-01")  # type: ignore[union-attr]
        self.assertEqual(self.window.correct.ledger.open_groups(), ["noise"])
        self.assertEqual(self.window.intake.board.cards.sort_by, "name")

    def choose_in_list(self, name: str) -> None:
        self.window.choose(next(s for s in self.window.shoot.shots if s.name == name))
        self.settle()

    def test_a_shoot_that_is_gone_is_told(self) -> None:
        self.window.open_shoot([str(self.folder)], "A day")
        self.settle()
        self.folder.rename(self.folder.with_name("elsewhere"))
        self.window.page(Task.START).fill()
        card = self.window.page(Task.START).cards[0]
        self.wait(lambda: not card.isEnabled())
        self.assertIn("not found", card.lines[1])
        self.folder.with_name("elsewhere").rename(self.folder)

    def test_what_is_remembered_stands_damage(self) -> None:
        place = Path(platformdirs.user_state_dir("bruto")) / "window.json"
        place.parent.mkdir(parents=True, exist_ok=True)
        for text in ("", "[1]", '{"theme": 7, "recent": [{"paths": 3}], "size": [1, 2], "keys": {"undo": "F12"}}'):
            place.write_text(text)
            found = load_settings()
            self.assertEqual((found.theme, found.size, found.recent), ("light", None, []))
        self.assertEqual(found.keys, {"undo": "F12"})
        self.again()
        self.window.close()
        self.assertEqual(json.loads(place.read_text())["theme"], theme.current().name)

    def test_keys_are_changed_and_kept(self) -> None:
        page = self.window.page(Task.KEYS)
        self.window.set_task(Task.KEYS)
        undo = next(c for c in page.commands if c.id == "undo")
        dialog = page.change(undo)
        for keys, text in (("Ctrl+Shift+Z", "already belongs to “Redo”"), ("K", "while you type")):
            dialog.field.setKeySequence(QKeySequence(keys))
            QTest.mouseClick(dialog.yes, LEFT)
            self.assertIn(text, dialog.why.text())
        dialog.field.setKeySequence(QKeySequence("Ctrl+J"))
        QTest.mouseClick(dialog.yes, LEFT)
        self.assertEqual(page.buttons["undo"].text(), "Ctrl+J")
        for keys, tip in (("F12", "Whole picture (F12)"), ("", "Whole picture"), ("F2", "Whole picture (F2)")):
            self.assertEqual(self.window.commands.set_keys("zoom", keys), "")
            self.assertEqual(self.window.correct.fit_button.toolTip().strip(), tip)
        self.window.activateWindow()
        self.choose("card-003")
        self.task(Task.CORRECT)
        edit = self.window.correct.edit
        assert edit is not None
        edit.change("exposure", exposure=0.5)
        QTest.keyClick(self.window, KEY.Key_Z, CTRL)
        self.assertEqual(edit.recipe.exposure, 0.5)
        QTest.keyClick(self.window, KEY.Key_J, CTRL)
        self.assertEqual(edit.recipe.exposure, 0.0)
        self.again()
        self.assertEqual(self.window.commands.keys_of("undo"), "Ctrl+J")

    def test_a_command_is_found_and_done(self) -> None:
        self.choose("card-003")
        self.task(Task.CORRECT)
        QTest.keyClick(self.window, KEY.Key_Space, CTRL)
        search = self.window.findChildren(CommandSearch)[0]
        QTest.keyClicks(search.words, "suggest apply all")
        QTest.keyClick(search.words, KEY.Key_Return)
        self.settle()
        edit = self.window.correct.edit
        assert edit is not None
        self.assertEqual(edit.open_suggestions(), [])

    def test_messages_are_kept_and_good_news_is_not_red(self) -> None:
        self.window.say("That cannot be.")
        self.assertEqual(
            (self.window.message.objectName(), self.window.status_bar.messages.button.text()), ("warning", "Messages 1")
        )
        self.window.tell("Done.")
        self.assertEqual(self.window.message.objectName(), "good")
        QTest.keyClick(self.window, KEY.Key_M, CTRL)
        self.app.processEvents()
        self.assertTrue(self.window.status_bar.drawer.isVisible())
        labels = [w.text() for w in self.window.status_bar.drawer.findChildren(Label)]
        self.assertTrue(any(t.endswith("That cannot be.") for t in labels))
        self.assertEqual(self.window.status_bar.messages.button.text(), "Messages")
        self.window.correct.stage.setFocus()
        QTest.keyClick(self.window, KEY.Key_Escape)
        self.assertFalse(self.window.status_bar.drawer.isVisible())
