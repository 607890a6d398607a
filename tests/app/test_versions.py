"""Versions of a shot, what it is compared with, colours out of range and named lights, in the real window."""

from __future__ import annotations

from unittest import mock

import colour
import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QInputDialog

from bruto.develop.analysis.soft_proof import hatched, out_of_gamut
from bruto.develop.illuminants import NAMED, named, values_of
from bruto.develop.recipe import Recipe
from bruto.shoot.sidecar import load_sidecar, save_sidecar
from tests.app.test_correct_page import DevelopTest
from tests.app.windows import LEFT, pixels

KEY = Qt.Key


class Versions(DevelopTest):
    def keep(self, name: str) -> None:
        with mock.patch.object(QInputDialog, "getText", return_value=(name, True)):
            QTest.keyClick(
                self.window, KEY.Key_K, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
            )
        self.settle()

    def test_a_version_is_kept_used_undone_and_survives_a_restart(self) -> None:
        self.edit.change("x", exposure=0.8)
        self.keep("brighter")
        self.edit.change("x", exposure=-1.0, chroma=0.4)
        self.settle()
        dull = self.picture()
        self.page.versions.fill()
        self.page.versions.edit.versions.use("brighter")  # type: ignore[union-attr]
        self.settle()
        self.assertEqual(self.edit.recipe.exposure, 0.8)
        self.assertGreater(self.changed(dull), 10)
        QTest.keyClick(self.window, KEY.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.settle()
        self.assertEqual((self.edit.recipe.exposure, self.edit.recipe.chroma), (-1.0, 0.4))
        self.page.save()
        assert self.page.shot is not None
        again, problem = load_sidecar(self.page.shot.main)
        self.assertEqual((problem, list(again.versions)), ("", ["brighter"]))
        self.assertEqual(again.versions["brighter"]["exposure"], 0.8)

    def test_nameless_and_damaged_versions(self) -> None:
        self.keep("   ")
        self.assertEqual(self.edit.sidecar.versions, {})
        text: list[str] = []
        self.edit.message.connect(text.append)
        self.edit.sidecar.versions["odd"] = {"exposure": 99}
        before = self.edit.recipe
        self.assertFalse(self.edit.versions.use("odd"))
        self.assertEqual(self.edit.recipe, before)
        self.assertIn("exposure", text[0])
        self.assertFalse(self.edit.versions.use("never was"))
        assert self.page.shot is not None
        save_sidecar(self.page.shot.main, self.edit.sidecar)
        self.assertIn("odd", load_sidecar(self.page.shot.main)[0].versions)  # nothing is lost

    def test_beside_shows_the_chosen_version_on_the_left(self) -> None:
        self.edit.change("x", exposure=-2.5)
        self.keep("dark")
        self.edit.change("x", exposure=1.0)
        self.settle()
        self.page.versions.choose("version", "dark")
        QTest.keyClick(self.window, KEY.Key_F4)
        self.settle()
        seen = pixels(self.page.stage.grab().toImage()).astype(float)
        r = self.page.stage.frame_rect()
        scale = seen.shape[1] / self.page.stage.width()
        rows = slice(int((r.top() + 20) * scale), int((r.bottom() - 50) * scale))
        half = seen.shape[1] // 2
        left = seen[rows, int(r.left() * scale) + 10 : half - 10].mean()
        right = seen[rows, half + 10 : int(r.right() * scale) - 10].mean()
        self.assertGreater(right - left, 40)
        self.page.stage.set_one_to_one()
        self.settle()
        self.assertIsNotNone(self.page.stage.before_piece)
        QTest.keyClick(self.window, KEY.Key_F4)
        self.assertEqual(self.page.stage.beside, "")

    def test_a_pinned_shot_is_compared_with_another(self) -> None:
        self.page.versions.fill()
        self.page.versions.pin.emit()
        self.choose("pans-001")
        self.page.show_before(True)
        self.settle()
        self.assertIn("card", self.page.tag.text().lower())
        assert self.page.stage.before is not None
        other = pixels(self.page.stage.before)
        self.page.show_before(False)
        own = self.picture()
        h, w = min(other.shape[0], own.shape[0]), min(other.shape[1], own.shape[1])
        self.assertGreater(float(np.abs(other[:h, :w].astype(int) - own[:h, :w]).mean()), 15)


class Noise(DevelopTest):
    def test_the_residual_is_noise_about_grey_and_more_of_it_with_more_taken_out(self) -> None:
        self.page.stage.set_one_to_one()
        self.page.versions.choose("residual", "")
        spread = []
        for amount in (0.0, 0.5, 1.5):
            self.edit.change("x", luminance_noise=amount, chroma_noise=amount)
            self.page.reference.set_beside(True)
            self.settle()
            assert self.page.stage.before_piece is not None
            seen = pixels(self.page.stage.before_piece).astype(float)
            self.assertAlmostEqual(float(np.median(seen)), 128, delta=3)
            spread.append(float(seen.std()))
        self.assertLess(spread[0], 2.5)  # dither alone
        self.assertLess(spread[0], spread[1])
        self.assertLess(spread[1], spread[2])
        self.assertIn("REMOVED", self.page.stage.beside)


class OutOfRange(DevelopTest):
    def test_marks_follow_the_colors_and_the_space(self) -> None:
        developer = self.page.developer
        assert developer is not None
        strong, dull = Recipe(chroma=2.2), Recipe(chroma=0.3)
        srgb, p3 = (out_of_gamut(developer, strong, 4, name).mean() for name in ("srgb", "display-p3"))
        self.assertGreater(srgb, 0.02)
        self.assertLess(p3, 0.7 * srgb)
        self.assertLess(out_of_gamut(developer, dull, 4, "srgb").mean(), 0.3 * srgb)

    def test_the_key_goes_from_srgb_to_p3_to_nothing(self) -> None:
        self.edit.change("x", chroma=2.2)
        self.settle()
        for wanted in ("sRGB", "Display P3"):
            QTest.keyClick(self.window, KEY.Key_G, Qt.KeyboardModifier.ControlModifier)
            self.settle()
            self.assertIsNotNone(self.page.stage.marks)
            self.assertIn(wanted, self.window.status_bar.timing.text())
        QTest.keyClick(self.window, KEY.Key_G, Qt.KeyboardModifier.ControlModifier)
        self.settle()
        self.assertIsNone(self.page.stage.marks)

    def test_marks_are_told_apart_without_color(self) -> None:
        drawn = hatched(np.ones((24, 24), bool))
        self.assertGreater(int(np.ptp(drawn[..., :3].mean(axis=2))), 100)
        self.assertEqual(int(hatched(np.zeros((8, 8), bool)).max()), 0)


class Lights(DevelopTest):
    def test_named_lights_agree_with_another_library(self) -> None:
        known = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]
        for title, (code, xy) in NAMED.items():
            np.testing.assert_allclose(xy, known[code], atol=6e-4, err_msg=title)

    def test_choosing_a_light_sets_white_and_is_shown(self) -> None:
        self.show("white")
        box = self.ledger.white.lights
        self.assertEqual(box.currentText(), "as shot")
        before = self.picture()
        box.setCurrentIndex(box.findData("tungsten lamp"))
        box.activated.emit(box.currentIndex())
        self.settle()
        self.assertAlmostEqual(self.edit.recipe.temperature or 0, 2856, delta=3)
        blue = self.picture().astype(float) - before
        self.assertLess(blue[..., 0].mean(), blue[..., 2].mean() - 10)  # daylight seen as lamp light turns blue
        self.assertEqual(named(*values_of("open shade")), "open shade")
        self.edit.change("x", temperature=5123.0, tint=0.001)
        self.settle()
        self.assertEqual(box.currentText(), "by hand")
        QTest.mouseClick(self.ledger.groups["white"].button, LEFT)
