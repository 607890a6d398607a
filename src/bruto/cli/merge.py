"""`bruto merge …`: several raws into one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.catalog import sentences, tr
from bruto.cli.base import JsonFlag, OverwriteFlag, merge_app
from bruto.errors import BrutoError
from bruto.terminal import ProgressLine, print_json, shown


def _merged(result: Any, as_json: bool) -> None:
    if as_json:
        print_json(result.as_json())
        return
    used = sum(f.used for f in result.frames)
    gain = (
        tr("{range_ev:.1f} EV from noise to clipping", range_ev=result.range_ev)
        if result.range_ev
        else tr("{noise_gain:.2f} × less noise", noise_gain=result.noise_gain)
    )
    typer.echo(
        shown(
            tr(
                "{used} of {frames_count} frames → {output}; {gain}, aligned within {rms_px:.2f} px",
                used=used,
                frames_count=len(result.frames),
                output=result.output,
                gain=gain,
                rms_px=max(result.rms_px, 0.01),
            )
        )
    )
    if result.equivalent_stops:
        typer.echo(
            tr("exposed {equivalent_stops:.1f} stops longer than one frame", equivalent_stops=result.equivalent_stops)
        )
    for text in result.warnings:
        typer.echo(shown(text), err=True)
    for f in result.frames:
        if not f.used:
            typer.echo(shown(tr("excluded {file}: {reason}", file=f.file, reason=f.reason)))


Output = Annotated[Path, typer.Option("-o", "--output")]


def add_merges() -> None:
    """A command for each kind of merge: methods are known only where they are wanted, as they take long to load."""
    from bruto.merge.methods import commands

    own: dict[str, Callable[..., None]] = {"long": _long, "trails": _trails, "sky": _sky}
    for name, methods in commands().items():
        text = methods[0].help
        if name not in own and len(methods) > 1:
            text = sentences(text, tr("Methods: {key}.", key=", ".join(m.key for m in methods)))
        run = own.get(name) or _command_of(name, methods[0].key)
        merge_app.command(name, help=text)(run)


def _run(method: Any, files: list[Path], output: Path, overwrite: bool, as_json: bool) -> None:
    from bruto.merge.merger import merge

    _merged(merge(method, list(files), output, overwrite=overwrite, progress=ProgressLine()), as_json)


def _command_of(name: str, usual: str) -> Callable[..., None]:
    def command(
        files: list[Path], output: Output, method: str = usual, overwrite: OverwriteFlag = False,
        as_json: JsonFlag = False,
    ) -> None:  # fmt: skip
        from bruto.merge.methods import method_of

        _run(method_of(method, name), files, output, overwrite, as_json)

    return command


def _long(
    files: list[Path],
    output: Output,
    light: Annotated[str, typer.Option(help=tr("mean, or lighten for light trails."))] = "mean",
    passers_by: Annotated[str, typer.Option(help=tr("remove or keep people and cars that pass."))] = "remove",
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    from bruto.merge.methods import method_of

    light, passers_by = (
        _one_of("--light", light, "mean", "lighten"),
        _one_of("--passers-by", passers_by, "remove", "keep"),
    )
    key = "lighten" if light == "lighten" else "long" if passers_by == "remove" else "long-all"
    _run(method_of(key, "long"), files, output, overwrite, as_json)


def _trails(
    files: list[Path],
    output: Output,
    gaps: Annotated[str, typer.Option(help=tr("bridge or leave gaps in the trails."))] = "bridge",
    aircraft: Annotated[str, typer.Option(help=tr("remove or keep aircraft and satellites."))] = "remove",
    fade: Annotated[
        float, typer.Option(min=0, max=1, help=tr("Share of their light that the first frames lose."))
    ] = 0.0,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    from bruto.merge.methods.trails import TRAILS, TrailOptions, combine

    options = TrailOptions(
        _one_of("--gaps", gaps, "bridge", "leave") == "bridge",
        _one_of("--aircraft", aircraft, "remove", "keep") == "remove",
        fade,
    )
    _run(replace(TRAILS, combine=lambda reader: combine(reader, options)), files, output, overwrite, as_json)


def _sky(
    files: list[Path],
    output: Output,
    ground: Annotated[str, typer.Option(help=tr("merged, or the file that provides the ground."))] = "merged",
    gradient: Annotated[
        str, typer.Option(help=tr("keep or remove the brightening of the sky towards one side."))
    ] = "keep",
    border: Annotated[
        Path | None,
        typer.Option(
            help=tr(
                'JSON with strokes that correct the sky\'s border: {"strokes": [{"adds": true, "reach": 0.02, '
                '"points": [[x, y]]}]}'
            )
        ),
    ] = None,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    from bruto.develop.strokes import strokes_of
    from bruto.merge.methods.starfield import SKY, StarFieldOptions, combine
    from bruto.storage.json_files import read_json

    even = _one_of("--gradient", gradient, "keep", "remove") == "remove"
    strokes = strokes_of(read_json(border).get("strokes")) if border is not None else ()
    options = StarFieldOptions(None if ground == "merged" else Path(ground), even, strokes)
    _run(replace(SKY, combine=lambda reader: combine(reader, options)), files, output, overwrite, as_json)


def _one_of(option: str, value: str, *known: str) -> str:
    if value not in known:
        raise BrutoError(
            tr("{option} must be {known}, not '{value}'.", option=option, known=" or ".join(known), value=value)
        )
    return value
