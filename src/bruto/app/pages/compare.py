"""Compare: any two pictures on equal terms, seen and measured, and the phone's look on demand."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QPushButton,
    QStackedWidget,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.pages.compare_grid import GridPart
from bruto.app.pages.compare_panel import ComparePanel
from bruto.app.pages.wells_bar import WellsBar
from bruto.app.pdf import print_html
from bruto.app.stage.compare_stage import ON_STAGE, CompareMode, CompareStage
from bruto.app.stage.regions_view import RegionsView
from bruto.app.stage.stage_bar import StageBar
from bruto.app.stage.sweep_view import SweepView
from bruto.app.stage.viewport_widget import ViewportWidget
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.panel import surface
from bruto.app.widgets.plain_text import Label
from bruto.app.widgets.push_row import PushRow
from bruto.catalog import tr
from bruto.compare.metrics import Aligned
from bruto.develop.recipe import Recipe
from bruto.session.compared_pair import ComparedPair

REGIONS, SWEEP, GRID = CompareMode.REGIONS, CompareMode.SWEEP, CompareMode.GRID
TITLES = {
    REGIONS: tr("Regions"),
    CompareMode.SIDE_BY_SIDE: tr("Beside"),
    CompareMode.CURTAIN: tr("Curtain"),
    CompareMode.ALTERNATE: tr("Alternate"),
    CompareMode.DIFFERENCE: tr("Difference"),
    SWEEP: tr("Sweep"),
    GRID: tr("Grid"),
}
TIPS = {
    REGIONS: tr("The regions where the two differ most, at 1:1"),
    SWEEP: tr("What survives of both under a push of 0 to 4 EV"),
    GRID: tr("Up to nine at once: the selected shots or versions of this one, with their settings"),
    CompareMode.SIDE_BY_SIDE: tr("Both at the same place and size"),
    CompareMode.CURTAIN: tr(
        "The first left of a line, the second right of it. Turn the line at its ends or with [ and ]."
    ),
    CompareMode.ALTERNATE: tr("One after the other. + and − change the pace, Space switches."),
    CompareMode.DIFFERENCE: tr("Where and by how much the colours differ"),
}
EQUAL_SIZE = tr("Both at equal size, the second aligned to the first.")


def equal_text(found: ComparedPair) -> str:
    """How far the second was pushed to be as bright as the first, in words; "" where it was not."""
    if not found.equal_ev:
        return ""
    return tr("The second is shown at {equal_ev:+.2f} EV for equal brightness.", equal_ev=found.equal_ev).replace(
        "-", "−"
    )


class ComparePage(QWidget):
    """Two wells, the stage with its bar, the push, and the panel."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host = host
        self.comparing = host.session.comparing
        layout = across(self, margins=0, gap=0)
        middle = down(gap=0)
        self.wells_bar = WellsBar(self.comparing)
        self.wells, self.swap = self.wells_bar.wells, self.wells_bar.swap
        self.grid = GridPart(host)
        self.grid.chosen.connect(self._beside)
        self.equal = build(
            QCheckBox,
            tr("Equal brightness"),
            toolTip=tr("Push the second to the brightness of the first and say by how much"),
            toggled=self._equal,
        )
        fill(self.wells_bar.row, (self.grid.choice, 1), self.equal)
        middle.addWidget(self.wells_bar)
        bar = self.stage_bar = StageBar("COMPARE")
        self.tag, self.residual = bar.tag, bar.facts
        self.stage = CompareStage()
        self.places = RegionsView()
        self.buttons: dict[CompareMode, QPushButton] = {}
        for k, mode in enumerate((REGIONS, *ON_STAGE, SWEEP, GRID)):
            button = bar.add(TITLES[mode], TIPS[mode], left=True, checkable=True, shortcut=f"Alt+{k + 1}")
            button.clicked.connect(lambda _, m=mode: self.set_mode(m))
            self.buttons[mode] = button
        self.blind = bar.add(
            tr("Blind"), tr("Hide the names, choose the better picture, then see which it was"), checkable=True
        )
        self.blind.clicked.connect(lambda on: self.comparing.hide_names(bool(on)))
        bar.add(tr("Fit"), tr("Whole picture (F2)")).clicked.connect(self._fit)
        bar.add("1:1", tr("One pixel of the first per screen pixel (F2)")).clicked.connect(self._one_to_one)
        self.views = QStackedWidget()
        self.sweep = SweepView()
        fill(self.views, self.places, self.stage, self.sweep, self.grid)
        self.push = PushRow()
        self.push.changed.connect(self._pushed)
        fill(middle, bar, self._asking(), (self.views, 1), self.push)
        self.panel = ComparePanel(host)
        self.panel.page_wanted.connect(self._save_page)
        self.panel.shoot_page_wanted.connect(self._save_shoot_page)
        fill(layout, (middle, 1), self.panel)
        self.set_mode(REGIONS)
        self.stage.view_changed.connect(self._ask_piece)
        self.stage.pinned.connect(self._pin)
        self.places.chosen.connect(self._look_at)
        self.places.unwanted.connect(self.comparing.regions.unpin)
        self.comparing.changed.connect(self._show)
        self.comparing.aligned_made.connect(self._aligned)
        self.comparing.first_made.connect(self.stage.set_first)
        self.comparing.piece_made.connect(self.stage.set_pieces)
        self.comparing.swept.connect(self.sweep.add)
        self.comparing.difference_made.connect(self.stage.set_difference)
        self.comparing.regions.place_made.connect(self.places.set_pair)
        host.session.opened.shown.connect(self._shot_changed)
        host.session.opened.decoded.connect(self._shot_changed)
        host.session.opened.edited.connect(lambda *_: self._shot_changed())
        host.session.shoot.selection_changed.connect(self.wells_bar.fill)

    def _equal(self, on: bool) -> None:
        self.comparing.set_equal(on)
        self.grid.turned_to(self.mode == GRID)

    def _pushed(self, push: Recipe) -> None:
        self.comparing.set_push(push)
        self.grid.turned_to(self.mode == GRID)

    def _pin(self, x: float, y: float) -> None:
        self.comparing.regions.pin(x, y)
        if self.comparing.regions.pins and self.comparing.regions.pins[-1] == (x, y):
            self.host.session.notice.emit(tr("Added to the regions (Alt+1), at 1:1. Press Delete there to remove it."))

    def _asking(self) -> QWidget:
        """Which is better, while names are hidden."""
        self.asking = surface("bar")
        row = across(self.asking, margins=(12, 4, 12, 4))
        row.addWidget(Label(tr("Which one is better?")))
        self.answers: dict[str, QPushButton] = {}
        for text, which in (("A", 0), ("B", 1), (tr("No difference"), None)):
            button = self.answers[text] = build(
                QPushButton,
                text,
                clicked=lambda _=False, w=which: self.host.session.notice.emit(self.comparing.prefer(w)),
            )
            row.addWidget(button)
        row.addStretch(1)
        self.asking.hide()
        return self.asking

    def set_mode(self, mode: CompareMode) -> None:
        """Places, or one of the stage's modes."""
        for name, button in self.buttons.items():
            button.setChecked(name == mode)
        self.wells_bar.show_wells(mode != GRID)  # the grid has its own choice
        self.grid.choice.setVisible(mode == GRID)
        self._fit_bar()
        self.views.setCurrentIndex({REGIONS: 0, SWEEP: 2, GRID: 3}.get(mode, 1))
        self.grid.turned_to(mode == GRID)
        if mode == SWEEP:
            self._begin_sweep()
        elif mode not in (REGIONS, GRID):
            self.stage.set_mode(mode)

    def _fit_bar(self) -> None:
        """What the bar tells of both gives way to its buttons where there is little room, and in the grid."""
        self.stage_bar.tag_wanted = self.mode != GRID
        self.stage_bar.fit_tag()
        self.residual.setVisible(self.mode != GRID)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_bar()

    def _begin_sweep(self) -> None:
        found = self.comparing.state
        names = (tr("first"), tr("second")) if isinstance(found, str) else found.titles
        self.sweep.begin(names, found if isinstance(found, str) else "")
        self.comparing.sweep()

    @property
    def mode(self) -> CompareMode:
        """What is shown."""
        return next(name for name, button in self.buttons.items() if button.isChecked())

    def _fit(self) -> None:
        self._on_stage()
        self._seen().set_fit()

    def _one_to_one(self) -> None:
        self._on_stage()
        self._seen().set_one_to_one()

    def _seen(self) -> ViewportWidget:
        return self.grid.view if self.mode == GRID else self.stage

    def _beside(self, kind: str, name: str) -> None:
        """One of the grid beside the shown shot."""
        self.comparing.choose(1, kind, name)
        self.set_mode(CompareMode.SIDE_BY_SIDE)

    def _on_stage(self) -> None:
        if self.mode in (REGIONS, SWEEP):
            self.set_mode(CompareMode.CURTAIN)

    def _look_at(self, k: int) -> None:
        """A place on the stage, at 1:1."""
        found = self.comparing.state
        if isinstance(found, str) or k >= len(found.places):
            return
        self._on_stage()
        place = found.places[k]
        self.stage.set_one_to_one()
        self.stage.viewport.centre = (place.x * found.first.size[0], place.y * found.first.size[1])
        self.stage.view_changed.emit()
        self.stage.update()

    def _ask_name(self, title: str, name: str) -> Path | None:
        """Ask for the name of a report."""
        start = str(self.host.session.shoot.folder / f"{name}.html")
        kinds = tr("Web page (*.html);;PDF (*.pdf);;Numbers (*.csv)")
        chosen, _ = QFileDialog.getSaveFileName(self, title, start, kinds)
        return Path(chosen) if chosen else None

    def _save_page(self) -> None:
        """Ask for a name, and write the page behind the window."""
        session = self.host.session
        name = session.opened.shot.name if session.opened.shot else "compare"
        if path := self._ask_name(tr("Report on this comparison"), name):
            session.reports.write_pair(path, print_html)

    def _save_shoot_page(self) -> None:
        """Ask for a name, and write a page about all pairs behind the window."""
        session = self.host.session
        if path := self._ask_name(tr("Report on all raws and their pictures"), session.shoot.title or "shoot"):
            session.reports.write_shoot(path, print_html)

    def turned_to(self) -> None:
        """The task was chosen: compare the shot as it is developed now."""
        self.comparing.show()
        self.wells_bar.fill()
        self.grid.turned_to(self.mode == GRID)
        self.panel.look.refresh()

    def _shot_changed(self) -> None:
        if self.isVisible():
            self.turned_to()

    def _show(self) -> None:
        """What there is for the shot, or why there is none."""
        found = self.comparing.state
        hidden = self.comparing.blind.exchanged is not None and not isinstance(found, str)
        self.blind.setChecked(hidden)
        self.asking.setVisible(hidden)
        self.panel.setVisible(not hidden)
        self.wells_bar.setVisible(not hidden)
        if hidden and self.mode not in (CompareMode.SIDE_BY_SIDE, CompareMode.CURTAIN, CompareMode.ALTERNATE):
            self.set_mode(CompareMode.SIDE_BY_SIDE)
        for mode in (REGIONS, CompareMode.DIFFERENCE, SWEEP, GRID):
            self.buttons[mode].setEnabled(not hidden)
        self.stage.exchanged = bool(self.comparing.blind.exchanged)
        self.wells_bar.fill()
        self.panel.look.refresh()
        if isinstance(found, str):
            self.tag.setText(tr("COMPARE"))
            self.residual.setText("")
            self.stage.message = self.places.message = found
            self.stage.set_comparison(None)
            self.places.show_places((), ("", ""))
            self.panel.set_comparison(None, "")
            return
        c = found.comparison
        self.tag.setText(tr("ALIGNED"))
        self.residual.setText(tr("±{model_px:.2f} px", model_px=max(c.alignment.model_px, 0.05)))
        self.tag.setToolTip(tr("{tracks} places tracked; remaining error of the alignment", tracks=c.alignment.tracks))
        self.stage.set_comparison(c, found.first.size, self.comparing.shown_names())
        self.places.message = tr("The two look alike: no region stands out.")
        self.places.show_places(found.places, found.titles)
        if self.mode == REGIONS:
            self.views.setCurrentIndex(0)
        self.panel.set_comparison(
            c, " ".join(filter(None, (found.worth or EQUAL_SIZE, equal_text(found), self.comparing.tally_text()))),
            names=found.titles,
        )  # fmt: skip
        self._ask_piece()
        if self.mode == SWEEP:
            self._begin_sweep()

    def _aligned(self, pair: Aligned, size: tuple[int, int], names: tuple[str, str]) -> None:
        """Both lie on each other: the curtain shows them at once, places and numbers follow."""
        self.tag.setText(tr("ALIGNED"))
        if self.comparing.blind.exchanged is None:
            self.stage.set_aligned(pair, size, names)
            if self.mode == REGIONS:
                self.views.setCurrentIndex(1)

    def _ask_piece(self) -> None:
        self.comparing.piece(self.stage.wanted_piece())
