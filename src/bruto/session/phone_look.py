"""The phone's look: found behind the window, taken in part, used on this shot and others, kept as a recipe."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.align.registration import register_codes
from bruto.catalog import tr
from bruto.compare.match.parts import PARTS, mixed
from bruto.compare.match.solver import Match, match
from bruto.compare.metrics import COMPARE_EDGE
from bruto.compare.push import further
from bruto.compare.sources import Developed
from bruto.container.picture import read_picture
from bruto.develop.history_text import PHONE_LOOK
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_library import NamedRecipe, keep
from bruto.errors import BrutoError
from bruto.session.edit import Edit
from bruto.session.long_tasks import LongTask, LongTasks
from bruto.session.open_shots import OpenShots
from bruto.session.shoot import Shoot
from bruto.session.workers import Precedence
from bruto.shoot.shots import Shot

MATCH = "match"
"""Kind of the task that finds a look."""


def captured_light(shot: Shot) -> float | None:
    """Find how much a shot makes of the scene's light, EV: by ISO, time and aperture; None where they are unknown.

    Parameters
    ----------
    shot
        The shot concerned.

    Returns
    -------
    float | None
        How much a shot makes of the scene's light, EV.
    """
    seen = shot.seen
    if seen is None or not seen.iso or not seen.exposure_s:
        return None
    return math.log2(seen.iso * seen.exposure_s) - 2 * math.log2(seen.f_number or 1.0)


class PhoneLookSearch:
    """`matched`: the look, once it was solved, `of` which shot; `parts`, `strength` (0..1): how much of it is taken."""

    turned = Signal()
    """Another shot is shown, of which no look is known."""
    found = Signal()
    used = Signal()
    message = Signal(str)

    def __init__(self, opened: OpenShots, shoot: Shoot, tasks: LongTasks) -> None:
        self.opened, self.shoot, self.tasks = opened, shoot, tasks
        self.matched: Match | None = None
        self.of: Path | None = None
        self.parts: tuple[str, ...] = tuple(PARTS)
        self.strength = 1.0

    def turn_to(self, main: Path) -> None:
        """Another shot is shown: the look of any other is forgotten."""
        if self.of != main:
            self.stop()
            self.matched = self.of = None
            self.turned.emit()

    def recipe(self) -> Recipe:
        """Return the shown shot's values with what is taken of the look."""
        edit = self.opened.edit
        assert edit is not None and self.matched is not None
        as_shot = self.opened.as_shot or (5500.0, 0.0)
        return mixed(edit.recipe, self.matched.recipe, self.parts, self.strength, as_shot)

    def why_not(self) -> str:
        """Why the phone's look cannot be found for the shown shot, "" where it can."""
        shot = self.opened.shot
        if shot is None or shot.problem or self.opened.developer is None:
            return tr("Choose a shot first.")
        if shot.raw is None or shot.picture is None:
            return tr("This needs a raw and the phone's picture of the same moment.")
        return ""

    @property
    def running(self) -> LongTask | None:
        """The search that runs."""
        return self.tasks.running(MATCH)

    def stop(self) -> None:
        """Give the search up."""
        for task in self.tasks.of(MATCH):
            self.tasks.stop(task)

    def find(self) -> None:
        """Solve the recipe by which the raw looks like the phone's picture."""
        shot, edit, developer = self.opened.shot, self.opened.edit, self.opened.developer
        why = self.why_not()
        if why or shot is None or edit is None or developer is None or shot.picture is None:
            self.message.emit(why)
            return
        self.stop()
        recipe, path, main = edit.recipe, shot.picture, shot.main
        own = Developer(developer.source)  # what the stage shows is developed on another thread meanwhile
        task = LongTask(MATCH, tr("Finding the phone's look"), subject=main, precedence=Precedence.PAGE)

        def work() -> Match:
            picture = read_picture(path).pixels
            alignment = register_codes(Developed(own, recipe).whole(COMPARE_EDGE), picture)
            return match(own, picture, alignment, recipe, task.tell, task.stopped)

        def done(found: Match) -> None:
            if task.stopped():
                return
            self.matched, self.of = found, main
            if self.opened.shot is not None and self.opened.shot.main == main:
                self.found.emit()

        def failed(why: str) -> None:
            if self.opened.shot is not None and self.opened.shot.main == main:
                self.message.emit(why)

        self.tasks.start(task, work, done, failed)

    def shared_values(self) -> dict[str, Any]:
        """Find what is taken of the look, without what belongs to this shot's frame."""
        look = self.recipe().model_dump(by_alias=True)
        parts = [p for p in self.parts if p != "local"]
        return {f: look[f] for part in parts for f in PARTS[part][1]}

    def values_for_others(self) -> Callable[[Edit], dict[str, Any]]:
        """Find what another shot gets of the look.

        Its exposure makes up for what it was given of light: within the set that is known by ISO, time and
        aperture; other shots are moved from their own exposure as this one was from its own.
        """
        shot, edit = self.opened.shot, self.opened.edit
        assert shot is not None and edit is not None
        values, mine = self.shared_values(), edit.recipe.exposure
        lights = {s.main: captured_light(s) for s in self.shoot.set_of(shot).shots}

        def of(other: Edit) -> dict[str, Any]:
            if "exposure" not in values or other.path == edit.path:
                return values
            ours, theirs = lights.get(shot.main), lights.get(other.path)
            if ours is not None and theirs is not None:
                ev = values["exposure"] + ours - theirs
            else:
                ev = other.recipe.exposure + values["exposure"] - mine
            return {**values, "exposure": further(Recipe(), round(ev, 3)).exposure}

        return of

    def keep_as(self, name: str) -> bool:
        """Keep what is taken of the look as a recipe of a name; whether that went well.

        Parameters
        ----------
        name
            Name as the user sees it.

        Returns
        -------
        bool
            True where that is so.
        """
        if self.matched is None:
            return False
        values = self.shared_values()
        try:
            keep(NamedRecipe(name, tuple(values), self.recipe()))
        except (BrutoError, OSError) as error:
            self.message.emit(str(error))
            return False
        return True

    def use(self) -> None:
        """Give the shown shot what is taken of the phone's look, as one step."""
        edit = self.opened.edit
        if edit is not None and self.matched is not None:
            look = self.recipe()
            fields = {f for part in self.parts for f in PARTS[part][1]}
            values = {k: v for k, v in look.model_dump(by_alias=True).items() if k in fields}
            edit.change(PHONE_LOOK, **values)
            self.used.emit()
