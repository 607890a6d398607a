"""`bruto clip`: a sequence of raws as a clip."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from bruto.catalog import tr
from bruto.cli.base import JsonFlag, OverwriteFlag, app, values_beside
from bruto.errors import BrutoError
from bruto.terminal import ProgressLine, print_json, say, shown


@app.command()
def clip(
    files: list[Path],
    output: Annotated[Path, typer.Option("-o", "--output", help=tr("MP4 file to write."))],
    recipe: Annotated[Path | None, typer.Option(help=tr("Recipe or sidecar (JSON)."))] = None,
    rate: Annotated[float, typer.Option(help=tr("Frames per second."))] = 24.0,
    long_edge: Annotated[int, typer.Option(min=64, max=7680, help=tr("Long edge of the clip, pixels."))] = 1920,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    """Develop a sequence alike, without flicker, to a clip. Without a recipe: by the values of its first edited frame,
    else by those suggested for the one in the middle.
    """
    from bruto.develop.recipe_files import load_recipe
    from bruto.export.clip import make_clip, usual_recipe
    from bruto.output_planner import Outputs

    if len(files) < 2:
        raise BrutoError(tr("A clip needs at least two frames."))
    target = Outputs([*files, *([recipe] if recipe is not None else [])], overwrite=overwrite).file(output)
    values = load_recipe(recipe) if recipe is not None else usual_recipe(files, values_beside)
    found = make_clip(files, target, values, rate=rate, long_edge=long_edge, progress=ProgressLine())
    if as_json:
        print_json({
            "output": str(found.output), "frames": found.frames, "seconds": round(found.seconds, 3),
            "width": found.size[0], "height": found.size[1], "flicker_ev": round(found.flicker_ev, 3),
            "left_out": [{"file": name, "reason": why} for name, why in found.left_out],
        })  # fmt: skip
        return
    typer.echo(
        shown(
            tr(
                "{frames} frames → {output}; {seconds:.1f} s, {size} × {size2}, flicker of up to "
                "{flicker_ev:.2f} EV "
                "removed",
                frames=found.frames,
                output=found.output,
                seconds=found.seconds,
                size=found.size[0],
                size2=found.size[1],
                flicker_ev=found.flicker_ev,
            )
        )
    )
    for name, why in found.left_out:
        say(shown(tr("excluded {name}: {why}", name=name, why=why)))
