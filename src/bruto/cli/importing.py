"""`bruto import`: new files of a phone or card, copied and verified."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from bruto.catalog import tr
from bruto.cli.base import JsonFlag, app
from bruto.errors import BrutoError
from bruto.terminal import print_json, shown


@app.command("import", help=tr("Copy new files from a phone or card, and verify them."))
def _import(
    source: Annotated[Path, typer.Argument(help=tr("Folder of the phone or card."))],
    folder: Annotated[Path, typer.Argument(help=tr("Folder to copy to."))],
    as_json: JsonFlag = False,
) -> None:
    from bruto.shoot.file_import import import_files, outcome_text
    from bruto.storage.atomic_write import usable_folder

    usable_folder(folder)
    found = import_files(source, folder)
    if as_json:
        print_json({
            "copied": [str(p) for p in found.copied], "skipped": [str(p) for p in found.skipped],
            "failed": [{"file": str(p), "why": why} for p, why in found.failed],
        })  # fmt: skip
    else:
        typer.echo(shown(outcome_text(found)))
    if found.failed:
        raise BrutoError(tr("{count} files were not copied.", count=len(found.failed)))
