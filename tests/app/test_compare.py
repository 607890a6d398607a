"""Compare in the real window: wells, places, the push on both, and the phone's look."""

from __future__ import annotations

from unittest import mock

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from bruto.app.widgets import theme
from bruto.shoot.sidecar import load_sidecar
from bruto.storage.remembered import load_remembered
from tests.app.windows import LEFT, WindowTest, pixels
from tests.shots import MIDDLE, SMALL, copy_of, taken


class Compares(WindowTest):
    def fill(self) -> None:
        self.files = copy_of(taken("pans", size=MIDDLE, seed=2)[0]["files"], self.folder)
        copy_of([f for s in taken("sluice", size=SMALL, count=3, iso=400.0) for f in s["files"]], self.folder)

    def setUp(self) -> None:
        super().setUp()
        self.choose("pans-002")
        self.task("Compare")
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
        self.assertEqual(self.page.mode, "Places")
        self.assertIs(self.page.views.currentWidget(), self.page.places)
        self.assertGreaterEqual(len(self.page.places.places), 3)
        self.wait(lambda: len(self.page.places.pairs) == len(self.page.places.places))
        image = pixels(self.page.places.grab().toImage())
        self.assertGreater(len(np.unique(image.reshape(-1, 3), axis=0)), 2000)
        cell = self.page.places.cells()[1]
        QTest.mouseClick(self.page.places, LEFT, pos=cell.center().toPoint())
        self.settle()
        self.assertEqual(self.page.mode, "Curtain")
        place = self.page.places.places[1]
        self.assertAlmostEqual(self.page.stage.viewport.centre[0], place.x * MIDDLE[0], delta=MIDDLE[0] * 0.3)
        QTest.keyClick(self.window, Qt.Key.Key_1, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.page.mode, "Places")

    def test_any_two_stand_in_the_wells(self) -> None:
        names = [self.page.wells[1].itemText(k) for k in range(self.page.wells[1].count())]
        for name in (
            "the raw, as corrected",
            "the raw, default values",
            "the phone's picture",
            "the preview in the file",
        ):
            self.assertIn(name, names)
        self.pick(1, "the raw, default values")
        self.assertEqual(self.page.stage.names, ("the raw, as corrected", "the raw, default values"))
        self.assertLess(self.comparing.state.comparison.delta_e00_median, 0.5)  # type: ignore[union-attr]
        QTest.mouseClick(self.page.swap, LEFT)
        self.compared()
        self.assertEqual(self.page.stage.names, ("the raw, default values", "the raw, as corrected"))
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
        self.assertIn("The phone: exposure", look.said.text())
        QTest.mouseClick(look.ticks["colour"], LEFT, pos=look.ticks["colour"].rect().center() / 3)
        self.compared()
        self.assertEqual(self.comparing.phone.recipe().chroma, self.window.develop.edit.recipe.chroma)
        look.strength.setFocus()
        for _ in range(10):
            QTest.keyClick(look.strength, Qt.Key.Key_Left)
        self.compared()
        self.assertEqual(look.percent.text(), "50 %")
        self.assertEqual(self.comparing.phone.recipe().local_strength, 0.5)
        QTest.mouseClick(look.use, LEFT)
        self.window.develop.save()
        self.compared()
        side, _ = load_sidecar(self.files[0])
        self.assertGreater(len(side.recipe.local_tone.gains), 100)
        self.assertEqual([what for what, _ in side.history], ["the phone's look"])
        self.assertTrue(self.window.develop.ledger.rows["local_strength"].isVisibleTo(self.window.develop.ledger))
        self.window.develop.edit.undo()
        self.assertFalse(self.window.develop.ledger.rows["local_strength"].isVisibleTo(self.window.develop.ledger))

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
        self.assertEqual(self.page.mode, "Side by side")
        self.assertFalse(self.page.panel.isVisible() or self.page.wells[0].isVisible())
        exchanged = self.comparing.blind.exchanged
        image = pixels(self.page.stage.grab().toImage()).astype(float)
        half = image.shape[1] // 2
        left = image[60:-60, 40 : half - 40].mean()
        c = self.comparing.state.comparison  # type: ignore[union-attr]
        brighter_first = c.first.mean() > c.second.mean()
        self.assertEqual(left > image[60:-60, half + 40 : -40].mean(), brighter_first != exchanged)
        QTest.mouseClick(self.page.answers["A"], LEFT)
        names = ("the raw, as corrected", "the phone's picture")
        chosen, other = names[::-1] if exchanged else names
        self.assertEqual(self.window.message.text(), f"You preferred {chosen} to {other}.")
        self.assertTrue(self.page.panel.isVisible())
        self.assertEqual(self.page.stage.names, names)
        self.assertIn(f"{chosen} 1", self.page.panel.note.text())
        self.window.session.remember()
        self.assertEqual(load_remembered().blind, {f"{chosen} > {other}": 1})

    def test_a_page_is_saved(self) -> None:
        out = self.folder.parent / "both.html"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(out), "")):
            QTest.mouseClick(self.page.panel.page, LEFT)
        self.wait(out.is_file)
        self.settle()
        self.assertIn("What was measured", out.read_text())
        self.assertIn("Written", self.window.message.text())
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

    def test_a_sweep_plots_both_under_growing_pushes(self) -> None:
        QTest.keyClick(self.window, Qt.Key.Key_6, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.page.mode, "Sweep")
        self.wait(lambda: len(self.page.sweep.swept) == 5)
        self.settle()
        found = self.page.sweep.swept
        self.assertEqual([s.ev for s in found], [0, 1, 2, 3, 4])
        for side in ("a", "b"):
            lost = [getattr(s, side)["lost_highlights_percent"] for s in found]
            self.assertGreater(lost[-1], lost[0] + 5)
        image = pixels(self.page.sweep.grab().toImage())
        for role in ("accent", "suggestion"):  # a line of each
            colour = theme.current().color(role)
            wanted = np.array([colour.red(), colour.green(), colour.blue()])
            self.assertGreater(int((np.abs(image.astype(int) - wanted).max(axis=2) < 12).sum()), 150, role)


