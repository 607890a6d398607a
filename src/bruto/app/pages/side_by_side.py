"""Two to four shots side by side at the same place and size, to choose the best take of them."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QWidget

from bruto.app.host import Host
from bruto.app.stage.stage import Stage
from bruto.app.stage.stage_bar import StageBar
from bruto.app.stage.stage_feed import StageFeed, oriented
from bruto.app.stage.verdict_buttons import VerdictRow
from bruto.app.widgets.build import down, fill
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.develop.frame_geometry import geometry_of
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import open_source
from bruto.session.initial_edits import find_start
from bruto.shoot.shots import Shot

MOST = 4
"""Shots side by side."""


class Pane(QWidget):
    """One shot: its name, how much fine detail it has, its verdict, and the picture."""

    def __init__(self, page: SideBySidePage, number: int) -> None:
        super().__init__()
        self.page, render = page, page.session.render
        self.opening = render.channel(f"side by side {number}: file", 60 + number)
        self.shot: Shot | None = None
        self.developer: Developer | None = None
        self.recipe: Recipe | None = None
        """Its values; None: those of its suggestions, not known yet."""
        column = down(self, margins=0, gap=0)
        bar = StageBar("")
        self.name, self.facts = bar.tag, bar.facts
        self.verdict = VerdictRow(self._judge)
        bar.add_widget(self.verdict)
        self.stage = Stage()
        self.feed = StageFeed(render, f"side by side {number}", 40 + number, self.stage)
        self.stage.view_changed.connect(lambda: page.follow(self))
        fill(column, bar, (self.stage, 1))

    def show_shot(self, shot: Shot) -> None:
        """Another shot; its file is opened behind the window."""
        self.shot, self.developer = shot, None
        self.opening.turn_to(shot.main)
        self.feed.turn_to(shot.main)
        self.name.setText(shot.name)
        self.stage.message = tr("Reading…")
        self.recipe = self.page.session.opened.values()(shot.main)
        if shot.meta is not None:
            self.stage.set_frame(*shot.meta.oriented_size)
        self.show_verdict()
        self._open(shot)

    def show_verdict(self) -> None:
        """The verdict that the shot has."""
        if self.shot is not None:
            self.verdict.show_verdict(self.page.shoot.verdicts.get(str(self.shot.main), ""), self.shot.name)

    def _judge(self, verdict: str) -> None:
        if self.shot is not None:
            self.page.session.judge(verdict, [self.shot])
        self.show_verdict()

    def _open(self, shot: Shot) -> None:
        values, decoded = self.recipe, self.page.session.opened.opened(shot.main)

        def work() -> tuple[Developer, Recipe]:
            recipe = find_start(shot.main) if values is None else values
            return (decoded or Developer(open_source(shot.main))).asked(recipe), recipe

        def done(found: tuple[Developer, Recipe]) -> None:
            self.developer, self.recipe = found
            shown = geometry_of(self.developer.source.meta, self.recipe.effective())
            self.stage.message = ""
            self.stage.resize_frame(*shown.oriented_size)
            self.page.follow(self.page.leader or self)
            self.ask()

        self.opening.ask(shot.main, work, done, self._failed)

    def _failed(self, why: str) -> None:
        self.stage.message = why
        self.stage.update()

    def ask(self) -> None:
        """Have what is seen made."""
        developer, recipe = self.developer, self.recipe
        if self.shot is None or developer is None or recipe is None:
            return
        meta = developer.source.meta
        size = geometry_of(meta, recipe.effective()).size
        source = oriented(lambda factor, rect: developer.view(recipe, factor, rect), meta.orientation, size)
        self.feed.ask(self.shot.main, source, self._failed)


class SideBySidePage(QWidget):
    """Panes that show the same place of their shots."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.session, self.shoot = host, host.session, host.session.shoot
        self.leader: Pane | None = None
        self._following = False
        column = down(self, margins=0, gap=0)
        self.hint = Label("", objectName="quiet")
        self.hint.setContentsMargins(12, 6, 12, 6)
        self.grid = QGridLayout()
        self.grid.setSpacing(2)
        fill(column, self.hint, (self.grid, 1))
        self.panes = [Pane(self, k) for k in range(MOST)]
        self.shown: list[Pane] = []
        for pane in self.panes:
            pane.hide()
        self.shoot.judged.connect(lambda _: self._show_verdicts())
        self.shoot.selection_changed.connect(self._selected)

    @property
    def stage(self) -> Stage:
        """What the zoom commands act on; the others follow."""
        return (self.leader or (self.shown or self.panes)[0]).stage

    def _show_verdicts(self) -> None:
        for pane in self.shown:
            pane.show_verdict()

    def _selected(self) -> None:
        if self.isVisible():
            self.turned_to()

    def turned_to(self) -> None:
        """Show what is selected: two to four shots."""
        self.show_shots([s for s in self.shoot.selection if not s.problem])

    def show_shots(self, shots: list[Shot]) -> None:
        """Show the first four of these."""
        for pane in self.shown:
            self.grid.removeWidget(pane)
            pane.hide()
        self.leader = None
        wanted = shots[:MOST]
        self.shown = self.panes[: len(wanted)]
        columns = len(wanted) if len(wanted) < MOST else 2
        for k, (pane, shot) in enumerate(zip(self.shown, wanted, strict=True)):
            self.grid.addWidget(pane, k // columns, k % columns)
            pane.show()
            pane.show_shot(shot)
        self._rank(wanted)
        if len(wanted) < 2:
            self.hint.setText(tr("Select two to four shots (Ctrl+click) to see them side by side."))
        else:
            rest = (
                tr("; showing the first {MOST} of {shots_count}", MOST=MOST, shots_count=len(shots))
                if len(shots) > MOST
                else ""
            )
            self.hint.setText(
                tr("Zoom or drag one and the others follow. Give each a verdict above it{rest}.", rest=rest)
            )
        if self.shown:
            self.shown[0].stage.setFocus(Qt.FocusReason.OtherFocusReason)

    def _rank(self, shots: list[Shot]) -> None:
        """Fine detail of each, against the one that has most."""
        found = {
            str(s.main): self.shoot.reports[str(s.main)].sharpest for s in shots if str(s.main) in self.shoot.reports
        }
        most = max(found.values(), default=0.0)
        for pane, shot in zip(self.shown, shots, strict=True):
            mine = found.get(str(shot.main))
            if mine is None or not most:
                text = ""
            elif mine == most:
                text = tr("most fine detail") if len(found) > 1 else ""
            else:
                text = tr("{mine:.0f} % less fine detail", mine=100 * (1 - mine / most))
            pane.facts.setText(text)

    def follow(self, pane: Pane) -> None:
        """The others show the place of this one."""
        if self._following or pane not in self.shown:
            return
        self._following = True
        self.leader = pane
        lead = pane.stage.viewport
        w, h = lead.frame
        for other in self.shown:
            view = other.stage.viewport
            if other is not pane and w and view.frame[0]:
                view.fit = lead.fit
                if lead.fit:
                    view.set_fit()
                else:
                    view.zoom = lead.zoom * w / view.frame[0]
                    view.centre = (lead.centre[0] / w * view.frame[0], lead.centre[1] / h * view.frame[1])
                other.stage.update()
            other.ask()
        self._following = False

    def showing(self) -> list[Path]:
        """The files that are shown."""
        return [p.shot.main for p in self.shown if p.shot is not None]
