"""Intake: the shoot as a board, and the reading of one shot: what its raw really holds."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QActionGroup
from PySide6.QtWidgets import QMenu, QPushButton, QStackedWidget, QWidget

from bruto.app.host import Host
from bruto.app.pages.board import FILTERS, SORTS, Board
from bruto.app.pages.intake_menus import IntentMenu, PairMenu
from bruto.app.pages.page import ShotPage
from bruto.app.pages.shot_reading import Reading
from bruto.app.shot_facts import count_text
from bruto.app.stage.reading_viewer import ReadingViewer
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.file_tree import FileTree
from bruto.app.widgets.panel import surface
from bruto.app.widgets.plain_text import ElidedLabel, plain_tooltip
from bruto.catalog import tr, trn
from bruto.container.picture import read_picture
from bruto.develop.pipeline import Developer
from bruto.sensor.measurement import measure_picture
from bruto.sensor.report import PictureReport
from bruto.session.takes import best_of_set, best_of_similar
from bruto.shoot.shots import Shot
from bruto.shoot.storage_use import space_of, space_text
from bruto.tasks import Task

PANEL = 372


class IntakePage(ShotPage):
    """The board, and the reading of the shot that is shown."""

    def __init__(self, host: Host) -> None:
        super().__init__(host)
        self.shoot = self.session.shoot
        self._phone_report = self.session.render.channel("phone's report", 150)
        row = across(self, margins=0, gap=0)
        self.middle = QStackedWidget()
        self.large = QWidget()
        self._large_column = down(self.large, margins=0, gap=0)
        fill(self.middle, self._board_side(), self.large)
        fill(row, (self.middle, 1), self._panel())
        self.shoot.opened.connect(self._opened)
        self.shoot.measured.connect(self._measured)
        self.shoot.judged.connect(self._judged)
        self.opened.shown.connect(self.open_shot)
        self.opened.decoded.connect(self._decoded)

    # -- parts

    def _board_side(self) -> QWidget:
        side = surface("panel")
        column = down(side, margins=(10, 8, 4, 0), gap=6)
        head = across(gap=6)
        self.summary = ElidedLabel("", objectName="quiet")
        self.sort_button, self.only_button = QPushButton(tr("Sort: time taken")), QPushButton(tr("Show: all shots"))
        for button, choices, chosen in ((self.sort_button, SORTS, self._sort), (self.only_button, FILTERS, self._only)):
            button.setMenu(self._choices(choices, chosen))
            button.setMinimumWidth(142)
            head.addWidget(button)
        self.pair_button = build(QPushButton, tr("Pair with"), toolTip=tr("Change which picture belongs to this raw"))
        self.pair_menu = PairMenu(self.session, self)
        self.pair_button.setMenu(self.pair_menu)
        self.pair_button.setMinimumWidth(96)
        self.intent_button = build(
            QPushButton,
            tr("Intended"),
            toolTip=tr("What you intended to get from the phone; every shot is checked against it"),
        )
        self.intent_menu = IntentMenu(self.session, self)
        self.intent_menu.intent_changed.connect(self._intent_changed)
        self.intent_button.setMenu(self.intent_menu)
        self.intent_button.setMinimumWidth(118)
        self.take_button = build(
            QPushButton,
            tr("Import…"),
            toolTip=tr("Copy new files from a phone or card into this folder and verify them (Ctrl+T)"),
            clicked=self.host.asking.import_files,
        )
        fill(head, self.pair_button, self.intent_button, self.take_button, 1)
        self.board = Board(self.shoot)
        self.board.opened.connect(lambda _: self.set_large(True))
        fill(column, head, self.summary, (self.board, 1))
        return side

    def _choices(self, choices: dict[str, str], chosen: Callable[[str], None]) -> QMenu:
        menu = QMenu(self)
        group = QActionGroup(menu)
        for k, (key, text) in enumerate(choices.items()):
            action = menu.addAction(text)
            action.setData(key)
            action.setCheckable(True)
            action.setChecked(k == 0)
            group.addAction(action)
            action.triggered.connect(lambda _=False, v=key: chosen(v))
        return menu

    def _panel(self) -> QWidget:
        panel = surface("panel")
        panel.setFixedWidth(PANEL)
        column = down(panel, margins=0, gap=0)
        head = across(margins=(10, 8, 12, 6))
        self.name = ElidedLabel(tr("What this raw holds"), objectName="heading")
        develop = build(
            QPushButton,
            tr("Correct"),
            toolTip=tr("Open this shot in Correct"),
            clicked=lambda: self.host.set_task(Task.CORRECT),
        )
        fill(head, (self.name, 1), develop)
        column.addLayout(head)
        self.viewer = ReadingViewer(self.session, self)
        self.stage, self.tag, self.sweep = self.viewer.stage, self.viewer.tag, self.viewer.sweep
        self.clipped_button, self.large_button = self.viewer.clipped_button, self.viewer.large_button
        self._panel_column = column
        self.viewer.setFixedHeight(290)
        self.reading = Reading()
        fill(column, self.viewer, (self.reading, 1))
        self.viewer.changed.connect(self._show_reading)
        self.large_button.toggled.connect(self.set_large)
        self.reading.verdict.connect(self.judge)
        self.reading.noted.connect(self._noted)
        self.reading.gear_for_set.connect(self.session.note_gear)
        self.reading.tree_wanted.connect(self.show_tree)
        return panel

    # -- the board

    def _opened(self) -> None:
        self.board.refresh()
        self._tell_hidden()
        shots, sets = self.shoot.shots, [s for s in self.shoot.sets if s.kind != "single"]
        count = count_text(len(shots), len(sets))
        self.summary.setText(f"{count} · {space_text(space_of(shots))}" if shots else tr("No shots here yet."))
        self.summary.setToolTip(self.summary.text())

    def _measured(self, shot: Shot) -> None:
        self.board.cards.changed(shot)
        first = self.shoot.set_of(shot).shots[0]
        if first.main != shot.main:
            self.board.cards.changed(first)
        if self.shot is not None and (shot.main == self.shot.main or first is self.shoot.set_of(self.shot).shots[0]):
            self._show_reading()

    def _judged(self, shot: Shot) -> None:
        self.board.cards.changed(shot)
        if shot is self.shot:
            self._show_reading()

    def _sort(self, key: str) -> None:
        self.board.cards.sort_by = key
        self.sort_button.setText(
            tr("Sort: {split}", split=SORTS[key].split(",")[0].lower()) if key != "time" else tr("Sort: time taken")
        )
        self.board.refresh()

    def use_order(self, sort: str, only: str) -> None:
        """Sort and filter as they were left, where they are known."""
        for choices, key, chosen, button in (
            (SORTS, sort, self._sort, self.sort_button), (FILTERS, only, self._only, self.only_button),
        ):  # fmt: skip
            if key in choices:
                chosen(key)
                for action, name in zip(button.menu().actions(), choices, strict=True):
                    action.setChecked(name == key)

    def _only(self, key: str) -> None:
        self.board.cards.only = key
        self.board.refresh()
        self._tell_hidden()

    def _tell_hidden(self) -> None:
        """How many the filter leaves, and how many it hides."""
        cards = self.board.cards
        name = FILTERS[cards.only].split(":")[0].lower()
        if cards.only == "all":
            self.only_button.setText(tr("Show: {name}", name=name))
            self.only_button.setToolTip("")
            return
        shown = {str(s.main) for row in range(len(cards.rows)) for s in self.board.stands_for(row)}
        hidden = sum(str(s.main) not in shown for s in self.shoot.shots)
        self.only_button.setText(
            tr("Show: {name} {shown_count}, {hidden} hidden", name=name, shown_count=len(shown), hidden=hidden)
        )
        self.only_button.setToolTip(
            trn(
                "{hidden} shot is hidden. Choose “All shots” to see it.",
                "{hidden} shots are hidden. Choose “All shots” to see them.",
                hidden=hidden,
            )
        )

    def _intent_changed(self) -> None:
        self.board.refresh()
        self._show_reading()

    # -- one shot

    def open_shot(self) -> None:
        """Show the reading of the shot: what is known at once, the raw when it is decoded."""
        shot = self.shot
        self.viewer.open_shot()
        if shot is not None:
            self.board.select(shot)
        self._show_reading()

    def _decoded(self) -> None:
        """The shot's file is decoded."""
        shot, developer = self.shot, self.developer
        if shot is None or developer is None:
            return
        self.viewer.decoded()
        if developer.source.kind != "picture":
            self._measure_picture(shot, developer)

    def _measure_picture(self, shot: Shot, developer: Developer) -> None:
        """The phone's picture against the decoded raw, once a shot."""
        key, frame, path = str(shot.main), developer.source.frame, shot.picture
        if frame is None or path is None or key in self.shoot.picture_reports:
            return

        def done(found: PictureReport) -> None:
            self.shoot.picture_reports[key] = found
            if self.shot is not None and str(self.shot.main) == key:
                self._show_reading()

        self._phone_report.ask(key, lambda: measure_picture(frame, read_picture(path).pixels), done, self.say)

    def turned_to(self) -> None:
        """The task was chosen: show what may have waited, and let the keys act on the board."""
        self.viewer.show_view()
        self.board.setFocus()

    def _show_reading(self) -> None:
        shot = self.shot
        what = tr("what this raw holds") if shot is None or shot.raw else tr("a picture without a raw")
        self.name.setText(what.capitalize() if shot is None else f"{shot.name}: {what}")
        self.name.setToolTip(plain_tooltip(self.name.text()))
        report = self.shoot.reports.get(str(shot.main)) if shot is not None else None
        findings = self.shoot.findings(shot) if shot is not None else []
        ranks = best_of_set(self.shoot, shot) if shot is not None else []
        learnt = self.shoot.phones.viewfinder(shot) if shot is not None else None
        alike = best_of_similar(self.shoot, shot) if shot is not None else []
        phone = self.shoot.picture_reports.get(str(shot.main)) if shot is not None else None
        self.reading.show_report(
            shot,
            shot.meta if shot is not None else None,
            report,
            findings,
            ranks,
            learnt,
            alike,
            phone,
            self.viewer.view == "phone",
        )
        if report is not None:
            self.stage.shares = report.clipped_percent
            self.stage.update()
        if self.edit is not None and shot is not None:
            side = self.edit.sidecar
            in_set = self.shoot.set_of(shot).kind != "single"
            self.reading.show_words(side.verdict, side.note, side.gear, in_set)
        else:
            self.reading.show_words("", "", "")
        self.clipped_button.setEnabled(shot is not None and shot.raw is not None)

    # -- the picture

    @property
    def view(self) -> str:
        """What the shot is looked at as: "raw", "preview" or "phone"."""
        return self.viewer.view

    def flip(self) -> None:
        """The next of raw, preview and phone's picture, at the same place and size."""
        self.viewer.flip()

    def set_large(self, on: bool) -> None:
        """The picture in the board's room, or back in the panel."""
        if self.large_button.isChecked() != on:
            self.large_button.setChecked(on)
            return
        self.large_button.setText(tr("Board") if on else tr("Large"))
        if on:
            self.viewer.setMinimumHeight(0)
            self.viewer.setMaximumHeight(16777215)
            self._large_column.addWidget(self.viewer)
            self.middle.setCurrentIndex(1)
        else:
            self.viewer.setFixedHeight(290)
            self._panel_column.insertWidget(1, self.viewer)
            self.middle.setCurrentIndex(0)
            self.board.setFocus()
        self.stage.set_fit()

    # -- intents

    def judge(self, verdict: str) -> None:
        """A verdict on all that is selected; the one that all have is taken back."""
        self.session.judge(verdict)

    def _noted(self, note: str, gear: str) -> None:
        """What was typed of the shown shot holds for all that is selected."""
        if self.edit is None:
            return
        side = self.edit.sidecar
        changed = {k: v for k, v, now in (("note", note, side.note), ("gear", gear, side.gear)) if v != now}
        if changed:
            self.session.note(changed)

    def show_tree(self) -> FileTree | None:
        """Everything in the file, in a window of its own."""
        shot = self.shot
        if shot is None or shot.meta is None:
            return None
        tree = FileTree(shot.meta, shot.main, self)
        tree.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        tree.show()
        return tree
