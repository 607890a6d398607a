"""The main window: tasks in working order, the shots at the left, one page a task, the status line."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QChildEvent, QEvent, Qt, QTimer
from PySide6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QDialog,
    QLayout,
    QMainWindow,
    QMenu,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from bruto.app.command_menu import CommandMenu
from bruto.app.commands import OF_SHOTS, OF_STAGE, OF_STRIP
from bruto.app.dialogs import Dialogs
from bruto.app.main_thread import MainThreadCalls
from bruto.app.opener import Opener
from bruto.app.pages.pages import PAGES
from bruto.app.status_bar import StatusBar
from bruto.app.top_bar import TopBar
from bruto.app.widgets import theme
from bruto.app.widgets.build import across, fill
from bruto.app.widgets.question import ask_user
from bruto.app.widgets.shot_list import ShotList
from bruto.app.widgets.thumbnails import Thumbnails
from bruto.app.widgets.wheel_guard import WheelGuard
from bruto.app.window_keys import WindowKeys
from bruto.app.window_state import WindowState
from bruto.catalog import tr
from bruto.session.session import Session
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
        central = QWidget()
        column = QVBoxLayout(central)
        column.setSizeConstraint(QLayout.SizeConstraint.SetNoConstraint)  # small screens: parts fold instead
        self.setMinimumSize(960, 600)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.top = TopBar(self)
        row = across(gap=0)
        self.shots = ShotList(self.shoot)
        self.pages = QStackedWidget()
        fill(row, self.shots, (self.pages, 1))
        self.status_bar = StatusBar(self.session.tasks)
        self.line, self.message = self.status_bar.line, self.status_bar.message
        self.say, self.tell, self.status = self.status_bar.say, self.status_bar.tell, self.status_bar.status
        fill(column, self.top, (row, 1), self.status_bar.drawer, self.status_bar)
        for part in (self.top, self.shots, self.status_bar.drawer, self.status_bar):
            theme.Dress(part)
        self.setCentralWidget(central)
        self.commands = CommandMenu(self, self.top.menu_button)
        self.places, self.asking = WindowState(self), Dialogs(self)
        self.keys, self.opener = WindowKeys(self), Opener(self)
        self.open_paths, self.open_shoot = self.opener.paths, self.opener.shoot
        intake, develop = self.page(Task.INTAKE), self.page(Task.CORRECT)
        self.thumbs = Thumbnails(self.session.small, self.shots.model, intake.board.cards, self.say)
        self._connect(intake, develop)
        self.places.use()
        self.opener.offer_unfinished()
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
        self.page(Task.START).demo_wanted.connect(self.opener.demo_shoot)
        develop.pictured.connect(self.thumbs.developed)
        develop.outdated.connect(lambda shot: self.session.starting.again([shot]))
        self.session.starting.made.connect(self.thumbs.made)
        self.measuring.progress.connect(lambda text: self.status_bar.measured.setText(text))
        self.session.opened.shown.connect(self.status_bar.messages.clear)
        self.queue.problem.connect(lambda text: self._posted.post(partial(self.say, text)))
        self._watching = QTimer(self)
        self._watching.setInterval(WATCH_EVERY_MS)
        self._watching.timeout.connect(self.measuring.look)
        self._watching.start()

    # -- pages

    def childEvent(self, event: QChildEvent) -> None:
        """Dress menus and dialogs of the window before they are seen for the first time."""
        child = event.child()
        if event.polished() and isinstance(child, (QDialog, QMenu)):
            theme.Dress(child)
        super().childEvent(event)

    def page(self, task: Task) -> Any:
        """The page of a task, made when it is first wanted."""
        if task not in self._pages:
            made = self._pages[task] = next(p for p in PAGES if p.task == task).make(self)
            theme.Dress(made)
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

    def choose(self, shot: Shot) -> None:
        """Make a shot the current one, in the list too."""
        self.shots.select(shot)
        self.shoot.select(shot)

    def _chosen_on_board(self, shot: Shot) -> None:
        self.shoot.select(shot, keep=True)
        row = self.shots.view.row_of(shot)
        if row is not None:
            self.shots.view.make_current(row, announce=False)

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
        self.top.show_task(task)
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

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.shots.setVisible(self._list_wanted())
        self.correct.want_strip(not self.folded.get("strip", self.height() < LOW))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.keys.press(event):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not self.keys.release(event):
            super().keyReleaseEvent(event)

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

    def closeEvent(self, event: QCloseEvent) -> None:
        self.session.opened.save_all()
        left = self.session.would_be_lost()
        if left and not self.confirm(tr("Close anyway?"), "\n".join(left), tr("Close"), tr("Keep open")):
            event.ignore()
            return
        self._watching.stop()
        self.places.keep()
        if self.opener.demo is not None:
            self.opener.demo.stop()
        self.session.close()
        super().closeEvent(event)