class CompareMoves(WindowTest):
    def setUp(self) -> None:
        # a grid coarser than the raw, as it is for real sizes
        self.enterContext(mock.patch("bruto.compare.metrics.COMPARE_EDGE", 252))
        super().setUp()
        self.choose("card-003")
        self.task("Compare")
        self.wait(lambda: self.window.compare.stage.first is not None)
        self.stage = self.window.compare.stage

    def test_one_to_one_shows_the_raws_own_pixels(self) -> None:
        QTest.keyClick(self.window, Qt.Key.Key_F2)
        self.settle()
        self.assertAlmostEqual(self.stage.zoom, 1.0)
        assert self.stage.pieces is not None
        developer, edit = self.window.develop.developer, self.window.develop.edit
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
        QTest.mouseClick(self.window.compare.buttons["Side by side"], LEFT)
        self.stage.set_one_to_one()
        self.settle()
        before = self.stage.centre
        self.drag(self.stage, QPointF(400, 300), QPointF(360, 320))
        self.assertAlmostEqual(self.stage.centre.x() - before.x(), 40, delta=0.6)
        image = pixels(self.stage.grab().toImage()).astype(int)
        half = image.shape[1] // 2
        left, right = image[50:-60, 20 : half - 20], image[50:-60, half + 22 : 2 * half - 18]
        n = min(left.shape[1], right.shape[1])
        self.assertGreater(np.corrcoef(left[:, :n].mean(axis=2).ravel(), right[:, :n].mean(axis=2).ravel())[0, 1], 0.8)

    def test_the_curtain_is_dragged_and_moved_by_keys(self) -> None:
        QTest.mouseClick(self.window.compare.buttons["Curtain"], LEFT)
        x = self.stage.width() * self.stage.curtain
        self.drag(self.stage, QPointF(x, 200), QPointF(x - 150, 200))
        self.assertAlmostEqual(self.stage.curtain, (x - 150) / self.stage.width(), delta=0.01)
        self.stage.setFocus()
        now = self.stage.curtain
        QTest.keyClick(self.stage, Qt.Key.Key_Right)
        self.assertGreater(self.stage.curtain, now)

    def test_a_change_in_develop_changes_the_comparison(self) -> None:
        values = dict(self.window.compare.panel.values)
        edit = self.window.develop.edit
        assert edit is not None
        edit.change("exposure", exposure=1.2)
        self.task("Correct")
        self.task("Compare")
        self.wait(lambda: self.window.compare.stage.first is not None)
        name = "Mean lightness, L*"
        self.assertGreater(float(self.window.compare.panel.values[name][0]), float(values[name][0]) + 3)
