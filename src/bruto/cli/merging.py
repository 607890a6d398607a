"""`bruto merge …`: several raws into one."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.cli.base import JsonFlag, OverwriteFlag, merge_app
from bruto.terminal import ProgressLine, print_json, shown


def _merged(result: Any, as_json: bool) -> None:
    if as_json:
        print_json(result.as_json())
        return
    used = sum(f.used for f in result.frames)
    gain = (
        f"{result.range_ev:.1f} EV from noise to full" if result.range_ev else f"noise {result.noise_gain:.2f} × lower"
    )
    typer.echo(
        shown(
            f"{used} of {len(result.frames)} frames → {result.output}; {gain}, aligned within "
            f"{max(result.rms_px, 0.01):.2f} px"
        )
    )
    for f in result.frames:
        if not f.used:
            typer.echo(shown(f"left out {f.file}: {f.reason}"))


def add_merges() -> None:
    """A command for each kind of merge: methods are known only where they are wanted, as they take long to load."""
    from bruto.merge.merging import merge
    from bruto.merge.methods import commands, method_of

    def command_of(name: str, usual: str) -> Callable[..., None]:
        def command(
            files: list[Path],
            output: Annotated[Path, typer.Option("-o", "--output")],
            method: str = usual,
            overwrite: OverwriteFlag = False,
            as_json: JsonFlag = False,
        ) -> None:
            chosen = method_of(method, name)
            _merged(merge(chosen, list(files), output, overwrite=overwrite, progress=ProgressLine()), as_json)

        return command

    for name, methods in commands().items():
        text = methods[0].help
        if len(methods) > 1:
            text += f" Methods: {', '.join(m.key for m in methods)}."
        merge_app.command(name, help=text)(command_of(name, methods[0].key))
