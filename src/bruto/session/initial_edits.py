"""Where a shot starts that was never edited, and every shot's small picture as it is developed.

Found behind the window, one shot after the other, and kept in the user's cache.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.container.picture import decode_jpeg
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, recipe_from
from bruto.develop.source import open_source
from bruto.develop.suggest.suggester import SuggestionInput, take_all
from bruto.develop.thumbnail import SMALL_EDGE, coded, small_picture
from bruto.errors import BrutoError
from bruto.session.workers import AGAIN, Post, Precedence, Worker
from bruto.shoot.shots import Shot
from bruto.shoot.sidecar import load_sidecar
from bruto.storage import render_cache
from bruto.storage.json_files import parse_json
from bruto.storage.safe_read import content_key

SUGGESTIONS, DEFAULTS = "suggestions", "defaults"


def saved_start(path: Path) -> Recipe | None:
    """Return the recipe that a file's suggestions make, as it is kept; None where it has to be found.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    Recipe | None
        The recipe that a file's suggestions make, as it is kept.
    """
    try:
        data = render_cache.load("start", content_key(path))
        return None if data is None else recipe_from(parse_json(data, "the kept start"))
    except (BrutoError, OSError):
        return None


def save_start(path: Path, recipe: Recipe) -> None:
    """Keep the recipe that a file's suggestions make; what cannot be kept is found again.

    Parameters
    ----------
    path
        File to read.
    recipe
        The edit, every value in its own unit.
    """
    try:
        render_cache.store("start", content_key(path), json.dumps(recipe.model_dump(by_alias=True)).encode())
    except (BrutoError, OSError):
        pass


def find_start(path: Path) -> Recipe:
    """Find the recipe that a file's suggestions make, where it is not kept: some seconds.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    Recipe
        The same, found where it is not kept.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    found = saved_start(path)
    if found is None:
        suggesting = SuggestionInput(Developer(open_source(path)))
        while suggesting.step():
            pass
        found = take_all(Recipe(), suggesting.found)
        save_start(path, found)
    return found


class InitialPicture:
    """The small picture of one file, made in steps of tenths of a second.

    `recipe`: its values; None: those beside it, or its suggestions where `suggest` is set and it was never
    edited. Ends with the picture, (h, w, 3) uint8, oriented.
    """

    def __init__(self, path: Path, recipe: Recipe | None, suggest: bool) -> None:
        self.path, self.recipe, self.suggest = path, recipe, suggest
        self.start: Recipe | None = None
        """What its suggestions make, where they were wanted."""
        self._developer: Developer | None = None
        self._suggesting: SuggestionInput | None = None
        self._key = ""

    def step(self) -> Any:
        """Return the next step: `AGAIN`, or the picture.

        Raises `BrutoError`.
        """
        if not self._key:
            self._key = content_key(self.path)
            if self.recipe is None:
                side, _ = load_sidecar(self.path)
                self.recipe = side.recipe
                if self.suggest and side.untouched:
                    self.start = saved_start(self.path)
                    self.recipe = self.start
        if self.recipe is None:
            return self._suggest()
        digest = hashlib.blake2b(json.dumps(self.recipe.model_dump(by_alias=True)).encode(), digest_size=8)
        name = f"{self._key}{digest.hexdigest()}"
        data = render_cache.load("small", name)
        if data is not None:
            return decode_jpeg(data, SMALL_EDGE)
        picture = small_picture(self._developer or Developer(open_source(self.path)), self.recipe)
        render_cache.store("small", name, coded(picture))
        return picture

    def _suggest(self) -> Any:
        if self._suggesting is None:
            self._developer = Developer(open_source(self.path))
            self._suggesting = SuggestionInput(self._developer)
        elif not self._suggesting.step():
            self.start = self.recipe = take_all(Recipe(), self._suggesting.found)
            save_start(self.path, self.start)
        return AGAIN


