"""Deliveries that wait, kept on the disk for the next start."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from bruto.develop.recipe import Recipe, recipe_from
from bruto.errors import BrutoError
from bruto.export.preset import ExportPreset
from bruto.storage.documents import read_as
from bruto.storage.unfinished_work import keep_unfinished, take_unfinished

KIND = "queue"
_MOST = 10_000


@dataclass(frozen=True)
class SavedJob:
    """One delivery as it is kept: see `jobs.Job`."""

    source: Path
    folder: Path
    name: str
    recipe: Recipe | None
    preset: ExportPreset


def save_queue(jobs: list[SavedJob]) -> None:
    """Keep what this program has not finished yet.

    Parameters
    ----------
    jobs
        Jobs of the queue.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    rows = [
        {
            "source": str(j.source.absolute()),
            "folder": str(j.folder.absolute()),
            "name": j.name,
            "recipe": None if j.recipe is None else j.recipe.model_dump(by_alias=True),
            "preset": asdict(j.preset),
        }
        for j in jobs
    ]
    keep_unfinished(KIND, {"waiting": rows} if rows else {})


def take_saved_queue() -> list[SavedJob]:
    """Deliveries of programs that are gone; what cannot be read is left out."""
    found: list[SavedJob] = []
    for work in take_unfinished(KIND):
        rows = work.get("waiting", [])
        for row in rows[:_MOST] if isinstance(rows, list) else []:
            job = _job(row)
            if job is not None:
                found.append(job)
    return found


@dataclass(frozen=True)
class _StoredJob:
    """A delivery as it stands in the file."""

    source: Path
    folder: Path
    name: str
    recipe: dict[str, Any] | None
    preset: ExportPreset


def _renamed(row: Any) -> Any:
    """Return a row of version 0.1 under the names of this one."""
    return {**row, "preset": row["ticket"]} if isinstance(row, dict) and "ticket" in row else row


def _job(row: Any) -> SavedJob | None:
    try:
        found = read_as(_StoredJob, _renamed(row))
        if Path(found.name).name != found.name:
            return None
        recipe = None if found.recipe is None else recipe_from(found.recipe)
        return SavedJob(found.source, found.folder, found.name, recipe, found.preset)
    except (ValueError, BrutoError):
        return None
