"""Comparing any two pictures: what stands in the two wells, what is computed of them, and the phone's look."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from psygnal import Signal

from bruto.align.registration import Alignment, register_codes
from bruto.compare.match.parts import PARTS, mixed
from bruto.compare.match.solve import Match, match
from bruto.compare.metrics import COMPARE_EDGE, Aligned, Comparison, aligned, measured
from bruto.compare.places import Place, places_of
from bruto.compare.push import pushed
from bruto.compare.report import Compared as Page
from bruto.compare.report import write_report
from bruto.compare.sides import Developed, Finished, Side, sharp_pair, side_of
from bruto.compare.sweep import STEPS_EV, Swept, swept
from bruto.compare.worth import worth
from bruto.container.picture import read_picture
from bruto.develop.frame import Rectangle
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.session.open_shots import OpenShots
from bruto.session.shoot import Shoot
from bruto.session.work import Post, Worker
from bruto.shoot.shots import oriented_preview
from bruto.storage.outputs import Outputs

CORRECTED, DEFAULTS, PHONE, PREVIEW, MATCHED, VERSION, OTHER = (
    "corrected", "defaults", "phone", "preview", "matched", "version", "shot",
)  # fmt: skip
PIECE_SIDE = 360
"""Sides of the two pieces that a place is shown by, pixels of the first."""


@dataclass(frozen=True)
class Choice:
    """What may stand in a well: its `kind`, the name of a version or the path of a shot, and its title."""

    kind: str
    name: str
    title: str


@dataclass(frozen=True)
class Compared:
    """A comparison of two sides with their titles, and the `places` worth a look; `worth`: whether the raw is, where
    it stands beside its picture.
    """

    comparison: Comparison
    first: Side
    second: Side
    titles: tuple[str, str]
    places: tuple[Place, ...]
    worth: str = ""

    @property
    def alignment(self) -> Alignment:
        return self.comparison.alignment


class Comparing:
    """`state`: what there is for the shot that is shown, a `Compared` or a sentence why there is none (yet); `wells`:
    kind and name of both sides; `push`: what acts on both; `matched`: the phone's look, once it was solved; `parts`,
    `strength` (0..1): how much of it is taken.
    """

    changed = Signal()
    aligned_made = Signal(object, object, object)
    """Both on one grid (`Aligned`), the size of the first and their titles: to be seen while they are measured."""
    first_made = Signal(object)
    """The first side anew (H, W, 3; uint8), while its values are dragged."""
    piece_made = Signal(object)
    """A sharp pair, None to take it away."""
    difference_made = Signal(object, object)
    """ΔE00 (H, W) of what is compared, and where it holds."""
    swept = Signal(object)
    """A `Swept`: both under one push of a sweep."""
    place_made = Signal(int, object)
    """The number of a place, and its sharp pair."""
    matching = Signal(float)
    """How far the match is, 0..1; 1 also where it was given up."""
    message = Signal(str)

    def __init__(self, opened: OpenShots, shoot: Shoot, render: Worker, background: Worker, post: Post) -> None:
        self.opened, self.shoot, self.post = opened, shoot, post
        self.state: Compared | str = "Choose a shot to compare."
        self.wells: tuple[tuple[str, str], tuple[str, str]] = ((CORRECTED, ""), (PHONE, ""))
        self.push = Recipe()
        self.matched: Match | None = None
        self.parts: tuple[str, ...] = tuple(PARTS)
        self.strength = 1.0
        self.blind: bool | None = None
        """Whether names are hidden, and then whether both were exchanged; None: they are shown."""
        self.tally: dict[str, int] = {}
        """How often what was preferred to what while names were hidden."""
        self._matched_of: Path | None = None
        self._channel = render.channel("comparing", 110)
        self._measuring = render.channel("measuring both", 112)
        self._quick = render.channel("compared anew", 35)
        self._pieces = render.channel("compared piece", 120)
        self._places = render.channel("places", 125)
        self._sweep = render.channel("sweep", 135)
        self._difference = render.channel("difference", 126)
        self._page = render.channel("page about both", 150)
        self._match = background.channel("matching")
        self._key: Any = None

    # -- the wells

    def choices(self) -> list[Choice]:
        """What may be compared of the shown shot, and the other shots that are selected with it or in its set."""
        shot, edit = self.opened.shot, self.opened.edit
        if shot is None or edit is None:
            return []
        raw = shot.raw is not None
        found = [Choice(CORRECTED, "", "the raw, as corrected" if raw else "the picture, as corrected")]
        found.append(Choice(DEFAULTS, "", "the raw, default values" if raw else "the picture, as it is"))
        if self.matched is not None and self._matched_of == shot.main:
            found.append(Choice(MATCHED, "", "the raw, with the phone's look"))
        found += [Choice(VERSION, name, f"version {name}") for name in edit.sidecar.versions]
        if raw and shot.picture is not None:
            found.append(Choice(PHONE, "", "the phone's picture"))
        if shot.preview is not None:
            found.append(Choice(PREVIEW, "", "the preview in the file"))
        near = [s for s in self.shoot.selection if s.main != shot.main and not s.problem]
        near += [s for s in self.shoot.set_of(shot).shots if s.main != shot.main and s not in near and not s.problem]
        best = max(
            (s for s in (shot, *near) if str(s.main) in self.shoot.reports),
            key=lambda s: self.shoot.reports[str(s.main)].sharpest or 0.0, default=None,
        )  # fmt: skip
        for s in near[:24]:
            sharpest = ", the sharpest of these" if s is best and len(near) > 1 else ""
            found.append(Choice(OTHER, str(s.main), f"{s.name}{sharpest}"))
        return found

    def choose(self, well: int, kind: str, name: str = "") -> None:
        """Put something into the first (0) or second (1) well."""
        new = (kind, name)
        self.wells = (new, self.wells[1]) if well == 0 else (self.wells[0], new)
        self.show()

    def _settled(self) -> None:
        """Wells that hold what this shot does not have get what it has."""
        known = {(c.kind, c.name) for c in self.choices()}
        usual = [(CORRECTED, ""), next((w for w in ((PHONE, ""), (PREVIEW, ""), (DEFAULTS, "")) if w in known), None)]
        wells = [w if w in known else u for w, u in zip(self.wells, usual, strict=True)]
        if wells[0] == wells[1]:
            wells[1] = next((w for w in (usual[1], (DEFAULTS, "")) if w != wells[0]), wells[1])
        self.wells = (wells[0] or (CORRECTED, ""), wells[1] or (DEFAULTS, ""))

    def set_push(self, push: Recipe) -> None:
        """The same change on both from now on."""
        if push != self.push:
            self.push = push
            self.show()

    # -- comparing

    def _recipe(self, kind: str, name: str) -> Recipe | None:
        """The values of a side of the shown shot; None where its file is finished."""
        edit = self.opened.edit
        assert edit is not None
        if kind == VERSION:
            return edit.version(name) or edit.recipe
        if kind == MATCHED and self.matched is not None:
            return self.look()
        if kind == DEFAULTS:
            return Recipe()
        return edit.recipe if kind == CORRECTED else None

    def look(self) -> Recipe:
        """The shown shot's values with what is taken of the phone's look."""
        edit = self.opened.edit
        assert edit is not None and self.matched is not None
        as_shot = self.opened.as_shot or (5500.0, 0.0)
        return mixed(edit.recipe, self.matched.recipe, self.parts, self.strength, as_shot)

    def _maker(self, kind: str, name: str, push: Recipe) -> Callable[[], Side]:
        """What makes a side under a push, for the thread that renders."""
        shot, developer = self.opened.shot, self.opened.developer
        assert shot is not None
        changes = None if push == Recipe() else push
        if kind == PHONE:
            path = shot.picture
            assert path is not None
            return lambda: side_of(path, None, changes)
        if kind == PREVIEW:
            return lambda: Finished(np.ascontiguousarray(oriented_preview(shot)))
        if kind == OTHER:
            values, other = self.opened.values(), Path(name)
            held = self.opened.opened(other)
            return lambda: side_of(other, values(other), changes, held)
        recipe = self._recipe(kind, name)
        main = shot.main
        if kind == DEFAULTS and shot.raw is None:
            return lambda: side_of(main, None, changes)
        return lambda: side_of(main, recipe, changes, developer)

    def show(self) -> None:
        """Compare what stands in the wells as it is now, unless that is done or on its way."""
        shot, edit, developer = self.opened.shot, self.opened.edit, self.opened.developer
        if shot is None or shot.problem:
            self._say("Choose a shot to compare.")
            return
        if developer is None or edit is None or edit.awaits_start:  # whoever shows it asks again when it is decoded
            self._say("Reading …")
            return
        if self._matched_of != shot.main:
            self._match.forget()
            self.matched = self._matched_of = None
            self.matching.emit(1.0)
        self._settled()
        values = [self._recipe(*w) for w in self.wells]
        key = (shot.main, self.wells, values, self.push)
        if key == self._key:
            return
        titles = {(c.kind, c.name): c.title for c in self.choices()}
        names = (titles[self.wells[0]], titles[self.wells[1]])
        makers = [self._maker(*w, self.push) for w in self.wells]
        self._say("Developing and aligning both …")
        self._key = key
        sizes: tuple[int, ...] = ()
        if self.wells[1][0] == PHONE and shot.raw is not None and shot.picture is not None:
            sizes = tuple(p.stat().st_size if p.exists() else 0 for p in (shot.raw, shot.picture))

        def align() -> tuple[Side, Side, Aligned]:
            first, second = (make() for make in makers)
            return first, second, aligned(first.whole(COMPARE_EDGE), second.whole(COMPARE_EDGE))

        def work(first: Side, second: Side, pair: Aligned) -> Compared:
            found = measured(pair)
            said = worth(found, *sizes) if sizes else ""
            return Compared(found, first, second, names, tuple(places_of(*found.labs, found.valid)), said)

        def seen(found: tuple[Side, Side, Aligned]) -> None:
            self.aligned_made.emit(found[2], found[0].size, names)
            self._measuring.ask(shot.main, lambda: work(*found), self._compared, self._failed)

        self._measuring.forget()
        self._channel.ask(shot.main, align, seen, self._failed)

    def _say(self, text: str) -> None:
        self._key = None
        for channel in (
            self._channel,
            self._measuring,
            self._pieces,
            self._places,
            self._quick,
            self._difference,
            self._sweep,
        ):
            channel.forget()
        self.state = text
        self.changed.emit()

    def _compared(self, found: Compared) -> None:
        self.state = found
        self.changed.emit()
        self._next_place(0)
        c = found.comparison
        self._difference.ask(
            self._key, lambda: c.map, lambda made: self.difference_made.emit(made, c.valid), self.message.emit
        )

    def _failed(self, text: str) -> None:
        self.state = text
        self.changed.emit()

    def piece(self, wanted: tuple[int, int, int, int] | None) -> None:
        """Sharp pixels of a rectangle (x, y, width, height; oriented pixels of the first), or of none."""
        found = self.state
        if wanted is None or isinstance(found, str):
            self._pieces.forget()
            return
        self._pieces.ask(
            (self._key, wanted),
            lambda: sharp_pair(found.first, found.second, found.alignment, Rectangle(*wanted)),
            self.piece_made.emit,
            self.message.emit,
        )

    def sweep(self) -> None:
        """Compare both under pushes of 0 to 4 EV, one after the other."""
        found = self.state
        if isinstance(found, str):
            return
        steps = [tuple(self._maker(*w, Recipe(exposure=ev)) for w in self.wells) for ev in STEPS_EV]
        self._sweep_step(0, steps)

    def _sweep_step(self, k: int, steps: list[Any]) -> None:
        if k >= len(steps):
            return
        makers, ev = steps[k], STEPS_EV[k]

        def done(found: Swept) -> None:
            self.swept.emit(found)
            self._sweep_step(k + 1, steps)

        self._sweep.ask((self._key, k), lambda: swept(ev, *(make() for make in makers)), done, self.message.emit)

    def _next_place(self, k: int) -> None:
        """Sharp pieces of one place after the other."""
        found = self.state
        if isinstance(found, str) or k >= len(found.places):
            return
        width, height = found.first.size
        side = min(PIECE_SIDE, width, height)
        place = found.places[k]
        x, y = (int(np.clip(p * n - side / 2, 0, n - side)) for p, n in ((place.x, width), (place.y, height)))

        def done(pair: Any) -> None:
            self.place_made.emit(k, pair)
            self._next_place(k + 1)

        self._places.ask(
            (self._key, k), lambda: sharp_pair(found.first, found.second, found.alignment, Rectangle(x, y, side, side)),
            done, self.message.emit,
        )  # fmt: skip

    def write_page(self, path: Path, printed: Callable[..., None], told: Callable[[str], None]) -> None:
        """Write a page about both, behind the window; the file that was chosen is replaced, any other never."""
        found = self.state
        if isinstance(found, str):
            self.message.emit(found)
            return
        known = [file for s in self.shoot.shots for file in s.files]
        chosen = path.suffix.lower() in (".html", ".pdf", ".csv")
        where = path if chosen else path.with_name(path.name + ".html")  # a name that nobody was asked about

        def work() -> Path:
            target = Outputs(known, overwrite=chosen).file(where)
            pair = Page(found.comparison, found.first, found.second, found.titles)
            write_report(target, pair, self.matched, printed)
            return target.path

        self._page.ask(str(where), work, lambda made: told(f"Written: {made}"), self.message.emit)

    # -- without names

    def hide_names(self, on: bool) -> None:
        """Show both as A and B, in an order that nobody knows, until one is preferred."""
        self.blind = secrets.randbelow(2) == 1 if on else None
        self.changed.emit()

    def shown_names(self) -> tuple[str, str]:
        """What both are called on the stage."""
        found = self.state
        if isinstance(found, str):
            return "", ""
        return found.titles if self.blind is None else ("A", "B")

    def prefer(self, which: int | None) -> str:
        """A (0) or B (1) is preferred, or neither (None): kept in the tally; says what they were, and shows it."""
        found = self.state
        if isinstance(found, str) or self.blind is None:
            return ""
        names = found.titles[::-1] if self.blind else found.titles
        self.blind = None
        if which is None:
            text = f"A was {names[0]}, B was {names[1]}."
            key = f"{min(names)} = {max(names)}"
        else:
            text = f"You preferred {names[which]} to {names[1 - which]}."
            key = f"{names[which]} > {names[1 - which]}"
        self.tally[key] = self.tally.get(key, 0) + 1
        self.changed.emit()
        return text

    def tally_said(self) -> str:
        """The tally of these two, in words."""
        found = self.state
        if isinstance(found, str):
            return ""
        one, other = found.titles
        a, b = self.tally.get(f"{one} > {other}", 0), self.tally.get(f"{other} > {one}", 0)
        same = self.tally.get(f"{min(one, other)} = {max(one, other)}", 0)
        return f"So far, without names: {one} {a}, {other} {b}, no difference {same}." if a + b + same else ""

    # -- the phone's look

    def can_match(self) -> str:
        """Why the phone's look cannot be found for the shown shot, "" where it can."""
        shot = self.opened.shot
        if shot is None or shot.problem or self.opened.developer is None:
            return "Choose a shot first."
        if shot.raw is None or shot.picture is None:
            return "A raw and the phone's picture of the same moment are needed."
        return ""

    def find_look(self) -> Callable[[], None] | None:
        """Solve the recipe by which the raw looks like the phone's picture; returns what stops it."""
        shot, edit, developer = self.opened.shot, self.opened.edit, self.opened.developer
        why = self.can_match()
        if why or shot is None or edit is None or developer is None or shot.picture is None:
            self.message.emit(why)
            return None
        stopped: list[bool] = []
        recipe, path, main = edit.recipe, shot.picture, shot.main
        own = Developer(developer.source)  # what the stage shows is developed on another thread meanwhile

        def progress(share: float) -> None:
            self.post(lambda: self.matching.emit(min(share, 0.99)))

        def work() -> Match:
            picture = read_picture(path).pixels
            alignment = register_codes(Developed(own, recipe).whole(COMPARE_EDGE), picture)
            return match(own, picture, alignment, recipe, progress, lambda: bool(stopped) or self._match.dropped())

        def done(found: Match) -> None:
            self.matched, self._matched_of = found, main
            self.matching.emit(1.0)
            if self.opened.shot is not None and self.opened.shot.main == main:
                self.choose(0, MATCHED)

        def failed(why: str) -> None:
            self.matching.emit(1.0)
            self.message.emit(why)

        self._match.ask(main, work, done, failed)
        return lambda: stopped.append(True)

    def take_part(self, parts: tuple[str, ...], strength: float, final: bool = True) -> None:
        """How much of the phone's look is taken; while that is dragged only the first side is made anew."""
        self.parts, self.strength = parts, strength
        if self.matched is None:
            return
        if final:
            self.choose(0, MATCHED)
            return
        developer = self.opened.developer
        if developer is None or isinstance(self.state, str):
            return
        recipe = pushed(self.look(), self.push, developer.as_shot())
        self._quick.ask(
            self.opened.shot and self.opened.shot.main, lambda: Developed(developer, recipe).whole(COMPARE_EDGE),
            self.first_made.emit, self.message.emit,
        )  # fmt: skip

    def shared_values(self) -> dict[str, Any]:
        """What is taken of the look, without what belongs to this shot's frame."""
        look = self.look().model_dump(by_alias=True)
        parts = [p for p in self.parts if p != "local"]
        return {f: look[f] for part in parts for f in PARTS[part][1]}

    def use_look(self) -> None:
        """Give the shown shot what is taken of the phone's look, as one step."""
        edit = self.opened.edit
        if edit is not None and self.matched is not None:
            look = self.look()
            fields = {f for part in self.parts for f in PARTS[part][1]}
            values = {k: v for k, v in look.model_dump(by_alias=True).items() if k in fields}
            edit.change("the phone's look", **values)
            self.choose(0, CORRECTED)
