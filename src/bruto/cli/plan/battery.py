"""`bruto plan battery`: whether a charge lasts for a night."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from bruto.catalog import tr
from bruto.cli.base import JsonFlag, plan_app
from bruto.cli.plan.options import say
from bruto.errors import BrutoError


@plan_app.command("battery", help=tr("Whether a charge lasts, by what an hour took of it before."))
def _battery(
    hours: Annotated[float, typer.Argument(help=tr("How long you photograph, hours."))],
    charge: Annotated[float, typer.Option(help=tr("Charge at the beginning, percent."))] = 100.0,
    per_hour: Annotated[float | None, typer.Option("--per-hour", help=tr("What an hour takes, percent."))] = None,
    book: Annotated[Path | None, typer.Option(help=tr("A logbook other than your own."))] = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.battery import RESERVE_PERCENT, battery_need

    known = tr("as you said")
    spread = 0.0
    if per_hour is None:
        from bruto.logbook.database import usual_logbook
        from bruto.logbook.estimates import battery
        from bruto.logbook.store import Logbook

        with Logbook(book or usual_logbook()) as opened:
            learnt = battery(opened.batteries())
        if learnt is None:
            raise BrutoError(
                tr("Give --per-hour, or note in the logbook the charge before and after a shoot, and its hours.")
            )
        per_hour, spread = learnt.value, learnt.spread
        known = tr("learnt from {count} shoots", count=learnt.count)
    need = battery_need(hours, per_hour, spread, charge)
    lines = [
        tr("An hour takes {per_hour:.0f} %, {known}.", per_hour=per_hour, known=known),
        tr(
            "After {hours:g} hours {left:.0f} % is left; the charge lasts {lasts:.1f} hours down to {reserve:.0f} %.",
            hours=hours,
            left=need.left_percent,
            lasts=need.lasts_h,
            reserve=RESERVE_PERCENT,
        ),
    ]
    if not need.enough:
        lines.append(tr("Take a power bank, use aeroplane mode, and keep the screen dark."))
    lines.append(tr("Cold shortens it: keep phone and power bank warm, and never charge a wet phone."))
    say({**need.as_json(), "per_hour_percent": round(per_hour, 2)}, as_json, lines)
