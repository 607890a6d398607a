"""A form by description: values in and out, what is enabled, and that typing is left alone."""

from __future__ import annotations

import unittest

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from bruto.app.main import application
from bruto.app.widgets.build import build, down
from bruto.app.widgets.form import Form, FormRow, choice, day, form_layout, line, number, tick


class Forms(unittest.TestCase):
    def setUp(self) -> None:
        application()
        self.holder = QWidget()
        self.layout = form_layout(self.holder)
        self.form = Form(
            self.layout,
            (
                FormRow("name", "Name", line()),
                FormRow("kind", "Kind", choice([("Tin", "tin"), ("Clay", "clay")])),
                FormRow("weight", "Weight", number(0, 90, " kg", 1, 0.5, unknown="not known")),
                FormRow("glazed", "Glazed", tick(), shown_when=lambda v: v["kind"] == "clay"),
                FormRow("coats", "Coats", number(1, 9), enabled_when=lambda v: v["glazed"], beside=True),
                FormRow("made", "Made", day("1900-01-01", "2100-12-30")),
            ),
        )
        self.told: list[tuple[str, object]] = []
        self.form.changed.connect(lambda name, value: self.told.append((name, value)))
        self.holder.show()

    def tearDown(self) -> None:
        self.holder.deleteLater()

    def test_values_go_in_and_come_out_without_a_word(self) -> None:
        values = {
            "name": "jug", "kind": "clay", "weight": None, "glazed": True, "coats": 3.0, "made": "2026-08-12",
        }  # fmt: skip
        self.form.show(values)
        self.assertEqual(self.form.values(), values)
        self.assertEqual(self.form.widgets["weight"].text(), "not known")
        self.assertEqual(self.told, [])

    def test_what_a_user_does_is_told_once(self) -> None:
        name = self.form.widgets["name"]
        name.setFocus()
        QTest.keyClicks(name, " bowl ")
        self.assertEqual(self.told, [])
        QTest.keyClick(name, Qt.Key.Key_Return)
        self.form.widgets["made"].setFocus()  # leaving it tells nothing more
        QApplication.processEvents()
        self.assertEqual(self.told, [("name", "bowl")])
        self.form.widgets["kind"].setCurrentIndex(1)
        self.assertEqual(self.told[1:], [("kind", "clay")])

    def test_rows_follow_other_rows(self) -> None:
        self.assertFalse(self.form.widgets["glazed"].isVisible())
        self.form.widgets["kind"].setCurrentIndex(1)
        self.assertTrue(self.form.widgets["glazed"].isVisible())
        self.assertFalse(self.form.widgets["coats"].isEnabled())
        self.form.widgets["glazed"].setChecked(True)
        self.assertTrue(self.form.widgets["coats"].isEnabled())
        self.form.set_usable(False)
        self.form.widgets["kind"].setCurrentIndex(0)
        self.assertFalse(any(widget.isEnabled() for widget in self.form.widgets.values()))

    def test_what_is_being_typed_stays(self) -> None:
        self.holder.activateWindow()
        QTest.qWaitForWindowActive(self.holder)
        name = self.form.widgets["name"]
        name.setFocus()
        QTest.keyClicks(name, "bo")
        self.assertTrue(name.hasFocus())
        self.form.show({"name": "jug", "weight": 2.5})
        self.assertEqual(name.text(), "bo")
        self.assertEqual(self.form.widgets["weight"].value(), 2.5)

    def test_every_field_has_a_name_for_screen_readers(self) -> None:
        for name, widget in self.form.widgets.items():
            self.assertEqual(widget.accessibleName(), self.form.rows[name].label)


class Building(unittest.TestCase):
    def test_a_column_has_labels_above_and_a_property_that_is_none_is_an_error(self) -> None:
        application()
        holder = QWidget()
        Form(down(holder), (FormRow("name", "Name", line()),))
        self.assertEqual(holder.layout().itemAt(0).widget().text(), "Name")
        with self.assertRaises(AttributeError):
            build(QWidget, noSuchThing=1)


if __name__ == "__main__":
    unittest.main()
