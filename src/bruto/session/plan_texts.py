"""Texts about a plan's sky and its preview."""

from __future__ import annotations

from datetime import datetime

from bruto.catalog import clauses, tr
from bruto.plan.forecast import ShotForecast, longest_arc
from bruto.plan.shot_kinds import kind_of
from bruto.session.plan_calculation import PlanCalculation
from bruto.session.plan_document import PlanDocument


def sky_summary(document: PlanDocument, calculation: PlanCalculation, by_day: bool) -> str:
    """Say in a line what decides of the night or the day.

    Parameters
    ----------
    document
        The plan.
    calculation
        What was calculated of it.
    by_day
        Whether its day is meant.

    Returns
    -------
    str
        The line.
    """
    sky, plan = calculation.sky, document.plan
    if sky is None or plan is None:
        return tr("calculating the sky…")
    facts = sky.facts

    def clock(moment: datetime) -> str:
        return f"{moment.astimezone(plan.where.clock):%H:%M}"

    if by_day:
        noon = facts.day.noon
        found = facts.day.sun_state or tr(
            "sun at {altitude:.0f}° altitude at {clock}", altitude=noon[1].altitude, clock=clock(noon[0])
        )
        if facts.day.facade is not None:
            lit = ", ".join(f"{clock(a)}–{clock(b)}" for a, b in facts.day.light)
            found = clauses(found, tr("on the wall {lit}", lit=lit) if lit else tr("never on the wall"))
        return found
    night = facts.night
    dark = ", ".join(f"{clock(a)}–{clock(b)}" for a, b in night.dark)
    moon = tr("moon {moon_lit:.0f} % lit", moon_lit=100 * night.moon_lit)
    return night.sun_state or (
        tr("dark {dark}, {moon}", dark=dark, moon=moon) if dark else tr("no moonless dark, {moon}", moon=moon)
    )


def piece_text(document: PlanDocument, calculation: PlanCalculation, forecast: ShotForecast | None) -> str:
    """Say what is seen of grain and movement in a piece of the simulated preview.

    Parameters
    ----------
    document
        The plan.
    calculation
        What was calculated of it.
    forecast
        Of the shot; None where it is not known.

    Returns
    -------
    str
        A line.
    """
    planned, plan, facts = document.planned, document.plan, calculation.sky
    sky = planned is not None and kind_of(planned.kind).light == "sky"
    if forecast is None:
        return tr("A piece at 1:1")
    status = tr("A piece at 1:1: ") if sky else tr("Grain and movement at 1:1: ")
    if sky:
        move = "" if forecast.trail is None else tr("stars move {trail:.1f} px in a frame, ", trail=forecast.trail)
        if planned is not None and planned.kind == "trail" and plan is not None and facts is not None:
            length, alternative = longest_arc(planned, plan, calculation.equipment, facts.facts)
            move = (
                tr("arcs up to {length:.0f} px, starting {alternative}; ", length=length, alternative=alternative)
                if alternative
                else move
            )
        return tr("{status}{move}the sky has {snr:.1f} × its noise", status=status, move=move, snr=forecast.snr)
    blur = "" if forecast.blur is None else tr(", {blur:.0f} of 100 frames blurred", blur=100 * forecast.blur)
    return tr("{status}grey has {snr:.0f} × its noise{blur}", status=status, snr=forecast.snr, blur=blur)
