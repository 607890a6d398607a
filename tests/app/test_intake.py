"""Intake in the real window: the board, the reading of a shot, flips, patterns, sweep, picks, pairs, new files."""

from __future__ import annotations

import json
import re
import shutil
import unittest
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu, QPushButton

from bruto.app.shot_facts import set_fact, shot_fact
from bruto.app.stage.clip_overlay import overlay, patterns
from bruto.app.widgets.card_dialog import range_text
from bruto.container.picture import read_picture
from bruto.develop.linear_preview import plain_view
from bruto.shoot.folder import RECORD
from bruto.shoot.shots import oriented_preview
from bruto.shoot.sidecar import load_sidecar
from bruto.shoot.xmp import read_rating
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest, pixels
from tests.shots import SMALL, copy_of, taken

KEY = Qt.Key
SHIFT = Qt.KeyboardModifier.ShiftModifier


class IntakeTest(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.task(Task.INTAKE)
        self.page = self.window.intake
        self.wait(lambda: self.window.measuring.idle() and len(self.window.shoot.reports) == 9)
        self.settle()

    def fill(self) -> None:
        super().fill()
        copy_of(taken("pans", size=SMALL, seed=7, ev=2.0)[0]["files"], self.folder)
        (self.folder / "broken.dng").unlink()
        (self.folder / "spoilt.dng").write_bytes(b"no raw")

    def card(self, name: str) -> None:
        """Click the card of a shot or of the set it begins."""
        board = self.page.board
        row = next(k for k, (_, s, _) in enumerate(board.cards.rows) if s.name == name)
        index = board.cards.index(row)
        board.scrollTo(index)
        self.app.processEvents()
        QTest.mouseClick(board.viewport(), LEFT, pos=board.visualRect(index).center())
        self.settle()
        self.wait(lambda: self.page.shot is not None and self.page.shot.name == name)

    def names(self) -> list[str]:
        return [s.name for _, s, _ in self.page.board.cards.rows]

    def menu(self, menu: QMenu, text: str) -> None:
        """Choose an entry as a click would."""
        menu.aboutToShow.emit()
        action = next(a for a in menu.actions() if text in (a.text(), a.data()) and (a.isCheckable() or a.isEnabled()))
        action.trigger()
        self.settle()

    def shown(self) -> np.ndarray:
        assert self.page.stage.base is not None
        return pixels(self.page.stage.base)


class Board(IntakeTest):
    def test_every_shot_has_a_card_with_its_fact(self) -> None:
        self.assertFalse(self.window.shots.isVisible())  # the board stands for the list
        self.assertEqual(
            set(self.names()), {"card-003", "sluice-001-01", "boiling-house-001-01", "pans-001", "pans-007", "spoilt"}
        )
        facts = {s.name: self.page.board.cards.fact(s) for _, s, _ in self.page.board.cards.rows}
        self.assertEqual(facts["spoilt"], ("cannot be opened", "warning"))
        self.assertEqual(facts["pans-001"], ("no raw", "warning"))
        self.assertIn("clipped in", facts["pans-007"][0])
        self.assertIn("9 of 9", self.window.status_bar.measured.text())
        self.assertIn("a raw takes", self.page.summary.text())
        sets = {g.kind: set_fact(g, self.window.shoot.reports)[0] for g in self.window.shoot.sets if g.kind != "single"}
        self.assertIn("spans", sets["bracket"])
        shoot, bracket = self.window.shoot, next(g for g in self.window.shoot.sets if g.kind == "bracket")
        shoot.reports.pop(str(bracket.shots[1].main))
        shoot.mark_broken(bracket.shots[1], "cut off")
        bracket = next(g for g in shoot.sets if g.kind == "bracket")
        self.assertEqual(set_fact(bracket, shoot.reports), (f"1 of {len(bracket.shots)} cannot be opened", "warning"))

    def test_a_set_unfolds_on_a_double_click(self) -> None:
        board = self.page.board
        row = self.names().index("sluice-001-01")
        before = len(self.names())
        place = board.visualRect(board.cards.index(row)).center()
        QTest.mouseClick(board.viewport(), LEFT, pos=place)
        QTest.mouseDClick(board.viewport(), LEFT, pos=place)
        self.settle()
        self.assertEqual(len(self.names()), before + 3)
        self.card("sluice-001-03")
        self.assertIn("In its set", self.page.reading.advice_text.text())

    def test_sorting_and_filtering_by_measured_facts(self) -> None:
        self.menu(self.page.sort_button.menu(), "headroom")
        reports = self.window.shoot.reports
        order = [reports[str(s.main)].headroom_ev for _, s, _ in self.page.board.cards.rows if str(s.main) in reports]
        self.assertEqual(order, sorted(order, reverse=True))
        self.assertEqual(len(self.names()), 11)  # sets are taken apart
        self.menu(self.page.sort_button.menu(), "time")
        self.menu(self.page.only_button.menu(), "no-raw")
        self.assertEqual(self.names(), ["pans-001"])
        self.menu(self.page.only_button.menu(), "sets")
        self.assertEqual(set(self.names()), {"sluice-001-01", "boiling-house-001-01"})
        self.menu(self.page.only_button.menu(), "all")
        self.assertEqual(len(self.names()), 6)

    def test_picks_and_rejects_by_key_are_kept_and_filtered(self) -> None:
        self.card("card-003")
        QTest.keyClick(self.page.board, KEY.Key_F7)
        self.card("pans-007")
        QTest.keyClick(self.page.board, KEY.Key_F5)
        self.menu(self.page.only_button.menu(), "keep_or_best")
        self.assertEqual(self.names(), ["card-003"])
        raw = self.folder / "card-003.dng"
        self.assertEqual(load_sidecar(raw)[0].verdict, "keep")
        rating = read_rating(self.folder / "pans-007.dng")
        assert rating is not None
        self.assertEqual(rating.stars, -1)
        self.menu(self.page.only_button.menu(), "all")
        self.card("card-003")
        self.assertTrue(self.page.reading.judges["keep"].isChecked())
        QTest.keyClick(self.page.board, KEY.Key_F7)
        self.assertEqual(load_sidecar(raw)[0].verdict, "")

    def test_notes_and_gear_are_kept(self) -> None:
        self.card("card-003")
        for edit, text in ((self.page.reading.note, "best light"), (self.page.reading.gear, "polariser")):
            edit.setFocus()
            QTest.keyClicks(edit, text)
            QTest.keyClick(edit, KEY.Key_Return)
        side = load_sidecar(self.folder / "card-003.dng")[0]
        self.assertEqual((side.note, side.gear), ("best light", "polariser"))
        self.card("pans-007")
        self.assertEqual(self.page.reading.note.text(), "")
        self.card("card-003")
        self.assertEqual(self.page.reading.gear.text(), "polariser")


class ReadingOfAShot(IntakeTest):
    def test_one_key_flips_at_the_same_place_and_size(self) -> None:
        self.card("card-003")
        stage = self.page.stage
        self.wait(lambda: self.page.tag.text() == "RAW, no look")
        stage.set_one_to_one(QPointF(60, 60))
        self.settle()
        place, zoom = stage.centre, stage.zoom
        seen = {self.page.tag.text(): self.shown()}
        for _ in range(2):
            QTest.keyClick(self.page, KEY.Key_F3, SHIFT)
            self.settle()
            seen[self.page.tag.text()] = self.shown()
            self.assertEqual((stage.centre, stage.zoom), (place, zoom))
        self.assertEqual(set(seen), {"RAW, no look", "EMBEDDED PREVIEW", "PHONE'S PICTURE"})
        shot, developer = self.window.session.opened.shot, self.window.session.opened.developer
        np.testing.assert_array_equal(seen["PHONE'S PICTURE"], read_picture(shot.picture).pixels)
        np.testing.assert_array_equal(seen["EMBEDDED PREVIEW"], oriented_preview(shot))
        np.testing.assert_array_equal(seen["RAW, no look"], plain_view(developer, 0.0, 4))
        self.assertEqual(seen["EMBEDDED PREVIEW"].shape[0], SMALL[1] // 4)
        QTest.keyClick(self.page, KEY.Key_F3, SHIFT)
        self.settle()
        self.assertEqual(self.page.tag.text(), "RAW, no look")

    def test_the_sweep_slides_light_by_stops(self) -> None:
        self.card("card-003")
        self.wait(lambda: self.page.tag.text() == "RAW, no look")
        means = []
        for ev in (0, -2, 2):
            self.page.sweep.setValue(ev * 12)
            self.settle()
            shown = self.shown() / 255
            means.append(float(np.median(np.where(shown <= 0.04045, shown / 12.92, ((shown + 0.055) / 1.055) ** 2.4))))
        self.assertAlmostEqual(means[0] / means[1], 4, delta=0.4)
        self.assertGreater(means[2] / means[0], 2)
        self.assertEqual(self.page.viewer.sweep_text.text(), "+2.0 EV")
        self.card("pans-007")
        self.assertEqual(self.page.sweep.value(), 0)  # a sweep changes nothing and stays with no shot

    def test_patterns_lie_where_the_raw_is_full(self) -> None:
        self.card("pans-007")
        self.wait(lambda: self.page.stage.counts is not None)
        counts = self.page.stage.counts
        assert counts is not None
        self.assertGreater(int((counts == 3).sum()), 20)
        before = pixels(self.page.stage.grab().toImage())
        QTest.keyClick(self.page, KEY.Key_F4, SHIFT)
        self.settle()
        self.assertTrue(self.page.clipped_button.isChecked())
        after = pixels(self.page.stage.grab().toImage())
        changed = np.argwhere((before != after).any(axis=2))
        legend = after[-70:, -190:]
        self.assertGreater(len(np.unique(legend.reshape(-1, 3), axis=0)), 5)
        rect = self.page.stage.frame_rect()
        inside = [(y, x) for y, x in changed if y < after.shape[0] - 70]
        h, w = counts.shape
        hits = [
            counts[
                min(h - 1, int((y - rect.top()) / rect.height() * h)),
                min(w - 1, int((x - rect.left()) / rect.width() * w)),
            ]
            for y, x in inside
        ]
        self.assertGreater(np.mean(np.array(hits) > 0), 0.6)

    def test_large_takes_the_room_of_the_board(self) -> None:
        self.card("card-003")
        small = self.page.stage.width()
        QTest.mouseClick(self.page.large_button, LEFT)
        self.settle()
        self.assertGreater(self.page.stage.width(), 1.8 * small)
        self.assertFalse(self.page.board.isVisible())
        QTest.mouseClick(self.page.large_button, LEFT)
        self.settle()
        self.assertTrue(self.page.board.isVisible())
        self.assertEqual(self.page.stage.width(), small)

    def test_the_advice_and_rows_say_the_measured_numbers(self) -> None:
        self.card("pans-007")
        report = self.window.shoot.reports[str(self.folder / "pans-007.dng")]
        self.assertIn("Next time", self.page.reading.advice_text.text())
        self.assertIn(report.advice[0].text, self.page.reading.advice_text.text())
        texts = [w.text() for w in self.page.reading.rows.findChildren(type(self.page.reading.advice_text))]
        self.assertTrue(any(f"{report.effective_bits:.1f} bits" in t for t in texts))
        self.assertIn("clipped: ", self.page.reading.raw_light.note)

    def test_a_spoilt_file_says_why(self) -> None:
        self.card("spoilt")
        self.assertEqual(self.page.tag.text(), "CANNOT BE OPENED")
        self.assertIn("spoilt.dng", self.page.reading.advice_text.text())
        self.assertFalse(self.page.reading.judges["keep"].isEnabled())

    def test_everything_in_the_file(self) -> None:
        self.card("card-003")
        tree = self.page.show_tree()
        assert tree is not None
        groups = [tree.tree.topLevelItem(k).text(0) for k in range(tree.tree.topLevelItemCount())]  # type: ignore[union-attr]
        self.assertEqual(
            groups,
            ["Picture", "Taken", "Storage", "Corrections", "Colour", "Look", "Noise", "Other pictures in the file"],
        )
        QTest.keyClicks(tree.words, "black level")
        visible = [g for k, g in enumerate(groups) if not tree.tree.topLevelItem(k).isHidden()]  # type: ignore[union-attr]
        self.assertEqual(visible, ["Storage"])
        tree.close()

    def test_develop_follows(self) -> None:
        self.card("pans-007")
        button = next(b for b in self.page.findChildren(QPushButton) if b.text() == "Correct")
        QTest.mouseClick(button, LEFT)
        self.settle()
        self.assertEqual(self.window.task(), Task.CORRECT)
        assert self.window.correct.shot is not None
        self.assertEqual(self.window.correct.shot.name, "pans-007")


class TakesAndGear(IntakeTest):
    def fill(self) -> None:
        super().fill()
        files = taken("pans", size=SMALL, seed=7, ev=2.0)[0]["files"]
        for k, seconds in ((1, 40), (2, 70)):  # the same view again, a little later
            for f in files:
                target = self.folder / Path(f).name.replace("pans-007", f"pans-10{k}")
                data = Path(f).read_bytes()
                when = re.search(rb"20\d\d:\d\d:\d\d \d\d:\d\d:\d\d", data)
                assert when is not None
                first = datetime.strptime(when.group().decode(), "%Y:%m:%d %H:%M:%S")
                later = (first + timedelta(seconds=seconds)).strftime("%Y:%m:%d %H:%M:%S").encode()
                target.write_bytes(data.replace(when.group(), later))

    def setUp(self) -> None:
        WindowTest.setUp(self)
        self.task(Task.INTAKE)
        self.page = self.window.intake
        self.wait(lambda: self.window.measuring.idle() and len(self.window.shoot.reports) == 11)
        self.settle()

    def test_near_duplicates_are_ranked(self) -> None:
        self.card("pans-101")
        self.assertIn("Of 3 takes of this view", self.page.reading.advice_text.text())
        self.card("card-003")
        self.assertNotIn("takes of this view", self.page.reading.advice_text.text())

    def test_gear_is_noted_for_a_set(self) -> None:
        self.card("pans-101")
        self.assertFalse(self.page.reading.set_button.isVisible())
        name = next(n for n in self.names() if n.startswith("sluice"))
        self.card(name)
        reading = self.page.reading
        reading.ensureWidgetVisible(reading.gear)
        reading.gear.setFocus()
        QTest.keyClicks(reading.gear, "tripod")
        self.assertTrue(reading.set_button.isVisible())
        QTest.mouseClick(reading.set_button, LEFT)
        self.settle()
        raws = sorted(self.folder.glob("sluice*.dng"))
        self.assertEqual([load_sidecar(r)[0].gear for r in raws], ["tripod"] * 4)

    def test_the_phones_picture_is_measured_against_the_raw(self) -> None:
        self.card("pans-007")
        key = str(self.folder / "pans-007.dng")
        self.wait(lambda: key in self.window.shoot.picture_reports)
        found = self.window.shoot.picture_reports[key]
        texts = [w.text() for w in self.page.reading.rows.findChildren(type(self.page.reading.advice_text))]
        self.assertTrue(any(f"any channel {found.clipped_percent['any']:.2f} %" in t for t in texts), texts)
        QTest.keyClick(self.page.board, KEY.Key_F3, SHIFT)
        QTest.keyClick(self.page.board, KEY.Key_F3, SHIFT)
        self.settle()
        self.assertEqual((self.page.view, self.page.reading.preview_light.title), ("phone", "Phone's picture"))
        QTest.keyClick(self.page.board, KEY.Key_F3, SHIFT)
        self.settle()
        self.assertEqual(self.page.reading.preview_light.title, "Embedded preview")

    def test_another_lens_than_asked_for_is_told(self) -> None:
        self.card("card-003")
        self.assertNotIn("intended", self.page.reading.advice_text.text())
        self.menu(self.page.intent_menu, "15 mm")
        self.assertIn("Taken with the 26 mm lens; you intended the 15 mm one", self.page.reading.advice_text.text())


class Card(IntakeTest):
    def test_the_phones_card_is_mended_and_used(self) -> None:
        self.card("card-003")
        dialog = self.window.asking.show_card()
        assert dialog is not None
        dialog.form.widgets["isos"].setText("50, abc")
        QTest.mouseClick(dialog.keep, LEFT)
        self.assertIn("'abc' is not a number", dialog.problem.text())
        dialog.form.widgets["isos"].setText("100, 50")
        for wrong in ("30", "40 to 20", "x to 3"):
            dialog.form.widgets["seconds_range"].setText(wrong)
            QTest.mouseClick(dialog.keep, LEFT)
            self.assertTrue(dialog.problem.text(), wrong)
            self.assertTrue(dialog.isVisible())
        dialog.form.widgets["seconds_range"].setText("to 40")
        dialog.form.widgets["isos"].setText("100, 50")
        dialog.form.widgets["lenses"].setPlainText("5.9, 24, 1.9")
        QTest.mouseClick(dialog.keep, LEFT)
        self.settle()
        shot = self.page.shot
        assert shot is not None
        card = self.window.shoot.phones.card_of(shot)
        assert card is not None
        self.assertEqual((card.isos, card.lenses[0].focal_35mm, len(card.seconds)), ((50, 100), 24.0, 40))
        self.assertEqual((card.limits, range_text(card, "seconds")), ({"seconds": (None, 40.0)}, "to 40"))
        self.assertIn("Digital zoom 1.1×", self.page.reading.advice_text.text())  # 26 mm is now a crop of 24 mm

    def test_what_is_learnt_of_the_viewfinder_is_told(self) -> None:
        self.card("card-003")
        shot = self.page.shot
        assert shot is not None
        learnt = self.window.shoot.phones.viewfinder(shot)
        assert learnt is not None
        texts = [w.text() for w in self.page.reading.rows.findChildren(type(self.page.reading.advice_text))]
        self.assertTrue(
            any(
                ("warns in time" if abs(learnt) < 0.05 else f"warns {abs(learnt):.1f} EV") in t and "median" in t
                for t in texts
            )
        )


class FilesComeAndGo(IntakeTest):
    def test_a_new_file_appears_measured(self) -> None:
        files = taken("card", size=SMALL, seed=9)[0]["files"]
        for f in files:
            shutil.copy2(f, self.folder)
        self.wait(lambda: str(self.folder / "card-009.dng") in self.window.shoot.reports, 20)
        self.assertIn("card-009", self.names())
        self.assertEqual(self.window.shoot.current.name, "card-009")  # type: ignore[union-attr]

    def test_taking_in_from_a_card(self) -> None:
        card = self.folder.parent / "card"
        card.mkdir()
        copy_of(taken("card", size=SMALL, seed=9)[0]["files"], card)
        self.window.session.imports.start(card)
        self.wait(lambda: "copied and verified" in self.window.message.text() or "card-009" in self.names(), 20)
        self.wait(lambda: "card-009" in self.names(), 20)
        self.assertEqual(len(list(card.iterdir())), 2)

    def test_nothing_is_taken_in_without_a_folder(self) -> None:
        self.window.shoot.paths = []
        card = self.folder.parent / "card"
        card.mkdir()
        copy_of(taken("card", size=SMALL, seed=9)[0]["files"], card)
        self.window.session.imports.start(card)
        self.settle()
        self.assertIn("open the folder", self.window.message.text())
        self.assertFalse((self.folder / "card-009.dng").exists())

    def test_a_pair_is_corrected_by_hand_and_remembered(self) -> None:
        self.card("card-003")
        self.menu(self.page.pair_menu, "Separate them")
        shot = next(s for s in self.window.shoot.shots if s.raw and s.name == "card-003")
        self.assertIsNone(shot.picture)
        self.assertEqual(json.loads((self.folder / RECORD).read_text())["pairs"], {"card-003.dng": None})
        self.card("card-003")
        self.menu(self.page.pair_menu, "Pair with card-003.jpg")
        shot = next(s for s in self.window.shoot.shots if s.raw and s.name == "card-003")
        self.assertEqual((shot.picture and shot.picture.name, shot.paired_by), ("card-003.jpg", "hand"))

    def test_what_was_asked_is_checked(self) -> None:
        self.menu(self.page.intent_menu, "12 megapixels")
        self.card("card-003")
        self.assertIn("12 intended", self.page.reading.advice_text.text())
        self.assertEqual(json.loads((self.folder / RECORD).read_text())["intent"]["megapixels"], 12)
        fact = shot_fact(
            self.page.shot,
            self.window.shoot.reports[str(self.page.shot.main)],
            self.window.shoot.findings(self.page.shot),
        )  # type: ignore[union-attr,arg-type]
        self.assertIn("resolution", fact[0])


class Overlay(unittest.TestCase):
    def test_three_patterns_are_told_apart_without_color(self) -> None:
        inked = [(t[..., 3] == 255) & (t[..., 0] < 200) for t in patterns()]
        shares = [float(t.mean()) for t in inked]
        self.assertEqual(shares[0], 0)
        self.assertTrue(shares[1] < shares[2] < shares[3])

    def test_most_channels_win_where_quads_share_a_pixel(self) -> None:
        from PySide6.QtCore import QRectF

        counts = np.zeros((400, 400), np.uint8)
        counts[200:203, 200:203] = 3
        image = overlay(counts, QRectF(0, 0, 40, 40), 40, 40)
        alpha = np.frombuffer(image.constBits(), np.uint8).reshape(40, image.bytesPerLine())[:, 3:160:4]
        self.assertEqual(np.argwhere(alpha > 0).tolist(), [[20, 20]])
