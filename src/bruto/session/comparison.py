"""Comparing any two pictures: what stands in the two wells, what is computed of them, and the phone's look."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from psygnal import Signal

from bruto.catalog import tr
from bruto.compare.brightness import equalled
from bruto.compare.metrics import COMPARE_EDGE, Aligned, aligned, measured
from bruto.compare.push import further, pushed
from bruto.compare.raw_worth import worth
from bruto.compare.regions import OWN, places_of
from bruto.compare.sources import Developed, Side, sharp_pair, stored
from bruto.compare.sweep import STEPS_EV, SweepStep, swept
from bruto.develop.recipe import Recipe
from bruto.develop.rectangle import Rectangle
from bruto.session.blind_test import BlindTest
from bruto.session.compared_pair import (
    CORRECTED,
    MATCHED,
    OTHER,
    PHONE,
    ComparedPair,
    source_id,
)
from bruto.session.compared_regions import ComparedRegions
from bruto.session.long_tasks import LongTasks
from bruto.session.open_shots import OpenShots
from bruto.session.phone_look import PhoneLookSearch
from bruto.session.shoot import Shoot
from bruto.session.side_sources import SideSources
from bruto.session.workers import Worker

ANY_SCENES = tr("The grid shows pictures of different scenes side by side.")
"""What is said of two that cannot be aligned."""


class ComparisonSession:
    """`state`: what there is for the shot that is shown, a `ComparedPair` or a sentence why there is none (yet).

    `wells`: kind and name of both sides; `push`: acts on both; `phone`: the phone's look; `blind`: both without names.
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
    message = Signal(str)

    def __init__(self, opened: OpenShots, shoot: Shoot, render: Worker, tasks: LongTasks) -> None:
        self.opened, self.shoot = opened, shoot
        self.state: ComparedPair | str = tr("Choose a shot to compare.")
        self.wells: tuple[tuple[str, str], tuple[str, str]] = ((CORRECTED, ""), (PHONE, ""))
        self.push = Recipe()
        self.equal = False
        """Whether the second is brought to the brightness of the first."""
        self._channel = render.channel("comparing", 110)
        self._measuring = render.channel("measuring both", 112)
        self._quick = render.channel("compared anew", 35)
        self._pieces = render.channel("compared piece", 120)
        self.regions = ComparedRegions(render)
        self.regions.moved.connect(self._pinned)
        self._sweep = render.channel("sweep", 135)
        self._difference = render.channel("difference", 126)
        self._key: Any = None
        self.phone = PhoneLookSearch(opened, shoot, tasks)
        self.sources = SideSources(opened, shoot, self.phone)
        for part in (self.phone, self.regions):
            part.message.connect(self.message.emit)
        self.phone.found.connect(lambda: self.choose(0, MATCHED))
        self.phone.used.connect(lambda: self.choose(0, CORRECTED))
        self.blind = BlindTest()

    # -- the wells

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
        self.wells = ((kind, name), self.wells[1]) if well == 0 else (self.wells[0], (kind, name))
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
        if self.opened.shot is not None and str(self.opened.shot.main) == path:
            self.choose(well, CORRECTED)
            return
        if path not in self.sources.guests:
            self.sources.guests.append(path)
        self.choose(well, OTHER, path)

    def set_push(self, push: Recipe) -> None:
        """Put the same change on both from now on.

        Parameters
        ----------
        push
            The change applied to both sides.
        """
        if push != self.push:
            self.push = push
            self.show()

    def set_equal(self, on: bool) -> None:
        """Show both at equal brightness from now on, or each as it is.

        Parameters
        ----------
        on
            Whether it is switched on.
        """
        if on != self.equal:
            self.equal = on
            self.show()

    # -- comparing

    def show(self) -> None:
        """Compare what stands in the wells as it is now, unless that is done or on its way."""
        shot, edit, developer = self.opened.shot, self.opened.edit, self.opened.developer
        if shot is None or shot.problem:
            self._say(tr("Choose a shot to compare."))
            return
        if developer is None or edit is None or edit.awaits_start:  # whoever shows it asks again when it is decoded
            self._say(tr("Reading…"))
            return
        self.regions.turn_to(shot.main)
        self.phone.turn_to(shot.main)
        self.wells = self.sources.settled(self.wells)
        values = [self.sources.recipe_of(*w) for w in self.wells]
        push, equal = self.push, self.equal
        key = (shot.main, self.wells, values, push, equal)
        if key == self._key:
            return
        titles = {(c.kind, c.name): c.title for c in self.sources.choices()}
        names = (titles[self.wells[0]], titles[self.wells[1]])
        ids = (source_id(*self.wells[0]), source_id(*self.wells[1]))
        makers = [self.sources.maker(*w) for w in self.wells]
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
            places = (*places_of(*found.labs, found.valid), *self.regions.own(found))
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
            self.regions,
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
        self.regions.show(found, self._key)
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
        """Ask for the sharp pixels of a rectangle (x, y, width, height; oriented pixels of the first), or of none.

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
        if isinstance(self.state, str):
            return
        first, second = (self.sources.maker(*w) for w in self.wells)

        def step(k: int) -> None:
            def work() -> SweepStep:
                push = Recipe(exposure=STEPS_EV[k])
                return swept(STEPS_EV[k], first(push), second(push))

            def done(found: SweepStep) -> None:
                self.swept.emit(found)
                step(k + 1)

            if k < len(STEPS_EV):
                self._sweep.ask((self._key, k), work, done, self.message.emit)

        step(0)

    def _pinned(self) -> None:
        """Show other regions of one's own; the pictures stay."""
        found = self.state
        if not isinstance(found, str):
            others = tuple(p for p in found.places if p.kind != OWN)
            self._compared(replace(found, places=(*others, *self.regions.own(found.comparison))), announce=False)

    # -- the phone's look, taken in part

    def take_part(self, parts: tuple[str, ...], strength: float, final: bool = True) -> None:
        """Set how much of the phone's look counts; while that is dragged only the first side is made anew.

        Parameters
        ----------
        parts
            Number of parts.
        strength
            Share of the phone's look, 0..1.
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
        """Note that A (0) or B (1) is preferred, or neither (None), in the tally.

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
