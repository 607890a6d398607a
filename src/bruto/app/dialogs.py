"""What is asked of the user before something is done: dialogs, and questions about what is selected."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from bruto.app.wastebasket import moved_out
from bruto.app.widgets.card_dialog import CardDialog
from bruto.app.widgets.group_ticks import GroupTicks
from bruto.app.widgets.recipes_dialog import RecipesDialog
from bruto.catalog import tr, trn
from bruto.session.equipment import equipment_of
from bruto.shoot.shot_files import files_of


class Dialogs:
    """Asks in a window, and has its session do it."""

    def __init__(self, window: Any) -> None:
        self.window = window

    def show_recipes(self) -> RecipesDialog | None:
        """Kept recipes, and this shot's values for other shots."""
        edit = self.window.session.opened.edit
        if edit is None:
            self.window.say(tr("Choose a shot first."))
            return None
        dialog = RecipesDialog(edit.recipe, self.window)
        self.window.manners.attach(dialog)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.wanted.connect(self.window.session.use_recipe)
        dialog.show()
        return dialog

    def show_card(self) -> CardDialog | None:
        """The card of the phone that took the current shot."""
        shot = self.window.shoot.current
        card = self.window.shoot.phones.card_of(shot) if shot is not None else None
        if card is None:
            self.window.say(tr("Choose a shot whose file names its phone."))
            return None
        learnt = equipment_of(card.make, card.model, self.window.session.looking.place, card)
        dialog = CardDialog(card, self.window, learnt)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(lambda: self.window.shoot.set_card(dialog.card))
        dialog.show()
        return dialog

    def import_files(self) -> None:
        """Ask for a phone or card and take its files in."""
        chosen = QFileDialog.getExistingDirectory(self.window, tr("Phone or card to import from"))
        if chosen and not self.window.shoot.paths:
            target = QFileDialog.getExistingDirectory(self.window, tr("Folder to copy the files to"))
            if not target:
                return
            self.window.open_shoot([target])
        if chosen and self.window.shoot.paths:
            self.window.session.imports.start(Path(chosen))

    def suggest_selection(self) -> None:
        """Take the own suggestions of all that are selected."""
        self.window.session.batch_edits.suggest(self.window.shoot.selection)

    def choose_groups(self) -> GroupTicks:
        """Copy values of groups that are ticked."""
        batch_edits = self.window.session.batch_edits
        dialog = GroupTicks(self.window, batch_edits.groups)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

        def copy() -> None:
            batch_edits.groups = dialog.chosen()
            batch_edits.copy()

        dialog.accepted.connect(copy)
        dialog.open()
        return dialog

    def discard_shots(self) -> None:
        """Ask, then move shots that are Out to the wastebasket, each with its picture and what is kept beside it."""
        shots = [s for s in self.window.shoot.shots if self.window.shoot.verdicts.get(str(s.main)) == "discard"]
        if not shots:
            self.window.say(tr("No shot is marked Discard. Mark shots first; nothing is deleted for good."))
            return
        files = [f for s in shots for f in files_of(s)]
        text = trn(
            "{shots_count} shot, {files_count} files. You can restore it from the wastebasket.",
            "{shots_count} shots, {files_count} files. You can restore them from the wastebasket.",
            shots_count=len(shots),
            files_count=len(files),
        )
        if not self.window.confirm(tr("Move discarded shots to the wastebasket?"), text, tr("Move"), tr("Cancel")):
            return
        self.window.session.opened.save_all()
        self.window.measuring.moved |= set(files)
        stayed = moved_out(files)
        self.window.measuring.moved -= set(stayed)
        left = [f.name for f in stayed]
        if left:
            self.window.say(
                trn(
                    "{left_count} file could not be moved and stays where it is: {left}.",
                    "{left_count} files could not be moved and stay where they are, for example {left}.",
                    left=left[0],
                    left_count=len(left),
                )
            )
        else:
            self.window.tell(
                trn(
                    "Moved {shots_count} shot to the wastebasket.",
                    "Moved {shots_count} shots to the wastebasket.",
                    shots_count=len(shots),
                )
            )
        self.window.measuring.look()
