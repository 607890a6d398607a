"""Every page of the window in the language of tests: `BRUTO_LANGUAGE=pseudo python -m unittest tests.app.pseudo_walk`.

Texts are fixed when their modules are imported, so this runs in a process of its own, which
`tests.app.test_pseudo_language` starts. What is read must have been looked up (it stands in ⟦brackets⟧), and must fit
the place that it has.
"""

from __future__ import annotations

import html
import os
import re
import unittest
from pathlib import Path

from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtWidgets import QAbstractButton, QCheckBox, QComboBox, QLabel, QRadioButton, QScrollArea, QWidget

from bruto.app.pages.pages import PAGES
from bruto.app.widgets.plain_text import ElidedLabel
from bruto.tasks import Task
from tests.app.windows import WindowTest

PICTURES = os.environ.get("BRUTO_PSEUDO_PICTURES", "")
"""A folder for pictures of the pages, for those who want to look at them."""
TAG = re.compile("<[^>]*>")
WORD = re.compile(r"[A-Za-z]{4,}")
DATA = re.compile(
    r"\b(bruto|card|sluice|boiling-house|pans|broken)[-\w.]*|/\S+|[\w-]+\.\w{2,4}\b|A day|sRGB|TIFF|JPEG|Orrin Saltern|"
    r"Pans and pump, midsummer|Vessar Tide 4|"
    r"Ctrl|Shift|Alt|Home|PgUp|PgDown|Space|Enter|Return|Escape|Delete|Tab|Left|Right|Salter \w+|day|as measured"
)
"""What is not translated: names of files and shots, keys, names of formats."""


def missed(text: str) -> bool:
    """Whether a text holds words that were never looked up."""
    outside, depth = [], 0
    for letter in text:
        depth += (letter == "⟦") - (letter == "⟧")
        if depth == 0:
            outside.append(letter)
    return bool(WORD.search(DATA.sub("", "".join(outside))))


def cut(widget: QWidget, text: str) -> bool:
    """Whether a label or a button shows less than its whole text."""
    if isinstance(widget, QLabel):
        if isinstance(widget, ElidedLabel):
            return False  # its tip has the whole text
        room = widget.contentsRect()
        if widget.wordWrap():
            needs = widget.fontMetrics().boundingRect(QRect(0, 0, room.width(), 10000), 0x1000, text)
            return needs.height() > room.height() + 2 or needs.width() > room.width() + 1
        lines = text.split("\n")
        return max(widget.fontMetrics().horizontalAdvance(line) for line in lines) > room.width() + 1
    mark = 20 if isinstance(widget, QCheckBox | QRadioButton) else 8
    return widget.fontMetrics().horizontalAdvance(text.replace("&", "")) + mark > widget.width()


def beyond(widget: QWidget) -> bool:
    """Whether a widget reaches beyond the right edge of what scrolls up and down only."""
    area = widget.parentWidget()
    while area is not None and not isinstance(area, QScrollArea):
        area = area.parentWidget()
    if area is None or area.horizontalScrollBarPolicy() != Qt.ScrollBarPolicy.ScrollBarAlwaysOff:
        return False
    view = area.viewport()
    return widget.mapTo(view, QPoint(widget.width(), 0)).x() > view.width() + 1


class Walk(WindowTest):
    def faults(self, size: str) -> list[str]:
        found = []
        for widget in self.window.findChildren(QWidget):
            if not widget.isVisible() or widget.visibleRegion().isEmpty():
                continue  # scrolled out of sight: its page scrolls
            place = f"{self.window.task()} {size} {type(widget).__name__} {widget.objectName()}"
            text = widget.text() if isinstance(widget, QLabel | QAbstractButton) else ""
            chosen = widget.currentText() if isinstance(widget, QComboBox) else ""
            tip = TAG.sub("", html.unescape(widget.toolTip()))
            found += [f"missed: {place}: {words!r}" for words in (text, chosen, tip) if missed(words)]
            if text and (cut(widget, text) or beyond(widget)):
                found.append(f"cut: {place} {widget.width()}x{widget.height()}: {text!r}")
        return found

    def test_every_page(self) -> None:
        self.choose("card-003")
        found = []
        for width, height in ((1280, 800), (1024, 700)):
            self.window.resize(width, height)
            for task in [*(page.task for page in PAGES), Task.START, Task.KEYS]:
                self.window.set_task(task)
                self.settle()
                found += self.faults(f"{width}x{height}")
                if PICTURES:
                    self.window.grab().save(str(Path(PICTURES) / f"{task}-{width}.png"))
        errors = Path(os.environ["XDG_STATE_HOME"]) / "bruto/errors.log"
        found += [errors.read_text()] if errors.is_file() else []
        self.assertEqual(found, [], "\n" + "\n".join(found))


if __name__ == "__main__":
    unittest.main()
