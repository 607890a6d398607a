"""What is calculated of the plan that is open, beside the window: its sky, its phone, its forecasts, its picture."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from psygnal import Signal

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.logbook.store import Logbook
from bruto.phones.card import PhoneCard
from bruto.plan.almanac import Spot, moon, pole, star, sun
from bruto.plan.alternatives import Alternative
from bruto.plan.equipment import Equipment
from bruto.plan.forecast import ShotForecast
from bruto.plan.night import Span
from bruto.plan.plan_forecasts import PlanForecasts
from bruto.plan.planned_shots import NO_PLACE, Plan, PlannedShot
from bruto.plan.recommendation import Recommendation
from bruto.plan.shot_kinds import TARGETS
from bruto.plan.sky_recommendations import target_of
from bruto.session.equipment import equipment_of
from bruto.session.plan_document import PlanDocument
from bruto.session.simulated_preview import Sky, picture_of, sky_of
from bruto.session.workers import Worker

if TYPE_CHECKING:
    from bruto.simphone.preview import SimulatedPreview

DARKNESS_RANGE = 10.0, 23.0
"""Magnitudes per square arc second that a plan takes: from a city's sky at full moon to the darkest."""


class PlanCalculation:
    """`changed`: something else is known; `previewed`: the picture is another one."""

    changed = Signal()
    previewed = Signal()
    darkness_found = Signal(float)
    """Magnitudes per square arc second that the logbook knows of the plan's place."""

    def __init__(
        self,
        document: PlanDocument,
        worker: Worker,
        book: Callable[[], Path],
        card_of: Callable[[tuple[str, str]], PhoneCard | None],
    ) -> None:
        """Follow a document.

        Parameters
        ----------
        document
            The plan.
        worker
            Does the calculating.
        book
            Returns the file of the logbook that is learnt from.
        card_of
            Returns the card of a phone by make and model.
        """
        self.document, self._book, self._card_of = document, book, card_of
        self._calculating = worker.channel("the sky", 50)
        self._knowing = worker.channel("the phone", 60)
        self._picturing = worker.channel("the picture", 90)
        self.sky: Sky | None = None
        self.equipment = Equipment()
        self.forecasts: PlanForecasts | None = None
        """None until the sky is calculated."""
        self.picture: SimulatedPreview | None = None
        self.picture_of: PlannedShot | None = None
        """The planned shot that the picture is of."""
        self.problem = ""
        """Why the sky or the picture is not there."""
        self.wanted = False
        """Whether a page shows it: nothing is calculated before."""
        document.shown.connect(self._shown)
        document.changed.connect(self._changed)
        document.chosen_changed.connect(self._chosen)

    def _shown(self) -> None:
        self.forget()
        self.again()

    def forget(self) -> None:
        """Forget what was calculated of another plan."""
        self.sky = self.forecasts = self.picture = self.picture_of = None

    def _changed(self, before: Plan) -> None:
        plan = self.document.plan
        if plan is None or self.sky is None or _seen_by_sky(before) != _seen_by_sky(plan):
            self.again()
        elif plan == before:
            self.changed.emit()
        else:
            if replace(before, planned_shots=()) != replace(plan, planned_shots=()):
                self._forecast()
            self._chosen()

    def _chosen(self) -> None:
        self.changed.emit()
        self._simulate()

    def again(self) -> None:
        """Calculate anew what the sky does and what is known of the phone."""
        plan = self.document.plan
        if plan is not None and not plan.placed:
            self._calculating.forget()
            self.forget()
            self.problem = NO_PLACE
        elif self.problem == NO_PLACE:
            self.problem = ""
        self.changed.emit()
        if plan is None or not self.wanted:
            return
        card = self._card_of((plan.make, plan.model))
        self._knowing.ask("phone", partial(_know, plan, self._book(), card), self._known, self._failed)
        if plan.placed:
            self._calculating.ask("sky", partial(sky_of, plan), self._calculated, self._failed)
        else:
            self._simulate()

    def _known(self, found: tuple[Equipment, float | None]) -> None:
        equipment, dark = found
        plan = self.document.plan
        if dark is not None and plan is not None and plan.darkness is None:
            self.darkness_found.emit(dark)
        if equipment != self.equipment:
            self.equipment = equipment
            self._forecast()
            self._chosen()

    def _calculated(self, sky: Sky) -> None:
        self.sky, self.problem = sky, ""
        self._forecast()
        self._chosen()

    def _failed(self, why: str) -> None:
        self.problem = why
        self.changed.emit()

    def _forecast(self) -> None:
        plan = self.document.plan
        there = plan is not None and self.sky is not None
        self.forecasts = PlanForecasts(plan, self.equipment, self.sky.facts) if there else None  # type: ignore[arg-type,union-attr]

    def recommendations(self) -> dict[str, Recommendation]:
        """Recommend the values of the chosen shot; empty until the sky is calculated."""
        planned = self.document.planned
        if self.forecasts is None or planned is None:
            return {}
        try:
            return self.forecasts.recommendations(planned)
        except BrutoError as error:
            self.problem = str(error)
            return {}

    def forecast(self, planned: PlannedShot | None = None) -> ShotForecast | None:
        """Forecast what a planned shot, else the chosen one, takes and gives.

        Parameters
        ----------
        planned
            The planned shot.

        Returns
        -------
        ShotForecast | None
            None until the sky is calculated.
        """
        planned = planned or self.document.planned
        return None if self.forecasts is None or planned is None else self.forecasts.forecast(planned)

    def alternatives(self) -> list[Alternative]:
        """List other ways to take what the chosen shot is for."""
        planned = self.document.planned
        return [] if self.forecasts is None or planned is None else self.forecasts.alternatives(planned)

    def span_of(self, planned: PlannedShot) -> Span | None:
        """Find when a planned shot begins and ends.

        Parameters
        ----------
        planned
            The planned shot.

        Returns
        -------
        Span | None
            Begin and end, UTC; None where it is not known.
        """
        return None if self.forecasts is None else self.forecasts.span(planned)

    def spot(self, moment: datetime) -> dict[str, Spot]:
        """Find where sun, moon and target are.

        Parameters
        ----------
        moment
            Point in time, with time zone.

        Returns
        -------
        dict[str, Spot]
            By name, altitude and azimuth in degrees.
        """
        plan = self.document.plan
        if plan is None:
            return {}
        where, aim = plan.where, target_of(plan.target)
        name = TARGETS[plan.target][0] if plan.target in TARGETS else tr("Target")
        found = {"Sun": sun(where, moment), "Moon": moon(where, moment)}
        found[name] = pole(where) if aim is None else star(*aim)(where, moment)
        return found

    def _simulate(self) -> None:
        plan, planned = self.document.plan, self.document.planned
        if plan is None or planned is None or self.sky is None:
            self._picturing.forget()
            self._picture(None, None)
            return
        work = partial(picture_of, planned, plan, self.equipment, self.sky.facts)
        self._picturing.ask("picture", work, partial(self._picture, planned), self._not_pictured)

    def _picture(self, planned: PlannedShot | None, picture: SimulatedPreview | None) -> None:
        self.picture, self.picture_of = picture, planned
        self.previewed.emit()

    def _not_pictured(self, why: str) -> None:
        self.problem = why
        self._picture(None, None)


def _know(plan: Plan, book: Path, card: PhoneCard | None) -> tuple[Equipment, float | None]:
    """Find what is known of the phone, and of the place's sky."""
    dark = None
    if plan.place and plan.darkness is None and book.exists():
        with contextlib.suppress(BrutoError), Logbook(book) as opened:
            dark = opened.darkness(plan.place)
    return equipment_of(plan.make, plan.model, book, card), dark


def _seen_by_sky(plan: Plan) -> tuple[Any, ...]:
    """Find what the sky and the equipment depend on."""
    return (
        plan.date, plan.latitude, plan.longitude, plan.height_m, plan.zone, plan.target, plan.facade, plan.make,
        plan.model, plan.place,
    )  # fmt: skip
