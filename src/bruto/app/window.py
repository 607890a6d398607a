"""The main window: tasks in working order, the shots at the left, one page a task, the status line."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QEvent, Qt, QTimer
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

from bruto.app.demo_day import DemoDay
from bruto.app.pages.pages import PAGES, all_commands
from bruto.app.posted import Posted
from bruto.app.widgets import theme
from bruto.app.widgets.card_dialog import CardDialog
from bruto.app.widgets.panel import surface
from bruto.app.widgets.plain import Label, plain_tooltip
from bruto.app.widgets.question import ask_user
from bruto.app.widgets.recipes_dialog import RecipesDialog
from bruto.app.widgets.shotlist import ShotList
from bruto.app.widgets.task_line import TaskLine
from bruto.app.widgets.thumbs import Thumbs
from bruto.errors import BrutoError
from bruto.session.session import Session
from bruto.session.unfinished import Merge, TakeIn
from bruto.shoot.shots import Shot
from bruto.shoot.watch import Changes
from bruto.storage.outputs import Outputs

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
        self._posted = Posted()
        self.session = Session(self._posted.post)
        self.shoot, self.gauge, self.queue = self.session.shoot, self.session.gauge, self.session.queue
        self.worker, self.background, self.writer = self.session.render, self.session.background, self.session.writer
        self._folded: dict[str, bool] = {}
        self._pages: dict[str, QWidget] = {}
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
        column.addWidget(self._status_bar())
        self.setCentralWidget(central)
        self._actions()
        intake, develop = self.page("Intake"), self.page("Develop")
        self.thumbs = Thumbs(self.session.render, self.shots.model, intake.board.cards, self.say)
        self._connect(intake, develop)
        self._offer_unfinished()
        self.set_task("Develop")
        develop.show_shot()

    def _connect(self, intake: Any, develop: Any) -> None:
        self.shots.chosen.connect(self.shoot.select)
        intake.board.chosen.connect(self.choose)
        self.session.message.connect(self.say)
        self.session.taking_in.connect(lambda share, text: self.line.show_progress(share, text))
        develop.pictured.connect(self.thumbs.developed)
        develop.outdated.connect(self.thumbs.outdated)
        self.gauge.progress.connect(lambda text: self.measured.setText(text))
        self.gauge.changed.connect(self._files_changed)
        self.gauge.arrived.connect(self._arrived)
        self.session.opened.shown.connect(lambda: self.message.setText(""))
        self.shoot.opened.connect(self._shoot_opened)
        self.queue.problem.connect(lambda text: self._posted.post(partial(self.say, text)))
        self._watching = QTimer(self)
        self._watching.setInterval(WATCH_EVERY_MS)
        self._watching.timeout.connect(self.gauge.look)
        self._watching.start()

    def _offer_unfinished(self) -> None:
        """What earlier windows did not finish."""
        left = self.queue.restore()
        if left:
            self.say(f"{left} deliveries were not finished last time; Deliver shows them, and goes on with them.")
        for work in self.session.unfinished.left():
            self.line.offer(work.text, partial(self._go_on, work))

    def _go_on(self, work: TakeIn | Merge) -> None:
        if isinstance(work, TakeIn):
            self.open_paths([work.folder])
            self.take_in_from(work.source)
            return
        self.open_paths([work.output.parent])
        files = list(work.files)
        try:
            target = Outputs(files).in_folder(work.output.parent, work.output.name)
            self.session.merging.start(files, work.method, target)
        except BrutoError as error:
            self.say(str(error))

    # -- pages

    def page(self, title: str) -> Any:
        """The page of a task, made when it is first wanted."""
        if title not in self._pages:
            made = self._pages[title] = next(p for p in PAGES if p.title == title).make(self)
            self.pages.addWidget(made)
        return self._pages[title]

    intake: Any = property(lambda self: self.page("Intake"))
    develop: Any = property(lambda self: self.page("Develop"))
    compare: Any = property(lambda self: self.page("Compare"))
    merge: Any = property(lambda self: self.page("Merge"))
    deliver: Any = property(lambda self: self.page("Deliver"))

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
        self.task_buttons: dict[str, QPushButton] = {}
        for page in PAGES:
            if not page.in_bar:
                continue
            button = QPushButton(page.title)
            button.setObjectName("task")
            button.setCheckable(True)
            button.setToolTip(f"{page.title} ({page.keys})")
            button.clicked.connect(lambda _, t=page.title: self.set_task(t))
            self.task_buttons[page.title] = button
            row.addWidget(button)
        row.addStretch(1)
        self.title = Label("")
        self.title.setObjectName("quiet")
        row.addWidget(self.title)
        row.addSpacing(8)
        self.list_button = QPushButton("Shots")
        self.list_button.setToolTip("Show or fold the list of shots (F9)")
        self.list_button.clicked.connect(lambda: self.fold("shots"))
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
        bar = surface("statusBar")
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
        """Menu and shortcuts, from the list of commands."""
        menu = QMenu(self)
        self.menu_button.setMenu(menu)
        self.actions_by_id: dict[str, QAction] = {}
        group = ""
        for command in all_commands():
            if group and command.group != group:
                menu.addSeparator()
            group = command.group
            action = QAction(command.title, self)
            if command.keys:
                action.setShortcut(QKeySequence(command.keys))
            action.triggered.connect(lambda _=False, c=command: c.act(self) if c.enabled(self) else None)
            menu.addAction(action)
            self.addAction(action)
            self.actions_by_id[command.id] = action
        menu.aboutToShow.connect(self._enable)
        menu.aboutToHide.connect(self._enable_all)

    def _enable(self) -> None:
        """While the menu is open it says what can be done now; a key asks when it is pressed."""
        for command in all_commands():
            self.actions_by_id[command.id].setEnabled(command.enabled(self))

    def _enable_all(self) -> None:
        for action in self.actions_by_id.values():
            action.setEnabled(True)

    # -- opening

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

    def choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Folder of shots", str(self.shoot.folder))
        if chosen:
            self.open_paths([chosen])

    def _shoot_opened(self) -> None:
        count = len(self.shoot.shots)
        self.title.setText(f"{self.shoot.title} · {count} shot{'s' if count != 1 else ''}")
        self.setWindowTitle(f"{self.shoot.title} – Bruto")
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

    def choose(self, shot: Shot) -> None:
        """Make a shot the current one, in the list too."""
        self.shots.select(shot)
        self.shoot.select(shot)

    def _files_changed(self, changes: Changes) -> None:
        self.thumbs.forget(changes.new)

    def _arrived(self, shot: Shot, count: int) -> None:
        if self.demo is not None and self.demo.shooting:
            return  # a whole day comes in: what is looked at stays
        if self.task() == "Intake":
            self.choose(shot)
        self.say(f"{count} new file{'s' if count > 1 else ''} in the folder.")

    # -- dialogs

    def show_recipes(self) -> RecipesDialog | None:
        """Kept recipes, and this shot's values for other shots."""
        edit = self.session.opened.edit
        if edit is None:
            self.say("Choose a shot first.")
            return None
        dialog = RecipesDialog(edit.recipe, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.wanted.connect(self.session.use_recipe)
        dialog.show()
        return dialog

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

    def take_in(self) -> None:
        """Ask for a phone or card and take its files in."""
        chosen = QFileDialog.getExistingDirectory(self, "Phone or card to take files from")
        if chosen:
            self.take_in_from(Path(chosen))

    def take_in_from(self, source: Path) -> None:
        """Copy what is new from a phone or card into the open folder, verified."""
        stop = self.session.take_in_from(source, self.line.ended(self.say))
        if stop is not None:
            self.line.begin("Taking in", stop)

    # -- tasks

    def set_task(self, title: str) -> None:
        """Turn to a task."""
        page = self.page(title)
        for name, button in self.task_buttons.items():
            button.setChecked(name == title)
        self.pages.setCurrentWidget(page)
        self.shots.setVisible(self._list_wanted())
        turned_to = getattr(page, "turned_to", None)
        if turned_to is not None:
            turned_to()

    def _list_wanted(self) -> bool:
        """The board stands for the list on Intake; elsewhere it folds where the window is narrow."""
        page = next(p for p in PAGES if p.title == self.task())
        return page.with_shots and not self._folded.get("shots", self.width() < NARROW)

    def task(self) -> str:
        """The task that is shown."""
        current = self.pages.currentWidget()
        return next((title for title, page in self._pages.items() if page is current), PAGES[0].title)

    # -- small things

    def say(self, text: str) -> None:
        """Show a message in the status line, whole in its tooltip."""
        self.message.setText(text)
        self.message.setToolTip(plain_tooltip(text))

    def status(self, pointer: str, timing: str, saved: str) -> None:
        for label, text in ((self.pointer, pointer), (self.timing, timing), (self.saved, saved)):
            if text:
                label.setText(text.strip())

    def step(self, by: int) -> None:
        """The shot that many places further on in the list."""
        view = self.shots.view
        row = view.currentIndex().row() + by
        if 0 <= row < self.shots.model.rowCount():
            view.setCurrentIndex(self.shots.model.index(row))

    def fold(self, part: str) -> None:
        """Fold or show the list of shots, or the light strip."""
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
        found = self.session.would_be_lost()
        if self.line.running:
            found.append(f"{self.line.title} is running: it is stopped; what is finished stays.")
        return found

    def closeEvent(self, event: QCloseEvent) -> None:
        self.session.opened.save_all()
        left = self.unfinished()
        if left and not self.confirm("Close all the same?", "\n".join(left), "Close", "Stay"):
            event.ignore()
            return
        self._watching.stop()
        self.line.stop()
        if self.demo is not None:
            self.demo.stop()
        self.session.close()
        super().closeEvent(event)
