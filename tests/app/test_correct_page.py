"""Develop in the real window: groups, the hue ring, picking, curves, tints, channels, tone by hand, leaving out."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import IDENTITY, SWAP_RED_BLUE
from bruto.shoot.sidecar import load_sidecar
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest
from tests.shots import SMALL, copy_of, taken

KEY = Qt.Key


class DevelopTest(WindowTest):
    def fill(self) -> None:
        copy_of([taken("card", size=SMALL, seed=3)[0]["files"][0]], self.folder)
        copy_of([taken("pans", size=SMALL)[0]["files"][0]], self.folder)

    def setUp(self) -> None:
        super().setUp()
        self.task(Task.CORRECT)
        self.choose("card-003")
        self.page = self.window.correct
        self.ledger = self.page.ledger
        assert self.page.edit is not None
        self.edit = self.page.edit

    def show(self, group: str) -> None:
        """Unfold a group and bring it on screen."""
        self.ledger.groups[group].set_open(True)
        for _ in range(3):
            self.app.processEvents()
        self.ledger.scroll_area.ensureWidgetVisible(self.ledger.groups[group].content)
        self.app.processEvents()

    def click(self, widget: QWidget, at: QPointF) -> None:
        QTest.mouseClick(widget, LEFT, pos=at.toPoint())
        self.settle()

    def drag(self, widget: QWidget, start: QPointF, end: QPointF) -> None:
        QTest.mousePress(widget, LEFT, pos=start.toPoint())
        for share in (0.4, 0.8, 1.0):
            QTest.mouseMove(widget, (start + (end - start) * share).toPoint())
            self.app.processEvents()
        QTest.mouseRelease(widget, LEFT, pos=end.toPoint())
        self.settle()

    def changed(self, before: np.ndarray) -> float:
        return float(np.abs(self.picture().astype(int) - before).mean())


class Groups(DevelopTest):
    def test_folding_shows_a_sentence_and_unfolding_the_rows(self) -> None:
        group = self.ledger.groups["noise"]
        group.set_open(True)
        self.assertTrue(self.ledger.rows["chroma_noise"].isVisible())
        QTest.mouseClick(group.button, LEFT)
        self.assertFalse(self.ledger.rows["chroma_noise"].isVisible())
        self.assertIn("0.80 × σ", group.sentence.text())
        self.edit.change("x", luminance_noise=0.35)
        self.assertIn("0.35 × σ", group.sentence.text())
        QTest.mouseClick(group.button, LEFT)
        self.assertTrue(self.ledger.rows["chroma_noise"].isVisible())

    def test_open_suggestions_are_counted_in_the_groups(self) -> None:
        total = sum(g._open_count for g in self.ledger.groups.values())
        self.assertEqual(self.ledger.head.all_button.text(), f"Apply all {total}")
        QTest.mouseClick(self.ledger.head.all_button, LEFT)
        self.settle()
        self.assertEqual(sum(g._open_count for g in self.ledger.groups.values()), 0)

    def test_leaving_a_group_out_and_using_it_again(self) -> None:
        neutral = self.picture()
        self.edit.change("x", exposure=1.2)
        self.settle()
        bright = self.picture()
        group = self.ledger.groups["light"]
        QTest.mouseClick(group.bypass, LEFT)
        self.settle()
        np.testing.assert_array_equal(self.picture(), neutral)
        self.assertEqual(self.edit.recipe.exposure, 1.2)
        self.assertFalse(self.ledger.rows["exposure"].isEnabled())
        QTest.mouseClick(group.bypass, LEFT)
        self.settle()
        np.testing.assert_array_equal(self.picture(), bright)

    def test_leaving_one_row_out(self) -> None:
        """The value is kept and does not count, the rest of the group does; one step of history each."""
        self.edit.change("x", exposure=0.8)
        self.settle()
        without = self.picture()
        self.edit.change("x", contrast=1.4)
        self.settle()
        with_it = self.picture()
        row = self.ledger.rows["contrast"]
        steps = len(self.edit.sidecar.history)
        QTest.mouseClick(row.used, LEFT, pos=QPoint(8, row.used.height() // 2))
        self.settle()
        np.testing.assert_array_equal(self.picture(), without)
        self.assertEqual((self.edit.recipe.contrast, self.edit.recipe.bypassed), (1.4, ("contrast",)))
        self.assertFalse(row.track.isEnabled())
        self.assertIn("off", row.evidence.text())
        self.assertTrue(self.ledger.rows["exposure"].track.isEnabled())
        self.assertEqual(len(self.edit.sidecar.history), steps + 1)
        QTest.mouseClick(row.used, LEFT, pos=QPoint(8, row.used.height() // 2))
        self.settle()
        np.testing.assert_array_equal(self.picture(), with_it)


class Dragging(DevelopTest):
    def setUp(self) -> None:
        super().setUp()
        self.page.stage.zoom_by(
            0.4 / self.page.stage.zoom, QPointF(300, 200)
        )  # where no sharp piece is laid over the whole
        self.settle()

    def test_a_slow_picture_is_coarse_while_dragged_and_sharp_after(self) -> None:
        """A quick one is always sharp."""

        def width() -> int:
            self.settle()
            assert self.page.stage.base is not None
            return self.page.stage.base.width()

        sharp = width()
        for took, most in ((500.0, 0.6), (20.0, 1.0)):
            self.page.renderer.whole_ms = took
            self.edit.change("exposure", final=False, exposure=took / 1000)
            self.assertLessEqual(width(), most * sharp)
            self.assertEqual(width() == sharp, most == 1)
            self.edit.change("exposure", exposure=0.6)
            self.assertEqual(width(), sharp)


class PickingWhite(DevelopTest):
    def test_surface_and_square_are_those_chosen(self) -> None:
        """A click reads what was chosen; leaves under the same light give another white than grey does."""
        self.show("white")
        part = self.ledger.white
        found = []
        for kind in ("grey", "leaves"):
            part.surface.setCurrentIndex(part.surface.findData(kind))
            QTest.keyClick(self.window, Qt.Key.Key_W, Qt.KeyboardModifier.AltModifier)
            self.assertTrue(self.ledger.pick_buttons["white"].isChecked())
            self.click(self.page.stage, self.page.stage.to_widget(*(0.5 * n for n in self.page.stage.frame_size)))
            self.settle()
            self.assertFalse(self.ledger.pick_buttons["white"].isChecked())
            self.assertEqual(self.edit.sidecar.history[-1][0], f"white:{kind}")
            recipe = self.edit.recipe
            found.append(recipe.raw_neutral or (recipe.temperature, recipe.tint))
        self.assertNotEqual(*found)


class MidGrey(DevelopTest):
    def test_the_place_that_is_clicked_becomes_mid_grey(self) -> None:
        """From two EV under and from one over, the same place ends at the same L*, near that of grey."""
        self.show("light")
        found = []
        for start in (-2.0, 1.0):
            self.edit.change("exposure", exposure=start)
            QTest.keyClick(self.window, Qt.Key.Key_G, Qt.KeyboardModifier.AltModifier)
            self.assertTrue(self.ledger.pick_buttons["grey"].isChecked())
            self.click(self.page.stage, self.page.stage.to_widget(*(0.5 * n for n in self.page.stage.frame_size)))
            self.settle()
            self.assertFalse(self.page.stage.picking)
            self.assertEqual(self.edit.sidecar.history[-1][0], "mid_grey")
            picture = self.picture().astype(float)
            h, w = picture.shape[:2]
            place = picture[h // 2 - 2 : h // 2 + 3, w // 2 - 2 : w // 2 + 3].mean((0, 1)) / 255
            linear = np.where(place <= 0.04045, place / 12.92, ((place + 0.055) / 1.055) ** 2.4)
            found.append(116 * np.cbrt(linear @ (0.2126, 0.7152, 0.0722)) - 16)
        self.assertAlmostEqual(found[0], found[1], delta=0.6)
        self.assertAlmostEqual(found[0], 50, delta=8)


class Hues(DevelopTest):
    def test_a_node_is_made_on_the_ring_moved_and_removed(self) -> None:
        self.show("hues")
        editor = self.ledger.hues
        before = self.picture()
        ring, outer = editor.ring.radii()
        self.click(editor.ring, editor.ring.point(30, ring))
        self.assertAlmostEqual(self.edit.recipe.hue_nodes[0].hue, 30, delta=3)
        np.testing.assert_array_equal(self.picture(), before)  # a fresh node does nothing yet
        steps = len(self.edit.sidecar.history)
        self.drag(
            editor.ring, editor.ring.point(self.edit.recipe.hue_nodes[0].hue, outer), editor.ring.point(75, outer)
        )
        self.assertAlmostEqual(self.edit.recipe.hue_nodes[0].shift, 45, delta=4)
        self.assertEqual(len(self.edit.sidecar.history), steps + 1)
        self.assertGreater(self.changed(before), 0.2)
        self.drag(editor.ring, editor.ring.point(self.edit.recipe.hue_nodes[0].hue, ring), editor.ring.point(140, ring))
        self.assertAlmostEqual(self.edit.recipe.hue_nodes[0].hue, 140, delta=4)
        row = editor.rows["chroma"]
        row.spin.setFocus()
        row.spin.selectAll()
        QTest.keyClicks(row.spin, "0.2")
        QTest.keyClick(row.spin, KEY.Key_Return)
        self.settle()
        self.assertEqual(self.edit.recipe.hue_nodes[0].chroma, 0.2)
        editor.ring.setFocus()
        QTest.keyClick(editor.ring, KEY.Key_Left)
        self.assertAlmostEqual(self.edit.recipe.hue_nodes[0].shift, 46, delta=4)
        QTest.mouseClick(editor.remove, LEFT)
        self.settle()
        self.assertEqual(self.edit.recipe.hue_nodes, ())
        np.testing.assert_array_equal(self.picture(), before)

    def test_a_color_is_picked_in_the_picture(self) -> None:
        QTest.keyClick(self.window, KEY.Key_H, Qt.KeyboardModifier.AltModifier)
        self.assertTrue(self.page.stage.picking)
        picture = self.picture().astype(int)
        most = np.ptp(picture, axis=2)
        most[:20], most[-20:], most[:, :20], most[:, -20:] = 0, 0, 0, 0
        y, x = np.unravel_index(most.argmax(), most.shape)
        w, h = self.page.stage.frame_size
        at = self.page.stage.to_widget(x / picture.shape[1] * w, y / picture.shape[0] * h)
        self.click(self.page.stage, at)
        self.assertEqual(len(self.edit.recipe.hue_nodes), 1)
        self.assertFalse(self.page.stage.picking)
        before = self.picture()
        node = self.edit.recipe.hue_nodes[0].model_dump()
        self.edit.change("x", hue_nodes=[{**node, "chroma": 0.0}])
        self.settle()
        spot = (slice(max(0, y - 2), y + 3), slice(max(0, x - 2), x + 3))
        self.assertLess(
            float(np.ptp(self.picture()[spot].astype(int), axis=2).mean()),
            0.5 * float(np.ptp(before[spot].astype(int), axis=2).mean()),
        )

    def test_grey_has_no_hue_to_pick(self) -> None:
        self.edit.change("x", chroma=0.0)
        self.settle()
        QTest.keyClick(self.window, KEY.Key_H, Qt.KeyboardModifier.AltModifier)
        self.click(self.page.stage, QPointF(self.page.stage.width() / 2, self.page.stage.height() / 2))
        self.assertEqual(self.edit.recipe.hue_nodes, ())
        self.assertIn("no colour", self.window.message.text())


class CurvesAndColor(DevelopTest):
    def test_a_curve_is_drawn_and_made_straight(self) -> None:
        self.show("curves")
        plot = self.ledger.curves.plot
        before = self.picture()
        self.drag(plot, plot.place(0.5, 0.5), plot.place(0.5, 0.75))
        points = self.edit.recipe.curves.joint
        self.assertEqual(len(points), 3)
        self.assertAlmostEqual(points[1][1], 0.75, delta=0.03)
        self.assertGreater(float(self.picture().mean()), float(before.mean()) + 8)
        QTest.mouseClick(self.ledger.curves.buttons["blue"], LEFT)
        self.drag(plot, plot.place(0.5, 0.5), plot.place(0.5, 0.3))
        self.assertEqual(len(self.edit.recipe.curves.blue), 3)
        plot.setFocus()
        QTest.keyClick(plot, KEY.Key_Delete)
        self.settle()
        self.assertEqual(self.edit.recipe.curves.blue, ())
        QTest.mouseClick(self.ledger.curves.buttons["joint"], LEFT)
        at = plot.place(*self.edit.recipe.curves.joint[1]).toPoint()
        QTest.mouseDClick(plot, LEFT, pos=at)
        self.settle()
        self.assertEqual(self.edit.recipe.curves.joint, ())
        np.testing.assert_array_equal(self.picture(), before)

    def test_channels_monochrome_and_tints(self) -> None:
        self.show("color")
        before = self.picture()
        box = self.ledger.switches.box
        box.setFocus()
        index = box.findData(SWAP_RED_BLUE)
        box.setCurrentIndex(index)
        box.activated.emit(index)
        self.settle()
        self.assertEqual(self.edit.recipe.channel_matrix, SWAP_RED_BLUE)
        self.assertGreater(self.changed(before), 3)
        box.activated.emit(box.findData(IDENTITY))
        self.settle()
        np.testing.assert_array_equal(self.picture(), before)
        QTest.mouseClick(self.ledger.switches.mono, LEFT)
        self.settle()
        self.assertLess(float(np.ptp(self.picture().astype(int), axis=2).mean()), 1.0)
        self.show("split_tint")
        track = self.ledger.split_tint.amounts["midtones"]
        self.drag(track, QPointF(track.x_of(0), 12), QPointF(track.x_of(0.06), 12))
        self.assertGreater(float(np.ptp(self.picture().astype(int), axis=2).mean()), 4)
        self.assertIn("60°", self.ledger.split_tint.texts["midtones"].text())


class ToneByHand(DevelopTest):
    def test_dragging_up_in_the_picture_lifts_that_tone(self) -> None:
        QTest.keyClick(self.window, KEY.Key_T, Qt.KeyboardModifier.AltModifier)
        self.assertTrue(self.page.tone_button.isChecked())
        before, steps = self.picture(), len(self.edit.sidecar.history)
        stage = self.page.stage
        at = QPointF(stage.width() / 2, stage.height() / 2)
        image = stage.base
        assert image is not None
        self.drag(stage, at, at - QPointF(0, 60))
        self.assertEqual(len(self.edit.sidecar.history), steps + 1)
        tone, default = self.edit.recipe.tone.handles(), Recipe().tone.handles()
        lifts = [a.lightness - b.lightness for a, b in zip(tone, default, strict=True)]
        self.assertGreater(max(lifts), 5)
        self.assertGreaterEqual(min(lifts), 0)
        self.assertGreater(float(self.picture().mean()), float(before.mean()) + 2)
        self.drag(stage, at, at + QPointF(0, 60))
        self.assertLess(float(self.picture().mean()), float(before.mean()) + 4)

    def test_infrared_white_goes_beyond_temperature(self) -> None:
        """A place so red that no temperature makes it grey is taken as raw neutral, and a temperature ends that."""
        developer = self.page.developer
        assert developer is not None
        developer._levels[2] = developer.level(2) * np.array([6.0, 1.0, 0.9], np.float32)
        QTest.keyClick(self.window, KEY.Key_W, Qt.KeyboardModifier.AltModifier)
        self.click(self.page.stage, QPointF(self.page.stage.width() / 2, self.page.stage.height() / 2))
        self.assertIsNotNone(self.edit.recipe.raw_neutral)
        self.ledger.rows["temperature"].track.moved.emit(5000.0, True)
        self.settle()
        self.assertIsNone(self.edit.recipe.raw_neutral)


class Kept(DevelopTest):
    def test_everything_survives_in_the_sidecar(self) -> None:
        self.edit.change(
            "x", hue_nodes=[{"hue": 200, "shift": 10}], curves={"joint": [[0, 0.1], [1, 1]]}, bypassed=["curves"],
            split_tint={"shadows": {"hue": 250, "amount": 0.02}}, channel_matrix=SWAP_RED_BLUE, raw_neutral=[0.5, 1,
            0.6],
        )  # fmt: skip
        wanted = self.edit.recipe
        self.page.save()
        self.assertEqual(load_sidecar(self.folder / "card-003.dng")[0].recipe, wanted)
        QTest.mouseClick(self.ledger.head.undo_button, LEFT)
        self.settle()
        self.assertEqual(self.edit.recipe.hue_nodes, ())


class Recipes(DevelopTest):
    def fill(self) -> None:
        super().fill()
        copy_of([s["files"][0] for s in taken("sluice", size=SMALL, count=4, iso=800.0)], self.folder)

    def test_values_are_kept_and_used_on_a_set(self) -> None:
        self.edit.change("x", exposure=1.5, chroma=1.4)
        dialog = self.window.asking.show_recipes()
        assert dialog is not None
        self.assertFalse(dialog.ticks["light"].isChecked())
        dialog.name.setText("Warm")
        QTest.mouseClick(dialog.keep, LEFT)
        self.assertEqual(dialog.names.currentItem().text(), "Warm")
        dialog.close()
        self.choose("sluice-001-01")
        dialog = self.window.asking.show_recipes()
        assert dialog is not None
        dialog.names.setCurrentRow(1)
        self.assertFalse(dialog.ticks["light"].isEnabled())
        dialog.target.setCurrentIndex(dialog.target.findData("set"))
        QTest.mouseClick(dialog.use, LEFT)
        self.settle()
        for path in sorted(self.folder.glob("sluice*.dng")):
            side = load_sidecar(path)[0]
            self.assertEqual((side.recipe.chroma, side.recipe.exposure), (1.4, 0.0))
            self.assertEqual(side.history[-1][0], "recipe:Warm")
        QTest.mouseClick(dialog.delete, LEFT)
        self.assertEqual(dialog.names.count(), 1)
        dialog.name.setText("")
        QTest.mouseClick(dialog.keep, LEFT)
        self.assertIn("name of 1 to 60", dialog.note.text())
        dialog.close()

    def test_the_steps_lead_back(self) -> None:
        for k in range(3):
            self.edit.change(f"step {k}", exposure=0.5 * (k + 1))
        menu = self.ledger.head.history_menu
        menu.aboutToShow.emit()
        texts = [a.text() for a in menu.actions()]
        self.assertEqual(
            texts[:3],
            [
                "before step 2: exposure +1.00 → +1.50 EV",
                "before step 1: exposure +0.50 → +1.00 EV",
                "before step 0: exposure 0.00 → +0.50 EV",
            ],
        )
        menu.actions()[1].trigger()
        self.settle()
        self.assertEqual(self.edit.recipe.exposure, 0.5)
        self.assertTrue(self.edit.can_redo)
