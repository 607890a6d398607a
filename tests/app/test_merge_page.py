"""The Merge page in the real window: judged frames, one against the result, the choices of a method, sets that wait."""

from __future__ import annotations

import threading
import unittest
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import cv2
import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QSlider

from bruto.container.dng_reader import read_dng
from bruto.container.dng_writer import write_dng
from bruto.merge.merger import merge
from bruto.merge.reader import UNREAD
from bruto.simphone.capture_files import tags_of
from bruto.simphone.night import NightPhone
from bruto.tasks import Task
from tests.app.windows import LEFT, WindowTest, pixels
from tests.merge.test_night import EXPOSURE, recorded
from tests.shots import SMALL, copy_of, raws_of, taken

COUNT = 6
BLURRED = 3


def blurred(path: Path, pixels_along: int) -> None:
    """Write a raw anew as if it had been shaken along the rows."""
    frame = read_dng(path)
    codes = frame.codes.astype(np.float32)
    kernel = np.full((1, pixels_along), 1 / pixels_along, np.float32)
    for y in range(2):
        for x in range(2):
            codes[y::2, x::2] = cv2.filter2D(codes[y::2, x::2], -1, kernel)
    m = frame.meta
    from bruto.simphone.capture import Exposure, Phone

    capture = Phone("sluice", size=SMALL).shoot(Exposure(m.iso or 1, m.exposure_s or 1), seed=0)
    path.unlink()
    write_dng(path, np.rint(codes).astype(np.uint16), tags_of(capture, m.taken or ""), np.zeros((60, 80, 3), np.uint8))


