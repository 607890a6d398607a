"""Up to nine pictures at once, at the same place and size, each with its settings: a ladder of shots, or of values."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from psygnal import Signal

from bruto.catalog import tr
from bruto.compare.brightness import push_to, typical_light
from bruto.compare.push import further
from bruto.compare.sources import Side
from bruto.develop.field_ui import GROUPS
from bruto.develop.recipe import FIELDS, Recipe
from bruto.develop.recipe_text import sentence
from bruto.develop.rectangle import Rectangle
from bruto.session.compared_pair import CORRECTED, DEFAULTS, OTHER, PHONE, PREVIEW, SourceChoice
from bruto.session.comparison import ComparisonSession
from bruto.session.shoot import shot_facts
from bruto.session.workers import Worker

MOST = 9
"""Pictures at once."""
EDGE = 760
"""Long edge of a whole picture at least, pixels."""
MOST_OPEN = 4
"""Files held open for sharp pieces; others are read again."""
Rect = tuple[float, float, float, float]


@dataclass(frozen=True)
class Cell:
    """One of the pictures: what it is, its title, and how it was taken or what its values do."""

    choice: SourceChoice
    title: str
    settings: str


def settings_between(recipe: Recipe, base: Recipe) -> str:
    """Say what a recipe does where it differs from another one, in words.

    Parameters
    ----------
    recipe
        The edit, every value in its own unit.
    base
        What it starts from.

    Returns
    -------
    str
        What a recipe does where it differs from another one, in words.

    Examples
    --------
    >>> settings_between(Recipe(exposure=0.5), Recipe())
    'exposure +0.50 EV'
    """
    differing = set(recipe.differing(base)) | set(base.differing(recipe))
    groups = [name for name, _, _ in GROUPS if any(FIELDS[f].group == name for f in differing if f in FIELDS)]
    return ", ".join(sentence(name, recipe) for name in groups) or tr("the same values")


class Grid:
    """`cells`: what is shown, `MOST` at most; `equal`: whether all have the brightness of the first."""

    changed = Signal()
    """Other cells, or other values in them."""
    made = Signal(int, object, object, float)
    """Number of a cell, its whole picture (H, W, 3; uint8), its full size, and the push (EV) that made it as bright as
    the first.
    """
    piece_made = Signal(int, object, object)
    """Number of a cell, sharp pixels, and the place (x, y, width, height; shares of the frame) they have."""
    failed = Signal(int, str)

    def __init__(self, comparing: ComparisonSession, render: Worker) -> None:
        self.comparing = comparing
        self.cells: list[Cell] = []
        self._chosen: tuple[Any, tuple[tuple[str, str], ...]] = (None, ())
        self._wholes = render.channel("grid", 128)
        self._pieces = render.channel("pieces of the grid", 122)
        self._key: Any = None
        self._sides: OrderedDict[int, Side] = OrderedDict()
        self._pushes: dict[int, float] = {}
        self._light = 0.0

    # -- what is shown

    def choices(self) -> list[SourceChoice]:
        """All that may be shown beside each other."""
        return self.comparing.sources.choices()

    def _subject(self) -> Any:
        shot, shoot = self.comparing.opened.shot, self.comparing.shoot
        return (shot and shot.main, tuple(s.main for s in shoot.selection))

    def picked(self) -> tuple[tuple[str, str], ...]:
        """Kind and name of what is shown: what was picked, or at first the selected shots, or what there is of one."""
        known = [(c.kind, c.name) for c in self.choices()]
        subject, chosen = self._chosen
        if subject == self._subject():
            return tuple(c for c in chosen if c in known)[:MOST]
        shoot = self.comparing.shoot
        others = {str(s.main) for s in shoot.selection} | {n for kind, n in self.comparing.wells if kind == OTHER}
        shots = [c for c in known if c[0] == OTHER and c[1] in others]
        if shots:
            return ((CORRECTED, ""), *shots)[:MOST]
        preview = (PHONE, "") not in known
        own = [c for c in known if c[0] != OTHER and (c[0] != PREVIEW or preview)]
        return tuple(own[:MOST])

    def pick(self, kind: str, name: str, on: bool) -> None:
        """Show something too, or no more.

        Parameters
        ----------
        kind
            What a side is: corrected, defaults, phone, preview, matched, version or shot.
        name
            Name as the user sees it.
        on
            Whether it is switched on.
        """
        now = [c for c in self.picked() if c != (kind, name)]
        if on:
            now.append((kind, name))
        order = [(c.kind, c.name) for c in self.choices()]
        self._chosen = (self._subject(), tuple(sorted(now, key=order.index))[:MOST])
        self.show()

    def _cell(self, choice: SourceChoice) -> Cell:
        opened, shoot = self.comparing.opened, self.comparing.shoot
        assert opened.shot is not None and opened.edit is not None
        if choice.kind == OTHER:
            other = next(s for s in shoot.shots if str(s.main) == choice.name)
            return Cell(choice, other.name, ", ".join(filter(None, shot_facts(other))))
        facts = shot_facts(opened.shot)
        if len({c for c, _ in self.picked()}) > 1 and any(c == OTHER for c, _ in self.picked()):
            title = opened.shot.name if choice.kind == CORRECTED else f"{opened.shot.name}: {choice.title}"
            return Cell(choice, title, ", ".join(filter(None, facts)))
        recipe = self.comparing.sources.recipe_of(choice.kind, choice.name)
        if choice.kind == DEFAULTS:
            return Cell(choice, choice.title, facts[0])
        if recipe is None:
            return Cell(choice, choice.title, tr("as the phone made it"))
        return Cell(choice, choice.title, settings_between(recipe, Recipe()))

    # -- making them

    def show(self) -> None:
        """Make what is shown, unless that is done or on its way."""
        opened = self.comparing.opened
        if opened.shot is None or opened.developer is None or opened.edit is None:
            self._forget()
            self.cells = []
            self.changed.emit()
            return
        by = {(c.kind, c.name): c for c in self.choices()}
        picked = self.picked()
        push, equal = self.comparing.push, self.comparing.equal
        key = (opened.shot.main, picked, [self.comparing.sources.recipe_of(*p) for p in picked], push, equal)
        if key == self._key:
            return
        self._forget()
        self._key = key
        self.cells = [self._cell(by[p]) for p in picked]
        self._makers = [self.comparing.sources.maker(*p) for p in picked]
        self.changed.emit()
        self._next(0)

    def _forget(self) -> None:
        self._key = None
        self._wholes.forget()
        self._pieces.forget()
        self._sides.clear()
        self._pushes, self._light = {}, 0.0

    def _side(self, k: int, ev: float) -> Side:
        return self._makers[k](further(self.comparing.push, ev))

    def _next(self, k: int) -> None:
        if k >= len(self.cells):
            return
        equal, light = self.comparing.equal, self._light

        def work() -> tuple[Side, NDArray[np.uint8], float]:
            side, ev = self._side(k, 0.0), 0.0
            if equal and k:
                side, ev = push_to(light, side, lambda ev: self._side(k, ev), EDGE)
            whole = side.whole(EDGE)
            scale = 2 * EDGE / max(whole.shape)
            if scale < 1:
                whole = cv2.resize(whole, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
            return side, whole, ev

        def done(found: tuple[Side, NDArray[np.uint8], float]) -> None:
            side, whole, ev = found
            if k == 0:
                self._light = typical_light(whole)
            self._pushes[k] = ev
            self._keep(k, side)
            self.made.emit(k, whole, side.size, ev)
            self._next(k + 1)

        def failed(why: str) -> None:
            self.failed.emit(k, why)
            self._next(k + 1)

        self._wholes.ask((self._key, k), work, done, failed)

    def _keep(self, k: int, side: Side) -> None:
        self._sides[k] = side
        self._sides.move_to_end(k)
        while len(self._sides) > MOST_OPEN:
            self._sides.popitem(last=False)

    def pieces(self, rect: Rect | None) -> None:
        """Ask for the sharp pixels of one place (shares of the frame) in all that are made, or of none.

        Parameters
        ----------
        rect
            Rectangle in output pixels.
        """
        if rect is None:
            self._pieces.forget()
            return
        self._next_piece(sorted(self._pushes), rect)

    def _next_piece(self, left: list[int], rect: Rect) -> None:
        if not left:
            return
        k, rest = left[0], left[1:]
        cached, ev = self._sides.get(k), self._pushes[k]

        def work() -> tuple[Side, NDArray[np.uint8], Rect]:
            side = cached or self._side(k, ev)
            w, h = side.size
            x, y = (min(max(round(rect[i] * n), 0), n - 1) for i, n in ((0, w), (1, h)))
            width, height = (max(1, min(round(rect[i] * n), n - o)) for i, n, o in ((2, w, x), (3, h, y)))
            part = side.part(Rectangle(x, y, width, height))
            return side, part, (x / w, y / h, width / w, height / h)

        def done(found: tuple[Side, NDArray[np.uint8], Rect]) -> None:
            side, part, place = found
            self._keep(k, side)
            self.piece_made.emit(k, part, place)
            self._next_piece(rest, rect)

        self._pieces.ask((self._key, k, rect), work, done, lambda why: self.failed.emit(k, why))
