"""All that is calculated for the shots of a plan: the window and the command line print these numbers."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

from bruto.errors import BrutoError
from bruto.plan.alternatives import Alternative, alternatives_of
from bruto.plan.equipment import Equipment
from bruto.plan.forecast import ShotForecast, forecast_of
from bruto.plan.night import Span
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.plan.recommendation import Recommendation
from bruto.plan.recommendations import Facts, moment_of, recommended, with_recommendations
from bruto.plan.sky_recommendations import aim_of

MOST_REMEMBERED = 1000
"""Planned shots whose forecast is remembered: it is asked for at each move of a hand."""
MOST_LETTERS = 400
"""Of a forecast in a shot list."""


class PlanForecasts:
    """Recommendations, forecasts and alternatives for the shots of one place and date, with one phone.

    Parameters
    ----------
    plan
        The plan; its planned shots are of no account.
    equipment
        The phone: lenses, steps, noise, pace, handheld limit.
    facts
        Sun, moon and target of the place and date, from `recommendations.facts_of`.
    """

    def __init__(self, plan: Plan, equipment: Equipment, facts: Facts) -> None:
        self.plan, self.equipment, self.facts = plan, equipment, facts
        self._forecasts: dict[PlannedShot, ShotForecast | None] = {}

    def recommendations(self, planned: PlannedShot) -> dict[str, Recommendation]:
        """Recommend the values of a shot.

        Parameters
        ----------
        planned
            The planned shot.

        Returns
        -------
        dict[str, Recommendation]
            By field of `PlannedShot`; each value in the field's unit, with its reason.

        Raises
        ------
        BrutoError
            Where a value of the shot cannot be real; the message says which.
        """
        return recommended(planned, self.plan, self.equipment, self.facts)

    def with_recommendations(self, planned: PlannedShot) -> PlannedShot:
        """Fill in what is not set yet.

        Parameters
        ----------
        planned
            The planned shot; what is None in it is recommended.

        Returns
        -------
        PlannedShot
            The same shot with every value set.
        """
        return with_recommendations(planned, self.plan, self.equipment, self.facts)

    def forecast(self, planned: PlannedShot) -> ShotForecast | None:
        """Forecast what a shot takes and gives.

        Parameters
        ----------
        planned
            The planned shot.

        Returns
        -------
        ShotForecast | None
            Light, noise, blur, trails, storage, time and battery; None where the shot cannot be real.
        """
        if planned not in self._forecasts:
            if len(self._forecasts) >= MOST_REMEMBERED:
                self._forecasts.clear()
            try:
                self._forecasts[planned] = forecast_of(planned, self.plan, self.equipment, self.facts)
            except BrutoError:
                self._forecasts[planned] = None
        return self._forecasts[planned]

    def alternatives(self, planned: PlannedShot) -> list[Alternative]:
        """List other ways to take what a shot is for.

        Parameters
        ----------
        planned
            The planned shot.

        Returns
        -------
        list[Alternative]
            With the fields that each one sets; empty where there is none.
        """
        try:
            return alternatives_of(planned, self.plan, self.equipment, self.facts)
        except BrutoError:
            return []

    def span(self, planned: PlannedShot) -> Span | None:
        """Find when a shot begins and ends.

        Parameters
        ----------
        planned
            The planned shot.

        Returns
        -------
        Span | None
            Begin and end, UTC; None where it has no time.
        """
        try:
            begin = moment_of(planned, self.plan.where)
        except BrutoError:
            return None
        if begin is None:
            return None
        forecast = self.forecast(planned)
        return begin, begin + timedelta(seconds=max(forecast.seconds if forecast is not None else 0.0, 1.0))

    def explained(self, planned: PlannedShot) -> PlannedShot:
        """Write into a shot what a shot list says of it.

        Parameters
        ----------
        planned
            The planned shot.

        Returns
        -------
        PlannedShot
            With its forecast, its aim, and the reason of its exposure time where that is as recommended.
        """
        forecast = self.forecast(planned)
        if forecast is None:
            return planned
        got = self.recommendations(planned)
        why = got["seconds"].reason if got["seconds"].value == planned.seconds else ""
        aim = aim_of(planned, got) if "altitude" in got else None
        return replace(
            planned,
            forecast=planned.forecast or forecast.text()[:MOST_LETTERS],
            reason=planned.reason or why[:1].upper() + why[1:],
            altitude=aim.altitude if aim else None,
            azimuth=aim.azimuth if aim else None,
        )
