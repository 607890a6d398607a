"""`bruto simulate`, `demo`, `open`, `bench`: the simulated phone, the window, and the measure of both."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from bruto.catalog import tr
from bruto.cli.base import JsonFlag, app
from bruto.errors import BrutoError
from bruto.terminal import print_json, say, shown


@app.command()
def simulate(
    scene: str,
    output: Annotated[Path, typer.Option("-o", "--output", help=tr("Folder for the shots."))],
    iso: float | None = None,
    shutter: Annotated[float | None, typer.Option(help=tr("Exposure time, seconds."))] = None,
    ev: float = 0.0,
    count: int = 1,
    bracket: Annotated[
        str, typer.Option(help=tr("Exposure steps in EV, for example -2,0,2, or one number n for -n,0,+n."))
    ] = "",
    kind: str = "mosaic",
    megapixels: int = 12,
    seed: int = 1,
    static: Annotated[bool, typer.Option("--static", help=tr("On a tripod."))] = False,
    lens: Annotated[str, typer.Option(help=tr("main, wide or tele"))] = "main",
    shake: Annotated[float, typer.Option(help=tr("Camera shake during the exposure, pixels."))] = 0.0,
    smear: Annotated[float, typer.Option(help=tr("Share of light scattered by a smeared lens, 0 to 1."))] = 0.0,
    as_json: JsonFlag = False,
) -> None:
    """Take shots with the simulated phone."""
    from bruto.simphone.capture_files import simulate as take
    from bruto.simphone.optics import Mishap

    try:
        steps = tuple(float(v) for v in bracket.split(",")) if bracket else ()
    except ValueError:
        raise typer.BadParameter(tr("--bracket takes numbers separated by commas")) from None
    if len(steps) == 1:
        steps = (-abs(steps[0]), 0.0, abs(steps[0]))
    shots = take(
        scene,
        output,
        megapixels=megapixels,
        iso=iso,
        shutter=shutter,
        ev=ev,
        count=count,
        bracket=steps,
        kind=kind,
        seed=seed,
        static=static,
        lens=lens,
        mishap=Mishap(motion_px=shake, motion_deg=25.0, smear=smear),
    )
    if as_json:
        print_json({"shots": shots})
        return
    for shot in shots:
        typer.echo(shown("  ".join(shot["files"])))


@app.command()
def demo(
    size: Annotated[str, typer.Option(help=tr("Window size, for example 1280x800."))] = "1280x800",
    screenshot: Annotated[
        Path | None, typer.Option(help=tr("Save a screenshot once the window is ready, then close."))
    ] = None,
    night: Annotated[bool, typer.Option("--night", help=tr("The demo's night instead of its day."))] = False,
) -> None:
    """Open the window on the demo shoot."""
    from bruto.app.main import run_demo

    raise typer.Exit(run_demo(size, screenshot, night))


@app.command("open")
def open_window(paths: Annotated[list[Path] | None, typer.Argument()] = None) -> None:
    """Open the window on folders or files (also without the word: bruto FOLDER), or on its start page."""
    from bruto.app.main import run

    raise typer.Exit(run([str(p) for p in paths or []]))


@app.command()
def bench(
    quality: Annotated[
        bool, typer.Option("--quality", help=(tr("Also measure errors against the simulated scenes.")))
    ] = False,
    as_json: JsonFlag = False,
) -> None:
    """Measure speed and memory against other libraries on the same file in the same run."""
    root = Path(__file__).parents[3]
    sys.path.insert(0, str(root))
    try:
        from benchmarks.speed import run_all
    except ImportError as error:
        raise BrutoError(
            tr(
                "The benchmarks need the project folder and its development setup ({error}). Use ./run bench there.",
                error=error,
            )
        ) from error
    results = run_all(say, quality)
    if as_json:
        print_json(results)
    else:
        typer.echo(json.dumps(results, indent=1))
