"""Menus of Intake: which picture belongs to a raw, and what was asked of the phone."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtGui import QActionGroup
from PySide6.QtWidgets import QMenu, QWidget

from bruto.catalog import tr
from bruto.session.session import Session
from bruto.shoot.folder import pictures_for
from bruto.shoot.intent import lens_title

PAIRED_BY = {
    "stem": tr("same name"),
    "numbers": tr("consecutive numbers"),
    "time": tr("same moment and settings"),
    "likeness": tr("same view"),
    "hand": tr("paired by you"),
}


class PairMenu(QMenu):
    """Corrects the pair of the shot that is shown."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self.aboutToShow.connect(self.fill)

    def fill(self) -> None:
        """Make the entries anew."""
        self.clear()
        shot = self.session.opened.shot
        if shot is None or shot.raw is None:
            self.addAction(tr("Choose a shot with a raw")).setEnabled(False)
            return
        if shot.picture is not None:
            text = f"{shot.raw.name} + {shot.picture.name}: {PAIRED_BY.get(shot.paired_by, '')}"
            self.addAction(text).setEnabled(False)
            self.addAction(tr("Separate them")).triggered.connect(lambda: self._pair(None))
        else:
            self.addAction(tr("{name} has no picture", name=shot.raw.name)).setEnabled(False)
        for picture in pictures_for(self.session.shoot.shots, shot)[:12]:
            action = self.addAction(tr("Pair with {name}", name=picture.name))
            action.triggered.connect(lambda _=False, p=picture: self._pair(p))

    def _pair(self, picture: Path | None) -> None:
        if self.session.opened.shot is not None:
            self.session.shoot.pair_by_hand(self.session.opened.shot, picture)


class IntentMenu(QMenu):
    """What was meant to be got from the phone. Emits `intent_changed` when it was changed."""

    intent_changed = Signal()

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.shoot = session.shoot
        self.aboutToShow.connect(self.fill)

    def fill(self) -> None:
        """What can be asked: sizes and kinds that the phone's card offers, raws always or never."""
        self.clear()
        intent, cards = self.shoot.record.intent, self.shoot.phones.cards.values()
        sizes = sorted({round(m.width * m.height / 1e6) for c in cards for m in c.modes})
        lenses = sorted({(round(q.focal_35mm), q.name) for c in cards for q in c.lenses})
        groups: tuple[tuple[str, str, list[tuple[str, Any]]], ...] = (
            (
                tr("Resolution"),
                "megapixels",
                [(tr("like most of the shoot"), None), *((tr("{n} megapixels", n=n), n) for n in sizes)],
            ),
            (
                tr("Kind of raw"),
                "kind",
                [(tr("any"), None), (tr("mosaic, one colour per pixel"), "mosaic"), (tr("processed"), "linear")],
            ),
            (
                tr("Lens"),
                "focal_35mm",
                [(tr("any"), None), *((lens_title(name, mm), float(mm)) for mm, name in lenses)],
            ),
            (
                tr("Raw"),
                "raw",
                [(tr("like most of the shoot"), None), (tr("with every picture"), True), (tr("none"), False)],
            ),
        )
        for title, name, choices in groups:
            self.addSection(title)
            self.addAction(title).setEnabled(False)
            group = QActionGroup(self)
            for text, value in choices:
                action = self.addAction(text)
                action.setData((name, value))
                action.setCheckable(True)
                action.setChecked(getattr(intent, name) == value)
                group.addAction(action)
                action.triggered.connect(lambda _=False, n=name, v=value: self._ask_for(n, v))

    def _ask_for(self, name: str, value: Any) -> None:
        self.shoot.ask_for(**{name: value})
        self.intent_changed.emit()
