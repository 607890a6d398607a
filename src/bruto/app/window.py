"""The main window: tasks in working order, the shots at the left, one page a task, messages and shortcuts."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLayout,
    QMainWindow,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from bruto.app.bulk import Bulk
from bruto.app.demo_day import DemoDay
from bruto.app.gauge import Gauge
from bruto.app.models import Edit, Shoot
from bruto.app.pages.compare import ComparePage
from bruto.app.pages.comparing import Comparing
from bruto.app.pages.deliver import DeliverPage
from bruto.app.pages.develop import DevelopPage
from bruto.app.pages.intake import IntakePage
from bruto.app.pages.merge import MergePage
from bruto.app.pages.merging import Merging
from bruto.app.unfinished import Unfinished
from bruto.app.widgets import theme
from bruto.app.widgets.card_dialog import CardDialog
from bruto.app.widgets.plain import Label, plain_tooltip
from bruto.app.widgets.question import ask_user
from bruto.app.widgets.recipes_dialog import RecipesDialog
from bruto.app.widgets.shotlist import ShotList
from bruto.app.widgets.task_line import TaskLine
from bruto.app.widgets.thumbs import Thumbs
from bruto.app.worker import Worker
from bruto.deliver import jobs
from bruto.deliver.ticket import Ticket
from bruto.errors import BrutoError
from bruto.publish import usable_folder
from bruto.shoot.shots import Shot
from bruto.shoot.sidecar import load_sidecar
from bruto.shoot.takein import TakenIn, take_in
from bruto.shoot.watch import Changes

TASKS = ("Intake", "Develop", "Compare", "Merge", "Deliver")
NARROW = 1120
"""Window width under which the shot list folds, pixels."""
LOW = 720
"""Window height under which the light strip folds."""


class _FromThreads(QObject):
    """Carries events of other threads to the interface thread."""

    job = Signal(object)
    progress = Signal(float, str)
    taking = Signal(float, str)
    problem = Signal(str)


class Window(QMainWindow):
    """The whole application in one window."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Bruto")
        self.setAcceptDrops(True)
        self.confirm = partial(ask_user, self)
        """Asks the user (question, text, yes, no); tests answer for him."""
        self.shoot = Shoot()
        self.worker = Worker(
            (
                "pick", "piece", "base", "before", "reading_piece", "reading", "phone", "open", "light", "suggest",
                "compare", "compare_piece", "proof", "thumb", "phone_report",
            )
        )  # fmt: skip
        self.background = Worker(("merge", "take"))
        self.writer = Worker(("sidecars",))
        self.gauge = Gauge(self.shoot)
        self.queue = jobs.Queue()
        self._threads = _FromThreads()
        self.queue.changed.connect(self._threads.job.emit)
        self.queue.problem.connect(self._threads.problem.emit)
        self._folded: dict[str, bool] = {}
        self.demo: DemoDay | None = None
        central = QWidget()
        column = QVBoxLayout(central)
        column.setSizeConstraint(QLayout.SizeConstraint.SetNoConstraint)  # small screens: parts fold instead
        self.setMinimumSize(960, 600)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._top_bar())
        row = QHBoxLayout()
        row.setSpacing(0)
        self.shots = ShotList(self.shoot)
        row.addWidget(self.shots)
        self.pages = QStackedWidget()
        self.intake = IntakePage(self.shoot, self.worker)
        self.develop = DevelopPage(self.worker)
        self.bulk = Bulk(self.writer, self.develop.edits, self.say)
        self.compare = ComparePage()
        self.merge = MergePage()
        self.deliver = DeliverPage(self.queue)
        for page in (self.intake, self.develop, self.compare, self.merge, self.deliver):
            self.pages.addWidget(page)
        self.thumbs = Thumbs(self.worker, self.shots.model, self.intake.board.cards, self.say)
        self.comparing = Comparing(self.compare, self.worker, self.shoot, self.develop, self.say)
        workers = (self.background, self.worker)
        self.merging = Merging(self.merge, self.shoot, workers, self._threads.progress.emit, self.say)
        row.addWidget(self.pages, 1)
        column.addLayout(row, 1)
        column.addWidget(self._status_bar())
        self.setCentralWidget(central)
        self._actions()
        self.shots.chosen.connect(self.shoot.select)
        self.intake.board.chosen.connect(self._choose)
        self.intake.develop_wanted.connect(lambda: self.set_task("Develop"))
        self.intake.take_in_wanted.connect(self._take_in)
        self.intake.problem.connect(self.say)
        self.intake.gear_for_set.connect(self._gear_for_set)
        self.shoot.message.connect(self.say)
        self.develop.decoded.connect(self.intake.set_developer)
        self.develop.pictured.connect(self.thumbs.developed)
        self.develop.outdated.connect(self.thumbs.outdated)
        self.gauge.progress.connect(self.measured.setText)
        self.gauge.changed.connect(self._files_changed)
        self.gauge.arrived.connect(self._arrived)
        self.gauge.problem.connect(self.say)
        self.shoot.current_changed.connect(self._current_changed)
        self.shoot.opened.connect(self._shoot_opened)
        self.develop.status.connect(self._status)
        self.develop.problem.connect(self.say)
        self.merge.open_result.connect(self._open_merged)
        self.deliver.wanted.connect(self._deliver)
        self._threads.job.connect(self.deliver.job_changed)
        self._threads.progress.connect(self.merge.set_progress)
        self._threads.taking.connect(self.line.show_progress)
        self._threads.problem.connect(self.say)
        self.unfinished_work = Unfinished()
        self.merging.unfinished_work = self.unfinished_work
        left = self.queue.restore()
        if left:
            self.say(f"{left} deliveries were not finished last time; Deliver shows them, and goes on with them.")
        for text, go_on in self.unfinished_work.left(self):
            self.line.offer(text, go_on)
        self.set_task("Develop")
        self.develop.open_shot(None)

    # -- parts
    # ----------------------------------------------------------------------------------------------------------

    def _top_bar(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("bar")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar.setFixedHeight(42)
        row = QHBoxLayout(bar)
        row.setContentsMargins(14, 0, 10, 0)
        row.setSpacing(2)
        brand = Label("bruto")
        brand.setObjectName("brand")
        row.addWidget(brand)
        row.addSpacing(16)
        self.task_buttons: dict[str, QPushButton] = {}
        for k, task in enumerate(TASKS):
            button = QPushButton(task)
            button.setObjectName("task")
            button.setCheckable(True)
            button.setToolTip(f"{task} (Ctrl+{k + 1})")
            button.clicked.connect(lambda _, t=task: self.set_task(t))
            self.task_buttons[task] = button
            row.addWidget(button)
        row.addStretch(1)
        self.title = Label("")
        self.title.setObjectName("quiet")
        row.addWidget(self.title)
        row.addSpacing(8)
        self.list_button = QPushButton("Shots")
        self.list_button.setToolTip("Show or fold the list of shots (F9)")
        self.list_button.clicked.connect(lambda: self._fold("shots"))
        self.theme_button = QPushButton("Dim")
        self.theme_button.setToolTip("Dim theme for the night, light theme for the day (Ctrl+D)")
        self.theme_button.clicked.connect(self.toggle_theme)
        self.menu_button = QPushButton("Menu")
        self.menu_button.setMinimumWidth(76)
        for button in (self.list_button, self.theme_button, self.menu_button):
            row.addWidget(button)
            row.addSpacing(4)
        return bar

    def _status_bar(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("statusBar")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar.setFixedHeight(30)
        row = QHBoxLayout(bar)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(18)
        self.pointer, self.timing, self.saved, self.message = Label(""), Label(""), Label(""), Label("")
        self.measured = Label("")
        self.line, self.demo_line = TaskLine(), TaskLine()
        row.addWidget(self.line)
        row.addWidget(self.demo_line)
        for label in (self.measured, self.timing, self.saved, self.pointer):
            label.setObjectName("quiet")
            row.addWidget(label)
        self.message.setObjectName("warning")
        row.addWidget(self.message, 1)
        return bar

    def _actions(self) -> None:
        menu = QMenu(self)
        self.menu_button.setMenu(menu)

        def add(text: str, keys: str, slot: Callable[[], Any]) -> QAction:
            action = QAction(text, self)
            if keys:
                action.setShortcut(QKeySequence(keys))
            action.triggered.connect(lambda _=False: slot())
            menu.addAction(action)
            self.addAction(action)
            return action

        add("Open a folder…", "Ctrl+O", self._choose_folder)
        menu.addSeparator()
        add("Undo", "Ctrl+Z", lambda: self._with_edit(Edit.undo))
        add("Redo", "Ctrl+Shift+Z", lambda: self._with_edit(Edit.redo))
        add("Mark what sRGB, then Display P3, cannot hold", "Ctrl+G", self._proof)
        add("Before beside the picture", "S", self._beside)
        add("Keep as a version…", "Ctrl+Shift+K", lambda: self.develop.versions.ask_name())
        add("Crop on the picture", "C", lambda: self._frame_tool("frame_button"))
        add("Level by a line", "Shift+C", lambda: self._frame_tool("line_button"))
        add("Turn clockwise", "R", lambda: self.develop.frame_tool.turn(1))
        add("Turn anticlockwise", "Shift+R", lambda: self.develop.frame_tool.turn(3))
        add("Take all suggestions", "T", lambda: self._with_edit(Edit.take_all))
        add("Reset all values", "Ctrl+R", lambda: self._with_edit(Edit.reset))
        add("Pick white in the picture", "W", lambda: self.develop.ledger.pick_button.toggle())
        add("Pick a hue in the picture", "H", self._pick_hue)
        add("Tone by hand in the picture", "D", lambda: self.develop.tone_button.toggle())
        add("Recipes…", "Ctrl+E", self.show_recipes)
        add("Unfold all groups of the ledger", "Ctrl+U", lambda: self.develop.ledger.unfold())
        menu.addSeparator()
        add("Whole picture or 1:1", "Z", self._toggle_zoom)
        add("Everything in this file", "Ctrl+I", lambda: self.intake.show_tree())
        add("Card of this phone…", "Ctrl+K", self.show_card)
        add("Take files in from a phone or card…", "Ctrl+T", self._take_in)
        add("Next shot", "PgDown", lambda: self._step(1))
        add("Previous shot", "PgUp", lambda: self._step(-1))
        add("Fold or show the shots", "F9", lambda: self._fold("shots"))
        add("Fold or show the light strip", "F10", lambda: self._fold("strip"))
        menu.addSeparator()
        for k, task in enumerate(TASKS):
            add(task, f"Ctrl+{k + 1}", partial(self.set_task, task))
        menu.addSeparator()
        add("Dim or light theme", "Ctrl+D", self.toggle_theme)
        add("Quit", "Ctrl+Q", self.close)

    # -- opening
    # --------------------------------------------------------------------------------------------------------

    def open_paths(self, paths: list[str | Path], title: str = "") -> None:
        """Open folders or files; a problem becomes a message."""
        try:
            self.shoot.open(paths, title)
        except BrutoError as error:
            self.say(str(error))

    def shoot_demo(self, folder: Path) -> None:
        """Let the simulated phone take what is missing of the demo's day, behind the window."""
        self.demo = DemoDay(folder, self.demo_line)
        self.demo.problem.connect(self.say)
        self.demo.start()

    def _choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Folder of shots", str(self.shoot.folder))
        if chosen:
            self.open_paths([chosen])

    def _shoot_opened(self) -> None:
        count = len(self.shoot.shots)
        self.title.setText(f"{self.shoot.title} · {count} shot{'s' if count != 1 else ''}")
        self.setWindowTitle(f"{self.shoot.title} – Bruto")
        if not self.deliver.folder.text():
            self.deliver.folder.setText(str(self.shoot.folder / "finished"))
        self.thumbs.make(s for s in self.shoot.shots if not s.problem)
        self.gauge.follow()
        if self.shoot.current is None:
            if self.shoot.shots:
                self.shots.select(self.shoot.sets[0].shots[0])
            else:
                self.develop.stage.message = (
                    f"No DNG files or pictures in {self.shoot.folder}. Open another folder with Ctrl+O."
                )
                self.develop.stage.update()

    def _choose(self, shot: Shot) -> None:
        """A shot chosen on the board is chosen in the list too."""
        self.shots.select(shot)
        self.shoot.select(shot)

    # -- measuring and watching
    # -----------------------------------------------------------------------------------------

    def show_recipes(self) -> RecipesDialog | None:
        """Kept recipes, and this shot's values for other shots."""
        edit = self.develop.edit
        if edit is None:
            self.say("Choose a shot first.")
            return None
        dialog = RecipesDialog(edit.recipe, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.wanted.connect(self._use_recipe)
        dialog.show()
        return dialog

    def _use_recipe(self, values: dict[str, Any], title: str, target: str) -> None:
        shot = self.shoot.current
        if shot is not None:

            def use(edit: Edit) -> bool:
                changed = edit.change(f"recipe {title}", **values)
                edit.save()
                return changed

            def done(count: int, problems: list[str]) -> None:
                used = f"Used on {count} shot{'s' if count != 1 else ''}; each can be undone by itself."
                self.say(" ".join([used, *problems[:2]]))

            self.bulk.change(self.shoot.targets(shot, target), use, done)

    def _pick_hue(self) -> None:
        self.develop.ledger.unfold("hues")
        self.develop.ledger.hues.pick_button.toggle()

    def _gear_for_set(self, gear: str) -> None:
        shot = self.shoot.current
        if shot is not None:

            def note(edit: Edit) -> bool:
                edit.judge(gear=gear)
                return True

            def done(count: int, problems: list[str]) -> None:
                self.say(" ".join([f"Gear noted for {count} shots of the set.", *problems[:2]]))

            self.bulk.change(self.shoot.targets(shot, "its set"), note, done)

    def _files_changed(self, changes: Changes) -> None:
        self.thumbs.forget(changes.new)

    def _arrived(self, shot: Shot, count: int) -> None:
        if self.demo is not None and self.demo.shooting:
            return  # a whole day comes in: what is looked at stays
        if self.task() == "Intake":
            self._choose(shot)
        self.say(f"{count} new file{'s' if count > 1 else ''} in the folder.")

    def show_card(self) -> CardDialog | None:
        """The card of the phone that took the current shot."""
        shot = self.shoot.current
        card = self.shoot.card_of(shot) if shot is not None else None
        if card is None:
            self.say("Choose a shot that says which phone took it.")
            return None
        dialog = CardDialog(card, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(lambda: self.shoot.set_card(dialog.card))
        dialog.show()
        return dialog

    def _take_in(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Phone or card to take files from")
        if chosen:
            self.take_in_from(Path(chosen))

    def take_in_from(self, source: Path) -> None:
        """Copy what is new from a phone or card into the open folder, verified."""
        folder = self.shoot.folder
        if not self.shoot.paths:  # without a folder the files would land wherever the program was started
            self.say("Open the folder that the files shall go to first (Ctrl+O).")
            return

        def done(result: TakenIn) -> None:
            text = f"{len(result.copied)} files copied and verified, {len(result.skipped)} were there already"
            if result.failed:
                text += f", {len(result.failed)} failed: {result.failed[0][1]}"
            self.say(text + ". Nothing was deleted.")
            self.gauge.look()

        def failed(text: str) -> None:
            self.say(text)
            self.gauge.look()

        stop = threading.Event()
        self.line.begin("Taking in", stop.set)
        self.unfinished_work.begin("take in", source=str(source.absolute()), folder=str(folder.absolute()))

        def ended(then: Callable[[Any], None]) -> Callable[[Any], None]:
            def call(outcome: Any) -> None:
                self.unfinished_work.end("take in")
                then(outcome)

            return self.line.ended(call)

        work = partial(take_in, source, folder, self._threads.taking.emit, stop.is_set)
        self.background.ask("take", work, ended(done), ended(failed))

    def _current_changed(self) -> None:
        shot = self.shoot.current
        self.message.setText("")
        self.develop.open_shot(shot)
        self.intake.open_shot(shot, self.develop.edit)
        if self.develop.developer is not None and shot is not None:
            self.intake.set_developer(shot, self.develop.developer)
        self.merge.set_group(None if shot is None else self.shoot.set_of(shot))
        self.deliver.set_shot(shot)
        self.comparing.shot_changed()

    # -- tasks
    # ----------------------------------------------------------------------------------------------------------

    def set_task(self, task: str) -> None:
        """Turn to a task."""
        for name, button in self.task_buttons.items():
            button.setChecked(name == task)
        self.pages.setCurrentIndex(TASKS.index(task))
        self.shots.setVisible(self._list_wanted())
        if task == "Intake":
            self.intake.turned_to()
        if task == "Compare":
            self.comparing.show()

    def _list_wanted(self) -> bool:
        """The board stands for the list on Intake; elsewhere it folds where the window is narrow."""
        return self.task() != "Intake" and not self._folded.get("shots", self.width() < NARROW)

    def task(self) -> str:
        return TASKS[self.pages.currentIndex()]

    def _open_merged(self, path: Path) -> None:
        shot = next((s for s in self.shoot.shots if s.raw == path), None)
        if shot is not None:
            self.shots.select(shot)
            self.set_task("Develop")

    def _deliver(self, folder: Path, suffix: str, ticket: Ticket, every: bool) -> None:
        self.develop.save()
        shots = (
            [s for s in self.shoot.shots if not s.problem]
            if every
            else [s for s in (self.shoot.current,) if s is not None and not s.problem]
        )
        if not shots:
            self.say("There is no shot to deliver: choose one in the list.")
            return
        try:
            usable_folder(folder)
            wanted = []
            for shot in shots:
                edit = self.develop.edits.get(str(shot.main))
                recipe = edit.recipe if edit is not None else load_sidecar(shot.main)[0].recipe
                wanted.append(jobs.Job(shot.main, folder, shot.name + suffix, recipe, ticket))
            self.queue.add(*wanted)
        except BrutoError as error:
            self.say(str(error))

    # -- small things
    # ----------------------------------------------------------------------------------------------------

    def say(self, text: str) -> None:
        """Show a message in the status line, whole in its tooltip."""
        self.message.setText(text)
        self.message.setToolTip(plain_tooltip(text))

    def _status(self, pointer: str, timing: str, saved: str) -> None:
        for label, text in ((self.pointer, pointer), (self.timing, timing), (self.saved, saved)):
            if text:
                label.setText(text.strip())

    def _proof(self) -> None:
        if self.task() == "Develop" and self.develop.developer is not None:
            self.develop.next_proof()

    def _beside(self) -> None:
        if self.task() == "Develop" and self.develop.developer is not None:
            self.develop.reference.set_beside(not self.develop.stage.beside)

    def _frame_tool(self, name: str) -> None:
        """Turn a tool of the frame on or off, in Develop."""
        if self.task() == "Develop" and self.develop.developer is not None:
            self.develop.ledger.unfold("frame")
            getattr(self.develop.ledger.frame_part, name).toggle()

    def _with_edit(self, what: Callable[[Edit], Any]) -> None:
        if self.develop.edit is not None:
            what(self.develop.edit)

    def _toggle_zoom(self) -> None:
        page = self.pages.currentWidget()
        stage = getattr(page, "stage", None)
        if stage is not None:
            stage.set_one_to_one() if stage.fit else stage.set_fit()

    def _step(self, by: int) -> None:
        view = self.shots.view
        row = view.currentIndex().row() + by
        if 0 <= row < self.shots.model.rowCount():
            view.setCurrentIndex(self.shots.model.index(row))

    def _fold(self, part: str) -> None:
        widget = self.shots if part == "shots" else self.develop.strip
        self._folded[part] = not widget.isHidden()
        widget.setVisible(widget.isHidden())

    def toggle_theme(self) -> None:
        """Light by day, dim by night."""
        theme.use(theme.DIM if theme.current() is theme.LIGHT else theme.LIGHT)
        self.theme_button.setText("Light" if theme.current() is theme.DIM else "Dim")
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.setStyleSheet(theme.style_sheet(theme.current()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat() and self.task() == "Develop":
            self.develop.hold_before(True)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.develop.hold_before(False)
        else:
            super().keyReleaseEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.shots.setVisible(self._list_wanted())
        self.develop.strip.setVisible(not self._folded.get("strip", self.height() < LOW))

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow():
            self.develop.hold_before(False)
        super().changeEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths: list[str | Path] = [u.toLocalFile() for u in event.mimeData().urls() if u.isLocalFile()]
        if paths:
            self.open_paths(paths)

    def unfinished(self) -> list[str]:
        """What would be lost or cut short if the window was closed now, each in a sentence."""
        found = []
        waiting = len(self.queue.unfinished())
        if waiting:
            found.append(
                f"{waiting} {'delivery is' if waiting == 1 else 'deliveries are'} not finished: Deliver shows "
                f"{'it' if waiting == 1 else 'them'} again at the next start."
            )
        if self.merging.running:
            found.append("A merge is running: it is stopped and writes nothing.")
        if self.line.running:
            found.append(f"{self.line.title} is running: it is stopped; what is finished stays.")
        lost = [e for e in self.develop.edits.values() if e.not_saved]
        for edit in lost[:3]:
            found.append(f"Changes of {edit.path.name} are not saved and would be lost: {edit.not_saved}")
        if len(lost) > 3:
            found.append(f"So are changes of {len(lost) - 3} other shots.")
        return found

    def closeEvent(self, event: QCloseEvent) -> None:
        self.develop.save_all()
        left = self.unfinished()
        if left and not self.confirm("Close all the same?", "\n".join(left), "Close", "Stay"):
            event.ignore()
            return
        self.merging.stop()
        self.line.stop()
        if self.demo is not None:
            self.demo.stop()
        self.shoot.keep_cards()  # what could not be kept is learnt again from the files
        self.queue.close()
        self.gauge.close()
        self.worker.close()
        self.background.close()
        self.bulk.finish()
        super().closeEvent(event)
