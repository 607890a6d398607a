"""The whole line in the real window: open, take suggestions, move a handle, compare, merge, deliver, undo."""

from __future__ import annotations

import json
import threading
from typing import Any
from unittest import mock

import numpy as np
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from bruto.app.stage.compare_stage import CompareMode
from bruto.compare.metrics import Aligned, aligned
from bruto.container.dng_reader import read_dng
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.export import queue
from bruto.output_planner import Outputs
from bruto.shoot.sidecar_places import sidecar_path
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest, pixels


class KeyboardWalk(WindowTest):
    def test_from_a_folder_to_a_finished_picture(self) -> None:
        w = self.window
        self.choose("card-003")
        develop, ledger, strip = w.correct, w.correct.ledger, w.correct.strip
        edit = develop.edit
        assert edit is not None
        self.assertEqual(develop.tag.text(), "RAW, developed")
        self.assertIn("mosaic", develop.kind.text())
        plain = self.picture()

        # take one suggestion, then all
        self.assertTrue(ledger.rows["exposure"].take.isVisible())
        QTest.mouseClick(ledger.rows["exposure"].take, LEFT)
        self.settle()
        self.assertEqual(edit.recipe.exposure, edit.suggestions["exposure"].value)
        self.assertGreater(self.picture().mean(), plain.mean() + 5)
        QTest.mouseClick(ledger.head.all_button, LEFT)
        self.settle()
        self.assertEqual(edit.open_suggestions(), [])
        self.assertFalse(ledger.head.all_button.isEnabled())
        taken = self.picture()

        # move a tone handle on the light strip: its foot up lifts the shadows
        handle = edit.recipe.tone.shadow
        foot = strip.foot_point("shadow")
        self.drag(strip, foot, foot + QPointF(75, 0))
        self.assertGreater(edit.recipe.tone.shadow.lightness, handle.lightness + 5)
        lifted = self.picture()
        dark = taken.mean(axis=2) < 60
        self.assertGreater(lifted[dark].mean(), taken[dark].mean() + 3)
        self.assertEqual(edit.sidecar.history[-1][0], "tone")

        # saved beside the raw, a moment later
        self.wait(lambda: sidecar_path(edit.path).is_file())
        saved = json.loads(sidecar_path(edit.path).read_text())
        self.assertEqual(saved["recipe"]["tone"]["shadow"], edit.recipe.tone.shadow.model_dump())

        # undo and redo, by keys
        QTest.keyClick(w, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.settle()
        np.testing.assert_array_equal(self.picture(), taken)
        QTest.keyClick(w, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        self.settle()
        np.testing.assert_array_equal(self.picture(), lifted)

        # compare with the phone's picture
        self.task(Task.COMPARE)
        self.wait(lambda: w.compare.stage.first is not None)
        self.assertIn("ALIGNED", w.compare.tag.text())
        values = w.compare.panel.values
        self.assertGreaterEqual(len(values), 8)
        self.assertTrue(all(float(a) >= 0 for a, _ in values.values()), values)
        first, second = w.compare.stage.first, w.compare.stage.second
        assert first is not None and second is not None
        self.assertEqual(first.at(1.0).size(), second.at(1.0).size())
        views = {}
        for mode, button in w.compare.buttons.items():
            QTest.mouseClick(button, LEFT)
            self.app.processEvents()
            views[mode] = pixels(w.compare.stage.grab().toImage())
        for mode in (CompareMode.SIDE_BY_SIDE, CompareMode.DIFFERENCE):
            self.assertGreater(np.abs(views[mode].astype(int) - views[CompareMode.CURTAIN]).mean(), 2, mode)

        # merge the burst, with one frame left out by a click on the chart
        self.task(Task.MERGE)
        self.choose("sluice-001-01")
        chart = w.merge.chart
        self.assertEqual(len(chart.shots), 4)
        QTest.mouseClick(chart, LEFT, pos=chart.bar(3).center().toPoint())
        self.assertEqual(w.merge.go.text(), "Merge 3 frames")
        QTest.mouseClick(w.merge.go, LEFT)
        self.wait(lambda: w.merge.open_button.isVisible())
        self.settle()
        merged = self.folder / "sluice-001-01-mean-of-3.dng"
        self.assertEqual(read_dng(merged).meta.kind, "linear")
        QTest.mouseClick(w.merge.open_button, LEFT)
        self.settle()
        self.assertEqual(w.task(), Task.CORRECT)
        self.assertEqual(w.correct.tag.text(), "MERGED, developed")

        # deliver the first shot
        self.choose("card-003")
        self.task(Task.EXPORT)
        w.export.folder.selectAll()
        QTest.keyClicks(w.export.folder, str(self.folder / "out"))
        w.export.form.widgets["format"].setCurrentText("PNG, 8 bit")
        QTest.mouseClick(w.export.go, LEFT)
        self.wait(lambda: bool(w.queue.jobs) and all(j.state == queue.DONE for j in w.queue.jobs))
        with Image.open(self.folder / "out/card-003.png") as image:
            found = np.asarray(image)
        np.testing.assert_array_equal(found, Developer(open_source(edit.path)).render(edit.recipe))
        self.app.processEvents()
        row = next(iter(w.export.jobs.rows.values()))
        self.assertTrue(row.state.text().startswith("done"))

        # everything taken back again
        self.task(Task.CORRECT)
        while edit.can_undo:
            QTest.mouseClick(ledger.head.undo_button, LEFT)
        self.settle()
        self.assertEqual(edit.recipe, Recipe())
        np.testing.assert_array_equal(self.picture(), plain)


class Subjects(WindowTest):
    """Answers reach the page and the shot that they were asked for, whatever is looked at meanwhile."""

    def compare_slowly(self) -> None:
        """Turn to Compare, whose work waits until `go` is set."""
        self.go = threading.Event()
        held = threading.Event()

        def slow(*pictures: Any) -> Aligned:
            held.set()
            self.go.wait(60)
            return aligned(*pictures)

        self.enterContext(mock.patch("bruto.session.comparison.aligned", slow))
        QTest.mouseClick(self.window.top.task_buttons[Task.COMPARE], LEFT)
        self.wait(held.is_set)

    def test_a_merge_that_ends_while_compare_works_leaves_both_shown(self) -> None:
        w = self.window
        burst = [s.main for s in w.shoot.shots if s.name.startswith("sluice-001")][:2]
        self.choose("card-003")
        w.page(Task.MERGE)
        self.compare_slowly()
        w.session.merging.start(burst, "mean", Outputs(burst).in_folder(self.folder, "m.dng"))
        self.wait(lambda: not w.session.merging.running)
        self.go.set()
        self.settle()
        self.assertIn("ALIGNED", w.compare.tag.text())
        self.assertIsNotNone(w.compare.stage.first)
        self.assertTrue((self.folder / "m.dng").is_file())

    def test_a_comparison_of_the_shot_before_is_not_shown(self) -> None:
        w = self.window
        self.choose("card-003")
        self.compare_slowly()
        w.shoot.select(next(s for s in w.shoot.shots if s.name == "pans-001"))  # a picture alone
        self.go.set()
        self.settle()
        self.assertEqual(w.compare.stage.names[0], "the picture, corrected")
