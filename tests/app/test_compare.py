"""Compare in the real window: wells, places, the push on both, and the phone's look."""

from __future__ import annotations

import csv
from dataclasses import replace
from unittest import mock

import numpy as np
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog

from bruto.app.stage.compare_stage import FULL_DIFFERENCE, CompareMode
from bruto.app.widgets import theme
from bruto.app.widgets.source_selector import dragged
from bruto.compare.regions import OWN
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_library import NamedRecipe, keep, saved_recipes
from bruto.session.edit import Edit
from bruto.shoot.shots import ShotSet
from bruto.shoot.sidecar import load_sidecar
from bruto.storage.settings import load_settings
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest, pixels
from tests.shots import SMALL, copy_of, taken


class Compares(WindowTest):
    def fill(self) -> None:
        self.files = copy_of(taken("pans", size=SMALL, seed=2)[0]["files"], self.folder)
        copy_of([f for s in taken("sluice", size=SMALL, count=3, iso=400.0) for f in s["files"]], self.folder)

    def setUp(self) -> None:
        super().setUp()
        self.choose("pans-002")
        self.task(Task.COMPARE)
        self.page = self.window.compare
        self.comparing = self.window.session.comparing
        self.compared()

    def compared(self) -> None:
        self.wait(lambda: not isinstance(self.comparing.state, str))
        self.settle()

    def pick(self, well: int, text: str) -> None:
        """By the keyboard, in the box itself."""
        box = self.page.wells[well]
        box.setFocus()
        QTest.keyClick(box, Qt.Key.Key_Home)
        for _ in range(box.count()):
            if box.currentText() == text:
                break
            QTest.keyClick(box, Qt.Key.Key_Down)
            box.activated.emit(box.currentIndex())
        self.assertEqual(box.currentText(), text)
        self.compared()

    def test_it_opens_with_places_and_each_leads_to_the_stage(self) -> None:
        self.assertEqual(self.page.mode, CompareMode.REGIONS)
        self.assertIs(self.page.views.currentWidget(), self.page.places)
        self.assertGreaterEqual(len(self.page.places.places), 3)
        self.wait(lambda: len(self.page.places.pairs) == len(self.page.places.places))
        image = pixels(self.page.places.grab().toImage())
        self.assertGreater(len(np.unique(image.reshape(-1, 3), axis=0)), 2000)
        cell = self.page.places.cells()[1]
        QTest.mouseClick(self.page.places, LEFT, pos=cell.center().toPoint())
        self.settle()
        self.assertEqual(self.page.mode, CompareMode.CURTAIN)
        place = self.page.places.places[1]
        self.assertAlmostEqual(self.page.stage.viewport.centre[0], place.x * SMALL[0], delta=SMALL[0] * 0.3)
        QTest.keyClick(self.window, Qt.Key.Key_1, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.page.mode, CompareMode.REGIONS)

    def test_any_two_stand_in_the_wells(self) -> None:
        names = [self.page.wells[1].itemText(k) for k in range(self.page.wells[1].count())]
        for name in (
            "the raw, corrected",
            "the raw, default values",
            "the phone's picture",
            "the embedded preview",
        ):
            self.assertIn(name, names)
        self.pick(1, "the raw, default values")
        self.assertEqual(self.page.stage.names, ("the raw, corrected", "the raw, default values"))
        self.assertLess(self.comparing.state.comparison.delta_e00_median, 0.5)  # type: ignore[union-attr]
        QTest.mouseClick(self.page.swap, LEFT)
        self.compared()
        self.assertEqual(self.page.stage.names, ("the raw, default values", "the raw, corrected"))
        self.choose("sluice-001-01")
        self.compared()
        names = [self.page.wells[1].itemText(k) for k in range(self.page.wells[1].count())]
        self.assertTrue(any("sluice-001-02" in n for n in names), names)

    def test_the_same_push_on_both_and_none(self) -> None:
        before = self.comparing.state.comparison  # type: ignore[union-attr]
        slider = self.page.push.sliders["exposure"]
        slider.setFocus()
        for _ in range(4):
            QTest.keyClick(slider, Qt.Key.Key_Right)
        self.assertEqual(self.page.push.values["exposure"].text(), "+2.0 EV")
        self.wait(lambda: self.comparing.push.exposure == 2.0)
        self.compared()
        after = self.comparing.state.comparison  # type: ignore[union-attr]
        for one, other in ((before.first, after.first), (before.second, after.second)):
            self.assertGreater(float(other.mean()), float(one.mean()) + 20)
        QTest.mouseClick(self.page.push.none, LEFT)
        self.wait(lambda: self.comparing.push.exposure == 0)
        self.compared()
        np.testing.assert_array_equal(self.comparing.state.comparison.second, before.second)  # type: ignore[union-attr]

    def test_the_phones_look_is_found_taken_in_part_and_used(self) -> None:
        look = self.page.panel.look
        before = self.comparing.state.comparison.delta_e00_median  # type: ignore[union-attr]
        QTest.mouseClick(look.find_button, LEFT)
        self.assertTrue(look.stop.isVisible())
        self.wait(lambda: self.comparing.phone.matched is not None)
        self.compared()
        self.assertEqual(self.page.stage.names[0], "the raw, with the phone's look")
        self.assertLess(self.comparing.state.comparison.delta_e00_median, 0.5 * before)  # type: ignore[union-attr]
        self.assertIn("The phone: exposure", look.summary.text())
        QTest.mouseClick(look.ticks["colour"], LEFT, pos=look.ticks["colour"].rect().center() / 3)
        self.compared()
        self.assertEqual(self.comparing.phone.recipe().chroma, self.window.correct.edit.recipe.chroma)
        look.strength.setFocus()
        for _ in range(10):
            QTest.keyClick(look.strength, Qt.Key.Key_Left)
        self.compared()
        self.assertEqual(look.percent.text(), "50 %")
        self.assertEqual(self.comparing.phone.recipe().local_strength, 0.5)
        for name in ("tone", "colour"):
            self.assertRegex(look.evidence[name].text(), r"^without it \d+\.\d ΔE00$")
        match = self.comparing.phone.matched
        self.assertGreater(match.without["tone"], match.after[0] + 0.5)
        look.name.setFocus()
        QTest.keyClicks(look.name, "as the phone")
        QTest.keyClick(look.name, Qt.Key.Key_Return)
        named = next(n for n in saved_recipes()[0] if n.name == "as the phone")
        self.assertEqual(named.recipe.exposure, self.comparing.phone.recipe().exposure)
        self.assertNotIn("local_tone", named.fields)
        QTest.mouseClick(look.use, LEFT)
        self.window.correct.save()
        self.compared()
        side, _ = load_sidecar(self.files[0])
        self.assertGreater(len(side.recipe.local_tone.gains), 100)
        self.assertEqual([what for what, _ in side.history], ["phone_look"])
        self.assertTrue(self.window.correct.ledger.rows["local_strength"].isVisibleTo(self.window.correct.ledger))
        self.window.correct.edit.undo()
        self.assertFalse(self.window.correct.ledger.rows["local_strength"].isVisibleTo(self.window.correct.ledger))

    def test_other_shots_of_a_set_get_the_look_at_their_own_exposure(self) -> None:
        phone = self.comparing.phone
        shot, edit = self.window.session.opened.shot, self.window.session.opened.edit
        assert shot is not None and edit is not None and shot.seen is not None
        edit.change("light", exposure=0.5)
        look = edit.recipe.changed(exposure=1.25, chroma=1.3)
        others = [s for s in self.window.shoot.shots if s.main != shot.main]
        brighter, elsewhere = others[0], others[1]
        lit = replace(shot.seen, exposure_s=shot.seen.exposure_s * 4)  # two stops more light, in the same set
        group = ShotSet("bracket", (shot, replace(brighter, seen=lit)))
        with (
            mock.patch.object(phone, "recipe", return_value=look),
            mock.patch.object(phone, "matched", object()),
            mock.patch.object(self.window.shoot, "set_of", return_value=group),
        ):
            values = phone.values_for_others()
        found = values(Edit(brighter.main))
        self.assertAlmostEqual(found["exposure"], 1.25 - 2.0, places=2)
        self.assertEqual(found["chroma"], 1.3)
        own = Edit(elsewhere.main)
        self.assertAlmostEqual(values(own)["exposure"], own.recipe.exposure + 0.75, places=2)
        self.assertNotIn("local_tone", found)

    def test_a_search_is_stopped(self) -> None:
        look = self.page.panel.look
        QTest.mouseClick(look.find_button, LEFT)
        QTest.mouseClick(look.stop, LEFT)
        self.wait(lambda: not look.stop.isVisible() and look.find_button.isVisible())
        self.assertIsNone(self.comparing.phone.matched)
        self.choose("sluice-001-01")
        self.compared()
        self.assertIsNone(self.comparing.phone.matched)

    def test_blind_hides_which_is_which_until_one_is_chosen(self) -> None:
        QTest.mouseClick(self.page.blind, LEFT)
        self.settle()
        self.assertEqual(self.page.stage.names, ("A", "B"))
        self.assertEqual(self.page.mode, CompareMode.SIDE_BY_SIDE)
        self.assertFalse(self.page.panel.isVisible() or self.page.wells[0].isVisible())
        exchanged = self.comparing.blind.exchanged
        image = pixels(self.page.stage.grab().toImage()).astype(float)
        half = image.shape[1] // 2
        left = image[60:-60, 40 : half - 40].mean()
        c = self.comparing.state.comparison  # type: ignore[union-attr]
        brighter_first = c.first.mean() > c.second.mean()
        self.assertEqual(left > image[60:-60, half + 40 : -40].mean(), brighter_first != exchanged)
        QTest.mouseClick(self.page.answers["A"], LEFT)
        names = ("the raw, corrected", "the phone's picture")
        chosen, other = names[::-1] if exchanged else names
        self.assertEqual(self.window.message.text(), f"You preferred {chosen} to {other}.")
        self.assertTrue(self.page.panel.isVisible())
        self.assertEqual(self.page.stage.names, names)
        self.assertIn(f"{chosen} 1", self.page.panel.note.text())
        self.window.session.save_settings()
        self.assertEqual(load_settings().blind, {"phone > corrected" if exchanged else "corrected > phone": 1})

    def test_a_page_is_saved(self) -> None:
        out = self.folder.parent / "both.html"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(out), "")):
            QTest.mouseClick(self.page.panel.page, LEFT)
        self.wait(out.is_file)
        self.settle()
        self.assertIn("Measured", out.read_text())
        self.assertIn("Saved", self.window.message.text())
        out.write_text("of the user")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(out.with_suffix("")), "")):
            QTest.mouseClick(self.page.panel.page, LEFT)  # nobody was asked about the name that an ending makes
        self.settle()
        self.assertEqual(out.read_text(), "of the user")
        raw = self.files[0]
        before = raw.read_bytes()
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(raw.with_suffix(".html")), "")):
            QTest.mouseClick(self.page.panel.page, LEFT)
        self.settle()
        self.assertEqual(raw.read_bytes(), before)

    def test_a_page_of_the_whole_shoot_is_saved(self) -> None:
        out = self.folder.parent / "shoot.csv"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(out), "")):
            QTest.mouseClick(self.page.panel.shoot_page, LEFT)
        self.assertTrue(self.window.line.running)
        self.wait(out.is_file)
        self.settle()
        self.assertFalse(self.window.line.running)
        rows = list(csv.DictReader(out.read_text().splitlines()))
        pairs = [s for s in self.window.shoot.shots if s.raw and s.picture]
        self.assertEqual([r["shot"] for r in rows], [s.name for s in pairs for _ in range(2)])
        self.assertEqual([int(r["bytes"]) for r in rows[:2]], [p.stat().st_size for p in pairs[0].files[:2]])
        self.assertIn(f"of {len(pairs)} raws", self.window.message.text())

    def test_the_second_is_shown_as_bright_as_the_first(self) -> None:
        self.pick(1, "the raw, default values")
        self.window.correct.edit.change("exposure", exposure=1.0)  # type: ignore[union-attr]
        self.task(Task.CORRECT)
        self.task(Task.COMPARE)
        self.compared()
        before = self.comparing.state.comparison  # type: ignore[union-attr]
        self.assertLess(before.delta_l_mean, -5)
        QTest.mouseClick(self.page.equal, LEFT, pos=QPoint(10, self.page.equal.height() // 2))
        self.assertTrue(self.page.equal.isChecked())
        self.compared()
        found = self.comparing.state
        self.assertLess(abs(found.comparison.delta_l_mean), 1.0)  # type: ignore[union-attr]
        QTest.mouseClick(self.page.equal, LEFT, pos=QPoint(10, self.page.equal.height() // 2))
        self.compared()
        self.assertEqual(self.comparing.state.comparison.delta_l_mean, before.delta_l_mean)  # type: ignore[union-attr]

    def test_places_of_ones_own_stand_among_the_others(self) -> None:
        found = len(self.page.places.places)
        QTest.keyClick(self.window, Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
        stage = self.page.stage
        for x, y in ((0.3, 0.4), (0.7, 0.6)):
            w, h = stage.viewport.frame
            QTest.mouseDClick(stage, LEFT, pos=QPointF(*stage.viewport.to_pane(x * w, y * h)).toPoint())
        self.settle()
        QTest.keyClick(self.window, Qt.Key.Key_1, Qt.KeyboardModifier.AltModifier)
        self.wait(lambda: len(self.page.places.pairs) == found + 2)
        own = self.page.places.places[-1]
        self.assertEqual(own.kind, OWN)
        self.assertAlmostEqual(own.x, 0.7, delta=0.01)
        self.assertRegex(self.page.places.sentence(found + 1), "here.$")
        self.page.places.setFocus()
        for _ in range(found + 1):
            QTest.keyClick(self.page.places, Qt.Key.Key_Right)
        QTest.keyClick(self.page.places, Qt.Key.Key_Delete)
        self.assertEqual([p.x for p in self.page.places.places[found:]], [self.comparing.regions.pins[0][0]])
        QTest.keyClick(self.page.places, Qt.Key.Key_Home)
        self.page.places.current = 0
        QTest.keyClick(self.page.places, Qt.Key.Key_Delete)  # what was found stays
        self.assertEqual(len(self.page.places.places), found + 1)
        self.choose("sluice-001-01")
        self.compared()
        self.assertNotIn(OWN, [p.kind for p in self.page.places.places])

    def test_a_shot_is_dragged_into_a_well(self) -> None:
        other = next(s for s in self.window.shoot.shots if s.name == "sluice-001-02")
        well = self.page.wells[1]
        data = dragged(other)
        at = well.rect().center()
        plain = well.grab().toImage()
        buttons, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        QApplication.sendEvent(well, QDragEnterEvent(at, Qt.DropAction.CopyAction, data, buttons, none))
        self.assertNotEqual(well.grab().toImage(), plain)  # it shows that it takes it
        QApplication.sendEvent(well, QDropEvent(at.toPointF(), Qt.DropAction.CopyAction, data, buttons, none))
        self.wait(lambda: self.comparing.wells[1] == ("shot", str(other.main)))
        self.settle()
        self.assertEqual(well.currentText(), "sluice-001-02")
        self.assertIn("to be aligned. The grid shows", str(self.comparing.state))  # another scene, said in words
        self.assertEqual(well.grab().toImage().size(), plain.size())
        text = QMimeData()
        text.setText("words")
        event = QDragEnterEvent(at, Qt.DropAction.CopyAction, text, buttons, none)
        event.ignore()
        QApplication.sendEvent(well, event)
        self.assertFalse(event.isAccepted())

    def test_a_kept_recipe_is_pushed_on_both(self) -> None:
        keep(NamedRecipe("without colour", ("monochrome", "raw_neutral"), Recipe(monochrome=True)))
        box = self.page.push.recipe_box
        box.setFocus()
        QTest.keyClick(box, Qt.Key.Key_Down)
        self.assertEqual(box.currentText(), "without colour")
        self.wait(lambda: self.comparing.push.monochrome)
        self.compared()
        c = self.comparing.state.comparison  # type: ignore[union-attr]
        for picture in (c.first, c.second):
            self.assertLess(int(np.ptp(picture.astype(int), axis=2).max()), 4)
        QTest.mouseClick(self.page.push.none, LEFT)
        self.wait(lambda: not self.comparing.push.monochrome)

    def test_a_sweep_plots_both_under_growing_pushes(self) -> None:
        QTest.keyClick(self.window, Qt.Key.Key_6, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.page.mode, CompareMode.SWEEP)
        self.wait(lambda: len(self.page.sweep.swept) == 5)
        self.settle()
        found = self.page.sweep.swept
        self.assertEqual([s.ev for s in found], [0, 1, 2, 3, 4])
        for side in ("a", "b"):
            lost = [getattr(s, side)["lost_highlights_percent"] for s in found]
            self.assertGreater(lost[-1], lost[0] + 5)
        image = pixels(self.page.sweep.grab().toImage())
        for role in ("accent", "suggestion"):  # a line of each
            color = theme.current().color(role)
            wanted = np.array([color.red(), color.green(), color.blue()])
            self.assertGreater(int((np.abs(image.astype(int) - wanted).max(axis=2) < 12).sum()), 150, role)


class CompareMoves(WindowTest):
    def setUp(self) -> None:
        # a grid coarser than the raw, as it is for real sizes
        self.enterContext(mock.patch("bruto.compare.metrics.COMPARE_EDGE", 252))
        super().setUp()
        self.choose("card-003")
        self.task(Task.COMPARE)
        self.wait(lambda: self.window.compare.stage.first is not None)
        self.stage = self.window.compare.stage

    def test_one_to_one_shows_the_raws_own_pixels(self) -> None:
        QTest.keyClick(self.window, Qt.Key.Key_F2)
        self.settle()
        self.assertAlmostEqual(self.stage.zoom, 1.0)
        assert self.stage.pieces is not None
        developer, edit = self.window.correct.developer, self.window.correct.edit
        assert developer is not None and edit is not None
        wanted = self.stage.wanted_piece()
        assert wanted is not None
        whole = developer.render(edit.recipe)
        x, y, w, h = wanted
        found = pixels(self.stage.pieces[0])
        self.assertLess(np.abs(found.astype(int) - whole[y : y + h, x : x + w]).mean(), 0.6)
        QTest.keyClick(self.window, Qt.Key.Key_F2)
        self.assertTrue(self.stage.fit)

    def test_zoom_and_pan_are_linked(self) -> None:
        QTest.mouseClick(self.window.compare.buttons[CompareMode.SIDE_BY_SIDE], LEFT)
        self.stage.set_one_to_one()
        self.settle()
        before = self.stage.centre
        self.drag(self.stage, QPointF(400, 300), QPointF(360, 320))
        self.assertAlmostEqual(self.stage.centre.x() - before.x(), 40, delta=0.6)
        image = pixels(self.stage.grab().toImage()).astype(int)
        left, right = (
            image[
                round(pane.top()) + 40 : round(pane.bottom()) - 44, round(pane.left()) + 20 : round(pane.right()) - 20
            ]
            for pane in self.stage.panes()
        )
        n, rows = (min(left.shape[k], right.shape[k]) for k in (1, 0))
        left, right = left[:rows], right[:rows]
        self.assertGreater(np.corrcoef(left[:, :n].mean(axis=2).ravel(), right[:, :n].mean(axis=2).ravel())[0, 1], 0.8)

    def test_nothing_is_shown_where_a_picture_has_nothing(self) -> None:
        """A picture of the right half alone: the other half is the surround, in every mode that shows both."""
        first, second = np.full((378, 504, 3), 60, np.uint8), np.full((378, 504, 3), 220, np.uint8)
        valid = np.zeros((378, 504), bool)
        valid[:, 252:] = True
        self.stage.set_pictures(first, second, (504, 378), ("first", "second"), valid)
        surround = theme.current().color("surround").getRgb()[:3]
        for mode in (CompareMode.CURTAIN, CompareMode.SIDE_BY_SIDE):
            with self.subTest(mode):
                self.stage.set_mode(mode)
                self.stage.curtain.place = 0.0
                image = pixels(self.stage.grab().toImage())
                pane = self.stage.panes()[-1]
                for at, wanted in ((0.3, surround), (0.7, (220, 220, 220))):
                    x, y = self.stage.viewport.to_pane(504 * at, 378 * 0.4)
                    np.testing.assert_array_equal(image[round(pane.top() + y), round(pane.left() + x)], wanted)

    def test_tall_stages_lay_wide_pictures_above_each_other(self) -> None:
        self.stage.set_mode(CompareMode.SIDE_BY_SIDE)
        for size, wide in (((1000, 400), False), ((600, 900), True)):
            self.stage.resize(*size)
            first, second = self.stage.panes()
            self.assertEqual(first.width() == size[0], wide, size)
            self.assertFalse(first.intersects(second))

    def test_the_curtain_is_dragged_and_moved_by_keys(self) -> None:
        QTest.mouseClick(self.window.compare.buttons[CompareMode.CURTAIN], LEFT)
        x = self.stage.width() * self.stage.curtain.place
        self.drag(self.stage, QPointF(x, 200), QPointF(x - 150, 200))
        self.assertAlmostEqual(self.stage.curtain.place, (x - 150) / self.stage.width(), delta=0.01)
        self.stage.setFocus()
        now = self.stage.curtain.place
        QTest.keyClick(self.stage, Qt.Key.Key_Right)
        self.assertGreater(self.stage.curtain.place, now)

    def test_the_curtain_leans_at_any_angle(self) -> None:
        QTest.mouseClick(self.window.compare.buttons[CompareMode.CURTAIN], LEFT)
        self.stage.names = ("first", "second")
        turner = self.stage.curtain.turners()[1]
        middle = self.stage.curtain.middle()
        self.drag(self.stage, turner, QPointF(middle.x() - 120, middle.y() + 121))
        self.assertEqual(self.stage.curtain.angle, 45.0)  # near 45 degrees it holds there
        self.stage.setFocus()
        QTest.keyClicks(self.stage, "]]]")
        self.assertEqual(self.stage.curtain.angle, -90.0)  # a level line, second half below or above
        image = pixels(self.stage.grab().toImage()).astype(int)
        first, second = (pixels(p.at(1.0)).astype(int) for p in (self.stage.first, self.stage.second))
        self.assertGreater(np.abs(first.mean(axis=(0, 1)) - second.mean(axis=(0, 1))).max(), 2)
        x, y = (round(v) for v in self.stage.viewport.to_pane(*(n * 0.5 for n in self.stage.viewport.frame)))
        above, below = (image[y + dy - 10 : y + dy + 10, x - 60 : x + 60].mean(axis=(0, 1)) for dy in (-60, 60))
        h, w = first.shape[:2]
        zoom = self.stage.zoom * self.stage.viewport.frame[0] / w
        rows = [round(h / 2 + dy / zoom) for dy in (-60, 60)]
        half = round(60 / zoom)
        deep = max(2, round(10 / zoom))
        for found, row, shown in ((above, rows[0], second), (below, rows[1], first)):
            part = shown[row - deep : row + deep, w // 2 - half : w // 2 + half].mean(axis=(0, 1))
            np.testing.assert_allclose(found, part, atol=4)

    def test_the_difference_is_told_with_its_scale(self) -> None:
        QTest.mouseClick(self.window.compare.buttons[CompareMode.DIFFERENCE], LEFT)
        self.settle()
        assert self.stage.difference is not None
        c = self.window.session.comparing.state.comparison  # type: ignore[union-attr]
        shown = pixels(self.stage.difference.at(1.0)).astype(int)
        places = np.argwhere(c.valid)[:: c.valid.sum() // 200]
        wanted = np.clip(c.map[places[:, 0], places[:, 1]] / FULL_DIFFERENCE, 0, 1) * 255
        np.testing.assert_allclose(shown[places[:, 0], places[:, 1], 0], wanted, atol=1.5)
        image = pixels(self.stage.grab().toImage())
        self.assertEqual(int(np.ptp(image[60:400, 100:-100].astype(int), axis=2).max()), 0)  # grey, no false colours

    def test_both_alternate_at_a_pace_and_by_hand(self) -> None:
        QTest.mouseClick(self.window.compare.buttons[CompareMode.ALTERNATE], LEFT)
        self.stage.setFocus()
        pace = self.stage._timer.interval()
        QTest.keyClicks(self.stage, "+")
        self.assertLess(self.stage._timer.interval(), pace)
        QTest.keyClick(self.stage, Qt.Key.Key_Space)
        self.assertFalse(self.stage._timer.isActive())
        before = self.stage.flip
        one = pixels(self.stage.grab().toImage())
        QTest.keyClick(self.stage, Qt.Key.Key_Space)
        self.assertNotEqual(self.stage.flip, before)
        self.assertGreater(np.abs(pixels(self.stage.grab().toImage()).astype(int) - one).mean(), 0.5)

    def test_a_change_in_develop_changes_the_comparison(self) -> None:
        values = dict(self.window.compare.panel.values)
        edit = self.window.correct.edit
        assert edit is not None
        edit.change("exposure", exposure=1.2)
        self.task(Task.CORRECT)
        self.task(Task.COMPARE)
        self.wait(lambda: self.window.compare.stage.first is not None)
        name = "Mean lightness, L*"
        self.assertGreater(float(self.window.compare.panel.values[name][0]), float(values[name][0]) + 3)
