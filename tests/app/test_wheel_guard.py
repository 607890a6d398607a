"""Nothing surprises in the hand: wheel, focus, numbers, Enter and Escape on every page, and keys inside the ledger."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDoubleSpinBox,
    QScrollBar,
    QToolTip,
    QWidget,
)

from bruto.app.ledger.rows import Track
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest, pixels

KEY = Qt.Key
TASKS = (Task.PLAN, Task.INTAKE, Task.CORRECT, Task.COMPARE, Task.MERGE, Task.EXPORT, Task.LOGBOOK, Task.PRACTICE)
NONE = Qt.KeyboardModifier.NoModifier
MOST_CHANGED = 1 / 3
"""Share of a widget's pixels that the focus may change: a ring, never a fill."""


def wheel(widget: QWidget, clicks: int = -1) -> None:
    """Turn the wheel over the middle of a widget, as the window system does."""
    at = QPointF(widget.rect().center())
    event = QWheelEvent(
        at, widget.mapToGlobal(at), QPoint(), QPoint(0, 120 * clicks), Qt.MouseButton.NoButton, NONE,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


class Hand(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.choose("card-003")

    def widgets(self, *kinds: type) -> list[QWidget]:
        page = self.window.pages.currentWidget()
        return [w for w in page.findChildren(QWidget) if isinstance(w, kinds or (QWidget,)) and w.isVisible()]

    def state(self) -> tuple:
        """What no wheel, Enter or Escape may change."""
        edit = self.window.correct.edit
        assert edit is not None
        boxes = [w.currentIndex() for w in self.window.findChildren(QComboBox)]
        plan = self.window.session.plan_editor.document.plan
        return edit.recipe, len(edit.sidecar.history), boxes, dict(self.window.shoot.verdicts), plan

    def test_the_wheel_changes_nothing_that_has_no_focus_and_no_choice_at_all(self) -> None:
        self.task(Task.PLAN)  # there is one from now on
        for task in TASKS:
            self.task(task)
            self.window.correct.ledger.unfold()
            self.window.setFocus()
            before = self.state()
            held = [w for w in self.widgets(QAbstractSpinBox, QComboBox, QAbstractSlider, Track)
                    if not isinstance(w, QScrollBar)]  # fmt: skip
            values = [w.value() for w in held if isinstance(w, QAbstractSlider)]
            for widget in held:
                wheel(widget)
                self.assertFalse(widget.hasFocus(), f"{task}: the wheel gave the focus to {widget.accessibleName()}")
            self.assertEqual(self.state(), before, task)
            self.assertEqual([w.value() for w in held if isinstance(w, QAbstractSlider)], values)
            for box in self.widgets(QComboBox):
                box.setFocus()
                wheel(box)
            self.assertEqual(self.state(), before, task)

    def test_focus_is_a_ring(self) -> None:
        """On every page and each widget that keys get to: at most a third of its pixels change."""
        for task in TASKS:
            self.task(task)
            self.window.correct.ledger.set_open_groups(["light", "white", "noise", "tone", "color"])
            self.settle()
            for widget in self.widgets():
                if widget.focusPolicy() == Qt.FocusPolicy.NoFocus or not widget.isEnabled():
                    continue
                self.window.top.task_buttons[Task.INTAKE].setFocus()
                self.app.processEvents()
                before = pixels(widget.grab().toImage())
                widget.setFocus(Qt.FocusReason.TabFocusReason)
                self.app.processEvents()
                if not widget.hasFocus():
                    continue
                after = pixels(widget.grab().toImage())
                h, w = (min(a, b) for a, b in zip(before.shape[:2], after.shape[:2], strict=True))
                changed = (np.abs(after[:h, :w].astype(int) - before[:h, :w]).max(axis=2) > 8).mean()
                name = f"{task}: {type(widget).__name__} {widget.accessibleName() or widget.objectName()}"
                text = isinstance(widget, QAbstractSpinBox) or widget.inherits("QLineEdit")  # its number is selected
                self.assertLess(changed, 0.8 if text else MOST_CHANGED, name)

    def test_commas_points_and_signs_are_numbers(self) -> None:
        self.task(Task.CORRECT)
        edit, spin = self.window.correct.edit, self.window.correct.ledger.rows["exposure"].spin
        assert edit is not None
        for typed, value in (("0,8", 0.8), ("-1.25", -1.25), ("+2", 2.0), (".3", 0.3), ("1 ", 1.0)):
            QTest.mouseClick(spin.lineEdit(), LEFT)
            self.app.processEvents()
            QTest.keyClicks(spin, typed)
            QTest.keyClick(spin, KEY.Key_Return)
            self.assertAlmostEqual(edit.recipe.exposure, value, msg=typed)
            self.settle()
        self.assertEqual(spin.valueFromText("−0,5 EV"), -0.5)

    def test_what_cannot_be_is_told_at_the_field(self) -> None:
        self.task(Task.CORRECT)
        edit, spin = self.window.correct.edit, self.window.correct.ledger.rows["exposure"].spin
        assert edit is not None
        edit.change("x", exposure=0.4)
        QTest.mouseClick(spin.lineEdit(), LEFT)
        self.app.processEvents()
        QTest.keyClicks(spin, "a")
        self.assertIn("Type a number", spin.refused)
        QTest.keyClicks(spin, "99")
        QTest.keyClick(spin, KEY.Key_Return)
        self.assertIn("Exposure must be between", spin.refused)
        self.wait(lambda: "Exposure must be between" in QToolTip.text())  # it outlives the change of focus
        self.assertFalse(spin.lineEdit().hasSelectedText())
        self.assertEqual(edit.recipe.exposure, spin.maximum())
        QTest.mouseClick(spin.lineEdit(), LEFT)
        spin.selectAll()
        QTest.keyClicks(spin, "3")
        QTest.keyClick(spin, KEY.Key_Escape)
        self.assertEqual((edit.recipe.exposure, spin.value()), (spin.maximum(), spin.maximum()))

    def test_enter_and_escape_change_nothing(self) -> None:
        self.task(Task.PLAN)
        for task in TASKS:
            self.task(task)
            before = self.state()
            for widget in self.widgets(QDoubleSpinBox):
                self.assertEqual(
                    widget.buttonSymbols(), QDoubleSpinBox.ButtonSymbols.NoButtons, widget.accessibleName()
                )
            for widget in self.widgets(QAbstractSpinBox, QComboBox, Track):
                for key in (KEY.Key_Escape, KEY.Key_Enter):
                    widget.setFocus()
                    QTest.keyClick(widget, key)
                    if isinstance(widget, QComboBox):
                        widget.hidePopup()
            self.assertEqual(self.state(), before, task)
            self.assertEqual(self.window.task(), task)

    def test_escape_leaves_and_enter_ends_a_tool_wherever_the_focus_is(self) -> None:
        self.task(Task.CORRECT)
        page = self.window.correct
        for tool, on in (
            (lambda: page.tools.toggle_pick("white"), lambda: page.stage.picking),
            (lambda: page.toggle_frame_tool("frame_button"), lambda: page.framing),
            (lambda: page.tone_button.setChecked(True), lambda: page.tone_button.isChecked()),
        ):
            for holder in (page.stage, page.strip, page.ledger.rows["exposure"], page.fit_button):
                tool()
                self.settle()
                self.assertTrue(on())
                holder.setFocus()
                QTest.keyClick(QApplication.focusWidget() or page, KEY.Key_Escape)
                self.settle()
                self.assertFalse(on(), type(holder).__name__)
        for holder in (page.stage, page.strip, page.fit_button):
            page.toggle_frame_tool("frame_button")
            self.settle()
            holder.setFocus()
            QTest.keyClick(QApplication.focusWidget() or page, KEY.Key_Return)
            self.settle()
            self.assertFalse(page.framing, type(holder).__name__)

    def test_a_drag_with_shift_is_fine(self) -> None:
        self.task(Task.CORRECT)
        track, edit = self.window.correct.ledger.rows["contrast"].track, self.window.correct.edit
        assert edit is not None
        start, far = track.rect().center(), track.rect().center() + QPoint(20, 0)
        ends = []
        for held in (NONE, Qt.KeyboardModifier.ShiftModifier):
            QTest.mousePress(track, LEFT, pos=start)
            began = edit.recipe.contrast
            QTest.mouseRelease(track, LEFT, held, pos=far)
            ends.append(edit.recipe.contrast - began)
            self.settle()
        self.assertGreater(ends[0], 0)
        self.assertAlmostEqual(ends[1], ends[0] / 10, delta=0.02)

    def test_a_handle_follows_finely_with_shift(self) -> None:
        self.task(Task.CORRECT)
        strip, edit = self.window.correct.strip, self.window.correct.edit
        assert edit is not None
        moved = []
        for held in (NONE, Qt.KeyboardModifier.ShiftModifier):
            foot, before = strip.foot_point("shadow"), edit.recipe.tone.shadow.lightness
            QTest.mousePress(strip, LEFT, pos=foot.toPoint())
            QTest.mouseRelease(strip, LEFT, held, pos=(foot + QPointF(50, 0)).toPoint())
            self.settle()
            moved.append(edit.recipe.tone.shadow.lightness - before)
        self.assertGreater(moved[0], 4)
        self.assertAlmostEqual(moved[1], moved[0] / 10, delta=0.3)


class LedgerByKeys(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.choose("card-003")
        self.task(Task.CORRECT)
        self.ledger = self.window.correct.ledger
        assert self.window.correct.edit is not None
        self.edit = self.window.correct.edit

    def key(self, key: Qt.Key, held: Qt.KeyboardModifier = NONE) -> None:
        QTest.keyClick(QApplication.focusWidget(), key, held)
        self.app.processEvents()

    def test_the_ledger_is_one_stop_and_arrows_go_through_it(self) -> None:
        body = self.ledger.scroll_area.widget()
        assert body is not None
        self.window.correct.strip.setFocus()
        inside = []
        for _ in range(14):
            self.key(KEY.Key_Tab)
            focus = QApplication.focusWidget()
            inside.append(focus is not None and body.isAncestorOf(focus))
        self.assertEqual(sum(inside), 1)
        self.ledger.rows["exposure"].setFocus()
        self.key(KEY.Key_Down)
        self.assertIs(QApplication.focusWidget(), self.ledger.rows["contrast"])
        for _ in range(3):  # the row, the switch of its group, the head of the group
            self.key(KEY.Key_Up)
        self.assertIs(QApplication.focusWidget(), self.ledger.groups["light"].button)
        seen = set()
        for _ in range(120):
            seen.add(QApplication.focusWidget())
            self.key(KEY.Key_Down, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(seen, set(self.ledger.walk.stops()))

    def test_a_row_is_worked_by_keys(self) -> None:
        row = self.ledger.rows["exposure"]
        row.setFocus()
        self.assertTrue(row.evidence.isVisible())
        self.key(KEY.Key_Right)
        self.assertAlmostEqual(self.edit.recipe.exposure, row.ui.step)
        self.key(KEY.Key_Backspace)
        self.assertEqual(self.edit.recipe.exposure, 0.0)
        self.key(KEY.Key_Equal)
        self.assertEqual(self.edit.recipe.exposure, self.edit.suggestions["exposure"].value)
        QTest.keyClicks(row, "1")
        QTest.keyClicks(row.spin, ",5")
        self.key(KEY.Key_Return)
        self.assertEqual(self.edit.recipe.exposure, 1.5)
        self.assertIs(QApplication.focusWidget(), row)
        self.key(KEY.Key_Space)
        self.assertIn("exposure", self.edit.recipe.bypassed)

    def test_a_row_is_found_by_a_part_of_its_name(self) -> None:
        opened = self.ledger.open_groups()
        QTest.keyClick(self.window, KEY.Key_F, Qt.KeyboardModifier.ControlModifier)
        QTest.keyClicks(self.ledger.head.row_finder, "local c")
        shown = [f for f, r in self.ledger.rows.items() if r.isVisible()]
        self.assertEqual(
            shown, ["haze", "local_contrast_fine", "local_contrast_medium", "local_contrast_broad"]
        )  # the group says it, too
        self.ledger.head.row_finder.clear()
        self.assertEqual(self.ledger.open_groups(), opened)
