"""The menu of a shot's versions: keep, use, forget one, and choose what the picture is compared with."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtGui import QActionGroup
from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from bruto.catalog import tr
from bruto.develop.recipe import Recipe
from bruto.session.edit import Edit

DEFAULT = ("default", "")
NOISY, RESIDUAL = ("noisy", ""), ("residual", "")
RESIDUAL_GAIN = 2.0
"""How much the residual of noise reduction is enlarged about grey."""


@dataclass(frozen=True)
class Pinned:
    """A shot that others are compared with: its title, its file and the recipe it was pinned with."""

    title: str
    path: Path
    recipe: Recipe


class VersionsMenu(QMenu):
    """Emits `chosen(kind, name)`: what to compare with, kind "default", "version", "noisy", "residual" or "shot";
    `pin`: this shot."""

    chosen = Signal(str, str)
    pin = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.edit: Edit | None = None
        self.reference = DEFAULT
        self.pinned: Pinned | None = None
        self.aboutToShow.connect(self.fill)

    def fill(self) -> None:
        """Make the entries anew."""
        self.clear()
        edit = self.edit
        names = sorted(edit.sidecar.versions) if edit is not None else []
        keep = self.addAction(tr("Save as a version…"))
        keep.setEnabled(edit is not None)
        keep.triggered.connect(self.ask_name)
        for text, slot in ((tr("Use version"), "use"), (tr("Delete version"), "drop")):
            part = self.addMenu(text)
            part.setEnabled(bool(names))
            for name in names:
                part.addAction(name).triggered.connect(lambda _=False, n=name, s=slot: getattr(edit, s)(n))
        self.addSeparator()
        self.addSection(tr("Compare with"))
        group = QActionGroup(self)
        entries = [(tr("default values"), DEFAULT), *((tr("version {n}", n=n), ("version", n)) for n in names)]
        entries.append((tr("no noise reduction"), NOISY))
        entries.append(
            (tr("what noise reduction removes, {RESIDUAL_GAIN:.0f} ×", RESIDUAL_GAIN=RESIDUAL_GAIN), RESIDUAL)
        )
        if self.pinned is not None:
            entries.append((tr("shot {title}", title=self.pinned.title), ("shot", str(self.pinned.path))))
        for text, what in entries:
            action = self.addAction(text)
            action.setCheckable(True)
            action.setChecked(what == self.reference)
            group.addAction(action)
            action.triggered.connect(lambda _=False, w=what: self.choose(*w))
        pin = self.addAction(tr("Pin this shot for comparison"))
        pin.setEnabled(edit is not None)
        pin.triggered.connect(self.pin)

    def choose(self, kind: str, name: str) -> None:
        """Compare with the default values, a version, the noise or the pinned shot."""
        self.reference = (kind, name)
        self.chosen.emit(kind, name)

    def ask_name(self) -> None:
        """Ask for a name and keep the version."""
        if self.edit is None:
            return
        count = len(self.edit.sidecar.versions) + 1
        name, ok = QInputDialog.getText(
            self.parentWidget(), tr("Save as a version"), tr("Name:"), text=tr("version {count}", count=count)
        )
        if ok:
            self.edit.versions.keep(name)

    def show_edit(self, edit: Edit | None) -> None:
        """Another shot: a version of the one before means nothing here."""
        self.edit = edit
        if self.reference[0] == "version" and (edit is None or self.reference[1] not in edit.sidecar.versions):
            self.reference = DEFAULT
