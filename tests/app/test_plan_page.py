"""The Plan page in the real window: from a place to a printed list, to shots that are matched, to the logbook."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from PySide6.QtCore import QDate, QPoint, QPointF, Qt, QTimer
from PySide6.QtTest import QTest

from bruto.logbook.records import LogRecord
from bruto.logbook.store import Logbook
from bruto.phones.card import PhoneCard, load_card, save_card
from bruto.plan.gazetteer import gazetteer
from bruto.plan.planned_shots import load_plan
from bruto.practice.exercises import EXERCISES
from bruto.simphone.capture import Exposure
from bruto.simphone.night import NightPhone, save_frame
from bruto.tasks import Task
from tests.app.test_wheel_guard import wheel
from tests.app.windows import LEFT, WindowTest, pixels
from tests.shots import SMALL, copy_of, taken

FRAMES = 6


class Plans(WindowTest):
    def fill(self) -> None:
        copy_of(taken("card", size=SMALL, seed=3)[0]["files"], self.folder)

    def setUp(self) -> None:
        super().setUp()
        self.plan_editor = self.window.session.plan_editor
        self.document, self.calculation = self.plan_editor.document, self.plan_editor.calculation
        self.task(Task.PLAN)
        self.page = self.window.page(Task.PLAN)
        self.reckoned()

    def reckoned(self) -> None:
        """Until sky and phone are reckoned, and all is shown."""
        self.wait(lambda: self.calculation.sky is not None and self.plan_editor.idle(), 120)
        self.settle()

    def typed(self, field, text: str) -> None:
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.settle()

    def pick(self, button, title: str) -> None:
        """Choose in the menu of a button by its keys."""
        QTimer.singleShot(0, button.showMenu)
        self.wait(lambda: button.menu().isVisible())
        action = next(a for a in button.menu().actions() if a.text() == title)
        button.menu().setActiveAction(action)
        QTest.keyClick(button.menu(), Qt.Key.Key_Return)
        self.settle()

    def test_a_newcomers_path(self) -> None:
        """Place, night, a trail, its list as PDF, the shoot, what became of it, the logbook."""
        page, side = self.page, self.page.side
        QTest.mouseClick(side.new, LEFT)
        self.reckoned()
        self.assertEqual(self.document.plan.planned_shots, ())
        self.typed(side.form.widgets["name"], "First trail")
        self.typed(side.form.widgets["place"], "behind the works")
        self.typed(side.form.widgets["latitude"].lineEdit(), "41,5")
        self.typed(side.form.widgets["longitude"].lineEdit(), "8.25")
        self.typed(side.form.widgets["height_m"].lineEdit(), "1450")
        self.typed(side.form.widgets["zone"], "CET")
        side.form.widgets["date"].setDate(QDate(2026, 8, 12))
        self.reckoned()
        self.assertEqual((self.document.plan.latitude, self.document.plan.date), (41.5, "2026-08-12"))
        self.assertEqual(self.document.plan.where.height_m, 1450)
        QTest.mouseClick(page.sky.night, LEFT)
        self.assertIn("22:", page.sky.status.text())
        self.pick(side.add, "Star trail")
        self.reckoned()
        planned = self.document.planned
        self.assertEqual((planned.kind, planned.azimuth), ("trail", 0.0))
        self.assertEqual(len(page.axis.blocks), 1)
        # the block is moved half an hour on, by the hand
        block = page.axis.blocks[0]
        start = page.axis.box_of(block).center()
        later = page.axis.x_of(block.begin + timedelta(minutes=30)) - page.axis.x_of(block.begin)
        self.drag(page.axis, start, start + QPointF(later, 0))
        self.reckoned()
        moved = datetime.fromisoformat(self.document.planned.at) - datetime.fromisoformat(planned.at)
        self.assertAlmostEqual(moved.total_seconds(), 1800, delta=400)
        self.typed(page.ledger.rows["frames"].spin.lineEdit(), str(FRAMES))
        self.typed(page.ledger.rows["seconds"].spin.lineEdit(), "15")
        planned = self.document.planned
        self.assertEqual((planned.frames, planned.seconds), (FRAMES, 15.0))
        self.wait(
            lambda: self.calculation.picture_of is self.document.planned and page.preview.whole is not None,
            120,
        )
        out = self.folder.parent / "list"
        with mock.patch("bruto.app.pages.plan.QFileDialog.getSaveFileName", return_value=(str(out), "PDF (*.pdf)")):
            self.pick(side.paper, "Red on black, for the night…")
        self.assertEqual(out.with_name("list.pdf").read_bytes()[:5], b"%PDF-")
        # the shoot
        phone = NightPhone(size=SMALL, latitude=41.5)
        begin = datetime.fromisoformat(planned.at)
        for frame in phone.frames(FRAMES, Exposure(planned.iso, planned.seconds), planned.interval_s - planned.seconds):
            path = self.folder / f"trail-{frame.number:02d}.dng"
            save_frame(phone.take(frame), path, begin + timedelta(seconds=frame.start))
        self.window.session.measuring.look()
        self.wait(lambda: len(self.window.shoot.reports) >= FRAMES + 1, 120)
        self.settle()
        self.wait(lambda: side.list.item(0).text().startswith("✓"))
        self.assertIn(f"done: {FRAMES} taken", side.list.item(0).text())
        self.assertIn("1 of 1 done", side.taken.text())
        self.task(Task.LOGBOOK)
        book = self.window.page(Task.LOGBOOK)
        self.wait(lambda: book.table.rowCount() == FRAMES + 1)
        self.assertIn("trail-00", {book.table.item(k, 0).text() for k in range(FRAMES + 1)})

    def test_the_demo_has_a_plan_and_its_shots_are_shown_on_their_axis(self) -> None:
        page = self.page
        self.assertEqual(self.document.plan.name, "Pans and pump, midsummer")
        self.assertTrue(page.sky.by_day)  # the first is one of the day
        self.assertEqual(page.side.list.count(), 5)
        row = page.side.list.visualItemRect(page.side.list.item(4)).center()
        QTest.mouseClick(page.side.list.viewport(), LEFT, pos=row)
        self.reckoned()
        self.assertFalse(page.sky.by_day)
        self.assertIn("Centre of the Milky Way", self.calculation.sky.night.tracks)
        self.assertEqual(self.document.planned.kind, "trail")
        self.assertIn("gaps of", " ".join(text for _, text, _ in self.calculation.forecast().lines()))
        before = pixels(page.axis.grab().toImage())
        page.axis.setFocus()
        QTest.keyClick(page.axis, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
        self.reckoned()
        self.assertEqual(self.document.planned.at, "2026-06-22T00:50")
        self.assertGreater(float((pixels(page.axis.grab().toImage()) != before).mean()), 0.0005)
        QTest.keyClick(page.axis, Qt.Key.Key_Up)
        self.assertEqual(self.document.planned.kind, "stars")
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.document.plan.planned_shots[4].at, "2026-06-21T23:50")

    def test_rows_take_what_is_proposed_and_refuse_what_cannot_be(self) -> None:
        page = self.page
        self.document.choose(3)
        self.reckoned()
        row = page.ledger.rows["seconds"]
        offered = self.calculation.recommendations()["seconds"]
        self.assertNotEqual(self.document.planned.seconds, offered.value)
        row.setFocus()
        self.assertTrue(row.evidence.isVisible())
        self.assertIn("500 / 26 mm", row.evidence.text())
        QTest.mouseClick(row.take, LEFT)
        self.reckoned()
        self.assertEqual(self.document.planned.seconds, offered.value)
        self.assertEqual(page.ledger.rows["seconds"].take.text(), "✓")
        row = page.ledger.rows["seconds"]
        row.setFocus()
        QTest.keyClick(row, Qt.Key.Key_Left)
        self.reckoned()
        steps = sorted(self.calculation.equipment.seconds)
        self.assertEqual(self.document.planned.seconds, steps[steps.index(offered.value) - 1])
        self.typed(page.ledger.rows["at"].spin.lineEdit(), "1:15")
        self.assertEqual(self.document.planned.at, "2026-06-22T01:15")
        self.typed(page.ledger.rows["at"].spin.lineEdit(), "25:00")
        self.assertEqual(self.document.planned.at, "2026-06-22T01:15")
        self.typed(page.ledger.rows["azimuth"].spin.lineEdit(), "SW")
        self.assertEqual(self.document.planned.azimuth, 225.0)
        iso = page.ledger.rows["iso"]
        iso.setFocus()
        before = self.document.planned.iso
        self.drag(iso.track, QPointF(iso.track.x_of(before), 12), QPointF(iso.track.x_of(before) + 30, 12))
        self.reckoned()
        self.assertGreater(self.document.planned.iso, before)
        self.assertIn(self.document.planned.iso, self.calculation.equipment.isos)
        self.document.undo()
        self.assertEqual(self.document.planned.iso, before)  # a drag is one step

    def test_the_wheel_scrolls_and_changes_nothing(self) -> None:
        page = self.page
        self.document.choose(3)
        self.reckoned()
        before = self.document.plan
        fields = [page.side.form.widgets[name] for name in ("date", "latitude", "darkness")]
        for widget in (
            *(page.ledger.rows[name].spin for name in ("iso", "at")),
            *fields,
            page.sky.target,
            page.ledger.kind,
        ):
            self.assertFalse(widget.hasFocus())
            wheel(widget, 2)
        self.reckoned()
        self.assertEqual(self.document.plan, before)

    def test_a_caution_is_kept_off_the_list_and_a_plan_is_kept(self) -> None:
        page = self.page
        self.document.choose(4)
        self.reckoned()
        tick = page.ledger.cautions.itemAt(0).widget()
        QTest.mouseClick(tick, LEFT, pos=QPoint(9, tick.height() // 2))
        self.reckoned()
        self.assertEqual(len(self.document.planned.cautions), 1)
        self.typed(page.ledger.fields["note"], "behind the shed")
        path = Path(self.document.file.path)
        self.document.flush()
        self.assertEqual(load_plan(path).planned_shots[4].note, "behind the shed")
        with mock.patch("bruto.app.pages.plan.ask_user", return_value=True):
            self.pick(page.side.paper, "Delete this plan…")
        self.assertFalse(path.exists())
        self.assertTrue(page.nothing.isVisible())
        QTest.mouseClick(page.nothing.buttons[1], LEFT)
        self.reckoned()
        self.assertEqual(len(self.document.plan.planned_shots), 5)

    def test_a_place_of_another_plan_and_another_phone(self) -> None:
        page = self.page
        QTest.mouseClick(page.side.new, LEFT)
        self.reckoned()
        self.document.change(place="", latitude=None, longitude=None, zone="")
        self.wait(self.plan_editor.idle)
        self.assertIn("Where is it?", page.sky.status.text())
        self.assertIn("Where is it?", page.preview.empty)
        field = page.side.form.widgets["place"]
        field.setFocus()
        QTest.keyClicks(field, "orr")
        self.wait(lambda: field.completer().popup().isVisible())
        QTest.keyClick(field.completer().popup(), Qt.Key.Key_Down)
        QTest.keyClick(field.completer().popup(), Qt.Key.Key_Return)
        self.reckoned()
        self.assertEqual((self.document.plan.place, self.document.plan.latitude), ("Orrin Saltern", 41.0))
        page.side.phone.setCurrentIndex(page.side.phone.count() - 1)
        self.reckoned()
        self.wait(lambda: self.calculation.equipment.phone == "")
        self.assertEqual(page.side.phone.currentText(), "none: typical values")

    def test_a_place_of_the_logbook_is_offered_by_its_name(self) -> None:
        with Logbook(self.window.session.looking.place) as book:
            book.put(
                [LogRecord(key="1", shoot="before", name="a", place="Behind the works", taken="2026-10-02 20:00:00")]
            )
            book.set_place("Behind the works", darkness=20.6)
        self.document.change(place="", darkness=None)
        field = self.page.side.form.widgets["place"]
        field.setFocus()
        QTest.keyClicks(field, "BEHIND")
        popup = field.completer().popup()
        self.wait(lambda: popup.isVisible() and "Behind the works" in self.page.side.known.stringList())
        QTest.keyClick(popup, Qt.Key.Key_Down)
        QTest.keyClick(popup, Qt.Key.Key_Return)
        self.wait(lambda: self.document.plan.darkness is not None)
        self.assertEqual((self.document.plan.place, self.document.plan.darkness), ("Behind the works", 20.6))

    def test_nothing_is_calculated_before_a_place_is_set_by_the_name_of_a_town(self) -> None:
        page = self.page
        QTest.mouseClick(page.side.new, LEFT)
        self.reckoned()
        self.document.change(place="", latitude=None, longitude=None, zone="")
        self.plan_editor.add("trail")
        self.wait(self.plan_editor.idle)
        self.assertIsNone(self.calculation.forecasts)
        self.assertEqual((self.calculation.recommendations(), page.ledger.rows), ({}, {}))
        town = gazetteer().search("s")[0]
        field = page.side.form.widgets["place"]
        field.setFocus()
        QTest.keyClicks(field, town.place.name.lower()[:5])
        popup = field.completer().popup()
        self.wait(lambda: popup.isVisible() and town.label in page.side.known.stringList())
        row = page.side.known.stringList().index(town.label)
        for _ in range(row + 1):
            QTest.keyClick(popup, Qt.Key.Key_Down)
        QTest.keyClick(popup, Qt.Key.Key_Return)
        self.reckoned()
        plan = self.document.plan
        self.assertEqual((plan.place, plan.zone), (town.place.name, town.place.zone))
        self.assertAlmostEqual(plan.latitude, town.place.latitude, places=3)
        self.assertEqual(field.text(), town.place.name)
        self.assertTrue(plan.planned_shots[0].at and plan.planned_shots[0].seconds)
        self.assertEqual(set(page.ledger.rows) >= {"at", "seconds", "iso", "frames"}, True)

    def test_what_is_assumed_of_a_phone_is_asked_and_the_answer_settles_it(self) -> None:
        page = self.page
        save_card(PhoneCard("Orrery", "Orrery Two", isos=(320.0,), seconds=(1 / 60,)))
        self.document.change(make="Orrery", model="Orrery Two")
        self.plan_editor.add("trail")
        self.reckoned()
        self.wait(lambda: self.calculation.equipment.phone == "Orrery Two")
        question = page.ledger.question
        self.assertEqual((question.isVisible(), page.ledger.rows["seconds"].take.text()), (True, "?"))
        self.assertIn("assumes 30 s", page.ledger.rows["seconds"].evidence.text())
        question.value.setFocus()
        question.value.selectAll()
        QTest.keyClicks(question.value, "zebra\r")
        self.assertIn("for example", question.text.text())
        question.value.selectAll()
        QTest.keyClicks(question.value, "10\r")
        self.wait(lambda: max(self.calculation.equipment.seconds) == 10.0)
        self.reckoned()
        self.assertIsNone(self.calculation.recommendations()["seconds"].assumes)
        self.assertEqual(load_card("Orrery", "Orrery Two").limits, {"seconds": (None, 10.0)})
        save_card(PhoneCard("Orrery", "Orrery Three", isos=(320.0,), seconds=(1 / 60,)))
        for model, asked in (("", False), ("Orrery Three", True), ("", False)):  # each assumes the same 30 s
            self.document.change(make="Orrery" if model else "", model=model)
            self.reckoned()
            self.wait(lambda model=model: self.calculation.equipment.phone == model)
            self.wait(lambda asked=asked: question.value.isVisible() == asked)
            self.assertEqual("Choose your phone" in question.text.text(), not asked)

    def test_the_name_of_a_town_does_not_move_a_plan_that_has_a_place(self) -> None:
        notices: list[str] = []
        self.plan_editor.notice.connect(notices.append)
        before = self.document.plan.where
        town = next(t for t in gazetteer().search("s") if abs(t.place.latitude - before.latitude) > 5)
        self.typed(self.page.side.form.widgets["place"], town.place.name)
        self.wait(lambda: any("choose it in the list" in n for n in notices))
        self.assertEqual(self.document.plan.place, town.place.name)
        self.assertEqual(self.document.plan.where.latitude, before.latitude)

    def test_a_place_without_a_night(self) -> None:
        page = self.page
        self.typed(page.side.form.widgets["latitude"].lineEdit(), "78")
        self.reckoned()
        page.sky.turn_to(False)
        self.assertIn("polar day", page.sky.status.text())
        self.typed(page.side.form.widgets["zone"], "No/Where")
        self.assertEqual(self.document.plan.zone, "CET")
        self.document.choose(3)
        self.reckoned()
        got = self.calculation.recommendations()["at"]
        begin = datetime.fromtimestamp(got.value, UTC)
        self.assertTrue(self.calculation.sky.night.begin <= begin < self.calculation.sky.night.end)


class Practice(WindowTest):
    def fill(self) -> None:
        copy_of(taken("card", size=SMALL, seed=3)[0]["files"], self.folder)

    def test_a_round_is_answered_and_the_score_stays(self) -> None:
        practice = self.window.session.practice
        self.task(Task.PRACTICE)
        page = self.window.page(Task.PRACTICE)
        self.wait(lambda: practice.round is not None, 120)
        self.assertEqual(len(page.pictures.boxes()), 2)
        right = practice.round.right
        QTest.mouseClick(page.buttons[right], LEFT)
        self.wait(practice.idle)
        self.assertIn("Correct.", page.verdict.text())
        self.assertIn(EXERCISES[practice.exercise].thought, page.thought.text())
        self.assertIn("1/1", page.list.item(0).text())
        QTest.mouseClick(page.buttons[1 - right], LEFT)  # the first answer counts
        self.assertEqual(practice.answer, right)
        QTest.mouseClick(page.again, LEFT)
        self.wait(lambda: practice.round is not None and practice.answer is None, 120)
        QTest.mouseClick(page.buttons[1 - practice.round.right], LEFT)
        self.wait(practice.idle)
        self.assertIn("The answer is:", page.verdict.text())
        self.assertIn("1/2", page.list.item(0).text())
        row = page.list.visualItemRect(page.list.item(8)).center()
        QTest.mouseClick(page.list.viewport(), LEFT, pos=row)
        self.wait(lambda: practice.round is not None, 120)
        self.assertIn("Which interval", page.question.text())
        QTest.mouseClick(page.real, LEFT)
        self.assertEqual(self.window.task(), Task.PLAN)
        practice.scores = {}
        practice.begin()
        self.wait(lambda: practice.scores.get("raw") == (1, 2))  # as the logbook keeps it
