"""Places that are offered for a plan: of other plans, the logbook, towns by their names, the open shots."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path

from bruto.catalog import tr
from bruto.container.dng_reader import read_dng_meta
from bruto.errors import BrutoError
from bruto.logbook.store import Logbook
from bruto.plan.gazetteer import Town, folded, gazetteer
from bruto.plan.place import Place
from bruto.plan.planned_shots import Plan
from bruto.session.shoot import Shoot
from bruto.session.workers import Post, Precedence, Worker

MOST_READ = 20
"""Raws that are asked where they were taken, the newest."""

Found = Callable[[Place, str], None]
"""Is given a place, and what it was found by, in words."""


class PlanPlaces:
    """`offered`: places by the line in which they were offered last, None for a name alone."""

    def __init__(self, post: Post, shoot: Shoot, say: Callable[[str], None], book: Callable[[], Path]) -> None:
        """`say`: where problems go; `book`: where the logbook lies."""
        self.shoot, self._say, self._book = shoot, say, book
        self.worker = Worker("places by their names", post, Precedence.PAGE)  # making the list holds up no sky
        self._finding = self.worker.channel("towns", 40)
        self._reading = self.worker.channel("places of shots", 45)
        self._known: dict[str, Place] = {}
        self.offered: dict[str, Place | None] = {}

    def learn(self, plans: Iterable[Plan]) -> None:
        """Offer the places of plans, too.

        Parameters
        ----------
        plans
            Other plans.
        """
        self._known = {}
        for plan in plans:
            if plan.place and plan.placed:
                self._known.setdefault(plan.place, plan.where)

    def find(self, text: str, done: Callable[[list[str]], None]) -> None:
        """Find places whose names begin so.

        Parameters
        ----------
        text
            Beginning of a name; after a comma, of the country.
        done
            Is given the lines in which they are offered.
        """
        book = self._book()

        def found(searched: tuple[list[str], list[Town]]) -> None:
            noted, towns = searched
            own = {n: self._known.get(n) for n in (*self._known, *noted) if folded(n).startswith(folded(text))}
            self.offered = own | {town.label: town.place for town in towns}
            done(list(self.offered))

        def failed(why: str) -> None:
            self._say(why)
            found(([], []))

        self._finding.ask(text, lambda: (_noted(book), gazetteer().search(text)), found, failed)

    def named(self, name: str, done: Found) -> None:
        """Find the largest town of a name.

        Parameters
        ----------
        name
            Its whole name.
        done
            Is given its place, and the line in which it is offered.
        """

        def found(towns: list[Town]) -> None:
            same = [t for t in towns if folded(t.place.name) == folded(name.partition(",")[0])]
            if same:
                done(same[0].place, same[0].label)

        self._finding.ask(name, lambda: gazetteer().search(name), found, lambda _: None)

    def of_shots(self, done: Found) -> None:
        """Find where the open shots were taken.

        Parameters
        ----------
        done
            Is given the place of the newest that says so.
        """
        raws = [s.raw for s in reversed(self.shoot.shots) if s.raw is not None][:MOST_READ]
        self._reading.ask("shots", partial(_place_of, raws), lambda f: done(*f) if f else None, lambda _: None)


def _noted(book: Path) -> list[str]:
    """Names of places in the logbook; none where it cannot be read."""
    if book.exists():
        with contextlib.suppress(BrutoError), Logbook(book) as opened:
            return opened.places()
    return []


def _place_of(raws: Iterable[Path]) -> tuple[Place, str] | None:
    for raw in raws:
        try:
            gps = read_dng_meta(raw).meta.gps
            if gps is not None and (gps.latitude or gps.longitude):
                return Place(gps.latitude, gps.longitude, gps.altitude_m or 0.0), tr("the shot {name}", name=raw.stem)
        except BrutoError:
            continue
    return None
