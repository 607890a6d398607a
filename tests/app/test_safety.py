"""The window loses nothing: hostile texts stay text, changes never reach another shot, unfinished work is asked for and
comes back, what is not saved is said and stays.
"""

from __future__ import annotations

import gc
import os
import shutil
import sys
import time
from pathlib import Path
from unittest import mock

from PIL import Image
from psygnal import EmitLoopError
from PySide6.QtCore import Qt
from PySide6.QtGui import Qt as GuiQt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton, QWidget

from bruto import app
from bruto.app.main import report_unexpected
from bruto.app.widgets.question import Question
from bruto.app.window import Window
from bruto.container.dng_reader import read_dng
from bruto.container.dng_writer import DngTags
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.errors import FileProblem
from bruto.export import queue
from bruto.export.preset import ExportPreset
from bruto.output_planner import Outputs
from bruto.shoot.sidecar import load_sidecar
from bruto.shoot.sidecar_places import sidecar_path
from bruto.tasks import Task
from tests.again import write_dng
from tests.app.windows import LEFT, WindowTest
from tests.shots import SMALL, copy_of, raw_of, taken

MARKUP = "<img src='/dev/zero'><b>x</b>"


class Texts(WindowTest):
    def fill(self) -> None:
        frame = read_dng(raw_of("card", size=SMALL))
        m = frame.meta
        tags = DngTags(
            black=m.black, white=m.white, bits=12, calibrations=m.calibrations, as_shot_neutral=m.as_shot_neutral,
            cfa=m.cfa, noise_profile=m.noise_profile, make=MARKUP, model=MARKUP, software=MARKUP, description=MARKUP,
            taken="2026:06:21 10:00:00", iso=100, exposure_s=0.01, focal_mm=5.9, focal_35mm=26,
        )  # fmt: skip
        import numpy as np

        write_dng(self.folder / "<b>bold<b>.dng", frame.codes, tags, np.zeros((90, 120, 3), np.uint8))
        exif = Image.Exif()
        exif[305], exif[306] = MARKUP, "2026:06:21 10:00:00"
        Image.new("RGB", (400, 300), "grey").save(self.folder / "<img src=x>.jpg", exif=exif)
        (self.folder / "<i>broken<i>.dng").write_bytes(b"II*\0")

    def test_words_of_files_are_shown_letter_by_letter(self) -> None:
        edit = self.window.correct.edit
        assert edit is not None
        edit.change(MARKUP, exposure=0.3)
        edit.versions.keep(MARKUP)
        self.window.say(MARKUP)
        shown = ""
        for shot in list(self.window.shoot.shots):
            self.window.shoot.select(shot)
            for task in (Task.INTAKE, Task.CORRECT, Task.COMPARE, Task.MERGE, Task.EXPORT):
                self.task(task)
                labels = [w for w in self.app.allWidgets() if isinstance(w, QLabel)]
                self.assertGreater(len(labels), 100)
                for label in labels:
                    self.assertEqual(label.textFormat(), Qt.TextFormat.PlainText, label.text()[:80])
                shown += " ".join(label.text() for label in labels)
        for widget in self.app.allWidgets():
            tip = widget.toolTip()
            if GuiQt.mightBeRichText(tip):
                self.assertNotRegex(tip, r"<(img|b|i)\b", tip[:200])
        model = self.window.shots.model
        for row in range(model.rowCount()):
            tip = model.index(row).data(Qt.ItemDataRole.ToolTipRole) or ""
            self.assertNotRegex(tip, r"<(img|b|i)\b")
        for name in ("<b>bold<b>", "<i>broken<i>", "<img src=x>"):
            self.assertIn(name, shown)

    def test_no_label_of_the_library_is_used_as_it_is(self) -> None:
        files = list(Path(app.__file__).parent.rglob("*.py"))
        self.assertGreater(len(files), 50)
        for path in files:
            text = path.read_text()
            if path.name != "plain_text.py":
                self.assertNotIn("QLabel", text, path.name)
                self.assertNotRegex(text, r"setTextFormat\(.*(RichText|AutoText|MarkdownText)", path.name)
                if path.name != "pdf.py":  # prints a page of our own, in which all words of files are escaped
                    self.assertNotRegex(text, r"setHtml|QTextBrowser|insertHtml", path.name)


