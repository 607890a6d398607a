"""Parts of the window: every control changes the picture, every state says what to do, nothing ends the window."""

from __future__ import annotations

import threading
import time
from dataclasses import replace
from unittest import mock

import numpy as np
from PIL import Image
from PySide6.QtCore import QPoint, QPointF, QSize, Qt, QUrl
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QPushButton, QWidget

from bruto.app.pages.pages import PAGES, all_commands
from bruto.app.widgets import theme
from bruto.develop.recipe import Recipe
from bruto.export import queue
from bruto.merge.merger import merge
from bruto.shoot.sidecar import load_sidecar
from bruto.shoot.sidecar_places import sidecar_path
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest, pixels

RAISES = {
    "exposure": lambda picture: picture.mean(),
    "temperature": lambda picture: float(picture[..., 0].mean()) - float(picture[..., 2].mean()),
    "chroma": lambda picture: np.ptp(picture.astype(int), axis=2).mean(),
}
"""What grows in a picture where the value of a field does."""


class DevelopRows(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.choose("sluice-001-01")
        self.edit = self.window.correct.edit
        assert self.edit is not None

    def test_every_track_changes_value_and_picture_and_is_one_step(self) -> None:
        ledger = self.window.correct.ledger
        self.window.correct.stage.set_one_to_one()
        self.settle()
        ledger.unfold()
        for field, row in ledger.rows.items():
            with self.subTest(field):
                if field == "local_strength":  # which is a row of what has a field
                    field_of = {"columns": 1, "rows": 1, "lights": 2, "gains": [0.6, 0.6]}
                    self.edit.change("local tone", local_tone=field_of)
                    self.settle()
                before, steps = pixels(self.window.correct.stage.grab().toImage()), len(self.edit.sidecar.history)
                old = getattr(self.edit.recipe, field)
                row.window().findChildren(QWidget)  # laid out
                ledger.findChild(QWidget)
                start = QPointF(row.track.x_of(row.track.value), 12)
                away = row.track.width() * (0.25 if start.x() < row.track.width() / 2 else -0.25)
                self.drag(row.track, start, start + QPointF(away, 0))
                self.assertNotEqual(getattr(self.edit.recipe, field), old)
                self.assertEqual(len(self.edit.sidecar.history), steps + 1)
                after = pixels(self.window.correct.stage.grab().toImage())
                if field in ("local_contrast_fine", "grain_size"):
                    continue  # told in pixels of 12 MP: less than one of so small a capture
                self.assertGreater(np.abs(after.astype(int) - before).mean(), 0.02)
                if field in RAISES:  # and it goes where its name says
                    up = np.sign(getattr(self.edit.recipe, field) - old) if old is not None else np.sign(away)
                    change = RAISES[field](after) - RAISES[field](before)
                    self.assertGreater(up * change, 0)

    def test_no_thumbnail_is_lost_or_undone(self) -> None:
        """What was developed is not written over by a preview that comes later; a broken shot is left out."""
        thumbs, listed = self.window.thumbs, self.window.shots.model.thumbs
        shots = [s for s in self.window.shoot.shots if not s.problem]
        self.assertGreater(len(shots), 5)
        self.wait(self.window.session.starting.worker.idle)
        self.settle()
        listed.clear()
        picture = self.window.correct.stage.base
        assert picture is not None
        thumbs.make(shots)
        thumbs.developed(shots[-1], picture)  # while the previews are made
        self.settle()
        self.assertEqual(set(listed), {str(s.main) for s in shots})
        self.assertEqual(listed[str(shots[-1].main)][1], "developed")
        self.assertNotEqual(listed[str(shots[0].main)][1], "developed")

    def test_typing_arrow_keys_and_reset(self) -> None:
        row = self.window.correct.ledger.rows["exposure"]
        row.spin.setFocus()
        row.spin.selectAll()
        QTest.keyClicks(row.spin, "1.35")
        QTest.keyClick(row.spin, Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(self.edit.recipe.exposure, 1.35)
        for typed in ("-0.5", "−0.5"):
            self.edit.change("exposure", exposure=1.0)
            row.spin.setFocus()
            row.spin.lineEdit().setText(typed)
            QTest.keyClick(row.spin, Qt.Key.Key_Return)
            self.assertEqual(self.edit.recipe.exposure, -0.5, typed)
            self.assertEqual(row.spin.text(), "−0.50 EV")
        for typed in ("+0.75", "0.75"):
            self.edit.change("exposure", exposure=1.0)
            row.spin.setFocus()
            row.spin.selectAll()
            QTest.keyClicks(row.spin, typed)
            QTest.keyClick(row.spin, Qt.Key.Key_Return)
            self.assertEqual(self.edit.recipe.exposure, 0.75, typed)
            self.assertEqual(row.spin.text(), "+0.75 EV")
        self.edit.change("exposure", exposure=1.35)
        row.track.setFocus()
        QTest.keyClick(row.track, Qt.Key.Key_Right)
        self.assertAlmostEqual(self.edit.recipe.exposure, 1.40)
        QTest.keyClick(row.track, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
        self.assertAlmostEqual(self.edit.recipe.exposure, 1.15)
        self.edit.reset("exposure")
        self.assertEqual(self.edit.recipe.exposure, 0.0)
        self.assertEqual(row.spin.value(), 0.0)

    def test_evidence_and_suggestion_are_told(self) -> None:
        for field, row in self.window.correct.ledger.rows.items():
            if field in self.edit.suggestions:
                self.assertEqual(row.evidence.text(), self.edit.suggestions[field].evidence)
        self.assertIn("EV", self.window.correct.ledger.tone.evidence.text())

    def test_white_is_picked_in_the_picture(self) -> None:
        develop = self.window.correct
        QTest.keyClick(self.window, Qt.Key.Key_W, Qt.KeyboardModifier.AltModifier)
        self.assertTrue(develop.stage.picking)
        place = develop.stage.to_widget(250, 60).toPoint()
        before = self.picture()
        QTest.mouseClick(develop.stage, LEFT, pos=place)
        self.settle()
        self.assertIsNotNone(self.edit.recipe.temperature)
        self.assertFalse(develop.stage.picking)
        after = self.picture()
        self.assertGreater(np.abs(after.astype(int) - before).mean(), 0.5)
        y, x = int(60 / 378 * after.shape[0]), int(250 / 504 * after.shape[1])
        here = [float(np.ptp(p[y - 2 : y + 3, x - 2 : x + 3].reshape(-1, 3).mean(axis=0))) for p in (before, after)]
        self.assertLess(here[1], max(4.0, here[0]))

    def test_the_axis_reaches_to_where_the_last_channel_is_full(self) -> None:
        """Of a merged bracket it is far up; the axis stands still while exposure is dragged."""
        strip, light = self.window.correct.strip, self.window.correct.strip.light
        assert light is not None
        usual = strip.view
        dark = np.zeros_like(light.histograms)
        dark[:, 20:60] = 1.0  # from 1.25 EV over the darkest that is counted
        clip = light.clip_ev + 7 - light.clip_ev.max()
        strip.set_light(replace(light, clip_ev=clip, floor_ev=-11.0))
        self.assertEqual(strip.view[0], usual[0])  # no light lies so deep
        strip.set_light(replace(light, clip_ev=clip, floor_ev=-11.0, histograms=dark))
        self.assertLessEqual(strip.view[0], -11.0)
        self.assertGreaterEqual(strip.view[1], 7.0)
        self.assertLess(strip.x_of(7.0), strip.width())
        before = strip.view
        strip.set_recipe(self.edit.recipe.changed(exposure=2.0))
        self.assertEqual(strip.view, before)
        strip.set_recipe(self.edit.recipe)
        strip.set_light(light)
        self.assertEqual(strip.view, usual)

    def test_handles_by_mouse_and_keys(self) -> None:
        strip = self.window.correct.strip
        self.drag(strip, strip.handle_point("bright"), strip.handle_point("bright") + QPointF(-30, 0))
        self.assertLess(self.edit.recipe.tone.bright.ev, Recipe().tone.bright.ev - 0.3)
        # a handle cannot pass its neighbour
        self.drag(strip, strip.handle_point("grey"), strip.handle_point("grey") + QPointF(600, 0))
        self.assertLess(self.edit.recipe.tone.grey.ev, self.edit.recipe.tone.bright.ev)
        strip.setFocus()
        value = self.edit.recipe.tone.grey.lightness
        QTest.keyClick(strip, Qt.Key.Key_Up)
        self.assertAlmostEqual(self.edit.recipe.tone.grey.lightness, value + 1)
        shadow = self.edit.recipe.tone.shadow.lightness
        QTest.keyClick(strip, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
        QTest.keyClick(strip, Qt.Key.Key_Up)
        self.assertAlmostEqual(self.edit.recipe.tone.shadow.lightness, shadow + 1)

    def test_before_is_shown_while_held(self) -> None:
        self.edit.change("exposure", exposure=2.0)
        self.settle()
        stage = self.window.correct.stage
        bright = pixels(stage.grab().toImage()).mean()
        self.window.setFocus()
        QTest.keyPress(self.window, Qt.Key.Key_F3)
        self.settle()
        self.assertLess(pixels(stage.grab().toImage()).mean(), bright - 10)
        self.assertIn("BEFORE", self.window.correct.tag.text())
        QTest.keyRelease(self.window, Qt.Key.Key_F3)
        self.settle()
        self.assertAlmostEqual(pixels(stage.grab().toImage()).mean(), bright, delta=1)

    def test_values_survive_leaving_and_coming_back(self) -> None:
        self.edit.change("exposure", exposure=0.75)
        self.choose("card-003")
        self.choose("sluice-001-01")
        edit = self.window.correct.edit
        assert edit is not None
        self.assertEqual(edit.recipe.exposure, 0.75)
        self.assertEqual(load_sidecar(edit.path)[0].recipe.exposure, 0.75)

    def test_latest_request_wins(self) -> None:
        """A quick drag ends on the last value's picture, and not every step is rendered."""
        for k in range(40):
            self.edit.change("exposure", final=k == 39, exposure=k / 20)
            self.app.processEvents()
        self.settle()
        final = self.picture()
        developer = self.window.correct.developer
        assert developer is not None
        # behind a sharp piece the whole is kept coarser
        factor = max(
            self.window.correct.renderer.feed.factor(), 4 if self.window.correct.renderer.feed.needs_piece() else 1
        )
        expected = developer.view(self.edit.recipe, factor)
        np.testing.assert_array_equal(final, expected)


class StageMoves(WindowTest):
    def test_wheel_zooms_at_the_pointer_and_pixels_get_sharp(self) -> None:
        self.choose("card-003")
        stage = self.window.correct.stage
        at = QPointF(stage.width() * 0.3, stage.height() * 0.4)
        place = stage.to_frame(at)
        for _ in range(6):
            event = QWheelEvent(at, stage.mapToGlobal(at), QPoint(0, 0), QPoint(0, 120), Qt.MouseButton.NoButton,
                                Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
            QApplication.sendEvent(stage, event)
        self.settle()
        now = stage.to_frame(at)
        self.assertAlmostEqual(now.x(), place.x(), delta=0.01)
        self.assertAlmostEqual(now.y(), place.y(), delta=0.01)
        self.assertIsNotNone(stage.piece)
        before = stage.centre
        self.drag(stage, QPointF(300, 200), QPointF(260, 230))
        self.assertAlmostEqual(stage.centre.x() - before.x(), 40 / stage.zoom, delta=0.6)

    def test_one_key_between_fit_and_pixels(self) -> None:
        self.choose("card-003")
        stage = self.window.correct.stage
        self.assertTrue(stage.fit and self.window.correct.fit_button.isChecked())
        QTest.keyClick(self.window, Qt.Key.Key_F2)
        self.settle()
        self.assertAlmostEqual(stage.zoom * stage.devicePixelRatioF(), 1)
        self.assertTrue(self.window.correct.one_button.isChecked())
        self.assertFalse(self.window.correct.fit_button.isChecked())
        QTest.keyClick(self.window, Qt.Key.Key_F2)
        self.assertTrue(stage.fit)

    def test_pointer_reads_the_light(self) -> None:
        self.choose("card-003")
        QTest.mouseMove(self.window.correct.stage, self.middle(self.window.correct.stage))
        self.app.processEvents()
        self.assertRegex(self.window.status_bar.pointer.text(), r"L\* \d+")


class States(WindowTest):
    def test_a_broken_file_says_so_and_the_rest_goes_on(self) -> None:
        self.choose("broken")
        self.assertEqual(self.window.correct.tag.text(), "CANNOT BE OPENED")
        self.assertIn("broken.dng", self.window.correct.stage.message)
        self.assertFalse(self.window.correct.ledger.isEnabled())
        for task in (Task.COMPARE, Task.MERGE, Task.EXPORT, Task.CORRECT):
            self.task(task)
        self.choose("card-003")
        self.assertEqual(self.window.correct.tag.text(), "RAW, developed")

    def test_a_raw_that_ends_early_ends_every_wait_and_takes_no_values(self) -> None:
        whole = (self.folder / "card-003.dng").read_bytes()
        cut = self.folder / "zz.dng"
        cut.write_bytes(whole[: len(whole) * 6 // 10])
        (self.folder / "zz.jpg").write_bytes((self.folder / "card-003.jpg").read_bytes())
        with mock.patch.object(self.window.measuring, "_measure_next"):  # before it is measured and known as broken
            self.window.open_paths([str(self.folder)], "A day")
            self.window.shoot.select(next(s for s in self.window.shoot.shots if s.name == "zz"))
            self.settle()
        page = self.window.correct
        self.assertIn("ends early", page.stage.message)
        self.assertIn("zz.jpg, can still be used", page.stage.message)
        self.assertFalse(page.ledger.isVisible() or page.strip.isVisible())
        self.task(Task.INTAKE)
        self.assertIn("ends early", self.window.intake.stage.message)
        QTest.keyClick(self.window, Qt.Key.Key_F3, Qt.KeyboardModifier.ShiftModifier)
        QTest.keyClick(self.window, Qt.Key.Key_F3, Qt.KeyboardModifier.ShiftModifier)
        self.wait(lambda: self.window.intake.stage.base is not None)
        self.assertEqual(self.window.intake.tag.text(), "PHONE'S PICTURE")
        for task in (Task.CORRECT, Task.COMPARE, Task.MERGE, Task.EXPORT):
            self.task(task)
            text = [w.text() for w in self.window.pages.currentWidget().findChildren(QLabel) if w.isVisible()]
            self.assertFalse([t for t in text if t.endswith("…") and "easuring" in t], task)

    def test_a_file_that_vanishes_is_a_message(self) -> None:
        (self.folder / "card-003.dng").unlink()
        self.choose("card-003")
        # whoever finds it first: the page that opens it, or the watch of the folder, which leaves its picture
        self.wait(lambda: "card-003.dng" in self.window.correct.stage.message + self.window.message.text())

    def test_a_file_that_vanishes_is_noticed_by_the_watch_of_the_folder(self) -> None:
        self.choose("card-003")
        (self.folder / "card-003.dng").unlink()
        self.window.measuring.look()
        self.wait(lambda: "card-003.dng" in self.window.message.text())
        self.settle()
        self.assertEqual(self.window.correct.tag.text(), "PICTURE ONLY, developed")

    def test_a_picture_without_a_raw_develops_with_its_limits_told(self) -> None:
        self.choose("pans-001")
        self.assertEqual(self.window.correct.tag.text(), "PICTURE ONLY, developed")
        self.assertIn("cannot be recovered", self.window.correct.ledger.notice.text())
        before = self.picture()
        QTest.mouseClick(self.window.correct.ledger.head.all_button, LEFT)
        self.settle()
        self.assertGreater(np.abs(self.picture().astype(int) - before).mean(), 0.5)
        self.task(Task.COMPARE)
        wells = [well.currentText() for well in self.window.compare.wells]
        self.assertEqual(wells, ["the picture, corrected", "the picture, unchanged"])

    def test_no_shots(self) -> None:
        empty = self.folder.parent / "nothing"
        empty.mkdir()
        self.window.open_paths([str(empty)])
        self.settle()
        self.assertIn("Open another folder", self.window.correct.stage.message)
        self.window.open_paths([str(empty / "none")])
        self.assertIn("does not exist", self.window.message.text())

    def test_dropping_a_folder_opens_it(self) -> None:
        from PySide6.QtCore import QMimeData
        from PySide6.QtGui import QDropEvent

        other = self.folder.parent / "other"
        other.mkdir()
        (self.folder / "card-003.dng").rename(other / "card-003.dng")
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(other))])
        event = QDropEvent(QPointF(400, 300), Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier)
        self.window.dropEvent(event)
        self.settle()
        self.assertEqual([s.name for s in self.window.shoot.shots], ["card-003"])

    def test_a_bracket_merges_and_a_single_shot_says_what_to_choose(self) -> None:
        self.choose("card-003")
        self.task(Task.MERGE)
        self.assertFalse(self.window.merge.go.isEnabled())
        self.assertIn("single shot", self.window.merge.facts.text())
        self.choose("boiling-house-001-01")
        self.assertIn("EV of range", self.window.merge.expect.text())
        QTest.mouseClick(self.window.merge.go, LEFT)
        self.wait(lambda: self.window.merge.open_button.isVisible())
        self.assertTrue((self.folder / "boiling-house-001-01-bracket-of-3.dng").is_file())

    def test_merging_can_be_stopped(self) -> None:
        self.choose("sluice-001-01")
        self.task(Task.MERGE)
        files, go = set(self.folder.iterdir()), threading.Event()

        def once_stopped(*args: object, **kwargs: object) -> object:  # small frames are faster than the hand
            go.wait(30)
            return merge(*args, **kwargs)  # type: ignore[arg-type]

        with mock.patch("bruto.merge.merger.merge", once_stopped):
            QTest.mouseClick(self.window.merge.go, LEFT)
            QTest.mouseClick(self.window.merge.running.stop, LEFT)
            go.set()
            self.wait(lambda: not self.window.merge.running.bar.isVisible())
        self.assertFalse(self.window.merge.open_button.isVisible())
        self.assertEqual(set(self.folder.iterdir()), files)

    def test_delivering_to_an_impossible_folder_is_a_message(self) -> None:
        self.choose("card-003")
        self.task(Task.EXPORT)
        self.window.export.folder.setText(str(self.folder / "card-003.dng" / "x"))
        QTest.mouseClick(self.window.export.go, LEFT)
        self.app.processEvents()
        self.assertIn("Cannot create the folder", self.window.message.text())

    def test_what_will_leave_is_listed_as_it_comes_out(self) -> None:
        """Names, and sizes with turns and crops, of this shot, of those that are kept and of all."""
        page = self.window.export
        self.choose("card-003")
        edit = self.window.correct.edit
        assert edit is not None
        edit.change("crop", crop=(-0.3, -0.2, 0.2, 0.2), turns=1)
        self.task(Task.EXPORT)
        self.wait(lambda: page.list.count() == 1)
        promised = page.list.item(0).text()
        page.folder.setText(str(self.folder.parent / "out"))
        QTest.mouseClick(page.go, LEFT)
        self.wait(lambda: bool(self.window.queue.jobs) and self.window.queue.jobs[0].state == queue.DONE)
        with Image.open(self.folder.parent / "out/card-003.jpg") as image:
            self.assertIn(f"card-003.jpg\n{image.width} × {image.height} px", promised)
            self.assertEqual(page.stage.frame_size, image.size)
            self.wait(lambda: page.stage.base is not None)
            coarse = (40, 32)  # what is shown may be the whole before its sharp piece
            shown, wrote = (
                np.asarray(p.resize(coarse, Image.Resampling.BOX), float)
                for p in (Image.fromarray(pixels(page.stage.base)), image)
            )
            self.assertLess(np.abs((shown - wrote).mean((0, 1))).max(), 2)
            self.assertGreater(np.corrcoef(shown.ravel(), wrote.ravel())[0, 1], 0.9)  # turned and cropped as it leaves
        size = page.form.widgets["size"]
        size.setCurrentIndex(size.count() - 1)
        page.form.widgets["edge"].setValue(100)
        self.wait(lambda: page.list.count() == 1 and "100 × 80 px" in page.list.item(0).text())
        page.which.setCurrentIndex(1)
        self.wait(lambda: page.list.count() == 0)
        self.assertFalse(page.go.isEnabled())
        self.assertIn("No shot is marked", page.summary.text())
        self.window.session.judge("best")
        self.wait(lambda: page.list.count() == 1)
        page.which.setCurrentIndex(2)
        self.wait(lambda: page.list.count() == len([s for s in self.window.shoot.shots if not s.problem]))
        self.assertIn("None of the files contains", page.place_note.text())

    def test_all_shots_are_delivered_and_none_overwritten(self) -> None:
        self.task(Task.EXPORT)
        out = self.folder.parent / "out"
        self.window.export.folder.setText(str(out))
        for _ in range(2):
            QTest.mouseClick(self.window.export.go, LEFT)
        self.wait(lambda: all(j.state == queue.DONE for j in self.window.queue.jobs))
        self.assertEqual(len(list(out.iterdir())), 2)

    def test_originals_are_untouched_and_sidecars_appear_only_after_a_change(self) -> None:
        before = {p: p.read_bytes() for p in self.folder.iterdir()}
        for name in ("card-003", "sluice-001-01", "pans-001"):
            self.choose(name)
        self.assertEqual({p: p.read_bytes() for p in self.folder.iterdir()}, before)
        self.choose("card-003")
        edit = self.window.correct.edit
        assert edit is not None
        edit.change("exposure", exposure=0.5)
        self.window.correct.save()
        self.assertTrue(sidecar_path(edit.path).is_file())
        self.assertEqual({p: p.read_bytes() for p in before}, before)


class Looks(WindowTest):
    def test_small_windows_fold_the_list_and_the_strip(self) -> None:
        self.window.resize(1024, 700)
        self.app.processEvents()
        self.assertEqual(self.window.size(), QSize(1024, 700))
        self.assertFalse(self.window.shots.isVisible())
        self.assertFalse(self.window.correct.strip.isVisible())
        QTest.keyClick(self.window, Qt.Key.Key_F9)
        self.assertTrue(self.window.shots.isVisible())
        self.window.resize(1280, 800)
        self.app.processEvents()
        self.assertTrue(self.window.correct.strip.isVisible())

    def test_text_is_at_least_twelve_pixels_and_buttons_can_be_hit(self) -> None:
        for page in PAGES:
            self.window.set_task(page.task)
            self.settle()
            for label in self.window.findChildren(QLabel):
                if label.isVisible() and label.text():
                    self.assertGreaterEqual(label.fontInfo().pixelSize(), 12, label.text())
            for button in self.window.findChildren(QPushButton):
                if button.isVisible():
                    self.assertGreaterEqual(button.height(), 24, button.text())
                    self.assertTrue(button.text() or button.accessibleName())

    def test_no_text_is_cut_off(self) -> None:
        for page in PAGES:
            self.window.set_task(page.task)
            self.settle()
            for button in self.window.findChildren(QPushButton):
                if button.isVisible() and button.text():
                    needed = button.fontMetrics().horizontalAdvance(button.text())
                    self.assertGreaterEqual(button.width(), needed, button.text())

    def test_contrast_of_every_role(self) -> None:
        """Text on its surfaces: 4.5 to 1 (WCAG 2.2, relative luminance)."""

        def luminance(code: str) -> float:
            v = [int(code[k : k + 2], 16) / 255 for k in (1, 3, 5)]
            r, g, b = (x / 12.92 if x <= 0.04045 else ((x + 0.055) / 1.055) ** 2.4 for x in v)
            return 0.2126 * r + 0.7152 * g + 0.0722 * b

        def contrast(a: str, b: str) -> float:
            low, high = sorted((luminance(a), luminance(b)))
            return (high + 0.05) / (low + 0.05)

        for t in (theme.LIGHT, theme.DIM):
            for surface in (t.panel, t.raised, t.bar):
                for ink in (t.ink, t.quiet, t.accent, t.suggestion, t.warning):
                    self.assertGreaterEqual(contrast(ink, surface), 4.5, f"{t.name}: {ink} on {surface}")
            self.assertGreaterEqual(contrast(t.on_accent, t.accent), 4.5)
            self.assertGreaterEqual(contrast(t.on_surround, t.surround), 4.5)

    def test_dim_theme_and_back(self) -> None:
        light = pixels(self.window.grab().toImage()).mean()
        QTest.keyClick(self.window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
        self.app.processEvents()
        self.assertLess(pixels(self.window.grab().toImage()).mean(), light - 40)
        QTest.keyClick(self.window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
        self.app.processEvents()
        self.assertAlmostEqual(pixels(self.window.grab().toImage()).mean(), light, delta=3)

    def test_what_is_hidden_changes_its_theme_when_it_is_shown(self) -> None:
        page = self.window.page(Task.EXPORT)  # made, not shown
        menu = self.window.top.menu_button.menu()
        QTest.keyClick(self.window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(page.styleSheet(), theme.style_sheet(theme.LIGHT))
        self.window.set_task(Task.EXPORT)
        self.settle()
        self.assertEqual(page.styleSheet(), theme.style_sheet(theme.DIM))
        for colors in (theme.DIM, theme.LIGHT):
            menu.popup(self.window.pos())
            self.app.processEvents()
            self.assertEqual(menu.grab().toImage().pixelColor(3, 3).name(), colors.raised.lower())
            menu.close()
            QTest.keyClick(self.window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
        theme.change(self.window, theme.LIGHT)

    def test_every_command_stands_in_a_menu_by_its_subject(self) -> None:
        parts = list(self.window.commands.menus.values())
        texts = [a.text() for part in parts for a in part.actions() if a.text()]
        self.assertEqual(sorted(texts), sorted(c.title for c in all_commands()))
        self.assertLess(max(len(part.actions()) for part in parts), 25)
        shortcuts = [s for a in self.window.commands.actions.values() if (s := a.shortcut().toString())]
        self.assertEqual(len(set(shortcuts)), len(shortcuts))
        self.assertFalse([s for s in shortcuts if len(s) == 1], "a letter alone acts while one types")

    def test_keys_turn_the_pages_and_step_through_shots(self) -> None:
        for k, task in enumerate((Task.INTAKE, Task.CORRECT, Task.COMPARE, Task.MERGE, Task.EXPORT)):
            QTest.keyClick(self.window, Qt.Key(Qt.Key.Key_1.value + k), Qt.KeyboardModifier.ControlModifier)
            self.assertEqual(self.window.task(), task)
        self.window.set_task(Task.CORRECT)
        first = self.window.shoot.current
        QTest.keyClick(self.window, Qt.Key.Key_PageDown)
        self.settle()
        self.assertIsNot(self.window.shoot.current, first)
        QTest.keyClick(self.window, Qt.Key.Key_PageUp)
        self.settle()
        self.assertIs(self.window.shoot.current, first)

    def test_the_window_answers_while_it_computes(self) -> None:
        """Events are handled within a tenth of a second while a picture is rendered."""
        self.choose("card-003")
        edit = self.window.correct.edit
        assert edit is not None
        longest = 0.0
        for k in range(12):
            edit.change("noise", final=False, luminance_noise=0.1 * k)
            began = time.perf_counter()
            self.app.processEvents()
            longest = max(longest, time.perf_counter() - began)
        self.settle()
        self.assertLess(longest, 0.25)
