"""A newcomer's whole day in the real window, with a real mouse and keyboard (xdotool) and nothing else.

Run by `test_day` under a virtual display: `python -m tests.app.day FOLDER PART`. A thread moves the hand; it reads from
the window where things stand, and changes nothing in it. Part `first` goes on until the window is closed while it
delivers, part `second` opens it again.
"""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
import traceback
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from PIL import Image
from PySide6.QtCore import QPoint, QPointF
from PySide6.QtWidgets import QApplication, QComboBox, QDialog, QFileDialog, QLineEdit, QWidget

from bruto.app.main import application
from bruto.app.main_thread import MainThreadCalls
from bruto.export import queue
from bruto.shoot.sidecar import load_sidecar
from bruto.tasks import Task

SLOW_S = 2.5
"""How much longer a delivery takes in the first part, so that the hand can close the window meanwhile."""
MOST_S = 60.0


class Hand:
    """Mouse and keyboard; `gui` reads from the window on its own thread."""

    def __init__(self, window: Any) -> None:
        self.window = window
        self.posted = MainThreadCalls()

    def gui(self, read: Callable[[], Any]) -> Any:
        """What `read` finds in the window."""
        found: list[Any] = []
        ready = threading.Event()

        def call() -> None:
            try:
                found.append((True, read()))
            except Exception as error:  # told to the thread that asked
                found.append((False, error))
            ready.set()

        self.posted.post(call)
        if not ready.wait(MOST_S):
            raise AssertionError("the window did not answer")
        good, value = found[0]
        if not good:
            raise value
        return value

    def until(self, ready: Callable[[], Any], what: str) -> Any:
        """Wait until something holds in the window."""
        end = time.monotonic() + MOST_S
        while True:
            value = self.gui(ready)
            if value:
                return value
            if time.monotonic() > end:
                raise AssertionError(f"waited in vain: {what}")
            time.sleep(0.05)

    def quiet(self) -> None:
        """Wait until nothing is being made."""
        for _ in range(2):
            self.until(self.window.session.idle, "quiet")
            time.sleep(0.15)

    def tool(self, *words: object) -> None:
        subprocess.run(["xdotool", *map(str, words)], check=True, capture_output=True)

    def place(self, widget: QWidget, at: QPointF | None = None) -> QPoint:
        def read() -> QPoint:
            return widget.mapToGlobal(widget.rect().center() if at is None else at.toPoint())

        return self.gui(read)

    def move(self, widget: QWidget, at: QPointF | None = None) -> None:
        p = self.place(widget, at)
        self.tool("mousemove", p.x(), p.y())
        time.sleep(0.05)

    def click(self, widget: QWidget, at: QPointF | None = None, held: str = "") -> None:
        self.move(widget, at)
        if held:
            self.tool("keydown", held)
        self.tool("click", 1)
        if held:
            self.tool("keyup", held)
        time.sleep(0.15)

    def drag(self, widget: QWidget, start: QPointF, end: QPointF, during: Callable[[], Any] | None = None) -> Any:
        self.move(widget, start)
        self.tool("mousedown", 1)
        for k in range(1, 9):
            self.move(widget, start + (end - start) * (k / 8))
        seen = None if during is None else during()
        self.tool("mouseup", 1)
        time.sleep(0.2)
        return seen

    def key(self, *keys: str) -> None:
        for one in keys:
            self.tool("key", one)
            time.sleep(0.12)

    def type(self, text: str) -> None:
        self.tool("type", "--delay", "15", text)
        time.sleep(0.2)

    # -- things in this window

    def card(self, name: str) -> QPointF:
        """Where a shot's card lies on the board."""
        board = self.window.intake.board

        def read() -> QPointF:
            row = next(k for k, (_, shot, _) in enumerate(board.cards.rows) if shot.name == name)
            return QPointF(board.visualRect(board.cards.index(row)).center())

        return self.gui(read)

    def click_card(self, name: str, held: str = "") -> None:
        self.click(self.window.intake.board.viewport(), self.card(name), held)
        self.quiet()

    def from_menu(self, button: QWidget, choice: str) -> None:
        """Choose an entry of a button's menu by keys."""
        self.click(button)
        menu = self.gui(lambda: button.menu())  # type: ignore[attr-defined]
        self.until(menu.isVisible, "menu")
        choices = self.gui(lambda: [a.data() or a.text() for a in menu.actions()])
        self.key(*["Down"] * (choices.index(choice) + 1), "Return")
        self.until(lambda: not menu.isVisible(), "menu closed")

    def from_box(self, box: QComboBox, index: int) -> None:
        """Choose an entry of a choice box by keys."""
        self.click(box)
        self.until(lambda: box.view().isVisible(), "choices")
        self.key("Home", *["Down"] * index, "Return")
        self.until(lambda: box.currentIndex() == index, f"choice {index}")