class RightShot(WindowTest):
    def test_nothing_reaches_the_shot_before_when_opening_fails(self) -> None:
        self.choose("card-003")
        before = self.window.correct.edit
        assert before is not None
        other = next(s for s in self.window.shoot.shots if s.name == "sluice-001-01")
        with (
            mock.patch("bruto.session.open_shots.Edit", side_effect=OSError("cannot be opened")),
            self.assertRaises(EmitLoopError),
        ):
            self.window.shoot.select(other)
        self.assertIsNone(self.window.correct.edit)
        QTest.keyClick(self.window, Qt.Key.Key_A, Qt.KeyboardModifier.AltModifier)
        self.window.page(Task.INTAKE).judge("discard")
        self.assertEqual((before.sidecar.verdict, before.recipe), ("", Recipe()))

    def test_a_defect_in_an_answer_to_the_mouse_is_one_line(self) -> None:
        self.addCleanup(setattr, sys, "excepthook", sys.excepthook)
        report_unexpected(self.window.say)
        sys.excepthook(TypeError, TypeError("int() argument"), None)
        self.assertNotIn("int()", self.window.message.text())
        self.assertIn("errors.log", self.window.message.text())
        wrapped = RuntimeError("while emitting a signal")
        wrapped.__cause__ = FileProblem("the disk is full")
        sys.excepthook(RuntimeError, wrapped, None)
        self.assertEqual(self.window.message.text(), "the disk is full")

    def test_a_sidecar_that_cannot_be_used_leaves_the_window_whole(self) -> None:
        raw = self.folder / "sluice-001-02.dng"
        sidecar_path(raw).write_text('{"revision": 1e999, "recipe": {"exposure": "much"}, "note": "kept"}')
        self.choose("card-003")
        shot = next(s for s in self.window.shoot.shots if s.main == raw)
        self.window.shoot.select(shot)
        self.settle()
        edit = self.window.correct.edit
        assert edit is not None
        self.assertEqual((edit.path, edit.sidecar.note), (raw, "kept"))
        self.assertIn("cannot be used", self.window.message.text())

    def test_not_saved_is_said_and_stays(self) -> None:
        self.choose("card-003")
        edit = self.window.correct.edit
        assert edit is not None
        with mock.patch("bruto.session.edit.save_sidecar", side_effect=FileProblem("the disk is full")):
            edit.change("exposure", exposure=0.6)
            self.window.correct.save()
            self.assertEqual(self.window.status_bar.saved.text(), "NOT SAVED")
            asked: list[tuple] = []
            self.window.confirm = lambda *text: asked.append(text) or False  # type: ignore[func-returns-value]
            self.window.close()
            self.assertTrue(self.window.isVisible())
            self.assertIn("the disk is full", asked[0][1])
        self.window.confirm = lambda *_: self.fail("nothing is left to ask about")
        self.window.close()
        self.assertEqual(load_sidecar(edit.path)[0].recipe.exposure, 0.6)


