"""A shot as its raw has it: raw, embedded preview or phone's picture on one stage, swept in light, clipping marked."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QSlider, QWidget

from bruto.app.stage.reading_stage import ReadingStage
from bruto.app.stage.stage_bar import StageBar
from bruto.app.stage.stage_feed import StageFeed, oriented
from bruto.app.widgets.build import across, down, fill
from bruto.app.widgets.panel import surface
from bruto.app.widgets.plain_text import Label
from bruto.catalog import sentences, tr
from bruto.container.orientation import orient
from bruto.container.picture import read_picture
from bruto.develop.linear_preview import plain_view
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.errors import BrutoError
from bruto.session.session import Session
from bruto.shoot.shots import Shot, oriented_preview

VIEWS = {"raw": tr("RAW, no look"), "preview": tr("EMBEDDED PREVIEW"), "phone": tr("PHONE'S PICTURE")}
MOST_SWEEP_EV = 6.0
_COUNT = np.array([bin(k).count("1") for k in range(256)], np.uint8)


class ReadingViewer(QWidget):
    """Shows the shot that is open. Emits `changed` when it is looked at as something else."""

    changed = Signal()

    def __init__(self, session: Session, page: QWidget) -> None:
        """`page`: nothing is developed while that is not visible."""
        super().__init__()
        self.session, self.opened, self.page, self.say = session, session.opened, page, session.say
        render = session.render
        self._counting, self._phone = render.channel("clipped places", 55), render.channel("phone's picture", 70)
        self.view = self._liked = "raw"
        self._pictures: dict[str, NDArray[np.uint8]] = {}
        viewer = down(self, margins=0, gap=0)
        bar = StageBar(tr("NOTHING OPEN"))
        self.tag = bar.tag
        self.clipped_button = bar.add(
            tr("Clipped"), tr("Mark clipped places: one channel, two, all (Shift+F4)"), checkable=True
        )
        self.flip_button = bar.add(
            tr("Next view"), tr("Raw, preview, phone's picture at the same place and size (Shift+F3)")
        )
        self.large_button = bar.add(
            tr("Large"), tr("Show the picture large instead of the board (Shift+F2)"), checkable=True
        )
        self.stage = ReadingStage()
        self.stage.setMinimumHeight(150)
        self._feed = StageFeed(render, "reading", 50, self.stage)
        sweep = surface("stageBar")
        line = across(sweep, margins=(10, 2, 10, 4))
        label = Label(tr("Sweep"), objectName="onStage")
        self.sweep = QSlider(Qt.Orientation.Horizontal)
        self.sweep.setRange(round(-MOST_SWEEP_EV * 12), round(MOST_SWEEP_EV * 12))
        self.sweep.setPageStep(12)
        self.sweep.setAccessibleName(tr("Sweep: exposure of the picture shown here, EV"))
        self.sweep.setToolTip(tr("Slide the brightness to see what the raw holds; nothing is changed"))
        self.sweep.valueChanged.connect(self._swept)
        self.sweep_text = Label(tr("0.0 EV"), objectName="onStage")
        self.sweep_text.setFixedWidth(58)
        self.sweep_text.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        fill(line, label, (self.sweep, 1), self.sweep_text)
        fill(viewer, bar, (self.stage, 1), sweep)
        self.clipped_button.toggled.connect(self._show_clipped)
        self.flip_button.clicked.connect(self.flip)
        self.stage.view_changed.connect(self._render)
        self.opened.failed.connect(self._failed)

    @property
    def shot(self) -> Shot | None:
        return self.opened.shot

    @property
    def developer(self) -> Developer | None:
        return self.opened.developer

    # -- which shot

    def open_shot(self) -> None:
        """Show what is known at once of another shot."""
        shot = self.shot
        self._pictures.clear()
        for channel in (self._feed, self._counting, self._phone):
            channel.turn_to(None if shot is None else shot.main)
        self.stage.counts, self.stage.shares, self.stage.message = None, {}, ""
        self.stage.set_piece(None)
        self._set_sweep(0)
        if shot is None or shot.problem or shot.meta is None:
            self.stage.set_frame(0, 0)
            self.stage.message = shot.problem if shot is not None else ""
            self.tag.setText(tr("CANNOT BE OPENED") if shot is not None else tr("NOTHING OPEN"))
        else:
            self.stage.set_frame(*shot.meta.oriented_size)
            there = self._views()
            self.view = self._liked if self._liked in there else there[0]
            self.show_view()

    def decoded(self) -> None:
        """The shot's file is decoded."""
        shot, developer = self.shot, self.developer
        if shot is None or developer is None:
            return
        self.show_view()
        if developer.source.kind != "picture":
            self._counting.ask(shot.main, lambda: self._counted(developer), self._got_counts, self.say)

    def _failed(self, why: str) -> None:
        """The shot's file cannot be read: nothing waits for it any more; preview and picture can still be looked at."""
        if self.view == "raw":
            self.tag.setText(tr("CANNOT BE OPENED"))
            self.stage.base = None
            there = [v for v in self._views() if v != "raw"]
            more = tr("Switch shows what else exists of this shot.") if there else ""
            self.stage.message = sentences(why, more)
            self.stage.update()

    @staticmethod
    def _counted(developer: Developer) -> NDArray[np.uint8]:
        """How many channels are clipped at each place, oriented."""
        return np.asarray(orient(_COUNT[developer.clipped_channels(Recipe())], developer.source.meta.orientation))

    def _got_counts(self, counts: NDArray[np.uint8]) -> None:
        self.stage.counts = counts
        self.stage.update()
        self.show_view()

    # -- the picture
    def flip(self) -> None:
        """The next of raw, preview and phone's picture, at the same place and size."""
        shot = self.shot
        if shot is None or shot.problem:
            return
        there = self._views()
        self.view = self._liked = there[(there.index(self.view) + 1) % len(there)]
        self.show_view()
        self.changed.emit()

    def _views(self) -> list[str]:
        """What the shot can be looked at as."""
        shot = self.shot
        if shot is None:
            return ["raw"]
        return [v for v, has in (("raw", shot.raw), ("preview", shot.raw), ("phone", shot.picture)) if has]

    def show_view(self) -> None:
        """Show the shot as what it is looked at now."""
        shot = self.shot
        if shot is None:
            return
        self.sweep.setEnabled(self.view == "raw")
        self.tag.setText(VIEWS[self.view])
        if self.view == "raw":
            if self.developer is None:
                self.tag.setText(tr("READING…"))
                if self.stage.base is None:
                    self._preview_base(shot, tr("PREVIEW, raw follows"))
            else:
                self._render()
            return
        self.stage.set_piece(None)
        if self.view == "preview":
            self._preview_base(shot, VIEWS["preview"])
        elif shot.picture is not None:
            if "phone" in self._pictures:
                self.stage.set_base(self._pictures["phone"])
                return
            path = shot.picture
            self._phone.ask(shot.main, lambda: read_picture(path).pixels, self._got_phone, self.say)

    def _preview_base(self, shot: Shot, tag: str) -> None:
        try:
            if "preview" not in self._pictures:
                self._pictures["preview"] = oriented_preview(shot)
            self.stage.set_base(self._pictures["preview"])
            self.tag.setText(tag)
        except BrutoError:
            self.tag.setText(tr("NO EMBEDDED PREVIEW"))

    def _got_phone(self, picture: NDArray[np.uint8]) -> None:
        self._pictures["phone"] = picture
        if self.view == "phone":
            self.stage.set_base(picture)

    def _render(self) -> None:
        developer, shot = self.developer, self.shot
        if developer is None or shot is None or self.view != "raw" or not self.page.isVisible():
            return
        if developer.source.kind == "picture":
            return
        ev, source = self.sweep.value() / 12, developer.source
        view = oriented(
            lambda factor, rect: plain_view(developer, ev, int(factor), rect), source.meta.orientation, source.size
        )
        self._feed.ask(shot.main, view, self.say, whole=self._got_raw, piece=self._got_piece, in_halves=True)

    def _got_raw(self, picture: NDArray[np.uint8], ms: float) -> None:
        if self.view == "raw":
            self.stage.set_base(picture)
            self.tag.setText(VIEWS["raw"])

    def _got_piece(self, picture: NDArray[np.uint8], rect: tuple[int, int, int, int], ms: float) -> None:
        if self.view == "raw":
            self._feed.show_piece(picture, rect)

    def _set_sweep(self, steps: int) -> None:
        self.sweep.blockSignals(True)
        self.sweep.setValue(steps)
        self.sweep.blockSignals(False)
        self.sweep_text.setText(tr("{steps:+.1f} EV", steps=steps / 12) if steps else tr("0.0 EV"))

    def _swept(self, steps: int) -> None:
        self._set_sweep(steps)
        self._render()

    def _show_clipped(self, on: bool) -> None:
        self.stage.show_clipped = on
        self.stage.update()
