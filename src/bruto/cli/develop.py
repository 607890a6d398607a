"""`bruto develop`: raws and pictures as files."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from bruto.catalog import tr
from bruto.cli.base import JsonFlag, OverwriteFlag, app
from bruto.errors import BrutoError
from bruto.terminal import ProgressLine, print_json, say, shown


@app.command()
def develop(
    files: list[Path],
    output: Annotated[Path, typer.Option("-o", "--output", help=tr("A file, or a folder for several files."))],
    recipe: Annotated[Path | None, typer.Option(help=tr("Recipe or sidecar (JSON)."))] = None,
    saved: Annotated[str | None, typer.Option(help=tr("Name of a version saved with each file."))] = None,
    auto: Annotated[bool, typer.Option("--auto", help=tr("Apply all suggestions."))] = False,
    neutral: Annotated[
        bool, typer.Option("--neutral", help=tr("Colour only: no tone, noise reduction or sharpening."))
    ] = False,
    space: str = "srgb",
    long_edge: int | None = None,
    bits: int = 8,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    """Develop raws or pictures to finished pictures. Originals are never replaced."""
    from bruto.container.prefetch import read_ahead

    first = files[0]
    ahead = read_ahead(first)  # while all that follows is loaded
    from bruto.develop.pipeline import Developer
    from bruto.develop.recipe import Recipe
    from bruto.develop.recipe_files import load_recipe
    from bruto.develop.suggest.suggester import suggest_all, take_all
    from bruto.export.encoders import check_preset
    from bruto.export.preset import ExportPreset
    from bruto.export.queue import export_shot
    from bruto.output_planner import Outputs
    from bruto.shoot.sidecar import load_sidecar

    if sum((recipe is not None, saved is not None, auto, neutral)) > 1:
        raise typer.BadParameter(tr("choose one of --recipe, --saved, --auto and --neutral"))
    preset = ExportPreset(space, bits, long_edge)
    folder = len(files) > 1 or output.is_dir()
    if folder and not output.is_dir():
        raise BrutoError(tr("{output} is not a folder. Several files need a folder.", output=output))
    outputs = Outputs([*files, *([recipe] if recipe is not None else [])], overwrite=overwrite)
    suffix = ".tif" if space == "linear" else ".jpg"
    check_preset(Path("any" + suffix) if folder else output, preset)
    given = load_recipe(recipe) if recipe is not None else None

    def values(file: Path) -> Recipe | Callable[[Developer], Recipe]:
        if given is not None:
            return given
        if auto:
            return lambda developer: take_all(Recipe(), suggest_all(developer))
        if neutral:
            return Recipe()
        side, problem = load_sidecar(file)
        if problem:
            say(problem)
        return side.recipe if saved is None else side.version(saved)

    results, failed = [], []
    for file in files:
        began = time.perf_counter()
        try:
            target = outputs.in_folder(output, file.stem + suffix) if folder else outputs.file(output)
            where, chosen = export_shot(
                file, target, values(file), preset,
                neutral_look=neutral, ahead=ahead if file is first else None,
                progress=partial(ProgressLine(), text=shown(file.name)),
                renamed=partial(outputs.in_folder, output, file.stem + suffix) if folder else None,
            )  # fmt: skip
        except BrutoError as error:  # the others are not to blame
            if len(files) == 1:
                raise
            say(tr("bruto: {error}", error=error))
            failed.append({"file": str(file), "reason": str(error)})
            continue
        results.append(
            {
                "file": str(file),
                "output": str(where),
                "seconds": time.perf_counter() - began,
                "recipe": chosen.model_dump(by_alias=True),
            }
        )
        if not as_json:
            typer.echo(shown(f"{file} → {where}"))
    if as_json:
        print_json({"developed": results, "failed": failed})
    if failed:
        raise BrutoError(
            tr(
                "{failed_count} of {files_count} files could not be developed; the others are done.",
                failed_count=len(failed),
                files_count=len(files),
            )
        )
