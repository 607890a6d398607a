"""The shots that are open: their edits, decoded files, suggestions and light; one of them is shown."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.develop.analysis.scene_light import SceneLight, scene_light
from bruto.develop.frame_geometry import Geometry, geometry_of
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.source import is_as_asked, open_source
from bruto.develop.suggest.suggester import SuggestionInput, take_all
from bruto.session.edit import Edit
from bruto.session.initial_edits import InitialEdits
from bruto.session.workers import AGAIN, Worker
from bruto.shoot.shots import Shot

MOST_OPEN, MOST_BYTES = 2, 900_000_000
"""Decoded files of recent shots kept in memory: how many, and bytes beyond which only the one that is shown is."""
MOST_EDITS = 40
"""Shots whose values, suggestions and light are kept, the latest."""


@dataclass(frozen=True)
class Decoded:
    """A decoded file, with the temperature (K) and Duv of its own neutral."""

    developer: Developer
    as_shot: tuple[float, float]


def _decoded(developer: Developer) -> Decoded:
    return Decoded(developer, developer.as_shot())


class OpenShots:
    """`shot`, `edit` and `developer` are those that are shown now, None where there is none (yet)."""

    shown = Signal()
    """Another shot is shown, or none; its file is not there yet."""
    decoded = Signal()
    """The shown shot's file is there, or is turned or cut otherwise than before."""
    failed = Signal(str)
    """The shown shot's file cannot be opened, and why."""
    suggested = Signal()
    lit = Signal()
    edited = Signal(object, object)
    """A shot and its edit, which was changed."""
    saved = Signal()
    """An edit was saved, or could not be."""
    message = Signal(str)

    def __init__(self, worker: Worker, starting: InitialEdits) -> None:
        self.starting = starting
        starting.values = self._values
        starting.found.connect(self._start_found)
        starting.changed.connect(self._starts_changed)
        self.shot: Shot | None = None
        self.edit: Edit | None = None
        self.developer: Developer | None = None
        self.as_shot: tuple[float, float] | None = None
        self.edits: dict[str, Edit] = {}
        self._open: OrderedDict[str, Decoded] = OrderedDict()
        self._suggesting: dict[str, SuggestionInput] = {}
        self._lights: dict[str, SceneLight] = {}
        self._geometry: tuple[tuple[Any, ...], Geometry] | None = None
        self._opening = worker.channel("opening", 80)
        self._light = worker.channel("light", 90)
        self._suggestions = worker.channel("suggestions", 100)

    def _say(self, text: str) -> None:
        self.message.emit(text)

    # -- turning to a shot

    def turn_to(self, shot: Shot | None) -> None:
        """Show a shot, or none: its edit at once, its file when it is decoded.

        Parameters
        ----------
        shot
            The shot concerned.
        """
        self.save()
        key = None if shot is None else str(shot.main)
        for channel in (self._opening, self._light, self._suggestions):
            channel.forget()
        self.shot, self.developer, self.edit, self.as_shot = shot, None, None, None  # nothing may reach the last one
        if shot is None or key is None or shot.problem or shot.meta is None:
            self.shown.emit()
            return
        fresh = key not in self.edits
        self.edit = self._edit_of(shot)
        self.shown.emit()
        if fresh and self.edit.problem:
            self._say(self.edit.problem)
        known = self._open.get(key)
        if known is not None and is_as_asked(known.developer.source, self.edit.recipe):
            self._opened(known)
            return
        path, recipe = shot.main, self.edit.recipe
        source = None if known is None else known.developer

        def work() -> Decoded:
            return _decoded((source or Developer(open_source(path))).asked(recipe))

        self._opening.ask(key, work, self._opened, self.failed.emit)

    def _edit_of(self, shot: Shot) -> Edit:
        key = str(shot.main)
        edit = self.edits.pop(key, None)
        if edit is None:
            edit = Edit(shot.main)
            self._begin(edit)
            edit.changed.connect(partial(self._edited, shot, edit))
            edit.suggested.connect(partial(self._was_suggested, edit))
            edit.message.connect(self._say)
            edit.saved.connect(lambda: self.saved.emit())
        self.edits[key] = edit  # the latest is the last
        for old, left in list(self.edits.items())[:-MOST_EDITS]:  # what was looked at long ago is let go, once saved
            if not left.unsaved:
                del self.edits[old]
                self._lights.pop(old, None)
        return edit

    # -- where shots start that were never edited

    def _begin(self, edit: Edit) -> None:
        """Let an edit start where new shots start."""
        if edit.untouched:
            start = self.starting.of(edit.path)
            edit.start_with(start)
            edit.awaits_start = start is None and self.starting.on

    def _values(self, path: Path) -> Recipe | None:
        edit = self.edits.get(str(path))
        return None if edit is None or edit.awaits_start else edit.recipe

    def _start_found(self, path: Path) -> None:
        edit = self.edits.get(str(path))
        if edit is not None and edit.awaits_start:
            edit.start_with(self.starting.of(path))

    def _starts_changed(self) -> None:
        for edit in list(self.edits.values()):
            self._begin(edit)
        if self.edit is not None and self.edit.awaits_start and self.developer is not None:
            self._start_suggested(self.edit)

    def _start_suggested(self, edit: Edit) -> None:
        """Its suggestions were found: where it was never edited, it starts with them."""
        if edit.untouched and edit.suggestions:
            recipe = take_all(Recipe(), edit.suggestions)
            self.starting.learn(edit.path, recipe)
            if self.starting.on:
                edit.start_with(recipe)
        elif edit.awaits_start:
            edit.start_with(take_all(Recipe(), edit.suggestions) if edit.suggestions else None)

    def _edited(self, shot: Shot, edit: Edit) -> None:
        developer = self.developer
        if edit is self.edit and developer is not None and not is_as_asked(developer.source, edit.recipe):
            recipe = edit.recipe
            self._opening.ask(
                str(shot.main), lambda: _decoded(developer.asked(recipe)), self._turned, self.failed.emit
            )  # fmt: skip
        self.edited.emit(shot, edit)

    def _turned(self, found: Decoded) -> None:
        """Turn or cut the file as the recipe asks now."""
        if self.edit is not None:
            self.edit.suggestions = {}  # lines and lights lie elsewhere now
            self._opened(found)

    def _was_suggested(self, edit: Edit) -> None:
        if edit is self.edit:
            self.suggested.emit()

    def _opened(self, found: Decoded) -> None:
        assert self.edit is not None and self.shot is not None
        key = str(self.shot.main)
        self.developer, self.as_shot = found.developer, found.as_shot
        self._open[key] = found
        self._open.move_to_end(key)
        while len(self._open) > 1 and (
            len(self._open) > MOST_OPEN or sum(d.developer.memory_bytes for d in self._open.values()) > MOST_BYTES
        ):
            oldest, _ = self._open.popitem(last=False)
            self._suggesting.pop(oldest, None)
        self.decoded.emit()
        if self.edit.suggestions:
            self.suggested.emit()
        else:
            self._suggest(key, self.edit, found.developer)
        if key in self._lights:
            self.lit.emit()
        else:
            developer = found.developer
            self._light.ask(key, lambda: scene_light(developer), partial(self._lit, key), self._say)

    def _suggest(self, key: str, edit: Edit, developer: Developer) -> None:
        """Find suggestions part by part; pictures asked for meanwhile come in between."""
        known = self._suggesting.get(key)
        if known is None or known.developer is not developer:
            known = self._suggesting[key] = SuggestionInput(developer)
        suggesting = known

        def done(_: object) -> None:
            self._suggesting.pop(key, None)
            edit.set_suggestions(suggesting.found)
            self._start_suggested(edit)

        def failed(why: str) -> None:
            self._suggesting.pop(key, None)  # begun anew when the shot is opened again
            edit.start_with(None)
            self.decoded.emit()  # its picture was held back until now
            self.message.emit(why)

        self._suggestions.ask(key, lambda: AGAIN if suggesting.step() else None, done, failed)

    def _lit(self, key: str, found: SceneLight) -> None:
        self._lights[key] = found
        self.lit.emit()

    # -- what is known of the shown shot

    @property
    def light(self) -> SceneLight | None:
        """Its light in stops, once it is known."""
        return None if self.shot is None else self._lights.get(str(self.shot.main))

    def opened(self, path: Path) -> Developer | None:
        """Return the decoded file of a path, if it is open.

        Parameters
        ----------
        path
            File to read.

        Returns
        -------
        Developer | None
            The decoded file of a path, if it is open.
        """
        found = self._open.get(str(path))
        return None if found is None else found.developer

    def geometry(self, uncropped: bool = False) -> Geometry | None:
        """Find how its recipe maps its frame now; the pipeline has its own, on its own thread.

        Parameters
        ----------
        uncropped
            Whether the whole straightened frame is meant.

        Returns
        -------
        Geometry | None
            How its recipe maps its frame now.
        """
        if self.developer is None or self.edit is None:
            return None
        recipe, meta = self.edit.recipe, self.developer.source.meta
        key = (id(meta), recipe, uncropped)
        if self._geometry is None or self._geometry[0] != key:
            self._geometry = (key, geometry_of(meta, recipe.effective(), uncropped))
        return self._geometry[1]

    def light_at(self, x: float, y: float) -> float | None:
        """Compute the scene light at a relative place of the recorded frame, EV from grey.

        Before the recipe's exposure.

        Parameters
        ----------
        x
            Share of the width, 0..1.
        y
            Share of the height, 0..1.

        Returns
        -------
        float | None
            Scene light at a relative place of the recorded frame, EV from grey, before the recipe's exposure.
        """
        light = self.light
        return None if light is None else light.at(x, y)

    def values(self) -> Callable[[Path], Recipe | None]:
        """Return what finds the values in force of any file, open or not, also on another thread.

        None where its suggestions have to be found first.
        """
        now = {key: self._values(edit.path) for key, edit in self.edits.items()}

        def values_of(path: Path) -> Recipe | None:
            key = str(path)
            return now[key] if key in now else self.starting.recipe_of(path)

        return values_of

    @property
    def recipe(self) -> Recipe:
        """The recipe that is shown, the default one where nothing is open."""
        return self.edit.recipe if self.edit is not None else Recipe()

    # -- saving

    def save(self) -> None:
        """Write the shown shot's sidecar now, where something was changed."""
        if self.edit is not None:
            self.edit.save()

    def save_all(self) -> None:
        """Write what is not written of any shot that was opened."""
        for edit in self.edits.values():
            edit.save()
