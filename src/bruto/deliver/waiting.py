"""Deliveries that wait, kept on the disk for the next start."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from bruto.deliver.ticket import Ticket
from bruto.develop.recipe import Recipe, recipe_from
from bruto.errors import BrutoError
from bruto.storage.documents import read_as
from bruto.storage.unfinished import keep_unfinished, take_unfinished

KIND = "queue"
_MOST = 10_000


@dataclass(frozen=True)
class Kept:
    """One delivery as it is kept: see `jobs.Job`."""

    source: Path
    folder: Path
    name: str
    recipe: Recipe | None
    ticket: Ticket


def keep_waiting(jobs: list[Kept]) -> None:
    """Keep what this program has not finished yet. Raises `FileProblem`."""
    rows = [
        {
            "source": str(j.source.absolute()),
            "folder": str(j.folder.absolute()),
            "name": j.name,
            "recipe": None if j.recipe is None else j.recipe.model_dump(by_alias=True),
            "ticket": asdict(j.ticket),
        }
        for j in jobs
    ]
    keep_unfinished(KIND, {"waiting": rows} if rows else {})


def take_waiting() -> list[Kept]:
    """Deliveries of programs that are gone; what cannot be read is left out."""
    found: list[Kept] = []
    for work in take_unfinished(KIND):
        rows = work.get("waiting", [])
        for row in rows[:_MOST] if isinstance(rows, list) else []:
            kept = _kept(row)
            if kept is not None:
                found.append(kept)
    return found


@dataclass(frozen=True)
class _Stored:
    """A delivery as it stands in the file."""

    source: Path
    folder: Path
    name: str
    recipe: dict[str, Any] | None
    ticket: Ticket


def _kept(row: Any) -> Kept | None:
    try:
        found = read_as(_Stored, row)
        if Path(found.name).name != found.name:
            return None
        recipe = None if found.recipe is None else recipe_from(found.recipe)
        return Kept(found.source, found.folder, found.name, recipe, found.ticket)
    except (ValueError, BrutoError):
        return None
