"""The one question whose answer settles what recommendations assume of a phone."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QWidget

from bruto.app.pages.plan_rows import read_plain, read_time
from bruto.app.widgets.build import build, down, fill
from bruto.app.widgets.card_dialog import seconds_text
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.plan.recommendation import Assumption, Recommendation
from bruto.session.plan_editor import PlanEditor

QUESTIONS = {
    ("seconds", "most"): tr("Longest time your phone offers, s"),
    ("seconds", "least"): tr("Shortest time your phone offers, s"),
    ("isos", "most"): tr("Highest ISO your phone offers"),
    ("isos", "least"): tr("Lowest ISO your phone offers"),
}
SPANS = {"seconds": (1e-6, 3600.0), "isos": (1.0, 1_000_000.0)}
"""What is believed of an answer."""


class PlanQuestion(QWidget):
    """Asks about the first thing that is assumed; hidden where nothing is."""

    def __init__(self, plan_editor: PlanEditor) -> None:
        super().__init__()
        self.plan_editor = plan_editor
        self.about: Assumption | None = None
        self.phone = ("", "")
        column = down(self, margins=0, gap=2)
        self.text = Label("", wordWrap=True)
        row = QHBoxLayout()
        self.value = build(QLineEdit, maxLength=20, returnPressed=self._answer)
        self.value.setFixedWidth(72)
        self.set = build(QPushButton, tr("Save"), objectName="inLine", clicked=self._answer)
        self.set.setToolTip(tr("Written on the card of this phone, for all plans"))
        fill(row, self.value, self.set, 1)
        fill(column, self.text, row)
        self.hide()

    def show_for(self, offered: Iterable[Recommendation]) -> None:
        """Ask about what these assume."""
        about = next((r.assumes for r in offered if r.assumes is not None), None)
        self.setVisible(about is not None)
        plan = self.plan_editor.document.plan
        phone = (plan.make, plan.model) if plan is not None else ("", "")
        if about is None or (about, phone) == (self.about, self.phone):  # what is being typed stays
            self.about = about
            return
        self.about, self.phone = about, phone
        known = bool(phone[1])
        question = QUESTIONS[about.scale, about.end]
        self.text.setText(
            question if known else tr("Choose your phone, or open one of its raws: a typical one is assumed.")
        )
        self.value.setAccessibleName(question)
        self.value.setText(seconds_text(about.value) if about.scale == "seconds" else f"{about.value:.0f}")
        for part in (self.value, self.set):
            part.setVisible(known)

    def _answer(self) -> None:
        if self.about is None:
            return
        value = (read_time if self.about.scale == "seconds" else read_plain)(self.value.text())
        least, most = SPANS[self.about.scale]
        if value is None or not least <= value <= most:
            self.text.setText(tr("Give a number, for example 400 or 1/250."))
            return
        self.plan_editor.answer(self.about, value)