def names(window: Any) -> set[str]:
    """What the board lists."""
    return {s.name for row in range(len(window.intake.board.cards.rows)) for s in window.intake.board.stands_for(row)}


def open_folder(hand: Hand, folder: Path) -> None:
    """From the start page through the dialog."""
    w = hand.window
    start = hand.gui(lambda: w.page(Task.START))
    hand.click(start.open)
    hand.until(lambda: isinstance(QApplication.activeModalWidget(), QFileDialog), "dialog")
    dialog = hand.gui(QApplication.activeModalWidget)
    field = hand.gui(lambda: dialog.findChild(QLineEdit))
    for _ in range(5):
        hand.click(field)
        hand.key("ctrl+a")
        hand.type(str(folder))
        if hand.gui(field.text) == str(folder):
            break
    for _ in range(3):  # the first may only close the list of names
        hand.key("Return")
        time.sleep(0.5)
        if hand.gui(lambda: QApplication.activeModalWidget() is None):
            break
    hand.until(lambda: len(w.shoot.shots) > 5, "shots")
    hand.until(lambda: QApplication.activeModalWidget() is None, "dialog closed")


def first(hand: Hand, folder: Path) -> None:
    """Open, look, choose, correct, merge, deliver, and close in the middle of it."""
    w = hand.window
    hand.until(lambda: w.task() == Task.START, "start page")
    open_folder(hand, folder)
    hand.until(lambda: w.task() == Task.INTAKE, "intake")
    hand.until(lambda: len(w.shoot.reports) == sum(s.raw is not None for s in w.shoot.shots), "measured")

    # the clipped, the shaken, the one without raw
    hand.from_menu(w.intake.only_button, "warned")
    warned = hand.gui(lambda: names(w))
    assert {"clipped", "shaken", "alone"} <= warned, warned
    assert "good" not in warned, warned
    hand.from_menu(w.intake.only_button, "no-raw")
    assert hand.gui(lambda: names(w)) == {"alone"}
    hand.from_menu(w.intake.only_button, "all")

    # five are kept: by click and key, each on its file
    for name in ("good", "card", "clipped", "still", "other"):
        hand.click_card(name)
        hand.key("F7")
    hand.quiet()
    kept = sorted(p.name.split(".")[0] for p in folder.glob("*.bruto.json") if '"keep"' in p.read_text())
    assert kept == ["card", "clipped", "good", "other", "still"], kept

    # two of them side by side at 1:1, the same place
    hand.click_card("good")
    hand.click_card("other", "ctrl")
    hand.key("ctrl+6")
    page = hand.until(lambda: w.page(Task.SIDE_BY_SIDE), "side by side")
    hand.until(lambda: len(page.shown) == 2 and all(p.developer is not None for p in page.shown), "both")
    hand.key("F2")
    hand.quiet()
    places = hand.gui(lambda: {p.stage.viewport.visible() for p in page.shown})
    assert len(places) == 1 and hand.gui(lambda: all(p.stage.piece is not None for p in page.shown))

    # suggestions for all five, each its own
    hand.key("ctrl+1")
    hand.from_menu(w.intake.only_button, "keep_or_best")
    hand.click(w.intake.board.viewport(), hand.card("good"))
    hand.key("ctrl+shift+a")
    hand.until(lambda: len(w.shoot.selection) == 5, "five selected")
    hand.key("alt+shift+a")
    hand.until(lambda: "suggestions to each of 5 shots" in w.message.text(), "suggestions")
    hand.quiet()
    recipes = {n: load_sidecar(folder / f"{n}.dng")[0].recipe for n in kept}
    assert len({r.exposure for r in recipes.values()}) >= 4, {n: r.exposure for n, r in recipes.items()}

    # white picked on one and used on the others
    hand.click_card("card")
    hand.key("ctrl+2")
    hand.quiet()
    hand.key("alt+w")
    hand.until(lambda: w.correct.stage.picking, "picking")
    hand.click(w.correct.stage)
    hand.until(lambda: not w.correct.stage.picking, "white")
    hand.quiet()
    white = hand.gui(lambda: w.correct.edit.recipe.temperature)
    hand.key("alt+shift+c")
    dialog = hand.until(QApplication.activeModalWidget, "groups")
    for name, tick in hand.gui(lambda: dict(dialog.ticks)).items():
        if hand.gui(tick.isChecked) != (name == "white"):
            hand.click(tick, QPointF(8, hand.gui(lambda t=tick: t.height()) / 2))
    hand.key("Return")
    hand.until(lambda: bool(w.session.copied), "copied")
    hand.key("ctrl+1")
    hand.click(w.intake.board.viewport(), hand.card("good"))
    hand.key("ctrl+shift+a", "alt+v")
    hand.until(lambda: "pasted values to" in w.message.text(), "used")
    hand.quiet()
    whites = {load_sidecar(folder / f"{n}.dng")[0].recipe.temperature for n in kept}
    assert whites == {white}, (whites, white)

    # tone on the strip, with the picture following during the drag
    hand.click_card("good")
    hand.key("ctrl+2")
    hand.quiet()
    strip, stage = w.correct.strip, w.correct.stage
    shadow = hand.gui(lambda: w.correct.edit.recipe.tone.shadow.lightness)
    foot = hand.gui(lambda: strip.foot_point("shadow"))
    before = hand.gui(lambda: stage.base)

    def during() -> Any:
        hand.until(lambda: stage.base is not before, "a picture during the drag")
        return hand.gui(lambda: (w.correct.edit.dragging, strip.grab().toImage()))

    dragging, strip_picture = hand.drag(strip, foot, foot + QPointF(60, 0), during)
    assert dragging
    plain = np.frombuffer(strip_picture.constBits(), np.uint8).reshape(strip_picture.height(), -1, 4)
    assert len(np.unique(plain[40:100].reshape(-1, 4), axis=0)) > 20, "the strip became one block of colour"
    hand.quiet()
    assert hand.gui(lambda: w.correct.edit.recipe.tone.shadow.lightness) > shadow + 4

    # crop by a corner, level by a line, Return ends both; three steps back
    hand.key("alt+f")
    hand.until(lambda: w.correct.framing, "frame")
    hand.quiet()
    box = hand.gui(stage.frame_rect)
    hand.drag(stage, box.topLeft() + QPointF(1, 1), box.topLeft() + QPointF(80, 60))
    hand.key("alt+l")
    hand.quiet()
    box = hand.gui(stage.frame_rect)
    hand.drag(stage, box.center() - QPointF(120, 0), box.center() + QPointF(120, 9))
    hand.quiet()
    hand.key("Return")
    hand.until(lambda: not w.correct.framing, "Return ends the tool")
    recipe = hand.gui(lambda: w.correct.edit.recipe)
    assert recipe.crop is not None and abs(recipe.horizon) > 0.5, (recipe.crop, recipe.horizon)
    hand.key("ctrl+z", "ctrl+z", "ctrl+z")
    hand.quiet()
    recipe = hand.gui(lambda: w.correct.edit.recipe)
    assert recipe.crop is None and recipe.tone.shadow.lightness == shadow

    # the burst and the bracket
    hand.key("ctrl+1")
    hand.from_menu(w.intake.only_button, "all")
    for name, merged in (("burst-01", "burst-01-mean-of-4.dng"), ("bracket-01", "bracket-01-bracket-of-3.dng")):
        hand.key("ctrl+1")
        hand.click_card(name)
        hand.key("ctrl+4")
        hand.until(lambda: w.merge.isVisible() and w.merge.go.isEnabled(), "the set is shown")
        hand.quiet()
        hand.click(w.merge.go)
        hand.until(lambda: w.merge.open_button.isVisible(), "merged")
        hand.until(lambda m=merged: any(s.main.name == m for s in w.shoot.shots), "listed")
        assert (folder / merged).is_file(), sorted(p.name for p in folder.iterdir())
        hand.quiet()

    # the kept ones at 2048 px, without place, and the window closed meanwhile
    hand.key("ctrl+5")
    hand.from_box(w.export.which, 1)
    hand.from_box(w.export.form.widgets["size"], 2)
    hand.until(lambda: w.export.list.count() == 5, "five listed")
    assert not hand.gui(w.export.form.widgets["place"].isChecked)
    hand.click(w.export.go)
    hand.until(lambda: any(j.state == queue.DONE for j in w.queue.jobs), "the first is done")
    hand.key("ctrl+q")
    question = hand.until(
        lambda: isinstance(QApplication.activeModalWidget(), QDialog) and QApplication.activeModalWidget(), "question"
    )
    hand.click(question.yes)


