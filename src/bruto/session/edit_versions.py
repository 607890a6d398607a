"""Versions of a shot: recipes that were kept under names."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

from bruto.develop.recipe import Recipe
from bruto.errors import BrutoError
from bruto.shoot.sidecar import Sidecar

Values = dict[str, Any]
LONGEST_NAME = 60
"""Letters of a version's name."""


def on_top_of(history: Sequence[tuple[str, Values]], start: Recipe) -> list[tuple[str, Values]]:
    """Let steps that were made on the default values stand on top of other ones.

    Parameters
    ----------
    history
        Steps, each with the values that were in force before it.
    start
        The values that are in force instead of the default ones.

    Returns
    -------
    list[tuple[str, Values]]
        The steps.
    """
    default, values = Recipe().model_dump(by_alias=True), start.model_dump(by_alias=True)
    return [(what, {f: values[f] if v == default[f] else v for f, v in before.items()}) for what, before in history]


class Versioned(Protocol):
    """What has versions: the edit of a shot."""

    changed: Any
    message: Any

    @property
    def recipe(self) -> Recipe:
        """The values in force."""

    @property
    def sidecar(self) -> Sidecar:
        """The stored values of the shot."""

    def open_for_changes(self) -> bool:
        """Whether changes may begin."""

    def touch(self) -> None:
        """Mark that something is to be written."""

    def change(self, what: str, *, final: bool = True, **values: Any) -> bool:
        """Set values, as one step of history.

        Parameters
        ----------
        what
            Key of the step in the history.
        final
            Whether the drag has ended.
        **values
            Fields of the recipe with their new values.

        Returns
        -------
        bool
            Whether they are in force.
        """


class EditVersions:
    """Recipes of a shot that are kept under names."""

    def __init__(self, edit: Versioned) -> None:
        self.edit = edit

    def keep(self, name: str) -> bool:
        """Keep the recipe as it is now under a name; one of that name is replaced.

        False without a name.

        Parameters
        ----------
        name
            Name of the version, 1 to 60 characters.

        Returns
        -------
        bool
            True where that is so.
        """
        name = name.strip()[:LONGEST_NAME]
        if not name or not self.edit.open_for_changes():
            return False
        self.edit.sidecar.versions[name] = self.edit.recipe.model_dump(by_alias=True)
        self.edit.touch()
        self.edit.changed.emit()
        return True

    def drop(self, name: str) -> None:
        """Forget a version; the shot's recipe stays as it is.

        Parameters
        ----------
        name
            Name of the version, 1 to 60 characters.
        """
        if self.edit.open_for_changes() and self.edit.sidecar.versions.pop(name, None) is not None:
            self.edit.touch()
            self.edit.changed.emit()

    def get(self, name: str) -> Recipe | None:
        """Return a version's recipe; None with a message where it cannot be used.

        Parameters
        ----------
        name
            Name of the version, 1 to 60 characters.

        Returns
        -------
        Recipe | None
            A version's recipe.
        """
        try:
            return self.edit.sidecar.version(name)
        except BrutoError as error:
            self.edit.message.emit(str(error))
            return None

    def use(self, name: str) -> bool:
        """Give the shot a version's values, as one step of history.

        Parameters
        ----------
        name
            Name of the version, 1 to 60 characters.

        Returns
        -------
        bool
            True where that is so.
        """
        found = self.get(name)
        return found is not None and self.edit.change(f"version:{name}", **found.model_dump(by_alias=True))
