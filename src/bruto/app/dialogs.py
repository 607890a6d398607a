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
            self.window.say("Choose a shot first.")
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
        card = self.window.shoot.card_of(shot) if shot is not None else None
        if card is None:
            self.window.say("Choose a shot that says which phone took it.")
            return None
        learnt = equipment_of(card.make, card.model, self.window.session.looking.place, card)
        dialog = CardDialog(card, self.window, learnt)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(lambda: self.window.shoot.set_card(dialog.card))
        dialog.show()
        return dialog

    def import_files(self) -> None:
        """Ask for a phone or card and take its files in."""
        chosen = QFileDialog.getExistingDirectory(self.window, "Phone or card to take files from")
        if chosen and not self.window.shoot.paths:
            target = QFileDialog.getExistingDirectory(self.window, "Folder that the files are copied to")
            if not target:
                return
            self.window.open_shoot([target])
        if chosen and self.window.shoot.paths:
            self.take_in_from(Path(chosen))

    def take_in_from(self, source: Path) -> None:
        """Copy what is new from a phone or card into the open folder, verified."""
        stop = self.window.session.take_in_from(source, self.window.line.ended(lambda _: None))
        if stop is not None:
            self.window.line.begin("Taking in", stop)

    def suggest_selection(self) -> None:
        """Take the own suggestions of all that are selected."""
        stop = self.window.session.batch_edits.suggest(self.window.shoot.selection)
        if stop is not None:
            self.window.line.begin("Suggestions", stop)

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
            self.window.say("No shot is Out. Give that verdict first; nothing is ever deleted for good.")
            return
        files = [f for s in shots for f in files_of(s)]
        text = f"{len(shots)} shots, {len(files)} files. They can be taken back from there."
        if not self.window.confirm("Move what is Out to the wastebasket?", text, "Move", "Leave them"):
            return
        self.window.session.opened.save_all()
        left = [f.name for f in moved_out(files)]
        if left:
            self.window.say(f"{len(left)} files could not be moved and stay, such as {left[0]}.")
        else:
            self.window.tell(f"{len(shots)} shots are in the wastebasket.")
        self.window.measuring.look()