class Hand(WindowTest):
    def fill(self) -> None:
        settings = {"size": SMALL, "count": COUNT, "iso": 800.0, "seed": 5}
        self.files = copy_of(raws_of("sluice", **settings), self.folder)
        blurred(self.files[BLURRED], 7)
        copy_of([s["files"][0] for s in taken("boiling-house", size=SMALL, bracket=(-2.0, 0.0, 2.0))], self.folder)

    def setUp(self) -> None:
        super().setUp()
        self.choose(self.files[0].stem)
        self.task(Task.MERGE)
        self.page, self.chart = self.window.merge, self.window.merge.chart
        self.wait(lambda: len(self.chart.judged) == COUNT)
        self.settle()

    def merged(self) -> None:
        QTest.mouseClick(self.page.go, LEFT)
        self.wait(lambda: self.page.open_button.isVisible() and self.page.views_buttons["curtain"].isEnabled())
        self.settle()

    def test_a_blurred_frame_is_found_and_left_out(self) -> None:
        self.assertEqual(self.chart.bad(), [BLURRED])
        self.assertRegex(self.chart.why(BLURRED), r"blurred: \d+ % of the sharpness of .*, along (0|1|2|17\d)°")
        self.assertIn("1 blurred", self.page.judged.text())
        QTest.mouseClick(self.page.suggested, LEFT)
        self.assertEqual([k for k, used in enumerate(self.chart.used) if not used], [BLURRED])
        self.assertEqual(self.page.go.text(), f"Merge {COUNT - 1} frames")
        self.assertIn("moved", self.chart.tip(1))

    def test_one_frame_stands_beside_the_result(self) -> None:
        self.assertFalse(self.page.views_buttons["regions"].isEnabled())
        self.merged()
        curtain = self.page.curtain
        self.assertTrue(curtain.isVisible())
        self.assertEqual(curtain.names, (self.files[0].stem, "merged"))
        middle = curtain.rect().center()
        before = pixels(curtain.grab().toImage())
        self.drag(curtain, QPointF(middle), QPointF(middle.x() + 150, middle.y()))
        after = pixels(curtain.grab().toImage())
        between = np.s_[40:-40, middle.x() + 20 : middle.x() + 130]
        self.assertGreater(float(np.abs(before[between].astype(int) - after[between]).mean()), 0.5)
        # with the line at either border one of the two is seen alone: it laid the frame where the result had been
        alone = []
        for place in (curtain.width() - 10.0, 10.0):
            self.drag(curtain, QPointF(curtain.curtain.middle()), QPointF(place, middle.y()))
            self.settle()
            alone.append(pixels(curtain.grab().toImage())[between].astype(int))
        for strip, one in zip((after, before), alone, strict=True):
            self.assertLess(np.abs(strip[between] - one).mean(), 0.02)
        QTest.mouseClick(self.page.views_buttons["regions"], LEFT)
        self.assertTrue(self.page.places.isVisible())
        self.assertGreaterEqual(len(self.page.places.places), 2)
        self.assertIn("L*", self.page.places.sentence(0))
        QTest.mouseClick(self.page.places, LEFT, pos=self.page.places.cells()[0].center().toPoint())
        self.assertTrue(curtain.isVisible())
        self.assertAlmostEqual(curtain.zoom, 1.0, places=3)

    def test_it_is_seen_how_it_grows(self) -> None:
        """What is merged so far takes the stage once; who turns to the last result meanwhile stays there."""
        self.merged()
        tags: list[str] = []
        held = threading.Event()
        looks: list[object] = []

        def seen(look: object, files: object) -> None:
            looks.append(look)
            tags.append(self.page.tag.text())
            if len(looks) == 2:
                QTest.mouseClick(self.page.views_buttons["curtain"], LEFT)
            if len(looks) >= 3:
                held.set()

        self.page.merging.live.connect(seen)
        with mock.patch("bruto.merge.live_preview.EVERY_S", 0.0):
            QTest.mouseClick(self.page.go, LEFT)
            self.wait(held.is_set)
        self.assertRegex(tags[0], r"^\d+ FRAMES? MERGED SO FAR$")
        self.assertEqual(tags[-1], "MERGED, developed")
        self.assertTrue(self.page.curtain.isVisible())
        self.wait(lambda: not self.page.merging.running)
        self.settle()
        self.assertEqual(self.page.tag.text(), "MERGED, developed")

    def test_a_picture_on_the_way_ends_no_merge(self) -> None:
        with (
            mock.patch("bruto.merge.live_preview.EVERY_S", 0.0),
            mock.patch("bruto.session.merge_jobs._Developing.__call__", side_effect=ValueError("no picture")),
        ):
            self.merged()
        self.assertEqual(len(list(self.folder.glob("*-of-6.dng"))), 1)

    def test_the_plot_tells_what_was_expected_and_reached(self) -> None:
        plot = self.page.plot
        self.assertIn("less noise from 6 frames", plot.accessibleDescription())
        empty = pixels(plot.grab().toImage())
        self.merged()
        self.assertEqual(len(plot.dots), COUNT)
        self.assertEqual(plot.dots[0][:2], (1, 1.0))
        gains = [gain for _, gain, _ in plot.dots]
        self.assertEqual(gains, sorted(gains))
        self.assertIn("reached", plot.accessibleDescription())
        self.assertFalse((pixels(plot.grab().toImage()) == empty).all())
        self.assertLess(plot.at(6, 2.0).y(), plot.at(6, 1.0).y())

    def test_another_set_waits_its_turn_and_can_be_taken_out(self) -> None:
        go, begun = threading.Event(), threading.Event()

        def held(*args: object, **kwargs: object) -> object:
            begun.set()
            go.wait(30)
            return merge(*args, **kwargs)  # type: ignore[arg-type]

        with mock.patch("bruto.merge.merger.merge", held):
            QTest.mouseClick(self.page.go, LEFT)
            self.wait(begun.is_set)
            for _ in range(2):
                QTest.mouseClick(self.window.top.task_buttons[Task.MERGE], LEFT)
                bracket = next(s for s in self.window.shoot.shots if s.name.startswith("boiling"))
                self.window.choose(bracket)
                self.app.processEvents()
                QTest.mouseClick(self.page.go, LEFT)
            merging = self.window.session.merging
            self.assertEqual(len(merging.waiting), 2)
            QTest.mouseClick(self.page.running.waiting.itemAt(1).widget(), LEFT)
            self.assertEqual(len(merging.waiting), 1)
            go.set()
            self.wait(lambda: not merging.running and not merging.waiting)
            self.settle()
        made = sorted(p.name for p in self.folder.glob("*-of-*.dng"))
        self.assertEqual(made, ["boiling-house-001-01-bracket-of-3.dng", f"{self.files[0].stem}-mean-of-6.dng"])

    def test_ending_keeps_what_was_read(self) -> None:
        seen = threading.Event()

        def notice(*args: object, **kwargs: object) -> object:
            progress = kwargs["progress"]

            def tell(share: float, text: str) -> None:
                progress(share, text)  # type: ignore[operator]
                if self.files[2].name in text:
                    self.window.session.merging.stop_and_keep()
                    seen.set()

            return merge(*args, **{**kwargs, "progress": tell})  # type: ignore[arg-type]

        with mock.patch("bruto.merge.merger.merge", notice):
            QTest.mouseClick(self.page.go, LEFT)
            self.wait(lambda: self.page.open_button.isVisible())
        self.assertTrue(seen.is_set())
        self.assertIn("3 ", self.page.outcome.text())
        self.assertIn(UNREAD, self.page.outcome.text())


