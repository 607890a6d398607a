"""A shoot as a list: `bruto plan new|list`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from bruto.catalog import tr
from bruto.cli.base import JsonFlag, OverwriteFlag, plan_app, print_page
from bruto.cli.plan.options import say
from bruto.errors import BrutoError
from bruto.terminal import shown

if TYPE_CHECKING:
    from bruto.plan.plan_forecasts import PlanForecasts
    from bruto.plan.planned_shots import Plan, PlannedShot


@plan_app.command("new", help=tr("Write a plan to edit: a JSON file with a place, a date and a list of planned shots."))
def _new(output: Annotated[Path, typer.Option("-o", "--output")], overwrite: OverwriteFlag = False) -> None:
    from bruto.output_planner import Outputs
    from bruto.plan.examples import example
    from bruto.plan.planned_shots import as_bytes
    from bruto.storage.atomic_write import write_new

    if output.suffix.lower() != ".json":
        raise BrutoError(
            tr("A plan is a JSON file; choose a name that ends in .json instead of '{name}'.", name=output.name)
        )
    write_new(Outputs([], overwrite=overwrite).file(output), as_bytes(example()))
    typer.echo(shown(tr("{output}: edit it, then print it with `bruto plan list`", output=output)))


@plan_app.command("list", help=tr("Print the shot list of a plan, or compare the plan with the shots taken."))
def _list(
    plan: Path,
    output: Annotated[Path | None, typer.Option("-o", "--output", help=tr(".html or .pdf"))] = None,
    night: Annotated[bool, typer.Option("--night", help=tr("Red on black, for eyes adapted to the dark."))] = False,
    shots: Annotated[Path | None, typer.Option("--shots", help=tr("Folder of the shots taken."))] = None,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    from dataclasses import asdict, replace

    from bruto.plan.plan_vs_actual import matched, summary
    from bruto.plan.planned_shots import load_plan
    from bruto.plan.shot_list import shot_list, sky_facts

    found = load_plan(plan)
    if not found.placed and (shots is None or output is not None):
        raise BrutoError(
            tr("The plan {name} has no place, on which sun and stars depend. Write its coordinates.", name=plan.name)
        )
    forecasts = _forecasts(found) if found.placed else None
    result: dict[str, Any] = {
        "name": found.name,
        "planned_shots": [asdict(s) for s in found.planned_shots],
        "forecasts": [_calculated(forecasts, s) for s in found.planned_shots] if forecasts is not None else [],
        "output": None,
    }
    lines = []
    if output is not None and forecasts is not None:
        explained = replace(found, planned_shots=tuple(forecasts.explained(s) for s in found.planned_shots))
        _print_list(output, shot_list(explained, sky_facts(found), night), plan, night, overwrite)
        result["output"] = str(output)
        lines.append(
            tr(
                "{planned_shots_count} planned shots → {output}",
                planned_shots_count=len(found.planned_shots),
                output=output,
            )
        )
    if shots is not None:
        matches = matched(found, _shots(shots))
        result["matches"] = result["became"] = [  # "became": as version 0.1 called them
            {
                "title": b.planned.title,
                "state": b.state,
                "shots": [s.name for s in b.shots],
                "note": b.note,
                "pace": b.pace,
            }
            for b in matches
        ]
        result["summary"] = asdict(summary(matches))
        lines += [f"{b.planned.title}: {b.state}" + (f" ({b.note})" if b.note else "") for b in matches]
    if output is None and shots is None and forecasts is not None:
        for planned in found.planned_shots:
            forecast = forecasts.forecast(planned)
            lines += [f"☐ {planned.title}", *([f"    {forecast.text()}"] if forecast is not None else [])]
    say(result, as_json, lines)


def _forecasts(plan: Plan) -> PlanForecasts:
    """Calculate what the window shows of a plan, with what the logbook and the phone's card know."""
    from bruto.logbook.database import usual_logbook
    from bruto.plan.plan_forecasts import PlanForecasts
    from bruto.plan.recommendations import facts_of
    from bruto.session.equipment import equipment_of

    return PlanForecasts(plan, equipment_of(plan.make, plan.model, usual_logbook()), facts_of(plan))


def _calculated(forecasts: PlanForecasts, planned: PlannedShot) -> dict[str, Any]:
    """Everything that is calculated of a shot; empty where it cannot be real."""
    from dataclasses import asdict

    forecast = forecasts.forecast(planned)
    if forecast is None:
        return {}
    return {
        "recommendations": {name: asdict(r) for name, r in forecasts.recommendations(planned).items()},
        "forecast": asdict(forecast),
        "alternatives": [asdict(a) for a in forecasts.alternatives(planned)],
    }


def _print_list(output: Path, page: str, plan: Path, night: bool, overwrite: bool) -> None:
    """Write a page as HTML or PDF."""
    from bruto.output_planner import Outputs
    from bruto.storage.atomic_write import write_new

    kind = output.suffix.lower()
    if kind not in (".html", ".pdf"):
        raise BrutoError(tr("A shot list is .html or .pdf; choose such a name instead of '{name}'.", name=output.name))
    target = Outputs([plan], overwrite=overwrite).file(output)
    if kind == ".pdf":
        print_page(page, target, night)
    else:
        write_new(target, page.encode("utf-8", "surrogatepass"))


def _shots(folder: Path) -> list[Any]:
    """What the raws of a folder tell of themselves."""
    from bruto.container.quick_metadata import read_quick_metadata
    from bruto.plan.plan_vs_actual import TakenShot
    from bruto.storage.safe_read import FileAction, explain

    try:
        files = sorted(p for p in folder.iterdir() if p.suffix.lower() == ".dng")
    except OSError as error:
        raise explain(error, folder, FileAction.READ) from error
    found = []
    for path in files:
        try:
            seen = read_quick_metadata(path)
        except BrutoError:
            continue
        found.append(TakenShot(path.name, seen.iso, seen.exposure_s, seen.focal_35mm, seen.taken_iso))
    return found