class Unfinished(WindowTest):
    def test_deliveries_are_asked_for_and_come_back(self) -> None:
        raws = [s for s in self.window.shoot.shots if s.raw and not s.problem]
        out = self.folder.parent / "out"
        out.mkdir()
        with mock.patch.object(self.window.queue, "_do", lambda job: time.sleep(0.2)):
            for shot in raws[:4]:
                self.window.queue.add(queue.Job(shot.main, out, f"{shot.name}.jpg", Recipe(), ExportPreset()))
            asked: list[tuple] = []
            self.window.confirm = lambda *text: asked.append(text) or False  # type: ignore[func-returns-value]
            self.window.close()
            self.assertTrue(self.window.isVisible())
            self.assertRegex(asked[0][1], r"\d exports? (is|are) not finished")
            self.window.confirm = lambda *_: True
            self.window.close()
        (kept,) = (Path(os.environ["XDG_STATE_HOME"]) / "bruto/queue").iterdir()
        host, pid, _ = kept.stem.split("-")
        kept.rename(kept.with_name(f"{host}-{pid}-1.json"))
        again = Window()
        self.addCleanup(again.close)
        again.show()
        self.assertIn("did not finish last time", again.message.text())
        rows = again.export.findChildren(QPushButton)
        self.assertTrue(any(b.text() == "Try again" for b in rows))
        for job in list(again.queue.jobs):
            again.queue.retry(job)
        self.wait(lambda: not again.queue.unfinished())
        self.assertTrue(list(out.glob("*.jpg")))

    def test_taking_in_and_merging_are_offered_again(self) -> None:
        card = self.folder.parent / "card"
        card.mkdir()
        copy_of([taken("pans", size=SMALL)[0]["files"][0]], card)
        burst = [s.main for s in self.window.shoot.shots if s.name.startswith("sluice-001")][:2]
        with mock.patch("bruto.session.workers.Channel.ask"):
            self.window.session.imports.start(card)
            self.window.session.merging.start(burst, "mean", Outputs(burst).in_folder(self.folder, "m.dng"))
            self.window.session.merging.start(burst, "median", Outputs(burst).in_folder(self.folder, "n.dng"))
            text: list[tuple] = []
            self.window.confirm = lambda *words: text.append(words) or True  # type: ignore[func-returns-value]
            self.window.close()
        self.assertIn("A merge is running", text[0][1])
        self.assertIn("Importing is running", text[0][1])
        (kept,) = (Path(os.environ["XDG_STATE_HOME"]) / "bruto/tasks").iterdir()
        host, pid, _ = kept.stem.split("-")
        kept.rename(kept.with_name(f"{host}-{pid}-1.json"))
        again = Window()
        again.confirm = lambda *_: True
        self.addCleanup(again.close)
        again.show()
        line = again.line.lines[0]
        self.assertTrue(line.isVisible() and line.leave.isVisible())
        self.assertEqual(line.text.text(), "Importing from card did not finish.")
        QTest.mouseClick(line.leave, LEFT)
        self.assertEqual(line.text.text(), "Merging 2 frames to m.dng did not finish.")
        QTest.mouseClick(line.button, LEFT)
        self.assertEqual(line.text.text(), "Merging 2 frames to n.dng did not finish.")  # it waited
        QTest.mouseClick(line.button, LEFT)
        self.wait(lambda: (self.folder / "n.dng").is_file() and not again.session.tasks.tasks)
        self.assertTrue((self.folder / "m.dng").is_file())
        self.wait(lambda: all(w.idle() for w in (again.worker, again.background)))
        self.assertEqual(list((Path(os.environ["XDG_STATE_HOME"]) / "bruto/tasks").iterdir()), [])

    def test_the_question_is_plain_text_and_no_is_the_default(self) -> None:
        box = Question(self.window, "Close?", MARKUP, "Close", "Keep open")
        box.show()
        self.assertTrue(all(w.textFormat() == Qt.TextFormat.PlainText for w in box.findChildren(QLabel)))
        for key in (Qt.Key.Key_Return, Qt.Key.Key_Escape):
            box.show()
            QTest.keyClick(box, key)
            self.assertEqual((box.isVisible(), box.result()), (False, 0))
        box.show()
        QTest.mouseClick(box.yes, LEFT)
        self.assertEqual(box.result(), 1)

    def test_all_files_are_checked_and_none_is_touched(self) -> None:
        """A raw that is cut short is named; the others count as whole."""
        whole = [f for s in self.window.shoot.shots for f in s.files if f.name != "broken.dng"]
        before = {f: f.read_bytes() for f in whole}
        self.window.commands.actions["check-files"].trigger()
        self.wait(lambda: not self.window.line.running)
        self.assertIn("1 of ", self.window.message.text())
        self.assertIn("broken.dng", self.window.message.text())
        self.assertEqual({f: f.read_bytes() for f in whole}, before)
        (self.folder / "broken.dng").unlink()
        self.wait(lambda: not any(s.name == "broken" for s in self.window.shoot.shots))
        self.window.session.checking.start()
        self.wait(lambda: "can be read whole" in self.window.message.text() and "All" in self.window.message.text())

    def test_taking_in_shows_progress_and_can_be_stopped(self) -> None:
        card = self.folder.parent / "card"
        card.mkdir()
        (source,) = copy_of([taken("pans", size=SMALL)[0]["files"][0]], card)
        for k in range(60):
            shutil.copy2(source, card / f"shot-{k:03d}.dng")
            with (card / f"shot-{k:03d}.dng").open("ab") as stream:
                stream.write(bytes([k]))
        line = self.window.line.lines[0]
        self.window.session.imports.start(card)
        self.assertTrue(line.isVisible() and self.window.line.running)
        self.wait(lambda: "%" in line.text.text())
        QTest.mouseClick(line.button, LEFT)
        self.wait(lambda: not self.window.line.running)
        self.assertIn("stopped", self.window.message.text())
        copied = [p for p in self.folder.iterdir() if p.name.startswith("shot-")]
        self.assertLess(len(copied), 60)
        self.assertTrue(all(p.stat().st_size == (card / p.name).stat().st_size for p in copied))
        self.assertFalse([p for p in self.folder.iterdir() if p.name.startswith(".bruto-")])

    def test_picking_a_hue_does_not_hold_the_window(self) -> None:
        self.choose("card-003")
        page = self.window.correct
        page.ledger.unfold("hues")
        page.ledger.hues.pick_button.setChecked(True)

        def slow(*_: object) -> None:
            time.sleep(0.6)

        with mock.patch("bruto.app.stage.picture_tools.hue_at", slow):
            began = time.monotonic()
            page.tools._picked(0.5, 0.5)
            self.assertLess(time.monotonic() - began, 0.1)
            self.settle()
        self.assertIn("almost no colour", self.window.message.text())

    def test_paging_fast_keeps_two_raws_open(self) -> None:
        def alive() -> list[Developer]:
            return [o for o in gc.get_objects() if isinstance(o, Developer)]

        gc.collect()
        before = alive()  # of windows of other tests
        shots = [s for s in self.window.shoot.shots if not s.problem]
        for shot in shots * 2:
            self.window.shoot.select(shot)
            end = time.monotonic() + 0.15
            while time.monotonic() < end:
                self.app.processEvents()
        self.settle()
        kept = [d for d in alive() if not any(d is b for b in before)]
        self.assertLessEqual(len(kept), 3, "what was paged over waits for the collector of circles")

    def test_paging_makes_no_widgets(self) -> None:
        shots = [s for s in self.window.shoot.shots if not s.problem]

        def page() -> int:
            for shot in shots:
                self.window.shoot.select(shot)
                self.settle()
            return len([w for w in self.app.allWidgets() if isinstance(w, QWidget)])

        first = page()
        self.assertLessEqual(page(), first + 2)

    def test_a_shot_that_is_turned_to_is_not_said_to_be_unsaved(self) -> None:
        self.choose("card-003")
        edit = self.window.correct.edit
        assert edit is not None
        edit.change("exposure", exposure=0.4)
        self.assertEqual(self.window.status_bar.saved.text(), "not saved yet")
        self.choose("pans-001")
        self.assertTrue(sidecar_path(edit.path).is_file())
        self.assertEqual(self.window.status_bar.saved.text(), "")
        self.choose("card-003")
        self.assertEqual(self.window.status_bar.saved.text(), "saved")
