"""What the Merge page shows of a set: a frame, what a merge holds so far, and one frame against the result."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtWidgets import QPushButton, QStackedWidget, QWidget

from bruto.app.pages.merge_border import BorderPanel
from bruto.app.stage.compare_stage import CompareMode, CompareStage
from bruto.app.stage.regions_view import RegionsView
from bruto.app.stage.stage import Stage
from bruto.app.stage.stage_bar import StageBar
from bruto.app.stage.viewport_widget import ViewportWidget
from bruto.app.widgets.build import down
from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.session.merge_jobs import LiveView, MergeView
from bruto.shoot.shots import Shot, oriented_preview

FRAME, CURTAIN, REGIONS, BORDER = "", "curtain", "regions", "border"
TITLES = {CURTAIN: tr("Curtain"), REGIONS: tr("Regions"), BORDER: tr("Border")}
ORDER = (FRAME, CURTAIN, REGIONS, BORDER)
RESULT = tr("MERGED, developed")
TIPS = {
    CURTAIN: tr("One frame left of a line, the result right of it. Turn the line at its ends or with [ and ]."),
    REGIONS: tr("Where one frame and the result differ most, at 1:1"),
    BORDER: tr("Where sky and ground meet; correct it with a brush"),
}


class MergeViews(QWidget):
    """A bar, and one of its views: `stage` of a frame, `curtain`, `places`, and the stage of the `border`'s brush,
    whose panel stands at the side of the page.
    """

    def __init__(self) -> None:
        super().__init__()
        column = down(self, margins=0, gap=0)
        bar = StageBar("MERGE")
        self.tag, self.which = bar.tag, bar.facts
        self.buttons: dict[str, QPushButton] = {}
        for name, tip in TIPS.items():
            button = bar.add(TITLES[name], tip, left=True, checkable=True)
            button.clicked.connect(lambda _=False, n=name: self._turn(n))
            button.setEnabled(False)
            self.buttons[name] = button
        fit = bar.add(tr("Fit"), tr("Whole picture (F2)"))
        one = bar.add("1:1", tr("One raw pixel per screen pixel (F2)"))
        column.addWidget(bar)
        self.stage, self.curtain, self.places = Stage(), CompareStage(), RegionsView()
        self.border = BorderPanel()
        self.curtain.set_mode(CompareMode.CURTAIN)
        self.stack = QStackedWidget()
        for view in (self.stage, self.curtain, self.places, self.border.stage):
            self.stack.addWidget(view)
        fit.clicked.connect(lambda: self.zoomed().set_fit())
        one.clicked.connect(lambda: self.zoomed().set_one_to_one())
        self.places.chosen.connect(self._look_at)
        column.addWidget(self.stack, 1)
        self._live = False

    @property
    def view(self) -> str:
        """The view that is shown."""
        return ORDER[self.stack.currentIndex()]

    def _turn(self, name: str) -> None:
        """A button of the bar: pressed again while a merge runs, it turns back to what that holds."""
        self.set_view(FRAME if self._live and self.view == name else name)

    def set_view(self, name: str) -> None:
        """Show a view; "" for a frame, or what a merge holds so far."""
        for key, button in self.buttons.items():
            button.setChecked(key == name)
        self.stack.setCurrentIndex(ORDER.index(name))
        self.border.setVisible(name == BORDER)
        if name != FRAME:
            self.tag.setText(RESULT)

    def zoomed(self) -> ViewportWidget:
        """What is zoomed: from the places one goes to the curtain."""
        if self.view == REGIONS:
            self.set_view(CURTAIN)
        return {CURTAIN: self.curtain, BORDER: self.border.stage}.get(self.view, self.stage)

    def _look_at(self, k: int) -> None:
        """A place under the curtain, at 1:1."""
        place = self.places.places[k]
        self.set_view(CURTAIN)
        self.curtain.set_one_to_one()
        w, h = self.curtain.viewport.frame
        self.curtain.viewport.centre = (place.x * w, place.y * h)
        self.curtain.update()

    def show_nothing(self, message: str) -> None:
        """No picture, and why."""
        self.stage.set_frame(0, 0)
        self.stage.message, self.stage.base = message, None
        for button in self.buttons.values():
            button.setEnabled(False)
        self.buttons[BORDER].hide()
        self.set_view(FRAME)
        self.tag.setText(tr("MERGE"))

    def show_frame(self, picture: NDArray[np.uint8], size: tuple[int, int]) -> None:
        """The preview of the first frame, before there is a result."""
        self.show_nothing("")
        self.stage.set_frame(*size)
        self.stage.set_base(picture)
        self.tag.setText(tr("FRAME 1, preview"))

    def show_shot(self, shot: Shot) -> None:
        """The preview of a shot, where it has one."""
        try:
            picture = oriented_preview(shot)
        except BrutoError:
            self.show_nothing("")
            return
        assert shot.meta is not None
        self.show_frame(picture, shot.meta.oriented_size)

    def begin_live(self) -> None:
        """A merge begins, or has ended: its first picture turns to the stage."""
        self._live = False

    def show_live(self, look: LiveView) -> None:
        """What a running merge holds so far. Its first picture turns to the stage, later ones leave the user where he
        looks.
        """
        if not self._live:
            self.set_view(FRAME)
        if not self._live or self.stage.frame_size != look.size:
            self.stage.set_frame(*look.size)
        self._live = True
        self.stage.set_base(look.picture)
        if self.view == FRAME:
            some = "FRAME" if look.count == 1 else "FRAMES"
            self.tag.setText(
                tr("{count} {some} MERGED SO FAR", count=look.count, some=some)
                if look.summed
                else tr("FRAME {count}", count=look.count)
            )

    def show_look(self, look: MergeView) -> None:
        """A result developed beside one of its frames."""
        self.stage.set_frame(*look.size)
        self.stage.set_base(look.merged)
        self.curtain.set_pictures(look.one, look.merged, look.size, look.names)
        self.places.show_places(look.places, look.names)
        for k, pair in enumerate(look.pairs):
            self.places.set_pair(k, pair)
        self.border.show_look(look)
        there = {CURTAIN: True, REGIONS: bool(look.places), BORDER: look.border is not None}
        for name, button in self.buttons.items():
            button.setEnabled(there[name])
        self.buttons[BORDER].setVisible(there[BORDER])
        self.set_view(CURTAIN)
