"""The edit of one shot: its recipe with undo and redo, its versions, and the verdict and notes of the user."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.catalog import tr
from bruto.develop.history_text import APPLIED_ALL, step_title
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import Tone
from bruto.develop.suggest.suggester import take_all
from bruto.develop.suggest.suggestion import Suggestion
from bruto.errors import BrutoError
from bruto.session.edit_versions import EditVersions, on_top_of
from bruto.shoot.sidecar import Sidecar, load_sidecar, put_aside, save_sidecar


class Edit:
    """The recipe of one shot with undo and redo. One drag is one step: `change(..., final=False)` while it lasts."""

    changed = Signal()
    suggested = Signal()
    message = Signal(str)
    saved = Signal()  # or could not be

    def __init__(self, path: Path) -> None:
        self.path = path
        self._sidecar, self.problem = load_sidecar(path)
        self._base = self._sidecar.snapshot()
        self.not_saved = ""
        """Why the last changes are not on the disk; "" where they are."""
        self.suggestions: dict[str, Suggestion] = {}
        self._before_drag: Recipe | None = None
        self._unsaved = False
        self._pristine = self._sidecar.recipe if self._sidecar.untouched else None
        """The default values that were never changed: as long as they stand, `_start` is in force."""
        self._start: Recipe | None = None
        self.awaits_start = False
        """Whether its suggestions shall be in force, and are not known yet."""

    @property
    def recipe(self) -> Recipe:
        """The values in force."""
        return self._start if self._start is not None and self.untouched else self._sidecar.recipe

    @property
    def started(self) -> bool:
        """Whether it starts with its suggestions."""
        return self._start is not None

    @property
    def untouched(self) -> bool:
        """Whether no value was ever changed."""
        return self._sidecar.recipe is self._pristine

    def start_with(self, recipe: Recipe | None) -> None:
        """Let a recipe be in force as long as nothing was changed (None: the default values).

        Nothing is written for it. What was changed while it was awaited stands on top of it.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.
        """
        awaited, self.awaits_start = self.awaits_start, False
        if self.untouched:
            if recipe != self._start:
                self._start = recipe
                self.changed.emit()
        elif awaited and recipe is not None:
            self._sidecar.recipe = recipe.changed(**self._sidecar.recipe.differing(Recipe()))
            self._sidecar.history[:] = on_top_of(self._sidecar.history, recipe)
            self._unsaved = True
            self.changed.emit()

    @property
    def versions(self) -> EditVersions:
        """Recipes of the shot that were kept under names."""
        return EditVersions(self)

    def touch(self) -> None:
        """Mark that something is to be written."""
        self._unsaved = True

    @property
    def sidecar(self) -> Sidecar:
        """The stored values of the shot."""
        return self._sidecar

    @property
    def unsaved(self) -> bool:
        """Whether something is not on the disk yet, or is just being changed."""
        return self._unsaved or self.dragging

    @property
    def dragging(self) -> bool:
        """Whether a value is being dragged: its last change was not the final one."""
        return self._before_drag is not None

    def change(self, what: str, *, final: bool = True, **values: Any) -> bool:
        """Set values; returns False (with a message) where they are out of range.

        The same where nothing may be changed now because what is kept of the shot cannot be read or put aside.

        Parameters
        ----------
        what
            Key of the step in the history, see `develop.history_text`.
        final
            Whether the drag has ended.
        **values
            Fields of the recipe with their new values.

        Returns
        -------
        bool
            True where that is so.
        """
        if not self.open_for_changes():
            return False
        try:
            new = self.recipe.changed(**values)
        except BrutoError as error:
            self.message.emit(str(error))
            return False
        before = self._before_drag or self.recipe
        if not final:
            if self._before_drag is None:
                self._before_drag = self.recipe
            self._sidecar.recipe = new
            self.changed.emit()
            return True
        self._before_drag = None
        if self._pristine is not None and new == before == (self._start or self._pristine) and not self.can_undo:
            new = self._pristine  # a drag that ended where it began
        self._sidecar.recipe = new
        if new is not self._pristine and new != before:
            self._sidecar.history.append((what, before.differing(new)))
            self._sidecar.future.clear()
            self._unsaved = True
        self.changed.emit()
        return True

    def open_for_changes(self) -> bool:
        """Whether changes may begin: a damaged sidecar is put aside first, an unreadable one tried again."""
        side = self._sidecar
        if side.locked:
            again, problem = load_sidecar(self.path)
            if again.locked:
                self.message.emit(problem)
                return False
            self._sidecar = side = again
            self._base = again.snapshot()
            self._pristine = again.recipe if again.untouched else None
            self.problem = problem
            self.changed.emit()
        try:
            aside = put_aside(self.path, side)
        except (BrutoError, OSError) as error:
            self.message.emit(
                tr("Nothing can be changed: the damaged values could not be set aside. {error}", error=error)
            )
            return False
        if aside is not None:
            self.message.emit(tr("The damaged values are saved as {name}.", name=aside.name))
        return True

    def reset(self, *fields: str) -> None:
        """Give fields (all without names) their default values.

        Parameters
        ----------
        *fields
            Names of the recipe's fields.
        """
        default = Recipe().model_dump(by_alias=True)
        chosen = {k: default[k] for k in (fields or [k for k in default if k not in ("schema", "engine")])}
        self.change(f"reset:{fields[0]}" if fields else "reset", **chosen)

    def take(self, field: str) -> None:
        """Take one suggestion.

        Parameters
        ----------
        field
            Coarse field (rows, columns, values).
        """
        if field in self.suggestions:
            value = self.suggestions[field].value
            values: dict[str, Any] = {field: value.model_dump() if isinstance(value, Tone) else value}
            self.change(f"applied:{field}", **values)

    def take_all(self) -> None:
        """Take every suggestion, as one step."""
        if self.suggestions:
            self.adopt(APPLIED_ALL, self.suggestions)

    def adopt(self, what: str, suggestions: dict[str, Suggestion]) -> bool:
        """Take suggestions, as one step; those that are in force already as the start become the shot's own values.

        Which are written.

        Parameters
        ----------
        what
            Key of the step in the history, see `develop.history_text`.
        suggestions
            Suggestions by field.

        Returns
        -------
        bool
            True where that is so.
        """
        new = take_all(self.recipe, suggestions)
        if not (self.untouched and self.started and new == self.recipe):
            return self.change(what, **new.model_dump(by_alias=True))
        if not self.open_for_changes():
            return False
        self._sidecar.recipe = new
        self._sidecar.history.append((what, {}))
        self._unsaved = True
        self.changed.emit()
        return True

    def open_suggestions(self) -> list[str]:
        """Fields whose value differs from the suggestion."""
        return [f for f, s in self.suggestions.items() if getattr(self.recipe, f) != s.value]

    def set_suggestions(self, suggestions: dict[str, Suggestion]) -> None:
        """Replace the suggestions; values stay as they are.

        Parameters
        ----------
        suggestions
            Suggestions by field.
        """
        self.suggestions = suggestions
        self.suggested.emit()

    @property
    def can_undo(self) -> bool:
        """Whether there is a step to undo."""
        return bool(self._sidecar.history)

    @property
    def can_redo(self) -> bool:
        """Whether there is a step to redo."""
        return bool(self._sidecar.future)

    def undo(self) -> str:
        """Step back; returns what was undone."""
        return self._step(self._sidecar.history, self._sidecar.future)

    def redo(self) -> str:
        """Step forward; returns what was done again."""
        return self._step(self._sidecar.future, self._sidecar.history)

    def _step(self, source: list[Any], target: list[Any]) -> str:
        if not source or not self.open_for_changes():
            return ""
        what, values = source[-1]
        try:
            recipe = self.recipe.changed(**values)
        except BrutoError as error:  # the steps beyond it are still good
            source.pop()
            self.message.emit(
                tr(
                    "The step “{step_title}” cannot be used and is skipped: {error}",
                    step_title=step_title(what),
                    error=error,
                )
            )
            return self._step(source, target)
        source.pop()
        target.append((what, self.recipe.differing(recipe)))
        self._sidecar.recipe = recipe
        self._before_drag = None
        self._unsaved = True
        self.changed.emit()
        return step_title(what)

    def back_to(self, index: int) -> None:
        """Step back until the history holds `index` entries.

        Parameters
        ----------
        index
            Position in the list.
        """
        while len(self._sidecar.history) > max(0, index) and self.undo():
            pass

    def save(self) -> None:
        """Write the sidecar when something changed; a problem becomes a message and `not_saved`."""
        if not self._unsaved:
            return
        try:
            where, joined = save_sidecar(self.path, self._sidecar, self._base)
        except (BrutoError, OSError) as error:
            self.not_saved = str(error)
            self.message.emit(tr("Not saved: {error}", error=error).replace("Not saved: Not saved:", "Not saved:"))
            self.saved.emit()
            return
        self._unsaved = False
        self.not_saved = ""
        self._base = self._sidecar.snapshot()
        self.saved.emit()
        if joined:
            if self._sidecar.untouched:
                self._pristine = self._sidecar.recipe
            self.message.emit(joined)
            self.changed.emit()
        if where.parent != self.path.parent:
            self.message.emit(tr("This folder cannot be written to. The values are saved in your data folder."))
