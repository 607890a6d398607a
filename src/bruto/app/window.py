"""The main window: tasks in working order, the shots at the left, one page a task, the status line."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QEvent, Qt, QTimer
from PySide6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLayout,
    QMainWindow,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from bruto.app.command_menu import CommandMenu
from bruto.app.commands import OF_SHOTS, OF_STAGE, OF_STRIP
from bruto.app.demo_day import DEMO_TITLE, NIGHT_TITLE, DemoDay, demo_folder
from bruto.app.dialogs import Dialogs
from bruto.app.main_thread import MainThreadCalls
from bruto.app.pages.pages import PAGES
from bruto.app.widgets import theme
from bruto.app.widgets.command_search import CommandSearch
from bruto.app.widgets.messages import MessageDrawer, MessageLine
from bruto.app.widgets.panel import surface
from bruto.app.widgets.plain_text import ElidedLabel, Label
from bruto.app.widgets.question import ask_user
from bruto.app.widgets.shot_list import ShotList
from bruto.app.widgets.task_line import TaskLines
from bruto.app.widgets.thumbnails import Thumbnails
from bruto.app.widgets.wheel_guard import WheelGuard
from bruto.app.window_state import WindowState
from bruto.catalog import tr, trn
from bruto.errors import BrutoError
from bruto.output_planner import Outputs
from bruto.session.session import Session
from bruto.session.unfinished_jobs import ImportTask, MergeTask, unfinished_jobs
from bruto.shoot.folder_watch import Changes
from bruto.shoot.shots import Shot
from bruto.tasks import Task

NARROW = 1120
"""Window width under which the shot list folds, pixels."""
LOW = 720
"""Window height under which the light strip folds."""
WATCH_EVERY_MS = 1000
"""How often the folder is looked at for new files."""


class Window(QMainWindow):
    """The whole application in one window: the host of its pages and commands."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Bruto")
        self.setAcceptDrops(True)
        self.confirm = partial(ask_user, self)
        """Asks the user (question, text, yes, no); tests answer for him."""
        self._posted = MainThreadCalls()
        self.manners = WheelGuard(self)
        self.session = Session(self._posted.post)
        self.shoot, self.measuring, self.queue = self.session.shoot, self.session.measuring, self.session.queue
        self.worker, self.background, self.writer = self.session.render, self.session.background, self.session.writer
        self.folded: dict[str, bool] = {}
        self._pages: dict[Task, QWidget] = {}
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
        row.addWidget(self.pages, 1)
        column.addLayout(row, 1)
        status = self._status_bar()
        self.drawer = MessageDrawer(self.messages)
        self.messages.wanted.connect(self.drawer.toggle)
        column.addWidget(self.drawer)
        column.addWidget(status)
        self.setCentralWidget(central)
        self.commands = CommandMenu(self, self.menu_button)
        self.places, self.asking = WindowState(self), Dialogs(self)
        intake, develop = self.page(Task.INTAKE), self.page(Task.CORRECT)
        self.thumbs = Thumbnails(self.session.render, self.shots.model, intake.board.cards, self.say)
        self._connect(intake, develop)
        self.places.use()
        self._offer_unfinished()
        develop.show_shot()
        self.set_task(Task.START)

    def _connect(self, intake: Any, develop: Any) -> None:
        self.shots.chosen.connect(lambda shot: self.shoot.select(shot, keep=True))
        intake.board.chosen.connect(self._chosen_on_board)
        self.session.message.connect(self.say)
        self.session.notice.connect(self.tell)
        for view in (self.shots.view, intake.board):
            view.menu_wanted.connect(lambda place: self.commands.menu_of(OF_SHOTS, place))
        for widget, names in ((develop.stage, OF_STAGE), (develop.strip, OF_STRIP)):
            widget.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            widget.customContextMenuRequested.connect(
                lambda at, w=widget, n=names: self.commands.menu_of(n, w.mapToGlobal(at))
            )
        self.page(Task.START).demo_wanted.connect(self.open_demo)
        develop.pictured.connect(self.thumbs.developed)
        develop.outdated.connect(lambda shot: self.session.starting.again([shot]))
        self.session.starting.made.connect(self.thumbs.made)
        self.measuring.progress.connect(lambda text: self.measured.setText(text))
        self.measuring.changed.connect(self._files_changed)
        self.measuring.arrived.connect(self._arrived)
        self.session.opened.shown.connect(self.messages.clear)
        self.shoot.opened.connect(self._shoot_opened)
        self.queue.problem.connect(lambda text: self._posted.post(partial(self.say, text)))
        self._watching = QTimer(self)
        self._watching.setInterval(WATCH_EVERY_MS)
        self._watching.timeout.connect(self.measuring.look)
        self._watching.start()

    def _offer_unfinished(self) -> None:
        """What earlier windows did not finish."""
        left = self.queue.restore()
        if left:
            self.tell(
                trn(
                    "{left} export did not finish last time. Export lists it and continues.",
                    "{left} exports did not finish last time. Export lists them and continues.",
                    left=left,
                )
            )
        for work in unfinished_jobs():
            self.line.offer(work.text, partial(self._go_on, work))

    def _go_on(self, work: ImportTask | MergeTask) -> None:
        if isinstance(work, ImportTask):
            self.open_paths([work.folder])
            self.session.imports.start(work.source)
            return
        self.open_paths([work.output.parent])
        files = list(work.files)
        try:
            target = Outputs(files).in_folder(work.output.parent, work.output.name)
            self.session.merging.start(files, work.method, target, work.choices)
        except BrutoError as error:
            self.say(str(error))

    # -- pages

    def page(self, task: Task) -> Any:
        """The page of a task, made when it is first wanted."""
        if task not in self._pages:
            made = self._pages[task] = next(p for p in PAGES if p.task == task).make(self)
            self.pages.addWidget(made)
            self.manners.attach(made)
            if hasattr(self, "commands"):
                self.commands.name_keys(made)
        return self._pages[task]

    intake: Any = property(lambda self: self.page(Task.INTAKE))
    correct: Any = property(lambda self: self.page(Task.CORRECT))
    compare: Any = property(lambda self: self.page(Task.COMPARE))
    merge: Any = property(lambda self: self.page(Task.MERGE))
    export: Any = property(lambda self: self.page(Task.EXPORT))

    # -- parts

    def _top_bar(self) -> QWidget:
        bar = surface("bar")
        bar.setFixedHeight(42)
        row = QHBoxLayout(bar)
        row.setContentsMargins(14, 0, 10, 0)
        row.setSpacing(2)
        brand = Label("bruto")
        brand.setObjectName("brand")
        row.addWidget(brand)
        row.addSpacing(16)
        self.task_buttons: dict[Task, QPushButton] = {}
        for page in PAGES:
            if not page.in_bar:
                continue
            button = QPushButton(page.title)
            button.setObjectName("task")
            button.setCheckable(True)
            button.setToolTip(f"{page.title} ({page.keys})")
            button.clicked.connect(lambda _, t=page.task: self.set_task(t))
            self.task_buttons[page.task] = button
            row.addWidget(button)
        self.title = ElidedLabel("")
        self.title.setObjectName("quiet")
        self.title.setAlignment(Qt.AlignmentFlag.AlignRight)
        row.addWidget(self.title, 1)
        row.addSpacing(8)
        self.list_button = QPushButton(tr("Shots"))
        self.list_button.setToolTip(tr("Show or hide the shot list (F9)"))
        self.list_button.clicked.connect(lambda: self.fold("shots"))
        self.theme_button = QPushButton(tr("Dim"))
        self.theme_button.setToolTip(tr("Dim theme for the night, light theme for the day (Ctrl+D)"))
        self.theme_button.clicked.connect(self.toggle_theme)
        self.menu_button = QPushButton(tr("Menu"))
        self.menu_button.setMinimumWidth(76)
        for button in (self.list_button, self.theme_button, self.menu_button):
            row.addWidget(button)
            row.addSpacing(4)
        return bar

    def _status_bar(self) -> QWidget:
        bar = surface("statusBar")
        bar.setFixedHeight(30)
        row = QHBoxLayout(bar)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(18)
        self.pointer, self.timing, self.saved = Label(""), Label(""), Label("")
        self.messages = MessageLine()
        self.message = self.messages.text
        self.measured = Label("")
        self.line = TaskLines(self.session.tasks)
        row.addWidget(self.line)
        for label in (self.measured, self.timing, self.saved, self.pointer):
            label.setObjectName("quiet")
            row.addWidget(label)
        row.addWidget(self.messages, 1)
        return bar

    def keys_of(self, name: str) -> str:
        """The shortcut of a command, as the user has it."""
        return self.commands.keys_of(name)

    def set_keys(self, name: str, keys: str) -> str:
        """Give a command another shortcut; returns why that cannot be, or ""."""
        return self.commands.set_keys(name, keys)

    def find_command(self) -> CommandSearch:
        """The search for commands."""
        return self.commands.find()

    def show_messages(self) -> None:
        """The drawer of messages."""
        self.drawer.toggle()

    # -- opening

    def open_paths(self, paths: list[str | Path], title: str = "") -> bool:
        """Open folders or files; a problem becomes a message. Whether it was done."""
        self.places.note()
        try:
            self.shoot.open(paths, title)
        except BrutoError as error:
            self.say(str(error))
            return False
        if self.task() == Task.START:
            self.set_task(Task.CORRECT)
        return True

    def open_shoot(self, paths: list[str | Path], title: str = "") -> None:
        """Open a shoot and turn to where the user was in it: the first time to Intake, with one file to Correct."""
        known = self.places.recent([str(Path(p).absolute()) for p in paths])
        if not self.open_paths(paths, title or (known.title if known else "")):
            return
        task = Task(known.task) if known is not None and known.task in self.task_buttons else None
        whole = len(self.shoot.shots) != 1 or Path(paths[0]).is_dir()
        self.set_task(task or (Task.INTAKE if whole else Task.CORRECT))
        if known is not None:
            shot = next((s for s in self.shoot.shots if str(s.main.absolute()) == known.shot), None)
            if shot is not None:
                self.choose(shot)
            if known.close:
                self.correct.stage.set_one_to_one()
        self.places.note()

    def open_demo(self, night: bool = False) -> None:
        """The demo's day, or its night: made where it is not there yet, while the window watches."""
        folder = demo_folder(night)
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            self.say(tr("The demo folder cannot be created: {strerror}.", strerror=error.strerror or error))
            return
        self.open_shoot([folder], NIGHT_TITLE if night else DEMO_TITLE)
        self.shoot_demo(folder, night)
        if not self.shoot.shots:
            self.tell(tr("The simulated phone is taking its first shot. It appears here as soon as it is ready."))

    def shoot_demo(self, folder: Path, night: bool = False) -> None:
        """Let the simulated phone take what is missing of the demo's day or night, behind the window."""
        if self.demo is not None:
            self.demo.stop()
        self.demo = DemoDay(folder, self.session.tasks, night)
        self.demo.problem.connect(self.say)
        self.demo.start()

    def choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, tr("Folder of shots"), str(self.shoot.folder))
        if chosen:
            self.open_shoot([chosen])

    def _shoot_opened(self) -> None:
        count = len(self.shoot.shots)
        self.title.setText(
            trn("{title} · {count} shot", "{title} · {count} shots", count=count, title=self.shoot.title)
        )
        self.setWindowTitle(f"{self.shoot.title} – Bruto")
        self.thumbs.make(s for s in self.shoot.shots if not s.problem)
        self.measuring.follow()
        if self.shoot.current is None:
            if self.shoot.shots:
                self.shots.select(self.shoot.sets[0].shots[0])
            else:
                self.session.opened.turn_to(None)  # nothing reaches the shot of the folder before
                self.correct.stage.message = tr(
                    "{folder} holds no DNG files or pictures. Open another folder with Ctrl+O.",
                    folder=self.shoot.folder,
                )
                self.correct.stage.update()

    def choose(self, shot: Shot) -> None:
        """Make a shot the current one, in the list too."""
        self.shots.select(shot)
        self.shoot.select(shot)

    def _chosen_on_board(self, shot: Shot) -> None:
        self.shoot.select(shot, keep=True)
        row = self.shots.view.row_of(shot)
        if row is not None:
            self.shots.view.make_current(row, announce=False)

    def _files_changed(self, changes: Changes) -> None:
        self.thumbs.forget(changes.new)
        self.session.starting.forget(changes.new)

    def _arrived(self, shot: Shot, count: int) -> None:
        if self.demo is not None and self.demo.shooting:
            return  # a whole day comes in: what is looked at stays
        merged = shot.seen is not None and bool(shot.seen.merged)
        if self.task() == Task.INTAKE and not merged and len(self.shoot.selection) < 2:
            self.choose(shot)  # the test shot just taken; what was made here, and what is selected, stays as it is
        self.tell(trn("{count} new file in the folder.", "{count} new files in the folder.", count=count))

    # -- what is selected

    def select(self, what: str) -> None:
        """Select "all" shots that are listed, or the "set" of the current one."""
        current = self.shoot.current
        if what == "set" and current is not None:
            self.shoot.choose(list(self.shoot.set_of(current).shots))
        elif what == "all":
            view = self.intake.board if self.task() == Task.INTAKE else self.shots.view
            self.shoot.choose([s for row in range(len(view.cards.rows)) for s in view.stands_for(row)])

    # -- tasks

    def set_task(self, task: Task) -> None:
        """Turn to a task."""
        page = self.page(task)
        for name, button in self.task_buttons.items():
            button.setChecked(name == task)
        self.pages.setCurrentWidget(page)
        self.shots.setVisible(self._list_wanted())
        turned_to = getattr(page, "turned_to", None)
        if turned_to is not None:
            turned_to()

    def _list_wanted(self) -> bool:
        """The board stands for the list on Intake; elsewhere it folds where the window is narrow."""
        page = next(p for p in PAGES if p.task == self.task())
        return page.with_shots and not self.folded.get("shots", self.width() < NARROW)

    def task(self) -> Task:
        """The task that is shown."""
        current = self.pages.currentWidget()
        return next((task for task, page in self._pages.items() if page is current), PAGES[0].task)

    # -- small things

    def say(self, text: str) -> None:
        """Tell of a problem, in the status line and the drawer."""
        self.messages.show_message(text, good=False)

    def tell(self, text: str) -> None:
        """Tell good news; it goes by itself."""
        self.messages.show_message(text, good=True)

    def status(self, pointer: str, timing: str, saved: str) -> None:
        for label, text in ((self.pointer, pointer), (self.timing, timing), (self.saved, saved)):
            if text:
                label.setText(text.strip())

    def step(self, by: int) -> None:
        """The shot that many places further on: on the board as it is sorted, elsewhere in the list."""
        view = self.intake.board if self.task() == Task.INTAKE else self.shots.view
        row = view.currentIndex().row() + by
        if 0 <= row < view.cards.rowCount():
            view.setCurrentIndex(view.cards.index(row))

    def fold(self, part: str) -> None:
        """Fold or show the list of shots, or the light strip."""
        if part == "shots":
            self.folded[part] = not self.shots.isHidden()
            self.shots.setVisible(self._list_wanted())
            return
        self.folded[part] = self.correct.strip_wanted
        self.correct.want_strip(not self.folded[part])

    def toggle_theme(self) -> None:
        """Light by day, dim by night."""
        theme.use(theme.DIM if theme.current() is theme.LIGHT else theme.LIGHT)
        self.theme_button.setText(tr("Light") if theme.current() is theme.DIM else tr("Dim"))
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.setStyleSheet("")  # one sheet in place of another takes four times as long as none and then the other
        app.setPalette(theme.palette(theme.current()))
        app.setStyleSheet(theme.style_sheet(theme.current()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._is_hold_key(event) and self.task() == Task.CORRECT:
            self.correct.show_before(True)
        elif event.key() == Qt.Key.Key_Escape and self.leave():
            event.accept()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            focus = QApplication.focusWidget()
            if self.in_tool():
                self.correct.leave_tool()
            elif isinstance(focus, QPushButton):  # which only answers to Space by itself
                focus.click()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if self._is_hold_key(event):
            self.correct.show_before(False)
        else:
            super().keyReleaseEvent(event)

    def _is_hold_key(self, event: QKeyEvent) -> bool:
        return not event.isAutoRepeat() and event.keyCombination().toCombined() in self.commands.hold_keys

    def in_tool(self) -> bool:
        """Whether a tool is in use on the picture, which Return and Escape end."""
        return self.task() == Task.CORRECT and self.correct.in_tool()

    def leave(self) -> bool:
        """Escape: out of the tool in use, else close the drawer, else let the picture have the keys. Whether there was
        something to leave.
        """
        if self.task() == Task.CORRECT and self.correct.leave_tool():
            return True
        if self.drawer.isVisible():
            self.drawer.hide()
            return True
        stage = getattr(self.page(self.task()), "stage", None)
        if stage is not None and not stage.hasFocus():
            stage.setFocus()
            return True
        return False

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.shots.setVisible(self._list_wanted())
        self.correct.want_strip(not self.folded.get("strip", self.height() < LOW))

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow():
            self.correct.show_before(False)
        super().changeEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths: list[str | Path] = [u.toLocalFile() for u in event.mimeData().urls() if u.isLocalFile()]
        if paths:
            self.open_shoot(paths)

    def unfinished(self) -> list[str]:
        """What would be lost or cut short if the window was closed now, each in a sentence."""
        return self.session.would_be_lost()

    def closeEvent(self, event: QCloseEvent) -> None:
        self.session.opened.save_all()
        left = self.unfinished()
        if left and not self.confirm(tr("Close anyway?"), "\n".join(left), tr("Close"), tr("Keep open")):
            event.ignore()
            return
        self._watching.stop()
        self.places.keep()
        if self.demo is not None:
            self.demo.stop()
        self.session.close()
        super().closeEvent(event)
