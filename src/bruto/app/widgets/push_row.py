"""The same push on both sides of a comparison, by three sliders."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSlider, QWidget

from bruto.app.widgets.plain import Label
from bruto.develop.recipe import Recipe
from bruto.develop.values import Tone

PUSHES = (("exposure", "Exposure", -20, 40), ("shadows", "Shadows", 0, 40), ("chroma", "Chroma", -50, 150))
"""Pushes: name, title, least and most, in tenths of EV, L* and percent."""
PUSH_AFTER_MS = 350


class PushRow(QWidget):
    """The same push on both sides. Emits `changed` with a recipe when it is let go."""

    changed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 12, 4)
        row.setSpacing(8)
        title = Label("Same push on both")
        title.setObjectName("quiet")
        row.addWidget(title)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(PUSH_AFTER_MS)
        self._timer.timeout.connect(lambda: self.changed.emit(self.recipe()))
        self.sliders: dict[str, QSlider] = {}
        self.values: dict[str, Label] = {}
        for name, text, low, high in PUSHES:
            row.addWidget(Label(text))
            slider = self.sliders[name] = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(low, high)
            slider.setSingleStep(5)
            slider.setMinimumHeight(26)
            slider.setAccessibleName(f"Push of {text.lower()} on both")
            slider.valueChanged.connect(self._moved)
            row.addWidget(slider, 1)
            value = self.values[name] = Label("")
            value.setMinimumWidth(58)
            row.addWidget(value)
        self.none = QPushButton("None")
        self.none.setToolTip("Take the push back")
        self.none.clicked.connect(self.reset)
        row.addWidget(self.none)
        self._told()

    def recipe(self) -> Recipe:
        """The push as values."""
        exposure, shadows, chroma = (self.sliders[n].value() for n in ("exposure", "shadows", "chroma"))
        tone = Tone()
        if shadows:
            lifted = tone.shadow.model_copy(update={"lightness": tone.shadow.lightness + shadows})
            black = tone.black.model_copy(update={"lightness": tone.black.lightness + shadows / 4})
            tone = tone.model_copy(update={"shadow": lifted, "black": black})
        default = Recipe()
        return default.changed(
            exposure=exposure / 10, tone=tone.model_dump(), chroma=default.chroma * (1 + chroma / 100)
        )

    def reset(self) -> None:
        """No push."""
        for slider in self.sliders.values():
            slider.setValue(0)

    def _told(self) -> None:
        exposure, shadows, chroma = (self.sliders[n].value() for n in ("exposure", "shadows", "chroma"))
        for name, text in (
            ("exposure", f"{exposure / 10:+.1f} EV"),
            ("shadows", f"{shadows:+d} L*"),
            ("chroma", f"{chroma:+d} %"),
        ):
            self.values[name].setText(text.replace("-", "−"))
        self.none.setEnabled(bool(exposure or shadows or chroma))

    def _moved(self, _: int) -> None:
        self._told()
        self._timer.start()