class InitialEdits:
    """`on`: whether shots that were never edited start with their suggestions."""

    made = Signal(object, object)
    """A shot, and its picture as it is developed."""
    found = Signal(object)
    """A file whose start is known now."""
    changed = Signal()
    """Shots start otherwise than before."""

    def __init__(self, on: bool, post: Post) -> None:
        self.on = on
        self.worker = Worker("developing behind", post, Precedence.BEHIND)
        self._channel = self.worker.channel("small pictures")
        self._keeping = self.worker.channel("keeping", 10)
        self._starts: dict[str, Recipe] = {}
        self._todo: list[Shot] = []
        self._made: set[Path] = set()
        self._running: Path | None = None
        self.values: Callable[[Path], Recipe | None] = lambda path: None
        """The values of a file that is open, None of others."""

    def close(self) -> None:
        """End, after the step that is running."""
        self._todo = []
        self.worker.close()

    def set_on(self, on: bool) -> None:
        """Check whether shots start with their suggestions from now on.

        Parameters
        ----------
        on
            Whether it is switched on.
        """
        if on != self.on:
            self.on = on
            self._made.clear()
            self.changed.emit()

    # -- where a shot starts

    def of(self, path: Path) -> Recipe | None:
        """Find where a file starts that was never edited; None: at the default values, or it is not known yet.

        Parameters
        ----------
        path
            File to read.

        Returns
        -------
        Recipe | None
            Where a file starts that was never edited.
        """
        if not self.on:
            return None
        key = str(path)
        if key not in self._starts:
            saved = saved_start(path)
            if saved is None:
                return None
            self._starts[key] = saved
        return self._starts[key]

    def learn(self, path: Path, recipe: Recipe) -> None:
        """Keep what a file's suggestions make, which was found elsewhere.

        Parameters
        ----------
        path
            File to read.
        recipe
            The edit, every value in its own unit.
        """
        self._starts[str(path)] = recipe
        self._keeping.ask(path, lambda: save_start(path, recipe), lambda _: None, lambda _: None)

    def recipe_of(self, path: Path) -> Recipe | None:
        """Return the values in force of a file that is not open, read from beside it.

        None where its suggestions have to be found first.

        Parameters
        ----------
        path
            File to read.

        Returns
        -------
        Recipe | None
            The values in force of a file that is not open, read from beside it.
        """
        side, _ = load_sidecar(path)
        return self.of(path) if self.on and side.untouched else side.recipe

    # -- small pictures

    def follow(self, shots: Iterable[Shot]) -> None:
        """Make the pictures of a shoot that are not made yet, in this order.

        Parameters
        ----------
        shots
            The shots concerned.
        """
        self._todo = [s for s in shots if not s.problem and s.main not in self._made]
        self._next()

    def again(self, shots: Iterable[Shot]) -> None:
        """Make the pictures of these shots anew first: their values are others now.

        Parameters
        ----------
        shots
            The shots concerned.
        """
        first = [s for s in shots if not s.problem]
        names = {s.main for s in first}
        self._todo = first + [s for s in self._todo if s.main not in names]
        if self._running in names:
            self._channel.forget()
            self._running = None
        self._next()

    def forget(self, paths: Iterable[Path]) -> None:
        """Files that came new or changed."""
        for path in paths:
            self._starts.pop(str(path), None)
            self._made.discard(path)

    def _next(self) -> None:
        if self._running is not None or not self._todo:
            return
        shot = self._todo.pop(0)
        self._running = shot.main
        making = InitialPicture(shot.main, self.values(shot.main), self.on)

        def done(picture: Any) -> None:
            self._running = None
            self._made.add(shot.main)
            if making.start is not None and making.suggest:
                self._starts[str(shot.main)] = making.start
                self.found.emit(shot.main)
            self.made.emit(shot, picture)
            self._next()

        def failed(_: str) -> None:  # it is reported where the shot is opened or measured
            self._running = None
            self._made.add(shot.main)
            self._next()

        self._channel.ask(shot.main, making.step, done, failed)
