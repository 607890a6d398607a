"""A plan on paper: large type and boxes to tick."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from bruto.catalog import tr
from bruto.html_page import page
from bruto.plan.night import night
from bruto.plan.place import bearing_text, parsed_date
from bruto.plan.planned_shots import Plan, PlannedShot
from bruto.sensor.advice import time_text


def _row(planned: PlannedShot) -> dict[str, Any]:
    """Find what the list says of a shot."""
    settings = []
    if planned.focal_35mm:
        settings.append(tr("{focal_35mm:.0f} mm", focal_35mm=planned.focal_35mm))
    if planned.iso:
        settings.append(tr("ISO {iso:.0f}", iso=planned.iso))
    if planned.seconds:
        settings.append(time_text(planned.seconds) + (f" × {planned.frames}" if planned.frames > 1 else ""))
    if planned.interval_s:
        settings.append(
            tr("every {interval_s:g} s", interval_s=planned.interval_s).replace(" s", "\N{NO-BREAK SPACE}s")
        )
    aim = ""
    if planned.altitude is not None and planned.azimuth is not None:
        aim = tr(
            "Aim at altitude {altitude:.0f}°, towards {bearing}",
            altitude=planned.altitude,
            bearing=bearing_text(planned.azimuth),
        )
    more = [
        aim,
        tr("Bring: {gear}", gear=planned.gear) if planned.gear else "",
        planned.forecast,
        planned.reason,
        planned.note,
    ]
    return {
        "at": planned.at[11:16] if len(planned.at) >= 16 else "",
        "title": planned.title,
        "settings": " · ".join(settings),
        "more": [text for text in more if text],
    }


def shot_list(plan: Plan, facts: Sequence[str] = (), night: bool = False) -> str:
    """Return the plan as a page that prints on one sheet: large, with boxes to tick.

    Parameters
    ----------
    plan
        The plan.
    facts
        Of the night or the day, above the list.
    night
        Red on black, which leaves eyes used to the dark.

    Returns
    -------
    str
        The plan as a page that prints on one sheet.
    """
    ink, ground = ("#d03020", "#000000") if night else ("#111111", "#ffffff")
    phone = plan.model if plan.model.startswith(plan.make) else f"{plan.make} {plan.model}".strip()
    return page(
        "shot_list.html",
        False,
        title=plan.name,
        head=" · ".join(p for p in (plan.date, plan.place, phone) if p),
        facts=facts,
        rows=[_row(w) for w in sorted(plan.planned_shots, key=lambda w: w.at or "~")],
        note=plan.note,
        cautions=list(dict.fromkeys(c for w in plan.planned_shots for c in w.cautions)),
        ink=ink,
        ground=ground,
    )


def sky_facts(plan: Plan) -> list[str]:
    """Find what the night of a plan offers, for its page.

    Parameters
    ----------
    plan
        The plan.

    Returns
    -------
    list[str]
        What the night of a plan offers, for its page.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    found = night(plan.where, parsed_date(plan.date))

    def clock(moment: datetime | None) -> str:
        return "–" if moment is None else f"{moment.astimezone(plan.where.clock):%H:%M}"

    facts = [tr("Sunset {clock}, sunrise {clock2}", clock=clock(found.sun["set"]), clock2=clock(found.sun["rise"]))]
    if found.sun_state:
        facts = [found.sun_state[:1].upper() + found.sun_state[1:]]
    lit = tr("{moon_lit:.0f} % lit", moon_lit=100 * found.moon_lit)
    facts.append(
        tr(
            "Moonrise {clock}, moonset {clock2}, {lit}",
            clock=clock(found.moon["rise"]),
            clock2=clock(found.moon["set"]),
            lit=lit,
        )
    )
    dark = ", ".join(f"{clock(a)}–{clock(b)}" for a, b in found.dark)
    facts.append(tr("Dark {dark}", dark=dark) if dark else tr("No moonless dark this night"))
    return facts
