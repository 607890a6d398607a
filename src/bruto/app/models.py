"""State of the window, free of Qt: the edit of one shot with its history, and the shoot. Widgets observe and send
intents.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.develop.recipe import Recipe, Tone
from bruto.develop.suggest import Suggestion, take_all
from bruto.errors import BrutoError
from bruto.shoot.folder import open_shoot
from bruto.shoot.sets import find_sets
from bruto.shoot.shots import MERGED, Shot, ShotSet, read_shot
from bruto.shoot.sidecar import Sidecar, load_sidecar, save_sidecar


class Edit:
    """The recipe of one shot with undo and redo. One drag is one step: `change(..., final=False)` while it lasts."""

    changed = Signal()
    suggested = Signal()
    message = Signal(str)

    def __init__(self, path: Path) -> None:
        self.path = path
        self._sidecar, problem = load_sidecar(path)
        self.problem = problem
        self.suggestions: dict[str, Suggestion] = {}
        self._before_drag: Recipe | None = None
        self._unsaved = False

    @property
    def recipe(self) -> Recipe:
        return self._sidecar.recipe

    @property
    def sidecar(self) -> Sidecar:
        return self._sidecar

    def change(self, what: str, *, final: bool = True, **values: Any) -> bool:
        """Set values; returns False (with a message) where they are out of range."""
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
        self._sidecar.recipe = new
        if new != before:
            self._sidecar.history.append((what, before.model_dump(by_alias=True)))
            self._sidecar.future.clear()
            self._unsaved = True
        self.changed.emit()
        return True

    def reset(self, *fields: str) -> None:
        """Give fields (all without names) their default values."""
        default = Recipe().model_dump(by_alias=True)
        chosen = {k: default[k] for k in (fields or [k for k in default if k not in ("schema", "engine")])}
        self.change("reset " + (fields[0].replace("_", " ") if fields else "all"), **chosen)

    def take(self, field: str) -> None:
        """Take one suggestion."""
        suggestion = self.suggestions.get(field)
        if suggestion is not None:
            value = suggestion.value.model_dump() if isinstance(suggestion.value, Tone) else suggestion.value
            values: dict[str, Any] = {field: value}
            self.change(f"take {field.replace('_', ' ')}", **values)

    def take_all(self) -> None:
        """Take every suggestion, as one step."""
        if self.suggestions:
            new = take_all(self.recipe, self.suggestions)
            self.change("take all suggestions", **new.model_dump(by_alias=True))

    def open_suggestions(self) -> list[str]:
        """Fields whose value differs from the suggestion."""
        return [f for f, s in self.suggestions.items() if getattr(self.recipe, f) != s.value]

    def set_suggestions(self, suggestions: dict[str, Suggestion]) -> None:
        self.suggestions = suggestions
        self.suggested.emit()

    @property
    def can_undo(self) -> bool:
        return bool(self._sidecar.history)

    @property
    def can_redo(self) -> bool:
        return bool(self._sidecar.future)

    def undo(self) -> str:
        """Step back; returns what was undone."""
        return self._step(self._sidecar.history, self._sidecar.future)

    def redo(self) -> str:
        """Step forward; returns what was done again."""
        return self._step(self._sidecar.future, self._sidecar.history)

    def _step(self, source: list, target: list) -> str:
        if not source:
            return ""
        what, recipe = source.pop()
        target.append((what, self.recipe.model_dump(by_alias=True)))
        self._sidecar.recipe = Recipe.model_validate(recipe)
        self._before_drag = None
        self._unsaved = True
        self.changed.emit()
        return what

    def save(self) -> None:
        """Write the sidecar when something changed; a problem becomes a message."""
        if not self._unsaved:
            return
        try:
            where = save_sidecar(self.path, self._sidecar)
            self._unsaved = False
            if where.parent != self.path.parent:
                self.message.emit("This folder cannot be written: the values are kept in your data folder.")
        except (BrutoError, OSError) as error:
            self.message.emit(str(error))


class Shoot:
    """The shots of a folder, in sets, and which one is current."""

    opened = Signal()
    current_changed = Signal()

    def __init__(self) -> None:
        self.shots: list[Shot] = []
        self.sets: list[ShotSet] = []
        self.title = ""
        self.folder = Path()
        self._current: Shot | None = None

    def open(self, paths: list[str | Path], title: str = "") -> None:
        """Replace the shoot; raises `BrutoError` where nothing can be opened."""
        shots = open_shoot(paths)
        self.shots = shots
        self.sets = find_sets(shots)
        first = Path(paths[0])
        self.folder = first if first.is_dir() else first.parent
        self.title = title or self.folder.resolve().name
        self._current = None
        self.opened.emit()

    @property
    def current(self) -> Shot | None:
        return self._current

    def select(self, shot: Shot | None) -> None:
        if shot is not self._current:
            self._current = shot
            self.current_changed.emit()

    def set_of(self, shot: Shot) -> ShotSet:
        return next((s for s in self.sets if shot in s.shots), ShotSet("single", (shot,)))

    def add_file(self, path: Path) -> Shot:
        """Put a new raw (a merge result) on the list."""
        shot = read_shot(path, None)
        self.shots = [s for s in self.shots if s.raw != path] + [shot]
        self.sets = [s for s in self.sets if s.shots[0].raw != path] + [ShotSet("single", (shot,))]
        self.opened.emit()
        return shot


def shot_facts(shot: Shot) -> list[str]:
    """Two lines under a shot's name: settings and kind, as read from the file."""
    if shot.problem:
        return ["cannot be opened", ""]
    m = shot.seen
    if m is None:
        return ["", ""]
    exposure = ""
    if m.exposure_s:
        seconds = f"1/{1 / m.exposure_s:.0f} s" if m.exposure_s < 0.3 else f"{m.exposure_s:g} s"
        exposure = f"ISO {m.iso:.0f} · {seconds}" if m.iso else seconds
    kind = {"mosaic": "raw", "linear": "processed raw", "picture": "picture only, no raw"}[m.kind]
    if m.kind == "linear" and m.description.startswith(MERGED):
        kind = "merged, " + m.description.split(":")[0]
    elif shot.raw and shot.picture:
        kind += " + picture"
    return [exposure, kind]
