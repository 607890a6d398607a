"""Several shots: selected by mouse and keys, judged, given values, delivered; and nothing is lost on the way."""

from __future__ import annotations

from unittest import mock

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from bruto.container.orientation import orient
from bruto.develop.rectangle import Rectangle, stored_rect
from bruto.shoot.sidecar import load_sidecar
from bruto.shoot.verdicts import VERDICTS
from bruto.shoot.xmp import read_rating
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest, pixels

KEY = Qt.Key
CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


class Choosing(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.task(Task.INTAKE)
        self.board = self.window.intake.board
        self.wait(lambda: len(self.window.shoot.reports) >= 8)

    def card(self, name: str) -> QPoint:
        row = next(k for k, (_, shot, _) in enumerate(self.board.cards.rows) if shot.name == name)
        self.board.scrollTo(self.board.cards.index(row))
        self.app.processEvents()
        return self.board.visualRect(self.board.cards.index(row)).center()

    def click(self, name: str, held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.mouseClick(self.board.viewport(), LEFT, held, self.card(name))
        self.settle()

    def names(self) -> list[str]:
        return sorted(s.name for s in self.window.shoot.selection)

    def test_clicks_ctrl_shift_and_sets(self) -> None:
        self.click("card-003")
        self.assertEqual(self.names(), ["card-003"])
        self.click("pans-001", CTRL)
        self.assertEqual(self.names(), ["card-003", "pans-001"])
        self.click("pans-001", CTRL)
        self.assertEqual(self.names(), ["card-003"])
        self.click("sluice-001-01")  # a folded set stands for all its shots
        self.assertEqual(self.names(), [f"sluice-001-0{k}" for k in (1, 2, 3, 4)])
        self.click("card-003")
        first, last = self.board.cards.rows[0][1].name, self.board.cards.rows[2][1].name
        self.click(first)
        self.click(last, SHIFT)
        wanted = {s.name for k in range(3) for s in self.board.stands_for(k)}
        self.assertEqual(set(self.names()), wanted)
        self.assertEqual(self.window.shots.count.text().split()[0], str(len(wanted)))

    def test_a_rubber_band_selects(self) -> None:
        place = self.board.visualRect(self.board.cards.index(0))
        free = QPoint(self.board.viewport().width() - 3, self.board.visualRect(self.board.cards.index(3)).bottom() + 60)
        QTest.mousePress(self.board.viewport(), LEFT, pos=free)
        for k in range(1, 9):
            QTest.mouseMove(self.board.viewport(), free + (place.center() - free) * (k / 8))
            self.app.processEvents()
        QTest.mouseRelease(self.board.viewport(), LEFT, pos=place.center())
        self.settle()
        self.assertGreater(len(self.names()), 4)

    def test_four_verdicts_by_key_on_all_and_back(self) -> None:
        self.click("card-003")
        self.click("pans-001", CTRL)
        raw = self.folder / "card-003.dng"
        for k, verdict in enumerate(VERDICTS):
            QTest.keyClick(self.board, Qt.Key(KEY.Key_F5.value + k))
            self.settle()
            self.assertEqual(
                [self.window.shoot.verdicts[str(s.main)] for s in self.window.shoot.selection], [verdict.id] * 2
            )
            self.assertEqual(load_sidecar(raw)[0].verdict, verdict.id)
            rating = read_rating(raw)
            assert rating is not None
            self.assertEqual(rating.stars, verdict.stars)
        QTest.keyClick(self.board, KEY.Key_F8)  # once more takes it back
        self.settle()
        self.assertEqual(load_sidecar(raw)[0].verdict, "")
        rating = read_rating(raw)
        assert rating is not None
        self.assertEqual(rating.stars, 0)

    def test_verdicts_of_pictures_alone_are_known_again(self) -> None:
        self.click("pans-001")
        QTest.keyClick(self.board, KEY.Key_F8)
        self.settle()
        self.window.open_paths([str(self.folder)], "A day")
        shot = next(s for s in self.window.shoot.shots if s.name == "pans-001")
        self.wait(lambda: self.window.shoot.verdicts.get(str(shot.main)) == "best")

    def test_words_are_noted_for_all_that_are_selected(self) -> None:
        self.click("card-003")
        self.click("sluice-001-01", CTRL)
        field = self.window.intake.reading.gear
        field.setFocus()
        QTest.keyClicks(field, "polariser")
        QTest.keyClick(field, KEY.Key_Return)
        self.wait(lambda: "Saved for 5 shots" in self.window.message.text())
        self.settle()
        self.assertEqual({load_sidecar(s.main)[0].gear for s in self.window.shoot.selection}, {"polariser"})

    def test_a_verdict_and_on_to_the_next(self) -> None:
        self.click(self.board.cards.rows[0][1].name)
        before = self.window.shoot.current
        QTest.keyClick(self.board, KEY.Key_F7, CTRL)
        self.settle()
        assert before is not None
        self.assertEqual(self.window.shoot.verdicts[str(before.main)], "keep")
        self.assertIs(self.window.shoot.current, self.board.cards.rows[1][1])

    def test_the_selection_stays_when_the_list_changes(self) -> None:
        self.click("card-003")
        self.click("sluice-001-01", CTRL)
        before = self.names()
        self.window.intake.use_order("name", "all")
        self.window.intake.use_order("name", "no-raw")
        self.assertIn("hidden", self.window.intake.only_button.text())
        self.window.intake.use_order("time", "all")
        self.window.shoot.again(list(self.window.shoot.shots))
        self.settle()
        self.assertEqual(self.names(), before)
        self.assertEqual(self.window.shoot.current.name, "sluice-001-01")  # type: ignore[union-attr]

    def test_values_are_copied_used_and_taken_back_together(self) -> None:
        self.click("card-003")
        edit = self.window.correct.edit
        assert edit is not None
        edit.change("exposure", exposure=0.7, crop=(-0.3, -0.2, 0.2, 0.2))
        QTest.keyClick(self.window, KEY.Key_C, ALT)
        self.click("sluice-001-01")
        QTest.keyClick(self.window, KEY.Key_V, ALT)
        self.wait(lambda: "4 shots" in self.window.message.text())
        self.settle()
        files = [self.folder / f"sluice-001-0{k}.dng" for k in (1, 2, 3, 4)]
        values = [load_sidecar(f)[0].recipe for f in files]
        self.assertEqual({(v.exposure, v.crop) for v in values}, {(0.7, None)})
        QTest.keyClick(self.window, KEY.Key_Z, ALT)
        self.wait(lambda: "Undid" in self.window.message.text() and "4 shots" in self.window.message.text())
        self.settle()
        self.assertEqual({load_sidecar(f)[0].recipe.exposure for f in files}, {0.0})

    def test_suggestions_of_all_that_are_selected_are_each_their_own(self) -> None:
        self.click("card-003")
        self.click("boiling-house-001-01", CTRL)
        QTest.keyClick(self.window, KEY.Key_A, ALT | SHIFT)
        self.wait(lambda: "its own suggestions" in self.window.message.text(), 120)
        self.settle()
        found = [load_sidecar(s.main)[0].recipe for s in self.window.shoot.selection]
        self.assertEqual(len(found), 4)
        self.assertEqual(len({r.exposure for r in found}), 4)
        self.assertFalse(self.window.line.running)

    def test_out_goes_to_the_wastebasket_after_a_question_and_nothing_is_deleted(self) -> None:
        self.click("card-003")
        QTest.keyClick(self.board, KEY.Key_F5)
        self.settle()
        moved: list[str] = []
        asked: list[str] = []

        def answer(question: str, text: str, *_: str) -> bool:
            asked.append(text)
            return len(asked) > 1

        self.window.confirm = answer
        with mock.patch("bruto.app.wastebasket.QFile.moveToTrash", side_effect=lambda f: moved.append(f) or True):
            QTest.keyClick(self.window, KEY.Key_Delete, CTRL | SHIFT)
            self.assertEqual(moved, [])
            QTest.keyClick(self.window, KEY.Key_Delete, CTRL | SHIFT)
        self.assertIn("4 files", asked[0])
        names = sorted(f.rsplit("/", 1)[1] for f in moved)
        self.assertEqual(names, ["card-003.dng", "card-003.dng.bruto.json", "card-003.jpg", "card-003.xmp"])

    def test_takes_side_by_side_show_the_same_place(self) -> None:
        self.click("sluice-001-01")
        QTest.keyClick(self.window, KEY.Key_6, CTRL)
        page = self.window.page(Task.SIDE_BY_SIDE)
        self.wait(lambda: all(p.stage.developer is not None for p in page.shown))
        self.settle()
        self.assertEqual([p.stage.shot.name for p in page.shown], self.names())
        self.assertEqual(sum("most fine detail" in p.facts.text() for p in page.shown), 1)
        first = page.shown[1].stage
        first.set_one_to_one(QPointF(40, 30))
        self.settle()
        self.assertEqual({p.stage.viewport.visible() for p in page.shown}, {first.viewport.visible()})
        for pane in page.shown:
            self.assertIsNotNone(pane.stage.piece)
            developer, (x, y, w, h) = pane.stage.developer, first.viewport.visible()
            wanted = orient(
                developer.view(pane.stage.recipe, 1, stored_rect(Rectangle(x, y, w, h), 1, developer.source.size)), 1
            )
            np.testing.assert_array_equal(pixels(pane.stage.piece), wanted)
        self.drag(first, QPointF(100, 100), QPointF(60, 80))
        self.assertEqual(len({p.stage.viewport.visible() for p in page.shown}), 1)
        QTest.mouseClick(page.shown[2].verdict.buttons["best"], LEFT)
        self.settle()
        self.assertEqual(self.window.shoot.verdicts[str(page.shown[2].stage.shot.main)], "best")
        self.assertEqual(self.window.shoot.verdicts.get(str(page.shown[1].stage.shot.main), ""), "")
        card = next(s for s in self.window.shoot.shots if s.name == "card-003")
        page.show_shots([page.shown[0].stage.shot, card])  # what different scenes hold cannot be compared
        self.assertEqual([p.facts.text() for p in page.shown], ["", ""])

    def test_the_wastebasket_takes_whole_files_and_no_one_elses(self) -> None:
        """The real wastebasket: bytes are all there; an XMP that another file of its name shares stays."""
        raw = self.folder / "card-003.dng"
        bytes_of = raw.read_bytes()
        self.click("card-003")
        QTest.keyClick(self.board, KEY.Key_F5)
        self.settle()
        (self.folder / "card-003.heic").write_bytes(b"another program's")
        before = set(self.folder.iterdir())
        self.window.asking.discard_shots()
        gone = {p.name for p in before - set(self.folder.iterdir())}
        self.assertEqual(gone, {"card-003.dng", "card-003.dng.bruto.json", "card-003.jpg"})
        found = [p for p in self.folder.parent.rglob("card-003.dng") if p.parent != self.folder]
        self.assertEqual([p.read_bytes() for p in found], [bytes_of])

    def test_an_empty_folder_leaves_nothing_of_the_one_before(self) -> None:
        self.click("card-003")
        empty = self.folder.parent / "empty"
        empty.mkdir()
        self.window.open_paths([str(empty)])
        self.assertIsNone(self.window.correct.edit)
        self.assertIn("holds no DNG files", self.window.correct.stage.message)
        QTest.keyClick(self.board, KEY.Key_F8)
        self.assertEqual(load_sidecar(self.folder / "card-003.dng")[0].verdict, "")

    def test_a_verdict_that_cannot_be_written_is_not_shown(self) -> None:
        self.click("sluice-001-01")
        full = OSError("no space")
        with (
            mock.patch("bruto.session.edit.save_sidecar", side_effect=full),
            mock.patch("bruto.session.verdicts.write_rating", side_effect=full),
        ):
            self.window.session.judge("best", [s for s in self.window.shoot.selection if s.name.endswith("04")])
            self.settle()
        shot = next(s for s in self.window.shoot.shots if s.name == "sluice-001-04")
        self.assertEqual(self.window.shoot.verdicts[str(shot.main)], "")
        self.assertIn("no space", self.window.message.text())

    def test_a_menu_of_commands_stands_on_shots_stage_and_strip(self) -> None:
        self.click("card-003")
        self.click("pans-001", CTRL)
        self.board.menu_wanted.emit(QPoint(200, 200))
        texts = [a.text() for a in self.window.commands.shown.actions()]
        self.assertIn("✓ Keep", texts)
        self.assertEqual(self.names(), ["card-003", "pans-001"])
        self.window.commands.shown.close()
        self.task(Task.CORRECT)
        self.window.correct.stage.customContextMenuRequested.emit(QPoint(50, 50))
        self.assertIn("Crop in the picture", [a.text() for a in self.window.commands.shown.actions()])
        self.window.commands.shown.close()
