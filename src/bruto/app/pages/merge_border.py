"""The border of sky and ground of a star field, corrected by a brush before it is merged again."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QSlider, QWidget

from bruto.app.stage.brush_stage import BrushStage
from bruto.app.widgets.build import build, down, fill
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.container.orientation import place_as_stored
from bruto.develop.strokes import Stroke
from bruto.session.merge_jobs import MergeView

REACH = (4, 100, 20)
"""Least, greatest and usual radius of the brush, thousandths of the long edge."""
TIP = tr("The lines mark the ground. Paint what is sky or ground, then merge again.")


class BorderPanel(QWidget):
    """Buttons beside a `stage` that is painted on; `changed` tells of other strokes."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.stage = BrushStage()
        self._orientation = 1
        self._strokes: tuple[Stroke, ...] = ()
        layout = down(self, margins=0, gap=4)
        text = Label(TIP, objectName="quiet", wordWrap=True)
        layout.addWidget(text)
        row, group = QHBoxLayout(), QButtonGroup(self)
        self.sky, self.ground = QPushButton(tr("Sky")), QPushButton(tr("Ground"))
        for button, tip in ((self.sky, tr("The brush marks sky")), (self.ground, tr("The brush marks ground"))):
            button.setCheckable(True)
            button.setToolTip(tip)
            group.addButton(button)
            row.addWidget(button)
        self.sky.setChecked(True)
        group.buttonToggled.connect(lambda *_: self._set_brush())
        self.size_text = Label("")
        self.reach = QSlider(Qt.Orientation.Horizontal)
        self.reach.setRange(*REACH[:2])
        self.reach.setAccessibleName(tr("Radius of the brush"))
        self.reach.valueChanged.connect(lambda _: self._set_brush())
        self.undo = build(QPushButton, tr("Undo last stroke"), clicked=lambda: self._set_strokes(self._strokes[:-1]))
        fill(layout, row, self.size_text, self.reach, self.undo)
        self.stage.stroked.connect(lambda stroke: self._set_strokes((*self._strokes, stroke)))
        self.reach.setValue(REACH[2])
        self._set_strokes(())

    def _set_brush(self) -> None:
        self.stage.reach, self.stage.adds = self.reach.value() / 1000, self.sky.isChecked()
        pixels = self.stage.reach * max(self.stage.frame_size)
        self.size_text.setText(tr("Brush: radius {pixels:.0f} px", pixels=pixels) if pixels else tr("Brush"))
        self.stage.update()

    def _set_strokes(self, strokes: tuple[Stroke, ...]) -> None:
        self._strokes = strokes
        self.undo.setEnabled(bool(strokes))
        self.stage.set_strokes(strokes)
        self.changed.emit()

    def clear(self) -> None:
        """Another set: no strokes."""
        self._set_strokes(())

    def show_look(self, look: MergeView) -> None:
        """A result, on which the strokes that it was made with are seen already."""
        if look.border is None:
            return
        self._orientation = look.orientation
        self.stage.set_frame(*look.size)
        self.stage.set_base(look.merged)
        self.stage.set_area(look.border, self._strokes)
        self._set_brush()

    def strokes(self) -> tuple[Stroke, ...]:
        """The strokes, at places of the frame as it is stored."""
        return tuple(
            Stroke(tuple(place_as_stored(*p, self._orientation) for p in s.points), s.reach, s.adds)
            for s in self._strokes
        )
