"""Comparing any two pictures: what stands in the two wells, what is computed of them, and the phone's look."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from psygnal import Signal

from bruto.align.registration import Alignment
from bruto.catalog import tr
from bruto.compare.brightness import equalled
from bruto.compare.metrics import COMPARE_EDGE, Aligned, Comparison, aligned, measured
from bruto.compare.push import further, pushed
from bruto.compare.raw_worth import worth
from bruto.compare.regions import OWN, Region, place_at, places_of
from bruto.compare.sources import Developed, Side, sharp_pair, side_of, side_of_pixels, stored
from bruto.compare.sweep import STEPS_EV, SweepStep, swept
from bruto.develop.frame_geometry import Rectangle
from bruto.develop.recipe import Recipe
from bruto.session.blind_test import BlindTest
from bruto.session.long_tasks import LongTasks
from bruto.session.open_shots import OpenShots
from bruto.session.phone_look import PhoneLookSearch
from bruto.session.shoot import Shoot
from bruto.session.workers import Worker
from bruto.shoot.shots import oriented_preview

CORRECTED, DEFAULTS, PHONE, PREVIEW, MATCHED, VERSION, OTHER = (
    "corrected", "defaults", "phone", "preview", "matched", "version", "shot",
)  # fmt: skip
ANY_SCENES = tr("The grid shows pictures of different scenes side by side.")
"""What is said of two that cannot be aligned."""
MOST_PINS = 4
"""Places of one's own at once."""
PIECE_SIDE = 360
"""Sides of the two pieces that a place is shown by, pixels of the first."""


def source_id(kind: str, name: str) -> str:
    """Return the name what stands in a well for the tally: its kind, and of a version or another shot its name.

    Parameters
    ----------
    kind
        What a side is: corrected, defaults, phone, preview, matched, version or shot.
    name
        Name as the user sees it.

    Returns
    -------
    str
        Name what stands in a well for the tally.

    Examples
    --------
    >>> source_id("phone", ""), source_id("version", "soft"), source_id("shot", "/photos/pans/frame-0002.dng")
    ('phone', 'version:soft', 'shot:frame-0002')
    """
    return f"{kind}:{Path(name).stem if kind == OTHER else name}" if name else kind


@dataclass(frozen=True)
class SourceChoice:
    """What may stand in a well: its `kind`, the name of a version or the path of a shot, and its title."""

    kind: str
    name: str
    title: str


@dataclass(frozen=True)
class ComparedPair:
    """A comparison of two sides with their titles, and the `places` worth a look."""

    comparison: Comparison
    first: Side
    second: Side
    ids: tuple[str, str]
    titles: tuple[str, str]
    places: tuple[Region, ...]
    worth: str = ""
    """Whether the raw is, where it stands beside its picture."""
    equal_ev: float = 0.0
    """How far the second was pushed to be as bright as the first."""

    @property
    def alignment(self) -> Alignment:
        """How the first picture is mapped onto the second."""
        return self.comparison.alignment


