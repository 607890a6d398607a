"""A real window on copies of small captures, driven by mouse and keyboard."""

from __future__ import annotations

import gc
import hashlib
import os
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from bruto.app.main import application
from bruto.app.window import Window
from bruto.develop.suggest.suggester import SuggestionInput
from bruto.develop.suggest.suggestion import Suggestion
from bruto.session.initial_edits import DEFAULTS
from bruto.shoot.tripod import support_of
from bruto.storage.settings import Settings, save_settings
from tests.shots import SMALL, copy_of, taken

LEFT = Qt.MouseButton.LeftButton


def pixels(image: QImage) -> np.ndarray:
    """(H, W, 3) uint8 of a picture."""
    rgb = image.convertToFormat(QImage.Format.Format_RGB888)
    data = np.frombuffer(rgb.constBits(), np.uint8).reshape(rgb.height(), rgb.bytesPerLine())
    return data[:, : 3 * rgb.width()].reshape(rgb.height(), rgb.width(), 3).copy()


_step = SuggestionInput.step
_suggested: dict[tuple[object, ...], dict[str, Suggestion]] = {}


def _remembered(self: SuggestionInput) -> bool:
    """A step of finding suggestions: of bytes that were looked at before, all is found at once.

    Each window of a module opens the same few files; what is found in them is tested elsewhere.
    """
    source = self.developer.source
    try:
        digest = hashlib.sha256(source.path.read_bytes()).digest()
    except OSError:
        return _step(self)
    key = (digest, source.kind, source.size, source.meta.orientation, source.meta.default_crop)
    if key in _suggested:
        self.found.update(_suggested[key])
        return False
    more = _step(self)
    if not more:
        _suggested[key] = dict(self.found)
    return more


_held: dict[tuple[bytes, bytes], str] = {}


def _support_remembered(one: Path, other: Path) -> str:
    """How two frames were held, looked at once for the same bytes: it reads both raws whole."""
    try:
        key = hashlib.sha256(one.read_bytes()).digest(), hashlib.sha256(other.read_bytes()).digest()
    except OSError:
        return support_of(one, other)
    if key not in _held:
        _held[key] = support_of(one, other)
    return _held[key]


class WindowTest(unittest.TestCase):
    """Opens a window on a folder with a card (raw and picture), a burst, a bracket, a picture alone and a broken
    file.
    """

    app: QApplication
    thrown_away = 0
    start = DEFAULTS
    """Where shots start that were never edited."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.app = application()

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory())) / "day"
        self.folder.mkdir()
        home = self.folder.parent / "home"
        # what the program learns of phones must not reach, or come from, the user's own data
        places = {"XDG_DATA_HOME": f"{home}/data", "XDG_STATE_HOME": f"{home}/state"}
        self.enterContext(mock.patch.dict(os.environ, places))
        self.enterContext(mock.patch.object(SuggestionInput, "step", _remembered))
        self.enterContext(mock.patch("bruto.session.logbook_recorder.support_of", _support_remembered))
        save_settings(Settings(start=self.start))
        self.fill()
        self.window = Window()
        self.window.confirm = lambda *_: True
        self.addCleanup(self.throw_away)
        self.window.resize(1280, 800)
        self.window.show()
        self.window.open_paths([str(self.folder)], "A day")
        self.wait(lambda: self.window.shoot.current is not None)
        self.settle()

    def throw_away(self) -> None:
        """Close the window and take it apart: each later change of style would pass all that are left."""
        self.window.close()
        self.app.processEvents()
        if self.window.isVisible():
            return
        self.window.deleteLater()
        self.app.sendPostedEvents(None, QEvent.Type.DeferredDelete)  # type: ignore[call-overload]
        del self.window
        WindowTest.thrown_away += 1
        if WindowTest.thrown_away % 8 == 0:
            gc.collect()

    def fill(self) -> None:
        copy_of(taken("card", size=SMALL, seed=3)[0]["files"], self.folder)
        copy_of([f for s in taken("sluice", size=SMALL, count=4, iso=800.0) for f in s["files"]], self.folder)
        copy_of([s["files"][0] for s in taken("boiling-house", size=SMALL, bracket=(-2.0, 0.0, 2.0))], self.folder)
        copy_of([taken("pans", size=SMALL)[0]["files"][1]], self.folder)
        (self.folder / "broken.dng").write_bytes(b"no raw")

    def wait(self, ready: Callable[[], bool], seconds: float = 60) -> None:
        end = time.monotonic() + seconds
        while not ready():
            self.assertLess(time.monotonic(), end, "the window did not get there")
            self.app.processEvents()
            time.sleep(0.002)

    def settle(self) -> None:
        """Until nothing is being computed."""
        quiet = 0
        while quiet < 2:
            self.wait(self.window.session.idle)
            for _ in range(2):
                self.app.processEvents()
                time.sleep(0.001)
            quiet = quiet + 1 if self.window.session.idle() else 0

    def choose(self, name: str) -> None:
        """Click a shot in the list."""
        model, view = self.window.shots.model, self.window.shots.view
        row = next(k for k, (_, shot, _) in enumerate(model.rows) if shot.name == name)
        view.scrollTo(model.index(row))
        self.app.processEvents()
        QTest.mouseClick(view.viewport(), LEFT, pos=view.visualRect(model.index(row)).center())
        self.settle()

    def task(self, name: str) -> None:
        QTest.mouseClick(self.window.top.task_buttons[name], LEFT)
        self.settle()

    def picture(self) -> np.ndarray:
        """What the Develop stage shows of the whole frame."""
        image = self.window.correct.stage.base
        assert image is not None
        return pixels(image)

    def drag(self, widget: QWidget, start: QPointF, end: QPointF, steps: int = 6) -> None:
        """Press, move and release the left button."""
        QTest.mousePress(widget, LEFT, pos=start.toPoint())
        for k in range(1, steps + 1):
            place = start + (end - start) * (k / steps)
            QTest.mouseMove(widget, place.toPoint())
            self.app.processEvents()
        QTest.mouseRelease(widget, LEFT, pos=end.toPoint())
        self.settle()

    @staticmethod
    def middle(widget: QWidget) -> QPoint:
        return widget.rect().center()
