"""The button that makes a clip of the frames chosen in Merge, behind the window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QFileDialog, QPushButton

from bruto.app.host import Host
from bruto.catalog import clauses, tr
from bruto.errors import BrutoError
from bruto.output_planner import Outputs

SHOWN_FLICKER = 0.02
"""Flicker, EV, that is worth telling."""


class ClipButton(QPushButton):
    """Asks for a name, and makes a clip of the raws that `chosen` returns."""

    def __init__(self, host: Host, chosen: Callable[[], list[Path]]) -> None:
        super().__init__(tr("Save as a clip…"))
        self.setToolTip(tr("The chosen frames in sequence, developed alike and without flicker, as MP4"))
        self.session, self._chosen = host.session, chosen
        self.clicked.connect(self._ask)
        clips = self.session.clips
        clips.made.connect(self._made)
        clips.failed.connect(self.session.tell)

    def _ask(self) -> None:
        raws = self._chosen()
        start = str(raws[0].parent / f"{raws[0].stem}-clip.mp4")
        name, _ = QFileDialog.getSaveFileName(self, tr("Clip of these frames"), start, tr("Clip (*.mp4)"))
        if not name:
            return
        try:
            target = Outputs(raws).file(Path(name))
        except BrutoError as error:
            self.session.notice.emit(str(error))
            return
        self.session.clips.start(raws, target)

    def _made(self, clip: Any) -> None:
        text = tr(
            "{name}: {frames} frames, {seconds:.1f} s", name=clip.output.name, frames=clip.frames, seconds=clip.seconds
        )
        if clip.flicker_ev > SHOWN_FLICKER:
            text = clauses(text, tr("flicker of up to {flicker_ev:.2f} EV was removed", flicker_ev=clip.flicker_ev))
        self.session.tell(tr("{text}.", text=text))
