"""Two to four shots side by side at the same place and size, to choose the best take of them."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QGridLayout, QWidget

from bruto.app.host import Host
from bruto.app.stage.shot_stage import ShotStage
from bruto.app.stage.stage import Stage
from bruto.app.stage.stage_bar import StageBar
from bruto.app.stage.verdict_buttons import VerdictRow
from bruto.app.widgets.build import down, fill
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.session.takes import same_scene
from bruto.shoot.shots import Shot

MOST = 4
"""Shots side by side."""


BAR = 36
"""Height of what stands above each picture, pixels."""
WORTH_TURNING = 1.1
"""How much larger pictures must be in fewer columns to lie so: lines are easier to compare beside each other."""


def columns_for(sizes: Sequence[tuple[int, int]], width: int, height: int) -> int:
    """In how many columns pictures of these sizes (width, height) are largest in an area.

    >>> columns_for([(4000, 3000)] * 2, 1000, 700), columns_for([(3000, 4000)] * 2, 1000, 700)
    (2, 2)
    >>> columns_for([(4000, 1800)] * 2, 1000, 900), columns_for([(4000, 3000)] * 4, 1200, 800)
    (1, 2)
    """
    best, largest = max(1, len(sizes)), 0.0
    for columns in range(len(sizes), 0, -1):
        rows = -(-len(sizes) // columns)
        free = width / columns, max(height / rows - BAR, 1.0)
        scale = min(min(free[0] / w, free[1] / h) for w, h in sizes)
        if scale > largest * (WORTH_TURNING if largest else 1.0):
            best, largest = columns, scale
    return best


class Pane(QWidget):
    """One shot: its name, how much fine detail it has, its verdict, and the picture."""

    def __init__(self, page: SideBySidePage, number: int) -> None:
        super().__init__()
        self.page = page
        column = down(self, margins=0, gap=0)
        bar = StageBar("")
        self.name, self.facts = bar.tag, bar.facts
        self.verdict = VerdictRow(self._judge)
        bar.add_widget(self.verdict)
        self.stage = ShotStage(page.session, f"side by side {number}", 40 + number)
        self.stage.view_changed.connect(lambda: page.follow(self))
        self.stage.opened.connect(self._opened)
        fill(column, bar, (self.stage, 1))

    def show_shot(self, shot: Shot) -> None:
        """Another shot."""
        self.name.setText(shot.name)
        self.stage.show_shot(shot)
        self.show_verdict()

    def show_verdict(self) -> None:
        """The verdict that the shot has."""
        shot = self.stage.shot
        if shot is not None:
            self.verdict.show_verdict(self.page.shoot.verdicts.get(str(shot.main), ""), shot.name)

    def _judge(self, verdict: str) -> None:
        if self.stage.shot is not None:
            self.page.session.judge(verdict, [self.stage.shot])
        self.show_verdict()

    def _opened(self) -> None:
        self.page.follow(self.page.leader or self)
        self.stage.ask()


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
        for pane, shot in zip(self.shown, wanted, strict=True):
            pane.show_shot(shot)
        self._lay_out()
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

    def _lay_out(self) -> None:
        """Lay the panes in as many columns as show the pictures largest."""
        sizes = [p.stage.shot.seen.oriented_size for p in self.shown if p.stage.shot and p.stage.shot.seen]
        columns = columns_for(sizes, self.width(), self.height() - self.hint.sizeHint().height())
        for k, pane in enumerate(self.shown):
            self.grid.addWidget(pane, k // columns, k % columns)
            pane.show()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._lay_out()

    def _rank(self, shots: list[Shot]) -> None:
        """Fine detail of each, against the one that has most of those that show the same scene."""
        reports = self.shoot.reports
        scene = same_scene(self.shoot, shots) if shots else []
        found = {str(s.main): reports[str(s.main)].sharpest for s in scene if str(s.main) in reports}
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
            other.stage.ask()
        self._following = False
