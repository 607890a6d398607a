"""The frame in the real window: cropping by dragging, ratios, levelling by a line, and what files then hold."""

from __future__ import annotations

import math
import unittest
from unittest import mock

import numpy as np
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from bruto.app.stage import picture_tools
from bruto.app.stage.crop_tool import CropTool, dragged, lean
from bruto.container.orientation import orient
from bruto.export.preset import ExportPreset
from bruto.export.queue import export_shot
from bruto.shoot.sidecar import load_sidecar
from tests.app.test_correct_page import DevelopTest
from tests.app.windows import LEFT, pixels

KEY = Qt.Key


class CropOnThePicture(DevelopTest):
    def setUp(self) -> None:
        super().setUp()
        self.edit.change("x", crop=None, horizon=0.0, verticals=0.0)
        self.settle()

    def framing(self) -> CropTool:
        QTest.keyClick(self.window, KEY.Key_F, Qt.KeyboardModifier.AltModifier)
        self.settle()
        self.assertTrue(self.page.framing)
        assert self.page.stage.crop is not None
        return self.page.stage.crop

    def corner(self, x: float, y: float) -> QPointF:
        r = self.page.frame_tool.crop.rect(self.page.stage.frame_rect())
        return QPointF(r.left() + x * r.width(), r.top() + y * r.height())

    def test_dragging_a_corner_keeps_less(self) -> None:
        whole = self.page.stage.frame_size
        self.framing()
        self.drag(self.page.stage, self.corner(1, 1), self.corner(0.6, 0.5))
        crop = self.edit.recipe.crop
        assert crop is not None
        self.assertAlmostEqual(crop[2], -0.5 + 0.6, delta=0.02)
        self.assertEqual(self.edit.sidecar.history[-1][0], "crop")
        QTest.keyClick(self.window, KEY.Key_F, Qt.KeyboardModifier.AltModifier)
        self.settle()
        self.assertFalse(self.page.framing)
        w, h = self.page.stage.frame_size
        self.assertAlmostEqual(w / whole[0], 0.6, delta=0.03)
        self.assertAlmostEqual(h / whole[1], 0.5, delta=0.03)
        shown = self.picture()
        self.assertAlmostEqual(shown.shape[1] / shown.shape[0], w / h, delta=0.02)
        self.assertIn(f"{w} × {h} px", self.ledger.frame_part.left.text())
        QTest.keyClick(self.window, KEY.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.settle()
        self.assertEqual(self.page.stage.frame_size, whole)

    def test_a_ratio_is_kept_while_dragging(self) -> None:
        self.show("frame")
        part = self.ledger.frame_part
        part.box.setCurrentIndex(part.box.findText("1 : 1"))
        part.box.activated.emit(part.box.currentIndex())
        self.settle()
        w, h = self.page.stage.frame_size
        self.assertEqual(w, h)
        self.framing()
        self.drag(self.page.stage, self.corner(0, 0), self.corner(0.3, 0.2))
        QTest.keyClick(self.window, KEY.Key_F, Qt.KeyboardModifier.AltModifier)
        self.settle()
        smaller = self.page.stage.frame_size
        self.assertLess(smaller[0], 0.85 * w)
        self.assertAlmostEqual(smaller[0] / smaller[1], 1.0, delta=0.02)
        part.box.setCurrentIndex(part.box.findText("3 : 2"))
        part.box.activated.emit(part.box.currentIndex())
        QTest.mouseClick(part.turn, LEFT)
        self.settle()
        w, h = self.page.stage.frame_size
        self.assertAlmostEqual(w / h, 2 / 3, delta=0.02)

    def test_a_line_along_something_leaning_levels_it(self) -> None:
        QTest.keyClick(self.window, KEY.Key_L, Qt.KeyboardModifier.AltModifier)
        self.settle()
        self.assertTrue(self.page.framing)
        start = self.corner(0.3, 0.4)
        end = start + QPointF(200, 200 * math.tan(math.radians(4.0)))
        self.drag(self.page.stage, start, end)
        self.assertAlmostEqual(self.edit.recipe.horizon, -4.0, delta=0.3)
        self.assertFalse(self.ledger.frame_part.line_button.isChecked())
        # the crop is what holds only picture: smaller than the frame, of its shape
        QTest.keyClick(self.window, KEY.Key_F, Qt.KeyboardModifier.AltModifier)
        self.settle()
        w, h = self.page.stage.frame_size
        ow, oh = self.page.developer.source.meta.oriented_size  # type: ignore[union-attr]
        self.assertLess(w, 0.97 * ow)
        self.assertAlmostEqual(w / h, ow / oh, delta=0.02)

    def test_levelling_changes_the_picture_and_stays_over_a_restart(self) -> None:
        before = self.picture()
        self.show("frame")
        row = self.ledger.rows["horizon"]
        row.track.setFocus()
        for _ in range(20):
            QTest.keyClick(row.track, KEY.Key_Right)
        self.settle()
        self.assertAlmostEqual(self.edit.recipe.horizon, 2.0, delta=0.05)
        shown = self.picture()
        h, w = min(before.shape[0], shown.shape[0]), min(before.shape[1], shown.shape[1])
        self.assertGreater(float(np.abs(shown[:h, :w].astype(int) - before[:h, :w]).mean()), 2)
        self.page.save()
        assert self.page.shot is not None
        self.assertAlmostEqual(load_sidecar(self.page.shot.main)[0].recipe.horizon, 2.0, delta=0.05)

    def test_files_hold_what_the_stage_shows(self) -> None:
        self.edit.change("x", crop=(-0.2, -0.1, 0.3, 0.2), horizon=1.5)
        self.settle()
        assert self.page.shot is not None
        export_shot(self.page.shot.main, self.folder / "a.jpg", self.edit.recipe, ExportPreset())
        with Image.open(self.folder / "a.jpg") as picture:
            self.assertEqual(picture.size, self.page.stage.frame_size)

    def test_picking_and_framing_take_turns(self) -> None:
        """A click cannot both pick white and take hold of the crop."""
        self.framing()
        self.ledger.pick_buttons["white"].setChecked(True)
        self.settle()
        self.assertFalse(self.page.framing)
        self.assertIsNone(self.page.stage.crop)
        self.framing()
        self.assertFalse(self.ledger.pick_buttons["white"].isChecked())

    def test_before_is_shown_in_the_same_frame_as_the_tool(self) -> None:
        self.edit.change("x", horizon=6.0)
        self.framing()
        self.page.show_before(True)
        self.settle()
        assert self.page.stage.before is not None and self.page.stage.base is not None
        before, now = self.page.stage.before, self.page.stage.base
        self.assertEqual((before.width(), before.height()), (now.width(), now.height()))
        self.page.show_before(False)

    def test_zoom_buttons_say_how_another_shot_is_shown(self) -> None:
        """A cropped shot at 1:1, then a whole one: it is fitted, and the buttons say so."""
        self.edit.change("x", crop=(-0.3, -0.2, 0.2, 0.2))
        self.settle()
        self.page.stage.set_one_to_one()
        self.settle()
        self.assertTrue(self.page.one_button.isChecked())
        self.choose("pans-001")
        self.assertTrue(self.page.stage.fit)
        self.assertTrue(self.page.fit_button.isChecked())
        self.assertFalse(self.page.one_button.isChecked())

    def test_the_bar_never_cuts_its_tag(self) -> None:
        bar = self.page.tag.parentWidget()
        for width in (1280, 1024):
            self.window.resize(width, 700)
            for tag in ("PROCESSED RAW, developed", "PICTURE ONLY, developed", "PREVIEW INSIDE THE FILE"):
                self.page.tag.setText(tag)
                self.settle()
                self.assertGreaterEqual(self.page.tag.width(), self.page.tag.sizeHint().width(), (width, tag))
                self.assertLessEqual(self.page.tone_button.geometry().right(), bar.width())

    def test_a_quarter_turn_takes_the_crop_along(self) -> None:
        """Buttons and keys turn the picture; undo turns it back; the sidecar keeps it."""
        self.edit.change("x", crop=(-0.3, -0.2, 0.1, 0.25))
        self.settle()
        before = self.picture()
        size = self.page.stage.frame_size
        QTest.keyClick(self.window, KEY.Key_Right, Qt.KeyboardModifier.AltModifier)
        self.settle()
        self.assertEqual(self.page.stage.frame_size, size[::-1])
        self.assertEqual(self.edit.recipe.crop, (-0.25, -0.3, 0.2, 0.1))
        developer = self.page.developer
        assert developer is not None
        now = orient(developer.view(self.edit.recipe, 2), developer.source.meta.orientation)
        self.page.edit.undo()  # type: ignore[union-attr]
        self.settle()
        self.assertEqual(self.page.stage.frame_size, size)
        np.testing.assert_array_equal(self.picture(), before)
        developer = self.page.developer
        assert developer is not None
        back = orient(developer.view(self.edit.recipe, 2), developer.source.meta.orientation)
        np.testing.assert_array_equal(now, np.rot90(back, -1))
        self.show("frame")
        QTest.mouseClick(self.ledger.frame_part.left_button, LEFT)
        self.settle()
        self.assertEqual(self.edit.recipe.turns, 3)
        self.page.save()
        self.choose("pans-001")
        self.choose("card-003")
        self.assertEqual(self.page.stage.frame_size, size[::-1])
        self.assertFalse(self.ledger.frame_part.area_button.isVisible())

    def test_the_list_shows_what_was_made_of_a_shot(self) -> None:
        """Developed and turned like the picture on the stage; made anew once it is changed from elsewhere."""
        edit, thumbs = self.edit, self.window.shots.model.thumbs
        key = str(edit.path)
        edit.change("exposure", exposure=0.1)
        self.wait(lambda: thumbs[key][1] == "developed")
        self.assertGreater(thumbs[key][0].width(), thumbs[key][0].height())
        dark = pixels(thumbs[key][0]).mean()
        QTest.keyClick(self.window, KEY.Key_Right, Qt.KeyboardModifier.AltModifier)
        edit.change("exposure", exposure=1.5)
        self.wait(
            lambda: thumbs[key][0].width() < thumbs[key][0].height() and pixels(thumbs[key][0]).mean() > dark + 20
        )
        edit.undo()
        edit.undo()
        edit.undo()
        self.wait(lambda: thumbs[key][0].width() > thumbs[key][0].height())
        self.choose("pans-001")
        dark = pixels(thumbs[key][0]).mean()
        edit.change("exposure", exposure=1.5)
        self.wait(lambda: pixels(thumbs[key][0]).mean() > dark + 20)

    def test_picking_works_in_a_cropped_and_turned_picture(self) -> None:
        """A click in the turned, cropped picture measures the surface that is seen there."""
        developer = self.page.developer
        assert developer is not None
        self.edit.change("x", crop=(-0.3, -0.15, 0.1, 0.15), horizon=6.0)
        self.settle()
        w, h = self.page.stage.frame_size
        shape = developer.geometry(self.edit.recipe)
        seen = []
        with mock.patch.object(
            picture_tools, "white_at", side_effect=lambda d, x, y, *_: seen.append((x, y)) or (5000, 0, None)
        ):
            self.ledger.pick_buttons["white"].setChecked(True)
            self.click(self.page.stage, self.page.stage.to_widget(0.2 * w, 0.7 * h))
        x, y = shape.places(np.array([0.2 * w]), np.array([0.7 * h]))
        self.assertAlmostEqual(seen[0][0] * shape.sensor_size[0], float(x[0]), delta=2)
        self.assertAlmostEqual(seen[0][1] * shape.sensor_size[1], float(y[0]), delta=2)
        # turned clockwise: what lies left of the middle was recorded lower than it is seen
        self.assertGreater(float(y[0]), 0.7 * h - 0.15 * shape.sensor_size[0] + shape.sensor_size[1] / 2)


class Dragging(unittest.TestCase):
    def test_rectangles_stay_inside_and_keep_their_ratio(self) -> None:
        random = np.random.default_rng(3)
        parts = ("left", "right", "top", "bottom", "top left", "top right", "bottom left", "bottom right", "inside")
        for ratio in (0.0, 1.0, 0.6, 2.2):
            crop = (0.3, 0.3, 0.3 + 0.2 * (ratio or 1), 0.5)
            for _ in range(200):
                part = parts[random.integers(len(parts))]
                crop = dragged(crop, part, *random.uniform(-0.5, 0.5, 2), ratio)
                x0, y0, x1, y1 = crop
                self.assertTrue(-1e-9 <= x0 < x1 <= 1 + 1e-9 and -1e-9 <= y0 < y1 <= 1 + 1e-9, (crop, part))
                if ratio:
                    self.assertAlmostEqual((x1 - x0) / (y1 - y0), ratio, delta=1e-6)

    def test_lines_say_how_far_they_lean(self) -> None:
        self.assertAlmostEqual(lean(0, 0, 100, 100 * math.tan(math.radians(5))) or 0, -5, places=6)
        self.assertAlmostEqual(lean(100, 0, 0, 0) or 0, 0, places=6)
        plumb = lean(0, 0, 100 * math.tan(math.radians(5)), 100)  # leans to the right going down
        self.assertAlmostEqual(plumb or 0, 5, places=6)
        self.assertIsNone(lean(0, 0, 3, 3))
