"""The grid of Compare in the real window: versions and shots at once, equally bright, and one of them in a well."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from bruto.app.stage.compare_stage import CompareMode
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest, pixels
from tests.shots import SMALL, copy_of, taken


class GridOfMany(WindowTest):
    def fill(self) -> None:
        copy_of(taken("pans", size=SMALL, seed=2)[0]["files"], self.folder)
        copy_of([f for s in taken("sluice", size=SMALL, count=3, iso=400.0) for f in s["files"]], self.folder)

    def setUp(self) -> None:
        super().setUp()
        self.choose("pans-002")
        self.task(Task.COMPARE)
        self.page, self.grid = self.window.compare, self.window.session.grid
        self.view = self.page.grid.view

    def shown(self) -> None:
        self.wait(lambda: bool(self.grid.cells) and len(self.view.images) == len(self.grid.cells))
        self.settle()

    def to_grid(self) -> None:
        QTest.keyClick(self.window, Qt.Key.Key_7, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.page.mode, CompareMode.GRID)
        self.shown()

    def titles(self) -> list[str]:
        return [c.title for c in self.grid.cells]

    def test_what_there_is_of_a_shot_with_what_each_does(self) -> None:
        edit = self.window.correct.edit
        assert edit is not None
        edit.change("light", exposure=0.75)
        edit.versions.keep("brighter")
        self.to_grid()
        names = ["the raw, corrected", "the raw, default values", "version brighter", "the phone's picture"]
        self.assertEqual(self.titles(), names)
        self.assertIn("+0.75 EV", self.view.words(0))
        self.assertFalse(self.page.wells[0].isVisible())
        panes = self.view.panes()
        image = pixels(self.view.grab().toImage()).astype(float)
        light = [image[int(p.top()) : int(p.bottom()), int(p.left()) : int(p.right())].mean() for p in panes]
        self.assertGreater(light[0], light[1] + 3)
        self.assertAlmostEqual(light[0], light[2], delta=0.5)
        menu = self.page.grid.menu
        menu.aboutToShow.emit()
        next(a for a in menu.actions() if a.text() == "version brighter").trigger()
        self.shown()
        self.assertEqual(self.titles(), [n for n in names if "version" not in n])

    def test_selected_shots_at_equal_brightness_with_linked_zoom(self) -> None:
        self.choose("sluice-001-01")
        edit = self.window.correct.edit
        assert edit is not None
        edit.change("light", exposure=1.0)
        self.window.shoot.choose([s for s in self.window.shoot.shots if s.name.startswith("sluice")])
        self.to_grid()
        self.assertEqual(self.titles(), ["sluice-001-01", "sluice-001-02", "sluice-001-03"])
        self.assertIn("ISO 400", self.view.words(1))
        apart = self.lights()
        self.assertGreater(apart[0] / apart[1], 1.3)
        QTest.mouseClick(self.page.equal, LEFT, pos=QPoint(10, self.page.equal.height() // 2))
        self.shown()
        even = self.lights()
        self.assertAlmostEqual(even[0], even[1], delta=0.07 * even[0])
        self.assertRegex(self.view.words(1), r"\+\d\.\d EV for equal brightness")
        # the wheel over the third zooms into all of them, and sharp pieces follow
        pane = self.view.panes()[2]
        at = pane.center()
        for _ in range(14):
            wheel = QWheelEvent(
                at, QPointF(self.view.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton,
                Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
            )  # fmt: skip
            QApplication.sendEvent(self.view, wheel)
        self.assertGreater(self.view.zoom, 1.0)
        image = pixels(self.view.grab().toImage()).astype(float).mean(axis=2)
        parts = [image[int(p.top()) + 20 : int(p.top()) + 160, int(p.left()) + 20 : int(p.left()) + 160]
                 for p in self.view.panes()]  # fmt: skip
        self.assertGreater(np.corrcoef(parts[0].ravel(), parts[2].ravel())[0, 1], 0.6)

    def lights(self) -> list[float]:
        found = []
        for k in range(3):
            picture = pixels(self.view.images[k].at(1.0)).astype(float) / 255
            found.append(float(np.median((picture**2.2) @ [0.2126, 0.7152, 0.0722])))
        return found

    def test_one_of_them_is_set_beside_the_first(self) -> None:
        self.to_grid()
        pane = self.view.panes()[1]
        QTest.mouseDClick(self.view, LEFT, pos=pane.center().toPoint())
        self.assertEqual(self.page.mode, CompareMode.SIDE_BY_SIDE)
        self.assertEqual(self.page.wells[1].currentText(), "the raw, default values")
        self.to_grid()
        self.view.setFocus()
        QTest.keyClick(self.view, Qt.Key.Key_Right)
        QTest.keyClick(self.view, Qt.Key.Key_Right)
        QTest.keyClick(self.view, Qt.Key.Key_Return)
        self.assertEqual(self.page.wells[1].currentText(), "the phone's picture")

    def test_a_push_acts_on_all(self) -> None:
        self.to_grid()
        before = [pixels(self.view.images[k].at(1.0)).mean() for k in range(3)]
        slider = self.page.push.sliders["exposure"]
        slider.setFocus()
        for _ in range(3):
            QTest.keyClick(slider, Qt.Key.Key_Right)
        self.wait(lambda: self.window.session.comparing.push.exposure == 1.5)
        self.settle()
        self.shown()
        for k in range(3):
            self.assertGreater(pixels(self.view.images[k].at(1.0)).mean(), before[k] + 15)
