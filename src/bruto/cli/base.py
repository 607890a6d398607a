"""What all commands share: the application they belong to, and their flags."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.catalog import tr

app = typer.Typer(
    add_completion=False,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    help=tr(
        "Shows what a phone's raw file really holds, develops it with a reason behind every value, compares and merges."
    ),
)
merge_app = typer.Typer(help=tr("Merge several raws into one better raw (a linear DNG)."), no_args_is_help=True)
app.add_typer(merge_app, name="merge")
plan_app = typer.Typer(help=tr("Calculations before the shot, in values the phone offers."), no_args_is_help=True)
app.add_typer(plan_app, name="plan")
log_app = typer.Typer(
    help=tr("The logbook: what was measured in your shots, and what can be learnt from it."), no_args_is_help=True
)
app.add_typer(log_app, name="log")

OverwriteFlag = Annotated[
    bool, typer.Option("--overwrite", help=tr("Replace an existing file. Originals are never replaced."))
]
JsonFlag = Annotated[bool, typer.Option("--json", help=tr("Print one JSON object on stdout and nothing else."))]


def values_beside(path: Path) -> Any:
    """The values beside a file, None where it was never edited."""
    from bruto.shoot.sidecar import load_sidecar

    side, _ = load_sidecar(path)
    return None if side.untouched else side.recipe


def print_page(page: str, target: Any, dark: bool = False) -> None:
    """A page as PDF, which needs Qt: loaded where it is wanted only."""
    from bruto.app.pdf import print_html

    print_html(page, target, dark)
