"""`bruto compare`, `bruto match`: two pictures on equal terms, and the phone's look."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from bruto.cli.base import JsonFlag, OverwriteFlag, app, print_page, values_beside
from bruto.errors import BrutoError
from bruto.terminal import ProgressLine, print_json, shown


@app.command()
def compare(
    first: Path,
    second: Path,
    push: Annotated[Path | None, typer.Option(help="Recipe applied to both.")] = None,
    report: Annotated[Path | None, typer.Option(help="One page about both: .html, .pdf or .csv.")] = None,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    """Compare two files of one scene: raw, merged or picture."""
    from bruto.compare.metrics import COMPARE_EDGE, sentences
    from bruto.compare.metrics import compare as compare_pictures
    from bruto.compare.push import cannot_act
    from bruto.compare.report import Compared, write_report
    from bruto.compare.sides import side_of
    from bruto.develop.recipe import load_recipe
    from bruto.storage.outputs import Outputs

    pushing = None if push is None else load_recipe(push)
    if pushing is not None and cannot_act(pushing):
        typer.echo(f"Left out of the push, as no finished picture has it: {', '.join(cannot_act(pushing))}", err=True)
    target = None
    if report is not None:
        if report.suffix.lower() not in (".html", ".pdf", ".csv"):
            raise BrutoError(f"A report ends in .html, .pdf or .csv, and not in '{report.suffix}'.")
        target = Outputs([first, second], overwrite=overwrite).file(report)
    sides = [side_of(path, values_beside(path), pushing) for path in (first, second)]
    c = compare_pictures(sides[0].whole(COMPARE_EDGE), sides[1].whole(COMPARE_EDGE))
    if target is not None:
        write_report(target, Compared(c, sides[0], sides[1], (first.name, second.name)), printed=print_page)
    if as_json:
        print_json(c.as_json())
        return
    typer.echo(f"aligned within {c.alignment.model_px:.2f} px ({c.alignment.tracks} tracks)")
    for name, x, y, text in sentences(c, first.name, second.name):
        typer.echo(shown(f"{name:26} {x:>7} {y:>7}  {text}"))


@app.command()
def match(
    raw: Path,
    phone: Path,
    output: Annotated[Path, typer.Option("-o", "--output", help="The recipe, JSON.")],
    parts: Annotated[str, typer.Option(help="Which parts are taken: tone,white,colour,local,detail.")] = "",
    strength: Annotated[float, typer.Option(min=0, max=100, help="How far, percent.")] = 100.0,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    """Find the recipe that makes a raw look like the phone's picture, and say what the phone did."""
    from bruto.align.registration import register_codes
    from bruto.compare.match.parts import PARTS, mixed, parts_of
    from bruto.compare.match.solve import match as solve
    from bruto.compare.metrics import COMPARE_EDGE
    from bruto.compare.sides import Developed, Finished, side_of
    from bruto.develop.recipe import save_recipe
    from bruto.storage.outputs import Outputs

    chosen = parts_of(parts) or tuple(PARTS)
    target = Outputs([raw, phone], overwrite=overwrite).file(output)
    ours, theirs = side_of(raw, values_beside(raw)), side_of(phone)
    if not isinstance(ours, Developed) or not isinstance(theirs, Finished):
        raise BrutoError("A raw comes first, and a finished picture second: bruto match RAW PHONE -o RECIPE.json.")
    alignment = register_codes(ours.whole(COMPARE_EDGE), theirs.pixels)
    progress = ProgressLine()
    found = solve(ours.developer, theirs.pixels, alignment, ours.recipe, progress=lambda s: progress(s, "match"))
    recipe = mixed(ours.recipe, found.recipe, chosen, strength / 100, ours.developer.as_shot())
    save_recipe(recipe, target)
    if as_json:
        print_json(found.as_json())
        return
    typer.echo(
        f"ΔE00 {found.before[0]:.1f} → {found.after[0]:.1f} (median), {found.before[1]:.1f} → {found.after[1]:.1f} "
        f"(95 %) on {found.kept_out} blocks that the fit did not see"
    )
    typer.echo(shown("The phone: " + ", ".join(d.text for d in found.did) + "."))