def second(hand: Hand, folder: Path) -> None:
    """Everything is there, and the delivery goes on to its end."""
    w = hand.window
    start = hand.until(lambda: w.page(Task.START), "start page")
    hand.until(lambda: len(start.cards) == 1, "the shoot")
    assert "5 Keep or Best" in hand.gui(lambda: start.cards[0].lines[1])
    hand.key("Return")
    hand.until(lambda: w.task() == Task.EXPORT, "where it was left")
    assert hand.gui(lambda: w.shoot.folder) == folder
    assert hand.gui(w.export.form.widgets["size"].currentIndex) == 2
    left = hand.gui(lambda: [j.state for j in w.queue.jobs])
    assert left and set(left) == {queue.STOPPED}, left
    hand.click(w.export.jobs.go_on)
    hand.until(lambda: all(j.state == queue.DONE for j in w.queue.jobs), "delivered")
    made = sorted((folder / "finished").iterdir())
    assert [p.name for p in made] == [f"{n}.jpg" for n in ("card", "clipped", "good", "other", "still")], made
    for path in made:
        with Image.open(path) as image:
            assert max(image.size) <= 2048
            assert not image.getexif().get_ifd(34853)
    hand.key("ctrl+q")


def main(folder: Path, part: str) -> int:
    app = application()
    from bruto.app.window import Window

    app.setQuitOnLastWindowClosed(False)  # the hand still looks at it
    window = Window()
    window.resize(1280, 800)
    window.show()

    def slowly(*arguments: Any, **options: Any) -> Any:
        time.sleep(SLOW_S)
        return real(*arguments, **options)

    def work() -> None:
        try:
            hand.until(lambda: window.windowHandle() is not None and window.windowHandle().isExposed(), "window")
            handle = subprocess.run(
                ["xdotool", "search", "--sync", "--onlyvisible", "--name", "Bruto"], capture_output=True, text=True
            ).stdout.split()
            hand.tool("windowfocus", handle[0])
            time.sleep(0.3)
            (first if part == "first" else second)(hand, folder)
            hand.until(lambda: not window.isVisible(), "the window closed")
        except BaseException:
            traceback.print_exc()
            sys.stderr.flush()
            picture = os.environ.get("DAY_PICTURE")
            if picture:
                subprocess.run(["import", "-window", "root", picture], timeout=20)
            os._exit(1)  # a dialog may still hold the window
        os._exit(0)

    real, hand = queue.export_shot, Hand(window)
    with mock.patch("bruto.export.queue.export_shot", slowly if part == "first" else real):
        thread = threading.Thread(target=work)
        thread.start()
        app.exec()
        thread.join(20)
    return 1


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1]), sys.argv[2]))
