"""The Logbook page in the real window: measured shots are in it, questions, what is told, deleting, export."""

from __future__ import annotations

import math
from unittest import mock

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from bruto.app.pages.logbook import CHARGE
from bruto.app.widgets.plain_text import Label
from bruto.logbook.records import LogRecord
from bruto.logbook.store import Logbook
from bruto.session.equipment import equipment_of
from bruto.session.logbook_recorder import demo_logbook
from bruto.simphone.logbook_history import LIMIT_S_MM, SPREAD
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest
from tests.shots import MIDDLE, copy_of, raws_of

COUNT = 3


class Looking(WindowTest):
    def fill(self) -> None:
        if demo_logbook().exists():
            with Logbook(demo_logbook()) as book:  # one folder of data serves all tests of this process
                for shoot in book.shoots():
                    book.forget_shoot(shoot.name)
        self.files = copy_of(raws_of("sluice", size=MIDDLE, count=COUNT, iso=400.0, seed=6), self.folder)

    def setUp(self) -> None:
        super().setUp()
        self.wait(lambda: len(self.window.shoot.reports) == COUNT)
        self.task(Task.LOGBOOK)
        self.page = self.window.page(Task.LOGBOOK)
        self.title = self.window.shoot.title
        self.wait(lambda: self.row(self.title) is not None and f"{COUNT} shots" in self.row(self.title).text())

    def row(self, name: str):
        """The shoot's row in the list."""
        rows = [self.page.list.item(k) for k in range(self.page.list.count())]
        return next((r for r in rows if r.data(Qt.ItemDataRole.UserRole) == name), None)

    def choose_shoot(self, name: str) -> None:
        place = self.page.list.visualItemRect(self.row(name)).center()
        QTest.mouseClick(self.page.list.viewport(), LEFT, pos=place)
        self.wait(lambda: self.page.title.text() == name)

    def book(self, shoot: str) -> list[LogRecord]:
        with Logbook(demo_logbook()) as book:
            return book.page(shoot=shoot)

    def test_shots_questions_and_what_is_told(self) -> None:
        page = self.page
        self.assertIn("Made-up", page.made_up.text())
        self.assertIn("ISO", page.plots.plots["noise"].caption)
        self.assertGreater(len(page.plots.plots["noise"].dots), 30)
        self.assertIn("1/", page.plots.plots["hand"].caption)
        headroom = page.plots.plots["headroom"]
        under = sum(ev < headroom.lines[0][0][1] for _, ev, _ in headroom.dots)
        self.assertLessEqual(abs(2 * under - len(headroom.dots)), 1 + len(headroom.dots) // 4)
        self.assertRegex(headroom.caption, r"more than \d\.\d EV unused")
        self.choose_shoot(self.title)
        self.assertEqual(page.table.rowCount(), COUNT)
        self.assertEqual(page.table.item(0, 1).text(), "400")
        QTest.mouseClick(page.asked["place"], LEFT)
        self.wait(lambda: "Type on the right" in page.answer.text())
        page.form.widgets["place"].setFocus()
        QTest.keyClicks(page.form.widgets["place"], "the sluice")
        QTest.keyClick(page.form.widgets["place"], Qt.Key.Key_Return)
        self.wait(lambda: f"the sluice: {6 + COUNT} shots in 2 shoots." == page.answer.text())
        self.assertEqual({r.place for r in self.book(self.title)}, {"the sluice"})
        QTest.mouseClick(page.asked["clean"], LEFT)
        self.wait(lambda: "up to ISO" in page.answer.text())
        QTest.mouseClick(page.asked["stars"], LEFT)
        self.wait(lambda: "of 8 are Keep or Best" in page.answer.text())
        self.assertEqual(page.table.rowCount(), 8)

    def test_how_shots_were_held(self) -> None:
        """A burst in the hand tells it by itself; the user's word on one of its shots goes before that."""
        self.choose_shoot(self.title)
        page = self.page
        self.assertEqual([r.support for r in self.book(self.title)], ["hand"] * COUNT)
        before = len(page.plots.plots["hand"].dots)
        QTest.mouseClick(page.table.viewport(), LEFT, pos=page.table.visualItemRect(page.table.item(1, 0)).center())
        QTest.mouseClick(page.tripod, LEFT)
        self.wait(lambda: sum(r.support == "tripod" for r in self.book(self.title)) == 1)
        self.wait(lambda: len(page.plots.plots["hand"].dots) == before - 1)

    def test_what_the_battery_did_is_learnt_from(self) -> None:
        self.choose_shoot(self.title)
        page = self.page
        for box, text in zip((page.form.widgets[n] for n in CHARGE), ("90", "60", "2,5"), strict=True):
            box.setFocus()
            box.selectAll()
            QTest.keyClicks(box.lineEdit(), text)
            QTest.keyClick(box.lineEdit(), Qt.Key.Key_Return)
        page.table.setFocus()
        with Logbook(demo_logbook()) as book:
            self.wait(lambda: book.batteries() == [(self.title, 90.0, 60.0, 2.5)])
        looking = self.window.session.looking
        self.wait(lambda: looking.state.battery is not None)
        self.assertAlmostEqual(looking.state.battery.value, 12.0)
        self.assertEqual(equipment_of("Vessar", "Vessar Tide 4", demo_logbook()).percent_h, 12.0)
        with Logbook(demo_logbook()) as book:
            book.note_shoot(self.title, battery=(0.0, 0.0, 0.0))

    def test_the_hand_is_learnt_and_advice_and_the_card_tell_it(self) -> None:
        """Of the made-up shots before: what nine of ten hold goes into the advice, all of it stands on the card."""
        shoot = self.window.shoot
        self.wait(lambda: bool(shoot.phones.hands))
        steady = shoot.phones.hands["Vessar Tide 4"].steady_35mm
        self.assertTrue(0.3 < steady / (LIMIT_S_MM * math.exp(-1.28 * SPREAD)) < 2.5)
        self.choose_shoot(self.title)
        card = self.window.asking.show_card()
        self.addCleanup(card.close)
        texts = " ".join(label.text() for label in card.findChildren(Label))
        self.assertIn("half of the shots are blurred at 1/", texts)
        self.assertIn("usable up to ISO", texts)
        self.assertTrue(card.take_pace.text() == "" or card.take_pace.text().startswith("Use "))

    def test_a_shoots_records_are_deleted_and_its_files_stay(self) -> None:
        self.choose_shoot("Pump under the stars")
        with mock.patch("bruto.app.pages.logbook.ask_user", return_value=False):
            QTest.mouseClick(self.page.forget, LEFT)
        self.assertEqual(len(self.book("Pump under the stars")), 8)
        with mock.patch("bruto.app.pages.logbook.ask_user", return_value=True):
            QTest.mouseClick(self.page.forget, LEFT)
        self.wait(lambda: self.row("Pump under the stars") is None)
        self.assertEqual(self.book("Pump under the stars"), [])
        self.assertTrue(all(f.exists() for f in self.files))

    def test_what_is_being_typed_stays_while_shots_are_measured(self) -> None:
        """Records come in all the time: neither words nor the selection may go, and both go to the right shots."""
        self.choose_shoot(self.title)
        page, field = self.page, self.page.form.widgets["gear"]
        QTest.mouseClick(page.table.viewport(), LEFT, pos=page.table.visualItemRect(page.table.item(2, 0)).center())
        name = page.table.item(2, 0).text()
        field.setFocus()
        QTest.keyClicks(field, "a clamp")
        with Logbook(demo_logbook()) as book:
            book.put([LogRecord(key="a new one", shoot=self.title, name="a-new-one", taken="2020-01-01T00:00:00")])
        self.window.session.looking.again()
        self.wait(lambda: page.table.rowCount() == COUNT + 1)
        self.assertEqual(field.text(), "a clamp")
        self.assertEqual([r.name for r in page._selected()], [name])
        QTest.keyClick(field, Qt.Key.Key_Tab)
        QTest.keyClicks(page.form.widgets["note"], "windy")
        QTest.keyClick(page.form.widgets["note"], Qt.Key.Key_Return)
        self.wait(lambda: {r.gear for r in self.book(self.title)} == {"a clamp"})
        looking = self.window.session.looking
        self.wait(lambda: next(s.note for s in looking.state.shoots if s.name == self.title) == "windy")
        QTest.mouseClick(page.asked["stars"], LEFT)
        self.wait(lambda: page.title.text() == "What worked for stars?")
        for widget in (*page.form.widgets.values(), page.forget, page.by_hand):  # these are shots of many shoots
            self.assertFalse(widget.isEnabled())

    def test_all_of_it_is_exported(self) -> None:
        place = self.folder.parent / "book"
        with mock.patch("bruto.app.pages.logbook.QFileDialog.getSaveFileName", return_value=(str(place), "")):
            QTest.mouseClick(self.page.export, LEFT)
        made = place.with_name("book.csv")
        self.wait(made.exists)
        self.assertEqual(len(made.read_text().splitlines()), 1 + 40 + COUNT)
        made.write_text("somebody's own")  # a name that was not asked about is not written over
        text: list[str] = []
        self.window.session.message.connect(text.append)
        with mock.patch("bruto.app.pages.logbook.QFileDialog.getSaveFileName", return_value=(str(place), "")):
            QTest.mouseClick(self.page.export, LEFT)
        self.wait(lambda: bool(text))
        self.assertEqual(made.read_text(), "somebody's own")

    def test_it_fits_into_a_small_window(self) -> None:
        self.window.resize(1024, 700)
        self.settle()
        self.assertEqual((self.window.width(), self.window.height()), (1024, 700))

    def test_plots_in_both_themes_hold_their_text(self) -> None:
        page = self.page
        for plot in (
            page.plots.plots["noise"],
            page.plots.plots["hand"],
            page.plots.plots["viewfinder"],
            page.plots.plots["storage"],
        ):
            self.assertGreaterEqual(plot.width(), 190)
            self.assertTrue(plot.caption or plot.empty)
            for x, y, _ in plot.dots:
                at = plot.at(x, y)
                self.assertTrue(plot.rect().contains(QPoint(round(at.x()), round(at.y()))), (plot.title, x, y))
