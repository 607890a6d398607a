"""`bruto compare`, `bruto match`: two pictures on equal terms, and the phone's look."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from bruto.catalog import tr
from bruto.cli.base import JsonFlag, OverwriteFlag, app, print_page, values_beside
from bruto.errors import BrutoError
from bruto.terminal import ProgressLine, print_json, shown

if TYPE_CHECKING:
    from bruto.develop.recipe import Recipe


PAGES = (".html", ".pdf", ".csv")
"""Endings of a report."""


@app.command()
def compare(
    first: Path,
    second: Annotated[Path | None, typer.Argument(help=tr("Omitted where FIRST is a folder of pairs."))] = None,
    push: Annotated[Path | None, typer.Option(help=tr("Recipe applied to both."))] = None,
    report: Annotated[Path | None, typer.Option(help=tr("Write a report: .html, .pdf or .csv."))] = None,
    equal: Annotated[
        bool, typer.Option("--equal-brightness", help=tr("Push the second to the brightness of the first."))
    ] = False,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    """Compare two files of one scene: raw, merged or picture; or each raw of a folder with its picture."""
    from bruto.compare.push import cannot_act
    from bruto.develop.recipe_files import load_recipe

    if report is not None and report.suffix.lower() not in PAGES:
        raise BrutoError(tr("A report ends in .html, .pdf or .csv, not in '{suffix}'.", suffix=report.suffix))
    pushing = None if push is None else load_recipe(push)
    if pushing is not None and cannot_act(pushing):
        typer.echo(
            tr(
                "Not possible on a finished picture, so not pushed: {cannot_act}",
                cannot_act=", ".join(cannot_act(pushing)),
            ),
            err=True,
        )
    if second is not None:
        _compare_two(first, second, pushing, report, equal, overwrite, as_json)
    elif first.is_dir():
        _compare_folder(first, pushing, report, overwrite, as_json)
    else:
        raise BrutoError(
            tr("Compare {first} with what? Name a second file, or a folder of raws with their pictures.", first=first)
        )


def _compare_two(
    first: Path, second: Path, push: Recipe | None, report: Path | None, equal: bool, overwrite: bool, as_json: bool
) -> None:
    from bruto.compare.brightness import equalled
    from bruto.compare.metrics import COMPARE_EDGE, aligned, measured, sentences
    from bruto.compare.push import further
    from bruto.compare.report import ReportContent, write_report
    from bruto.compare.sources import side_of, stored
    from bruto.develop.recipe import Recipe
    from bruto.output_planner import Outputs

    target = None if report is None else Outputs([first, second], overwrite=overwrite).file(report)
    one, other = (side_of(path, values_beside(path), push) for path in (first, second))
    pair, ev = aligned(one.whole(COMPARE_EDGE), other.whole(COMPARE_EDGE)), 0.0
    if equal:
        values = values_beside(second)
        other, pair, ev = equalled(pair, other, lambda ev: side_of(second, values, further(push or Recipe(), ev)))
    c = measured(pair, (stored(one), stored(other)))
    if target is not None:
        write_report(target, ReportContent(c, one, other, (first.name, second.name)), printed=print_page)
    if as_json:
        print_json({**c.as_json(), "equal_ev": round(ev, 3)})
        return
    typer.echo(
        tr(
            "aligned within {model_px:.2f} px ({tracks} tracks)",
            model_px=c.alignment.model_px,
            tracks=c.alignment.tracks,
        )
    )
    if equal:
        typer.echo(
            shown(
                tr(
                    "{name} pushed by {ev:+.2f} EV to the brightness of {name2}",
                    name=second.name,
                    ev=ev,
                    name2=first.name,
                )
            )
        )
    for name, x, y, text in sentences(c, first.name, second.name):
        typer.echo(shown(f"{name:30} {x:>7} {y:>7}  {text}"))


def _compare_folder(folder: Path, push: Recipe | None, report: Path | None, overwrite: bool, as_json: bool) -> None:
    from bruto.compare.shoot_report import lines_of, summary, write_shoot_page
    from bruto.compare.sources import Side, side_of
    from bruto.output_planner import Outputs
    from bruto.shoot.folder import load_record, open_shoot

    shots = open_shoot([folder], load_record(folder))
    target = None
    if report is not None:
        target = Outputs([f for s in shots for f in s.files], overwrite=overwrite).file(report)

    def pair(raw: Path, picture: Path) -> Callable[[], tuple[Side, Side]]:
        return lambda: (side_of(raw, values_beside(raw), push), side_of(picture, None, push))

    pairs = [(s.name, pair(s.raw, s.picture)) for s in shots if s.raw and s.picture and not s.problem]
    if not pairs:
        raise BrutoError(tr("{folder} holds no raw with the phone's picture of the same moment.", folder=folder))
    progress = ProgressLine()
    lines, problems = lines_of(pairs, progress)
    if target is not None:
        write_shoot_page(target, lines, problems, folder.resolve().name, print_page)
    if as_json:
        print_json({"shots": [line.as_json() for line in lines], "not_compared": problems, "summary": summary(lines)})
        return
    for line in lines:
        typer.echo(shown(f"{line.name}: {line.sentence}"))
    for text in problems:
        typer.echo(shown(tr("not compared: {text}", text=text)))
    typer.echo(summary(lines))


@app.command()
def match(
    raw: Path,
    phone: Path,
    output: Annotated[Path, typer.Option("-o", "--output", help=tr("Recipe to write, JSON."))],
    parts: Annotated[str, typer.Option(help=tr("Parts to match: tone,white,colour,local,detail."))] = "",
    strength: Annotated[float, typer.Option(min=0, max=100, help=tr("Strength, percent."))] = 100.0,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    """Find the recipe that makes a raw look like the phone's picture, and say what the phone did."""
    from bruto.align.registration import register_codes
    from bruto.compare.match.parts import PARTS, mixed, parts_of
    from bruto.compare.match.solver import match as solve
    from bruto.compare.metrics import COMPARE_EDGE
    from bruto.compare.sources import Developed, Finished, side_of
    from bruto.develop.recipe_files import save_recipe
    from bruto.output_planner import Outputs

    chosen = parts_of(parts) or tuple(PARTS)
    target = Outputs([raw, phone], overwrite=overwrite).file(output)
    ours, theirs = side_of(raw, values_beside(raw)), side_of(phone)
    if not isinstance(ours, Developed) or not isinstance(theirs, Finished):
        raise BrutoError(tr("Name the raw first, then the finished picture: bruto match RAW PHONE -o RECIPE.json."))
    alignment = register_codes(ours.whole(COMPARE_EDGE), theirs.pixels)
    progress = ProgressLine()
    found = solve(ours.developer, theirs.pixels, alignment, ours.recipe, progress=lambda s: progress(s, "match"))
    recipe = mixed(ours.recipe, found.recipe, chosen, strength / 100, ours.developer.as_shot())
    save_recipe(recipe, target)
    if as_json:
        print_json(found.as_json())
        return
    typer.echo(
        tr(
            "ΔE00 {before:.1f} → {after:.1f} (median), {before2:.1f} → {after2:.1f} (95 %) on {withheld} blocks "
            "that the fit did not use",
            before=found.before[0],
            after=found.after[0],
            before2=found.before[1],
            after2=found.after[1],
            withheld=found.withheld,
        )
    )
    typer.echo(shown(tr("The phone: ") + ", ".join(d.text for d in found.did) + "."))
