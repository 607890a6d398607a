"""Deliveries that wait, kept on the disk: one file for each running program, taken over when that one is gone."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import platformdirs

from bruto.deliver.encoders import Ticket
from bruto.develop.recipe import Recipe, recipe_from
from bruto.errors import BrutoError
from bruto.publish import own_folder, process_gone, process_mark, write_own
from bruto.storage.reading import read_json

_MOST = 10_000


@dataclass(frozen=True)
class Kept:
    """One delivery as it is kept: see `jobs.Job`."""

    source: Path
    folder: Path
    name: str
    recipe: Recipe
    ticket: Ticket


def _folder() -> Path:
    return Path(platformdirs.user_state_dir("bruto")) / "queue"


def keep_waiting(jobs: list[Kept]) -> None:
    """Keep what this program has not finished yet. Raises `FileProblem`."""
    place = _folder() / f"{process_mark()}.json"
    if not jobs:
        place.unlink(missing_ok=True)
        return
    own_folder(place.parent)
    rows = [
        {
            "source": str(j.source.absolute()),
            "folder": str(j.folder.absolute()),
            "name": j.name,
            "recipe": j.recipe.model_dump(by_alias=True),
            "ticket": asdict(j.ticket),
        }
        for j in jobs
    ]
    write_own(place, json.dumps({"waiting": rows}, indent=1).encode() + b"\n")


def take_waiting() -> list[Kept]:
    """Deliveries of programs that are gone; each is taken by one program only. What cannot be read is left out."""
    found: list[Kept] = []
    try:
        places = sorted(_folder().glob("*.json"))
    except OSError:
        return []
    for place in places:
        if not process_gone(place.stem):
            continue
        try:
            rows = read_json(place).get("waiting", [])
            place.unlink()
        except (BrutoError, OSError):
            continue
        for row in rows[:_MOST] if isinstance(rows, list) else []:
            kept = _kept(row)
            if kept is not None:
                found.append(kept)
    return found


def _kept(row: Any) -> Kept | None:
    try:
        t = row["ticket"]
        ticket = Ticket(
            str(t["space"]), int(t["bits"]), None if t["long_edge"] is None else int(t["long_edge"]),
            int(t["quality"]), bool(t["keep_exif"]),
        )  # fmt: skip
        name = str(row["name"])
        if Path(name).name != name:
            return None
        return Kept(Path(str(row["source"])), Path(str(row["folder"])), name, recipe_from(row["recipe"]), ticket)
    except (KeyError, TypeError, ValueError, OverflowError, BrutoError):
        return None
