"""A night in the real window: judged over time, ranges chosen by dragging, merged into trails, opened."""

from __future__ import annotations

import unittest
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

from PySide6.QtCore import QPointF
from PySide6.QtTest import QTest

from bruto.simphone.night import NightEvent, NightPhone
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest, pixels
from tests.merge.test_night import EXPOSURE, recorded
from tests.shots import copy_of

SIZE = (800, 600)
COUNT = 24


@cache
def night() -> tuple[list[Path], list[str]]:
    """Files of a night, and what is wrong with each."""
    folder = Path(unittest.enterModuleContext(TemporaryDirectory()))
    phone = NightPhone(size=SIZE, happening=NightEvent(clouds=((14, 17),), aircraft=(4,), tests=2))
    frames = phone.frames(COUNT, EXPOSURE)
    return recorded(phone, frames, folder), [f.bad for f in frames]


class Night(WindowTest):
    def fill(self) -> None:
        files, self.bad = night()
        self.files = copy_of(files, self.folder)

    def setUp(self) -> None:
        super().setUp()
        self.choose("sky-003")
        self.task(Task.MERGE)
        self.page, self.chart = self.window.merge, self.window.merge.chart
        self.wait(lambda: len(self.chart.judged) == len(self.files))
        self.settle()

    def test_it_is_judged_and_what_looks_bad_is_left_out_by_one_click(self) -> None:
        wrong = [k for k, bad in enumerate(self.bad) if bad]
        self.assertEqual(self.chart.bad(), wrong)
        self.assertIn("2 test shots, 3 clouded", self.page.judged.text())
        self.assertIn("crosses 4", self.page.judged.text())
        self.assertEqual([k for k, used in enumerate(self.chart.used) if not used], [0, 1])  # test shots
        QTest.mouseClick(self.page.suggested, LEFT)
        self.assertEqual([k for k, used in enumerate(self.chart.used) if not used], wrong)
        self.assertEqual(self.page.go.text(), f"Merge {len(self.files) - len(wrong)} frames")
        self.assertIn("clouds over", self.chart.tip(wrong[-1]))
        self.assertIn("aircraft or satellite", self.chart.tip(7))

    def test_a_range_is_chosen_by_dragging(self) -> None:
        row = [self.chart.bar(k).center() for k in range(len(self.files))]
        before = pixels(self.chart.grab().toImage())
        self.drag(self.chart, QPointF(row[10]), QPointF(row[15]))
        self.assertEqual([k for k, used in enumerate(self.chart.used) if not used], [0, 1, *range(10, 16)])
        self.assertFalse((pixels(self.chart.grab().toImage()) == before).all())
        self.drag(self.chart, QPointF(row[12]), QPointF(row[13]))  # and taken in again
        self.assertEqual([k for k, used in enumerate(self.chart.used) if not used], [0, 1, 10, 11, 14, 15])

    def test_trails_are_merged_stopped_and_opened(self) -> None:
        self.assertEqual(self.page.method.currentText(), "Star trails")
        self.assertIn("Trails of", self.page.expect.text())
        QTest.mouseClick(self.page.go, LEFT)
        QTest.mouseClick(self.page.running.stop, LEFT)
        self.wait(lambda: not self.page.running.bar.isVisible())
        self.assertIn("stopped", self.page.outcome.text())
        self.assertEqual(list(self.folder.glob("*trails*")), [])
        QTest.mouseClick(self.page.go, LEFT)
        self.wait(lambda: not self.page.running.bar.isVisible() and self.page.open_button.isVisible())
        self.settle()
        made = next(self.folder.glob("*trails*.dng"))
        self.assertIn("excluded: sky-017.dng, clouds", self.page.outcome.text())
        shoot = self.window.shoot
        merged = next(s for s in shoot.shots if s.raw == made)
        self.assertEqual([g.kind for g in shoot.sets if merged in g.shots], ["single"])
        self.assertEqual([len(g.shots) for g in shoot.sets if g.kind == "trail"], [COUNT])  # it is no frame of its set
        QTest.mouseClick(self.page.open_button, LEFT)
        self.wait(lambda: self.window.correct.developer is not None)
        self.settle()
        self.assertEqual(self.window.shoot.current.raw, made)  # type: ignore[union-attr]
        assert self.window.correct.edit is not None
        self.assertLess(self.window.correct.edit.recipe.exposure, 6)
