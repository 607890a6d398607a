"""`bruto practice`: one exercise with the simulated phone, asked and answered in words."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Annotated

import typer

from bruto.catalog import tr
from bruto.cli.base import JsonFlag, app
from bruto.errors import BrutoError
from bruto.terminal import print_json, shown


@app.command("practice", help=tr("An exercise with the simulated phone; without a name, those there are."))
def _practice(
    name: Annotated[str, typer.Argument(help=tr("Identifier of the exercise."))] = "",
    seed: Annotated[int, typer.Option(help=tr("Which round; the same seed gives the same one."))] = 1,
    answer: Annotated[int, typer.Option(help=tr("Number of your answer, from 1; it is noted in the logbook."))] = 0,
    pictures: Annotated[Path | None, typer.Option(help=tr("Folder that its pictures are written to."))] = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.practice.exercises import EXERCISES, ORDER, a_round

    if not name:
        if as_json:
            print_json({"exercises": list(ORDER)})
        for one in () if as_json else ORDER:
            typer.echo(f"{one}: {EXERCISES[one].title}")
        return
    if name not in EXERCISES:
        raise BrutoError(tr("There is no exercise '{name}'. Exercises: {known}.", name=name, known=", ".join(ORDER)))
    made = a_round(name, seed)
    if pictures is not None:
        from PIL import Image

        from bruto.output_planner import Outputs
        from bruto.storage.atomic_write import published, usable_folder

        usable_folder(pictures)
        for k, picture in enumerate(made.pictures):
            with published(Outputs().in_folder(pictures, f"{name}-{seed}-{k + 1}.png")) as temporary:
                Image.fromarray(picture.pixels).save(temporary, "PNG")
    right = answer == made.right + 1
    if answer:
        from bruto.logbook.database import usual_logbook
        from bruto.logbook.store import Logbook

        if not 1 <= answer <= len(made.options):
            raise BrutoError(tr("Answers are 1 to {count}.", count=len(made.options)))
        with Logbook(usual_logbook()) as book:
            book.tried(name, datetime.now().isoformat(timespec="milliseconds"), right)
    if as_json:
        print_json({
            "exercise": name, "seed": seed, "question": made.question, "options": list(made.options),
            **({"right": right, "explanation": made.explanation} if answer else {}),
        })  # fmt: skip
        return
    typer.echo(shown(made.question))
    for k, option in enumerate(made.options):
        typer.echo(shown(f"  {k + 1}  {option}"))
    if answer:
        typer.echo(shown(" ".join([tr("Right.") if right else tr("Not quite."), made.explanation])))
