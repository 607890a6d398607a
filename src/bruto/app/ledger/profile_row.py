"""The ledger's row for the camera profile: which one, what it brings, and whether its base look is kept."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFileDialog, QPushButton, QWidget

from bruto.app.ledger.row_parts import as_row, choice_box, row_name
from bruto.app.widgets.build import across, build, fill
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.catalog import clauses, tr
from bruto.container.profile import CameraProfile
from bruto.container.raw_frame import RawMeta
from bruto.develop.profiles import OWN, choices, chosen
from bruto.develop.recipe import Recipe
from bruto.develop.suggest.suggestion import Suggestion

FROM_FILE = tr("from a .dcp file…")


def has_base_look(profile: CameraProfile | None) -> bool:
    """Whether a profile brings more than colour."""
    return profile is not None and any(x is not None for x in (profile.gain_table, profile.look, profile.tone_curve))


class ProfileRow(QWidget):
    """Emits `changed(field, value)`, `taken(field)` and `reset`."""

    changed = Signal(str, object)
    taken = Signal(str)
    reset = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.meta: RawMeta | None = None
        self._shown = OWN
        layout = as_row(self)
        head = across(gap=4)
        self.box = choice_box(tr("Profile"), tr("The camera profile that turns sensor colour into picture colour"))
        back = build(
            QPushButton,
            "↺",
            objectName="icon",
            toolTip=tr("Reset profile and base look to the file's own"),
            accessibleName=tr("Reset profile"),
        )
        fill(head, row_name(tr("Profile")), (self.box, 1), back)
        self.brings = Label("", objectName="quiet", wordWrap=True)
        foot = across(gap=6)
        self.keep = build(
            QPushButton,
            tr("Base look on"),
            checkable=True,
            toolTip=tr("Use or ignore the profile's local gains, look table and tone curve"),
        )
        self.take = build(QPushButton, tr("apply"), objectName="take")
        fill(foot, self.keep, 1, self.take)
        fill(layout, head, self.brings, foot)
        self.box.activated.connect(self._activated)
        self.keep.clicked.connect(lambda on: self.changed.emit("base_look", bool(on)))
        self.take.clicked.connect(lambda: self.taken.emit("base_look"))
        back.clicked.connect(self.reset)

    def _activated(self, index: int) -> None:
        value = self.box.itemData(index)
        if value != FROM_FILE:
            self.changed.emit("profile", value)
            return
        self.box.setCurrentIndex(max(0, self.box.findData(self._shown)))
        path, _ = QFileDialog.getOpenFileName(
            self, tr("Choose a camera profile"), "", tr("Camera profiles (*.dcp *.DCP)")
        )
        if path:
            self.changed.emit("profile", path)

    def show_meta(self, meta: RawMeta | None) -> None:
        """Offer what a file has; a finished picture has no profile to choose."""
        self.meta = meta
        self.setVisible(meta is not None)

    def show_values(self, recipe: Recipe, suggestion: Suggestion | None) -> None:
        """Put the recipe's choice on screen."""
        if self.meta is None:
            return
        self._shown = recipe.profile
        offered = choices(self.meta)
        if recipe.profile not in [value for value, _ in offered]:
            offered.append((recipe.profile, tr("file: {name}", name=Path(recipe.profile).name)))
        offered.append((FROM_FILE, FROM_FILE))
        if [(self.box.itemData(k), self.box.itemText(k)) for k in range(self.box.count())] != offered:
            self.box.clear()
            for value, text in offered:
                self.box.addItem(text, value)
                self.box.setItemData(self.box.count() - 1, plain_tooltip(value), Qt.ItemDataRole.ToolTipRole)
        self.box.setCurrentIndex(max(0, self.box.findData(recipe.profile)))
        profile, problem = chosen(self.meta, recipe.profile)
        look = has_base_look(profile)
        holds = [] if profile is None else profile.holds
        text = problem or (
            tr("brings {parts}", parts=", ".join(holds)) if holds else tr("colour matrices only, no look of its own")
        )
        if look and not recipe.base_look:
            text = clauses(text, tr("its base look is off"))
        elif suggestion is not None and suggestion.value != recipe.base_look:
            text = suggestion.evidence
        self.brings.setObjectName("warning" if problem else "quiet")
        self.brings.style().polish(self.brings)
        self.brings.setText(text)
        self.keep.setVisible(look)
        self.keep.setChecked(recipe.base_look)
        self.keep.setText(tr("Base look on") if recipe.base_look else tr("Base look off"))
        offer = look and suggestion is not None and suggestion.value != recipe.base_look
        self.take.setVisible(offer)
        self.take.setText(tr("apply off") if suggestion is not None and not suggestion.value else tr("apply on"))