class ComparisonSession:
    """`state`: what there is for the shot that is shown, a `ComparedPair` or a sentence why there is none (yet).

    `wells`: kind and name of both sides; `push`: what acts on both; `phone`: the phone's look; `blind`: both
    without names.
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
    """A `SweepStep`: both under one push of a sweep."""
    place_made = Signal(int, object)
    """The number of a place, and its sharp pair."""
    message = Signal(str)

    def __init__(self, opened: OpenShots, shoot: Shoot, render: Worker, tasks: LongTasks) -> None:
        self.opened, self.shoot = opened, shoot
        self.state: ComparedPair | str = tr("Choose a shot to compare.")
        self.wells: tuple[tuple[str, str], tuple[str, str]] = ((CORRECTED, ""), (PHONE, ""))
        self.guests: list[str] = []
        """Shots that were brought here from anywhere in the shoot, by their paths."""
        self.pins: list[tuple[float, float]] = []
        """Places of one's own, as shares of the first's width and height."""
        self._pins_of: Path | None = None
        self.push = Recipe()
        self.equal = False
        """Whether the second is brought to the brightness of the first."""
        self._channel = render.channel("comparing", 110)
        self._measuring = render.channel("measuring both", 112)
        self._quick = render.channel("compared anew", 35)
        self._pieces = render.channel("compared piece", 120)
        self._places = render.channel("places", 125)
        self._sweep = render.channel("sweep", 135)
        self._difference = render.channel("difference", 126)
        self._key: Any = None
        self.phone = PhoneLookSearch(opened, shoot, tasks)
        self.phone.message.connect(self.message.emit)
        self.phone.found.connect(lambda: self.choose(0, MATCHED))
        self.phone.used.connect(lambda: self.choose(0, CORRECTED))
        self.blind = BlindTest()

    # -- the wells

    def choices(self) -> list[SourceChoice]:
        """Find what may be compared of the shown shot, and the other shots that are selected with it or in its set."""
        shot, edit = self.opened.shot, self.opened.edit
        if shot is None or edit is None:
            return []
        raw = shot.raw is not None
        found = [SourceChoice(CORRECTED, "", tr("the raw, corrected") if raw else tr("the picture, corrected"))]
        found.append(SourceChoice(DEFAULTS, "", tr("the raw, default values") if raw else tr("the picture, unchanged")))
        if self.phone.matched is not None and self.phone.of == shot.main:
            found.append(SourceChoice(MATCHED, "", tr("the raw, with the phone's look")))
        found += [SourceChoice(VERSION, name, tr("version {name}", name=name)) for name in edit.sidecar.versions]
        if raw and shot.picture is not None:
            found.append(SourceChoice(PHONE, "", tr("the phone's picture")))
        if shot.preview is not None:
            found.append(SourceChoice(PREVIEW, "", tr("the embedded preview")))
        near = [s for s in self.shoot.selection if s.main != shot.main and not s.problem]
        near += [s for s in self.shoot.shots if str(s.main) in self.guests and s not in near and s.main != shot.main]
        near += [s for s in self.shoot.set_of(shot).shots if s.main != shot.main and s not in near and not s.problem]
        best = max(
            (s for s in (shot, *near) if str(s.main) in self.shoot.reports),
            key=lambda s: self.shoot.reports[str(s.main)].sharpest or 0.0, default=None,
        )  # fmt: skip
        for s in near[:24]:
            sharpest = tr(", the sharpest of these") if s is best and len(near) > 1 else ""
            found.append(SourceChoice(OTHER, str(s.main), f"{s.name}{sharpest}"))
        return found

    def choose(self, well: int, kind: str, name: str = "") -> None:
        """Put something into the first (0) or second (1) well.

        Parameters
        ----------
        well
            Which source: 0 for the first, 1 for the second.
        kind
            What a side is: corrected, defaults, phone, preview, matched, version or shot.
        name
            Name as the user sees it.
        """
        new = (kind, name)
        self.wells = (new, self.wells[1]) if well == 0 else (self.wells[0], new)
        self.show()

    def bring(self, well: int, path: str) -> None:
        """Put a shot, wherever it is in the shoot, into a well.

        Parameters
        ----------
        well
            Which source: 0 for the first, 1 for the second.
        path
            File to read.
        """
        shot = self.opened.shot
        if shot is not None and str(shot.main) == path:
            self.choose(well, CORRECTED)
            return
        if path not in self.guests:
            self.guests.append(path)
        self.choose(well, OTHER, path)

    def _settled(self) -> None:
        """Wells that hold what this shot does not have get what it has."""
        known = {(c.kind, c.name) for c in self.choices()}
        usual = [(CORRECTED, ""), next((w for w in ((PHONE, ""), (PREVIEW, ""), (DEFAULTS, "")) if w in known), None)]
        wells = [w if w in known else u for w, u in zip(self.wells, usual, strict=True)]
        if wells[0] == wells[1]:
            wells[1] = next((w for w in (usual[1], (DEFAULTS, "")) if w != wells[0]), wells[1])
        self.wells = (wells[0] or (CORRECTED, ""), wells[1] or (DEFAULTS, ""))

    def set_push(self, push: Recipe) -> None:
        """Return the same change on both from now on.

        Parameters
        ----------
        push
            The change applied to both sides.
        """
        if push != self.push:
            self.push = push
            self.show()

    def set_equal(self, on: bool) -> None:
        """Return both at equal brightness from now on, or each as it is.

        Parameters
        ----------
        on
            Whether it is switched on.
        """
        if on != self.equal:
            self.equal = on
            self.show()

    # -- comparing

    def recipe_of(self, kind: str, name: str) -> Recipe | None:
        """Return the values of a side of the shown shot; None where its file is finished.

        Parameters
        ----------
        kind
            What a side is: corrected, defaults, phone, preview, matched, version or shot.
        name
            Name as the user sees it.

        Returns
        -------
        Recipe | None
            The values of a side of the shown shot.
        """
        edit = self.opened.edit
        assert edit is not None
        if kind == VERSION:
            return edit.version(name) or edit.recipe
        if kind == MATCHED and self.phone.matched is not None:
            return self.phone.recipe()
        if kind == DEFAULTS:
            return Recipe()
        return edit.recipe if kind == CORRECTED else None

    def maker(self, kind: str, name: str) -> Callable[[Recipe], Side]:
        """Find what makes a side under a push, for the thread that renders.

        Parameters
        ----------
        kind
            What a side is: corrected, defaults, phone, preview, matched, version or shot.
        name
            Name as the user sees it.

        Returns
        -------
        Callable[[Recipe], Side]
            What makes a side under a push, for the thread that renders.
        """
        shot, developer = self.opened.shot, self.opened.developer
        assert shot is not None
        if kind == PHONE:
            path = shot.picture
            assert path is not None
            return lambda push: side_of(path, None, push)
        if kind == PREVIEW:
            return lambda push: side_of_pixels(shot.main, np.ascontiguousarray(oriented_preview(shot)), push)
        if kind == OTHER:
            values, other = self.opened.values(), Path(name)
            decoded = self.opened.opened(other)
            return lambda push: side_of(other, values(other), push, decoded)
        recipe = self.recipe_of(kind, name)
        main = shot.main
        if kind == DEFAULTS and shot.raw is None:
            return lambda push: side_of(main, None, push)
        return lambda push: side_of(main, recipe, push, developer)

    def show(self) -> None:
        """Compare what stands in the wells as it is now, unless that is done or on its way."""
        shot, edit, developer = self.opened.shot, self.opened.edit, self.opened.developer
        if shot is None or shot.problem:
            self._say(tr("Choose a shot to compare."))
            return
        if developer is None or edit is None or edit.awaits_start:  # whoever shows it asks again when it is decoded
            self._say(tr("Reading…"))
            return
        if self._pins_of != shot.main:
            self.pins, self._pins_of = [], shot.main
        self.phone.turn_to(shot.main)
        self._settled()
        values = [self.recipe_of(*w) for w in self.wells]
        push, equal = self.push, self.equal
        key = (shot.main, self.wells, values, push, equal)
        if key == self._key:
            return
        titles = {(c.kind, c.name): c.title for c in self.choices()}
        names = (titles[self.wells[0]], titles[self.wells[1]])
        ids = (source_id(*self.wells[0]), source_id(*self.wells[1]))
        makers = [self.maker(*w) for w in self.wells]
        self._say(tr("Developing and aligning both…"))
        self._key = key
        sizes: tuple[int, ...] = ()
        if self.wells[1][0] == PHONE and shot.raw is not None and shot.picture is not None:
            sizes = tuple(p.stat().st_size if p.exists() else 0 for p in (shot.raw, shot.picture))

        def align() -> tuple[Side, Side, Aligned, float]:
            first, second = (make(push) for make in makers)
            pair = aligned(first.whole(COMPARE_EDGE), second.whole(COMPARE_EDGE))
            ev = 0.0
            if equal:
                second, pair, ev = equalled(pair, second, lambda ev: makers[1](further(push, ev)))
            return first, second, pair, ev

        def work(first: Side, second: Side, pair: Aligned, ev: float) -> ComparedPair:
            found = measured(pair, (stored(first), stored(second)))
            verdict = worth(found, *sizes) if sizes else ""
            places = (*places_of(*found.labs, found.valid), *self._own_places(found))
            return ComparedPair(found, first, second, ids, names, places, verdict, ev)

        def seen(found: tuple[Side, Side, Aligned, float]) -> None:
            self.aligned_made.emit(found[2], found[0].size, names)
            self._measuring.ask(shot.main, lambda: work(*found), self._compared, self._failed)

        self._measuring.forget()
        self._channel.ask(shot.main, align, seen, lambda why: self._failed(f"{why} {ANY_SCENES}"))

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

    def _compared(self, found: ComparedPair, announce: bool = True) -> None:
        self.state = found
        self.changed.emit()
        self._next_place(0)
        c = found.comparison
        if not announce:  # the same pictures
            return
        self._difference.ask(
            self._key, lambda: c.map, lambda made: self.difference_made.emit(made, c.valid), self.message.emit
        )

    def _failed(self, text: str) -> None:
        self.state = text
        self.changed.emit()

    def piece(self, wanted: tuple[int, int, int, int] | None) -> None:
        """Return the sharp pixels of a rectangle (x, y, width, height; oriented pixels of the first), or of none.

        Parameters
        ----------
        wanted
            Value wished for.
        """
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
        self._sweep_step(0, [self.maker(*w) for w in self.wells])

    def _sweep_step(self, k: int, makers: list[Callable[[Recipe], Side]]) -> None:
        if k >= len(STEPS_EV):
            return
        ev = STEPS_EV[k]

        def done(found: SweepStep) -> None:
            self.swept.emit(found)
            self._sweep_step(k + 1, makers)

        self._sweep.ask(
            (self._key, k), lambda: swept(ev, *(make(Recipe(exposure=ev)) for make in makers)), done, self.message.emit
        )

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

    # -- places of one's own

    def pin(self, x: float, y: float) -> None:
        """Keep a place (shares of the first's width and height) among those that are shown at 1:1.

        Parameters
        ----------
        x
            Horizontal position, pixels.
        y
            Vertical position, pixels.
        """
        if isinstance(self.state, str):
            self.message.emit(tr("Wait until both are measured, then add regions."))
            return
        if len(self.pins) >= MOST_PINS:
            self.message.emit(
                tr(
                    "At most {MOST_PINS} regions of your own. Remove one first (Delete in the regions).",
                    MOST_PINS=MOST_PINS,
                )
            )
            return
        self.pins.append((x, y))
        self._pinned()

    def unpin(self, k: int) -> None:
        """Take a place of one's own away, by its number among all places.

        Parameters
        ----------
        k
            Index.
        """
        found = self.state
        if isinstance(found, str) or not 0 <= k < len(found.places) or found.places[k].kind != OWN:
            return
        self.pins.remove((found.places[k].x, found.places[k].y))
        self._pinned()

    def _pinned(self) -> None:
        found = self.state
        if not isinstance(found, str):
            others = tuple(p for p in found.places if p.kind != OWN)
            self._compared(replace(found, places=(*others, *self._own_places(found.comparison))), announce=False)

    def _own_places(self, c: Comparison) -> tuple[Region, ...]:
        return tuple(place_at(*c.labs, x, y) for x, y in self.pins)

    # -- the phone's look, taken in part

    def take_part(self, parts: tuple[str, ...], strength: float, final: bool = True) -> None:
        """Find how much of the phone's look is taken; while that is dragged only the first side is made anew.

        Parameters
        ----------
        parts
            Number of parts.
        strength
            How far, 0 to 1.
        final
            Whether the drag has ended.
        """
        self.phone.parts, self.phone.strength = parts, strength
        if self.phone.matched is None:
            return
        if final:
            self.choose(0, MATCHED)
            return
        developer = self.opened.developer
        if developer is None or isinstance(self.state, str):
            return
        recipe = pushed(self.phone.recipe(), self.push, developer.as_shot())
        self._quick.ask(
            self.opened.shot and self.opened.shot.main, lambda: Developed(developer, recipe).whole(COMPARE_EDGE),
            self.first_made.emit, self.message.emit,
        )  # fmt: skip

    # -- without names

    def hide_names(self, on: bool) -> None:
        """Show both as A and B, in an order that nobody knows, until one is preferred.

        Parameters
        ----------
        on
            Whether it is switched on.
        """
        self.blind.hide(on)
        self.changed.emit()

    def shown_names(self) -> tuple[str, str]:
        """Find what both are called on the stage."""
        found = self.state
        return ("", "") if isinstance(found, str) else self.blind.names(found.titles)

    def prefer(self, which: int | None) -> str:
        """Return a (0) or B (1) is preferred, or neither (None): kept in the tally.

        Says what they were, and shows it.

        Parameters
        ----------
        which
            0 for A, 1 for B, None for no difference.

        Returns
        -------
        str
            A (0) or B (1) is preferred, or neither (None): kept in the tally.
        """
        found = self.state
        if isinstance(found, str) or self.blind.exchanged is None:
            return ""
        text = self.blind.prefer(found.ids, found.titles, which)
        self.changed.emit()
        return text

    def tally_text(self) -> str:
        """Return the tally of these two, in words."""
        found = self.state
        return "" if isinstance(found, str) else self.blind.tally_text(found.ids, found.titles)