@cache
def night() -> tuple[Path, ...]:
    """Twenty frames of a clear night, taken once."""
    phone = NightPhone(size=(800, 600))
    folder = Path(unittest.enterModuleContext(TemporaryDirectory()))
    return tuple(recorded(phone, phone.frames(20, EXPOSURE), folder))


class Choices(WindowTest):
    """What a method leaves to its user."""

    def fill(self) -> None:
        self.files = copy_of(list(night()), self.folder)

    def test_a_fading_trail(self) -> None:
        self.choose(self.files[0].stem)
        self.task(Task.MERGE)
        page = self.window.merge
        boxes = [page.choices.rows.itemAt(k).widget() for k in range(page.choices.rows.count())]
        track = next(b for b in boxes if isinstance(b, QSlider))
        ticks = [b for b in boxes if isinstance(b, QCheckBox)]
        self.assertEqual(page.values(), {"bridge": True, "remove": True, "fade": 0.0})
        QTest.mouseClick(ticks[0], LEFT, pos=QPointF(12, ticks[0].height() / 2).toPoint())
        track.setFocus()
        for _ in range(3):
            QTest.keyClick(track, Qt.Key.Key_Right)
        self.assertEqual(page.values(), {"bridge": False, "remove": True, "fade": 0.15})
        page.method.setFocus()
        QTest.keyClick(page.method, Qt.Key.Key_Down)  # the star field has another choice
        self.assertEqual(page.values(), {"even": False})
        QTest.keyClick(page.method, Qt.Key.Key_Up)
        self.assertEqual(page.values()["fade"], 0.0)

    def test_a_night_that_is_opened_here_is_a_night(self) -> None:
        """Its frames come in selected, before it is known that they are a set."""
        other = self.folder.parent / "other"
        other.mkdir()
        copy_of([taken("pans", size=SMALL)[0]["files"][0]], other)
        self.window.open_paths([str(other)])
        self.task(Task.MERGE)
        self.window.open_paths([str(self.folder)])
        self.wait(lambda: self.window.merge.group is not None and len(self.window.merge.chart.shots) == 20)
        self.settle()
        self.assertEqual(self.window.merge.group.kind, "trail")
        self.assertTrue(self.window.merge.chart.by_time)

    def test_the_skys_border_is_painted_and_merged_again(self) -> None:
        self.choose(self.files[0].stem)
        self.task(Task.MERGE)
        page = self.window.merge
        self.wait(lambda: len(page.chart.judged) == 20)
        page.method.setFocus()
        QTest.keyClick(page.method, Qt.Key.Key_Down)
        self.drag(page.chart, *(QPointF(page.chart.bar(k).center()) for k in (8, 19)))
        self.assertFalse(page.views_buttons["border"].isVisible())

        def merged() -> None:
            QTest.mouseClick(page.go, LEFT)
            self.wait(lambda: not self.window.session.merging.running and page.views_buttons["border"].isVisible())
            self.settle()

        merged()
        QTest.mouseClick(page.views_buttons["border"], LEFT)
        stage = page.border.stage
        self.assertTrue(stage.isVisible())
        h, w = stage.area.shape
        self.assertGreater(int(stage.area[h // 10, w // 3]), 200)
        QTest.mouseClick(page.border.ground, LEFT)
        self.drag(stage, *(stage.to_widget(x * 756, 0.1 * 568) for x in (0.3, 0.6)))
        self.assertLess(int(stage.area[h // 10, w // 2]), 10)
        self.assertEqual(page.go.text(), f"Merge {page.chart.used.count(True)} frames again")
        merged()
        self.wait(lambda: page.chart.result is not None and "-2" in page.chart.result.output.name)
        border = page.chart.result.border
        self.assertLess(int(border[h // 10, w // 2]), 10)
        self.assertGreater(int(border[h // 4, w // 2]), 200)
        self.settle()
        QTest.mouseClick(page.views_buttons["border"], LEFT)
        QTest.mouseClick(page.border.undo, LEFT)
        self.assertEqual(page.go.text(), f"Merge {page.chart.used.count(True)} frames")
        self.assertEqual(page.border.strokes(), ())

    def test_a_clip_is_made_behind_the_window(self) -> None:
        self.choose(self.files[0].stem)
        self.task(Task.MERGE)
        page, out = self.window.merge, self.folder / "night.mp4"
        notice: list[str] = []
        self.window.session.notice.connect(notice.append)
        with mock.patch("bruto.app.pages.clip_button.QFileDialog.getSaveFileName", return_value=(str(out), "")):
            QTest.mouseClick(page.clip_button, LEFT)
        self.wait(lambda: any("frames" in text for text in notice))
        self.assertTrue(out.is_file())
        self.assertIn("night.mp4: 20 frames, 0.8 s", notice[-1])
        self.assertFalse(self.window.line.running)
