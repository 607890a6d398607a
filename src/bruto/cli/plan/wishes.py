"""A shoot as a list: `bruto plan new|list`."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.cli.base import JsonFlag, OverwriteFlag, plan_app, print_page
from bruto.cli.plan.asking import say
from bruto.errors import BrutoError
from bruto.terminal import shown


@plan_app.command("new", help="A plan to be changed: a JSON file with a place, a date and a list of wishes.")
def _new(output: Annotated[Path, typer.Option("-o", "--output")], overwrite: OverwriteFlag = False) -> None:
    from bruto.plan.examples import example
    from bruto.plan.wishes import as_bytes
    from bruto.publish import write_new
    from bruto.storage.outputs import Outputs

    if output.suffix.lower() != ".json":
        raise BrutoError(f"A plan is a JSON file: let the name end in .json, not '{output.name}'.")
    write_new(Outputs([], overwrite=overwrite).file(output), as_bytes(example()))
    typer.echo(shown(f"{output}: change it, then print it with `bruto plan list`"))


@plan_app.command("list", help="The shot list of a plan as a page that prints, or what became of it.")
def _list(
    plan: Path,
    output: Annotated[Path | None, typer.Option("-o", "--output", help=".html or .pdf")] = None,
    night: Annotated[bool, typer.Option("--night", help="Red on black, for eyes that are used to the dark.")] = False,
    taken: Annotated[Path | None, typer.Option(help="Folder of the shots that were taken.")] = None,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    from dataclasses import asdict

    from bruto.plan.became import matched, summary
    from bruto.plan.shot_list import shot_list, sky_told
    from bruto.plan.wishes import load_plan

    found = load_plan(plan)
    told: dict[str, Any] = {"name": found.name, "wishes": [asdict(w) for w in found.wishes], "output": None}
    lines = []
    if output is not None:
        _print_list(output, shot_list(found, sky_told(found), night), plan, night, overwrite)
        told["output"] = str(output)
        lines.append(f"{len(found.wishes)} wishes → {output}")
    if taken is not None:
        became = matched(found, _shots(taken))
        told["became"] = [
            {
                "title": b.wish.title,
                "state": b.state,
                "shots": [s.name for s in b.shots],
                "said": b.said,
                "pace": b.pace,
            }
            for b in became
        ]
        told["summary"] = asdict(summary(became))
        lines += [f"{b.wish.title}: {b.state}" + (f" ({b.said})" if b.said else "") for b in became]
    if output is None and taken is None:
        lines += [f"☐ {w.title}" for w in found.wishes]
    say(told, as_json, lines)


def _print_list(output: Path, page: str, plan: Path, night: bool, overwrite: bool) -> None:
    """Write a page as HTML or PDF."""
    from bruto.publish import write_new
    from bruto.storage.outputs import Outputs

    kind = output.suffix.lower()
    if kind not in (".html", ".pdf"):
        raise BrutoError(f"A shot list is .html or .pdf: let the name end so, not '{output.name}'.")
    target = Outputs([plan], overwrite=overwrite).file(output)
    if kind == ".pdf":
        print_page(page, target, night)
    else:
        write_new(target, page.encode("utf-8", "surrogatepass"))


def _shots(folder: Path) -> list[Any]:
    """What the raws of a folder tell of themselves."""
    from bruto.container.glance import glance
    from bruto.files import explain
    from bruto.plan.became import Shot

    try:
        files = sorted(p for p in folder.iterdir() if p.suffix.lower() == ".dng")
    except OSError as error:
        raise explain(error, folder, "read") from error
    found = []
    for path in files:
        try:
            seen = glance(path)
        except BrutoError:
            continue
        found.append(Shot(path.name, seen.iso, seen.exposure_s, seen.focal_35mm, seen.taken_iso))
    return found
